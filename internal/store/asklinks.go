package store

import (
	"context"

	"harvik/internal/core/page"
	"harvik/internal/core/query"
)

// linkEnds are the addresses that a link joins; what it leads to need not have been fetched.
var linkEnds = map[string]bool{query.Source: false, query.Target: true}

// links goes over the links of pages, those of several pages at once.
func (r *reading) links(ctx context.Context) error {
	pages := r.only
	if pages == nil {
		if err := r.store.db.SelectContext(ctx, &pages,
			"select id from page where crawl_id = $1 and role = 0 and html order by id", r.crawl); err != nil {
			return err
		}
	}
	join, err := r.joining(ctx, linkEnds)
	if err != nil {
		return err
	}
	read := make([]func(*page.Link) any, len(join.own))
	for i, at := range join.own {
		read[i] = query.LinkFact(join.table.Facts[at].Name)
	}
	source, target := join.ends[query.Source], join.ends[query.Target]
	from := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	return readEach(from, pages, linksPart, func(id int32, data []byte) (hits []hit, err error) {
		links, to, err := unpackLinks(data)
		row := join.row()
		source.fill(row, id)
		for n := range links {
			for i, at := range join.own {
				row[at] = read[i](&links[n])
			}
			target.fill(row, to[n])
			if h, ok := r.make(id, int32(n), row); ok {
				hits = append(hits, h)
			}
		}
		return hits, err
	}, func(_ int32, hits []hit) {
		for _, h := range hits {
			r.take(h)
		}
	})
}
