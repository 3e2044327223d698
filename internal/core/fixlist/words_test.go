package fixlist

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// TestRedirectRule says how an address differs from where it redirects to.
func TestRedirectRule(t *testing.T) {
	for _, c := range []struct{ from, to, key string }{
		{"/a/b", "http://fernhollow.example/a/b", "1 to http://fernhollow.example"},
		{"/a/b", "https://www.fernhollow.example/a/b", "1 to https://www.fernhollow.example"},
		{"/a/b", "https://fernhollow.example/a/b/", "1 slash"},
		{"/a/b/", "https://fernhollow.example/a/b", "1 no slash"},
		{"/a/index.html", "https://fernhollow.example/a/", "1 index"},
		{"/index.php", "https://fernhollow.example/", "1 index"},
		{"/old/b", "https://fernhollow.example/new/b", "1 /old/ to /new/"},
		{"/old/b/c", "https://fernhollow.example/new/b/c", "1 /old/ to /new/"}, {"/x/told/b", "https://fernhollow.example/y/hold/b", "1 /x/told/ to /y/hold/"},
		{"/x/old/b", "https://fernhollow.example/x/new/b", "1 /x/old/ to /x/new/"},
		{"/old/b", "https://fernhollow.example/b", "1 /old/ to /"},
		{"/b/c", "https://fernhollow.example/new/b/c", "1 / to /new/"},
		{"/old/b", "https://shop.example/new/b", "1 /old/ to https://shop.example/new/"},
		{"/old/b", "https://fernhollow.example/new/c", ""},
		{"/old/", "https://fernhollow.example/new/", ""},
		{"/a", "https://fernhollow.example/b", ""},
		{"/a/b", "nowhere", ""}, {"/a/b", "", ""},
		{"/a/b?c=1", "https://fernhollow.example/z/b?c=1", "1 /a/ to /z/"},
	} {
		key, words := redirectRule(origin, c.from, c.to)
		if key != c.key || (words == "") != (key == "") {
			t.Errorf("%s to %s: %q (%s), want %q", c.from, c.to, key, words, c.key)
		}
	}
}

// TestOtherForm says how an address that answers differs from one that does not.
func TestOtherForm(t *testing.T) {
	for _, c := range []struct{ dead, alive, key, says string }{
		{"/Beds", "/beds", "4 case", "small letters set otherwise, such as /beds"},
		{"/beds", "/beds/", "4 slash", "the slash at the end set otherwise, such as /beds/"},
		{"/beds/", "/beds", "4 slash", "such as /beds"},
		{"/beds.htm", "/beds.html", "5 ending .htm to .html", "they answer with .html for .htm, such as /beds.html"},
		{"/beds.htm", "/beds", "5 ending .htm to no ending", "they answer without .htm, such as /beds"},
		{"/beds", "/beds.html", "5 ending no ending to .html", "they answer with .html for no ending"},
		{"/a.b/beds?x=1.2", "/a.b/beds.php?x=1.2", "5 ending no ending to .php", ".php"},
		{"/.beds", "/.beds.html", "5 ending .beds to .html", ".html"},
	} {
		if key, words := otherForm(origin+c.dead, origin+c.alive); key != c.key || !strings.Contains(words, c.says) {
			t.Errorf("%s and %s: %q (%s), want %q (%s)", c.dead, c.alive, key, words, c.key, c.says)
		}
	}
	for address, want := range map[string]string{
		"/Beds.HTML": "fernhollow.example/beds", "/a.b/beds": "fernhollow.example/a.b/beds", "/beds/index.html": "fernhollow.example/beds",
		"/beds/default.asp": "fernhollow.example/beds", "/": "fernhollow", "/beds/": "fernhollow.example/beds", "/x/beds.tar.gz": "fernhollow.example/x/beds.tar",
	} {
		u, err := weburl.Parse("https://www.fernhollow.example" + address)
		if err != nil {
			t.Fatal(err)
		}
		if got := looseForm(&u); got != want {
			t.Errorf("%s is loosely %s, want %s", address, got, want)
		}
	}
}

// TestProposals: what an author may have meant is told of what the crawl knows to answer, and of nothing else.
func TestProposals(t *testing.T) {
	k := newKnown(storyOf().Survey)
	for target, want := range map[string]string{
		"/shop/a/0.html":                 "", // answers
		"/x/shop/a/0.html":               "2 without https://fernhollow.example/x/|7 dead https://fernhollow.example/x/shop/a/|7 dead https://fernhollow.example/x/shop/|7 dead https://fernhollow.example/x/",
		"/shop/x/a/0.html":               "2 without https://fernhollow.example/shop/x/|7 dead https://fernhollow.example/shop/x/a/|7 dead https://fernhollow.example/shop/x/",
		"/shop/a/0.html/x":               "7 dead https://fernhollow.example/shop/a/0.html/",
		"/a/0.html":                      "2 within /events/|7 dead https://fernhollow.example/a/",
		"/a/0.html?x":                    "7 dead https://fernhollow.example/a/",
		"/SHOP/a/0.html":                 "4 case|7 dead https://fernhollow.example/SHOP/a/|7 dead https://fernhollow.example/SHOP/",
		"/shop/a/0.htm":                  "5 ending .htm to .html",
		"/shop/a/0":                      "5 ending no ending to .html",
		"/shop/a/77.html":                "",
		"/shop/q/77.html":                "7 dead https://fernhollow.example/shop/q/",
		"/q/r/77.html":                   "7 dead https://fernhollow.example/q/r/|7 dead https://fernhollow.example/q/",
		"/x/https://other.example":       "3 whole address|7 dead https://fernhollow.example/x/https://|7 dead https://fernhollow.example/x/https:/|7 dead https://fernhollow.example/x/",
		"/x/https:":                      "7 dead https://fernhollow.example/x/",
		"/park/map-3/":                   "1 /park/ to /garden/",
		"/garden/map-3":                  "1 slash",
		"mailto:fern@fernhollow.example": "",
	} {
		claimed := map[string]bool{}
		at := target
		if strings.HasPrefix(at, "/") {
			at = origin + at
		}
		var got []string
		for _, r := range k.proposals(at, func(key string) { claimed[key] = true }) {
			got = append(got, r.key)
			if r.words == "" || (r.key[0] == '1' || strings.HasPrefix(r.key, "2 without")) && !claimed[r.key] {
				t.Errorf("%s: %+v, claimed %v", target, r, claimed)
			}
		}
		if strings.Join(got, "|") != want {
			t.Errorf("%s: %q, want %q", target, got, want)
		}
	}
}

// TestFolders names folders up to three.
func TestFolders(t *testing.T) {
	for n, want := range map[int]string{2: "/a/ and /b/", 3: "/a/, /b/ and /c/", 4: "/a/, /b/ and 2 more folders", 5: "/a/, /b/ and 3 more folders"} {
		if got := someFolders(strings.Fields("/a/ /b/ /c/ /d/ /e/")[:n]); got != want {
			t.Errorf("%d folders: %s", n, got)
		}
	}
}

// TestReasons: of several lines in one, the rule that most of them have is told, or the folders that are not there.
func TestReasons(t *testing.T) {
	b := &builder{}
	line := func(kind Kind, where string, n int) gathered {
		return gathered{fix: Fix{ID: where, Kind: kind, Where: where, Targets: []string{"x"}}, entries: make([]int32, n)}
	}
	dead := func(folder string, n int) gathered { return line(Rule, nothingUnder+folder, n) }
	for _, c := range []struct {
		found []gathered
		want  string
	}{
		{[]gathered{line(Pages, "x", 3), line(Target, "y", 2)}, ""},
		{[]gathered{line(Pages, "x", 3), line(Rule, "with a slash", 2)}, "with a slash"},
		{[]gathered{line(Rule, "with a slash", 2), line(Rule, "in capitals", 3)}, "in capitals; and 1 more such rule"},
		{[]gathered{line(Rule, "a", 2), line(Rule, "b", 2), line(Rule, "c", 2)}, "a; and 2 more such rules"},
		{[]gathered{dead("/a/", 3), dead("/b/", 2)}, "nothing answers under /a/ and /b/"},
		{[]gathered{dead("/a/", 3), line(Rule, "with a slash", 2)}, "nothing answers under /a/; and 1 more such rule"},
		{[]gathered{dead("/a/", 5), dead("/b/", 4), dead("/c/", 3), dead("/d/", 2)}, "nothing answers under /a/, /b/ and 2 more folders"},
		{[]gathered{{fix: Fix{Kind: Rule, Where: "counted"}, entries: make([]int32, 9)}, line(Rule, "named", 2)}, "named"},
	} {
		var lines []int
		for i := range c.found {
			lines = append(lines, i)
		}
		if got := b.reasons(c.found, lines); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

// TestSectionsOf parts a site into folders, and the folder that holds most of it into those below.
func TestSectionsOf(t *testing.T) {
	addresses := func(parts ...any) (out []string) {
		for i := 0; i < len(parts); i += 2 {
			for n := range parts[i+1].(int) {
				out = append(out, fmt.Sprintf("%s%s%d.html?a=/b/", origin, parts[i], n))
			}
		}
		return out
	}
	for _, c := range []struct {
		name  string
		all   []string
		wants map[string]string
	}{
		{"first folders", addresses("/a/", 10, "/b/", 10), map[string]string{"/a/x": "/a/", "/b/c/x": "/b/", "/x": "/", "/": "/", "/q/x": "/q/"}},
		{"one that holds most", addresses("/a/b/", 10, "/a/c/", 10, "/d/", 9), map[string]string{"/a/b/x": "/a/b/", "/a/c/e/x": "/a/c/", "/a/x": "/a/", "/a/q/x": "/a/", "/d/x": "/d/"}},
		{"half of it", addresses("/a/b/", 10, "/d/", 10), map[string]string{"/a/b/x": "/a/"}},
		{"most, but in small folders", addresses("/a/b/", 4, "/a/c/", 4, "/a/d/", 4, "/e/", 3), map[string]string{"/a/b/x": "/a/"}},
		{"folders of five", addresses("/a/b/", 5, "/a/c/", 5, "/e/", 3), map[string]string{"/a/b/x": "/a/b/", "/a/c/x": "/a/c/"}},
		{"less than half of it below", addresses("/a/b/", 5, "/a/", 6, "/e/", 3), map[string]string{"/a/b/x": "/a/"}},
		{"half of it below", addresses("/a/b/", 5, "/a/", 5, "/e/", 3), map[string]string{"/a/b/x": "/a/b/"}},
		{"far down", addresses("/a/b/c/d/e/f/g/", 20), map[string]string{"/a/b/c/d/e/f/g/x": "/a/b/c/d/e/f/"}},
	} {
		s := newSections(c.all)
		for path, want := range c.wants {
			if got := s.of(origin + path); got != want {
				t.Errorf("%s: %s is in %s, want %s", c.name, path, got, want)
			}
		}
	}
	if got := weburl.FolderOf("no address"); got != "/" {
		t.Errorf("what is no address is in %s", got)
	}
	if got := weburl.FolderOf("https://fernhollow.example"); got != "/" {
		t.Errorf("an address without a path is in %s", got)
	}
}

// TestHosts: the host that most addresses have is the site's; of two, the first by name.
func TestHosts(t *testing.T) {
	for want, addresses := range map[string][]string{
		"":          {"no address"},
		"a.example": {"https://a.example/", "https://www.a.example/x", "https://b.example/", "no address"},
		"b.example": {"https://c.example/", "https://b.example/", "https://b.example/x"},
		"c.example": {"https://d.example/", "https://c.example/"}, "e.example": {"https://e.example/", "https://f.example/"},
	} {
		if got := mostOf(addresses); got != want {
			t.Errorf("%v: %q, want %q", addresses, got, want)
		}
	}
	for _, c := range []struct{ address, home, want string }{
		{"https://a.example/x?y#z", "a.example", "/x?y#z"}, {"https://www.a.example/x", "a.example", "/x"}, {"https://b.example/x#z", "a.example", "b.example/x#z"},
		{"https://b.example/x", "", "/x"}, {"#z", "a.example", "#z"}, {"mailto:fern", "a.example", "mailto:fern"},
		{"https://a.example/" + strings.Repeat("x", 71), "a.example", "/" + strings.Repeat("x", 71)},
		{"https://a.example/" + strings.Repeat("x", 72), "a.example", "/" + strings.Repeat("x", 43) + "…" + strings.Repeat("x", 24)},
	} {
		if got := within(c.address, c.home); got != c.want {
			t.Errorf("%s within %q is %s, want %s", c.address, c.home, got, c.want)
		}
	}
}

// TestImportance: a page weighs as many as have no more authority than it, and the figure of the consultant counts
// as much; the home page has all.
func TestImportance(t *testing.T) {
	pages := []*Page{
		{Address: "a", Authority: 0.1},
		{Address: "b", Authority: 0.2},
		{Address: "c", Authority: 0.2 + 1e-12},
		{Address: "d", Authority: 0.4},
		{Address: "e", Authority: 0.05, Home: true},
	}
	if got := importance(pages, nil); !slices.Equal(got, []float64{0.4, 0.8, 0.8, 1, 1}) {
		t.Errorf("by authority %v", got)
	}
	if got := importance(pages, map[string]float64{"a": 9, "b": 3}); !slices.Equal(
		got,
		[]float64{0.7, 0.8, 0.7, 0.8, 1},
	) {
		t.Errorf("with a figure %v", got)
	}
}

// TestEffort weighs a line by what it takes: each separate page, each but one of those that share, one change else.
func TestEffort(t *testing.T) {
	b := &builder{Sheet: &Sheet{}}
	for _, c := range []struct {
		kind         Kind
		effort       check.Effort
		pages, cases int
		once         bool
		want         string
	}{
		{Pages, check.Minutes, 6, 0, false, "small"}, {Pages, check.Minutes, 7, 0, false, "medium"},
		{Pages, check.Minutes, 48, 0, false, "medium"},
		{Pages, check.Minutes, 49, 0, false, "large"}, {Pages, check.Minutes, 100, 3, false, "small"},
		{Pages, check.Minutes, 3, 100, false, "small"},
		{Value, check.Minutes, 7, 1, false, "small"}, {Value, check.Minutes, 8, 1, false, "medium"},
		{Value, check.Minutes, 100, 1, true, "small"},
		{Value, check.Minutes, 1, 1, false, "small"}, {Value, check.Hours, 1, 1, false, "medium"},
		{Layout, check.Minutes, 500, 1, false, "small"}, {Layout, check.Hours, 500, 1, false, "medium"},
		{Layout, check.Days, 1, 1, false, "large"},
	} {
		f := Fix{Kind: c.kind, Pages: c.pages, Cases: c.cases}
		if b.finish(&f, &check.Check{Effort: c.effort, OneChange: c.once, Title: "x"}); f.Effort != c.want {
			t.Errorf("%+v: %s", c, f.Effort)
		}
	}
}

// TestLandmarks: a target's place is named where most of it stands.
func TestLandmarks(t *testing.T) {
	for spot, want := range map[string]string{"": "", "nav > ul": "navigation", "header > a": "header", "footer": "footer", "aside > p": "aside", "main > p": "content", "div": "content"} {
		if got := landmark(spot); got != want {
			t.Errorf("%q is %q", spot, got)
		}
	}
	var in []check.Finding
	for i := range int32(20) { // in the navigation of one layout and of some pages of the other, and in its footer
		at, region := "footer > a", page.Footer
		if i < 12 {
			at, region = "nav > a", page.Navigation
		}
		in = append(in, check.Finding{Check: broken, Page: i, Places: []check.Place{target(origin+"/gone", at, region)}})
	}
	even := slices.Clone(in)
	for i := range 10 {
		even[i].Places = []check.Place{target(origin+"/gone", "nav > a", page.Navigation)}
		even[i+10].Places = []check.Place{target(origin+"/gone", "footer > a", page.Footer)}
	}
	if r := build(site(20), even); len(r.Fixes) != 1 || r.Fixes[0].Where != "in the layout of 10 pages, footer" {
		t.Errorf("where, of two the same: %+v", r.Fixes[0].Where)
	}
	if r := build(site(20), in); len(r.Fixes) != 1 || r.Fixes[0].Where != "in the layout of 10 pages, navigation" {
		t.Errorf("where: %+v", r.Fixes[0].Where)
	}
}

// TestDifference says in what one way the addresses of one page differ.
func TestDifference(t *testing.T) {
	for _, c := range []struct{ addresses, key string }{
		{"/a", ""}, {"/a /a?x=1", "?x"}, {"/a?x=1 /a?x=2", "?x"}, {"/a?x=1&y=1 /a?x=2&y=1", "?x"}, {"/a?x=1&y=1 /a?x=2&y=2", "?x&y"}, {"/a?x=1 /a?x=2 /a?x=2", "?x"},
		{"/a /a/", "forms"}, {"/a /A", "forms"}, {"/a/ /a/index.html", "forms"}, {"/a /a/index.html /A/", "forms"},
		{"https://a.example/x https://b.example/x", "hosts"}, {"https://a.example/x https://www.a.example/x", "forms"}, {"https://a.example/x https://b.example/y", ""},
		{"/de/a /en/a", "/"}, {"/x/de/a /x/en/a", "/x/"}, {"/x/de/a /x/en/b", ""}, {"/de/a /en/a /fr/a", "/"}, {"/de/a /en/a /en/b", ""}, {"/a /b", ""}, {"/de/x/a /en/y/a", ""},
		{"/de/a?x /en/a?x", "/"}, {"/de/a?x /en/a?y", ""},
		{"/page/2/ /author/fern/page/2/", "with /author/fern/"}, {"/author/fern/page/2/ /page/2/", "with /author/fern/"}, {"/a/b /a/x/b", "with /x/"}, {"/a /xa", ""},
		{"/a /a/b /c", ""}, {"/a/b /a/x/y/b", "with /x/y/"}, {"/ab /a/b", ""}, {"/a mailto:x", ""},
	} {
		var list []string
		for a := range strings.FieldsSeq(c.addresses) {
			if strings.HasPrefix(a, "/") {
				a = origin + a
			}
			list = append(list, a)
		}
		if key, words := difference(list); key != c.key || (key == "") != (words == "") {
			t.Errorf("%s: %q (%s), want %q", c.addresses, key, words, c.key)
		}
	}
	for target, want := range map[string]string{
		"/l1/map.html": "6 https://fernhollow.example/*/map.html", "/l1/a/map?x": "6 https://fernhollow.example/*/a/map?x", "/map.html": "", "/l1/": "", "/": "", "mailto:x": "",
	} {
		if strings.HasPrefix(target, "/") {
			target = origin + target
		}
		if key, _ := anyFolder(target); key != want {
			t.Errorf("%s: %q, want %q", target, key, want)
		}
	}
}

// TestRelation says what a target has to do with the page that links to it.
func TestRelation(t *testing.T) {
	parts := addressParts{}
	for _, c := range []struct{ from, target, words string }{
		{"/a/bed.html", "/a/bed.json", "the page's own name + .json"}, {"/a/bed.html", "/a/bed/more", "the page's own name + /more"},
		{"/a/", "/a/index.de.html", "the page's own name + .de.html"}, {"/a/bed.html", "/a/bed.html#x", ""}, {"/a/bed.html", "/a/bed.bed", "bed.bed in the page's own folder"},
		{"/a/bed.html", "/a/map", "map in the page's own folder"}, {"/bed.html", "/map", ""}, {"/a/bed.html", "/b/map", ""}, {"/a/bed.html", "/a/", ""},
		{"/a/bed.html", "https://other.example/a/bed.json", ""},
	} {
		to := c.target
		if strings.HasPrefix(to, "/") {
			to = origin + to
		}
		if _, words := relation(parts.parsed(origin+c.from), parts.parsed(to)); words != c.words {
			t.Errorf("%s to %s: %q, want %q", c.from, c.target, words, c.words)
		}
	}
}
