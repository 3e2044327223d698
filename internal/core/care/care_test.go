package care

import (
	"strings"
	"testing"
	"time"
)

func TestOrder(t *testing.T) {
	now := time.Date(2026, 11, 30, 8, 0, 0, 0, time.UTC)
	crawled := func(name string, change func(*Site)) Site {
		s := Site{Name: name, Latest: 4, At: now.AddDate(0, 0, -2), State: "finished", Before: 3}
		change(&s)
		return s
	}
	sites := []Site{
		crawled("sound", func(*Site) {}),
		crawled("errors", func(s *Site) { s.Errors, s.Lost = 3, 4 }),
		crawled("more-errors", func(s *Site) { s.Errors, s.Lost = 1, 9 }),
		crawled("told", func(s *Site) { s.Alerts, s.Says = 1, "the front changed" }),
		crawled("fell", func(s *Site) { s.Change = -6.3 }),
		crawled("rose", func(s *Site) { s.Change, s.Errors, s.Lost = 6.3, 1, 1 }),
		crawled("back", func(s *Site) { s.Returned = 1 }),
		crawled("failed", func(s *Site) { s.State, s.Detail = "failed", "the disk is full" }),
		crawled("urgent", func(s *Site) { s.Alerts, s.Urgent, s.Says = 2, 1, "robots.txt shuts out 40 pages" }),
		crawled("down", func(s *Site) { s.Down = []string{"home", "shop"} }),
		crawled("forgotten", func(s *Site) { s.At = now.AddDate(0, 0, -60) }),
		crawled("scheduled", func(s *Site) { s.At, s.Next = now.AddDate(0, 0, -60), now }),
		{Name: "new"},
	}
	Sort(sites, now)
	var names, whys []string
	for i := range sites {
		names = append(names, sites[i].Name)
		why, _ := sites[i].Need(now)
		whys = append(whys, why)
	}
	if got := strings.Join(names, " "); got != "down urgent failed back fell told new forgotten more-errors errors rose scheduled sound" {
		t.Errorf("order: %s", got)
	}
	if got := strings.Join(whys, "; "); got != "home, shop is down; robots.txt shuts out 40 pages; the last crawl came to nothing: the disk is full; "+
		"1 fix came back; health fell by 6.3; the front changed; it has not been crawled; not crawled for 60 days, and no schedule; "+
		"1 kind of error; 3 kinds of errors; 1 kind of error; ; " {
		t.Errorf("why: %s", got)
	}
}

func TestAvailable(t *testing.T) {
	if share, ok := (&Site{Looks: 200, Missed: 1}).Available(); !ok || share != 99.5 {
		t.Errorf("%v, %v", share, ok)
	}
	if _, ok := (&Site{}).Available(); ok {
		t.Error("of nothing watched there is no availability")
	}
}
