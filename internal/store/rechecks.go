package store

import (
	"context"

	"harvik/internal/record"
)

// AddRecheck makes the next recheck of a crawl and returns its number.
func (s *Store) AddRecheck(ctx context.Context, crawlID int64, r record.Recheck) (number int, err error) {
	body, err := encode(r)
	if err != nil {
		return 0, err
	}
	err = s.db.GetContext(ctx, &number, `insert into recheck (crawl_id, number, state, body)
		select $1, coalesce(max(number), 0) + 1, $3, cast($2 as jsonb) from recheck where crawl_id = $1 returning number`, crawlID, string(body), r.State)
	return number, err
}

// SaveRecheck stores how a recheck stands.
func (s *Store) SaveRecheck(ctx context.Context, crawlID int64, r *record.Recheck) error {
	body, err := encode(r)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx,
		"update recheck set body = cast($3 as jsonb), state = $4 where crawl_id = $1 and number = $2", crawlID, r.Number, string(body), r.State)
	return err
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

// CutRechecks marks rechecks that were running when the service last ended.
func (s *Store) CutRechecks(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `update recheck set state = 'failed',
		body = body - 'state' || '{"State": "failed", "Detail": "the service ended before the recheck had; run it again"}' where state = 'running'`)
	return err
}
