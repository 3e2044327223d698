package booking_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// prose is a text long enough to be compared with others; each subject makes another.
func prose(subject string) string {
	var b strings.Builder
	for i := range 60 {
		fmt.Fprintf(&b, "<p>The %s of bed %d, planted by hand in row %d, needs %s in %s.", subject, i, i*i, subject[1:],
			subject[:3])
	}
	return b.String()
}

// spring and autumn are one site before and after work was done on it: what was wrong is right, and the other way
// around, in ways that only show between pages.
var spring, autumn = map[string]string{
	"/robots.txt":  "User-agent: *\nDisallow: /shut\nDisallow: /both\nSitemap: /sitemap.xml\n",
	"/sitemap.xml": "/ /moved /gone /unlinked",
	"/":            `<a href="/a">ferns</a> <a href="/b">mosses</a> <a href="/c">c</a> <a href="/shut">shut</a> <a href="/open">o</a> <a href="/both">x</a> <a href="/moved">m</a>`,
	"/a":           prose("ferns") + `<a href="/gone">gone</a> <a href="/d">d</a> <img src="/lost.png" alt=x><a href="/e#here">e</a>`,
	"/b":           prose("ferns") + `<a href="/late">late</a><a href="/twin">t</a>`,
	"/c":           prose("mosses") + `<link rel=canonical href="/moved">`,
	"/d":           prose("herbs") + `<meta http-equiv=refresh content="0;url=/gone">`,
	"/e":           prose("trees") + `<a href="/f">f</a>`,
	"/f":           prose("vines") + `<link rel=canonical href="/gone">`,
	"/open":        prose("cacti") + `<a href="/">home</a>`,
	"/late":        prose("roses") + `<img src="/there.png" alt=x>`,
	"/moved":       "> /end",
	"/end":         prose("bulbs"),
	"/there.png":   "PNG",
	"/twin":        prose("pines") + `<link rel=alternate hreflang=de href="/late"><link rel=alternate hreflang=en href="/twin">`,
	"/unlinked":    prose("crops"),
}, map[string]string{
	"/robots.txt":  "User-agent: *\nDisallow: /open\nDisallow: /both\nDisallow: /hedge\nSitemap: /sitemap.xml\n",
	"/sitemap.xml": "/ /late /new /shut /end /unlinked",
	"/":            `<a href="/a">ferns</a> <a href="/b">mosses</a> <a href="/c">c</a> <a href="/shut">shut</a> <a href="/open">o</a> <a href="/both">x</a> <a href="/moved">m</a> <a href="/end">e</a>`,
	"/a":           prose("ferns") + `<a href="/new">new</a> <a href="/d">d</a> <a href="/late">l</a> <a href="/gone">g</a> <a href="/hedge">h</a> <a href="/back">b</a><img src="/there.png" alt=x> <a href="/e#here">e</a>`,
	"/b":           prose("weeds") + `<a href="/late">late</a><a href="/nothing">n</a> <img src="/nowhere.png" alt=x><a href="/twin">t</a>`,
	"/c":           prose("weeds") + `<link rel=canonical href="/d">`,
	"/d":           prose("herbs") + `<a href="/moved">m</a>`,
	"/e":           prose("trees") + `<a href="/f">f</a><p id=here>`,
	"/f":           prose("vines") + `<link rel=canonical href="/moved"><meta http-equiv=refresh content="9;url=/new">`,
	"/open":        prose("cacti"),
	"/late":        "> /new",
	"/new":         prose("roses") + `<a href="/hidden">h</a>`,
	"/hidden":      prose("seeds") + `<link rel=canonical href="/">`,
	"/gone":        "> /fresh",
	"/fresh":       prose("frost"),
	"/back":        "> /",
	"/shut":        prose("twigs") + `<a href="/">home</a>`,
	"/moved":       prose("grass"),
	"/end":         prose("bulbs"),
	"/there.png":   "PNG",
	"/twin":        prose("pines") + `<link rel=alternate hreflang=de href="/new"><link rel=alternate hreflang=en href="/twin">`,
	"/unlinked":    prose("crops"),
}

// seasons serves the one or the other.
type seasons struct{ late atomic.Bool }

func (s *seasons) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	now := spring
	if s.late.Load() {
		now = autumn
	}
	body, ok := now[r.URL.Path]
	switch {
	case !ok:
		http.NotFound(w, r)
	case strings.HasPrefix(body, "> "):
		http.Redirect(w, r, body[2:], http.StatusMovedPermanently)
	case r.URL.Path == "/robots.txt":
		fmt.Fprint(w, body)
	case r.URL.Path == "/sitemap.xml":
		fmt.Fprint(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
		for path := range strings.FieldsSeq(body) {
			fmt.Fprintf(w, "<url><loc>http://%s%s</loc></url>", r.Host, path)
		}
		fmt.Fprint(w, "</urlset>")
	case strings.HasSuffix(r.URL.Path, ".png"):
		w.Header().Set("Content-Type", "image/png")
		fmt.Fprint(w, body)
	default:
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<!doctype html><html lang=en><title>Page %s</title><main>%s</main>", r.URL.Path, body)
	}
}

// TestAgainIsLikeNew: looking again at every page of a site on which work was done says of the whole site what a new
// crawl says.
func TestAgainIsLikeNew(t *testing.T) {
	for _, resources := range []string{plan.Inside, plan.None} {
		t.Run(resources, func(t *testing.T) {
			site := new(seasons)
			home := "http://" + testkit.Serve(t, site) + "/"
			p := plan.Plan{Retries: -1, Resources: resources}
			first, memory := testkit.Crawl(t, home, p)
			site.late.Store(true)

			paths := []string{"gone", "nothing", "lost.png", "nowhere.png", "both", "hedge"}
			for _, pages := range []map[string]string{autumn, spring} {
				for path := range pages {
					if !strings.HasSuffix(path, ".txt") && !strings.HasSuffix(path, ".xml") {
						paths = append(paths, strings.TrimPrefix(path, "/"))
					}
				}
			}
			merged := lookedAgain(t, home, p, paths)
			merged.Stored = memory.Stored(t, home, p.WithDefaults(), first)
			got, err := merged.Judge(check.NewRunner(testkit.Catalogue.Checks, p.WithDefaults()))
			if err != nil {
				t.Fatal(err)
			}

			anew, other := testkit.Crawl(t, home, p)
			known := len(first.Survey.Addresses)
			have := lines(got, home, func(id int32) string {
				if int(id) < known {
					return first.Survey.URL(id)
				}
				return ""
			})
			expected := lines(other.Findings, home, func(id int32) string {
				address := anew.Survey.URL(id)
				before := func(a survey.Address) bool { return a.URL == address }
				if !slices.ContainsFunc(first.Survey.Addresses, before) {
					return ""
				}
				return address
			})
			for _, line := range expected {
				if !slices.Contains(have, line) {
					t.Errorf("only a new crawl finds: %s", line)
				}
			}
			for _, line := range have {
				if !slices.Contains(expected, line) {
					t.Errorf("only the look again finds: %s", line)
				}
			}
			if len(expected) < 40 {
				t.Errorf("a new crawl finds %d things only: the site shows too little", len(expected))
			}
		})
	}
}

// lines tells what the checks on the whole site found.
func lines(findings []check.Finding, home string, url func(int32) string) (out []string) {
	for _, f := range findings {
		if f.Check.Page != nil || f.Check.OfCrawl {
			continue
		}
		page := "(site)"
		if f.Page >= 0 {
			if page = url(f.Page); page == "" {
				continue
			}
			page = strings.TrimPrefix(page, home)
		}
		for _, place := range f.Places {
			out = append(out, fmt.Sprintf("%s %s: %s", f.Check.ID, page, place.Note))
		}
	}
	return out
}
