package survey_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// garden crawls a small site: a home page that /start leads to, six pages of one template with a text of their own, and
// what they load.
func garden(t *testing.T) (s *survey.Survey, at func(path string) int32) {
	t.Helper()
	text := map[string]string{
		"/":       `<h1>Garden</h1><p>Welcome to all.</p>`,
		"/alone":  `<meta name=robots content=noindex><h1>Alone</h1>`,
		"/twin":   `<h1>Twin</h1>`,
		"/code":   `<h1>Code</h1><pre>let fern = "green";</pre><p>Some words about it, and more of them.</p>`,
		"/onward": `<meta http-equiv=refresh content="3; url=/later"><h1>Onward</h1>`,
		"/later":  `<h1>Later</h1><h2>And below</h2><link rel=alternate hreflang=de href=/de><script type=application/ld+json>{"@type":"X"}</script><meta property=og:title content=x>`,
		"/index":  `<p><a href="/">Garden home page</a> <a href="/code">Code page</a></p>`,
	}
	head := map[string]string{"/twin": `<meta name=robots content=noindex><link rel=canonical href=/>`}
	style := map[string]string{
		"/look.css": `@import "base.css"; .x { background: url(look.png) }`, "/base.css": `@import "look.css"; .y { background: url(base.png) }`,
		"/print.css": `.z { background: url(print.png) }`,
	}
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, isPage := text[r.URL.Path]
		_, isStyle := style[r.URL.Path]
		bed := strings.HasPrefix(r.URL.Path, "/beds/")
		switch {
		case r.URL.Path == "/robots.txt" || strings.HasSuffix(r.URL.Path, ".png"):
			w.Header().Set("Cache-Control", "max-age=60")
			if r.URL.Path == "/base.png" {
				w.Header().Set("Cache-Control", "max-age=86400")
			}
			http.NotFound(w, r)
		case r.URL.Path == "/start":
			http.Redirect(w, r, "/", http.StatusMovedPermanently)
		case r.URL.Path == "/broken":
			w.WriteHeader(http.StatusInternalServerError)
		case isStyle:
			w.Header().Set("Content-Type", "text/css")
			w.Header().Set("Cache-Control", "max-age=86399")
			fmt.Fprint(w, style[r.URL.Path])
		case isPage || bed:
			if bed {
				n := strings.TrimPrefix(r.URL.Path, "/beds/")
				body = "<main class=bed><h1>Bed " + n + "</h1><p>The garden is open all year but for the first week of January each time.</p><p>" +
					strings.Repeat(
						"Bed "+n+" has ferns of sort "+n+" only. ",
						5,
					) + "</p></main>"
			}
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(
				w,
				`<html lang=en><title>`+r.URL.Path+`</title><link rel=stylesheet href=/look.css><link rel=stylesheet media=print href=/print.css>`+head[r.URL.Path]+`<body>`+body+
					`<nav><a href="/">Home</a> <a href="/code#x">Code</a> <a rel=nofollow href="/alone">Alone</a></nav>`,
			)
			if r.URL.Path == "/" {
				fmt.Fprint(
					w,
					`<p><a href="/twin">t</a> <a href="/onward">o</a> <a href="/index">i</a> <a href="/broken">b</a> <a href="/gone">g</a> <img src="/own.png"></p><form action="/find"></form><form action="/send" method=post></form>`,
				)
				for i := range 6 {
					fmt.Fprintf(w, `<a href="/beds/%d">%d</a> `, i, i)
				}
			}
		default:
			http.NotFound(w, r)
		}
	}))
	result, _ := testkit.Crawl(t, "http://"+host+"/start", plan.Plan{Probes: plan.No(), Retries: -1})
	s = result.Survey
	return s, func(path string) int32 {
		id, ok := s.Find("http://" + host + path)
		if !ok {
			t.Fatalf("%s is not known", path)
		}
		return id
	}
}

// TestSurvey: what a crawl knows of pages in short, of who links to whom, and of what is a page of the site.
func TestSurvey(t *testing.T) {
	s, at := garden(t)
	if s.Home() != at("/") || s.Facts != page.Version {
		t.Errorf("home is %s, facts of version %d", s.URL(s.Home()), s.Facts)
	}
	for path, want := range map[string]string{
		"/": "0 1", "/code": "1 1", "/later": "1 0", "/beds/3": "1 1", "/alone": "1 1",
	} {
		in := min(s.In[at(path)], 1)
		if path == "/later" {
			in = 0
		}
		if got := fmt.Sprint(s.Depth[at(path)], in); got != want {
			t.Errorf("%s: clicks and whether anything links to it are %s, want %s", path, got, want)
		}
	}
	for path, want := range map[string]survey.Flag{
		"/later": survey.HasSubheadings | survey.HasAlternates | survey.HasData |
			survey.HasCards | survey.HasJumps,
		"/onward": survey.HasRefresh | survey.HasJumps,
		"/code":   survey.HasCode | survey.HasJumps, "/twin": survey.HasCanonicals | survey.HasJumps, "/alone": survey.HasJumps,
	} {
		const judged = survey.HasSubheadings | survey.HasAlternates | survey.HasData | survey.HasCards |
			survey.HasRefresh | survey.HasCode |
			survey.HasCanonicals | survey.HasJumps
		if got := s.Page(at(path)).Flags & judged; got != want {
			t.Errorf("%s has flags %b, want %b", path, got, want)
		}
	}
	if s.Page(at("/index")).Flags&survey.MostlyLinks == 0 || s.Page(at("/beds/1")).Flags&survey.MostlyLinks != 0 {
		t.Error("pages that are mostly links are told wrongly")
	}
	for path, want := range map[string]string{ // closed, assessed, failed
		"/": "false true false", "/alone": "true true false", "/twin": "false true false", "/broken": "false true true", "/gone": "false false true",
	} {
		p := s.Page(at(path))
		if got := fmt.Sprint(s.Closed(p), s.Assessed(p), p.Failed()); got != want {
			t.Errorf("%s: %s, want %s", path, got, want)
		}
	}
	if p := s.Page(at("/later")); p.H1.Text != "Later" || p.Title.Text != "/later" {
		t.Errorf("%q, %q", p.H1.Text, p.Title.Text)
	}
	if asks := s.Page(at("/")).Asks; len(asks) != 1 || !strings.HasSuffix(s.Asked[asks[0]], "/find") {
		t.Errorf("forms ask %v of %q", asks, s.Asked)
	}
	if n := s.Documents(); n != 13 || s.IsReference() {
		t.Errorf("%d documents, a reference: %v", n, s.IsReference())
	}
	if s.Page(at("/look.css")) != nil || s.Got(at("/look.css")) == nil || s.Got(at("/")) == nil ||
		s.Page(at("/")) == nil {
		t.Error("pages and files are told wrongly")
	}
	for path, short := range map[string]bool{"/look.css": true, "/base.png": false, "/own.png": true} {
		if got := s.Got(at(path)).Flags&survey.ShortLived != 0; got != short {
			t.Errorf("%s is kept for less than a day: %v", path, got)
		}
	}
	if !s.IsPicture(at("/own.png")) || s.IsPicture(at("/look.css")) || s.IsPicture(at("/")) {
		t.Error("pictures are told wrongly")
	}
	if !s.Inside(s.URL(at("/"))) || s.Inside("https://other.example/") || s.Inside("") {
		t.Error("what is inside is told wrongly")
	}
	for address, want := range map[string]string{"https://a.example:8/x": "a.example:8", "https://a.example?x": "a.example", "https://a.example": "a.example", "https:///x": "", "x": ""} {
		if got := survey.Host(address); got != want {
			t.Errorf("the host of %q is %q, want %q", address, got, want)
		}
	}
}

// TestOwnText: what most pages of a template say is no page's own.
func TestOwnText(t *testing.T) {
	s, at := garden(t)
	bed := s.Page(at("/beds/2"))
	if !bed.Trimmed || s.Page(at("/code")).Trimmed {
		t.Errorf("trimmed: a bed %v, the code %v", bed.Trimmed, s.Page(at("/code")).Trimmed)
	}
	read := map[int32]string{}
	if err := s.Texts([]int32{bed.ID, at("/code")}, func(id int32, main string) { read[id] = main }); err != nil {
		t.Fatal(err)
	}
	if got := read[bed.ID]; strings.Contains(got, "open all year") || !strings.Contains(got, "ferns of sort 2") {
		t.Errorf("the bed's own text is %q", got)
	}
	if got := read[at("/code")]; !strings.Contains(got, "Some words about it") {
		t.Errorf("the text of a page by itself is %q", got)
	}
	if bed.Words < 30 || bed.Words > 60 {
		t.Errorf("%d words of its own", bed.Words)
	}
}

// TestWays tells by which links, and by which stylesheets, pages come to something.
func TestWays(t *testing.T) {
	s, at := garden(t)
	asked := 0
	var ways []string
	err := s.Ways(func(id int32) bool { asked++; return id == at("/code") }, func(id int32, w survey.Way) {
		if id != at("/code") {
			t.Errorf("a way to %s", s.URL(id))
		}
		ways = append(ways, w.Link.Words)
	})
	if err != nil || len(ways) != s.Documents()+1 || slices.Index(ways, "Code page") < 0 {
		t.Errorf("%d ways of %d pages: %q (%v)", len(ways), s.Documents(), ways, err)
	}
	if asked > len(s.Addresses) {
		t.Errorf("asked %d times about %d addresses", asked, len(s.Addresses))
	}
	base, look := at("/base.png"), at("/look.css")
	users, sometimes := 0, 0
	s.Users(
		func(id int32) bool { return id == base || id == at("/own.png") || id == at("/print.png") },
		func(l survey.Loading) {
			switch l.Target {
			case base:
				users++
				if l.Carrier != at("/base.css") || len(l.Chain) != 1 || l.Chain[0] != look || l.Sometimes {
					t.Errorf("loaded by %+v", l)
				}
			case at("/own.png"):
				if l.Page != at("/") || l.Carrier != -1 || len(l.Chain) > 0 {
					t.Errorf("the page's own: %+v", l)
				}
			default:
				if sometimes++; !l.Sometimes || l.Carrier != at("/print.css") {
					t.Errorf("of print: %+v", l)
				}
			}
		},
	)
	if users != s.Documents() || sometimes != s.Documents() {
		t.Errorf("%d and %d pages load it, of %d", users, sometimes, s.Documents())
	}
}

// TestShare gathers pages that share something, and tells pages of one list.
func TestShare(t *testing.T) {
	s, _ := garden(t)
	texts := map[string]string{"/beds/1": "Ferns", "/beds/2": " ferns ", "/beds/3": "Moss", "/code": "FERNS"}
	numbers := map[string]uint64{"/beds/1": 7, "/beds/2": 7, "/beds/3": 8}
	path := func(p *survey.Page) string {
		url := s.URL(p.ID)
		return url[strings.IndexByte(url[8:], '/')+8:]
	}
	names := func(groups [][]*survey.Page) string {
		var out []string
		for _, g := range groups {
			for _, p := range g {
				out = append(out, path(p))
			}
			out = append(out, "|")
		}
		return strings.Join(out, " ")
	}
	if got := names(s.Share(func(p *survey.Page) string { return texts[path(p)] })); got != "/beds/1 /beds/2 /code |" {
		t.Errorf("texts: %s", got)
	}
	if got := names(s.ShareHash(func(p *survey.Page) uint64 { return numbers[path(p)] })); got != "/beds/1 /beds/2 |" {
		t.Errorf("numbers: %s", got)
	}
	for paths, want := range map[string]bool{
		"/x?page=1 /x?page=2": true, "/x /x?page=2": true, "/x/page/2/ /x/page/3/": true, "/x /y?page=2": false, "/x?page=1": false, "/x?q=1 /x?q=2": false,
		"/x?a=1&page=1 /x?a=1&page=2": true, "/x /x/": false,
		"/x/?page=2 /x?page=2": false, "/x/ /x?page=2 /x/?page=3": true, "/x /x/page/2 /x/page/2/": false,
	} {
		var group []*survey.Page
		for p := range strings.FieldsSeq(paths) {
			group = append(group, &survey.Page{ID: int32(len(s.Addresses))})
			s.Addresses = append(s.Addresses, survey.Address{URL: "https://fernhollow.example" + p})
		}
		if got := s.OneList(group); got != want {
			t.Errorf("%s are of one list: %v", paths, got)
		}
	}
}

// TestKept tells states and what they are of.
func TestKept(t *testing.T) {
	for state, left := range map[survey.State]bool{
		survey.Waiting: true, survey.TooDeep: true, survey.Unlinked: true, survey.OverLimit: true,
		survey.Fetched: false, survey.Blocked: false, survey.Outside: false,
	} {
		if a := (&survey.Address{State: state}); a.Left() != left {
			t.Errorf("%s is left: %v", state, a.Left())
		}
		if a := (&survey.Address{State: state, Role: page.AsImage}); a.Left() {
			t.Errorf("an image in the state %s is left", state)
		}
		if survey.StateOf(state.String()) != state {
			t.Errorf("%s is another state", state)
		}
	}
	s := &survey.Survey{}
	s.Addresses = []survey.Address{
		{URL: "https://a.example/x.PDF?y"},
		{URL: "https://a.example/x"},
		{URL: "https://a.example/x.html"},
		{URL: "https://a.example/.png"},
	}
	for id, want := range []bool{false, true, true, false} {
		if got := s.Assessed(&survey.Page{ID: int32(id), Status: 503}); got != want {
			t.Errorf("%s, which answers with an error, counts: %v", s.URL(int32(id)), got)
		}
	}
	for outcome, want := range map[page.Outcome]bool{page.TimedOut: true, page.RobotsBlocks: false,
		page.Forbidden: false, page.NotRead: false} {
		if got := s.Assessed(&survey.Page{ID: 1, Outcome: outcome}); got != want {
			t.Errorf("%s counts: %v", outcome, got)
		}
	}
	for status, want := range map[int]bool{200: false, 399: false, 400: true, 500: true} {
		if p := (&survey.Page{Status: status, Outcome: page.Answered}); p.Failed() != want {
			t.Errorf("status %d failed: %v", status, p.Failed())
		}
	}
	reference := func(code, all int) bool {
		s := &survey.Survey{}
		for i := range all {
			p := survey.Page{HTML: true}
			if i < code {
				p.Flags = survey.HasCode
			}
			s.Pages = append(s.Pages, p)
		}
		return s.IsReference()
	}
	if !reference(3, 10) || reference(2, 10) || reference(0, 0) || !reference(1, 1) {
		t.Error("references are told wrongly")
	}
}
