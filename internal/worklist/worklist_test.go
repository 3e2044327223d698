package worklist

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// kept is a site's work in memory. What a test does not expect to be asked for panics.
type kept struct {
	Store
	latest   record.Crawl
	lines    map[string]record.Task
	entries  map[string]record.Task
	waived   map[string]bool
	tasks    map[string]record.Task
	members  map[string][]string
	fixes    map[string]record.FixLine
	statuses map[string]int
	batches  int64
}

func (k *kept) Crawl(context.Context, string, int) (record.Crawl, error) {
	if k.latest.ID == 0 {
		return k.latest, record.ErrNotFound
	}
	return k.latest, nil
}
func (k *kept) Before(context.Context, int64, int) (record.Crawl, error) {
	return k.Crawl(context.Background(), "", 0)
}
func (k *kept) FixesOf(context.Context, int64) (map[string]record.Task, error) {
	out := map[string]record.Task{}
	for id, t := range k.lines {
		out[id] = t
	}
	return out, nil
}
func (k *kept) EntriesOf(_ context.Context, _ int64, ids []string) (map[string]record.Task, error) {
	out := map[string]record.Task{}
	for _, id := range ids {
		if t, ok := k.entries[id]; ok {
			out[id] = t
		}
	}
	return out, nil
}
func (k *kept) WaivedFixes(context.Context, int64) (map[string]bool, error) { return k.waived, nil }
func (k *kept) Tasks(context.Context, int64) (out []record.Task, err error) {
	for _, t := range k.tasks {
		out = append(out, t)
	}
	return out, nil
}
func (k *kept) NextBatch(context.Context) (int64, error) { k.batches++; return k.batches, nil }
func (k *kept) Members(_ context.Context, _ int64, fix string) ([]string, error) {
	return k.members[fix], nil
}
func (k *kept) Fix(_ context.Context, _ int64, id string) (record.FixLine, error) {
	f, ok := k.fixes[id]
	if !ok {
		return f, record.ErrNotFound
	}
	return f, nil
}
func (k *kept) Statuses(context.Context, int64, []string) (map[string]int, error) {
	return k.statuses, nil
}
func (k *kept) ChangeTasks(_ context.Context, _ int64, _ string, _ int64,
	changes []record.Change) (out []record.Changed, err error) {
	for _, c := range changes {
		now, ok := k.tasks[c.First.Fix]
		if !ok {
			now = c.First
		}
		after, _, err := c.Make(now)
		if err == nil {
			after.Version++
			k.tasks[after.Fix] = after
		}
		out = append(out, record.Changed{Task: after, Err: err})
	}
	return out, nil
}

func open(ids ...string) map[string]record.Task {
	out := map[string]record.Task{}
	for _, id := range ids {
		out[id] = record.Task{Fix: id, State: task.Open}
	}
	return out
}

func ptr[T any](v T) *T { return &v }

// TestMove moves fixes one by one: those that can be moved are, and every other one says why not.
func TestMove(t *testing.T) {
	k := &kept{
		latest: record.Crawl{ID: 7, Number: 3}, lines: open("title", "footer", "robots"), entries: open("one-link"),
		waived: map[string]bool{"robots": true},
		tasks: map[string]record.Task{
			"gone":  {Fix: "gone", State: task.Confirmed, Version: 2, Seen: 1},
			"title": {Fix: "title", State: task.Taken, Version: 4},
		},
	}
	out, err := New(k).Move(t.Context(), record.Site{}, record.Wish{
		To: task.Claimed, Due: ptr("2027-03-31"), Note: ptr("with the next release"),
		Fixes: []record.FixAt{{Fix: "title", Version: ptr(4)}, {Fix: "footer", Version: ptr(0)}, {Fix: "one-link"},
			{Fix: "title"}, {Fix: "robots"}, {Fix: "gone"}, {Fix: "nosuch"}},
	})
	if err != nil {
		t.Fatal(err)
	}
	var moved, refused []string
	for _, m := range out.Moved {
		moved = append(moved, m.Fix)
		if m.State != task.Claimed || m.Due.String() != "2027-03-31" || m.Note != "with the next release" ||
			m.Seen != 3 && m.Fix != "title" {
			t.Errorf("moved to %+v", m)
		}
	}
	if !slices.Equal(moved, []string{"title", "footer", "one-link"}) {
		t.Errorf("moved %v", moved)
	}
	for _, r := range out.Refused {
		refused = append(refused, r.Fix+": "+r.Why)
	}
	said := strings.Join(refused, "\n")
	for _, want := range []string{"title: it is named twice", "robots: it is waived",
		"gone: it is confirmed to be gone", "nosuch: there is no such fix"} {
		if !strings.Contains(said, want) {
			t.Errorf("%q is not among what is refused:\n%s", want, said)
		}
	}
	if len(out.Refused) != 4 || out.Batch != 1 {
		t.Errorf("%d refused in batch %d", len(out.Refused), out.Batch)
	}
}

// TestMoveConflicts refuses a wish made at another version, with the task as it is now, and one that changes nothing.
func TestMoveConflicts(t *testing.T) {
	k := &kept{latest: record.Crawl{ID: 7, Number: 3}, lines: open("title"),
		tasks: map[string]record.Task{"title": {Fix: "title", State: task.Taken, Version: 4, Assignee: "ash"}}}
	out, err := New(k).Move(t.Context(), record.Site{},
		record.Wish{To: task.Claimed, Fixes: []record.FixAt{{Fix: "title", Version: ptr(3)}}})
	if err != nil || len(out.Refused) != 1 || out.Refused[0].Task == nil || out.Refused[0].Task.Assignee != "ash" {
		t.Errorf("at an earlier version: %+v, %v", out, err)
	}
	out, err = New(k).Move(t.Context(), record.Site{},
		record.Wish{To: task.Taken, Assignee: ptr("ash"), Fixes: []record.FixAt{{Fix: "title"}}})
	if err != nil || len(out.Refused) != 1 || !strings.Contains(out.Refused[0].Why, "how it is already") {
		t.Errorf("a wish for what is: %+v, %v", out, err)
	}
	if _, err = New(k).Move(t.Context(), record.Site{},
		record.Wish{Due: ptr("soon"), Fixes: []record.FixAt{{Fix: "title"}}}); err == nil {
		t.Error("a due day that is none is taken")
	}
	if _, err = New(&kept{}).Move(t.Context(), record.Site{}, record.Wish{To: task.Taken}); err == nil ||
		!strings.Contains(err.Error(), "no finished crawl") {
		t.Errorf("without a crawl: %v", err)
	}
}

// page is one of Fernhollow, whose title may be missing.
func page(title string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		io.WriteString(w, `<html lang="en"><head>`+title+`</head><body><h1>Ferns</h1><p>Green all year. <a href="/moss/">Moss</a> <a href="/">Home</a></p></body></html>`)
	}
}

// TestSettle settles what a crawl makes of work: what it saw fail again, what it saw mended, and what it did not see.
func TestSettle(t *testing.T) {
	home, moss := "", "<title>Moss in the shade garden</title>"
	mux := http.NewServeMux()
	mux.HandleFunc("/{$}", func(w http.ResponseWriter, r *http.Request) { page(home)(w, r) })
	mux.HandleFunc("/moss/", func(w http.ResponseWriter, r *http.Request) { page(moss)(w, r) })
	address := "http://" + testkit.Serve(t, mux) + "/"
	line := func(r *booking.Result, check string) string {
		for i := range r.Report.Fixes {
			if r.Report.Fixes[i].Check == check {
				return r.Report.Fixes[i].ID
			}
		}
		t.Fatalf("no line of %s", check)
		return ""
	}
	p := plan.Plan{Probes: plan.No()}
	first, _ := testkit.Crawl(t, address, p)
	untitled := line(first, "title-missing")
	var fix record.FixLine
	for i := range first.Report.Fixes {
		if f := first.Report.Fixes[i]; f.ID == untitled {
			fix.Fix = f
		}
	}
	began := time.Now()
	before := record.Crawl{ID: 1, Number: 1}
	after := record.Crawl{ID: 2, Number: 2, Started: began}
	settled := func(k *kept, now *booking.Result) map[string]string {
		t.Helper()
		s, err := New(k).Settle(t.Context(), after, now)
		if err != nil {
			t.Fatal(err)
		}
		if s.Who != "crawl 2" || !slices.Contains(s.Seen, now.Report.Fixes[0].ID) {
			t.Errorf("%s saw %v", s.Who, s.Seen)
		}
		out := map[string]string{}
		for _, c := range s.Changes {
			now, ok := k.tasks[c.First.Fix]
			if !ok {
				now = c.First
			}
			if t, says, err := c.Make(now); err == nil {
				out[t.Fix] = fmt.Sprintf("%s: %s", t.State, says)
			}
		}
		return out
	}
	lines := map[string]record.Task{untitled: {Fix: untitled, Check: "title-missing", State: task.Open}}
	base := func(touched task.State, changed time.Time) *kept {
		k := &kept{
			latest: before, lines: lines, members: map[string][]string{untitled: {address}},
			fixes:    map[string]record.FixLine{untitled: fix},
			statuses: map[string]int{address: 200}, tasks: map[string]record.Task{},
		}
		if touched != "" {
			k.tasks[untitled] = record.Task{Fix: untitled, Check: "title-missing", State: touched, Version: 1, Seen: 1,
				Changed: changed}
		}
		return k
	}

	still, _ := testkit.Crawl(t, address, p)
	if got := settled(base("", began), still)[untitled]; got != "" {
		t.Errorf("open then and now, and something is said: %s", got)
	}
	if got := settled(base(task.Claimed, began.Add(-time.Hour)),
		still)[untitled]; got != "taken: claimed, but still there" {
		t.Errorf("claimed and there: %s", got)
	}
	if got := settled(base(task.Claimed, began.Add(time.Hour)), still)[untitled]; !strings.HasPrefix(got, "claimed") &&
		got != "" {
		t.Errorf("claimed while the crawl ran: %s", got)
	}

	home = "<title>Ferns for every garden</title>"
	mended, _ := testkit.Crawl(t, address, p)
	for _, touched := range []task.State{"", task.Taken, task.Claimed} {
		if got := settled(base(touched, began.Add(-time.Hour)), mended)[untitled]; !strings.HasPrefix(got,
			"confirmed") {
			t.Errorf("%q and mended: %s", touched, got)
		}
	}
	for name, statuses := range map[string]map[string]int{
		"not fetched": nil, "no answer": {address: 0}, "busy": {address: 503}, "refused": {address: 403},
	} {
		unseen := base(task.Claimed, began.Add(-time.Hour))
		unseen.statuses = statuses
		if got := settled(unseen, mended)[untitled]; !strings.Contains(got, "claimed") ||
			!strings.Contains(got, "1 of 1 pages were not looked at: "+address) {
			t.Errorf("claimed, and %s: %s", name, got)
		}
	}
	nobody := base("", began)
	nobody.statuses = nil
	if got := settled(nobody, mended)[untitled]; got != "" {
		t.Errorf("untouched and not looked at, and something is said: %s", got)
	}

	home = ""
	back, _ := testkit.Crawl(t, address, p)
	if got := settled(base(task.Confirmed, began.Add(-time.Hour)), back)[untitled]; !strings.HasPrefix(got,
		"returned") {
		t.Errorf("confirmed and there again: %s", got)
	}
}
