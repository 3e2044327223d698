package schedules

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/schedule"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// town is a store in memory with its sites, and a machine that crawls them; its clock is set by hand.
type town struct {
	t         *testing.T
	now       time.Time
	lasting   time.Duration // of a crawl
	sites     []record.Site
	schedules []record.Scheduled
	crawls    []record.Crawl
	begun     []time.Time
	refuse    error
	hold      bool
	*Schedules
}

func newTown(t *testing.T, at string) *town {
	t.Helper()
	now, err := time.Parse(time.RFC3339, at)
	if err != nil {
		t.Fatal(err)
	}
	w := &town{t: t, now: now, lasting: 30 * time.Minute,
		sites: []record.Site{{ID: 1, Name: "fernhollow", Home: "https://fernhollow.example/"}}}
	w.Schedules = New(memory{w}, w, plan.Known{}, func() time.Time { return w.now }, testkit.Quiet)
	return w
}

func (w *town) Site(_ context.Context, name string) (record.Site, error) {
	for _, s := range w.sites {
		if s.Name == name {
			return s, nil
		}
	}
	return record.Site{}, record.ErrNotFound
}

func (w *town) all(keep func(record.Scheduled) bool) (out []record.Scheduled) {
	for _, s := range w.schedules {
		if keep(s) {
			out = append(out, s)
		}
	}
	return out
}

func (w *town) of(site string) []record.Scheduled {
	return w.all(func(s record.Scheduled) bool { return site == "" || s.Site == site })
}

func (w *town) DueSchedules(_ context.Context, by time.Time) ([]record.Scheduled, error) {
	return w.all(func(s record.Scheduled) bool { return s.Due != nil && !s.Due.After(by) }), nil
}

func (w *town) PutSchedule(_ context.Context, site int64, s schedule.Schedule, due *time.Time) error {
	w.schedules = slices.DeleteFunc(w.schedules, func(o record.Scheduled) bool { return o.Name == s.Name })
	w.schedules = append(
		w.schedules,
		record.Scheduled{ID: site, Site: "fernhollow", Home: w.sites[0].Home, Schedule: s, Due: due},
	)
	return nil
}

func (w *town) RemoveSchedule(context.Context, int64, string) error { return nil }

func (w *town) PassOver(_ context.Context, turn record.Turn) error {
	for i := range w.schedules {
		if s := &w.schedules[i]; s.Name == turn.Name {
			if s.Due == nil || !s.Due.Equal(turn.Due) {
				return record.ErrBusy
			}
			s.Due, s.Last = turn.Next, &turn.Last
		}
	}
	return nil
}

func (w *town) OutOfHours(context.Context) (out []record.Crawl, err error) {
	for _, c := range w.crawls {
		if c.Hours.Text != "" && c.State != "finished" {
			out = append(out, c)
		}
	}
	return out, nil
}

func (w *town) Crawls(context.Context, record.Site, int, int) ([]record.Crawl, error) {
	out := slices.Clone(w.crawls)
	slices.Reverse(out)
	return out, nil
}

func (w *town) Setting(_ context.Context, _ string, into any) error {
	*into.(*bool) = w.hold
	return nil
}

func (w *town) Set(_ context.Context, _ string, value any) error {
	w.hold = value.(bool)
	return nil
}

func (w *town) StartTurn(ctx context.Context, _ record.Site, p plan.Plan, turn *record.Turn) (record.Crawl, error) {
	if w.refuse != nil {
		return record.Crawl{}, w.refuse
	}
	for _, c := range w.crawls {
		if c.State == "running" {
			return record.Crawl{}, record.ErrRunning
		}
	}
	rec := record.Crawl{
		ID:      int64(len(w.crawls) + 1),
		Number:  len(w.crawls) + 1,
		State:   "running",
		Started: w.now,
		Plan:    p,
	}
	if turn != nil {
		turn.Last.Crawl = rec.Number
		if err := w.PassOver(ctx, *turn); err != nil {
			return rec, err
		}
		rec.Schedule, rec.Hours = turn.Name, turn.Hours
	}
	w.crawls, w.begun = append(w.crawls, rec), append(w.begun, w.now)
	return rec, nil
}

func (w *town) crawl(id int64) *record.Crawl { return &w.crawls[id-1] }

func (w *town) Stop(_ context.Context, id int64) (bool, error) {
	w.crawl(id).State = "finished"
	return true, nil
}

func (w *town) Defer(_ context.Context, id int64) (bool, error) {
	w.crawl(id).State = "paused"
	return true, nil
}

func (w *town) Revive(_ context.Context, rec record.Crawl) (record.Crawl, error) {
	w.crawl(rec.ID).State = "running"
	return rec, nil
}

// memory is a town by the names of Store.
type memory struct{ *town }

func (m memory) Schedules(_ context.Context, site string) ([]record.Scheduled, error) {
	return m.of(site), nil
}

// minutes lets time go by, a minute at a step.
func (w *town) minutes(n int) {
	w.t.Helper()
	for range n {
		w.now = w.now.Add(time.Minute)
		for i := range w.crawls {
			if c := &w.crawls[i]; c.State == "running" {
				if c.Progress.Seconds += 60; c.Progress.Seconds >= w.lasting.Seconds() {
					c.State = "finished"
				}
			}
		}
		if err := w.Begin(w.t.Context()); err != nil {
			w.t.Fatal(err)
		}
	}
}

func (w *town) set(s schedule.Schedule) {
	w.t.Helper()
	if err := w.SetSchedule(w.t.Context(), w.sites[0], s); err != nil {
		w.t.Fatal(err)
	}
}

// starts are when crawls were begun.
func (w *town) starts() string {
	var out []string
	for _, at := range w.begun {
		out = append(out, at.Format("02 15:04"))
	}
	return strings.Join(out, ", ")
}

func TestComes(t *testing.T) {
	w := newTown(t, "2026-11-30T00:00:00Z") // a Monday
	w.set(schedule.Schedule{Name: "nightly", When: "weekdays 03:00"})
	w.minutes(6 * 24 * 60)
	if got := w.starts(); got != "30 03:00, 01 03:00, 02 03:00, 03 03:00, 04 03:00" {
		t.Errorf("begun %s", got)
	}
	if last := w.schedules[0].Last; last == nil || last.Crawl != 5 || last.Missed != 0 || last.Detail != "" {
		t.Errorf("last: %+v", last)
	}
}

// TestMissed: what came while nothing ran is made up for once, and said.
func TestMissed(t *testing.T) {
	w := newTown(t, "2026-11-30T00:00:00Z")
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00"})
	w.minutes(4 * 60)
	w.now = w.now.Add(5 * 24 * time.Hour) // nobody is there
	w.minutes(60)
	if got := w.starts(); got != "30 03:00, 05 04:01" {
		t.Errorf("begun %s", got)
	}
	if last := w.schedules[0].Last; last.Missed != 4 || last.Crawl != 2 {
		t.Errorf("last: %+v", last)
	}
	// Where its hours are over by then, it is said, and nothing begins.
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00", Hours: "02:00-05:00"})
	w.now = w.now.Add(30 * time.Hour)
	w.minutes(1)
	if last := w.schedules[0].Last; last.Crawl != 0 || !strings.Contains(last.Detail, "hours were over") ||
		len(w.begun) != 2 {
		t.Errorf("last: %+v, begun %s", last, w.starts())
	}
}

func TestOverlap(t *testing.T) {
	for overlap, want := range map[string]string{
		"":               "30 03:00, 30 21:00", // those between are left out
		schedule.Queue:   "30 03:00, 30 18:00, 01 09:00",
		schedule.Replace: "30 03:00, 30 09:01, 30 15:01, 30 21:01, 01 03:01, 01 09:01",
	} {
		w := newTown(t, "2026-11-30T00:00:00Z")
		w.lasting = 15 * time.Hour
		w.set(schedule.Schedule{Name: "often", When: "0 3,9,15,21 * * *", Overlap: overlap})
		w.minutes(34 * 60)
		if got := w.starts(); got != want {
			t.Errorf("%q: begun %s, not %s", overlap, got, want)
		}
		if last := w.schedules[0].Last; overlap == "" && last.Detail != "crawl 2 was not over" {
			t.Errorf("last: %+v", last)
		}
	}
}

// TestHours: a crawl is put away at the end of its hours, and goes on when they come again.
func TestHours(t *testing.T) {
	w := newTown(t, "2026-11-30T20:00:00Z")
	w.lasting = 10 * time.Hour
	w.set(schedule.Schedule{Name: "nights", When: "daily 22:00", Hours: "22:00-04:00"})
	var states []string
	for range 36 {
		w.minutes(60)
		if len(w.crawls) > 0 {
			states = append(states, w.crawls[0].State[:1])
		}
	}
	// Running from 22 to 04, away until 22, running until it has had its ten hours; the second night's is left
	// out.
	if got := strings.Join(states, ""); got != "rrrrrrpppppppppppppppppprrrrfffffff" {
		t.Errorf("hour by hour: %s", got)
	}
	if w.starts() != "30 22:00" || w.schedules[0].Last.Detail != "crawl 1 was not over" {
		t.Errorf("begun %s: %+v", w.starts(), w.schedules[0].Last)
	}
}

func TestHeld(t *testing.T) {
	w := newTown(t, "2026-11-30T00:00:00Z")
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00"})
	if err := w.HoldSchedules(t.Context(), true); err != nil {
		t.Fatal(err)
	}
	w.minutes(24 * 60)
	if err := w.HoldSchedules(t.Context(), false); err != nil {
		t.Fatal(err)
	}
	w.minutes(24 * 60)
	if got := w.starts(); got != "01 03:00" {
		t.Errorf("begun %s", got)
	}
}

// TestRefused: what cannot begin is said and passed over; what is only short of room waits.
func TestRefused(t *testing.T) {
	w := newTown(t, "2026-11-30T02:00:00Z")
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00"})
	w.refuse = fmt.Errorf("%w: free some space", record.ErrDisk)
	w.minutes(2 * 60)
	w.refuse = nil
	w.minutes(60)
	if got := w.starts(); got != "30 04:01" {
		t.Errorf("begun %s", got)
	}
	w.refuse = record.Refuse("the secret staging is not there")
	w.minutes(24 * 60)
	if last := w.schedules[0].Last; last.Detail != "the secret staging is not there" || last.Crawl != 0 ||
		len(w.begun) != 1 {
		t.Errorf("last: %+v, begun %s", last, w.starts())
	}
}

// TestTaken: where two processes are at it, one begins the crawl.
func TestTaken(t *testing.T) {
	w := newTown(t, "2026-11-30T02:59:00Z")
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00"})
	w.now = w.now.Add(time.Minute)
	due, _ := w.DueSchedules(t.Context(), w.now)
	for range 2 {
		w.crawls = nil
		if err := w.begin(t.Context(), due[0], w.now); err != nil {
			t.Fatal(err)
		}
	}
	if len(w.begun) != 1 {
		t.Errorf("begun %s", w.starts())
	}
}

func TestPlanOf(t *testing.T) {
	w := newTown(t, "2026-11-30T02:00:00Z")
	w.sites[0].Plan = plan.Plan{Pages: 5000, Depth: 4}
	w.set(schedule.Schedule{Name: "small", When: "daily 03:00", Plan: "pages: 50"})
	w.minutes(61)
	if p := w.crawls[0].Plan; p.Pages != 50 || p.Depth != 4 {
		t.Errorf("crawled by %+v", p)
	}
	err := w.SetSchedule(
		t.Context(),
		w.sites[0],
		schedule.Schedule{Name: "small", When: "daily 03:00", Plan: "pagse: 50"},
	)
	var faults plan.Faults
	if !errors.As(err, &faults) || faults[0].Field != "plan" || !strings.Contains(faults[0].Reason, "pagse") {
		t.Errorf("a setting that there is not: %v", err)
	}
}

func TestComing(t *testing.T) {
	w := newTown(t, "2026-11-30T00:00:00Z")
	w.set(schedule.Schedule{Name: "nightly", When: "daily 03:00"})
	w.set(schedule.Schedule{Name: "full", When: "fri 22:00"})
	w.minutes(4 * 60)
	coming, err := w.Coming(t.Context(), "", 7)
	if err != nil || len(coming) != 8 {
		t.Fatalf("%d coming (%v)", len(coming), err)
	}
	if c := coming[4]; c.Schedule != "full" || c.Host != "fernhollow.example" || c.Until.Sub(c.At) != 30*time.Minute {
		t.Errorf("the fifth: %+v", c)
	}
}
