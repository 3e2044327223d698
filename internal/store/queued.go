package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river/rivertype"

	"harvik/internal/record"
)

// mostQueued bounds what is told of other work than crawls.
const mostQueued = 200

// Queue is who works, and at what.
func (s *Store) Queue(ctx context.Context) (out record.Queue, err error) {
	if out.Workers, err = s.Workers(ctx); err != nil {
		return out, err
	}
	if out.Seal, err = s.Seal(ctx); err != nil {
		return out, err
	}
	var rows []struct {
		record.Queued
		Now kept[record.Progress]
	}
	err = s.db.SelectContext(ctx, &rows, `select s.name as site, c.number, c.owner, coalesce(w.place, '') as place,
		coalesce(j.created_at, c.started) as since, c.epoch, coalesce(j.error, '') as error, coalesce(c.live, c.progress) as now
		from crawl c join site s on s.id = c.site_id left join worker w on w.name = c.owner
		left join (select distinct on (args ->> 'crawl') cast(args ->> 'crawl' as bigint) as crawl, created_at,
			errors[array_upper(errors, 1)] ->> 'error' as error from river_job where kind = $1
			order by args ->> 'crawl', id desc) j on j.crawl = c.id
		where c.state = 'running' order by c.owner = '', since, c.id`, crawlQueue)
	for i := range rows {
		rows[i].Queued.Now = rows[i].Now.value
		out.Crawls = append(out.Crawls, rows[i].Queued)
	}
	if err == nil {
		out.Jobs, err = s.jobs(ctx)
	}
	return out, err
}

// jobs are what else runs, waits or was given up. What comes each minute is told where nobody takes it, or it takes
// long.
func (s *Store) jobs(ctx context.Context) ([]record.Job, error) {
	out := []record.Job{}
	err := s.db.SelectContext(ctx, &out, `select j.id, j.args ->> 'what' as what,
		coalesce(j.args ->> 'site', s.name, '') as site, coalesce(c.number, 0) as crawl,
		coalesce((j.args ->> 'number')::int, 0) as number, greatest(j.attempt, 0) as tries,
		case when j.state = 'running' then $2 when j.state = 'discarded' then $3 when j.state = 'cancelled' then $4
			when j.errors is not null then $5 else $6 end as state,
		case when j.state = 'running' then coalesce(w.place, '') else '' end as place,
		case when j.state = 'running' then j.attempted_at when j.finalized_at is not null then j.finalized_at
			else j.created_at end as since,
		j.scheduled_at as next, coalesce(j.errors[array_upper(j.errors, 1)] ->> 'error', '') as error
		from river_job j left join crawl c on c.id = (j.args ->> 'crawl')::bigint left join site s on s.id = c.site_id
		left join worker w on w.name = j.attempted_by[array_upper(j.attempted_by, 1)]
		where j.kind = $1 and j.state <> 'completed' and (j.state <> 'cancelled' or j.finalized_at > now() - interval '1 hour')
			and not (j.args ->> 'what' = any($8) and (j.created_at > now() - interval '3 minutes' or j.state = 'cancelled'))
		order by j.state <> 'running', j.id limit $7`, todoKind, record.Runs, record.GivenUp, record.Cancelled, record.Again,
		record.Waits, mostQueued, record.ByTheClock)
	return out, err
}

// CancelJob takes work from the queue, and breaks it off where it runs; record.ErrNotFound where there is none of that
// number.
func (s *Store) CancelJob(ctx context.Context, id int64) error {
	return s.onJob(ctx, id, func(tx pgx.Tx) error {
		_, err := s.queue.JobCancelTx(ctx, tx, id)
		return err
	})
}

// RetryJob has work be tried at once that waits for its next try, was given up, or was cancelled; record.ErrNotFound
// where there is none of that number.
func (s *Store) RetryJob(ctx context.Context, id int64) error {
	return s.onJob(ctx, id, func(tx pgx.Tx) error {
		_, err := s.queue.JobRetryTx(ctx, tx, id)
		return err
	})
}

// onJob does something with work that is no crawl's: crawls are stopped and resumed as such.
func (s *Store) onJob(ctx context.Context, id int64, do func(tx pgx.Tx) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var kind string
		if err := tx.QueryRow(ctx, "select kind from river_job where id = $1 and state <> 'completed'", id).Scan(&kind); err != nil {
			return found(err)
		}
		if kind != todoKind {
			return record.Refuse("%d is a crawl: `harvik crawl` pauses, stops and resumes crawls", id)
		}
		err := do(tx)
		if errors.Is(err, rivertype.ErrNotFound) {
			return record.ErrNotFound
		}
		return err
	})
}

// deserted tells of a job j that is done by a worker who is not heard of for $1 seconds, or by an earlier one of the
// seat $2. Who has just begun may not have been heard of yet.
const deserted = `(attempted_at < now() - interval '1 second' and $2 <> '' and
	starts_with(j.attempted_by[array_upper(j.attempted_by, 1)], $2) or
	attempted_at < now() - make_interval(secs => $1) and not exists (select from worker w
		where w.name = j.attempted_by[array_upper(j.attempted_by, 1)] and w.seen > now() - make_interval(secs => $1)))`

// TakeBack gives work to the queue again that is done by workers who are not heard of for that long, or by earlier ones
// of a seat, and ends rechecks that nobody is to do any more.
func (s *Store) TakeBack(ctx context.Context, patience time.Duration, seat string) (taken int, err error) {
	tag, err := s.pool.Exec(ctx, `update river_job j set
		state = cast(case when max_attempts = 1 then 'cancelled' when attempt >= max_attempts then 'discarded' else 'available' end
			as river_job_state),
		finalized_at = case when attempt >= max_attempts then now() end, scheduled_at = now(),
		errors = array_append(errors, jsonb_build_object('at', now(), 'attempt', attempt, 'error', 'its worker ended', 'trace', ''))
		where kind = $3 and state = 'running' and `+deserted, patience.Seconds(), seat, todoKind)
	if err != nil {
		return 0, fmt.Errorf("taking work back: %w", err)
	}
	_, err = s.pool.Exec(ctx, `update recheck r set state = 'failed',
		body = body - 'state' || '{"State": "failed", "Detail": "it was broken off; run it again"}' where state = 'running'
		and not exists (select from river_job j where j.kind = $1 and j.args @> jsonb_build_object('what', cast($2 as text),
			'crawl', r.crawl_id, 'number', r.number) and j.state in ('available', 'running', 'retryable', 'scheduled', 'pending'))`,
		todoKind, record.ToRecheck)
	return int(tag.RowsAffected()), err
}

// Workers are those that are heard of, the one that began first first.
func (s *Store) Workers(ctx context.Context) ([]record.Worker, error) {
	var rows []struct {
		record.Worker
		Crawls, Judgings, Rechecks, Watches, Messages int
		Prints                                        string
	}
	err := s.db.SelectContext(
		ctx,
		&rows,
		`select name, place, crawls, judgings, rechecks, watches, messages, array_to_string(keys, ' ') as prints,
		started, seen from worker
		where seen > now() - make_interval(secs => $1) order by started, name`,
		forgotten.Seconds(),
	)
	out := make([]record.Worker, len(rows))
	for i, r := range rows {
		out[i] = r.Worker
		out[i].Hands = record.Hands{Crawls: r.Crawls, Judgings: r.Judgings, Rechecks: r.Rechecks,
			Watches: r.Watches, Messages: r.Messages}
		out[i].Keys = strings.Fields(r.Prints)
	}
	return out, err
}

// QueueLengths are how much of each queue waits, runs, is tried again, or was given up.
func (s *Store) QueueLengths(ctx context.Context) (out []record.QueueLength, err error) {
	var rows []struct {
		Queue, State string
		Jobs         int
		Oldest       float64
	}
	err = s.db.SelectContext(ctx, &rows, `select queue, case state when 'running' then $1 when 'discarded' then $2
			else case when errors is not null then $3 else $4 end end as state, count(*) as jobs,
			coalesce(max(extract(epoch from now() - case when state = 'running' then attempted_at else created_at end)), 0) as oldest
		from river_job where state in ('available', 'running', 'retryable', 'scheduled', 'discarded') group by 1, 2 order by 1, 2`,
		record.Runs, record.GivenUp, record.Again, record.Waits)
	for _, r := range rows {
		out = append(out, record.QueueLength{Queue: r.Queue, State: r.State, Jobs: r.Jobs,
			Oldest: time.Duration(r.Oldest * float64(time.Second))})
	}
	return out, err
}

// Connections are those to the database that are used now, and how many there may be.
func (s *Store) Connections() (used, most int) {
	stat := s.pool.Stat()
	return int(stat.AcquiredConns()), int(stat.MaxConns())
}
