package store

import (
	"context"
	"strconv"

	"harvik/internal/core/graph"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// redirects goes over the addresses that lead on, in order of address; a row's address is its place among them.
func (r *reading) redirects(ctx context.Context) error {
	var all []record.Redirect
	var from, to []string
	if err := r.store.EachRedirect(ctx, r.crawl, func(one *record.Redirect) error {
		all = append(all, *one)
		from, to = append(from, one.Address), append(to, one.To)
		return nil
	}); err != nil {
		return err
	}
	answers, err := r.store.Answers(ctx, r.crawl)
	if err != nil {
		return err
	}
	t := r.asked.Question.Of
	row := make([]any, len(t.Facts))
	for i, way := range graph.Ways(from, to) {
		// An answer that is no status is words.
		status, _ := strconv.Atoi(answers[way.Hops[len(way.Hops)-1]])
		t.FillRedirect(row, &query.Redirect{Hops: way.Hops, Circle: way.Circle, Status: all[i].Status,
			EndStatus: status, LinksIn: all[i].LinksIn}, r.wanted)
		if h, ok := r.make(int32(i), 0, row); ok {
			r.take(h)
		}
	}
	return nil
}
