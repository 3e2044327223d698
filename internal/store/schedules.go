package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/schedule"
	"harvik/internal/record"
)

// scheduleRow is a schedule with its columns of JSON.
type scheduleRow struct {
	ID   int64
	Site string
	Home string
	Body kept[schedule.Schedule]
	Due  *time.Time
	Last kept[*record.Turnout]
}

const scheduleColumns = `select c.id, s.name as site, s.home, c.body, c.due, c.last
	from schedule c join site s on s.id = c.site_id `

func schedulesOf(rows []scheduleRow) []record.Scheduled {
	out := make([]record.Scheduled, len(rows))
	for i, r := range rows {
		out[i] = record.Scheduled{ID: r.ID, Site: r.Site, Home: r.Home, Schedule: r.Body.value, Due: r.Due,
			Last: r.Last.value}
	}
	return out
}

// Schedules are those of a site, "" for all, by the names of sites and their own.
func (s *Store) Schedules(ctx context.Context, site string) ([]record.Scheduled, error) {
	rows := []scheduleRow{}
	err := s.db.SelectContext(ctx, &rows, scheduleColumns+"where $1 = '' or s.name = $1 order by s.name, c.name", site)
	return schedulesOf(rows), err
}

// DueSchedules are those that are due by a time, the longest due first.
func (s *Store) DueSchedules(ctx context.Context, by time.Time) ([]record.Scheduled, error) {
	rows := []scheduleRow{}
	err := s.db.SelectContext(ctx, &rows, scheduleColumns+"where c.due <= $1 order by c.due, c.id", by)
	return schedulesOf(rows), err
}

// PutSchedule keeps a schedule of a site, in place of what had its name; due is when it comes first, nil for never.
func (s *Store) PutSchedule(ctx context.Context, site int64, c schedule.Schedule, due *time.Time) error {
	body, err := encode(c)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `insert into schedule (site_id, name, body, due) values ($1, $2, cast($3 as jsonb), $4)
		on conflict (site_id, name) do update set body = excluded.body, due = excluded.due`, site, c.Name, string(body), due)
	return err
}

// RemoveSchedule forgets a schedule; record.ErrNotFound where there is none.
func (s *Store) RemoveSchedule(ctx context.Context, site int64, name string) error {
	return s.drop(ctx, "delete from schedule where site_id = $1 and name = $2", site, name)
}

// PassOver sets when a schedule is due next, with what came of it, and begins nothing; record.ErrBusy where another
// process was quicker.
func (s *Store) PassOver(ctx context.Context, turn record.Turn) error {
	return s.inTx(ctx, func(tx pgx.Tx) error { return takeTurn(ctx, tx, turn) })
}

// takeTurn sets when a schedule is due next, unless that was done.
func takeTurn(ctx context.Context, tx pgx.Tx, turn record.Turn) error {
	last, err := encode(turn.Last)
	if err != nil {
		return err
	}
	tag, err := tx.Exec(ctx, "update schedule set due = $3, last = cast($4 as jsonb) where id = $1 and due = $2", turn.Schedule,
		turn.Due, turn.Next, string(last))
	if err == nil && tag.RowsAffected() == 0 {
		err = record.ErrBusy
	}
	return err
}

// OutOfHours are the running crawls that may run at some hours alone, and the paused ones that wait for theirs.
func (s *Store) OutOfHours(ctx context.Context) ([]record.Crawl, error) {
	var rows []crawlRow
	err := s.db.SelectContext(ctx, &rows, crawlColumns+`where c.hours is not null and
		(c.state = 'running' or c.state = 'paused' and c.waits = $1) order by c.id`, record.WaitsForHours)
	return crawlsOf(rows), err
}

// AnyTime lets a crawl run at any time of the day.
func (s *Store) AnyTime(ctx context.Context, crawl int64) error {
	_, err := s.pool.Exec(ctx, "update crawl set hours = null where id = $1 and hours is not null", crawl)
	return err
}

// Setting reads what is set for all sites into a value, and leaves it as it is where nothing is.
func (s *Store) Setting(ctx context.Context, name string, into any) error {
	var rows [][]byte
	if err := s.db.SelectContext(ctx, &rows, "select body from setting where name = $1", name); err != nil || len(rows) == 0 {
		return err
	}
	return decode(rows[0], into)
}

// Set sets something for all sites.
func (s *Store) Set(ctx context.Context, name string, value any) error {
	body, err := encode(value)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `insert into setting (name, body) values ($1, cast($2 as jsonb))
		on conflict (name) do update set body = excluded.body`, name, string(body))
	return err
}
