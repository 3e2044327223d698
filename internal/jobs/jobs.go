// Package jobs runs crawls inside the service: it owns their goroutines, knows their
// progress, and ends them when the service ends.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/record"
	"harvik/internal/store"
)

// ErrRunning is the answer to starting a crawl of a site that has one running.
var ErrRunning = errors.New("a crawl of this site is running")

// A Runner is safe for use from several goroutines.
type Runner struct {
	store *store.Store
	guard fetch.Guard
	log   *slog.Logger

	ctx    context.Context
	cancel context.CancelFunc
	group  sync.WaitGroup

	mu     sync.Mutex
	live   map[int64]*run // by crawl
	bySite map[int64]int64
	closed bool
}

type run struct {
	crawl *crawl.Crawl
	ended chan struct{}
}

// New makes a runner. Shut it down after use.
func New(s *store.Store, guard fetch.Guard, log *slog.Logger) *Runner {
	ctx, cancel := context.WithCancel(context.Background())
	return &Runner{
		store: s, guard: guard, log: log, ctx: ctx, cancel: cancel,
		live: map[int64]*run{}, bySite: map[int64]int64{},
	}
}

// Start begins a crawl of a site by a plan and returns its record at once.
func (r *Runner) Start(ctx context.Context, site record.Site, p plan.Plan) (record.Crawl, error) {
	start, err := weburl.Parse(site.Home)
	if err != nil {
		return record.Crawl{}, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return record.Crawl{}, errors.New("the service is ending")
	}
	if _, running := r.bySite[site.ID]; running {
		return record.Crawl{}, ErrRunning
	}
	rec, err := r.store.StartCrawl(ctx, site, p, checks.Version)
	if err != nil {
		return record.Crawl{}, err
	}
	view := new(addresses)
	log := r.log.With("site", site.Name, "crawl", rec.Number)
	c := crawl.New(crawl.Config{
		Plan: p, Start: start, Guard: r.guard, Log: log,
		Runner: &check.Runner{
			Checks: checks.Catalog, Limits: check.NewLimits(p.Limits),
			Panicked: func(c *check.Check, address string, v any) {
				log.Error("check panicked", "check", c.ID, "address", address, "value", fmt.Sprint(v))
			},
		},
		Sink: r.store.Sink(rec.ID), Source: r.store.Source(r.ctx, rec.ID, view.url),
	})
	view.of = c
	one := &run{c, make(chan struct{})}
	r.live[rec.ID], r.bySite[site.ID] = one, rec.ID
	r.group.Go(func() { r.run(rec, one, log) })
	return rec, nil
}

// addresses lets the source name addresses once the crawl, which is made after it, has them.
type addresses struct{ of *crawl.Crawl }

func (a *addresses) url(id int32) string { return a.of.URL(id) }

func (r *Runner) run(rec record.Crawl, one *run, log *slog.Logger) {
	defer close(one.ended)
	log.Info("crawl started", "home", rec.Home)
	result, err := one.crawl.Run(r.ctx)
	progress := one.crawl.Progress()
	if err == nil {
		err = r.store.Sink(rec.ID).SaveResult(r.ctx, result, progress)
	}
	r.mu.Lock()
	delete(r.live, rec.ID)
	delete(r.bySite, rec.SiteID)
	r.mu.Unlock()
	if err == nil {
		log.Info("crawl finished", "ending", string(result.Ending), "fetched", progress.Fetched,
			"seconds", int(progress.Seconds), "fixes", len(result.Report.Fixes))
		return
	}
	log.Error("crawl failed", "reason", err.Error())
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
	defer cancel()
	if err := r.store.FailCrawl(ctx, rec.ID, err.Error()); err != nil {
		log.Error("crawl could not be marked as failed", "reason", err.Error())
	}
}

// Stop ends a running crawl early; what it has is kept and judged. It tells whether the
// crawl was running.
func (r *Runner) Stop(id int64) bool {
	one := r.find(id)
	if one == nil {
		return false
	}
	one.crawl.Stop()
	return true
}

func (r *Runner) find(id int64) *run {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.live[id]
}

// Progress is that of a running crawl. Ended is closed when it has been stored.
func (r *Runner) Progress(id int64) (p record.Progress, ended <-chan struct{}, running bool) {
	one := r.find(id)
	if one == nil {
		return p, nil, false
	}
	return one.crawl.Progress(), one.ended, true
}

// Shutdown stops all crawls, waits until they have been judged and stored, and where ctx
// ends first cuts them off.
func (r *Runner) Shutdown(ctx context.Context) {
	r.mu.Lock()
	r.closed = true
	for _, one := range r.live {
		one.crawl.Stop()
	}
	r.mu.Unlock()
	ended := make(chan struct{})
	go func() {
		r.group.Wait()
		close(ended)
	}()
	select {
	case <-ended:
	case <-ctx.Done():
		r.cancel()
		<-ended
	}
	r.cancel()
}
