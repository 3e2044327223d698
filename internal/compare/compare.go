// Package compare sets crawls of a site side by side: what changed, how it went, and whether it passes.
package compare

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
	"harvik/internal/decide"
	"harvik/internal/judging"
	"harvik/internal/record"
)

// Store is what of crawls is compared.
type Store interface {
	Before(ctx context.Context, site int64, number int) (record.Crawl, error)
	FinishedCrawls(ctx context.Context, site int64, limit int) ([]record.Crawl, error)
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	DriftPages(ctx context.Context, crawl int64) (map[string]drift.Page, map[string]string, error)
	DriftFiles(ctx context.Context, crawl int64) ([]drift.File, error)
	Texts(ctx context.Context, crawl int64, addresses []string) (map[string]string, error)
	URLs(ctx context.Context, crawl int64) ([]string, error)
	EachRendering(ctx context.Context, crawl int64, pages []int32, f func(id int32, on []rendered.Page) error) error
	PageLayouts(ctx context.Context, crawl int64) (map[int32]int32, error)
	WasConfirmed(ctx context.Context, site int64, before time.Time) (map[string]bool, error)
}

// Judge judges a crawl by the rules of another.
type Judge interface {
	Version() int
	RulesToday(rec record.Crawl) string
	SheetBy(ctx context.Context, rec, rules record.Crawl) (sheet *fixlist.Sheet, note string, err error)
}

// Decisions are what is decided about a site.
type Decisions interface {
	Decided(ctx context.Context, site record.Site) (*decide.Weights, error)
	Weights(ctx context.Context, site record.Site) (*decide.Weights, error)
}

// Comparisons are safe for use from several goroutines.
type Comparisons struct {
	store     Store
	judge     Judge
	decisions Decisions
}

// New makes comparisons.
func New(s Store, j Judge, d Decisions) *Comparisons { return &Comparisons{s, j, d} }

// Drift sets two finished crawls of a site side by side, both by the rules of the newer one.
func (c *Comparisons) Drift(
	ctx context.Context, site record.Site, before, after record.Crawl,
) (*drift.Comparison, error) {
	w, err := c.decisions.Weights(ctx, site)
	if err != nil {
		return nil, err
	}
	var notes []string
	sides := [2]drift.Side{}
	for i, rec := range []record.Crawl{before, after} {
		var note string
		if sides[i], note, err = c.side(ctx, w, rec, after); err != nil {
			return nil, err
		}
		if note != "" {
			notes = append(notes, note)
		}
		switch now := w.Adjustment(); rec.Weighed {
		case w.Signature:
			sides[i].Then = &now
		case "":
			sides[i].Then = new(fixlist.Adjustment)
		}
		if sides[i].Files, err = c.store.DriftFiles(ctx, rec.ID); err != nil {
			return nil, err
		}
	}
	if judging.RulesOf(before) != c.judge.RulesToday(after) {
		judged, err := c.store.Sheet(ctx, before.ID, "")
		if err == nil {
			sides[0].Judged = judged
		} else if !errors.Is(err, record.ErrNotFound) {
			return nil, err
		}
	}
	once, err := c.store.WasConfirmed(ctx, site.ID, after.Started)
	if err != nil {
		return nil, err
	}
	out := drift.Compare(sides[0], sides[1], func(fix string) bool { return once[fix] })
	out.Notes = append(append(out.Notes, notes...), c.differences(before, after)...)
	return out, c.quoteTexts(ctx, before, after, out.Changes)
}

// side is a crawl by the rules of another, to be compared; without its files. The note says why it is by
// its own rules, if it is.
func (c *Comparisons) side(
	ctx context.Context, w *decide.Weights, rec, rules record.Crawl,
) (s drift.Side, note string, err error) {
	if rec.State != "finished" || rec.Report == nil {
		return s, "", record.Refuse("crawl %d is %s; only finished ones can be compared", rec.Number, rec.State)
	}
	s.Health, s.Adjust, s.Complete = rec.Report.Health, w.Adjustment(), rec.Ending == "complete"
	if s.Sheet, note, err = c.judge.SheetBy(ctx, rec, rules); err != nil {
		return s, "", err
	}
	s.Pages, s.Known, err = c.store.DriftPages(ctx, rec.ID)
	return s, note, err
}

// Bounds of what is quoted where main texts changed: how many pages, and how many characters of each.
const (
	mostQuoted = 200
	quotedSize = 160
)

// quoteTexts puts the first passage that went and the first that came in the place of texts.
func (c *Comparisons) quoteTexts(ctx context.Context, before, after record.Crawl, changes []drift.Change) error {
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
	old, err := c.store.Texts(ctx, before.ID, addresses)
	if err != nil {
		return err
	}
	now, err := c.store.Texts(ctx, after.ID, addresses)
	if err != nil {
		return err
	}
	for _, one := range at {
		one.Before, one.After = text.FirstDifference(old[one.Address], now[one.Address], quotedSize)
	}
	return nil
}

// differences says in what two crawls could see different things.
func (c *Comparisons) differences(before, after record.Crawl) (out []string) {
	p, q := before.Plan.WithDefaults(), after.Plan.WithDefaults()
	for _, d := range []struct {
		what string
		a, b any
	}{
		{"the limit of pages", p.Pages, q.Pages}, {"the limit of depth", p.Depth, q.Depth}, {"scope", p.Scope, q.Scope},
		{"sources", p.Sources, q.Sources}, {"the robots policy", p.Robots, q.Robots},
		{"the agent", p.UserAgent(), q.UserAgent()},
		{"the selection", p.Selection, q.Selection}, {"resources", p.Resources, q.Resources},
		{"outbound links", p.Outbound, q.Outbound},
		{"the language asked for", p.Language, q.Language},
	} {
		a, _ := json.Marshal(d.a)
		b, _ := json.Marshal(d.b)
		if string(a) != string(b) {
			out = append(out, fmt.Sprintf("the crawls differ in %s: %s, then %s", d.what, a, b))
		}
	}
	for _, rec := range []record.Crawl{before, after} {
		if rec.Catalogue != c.judge.Version() {
			out = append(out, fmt.Sprintf("crawl %d was judged by an earlier Harvik, and is compared by the checks of today; `harvik judge %s@%d` shows it by them everywhere", rec.Number, rec.Site, rec.Number))
		}
		if rec.Ending != "complete" {
			out = append(out, fmt.Sprintf("crawl %d did not see the whole site (%s); pages that one crawl could not see are told apart and not compared, but findings that rest on other pages, such as dead links and duplicates, can go for that reason alone", rec.Number, rec.Ending))
		}
	}
	return out
}
