package booking_test

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/testkit"
)

const home = "https://fernhollow.example/"

// reading reads sitemaps from a map by their addresses; what is not in it is a 404.
func reading(
	t *testing.T,
	files map[string]string,
	most int,
	named bool,
	from ...string,
) (l *booking.Listing, asked []string) {
	t.Helper()
	start, err := weburl.Parse(home)
	if err != nil {
		t.Fatal(err)
	}
	l = booking.NewListing(start, scope.New(start, plan.Scope{}), most)
	err = l.Read(from, named, func(u weburl.URL) (booking.File, bool, error) {
		asked = append(asked, strings.TrimPrefix(u.Key(), home))
		body, ok := files[strings.TrimPrefix(u.Key(), home)]
		if !ok {
			return booking.File{Address: u.Key(), Status: 404}, true, nil
		}
		return booking.File{Address: u.Key(), Status: 200, Body: []byte(body)}, true, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return l, asked
}

func index(addresses ...string) string {
	return `<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><sitemap><loc>` +
		strings.Join(addresses, "</loc></sitemap><sitemap><loc>") + "</loc></sitemap></sitemapindex>"
}

func faults(f survey.SitemapFile) string {
	var out []string
	for _, one := range f.Faults {
		out = append(out, one.Text)
	}
	return strings.Join(out, "; ")
}

// TestListing reads indexes two deep, each sitemap once, each address once, packed or not.
func TestListing(t *testing.T) {
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	fmt.Fprintf(z, "%sf\n%sg\n", home, home)
	z.Close()
	l, asked := reading(t, map[string]string{
		"i.xml": index(home+"a.xml", "/b.xml", home+"a.xml", "mailto:x@fernhollow.example", home+"j.xml"),
		"a.xml": home + "a\n" + home + "b\n" + home + "a\n",
		"b.xml": packed.String(),
		"j.xml": index("/k.xml"),
		"k.xml": index("/deeper.xml"),
	}, 100, true, "/i.xml", "/i.xml")
	if got := strings.Join(asked, " "); got != "i.xml a.xml b.xml j.xml k.xml" {
		t.Errorf("asked for %s", got)
	}
	var listed []string
	for _, a := range l.Addresses {
		listed = append(listed, strings.TrimPrefix(a, home))
		if !l.Has[a] {
			t.Errorf("%s is not known to be listed", a)
		}
	}
	if got := strings.Join(listed, " "); got != "a b f g" || len(l.Has) != 4 {
		t.Errorf("lists %s", got)
	}
	var told []string
	for _, s := range l.Sitemaps {
		told = append(
			told,
			fmt.Sprintf(
				"%s %d %s %d %d %v",
				strings.TrimPrefix(s.Address, home),
				s.Status,
				s.Form,
				s.Pages,
				s.Sitemaps,
				s.Named,
			),
		)
	}
	want := "i.xml 200 index 0 5 true|a.xml 200 text 3 0 true|b.xml 200 text 2 0 true|j.xml 200 index 0 1 true|k.xml 200 index 0 1 true"
	if got := strings.Join(told, "|"); got != want {
		t.Errorf("told of\n%s\nwant\n%s", got, want)
	}
}

// TestUnnamed: a sitemap that nobody named is told as such, and those that it names are not.
func TestUnnamed(t *testing.T) {
	l, _ := reading(
		t,
		map[string]string{"sitemap.xml": index("/a.xml"), "a.xml": home + "a"},
		100,
		false,
		"/sitemap.xml",
	)
	if len(l.Sitemaps) != 2 || l.Sitemaps[0].Named || !l.Sitemaps[1].Named {
		t.Errorf("%+v", l.Sitemaps)
	}
	if l, _ = reading(t, nil, 100, false, "/sitemap.xml"); len(l.Sitemaps) != 1 || l.Sitemaps[0].Status != 404 ||
		len(l.Addresses) > 0 {
		t.Errorf("what is not there: %+v", l.Sitemaps)
	}
}

// TestListingBounds: what sitemaps can make a crawl read and keep is bounded, and told.
func TestListingBounds(t *testing.T) {
	var many strings.Builder
	for i := range 30 {
		fmt.Fprintf(&many, "%sp%d\n", home, i)
	}
	l, asked := reading(
		t,
		map[string]string{"a.xml": many.String(), "b.xml": many.String()},
		12,
		true,
		"/a.xml",
		"/b.xml",
	)
	if len(l.Addresses) != 12 || len(l.Has) != 12 || len(asked) != 1 {
		t.Errorf("%d addresses of 12, %v read", len(l.Addresses), asked)
	}
	for n, want := range map[int]string{
		5: strings.Repeat("lists an address of another host: https://other.example/; ", 5),
		7: strings.Repeat("lists an address of another host: https://other.example/; ", 5) + "and 2 more of other hosts; ",
	} {
		l, _ = reading(
			t,
			map[string]string{"a.xml": home + "\n" + strings.Repeat("https://other.example/\n", n)},
			100,
			true,
			"/a.xml",
		)
		if got := faults(l.Sitemaps[0]) + "; "; got != want {
			t.Errorf("%d of another host: %s", n, got)
		}
	}
	// hosts of other people are asked for a few
	var abroad []string
	for i := range 15 {
		abroad = append(abroad, fmt.Sprintf("https://h%d.example/s.xml", i))
	}
	if _, asked = reading(t, map[string]string{"s.xml": home + "x"}, 100, true, append(abroad, "/s.xml")...); len(
		asked,
	) != 11 ||
		asked[10] != "s.xml" {
		t.Errorf("asked for %v", asked)
	}
	// an index of more than are read
	var list []string
	for i := range 1200 {
		list = append(list, fmt.Sprintf("/s%d.xml", i))
	}
	if _, asked = reading(t, map[string]string{"i.xml": index(list...)}, 100, true, "/i.xml"); len(asked) != 1000 {
		t.Errorf("%d sitemaps are read", len(asked))
	}
	if _, asked = reading(t, map[string]string{"i.xml": index(list[:600]...), "j.xml": index(list[600:]...)}, 100, true, "/i.xml", "/j.xml"); len(
		asked,
	) != 1000 {
		t.Errorf("%d sitemaps of two indexes are read", len(asked))
	}
	large := strings.Repeat("\n", booking.MaxSitemapBytes)
	if l, asked = reading(t, map[string]string{"a.xml": large[1:], "b.xml": large, "c.xml": large, "d.xml": home + "d"}, 100, true,
		"/a.xml", "/b.xml", "/c.xml", "/d.xml"); len(
		asked,
	) != 3 ||
		strings.Contains(faults(l.Sitemaps[0]), "over 50 MiB") ||
		!strings.Contains(faults(l.Sitemaps[1]), "the file is over 50 MiB") {
		t.Errorf("large files: asked for %v, %s", asked, faults(l.Sitemaps[1]))
	}
}

// TestVersions keeps which languages sitemaps list for the site's own addresses, and so many of them.
func TestVersions(t *testing.T) {
	entry := func(at string, n int) string {
		return "<url><loc>" + at + "</loc>" + strings.Repeat(`<x:link rel="alternate" hreflang="de" href="/de/"/>`, n) +
			`<x:link rel="alternate" hreflang="fr" href="mailto:a@b"/></url>`
	}
	const begin = `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:x="http://www.w3.org/1999/xhtml">`
	l, _ := reading(
		t,
		map[string]string{
			"a.xml": begin + entry(home+"a", 2) + entry("https://other.example/", 3) + entry(home+"b", 50) + "</urlset>",
		},
		10,
		true,
		"/a.xml",
	)
	if got := l.Versions[home+"a"]; len(got) != 2 || got[0] != (survey.Version{Lang: "de", Address: home + "de/"}) {
		t.Errorf("versions %+v", got)
	}
	if len(l.Versions["https://other.example/"]) > 0 {
		t.Error("versions of another site are kept")
	}
	if got := len(l.Versions[home+"b"]); got != 18 {
		t.Errorf("%d versions more than 2 are kept of 20", got)
	}
}

// TestFailing: an error ends the reading and is passed on; where there is no more, what was read stays.
func TestFailing(t *testing.T) {
	start, _ := weburl.Parse(home)
	gone := errors.New("gone")
	for name, one := range map[string]struct {
		ok  bool
		err error
	}{"an error": {true, gone}, "no more": {false, nil}} {
		l := booking.NewListing(start, scope.New(start, plan.Scope{}), 10)
		n := 0
		err := l.Read([]string{"/a.xml", "/b.xml", "/c.xml"}, true, func(u weburl.URL) (booking.File, bool, error) {
			if n++; n == 2 {
				return booking.File{}, one.ok, one.err
			}
			return booking.File{Address: u.Key(), Status: 200, Body: []byte(home + "a")}, true, nil
		})
		if !errors.Is(err, one.err) || n != 2 || len(l.Addresses) != 1 {
			t.Errorf("%s: %v after %d, %d addresses", name, err, n, len(l.Addresses))
		}
	}
}

// TestRules: what an answer for robots.txt means (RFC 9309, 2.3.1).
func TestRules(t *testing.T) {
	for status, shut := range map[int]bool{200: false, 204: false, 299: false, 199: false, 301: false,
		404: false, 499: false, 500: true, 503: true, 0: true} {
		f := booking.File{Address: home + "robots.txt", Status: status, Detail: "no answer"}
		rules := f.Rules()
		if rules.Decide("harvik", "/x").Allowed == shut {
			t.Errorf("status %d shuts everything out: %v", status, !shut)
		}
	}
	body := []byte("User-agent: *\nDisallow: /shut\n")
	for status, shut := range map[int]bool{200: true, 299: true, 300: false, 404: false} {
		f := booking.File{Address: home + "robots.txt", Status: status, Body: body}
		if f.Rules().Decide("harvik", "/shut").Allowed == shut {
			t.Errorf("with status %d the rules hold: %v", status, !shut)
		}
	}
}

// TestOldFacts says what to do about facts of another version.
func TestOldFacts(t *testing.T) {
	if got := (&booking.OldFactsError{Version: page.Version + 1}).Error(); !strings.Contains(got, "newer Harvik") {
		t.Errorf("newer: %s", got)
	}
	if got := (&booking.OldFactsError{Version: page.Version}).Error(); strings.Contains(got, "newer Harvik") {
		t.Errorf("of this version: %s", got)
	}
	if booking.MostKnown(10) != 50_500 {
		t.Errorf("%d addresses are known of a plan for ten pages", booking.MostKnown(10))
	}
}

// TestStart says why nothing came of a start address.
func TestStart(t *testing.T) {
	robots := func(rules string, rest http.HandlerFunc) http.Handler {
		mux := http.NewServeMux()
		mux.HandleFunc("/robots.txt", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, rules) })
		mux.HandleFunc("/", rest)
		return mux
	}
	html := func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<title>Ferns</title><h1>Ferns</h1>")
	}
	for name, one := range map[string]struct {
		h      http.Handler
		ending survey.Ending
		detail string
	}{
		"fine":                {http.HandlerFunc(html), survey.Complete, ""},
		"shut out by a line":  {robots("User-agent: *\nDisallow: /\n", html), survey.Shut, "Line 2 of robots.txt shuts the start address out: "},
		"shut out altogether": {http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) }), survey.Shut, "robots.txt could not be had (status 500)"},
		"not there":           {http.HandlerFunc(http.NotFound), survey.Complete, `The start address answers with status 404 and type "text/plain`},
		"a picture": {robots("", func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "image/png")
		}), survey.Complete, `The start address answers with status 200 and type "image/png", so there is no page`},
		"elsewhere": {robots("", func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "https://other.example/", http.StatusMovedPermanently)
		}), survey.Complete, "The start address leads to https://other.example/, which is of another site."},
		"shut elsewhere": {robots("User-agent: *\nDisallow: /in\n", func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "/in", http.StatusMovedPermanently)
		}), survey.Complete, "/in, which is shut out by robots.txt."},
		"not wanted": {robots("", func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "/left", http.StatusMovedPermanently)
		}), survey.Complete, "/left, which is not wanted by the plan. Take that as the home page, or add its host to"},
	} {
		p := plan.Plan{Retries: -1, Probes: plan.No(), Scope: plan.Scope{Exclude: []string{"/left"}}}
		result, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, one.h)+"/", p)
		if result.Ending != one.ending || !strings.Contains(result.Detail, one.detail) ||
			one.detail == "" && result.Detail != "" {
			t.Errorf("%s: %s %q, want %s %q", name, result.Ending, result.Detail, one.ending, one.detail)
		}
	}
}

// TestBeyond says what was not taken up, of a site that names more than a plan has use for.
func TestBeyond(t *testing.T) {
	judged := func(h *booking.Harvest) (*booking.Book, *booking.Result) {
		t.Helper()
		b := booking.New(check.NewRunner(nil, plan.Plan{}.WithDefaults()), nil)
		r, err := b.Judge(h, func([]check.Finding) error { return nil })
		if err != nil {
			t.Fatal(err)
		}
		return b, r
	}
	one := []survey.Address{{URL: home, State: survey.Outside}}
	if _, r := judged(&booking.Harvest{Addresses: one, Most: 10, Ending: survey.Complete}); r.Survey.Partial ||
		r.Detail != "" {
		t.Errorf("all was taken up: partial %v, %q", r.Survey.Partial, r.Detail)
	}
	b, r := judged(&booking.Harvest{Addresses: one, Most: 1000, Beyond: 1200, Ending: survey.Complete})
	want := "Pages name more addresses than a plan of 1\u202f000 pages has use for: 1 are known, and 1\u202f200 further mentions were not taken up."
	if !r.Survey.Partial || r.Detail != want {
		t.Errorf("partial %v, %q", r.Survey.Partial, r.Detail)
	}
	for id, want := range map[int32]string{0: home, -1: "", 1: "", 7: ""} {
		if got := b.URL(id); got != want {
			t.Errorf("address %d is %q", id, got)
		}
	}
	if _, r := judged(&booking.Harvest{Ending: survey.Complete}); r.Detail != "" || r.Ending != survey.Complete {
		t.Errorf("of nothing: %s %q", r.Ending, r.Detail)
	}
}

// TestNotAllowed says that nothing came of a start address that may not be asked.
func TestNotAllowed(t *testing.T) {
	b := booking.New(check.NewRunner(nil, plan.Plan{}.WithDefaults()), nil)
	b.Add(&booking.Record{Facts: &page.Facts{Address: home, Outcome: page.Forbidden}}, booking.Nothing())
	r, err := b.Judge(&booking.Harvest{Addresses: []survey.Address{{URL: home, State: survey.Fetched}},
		Ending: survey.Complete}, func([]check.Finding) error { return nil })
	const want = "The start address gives no answer (forbidden-host), so there is no page to begin with."
	if err != nil || r.Detail != want {
		t.Errorf("%q (%v)", r.Detail, err)
	}
}
