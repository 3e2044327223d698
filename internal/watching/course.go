package watching

import (
	"context"
	"time"

	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// CourseOf is how a watched address did from one time to another, in so many bins; record.ErrNotFound where the site
// has no watch of the name.
func (w *Watching) CourseOf(ctx context.Context, site record.Site, name string, from, until time.Time, bins int) (
	out record.Course, err error) {
	all, err := w.store.Watches(ctx, site.Name)
	if err != nil {
		return out, err
	}
	for _, one := range all {
		if one.Name == name {
			return w.course(ctx, one, from, until, bins)
		}
	}
	return out, record.ErrNotFound
}

// mostOutages is how many outages are told of one time.
const mostOutages = 200

func (w *Watching) course(ctx context.Context, one record.Watched, from, until time.Time, bins int) (
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
