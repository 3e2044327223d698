package watching

import (
	"context"
	"time"

	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// mostOutages is how many outages are told of one time.
const mostOutages = 200

// CourseOf is how a watched address did from one time to another, in so many bins.
func (w *Watching) CourseOf(ctx context.Context, one record.Watched, from, until time.Time, bins int) (
	out record.Course, err error) {
	out.From, out.Until = from, until
	parts, err := w.store.Course(ctx, []int64{one.ID}, from, until)
	if err != nil {
		return out, err
	}
	out.Bins = watch.Binned(parts[one.ID], from, until, bins)
	for i := range out.Bins {
		out.Whole.Join(&out.Bins[i])
	}
	if out.Phases, err = w.store.Phases(ctx, one.ID, from, until); err != nil {
		return out, err
	}
	out.Outages, err = w.store.Outages(ctx, one.Site, one.ID, from, mostOutages)
	return out, err
}
