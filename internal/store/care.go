package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/care"
	"harvik/internal/record"
)

// KeepStep keeps what the step in health to a crawl comes from.
func (s *Store) KeepStep(ctx context.Context, crawl int64, step record.Step) error {
	body, err := encode(step)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "update crawl set step = cast($2 as jsonb) where id = $1", crawl, string(body))
	return err
}

// mostCourse is how many crawls the course of health has.
const mostCourse = 12

// Care is how all sites stand, in no order, at a time.
func (s *Store) Care(ctx context.Context, now time.Time) ([]care.Site, error) {
	rows, err := s.pool.Query(ctx, `select s.name, s.home, s.groups, l.number, l.finished, l.health, l.step, l.errors, l.lost,
			coalesce((select array_agg(h order by n) from (select c.health as h, c.number as n from crawl c
				where c.site_id = s.id and c.state = 'finished' and c.health is not null order by c.number desc limit $2) k), '{}'),
			n.number, n.state, n.detail,
			(select count(*) from task t where t.site_id = s.id and t.state = 'returned'),
			coalesce((select array_agg(distinct who order by who) from (
				select assignee as who from task where site_id = s.id and assignee <> '' and state in ('open', 'taken', 'claimed', 'returned')
				union select assignee from alert where site_id = s.id and assignee <> '' and state in ('new', 'read') and (not lasts or ended is null)) w), '{}'),
			coalesce((select array_agg(w.name order by w.name) from watch w where w.site_id = s.id and w.due is not null
				and (w.state ->> 'Down')::boolean), '{}'),
			(select min(c.due) from schedule c where c.site_id = s.id),
			a.new, a.urgent, a.says
		from site s
		left join lateral (select c.number, c.finished, c.health, c.step, e.errors, e.lost from crawl c
			left join lateral (select count(*) as errors, coalesce(sum((l ->> 'Points')::float8), 0) as lost
				from jsonb_array_elements(c.report -> 'Ledger') l where coalesce(l ->> 'Severity', 'error') = 'error') e on true
			where c.site_id = s.id and c.state = 'finished' order by c.number desc limit 1) l on true
		left join lateral (select c.number, c.state, c.detail from crawl c where c.site_id = s.id order by c.number desc limit 1) n on true
		left join lateral (select count(*) as new, count(*) filter (where (body ->> 'Urgent')::boolean and ended is null) as urgent,
				(array_agg(body ->> 'Says' order by coalesce((body ->> 'Urgent')::boolean and ended is null, false) desc, id desc))[1] as says
			from alert where site_id = s.id and state = 'new' and coalesce(until, $1) <= $1) a on true`, now, mostCourse)
	if err != nil {
		return nil, err
	}
	var out []care.Site
	var name, home string
	var number, errors, newest *int
	var finished, due *time.Time
	var health, lost *float64
	var step kept[record.Step]
	var course []float64
	var state, detail, says *string
	var returned, news, urgent int
	var groups, assignees, down []string
	into := []any{
		&name,
		&home,
		&groups,
		&number,
		&finished,
		&health,
		&step,
		&errors,
		&lost,
		&course,
		&newest,
		&state,
		&detail,
		&returned,
		&assignees,
		&down,
		&due,
		&news,
		&urgent,
		&says,
	}
	_, err = pgx.ForEachRow(rows, into, func() error {
		one := care.Site{
			Name:   name,
			Home:   home,
			Groups: groups,
			Health: clone(health),
			Course: course,
			Latest: of(number),
			At:     of(finished),
			Errors: of(
				errors,
			),
			Lost:      of(lost),
			Returned:  returned,
			Down:      down,
			Alerts:    news,
			Urgent:    urgent,
			Says:      of(says),
			Next:      of(due),
			State:     of(state),
			Detail:    of(detail),
			Assignees: assignees,
			Before:    step.value.Before,
			Change:    step.value.Change,
			Cause:     step.value.Cause,
		}
		if one.State == "running" {
			one.Running = of(newest)
		}
		if one.Before == 0 && len(course) > 1 { // of before such steps were kept
			one.Change = course[len(course)-1] - course[len(course)-2]
		}
		out = append(out, one)
		step.value, course, groups, assignees, down = record.Step{}, nil, nil, nil, nil
		return nil
	})
	if err != nil {
		return nil, err
	}
	return out, s.watched(ctx, out, now)
}

// clone copies what a pointer names, nil for nil: rows are read into the same places.
func clone[T any](p *T) *T {
	if p == nil {
		return nil
	}
	v := *p
	return &v
}

// of is what a pointer names, the zero value for nil.
func of[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// watched adds how the watched addresses of sites did in the last 30 days.
func (s *Store) watched(ctx context.Context, sites []care.Site, now time.Time) error {
	rows, err := s.pool.Query(ctx, summedUp+`, looks as (select watch_id, looks, down from watch_course, last where at >= $1 and (grain = 'day' or grain = 'hour' and at >= day)
			union all select watch_id, 1 - planned::int, (down and not planned)::int from watch_look, last where at >= $1 and at >= hour)
		select s.name, sum(l.looks), sum(l.down) from looks l join watch w on w.id = l.watch_id join site s on s.id = w.site_id group by 1`,
		now.AddDate(0, 0, -30))
	if err != nil {
		return err
	}
	at := map[string]int{}
	for i := range sites {
		at[sites[i].Name] = i
	}
	var name string
	var looks, down int
	_, err = pgx.ForEachRow(rows, []any{&name, &looks, &down}, func() error {
		if i, ok := at[name]; ok {
			sites[i].Looks, sites[i].Missed = looks, down
		}
		return nil
	})
	return err
}
