// Package worklist is the work at the fixes of a site: what people do with them, and what a crawl makes of it.
package worklist

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"strings"

	"harvik/internal/core/task"
	"harvik/internal/record"
)

// Store is where the work is kept.
type Store interface {
	Crawl(ctx context.Context, site string, number int) (record.Crawl, error)
	Before(ctx context.Context, site int64, number int) (record.Crawl, error)
	FixesOf(ctx context.Context, crawl int64) (map[string]record.Task, error)
	EntriesOf(ctx context.Context, crawl int64, ids []string) (map[string]record.Task, error)
	WaivedFixes(ctx context.Context, crawl int64) (map[string]bool, error)
	Members(ctx context.Context, crawl int64, fix string) ([]string, error)
	Statuses(ctx context.Context, crawl int64, addresses []string) (map[string]int, error)
	Fix(ctx context.Context, crawl int64, id string) (record.FixLine, error)
	Tasks(ctx context.Context, site int64) ([]record.Task, error)
	NextBatch(ctx context.Context) (int64, error)
	ChangeTasks(ctx context.Context, site int64, who string, batch int64, changes []record.Change) ([]record.Changed,
		error)
	Undo(ctx context.Context, site, batch int64, who string) (record.Moves, error)
}

// A List is safe for use from several goroutines.
type List struct{ store Store }

// New makes a list.
func New(s Store) *List { return &List{s} }

// Move does with fixes what a person wishes, one by one; what cannot be is refused with the reason.
func (l *List) Move(ctx context.Context, site record.Site, wish record.Wish) (record.Moves, error) {
	out := record.Moves{Moved: []record.Task{}, Refused: []record.Refused{}}
	latest, known, err := l.latest(ctx, site)
	if err != nil {
		return out, err
	}
	waived, err := l.store.WaivedFixes(ctx, latest.ID)
	if err != nil {
		return out, err
	}
	tasks, err := l.store.Tasks(ctx, site.ID)
	if err != nil {
		return out, err
	}
	touched := make(map[string]record.Task, len(tasks))
	for _, t := range tasks {
		touched[t.Fix] = t
	}
	if out.Batch, err = l.store.NextBatch(ctx); err != nil {
		return out, err
	}
	var due *record.Day
	if wish.Due != nil && *wish.Due != "" {
		day, err := record.ParseDay(*wish.Due)
		if err != nil {
			return out, record.Mistaken("%s", err.Error())
		}
		due = &day
	}
	if err := l.addEntries(ctx, latest.ID, wish.Fixes, known); err != nil {
		return out, err
	}
	var changes []record.Change
	named := map[string]bool{}
	for _, at := range wish.Fixes {
		if named[at.Fix] {
			out.Refused = append(out.Refused, record.Refused{Fix: at.Fix, Why: "it is named twice"})
			continue
		}
		named[at.Fix] = true
		first, ok := known[at.Fix]
		if !ok {
			if first, ok = touched[at.Fix]; !ok {
				out.Refused = append(out.Refused, record.Refused{Fix: at.Fix, Why: "there is no such fix on this site"})
				continue
			}
		}
		if err := task.Move(task.Waived, wish.To); waived[at.Fix] && wish.To != "" && err != nil {
			out.Refused = append(out.Refused, record.Refused{Fix: at.Fix, Why: err.Error()})
			continue
		}
		first.Seen = max(first.Seen, latest.Number)
		changes = append(changes, record.Change{First: first, Make: func(now record.Task) (record.Task, string, error) {
			return applied(now, at, wish, due)
		}})
	}
	done, err := l.store.ChangeTasks(ctx, site.ID, cmp.Or(wish.By, "somebody"), out.Batch, changes)
	if err != nil {
		return out, err
	}
	for i, d := range done {
		if d.Err == nil {
			out.Moved = append(out.Moved, d.Task)
			continue
		}
		refused := record.Refused{Fix: changes[i].First.Fix, Why: d.Err.Error()}
		var conflict *record.ConflictError
		if errors.As(d.Err, &conflict) {
			refused.Task = &conflict.Now
		}
		out.Refused = append(out.Refused, refused)
	}
	return out, nil
}

// addEntries adds to the known fixes what of a wish names entries of lines.
func (l *List) addEntries(ctx context.Context, crawl int64, wished []record.FixAt, known map[string]record.Task) error {
	var unknown []string
	for _, at := range wished {
		if _, ok := known[at.Fix]; !ok {
			unknown = append(unknown, at.Fix)
		}
	}
	if len(unknown) == 0 {
		return nil
	}
	entries, err := l.store.EntriesOf(ctx, crawl, unknown)
	maps.Copy(known, entries)
	return err
}

// latest is a site's newest finished crawl and its lines.
func (l *List) latest(
	ctx context.Context, site record.Site,
) (rec record.Crawl, lines map[string]record.Task, err error) {
	rec, err = l.store.Crawl(ctx, site.Name, 0)
	if errors.Is(err, record.ErrNotFound) {
		return rec, nil, record.Refuse("the site has no finished crawl, so there are no fixes yet")
	}
	if err == nil {
		lines, err = l.store.FixesOf(ctx, rec.ID)
	}
	return rec, lines, err
}

// applied is a task after a wish.
func applied(
	now record.Task, at record.FixAt, wish record.Wish, due *record.Day,
) (after record.Task, says string, err error) {
	if at.Version != nil && *at.Version != now.Version {
		return now, "", &record.ConflictError{Now: now}
	}
	after = now
	var said []string
	if wish.To != "" {
		if err := task.Move(now.State, wish.To); err != nil {
			return now, "", record.Refuse("%s", err.Error())
		}
		if after.State = wish.To; after.State != now.State {
			said = append(said, string(now.State)+" → "+string(after.State))
		}
	}
	if wish.Assignee != nil && *wish.Assignee != now.Assignee {
		after.Assignee = *wish.Assignee
		said = append(said, "for "+cmp.Or(after.Assignee, "nobody"))
	}
	if wish.Due != nil && (due == nil) != (now.Due == nil) || due != nil && now.Due != nil && !due.Equal(now.Due.Time) {
		after.Due = due
		if due == nil {
			said = append(said, "due at no time")
		} else {
			said = append(said, "due "+due.String())
		}
	}
	if wish.Note != nil && *wish.Note != now.Note {
		after.Note = *wish.Note
		said = append(said, cmp.Or(after.Note, "note taken off"))
	}
	if len(said) == 0 {
		return now, "", record.Refuse("that is how it is already")
	}
	return after, strings.Join(said, "; "), nil
}

// Undo takes back what was done at once.
func (l *List) Undo(ctx context.Context, site record.Site, batch int64, who string) (record.Moves, error) {
	return l.store.Undo(ctx, site.ID, batch, cmp.Or(who, "somebody"))
}
