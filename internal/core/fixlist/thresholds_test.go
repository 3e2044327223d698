package fixlist

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// linesOf are the lines of a report, sorted.
func linesOf(r *Report) []string {
	var out []string
	for _, f := range r.Fixes {
		out = append(out, f.Line)
	}
	slices.Sort(out)
	return out
}

// TestShares: what four of five pages of a template, of a folder or of the site have is one change, and what fewer
// have is not. Site makes pages of two templates, half each.
func TestShares(t *testing.T) {
	indexed := &check.Check{
		ID:       "indexed",
		Group:    "snippet",
		Severity: check.Warning,
		Scope:    check.Indexable,
		Title:    "x",
		Line:     "Indexed",
	}
	on := func(c *check.Check, from, to int32, at string) (out []check.Finding) {
		for i := from; i < to; i++ {
			out = append(
				out,
				check.Finding{
					Check: c,
					Page:  i,
					Places: []check.Place{
						place(strings.ReplaceAll(at, "%", fmt.Sprintf("%c%c", 'a'+i%26, 'a'+i/26)), page.Content),
					},
				},
			)
		}
		return out
	}
	link := func(from, to int32, words string) (out []check.Finding) {
		for i := from; i < to; i++ {
			p := target(at(int(i*i)+3, "/n%d"), "main > p 1", page.Content)
			p.Words = words
			out = append(out, dead(i, p))
		}
		return out
	}
	for _, c := range []struct {
		name  string
		pages int
		found []check.Finding
		lines []string
	}{
		{"eight of ten at one place", 20, on(thing, 0, 8, "main > form"), []string{"A thing is wrong, in the layout of 8 pages, content"}},
		{"seven of ten", 20, on(thing, 0, 7, "main > form"), []string{"A thing is wrong on 7 separate pages"}},
		{"four of five", 10, on(thing, 0, 4, "main > form"), []string{"A thing is wrong on 4 separate pages"}},
		{"five of five", 10, on(thing, 0, 5, "main > form"), []string{"A thing is wrong, in the layout of 5 pages, content"}},
		{"two of another template besides", 20, on(thing, 0, 12, "main > form"), []string{"A thing is wrong, in the layout of 12 pages, content"}},
		{"three of another besides", 20, on(thing, 0, 13, "main > form"), []string{"A thing is wrong on 3 separate pages", "A thing is wrong, in the layout of 10 pages, content"}},
		{"four of five pages of the site", 20, on(thing, 0, 16, ""), []string{"A thing is wrong, on 16 pages, nearly all of the site"}},
		{"fewer of the site", 20, on(thing, 3, 18, "main > %"), []string{"A thing is wrong on 7 separate pages", "A thing is wrong, on most pages under /b/"}},
		{"all of the site", 20, on(thing, 0, 20, ""), []string{"A thing is wrong, on 20 pages, all of the site"}},
		{"eight of ten in a folder", 20, on(thing, 0, 8, "main > %"), []string{"A thing is wrong, on most pages under /a/"}},
		{"seven of ten in a folder", 20, on(thing, 0, 7, "main > %"), []string{"A thing is wrong on 7 separate pages"}},
		{"four pages of a folder", 8, on(thing, 0, 4, "main > %"), []string{"A thing is wrong on 4 separate pages"}},
		{"five pages of a folder", 12, on(thing, 0, 5, "main > %"), []string{"A thing is wrong, on most pages under /a/"}},
		{"the words of a link on most pages of a template", 20, link(0, 8, "more about it"), []string{"Page is dead: link “more about it”, on 8 pages"}},
		{"on fewer", 20, link(0, 7, "more about it"), []string{"Page is dead: 7 cases, on 7 pages"}},
		{"without words", 20, link(0, 8, ""), []string{"Page is dead: 8 cases, on 8 pages"}},
		{"of the pages that can be found", 20, on(indexed, 0, 7, "main > form"), []string{"Indexed, in the layout of 7 pages, content"}},
		{"of all documents", 20, on(thing, 0, 7, "main > form"), []string{"A thing is wrong on 7 separate pages"}},
	} {
		s := site(c.pages)
		for i := 8; i < 10 && strings.HasPrefix(c.name, "of "); i++ {
			s.Pages[i].Indexable = false
		}
		for i := range s.Pages {
			if !strings.HasPrefix(c.name, "of ") || i < 8 || i > 9 {
				s.Pages[i].Indexable = true
			}
		}
		s.Finish()
		col := NewCollector([]*check.Check{broken, thing, indexed})
		for _, f := range c.found {
			col.Add(f)
		}
		if got := linesOf(col.Build(s)); !slices.Equal(got, c.lines) {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, strings.Join(got, "\n"), strings.Join(c.lines, "\n"))
		}
	}
}

// TestShareOfRendered: what checks of renderings find is held against the pages that were rendered, and is told of all
// that are built so; the sheet keeps which these are.
func TestShareOfRendered(t *testing.T) {
	slow := &check.Check{ID: "slow", Group: "rendering", Severity: check.Warning, Scope: check.WholeSite, Title: "x",
		Line: "Pages are slow", Rendered: true}
	for _, c := range []struct {
		name              string
		rendered, failing []int32
		at, want          string
	}{
		{"three of three of a template", []int32{0, 1, 2, 10, 11, 12}, []int32{0, 1, 2}, "main > form",
			"Pages are slow, in the layout of 10 pages, content, seen on 3 that were rendered"},
		{"two of three", []int32{0, 1, 2, 10, 11, 12}, []int32{0, 1}, "main > form", "Pages are slow on 2 separate pages"},
		{"two of two", []int32{0, 1, 10, 11}, []int32{0, 1}, "main > form", "Pages are slow on 2 separate pages"},
		{"all that were rendered", []int32{0, 1, 2, 10, 11, 12}, []int32{0, 1, 2, 10, 11, 12}, "",
			"Pages are slow, on all of the 6 pages that were rendered"},
		{"of all pages, five are a template's", nil, []int32{0, 1, 2, 3, 4, 5, 6, 7}, "main > form",
			"Pages are slow, in the layout of 8 pages, content"},
		{"of all pages, three are no template's", nil, []int32{0, 1, 2}, "main > form", "Pages are slow on 3 separate pages"},
	} {
		s := site(20)
		s.Rendered = map[int32]bool{}
		for _, id := range c.rendered {
			s.Rendered[id] = true
		}
		for i := range s.Pages {
			s.Rendered[s.Pages[i].ID] = s.Rendered[s.Pages[i].ID] || c.rendered == nil
		}
		s.Finish()
		col := NewCollector([]*check.Check{slow})
		for _, id := range c.failing {
			col.Add(check.Finding{Check: slow, Page: id, Places: []check.Place{place(c.at, page.Content)}})
		}
		sheet := col.Sheet(s)
		if got := linesOf(sheet.Build(Adjustment{})); len(got) != 1 || got[0] != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
		var kept bytes.Buffer
		if err := sheet.Write(&kept); err != nil {
			t.Fatal(err)
		}
		again, err := ReadSheet(&kept)
		if err != nil {
			t.Fatal(err)
		}
		if got := linesOf(again.Build(Adjustment{})); len(got) != 1 || got[0] != c.want {
			t.Errorf("%s, read again: %q, want %q", c.name, got, c.want)
		}
	}
}

// TestShareOfUnlisted: where search engines may show few pages or none, what a check on the whole site finds on the
// others is held against all of them, not against those few.
func TestShareOfUnlisted(t *testing.T) {
	whole := &check.Check{ID: "whole", Group: "media", Severity: check.Notice, Scope: check.WholeSite, Title: "x",
		Line: "A picture is large"}
	for failing, want := range map[int]string{
		7: "A picture is large on 7 separate pages", 20: "A picture is large, on 20 pages, all of the site",
	} {
		s := site(20)
		for i := range s.Pages {
			s.Pages[i].Indexable = i == 19
		}
		s.Finish()
		col := NewCollector([]*check.Check{broken, whole})
		for i := range failing {
			col.Add(check.Finding{Check: whole, Page: int32(i), Places: []check.Place{place("", page.Content)}})
		}
		if got := linesOf(col.Build(s)); !slices.Equal(got, []string{want}) {
			t.Errorf("on %d of 20 pages: %q, want %q", failing, got, want)
		}
	}
}

// TestLongLists: a check has up to twelve lines that are worth one each, or ten and one for the rest; lines that
// together change next to nothing are one.
func TestLongLists(t *testing.T) {
	list := func(lines, pages int) *Report {
		var in []check.Finding
		for n := range lines {
			for i := range pages {
				in = append(
					in,
					dead(
						int32(n*pages+i),
						target(
							fmt.Sprintf("https://h%c.example/%c", 'a'+n, 'k'+n*n%9),
							fmt.Sprintf("main > %c", 'a'+i),
							page.Content,
						),
					),
				)
			}
		}
		return build(site(300), in)
	}
	for lines, want := range map[int]int{11: 11, 12: 12, 13: 11, 20: 11} {
		r := list(lines, 9)
		if len(r.Fixes) != want {
			t.Errorf("%d lines are %d", lines, len(r.Fixes))
		}
		if last := r.Fixes[len(r.Fixes)-1]; want < lines &&
			(last.Cases != lines-10 && r.Fixes[0].Cases != lines-10 || last.Gain <= 0) {
			t.Errorf("of %d lines the rest is one of %d and %d cases", lines, r.Fixes[0].Cases, last.Cases)
		}
	}
}

// TestFollows counts the pages on which a check fails only for what a line is about, each once.
func TestFollows(t *testing.T) {
	stub := &check.Check{
		ID:       "stub",
		Group:    "redirects",
		Severity: check.Warning,
		Scope:    check.Documents,
		Title:    "stub",
		Line:     "Page is a stub",
		Explains: []string{"headings", "markup"},
	}
	s := site(20)
	s.Finish()
	c := NewCollector([]*check.Check{stub, thing, minor})
	for i := range int32(3) {
		c.Add(check.Finding{Check: stub, Page: i, Places: []check.Place{{}}})
		c.Add(check.Finding{Check: thing, Page: i, Places: []check.Place{{At: "main > p"}, {At: "main > ul"}}})
	}
	c.Add(check.Finding{Check: minor, Page: 2, Places: []check.Place{{}}})
	c.Add(check.Finding{Check: minor, Page: 7, Places: []check.Place{{}}})
	r := c.Build(s)
	if f := find(t, r, "Page is a stub on 3 separate pages"); fmt.Sprint(f.Follows) != "[{thing 3} {minor 1}]" ||
		f.Places != 3 ||
		f.Pages != 3 ||
		f.State != Open {
		t.Errorf("%+v", f)
	}
	ledger := map[string]LedgerLine{}
	for _, l := range r.Ledger {
		ledger[l.Check] = l
	}
	if ledger["stub"].Pages != 3 || ledger["thing"].Pages != 0 || ledger["minor"].Pages != 1 ||
		ledger["minor"].Places != 1 {
		t.Errorf("the ledger books %+v", ledger)
	}
	for _, p := range r.Pages[:3] {
		if p.Counts != [3]int{0, 1, 0} {
			t.Errorf("page %d counts %v", p.Page, p.Counts)
		}
	}
	for name, waived := range map[string]func(check, address, layout, fix string) bool{
		"the root":         func(check, _, _, _ string) bool { return check == "stub" },
		"what follows":     func(check, _, _, _ string) bool { return check == "thing" },
		"a page of others": func(_, address, _, _ string) bool { return strings.HasSuffix(address, "/007") },
	} {
		s := site(20)
		s.Finish()
		again := NewCollector([]*check.Check{stub, thing, minor})
		for i := range int32(3) {
			again.Add(check.Finding{Check: stub, Page: i, Places: []check.Place{{}}})
			again.Add(check.Finding{Check: thing, Page: i, Places: []check.Place{{At: "main > p"}, {At: "main > ul"}}})
		}
		again.Add(check.Finding{Check: minor, Page: 7, Places: []check.Place{{}}})
		r := again.Sheet(s).Build(Adjustment{Waived: waived})
		want := map[string]int{"the root": 9, "what follows": 6, "a page of others": 1}[name]
		if f := find(t, r, "Page is a stub on 3 separate pages"); r.Waived != want ||
			(f.State == Waived) != (name == "the root") ||
			(f.Waived == 3) != (name == "the root") {
			t.Errorf("waived %s: %d of %d, the line is %s, on %d pages", name, r.Waived, want, f.State, f.Waived)
		}
	}
}

// TestHome: the home page weighs most under whichever of its addresses, told by its text.
func TestHome(t *testing.T) {
	g := &garden{Survey: &survey.Survey{Facts: page.Version}}
	g.add("/", kind{frame: 1, text: 7})
	for path, k := range map[string]kind{"/index.html": {frame: 1, text: 7}, "/default.htm": {frame: 1, text: 8}, "/fern/": {frame: 1, text: 7}} {
		g.add(path, k)
	}
	g.add("https://www.fernhollow.example/", kind{frame: 1, text: 7})
	if err := g.Finish(); err != nil {
		t.Fatal(err)
	}
	want := map[string]bool{origin + "/": true, origin + "/index.html": true, "https://www.fernhollow.example/": true}
	for _, p := range g.sheet().Pages {
		if p.Home != want[p.Address] {
			t.Errorf("%s is the home page: %v", p.Address, p.Home)
		}
	}
}

// TestWeights: where a crawl drew a sample, a page counts for as many as it stands for.
func TestWeights(t *testing.T) {
	health := func(weights map[int32]float64) float64 {
		s := site(10)
		s.Weights = weights
		s.Finish()
		c := NewCollector([]*check.Check{thing})
		c.Add(check.Finding{Check: thing, Page: 3, Places: []check.Place{{}}})
		return c.Build(s).Health
	}
	even := map[int32]float64{}
	for i := range int32(10) {
		even[i] = 1
	}
	if a, b := health(nil), health(even); a != b {
		t.Errorf("health %v, with weights of 1 it is %v", a, b)
	}
	even[3] = 5
	if a, b := health(nil), health(even); a-b < 0.5 {
		t.Errorf("health %v, and %v where the page that fails stands for five", a, b)
	}
	if a, b := health(nil), health(map[int32]float64{3: 1}); a-b < 1.5 {
		t.Errorf("health %v, and %v where the others stand for nothing", a, b)
	}
}

// TestTrialCauses: what a second look gives of a target that the sheet knows is part of its line.
func TestTrialCauses(t *testing.T) {
	s := site(20)
	s.Finish()
	c := NewCollector([]*check.Check{broken})
	for i := range int32(9) {
		c.Add(dead(i, target(origin+"/gone", "footer > a", page.Footer)))
	}
	sheet := c.Sheet(s)
	again := sheet.Trial(
		func(_ string, on int32) bool { return on < 3 },
		[]check.Finding{dead(1, target(origin+"/gone", "footer > a", page.Footer)),
			dead(2, target(origin+"/typo", "main > p", page.Content))},
	)
	r := again.Build(Adjustment{})
	line := find(t, r, "Link to /typo is dead, on /a/002")
	if gone := find(t, r, "Footer link to /gone is dead, in the layout of 7 pages, footer"); r.Findings != 8 ||
		line.Pages != 1 ||
		gone.ID != TargetID("broken", origin+"/gone") {
		t.Errorf("%d places in %d lines: %q", r.Findings, len(r.Fixes), linesOf(r))
	}
	if first := sheet.Build(Adjustment{}); first.Findings != 9 || len(first.Fixes) != 1 {
		t.Errorf("the sheet itself has changed: %d places in %d lines", first.Findings, len(first.Fixes))
	}
}

// TestFew: what has few cases names them all; a target on two pages, one; and a folder that most of one page's targets
// are in is no reason.
func TestFew(t *testing.T) {
	for _, c := range []struct {
		name    string
		pages   []int32
		lines   []string
		targets int
	}{
		{"one page", []int32{3}, []string{"Link to /gone-3-d is dead, on /a/003"}, 0},
		{"two pages", []int32{3, 4}, []string{"Page is dead: 2 cases, on 2 pages"}, 2},
		{"four pages", []int32{3, 4, 5, 6}, []string{"Page is dead: 4 cases, on 4 pages"}, 4},
	} {
		var in []check.Finding
		for _, i := range c.pages {
			in = append(in, dead(i, target(at(int(i), "/gone-%d-%c", 'a'+i), "main > p 2", page.Content)))
		}
		r := build(site(20), in)
		if got := linesOf(r); !slices.Equal(got, c.lines) || len(r.Fixes[0].Targets) != c.targets ||
			len(r.Fixes[0].Entries) != c.targets {
			t.Errorf("%s: %q, %d targets, %d entries", c.name, got, len(r.Fixes[0].Targets), len(r.Fixes[0].Entries))
		}
	}
	two := build(
		site(20),
		[]check.Finding{
			dead(3, target(origin+"/gone", "p", page.Content)),
			dead(4, target(origin+"/gone", "p", page.Content)),
		},
	)
	if got := linesOf(two); !slices.Equal(got, []string{"Link to fernhollow.example/gone is dead, on 2 pages"}) &&
		!slices.Equal(got, []string{"Link to /gone is dead, on 2 pages"}) {
		t.Errorf("one target on two pages: %q", got)
	}
}

// TestSmallest: findings come in any order, and the smallest of what they say of one cause stands for all.
func TestSmallest(t *testing.T) {
	for range 2 {
		c := NewCollector([]*check.Check{shared, broken})
		values := []string{"ferns", "Ferns", "FERNS"}
		for i, v := range values {
			c.Add(
				check.Finding{
					Check:  shared,
					Page:   int32(i),
					Places: []check.Place{{Value: v, Target: "/" + v, Group: "ferns"}},
				},
			)
		}
		if len(c.causes) != 1 || c.causes[0].value != "FERNS" || c.causes[0].target != "/FERNS" {
			t.Errorf("%+v", c.causes)
		}
		slices.Reverse(values)
	}
	c := NewCollector([]*check.Check{thing, broken})
	c.Add(
		check.Finding{
			Check:  thing,
			Page:   1,
			More:   3,
			Places: []check.Place{{At: "main > p 1"}, {At: "main > p 2"}, {At: "nav"}},
		},
	)
	c.Add(check.Finding{Check: thing, Page: 2, More: 3})
	c.Add(
		check.Finding{
			Check:  broken,
			Page:   1,
			Places: []check.Place{{Target: "/x", At: "main > p"}, {Target: "/x", At: "nav"}, {Target: "/y", At: "nav"}},
		},
	)
	var got []string
	for _, e := range c.entries {
		got = append(got, fmt.Sprint(e.page, e.places, " ", c.spots[e.spot]))
	}
	if want := "1 2 main > p|1 4 nav|1 2 main > p|1 1 nav"; strings.Join(got, "|") != want || c.Findings() != 9 {
		t.Errorf("%d places: %q, want %q", c.Findings(), strings.Join(got, "|"), want)
	}
}

// TestPartly: what another change explains in part is still one for the rest; a change needs five pages or cases.
func TestPartly(t *testing.T) {
	var places []check.Place
	for i := range 12 {
		places = append(places, target(at(i*i+3, "/n%d"), "ul > li", page.Content))
	}
	gone := target("http://fernhollow.example/gone", "footer > a", page.Footer)
	in := []check.Finding{dead(0, append(places, gone)...)}
	for i := range int32(9) {
		in = append(in, dead(i+1, gone))
	}
	r := build(site(40), in)
	if got := linesOf(r); !slices.Equal(
		got,
		[]string{"Footer link to /gone is dead, in the layout of 9 pages, footer", "Page is dead: 13 cases on /a/000"},
	) {
		t.Errorf("lines %q", got)
	}
	for n, want := range map[int]string{4: "Page is dead: 4 cases, on 1 page", 5: "Page is dead: 5 cases on /a/000"} {
		got := linesOf(build(site(40), []check.Finding{dead(0, places[:n]...)}))
		if !slices.Equal(got, []string{want}) {
			t.Errorf("%d on one page: %q", n, got)
		}
	}
	for n, want := range map[int32]string{4: "Page is dead: 4 cases, on 4 pages", 5: "Page is dead: navigation link “Next”, on 5 pages"} {
		in = nil
		for i := range n {
			p := target(at(int(i*i)+3, "/n%d"), "nav > a 1", page.Navigation)
			p.Words = "Next"
			in = append(in, dead(i, p))
		}
		if got := linesOf(build(site(40), in)); !slices.Equal(got, []string{want}) {
			t.Errorf("the same words on %d pages: %q", n, got)
		}
	}
}

// TestSound: a rule of addresses stands where five targets, and nine of ten that it speaks of, answer by it.
func TestSound(t *testing.T) {
	for _, c := range []struct {
		right, wrong int
		stands       bool
	}{{5, 0, true}, {4, 0, false}, {9, 1, true}, {8, 1, false}, {5, 3, false}} {
		s := site(40)
		var found []check.Finding
		for i := range c.right + c.wrong {
			answers := at(i, "/beds/%d.html")
			if i < c.right {
				s.Addresses = append(s.Addresses, survey.Address{URL: answers, State: survey.Fetched})
				s.Add(
					int32(len(s.Pages)),
					&page.Facts{Address: answers, Status: 200, Outcome: page.Answered, Document: &page.Document{}},
					-1,
					-1,
					nil,
				)
			}
			found = append(
				found,
				dead(int32(2*i), target(at(i, "/old/beds/%d.html"), fmt.Sprint("p > a", i), page.Content)),
			)
		}
		told := false
		for _, line := range linesOf(build(s, found)) {
			told = told || strings.Contains(line, "take /old/ out of their addresses")
		}
		if told != c.stands {
			t.Errorf("%d answer and %d do not: the rule is told: %v", c.right, c.wrong, told)
		}
	}
}

// TestTails: lines that together change next to nothing are one, and what changes more stays.
func TestTails(t *testing.T) {
	few := &check.Check{
		ID:       "few",
		Group:    "links",
		Severity: check.Notice,
		Gather:   check.ByTarget,
		Scope:    check.Documents,
		Title:    "few",
		Line:     "{link} to {target}",
	}
	run := func(severity check.Severity, sizes ...int) []string {
		s := site(600)
		s.Finish()
		one := *few
		one.Severity = severity
		c := NewCollector([]*check.Check{&one})
		on := int32(0)
		for n, size := range sizes {
			for range size {
				c.Add(
					check.Finding{
						Check:  &one,
						Page:   on,
						Places: []check.Place{target(fmt.Sprintf("https://h%c.example/", 'a'+n), "footer > a", page.Footer)},
					},
				)
				on++
			}
		}
		return linesOf(c.Build(s))
	}
	if got := run(check.Notice, 6, 6, 6, 200); len(got) != 2 ||
		!slices.ContainsFunc(got, func(l string) bool { return strings.HasPrefix(l, "Few: 3 cases, on 18 pages") }) {
		t.Errorf("three small ones beside a large one: %q", got)
	}
	if got := run(check.Notice, 6, 200); len(got) != 2 {
		t.Errorf("one small one beside a large one: %q", got)
	}
	if got := run(check.Warning, 60, 60, 60, 200); len(got) != 4 {
		t.Errorf("lines that are worth it: %q", got)
	}
}

// TestWaivedByLayout: a waiver is asked about the name of a page's layout, the commonest too.
func TestWaivedByLayout(t *testing.T) {
	s := site(20)
	s.Finish()
	c := NewCollector([]*check.Check{thing})
	for i := range int32(20) {
		c.Add(check.Finding{Check: thing, Page: i, Places: []check.Place{place("main > form", page.Content)}})
	}
	sheet := c.Sheet(s)
	asked := map[string]int{}
	sheet.Build(Adjustment{Waived: func(_, address, layout, fix string) bool {
		asked[layout]++
		return fix == "" || address == ""
	}})
	if len(asked) != 2 || asked[sheet.Layouts[0]] != 10 || asked[sheet.Layouts[1]] != 10 || asked[""] > 0 {
		t.Errorf("asked about %v, of layouts %q", asked, sheet.Layouts)
	}
}

// TestFactor: a check that a plan counts twice costs twice.
func TestFactor(t *testing.T) {
	lost := func(factor float64) float64 {
		one := *thing
		one.Factor = factor
		s := site(20)
		s.Finish()
		c := NewCollector([]*check.Check{&one})
		c.Add(check.Finding{Check: &one, Page: 1, Places: []check.Place{{}}})
		return 100 - c.Build(s).Health
	}
	if once, twice, half := lost(0), lost(2), lost(0.5); twice < 1.9*once || twice > 2.1*once || half > 0.55*once ||
		half < 0.45*once {
		t.Errorf("lost %v, counted twice %v, by half %v", once, twice, half)
	}
}
