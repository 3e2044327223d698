package jobs

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"go.opentelemetry.io/otel/attribute"

	"harvik/internal/gear"
	"harvik/internal/record"
)

// A Chore does work that waits in the queue beside crawls; try counts from 1.
type Chore func(ctx context.Context, t record.Todo, try int) error

// alone are those of which one is done at a time for a site, wherever: each looks for what there is to do.
var alone = map[string]bool{record.ToWeigh: true, record.ToJudge: true, record.ToPack: true, record.ToSweep: true,
	record.ToBegin: true, record.ToTell: true}

// todo does work that waits. What the end of the process breaks off is done elsewhere, or later.
func (r *Runner) todo(ctx context.Context, t record.Todo, try int) (err error) {
	if r.isClosed() {
		return record.ErrEnding
	}
	chore := r.chores[t.What]
	switch t.What {
	case record.ToTidy:
		chore = r.tidy
	case record.ToSweep:
		chore = func(ctx context.Context, _ record.Todo, _ int) error { return r.store.Sweep(ctx) }
	}
	if chore == nil {
		return fmt.Errorf("this Harvik does not know how to %q", t.What)
	}
	ctx, spanEnds := spanned(ctx, t.What, attribute.String("harvik.site", t.Site), attribute.Int64("harvik.crawl.id", t.Crawl),
		attribute.String("harvik.cause", t.Cause), attribute.Int("harvik.try", try))
	defer func() { spanEnds(err) }()
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	done := make(chan struct{})
	defer close(done)
	go func() {
		select {
		case <-r.ending:
			cancel(record.ErrEnding)
		case <-done:
		}
	}()
	do := func() error { return chore(ctx, t, try) }
	if alone[t.What] {
		one := do
		do = func() error { return r.store.Exclusively(ctx, t.What+" "+t.Site, one) }
	}
	log := r.log.With("what", t.What, "cause", t.Cause)
	err = do()
	switch {
	case err == nil:
		r.meter.Did(t.What, "done")
	case errors.Is(context.Cause(ctx), record.ErrEnding):
		return record.ErrEnding
	case !errors.Is(err, record.ErrBusy):
		r.meter.Did(t.What, "failed")
		gear.Tell(log, "work failed; it is tried again", err)
		if slices.Contains(record.ByTheClock, t.What) {
			return nil // by the next minute's
		}
	}
	return err
}

// tidy tells the database of what a crawl that has ended brought, and deletes older crawls of the site that it does not
// keep.
func (r *Runner) tidy(ctx context.Context, t record.Todo, _ int) error {
	rec, err := r.store.CrawlOf(ctx, t.Crawl)
	if err != nil {
		return record.UnlessGone(err)
	}
	if err := r.store.Tidy(ctx, rec.ID); err != nil {
		return err
	}
	gone, err := r.store.Retain(ctx, rec.SiteID)
	if err == nil && len(gone) > 0 {
		r.log.Info("older crawls deleted, as the site keeps so many", "site", rec.Site, "crawls", gone)
	}
	return err
}
