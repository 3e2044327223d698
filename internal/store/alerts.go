package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/alert"
	"harvik/internal/record"
)

// Rules are those of a site that are its own.
func (s *Store) Rules(ctx context.Context, site int64) ([]alert.Rule, error) {
	var rows []struct{ Body kept[alert.Rule] }
	err := s.db.SelectContext(ctx, &rows, "select body from alert_rule where site_id = $1 order by name", site)
	out := make([]alert.Rule, len(rows))
	for i := range rows {
		out[i] = rows[i].Body.value
	}
	return out, err
}

// PutRule keeps a rule of a site, in place of what had its name.
func (s *Store) PutRule(ctx context.Context, site int64, r alert.Rule) error {
	body, err := encode(r)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `insert into alert_rule (site_id, name, body) values ($1, $2, cast($3 as jsonb))
		on conflict (site_id, name) do update set body = excluded.body`, site, r.Name, string(body))
	return err
}

// RemoveRule forgets a rule of a site; record.ErrNotFound where there is none of its own.
func (s *Store) RemoveRule(ctx context.Context, site int64, name string) error {
	return s.drop(ctx, "delete from alert_rule where site_id = $1 and name = $2", site, name)
}

// alertRow is an alert with its columns of JSON.
type alertRow struct {
	record.Alert
	Body kept[alert.Told]
}

const alertColumns = `select a.id, a.site_id, s.name as site, a.rule, a.what, a.subject, a.lasts, a.began, a.ended, a.body,
	a.over, a.state, a.until, a.assignee, a.reason from alert a join site s on s.id = a.site_id `

func alertsOf(rows []alertRow) []record.Alert {
	out := make([]record.Alert, len(rows))
	for i := range rows {
		out[i] = rows[i].Alert
		out[i].Told = rows[i].Body.value
	}
	return out
}

// OpenAlerts are those of a site that last, by rule.
func (s *Store) OpenAlerts(ctx context.Context, site int64) (map[string][]alert.Open, error) {
	var rows []alertRow
	err := s.db.SelectContext(
		ctx,
		&rows,
		alertColumns+"where a.site_id = $1 and a.lasts and a.ended is null order by a.id",
		site,
	)
	out := map[string][]alert.Open{}
	for _, a := range alertsOf(rows) {
		out[a.Rule] = append(
			out[a.Rule],
			alert.Open{Subject: a.Subject, Count: a.Told.Count, Fixes: a.Told.Fixes, Began: a.Began},
		)
	}
	return out, err
}

// LastTold is when each rule of a site last told of something.
func (s *Store) LastTold(ctx context.Context, site int64) (map[string]time.Time, error) {
	rows, err := s.pool.Query(
		ctx,
		"select rule, max(began) from alert where site_id = $1 and state <> $2 group by rule",
		site,
		record.AlertSilent,
	)
	if err != nil {
		return nil, err
	}
	out := map[string]time.Time{}
	var rule string
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{&rule, &at}, func() error { out[rule] = at; return nil })
	return out, err
}

// Tell opens alerts of a site and ends those that are over, and leaves to each way what it is to tell, all at once:
// what is told already stays as it is.
func (s *Store) Tell(ctx context.Context, site int64, n record.News) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		for i := range n.Alerts {
			if err := openAlert(ctx, tx, site, &n.Alerts[i], n.To[n.Alerts[i].Rule]); err != nil {
				return fmt.Errorf("telling of %s: %w", n.Alerts[i].Rule, err)
			}
		}
		for _, o := range n.Over {
			// Who was told that it began is told that it is over.
			if _, err := tx.Exec(ctx, `with over as (update alert set ended = $4, over = $5, changed = now()
				where site_id = $1 and rule = $2 and subject = $3 and lasts and ended is null returning id, state)
				insert into telling (alert_id, way_id, over) select t.alert_id, t.way_id, true from telling t join over o on o.id = t.alert_id
				where not t.over and o.state <> $6 on conflict do nothing`, site, o.Rule, o.Subject, o.At, clean(o.Says),
				record.AlertWaved); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "update change set told = true where id = any($1)", n.Told)
		return err
	})
}

func openAlert(ctx context.Context, tx pgx.Tx, site int64, a *record.Alert, ways []int64) error {
	body, err := encode(a.Told)
	if err != nil {
		return err
	}
	var id int64
	err = tx.QueryRow(ctx, `insert into alert (site_id, rule, what, subject, lasts, began, body, state, reason)
		values ($1, $2, $3, $4, $5, $6, cast($7 as jsonb), $8, $9) on conflict do nothing returning id`, site, a.Rule, a.What,
		clean(a.Subject), a.Lasts, a.Began, string(body), a.State, clean(a.Reason)).Scan(&id)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil // it was told
	}
	if err != nil || a.State == record.AlertSilent {
		return err
	}
	_, err = tx.Exec(
		ctx,
		`insert into telling (alert_id, way_id, over) select $1, id, false from way where id = any($2)`,
		id,
		ways,
	)
	return err
}

// Alerts are those of a site, "" for all, in a state, before one of a number (0 for the newest), the newest first. Now
// is what brings those back that are out of sight.
func (s *Store) Alerts(
	ctx context.Context,
	sites []string,
	state string,
	before int64,
	limit int,
	now time.Time,
) ([]record.Alert, error) {
	var rows []alertRow
	err := s.db.SelectContext(
		ctx,
		&rows,
		alertColumns+`where ($1::text[] is null or s.name = any($1)) and ($3 = 0 or a.id < $3) and case $2
			when '`+record.AlertAll+`' then true
			when '`+record.AlertStirs+`' then a.state in ('`+record.AlertNew+`', '`+record.AlertRead+`') and coalesce(a.until, $5) <= $5
				and (a.ended is null and a.lasts or a.state = '`+record.AlertNew+`' or a.assignee <> '')
			else a.state = $2 end
		order by a.id desc limit $4`,
		sites,
		state,
		before,
		limit,
		now,
	)
	return alertsOf(rows), err
}

// AlertCounts are how many alerts are new and in sight, by site.
func (s *Store) AlertCounts(ctx context.Context, now time.Time) (map[string]int, error) {
	rows, err := s.pool.Query(ctx, `select s.name, count(*) from alert a join site s on s.id = a.site_id
		where a.state = $1 and coalesce(a.until, $2) <= $2 group by 1`, record.AlertNew, now)
	if err != nil {
		return nil, err
	}
	out := map[string]int{}
	var site string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&site, &n}, func() error { out[site] = n; return nil })
	return out, err
}

// Alert is one of a number; record.ErrNotFound where there is none.
func (s *Store) Alert(ctx context.Context, id int64) (record.Alert, error) {
	var row alertRow
	err := s.db.GetContext(ctx, &row, alertColumns+"where a.id = $1", id)
	return alertsOf([]alertRow{row})[0], found(err)
}

// ChangeAlert changes an alert as it stands in the inbox; record.ErrNotFound where there is none. One that is waved off
// is told of no more.
func (s *Store) ChangeAlert(ctx context.Context, id int64, c record.AlertChange) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(
			ctx,
			`update alert set state = coalesce($2, state), until = case when $3::timestamptz is null then until
				when $3 <= now() then null else $3 end, assignee = coalesce($4, assignee),
				reason = case when $5 = '' then reason else $5 end, changed = now() where id = $1`,
			id,
			c.State,
			c.Until,
			c.Assignee,
			clean(c.Reason),
		)
		if err == nil && tag.RowsAffected() == 0 {
			return record.ErrNotFound
		}
		if err == nil && c.State != nil && *c.State == record.AlertWaved {
			_, err = tx.Exec(ctx, "delete from telling where alert_id = $1 and message_id is null", id)
		}
		return err
	})
}

// UntoldChanges are those that no rule was held against, of a site, the oldest first, at most so many.
func (s *Store) UntoldChanges(ctx context.Context, most int) ([]record.Noticed, error) {
	var rows []noticedRow
	err := s.db.SelectContext(ctx, &rows, noticedColumns+"where not c.told order by c.id limit $1", most)
	return noticedOf(rows), err
}
