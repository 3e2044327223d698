package compare

import (
	"context"
	"errors"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/decide"
	"harvik/internal/record"
)

// Gate passes or fails a crawl. Against is the crawl that new findings are told by; nil for the one
// before, if there is one.
func (c *Comparisons) Gate(ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl,
	asked gate.Conditions) (gate.Verdict, error) {
	w, err := c.decisions.Weights(ctx, site)
	if err != nil {
		return gate.Verdict{}, err
	}
	sheet, err := c.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, record.ErrNotFound) {
		return gate.Verdict{}, record.Refuse("crawl %d was made by an earlier Harvik, or has not ended; `harvik judge %s@%d` judges it anew", rec.Number, rec.Site, rec.Number)
	}
	if err != nil {
		return gate.Verdict{}, err
	}
	var new gate.New
	if asked.NoNew != nil {
		if against == nil {
			before, err := c.store.Before(ctx, site.ID, rec.Number)
			if errors.Is(err, record.ErrNotFound) {
				return gate.Verdict{}, record.Refuse("crawl %d is the first of this site, so nothing can be new; crawl again, or leave the condition out", rec.Number)
			}
			if err != nil {
				return gate.Verdict{}, err
			}
			against = &before
		}
		var sides [2]*fixlist.Sheet
		for i, side := range []record.Crawl{*against, rec} {
			if sides[i], _, err = c.judge.SheetBy(ctx, side, rec); err != nil {
				return gate.Verdict{}, err
			}
		}
		new = newFindings(sides[0], sides[1], w)
	}
	report := sheet.Build(w.Adjustment())
	listed := map[string]bool{}
	for i := range report.Fixes {
		listed[report.Fixes[i].ID] = true
	}
	apart := map[string]bool{}
	for id := range new.Fixes {
		apart[id] = !listed[id]
	}
	report.Fixes = append(report.Fixes, sheet.Lines(w.Adjustment(), apart)...)
	return gate.Judge(asked, report, new), nil
}

// newFindings counts the pages that fail a check now for a reason for which they did not before, by
// check; without what is waived.
func newFindings(old, now *fixlist.Sheet, w *decide.Weights) gate.New {
	type reason struct{ check, address, cause string }
	had := map[reason]bool{}
	old.EachFinding(func(f fixlist.Found) { had[reason{f.Check, f.Address, f.Cause}] = true })
	out := gate.New{Pages: map[check.Severity]int{}, Fixes: map[string]bool{}}
	counted := map[reason]bool{}
	now.EachFinding(func(f fixlist.Found) {
		if had[reason{f.Check, f.Address, f.Cause}] || w.Set.Covers(f.Check, f.Address, f.Layout, f.Fix) {
			return
		}
		if f.Kind == fixlist.Pages && f.Cause != "" { // a line for many: name the one
			out.Fixes[f.Cause] = true
		} else {
			out.Fixes[f.Fix] = true
		}
		if page := (reason{check: f.Check, address: f.Address}); !counted[page] {
			counted[page] = true
			out.Pages[f.Severity]++
		}
	})
	return out
}

// Standing tells of the findings of a crawl which are waived and why, and, if a crawl to compare with is
// given, which of them that one had. Both take a check and an address.
func (c *Comparisons) Standing(
	ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl,
) (waived func(check, address string) (string, bool), failed func(check, address string) bool, err error) {
	w, err := c.decisions.Decided(ctx, site)
	if err != nil {
		return nil, nil, err
	}
	if w.Set.Size() > 0 {
		sheet, err := c.store.Sheet(ctx, rec.ID, "")
		if err != nil && !errors.Is(err, record.ErrNotFound) {
			return nil, nil, err
		}
		why := map[int64]string{}
		for _, one := range w.All {
			why[one.ID] = one.Reason
		}
		reasons := map[[2]string]string{}
		if sheet != nil {
			sheet.EachFinding(func(f fixlist.Found) {
				w.Set.Covering(f.Check, f.Address, f.Layout, f.Fix,
					func(id int64) { reasons[[2]string{f.Check, f.Address}] = why[id] })
			})
		}
		waived = func(check, address string) (string, bool) {
			reason, ok := reasons[[2]string{check, address}]
			return reason, ok
		}
	}
	if against != nil {
		old, _, err := c.judge.SheetBy(ctx, *against, rec)
		if err != nil {
			return nil, nil, err
		}
		failing := old.Failing()
		failed = func(check, address string) bool { return failing[address][check] }
	}
	return waived, failed, nil
}
