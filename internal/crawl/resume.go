package crawl

import (
	"context"
	"fmt"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
)

// resume brings the crawl to where its past ended. Every stored result is booked again, in its
// order, as if it had just come in: so the frontier, the survey, the traps and the verdicts
// are what they were.
func (c *Crawl) resume(ctx context.Context) error {
	if c.past == nil {
		if err := c.begin(); err != nil {
			return err
		}
		if c.isPaused() {
			return &ErrPaused{}
		}
		return nil
	}
	addresses, files, progress, err := c.past.Start(ctx)
	if err != nil {
		return fmt.Errorf("reading what was stored: %w", err)
	}
	for _, f := range files {
		c.files.set(f)
	}
	c.frontier.stored = len(addresses) // so that what changes on the way is told again
	if err := c.begin(); err != nil {
		return err
	}
	err = c.past.EachRecord(ctx, addresses, func(r *booking.Record) error {
		if c.isPaused() {
			return &ErrPaused{}
		}
		if err := c.expect(r.ID); err != nil {
			return err
		}
		if !r.Facts.Usable() {
			return &booking.OldFactsError{Version: r.Facts.Version}
		}
		if r.Role == page.AsPage {
			c.book.SetKind(r.Facts)
			c.book.Examine(r)
		}
		c.progress.stored(r)
		c.take(r, nil)
		if r.Facts.IsPage() && sortOf(r.Facts) == "" {
			c.refusal.lastOK = c.frontier.addresses[r.ID].URL
		}
		c.batch.Records = c.batch.Records[:0] // they are stored
		return nil
	})
	if err != nil {
		return fmt.Errorf("reading what was stored: %w", err)
	}
	c.batch.Seq = c.taken
	known := min(len(addresses), len(c.frontier.addresses))
	for id := range known {
		if a := c.frontier.addresses[id].URL; a != addresses[id] {
			return fmt.Errorf("the stored crawl does not fit its plan: address %d is %s, not %s", id, a, addresses[id])
		}
	}
	if len(addresses) > known {
		if err := c.past.Truncate(ctx, known); err != nil {
			return fmt.Errorf("tidying what was stored: %w", err)
		}
	}
	c.frontier.stored = known
	if c.renders != nil {
		if c.renders.have, err = c.past.Rendered(ctx); err != nil {
			return fmt.Errorf("reading what was stored: %w", err)
		}
	}
	c.progress.resumed(progress)
	return nil
}

// expect takes addresses off the frontier up to the one that was fetched next.
func (c *Crawl) expect(id int32) error {
	got, ok := c.next(0)
	if !ok || got != id {
		return fmt.Errorf("the stored crawl does not fit its plan: address %d was fetched where %d is next", id, got)
	}
	return nil
}
