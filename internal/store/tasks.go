package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/task"
	"harvik/internal/core/waive"
	"harvik/internal/record"
)

const taskColumns = `fix, check_id as "check", line, state, assignee, due, note, seen, version, changed`

// Task is the work at a fix; record.ErrNotFound where nobody has touched it.
func (s *Store) Task(ctx context.Context, site int64, fix string) (t record.Task, err error) {
	err = s.db.GetContext(ctx, &t, "select "+taskColumns+" from task where site_id = $1 and fix = $2", site, fix)
	return t, found(err)
}

// HasFix tells whether any crawl of a site found a fix, be it as a line or as an entry of one.
func (s *Store) HasFix(ctx context.Context, site int64, fix string) (known bool, err error) {
	var crawls []int64
	if err := s.db.SelectContext(ctx, &crawls, "select id from crawl where site_id = $1", site); err != nil {
		return false, err
	}
	// The numbers of the crawls stand in the statement, so that the parts of other sites are left alone.
	err = s.db.GetContext(ctx, &known, `select exists (select 1 from fix where crawl_id = any($1) and id = $2)
		or exists (select 1 from fix_entry where crawl_id = any($1) and id = $2)`, crawls, fix)
	return known, err
}

// Tasks are all of a site, the one changed last first.
func (s *Store) Tasks(ctx context.Context, site int64) ([]record.Task, error) {
	tasks := []record.Task{}
	err := s.db.SelectContext(ctx, &tasks,
		"select "+taskColumns+" from task where site_id = $1 order by changed desc, fix", site)
	return tasks, err
}

// History is what happened to a fix, the newest first.
func (s *Store) History(ctx context.Context, site int64, fix string) ([]record.TaskEvent, error) {
	events := []record.TaskEvent{}
	err := s.db.SelectContext(ctx, &events, `select at, who, state, says, batch from task_event where site_id = $1 and fix = $2
		order by id desc limit 1000`, site, fix)
	return events, err
}

// WasConfirmed are the fixes of a site that were confirmed to be gone before a moment.
func (s *Store) WasConfirmed(ctx context.Context, site int64, before time.Time) (map[string]bool, error) {
	var fixes []string
	if err := s.db.SelectContext(ctx, &fixes,
		"select distinct fix from task_event where site_id = $1 and state = 'confirmed' and at < $2", site, before); err != nil {
		return nil, err
	}
	out := map[string]bool{}
	for _, f := range fixes {
		out[f] = true
	}
	return out, nil
}

// NextBatch is a number under which things are done at once.
func (s *Store) NextBatch(ctx context.Context) (n int64, err error) {
	err = s.db.GetContext(ctx, &n, "select nextval('task_batch')")
	return n, err
}

// ChangeTasks changes the work at fixes, each named once, all in one transaction and, however many there are,
// in a few statements. Two changes at once come one after the other. Batch is 0 for what cannot be undone.
func (s *Store) ChangeTasks(ctx context.Context, site int64, who string, batch int64,
	changes []record.Change) (out []record.Changed, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		out, err = changeTasks(ctx, tx, site, who, batch, changes)
		return err
	})
	return out, err
}

func changeTasks(ctx context.Context, tx pgx.Tx, site int64, who string, batch int64,
	changes []record.Change) (out []record.Changed, err error) {
	// The lock is on the site, since a fix may have no row yet.
	if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock($1)", urlHash(fmt.Sprintf("tasks %d", site))); err != nil {
		return nil, err
	}
	names := make([]string, len(changes))
	for i := range changes {
		names[i] = changes[i].First.Fix
	}
	rows, err := tx.Query(ctx, "select "+taskColumns+" from task where site_id = $1 and fix = any($2)", site, names)
	if err != nil {
		return nil, err
	}
	present, err := pgx.CollectRows(rows, pgx.RowToStructByName[record.Task])
	if err != nil {
		return nil, err
	}
	known := make(map[string]record.Task, len(present))
	for _, t := range present {
		known[t.Fix] = t
	}
	var changed taskRows
	out = make([]record.Changed, len(changes))
	was := make([]record.Task, len(changes))
	for i := range changes {
		now, there := known[changes[i].First.Fix]
		if !there {
			now = changes[i].First
		}
		was[i] = now
		after, says, err := changes[i].Make(now)
		if err != nil {
			out[i] = record.Changed{Task: now, Err: err}
			continue
		}
		after.Version = now.Version + 1
		out[i].Task = after
		if err := changed.add(after, now, there, says); err != nil {
			return nil, err
		}
	}
	at, err := changed.write(ctx, tx, site, clean(who), batch)
	if err != nil {
		return nil, err
	}
	for i := range out {
		if out[i].Err == nil {
			out[i].Task.Changed = at
		}
	}
	return out, tell(ctx, tx, site, clean(who), batch, was, out)
}

// taskRows are rows of task, with what happened, column by column.
type taskRows struct {
	fix, check, line, state, assignee, due, note []string
	seen, version                                []int32
	before                                       []*string // as JSON; nil where there was none
	says                                         []string  // "" for nothing
}

func (r *taskRows) add(t, now record.Task, there bool, says string) error {
	var before *string
	if there {
		data, err := encode(now)
		if err != nil {
			return err
		}
		text := string(data)
		before = &text
	}
	due := ""
	if t.Due != nil {
		due = t.Due.String()
	}
	r.fix, r.check, r.line, r.state = append(r.fix, t.Fix), append(r.check, t.Check), append(r.line, clean(t.Line)),
		append(r.state, string(t.State))
	r.assignee, r.due, r.note = append(r.assignee, clean(t.Assignee)), append(r.due, due), append(r.note, clean(t.Note))
	r.seen, r.version = append(r.seen, int32(t.Seen)), append(r.version, int32(t.Version))
	r.before, r.says = append(r.before, before), append(r.says, clean(says))
	return nil
}

func (r *taskRows) write(
	ctx context.Context, tx pgx.Tx, site int64, who string, batch int64,
) (at time.Time, err error) {
	if len(r.fix) == 0 {
		return at, nil
	}
	if _, err := tx.Exec(ctx, `insert into task (site_id, fix, check_id, line, state, assignee, due, note, seen, version)
		select $1, v.fix, v.check_id, v.line, v.state, v.assignee, cast(nullif(v.due, '') as date), v.note, v.seen, v.version
		from unnest($2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::int[], $10::int[])
			as v(fix, check_id, line, state, assignee, due, note, seen, version)
		on conflict (site_id, fix) do update set check_id = excluded.check_id, line = excluded.line, state = excluded.state, assignee = excluded.assignee,
			due = excluded.due, note = excluded.note, seen = excluded.seen, version = excluded.version, changed = now()`,
		site, r.fix, r.check, r.line, r.state, r.assignee, r.due, r.note, r.seen, r.version); err != nil {
		return at, err
	}
	err = tx.QueryRow(ctx, `with told as (
			insert into task_event (site_id, fix, who, batch, before, state, says)
			select $1, v.fix, $2, nullif($3::bigint, 0), cast(v.before as jsonb), v.state, v.says
			from unnest($4::text[], $5::text[], $6::text[], $7::text[]) with ordinality as v(fix, before, state, says, nth) where v.says <> '' order by v.nth
		) select now()`, site, who, batch, r.fix, r.before, r.state, r.says).Scan(&at)
	return at, err
}

// Pulse is when somebody last worked at the fixes of a site; the zero time where nobody has.
func (s *Store) Pulse(ctx context.Context, site int64) (at time.Time, err error) {
	var last *time.Time
	if err = s.pool.QueryRow(ctx, "select max(changed) from task where site_id = $1", site).Scan(&last); last != nil {
		at = *last
	}
	return at, err
}

// Undo takes back what was done under a number, except where a fix was changed since.
func (s *Store) Undo(ctx context.Context, site, batch int64, who string) (out record.Moves, err error) {
	out = record.Moves{Moved: []record.Task{}, Refused: []record.Refused{}}
	rows := []struct {
		Fix    string
		Before *string
	}{}
	if err := s.db.SelectContext(ctx, &rows,
		"select fix, before::text as before from task_event where site_id = $1 and batch = $2 order by id", site, batch); err != nil {
		return out, err
	}
	if len(rows) == 0 {
		return out, record.ErrNotFound
	}
	changes := make([]record.Change, len(rows))
	for i, r := range rows {
		was := record.Task{Fix: r.Fix, State: task.Open}
		if r.Before != nil {
			if err := decode([]byte(*r.Before), &was); err != nil {
				return out, err
			}
		}
		changes[i] = record.Change{First: record.Task{Fix: r.Fix},
			Make: func(now record.Task) (record.Task, string, error) {
				if now.Version != was.Version+1 {
					return now, "", &record.ConflictError{Now: now}
				}
				back := was
				back.Check, back.Line, back.Seen = now.Check, now.Line, max(was.Seen, now.Seen)
				return back, "undone: " + string(now.State) + " → " + string(back.State), nil
			}}
	}
	done, err := s.ChangeTasks(ctx, site, who, 0, changes)
	if err == nil {
		err = s.unsay(ctx, site, batch)
	}
	if err != nil {
		return out, err
	}
	for i, d := range done {
		if d.Err != nil { // a record.ConflictError: nothing else is given back
			out.Refused = append(out.Refused, record.Refused{Fix: rows[i].Fix, Why: d.Err.Error(), Task: &done[i].Task})
			continue
		}
		out.Moved = append(out.Moved, d.Task)
	}
	return out, nil
}

// Members are the addresses of the pages of a fix in a crawl, "" for the site.
func (s *Store) Members(ctx context.Context, crawlID int64, fix string) ([]string, error) {
	var out []string
	err := s.db.SelectContext(ctx, &out, `select coalesce(a.url, '') from fix f cross join unnest(f.pages) as x(page)
		left join address a on a.crawl_id = f.crawl_id and a.id = x.page where f.crawl_id = $1
		and f.id = coalesce((select id from fix where crawl_id = $1 and id = $2), (select fix_id from fix_entry where crawl_id = $1 and id = $2 limit 1)) order by 1`,
		crawlID, fix)
	return out, err
}

// Statuses are those of the addresses that a crawl fetched, of some; 0 where there was no answer.
func (s *Store) Statuses(ctx context.Context, crawlID int64, addresses []string) (map[string]int, error) {
	hashes := make([]int64, len(addresses))
	for i, a := range addresses {
		hashes[i] = urlHash(a)
	}
	out := make(map[string]int)
	err := each(ctx, s, func(r *struct {
		URL    string
		Status int
	}) error {
		out[r.URL] = r.Status
		return nil
	}, `select a.url, p.status from address a join page p on p.crawl_id = a.crawl_id and p.id = a.id
		where a.crawl_id = $1 and a.hash = any($2)`, crawlID, hashes)
	return out, err
}

// Before is the finished crawl of a site before a number; record.ErrNotFound if there is none.
func (s *Store) Before(ctx context.Context, site int64, number int) (record.Crawl, error) {
	var row crawlRow
	err := s.db.GetContext(ctx, &row,
		crawlColumns+`where c.site_id = $1 and c.number < $2 and c.state = 'finished' order by c.number desc limit 1`, site, number)
	return row.crawl(), found(err)
}

// FixesOf are the lines of a crawl's fix list, by ID.
func (s *Store) FixesOf(ctx context.Context, crawlID int64) (map[string]record.Task, error) {
	return s.tasksOf(ctx, `select id, check_id as "check", line from fix where crawl_id = $1`, crawlID)
}

// EntriesOf are the entries of a crawl's lines, likewise.
func (s *Store) EntriesOf(ctx context.Context, crawlID int64, ids []string) (map[string]record.Task, error) {
	return s.tasksOf(ctx, `select e.id, f.check_id as "check", e.line from fix_entry e
		join fix f on f.crawl_id = e.crawl_id and f.id = e.fix_id where e.crawl_id = $1 and e.id = any($2)`, crawlID, ids)
}

func (s *Store) tasksOf(ctx context.Context, query string, args ...any) (map[string]record.Task, error) {
	rows := []struct {
		ID    string
		Check string
		Line  string
	}{}
	if err := s.db.SelectContext(ctx, &rows, query, args...); err != nil {
		return nil, err
	}
	out := map[string]record.Task{}
	for _, r := range rows {
		out[r.ID] = record.Task{Fix: r.ID, Check: r.Check, Line: r.Line, State: task.Open}
	}
	return out, nil
}

// WaivedFixes are the lines of a crawl's fix list that waivers cover in whole.
func (s *Store) WaivedFixes(ctx context.Context, crawlID int64) (map[string]bool, error) {
	var ids []string
	if err := s.db.SelectContext(ctx, &ids, "select id from fix where crawl_id = $1 and waived", crawlID); err != nil {
		return nil, err
	}
	out := map[string]bool{}
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}

// settle brings the work at fixes up to what a crawl saw.
func settle(ctx context.Context, tx pgx.Tx, rec record.Crawl, with record.Settling) error {
	if _, err := tx.Exec(ctx, "update task set seen = $2 where site_id = $1 and fix = any($3) and seen < $2",
		rec.SiteID, rec.Number, with.Seen); err != nil {
		return err
	}
	done, err := changeTasks(ctx, tx, rec.SiteID, with.Who, 0, with.Changes)
	for _, d := range done {
		if d.Err != nil && !errors.Is(d.Err, record.ErrNothing) {
			return d.Err
		}
	}
	return err
}

// Waivers are those of a site, the newest first.
func (s *Store) Waivers(ctx context.Context, site int64) ([]record.Waiver, error) {
	waivers := []record.Waiver{}
	err := s.db.SelectContext(ctx, &waivers, `select id, scope, check_id as "check", target as "on", reason, who as "by", created, until, ended, ended_by, findings, pages
		from waiver where site_id = $1 order by id desc`, site)
	for i := range waivers {
		w := &waivers[i]
		if err := (waive.Waiver{Scope: w.Scope, Check: w.Check, On: w.On}).Readable(); err != nil {
			w.Broken = err.Error()
		}
		w.Name(time.Now().UTC())
	}
	return waivers, err
}

// AddWaiver keeps a waiver and returns its number.
func (s *Store) AddWaiver(ctx context.Context, site int64, w record.Waiver) (id int64, err error) {
	var until any
	if w.Until != nil {
		until = w.Until.Time
	}
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx,
			`insert into waiver (site_id, scope, check_id, target, reason, who, until) values ($1, $2, $3, $4, $5, $6, $7) returning id`,
			site, w.Scope, w.Check, clean(w.On), clean(w.Reason), clean(w.By), until).Scan(&id); err != nil {
			return err
		}
		return s.decided(ctx, tx, site)
	})
	return id, err
}

// EndWaiver ends a waiver that holds; record.ErrNotFound if there is none of that number that does.
func (s *Store) EndWaiver(ctx context.Context, site, id int64, who string) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx,
			"update waiver set ended = now(), ended_by = $3 where site_id = $1 and id = $2 and ended is null", site, id, clean(who))
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrNotFound
		}
		if err != nil {
			return err
		}
		return s.decided(ctx, tx, site)
	})
}
