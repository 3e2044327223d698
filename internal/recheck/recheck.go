// Package recheck looks again at what fixes concern, after a crawl. The crawl stays as it was.
package recheck

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/mishap"
	"harvik/internal/crawl"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/record"
)

// Store is what of crawls is read, and where rechecks are kept.
type Store interface {
	Crawl(ctx context.Context, site string, number int) (record.Crawl, error)
	CrawlOf(ctx context.Context, id int64) (record.Crawl, error)
	Site(ctx context.Context, name string) (record.Site, error)
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	LoadSurvey(ctx context.Context, rec record.Crawl) (*booking.Stored, error)
	FixPages(ctx context.Context, crawl int64, f fixlist.Fix, after string, limit int) ([]record.PageFinding, error)
	Task(ctx context.Context, site int64, fix string) (record.Task, error)
	AddRecheck(ctx context.Context, crawl int64, r record.Recheck) (number int, err error)
	TakeRecheck(ctx context.Context, crawl int64, number, try int) (record.Recheck, error)
	SaveRecheck(ctx context.Context, crawl int64, r *record.Recheck, try int) error
	Trouble(err error) record.Trouble
}

// Decisions are what is decided about a site.
type Decisions interface {
	Weights(ctx context.Context, site record.Site) (*decide.Weights, error)
}

// Work is the list that a recheck changes.
type Work interface {
	NoteAll(ctx context.Context, site int64, who string, changes []record.Change) error
}

// Rechecks are asked for in one process, and done in any. They are safe for use from several goroutines.
type Rechecks struct {
	store     Store
	catalogue *check.Catalogue
	gear      *gear.Gear
	decisions Decisions
	work      Work
	room      func() error // whether there is space to keep more
	log       *slog.Logger
}

// New makes rechecks.
func New(s Store, c *check.Catalogue, g *gear.Gear, d Decisions, w Work, room func() error,
	log *slog.Logger) *Rechecks {
	return &Rechecks{store: s, catalogue: c, gear: g, decisions: d, work: w, room: room, log: log}
}

// A cause of one template is looked at on a sample: the layout's example and others, evenly over its
// pages. Where the sample disagrees, all pages are.
const sampleSize = 12

// mostRechecked bounds the pages of one recheck: beyond it, a crawl is the better tool.
const mostRechecked = 5000

// recheck is one that runs.
type recheck struct {
	mu  sync.Mutex
	rec record.Recheck
	now *crawl.Crawl
}

// Recheck looks again at what some fixes of a site's newest crawl concern. It returns at once: the queue has it then.
func (r *Rechecks) Recheck(ctx context.Context, site record.Site, fixes []string, by string) (record.Recheck, error) {
	if err := r.room(); err != nil {
		return record.Recheck{}, err
	}
	rec, err := r.store.Crawl(ctx, site.Name, 0)
	if errors.Is(err, record.ErrNotFound) {
		return record.Recheck{}, record.Refuse("the site has no finished crawl, so there is nothing to look at again")
	}
	if err != nil {
		return record.Recheck{}, err
	}
	fixes = slices.Compact(slices.Sorted(slices.Values(fixes)))
	if len(fixes) == 0 {
		return record.Recheck{}, record.Mistaken("a recheck needs at least one fix")
	}
	l, err := r.looking(ctx, site, rec, fixes)
	if err != nil {
		return record.Recheck{}, err
	}
	one := record.Recheck{
		Crawl: rec.Number, State: "running", By: by, Fixes: fixes, Started: time.Now(), Health: l.report.Health,
		After: l.report.Health, Results: []record.RecheckResult{}, Pages: []record.RecheckedPage{},
	}
	one.Number, err = r.store.AddRecheck(ctx, rec.ID, one)
	return one, err
}

// looking prepares to look again at fixes of a crawl.
func (r *Rechecks) looking(ctx context.Context, site record.Site, rec record.Crawl, fixes []string) (*looking, error) {
	w, err := r.decisions.Weights(ctx, site)
	if err != nil {
		return nil, err
	}
	sheet, err := r.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, record.ErrNotFound) {
		return nil, record.Refuse("crawl %d was made by an earlier Harvik; crawl again first", rec.Number)
	}
	if err != nil {
		return nil, err
	}
	l := &looking{
		of: r, checks: judging.Catalogue(r.catalogue, rec.Plan, r.log), site: site, crawl: rec, sheet: sheet,
		adjust: w.Adjustment(), report: sheet.Build(w.Adjustment()),
	}
	for _, id := range fixes {
		f := named(l.report.Fixes, id)
		if f == nil {
			return nil, record.Mistaken("the newest fix list has no fix %s; `harvik fixes %s` shows them", id, site.Name)
		}
		l.fixes = append(l.fixes, f)
	}
	return l, nil
}

// named is the line of an ID, or the entry of one, nil if there is none.
func named(lines []fixlist.Fix, id string) *fixlist.Fix {
	for i := range lines {
		if lines[i].ID == id {
			return &lines[i]
		}
	}
	for i := range lines {
		if one, ok := lines[i].Entry(id); ok {
			return &one
		}
	}
	return nil
}

// saveEvery is how often it is kept how far a recheck is.
const saveEvery = 500 * time.Millisecond

// Do does a recheck of a crawl that waits, for one of its tries, and keeps what came of it. What is broken off because
// the process ends, or the database is away, is to be tried again.
func (r *Rechecks) Do(ctx context.Context, crawlID int64, number, try int) error {
	rec, err := r.store.TakeRecheck(ctx, crawlID, number, try)
	if errors.Is(err, record.ErrLost) {
		return nil // it has ended, or somebody else is at it
	}
	if err != nil {
		return err
	}
	one := &recheck{rec: rec}
	saving, still := context.WithCancel(ctx)
	saved := make(chan struct{})
	go func() {
		defer close(saved)
		r.tell(saving, crawlID, one, try)
	}()
	err = mishap.Catch(func() error { return r.look(ctx, crawlID, one) })
	still()
	<-saved
	if err != nil && (r.store.Trouble(err) == record.Away || errors.Is(context.Cause(ctx), record.ErrEnding)) {
		return err
	}
	one.mu.Lock()
	defer one.mu.Unlock()
	one.rec.Seconds, one.rec.State, one.rec.Phase = time.Since(one.rec.Started).Seconds(), "done", ""
	if err != nil {
		gear.Tell(r.log.With("crawl", crawlID, "recheck", number), "recheck failed", err)
		one.rec.State, one.rec.Detail = "failed", err.Error()
	}
	if ctx.Err() != nil {
		one.rec.Detail = "it was broken off"
	}
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	if err = r.store.SaveRecheck(ending, crawlID, &one.rec, try); errors.Is(err, record.ErrLost) {
		return nil
	}
	return err
}

// look looks again.
func (r *Rechecks) look(ctx context.Context, crawlID int64, one *recheck) error {
	rec, err := r.store.CrawlOf(ctx, crawlID)
	if err != nil {
		return err
	}
	site, err := r.store.Site(ctx, rec.Site)
	if err != nil {
		return err
	}
	l, err := r.looking(ctx, site, rec, one.rec.Fixes)
	if err != nil {
		return err
	}
	l.show = one
	return l.run(ctx)
}

// tell keeps how far a recheck is, until ctx ends.
func (r *Rechecks) tell(ctx context.Context, crawlID int64, one *recheck, try int) {
	tick := time.NewTicker(saveEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		one.mu.Lock()
		out := one.rec
		if one.now != nil {
			p := one.now.Progress()
			out.Phase, out.Fetched = p.Phase, p.Fetched
		}
		one.mu.Unlock()
		out.Seconds = time.Since(out.Started).Seconds()
		_ = r.store.SaveRecheck(ctx, crawlID, &out, try) // the end is kept anyway
	}
}
