package jobs

import (
	"context"
	"time"

	"harvik/internal/core/mishap"
)

// Where more crawls wait than there are hands for, those that run take turns: one that has run for a while is put away
// as it stands and queues up again behind those that wait, so that a large site does not keep small ones from theirs.
// Taking up what is stored takes time that grows with the crawl, so its turns grow with that, too.
const (
	leastTurn  = 2 * time.Minute
	turnByTake = 20 // times what it took to take the crawl up
	turnEvery  = time.Second
)

// fetching is the phase of a crawl in which its turn may end.
const fetching = "fetching"

// takeTurns has crawls take turns until the runner ends. Hands is how many run at once.
func (r *Runner) takeTurns(hands int) {
	r.every(turnEvery, func() {
		_ = mishap.Catch(func() error { return r.turn(r.ctx, hands, time.Now()) }) // a second later it is tried again
	})
}

// turn ends the turn of the crawl that has run longest beyond its own, if another waits for a worker and all hands are
// full.
func (r *Runner) turn(ctx context.Context, hands int, now time.Time) error {
	var longest *run
	var over time.Duration
	r.mu.Lock()
	full := len(r.live) >= hands && !r.closed
	for _, one := range r.live {
		if d, ok := one.over(now, r.leastTurn); ok && (longest == nil || d > over) {
			longest, over = one, d
		}
	}
	r.mu.Unlock()
	if !full || longest == nil {
		return nil
	}
	waiting, err := r.store.Waiting(ctx)
	if err != nil || waiting == 0 {
		return err
	}
	longest.mu.Lock()
	defer longest.mu.Unlock()
	if !longest.pause && !longest.stop && !longest.stored {
		longest.yields = true
		longest.putAway()
	}
	return nil
}

// over is by how much a run is beyond its turn, if it is, and may end it.
func (o *run) over(now time.Time, least time.Duration) (time.Duration, bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.crawl == nil || o.pause || o.stop || o.stored || o.at.IsZero() {
		return 0, false
	}
	d := now.Sub(o.at) - max(least, turnByTake*o.at.Sub(o.begun))
	return d, d > 0 && o.crawl.Progress().Phase == fetching
}
