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
	return fmt.Sprintf("%d lines, want %d:\n%s", len(x), len(y),
		strings.Join(slices.Concat(only(x, y, "+ "), only(y, x, "- ")), "\n"))
}

// TestResume cuts crawls at random moments and goes on from what was stored: they end with the same as one that was
// never cut, for each way of choosing addresses.
func TestResume(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		h http.Handler // nil for Fernhollow
		p plan.Plan
	}{
		"breadth": {&testkit.Generated{Pages: 400, Seed: 2}, plan.Plan{Pages: 300, Parallel: 8}},
		"spread":  {&testkit.Generated{Pages: 500, Seed: 3}, plan.Plan{Pages: 200, Parallel: 8, Selection: plan.Spread}},
		"whole":   {&testkit.Generated{Pages: 150, Seed: 4}, plan.Plan{Parallel: 8}},
		"garden":  {},
	} {
		inBubble(t, name, func(t *testing.T) {
			start, p, seeds := demo.Home, c.p, uint64(2)
			if c.h == nil {
				seeds = 1 // it is large
				p = testkit.Garden(t, taking(demo.New(demo.Spring).Steady()))
			} else {
				start = "http://" + testkit.Serve(t, taking(c.h)) + "/"
			}
			begun := time.Now()
			whole, memory := testkit.Crawl(t, start, p)
			want, took := summary(whole, memory), time.Since(begun)
			for seed := range seeds {
				m := new(testkit.Memory)
				r := rand.New(rand.NewPCG(seed, 7))
				cuts := 0
				for {
					cr := m.Prepare(t, start, p, cuts > 0)
					if cuts < 2 {
						timer := time.AfterFunc(time.Duration(r.Int64N(int64(took/2))), cr.Pause)
						defer timer.Stop()
					}
					result, err := cr.Run(t.Context())
					if paused := (*crawl.ErrPaused)(nil); errors.As(err, &paused) {
						cuts++
						continue
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
				if cuts == 0 {
					t.Errorf("it was cut %d times", cuts)
				}
			}
		})
	}
}

// taking lets each answer of a handler take its time, always the same for an address.
func taking(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(time.Duration(2+len(r.URL.Path)%7) * time.Millisecond)
		h.ServeHTTP(w, r)
	})
}

// TestContinue raises the page limit of a finished crawl: it ends as if it had had it from the
// start.
func TestContinue(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		start := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 250, Seed: 9}) + "/"
		whole, memory := testkit.Crawl(t, start, plan.Plan{Pages: 220})
		want := summary(whole, memory)
		first, m := testkit.Crawl(t, start, plan.Plan{Pages: 120})
		if first.Ending != survey.PageLimit {
			t.Fatalf("ended by %s", first.Ending)
		}
		m.Findings = slices.Clone(m.Findings[:len(m.Findings)-len(first.Findings)])
		m.Records = slices.DeleteFunc(m.Records, func(r booking.Record) bool { return r.Role != page.AsPage })
		r, err := m.Prepare(t, start, plan.Plan{Pages: 220}, true).Run(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		m.Findings = append(m.Findings, r.Findings...)
		if got := summary(r, m); got != want {
			t.Error(different(got, want))
		}
		if n := len(r.Survey.Pages); n != 220 || !r.Survey.Partial {
			t.Errorf("%d pages", n)
		}
		if r.Survey.Addresses[0].State != survey.Fetched {
			t.Error("the start is not fetched")
		}
	})
}

// TestForeignPast refuses what another plan's crawl has stored.
func TestForeignPast(t *testing.T) {
	start := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 50, Seed: 9}) + "/"
	_, m := testkit.Crawl(t, start, plan.Plan{})
	other := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 50, Seed: 9}) + "/"
	if _, err := m.Prepare(t, other, plan.Plan{}, true).Run(t.Context()); err == nil ||
		!strings.Contains(err.Error(), "does not fit") {
		t.Errorf("%v", err)
	}
}
