// Package house puts the rooms of a service together.
package house

import (
	"context"
	"errors"
	"log/slog"
	"sync"

	"harvik/internal/compare"
	"harvik/internal/core/check"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/jobs"
	"harvik/internal/judging"
	"harvik/internal/look"
	"harvik/internal/preview"
	"harvik/internal/recheck"
	"harvik/internal/render"
	"harvik/internal/store"
	"harvik/internal/upkeep"
	"harvik/internal/worklist"
)

// A House is the rooms, each knowing of the others what it declares itself. Shut it down after use.
type House struct {
	*decide.Decisions
	*worklist.List
	*compare.Comparisons
	*recheck.Rechecks
	*look.Looks
	*preview.Previews
	*jobs.Runner

	gear      *gear.Gear
	browser   *render.Pool // nil for none
	attending context.CancelFunc
	attended  sync.WaitGroup
	sources   *upkeep.Chore // packing of kept source, and its end
	ahead     *upkeep.Chore // judging of older crawls by the rules of the newest
}

// New puts a house together, which closes the browser when it is shut down. The seat names where it stands, also for
// the one that comes after it.
func New(s *store.Store, c *check.Catalogue, v gear.Unsealer, disk jobs.Disk, browser *render.Pool,
	seat string, log *slog.Logger) *House {
	h := &House{gear: gear.New(s, v, log), browser: browser}
	if browser != nil {
		h.gear.Browser = browser
	}
	room := func() error { return h.Room() }
	h.Decisions = decide.New(s, c, room, log)
	h.List = worklist.New(s)
	judge := judging.New(s, c, log)
	h.ahead = judge.Ahead
	h.sources = upkeep.New("the source of crawls could not be packed or let go", func(ctx context.Context) error {
		return errors.Join(s.PackSources(ctx), s.DropSources(ctx))
	}, log)
	h.Comparisons = compare.New(s, judge, h.Decisions)
	h.Rechecks = recheck.New(s, c, h.gear, h.Decisions, h.List, room, log)
	h.Looks = look.New(s, c, h.gear)
	h.Previews = preview.New(h.gear)
	h.Runner = jobs.New(jobs.Parts{Store: s, Gear: h.gear, Decisions: h.Decisions, Work: h.List, Judge: judge,
		Changed: h.changed, Disk: disk, Seat: seat, Log: log})
	var ctx context.Context
	ctx, h.attending = context.WithCancel(context.Background())
	h.attended.Go(func() { h.Weighing.Attend(ctx) })
	h.attended.Go(func() { h.ahead.Attend(ctx) })
	h.attended.Go(func() { h.sources.Attend(ctx) })
	h.attended.Go(func() { s.Hear(ctx, h.changed) })
	return h
}

// A Worker takes crawls from the queue beside a service. Shut it down after use.
type Worker struct {
	*jobs.Runner
	gear    *gear.Gear
	browser *render.Pool
}

// NewWorker puts a worker together, which closes the browser when it is shut down. What hangs on a crawl that it has
// ended is left to the service.
func NewWorker(
	s *store.Store,
	c *check.Catalogue,
	v gear.Unsealer,
	browser *render.Pool,
	log *slog.Logger,
) *Worker {
	w := &Worker{gear: gear.New(s, v, log), browser: browser}
	w.gear.Browser = browser
	enough := func() error { return nil }
	w.Runner = jobs.New(
		jobs.Parts{Store: s, Gear: w.gear, Decisions: decide.New(s, c, enough, log), Work: worklist.New(s),
			Judge: judging.New(s, c, log), Changed: func() { s.Tell(context.Background()) }, Log: log},
	)
	return w
}

// Shutdown gives crawls back, to go on elsewhere.
func (w *Worker) Shutdown(ctx context.Context) {
	w.Runner.Shutdown(ctx)
	w.gear.Close()
	w.browser.Close()
}

// changed has the rooms look after what hangs on which crawl of a site is its newest.
func (h *House) changed() {
	h.Weighing.Soon()
	h.ahead.Soon()
	h.sources.Soon()
}

// Shutdown puts all crawls away, to go on when the service starts again, and ends rechecks. Where ctx ends first it
// cuts them off, which loses nothing but time.
func (h *House) Shutdown(ctx context.Context) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		h.Rechecks.Shutdown(ctx)
	}()
	h.Runner.Shutdown(ctx)
	<-done
	h.attending()
	h.attended.Wait()
	h.gear.Close()
	if h.browser != nil {
		h.browser.Close()
	}
}
