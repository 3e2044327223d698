package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/record"
)

// Past reads back what a sink stored of a crawl that was cut off or paused.
type Past struct {
	store *Store
	crawl int64
	epoch int
}

// Past is what there is of a crawl.
func (s *Store) Past(rec record.Crawl) record.Past { return &Past{s, rec.ID, rec.Epoch} }

// Start implements record.Past.
func (p *Past) Start(
	ctx context.Context,
) (addresses []string, files []booking.File, progress record.Progress, err error) {
	if err := p.store.db.SelectContext(ctx, &addresses, "select url from address where crawl_id = $1 order by id",
		p.crawl); err != nil {
		return nil, nil, progress, err
	}
	if files, err = p.files(ctx); err != nil {
		return nil, nil, progress, err
	}
	var data []byte
	if err := p.store.db.GetContext(ctx, &data, "select progress from crawl where id = $1", p.crawl); err != nil {
		return nil, nil, progress, err
	}
	return addresses, files, progress, decode(data, &progress)
}

func (p *Past) files(ctx context.Context) (files []booking.File, err error) {
	const columns = "kind, address, status, outcome, detail, case when kind = 'robots' then body end"
	rows, err := p.store.pool.Query(ctx, "select "+columns+" from crawl_file where crawl_id = $1", p.crawl)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var f booking.File
		if err := rows.Scan(&f.Kind, &f.Address, &f.Status, &f.Outcome, &f.Detail, &f.Body); err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	return files, rows.Err()
}

// Body implements record.Past.
func (p *Past) Body(ctx context.Context, address string) (body []byte, err error) {
	err = p.store.db.GetContext(ctx, &body, "select body from crawl_file where crawl_id = $1 and address = $2 limit 1",
		p.crawl, clean(address))
	return body, err
}

// naming names addresses by number, "" for one that there is not.
func naming(addresses []string) func(int32) string {
	return func(id int32) string {
		if id < 0 || int(id) >= len(addresses) {
			return ""
		}
		return addresses[id]
	}
}

// EachRecord implements record.Past.
func (p *Past) EachRecord(ctx context.Context, addresses []string, f func(*booking.Record) error) error {
	var order []int32 // a million numbers are cheaper to sort than a million rows
	if err := p.store.db.SelectContext(ctx, &order, "select id from page where crawl_id = $1 order by seq",
		p.crawl); err != nil {
		return err
	}
	name := naming(addresses)
	for len(order) > 0 {
		n := min(readBatch, len(order))
		batch, err := p.read(ctx, order[:n], name)
		if err != nil {
			return err
		}
		for _, id := range order[:n] {
			r, ok := batch[id]
			if !ok {
				return fmt.Errorf("page %d is gone", id)
			}
			if err := f(r); err != nil {
				return err
			}
		}
		order = order[n:]
	}
	return nil
}

func (p *Past) read(ctx context.Context, ids []int32, name func(int32) string) (map[int32]*booking.Record, error) {
	opener, err := p.store.opener(ctx, p.crawl)
	if err != nil {
		return nil, err
	}
	rows, err := p.store.pool.Query(ctx,
		"select p.id, p.role, d.facts, d.links, "+opener.main()+", p.uses from page p join "+opener.table()+
			" using (crawl_id, id) where crawl_id = $1 and id = any($2)", p.crawl, ids)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := make(map[int32]*booking.Record, len(ids))
	for rows.Next() {
		r := new(booking.Record)
		var role int16
		var facts, links, text, uses []byte
		if err := rows.Scan(&r.ID, &role, &facts, &links, &text, &uses); err != nil {
			return nil, err
		}
		if err := opener.openAll(&facts, &links, &text); err != nil {
			return nil, fmt.Errorf("page %d: %w", r.ID, err)
		}
		r.Role, r.Facts = page.Role(role), new(page.Facts)
		if r.Links, r.Uses, err = restore(r.Facts, facts, links, uses, string(text), name); err != nil {
			return nil, fmt.Errorf("page %d: %w", r.ID, err)
		}
		out[r.ID] = r
	}
	return out, rows.Err()
}

// restore puts facts together from the parts that they are stored in. Targets and loaded are the numbers of what the
// document links to and loads.
func restore(f *page.Facts, facts, links, uses []byte, text string,
	name func(int32) string) (targets, loaded []int32, err error) {
	if err := decodeFacts(facts, f); err != nil {
		return nil, nil, err
	}
	loads, loaded, err := unpackUses(uses)
	if err != nil {
		return nil, nil, err
	}
	for i := range loads {
		loads[i].Address = name(loaded[i])
	}
	if f.Document == nil {
		if len(f.Uses) == 0 { // of a stylesheet they stand with its facts, since 0.5 with their rules
			f.Uses = loads
		}
		return nil, loaded, nil
	}
	f.Document.Uses, f.Document.MainText = loads, text
	all, targets, err := unpackLinks(links)
	if err != nil {
		return nil, nil, err
	}
	for i := range all {
		if targets[i] >= 0 {
			all[i].Address = name(targets[i])
		}
	}
	f.Document.Links = all
	return targets, loaded, nil
}

// Truncate implements record.Past.
func (p *Past) Truncate(ctx context.Context, n int) error {
	return p.store.asOwner(ctx, p.crawl, p.epoch, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, "delete from address where crawl_id = $1 and id >= $2", p.crawl, n)
		return err
	})
}
