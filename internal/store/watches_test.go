package store_test

import (
	"math"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// TestWatches: a watch is taken once when it is due, and what was missed is not made up for; what it saw goes with it.
func TestWatches(t *testing.T) {
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	due := now.Add(-17 * time.Minute)
	home := watch.Watch{Name: "home", Address: "http://fernhollow.invalid/", Every: 5}
	for _, one := range []struct {
		watch.Watch
		due *time.Time
	}{{home, &due}, {watch.Watch{Name: "resting", Every: 5, Paused: true}, nil}} {
		if err := s.PutWatch(t.Context(), site.ID, one.Watch, one.due); err != nil {
			t.Fatal(err)
		}
	}
	taken, err := s.TakeWatches(t.Context(), now, 10)
	if err != nil || len(taken) != 1 || taken[0].Watch != home || !taken[0].Due.Equal(now.Add(3*time.Minute)) {
		t.Fatalf("%+v (%v)", taken, err)
	}
	if again, err := s.TakeWatches(t.Context(), now, 10); err != nil || len(again) != 0 {
		t.Errorf("taken again: %+v (%v)", again, err)
	}
	id := taken[0].ID
	look := watch.Look{At: now, Outcome: page.Answered, Status: 200, Read: true, Title: "Ferns"}
	step := watch.State{}.Take(&home, &look)
	end := now.Add(7 * time.Minute)
	if err := s.SaveRound(t.Context(), record.Round{
		Looks: []record.Seen{{Watch: id, At: now, Status: 200, Tries: 1, Timing: [5]int{1, 2, 3, 40, 50}},
			{Watch: 987, At: now}},
		States:  map[int64]watch.State{id: step.State},
		Outages: []record.Outage{{Watch: id, Began: now, Reason: "status 503"}, {Watch: id, Ended: &end}},
		Changes: []record.Noticed{{SiteID: site.ID, Watch: id, At: now,
			Change: watch.Change{What: watch.Title, Was: "Moss", Now: "Fe\x00rns"}}},
	}); err != nil {
		t.Fatal(err)
	}
	all, err := s.Watches(t.Context(), "fernhollow")
	if err != nil || len(all) != 2 || all[0].State.Last == nil || all[0].State.Last.Title != "Ferns" {
		t.Errorf("%+v (%v)", all, err)
	}
	outages, err := s.Outages(t.Context(), "fernhollow", 0, now.Add(-time.Hour), 9)
	if err != nil || len(outages) != 1 || outages[0].Ended == nil || !outages[0].Ended.Equal(end) ||
		outages[0].Name != "home" {
		t.Errorf("%+v (%v)", outages, err)
	}
	changes, err := s.Changes(t.Context(), site.ID, 0, now.Add(-time.Hour), 9)
	if err != nil || len(changes) != 1 || changes[0].Was != "Moss" || changes[0].Name != "home" {
		t.Errorf("%+v (%v)", changes, err)
	}
	home.Every = 1
	if err := s.PutWatch(t.Context(), site.ID, home, &due); err != nil {
		t.Fatal(err)
	}
	if all, err = s.Watches(t.Context(), ""); err != nil || all[0].State.Last == nil {
		t.Errorf("what is known is lost with a change: %+v (%v)", all, err)
	}
	home.Address = "http://fernhollow.invalid/visit/"
	if err := s.PutWatch(t.Context(), site.ID, home, &due); err != nil {
		t.Fatal(err)
	}
	if all, err = s.Watches(t.Context(), ""); err != nil || all[0].State.Last != nil {
		t.Errorf("another address has the state of the first: %+v (%v)", all, err)
	}
	if err := s.RemoveWatch(t.Context(), site.ID, "home"); err != nil {
		t.Fatal(err)
	}
	left := -1
	if err := db.QueryRowContext(t.Context(), "select (select count(*) from watch_look) + (select count(*) from outage)").
		Scan(&left); err != nil ||
		left != 0 {
		t.Errorf("%d rows are left of a watch that is gone (%v)", left, err)
	}
}

// TestSumUp: hours and days tell the same as the looks that they stand for, and each look counts once, wherever the
// time that is asked for begins.
func TestSumUp(t *testing.T) {
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	from := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	first := 7*time.Hour + 30*time.Minute // into the first day
	if err := s.PutWatch(t.Context(), site.ID, watch.Watch{Name: "home", Every: 10}, &from); err != nil {
		t.Fatal(err)
	}
	all, err := s.Watches(t.Context(), "")
	if err != nil {
		t.Fatal(err)
	}
	id := all[0].ID
	whole := func(from, until time.Time) (out watch.Course) {
		t.Helper()
		parts, err := s.Course(t.Context(), []int64{id}, from, until)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range parts[id] {
			out.Join(&c)
		}
		return out
	}
	var want watch.Course
	now := from
	for day := range 40 {
		var r record.Round
		for n := range 144 {
			at := from.AddDate(0, 0, day).Add(time.Duration(n) * 10 * time.Minute)
			if at.Sub(from) < first {
				continue
			}
			l := record.Seen{Watch: id, At: at, Status: 200, Tries: 1, Down: n == 30, Planned: n == 31 || n == 32,
				Timing: [5]int{1, 2, 3, 40, 100 + 7*n}}
			l.Down = l.Down || n == 32
			r.Looks = append(r.Looks, l)
			one := watch.Course{Looks: 1, Times: watch.Times{}}
			switch {
			case l.Planned:
				one.Looks, one.Planned = 0, 1
			case l.Down:
				one.Down = 1
			}
			if !l.Planned && !l.Down {
				one.Times.Add(l.Timing[4])
			}
			want.Join(&one)
		}
		if err := s.SaveRound(t.Context(), r); err != nil {
			t.Fatal(err)
		}
		now = from.AddDate(0, 0, day+1)
		for _, at := range []time.Time{now.Add(time.Second), now.Add(10 * time.Minute), now.Add(2 * time.Hour)} {
			if err := s.SumUp(t.Context(), at); err != nil {
				t.Fatal(err)
			}
		}
	}
	got := whole(from, now)
	if got.Looks != want.Looks || got.Down != want.Down || got.Planned != want.Planned {
		t.Errorf("%d looks, %d down, %d planned; not %d, %d, %d", got.Looks, got.Down, got.Planned, want.Looks, want.Down,
			want.Planned)
	}
	for _, p := range []float64{50, 95, 99} {
		if g, w := float64(got.Times.Percentile(p)), float64(want.Times.Percentile(p)); math.Abs(g-w) > w*0.13 {
			t.Errorf("p%v is %v, not %v", p, g, w)
		}
	}
	if week := whole(now.AddDate(0, 0, -7), now); week.Looks != 7*142 || week.Down != 7 {
		t.Errorf("of the last week %d looks, %d down", week.Looks, week.Down)
	}
	lately, err := s.Lately(t.Context(), []int64{id}, now.AddDate(0, 0, -30))
	if one := lately[id]; err != nil || one.Looks != 30*142 || one.Down != 30 || one.Planned != 60 {
		t.Errorf("lately %d looks, %d down, %d planned (%v)", one.Looks, one.Down, one.Planned, err)
	}
	if early := whole(from, from.AddDate(0, 0, 10)); early.Looks != 10*142-43 {
		t.Errorf("of the first ten days %d looks", early.Looks)
	}
	for _, keep := range []record.LooksKept{record.UsualLooks, {Days: 3, Hours: 5}} {
		if err := s.Set(t.Context(), record.LooksSetting, keep); err != nil {
			t.Fatal(err)
		}
		if err := s.SumUp(t.Context(), now.Add(2*time.Hour)); err != nil {
			t.Fatal(err)
		}
		var looks int
		if err := db.QueryRowContext(t.Context(), "select count(*) from watch_look").Scan(&looks); err != nil ||
			looks/144 != keep.Days-1 {
			t.Errorf("of looks that are kept %d days there are %d (%v)", keep.Days, looks, err)
		}
	}
	if again := whole(from, now); again.Looks != want.Looks || again.Down != want.Down {
		t.Errorf("of all that was kept by day, %d looks, %d down", again.Looks, again.Down)
	}
}

// TestFronts: each site is looked at daily from the first day on.
func TestFronts(t *testing.T) {
	s, _ := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	later := time.Now().Add(2 * time.Hour)
	if taken, err := s.TakeFronts(t.Context(), time.Now(), 9); err != nil || len(taken) != 0 {
		t.Errorf("at once: %+v (%v)", taken, err)
	}
	taken, err := s.TakeFronts(t.Context(), later, 9)
	if err != nil || len(taken) != 1 || taken[0].Site != "fernhollow" || taken[0].Now != nil {
		t.Fatalf("%+v (%v)", taken, err)
	}
	if again, err := s.TakeFronts(t.Context(), later, 9); err != nil || len(again) != 0 {
		t.Errorf("%+v (%v)", again, err)
	}
	if err := s.SaveFront(t.Context(), site.ID, &watch.Front{HasRobots: true, Robots: "x"},
		[]record.Noticed{{SiteID: site.ID, At: later,
			Change: watch.Change{What: watch.RobotsTxt, Was: "y", Now: "x"}}}); err != nil {
		t.Fatal(err)
	}
	if taken, err = s.TakeFronts(t.Context(), later.AddDate(0, 0, 1), 9); err != nil || len(taken) != 1 ||
		taken[0].Now.Robots != "x" {
		t.Errorf("%+v (%v)", taken, err)
	}
	if err := s.SetFront(t.Context(), site.ID, nil); err != nil {
		t.Fatal(err)
	}
	if taken, err = s.TakeFronts(t.Context(), later.AddDate(0, 0, 9), 9); err != nil || len(taken) != 0 {
		t.Errorf("one that is not to be looked at: %+v (%v)", taken, err)
	}
}
