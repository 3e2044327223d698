// Package upkeep does again and again what may have become due: work that looks for itself what there is to do, so that
// it can be cut off, and asked for twice, without harm.
package upkeep

import (
	"context"
	"log/slog"
	"time"

	"harvik/internal/core/mishap"
)

// A Chore is work that may become due at any time. It is safe for use from several goroutines.
type Chore struct {
	what string                          // cannot be done: "crawls could not be weighed by what is decided"
	Do   func(ctx context.Context) error // what is due now
	log  *slog.Logger
	due  chan struct{} // has one in it when something may be due
}

// New makes a chore. What says what is the case where it fails.
func New(what string, do func(ctx context.Context) error, log *slog.Logger) *Chore {
	return &Chore{what, do, log, make(chan struct{}, 1)}
}

// Soon has those who attend look for what is due.
func (c *Chore) Soon() {
	select {
	case c.due <- struct{}{}:
	default:
	}
}

// What could not be done is tried again after a while, and after twice as long each time.
const (
	firstRetry = 5 * time.Second
	lastRetry  = time.Hour
)

// Attend does what is due until ctx ends: at once, for what came while nobody attended, when Soon asks, and after each
// midnight (UTC), when what is decided for some time runs out.
func (c *Chore) Attend(ctx context.Context) {
	retry := firstRetry
	for {
		wait := untilMidnight(time.Now())
		if err := mishap.Catch(func() error { return c.Do(ctx) }); err != nil && ctx.Err() == nil {
			c.log.Warn(c.what+"; it is tried again", "reason", err.Error(), "seconds", int(retry.Seconds()))
			wait, retry = min(wait, retry), min(2*retry, lastRetry)
		} else {
			retry = firstRetry
		}
		select {
		case <-ctx.Done():
			return
		case <-c.due:
		case <-time.After(wait):
		}
	}
}

// untilMidnight is how long it is to a moment after the day's end.
func untilMidnight(now time.Time) time.Duration {
	y, m, day := now.UTC().Date()
	return time.Date(y, m, day+1, 0, 0, 1, 0, time.UTC).Sub(now)
}
