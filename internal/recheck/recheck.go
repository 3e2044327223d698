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
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	LoadSurvey(ctx context.Context, rec record.Crawl) (*booking.Stored, error)
	FixPages(ctx context.Context, crawl int64, f fixlist.Fix, after string, limit int) ([]record.PageFinding, error)
	Task(ctx context.Context, site int64, fix string) (record.Task, error)
	AddRecheck(ctx context.Context, crawl int64, r record.Recheck) (number int, err error)
	SaveRecheck(ctx context.Context, crawl int64, r *record.Recheck) error
	Rechecks(ctx context.Context, crawl int64) ([]record.Recheck, error)
}

// Decisions are what is decided about a site.
type Decisions interface {
	Weights(ctx context.Context, site record.Site) (*decide.Weights, error)
}

// Work is the list that a recheck changes.
type Work interface {
	NoteAll(ctx context.Context, site int64, who string, changes []record.Change) error
}

// Rechecks are safe for use from several goroutines. Shut them down after use.
type Rechecks struct {
	store     Store
	catalogue *check.Catalogue
	gear      *gear.Gear
	decisions Decisions
	work      Work
	room      func() error // whether there is space to keep more
	log       *slog.Logger

	ctx    context.Context //nolint:containedctx // of all rechecks, which outlive the requests for them
	cancel context.CancelFunc
	group  sync.WaitGroup

	mu      sync.Mutex
	running map[[2]int64]*recheck // by crawl and number
	begun   int                   // with those whose number is not known yet
	closed  bool
}

// New makes rechecks.
func New(s Store, c *check.Catalogue, g *gear.Gear, d Decisions, w Work, room func() error,
	log *slog.Logger) *Rechecks {
	ctx, cancel := context.WithCancel(context.Background())
	return &Rechecks{store: s, catalogue: c, gear: g, decisions: d, work: w, room: room, log: log, ctx: ctx,
		cancel: cancel, running: map[[2]int64]*recheck{}}
}

// Shutdown ends the rechecks that run, which say so; where ctx ends first they are cut off.
func (r *Rechecks) Shutdown(ctx context.Context) {
	r.mu.Lock()
	r.closed = true
	for _, one := range r.running {
		one.mu.Lock()
		if one.now != nil {
			one.now.Pause()
		}
		one.mu.Unlock()
	}
	r.mu.Unlock()
	gear.End(ctx, &r.group, r.cancel)
}

// A cause of one template is looked at on a sample: the layout's example and others, evenly over its
// pages. Where the sample disagrees, all pages are.
const sampleSize = 12

// mostRechecked bounds the pages of one recheck: beyond it, a crawl is the better tool.
const mostRechecked = 5000

// mostRechecks is how many rechecks run at once: each holds a fix list and asks the site.
const mostRechecks = 8

// recheck is one that runs.
type recheck struct {
	mu  sync.Mutex
	rec record.Recheck
	now *crawl.Crawl
}

// Recheck looks again at what some fixes of a site's newest crawl concern. It returns at once.
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
	w, err := r.decisions.Weights(ctx, site)
	if err != nil {
		return record.Recheck{}, err
	}
	sheet, err := r.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, record.ErrNotFound) {
		return record.Recheck{}, record.Refuse("crawl %d was made by an earlier Harvik; crawl again first", rec.Number)
	}
	if err != nil {
		return record.Recheck{}, err
	}
	l := &looking{
		of:     r,
		checks: judging.Catalogue(r.catalogue, rec.Plan, r.log),
		site:   site,
		crawl:  rec,
		sheet:  sheet,
		adjust: w.Adjustment(),
		report: sheet.Build(w.Adjustment()),
	}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(fixes))) {
		f := named(l.report.Fixes, id)
		if f == nil {
			return record.Recheck{}, record.Mistaken("the newest fix list has no fix %s; `harvik fixes %s` shows them",
				id, site.Name)
		}
		l.fixes = append(l.fixes, f)
	}
	if len(l.fixes) == 0 {
		return record.Recheck{}, record.Mistaken("a recheck needs at least one fix")
	}
	one := &recheck{rec: record.Recheck{
		Crawl: rec.Number, State: "running", By: by, Started: time.Now(), Health: l.report.Health,
		After:   l.report.Health,
		Results: []record.RecheckResult{}, Pages: []record.RecheckedPage{},
	}}
	return r.begin(ctx, one, l)
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

// begin gives a recheck its number and runs it. Its place is taken before, so that none of it waits for the database
// with the others locked out.
func (r *Rechecks) begin(ctx context.Context, one *recheck, l *looking) (record.Recheck, error) {
	if err := r.take(); err != nil {
		return record.Recheck{}, err
	}
	number, err := r.store.AddRecheck(ctx, l.crawl.ID, one.rec)
	if err != nil {
		r.leave()
		return record.Recheck{}, err
	}
	one.rec.Number = number
	started := one.rec
	key := [2]int64{l.crawl.ID, int64(number)}
	l.show = one
	r.mu.Lock()
	r.running[key] = one
	r.mu.Unlock()
	go func() {
		defer r.leave()
		defer func() {
			r.mu.Lock()
			delete(r.running, key)
			r.mu.Unlock()
		}()
		r.run(one, l)
	}()
	return started, nil
}

// take takes one of the places for rechecks; leave gives it back.
func (r *Rechecks) take() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return record.ErrEnding
	}
	if r.begun >= mostRechecks {
		return record.Refuse("%d rechecks are running, and that is as many as may; wait for one of them to end",
			mostRechecks)
	}
	r.begun++
	r.group.Add(1)
	return nil
}

func (r *Rechecks) leave() {
	r.mu.Lock()
	r.begun--
	r.mu.Unlock()
	r.group.Done()
}

// run looks, and stores what came of it.
func (r *Rechecks) run(one *recheck, l *looking) {
	err := mishap.Catch(func() error { return l.run(r.ctx) })
	one.mu.Lock()
	defer one.mu.Unlock()
	one.rec.Seconds, one.rec.State, one.rec.Phase = time.Since(one.rec.Started).Seconds(), "done", ""
	if err != nil {
		gear.Tell(r.log.With("site", l.site.Name, "recheck", one.rec.Number), "recheck failed", err)
		one.rec.State, one.rec.Detail = "failed", err.Error()
	}
	saving, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
	defer cancel()
	if err := r.store.SaveRecheck(saving, l.crawl.ID, &one.rec); err != nil {
		r.log.Error("recheck could not be stored", "reason", err.Error())
	}
}

// RecheckOf is a recheck of a crawl as it stands.
func (r *Rechecks) RecheckOf(ctx context.Context, crawlID int64, number int) (record.Recheck, error) {
	r.mu.Lock()
	one := r.running[[2]int64{crawlID, int64(number)}]
	r.mu.Unlock()
	if one != nil {
		one.mu.Lock()
		defer one.mu.Unlock()
		out := one.rec
		if one.now != nil {
			p := one.now.Progress()
			out.Phase, out.Fetched = p.Phase, p.Fetched
		}
		out.Seconds = time.Since(out.Started).Seconds()
		return out, nil
	}
	all, err := r.store.Rechecks(ctx, crawlID)
	if err != nil {
		return record.Recheck{}, err
	}
	i := slices.IndexFunc(all, func(x record.Recheck) bool { return x.Number == number })
	if i < 0 {
		return record.Recheck{}, record.ErrNotFound
	}
	return all[i], nil
}
