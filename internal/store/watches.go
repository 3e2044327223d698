package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// watchRow is a watch with its columns of JSON.
type watchRow struct {
	ID     int64
	SiteID int64
	Site   string
	Body   kept[watch.Watch]
	Due    *time.Time
	State  kept[watch.State]
}

const watchColumns = "w.id, w.site_id, s.name as site, w.body, w.due, w.state"

func watchesOf(rows []watchRow) []record.Watched {
	out := make([]record.Watched, len(rows))
	for i, r := range rows {
		out[i] = record.Watched{ID: r.ID, SiteID: r.SiteID, Site: r.Site, Watch: r.Body.value, Due: r.Due,
			State: r.State.value}
	}
	return out
}

// Watches are those of a site, "" for all, by the names of sites and their own.
func (s *Store) Watches(ctx context.Context, site string) ([]record.Watched, error) {
	rows := []watchRow{}
	err := s.db.SelectContext(ctx, &rows, "select "+watchColumns+` from watch w join site s on s.id = w.site_id
		where $1 = '' or s.name = $1 order by s.name, w.name`, site)
	return watchesOf(rows), err
}

// PutWatch keeps a watch of a site, in place of what had its name; due is when it is looked at next, nil for never.
// What is known of the address stays only where it is the same.
func (s *Store) PutWatch(ctx context.Context, site int64, w watch.Watch, due *time.Time) error {
	body, err := encode(w)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(
		ctx,
		`insert into watch as o (site_id, name, body, due) values ($1, $2, cast($3 as jsonb), $4)
		on conflict (site_id, name) do update set body = excluded.body, due = excluded.due,
			state = case when o.body ->> 'Address' = excluded.body ->> 'Address' then o.state else '{}' end`,
		site,
		w.Name,
		string(body),
		due,
	)
	return err
}

// RemoveWatch forgets a watch with all that it saw; record.ErrNotFound where there is none.
func (s *Store) RemoveWatch(ctx context.Context, site int64, name string) error {
	return s.drop(ctx, "delete from watch where site_id = $1 and name = $2", site, name)
}

// TakeWatches takes watches that are due by a time, at most so many, and sets when each is due next: what another
// process takes is left alone.
func (s *Store) TakeWatches(ctx context.Context, by time.Time, most int) ([]record.Watched, error) {
	rows := []watchRow{}
	// A look that was missed is not made up for: the next is as many minutes after this one was due as it takes to be
	// in the future.
	err := s.db.SelectContext(ctx, &rows, `update watch w set due = w.due + make_interval(mins =>
			cast(w.body ->> 'Every' as int) * cast(ceil(extract(epoch from $1 - w.due + interval '1 second') / 60 / cast(w.body ->> 'Every' as int)) as int))
		from site s where s.id = w.site_id and w.id in (select id from watch where due <= $1 order by due, id limit $2 for update skip locked)
		returning `+watchColumns, by, most)
	return watchesOf(rows), err
}

// SaveRound stores what looks came to.
func (s *Store) SaveRound(ctx context.Context, r record.Round) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var b pgx.Batch
		b.Queue("set local synchronous_commit = off") // a look that is lost in a crash is one that was not made
		for id, state := range r.States {
			body, err := encode(state)
			if err != nil {
				return err
			}
			b.Queue("update watch set state = cast($2 as jsonb) where id = $1", id, string(body))
		}
		for _, l := range r.Looks {
			b.Queue(`insert into watch_look select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11
				where exists (select from watch where id = $1) on conflict do nothing`, l.Watch, l.At, l.Status, l.Down,
				l.Planned, l.Tries, l.Timing[0], l.Timing[1], l.Timing[2], l.Timing[3], l.Timing[4])
		}
		for _, o := range r.Outages {
			if o.Ended == nil {
				b.Queue(`insert into outage (watch_id, began, reason, planned) select $1, $2, $3, $4
					where exists (select from watch where id = $1)`, o.Watch, o.Began, clean(o.Reason), o.Planned)
			} else {
				b.Queue("update outage set ended = $2 where watch_id = $1 and ended is null", o.Watch, *o.Ended)
			}
		}
		queueChanges(&b, r.Changes)
		return tx.SendBatch(ctx, &b).Close()
	})
}

// mostSaid is how much of a changed thing is kept.
const mostSaid = 100_000

func queueChanges(b *pgx.Batch, changes []record.Noticed) {
	for _, c := range changes {
		b.Queue(
			`insert into change (site_id, watch_id, at, what, was, now) select $1, nullif($2::bigint, 0), $3, $4, $5, $6
			where exists (select from site where id = $1)`,
			c.SiteID,
			c.Watch,
			c.At,
			c.What,
			clean(c.Was[:min(len(c.Was), mostSaid)]),
			clean(c.Now[:min(len(c.Now), mostSaid)]),
		)
	}
}

// Course is what is known of how watches of a site did from one time to another, by watch: every look while those are
// kept, hours and days before that.
func (s *Store) Course(
	ctx context.Context,
	watches []int64,
	from, until time.Time,
) (map[int64][]watch.Course, error) {
	return s.courses(ctx, looksAs+` where watch_id = any($1) and at >= $2 and at < $3
		union all select c.watch_id, c.at, c.looks, c.down, c.planned, null, c.times from watch_course c
			where c.watch_id = any($1) and c.at >= $2 and c.at < $3 and c.at < coalesce(
				(select date_trunc('hour', min(at)) from watch_look l where l.watch_id = c.watch_id), 'infinity')
			and (c.grain = 'hour' or c.at < coalesce((select date_trunc('day', min(at), 'UTC') from watch_course h
				where h.watch_id = c.watch_id and h.grain = 'hour'), 'infinity'))
		order by 2`, watches, from, until)
}

// looksAs are looks, as courses of one each.
const looksAs = `select watch_id, at, 1 - planned::int, (down and not planned)::int, planned::int,
	case when down or planned then null else whole_ms end, null::jsonb from watch_look`

func (s *Store) courses(ctx context.Context, sql string, args ...any) (map[int64][]watch.Course, error) {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	out := map[int64][]watch.Course{}
	var id int64
	var c watch.Course
	var ms *int
	var times kept[watch.Times]
	_, err = pgx.ForEachRow(rows, []any{&id, &c.At, &c.Looks, &c.Down, &c.Planned, &ms, &times}, func() error {
		c.Times = times.value
		if ms != nil {
			c.Times = watch.Times{watch.StepOf(*ms): 1}
		}
		out[id] = append(out[id], c)
		times.value = nil
		return nil
	})
	return out, err
}

// summedUp says up to when looks are summed up, by day and by hour.
const summedUp = `with last as (select
	coalesce((select max(at) + interval '1 day' from watch_course where grain = 'day'), '-infinity') as day,
	coalesce((select max(at) + interval '1 hour' from watch_course where grain = 'hour'), '-infinity') as hour)`

// Lately is how watches did since a time, by watch: from days, the hours after the last of them, and the looks after
// the last of those.
func (s *Store) Lately(ctx context.Context, watches []int64, since time.Time) (map[int64]watch.Course, error) {
	parts, err := s.courses(ctx, summedUp+` select watch_id, at, looks, down, planned, null::int, times from watch_course, last
			where watch_id = any($1) and at >= $2 and (grain = 'day' or grain = 'hour' and at >= day)
		union all `+looksAs+", last where watch_id = any($1) and at >= $2 and at >= hour", watches, since)
	out := map[int64]watch.Course{}
	for id, all := range parts {
		var whole watch.Course
		for i := range all {
			whole.Join(&all[i])
		}
		out[id] = whole
	}
	return out, err
}

// Phases are the medians of the phases of a watch's looks from one time to another, in milliseconds, as far as they are
// kept.
func (s *Store) Phases(ctx context.Context, id int64, from, until time.Time) (out [5]int, err error) {
	var all []float64
	err = s.pool.QueryRow(ctx, `select array[percentile_cont(0.5) within group (order by resolve_ms),
		percentile_cont(0.5) within group (order by connect_ms), percentile_cont(0.5) within group (order by tls_ms),
		percentile_cont(0.5) within group (order by first_ms), percentile_cont(0.5) within group (order by whole_ms)]
		from watch_look where watch_id = $1 and at >= $2 and at < $3 and not down having count(*) > 0`, id, from, until).Scan(&all)
	for i := range min(len(all), len(out)) {
		out[i] = int(all[i] + 0.5)
	}
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return out, err
}

// Outages are those of a site, "" for all, that were not over at a time, the newest first, at most so many.
func (s *Store) Outages(
	ctx context.Context,
	site string,
	watchID int64,
	since time.Time,
	most int,
) ([]record.Outage, error) {
	out := []record.Outage{}
	err := s.db.SelectContext(
		ctx,
		&out,
		`select o.id, o.watch_id as watch, s.name as site, w.name, w.body ->> 'Address' as address,
		o.began, o.ended, o.reason, o.planned from outage o join watch w on w.id = o.watch_id join site s on s.id = w.site_id
		where ($1 = '' or s.name = $1) and ($2 = 0 or w.id = $2) and (o.ended is null or o.ended > $3)
		order by o.began desc, o.id desc limit $4`,
		site,
		watchID,
		since,
		most,
	)
	return out, err
}

// noticedRow is something that was otherwise than before.
type noticedRow struct {
	ID, SiteID, Watch int64
	Name              string
	At                time.Time
	What, Was, Now    string
}

const noticedColumns = `select c.id, c.site_id, coalesce(c.watch_id, 0) as watch, coalesce(w.name, '') as name,
	c.at, c.what, c.was, c.now from change c left join watch w on w.id = c.watch_id `

func noticedOf(rows []noticedRow) []record.Noticed {
	out := make([]record.Noticed, len(rows))
	for i, r := range rows {
		out[i] = record.Noticed{ID: r.ID, SiteID: r.SiteID, Watch: r.Watch, Name: r.Name, At: r.At,
			Change: watch.Change{What: r.What, Was: r.Was, Now: r.Now}}
	}
	return out
}

// Changes are those of a site since a time, the newest first, at most so many; of one watch where it is named.
func (s *Store) Changes(ctx context.Context, site, watchID int64, since time.Time, most int) ([]record.Noticed, error) {
	rows := []noticedRow{}
	err := s.db.SelectContext(ctx, &rows, noticedColumns+`where c.site_id = $1 and ($2 = 0 or c.watch_id = $2) and c.at > $3
		order by c.at desc, c.id desc limit $4`, site, watchID, since, most)
	return noticedOf(rows), err
}

// KeepsLooks is for how many days looks are kept one by one, and by hour.
func (s *Store) KeepsLooks(ctx context.Context) (record.LooksKept, error) {
	out := record.UsualLooks
	err := s.Setting(ctx, record.LooksSetting, &out)
	return out, err
}

// SumUp keeps looks by hour and day, and lets those go that are older than what is kept one by one.
func (s *Store) SumUp(ctx context.Context, now time.Time) error {
	keep, err := s.KeepsLooks(ctx)
	if err != nil {
		return err
	}
	const day = 24 * time.Hour
	looksKept, hoursKept := time.Duration(keep.Days)*day, time.Duration(keep.Hours)*day
	return s.inTx(ctx, func(tx pgx.Tx) error {
		for _, sql := range []string{
			`with steps as (select watch_id, date_trunc('hour', at) as hour, down, planned,
					case when not down then cast(trunc(ln(greatest(whole_ms, 1)::float8) / ln($2::float8)) as int) end as step, count(*) as n
				from watch_look where at < date_trunc('hour', $1::timestamptz - interval '5 minutes')
				and at >= coalesce((select max(at) from watch_course where grain = 'hour'), '-infinity')
				group by 1, 2, 3, 4, 5),
			times as (select watch_id, hour, step, sum(n) as n from steps where not planned and step is not null group by 1, 2, 3)
			insert into watch_course (watch_id, grain, at, looks, down, planned, times)
			select s.watch_id, 'hour', s.hour, coalesce(sum(n) filter (where not planned), 0), coalesce(sum(n) filter (where down and not planned), 0),
				coalesce(sum(n) filter (where planned), 0),
				coalesce((select jsonb_object_agg(step, n) from times t where t.watch_id = s.watch_id and t.hour = s.hour), '{}')
			from steps s group by s.watch_id, s.hour on conflict do nothing`,
			`with days as (select watch_id, date_trunc('day', at, 'UTC') as day, looks, down, planned, times from watch_course
				where grain = 'hour' and at < date_trunc('day', $1::timestamptz - interval '1 hour', 'UTC') and $2::float8 > 0
				and at >= coalesce((select max(at) from watch_course where grain = 'day'), '-infinity')),
			steps as (select watch_id, day, key, sum(value::int) as n from days, jsonb_each_text(times) group by 1, 2, 3)
			insert into watch_course (watch_id, grain, at, looks, down, planned, times)
			select watch_id, 'day', day, sum(looks), sum(down), sum(planned), coalesce((select jsonb_object_agg(key, n)
				from steps s where s.watch_id = d.watch_id and s.day = d.day), '{}')
			from days d group by watch_id, day on conflict do nothing`,
		} {
			if _, err := tx.Exec(ctx, sql, now, watch.Growth); err != nil {
				return fmt.Errorf("summing up looks: %w", err)
			}
		}
		for sql, kept := range map[string]time.Duration{
			"delete from watch_look where at < date_trunc('hour', $1::timestamptz)":                            looksKept,
			"delete from watch_course where grain = 'hour' and at < date_trunc('day', $1::timestamptz, 'UTC')": hoursKept,
			"delete from maintenance where ends < $1":                                                          hoursKept,
			"delete from change where at < $1":                                                                 hoursKept,
			"delete from outage where ended is not null and ended < $1":                                        3 * hoursKept,
		} {
			if _, err := tx.Exec(ctx, sql, now.Add(-kept)); err != nil {
				return err
			}
		}
		return nil
	})
}

// AddMaintenance says when a site is worked at.
func (s *Store) AddMaintenance(ctx context.Context, m record.Maintenance) (record.Maintenance, error) {
	err := s.pool.QueryRow(ctx, "insert into maintenance (site_id, began, ends, reason) values ($1, $2, $3, $4) returning id",
		m.SiteID, m.Began, m.Ends, clean(m.Reason)).
		Scan(&m.ID)
	return m, err
}

// Maintenances are those of a site, 0 for all sites, that are not over at a time, the earliest first.
func (s *Store) Maintenances(ctx context.Context, site int64, at time.Time) ([]record.Maintenance, error) {
	out := []record.Maintenance{}
	err := s.db.SelectContext(ctx, &out, `select id, site_id, began, ends, reason from maintenance
		where ($1 = 0 or site_id = $1) and ends > $2 order by began, id`, site, at)
	return out, err
}

// RemoveMaintenance ends one; record.ErrNotFound where there is none.
func (s *Store) RemoveMaintenance(ctx context.Context, site, id int64) error {
	return s.drop(ctx, "delete from maintenance where site_id = $1 and id = $2", site, id)
}

// TakeFronts takes sites whose front is to be looked at by a time, at most so many, and sets when they are next.
func (s *Store) TakeFronts(ctx context.Context, by time.Time, most int) ([]record.Front, error) {
	return s.fronts(ctx, `with taken as (update front set due = $1 + interval '1 day'
		where site_id in (select site_id from front where due <= $1 order by due limit $2 for update skip locked)
		returning site_id, due, body) select s.name as site, s.home, d.due, d.body from taken d join site s on s.id = d.site_id`, by, most)
}

// Fronts are those of a site, "" for all.
func (s *Store) Fronts(ctx context.Context, site string) ([]record.Front, error) {
	return s.fronts(ctx, `select s.name as site, s.home, d.due, d.body from front d join site s on s.id = d.site_id
		where $1 = '' or s.name = $1 order by s.name`, site)
}

func (s *Store) fronts(ctx context.Context, sql string, args ...any) ([]record.Front, error) {
	var rows []struct {
		Site, Home string
		Due        *time.Time
		Body       kept[*watch.Front]
	}
	err := s.db.SelectContext(ctx, &rows, sql, args...)
	out := make([]record.Front, len(rows))
	for i, r := range rows {
		out[i] = record.Front{Site: r.Site, Home: r.Home, Due: r.Due, Now: r.Body.value}
	}
	return out, err
}

// SetFront says when a site's front is looked at next, nil for never.
func (s *Store) SetFront(ctx context.Context, site int64, due *time.Time) error {
	_, err := s.pool.Exec(ctx, `insert into front (site_id, due) values ($1, $2)
		on conflict (site_id) do update set due = excluded.due`, site, due)
	return err
}

// SaveFront stores what a site shows, and what of it is otherwise than before.
func (s *Store) SaveFront(ctx context.Context, site int64, now *watch.Front, changes []record.Noticed) error {
	body, err := encode(now)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var b pgx.Batch
		b.Queue("update front set body = cast($2 as jsonb) where site_id = $1", site, string(body))
		queueChanges(&b, changes)
		return tx.SendBatch(ctx, &b).Close()
	})
}
