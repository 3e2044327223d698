package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// rereadBatch is how many pages are read anew at once.
const rereadBatch = 200

// Reread puts what remake makes of a finished crawl's documents, and of the source that was kept of them, in the place
// of what was stored, all of it or nothing, and tells how many there were. Remake is called from several goroutines.
func (s *Store) Reread(ctx context.Context, rec record.Crawl,
	remake func(old *page.Facts, source []byte) (*page.Facts, error)) (read int, err error) {
	s.recent.forget(rec.ID)
	if keeps, err := s.KeepsSource(ctx, rec.ID); err != nil {
		return 0, err
	} else if !keeps {
		return 0, errNoSource
	}
	addresses, err := s.allAddresses(ctx, rec.ID)
	if err != nil {
		return 0, err
	}
	urls, numbers := make([]string, len(addresses)), make(map[string]int32, len(addresses))
	for i := range addresses {
		urls[i], numbers[addresses[i].URL] = addresses[i].URL, int32(i)
	}
	tx, err := s.pool.Begin(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback(context.WithoutCancel(ctx))
	var id int64
	if err := tx.QueryRow(ctx, "select id from crawl where id = $1 and state = 'finished' for update", rec.ID).
		Scan(&id); err != nil {
		return 0, fmt.Errorf("taking the crawl: %w", err)
	}
	sink := &Sink{store: s, crawl: rec.ID, epoch: anyEpoch}
	if sink.packer, err = s.newPacker(ctx, rec.ID); err != nil {
		return 0, err
	}
	seq := 0
	var batch []booking.Record
	put := func() error {
		n, err := s.rereadSome(ctx, tx, sink, record.Batch{Seq: seq, Records: batch}, numbers,
			rec.Plan.Resources != plan.None, remake)
		read, seq, batch = read+n, seq+len(batch), batch[:0]
		return err
	}
	err = (&Past{s, rec.ID, rec.Epoch}).EachRecord(ctx, urls, func(r *booking.Record) error {
		if batch = append(batch, *r); len(batch) < rereadBatch {
			return nil
		}
		return put()
	})
	if err == nil {
		err = put()
	}
	if err != nil {
		return 0, err
	}
	return read, tx.Commit(ctx)
}

// rereadSome reads some records anew, and stores them all in the place of what they were.
func (s *Store) rereadSome(ctx context.Context, tx pgx.Tx, sink *Sink, b record.Batch, numbers map[string]int32,
	loads bool, remake func(old *page.Facts, source []byte) (*page.Facts, error)) (int, error) {
	ids, at := make([]int32, len(b.Records)), map[int32]*int64{}
	for i := range b.Records {
		ids[i] = b.Records[i].ID
	}
	rows, err := tx.Query(ctx, "select id, source from document where crawl_id = $1 and id = any($2)", sink.crawl, ids)
	if err != nil {
		return 0, err
	}
	for rows.Next() {
		var id int32
		var where *int64
		if err := rows.Scan(&id, &where); err != nil {
			rows.Close()
			return 0, err
		}
		at[id] = where
	}
	if err := rows.Err(); err != nil {
		return 0, err
	}
	sources := map[int32][]byte{}
	if err := s.EachSource(ctx, sink.crawl, ids, func(p record.KeptPage) error {
		sources[p.ID] = p.Body
		return nil
	}); err != nil {
		return 0, err
	}
	errs := make([]error, len(b.Records))
	mishap.Each(len(b.Records), func(i int) {
		r := &b.Records[i]
		source, kept := sources[r.ID]
		if !kept || r.Facts.Document == nil {
			return
		}
		var f *page.Facts
		if f, errs[i] = remake(r.Facts, source); errs[i] == nil {
			r.Facts = f
			renumber(r, numbers, loads)
		}
	})
	wheres := make([]*int64, len(ids))
	for i, id := range ids {
		if wheres[i] = at[id]; errs[i] != nil {
			return 0, fmt.Errorf("reading %s anew: %w", b.Records[i].Facts.Address, errs[i])
		}
	}
	for _, table := range []string{"page", "document"} {
		if _, err := tx.Exec(ctx, "delete from "+table+" where crawl_id = $1 and id = any($2)", sink.crawl, ids); err != nil {
			return 0, err
		}
	}
	_, err = sink.pages(ctx, tx, b, wheres)
	return len(sources), err
}

// renumber finds the numbers of what a document links to and, where crawls look after that, loads. What the crawl did
// not know has none.
func renumber(r *booking.Record, numbers map[string]int32, loads bool) {
	number := func(address string) int32 {
		if id, ok := numbers[address]; ok && address != "" {
			return id
		}
		return -1
	}
	r.Links = make([]int32, len(r.Facts.Document.Links))
	for i := range r.Facts.Document.Links {
		r.Links[i] = number(r.Facts.Document.Links[i].Address)
	}
	r.Uses = nil
	if !loads {
		return
	}
	for _, u := range r.Facts.Loads() {
		r.Uses = append(r.Uses, number(u.Address))
	}
}
