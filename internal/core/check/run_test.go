package check

import (
	"errors"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"harvik/internal/core/survey"
)

// TestSiteInOrder: site checks run side by side, and what they find comes in the order of the catalogue.
func TestSiteInOrder(t *testing.T) {
	var r Runner
	for i := range 50 {
		c := &Check{ID: fmt.Sprintf("check-%02d", i)}
		c.Site = func(p *SitePass) error {
			for range (i * 7) % 13 {
				runtime.Gosched()
			}
			switch {
			case i%5 == 4: // finds nothing
			case i%5 == 3:
				panic("a fault of the check")
			default:
				p.Report(-1, Place{Note: c.ID})
				p.Report(-1, Place{Note: "again"})
			}
			return nil
		}
		r.Checks = append(r.Checks, c, &Check{ID: "of pages"})
	}
	panicked := make(chan string, 50)
	r.Panicked = func(c *Check, _ string, _ any) { panicked <- c.ID }
	last, n := "", 0
	err := r.Site(&survey.Survey{}, func(found []Finding) error {
		for _, f := range found {
			if f.Check.ID <= last || f.Places[0].Note != f.Check.ID || len(f.Places) != 2 {
				t.Errorf("after %s came %+v", last, f)
			}
			last = f.Check.ID
			n++
		}
		return nil
	})
	if err != nil || n != 30 || len(panicked) != 10 {
		t.Errorf("%d findings, %d panics, %v", n, len(panicked), err)
	}
}

// TestSiteEnds: an error of a check, or of who takes the findings, ends the run and is told.
func TestSiteEnds(t *testing.T) {
	full := errors.New("no room")
	var r Runner
	for i := range 20 {
		r.Checks = append(r.Checks, &Check{ID: fmt.Sprint("check-", i), Site: func(p *SitePass) error {
			p.Report(-1, Place{Note: "x"})
			return nil
		}})
	}
	taken := 0
	err := r.Site(&survey.Survey{}, func([]Finding) error {
		if taken++; taken == 3 {
			return full
		}
		return nil
	})
	if !errors.Is(err, full) || taken != 3 {
		t.Errorf("%d taken, %v", taken, err)
	}
	r.Checks[7].Site = func(*SitePass) error { return full }
	err = r.Site(&survey.Survey{}, func([]Finding) error { return nil })
	if !errors.Is(err, full) || !strings.Contains(err.Error(), "check-7") {
		t.Errorf("%v", err)
	}
}

// TestSiteInParts: what a check finds page by page comes in parts where it is much, in the order of the catalogue all
// the same, each page once; what is reported without that promise comes together. An error of who takes a part ends it.
func TestSiteInParts(t *testing.T) {
	const pages, places = 1000, 50
	s := &survey.Survey{}
	for i := range pages {
		s.Addresses = append(s.Addresses, survey.Address{URL: fmt.Sprintf("https://fernhollow.example/%04d", pages-i)})
	}
	report := func(p *SitePass) error {
		for id := range int32(pages) {
			for k := range places {
				p.Report(id, Place{Note: fmt.Sprint(k)})
			}
		}
		return nil
	}
	r := Runner{Checks: []*Check{
		{ID: "a", Gather: ByTarget, Site: report},
		{ID: "b", Gather: ByTarget, Site: func(p *SitePass) error { p.PageByPage(); return report(p) }},
		{ID: "c", Gather: ByTarget, Site: func(p *SitePass) error { p.PageByPage(); return report(p) }},
	}}
	parts, last := map[string]int{}, ""
	met := map[string]bool{}
	take := func(found []Finding) error {
		for i, f := range found {
			key := fmt.Sprint(f.Check.ID, f.Page)
			if met[key] || f.Check.ID < last || len(f.Places) != places {
				t.Fatalf("after %s came %s with %d places", last, key, len(f.Places))
			}
			if i > 0 && s.URL(found[i-1].Page) > s.URL(f.Page) {
				t.Fatalf("page %d comes after %d", f.Page, found[i-1].Page)
			}
			met[key], last = true, f.Check.ID
		}
		parts[found[0].Check.ID]++
		return nil
	}
	if err := r.Site(s, take); err != nil || len(met) != 3*pages {
		t.Errorf("%d findings (%v)", len(met), err)
	}
	if parts["a"] != 1 || parts["b"] != 3 || parts["c"] != 3 {
		t.Errorf("parts %v", parts)
	}
	full, taken := errors.New("no room"), 0
	err := r.Site(s, func([]Finding) error {
		if taken++; taken == 2 {
			return full
		}
		return nil
	})
	if !errors.Is(err, full) || taken != 2 {
		t.Errorf("%d parts are taken (%v)", taken, err)
	}
}

// TestBySize: what is usual goes by how many pages there are.
func TestBySize(t *testing.T) {
	for pages, want := range map[int]int{0: 1, 500: 1, 501: 2, 5000: 2, 5001: 3} {
		p := SitePass{Survey: &survey.Survey{Pages: make([]survey.Page, pages+1)}}
		for i := range pages {
			p.Pages[i].HTML = true
			p.Pages[i].Status = 200
		}
		if got := p.BySize(1, 2, 3); got != want {
			t.Errorf("%d pages are of size %d, not %d", pages, got, want)
		}
	}
}
