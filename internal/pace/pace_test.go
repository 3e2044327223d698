package pace

import (
	"context"
	"errors"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/fetch"
)

// host is a governor with one crawl, and what it is told.
func host(t Tempo) *Governor {
	g := new(Paces).Of("fernhollow.example")
	g.Join("a crawl", t)
	return g
}

// answers books answers of a kind, each to a request of its own.
func answers(g *Governor, n int, a fetch.Answer) {
	for range n {
		g.Take()
		g.Done(time.Now(), &a)
	}
}

var (
	good    = fetch.Answer{Outcome: page.Answered, Status: 200}
	tooMany = fetch.Answer{Outcome: page.Answered, Status: 429}
)

// limits are how many requests may run at once, and the gap between two.
func limits(g *Governor) (int, time.Duration) {
	p := g.State(time.Now())
	return p.Parallel, time.Duration(p.Gap * float64(time.Second))
}

// TestGap lets so many requests run at once, and starts none before the gap is over.
func TestGap(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := host(Tempo{Parallel: 2, Gap: 300 * time.Millisecond})
		begun := time.Now()
		for i := range 4 {
			if err := g.Wait(t.Context()); err != nil {
				t.Fatal(err)
			}
			if since := time.Since(begun); since < time.Duration(i)*300*time.Millisecond {
				t.Errorf("request %d starts after %s", i, since)
			}
			g.Done(time.Now(), &good)
		}
		g.Take()
		g.Take()
		time.Sleep(time.Second)
		if wait, ok := g.Try(time.Now()); ok || wait <= 0 {
			t.Errorf("a third request may start beside two (%v, %s)", ok, wait)
		}
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		if err := g.Wait(ctx); !errors.Is(err, context.DeadlineExceeded) {
			t.Errorf("a request that waits in vain: %v", err)
		}
	})
}

// TestGentlest keeps to the gentlest of several crawls, until it leaves.
func TestGentlest(t *testing.T) {
	paces := new(Paces)
	g := paces.Of("fernhollow.example")
	g.Join(1, Tempo{Parallel: 8})
	g.Join(2, Tempo{Parallel: 3, Gap: time.Second, Why: "robots.txt asks for it"})
	if parallel, gap := limits(g); parallel != 3 || gap != time.Second {
		t.Errorf("%d at once, %s between them", parallel, gap)
	}
	if p := g.State(time.Now()); p.Reason != "robots.txt asks for it" || p.Crawls != 2 {
		t.Errorf("it is slow for %q, for %d crawls", p.Reason, p.Crawls)
	}
	if paces.Of("fernhollow.example") != g || paces.Of("other.example") == g {
		t.Error("hosts do not have one governor each")
	}
	paces.Leave(2)
	if parallel, gap := limits(g); parallel != 8 || gap != 0 {
		t.Errorf("the gentle one has left: %d at once, %s between them", parallel, gap)
	}
	g.Take()
	paces.Leave(1)
	if paces.Of("fernhollow.example") != g {
		t.Error("a host that is being asked was forgotten")
	}
	g.Done(time.Now(), &good)
	paces.Leave(1)
	if paces.Of("fernhollow.example") == g {
		t.Error("a host that nobody asks is kept")
	}
}

// TestFalls halves the pace where a server struggles, once for what was under way together, and brings it back in
// steps.
func TestFalls(t *testing.T) {
	g := host(Tempo{Parallel: 16})
	for _, want := range []int{8, 4, 2, 1} {
		answers(g, calmAfter, tooMany)
		if parallel, _ := limits(g); parallel != want {
			t.Fatalf("%d at once, want %d", parallel, want)
		}
	}
	if p := g.State(time.Now()); !strings.Contains(p.Reason, "status 429") || p.Of != 16 {
		t.Errorf("it is slow for %q, of %d", p.Reason, p.Of)
	}
	for _, want := range []time.Duration{firstSlow, 2 * firstSlow, 4 * firstSlow} {
		answers(g, calmAfter, tooMany)
		if _, gap := limits(g); gap != want {
			t.Fatalf("a gap of %s, want %s", gap, want)
		}
	}
	for range 100 {
		answers(g, calmAfter, tooMany)
	}
	if parallel, gap := limits(g); parallel != 1 || gap != longestSlow {
		t.Errorf("at the slowest: %d at once, a gap of %s", parallel, gap)
	}
	steps, last := 0, time.Duration(-1)
	for ; steps < 100; steps++ {
		answers(g, recoverAfter, good)
		parallel, gap := limits(g)
		if last > 0 && gap > last {
			t.Fatalf("good answers made the gap %s, after %s", gap, last)
		}
		if last = gap; parallel == 16 {
			break
		}
	}
	if p := g.State(time.Now()); steps < 20 || steps == 100 || p.Reason != "" {
		t.Errorf("after %d steps up it is slow for %q", steps, p.Reason)
	}
}

// TestWhatStruggles tells answers that show a struggle from those that do not.
func TestWhatStruggles(t *testing.T) {
	for name, one := range map[string]struct {
		a    fetch.Answer
		says string
	}{
		"fine":      {good, ""},
		"not there": {fetch.Answer{Outcome: page.Answered, Status: 404}, ""},
		"broken":    {fetch.Answer{Outcome: page.Answered, Status: 500}, ""},
		"busy": {fetch.Answer{Outcome: page.Answered, Status: 503, RetryAfter: 7 * time.Second},
			"status 503 and asks to wait 7s"},
		"silent":  {fetch.Answer{Outcome: page.TimedOut}, "time out"},
		"cut":     {fetch.Answer{Outcome: page.Reset}, "breaks connections"},
		"unknown": {fetch.Answer{Outcome: page.NoDNS}, ""},
	} {
		g := host(Tempo{Parallel: 4})
		answers(g, 1, one.a)
		parallel, _ := limits(g)
		if p := g.State(time.Now()); (parallel < 4) != (one.says != "") || one.says != "" &&
			!strings.Contains(p.Reason, one.says) {
			t.Errorf("%s: %d at once, for %q", name, parallel, p.Reason)
		}
	}
}

// TestRetryAfter starts nothing before the time that a server asks for, and no longer than LongestWait whatever it
// asks.
func TestRetryAfter(t *testing.T) {
	for asked, want := range map[time.Duration]time.Duration{20 * time.Second: 20 * time.Second,
		time.Hour: LongestWait} {
		synctest.Test(t, func(t *testing.T) {
			g := host(Tempo{Parallel: 4})
			busy := tooMany
			busy.RetryAfter = asked
			answers(g, 1, busy)
			if p := g.State(time.Now()); p.Waits != want.Seconds() {
				t.Errorf("asked to wait %s, it waits %v s", asked, p.Waits)
			}
			begun := time.Now()
			if err := g.Wait(t.Context()); err != nil || time.Since(begun) < want ||
				time.Since(begun) > want+2*time.Second {
				t.Errorf("asked to wait %s, the next request starts after %s (%v)", asked, time.Since(begun), err)
			}
		})
	}
}

// TestWhoMayAskToWait: an answer that says when to come again is obeyed where it says that there were too many requests
// or that the server cannot answer, and not on a redirect or on a page that is there.
func TestWhoMayAskToWait(t *testing.T) {
	for status, waits := range map[int]bool{429: true, 503: true, 301: false, 200: false, 500: false} {
		synctest.Test(t, func(t *testing.T) {
			g := host(Tempo{Parallel: 4})
			answers(g, 1, fetch.Answer{Outcome: page.Answered, Status: status, RetryAfter: 9 * time.Second})
			if p := g.State(time.Now()); (p.Waits > 0) != waits {
				t.Errorf("status %d: it waits %v s", status, p.Waits)
			}
		})
	}
}

// TestGapRises: a gap is halved by good answers until it is as short as the first, and goes then; the reason says only
// what the server said.
func TestGapRises(t *testing.T) {
	g := host(Tempo{Parallel: 1})
	answers(g, 3, tooMany)
	if p := g.State(time.Now()); p.Reason != "the server answers with status 429" {
		t.Errorf("the reason is %q", p.Reason)
	}
	for _, want := range []time.Duration{4 * firstSlow, 2 * firstSlow, firstSlow, 0} {
		if _, gap := limits(g); gap != want {
			t.Errorf("a gap of %s, want %s", gap, want)
		}
		answers(g, recoverAfter, good)
	}
}

// TestUsual: what a server usually takes is learned from answers alone, and follows slowly: an hour of bad answers is
// not what is usual.
func TestUsual(t *testing.T) {
	took := func(ms int) fetch.Answer {
		return fetch.Answer{Outcome: page.Answered, Status: 200, Timing: page.Timing{FirstByte: ms}}
	}
	g := host(Tempo{Parallel: 8})
	answers(g, 100, took(500))
	answers(g, 50, fetch.Answer{Outcome: page.NoDNS})
	answers(g, 100, took(500))
	if parallel, _ := limits(g); parallel != 8 {
		t.Errorf("failures beside answers as fast as ever: %d at once", parallel)
	}
	answers(g, 40, took(1400))
	if parallel, _ := limits(g); parallel != 8 {
		t.Errorf("answers that take less than three times as long: %d at once", parallel)
	}
	answers(g, 3, took(20_000))
	if p := g.State(time.Now()); p.Parallel >= 8 || !strings.HasPrefix(p.Reason, "answers take ") ||
		!strings.HasSuffix(p.Reason, " s, against 0.6 s before") || len(p.Reason) != len("answers take 3.2 s, against 0.6 s before") {
		t.Errorf("answers that take 20 s: %d at once, for %q", p.Parallel, p.Reason)
	}
}

// TestSlower falls when answers come to take much longer than they did, and not for answers that always did.
func TestSlower(t *testing.T) {
	took := func(ms int) fetch.Answer {
		return fetch.Answer{Outcome: page.Answered, Status: 200, Timing: page.Timing{FirstByte: ms}}
	}
	g := host(Tempo{Parallel: 8})
	answers(g, 100, took(900))
	if parallel, _ := limits(g); parallel != 8 {
		t.Errorf("a server that is slow as ever: %d at once", parallel)
	}
	g = host(Tempo{Parallel: 8})
	answers(g, 100, took(100))
	answers(g, 100, took(350))
	if parallel, _ := limits(g); parallel != 8 {
		t.Errorf("answers that are still fast: %d at once", parallel)
	}
	answers(g, 30, took(3000))
	if p := g.State(time.Now()); p.Parallel == 8 || !strings.Contains(p.Reason, "against 0.1 s before") {
		t.Errorf("answers that take 3 s: %d at once, for %q", p.Parallel, p.Reason)
	}
}

// TestSteady does not adapt where every crawl wants that.
func TestSteady(t *testing.T) {
	g := host(Tempo{Parallel: 4, Steady: true})
	answers(g, 100, tooMany)
	if parallel, gap := limits(g); parallel != 4 || gap != 0 {
		t.Errorf("%d at once, a gap of %s", parallel, gap)
	}
	g.Join("another", Tempo{Parallel: 4})
	answers(g, 1, tooMany)
	if parallel, _ := limits(g); parallel != 2 {
		t.Errorf("beside a crawl that adapts: %d at once", parallel)
	}
}

// TestSteps: requests that were under way together count as one struggle, and a pace rises by one request for so many
// good answers, not for fewer.
func TestSteps(t *testing.T) {
	g := host(Tempo{Parallel: 16})
	answers(g, 1, tooMany)
	answers(g, calmAfter-1, tooMany)
	if parallel, _ := limits(g); parallel != 8 {
		t.Errorf("after one struggle of ten requests: %d at once", parallel)
	}
	answers(g, 1, tooMany)
	if parallel, _ := limits(g); parallel != 4 {
		t.Errorf("after another: %d at once", parallel)
	}
	answers(g, recoverAfter-1, good)
	if parallel, _ := limits(g); parallel != 4 {
		t.Errorf("after %d good answers: %d at once", recoverAfter-1, parallel)
	}
	answers(g, 1, good)
	for want := 5; want <= 16; want++ {
		if parallel, _ := limits(g); parallel != want {
			t.Fatalf("%d at once, want %d", parallel, want)
		}
		answers(g, recoverAfter, good)
	}
}

// TestDone: a request that is booked twice, as after a panic, makes no room for more than is allowed.
func TestDone(t *testing.T) {
	g := host(Tempo{Parallel: 2})
	g.Take()
	g.Done(time.Now(), &good)
	g.Done(time.Now(), &good)
	for i := range 3 {
		if _, ok := g.Try(time.Now()); ok != (i < 2) {
			t.Errorf("request %d starts: %v", i, ok)
		}
	}
}
