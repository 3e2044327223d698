package compare

import (
	"context"
	"errors"

	"harvik/internal/core/drift"
	"harvik/internal/record"
)

// Trend is how a site went from crawl to crawl, all by the rules of the newest and the decisions of
// today. The oldest comes first; limit is how many of the newest are told.
func (c *Comparisons) Trend(ctx context.Context, site record.Site, limit int) ([]record.TrendPoint, error) {
	crawls, err := c.store.FinishedCrawls(ctx, site.ID, limit)
	if err != nil || len(crawls) == 0 {
		return []record.TrendPoint{}, err
	}
	newest := crawls[len(crawls)-1]
	out := make([]record.TrendPoint, len(crawls))
	w, err := c.decisions.Weights(ctx, site)
	if err != nil {
		return nil, err
	}
	var before *drift.Side
	for i, rec := range crawls {
		p := &out[i]
		p.Crawl, p.Started, p.Ending = rec.Number, rec.Started, rec.Ending
		if rec.Report == nil {
			before = nil
			continue
		}
		p.Told = rec.Report.Health
		after, note, err := c.side(ctx, w, rec, newest)
		if err != nil {
			var refusal *record.Refusal
			if !errors.As(err, &refusal) {
				return nil, err
			}
			p.Note, before = refusal.Reason, nil
			continue
		}
		report := after.Sheet.Build(w.Adjustment())
		p.Health, p.HalfWidth, p.Scored, p.Pages, p.Note = report.Health, report.HalfWidth, report.Scored,
			report.Assessed, note
		for _, l := range report.Ledger {
			p.Findings[l.Severity] += l.Pages
		}
		after.Health = report.Health // steps are told between the points of the line
		if before != nil {
			step := drift.Between(*before, after)
			p.Parts = step.Parts[:min(len(step.Parts), 3)]
		}
		before = &after
	}
	return out, nil
}
