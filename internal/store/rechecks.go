package store

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// AddRecheck makes the next recheck of a crawl, leaves it to the queue, and returns its number.
func (s *Store) AddRecheck(ctx context.Context, crawlID int64, r record.Recheck) (number int, err error) {
	body, err := encode(r)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `insert into recheck (crawl_id, number, state, body)
			select $1, coalesce(max(number), 0) + 1, $3, cast($2 as jsonb) from recheck where crawl_id = $1 returning number`,
			crawlID, string(body), r.State).Scan(&number); err != nil {
			return err
		}
		return s.leave(ctx, tx, record.Todo{What: record.ToRecheck, Crawl: crawlID, Number: number})
	})
	return number, err
}

// TakeRecheck takes a recheck up that has not ended, for one of its tries; record.ErrLost where it has, or a later try
// is at it.
func (s *Store) TakeRecheck(ctx context.Context, crawlID int64, number, try int) (r record.Recheck, err error) {
	var body []byte
	err = s.db.GetContext(ctx, &body, `update recheck set try = $3
		where crawl_id = $1 and number = $2 and state = 'running' and try <= $3 returning body`, crawlID, number, try)
	if errors.Is(found(err), record.ErrNotFound) {
		return r, record.ErrLost
	}
	if err == nil {
		err = decode(body, &r)
	}
	r.Number = number
	return r, err
}

// SaveRecheck stores how a recheck stands, for one of its tries; record.ErrLost where it has ended, or a later try is
// at it.
func (s *Store) SaveRecheck(ctx context.Context, crawlID int64, r *record.Recheck, try int) error {
	body, err := encode(r)
	if err != nil {
		return err
	}
	tag, err := s.pool.Exec(ctx, `update recheck set body = cast($3 as jsonb), state = $4
		where crawl_id = $1 and number = $2 and state = 'running' and try = $5`, crawlID, r.Number, string(body), r.State, try)
	return held(tag.RowsAffected(), err)
}

// Rechecks are those of a crawl, the newest first.
func (s *Store) Rechecks(ctx context.Context, crawlID int64) ([]record.Recheck, error) {
	rows := []struct {
		Number int
		Body   []byte
	}{}
	if err := s.db.SelectContext(ctx, &rows,
		"select number, body from recheck where crawl_id = $1 order by number desc", crawlID); err != nil {
		return nil, err
	}
	out := make([]record.Recheck, len(rows))
	for i, r := range rows {
		if err := decode(r.Body, &out[i]); err != nil {
			return nil, err
		}
		out[i].Number = r.Number
	}
	return out, nil
}

// RecheckOf is one of a crawl; record.ErrNotFound where there is none of that number.
func (s *Store) RecheckOf(ctx context.Context, crawlID int64, number int) (r record.Recheck, err error) {
	var body []byte
	err = found(
		s.db.GetContext(ctx, &body, "select body from recheck where crawl_id = $1 and number = $2", crawlID, number),
	)
	if err == nil {
		err = decode(body, &r)
	}
	r.Number = number
	return r, err
}
