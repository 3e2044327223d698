package store

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/record"
)

func saveSheet(ctx context.Context, tx pgx.Tx, crawlID int64, rules string, s *fixlist.Sheet) error {
	var b bytes.Buffer
	if err := s.Write(&b); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `insert into sheet (crawl_id, rules, body) values ($1, $2, $3)
		on conflict (crawl_id, rules) do update set body = excluded.body`, crawlID, rules, b.Bytes())
	return err
}

// Sheet is a crawl's: as it was judged where rules is empty, else as it was judged by other rules.
// record.ErrNotFound says that there is none.
func (s *Store) Sheet(ctx context.Context, crawlID int64, rules string) (*fixlist.Sheet, error) {
	var body []byte
	if err := s.db.GetContext(ctx, &body, "select body from sheet where crawl_id = $1 and rules = $2", crawlID,
		rules); err != nil {
		return nil, found(err)
	}
	sheet, err := fixlist.ReadSheet(bytes.NewReader(body))
	if errors.Is(err, fixlist.ErrOldSheet) {
		return nil, fmt.Errorf("%w: %w", record.ErrNotFound, err)
	}
	return sheet, err
}

// HasSheet tells whether a crawl has a sheet by some rules, without reading it.
func (s *Store) HasSheet(ctx context.Context, crawlID int64, rules string) (has bool, err error) {
	err = s.db.GetContext(ctx, &has, "select exists (select 1 from sheet where crawl_id = $1 and rules = $2)", crawlID,
		rules)
	return has, err
}

// KeepSheet stores a crawl as judged by other rules than its own, in place of any such before.
func (s *Store) KeepSheet(ctx context.Context, crawlID int64, rules string, sheet *fixlist.Sheet) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from sheet where crawl_id = $1 and rules <> ''", crawlID); err != nil {
			return err
		}
		return saveSheet(ctx, tx, crawlID, rules, sheet)
	})
}

// Layouts of earlier crawls.

func packLeader(leader []uint32) []byte {
	out := make([]byte, 0, 4*len(leader))
	for _, v := range leader {
		out = binary.BigEndian.AppendUint32(out, v)
	}
	return out
}

// KnownLayouts are those that a site's crawls met: leaders by name.
func (s *Store) KnownLayouts(ctx context.Context, site int64) (map[string][]uint32, error) {
	rows := []struct {
		Name   string
		Leader []byte
	}{}
	if err := s.db.SelectContext(ctx, &rows, "select name, leader from layout where site_id = $1", site); err != nil {
		return nil, err
	}
	out := map[string][]uint32{}
	for _, r := range rows {
		leader := make([]uint32, len(r.Leader)/4)
		for i := range leader {
			leader[i] = binary.BigEndian.Uint32(r.Leader[4*i:])
		}
		out[r.Name] = leader
	}
	return out, nil
}

// Reweigh puts a report of other waivers or another importance in the place of a finished crawl's:
// what was found stays, what it costs changes.
func (s *Store) Reweigh(ctx context.Context, crawlID int64, r *fixlist.Report, w record.Weighing) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var state string
		if err := tx.QueryRow(ctx, "select state from crawl where id = $1 for update", crawlID).Scan(&state); err != nil {
			return fmt.Errorf("taking the crawl: %w", err)
		}
		if state != "finished" {
			return nil // it goes on, and will be weighed when it ends
		}
		report, sore, err := summary(r)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update crawl set report = $2, weighed = $3, map = $4, health = $5 where id = $1",
			crawlID, report, w.Signature, sore, r.Health); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "delete from fix where crawl_id = $1", crawlID); err != nil {
			return err
		}
		if err := saveFixes(ctx, tx, crawlID, r.Fixes); err != nil {
			return err
		}
		n := len(r.Pages)
		ids, health, importance := make([]int32, n), make([]float64, n), make([]float64, n)
		errors, warnings, notices := make([]int32, n), make([]int32, n), make([]int32, n)
		for i, p := range r.Pages {
			ids[i], health[i], importance[i] = p.Page, p.Health, p.Importance
			errors[i], warnings[i], notices[i] = int32(p.Counts[check.Error]), int32(p.Counts[check.Warning]),
				int32(p.Counts[check.Notice])
		}
		if _, err := tx.Exec(ctx, `update standing s set health = v.health, importance = v.importance, errors = v.errors, warnings = v.warnings, notices = v.notices
			from unnest($2::int[], $3::float8[], $4::float8[], $5::int[], $6::int[], $7::int[]) as v(id, health, importance, errors, warnings, notices)
			where s.crawl_id = $1 and s.page_id = v.id
				and (s.health, s.importance, s.errors, s.warnings, s.notices) is distinct from (v.health, v.importance, v.errors, v.warnings, v.notices)`,
			crawlID, ids, health, importance, errors, warnings, notices); err != nil {
			return err
		}
		return saveMatches(ctx, tx, w)
	})
}

// saveMatches notes what each waiver covers, in order of number: two crawls of a site that do so at once would
// otherwise wait for each other.
func saveMatches(ctx context.Context, tx pgx.Tx, w record.Weighing) error {
	for _, id := range slices.Sorted(maps.Keys(w.Matches)) {
		m := w.Matches[id]
		if _, err := tx.Exec(ctx, "update waiver set findings = $2, pages = $3 where id = $1", id, m.Findings,
			m.Pages); err != nil {
			return err
		}
	}
	return nil
}
