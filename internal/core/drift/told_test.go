package drift

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/task"
)

// part is the part of a step by a cause, and of a check where it is one of a fix.
func part(s Step, by, check string) Part {
	for _, p := range s.Parts {
		if p.By == by && p.Check == check {
			return p
		}
	}
	return Part{}
}

// TestFindingsByCheck counts by check what fails on pages that both crawls saw, and names the pages, as far as there is
// room.
func TestFindingsByCheck(t *testing.T) {
	open := check.Finding{Check: whole, Page: -1, Places: []check.Place{{Note: "open"}}}
	before := side(sheet([]int{1, 2, 3, 4}, link(1, "a"), link(2, "a"), wrong(3), wrong(4), open), 1, 2, 3, 4)
	after := side(sheet([]int{1, 2, 3, 5}, link(2, "a"), link(3, "a"), wrong(1), wrong(5)), 1, 2, 3, 5)
	f := Compare(before, after, never).Findings
	if f.Still != 1 || f.New != 2 || f.Gone != 3 {
		t.Errorf("%d still, %d new, %d gone", f.Still, f.New, f.Gone)
	}
	want := []CheckChange{
		{"dead", 1, 1, []string{address(3)}, []string{address(1)}},
		// of pages that one crawl alone saw nothing is said
		{"thing", 1, 1, []string{address(1)}, []string{address(3)}},
		{"whole", 0, 1, nil, []string{""}},
	}
	if !slices.EqualFunc(f.Checks, want, func(a, b CheckChange) bool { return fmt.Sprint(a) == fmt.Sprint(b) }) {
		t.Errorf("by check: %+v", f.Checks)
	}
	var many []int
	var fail []check.Finding
	for n := range MaxNamed + 1 {
		many = append(many, n)
		fail = append(fail, wrong(n))
	}
	clean, bad := side(sheet(many), many...), side(sheet(many, fail...), many...)
	one := Compare(clean, bad, never).Findings.Checks[0]
	if one.New != MaxNamed+1 || len(one.NewOn) != MaxNamed {
		t.Errorf("%d new, %d of them named", one.New, len(one.NewOn))
	}
	one = Compare(bad, clean, never).Findings.Checks[0]
	if one.Gone != MaxNamed+1 || len(one.GoneOn) != MaxNamed {
		t.Errorf("%d gone, %d of them named", one.Gone, len(one.GoneOn))
	}
}

// TestRulesAndWaivers: what other rules, and what waivers, make of health is told apart from what changed on the site.
func TestRulesAndWaivers(t *testing.T) {
	all := sheet([]int{1, 2}, link(1, "a"), wrong(2))
	told := sheet([]int{1, 2}, wrong(2)) // as it was judged, before links were looked at
	before, after := side(all, 1, 2), side(all, 1, 2)
	before.Judged, before.Health = told, told.Build(fixlist.Adjustment{}).Health
	s := Compare(before, after, never).Step
	if p := part(s, ByRules, ""); len(s.Parts) != 1 || math.Abs(p.Points-(s.After-s.Before)) > 1e-9 || p.Points >= 0 {
		t.Errorf("only the rules are others: %+v", s.Parts)
	}
	waived := fixlist.Adjustment{Waived: func(check, _, _, _ string) bool { return check == "thing" }}
	for name, judged := range map[string]*fixlist.Sheet{"as judged": all, "by what it is compared by": nil} {
		before, after = side(all, 1, 2), side(all, 1, 2)
		before.Judged, before.Then = judged, &fixlist.Adjustment{}
		before.Adjust, after.Adjust = waived, waived
		s = Compare(before, after, never).Step
		if p := part(s, ByWaivers, ""); len(s.Parts) != 1 || p.Points <= 0 ||
			math.Abs(p.Points-(s.After-s.Before)) > 1e-9 {
			t.Errorf("%s, only a waiver came: %+v", name, s.Parts)
		}
	}
}

// TestPagesThatComeAndGo are parts of their own, with their numbers; pages that one crawl could not see are told apart
// from those that appeared or vanished.
func TestPagesThatComeAndGo(t *testing.T) {
	for name, one := range map[string]struct {
		before, after []int
		known         bool // page 3 is known to the crawl that did not fetch it
		by            string
		pages         int
	}{
		"vanished":        {[]int{1, 2, 3}, []int{1, 2}, false, ByVanished, 1},
		"not seen now":    {[]int{1, 2, 3}, []int{1, 2}, true, ByUnseen, 1},
		"appeared":        {[]int{1, 2}, []int{1, 2, 3}, false, ByAppeared, 1},
		"not seen before": {[]int{1, 2}, []int{1, 2, 3}, true, ByUnseen, 1},
		"nothing is left": {[]int{3}, []int{1, 2}, false, ByAppeared, 2},
	} {
		make := func(pages []int) Side {
			var found []check.Finding
			if slices.Contains(pages, 3) {
				found = append(found, link(3, "a"), wrong(3))
			}
			s := side(sheet(pages, found...), pages...)
			if one.known && !slices.Contains(pages, 3) {
				s.Known[address(3)] = "blocked"
			}
			return s
		}
		s := Compare(make(one.before), make(one.after), never).Step
		if p := part(s, one.by, ""); len(s.Parts) != 1 || p.Pages != one.pages ||
			math.Abs(p.Points-(s.After-s.Before)) > 1e-9 {
			t.Errorf("%s: %+v", name, s.Parts)
		}
	}
}

// TestSharesOfFixes shares what one check costs among its fixes by where it came and went, and counts their pages.
func TestSharesOfFixes(t *testing.T) {
	var pages []int
	var old, now []check.Finding
	for n := range 20 { // half of those that led to one dead page no longer do, and others now lead to another
		pages = append(pages, n)
		if n < 12 {
			old = append(old, link(n, "a"))
		}
		if n < 6 {
			now = append(now, link(n, "a"))
		} else if n >= 14 {
			now = append(now, link(n, "b"))
		}
	}
	r := Compare(side(sheet(pages, old...), pages...), side(sheet(pages, now...), pages...), never)
	byLine := map[string]Part{}
	sum := 0.0
	for _, p := range r.Step.Parts {
		if p.By != ByFix || p.Check != "dead" {
			t.Errorf("a part by %s of %s", p.By, p.Check)
		}
		byLine[p.Line[:len("Link to /x")]] = p
		sum += p.Points
	}
	a, b := byLine["Link to /a"], byLine["Link to /b"]
	if len(byLine) != 2 || a.Points <= 0 || b.Points >= 0 || a.Pages != 6 || b.Pages != 6 {
		t.Errorf("shares: %+v", r.Step.Parts)
	}
	if math.Abs(sum-(r.Step.After-r.Step.Before)) > 1e-9 {
		t.Errorf("they add up to %v of %v", sum, r.Step.After-r.Step.Before)
	}
}

// TestNothingChanged has no parts, whatever order a sum was made in.
func TestNothingChanged(t *testing.T) {
	s := sheet([]int{1, 2, 3}, link(1, "a"), wrong(2))
	before, after := side(s, 1, 2, 3), side(s, 1, 2, 3)
	before.Health += 1e-12
	r := Compare(before, after, never)
	if len(r.Step.Parts) != 0 || r.Still != 2 || r.Step.After != after.Health {
		t.Errorf("%+v, %d still", r.Step, r.Still)
	}
	if between := Between(before, after); len(between.Parts) != 0 || between.After != after.Health {
		t.Errorf("between them: %+v", between)
	}
}

// TestShown rounds parts to hundredths that add up to the step as it is shown, the largest remainders first, up and
// down.
func TestShown(t *testing.T) {
	for _, one := range []struct {
		before, after float64
		points, shown []float64
	}{
		{50, 51, []float64{1.0 / 3, 1.0 / 3, 1.0 / 3}, []float64{0.34, 0.33, 0.33}},
		{50, 50.01, []float64{0.006, 0.004}, []float64{0.01, 0}},
		{50, 49.99, []float64{-0.006, -0.004}, []float64{-0.01, 0}},
		{50.004, 50.006, []float64{0.002}, []float64{0.01}},
		{50.006, 50.004, []float64{-0.002}, []float64{-0.01}},
	} {
		s := Step{Before: one.before, After: one.after}
		for i, p := range one.points {
			s.Parts = append(s.Parts, Part{By: ByFix, Fix: fmt.Sprint(i), Points: p})
		}
		for i, p := range s.finish().Parts {
			if math.Abs(p.Shown-one.shown[i]) > 1e-9 {
				t.Errorf("%v of %v to %v is shown as %v, want %v", p.Points, one.before, one.after, p.Shown,
					one.shown[i])
			}
		}
	}
}

// TestFixUnseen: a fix whose pages were not all looked at is not said to be gone, nor is one of a check that is no
// longer there.
func TestFixUnseen(t *testing.T) {
	before := side(sheet([]int{1, 2}, wrong(1), link(2, "a")), 1, 2)
	after := side(sheet([]int{1}), 1)
	after.Known[address(2)] = "too-deep"
	r := Compare(before, after, never)
	if len(r.Unseen) != 1 || r.Unseen[0].Check != "dead" || len(r.Gone) != 1 || r.Gone[0].Check != "thing" {
		t.Errorf("unseen %+v, gone %+v", r.Unseen, r.Gone)
	}
	look := NewSight(after.Sheet, nil, func(string) bool { return true }, never)
	unknown := &fixlist.Fix{ID: "x", Check: "retired", Kind: fixlist.Pages}
	if sight, _, missed := look.At(unknown, []string{address(1)}); len(missed) != 1 || sight != task.Unseen {
		t.Errorf("a check that is no longer there: %v, missed %v", sight, missed)
	}
	several := &fixlist.Fix{ID: "y", Check: "dead", Kind: fixlist.Pages,
		Targets: []string{"http://fernhollow.example/a"}}
	look = NewSight(before.Sheet, nil, func(string) bool { return true }, never)
	if _, still, _ := look.At(several, []string{address(1), address(2)}); !slices.Equal(still, []string{address(2)}) {
		t.Errorf("a line of several targets still fails on %v", still)
	}
}

// TestShows: nothing is gone because a page refused, failed or did not answer, and nothing new because it did so
// before; that it is no more, or leads elsewhere, is an answer.
func TestShows(t *testing.T) {
	for status, shows := range map[int]bool{
		200: true, 301: true, 404: true, 410: true, 0: false, 401: false, 403: false, 429: false, 500: false,
		503: false,
	} {
		bad, clean := side(sheet([]int{1, 2}, wrong(1)), 1, 2), side(sheet([]int{1, 2}), 1, 2)
		for _, s := range []*Side{&bad, &clean} {
			one := s.Pages[address(1)]
			one.Status = status
			s.Pages[address(1)] = one
		}
		before := side(bad.Sheet, 1, 2)
		r := Compare(before, clean, never)
		if shows != (len(r.Gone) == 1) || shows == (len(r.Unseen) == 1) || shows != (r.Findings.Gone == 1) {
			t.Errorf("a page that answers %d now: %d gone, %d not seen, findings %+v", status, len(r.Gone),
				len(r.Unseen), r.Findings)
		}
		if r = Compare(clean, before, never); shows != (r.Findings.New == 1) {
			t.Errorf("a page that answered %d before: findings %+v", status, r.Findings)
		}
	}
}

// TestShort names up to three addresses, and counts the others.
func TestShort(t *testing.T) {
	for n, want := range map[int]string{1: "a", 3: "a, a, a", 4: "a, a, a and 1 more"} {
		if got := Short(strings.Split(strings.Repeat("a ", n)[:2*n-1], " ")); got != want {
			t.Errorf("%d: %q", n, got)
		}
	}
}

// TestAnswers tells pages that answered from those that did not, and what was read of them.
func TestAnswers(t *testing.T) {
	s := sheet([]int{1, 2})
	before, after := side(s, 1, 2), side(s, 1, 2)
	before.Pages[address(1)] = Page{Outcome: "timeout"}
	file := after.Pages[address(2)]
	file.HTML, file.Title = false, "other"
	after.Pages[address(2)] = file
	r := Compare(before, after, never)
	if !slices.Equal(r.Changes, []Change{{address(1), "status", "timeout", "status 200"}}) {
		t.Errorf("%+v", r.Changes)
	}
}

// TestComesBack: a text that vanished at one address and stands at another that was an error before has moved there; a
// page without a text has not moved to another without one.
func TestComesBack(t *testing.T) {
	s := sheet([]int{1, 2})
	before, after := side(s, 1, 2), side(s, 1, 2)
	notThere := Page{Status: 404, Outcome: "ok", HTML: true}
	text := before.Pages[address(1)].TextHash
	for _, c := range []struct {
		text uint64
		want []Moved
	}{{text, []Moved{{address(1), address(2), "same text"}}}, {0, nil}} {
		page := Page{Status: 200, Outcome: "ok", HTML: true, TextHash: c.text}
		before.Pages[address(1)], before.Pages[address(2)] = page, notThere
		after.Pages[address(1)], after.Pages[address(2)] = notThere, page
		if got := Compare(before, after, never).Moved; !slices.Equal(got, c.want) {
			t.Errorf("with the text %d moved are %+v, want %+v", c.text, got, c.want)
		}
	}
}

// TestSameFiles: of files in which nothing but dates changed, nothing is told.
func TestSameFiles(t *testing.T) {
	s := sheet([]int{1})
	before, after := side(s, 1), side(s, 1)
	dated := func(day string) []File {
		return []File{{"robots", "r", "a\n"}, {"sitemap", "s",
			"<urlset><url><loc>http://a/</loc><lastmod>" + day + "</lastmod></url></urlset>"}}
	}
	before.Files, after.Files = dated("2026-11-22"), dated("2026-11-23")
	if got := Compare(before, after, never).Files; len(got) != 0 {
		t.Errorf("told of files: %+v", got)
	}
}

// TestOtherShape: a line that was part of a line for many, and stands alone now, is not new.
func TestOtherShape(t *testing.T) {
	var old []check.Finding
	for n := 1; n <= 3; n++ {
		old = append(old, link(n, fmt.Sprint("gone-", n)))
	}
	before := side(sheet([]int{1, 2, 3}, old...), 1, 2, 3)
	after := side(sheet([]int{1, 2, 3}, old[0]), 1, 2, 3)
	r := Compare(before, after, never)
	if len(r.New) != 0 || len(r.Returned) != 0 || r.Still != 1 {
		t.Errorf("new %d, returned %d, still %d", len(r.New), len(r.Returned), r.Still)
	}
	if back := Compare(after, before, never); len(back.New) != 1 || len(back.Gone) != 0 || len(back.Became) != 1 {
		t.Errorf("the other way: new %d, gone %d, became part of another %d",
			len(back.New), len(back.Gone), len(back.Became))
	}
}
