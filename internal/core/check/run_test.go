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
