package store

import (
	"context"
	"slices"

	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// Source reads back what site checks need of a stored crawl.
type Source struct {
	ctx   context.Context //nolint:containedctx // the core's interface knows none; it lives for one judgement
	store *Store
	crawl int64
	url   func(int32) string
}

// Source reads the links and texts of a crawl; url names its addresses by number.
func (s *Store) Source(ctx context.Context, crawlID int64, url func(int32) string) survey.Source {
	return &Source{ctx, s, crawlID, url}
}

// EachLinks implements survey.Source.
func (r *Source) EachLinks(pages []int32, f func(int32, []page.Link, []int32)) error {
	type parts struct {
		links []page.Link
		to    []int32
	}
	return readEach(r, pages, linksPart, func(_ int32, data []byte) (p parts, err error) {
		p.links, p.to, err = unpackLinks(data)
		for i, t := range p.to {
			if t >= 0 {
				p.links[i].Address = r.url(t)
			}
		}
		return p, err
	}, func(id int32, p parts) { f(id, p.links, p.to) })
}

// EachFacts implements survey.Source.
func (r *Source) EachFacts(pages []int32, f func(int32, *page.Facts)) error {
	return readEach(r, pages, factsPart, func(_ int32, data []byte) (*page.Facts, error) {
		facts := new(page.Facts)
		return facts, decodeFacts(data, facts)
	}, f)
}

// EachSkeleton implements survey.Source.
func (r *Source) EachSkeleton(pages []int32, f func(int32, page.Skeleton)) error {
	return readEach(
		r,
		pages,
		factsPart,
		func(_ int32, data []byte) (*page.Skeleton, error) { return decodeSkeleton(data) },
		func(id int32, s *page.Skeleton) {
			if s != nil {
				f(id, *s)
			}
		},
	)
}

// EachText implements survey.Source.
func (r *Source) EachText(pages []int32, f func(int32, string)) error {
	return readEach(r, pages, mainPart, func(_ int32, data []byte) (string, error) { return string(data), nil }, f)
}

// Bounds of what is read at once.
const (
	readBatch = 1000    // pages asked for
	readBytes = 2 << 20 // held before they are unpacked
)

// packed is a column of a page, as it is stored and unpacked.
type packed[T any] struct {
	id     int32
	stored []byte
	is     T
	err    error
}

// A part is one of the long parts of a page: the column that it stands in, and what is held of it.
type part struct {
	column func(*opener) string
	held   func(long) []byte
}

var (
	factsPart = part{func(*opener) string { return "d.facts" }, func(l long) []byte { return l.facts }}
	linksPart = part{func(*opener) string { return "d.links" }, func(l long) []byte { return l.links }}
	mainPart  = part{(*opener).main, func(l long) []byte { return l.main }}
)

// readEach reads a part of pages, has several unpacked at once while the next are read, and calls f with one after the
// other.
func readEach[T any](
	r *Source,
	pages []int32,
	of part,
	unpack func(int32, []byte) (T, error),
	f func(int32, T),
) error {
	opener, err := r.store.opener(r.ctx, r.crawl)
	if err != nil {
		return err
	}
	release := func(held []packed[T]) error {
		mishap.Each(len(held), func(i int) {
			c := &held[i]
			if c.stored, c.err = opener.open(c.stored); c.err == nil {
				c.is, c.err = unpack(c.id, c.stored)
			}
		})
		for i := range held {
			if held[i].err != nil {
				return held[i].err
			}
			f(held[i].id, held[i].is)
		}
		return nil
	}
	recent, rest := r.store.recent.have(r.crawl, pages)
	b := batch[T]{full: release}
	for _, p := range recent {
		if err := b.add(p.id, of.held(p.long)); err != nil {
			return err
		}
	}
	if err := b.flush(); err != nil || len(rest) == 0 {
		return err
	}
	ctx, cancel := context.WithCancel(r.ctx)
	read := make(chan []packed[T])
	defer func() {
		cancel()
		for range read { // until the reader has ended
		}
	}()
	var failed error
	go func() {
		defer close(read)
		failed = mishap.Catch(func() error {
			b := batch[T]{full: func(held []packed[T]) error {
				select {
				case read <- held:
					return nil
				case <-ctx.Done():
					return ctx.Err()
				}
			}}
			for asked := range slices.Chunk(rest, readBatch) {
				if err := r.readPart(ctx, opener, of, asked, b.add); err != nil {
					return err
				}
			}
			return b.flush()
		})
	}()
	for held := range read {
		if err := release(held); err != nil {
			return err
		}
	}
	return failed
}

// readPart reads a part of pages as it is stored.
func (r *Source) readPart(ctx context.Context, o *opener, of part, pages []int32, f func(int32, []byte) error) error {
	rows, err := r.store.pool.Query(ctx, "select d.id, "+of.column(o)+" from "+o.table()+
		" where d.crawl_id = $1 and d.id = any($2) order by d.id", r.crawl, pages)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id int32
		var stored []byte
		if err := rows.Scan(&id, &stored); err != nil {
			return err
		}
		if err := f(id, stored); err != nil {
			return err
		}
	}
	return rows.Err()
}

// A batch gathers what is unpacked at once.
type batch[T any] struct {
	full  func([]packed[T]) error
	held  []packed[T]
	bytes int
}

func (b *batch[T]) add(id int32, stored []byte) error {
	b.held = append(b.held, packed[T]{id: id, stored: stored})
	if b.bytes += len(stored); b.bytes >= readBytes || len(b.held) >= readBatch {
		return b.flush()
	}
	return nil
}

func (b *batch[T]) flush() error {
	held := b.held
	b.held, b.bytes = b.held[len(b.held):], 0
	if len(held) == 0 {
		return nil
	}
	return b.full(held)
}
