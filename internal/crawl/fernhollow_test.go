package crawl_test

import (
	"slices"
	"strings"
	"testing"

	"harvik/demo"
	"harvik/internal/core/checks"
	"harvik/internal/testkit"
)

// TestFernhollow crawls both editions of the demo and demands that what is found is what
// was planted: nothing missing, nothing more.
func TestFernhollow(t *testing.T) {
	for _, edition := range []demo.Edition{demo.Spring, demo.Summer} {
		t.Run(string(edition), func(t *testing.T) {
			site := demo.New(edition)
			result, found := testkit.Crawl(t, demo.Home, testkit.DemoPlan(demo.Host, testkit.Serve(t, site)))
			want, got := map[string]bool{}, map[string]bool{}
			for _, f := range site.Planted {
				want[f.Check+" "+f.Page] = true
			}
			for _, f := range found.Findings {
				path := strings.TrimPrefix(result.Survey.URL(f.Page), demo.Home)
				got[f.Check.ID+" /"+path] = true
			}
			report(t, "planted, not found", want, got)
			report(t, "found, not planted", got, want)
			planted := map[string]bool{}
			for _, f := range site.Planted {
				planted[f.Check] = true
			}
			for _, c := range checks.Catalog {
				if !planted[c.ID] {
					t.Errorf("%s is planted nowhere", c.ID)
				}
			}
		})
	}
}

func report(t *testing.T, what string, of, in map[string]bool) {
	t.Helper()
	var missing []string
	for k := range of {
		if !in[k] {
			missing = append(missing, k)
		}
	}
	slices.Sort(missing)
	for i, k := range missing {
		if i == 40 {
			t.Errorf("… and %d more", len(missing)-i)
			return
		}
		t.Errorf("%s: %s", what, k)
	}
}
