package store

import (
	"context"
	"errors"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// LoadSurvey is a finished crawl as it can be judged anew. What takes room is read when it is asked for.
func (s *Store) LoadSurvey(ctx context.Context, rec record.Crawl) (*booking.Stored, error) {
	start, err := weburl.Parse(rec.Home)
	if err != nil {
		return nil, err
	}
	out := &booking.Stored{
		Plan: rec.Plan.WithDefaults(), Start: start, Ending: survey.Ending(rec.Ending), Beyond: rec.Progress.Beyond,
		Probes: rec.Probes, Traps: rec.Traps,
	}
	if out.Addresses, err = s.allAddresses(ctx, rec.ID); err != nil {
		return nil, err
	}
	if out.Layouts, err = s.KnownLayouts(ctx, rec.SiteID); err != nil {
		return nil, err
	}
	if out.Plan.Selection == plan.Spread && out.Ending != survey.Complete {
		if out.Weights, out.Size, err = s.weightsOf(ctx, rec); err != nil {
			return nil, err
		}
	}
	past := &Past{s, rec.ID, rec.Epoch}
	if out.Files, err = past.files(ctx); err != nil {
		return nil, err
	}
	urls := make([]string, len(out.Addresses))
	for i := range urls {
		urls[i] = out.Addresses[i].URL
	}
	out.Body = func(address string) ([]byte, error) { return past.Body(ctx, address) }
	out.Records = func(f func(*booking.Record) error) error { return past.EachRecord(ctx, urls, f) }
	out.Source = s.Source(ctx, rec.ID, naming(urls))
	return out, nil
}

// weightsOf are how many pages each page of a spread crawl stands for, and how many there are, as they were worked out
// when it ended: they do not go by the checks.
func (s *Store) weightsOf(ctx context.Context, rec record.Crawl) (weights map[int32]float64, size int, err error) {
	sheet, err := s.Sheet(ctx, rec.ID, "")
	if errors.Is(err, record.ErrNotFound) {
		return nil, 0, record.Refuse("crawl %d was made by an earlier Harvik; crawl again first", rec.Number)
	}
	if err != nil {
		return nil, 0, err
	}
	weights = make(map[int32]float64, len(sheet.Pages))
	for i := range sheet.Pages {
		weights[sheet.Pages[i].ID] = sheet.Pages[i].Weight
	}
	return weights, sheet.Expected, nil
}

// allAddresses are those that a crawl knows, by number.
func (s *Store) allAddresses(ctx context.Context, crawlID int64) ([]survey.Address, error) {
	rows, err := s.pool.Query(ctx, `select a.url, a.found_on, a.depth, case when p.id is null then a.state else 'fetched' end, a.role, a.found, a.in_sitemap, a.rule_line, a.rule_text
		from address a left join page p on p.crawl_id = a.crawl_id and p.id = a.id where a.crawl_id = $1 order by a.id`, crawlID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []survey.Address
	for rows.Next() {
		var a survey.Address
		var state string
		var role, found int16
		var rule robots.Line
		if err := rows.Scan(&a.URL, &a.FoundOn, &a.Depth, &state, &role, &found, &a.InSitemap, &rule.Number,
			&rule.Text); err != nil {
			return nil, err
		}
		a.State, a.Role, a.Found, a.Rule = survey.StateOf(state), page.Role(role), survey.Found(found), rule
		out = append(out, a)
	}
	return out, rows.Err()
}
