package store_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/schedule"
	"harvik/internal/record"
)

// TestScheduleTurns: a turn is taken once, with the crawl that it begins, or not at all.
func TestScheduleTurns(t *testing.T) {
	s, _ := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	due := time.Now().Add(-time.Minute).Truncate(time.Microsecond)
	night := schedule.Schedule{Name: "nightly", When: "daily 03:00", Hours: "22:00-06:00", Zone: "Europe/Berlin"}
	later := schedule.Schedule{Name: "later", When: "daily 03:00"}
	next := due.Add(24 * time.Hour)
	for _, one := range []struct {
		schedule.Schedule
		due *time.Time
	}{{later, &next}, {night, &due}} {
		if err := s.PutSchedule(t.Context(), site.ID, one.Schedule, one.due); err != nil {
			t.Fatal(err)
		}
	}
	found, err := s.DueSchedules(t.Context(), time.Now())
	if err != nil || len(found) != 1 || found[0].Schedule != night || !found[0].Due.Equal(due) || found[0].Last != nil {
		t.Fatalf("due: %+v (%v)", found, err)
	}
	turn := record.Turn{Schedule: found[0].ID, Name: "nightly", Due: due, Next: &next,
		Hours: record.Hours{
			Text: night.Hours,
			Zone: night.Zone,
		}, Last: record.Turnout{Due: due, At: time.Now(), Missed: 2}}
	rec, err := s.StartTurn(t.Context(), site, plan.Plan{}.WithDefaults(), 1, &turn)
	if err != nil || rec.Schedule != "nightly" || rec.Hours != turn.Hours {
		t.Fatalf("begun: %+v (%v)", rec, err)
	}
	if err := s.FailCrawl(t.Context(), rec, "enough"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.StartTurn(t.Context(), site, plan.Plan{}.WithDefaults(), 1, &turn); !errors.Is(err, record.ErrBusy) {
		t.Errorf("taken twice: %v", err)
	}
	if crawls, err := s.Crawls(t.Context(), site, 0, 9); err != nil || len(crawls) != 1 {
		t.Errorf("%d crawls of one turn (%v)", len(crawls), err)
	}
	all, err := s.Schedules(t.Context(), "fernhollow")
	if err != nil || len(all) != 2 || !all[1].Due.Equal(next) || all[1].Last == nil ||
		all[1].Last.Crawl != rec.Number ||
		all[1].Last.Missed != 2 {
		t.Errorf("schedules: %+v (%v)", all, err)
	}
	if err := s.RemoveSchedule(t.Context(), site.ID, "nosuch"); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("removing what is not there: %v", err)
	}
}

// TestOutOfHours: a crawl that waits for its hours is found, whoever owned it, until it may run at any time.
func TestOutOfHours(t *testing.T) {
	s, _ := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	at := time.Now().Truncate(time.Microsecond)
	if err := s.PutSchedule(t.Context(), site.ID, schedule.Schedule{Name: "x", When: "daily 03:00"}, &at); err != nil {
		t.Fatal(err)
	}
	all, err := s.Schedules(t.Context(), "")
	if err != nil {
		t.Fatal(err)
	}
	rec, err := s.StartTurn(
		t.Context(),
		site,
		plan.Plan{}.WithDefaults(),
		1,
		&record.Turn{Schedule: all[0].ID, Name: "x",
			Due: at, Hours: record.Hours{Text: "22:00-06:00", Zone: "UTC"}},
	)
	if err != nil {
		t.Fatal(err)
	}
	states := func() (out []string) {
		t.Helper()
		crawls, err := s.OutOfHours(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range crawls {
			out = append(out, c.State)
		}
		return out
	}
	if got := states(); !slices.Equal(got, []string{"running"}) {
		t.Errorf("%v", got)
	}
	if ok, err := s.Wish(t.Context(), rec.ID, record.WaitsForHours); err != nil || !ok {
		t.Fatalf("%v, %v", ok, err)
	}
	if got := states(); !slices.Equal(got, []string{"paused"}) {
		t.Errorf("%v", got)
	}
	if ok, err := s.ResumeCrawl(t.Context(), rec.ID); err != nil || !ok {
		t.Fatalf("%v, %v", ok, err)
	}
	if ok, err := s.Wish(t.Context(), rec.ID, record.WishPause); err != nil || !ok {
		t.Fatalf("%v, %v", ok, err)
	}
	if got := states(); len(got) != 0 {
		t.Errorf("one that a person put away: %v", got)
	}
	if err := s.AnyTime(t.Context(), rec.ID); err != nil {
		t.Fatal(err)
	}
	if again, err := s.CrawlOf(t.Context(), rec.ID); err != nil || again.Hours.Text != "" {
		t.Errorf("%+v (%v)", again.Hours, err)
	}
}

// TestRetainMonths: the first finished crawl of each month stays where that is wished, and what goes is told before.
func TestRetainMonths(t *testing.T) {
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	for _, day := range []string{"2026-08-31", "2026-09-01", "2026-09-15", "2026-10-02", "2026-10-09", "2026-11-01", "2026-11-20",
		"2026-11-27"} {
		rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
		if err != nil {
			t.Fatal(err)
		}
		state := "finished"
		if day == "2026-09-01" {
			state = "failed"
		}
		if _, err := db.ExecContext(t.Context(), "update crawl set state = $2, started = cast($3 as date) + interval '12 hours' where id = $1",
			rec.ID, state, day); err != nil {
			t.Fatal(err)
		}
	}
	going := func(keep record.Retention) (out []int) {
		t.Helper()
		crawls, err := s.Going(t.Context(), site.ID, keep)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range crawls {
			out = append(out, c.Number)
		}
		return out
	}
	monthly := record.Retention{Crawls: 2, Monthly: true}
	if got := going(monthly); !slices.Equal(got, []int{2, 5}) {
		t.Errorf("of each month the first stays: %v go", got)
	}
	if got := going(record.Retention{Crawls: 2}); !slices.Equal(got, []int{1, 2, 3, 4, 5, 6}) {
		t.Errorf("%v go", got)
	}
	if got := going(record.Retention{}); len(got) != 0 {
		t.Errorf("where all stay, %v go", got)
	}
	if err := s.SetKeep(t.Context(), site.ID, monthly); err != nil {
		t.Fatal(err)
	}
	if gone, err := s.Retain(t.Context(), site.ID); err != nil || !slices.Equal(gone, []int{2, 5}) {
		t.Errorf("gone are %v (%v)", gone, err)
	}
}
