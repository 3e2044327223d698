package watch

import (
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
)

var start = time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)

// fine is a look at a page that is as it should be.
func fine(minute int) Look {
	return Look{At: start.Add(time.Duration(minute) * time.Minute), Outcome: page.Answered, Status: 200, Tries: 1,
		Read: true, Title: "Ferns", H1: "Ferns", Text: 1, Timing: page.Timing{Whole: 120}}
}

func TestDown(t *testing.T) {
	for _, c := range []struct {
		name string
		w    Watch
		make func(l *Look)
		want string
	}{
		{"fine", Watch{}, func(*Look) {}, ""},
		{"refused", Watch{}, func(l *Look) { l.Outcome, l.Detail = page.Refused, "connection refused" }, "connection refused"},
		{"no words", Watch{}, func(l *Look) { l.Outcome = page.TimedOut }, "timeout"},
		{"an error of the server", Watch{}, func(l *Look) { l.Status = 503 }, "status 503"},
		{"not there", Watch{}, func(l *Look) { l.Status = 404 }, "status 404"},
		{"another status", Watch{Status: 410}, func(l *Look) { l.Status = 200 }, "status 200 in place of 410"},
		{"the status it has to have", Watch{Status: 410}, func(l *Look) { l.Status = 410 }, ""},
		{"lacks its text", Watch{Must: "Buy"}, func(l *Look) { l.Lacks = "Buy" }, "the text “Buy” does not stand there"},
		{"has a text", Watch{Never: "Sold"}, func(l *Look) { l.Has = "Sold" }, "the text “Sold” stands there"},
		{"cut short", Watch{}, func(l *Look) { l.Outcome = page.Truncated }, ""},
	} {
		l := fine(0)
		c.make(&l)
		if got := c.w.Down(&l); got != c.want {
			t.Errorf("%s: %q, not %q", c.name, got, c.want)
		}
	}
}

// play shows looks to a watch, and tells what came of it, in words.
func play(w *Watch, looks ...Look) (out []string, last State) {
	for i := range looks {
		step := last.Take(w, &looks[i])
		if step.Began {
			out = append(out, "down: "+step.State.Reason)
		}
		if step.Ended {
			out = append(out, "up after "+looks[i].At.Sub(step.Was.Since).String())
		}
		for _, c := range step.Changes {
			out = append(out, c.What+": "+c.Was+" → "+c.Now)
		}
		last = step.State
	}
	return out, last
}

func TestOutage(t *testing.T) {
	bad := func(minute, status int) Look {
		l := fine(minute)
		l.Status, l.Read, l.Title = status, false, ""
		return l
	}
	got, last := play(&Watch{}, fine(0), fine(1), bad(2, 503), bad(3, 502), bad(4, 503), fine(5), fine(6))
	if want := []string{"down: status 503", "up after 3m0s"}; !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
	if last.Down || !last.Since.Equal(start.Add(5*time.Minute)) || last.Last.Title != "Ferns" {
		t.Errorf("%+v", last)
	}
}

// TestChanges: what changed is told once, also over an outage; a text that changes by itself is told once, until it has
// been still for some time.
func TestChanges(t *testing.T) {
	with := func(minute int, change func(*Look)) Look {
		l := fine(minute)
		change(&l)
		return l
	}
	hidden := func(l *Look) { l.Robots = "noindex in meta" }
	got, _ := play(&Watch{}, fine(0), with(1, hidden), with(2, hidden),
		with(3, func(l *Look) { hidden(l); l.Status, l.Read = 500, false }), with(4, hidden), fine(5),
		with(6, func(l *Look) { l.Target = "https://fernhollow.example/new" }))
	if want := []string{"robots:  → noindex in meta", "down: status 500", "up after 1m0s", "robots: noindex in meta → ",
		"redirect:  → https://fernhollow.example/new"}; !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
	var looks []Look
	for minute := range 60 {
		looks = append(looks, with(minute, func(l *Look) { l.Text = uint64(min(minute, 20)) }))
	}
	looks = append(looks, with(61, func(l *Look) { l.Text = 99 }))
	if got, _ = play(&Watch{}, looks...); !slices.Equal(got, []string{"text:  → ", "text:  → "}) {
		t.Errorf("a text that changes with every look: %q", got)
	}
}

func TestSlow(t *testing.T) {
	slow := fine(1)
	slow.Timing.Whole = 3000
	if _, last := play(&Watch{Slow: 2000}, fine(0), slow, slow, slow); last.SlowFor != 3 {
		t.Errorf("slow for %d looks", last.SlowFor)
	}
	if _, last := play(&Watch{Slow: 2000}, slow, fine(2)); last.SlowFor != 0 {
		t.Errorf("slow for %d looks", last.SlowFor)
	}
}

func TestCheck(t *testing.T) {
	w := Watch{Address: "/visit/", Every: 5}
	if err := w.Check("https://fernhollow.example/"); err != nil || w.Address != "https://fernhollow.example/visit/" {
		t.Errorf("%s: %v", w.Address, err)
	}
	for field, w := range map[string]Watch{
		"address": {Address: "mailto:ash@fernhollow.example", Every: 5},
		"every":   {Address: "/", Every: 0},
		"status":  {Address: "/", Every: 5, Status: 20},
		"must":    {Address: "/", Every: 5, Must: strings.Repeat("x", 600)},
		"slow":    {Address: "/", Every: 5, Slow: -1},
	} {
		var faults plan.Faults
		if err := w.Check("https://fernhollow.example/"); !errors.As(err, &faults) || faults[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
}

// TestPercentiles holds them against the sorted times.
func TestPercentiles(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	times, all := Times{}, []int{}
	for range 20_000 {
		ms := int(50 + random.ExpFloat64()*400)
		times.Add(ms)
		all = append(all, ms)
	}
	slices.Sort(all)
	for _, p := range []float64{1, 50, 95, 99, 100} {
		want := float64(all[min(len(all)-1, int(p/100*float64(len(all))))])
		if got := float64(times.Percentile(p)); got < want*0.94 || got > want*1.06 {
			t.Errorf("p%v is %v, not about %v", p, got, want)
		}
	}
	if (Times{}).Percentile(50) != 0 {
		t.Error("of nothing there is no percentile")
	}
}

func TestCourse(t *testing.T) {
	var all []Course
	for minute := range 120 {
		c := Course{At: start.Add(time.Duration(minute) * time.Minute), Looks: 1, Times: Times{StepOf(100): 1}}
		switch {
		case minute >= 30 && minute < 36:
			c.Down, c.Times = 1, nil
		case minute == 60:
			c.Looks, c.Planned, c.Times = 0, 1, nil
		}
		all = append(all, c)
	}
	bins := Binned(all, start, start.Add(4*time.Hour), 4)
	var whole Course
	for i := range bins {
		whole.Join(&bins[i])
	}
	if share, ok := bins[0].Available(); !ok || share != 90 {
		t.Errorf("of the first hour %v", share)
	}
	if _, ok := bins[3].Available(); ok || bins[3].At != start.Add(3*time.Hour) {
		t.Errorf("%+v", bins[3])
	}
	if whole.Looks != 119 || whole.Down != 6 || whole.Planned != 1 {
		t.Errorf("%+v", whole)
	}
}

func TestFront(t *testing.T) {
	was := Front{HasRobots: true, Robots: "User-agent: *\nDisallow: /cart/\n", Issuer: "CN=A", Ends: start,
		Sitemaps:  []Sitemap{{"https://fernhollow.example/sitemap.xml", 400, ""}},
		Addresses: []string{"192.0.2.1"}, Headers: map[string]string{"server": "garden", "x-robots-tag": ""}}
	if got := was.Differences(nil); got != nil || len(was.Known) != 1 {
		t.Errorf("at first: %v", got)
	}
	same := was
	same.At, same.Ends, same.Addresses = start.AddDate(0, 0, 1), start.AddDate(0, 3, 0), []string{"192.0.2.1", "192.0.2.2"}
	if got := same.Differences(&was); got != nil {
		t.Errorf("renewed, with one address more: %v", got)
	}
	turned := same
	turned.Addresses = []string{"192.0.2.2"}
	if got := turned.Differences(&same); got != nil || len(turned.Known) != 2 {
		t.Errorf("in turn: %v, known %v", got, turned.Known)
	}
	now := turned
	now.Robots, now.Issuer, now.Addresses = "User-agent: *\nDisallow: /\n", "CN=B", []string{"198.51.100.1"}
	now.Sitemaps = []Sitemap{{"https://fernhollow.example/sitemap.xml", 12, ""}}
	now.Headers = map[string]string{"server": "garden", "x-robots-tag": "noindex"}
	var what []string
	for _, c := range now.Differences(&turned) {
		what = append(what, c.What)
	}
	if !slices.Equal(what, []string{RobotsTxt, Sitemaps, Certificate, DNS, "header x-robots-tag"}) {
		t.Errorf("%q", what)
	}
	gone := now
	gone.HasRobots, gone.RobotsSay, gone.Sitemaps = false, "status 404", nil
	if got := gone.Differences(&now); len(got) != 2 || got[0].Now != "none: status 404" ||
		got[1].Now != "https://fernhollow.example/sitemap.xml: not there" {
		t.Errorf("%v", got)
	}
	if Headline("script-src 'nonce-abc' 'self'") != Headline("script-src 'nonce-xyz' 'self'") {
		t.Error("what is made anew for each answer is kept")
	}
}
