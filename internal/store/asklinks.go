package store

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// askLinks finds hits among the links of all pages, several pages at once.
func (s *Store) askLinks(ctx context.Context, crawlID int64, j *judge, take func(hit)) error {
	var pages []int32
	if err := s.db.SelectContext(ctx, &pages, "select id from page where crawl_id = $1 and role = 0 and html order by id",
		crawlID); err != nil {
		return err
	}
	scan, err := s.linkScan(ctx, crawlID, j.of, j.wants())
	if err != nil {
		return err
	}
	return eachLinked(ctx, scan, pages, func(id int32, links []page.Link, to []int32) (out []hit, err error) {
		scan.rows(id, links, to, func(nth int32, row []any) {
			if h, ok := j.hit(id, nth, row); ok {
				out = append(out, h)
			}
		})
		return out, nil
	}, take)
}

// showLinks calls show with each link of some pages.
func (s *Store) showLinks(ctx context.Context, crawlID int64, a *record.Asking, pages []int32,
	show func(id, nth int32, row []any)) error {
	scan, err := s.linkScan(ctx, crawlID, a, a.Columns)
	if err != nil {
		return err
	}
	type shown struct {
		id, nth int32
		row     []any
	}
	return eachLinked(ctx, scan, pages, func(id int32, links []page.Link, to []int32) (out []shown, err error) {
		scan.rows(id, links, to, func(nth int32, row []any) { out = append(out, shown{id, nth, slices.Clone(row)}) })
		return out, nil
	}, func(one shown) { show(one.id, one.nth, one.row) })
}

// A linkScan joins links with what is known of the addresses at their ends.
type linkScan struct {
	store *Store
	crawl int64
	table *query.Table
	// What is wanted of the link itself, and of its ends: places in the table.
	own            []int
	source, target *end
}

// An end is what is known of addresses, by number, with where it belongs in a link's row.
type end struct {
	places  []int // in the links' table
	columns []int // in the pages' table, likewise
	nothing []any // where nothing is known, likewise
	known   map[int32][]any
}

func (s *Store) linkScan(ctx context.Context, crawlID int64, a *record.Asking, wanted []int) (*linkScan, error) {
	t := a.Question.Of
	pages := query.TableOf("pages")
	scan := &linkScan{store: s, crawl: crawlID, table: t, source: new(end), target: new(end)}
	for _, at := range wanted {
		name := t.Facts[at].Name
		of := scan.source
		bare, isSource := strings.CutPrefix(name, query.Source)
		if !isSource {
			if bare, of = strings.TrimPrefix(name, query.Target), scan.target; bare == name {
				if !slices.Contains(scan.own, at) {
					scan.own = append(scan.own, at)
				}
				continue
			}
		}
		if !slices.Contains(of.places, at) {
			of.places, of.columns = append(of.places, at), append(of.columns, pages.Fact(bare))
			of.nothing = append(of.nothing, t.Facts[at].Kind.Nothing())
		}
	}
	for _, e := range []*end{scan.source, scan.target} {
		if err := s.fillEnd(ctx, crawlID, e, e == scan.target); err != nil {
			return nil, err
		}
	}
	return scan, nil
}

// fillEnd reads what is wanted of addresses: of those that were not fetched, too, where only they themselves say it.
func (s *Store) fillEnd(ctx context.Context, crawlID int64, e *end, unfetched bool) error {
	if len(e.columns) == 0 {
		return nil
	}
	pages := query.TableOf("pages")
	e.known = map[int32][]any{}
	keep := func(id int32, row []any) {
		kept := make([]any, len(e.columns))
		for i, c := range e.columns {
			kept[i] = row[c]
		}
		e.known[id] = kept
	}
	if unfetched {
		rows := []struct {
			ID  int32
			URL string
		}{}
		if err := s.db.SelectContext(ctx, &rows, "select id, url from address where crawl_id = $1", crawlID); err != nil {
			return err
		}
		row := make([]any, len(pages.Facts))
		for _, r := range rows {
			row[pages.Fact("address")] = r.URL
			pages.Complete(row, e.columns)
			keep(r.ID, row)
		}
	}
	scan := &rowScan{store: s, crawl: crawlID, table: pages, every: true}
	scan.want(e.columns...)
	return scan.each(ctx, "true", []any{crawlID}, func(id int32, row []any) error {
		keep(id, row)
		return nil
	})
}

// eachLinked has several pages' links made into something at once, and hands it on in the order of the pages.
func eachLinked[T any](
	ctx context.Context,
	l *linkScan,
	pages []int32,
	f func(int32, []page.Link, []int32) ([]T, error),
	take func(T),
) error {
	source := &Source{ctx: ctx, store: l.store, crawl: l.crawl}
	return readEach(source, pages, linksPart, func(id int32, data []byte) ([]T, error) {
		links, to, err := unpackLinks(data)
		if err != nil {
			return nil, err
		}
		return f(id, links, to)
	}, func(_ int32, all []T) {
		for _, one := range all {
			take(one)
		}
	})
}

// rows calls f with each link as a row, which is used again.
func (l *linkScan) rows(id int32, links []page.Link, to []int32, f func(nth int32, row []any)) {
	row := make([]any, len(l.table.Facts))
	l.source.fill(row, id)
	for n := range links {
		for _, at := range l.own {
			row[at] = linkFacts[l.table.Facts[at].Name](&links[n])
		}
		l.target.fill(row, to[n])
		f(int32(n), row)
	}
}

// fill puts what is known of an address into a row.
func (e *end) fill(row []any, id int32) {
	known := e.known[id]
	for i, at := range e.places {
		if row[at] = e.nothing[i]; known != nil && known[i] != nil {
			row[at] = known[i]
		}
	}
}

// linkFacts are what links say themselves.
var linkFacts = map[string]func(*page.Link) any{
	"words":    func(l *page.Link) any { return cmp.Or(l.Words, l.Label) },
	"place":    func(l *page.Link) any { return l.Place },
	"region":   func(l *page.Link) any { return l.Region.String() },
	"follow":   func(l *page.Link) any { return !l.NoFollow },
	"hidden":   func(l *page.Link) any { return l.Hidden },
	"fragment": func(l *page.Link) any { return l.Fragment },
	"line":     func(l *page.Link) any { return l.Line },
}
