package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/s2"

	"harvik/internal/core/rendered"
	"harvik/internal/record"
)

// saveRenderings stores what a browser made of pages. What was stored of the same pages goes.
func saveRenderings(ctx context.Context, tx pgx.Tx, crawl int64, all []record.Rendering) error {
	var b pgx.Batch
	for i := range all {
		r := &all[i]
		for k := range r.Pages {
			p := &r.Pages[k]
			var hash []byte
			if k < len(r.Pictures) && len(r.Pictures[k]) > 0 {
				sum := sha256.Sum256(r.Pictures[k])
				hash = sum[:16]
				b.Queue(
					"insert into screen (crawl_id, hash, picture) values ($1, $2, $3) on conflict do nothing",
					crawl,
					hash,
					r.Pictures[k],
				)
			}
			p.Screen = hex.EncodeToString(hash)
			facts, err := encode(p)
			if err != nil {
				return err
			}
			b.Queue(`insert into rendering (crawl_id, page_id, device, facts, screen) values ($1, $2, $3, $4, $5)
				on conflict (crawl_id, page_id, device) do update set facts = excluded.facts, screen = excluded.screen`,
				crawl, r.ID, p.Device, s2.Encode(nil, facts), hash)
		}
	}
	if b.Len() == 0 {
		return nil
	}
	return tx.SendBatch(ctx, &b).Close()
}

// EachRendering implements survey.Source.
func (r *Source) EachRendering(pages []int32, f func(int32, []rendered.Page)) error {
	return r.store.EachRendering(r.ctx, r.crawl, pages, func(id int32, p []rendered.Page) error {
		f(id, p)
		return nil
	})
}

// EachRendering calls f with what a browser made of pages, of all that were rendered where none are named, in the order
// of their numbers.
func (s *Store) EachRendering(ctx context.Context, crawl int64, pages []int32,
	f func(id int32, p []rendered.Page) error) error {
	rows, err := s.pool.Query(ctx, `select page_id, facts from rendering where crawl_id = $1
		and ($2::int[] is null or page_id = any($2)) order by page_id, device desc`, crawl, pages)
	if err != nil {
		return err
	}
	last, held := int32(-1), []rendered.Page(nil)
	var id int32
	var packed []byte
	_, err = pgx.ForEachRow(rows, []any{&id, &packed}, func() error {
		if id != last && held != nil {
			if err := f(last, held); err != nil {
				return err
			}
			held = nil
		}
		last = id
		data, err := decodeBlock(nil, packed)
		if err != nil {
			return err
		}
		var p rendered.Page
		if err := decode(data, &p); err != nil {
			return fmt.Errorf("the rendering of page %d: %w", id, err)
		}
		held = append(held, p)
		return nil
	})
	if err == nil && held != nil {
		err = f(last, held)
	}
	return err
}

// URLs are the addresses of a crawl by number.
func (s *Store) URLs(ctx context.Context, crawl int64) (out []string, err error) {
	err = s.db.SelectContext(ctx, &out, "select url from address where crawl_id = $1 order by id", crawl)
	return out, err
}

// Screen is the picture of a page's first view, by its hash.
func (s *Store) Screen(ctx context.Context, crawl int64, hash string) (picture []byte, err error) {
	raw, err := hex.DecodeString(hash)
	if err != nil {
		return nil, record.ErrNotFound
	}
	err = s.db.GetContext(ctx, &picture, "select picture from screen where crawl_id = $1 and hash = $2", crawl, raw)
	return picture, found(err)
}

// Rendered implements record.Past.
func (p *Past) Rendered(ctx context.Context) (map[int32]bool, error) {
	var ids []int32
	if err := p.store.db.SelectContext(ctx, &ids, "select distinct page_id from rendering where crawl_id = $1",
		p.crawl); err != nil {
		return nil, err
	}
	out := make(map[int32]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}
