package fixlist

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

var (
	broken = &check.Check{ID: "broken", Group: "links", Severity: check.Error, Gather: check.ByTarget,
		Scope: check.WholeSite, Title: "page is dead", Line: "{link} to {target} is dead"}
	shared = &check.Check{ID: "shared", Group: "snippet", Severity: check.Error, Gather: check.ByValue,
		Scope: check.WholeSite, Title: "several pages share a text", Line: "{n} pages share “{value}”"}
	thing = &check.Check{ID: "thing", Group: "headings", Severity: check.Warning, Scope: check.Documents,
		Line: "A thing is wrong"}
	minor = &check.Check{ID: "minor", Group: "markup", Severity: check.Notice, Scope: check.Documents,
		Line: "A trifle", Effort: check.Hours}
)

// site is a survey of n pages: /a/0 … in layout 0, those from half on in layout 1 under /b/,
// each linking to the first.
func site(n int) *survey.Survey {
	s := &survey.Survey{}
	for i := range n {
		folder := "a"
		if i >= n/2 {
			folder = "b"
		}
		s.Addresses = append(s.Addresses,
			survey.Address{URL: fmt.Sprintf("http://fernhollow.example/%s/%03d", folder, i), State: survey.Fetched})
	}
	for i := range n {
		frame := []uint32{1, 2, 3, 4}
		if i >= n/2 {
			frame = []uint32{7, 8, 9}
		}
		f := &page.Facts{Address: s.Addresses[i].URL, Status: 200, Outcome: page.Answered, Document: &page.Document{
			Frame: frame, Links: []page.Link{{Address: s.Addresses[0].URL}},
		}}
		s.Add(int32(i), f, -1, -1, []int32{0})
	}
	return s
}

func place(at string, region page.Region) check.Place { return check.Place{At: at, Region: region} }

func build(s *survey.Survey, findings []check.Finding) *Report {
	s.Finish()
	c := NewCollector([]*check.Check{broken, shared, thing, minor})
	for _, f := range findings {
		c.Add(f)
	}
	return c.Build(s)
}

func find(t *testing.T, r *Report, line string) Fix {
	t.Helper()
	var lines []string
	for _, f := range r.Fixes {
		if f.Line == line {
			return f
		}
		lines = append(lines, f.Line)
	}
	t.Fatalf("no fix %q among\n%s", line, strings.Join(lines, "\n"))
	return Fix{}
}

func target(url, at string, region page.Region) check.Place {
	p := place(at, region)
	p.Target = url
	return p
}

func TestCauses(t *testing.T) {
	var in []check.Finding
	for i := range int32(20) {
		places := []check.Place{target("http://fernhollow.example/old", "footer > ul > li 6", page.Footer)}
		if i == 3 { // a second target on one page
			places = append(places, target("http://fernhollow.example/typo", "main > p 2", page.Content))
		}
		in = append(in, check.Finding{Check: broken, Page: i, Places: places})
	}
	for _, i := range []int32{4, 5, 6} {
		in = append(in, check.Finding{Check: shared, Page: i,
			Places: []check.Place{{Value: "One title", Group: "one title"}}})
	}
	for i := range int32(10) { // all of layout 0, at one place, and two slips elsewhere
		in = append(in, check.Finding{Check: thing, Page: i, Places: []check.Place{place("main > form", page.Content)}})
	}
	for _, i := range []int32{12, 17} {
		in = append(in, check.Finding{Check: thing, Page: i, Places: []check.Place{place("main > p 3", page.Content)}})
	}
	r := build(site(20), in)
	if len(r.Fixes) != 5 {
		t.Errorf("%d fixes, want 5: %+v", len(r.Fixes), r.Fixes)
	}
	footer := find(t, r, "Footer link to /old is dead, in the layout of 20 pages, footer")
	if footer.Kind != Target || footer.Pages != 20 || footer.Rank != 1 {
		t.Errorf("footer fix %+v", footer)
	}
	find(t, r, "Link to /typo is dead, on /a/003")
	if f := find(t, r, "3 pages share “One title”"); f.Kind != Value || f.Effort != "small" {
		t.Errorf("value fix %+v", f)
	}
	if f := find(t, r, "A thing is wrong, in the layout of 10 pages, content"); f.Kind != Layout || f.Pages != 10 {
		t.Errorf("layout fix %+v", f)
	}
	find(t, r, "A thing is wrong on 2 separate pages")
}

func TestSectionCause(t *testing.T) {
	var in []check.Finding
	for i := range int32(9) { // nine of ten pages of /a/, at different places
		in = append(in, check.Finding{Check: minor, Page: i,
			Places: []check.Place{place([]string{"main", "aside", "p 1"}[i%3], page.Content)}})
	}
	r := build(site(20), in)
	if f := find(t, r, "A trifle, on most pages under /a/"); f.Kind != Section || f.Effort != "medium" {
		t.Errorf("section fix %+v", f)
	}
}

// TestReport holds the sums: the ledger, the fixes' lost points and the running total, and
// that the order in which findings came makes no difference to the last bit.
func TestReport(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	var in []check.Finding
	for i := range int32(40) {
		for _, c := range []*check.Check{broken, shared, thing, minor} {
			if r.IntN(3) > 0 {
				continue
			}
			var places []check.Place
			for range 1 + r.IntN(4) {
				p := target(fmt.Sprintf("http://fernhollow.example/%d", r.IntN(5)), "main > p 1", page.Content)
				p.Value = p.Target
				places = append(places, p)
			}
			in = append(in, check.Finding{Check: c, Page: i, Places: places})
		}
	}
	first := build(site(40), in)
	ledger, lost := 0.0, 0.0
	for _, l := range first.Ledger {
		ledger += l.Points
	}
	for _, f := range first.Fixes {
		lost += f.Lost
	}
	if math.Abs(ledger-(100-first.Health)) > 1e-9 || math.Abs(lost-ledger) > 1e-9 {
		t.Errorf("ledger %v, fixes %v, lost %v", ledger, lost, 100-first.Health)
	}
	before := first.Health
	for i, f := range first.Fixes {
		if f.Gain <= 0 || f.HealthAfter < before {
			t.Errorf("fix %d gains %v, health %v after %v", i, f.Gain, f.HealthAfter, before)
		}
		if i > 0 && f.Severity < first.Fixes[i-1].Severity {
			t.Errorf("a milder fix stands before %s", f.Line)
		}
		before = f.HealthAfter
	}
	if math.Abs(before-100) > 1e-9 {
		t.Errorf("with everything done the health is %v", before)
	}
	for range 5 {
		r.Shuffle(len(in), func(i, j int) { in[i], in[j] = in[j], in[i] })
		again := build(site(40), in)
		if fmt.Sprintf("%+v", again) != fmt.Sprintf("%+v", first) {
			t.Fatal("another order of findings gives another report")
		}
	}
}

func TestNoPages(t *testing.T) {
	s := &survey.Survey{Addresses: []survey.Address{{URL: "http://fernhollow.example/", State: survey.Blocked}}}
	if r := build(s, nil); r.Scored || len(r.Fixes) != 0 {
		t.Errorf("a crawl without pages gives %+v", r)
	}
}

func TestPartial(t *testing.T) {
	s := site(20)
	for i := range 80 {
		s.Addresses = append(s.Addresses, survey.Address{URL: fmt.Sprintf("http://fernhollow.example/w/%d", i),
			State: survey.Waiting})
	}
	r := build(s, []check.Finding{{Check: thing, Page: 0, Places: []check.Place{{}}}})
	if r.Expected != 100 || r.HalfWidth <= 0 {
		t.Errorf("expected %d pages, half-width %v", r.Expected, r.HalfWidth)
	}
}

// TestSections: a site is parted by its first folders, and by those below one that holds most of it.
func TestSections(t *testing.T) {
	many := func(folder string, n int) (out []string) {
		for i := range n {
			out = append(out, fmt.Sprintf("http://fernhollow.example%spage-%d", folder, i))
		}
		return out
	}
	flat := slices.Concat(many("/plants/", 60), many("/shop/", 20), many("/", 5))
	deep := slices.Concat(many("/site/", 3), many("/site/plants/", 40), many("/site/shop/", 30),
		many("/site/shop/cards/", 10), many("/old/", 4), many("/site/odd/", 1))
	slugs := many("/shop/", 2)
	for i := range 40 {
		slugs = append(slugs, fmt.Sprintf("http://fernhollow.example/shop/thing-%d/", i))
	}
	nested := slices.Concat(many("/a/b/plants/", 30), many("/a/b/shop/", 30))
	for _, c := range []struct {
		site     []string
		of, want string
	}{
		{flat, "http://fernhollow.example/plants/rosa/", "/plants/"}, {flat, "http://fernhollow.example/", "/"},
		{flat, "http://fernhollow.example/plants", "/"},
		{flat, "http://fernhollow.example/unknown/x", "/unknown/"}, {flat, "not an address", "/"},
		{deep, "http://fernhollow.example/site/plants/x", "/site/plants/"},
		{deep, "http://fernhollow.example/site/shop/cards/x", "/site/shop/"},
		{deep, "http://fernhollow.example/site/x", "/site/"},
		{deep, "http://fernhollow.example/site/odd/page-0", "/site/"},
		{deep, "http://fernhollow.example/old/x", "/old/"},
		{slugs, "http://fernhollow.example/shop/thing-7/", "/shop/"},
		{nested, "http://fernhollow.example/a/b/shop/x", "/a/b/shop/"},
	} {
		if got := newSections(c.site).of(c.of); got != c.want {
			t.Errorf("of %d pages, %s is in %s, want %s", len(c.site), c.of, got, c.want)
		}
	}
}

// TestUncounted: what is found on an address that health does not count is a line all the same, and
// costs nothing.
func TestUncounted(t *testing.T) {
	s := site(4)
	s.Addresses = append(s.Addresses, survey.Address{URL: "http://fernhollow.example/gone", State: survey.Fetched})
	s.Add(4, &page.Facts{Address: "http://fernhollow.example/gone", Status: 404, Outcome: page.Answered},
		-1, -1, nil)
	r := build(s, []check.Finding{{Check: thing, Page: 4, Places: []check.Place{{Note: "listed, and not there"}}}})
	if len(r.Fixes) != 1 || r.Fixes[0].Gain != 0 || r.Fixes[0].Pages != 1 || r.Health != 100 {
		t.Errorf("health %v, fixes %+v", r.Health, r.Fixes)
	}
}

// TestSeparate: what few pages hold is one line a check, which has all of them.
func TestSeparate(t *testing.T) {
	s := site(200)
	var found []check.Finding
	for i := range 200 {
		found = append(found, check.Finding{Check: shared, Page: int32(i),
			Places: []check.Place{{Note: "shared", Value: fmt.Sprint("text ", i/2)}}})
	}
	r := build(s, found)
	if f := find(t, r, "Several pages share a text: 100 cases, on 200 pages"); len(r.Fixes) != 1 || f.Kind != Pages ||
		f.Cases != 100 || f.Pages != 200 {
		t.Errorf("%d lines, %+v", len(r.Fixes), f)
	}
}

// TestManyLines: a check with dozens of causes keeps lines for those that bring most, and one for the others.
func TestManyLines(t *testing.T) {
	s := site(200)
	var found []check.Finding
	for i := range 200 {
		found = append(found, check.Finding{Check: shared, Page: int32(i),
			Places: []check.Place{{Note: "shared", Value: fmt.Sprint("text ", i/10)}}})
	}
	r := build(s, found)
	mended := 0
	for _, f := range r.Fixes {
		mended += f.Pages
	}
	if len(r.Fixes) != linesKept+1 || mended != 200 {
		t.Errorf("%d lines for %d pages", len(r.Fixes), mended)
	}
	find(t, r, "Several pages share a text: 10 cases, on 100 pages")
}

// TestAlike: many shared values whose pages' addresses differ in one way are one line; few are not, nor
// are those whose addresses differ in more.
func TestAlike(t *testing.T) {
	for _, c := range []struct {
		name, one, other string // two addresses of one page, with its number
		pages            int
		line             string // "" for a line each
	}{
		{"folders", "/de/beds/%d.html", "/en/beds/%d.html", 6,
			"one page in several folders of /, 6 times, on 12 pages"},
		{"inner folders", "/beds/2025/%d/", "/beds/2026/%d/", 5,
			"one page in several folders of /beds/, 5 times, on 10 pages"},
		{"parameters", "/beds/%d", "/beds/%d?view=all&sort=up", 6,
			"one page with several values of ?sort&view, 6 times, on 12 pages"},
		{"forms", "/Beds/%d/", "/beds/%d/index.html", 6,
			"one page under several forms of its address, 6 times, on 12 pages"},
		{"few", "/de/beds/%d.html", "/en/beds/%d.html", 4, ""},
		{"the page's own name", "/beds/%d", "/beds/other-%d", 6, ""},
		{"two folders", "/de/beds/%d", "/en/borders/%d", 6, ""},
		{"a folder more", "/beds/%d", "/en/beds/%d", 6,
			"one page with and without /en/ in its address, 6 times, on 12 pages"},
		{"folders more", "/beds/page/%d/", "/author/hazel/beds/page/%d/", 6,
			"one page with and without /author/hazel/ in its address, 6 times, on 12 pages"},
	} {
		s := site(2 * c.pages)
		var found []check.Finding
		for i := range c.pages {
			s.Addresses[i].URL = "http://fernhollow.example" + fmt.Sprintf(c.one, i)
			s.Addresses[c.pages+i].URL = "http://fernhollow.example" + fmt.Sprintf(c.other, i)
			for _, p := range []int{i, c.pages + i} {
				found = append(found, check.Finding{Check: shared, Page: int32(p),
					Places: []check.Place{{Note: "shared", Value: fmt.Sprint("text ", i)}}})
			}
		}
		r := build(s, found)
		if c.line == "" {
			if len(r.Fixes) != 1 || r.Fixes[0].Kind != Pages || r.Fixes[0].Cases != c.pages {
				t.Errorf("%s: %d lines, the first %q", c.name, len(r.Fixes), r.Fixes[0].Line)
			}
			continue
		}
		if f := find(t, r, "Several pages share a text: "+c.line); len(r.Fixes) != 1 || f.Kind != Rule ||
			f.Pages != 2*c.pages {
			t.Errorf("%s: %d lines, %+v", c.name, len(r.Fixes), f)
		}
	}
}

// dead is a finding of dead links at places of a page.
func dead(page int32, places ...check.Place) check.Finding {
	return check.Finding{Check: broken, Page: page, Places: places}
}

func at(n int, pattern string, args ...any) string {
	return "http://fernhollow.example" + fmt.Sprintf(pattern, append([]any{n}, args...)...)
}

// TestChoice: each case is one change that somebody would make, or looks like one and is not.
func TestChoice(t *testing.T) {
	words := func(p check.Place, w string) check.Place { p.Words = w; return p }
	carried := func(target, carrier string) check.Place { return check.Place{Target: target, Carrier: carrier} }
	for _, c := range []struct {
		name  string
		found func() []check.Finding
		lines []string
	}{
		{"one path in five folders", func() (out []check.Finding) {
			for i := range 5 {
				out = append(out, dead(int32(i), target(at(i, "/l%d/map.html"), "p 1", page.Content)))
			}
			return out
		}, []string{"Page is dead: 5 addresses, on 5 pages; /map.html in several folders"}},
		{"one path in four folders", func() (out []check.Finding) {
			for i := range 4 {
				out = append(out, dead(int32(i), target(at(i, "/l%d/map.html"), "p 1", page.Content)))
			}
			return out
		}, []string{"Page is dead: 4 cases, on 4 pages"}},
		{"a link made from the page's own name", func() (out []check.Finding) {
			for i := range 6 {
				out = append(out, dead(int32(i), target(at(i, "/a/%03d.json"), "header > a", page.Banner)))
			}
			return out
		}, []string{"Page is dead: 6 addresses, on 6 pages; the page's own name + .json"}},
		{"names that only look alike", func() (out []check.Finding) {
			for i := range 4 {
				out = append(out, dead(int32(i), target(at(i, "/a/%03d.json"), "header > a", page.Banner)))
			}
			return append(out, dead(5, target(at(9, "/x/%03d.json"), "header > a", page.Banner)))
		}, []string{"Page is dead: 5 cases, on 5 pages"}},
		{"a template's link with its own words, wherever it leads", func() (out []check.Finding) {
			for i := range 7 {
				out = append(out, dead(int32(i),
					words(target(at(i*i+3, "/n%d"), "nav > a 1", page.Navigation), "Next")))
			}
			return out
		}, []string{"Page is dead: navigation link “Next”, on 7 pages"}},
		{"the same words in an author's text", func() (out []check.Finding) {
			for i := range 7 {
				out = append(out, dead(int32(i),
					words(target(at(i*i+3, "/n%d"), "main > p 1", page.Content), "more about it")))
			}
			return out
		}, []string{"Page is dead: 7 cases, on 7 pages"}},
		{"one page that holds many", func() []check.Finding {
			var places []check.Place
			for i := range 8 {
				places = append(places, target(at(i*i+3, "/n%d"), "ul > li", page.Content))
			}
			return []check.Finding{dead(3, places...), dead(4, target(at(77, "/n%d"), "p", page.Content))}
		}, []string{"Link to /n77 is dead, on /a/004", "Page is dead: 8 cases on /a/003"}},
		{"a stylesheet that names what is not there", func() (out []check.Finding) {
			for i := range 20 {
				out = append(out, dead(int32(i), carried(at(1, "/f%d.woff"), "http://fernhollow.example/look.css"),
					carried(at(2, "/g%d.woff"), "http://fernhollow.example/look.css")))
			}
			return out
		}, []string{"Page is dead: 2 files that /look.css names, on 20 pages"}},
		{"files of one folder that the same pages load", func() (out []check.Finding) {
			for i := range 20 {
				out = append(out, dead(int32(i), check.Place{Target: "http://fernhollow.example/js/a.js"},
					check.Place{Target: "http://fernhollow.example/js/b.js"}))
			}
			return out
		}, []string{"Page is dead: 2 addresses, on 20 pages; files of /js/ that one template names"}},
		{"files of one folder that other pages load", func() (out []check.Finding) {
			for i := range 20 {
				out = append(out, dead(int32(i),
					check.Place{Target: fmt.Sprintf("http://fernhollow.example/js/%c.js", 'a'+i%2)}))
			}
			return append(out, dead(0, check.Place{Target: "http://fernhollow.example/js/b.js"}))
		}, []string{"Link to /js/a.js is dead, in the layout of 10 pages",
			"Link to /js/b.js is dead, in the layout of 11 pages"}},
		{"one file that a stylesheet names", func() (out []check.Finding) {
			for i := range 20 {
				out = append(out, dead(int32(i), carried(at(1, "/f%d.woff"), "http://fernhollow.example/look.css")))
			}
			return out
		}, []string{"Link to /f1.woff is dead, named by /look.css, which 20 pages load"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := build(site(20), c.found())
			var lines []string
			for _, f := range r.Fixes {
				lines = append(lines, f.Line)
			}
			if slices.Sort(lines); !slices.Equal(lines, c.lines) {
				t.Errorf("lines\n%s\nwant\n%s", strings.Join(lines, "\n"), strings.Join(c.lines, "\n"))
			}
		})
	}
}

// TestRepairs: a rule of addresses is told only where what it turns them into is known to answer.
func TestRepairs(t *testing.T) {
	for _, c := range []struct {
		name   string
		target string // of page n
		good   string // an address that answers; "" for none
		line   string
	}{
		{"a folder too many", "/old/beds/%d.html", "/beds/%d.html",
			"take /old/ out of their addresses, and they answer"},
		{"a folder missing", "/beds/%d/map", "/en/beds/%d/map", "put /en in front of their paths, and they answer"},
		{"another case", "/Beds/%d-Map", "/beds/%d-map",
			"they answer with capital and small letters set otherwise, such as /beds/0-map"},
		{"another ending", "/beds%d.htm", "/beds%d.html", "they answer with .html for .htm, such as /beds0.html"},
		{"a whole address in the path", "/beds/https://else.example/%d", "",
			"a whole address stands in their paths: take away what stands before https://"},
		{"a folder that is not there", "/lost/%d-x/map", "", "nothing answers under /lost/"},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := site(20)
			var found []check.Finding
			for i := range 6 {
				if c.good != "" {
					s.Addresses = append(s.Addresses, survey.Address{URL: at(i, c.good), State: survey.Fetched})
					s.Add(int32(len(s.Pages)), &page.Facts{Address: at(i, c.good), Status: 200, Outcome: page.Answered,
						Document: &page.Document{}}, -1, -1, nil)
				}
				found = append(found, dead(int32(2*i), target(at(i, c.target), fmt.Sprint("p > a", i), page.Content)))
			}
			r := build(s, found)
			if want := "Page is dead: 6 addresses, on 6 pages; " + c.line; len(r.Fixes) != 1 ||
				r.Fixes[0].Line != want {
				t.Errorf("%d lines, the first %q, want %q", len(r.Fixes), r.Fixes[0].Line, want)
			}
		})
	}
}

// TestRoots: what follows from another finding is shown under it, and health is the same as if it stood
// alone.
func TestRoots(t *testing.T) {
	twins := &check.Check{ID: "twins", Group: "indexing", Severity: check.Warning, Gather: check.ByValue,
		Scope: check.WholeSite, Title: "two addresses", Line: "{n} addresses of one page", Explains: []string{"shared"}}
	stub := &check.Check{ID: "stub", Group: "redirects", Severity: check.Warning, Scope: check.Documents, Title: "stub",
		Line: "Page is a stub", Explains: []string{"headings", "shared"}}
	value := func(c *check.Check, on int32, v string) check.Finding {
		return check.Finding{Check: c, Page: on, Places: []check.Place{{Value: v}}}
	}
	run := func(checks []*check.Check, found ...check.Finding) *Report {
		s := site(20)
		if err := s.Finish(); err != nil {
			t.Fatal(err)
		}
		c := NewCollector(checks)
		for _, f := range found {
			c.Add(f)
		}
		return c.Build(s)
	}
	for _, c := range []struct {
		name  string
		found []check.Finding
		lines []string
	}{
		{"two addresses of one page", []check.Finding{value(twins, 1, "x"), value(twins, 2, "x"), value(shared, 1, "t"),
			value(shared, 2, "t")}, []string{"2 addresses of one page"}},
		{"and a third page with the same text",
			[]check.Finding{value(twins, 1, "x"), value(twins, 2, "x"), value(shared, 1, "t"), value(shared, 2, "t"),
				value(shared, 3, "t")}, []string{"2 addresses of one page", "3 pages share “t”"}},
		{"a stub", []check.Finding{value(stub, 4, ""), value(thing, 4, ""), value(thing, 5, "")},
			[]string{"A thing is wrong on /a/005", "Page is a stub on /a/004"}},
		{"a page that shares with a stub alone",
			[]check.Finding{value(stub, 4, ""), value(shared, 4, "t"), value(shared, 5, "t")},
			[]string{"Page is a stub on 2 separate pages"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := run([]*check.Check{twins, stub, shared, thing}, c.found...)
			var lines []string
			for _, f := range r.Fixes {
				lines = append(lines, f.Line)
			}
			if slices.Sort(lines); !slices.Equal(lines, c.lines) {
				t.Errorf("lines\n%s\nwant\n%s", strings.Join(lines, "\n"), strings.Join(c.lines, "\n"))
			}
			if last := r.Fixes[len(r.Fixes)-1]; math.Abs(last.HealthAfter-100) > 1e-9 {
				t.Errorf("with everything done the health is %v", last.HealthAfter)
			}
			apart := make([]*check.Check, 0, 4)
			other := map[*check.Check]*check.Check{}
			for _, ch := range []*check.Check{twins, stub, shared, thing} {
				one := *ch
				one.Explains = nil
				other[ch] = &one
				apart = append(apart, &one)
			}
			var found []check.Finding
			for _, f := range c.found {
				f.Check = other[f.Check]
				found = append(found, f)
			}
			if h := run(apart, found...).Health; h != r.Health {
				t.Errorf("health is %v with roots, %v without", r.Health, h)
			}
		})
	}
}

// TestCover holds, on random findings: each in exactly one line, no page hidden, the same lines in any
// order of the findings, and one finding more never doubles the list.
func TestCover(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for round := range 60 {
		var found []check.Finding
		for i := range int32(30) {
			for _, c := range []*check.Check{broken, shared, thing, minor} {
				var places []check.Place
				for range r.IntN(5) {
					n := r.IntN(8)
					p := target(at(n, "/x/%d.html"), []string{"nav > a", "main > p 1", "footer > a"}[r.IntN(3)],
						[]page.Region{page.Navigation, page.Content, page.Footer}[r.IntN(3)])
					p.Value, p.Words = p.Target, []string{"", "Next", "more"}[r.IntN(3)]
					if r.IntN(4) == 0 {
						p.Carrier = "http://fernhollow.example/look.css"
					}
					places = append(places, p)
				}
				if len(places) > 0 {
					found = append(found, check.Finding{Check: c, Page: i, Places: places})
				}
			}
		}
		first := build(site(30), found)
		places, pages := 0, map[string]bool{}
		for _, f := range first.Fixes {
			places += f.Places
			for _, m := range f.Members {
				pages[fmt.Sprint(f.Check, m)] = true
			}
		}
		if places != first.Findings {
			t.Fatalf("round %d: %d places in lines, %d found", round, places, first.Findings)
		}
		for _, f := range found {
			if !pages[fmt.Sprint(f.Check.ID, f.Page)] {
				t.Fatalf("round %d: page %d of %s is in no line", round, f.Page, f.Check.ID)
			}
		}
		ids := map[string]bool{}
		for _, f := range first.Fixes {
			if ids[f.ID] {
				t.Fatalf("round %d: two lines have the ID of %q", round, f.Line)
			}
			ids[f.ID] = true
		}
		last := found[len(found)-1]
		r.Shuffle(len(found), func(i, j int) { found[i], found[j] = found[j], found[i] })
		if again := build(site(30), found); fmt.Sprintf("%+v", again) != fmt.Sprintf("%+v", first) {
			t.Fatalf("round %d: another order of findings gives another report", round)
		}
		i := slices.IndexFunc(found, func(f check.Finding) bool { return f.Check == last.Check && f.Page == last.Page })
		if fewer := build(site(30), slices.Delete(found, i, i+1)); len(first.Fixes) > 2*len(fewer.Fixes) {
			t.Fatalf("round %d: %d lines, and %d with one finding more", round, len(fewer.Fixes), len(first.Fixes))
		}
	}
}

// TestNearlyAll: what has no place on the page and fails all over a site of several layouts is one
// line; what stands at a place is one for each layout.
func TestNearlyAll(t *testing.T) {
	s := site(40)
	var found []check.Finding
	for i := range 40 {
		found = append(found, check.Finding{Check: thing, Page: int32(i), Places: []check.Place{{Note: "no header"}}},
			check.Finding{Check: minor, Page: int32(i), Places: []check.Place{place("nav", page.Navigation)}})
	}
	r := build(s, found)
	if f := find(t, r, "A thing is wrong, on 40 pages, all of the site"); f.Pages != 40 {
		t.Errorf("%+v", f)
	}
	if f := find(t, build(s, found[2:]), "A thing is wrong, on 39 pages, nearly all of the site"); f.Pages != 39 {
		t.Errorf("%+v", f)
	}
	if f := find(t, r, "A trifle, in the layout of 40 pages, navigation"); f.Pages != 40 || len(r.Fixes) != 2 {
		t.Errorf("%d lines, %+v", len(r.Fixes), f)
	}
}

// TestEntries: a line for several names each of its targets once, by the ID that its own line would have, with the
// pages that have it; lines about one thing name none.
func TestEntries(t *testing.T) {
	var in []check.Finding
	for i := range int32(9) { // nine targets that have nothing in common, the first on two pages
		in = append(in, dead(i, target(at(int(i), "/gone-%d-%c", 'a'+i), "main > p 2", page.Content)))
	}
	in = append(in, dead(12, target(at(0, "/gone-%d-%c", 'a'), "main > p 4", page.Content)))
	r := build(site(20), in)
	var line *Fix
	for i := range r.Fixes {
		if r.Fixes[i].Check == "broken" && r.Fixes[i].Cases > 1 {
			line = &r.Fixes[i]
		}
	}
	if line == nil || len(line.Entries) != line.Cases {
		t.Fatalf("no line with entries among %+v", r.Fixes)
	}
	seen := map[string]bool{}
	places := 0
	for _, e := range line.Entries {
		if seen[e.Target] || e.ID != TargetID("broken", e.Target) || e.Pages != len(e.Members) || e.Line == "" ||
			e.Example == "" {
			t.Errorf("entry %+v", e)
		}
		seen[e.Target] = true
		places += e.Places
		one, ok := line.Entry(e.ID)
		if !ok || one.Of != line.ID || one.Kind != Target || one.Target != e.Target || one.Check != line.Check {
			t.Errorf("seen as a fix it is %+v", one)
		}
	}
	if places != line.Places {
		t.Errorf("%d places in the entries, %d in the line", places, line.Places)
	}
	if first := line.Entries[0]; first.Pages != 2 || !strings.Contains(first.Target, "/gone-0") {
		t.Errorf("the first is %+v", first)
	}
	if _, ok := line.Entry("zzzzzzzz"); ok {
		t.Error("there is an entry of an ID that none has")
	}
}

// TestEndings: a menu of languages that are not there is one line, however many there are.
func TestEndings(t *testing.T) {
	s := &survey.Survey{}
	var in []check.Finding
	for i := range 8 {
		s.Addresses = append(s.Addresses, survey.Address{URL: fmt.Sprintf("http://fernhollow.example/bed-%d.html", i),
			State: survey.Fetched})
	}
	for i := range 8 {
		f := &page.Facts{Address: s.Addresses[i].URL, Status: 200, Outcome: page.Answered,
			Document: &page.Document{Frame: []uint32{1, 2, 3}}}
		s.Add(int32(i), f, -1, -1, nil)
		for _, ending := range []string{"de", "fr", "pl"} {
			in = append(in, dead(int32(i), target(fmt.Sprintf("http://fernhollow.example/bed-%d.%s.html", i, ending),
				"main > p 1", page.Content)))
		}
	}
	r := build(s, in)
	if len(r.Fixes) != 1 || !strings.Contains(r.Fixes[0].Line,
		"the page's own name with 3 endings, such as .de.html and .fr.html") {
		t.Errorf("%d fixes, the first %q", len(r.Fixes), r.Fixes[0].Line)
	}
}
