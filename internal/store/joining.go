package store

import (
	"context"
	"slices"
	"strings"

	"harvik/internal/core/query"
)

// A joining puts rows together of what is known of something itself, and of the addresses that it has to do with.
type joining struct {
	table *query.Table
	own   []int // what is wanted of the thing itself: places in the table
	ends  map[string]*end
}

// An end is what is known of addresses, by number, with where it belongs in a row.
type end struct {
	places  []int   // in the table
	columns []int   // in the pages' table, likewise
	nothing []any   // where nothing is known, likewise
	known   [][]any // by number; nil for what is not known
}

// joining reads what is wanted of the ends, which facts name by what stands before their names. Where an end is
// unfetched, its addresses need not have been fetched.
func (r *reading) joining(ctx context.Context, ends map[string]bool) (*joining, error) {
	t := r.asked.Question.Of
	j := &joining{table: t, ends: map[string]*end{}}
	for prefix := range ends {
		j.ends[prefix] = new(end)
	}
	for _, at := range slices.Compact(slices.Sorted(slices.Values(r.wanted))) {
		name := t.Facts[at].Name
		dot := strings.IndexByte(name, '.')
		if dot < 0 {
			j.own = append(j.own, at)
			continue
		}
		j.ends[name[:dot+1]].want(t, at, name[dot+1:])
	}
	for prefix, e := range j.ends {
		only := r.only
		if only != nil && prefix == query.Target {
			only = r.others
		}
		if err := r.store.fillEnd(ctx, r.crawl, e, ends[prefix], only); err != nil {
			return nil, err
		}
	}
	return j, nil
}

// want adds a fact of a table, which pages have under another name.
func (e *end) want(t *query.Table, at int, name string) {
	e.places, e.columns = append(e.places, at), append(e.columns, query.TableOf("pages").Fact(name))
	e.nothing = append(e.nothing, t.Facts[at].Nothing())
}

// keep keeps what a row of the pages' table has for an address.
func (e *end) keep(id int32, row []any) {
	kept := make([]any, len(e.columns))
	for i, c := range e.columns {
		if kept[i] = row[c]; kept[i] == nil {
			kept[i] = e.nothing[i]
		}
	}
	for int(id) >= len(e.known) {
		e.known = append(e.known, nil)
	}
	e.known[id] = kept
}

// fillEnd reads what is wanted of addresses, of all where none are named: of those that were not fetched, too, where
// only they themselves say it.
func (s *Store) fillEnd(ctx context.Context, crawlID int64, e *end, unfetched bool, only []int32) error {
	if len(e.columns) == 0 {
		return nil
	}
	pages := query.TableOf("pages")
	all := only == nil
	if unfetched && slices.ContainsFunc(e.columns, func(c int) bool {
		return pages.Facts[c].OfAddress != nil || pages.Facts[c].Name == "address"
	}) {
		rows := []struct {
			ID  int32
			URL string
		}{}
		if err := s.db.SelectContext(ctx, &rows, "select id, url from address where crawl_id = $1 and ($2 or id = any($3))", crawlID,
			all, only); err != nil {
			return err
		}
		row := make([]any, len(pages.Facts))
		for _, r := range rows {
			row[pages.Fact("address")] = r.URL
			pages.Complete(row, e.columns)
			e.keep(r.ID, row)
		}
	}
	scan := &rowScan{store: s, crawl: crawlID, table: pages, every: true}
	scan.want(e.columns...)
	if all {
		return scan.each(ctx, "true", []any{crawlID}, e.keep)
	}
	return scan.each(ctx, "p.id = any($2)", []any{crawlID, only}, e.keep)
}

// row is an empty row.
func (j *joining) row() []any { return make([]any, len(j.table.Facts)) }

// fill puts what is known of an address into a row.
func (e *end) fill(row []any, id int32) {
	known := e.nothing
	if id >= 0 && int(id) < len(e.known) && e.known[id] != nil {
		known = e.known[id]
	}
	for i, at := range e.places {
		row[at] = known[i]
	}
}
