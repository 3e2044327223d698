package store

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/task"
	"harvik/internal/record"
)

// seesSite are those who see all there is of a site: whose it is, and who are no clients. $1 is the site.
const seesSite = `p.ended is null and p.role <> 'client' and (p.role = 'owner' or p.everywhere
	or exists (select 1 from given g where g.person_id = p.id and g.site_id = $1)
	or p.groups && (select s.groups from site s where s.id = $1))`

// told is what one person is told of one batch of moves.
type told struct {
	fix, line, note string
	fixes           int
}

// tell tells those who are named by notes, and those to whom fixes were given, unless they did it themselves. What a
// note said before is not said again. Nobody is told of what is taken back, which has no batch.
func tell(
	ctx context.Context,
	tx pgx.Tx,
	site int64,
	who string,
	batch int64,
	was []record.Task,
	now []record.Changed,
) error {
	concerns := func(i int) (note, given bool) {
		after := now[i].Task
		return after.Note != was[i].Note && strings.Contains(after.Note, "@"),
			after.Assignee != "" && !strings.EqualFold(after.Assignee, was[i].Assignee)
	}
	worth := false
	for i := range now {
		note, given := concerns(i)
		worth = worth || now[i].Err == nil && (note || given)
	}
	if batch == 0 || !worth {
		return nil
	}
	rows, err := tx.Query(ctx, "select p.id, p.name from person p where "+seesSite, site)
	if err != nil {
		return err
	}
	var id int64
	var name string
	byName, names := map[string]int64{}, []string{}
	if _, err := pgx.ForEachRow(rows, []any{&id, &name}, func() error {
		if !strings.EqualFold(name, who) {
			byName[strings.ToLower(name)] = id
			names = append(names, name)
		}
		return nil
	}); err != nil {
		return err
	}
	type key struct {
		person int64
		why    string
	}
	all := map[key]*told{}
	var order []key
	add := func(name, why string, t record.Task) {
		person, known := byName[strings.ToLower(name)]
		if !known {
			return
		}
		k := key{person, why}
		if all[k] == nil {
			all[k] = &told{fix: t.Fix, line: t.Line, note: t.Note}
			order = append(order, k)
		}
		all[k].fixes++
	}
	for i := range now {
		if now[i].Err != nil {
			continue
		}
		note, given := concerns(i)
		if note {
			before := task.Mentioned(was[i].Note, names)
			for _, name := range task.Mentioned(now[i].Task.Note, names) {
				if !slices.Contains(before, name) {
					add(name, record.ByNote, now[i].Task)
				}
			}
		}
		if given {
			add(now[i].Task.Assignee, record.ByGiving, now[i].Task)
		}
	}
	var b pgx.Batch
	for _, k := range order {
		t := all[k]
		b.Queue(`insert into mention (person_id, who, why, site_id, batch, fix, fixes, line, note)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`, k.person, who, k.why, site, batch, t.fix, t.fixes, clean(t.line), clean(t.note))
	}
	b.Queue("delete from mention where read < now() - make_interval(secs => $1)", readStays.Seconds())
	return tx.SendBatch(ctx, &b).Close()
}

// Bounds of what somebody is told.
const (
	readStays    = 90 * 24 * time.Hour
	mostMentions = 200
)

// Mentions are what a person was told by others, the newest first, as far as they see the site.
func (s *Store) Mentions(ctx context.Context, person int64) ([]record.Mention, error) {
	rows, err := s.pool.Query(ctx, `select m.id, m.at, m.who, m.why, s.name, m.fix, m.fixes, m.line, m.note, m.read
		from mention m join site s on s.id = m.site_id where m.person_id = $1 order by m.id desc limit $2`, person, mostMentions)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[record.Mention])
}

// ReadMentions notes that a person has read some of what they were told.
func (s *Store) ReadMentions(ctx context.Context, person int64, ids []int64) error {
	_, err := s.pool.Exec(
		ctx,
		"update mention set read = now() where person_id = $1 and id = any($2) and read is null",
		person,
		ids,
	)
	return err
}

// unsay takes back what nobody has read yet of what was told by a batch of moves.
func (s *Store) unsay(ctx context.Context, site, batch int64) error {
	_, err := s.pool.Exec(ctx, "delete from mention where site_id = $1 and batch = $2 and read is null", site, batch)
	return err
}
