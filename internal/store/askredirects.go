package store

import (
	"context"

	"harvik/internal/core/graph"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// askRedirects finds hits among the addresses that lead on.
func (s *Store) askRedirects(ctx context.Context, crawlID int64, j *judge, take func(hit)) error {
	return s.eachWay(ctx, crawlID, j.of.Question.Of, j.wants(), func(id int32, row []any) {
		if h, ok := j.hit(id, 0, row); ok {
			take(h)
		}
	})
}

// showRedirects calls show with each of them.
func (s *Store) showRedirects(ctx context.Context, crawlID int64, a *record.Asking, show shower) error {
	return s.eachWay(ctx, crawlID, a.Question.Of, a.Columns, func(id int32, row []any) { show(id, 0, row) })
}

// eachWay calls f with each address that leads on as a row, which is used again, in order of address; id is its place.
func (s *Store) eachWay(ctx context.Context, crawlID int64, t *query.Table, wanted []int,
	f func(id int32, row []any)) error {
	var all []record.Redirect
	if err := s.EachRedirect(ctx, crawlID, func(r *record.Redirect) error {
		all = append(all, *r)
		return nil
	}); err != nil {
		return err
	}
	numbers := map[string]int32{}
	var addresses []string
	number := func(address string) int32 {
		n, ok := numbers[address]
		if !ok {
			n = int32(len(addresses))
			numbers[address], addresses = n, append(addresses, address)
		}
		return n
	}
	for i := range all {
		number(all[i].Address)
	}
	next := make([]int32, len(addresses)) // by number: where an address leads
	for i := range all {
		to := number(all[i].To)
		for int(to) >= len(next) {
			next = append(next, -1)
		}
		next[numbers[all[i].Address]] = to
	}
	statuses := map[string]int{}
	if err := each(ctx, s, func(r *struct {
		URL    string
		Status int
	}) error {
		statuses[r.URL] = r.Status
		return nil
	}, `select a.url, p.status from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id
		where p.crawl_id = $1 and p.status > 0`, crawlID); err != nil {
		return err
	}
	row := make([]any, len(t.Facts))
	put := func(name string, v any) { row[t.Fact(name)] = v }
	for i := range all {
		r := &all[i]
		chain := graph.Follow(numbers[r.Address], next)
		hops := chain.Hops[1:]
		way := []string{}
		for _, n := range hops[:len(hops)-1] {
			way = append(way, addresses[n])
		}
		end := addresses[hops[len(hops)-1]]
		put("address", r.Address)
		put("status", r.Status)
		put("to", r.To)
		put("hops", len(hops))
		put("way", way)
		put("circle", chain.End < 0)
		put("end", end)
		put("linksIn", r.LinksIn)
		if put("endStatus", nil); statuses[end] > 0 {
			put("endStatus", statuses[end])
		}
		t.Complete(row, wanted)
		f(int32(i), row)
	}
	return nil
}
