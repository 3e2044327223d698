package jobs

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"

	"harvik/internal/core/checks"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/plan"
	"harvik/internal/core/text"
	"harvik/internal/record"
	"harvik/internal/store"
)

// rulesOf names the rules by which a crawl was judged: catalogue, thresholds, rules of the plan.
func rulesOf(rec record.Crawl) string {
	p := rec.Plan.WithDefaults()
	data, _ := json.Marshal([]any{rec.Catalogue, p.Limits, p.Checks, p.Kinds, p.Scope.Staging})
	h := fnv.New64a()
	h.Write(data)
	return hex.EncodeToString(h.Sum(nil))
}

// rulesToday names the rules of a crawl's plan with today's catalogue.
func rulesToday(rec record.Crawl) string {
	rec.Catalogue = checks.Version
	return rulesOf(rec)
}

// sheetBy is a crawl as judged by the rules of another's plan and today's catalogue. The note says why that could not be had, where
// the crawl's own judgement has to do.
func (r *Runner) sheetBy(ctx context.Context, rec, rules record.Crawl) (sheet *fixlist.Sheet, note string, err error) {
	as := rulesToday(rules)
	if rulesOf(rec) == as {
		sheet, err = r.store.Sheet(ctx, rec.ID, "")
		if !errors.Is(err, store.ErrNotFound) {
			return sheet, "", err
		}
	}
	if sheet, err = r.store.Sheet(ctx, rec.ID, as); !errors.Is(err, store.ErrNotFound) {
		return sheet, "", err
	}
	by, now := rec.Plan, plan.Plan(rules.Plan)
	by.Limits, by.Checks, by.Kinds, by.Scope.Staging = now.Limits, now.Checks, now.Kinds, now.Scope.Staging
	result, _, err := r.rejudged(ctx, rec, by)
	var refusal *Refusal
	if errors.As(err, &refusal) {
		sheet, missing := r.store.Sheet(ctx, rec.ID, "")
		if missing != nil {
			return nil, "", err
		}
		return sheet, fmt.Sprintf("crawl %d is compared as it was judged: %s", rec.Number, refusal.Reason), nil
	}
	if err != nil {
		return nil, "", err
	}
	return result.Sheet, "", r.store.KeepSheet(ctx, rec.ID, as, result.Sheet)
}

// Drift sets two finished crawls of a site side by side, both by the rules of the newer one.
func (r *Runner) Drift(ctx context.Context, site record.Site, before, after record.Crawl) (*drift.Report, error) {
	w, err := r.weightsOf(ctx, site)
	if err != nil {
		return nil, err
	}
	var notes []string
	sides := [2]drift.Side{}
	for i, rec := range []record.Crawl{before, after} {
		var note string
		if sides[i], note, err = r.side(ctx, w, rec, after); err != nil {
			return nil, err
		}
		if note != "" {
			notes = append(notes, note)
		}
		switch now := w.adjustment(); rec.Weighed {
		case w.signature:
			sides[i].Then = &now
		case "":
			sides[i].Then = new(fixlist.Adjustment)
		}
		if sides[i].Files, err = r.store.DriftFiles(ctx, rec.ID); err != nil {
			return nil, err
		}
	}
	if rulesOf(before) != rulesToday(after) {
		judged, err := r.store.Sheet(ctx, before.ID, "")
		if err == nil {
			sides[0].Judged = judged
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
	}
	once, err := r.store.WasConfirmed(ctx, site.ID, after.Started)
	if err != nil {
		return nil, err
	}
	out := drift.Compare(sides[0], sides[1], func(fix string) bool { return once[fix] })
	out.Notes = append(append(out.Notes, notes...), differences(before, after)...)
	return out, r.quoteTexts(ctx, before, after, out.Changes)
}

// side is a crawl by the rules of another, to be compared; without its files. The note says why it is by
// its own rules, if it is.
func (r *Runner) side(ctx context.Context, w *weights, rec, rules record.Crawl) (s drift.Side, note string, err error) {
	if rec.State != "finished" || rec.Report == nil {
		return s, "", &Refusal{fmt.Sprintf("crawl %d is %s; only finished ones can be compared", rec.Number, rec.State)}
	}
	s.Health, s.Adjust, s.Complete = rec.Report.Health, w.adjustment(), rec.Ending == "complete"
	if s.Sheet, note, err = r.sheetBy(ctx, rec, rules); err != nil {
		return s, "", err
	}
	s.Pages, s.Known, err = r.store.DriftPages(ctx, rec.ID)
	return s, note, err
}

// Bounds of what is quoted where main texts changed: how many pages, and how many characters of each.
const (
	mostQuoted = 200
	quotedSize = 160
)

// quoteTexts puts the first passage that went and the first that came in the place of texts.
func (r *Runner) quoteTexts(ctx context.Context, before, after record.Crawl, changes []drift.Change) error {
	var at []*drift.Change
	var addresses []string
	for i := range changes {
		if changes[i].What == drift.Text && len(at) < mostQuoted {
			at = append(at, &changes[i])
			addresses = append(addresses, changes[i].Address)
		}
	}
	if len(at) == 0 {
		return nil
	}
	old, err := r.store.Texts(ctx, before.ID, addresses)
	if err != nil {
		return err
	}
	now, err := r.store.Texts(ctx, after.ID, addresses)
	if err != nil {
		return err
	}
	for _, c := range at {
		c.Before, c.After = text.FirstDifference(old[c.Address], now[c.Address], quotedSize)
	}
	return nil
}

// differences says in what two crawls could see different things.
func differences(before, after record.Crawl) (out []string) {
	p, q := before.Plan.WithDefaults(), after.Plan.WithDefaults()
	for _, d := range []struct {
		what string
		a, b any
	}{
		{"the limit of pages", p.Pages, q.Pages}, {"the limit of depth", p.Depth, q.Depth}, {"scope", p.Scope, q.Scope},
		{"sources", p.Sources, q.Sources}, {"the robots policy", p.Robots, q.Robots}, {"the agent", p.UserAgent(), q.UserAgent()},
		{"the selection", p.Selection, q.Selection}, {"resources", p.Resources, q.Resources}, {"outbound links", p.Outbound, q.Outbound},
		{"the language asked for", p.Language, q.Language},
	} {
		a, _ := json.Marshal(d.a)
		b, _ := json.Marshal(d.b)
		if string(a) != string(b) {
			out = append(out, fmt.Sprintf("the crawls differ in %s: %s, then %s", d.what, a, b))
		}
	}
	for _, rec := range []record.Crawl{before, after} {
		if rec.Catalogue != checks.Version {
			out = append(out, fmt.Sprintf("crawl %d was judged by an earlier Harvik, and is compared by the checks of today; `harvik judge %s@%d` shows it by them everywhere", rec.Number, rec.Site, rec.Number))
		}
		if rec.Ending != "complete" {
			out = append(out, fmt.Sprintf("crawl %d did not see the whole site (%s); pages that one crawl could not see are told apart and not compared, but findings that rest on other pages, such as dead links and duplicates, can go for that reason alone", rec.Number, rec.Ending))
		}
	}
	return out
}

// Trend is how a site went from crawl to crawl, all by the rules of the newest and the decisions of
// today. The oldest comes first; limit is how many of the newest are told.
func (r *Runner) Trend(ctx context.Context, site record.Site, limit int) ([]record.TrendPoint, error) {
	crawls, err := r.store.FinishedCrawls(ctx, site.ID, limit)
	if err != nil || len(crawls) == 0 {
		return []record.TrendPoint{}, err
	}
	newest := crawls[len(crawls)-1]
	out := make([]record.TrendPoint, len(crawls))
	w, err := r.weightsOf(ctx, site)
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
		after, note, err := r.side(ctx, w, rec, newest)
		if err != nil {
			var refusal *Refusal
			if !errors.As(err, &refusal) {
				return nil, err
			}
			p.Note, before = refusal.Reason, nil
			continue
		}
		report := after.Sheet.Build(w.adjustment())
		p.Health, p.HalfWidth, p.Scored, p.Pages, p.Note = report.Health, report.HalfWidth, report.Scored, report.Assessed, note
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

// Gate passes or fails a crawl. Against is the crawl that new findings are told by; nil for the one
// before, if there is one.
func (r *Runner) Gate(ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl, c gate.Conditions) (gate.Verdict, error) {
	w, err := r.weightsOf(ctx, site)
	if err != nil {
		return gate.Verdict{}, err
	}
	sheet, err := r.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, store.ErrNotFound) {
		return gate.Verdict{}, &Refusal{fmt.Sprintf("crawl %d was made by an earlier Harvik, or has not ended; `harvik judge %s@%d` judges it anew", rec.Number, rec.Site, rec.Number)}
	}
	if err != nil {
		return gate.Verdict{}, err
	}
	var new gate.New
	if c.NoNew != nil {
		if against == nil {
			before, err := r.store.Before(ctx, site.ID, rec.Number)
			if errors.Is(err, store.ErrNotFound) {
				return gate.Verdict{}, &Refusal{fmt.Sprintf("crawl %d is the first of this site, so nothing can be new; crawl again, or leave the condition out", rec.Number)}
			}
			if err != nil {
				return gate.Verdict{}, err
			}
			against = &before
		}
		var sides [2]*fixlist.Sheet
		for i, side := range []record.Crawl{*against, rec} {
			if sides[i], _, err = r.sheetBy(ctx, side, rec); err != nil {
				return gate.Verdict{}, err
			}
		}
		new = newFindings(sides[0], sides[1], w)
	}
	report := sheet.Build(w.adjustment())
	listed := map[string]bool{}
	for i := range report.Fixes {
		listed[report.Fixes[i].ID] = true
	}
	apart := map[string]bool{}
	for id := range new.Fixes {
		apart[id] = !listed[id]
	}
	report.Fixes = append(report.Fixes, sheet.Lines(w.adjustment(), apart)...)
	return gate.Judge(c, report, sheet.Rules(), new), nil
}

// newFindings counts the pages that fail a check now for a reason for which they did not before, by
// check; without what is waived.
func newFindings(old, now *fixlist.Sheet, w *weights) gate.New {
	type reason struct{ check, address, cause string }
	had := map[reason]bool{}
	old.EachFinding(func(f fixlist.Found) { had[reason{f.Check, f.Address, f.Cause}] = true })
	out := gate.New{Pages: map[string]int{}, Fixes: map[string]bool{}}
	counted := map[reason]bool{}
	now.EachFinding(func(f fixlist.Found) {
		if had[reason{f.Check, f.Address, f.Cause}] || w.set.Covers(f.Check, f.Address, f.Layout, f.Fix) {
			return
		}
		if f.Kind == fixlist.Pages && f.Cause != "" { // a line for many: name the one
			out.Fixes[f.Cause] = true
		} else {
			out.Fixes[f.Fix] = true
		}
		if page := (reason{check: f.Check, address: f.Address}); !counted[page] {
			counted[page] = true
			out.Pages[f.Check]++
		}
	})
	return out
}

// Standing tells of the findings of a crawl which are waived and why, and, if a crawl to compare with is
// given, which of them that one had. Both take a check and an address.
func (r *Runner) Standing(ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl) (waived func(check, address string) (string, bool), failed func(check, address string) bool, err error) {
	w, err := r.decided(ctx, site)
	if err != nil {
		return nil, nil, err
	}
	if w.set.Size() > 0 {
		sheet, err := r.store.Sheet(ctx, rec.ID, "")
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, nil, err
		}
		why := map[int64]string{}
		for _, one := range w.all {
			why[one.ID] = one.Reason
		}
		reasons := map[[2]string]string{}
		if sheet != nil {
			sheet.EachFinding(func(f fixlist.Found) {
				w.set.Covering(f.Check, f.Address, f.Layout, f.Fix, func(id int64) { reasons[[2]string{f.Check, f.Address}] = why[id] })
			})
		}
		waived = func(check, address string) (string, bool) {
			reason, ok := reasons[[2]string{check, address}]
			return reason, ok
		}
	}
	if against != nil {
		old, _, err := r.sheetBy(ctx, *against, rec)
		if err != nil {
			return nil, nil, err
		}
		failing := old.Failing()
		failed = func(check, address string) bool { return failing[address][check] }
	}
	return waived, failed, nil
}
