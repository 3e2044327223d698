package booking_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// mending is a site of twelve pages with faults that can be mended.
type mending struct{ mended atomic.Bool }

func (m *mending) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	ok := m.mended.Load()
	switch {
	case r.URL.Path == "/robots.txt":
		if !ok {
			fmt.Fprint(w, "User-agent: *\nDisallow: /shut\nSitemap: /sitemap.xml\n")
		} else {
			fmt.Fprint(w, "User-agent: *\nSitemap: /sitemap.xml\n")
		}
	case r.URL.Path == "/sitemap.xml":
		fmt.Fprint(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
		for i := range 12 {
			fmt.Fprintf(w, "<url><loc>http://%s/%d</loc></url>", r.Host, i)
		}
		if !ok {
			fmt.Fprintf(w, "<url><loc>http://%s/missing</loc></url>", r.Host)
		}
		fmt.Fprint(w, "</urlset>")
	case r.URL.Path == "/missing" || r.URL.Path == "/dead" && !ok:
		http.NotFound(w, r)
	default:
		w.Header().Set("Content-Type", "text/html")
		title := "Page " + r.URL.Path + " of the wood"
		if (r.URL.Path == "/1" || r.URL.Path == "/2") && !ok {
			title = "The same title on two pages"
		}
		fmt.Fprintf(w, "<!doctype html><html lang=en><title>%s</title><h1>%s</h1><p>Words about it.</p>", title, title)
		for i := range 12 {
			fmt.Fprintf(w, `<a href="/%d">page %d</a> `, i, i)
		}
		fmt.Fprint(w, `<a href="/dead">dead</a> <a href="/shut">shut</a>`)
	}
}

// lookedAgain fetches some pages of a site anew; the stored crawl that they are of is to be put to it.
func lookedAgain(t *testing.T, home string, p plan.Plan, paths []string) booking.Again {
	t.Helper()
	var listed []string
	for _, path := range paths {
		listed = append(listed, home+path)
	}
	p.Sources.Addresses = listed
	p = p.WithDefaults()
	config := testkit.Config(t, home, p, nil)
	fresh := new(testkit.Memory)
	config.Book, config.Sink = booking.New(check.NewRunner(nil, p), nil), fresh
	config.Only = func(address string) bool { return slices.Contains(listed, address) }
	_, harvest := testkit.Harvest(t, config)
	return booking.Again{Fresh: fresh.Records, Harvest: harvest, Evidence: true}
}

// TestAgain looks again at some pages of a crawl, with its faults and then mended: checks of the whole site
// see all of it, with what was fetched now in its place.
func TestAgain(t *testing.T) {
	site := new(mending)
	host := testkit.Serve(t, site)
	home := "http://" + host + "/"
	p := plan.Plan{Retries: -1}
	result, memory := testkit.Crawl(t, home, p)
	watched := []string{"title-duplicate", "link-broken-inside", "robots-blocks-linked", "sitemap-lists-error"}
	some := testkit.Catalogue.Only(func(c *check.Check) bool { return slices.Contains(watched, c.ID) })
	look := func(wanted ...string) (found map[string]int, fetched int) {
		t.Helper()
		again := p
		again.Probes = plan.No()
		merged := lookedAgain(t, home, again, wanted)
		again = again.WithDefaults()
		merged.Stored = memory.Stored(t, home, again, result)
		out, err := merged.Judge(check.NewRunner(some.Checks, again))
		if err != nil {
			t.Fatal(err)
		}
		found = map[string]int{}
		for _, f := range out {
			found[f.Check.ID]++
		}
		return found, len(merged.Fresh)
	}
	before := map[string]int{}
	for _, f := range result.Findings {
		if slices.Contains(watched, f.Check.ID) {
			before[f.Check.ID]++
		}
	}
	if before["title-duplicate"] != 2 || before["link-broken-inside"] != 13 || before["robots-blocks-linked"] == 0 ||
		before["sitemap-lists-error"] != 1 {
		t.Fatalf("the crawl found %v", before)
	}
	paths := strings.Fields("1 2 dead shut")
	if found, fetched := look(paths...); fetched != 3 || fmt.Sprint(found) != fmt.Sprint(before) {
		t.Errorf("nothing is mended: %d fetched, found %v, by the crawl %v", fetched, found, before)
	}
	states := fmt.Sprint(stateCounts(result.Survey.Addresses))
	site.mended.Store(true)
	if found, fetched := look(paths...); fetched != 4 || len(found) != 0 {
		t.Errorf("all is mended: %d fetched, found %v", fetched, found)
	}
	if found, _ := look("1"); found["title-duplicate"] != 0 ||
		found["link-broken-inside"] != before["link-broken-inside"] {
		t.Errorf("only a title was looked at: %v", found)
	}
	opened := booking.Again{Stored: memory.Stored(t, home, p.WithDefaults(), result), Harvest: &booking.Harvest{
		Addresses: []survey.Address{{URL: home + "shut", State: survey.Waiting}, {URL: home + "1", State: survey.Waiting}}}}
	out, err := opened.Judge(check.NewRunner(some.Checks, p.WithDefaults()))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range out {
		if f.Check.ID == "robots-blocks-linked" {
			t.Errorf("robots.txt lets it in, though nobody was there yet, and page %d is told to link to what is shut", f.Page)
		}
	}
	if now := fmt.Sprint(stateCounts(result.Survey.Addresses)); now != states {
		t.Errorf("the finished crawl was changed: %s, then %s", states, now)
	}
}

func stateCounts(addresses []survey.Address) map[string]int {
	out := map[string]int{}
	for _, a := range addresses {
		out[a.State.String()]++
	}
	return out
}
