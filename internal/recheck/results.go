package recheck

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/task"
	"harvik/internal/core/text"
	"harvik/internal/record"
	"harvik/internal/worklist"
)

// conclude words the results, moves the fixes, and projects health.
func (l *looking) conclude(ctx context.Context) error {
	l.show.mu.Lock()
	number, started := l.show.rec.Number, l.show.rec.Started
	l.show.mu.Unlock()
	who := fmt.Sprintf("recheck %d of crawl %d", number, l.crawl.Number)
	at := l.crawl
	at.Started = started
	var results []record.RecheckResult
	mended := map[string]map[int32]bool{} // by check: pages of which a sample spoke
	for _, f := range l.fixes {
		out, sight := l.result(f)
		t := record.Task{Fix: f.ID, Check: f.Check, Line: f.Line, State: task.Open, Seen: l.crawl.Number}
		if err := l.of.work.NoteAll(ctx, l.site.ID, who,
			[]record.Change{worklist.Note(at, t, sight, out.Says)}); err != nil {
			return err
		}
		now, err := l.of.store.Task(ctx, l.site.ID, f.ID)
		if err != nil && !errors.Is(err, record.ErrNotFound) {
			return err
		}
		if out.State = now.State; out.State == "" {
			out.State = task.Open
		}
		results = append(results, out)
		if sight == task.Gone && l.sampled[f.ID] {
			if mended[f.Check] == nil {
				mended[f.Check] = map[int32]bool{}
			}
			for _, page := range f.Members {
				mended[f.Check][page] = true
			}
		}
	}
	projected := l.trial.Trial(func(id string, page int32) bool { return mended[id][page] }, nil).Build(l.adjust)
	l.show.mu.Lock()
	defer l.show.mu.Unlock()
	l.show.rec.Results, l.show.rec.After = results, projected.Health
	l.show.rec.Pages = l.pages()
	return nil
}

// maxListed bounds the addresses that a result names.
const maxListed = 100

func (l *looking) result(f *fixlist.Fix) (record.RecheckResult, task.Sight) {
	sight, still, missed := l.sight(f)
	some := l.sample(f)
	out := record.RecheckResult{
		Fix: f.ID, Line: f.Line, Check: f.Check, Pages: f.Pages, Looked: len(some) - len(missed),
		Still: still[:min(len(still), maxListed)], Missed: missed[:min(len(missed), maxListed)],
	}
	sample := ""
	if l.sampled[f.ID] {
		sample = fmt.Sprintf(", a sample of %d", f.Pages)
	}
	into := l.others(f, some)
	switch {
	case sight == task.Gone && len(into) > 0:
		out.Verdict, out.Into = record.IsChanged, into
		out.Says = "gone as it was, but the pages fail the check in another way: " + drift.Short(into)
	case sight == task.Gone:
		out.Verdict, out.Says = record.IsConfirmed, "gone from "+all(len(some))+sample
		if moved := l.changed(some); len(moved) > 0 {
			out.Into, out.Says = moved, out.Says+"; "+drift.Short(moved)
		}
	case sight == task.There:
		out.Verdict, out.Says = record.IsThere, "still there on "+all(len(some))+sample
		if len(still) < len(some) {
			out.Says = fmt.Sprintf("still there on %d of %d pages%s", len(still), len(some), sample)
		}
	case l.ofCrawl(f):
		out.Verdict, out.Says = record.IsUnseen, "it is about how a whole crawl goes; crawl again to know"
	default:
		out.Verdict, out.Says = record.IsUnseen,
			fmt.Sprintf("%d of %s could not be looked at%s: %s", len(missed), text.Count(len(some), "page", "pages"),
				sample, drift.Short(missed))
	}
	return out, sight
}

// all names so many pages.
func all(n int) string {
	if n == 1 {
		return "its page"
	}
	return fmt.Sprintf("all %s pages looked at", text.Thousands(n))
}

// changed tells which pages are none any more.
func (l *looking) changed(addresses []string) []string {
	var out []string
	for _, a := range addresses {
		r := l.records[a]
		switch {
		case r == nil || r.Facts.Status == 200:
		case r.Facts.Redirect != "":
			out = append(out, a+" now leads to "+r.Facts.Redirect)
		case r.Facts.Status > 0:
			out = append(out, fmt.Sprintf("%s now answers with status %d", a, r.Facts.Status))
		default:
			out = append(out, fmt.Sprintf("%s gives no answer (%s)", a, r.Facts.Outcome))
		}
	}
	return out
}

// others are the lines of the same check that the pages are part of now and were not before.
func (l *looking) others(f *fixlist.Fix, addresses []string) []string {
	fresh := map[string]bool{}
	for _, a := range addresses {
		for _, id := range l.seen.Lines(f.Check, a) {
			if id != f.ID && !l.listed(id) {
				fresh[id] = true
			}
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	if l.after == nil {
		l.after = l.trial.Build(l.adjust).Fixes
	}
	var out []string
	for _, now := range l.after {
		if fresh[now.ID] {
			out = append(out, now.Line)
		}
	}
	return out
}

// maxPages bounds the pages that a recheck lists.
const maxPages = 500

func (l *looking) pages() []record.RecheckedPage {
	out := []record.RecheckedPage{}
	for a, r := range l.records {
		out = append(out, record.RecheckedPage{Address: a, Status: r.Facts.Status, Outcome: string(r.Facts.Outcome),
			Redirect: r.Facts.Redirect})
	}
	slices.SortFunc(out, func(a, b record.RecheckedPage) int { return strings.Compare(a.Address, b.Address) })
	return out[:min(len(out), maxPages)]
}
