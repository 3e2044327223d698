package store

import (
	"cmp"
	"context"
	"slices"

	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// linkEnds are the addresses that a link joins; what it leads to need not have been fetched.
var linkEnds = map[string]bool{query.Source: false, query.Target: true}

// askLinks finds hits among the links of all pages, several pages at once.
func (s *Store) askLinks(ctx context.Context, crawlID int64, j *judge, take func(hit)) error {
	var pages []int32
	if err := s.db.SelectContext(ctx, &pages, "select id from page where crawl_id = $1 and role = 0 and html order by id",
		crawlID); err != nil {
		return err
	}
	join, err := s.joining(ctx, crawlID, j.of.Question.Of, j.wants(), linkEnds)
	if err != nil {
		return err
	}
	return eachLinked(ctx, s, crawlID, pages, func(id int32, links []page.Link, to []int32) (out []hit, err error) {
		join.links(id, links, to, func(nth int32, row []any) {
			if h, ok := j.hit(id, nth, row); ok {
				out = append(out, h)
			}
		})
		return out, nil
	}, take)
}

// showLinks calls show with each link of some pages.
func (s *Store) showLinks(ctx context.Context, crawlID int64, a *record.Asking, pages []int32, show shower) error {
	join, err := s.joining(ctx, crawlID, a.Question.Of, a.Columns, linkEnds)
	if err != nil {
		return err
	}
	type shown struct {
		id, nth int32
		row     []any
	}
	return eachLinked(ctx, s, crawlID, pages, func(id int32, links []page.Link, to []int32) (out []shown, err error) {
		join.links(id, links, to, func(nth int32, row []any) { out = append(out, shown{id, nth, slices.Clone(row)}) })
		return out, nil
	}, func(one shown) { show(one.id, one.nth, one.row) })
}

// eachLinked has several pages' links made into something at once, and hands it on in the order of the pages.
func eachLinked[T any](ctx context.Context, s *Store, crawlID int64, pages []int32,
	f func(int32, []page.Link, []int32) ([]T, error), take func(T)) error {
	source := &Source{ctx: ctx, store: s, crawl: crawlID}
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

// links calls f with each link of a page as a row, which is used again.
func (j *joining) links(id int32, links []page.Link, to []int32, f func(nth int32, row []any)) {
	row := j.row()
	j.ends[query.Source].fill(row, id)
	target := j.ends[query.Target]
	read := make([]func(*page.Link) any, len(j.own))
	for i, at := range j.own {
		read[i] = linkFacts[j.table.Facts[at].Name]
	}
	for n := range links {
		for i, at := range j.own {
			row[at] = read[i](&links[n])
		}
		target.fill(row, to[n])
		f(int32(n), row)
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
