package crawl_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/crawl"
	"harvik/internal/testkit"
)

// summary is all that a crawl found, as text: two crawls that found the same have the same.
func summary(r *booking.Result, m *testkit.Memory) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s %v %v %d fixes\n", r.Ending, r.Report.Health, r.Report.HalfWidth, len(r.Report.Fixes))
	for id, a := range r.Survey.Addresses {
		status := -1
		if p := r.Survey.Page(int32(id)); p != nil {
			status = p.Status
		}
		fmt.Fprintf(&b, "%d %s %s %s %s %d %d %d\n", id, a.URL, a.State, a.Role, a.Found, a.FoundOn, a.Depth, status)
	}
	for _, p := range r.Survey.Loaded {
		fmt.Fprintf(&b, "loaded %d %d\n", p.ID, p.Status)
	}
	var lines []string
	for _, f := range m.Findings {
		lines = append(lines, fmt.Sprintf("%s %d %v", f.Check.ID, f.Page, f.Places))
	}
	slices.Sort(lines)
	for _, f := range r.Report.Fixes {
		lines = append(lines, fmt.Sprintf("%d %s %s %v", f.Rank, f.ID, f.Line, f.Gain))
	}
	return b.String() + strings.Join(lines, "\n")
}

// different shows some of the lines that only one of two texts has.
func different(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	only := func(of, than []string, sign string) (out []string) {
		for _, line := range of {
			if !slices.Contains(than, line) && len(out) < 8 {
				out = append(out, sign+line)
			}
		}
		return out
	}
	return fmt.Sprintf("%d lines, want %d:\n%s", len(x), len(y), strings.Join(slices.Concat(only(x, y, "+ "), only(y, x, "- ")), "\n"))
}

// TestResume cuts crawls at random moments and goes on from what was stored: they end with the
// same as one that was never cut, for each way of choosing addresses.
func TestResume(t *testing.T) {
	t.Parallel()
	garden := demo.New(demo.Spring).Steady()
	clear(garden.Hanging) // what is waited for in vain goes by how busy the machine is
	for name, c := range map[string]struct {
		h     http.Handler
		start string
		p     plan.Plan
	}{
		"breadth": {&testkit.Generated{Pages: 900, Seed: 2}, "http://127.0.0.1/", plan.Plan{Pages: 700, Parallel: 8}},
		"spread":  {&testkit.Generated{Pages: 900, Seed: 3}, "http://127.0.0.1/", plan.Plan{Pages: 300, Parallel: 8, Selection: plan.Spread}},
		"whole":   {&testkit.Generated{Pages: 300, Seed: 4}, "http://127.0.0.1/", plan.Plan{Parallel: 8}},
		"garden":  {garden, demo.Home, plan.Plan{Hosts: map[string]string{}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			if c.p.Hosts != nil {
				c.p = testkit.Calm(t, garden)
				c.p.Timeout, c.p.Retries = plan.Duration(20*time.Second), -1
			} else {
				c.start = "http://" + testkit.Serve(t, c.h) + "/"
			}
			if c.p.Limits == nil { // no answer of a busy machine is slow
				c.p.Limits = map[string]int{"first-byte": 20_000, "first-byte-very": 20_000}
			}
			whole, memory := testkit.Crawl(t, c.start, c.p)
			want := summary(whole, memory)
			for seed := range uint64(2) {
				m := new(testkit.Memory)
				r := rand.New(rand.NewPCG(seed, 7))
				cuts := 0
				for {
					cr := m.Prepare(t, c.start, c.p, cuts > 0)
					timer := time.AfterFunc(time.Duration(r.IntN(400))*time.Millisecond, cr.Pause)
					result, err := cr.Run(t.Context())
					timer.Stop()
					var paused *crawl.ErrPaused
					if errors.As(err, &paused) && cuts < 6 {
						cuts++
						continue
					} else if errors.As(err, &paused) {
						result, err = m.Prepare(t, c.start, c.p, true).Run(t.Context())
					}
					if err != nil {
						t.Fatalf("after %d cuts: %v", cuts, err)
					}
					m.Findings = append(m.Findings, result.Findings...)
					if got := summary(result, m); got != want {
						t.Fatalf("after %d cuts: %s", cuts, different(got, want))
					}
					break
				}
			}
		})
	}
}

// TestContinue raises the page limit of a finished crawl: it ends as if it had had it from the
// start.
func TestContinue(t *testing.T) {
	t.Parallel()
	start := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 400, Seed: 9}) + "/"
	whole, memory := testkit.Crawl(t, start, plan.Plan{Pages: 350})
	want := summary(whole, memory)
	first, m := testkit.Crawl(t, start, plan.Plan{Pages: 120})
	if first.Ending != survey.PageLimit {
		t.Fatalf("ended by %s", first.Ending)
	}
	m.Findings = slices.Clone(m.Findings[:len(m.Findings)-len(first.Findings)])
	m.Records = slices.DeleteFunc(m.Records, func(r booking.Record) bool { return r.Role != page.AsPage })
	r, err := m.Prepare(t, start, plan.Plan{Pages: 350}, true).Run(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	m.Findings = append(m.Findings, r.Findings...)
	if got := summary(r, m); got != want {
		t.Error(different(got, want))
	}
	if n := len(r.Survey.Pages); n != 350 || !r.Survey.Partial {
		t.Errorf("%d pages", n)
	}
	if r.Survey.Addresses[0].State != survey.Fetched {
		t.Error("the start is not fetched")
	}
}

// TestForeignPast refuses what another plan's crawl has stored.
func TestForeignPast(t *testing.T) {
	start := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 50, Seed: 9}) + "/"
	_, m := testkit.Crawl(t, start, plan.Plan{})
	other := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 50, Seed: 9}) + "/"
	if _, err := m.Prepare(t, other, plan.Plan{}, true).Run(t.Context()); err == nil || !strings.Contains(err.Error(), "does not fit") {
		t.Errorf("%v", err)
	}
}
