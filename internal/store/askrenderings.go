package store

import (
	"context"

	"harvik/internal/core/query"
	"harvik/internal/core/rendered"
)

// renderings goes over what a browser made of pages: each device is a row.
func (r *reading) renderings(ctx context.Context) error {
	join, err := r.joining(ctx, map[string]bool{query.OfPage: false})
	if err != nil {
		return err
	}
	excluded := r.excluded(join, query.OfPage)
	row := join.row()
	return r.store.EachRendering(ctx, r.crawl, r.only, func(id int32, on []rendered.Page) error {
		if excluded(id) {
			return nil
		}
		join.ends[query.OfPage].fill(row, id)
		for n := range on {
			for _, at := range join.own {
				row[at] = query.OfRendering(join.table.Facts[at].Name, &on[n])
			}
			if h, ok := r.make(id, int32(n), row); ok {
				r.take(h)
			}
		}
		return nil
	})
}
