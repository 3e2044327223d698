package store

import (
	"context"

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

// readBatch is how many pages are read at once.
const readBatch = 1000

// EachLinks implements survey.Source.
func (r *Source) EachLinks(pages []int32, f func(int32, []page.Link)) error {
	return r.each(pages, "links", func(id int32, data []byte) error {
		links, targets, err := unpackLinks(data)
		if err != nil {
			return err
		}
		for i, t := range targets {
			if t >= 0 {
				links[i].Address = r.url(t)
			}
		}
		f(id, links)
		return nil
	})
}

// EachFacts implements survey.Source.
func (r *Source) EachFacts(pages []int32, f func(int32, *page.Facts)) error {
	return r.each(pages, "facts", func(id int32, data []byte) error {
		facts := new(page.Facts)
		if err := decode(data, facts); err != nil {
			return err
		}
		f(id, facts)
		return nil
	})
}

// EachText implements survey.Source.
func (r *Source) EachText(pages []int32, f func(int32, string)) error {
	return r.each(pages, "main_text", func(id int32, data []byte) error {
		f(id, string(data))
		return nil
	})
}

func (r *Source) each(pages []int32, column string, f func(int32, []byte) error) error {
	for len(pages) > 0 {
		n := min(readBatch, len(pages))
		rows, err := r.store.pool.Query(r.ctx, "select id, "+column+" from page where crawl_id = $1 and id = any($2)",
			r.crawl, pages[:n])
		if err != nil {
			return err
		}
		for rows.Next() {
			var id int32
			var data []byte
			if err = rows.Scan(&id, &data); err == nil {
				err = f(id, data)
			}
			if err != nil {
				break
			}
		}
		rows.Close()
		if err == nil {
			err = rows.Err()
		}
		if err != nil {
			return err
		}
		pages = pages[n:]
	}
	return nil
}
