package store_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/care"
	"harvik/internal/core/plan"
	"harvik/internal/core/schedule"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// TestCare: a row tells of its own site all that stands in many places.
func TestCare(t *testing.T) {
	s, db := opened(t)
	for _, name := range []string{"beds", "fernhollow"} {
		if err := s.AddSite(t.Context(), name, "http://"+name+".invalid/", plan.Plan{}); err != nil {
			t.Fatal(err)
		}
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Now().Truncate(time.Second)
	for n, health := range []float64{88.2, 90.1, 81.9} {
		rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), `update crawl set state = 'finished', owner = '', health = $2, finished = $3,
			report = '{"Ledger": [{"Check": "a", "Points": 4.5}, {"Check": "b", "Severity": "warning", "Points": 9}, {"Check": "c", "Points": 1.5}]}'
			where id = $1`, rec.ID, health, now.Add(time.Duration(n)*time.Minute)); err != nil {
			t.Fatal(err)
		}
		if n == 2 {
			if err := s.KeepStep(t.Context(), rec.ID, record.Step{Before: 2, Change: -8.2, Cause: "Footer link is dead"}); err != nil {
				t.Fatal(err)
			}
		}
	}
	if rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1); err != nil || rec.Number != 4 {
		t.Fatalf("%d, %v", rec.Number, err)
	}
	for _, sql := range []string{
		`insert into task (site_id, fix, check_id, line, state, assignee, seen) values ($1, 'x', 'a', 'x', 'returned', 'rowan', 3),
			($1, 'y', 'a', 'y', 'confirmed', 'hazel', 3)`,
	} {
		if _, err := db.ExecContext(t.Context(), sql, site.ID); err != nil {
			t.Fatal(err)
		}
	}
	due := now.Add(time.Hour)
	if err := s.PutSchedule(t.Context(), site.ID, schedule.Schedule{Name: "x", When: "daily 03:00"}, &due); err != nil {
		t.Fatal(err)
	}
	if err := s.PutWatch(t.Context(), site.ID, watch.Watch{Name: "home", Every: 5}, &due); err != nil {
		t.Fatal(err)
	}
	watches, err := s.Watches(t.Context(), "")
	if err != nil {
		t.Fatal(err)
	}
	round := record.Round{States: map[int64]watch.State{watches[0].ID: {Down: true, Since: now}}}
	for n := range 40 {
		round.Looks = append(
			round.Looks,
			record.Seen{Watch: watches[0].ID, At: now.Add(-time.Duration(n) * time.Minute), Down: n == 0},
		)
	}
	if err := s.SaveRound(t.Context(), round); err != nil {
		t.Fatal(err)
	}
	for rule, told := range map[string]alert.Told{"a": {Says: "robots.txt shuts the shop", Urgent: true},
		"b": {Says: "a title changed"}} {
		a := record.Alert{Rule: rule, Subject: "1", State: record.AlertNew, Began: now, Told: told}
		if err := s.Tell(t.Context(), site.ID, record.News{Alerts: []record.Alert{a}}); err != nil {
			t.Fatal(err)
		}
	}
	all, err := s.Care(t.Context(), now.Add(time.Minute))
	if err != nil || len(all) != 2 {
		t.Fatalf("%d sites (%v)", len(all), err)
	}
	i := slices.IndexFunc(all, func(c care.Site) bool { return c.Name == "fernhollow" })
	got, other := all[i], all[1-i]
	if *got.Health != 81.9 || !slices.Equal(got.Course, []float64{88.2, 90.1, 81.9}) || got.Before != 2 ||
		got.Change != -8.2 ||
		got.Cause != "Footer link is dead" ||
		got.Latest != 3 || got.Errors != 2 || got.Lost != 6 || got.Returned != 1 ||
		got.Looks != 40 || got.Missed != 1 || !slices.Equal(got.Down, []string{"home"}) || got.Alerts != 2 ||
		got.Urgent != 1 ||
		got.Says != "robots.txt shuts the shop" || !got.Next.Equal(due) ||
		got.Running != 4 ||
		!slices.Equal(got.Assignees, []string{"rowan"}) {
		t.Errorf("%+v", got)
	}
	if other.Name != "beds" || other.Health != nil || other.Before != 0 || other.Alerts != 0 || other.Looks != 0 ||
		len(other.Course) != 0 ||
		len(other.Down) != 0 ||
		other.Running != 0 ||
		!other.Next.IsZero() {
		t.Errorf("the other: %+v", other)
	}
}

// BenchmarkCare is the first page of somebody with 300 sites, each with 50 crawls behind it.
func BenchmarkCare(b *testing.B) {
	s, db := opened(b)
	for n := range 300 {
		if err := s.AddSite(b.Context(), fmt.Sprintf("site%d", n), "http://beds.invalid/", plan.Plan{}); err != nil {
			b.Fatal(err)
		}
	}
	if _, err := db.ExecContext(b.Context(), `insert into crawl (site_id, number, state, plan, catalogue, health, finished, report)
		select s.id, n, 'finished', '{}', 1, 80 + n % 7, now(), jsonb_build_object('Ledger', (select jsonb_agg(jsonb_build_object('Check', 'c' || i,
			'Severity', case when i % 3 = 0 then 'warning' end, 'Points', 0.3)) from generate_series(1, 60) i))
		from site s, generate_series(1, 50) n`); err != nil {
		b.Fatal(err)
	}
	if _, err := db.ExecContext(b.Context(), "analyze"); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if all, err := s.Care(b.Context(), time.Now()); err != nil || len(all) != 300 {
			b.Fatalf("%d sites (%v)", len(all), err)
		}
	}
}
