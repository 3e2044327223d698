package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// mostInLetter is how many of each thing a letter tells of a site.
const mostInLetter = 5

// Week is what happened at a site from one time to another.
func (s *Store) Week(ctx context.Context, site record.Site, from, until time.Time) (out record.LetterSite, err error) {
	out.Site = site.Name
	var step kept[record.Step]
	err = s.pool.QueryRow(ctx, `select l.number, l.health, l.step,
			(select health from crawl c where c.site_id = $1 and c.state = 'finished' and c.finished < $2 order by c.number desc limit 1),
			(select count(*) from crawl c where c.site_id = $1 and c.state = 'finished' and c.finished >= $2 and c.finished < $3)
		from crawl l where l.site_id = $1 and l.state = 'finished' and l.finished < $3 order by l.number desc limit 1`, site.ID, from, until).
		Scan(&out.Latest, &out.Health, &step, &out.Before, &out.Crawls)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	if err != nil {
		return out, err
	}
	if out.Crawls > 0 {
		out.Cause = step.value.Cause
	}
	for _, q := range []struct {
		into *[]string
		sql  string
	}{
		// A fix is told by where it stood at the end of the week.
		{&out.Confirmed, `select t.line from task t where t.site_id = $1 and t.state = 'confirmed' and t.changed >= $2 and t.changed < $3
			order by t.changed desc limit $4`},
		{&out.Returned, `select t.line from task t where t.site_id = $1 and t.state = 'returned' and t.changed >= $2 and t.changed < $3
			order by t.changed desc limit $4`},
		{&out.Alerts, `select (body ->> 'Says') || case when ended is null then '' else ' (over)' end from alert
			where site_id = $1 and began >= $2 and began < $3 and state not in ('waved off', 'expected') order by id desc limit $4`},
	} {
		if err := s.db.SelectContext(ctx, q.into, q.sql, site.ID, from, until, mostInLetter); err != nil {
			return out, err
		}
	}
	return out, s.db.SelectContext(ctx, &out.Down, `select w.name || ' was down from ' || to_char(o.began at time zone 'UTC', 'DD Mon HH24:MI')
			|| coalesce(' to ' || to_char(o.ended at time zone 'UTC', 'DD Mon HH24:MI'), ' on') || ' UTC: ' || o.reason
		from outage o join watch w on w.id = o.watch_id where w.site_id = $1 and o.began >= $2 and o.began < $3 and not o.planned
		order by o.began desc limit $4`, site.ID, from, until, mostInLetter)
}
