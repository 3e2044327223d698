package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// mostTrail bounds what of the state of a thing the trail keeps, in bytes.
const mostTrail = 64 << 10

// Note adds a step to the trail.
func (s *Store) Note(ctx context.Context, t record.TrailStep) error {
	_, err := s.pool.Exec(ctx, `insert into trail (who, person_id, kind, place, what, site, subject, before, after)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`, clean(t.Who), t.Person, t.Kind, clean(t.Place), t.What, clean(t.Site),
		clean(t.Subject), body(t.Before), body(t.After))
	return err
}

// body is JSON as a column takes it; what is too long to keep is said to be.
func body(data []byte) any {
	switch {
	case len(data) == 0:
		return nil
	case len(data) > mostTrail:
		return `"too long to keep"`
	}
	return string(data)
}

// Trail are steps of the trail, the newest first.
func (s *Store) Trail(ctx context.Context, q record.TrailQuery) ([]record.TrailStep, error) {
	rows, err := s.pool.Query(ctx, `select id, at, who, person_id, kind, place, what, site, subject,
			coalesce(before, 'null'), coalesce(after, 'null') from trail
		where ($1 = '' or site = $1) and ($2 = '' or who = $2) and ($3 = '' or what = $3)
		and ($4 = 0 or id < $4) order by id desc limit $5`, q.Site, q.Who, q.What, q.Before, q.Limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (t record.TrailStep, err error) {
		err = row.Scan(
			&t.ID,
			&t.At,
			&t.Who,
			&t.Person,
			&t.Kind,
			&t.Place,
			&t.What,
			&t.Site,
			&t.Subject,
			&t.Before,
			&t.After,
		)
		return t, err
	})
}
