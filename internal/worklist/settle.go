package worklist

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"harvik/internal/core/booking"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/task"
	"harvik/internal/record"
)

// Settle says what a crawl that has ended makes of the fixes of its site. It is stored with the crawl's verdict, so
// that one cannot be there without the other.
func (l *List) Settle(ctx context.Context, rec record.Crawl, result *booking.Result) (out record.Settling, err error) {
	out.Who = fmt.Sprintf("crawl %d", rec.Number)
	now := map[string]record.Task{}
	for i := range result.Report.Fixes {
		f := &result.Report.Fixes[i]
		now[f.ID] = record.Task{Fix: f.ID, Check: f.Check, Line: f.Line, State: task.Open, Seen: rec.Number}
		out.Seen = append(out.Seen, f.ID)
		for k := range f.Entries {
			if e := &f.Entries[k]; now[e.ID].Fix == "" {
				now[e.ID] = record.Task{Fix: e.ID, Check: f.Check, Line: e.Line, State: task.Open, Seen: rec.Number}
				out.Seen = append(out.Seen, e.ID)
			}
		}
	}
	past, err := l.pastFixes(ctx, rec)
	if err != nil {
		return out, err
	}
	for id, p := range past {
		if _, there := now[id]; there {
			if p.Version == 0 {
				continue // open then and open now
			}
			out.Changes = append(out.Changes, Note(rec, p, task.There, ""))
			delete(past, id)
		}
	}
	gone, err := l.settleGone(ctx, rec, result, past, now)
	out.Changes = append(out.Changes, gone...)
	return out, err
}

// pastFixes are the fixes that anyone has touched, and those of the crawl before.
func (l *List) pastFixes(ctx context.Context, rec record.Crawl) (map[string]record.Task, error) {
	past := map[string]record.Task{}
	before, err := l.store.Before(ctx, rec.SiteID, rec.Number)
	if err == nil {
		if past, err = l.store.FixesOf(ctx, before.ID); err != nil {
			return nil, err
		}
		for id, p := range past {
			p.Seen = before.Number
			past[id] = p
		}
	} else if !errors.Is(err, record.ErrNotFound) {
		return nil, err
	}
	tasks, err := l.store.Tasks(ctx, rec.SiteID)
	for _, t := range tasks {
		past[t.Fix] = t
	}
	return past, err
}

// settleGone looks for each fix that has no line any more whether its pages were looked at.
func (l *List) settleGone(ctx context.Context, rec record.Crawl, result *booking.Result, past,
	now map[string]record.Task) (changes []record.Change, err error) {
	members := map[string][]string{}
	lines := map[string]*fixlist.Fix{}
	var all []string
	crawls := map[int]int64{}
	for id, p := range past {
		if _, there := now[id]; there || p.State == task.Confirmed || p.Seen >= rec.Number {
			continue
		}
		if _, known := crawls[p.Seen]; !known {
			c, err := l.store.Crawl(ctx, rec.Site, p.Seen)
			if err != nil && !errors.Is(err, record.ErrNotFound) {
				return nil, err
			}
			crawls[p.Seen] = c.ID
		}
		list, err := l.store.Members(ctx, crawls[p.Seen], id)
		if err != nil {
			return nil, err
		}
		line, err := l.store.Fix(ctx, crawls[p.Seen], id)
		if err != nil && !errors.Is(err, record.ErrNotFound) {
			return nil, err
		}
		members[id], lines[id] = list, &line.Fix
		all = append(all, list...)
	}
	if len(members) == 0 {
		return nil, nil
	}
	statuses, err := l.store.Statuses(ctx, rec.ID, all)
	if err != nil {
		return nil, err
	}
	checks := map[string]bool{}
	for _, line := range lines {
		checks[line.Check] = true
	}
	look := drift.NewSight(result.Sheet, checks, func(a string) bool { return drift.Shows(statuses[a]) },
		func(fix string) bool { _, had := past[fix]; return had })
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
			more = fmt.Sprintf("%d of %d pages still fail, as part of other lines: %s", len(still), len(list),
				drift.Short(still))
		}
		changes = append(changes, Note(rec, p, sight, more))
	}
	return changes, nil
}

// Note is the change that brings a task to what a look at the site made of it.
func Note(rec record.Crawl, p record.Task, sight task.Sight, more string) record.Change {
	return record.Change{First: p, Make: func(now record.Task) (record.Task, string, error) {
		claimedSince := now.State == task.Claimed && now.Changed.After(rec.Started)
		state, says := task.After(now.State, sight, claimedSince)
		if more != "" {
			says = strings.TrimPrefix(says+": "+more, ": ")
		}
		if says == "" || now.Seen >= rec.Number && state == now.State && sight == task.Unseen {
			return now, "", record.ErrNothing
		}
		after := now
		after.State = state
		if state == now.State && sight != task.There && now.Version == 0 {
			return now, "", record.ErrNothing // nobody has touched it, and nothing is known of it
		}
		return after, says, nil
	}}
}

// NoteAll makes such changes.
func (l *List) NoteAll(ctx context.Context, site int64, who string, changes []record.Change) error {
	done, err := l.store.ChangeTasks(ctx, site, who, 0, changes)
	for _, d := range done {
		if d.Err != nil && !errors.Is(d.Err, record.ErrNothing) {
			return d.Err
		}
	}
	return err
}
