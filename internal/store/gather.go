package store

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/check"
)

// copier is a transaction, or the pool where what is copied is a whole of its own.
type copier interface {
	CopyFrom(ctx context.Context, table pgx.Identifier, columns []string, rows pgx.CopyFromSource) (int64, error)
}

// saveFindings stores what was found on pages, or of the whole site where nobody gathers that.
func (k *Sink) saveFindings(ctx context.Context, to copier, found []check.Finding, whole bool) (err error) {
	defer k.undone(&err)
	if len(found) == 0 {
		return nil
	}
	rows := map[int32]*failingRow{}
	if err := k.gather(ctx, rows, found); err != nil {
		return fmt.Errorf("storing findings: %w", err)
	}
	return k.words.store(ctx, to, k.crawl, inOrder(rows), whole)
}

// mostWaiting bounds what was found on the whole site and waits for what else is found on the same pages.
const mostWaiting = 64 << 20

// SaveSite implements record.Sink.
func (k *Sink) SaveSite(ctx context.Context, found []check.Finding) (err error) {
	defer k.undone(&err)
	if err := k.ready(ctx); err != nil {
		return err
	}
	if k.site == nil {
		k.site = map[int32]*failingRow{}
	}
	if err := k.gather(ctx, k.site, found); err != nil {
		return err
	}
	if k.waits += 40 * len(found); k.waits < mostWaiting {
		return nil
	}
	return k.saveWaiting(ctx)
}

// gather adds findings to what fails on their pages.
func (k *Sink) gather(ctx context.Context, rows map[int32]*failingRow, found []check.Finding) (err error) {
	if k.words == nil {
		if k.words, err = k.store.newArchivist(ctx, k.crawl); err != nil {
			return err
		}
	}
	numbers, err := k.store.checkNumbers.of(ctx, k.store, found)
	if err != nil {
		return err
	}
	for i := range found {
		f := &found[i]
		row := rows[f.Page]
		if row == nil {
			row = &failingRow{page: f.Page}
			rows[f.Page] = row
		}
		if err := k.words.add(row, f, numbers[f.Check.ID]); err != nil {
			return err
		}
	}
	return nil
}

// undone forgets, after an error, what was numbered and may not be stored.
func (k *Sink) undone(err *error) {
	if *err != nil {
		k.packer, k.keeper, k.words, k.lasts = nil, nil, nil, false
	}
}

func (k *Sink) saveWaiting(ctx context.Context) (err error) {
	if len(k.site) == 0 {
		return nil
	}
	defer k.undone(&err)
	rows := inOrder(k.site)
	k.site, k.waits = nil, 0
	return k.store.asOwner(ctx, k.crawl, k.epoch, func(tx pgx.Tx) error {
		return k.words.store(ctx, tx, k.crawl, rows, true)
	})
}

func inOrder(rows map[int32]*failingRow) []failingRow {
	out := make([]failingRow, 0, len(rows))
	for _, id := range slices.Sorted(maps.Keys(rows)) {
		out = append(out, *rows[id])
	}
	return out
}

// DropSite implements record.Sink.
func (k *Sink) DropSite(ctx context.Context) error {
	return k.store.asOwner(ctx, k.crawl, k.epoch, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, "delete from failing where crawl_id = $1 and whole", k.crawl)
		return err
	})
}
