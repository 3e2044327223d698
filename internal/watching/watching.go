// Package watching looks at watched addresses when they are due, and daily at what each site shows besides its pages.
package watching

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/record"
)

// Store is where watches are kept.
type Store interface {
	Site(ctx context.Context, name string) (record.Site, error)
	Watches(ctx context.Context, site string) ([]record.Watched, error)
	PutWatch(ctx context.Context, site int64, w watch.Watch, due *time.Time) error
	TakeWatches(ctx context.Context, by time.Time, most int) ([]record.Watched, error)
	SaveRound(ctx context.Context, r record.Round) error
	Maintenances(ctx context.Context, site int64, at time.Time) ([]record.Maintenance, error)
	Course(ctx context.Context, watches []int64, from, until time.Time) (map[int64][]watch.Course, error)
	Phases(ctx context.Context, id int64, from, until time.Time) ([5]int, error)
	Outages(ctx context.Context, site string, watchID int64, since time.Time, most int) ([]record.Outage, error)
	TakeFronts(ctx context.Context, by time.Time, most int) ([]record.Front, error)
	Fronts(ctx context.Context, site string) ([]record.Front, error)
	SaveFront(ctx context.Context, site int64, now *watch.Front, changes []record.Noticed) error
	SumUp(ctx context.Context, now time.Time) error
}

// Watching is safe for use from several goroutines.
type Watching struct {
	store Store
	gear  *gear.Gear
	now   func() time.Time
	log   *slog.Logger
	// between a look that failed and the second try
	breath time.Duration

	mu      sync.Mutex
	clients map[string]*client // by site
	summed  time.Time          // the hour up to which looks were summed up
}

// client asks a site's hosts.
type client struct {
	*fetch.Client
	made time.Time
	by   [sha256.Size]byte // the plan and what is allowed, when it was made
}

// New makes it; now is the clock.
func New(s Store, g *gear.Gear, now func() time.Time, log *slog.Logger) *Watching {
	return &Watching{store: s, gear: g, now: now, log: log, breath: 3 * time.Second, clients: map[string]*client{}}
}

// Bounds of a round.
const (
	atOnce      = 100 // addresses that are looked at side by side
	atOneSite   = 10
	roundTime   = 50 * time.Second
	saveEvery   = 3 * time.Second
	longest     = 15 * time.Second // that a look waits for an answer, unless the plan says less
	mostARound  = 4000
	clientsLive = time.Hour
	standAtOnce = 8
	mostFront   = 64
)

// SetWatch keeps a watch of a site, in place of what had its name. The error is plan.Faults where it cannot be.
func (w *Watching) SetWatch(ctx context.Context, site record.Site, one watch.Watch) error {
	if err := one.Check(site.Home); err != nil {
		return err
	}
	var due *time.Time
	if !one.Paused {
		now := w.now()
		due = &now
	}
	return w.store.PutWatch(ctx, site.ID, one, due)
}

// Round looks at what is due.
func (w *Watching) Round(ctx context.Context) error {
	now := w.now()
	all, err := w.store.Maintenances(ctx, 0, now)
	if err != nil {
		return err
	}
	planned := record.Planned(all, now)
	left := mostARound
	for left > 0 {
		due, err := w.store.TakeWatches(ctx, now, min(left, 4*atOnce))
		if err != nil || len(due) == 0 {
			return errors.Join(err, w.sumUp(ctx, now))
		}
		left -= len(due)
		save := func(r record.Round) error { return w.store.SaveRound(ctx, r) }
		if err := w.lookAt(ctx, due, planned, save); err != nil {
			return err
		}
	}
	return nil
}

// sumUp sums looks up once an hour.
func (w *Watching) sumUp(ctx context.Context, now time.Time) error {
	hour := now.Truncate(time.Hour)
	w.mu.Lock()
	done := !w.summed.Before(hour)
	w.mu.Unlock()
	if done {
		return nil
	}
	if err := w.store.SumUp(ctx, now); err != nil {
		return err
	}
	w.mu.Lock()
	w.summed = hour
	w.mu.Unlock()
	return nil
}

// lookAt looks at addresses, many side by side, and hands on what that comes to as it comes. What has not begun when
// the time of a round is over is left out: the next one looks.
func (w *Watching) lookAt(ctx context.Context, due []record.Watched, planned map[int64]string,
	save func(record.Round) error) error {
	r := &round{free: make(chan struct{}, atOnce), sites: map[string]*host{}, until: time.Now().Add(roundTime)}
	for i := range due {
		if r.sites[due[i].Site] == nil {
			r.sites[due[i].Site] = &host{free: make(chan struct{}, atOneSite)}
		}
	}
	seen := make(chan func(*record.Round), len(due))
	var group sync.WaitGroup
	for i := range due {
		group.Go(func() {
			one := &due[i]
			if !r.begin(ctx, one.Site) {
				return
			}
			defer r.end(one.Site)
			var look *watch.Look
			err := mishap.Catch(func() (err error) { look, err = w.look(ctx, one, r.sites[one.Site]); return err })
			switch {
			case ctx.Err() != nil:
			case err != nil:
				gear.Tell(w.log.With("site", one.Site, "watch", one.Name), "address could not be looked at", err)
			default:
				_, worked := planned[one.SiteID]
				seen <- func(out *record.Round) { note(out, one, look, worked) }
			}
		})
	}
	go func() {
		group.Wait()
		close(seen)
	}()
	return collect(seen, save)
}

// collect hands on what was seen, some seconds' at a time.
func collect(seen <-chan func(*record.Round), save func(record.Round) error) (err error) {
	out := record.Round{States: map[int64]watch.State{}}
	tick := time.NewTicker(saveEvery)
	defer tick.Stop()
	flush := func() {
		if len(out.Looks) > 0 {
			err = errors.Join(err, save(out))
			out = record.Round{States: map[int64]watch.State{}}
		}
	}
	for {
		select {
		case one, ok := <-seen:
			if !ok {
				flush()
				return err
			}
			one(&out)
		case <-tick.C:
			flush()
		}
	}
}

// A round is one time that watched addresses are looked at.
type round struct {
	free  chan struct{}
	sites map[string]*host // by site
	until time.Time
}

// A host is what a round knows of a site.
type host struct {
	free  chan struct{}
	fails atomic.Bool // an address of it was tried twice, and did not answer
}

// begin waits for a turn, and tells whether there is one.
func (r *round) begin(ctx context.Context, site string) bool {
	late := time.NewTimer(time.Until(r.until))
	defer late.Stop()
	for _, turn := range []chan struct{}{r.sites[site].free, r.free} {
		select {
		case turn <- struct{}{}:
		case <-late.C:
			if turn == r.free {
				<-r.sites[site].free
			}
			return false
		case <-ctx.Done():
			if turn == r.free {
				<-r.sites[site].free
			}
			return false
		}
	}
	return true
}

func (r *round) end(site string) {
	<-r.free
	<-r.sites[site].free
}

// note takes a look into account.
func note(out *record.Round, one *record.Watched, seen *watch.Look, planned bool) {
	down := one.Down(seen)
	out.Looks = append(out.Looks, record.Seen{
		Watch: one.ID, At: seen.At, Status: seen.Status, Down: down != "", Planned: planned, Tries: seen.Tries,
		Timing: [5]int{
			seen.Timing.Resolve,
			seen.Timing.Connect,
			seen.Timing.TLS,
			seen.Timing.FirstByte,
			seen.Timing.Whole,
		},
	})
	if planned && down != "" {
		return // that is what maintenance is for
	}
	step := one.State.Take(&one.Watch, seen)
	out.States[one.ID] = step.State
	switch {
	case step.Began:
		out.Outages = append(out.Outages, record.Outage{Watch: one.ID, Began: seen.At, Reason: down})
	case step.Ended:
		out.Outages = append(out.Outages, record.Outage{Watch: one.ID, Began: step.Was.Since, Ended: &seen.At})
	}
	for _, c := range step.Changes {
		out.Changes = append(out.Changes, record.Noticed{SiteID: one.SiteID, Watch: one.ID, At: seen.At, Change: c})
	}
}

// client asks a site's hosts, by its plan.
func (w *Watching) client(ctx context.Context, name string) (*client, weburl.URL, plan.Plan, error) {
	site, err := w.store.Site(ctx, name)
	if err != nil {
		return nil, weburl.URL{}, plan.Plan{}, err
	}
	home, err := weburl.Parse(site.Home)
	if err != nil {
		return nil, home, plan.Plan{}, err
	}
	p := site.Plan.WithDefaults()
	by := sha256.Sum256(fmt.Append(nil, site.ID, site.Home, p, site.Allowed))
	w.mu.Lock()
	known := w.clients[name]
	w.mu.Unlock()
	if known != nil && known.by == by && w.now().Sub(known.made) < clientsLive {
		return known, home, p, nil
	}
	secrets, err := w.gear.Open(ctx, site.ID, site.Home, p, "the service", "watching its addresses")
	if err != nil {
		return nil, home, p, err
	}
	p.Timeout = min(p.Timeout, plan.Duration(longest))
	made, err := w.gear.Client(p, home, gear.GuardOf(site), secrets)
	if err != nil {
		return nil, home, p, err
	}
	if err := made.LogIn(ctx); err != nil {
		made.Close()
		return nil, home, p, err
	}
	known = &client{Client: made, made: w.now(), by: by}
	w.mu.Lock()
	if was := w.clients[name]; was != nil {
		was.Close()
	}
	w.clients[name] = known
	w.mu.Unlock()
	return known, home, p, nil
}

// Close lets connections go.
func (w *Watching) Close() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, c := range w.clients {
		c.Close()
	}
	clear(w.clients)
}
