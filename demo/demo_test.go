package demo

import "testing"

// TestSize holds the site to what the demo promises: enough pages, every planted defect on
// a page that is there, and at least two places for each check.
func TestSize(t *testing.T) {
	for _, e := range []Edition{Spring, Summer} {
		s := New(e)
		if n := len(s.Pages); n < 400 {
			t.Errorf("%s has %d pages, want at least 400", e, n)
		}
		places := map[string]int{}
		for _, f := range s.Planted {
			if f.Check != "sitemap-invalid" { // one file, at the home page
				places[f.Check]++
			}
		}
		for check, n := range places {
			if n < 2 {
				t.Errorf("%s: %s is planted at %d places, want at least 2", e, check, n)
			}
		}
	}
}
