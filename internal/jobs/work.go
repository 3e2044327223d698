package jobs

import (
	"cmp"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/checks"
	"harvik/internal/core/drift"
	"harvik/internal/core/figures"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/task"
	"harvik/internal/core/waive"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/record"
	"harvik/internal/spool"
	"harvik/internal/store"
)

// weights are what the consultant decided about a site, as of now.
type weights struct {
	signature string
	set       *waive.Set
	figure    map[string]float64
	all       []record.Waiver
}

// decided reads the waivers that hold today and names them together with the figure that weighs pages.
func (r *Runner) decided(ctx context.Context, site record.Site) (*weights, error) {
	waivers, err := r.store.Waivers(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	w := &weights{all: waivers}
	today := time.Now().UTC()
	var holding []waive.Waiver
	h := fnv.New64a()
	for _, one := range waivers {
		if one.Holds(today) && one.Broken == "" {
			holding = append(holding, waive.Waiver{ID: one.ID, Scope: one.Scope, Check: one.Check, On: one.On})
			fmt.Fprintf(h, "%d;", one.ID)
		}
	}
	w.set = waive.NewSet(holding)
	imported := ""
	if site.Importance != "" {
		if imported, err = r.store.FigureState(ctx, site.ID, site.Importance); err != nil {
			return nil, err
		}
	}
	if len(holding) > 0 || imported != "" {
		fmt.Fprintf(h, "%s %s", site.Importance, imported)
		w.signature = hex.EncodeToString(h.Sum(nil))
	}
	return w, nil
}

// weightsOf is what is decided about a site, with the figure that weighs its pages.
func (r *Runner) weightsOf(ctx context.Context, site record.Site) (*weights, error) {
	w, err := r.decided(ctx, site)
	if err == nil && site.Importance != "" {
		w.figure, err = r.store.NewestFigure(ctx, site.ID, site.Importance)
	}
	return w, err
}

func (w *weights) adjustment() fixlist.Adjustment {
	a := fixlist.Adjustment{Figure: w.figure}
	if w.set.Size() > 0 {
		a.Waived = w.set.Covers
	}
	return a
}

// weighing counts what each waiver covers in a sheet.
func (w *weights) weighing(s *fixlist.Sheet) record.Weighing {
	out := record.Weighing{Signature: w.signature, Matches: map[int64]record.Matched{}}
	for _, one := range w.all {
		out.Matches[one.ID] = record.Matched{}
	}
	if w.set.Size() == 0 {
		return out
	}
	type covered struct {
		waiver  int64
		address string
	}
	seen := map[covered]bool{}
	s.EachFinding(func(f fixlist.Found) {
		w.set.Covering(f.Check, f.Address, f.Layout, f.Fix, func(id int64) {
			m := out.Matches[id]
			m.Findings += f.Places
			if at := (covered{id, f.Address}); f.Address != "" && !seen[at] {
				seen[at] = true
				m.Pages++
			}
			out.Matches[id] = m
		})
	})
	return out
}

// Weighed brings a site's newest finished crawl up to what is decided now, if it is not: after a
// waiver came, ended or ran out, or another figure weighs the pages.
func (r *Runner) Weighed(ctx context.Context, site record.Site, rec record.Crawl) (record.Crawl, error) {
	if rec.State != "finished" || site.Latest == nil || *site.Latest != rec.Number {
		return rec, nil
	}
	w, err := r.decided(ctx, site)
	if err != nil || w.signature == rec.Weighed {
		return rec, err
	}
	r.weighing.Lock()
	defer r.weighing.Unlock()
	if w, err = r.weightsOf(ctx, site); err != nil {
		return rec, err
	}
	sheet, err := r.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, store.ErrNotFound) {
		return rec, nil // made before there were sheets; it has to be judged again first
	}
	if err != nil {
		return rec, err
	}
	report := sheet.Build(w.adjustment())
	if err := r.store.Reweigh(ctx, rec.ID, report, w.weighing(sheet)); err != nil {
		return rec, err
	}
	return r.store.Crawl(ctx, rec.Site, rec.Number)
}

// Refreshed is a site with the health that it has by what is decided now.
func (r *Runner) Refreshed(ctx context.Context, site record.Site) (record.Site, error) {
	if site.Latest == nil {
		return site, nil
	}
	w, err := r.decided(ctx, site)
	if err != nil || w.signature == site.Weighed {
		return site, err
	}
	rec, err := r.store.Crawl(ctx, site.Name, *site.Latest)
	if err == nil {
		rec, err = r.Weighed(ctx, site, rec)
	}
	if err == nil && rec.Report != nil && rec.Report.Scored {
		site.Health = &rec.Report.Health
	}
	return site, err
}

// Move does with fixes what a person wishes, one by one; what cannot be is refused with the reason.
func (r *Runner) Move(ctx context.Context, site record.Site, wish record.Wish) (record.Moves, error) {
	out := record.Moves{Moved: []record.Task{}, Refused: []record.Refused{}}
	latest, known, err := r.latest(ctx, site)
	if err != nil {
		return out, err
	}
	waived, err := r.store.WaivedFixes(ctx, latest.ID)
	if err != nil {
		return out, err
	}
	tasks, err := r.store.Tasks(ctx, site.ID)
	if err != nil {
		return out, err
	}
	touched := make(map[string]record.Task, len(tasks))
	for _, t := range tasks {
		touched[t.Fix] = t
	}
	if out.Batch, err = r.store.NextBatch(ctx); err != nil {
		return out, err
	}
	var due *record.Day
	if wish.Due != nil && *wish.Due != "" {
		day, err := record.ParseDay(*wish.Due)
		if err != nil {
			return out, &Mistake{err.Error()}
		}
		due = &day
	}
	if err := r.addEntries(ctx, latest.ID, wish.Fixes, known); err != nil {
		return out, err
	}
	var changes []store.Change
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
		changes = append(changes, store.Change{First: first, Make: func(now record.Task) (record.Task, string, error) {
			return applied(now, at, wish, due)
		}})
	}
	done, err := r.store.ChangeTasks(ctx, site.ID, cmp.Or(wish.By, "somebody"), out.Batch, changes)
	if err != nil {
		return out, err
	}
	for i, d := range done {
		if d.Err == nil {
			out.Moved = append(out.Moved, d.Task)
			continue
		}
		refused := record.Refused{Fix: changes[i].First.Fix, Why: d.Err.Error()}
		var conflict *store.ConflictError
		if errors.As(d.Err, &conflict) {
			refused.Task = &conflict.Now
		}
		out.Refused = append(out.Refused, refused)
	}
	return out, nil
}

// addEntries adds to the known fixes what of a wish names entries of lines.
func (r *Runner) addEntries(ctx context.Context, crawl int64, wished []record.FixAt, known map[string]record.Task) error {
	var unknown []string
	for _, at := range wished {
		if _, ok := known[at.Fix]; !ok {
			unknown = append(unknown, at.Fix)
		}
	}
	if len(unknown) == 0 {
		return nil
	}
	entries, err := r.store.EntriesOf(ctx, crawl, unknown)
	maps.Copy(known, entries)
	return err
}

// latest is a site's newest finished crawl and its lines.
func (r *Runner) latest(ctx context.Context, site record.Site) (rec record.Crawl, lines map[string]record.Task, err error) {
	rec, err = r.store.Crawl(ctx, site.Name, 0)
	if errors.Is(err, store.ErrNotFound) {
		return rec, nil, &Refusal{"the site has no finished crawl, so there are no fixes yet"}
	}
	if err == nil {
		lines, err = r.store.FixesOf(ctx, rec.ID)
	}
	return rec, lines, err
}

// applied is a task after a wish.
func applied(now record.Task, at record.FixAt, wish record.Wish, due *record.Day) (after record.Task, says string, err error) {
	if at.Version != nil && *at.Version != now.Version {
		return now, "", &store.ConflictError{Now: now}
	}
	after = now
	var said []string
	if wish.To != "" {
		if err := task.Move(now.State, wish.To); err != nil {
			return now, "", &Refusal{err.Error()}
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
		return now, "", &Refusal{"that is how it is already"}
	}
	return after, strings.Join(said, "; "), nil
}

// Undo takes back what was done at once.
func (r *Runner) Undo(ctx context.Context, site record.Site, batch int64, who string) (record.Moves, error) {
	return r.store.Undo(ctx, site.ID, batch, cmp.Or(who, "somebody"))
}

// Waive leaves something as it is, from now on.
func (r *Runner) Waive(ctx context.Context, site record.Site, w record.Waiver) (record.Waiver, error) {
	one := waive.Waiver{Scope: w.Scope, Check: w.Check, On: w.On}
	if err := one.Validate(checks.Known.Check); err != nil {
		return w, &Mistake{err.Error()}
	}
	if strings.TrimSpace(w.Reason) == "" {
		return w, &Mistake{"a waiver needs a reason: why is this fine as it is?"}
	}
	if w.Until != nil && !w.Holds(time.Now().UTC()) {
		return w, &Mistake{fmt.Sprintf("%s is over already; a waiver holds until the end of that day", w.Until)}
	}
	if err := r.exists(ctx, site, w); err != nil {
		return w, err
	}
	id, err := r.store.AddWaiver(ctx, site.ID, w)
	if err != nil {
		return w, err
	}
	return r.waiver(ctx, site, id)
}

// exists refuses a waiver of a fix or layout that the site does not have.
func (r *Runner) exists(ctx context.Context, site record.Site, w record.Waiver) error {
	switch w.Scope {
	case waive.Fix:
		_, lines, err := r.latest(ctx, site)
		if err != nil {
			return err
		}
		if _, ok := lines[w.On]; !ok {
			return &Mistake{fmt.Sprintf("the newest fix list has no fix %s; `harvik fixes %s` shows them", w.On, site.Name)}
		}
	case waive.Layout:
		known, err := r.store.KnownLayouts(ctx, site.ID)
		if err != nil {
			return err
		}
		if known[w.On] == nil {
			return &Mistake{fmt.Sprintf("the site has no layout %s; `harvik layouts %s` shows them", w.On, site.Name)}
		}
	}
	return nil
}

// EndWaiver lets what a waiver covered count again.
func (r *Runner) EndWaiver(ctx context.Context, site record.Site, id int64, who string) (record.Waiver, error) {
	if err := r.store.EndWaiver(ctx, site.ID, id, cmp.Or(who, "somebody")); err != nil {
		return record.Waiver{}, err
	}
	return r.waiver(ctx, site, id)
}

// waiver weighs the newest crawl by the waivers as they are now, and reads one.
func (r *Runner) waiver(ctx context.Context, site record.Site, id int64) (record.Waiver, error) {
	if site.Latest != nil {
		rec, err := r.store.Crawl(ctx, site.Name, 0)
		if err == nil {
			_, err = r.Weighed(ctx, site, rec)
		}
		if err != nil {
			return record.Waiver{}, err
		}
	}
	all, err := r.store.Waivers(ctx, site.ID)
	if err != nil {
		return record.Waiver{}, err
	}
	i := slices.IndexFunc(all, func(w record.Waiver) bool { return w.ID == id })
	if i < 0 {
		return record.Waiver{}, store.ErrNotFound
	}
	return all[i], nil
}

// settle brings the states of fixes up to what a finished crawl saw.
func (r *Runner) settle(ctx context.Context, rec record.Crawl, result *crawl.Result) error {
	now := map[string]record.Task{}
	var present []string
	for i := range result.Report.Fixes {
		f := &result.Report.Fixes[i]
		now[f.ID] = record.Task{Fix: f.ID, Check: f.Check, Line: f.Line, State: task.Open, Seen: rec.Number}
		present = append(present, f.ID)
		for k := range f.Entries {
			if e := &f.Entries[k]; now[e.ID].Fix == "" {
				now[e.ID] = record.Task{Fix: e.ID, Check: f.Check, Line: e.Line, State: task.Open, Seen: rec.Number}
				present = append(present, e.ID)
			}
		}
	}
	if err := r.store.Saw(ctx, rec.SiteID, rec.Number, present); err != nil {
		return err
	}
	past, err := r.pastFixes(ctx, rec)
	if err != nil {
		return err
	}
	var changes []store.Change
	for id, p := range past {
		if _, there := now[id]; there {
			if p.Version == 0 {
				continue // open then and open now
			}
			changes = append(changes, note(rec, p, task.There, ""))
			delete(past, id)
		}
	}
	gone, err := r.settleGone(ctx, rec, result, past, now)
	if err != nil {
		return err
	}
	return r.noteAll(ctx, rec.SiteID, fmt.Sprintf("crawl %d", rec.Number), append(changes, gone...))
}

// pastFixes are the fixes that anyone has touched, and those of the crawl before.
func (r *Runner) pastFixes(ctx context.Context, rec record.Crawl) (map[string]record.Task, error) {
	past := map[string]record.Task{}
	before, err := r.store.Before(ctx, rec.SiteID, rec.Number)
	if err == nil {
		if past, err = r.store.FixesOf(ctx, before.ID); err != nil {
			return nil, err
		}
		for id, p := range past {
			p.Seen = before.Number
			past[id] = p
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	tasks, err := r.store.Tasks(ctx, rec.SiteID)
	for _, t := range tasks {
		past[t.Fix] = t
	}
	return past, err
}

// settleGone looks for each fix that has no line any more whether its pages were looked at.
func (r *Runner) settleGone(ctx context.Context, rec record.Crawl, result *crawl.Result, past, now map[string]record.Task) (changes []store.Change, err error) {
	members := map[string][]string{}
	lines := map[string]*fixlist.Fix{}
	var all []string
	crawls := map[int]int64{}
	for id, p := range past {
		if _, there := now[id]; there || p.State == task.Confirmed || p.Seen >= rec.Number {
			continue
		}
		if _, known := crawls[p.Seen]; !known {
			c, err := r.store.Crawl(ctx, rec.Site, p.Seen)
			if err != nil && !errors.Is(err, store.ErrNotFound) {
				return nil, err
			}
			crawls[p.Seen] = c.ID
		}
		list, err := r.store.Members(ctx, crawls[p.Seen], id)
		if err != nil {
			return nil, err
		}
		line, err := r.store.Fix(ctx, crawls[p.Seen], id)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		members[id], lines[id] = list, &line.Fix
		all = append(all, list...)
	}
	fetched, err := r.store.Fetched(ctx, rec.ID, all)
	if err != nil {
		return nil, err
	}
	look := drift.NewLook(result.Sheet, func(a string) bool { return fetched[a] }, func(fix string) bool { _, had := past[fix]; return had })
	for id, list := range members {
		p := past[id]
		sight, still, missed := look.At(lines[id], list)
		more := ""
		switch {
		case len(list) == 0:
			sight, more = task.Unseen, "the pages concerned are not known any more"
		case len(missed) > 0:
			more = fmt.Sprintf("%d of %d pages were not looked at: %s", len(missed), len(list), drift.Short(missed))
		case len(still) > 0:
			more = fmt.Sprintf("%d of %d pages still fail, as part of other lines: %s", len(still), len(list), drift.Short(still))
		}
		changes = append(changes, note(rec, p, sight, more))
	}
	return changes, nil
}

// note is the change that brings a task to what a look at the site made of it.
func note(rec record.Crawl, p record.Task, sight task.Sight, more string) store.Change {
	return store.Change{First: p, Make: func(now record.Task) (record.Task, string, error) {
		claimedSince := now.State == task.Claimed && now.Changed.After(rec.Started)
		state, says := task.After(now.State, sight, claimedSince)
		if more != "" {
			says = strings.TrimPrefix(says+": "+more, ": ")
		}
		if says == "" || now.Seen >= rec.Number && state == now.State && sight == task.Unseen {
			return now, "", errNothing
		}
		after := now
		after.State = state
		if state == now.State && sight != task.There && now.Version == 0 {
			return now, "", errNothing // nobody has touched it, and nothing is known of it
		}
		return after, says, nil
	}}
}

// noteAll makes such changes.
func (r *Runner) noteAll(ctx context.Context, site int64, who string, changes []store.Change) error {
	done, err := r.store.ChangeTasks(ctx, site, who, 0, changes)
	for _, d := range done {
		if d.Err != nil && !errors.Is(d.Err, errNothing) {
			return d.Err
		}
	}
	return err
}

// errNothing leaves a task as it is.
var errNothing = errors.New("nothing to change")

// maxUnmatched bounds how many addresses that match nothing an import names.
const maxUnmatched = 1000

// ImportFigures keeps figures as of a day. Their addresses are matched to those of the newest crawl:
// exactly, or else but for scheme, www. and a slash at the end, where only one page fits.
func (r *Runner) ImportFigures(ctx context.Context, site record.Site, taken record.Day, in io.Reader) (record.Import, error) {
	out := record.Import{Columns: []figures.Column{}, Unmatched: []string{}, Faults: []figures.Fault{}}
	if err := r.room(); err != nil {
		return out, err
	}
	home, err := weburl.Parse(site.Home)
	if err != nil {
		return out, err
	}
	file, err := spooled(in)
	if err != nil {
		return out, err
	}
	defer file.Close()
	table, err := figures.Read(file, home)
	if err != nil {
		return out, &Mistake{err.Error()}
	}
	var exact map[string]bool
	loose := map[string][]string{}
	rec, err := r.store.Crawl(ctx, site.Name, 0)
	if err == nil {
		exact, err = r.store.PageAddresses(ctx, rec.ID)
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return out, err
	}
	for p, sound := range exact {
		if sound {
			loose[figures.Loose(p)] = append(loose[figures.Loose(p)], p)
		}
	}
	if err := r.store.SaveFigures(ctx, site.ID, taken, table, func(row *figures.Row) {
		out.Rows++
		like := loose[figures.Loose(row.Address)]
		switch _, known := exact[row.Address]; {
		case known:
			out.Matched++
		case len(like) == 1:
			row.Address = like[0]
			out.Matched++
		case len(out.Unmatched) < maxUnmatched:
			out.Unmatched = append(out.Unmatched, row.Address)
		}
	}); err != nil {
		return out, err
	}
	out.Columns = table.Columns
	out.Faults = append(out.Faults, table.Faults...)
	if table.More > 0 {
		out.Faults = append(out.Faults, figures.Fault{Reason: fmt.Sprintf("and %d further lines were left out", table.More)})
	}
	return out, nil
}

// spooled is what is read, in a scratch file: figures are read twice.
func spooled(in io.Reader) (*os.File, error) {
	f, err := spool.Scratch()
	if err != nil {
		return nil, err
	}
	if _, err := io.Copy(f, in); err != nil {
		f.Close()
		return nil, fmt.Errorf("%w: %w", &Mistake{"the file did not arrive whole"}, err)
	}
	return f, nil
}
