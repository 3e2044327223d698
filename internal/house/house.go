// Package house puts the rooms of a service together.
package house

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"harvik/internal/alerts"
	"harvik/internal/compare"
	"harvik/internal/core/check"
	"harvik/internal/core/own"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/jobs"
	"harvik/internal/judging"
	"harvik/internal/look"
	"harvik/internal/messages"
	"harvik/internal/meter"
	"harvik/internal/preview"
	"harvik/internal/recheck"
	"harvik/internal/record"
	"harvik/internal/render"
	"harvik/internal/schedules"
	"harvik/internal/store"
	"harvik/internal/watching"
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
	*schedules.Schedules
	*watching.Watching
	*alerts.Alerts
	*jobs.Runner

	gear    *gear.Gear
	post    *messages.Messages
	browser *render.Pool // nil for none
}

// New puts a house together, which closes the browser when it is shut down. The seat names where it stands, also for
// the one that comes after it.
func New(s *store.Store, c *check.Catalogue, v gear.Unsealer, disk jobs.Disk, browser *render.Pool,
	seat string, m *meter.Meter, log *slog.Logger) *House {
	h := &House{gear: gear.New(s, v, log), post: messages.New(s, v, time.Now), browser: browser}
	h.gear.Meter = m
	if browser != nil {
		h.gear.Browser = browser
	}
	room := func() error { return h.Room() }
	h.Decisions = decide.New(s, c, room)
	h.List = worklist.New(s)
	judge := judging.New(s, c, log)
	h.Comparisons = compare.New(s, judge, h.Decisions)
	h.Rechecks = recheck.New(s, c, h.gear, h.Decisions, h.List, room, log)
	h.Looks = look.New(s, c, h.gear)
	h.Previews = preview.New(h.gear)
	all := chores(s, h.Decisions, judge, h.Rechecks)
	h.Runner = jobs.New(jobs.Parts{Store: s, Gear: h.gear, Decisions: h.Decisions, Work: h.List, Judge: judge,
		Chores: all, Disk: disk, Seat: seat, Meter: m, Log: log})
	h.Schedules, h.Watching = timed(s, c, h.gear, h.Runner, all, log)
	h.Alerts = telling(s, c, h.Comparisons, v, all)
	return h
}

// Invite sends somebody the link by which they are let in.
func (h *House) Invite(ctx context.Context, to, name, link string, until time.Time) error {
	return h.post.Invite(ctx, to, name, link, until)
}

// Print makes a PDF of a page, on paper that render.Papers names.
func (h *House) Print(ctx context.Context, page []byte, paper string) ([]byte, error) {
	if h.browser == nil {
		return nil, render.ErrNoPrint
	}
	return h.browser.Print(ctx, page, render.Papers[paper])
}

// timed puts what begins by the clock together, and adds it to the chores.
func timed(
	s *store.Store,
	c *check.Catalogue,
	g *gear.Gear,
	r *jobs.Runner,
	all map[string]jobs.Chore,
	log *slog.Logger,
) (*schedules.Schedules, *watching.Watching) {
	begins, looks := schedules.New(s, r, own.Known(c), time.Now, log), watching.New(s, g, time.Now, log)
	all[record.ToBegin] = func(ctx context.Context, _ record.Todo, _ int) error { return begins.Begin(ctx) }
	all[record.ToWatch] = func(ctx context.Context, _ record.Todo, _ int) error { return looks.Round(ctx) }
	all[record.ToFront] = func(ctx context.Context, _ record.Todo, _ int) error { return looks.Fronts(ctx) }
	return begins, looks
}

// telling puts together what tells somebody, and adds it to the chores.
func telling(s *store.Store, c *check.Catalogue, r *compare.Comparisons, v gear.Unsealer, all map[string]jobs.Chore,
) *alerts.Alerts {
	known := own.Known(c)
	out := alerts.New(s, r, c.Groups, known.Check, time.Now)
	sends := messages.New(s, v, time.Now)
	all[record.ToNews] = func(ctx context.Context, t record.Todo, _ int) error { return out.News(ctx, t.Crawl) }
	all[record.ToTell] = func(ctx context.Context, _ record.Todo, _ int) error { return out.Tell(ctx) }
	all[record.ToSend] = func(ctx context.Context, t record.Todo, try int) error {
		return sends.Send(ctx, int64(t.Number), try)
	}
	return out
}

// chores are what waits in the queue beside crawls, and who does it.
func chores(s *store.Store, d *decide.Decisions, j *judging.Judge, r *recheck.Rechecks) map[string]jobs.Chore {
	return map[string]jobs.Chore{
		record.ToWeigh: func(ctx context.Context, t record.Todo, _ int) error {
			if t.Site == "" {
				return d.WeighDue(ctx)
			}
			return record.UnlessGone(d.Weigh(ctx, t.Site))
		},
		record.ToJudge: func(ctx context.Context, t record.Todo, _ int) error {
			if t.Site == "" {
				return j.Ahead(ctx)
			}
			site, err := s.Site(ctx, t.Site)
			if err == nil {
				err = j.AheadOf(ctx, site)
			}
			return record.UnlessGone(err)
		},
		record.ToPack: func(ctx context.Context, _ record.Todo, _ int) error {
			return errors.Join(s.PackSources(ctx), s.DropSources(ctx))
		},
		record.ToRecheck: func(ctx context.Context, t record.Todo, try int) error {
			return r.Do(ctx, t.Crawl, t.Number, try)
		},
	}
}

// A Worker takes work from the queue beside a service. Shut it down after use.
type Worker struct {
	*jobs.Runner
	gear     *gear.Gear
	watching *watching.Watching
	browser  *render.Pool
}

// NewWorker puts a worker together, which closes the browser when it is shut down.
func NewWorker(
	s *store.Store,
	c *check.Catalogue,
	v gear.Unsealer,
	browser *render.Pool,
	m *meter.Meter,
	log *slog.Logger,
) *Worker {
	w := &Worker{gear: gear.New(s, v, log), browser: browser}
	w.gear.Meter = m
	w.gear.Browser = browser
	enough := func() error { return nil }
	d, list, judge := decide.New(s, c, enough), worklist.New(s), judging.New(s, c, log)
	all := chores(s, d, judge, recheck.New(s, c, w.gear, d, list, enough, log))
	w.Runner = jobs.New(jobs.Parts{Store: s, Gear: w.gear, Decisions: d, Work: list, Judge: judge,
		Chores: all, Meter: m, Log: log})
	_, w.watching = timed(s, c, w.gear, w.Runner, all, log)
	telling(s, c, compare.New(s, judge, d), v, all)
	return w
}

// Shutdown gives crawls back, to go on elsewhere.
func (w *Worker) Shutdown(ctx context.Context) {
	w.Runner.Shutdown(ctx)
	w.watching.Close()
	w.gear.Close()
	w.browser.Close()
}

// Shutdown gives crawls and other work back, to go on elsewhere, or when the service starts again. Where ctx ends first
// it cuts them off, which loses nothing but time.
func (h *House) Shutdown(ctx context.Context) {
	h.Runner.Shutdown(ctx)
	h.Watching.Close()
	h.gear.Close()
	if h.browser != nil {
		h.browser.Close()
	}
}
