package drift

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/task"
)

var (
	dead = &check.Check{ID: "dead", Group: "links", Severity: check.Error, Gather: check.ByTarget,
		Scope: check.Documents, Line: "{link} to {target} is dead"}
	thing = &check.Check{ID: "thing", Group: "headings", Severity: check.Warning, Scope: check.Documents,
		Line: "A thing is wrong"}
	whole = &check.Check{ID: "whole", Group: "safety", Severity: check.Notice, Scope: check.WholeSite,
		Line: "The site is open"}
)

func address(i int) string { return fmt.Sprintf("http://fernhollow.example/%02d", i) }

// sheet is a judged crawl of some pages; findings name pages by their numbers in the list, −1 for the site.
func sheet(pages []int, found ...check.Finding) *fixlist.Sheet {
	s := &survey.Survey{}
	for _, n := range pages {
		s.Addresses = append(s.Addresses, survey.Address{URL: address(n), State: survey.Fetched})
	}
	for i := range pages {
		s.Add(int32(i), &page.Facts{Address: s.Addresses[i].URL, Status: 200, Outcome: page.Answered,
			Document: &page.Document{}}, -1, -1, nil)
	}
	s.Finish()
	c := fixlist.NewCollector([]*check.Check{dead, thing, whole})
	for _, f := range found {
		at := int32(slices.Index(pages, int(f.Page)))
		f.Page = at
		c.Add(f)
	}
	return c.Sheet(s)
}

func link(from int, to string) check.Finding {
	return check.Finding{Check: dead, Page: int32(from),
		Places: []check.Place{{Target: "http://fernhollow.example/" + to, At: "main > p 1"}}}
}

func wrong(on int) check.Finding {
	return check.Finding{Check: thing, Page: int32(on), Places: []check.Place{{Note: "wrong"}}}
}

// side is a crawl as a comparison takes it.
func side(s *fixlist.Sheet, pages ...int) Side {
	out := Side{Health: s.Build(fixlist.Adjustment{}).Health, Judged: s, Sheet: s, Complete: true,
		Pages: map[string]Page{}, Known: map[string]string{}}
	for _, n := range pages {
		out.Pages[address(n)] = Page{Status: 200, Outcome: "ok", HTML: true, Indexable: true,
			Title: fmt.Sprint("page ", n), TextHash: uint64(1000 + n)}
	}
	return out
}

func never(string) bool { return false }

// TestStepAddsUp takes many pairs of crawls with pages that come and go, findings that come and go, and
// waivers: the parts always add up to the step, as they are and as they are shown.
func TestStepAddsUp(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for round := range 300 {
		var sides [2]Side
		for i := range sides {
			var pages []int
			var found []check.Finding
			for n := range 14 {
				if r.IntN(5) == 0 {
					continue
				}
				pages = append(pages, n)
				for range r.IntN(3) {
					found = append(found, link(n, fmt.Sprint("gone-", r.IntN(3))))
				}
				if r.IntN(2) == 0 {
					found = append(found, wrong(n))
				}
			}
			if r.IntN(3) == 0 {
				found = append(found, check.Finding{Check: whole, Page: -1, Places: []check.Place{{Note: "open"}}})
			}
			sides[i] = side(sheet(pages, found...), pages...)
			sides[i].Complete = r.IntN(3) > 0
		}
		if r.IntN(2) == 0 {
			waived := fixlist.Adjustment{Waived: func(check, _, _, _ string) bool { return check == "thing" }}
			sides[0].Adjust, sides[1].Adjust = waived, waived
		}
		s := Compare(sides[0], sides[1], never).Step
		sum, shown := 0.0, 0.0
		for _, p := range s.Parts {
			sum += p.Points
			shown += math.Round(100 * p.Shown)
		}
		if math.Abs(sum-(s.After-s.Before)) > 1e-9 {
			t.Fatalf("round %d: parts add up to %v, the step is %v: %+v", round, sum, s.After-s.Before, s.Parts)
		}
		if want := math.Round(100*s.After) - math.Round(100*s.Before); shown != want {
			t.Fatalf("round %d: parts as shown add up to %v hundredths, want %v", round, shown, want)
		}
	}
}

// TestStepExample is the worked example in step's comment.
func TestStepExample(t *testing.T) {
	before, after := side(sheet([]int{1}, link(1, "gone")), 1), side(sheet([]int{1}, wrong(1)), 1)
	costs := map[string]float64{"dead": -math.Log(before.Health / 100), "thing": -math.Log(after.Health / 100)}
	change := 100 * (math.Exp(-costs["thing"]) - math.Exp(-costs["dead"])) / (costs["dead"] - costs["thing"])
	s := Compare(before, after, never).Step
	if len(s.Parts) != 2 {
		t.Fatalf("%+v", s)
	}
	for _, p := range s.Parts {
		want := change * costs[p.Check]
		if p.Check == "thing" {
			want = -want
		}
		if p.By != ByFix || math.Abs(p.Points-want) > 1e-9 {
			t.Errorf("%s has %v points, want %v", p.Check, p.Points, want)
		}
	}
}

// TestCompare tells what went, came, came back, changed shape and was not seen.
func TestCompare(t *testing.T) {
	var old, now []check.Finding
	for _, n := range []int{1, 2, 3, 4, 5} {
		old = append(old, link(n, "a"))
	}
	for _, n := range []int{1, 2, 3, 4, 6} {
		now = append(now, link(n, "c"))
	}
	old, now = append(old, link(6, "b"), wrong(7), wrong(8), wrong(9)), append(now, link(6, "b"), wrong(7), wrong(8))
	before := side(sheet([]int{1, 2, 3, 4, 5, 6, 7, 8, 9}, old...), 1, 2, 3, 4, 5, 6, 7, 8, 9)
	after := side(sheet([]int{1, 2, 3, 4, 5, 6, 7, 8}, now...), 1, 2, 3, 4, 5, 6, 7, 8)
	after.Known[address(9)] = "blocked"
	first := Compare(before, after, never)
	lines := func(list []fixlist.Fix) string {
		var out []string
		for _, f := range list {
			out = append(out, f.Line)
		}
		return strings.Join(out, "; ")
	}
	if got := lines(first.Gone); got != "Link to /a is dead, on 5 pages" {
		t.Errorf("gone: %s", got)
	}
	if got := lines(first.New); got != "Link to /c is dead, on 5 pages" {
		t.Errorf("new: %s", got)
	}
	if first.Still != 2 || len(first.NotSeen) != 1 || first.NotSeen[0] != (Seen{address(9), "now: blocked"}) ||
		len(first.Vanished) != 0 {
		t.Errorf("%d still, not seen %+v, vanished %+v", first.Still, first.NotSeen, first.Vanished)
	}
	if f := first.Findings; f.Gone != 1 || f.New != 0 || f.Still != 7 {
		t.Errorf("findings %+v", f)
	}
	again := Compare(after, before, func(fix string) bool { return fix == first.Gone[0].ID })
	if got := lines(again.Returned); got != "Link to /a is dead, on 5 pages" || len(again.New) != 0 {
		t.Errorf("returned: %s, new: %s", got, lines(again.New))
	}
}

// TestPages tells where pages went.
func TestPages(t *testing.T) {
	s := sheet([]int{1, 2, 3, 4, 5})
	before, after := side(s, 1, 2, 3, 4, 5), side(s, 1, 6, 7)
	moved := after.Pages[address(6)]
	moved.TextHash = 1002 // as page 2 had
	after.Pages[address(6)] = moved
	after.Pages[address(3)] = Page{Status: 301, Outcome: "ok", Redirect: address(7)}
	after.Pages[address(4)] = Page{Status: 404, Outcome: "ok", HTML: true}
	changed := after.Pages[address(1)]
	changed.Title, changed.Indexable = "new", false
	after.Pages[address(1)] = changed
	before.Files = []File{{"robots", "r", "a\nb\n"}}
	after.Files = []File{
		{"robots", "r", "a\nc\n"}, {"sitemap", "http://s/", "x"}, {"sitemap", "https://s/", "x"},
		{"sitemap", "t", "<urlset><url><loc> http://a/?b=1&amp;c </loc><lastmod>2026-11-23</lastmod></url><url><loc><![CDATA[http://d/]]></loc></url></urlset>"},
	}
	before.Files = append(before.Files,
		File{"sitemap", "t", "<urlset><url><lastmod>2026-11-22</lastmod><loc>http://d/</loc></url></urlset>"})
	r := Compare(before, after, never)
	if want := []Moved{{address(2), address(6), "same text"},
		{address(3), address(7), "redirect"}}; !slices.Equal(r.Moved, want) {
		t.Errorf("moved %+v", r.Moved)
	}
	if want := []Seen{{address(4), "status 404"},
		{address(5), "nothing leads there any more"}}; !slices.Equal(r.Vanished, want) {
		t.Errorf("vanished %+v", r.Vanished)
	}
	for _, want := range []Change{{address(1), "indexable", "yes", "no"}, {address(1), "title", "page 1", "new"},
		{address(4), "status", "status 200", "status 404"}} {
		if !slices.Contains(r.Changes, want) {
			t.Errorf("%+v is not told", want)
		}
	}
	textTold := func(before, after uint64) bool {
		b, a := side(s, 1), side(s, 1)
		b.Pages[address(1)], a.Pages[address(1)] = Page{Status: 200, HTML: true, TextHash: before}, Page{Status: 200,
			HTML: true, TextHash: after}
		return slices.ContainsFunc(Compare(b, a, never).Changes, func(c Change) bool { return c.What == Text })
	}
	if !textTold(1, 2) || textTold(0, 2) || textTold(2, 2) {
		t.Error("a text counts as changed just where both were hashed alike and differ")
	}
	more := after.Pages[address(1)]
	more.LinksIn = 7
	after.Pages[address(1)] = more
	told := func() bool {
		return slices.Contains(Compare(before, after, never).Changes, Change{address(1), "links in", "0", "7"})
	}
	if !told() {
		t.Error("links won are not told")
	}
	if after.Complete = false; told() {
		t.Error("links are compared although one crawl did not see all pages")
	}
	if len(r.Files) != 3 || !slices.Equal(r.Files[0].Gone, []string{"b"}) ||
		!slices.Equal(r.Files[0].New, []string{"c"}) || !slices.Equal(r.Files[1].New, []string{"x"}) ||
		len(r.Files[2].Gone) != 0 || !slices.Equal(r.Files[2].New, []string{"http://a/?b=1&c"}) {
		t.Errorf("files %+v", r.Files)
	}
}

// TestLook asks what a crawl saw of fixes of an earlier one.
func TestLook(t *testing.T) {
	old := sheet([]int{1, 2, 3}, link(1, "a"), link(2, "a"), wrong(1), wrong(2), wrong(3)).Build(fixlist.Adjustment{})
	fix := func(line string) *fixlist.Fix {
		i := slices.IndexFunc(old.Fixes, func(f fixlist.Fix) bool { return strings.HasPrefix(f.Line, line) })
		return &old.Fixes[i]
	}
	listed := func(id string) bool {
		return slices.ContainsFunc(old.Fixes, func(f fixlist.Fix) bool { return f.ID == id })
	}
	now := sheet([]int{1, 2, 3}, link(1, "b"), wrong(2))
	look := NewSight(now, nil, func(a string) bool { return a != address(3) }, listed)
	for _, c := range []struct {
		fix   *fixlist.Fix
		on    []string
		sight task.Sight
	}{
		{fix("Link to /a"), []string{address(1), address(2)}, task.Gone},
		{fix("Link to /a"), []string{address(1), address(3)}, task.Unseen},
		{fix("A thing"), []string{address(1), address(2)}, task.There},
		{fix("A thing"), []string{address(1)}, task.Gone},
	} {
		if got, still, missed := look.At(c.fix, c.on); got != c.sight {
			t.Errorf("%s on %v: %v (still %v, missed %v), want %v", c.fix.Line, c.on, got, still, missed, c.sight)
		}
	}
	if lines := look.Lines("dead", address(1)); len(lines) != 1 || listed(lines[0]) {
		t.Errorf("what the link became: %v", lines)
	}
	look = NewSight(now, map[string]bool{"dead": true}, func(string) bool { return true }, listed)
	if len(look.Lines("dead", address(1))) != 1 || len(look.Lines(fix("A thing").Check, address(2))) != 0 {
		t.Errorf("of one check it knows %v", look.lines)
	}
}

// TestInsideLines: of a line for many, each target that came or went is told by the line it would have alone.
func TestInsideLines(t *testing.T) {
	before := side(sheet([]int{1, 2, 3, 4}, link(1, "a"), link(2, "b"), link(3, "c")), 1, 2, 3, 4)
	after := side(sheet([]int{1, 2, 3, 4}, link(1, "a"), link(2, "b"), link(4, "d")), 1, 2, 3, 4)
	r := Compare(before, after, never)
	lines := func(list []fixlist.Fix) (out []string) {
		for _, f := range list {
			out = append(out, f.Line)
		}
		return out
	}
	if got := lines(r.New); !slices.Equal(got, []string{"Link to /d is dead, on /04"}) {
		t.Errorf("new: %q", got)
	}
	if got := lines(r.Gone); !slices.Equal(got, []string{"Link to /c is dead, on /03"}) {
		t.Errorf("gone: %q", got)
	}
	if r.Still != 1 || len(r.Became) != 0 {
		t.Errorf("%d still, became %+v", r.Still, r.Became)
	}
}
