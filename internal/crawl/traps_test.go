package crawl_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/core/booking"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// text is some words that depend on a seed, so that two seeds have nothing in common.
func text(seed, words int) string {
	var b strings.Builder
	for i := range words {
		n := seed*7919 + i*31
		fmt.Fprintf(&b, "%c%c%c%c ", 'a'+n%26, 'a'+n/26%26, 'a'+n/676%26, 'a'+(n*7)%26)
	}
	return b.String()
}

// endless is a site with one trap or look-alike, by name. Twenty honest pages stand beside it.
func endless(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		path, q := r.URL.Path, r.URL.Query()
		page := func(title string, body string, links ...string) {
			fmt.Fprintf(w, "<!doctype html><html lang=en><title>%s</title><h1>%s</h1><main>%s</main>", title, title,
				body)
			for _, l := range links {
				fmt.Fprintf(w, `<a href="%s">go</a> `, l)
			}
		}
		var n, m int
		switch {
		case path == "/robots.txt" || path == "/sitemap.xml":
			http.NotFound(w, r)
		case path == "/":
			var honest []string
			for i := range 20 {
				honest = append(honest, fmt.Sprintf("/page-%c/", 'a'+i))
			}
			page("Home", "", append(honest, starts[name])...)
		case strings.HasPrefix(path, "/page-"):
			page("Page "+path[6:7], text(int(path[6]), 60))
		case name == "calendar" && scan(path, "/events/%d/%d/", &n, &m):
			next, before := n*12+m, n*12+m-2
			days := "Mo Tu We Th Fr Sa Su"
			for d := range 28 + m%3 {
				days += fmt.Sprintf(" %d", d+1)
			}
			page(fmt.Sprintf("Events in %s %d", months[(m-1)%12], n), days+" There is nothing on in this month.",
				fmt.Sprintf("/events/%d/%d/", next/12, next%12+1), fmt.Sprintf("/events/%d/%d/", before/12,
					before%12+1))
		case name == "days" && scan(path, "/cal/%d/%d/", &n, &m):
			links := []string{fmt.Sprintf("/cal/%d/%d/", (n*12+m)/12, (n*12+m)%12+1)}
			for d := range 28 {
				links = append(links, fmt.Sprintf("/cal/%d/%d/day-%d/", n, m, d+1))
			}
			page(fmt.Sprintf("%s %d", months[(m-1)%12], n), "Choose a day.", links...)
		case name == "days" && strings.HasPrefix(path, "/cal/"):
			page("A day", "There is nothing on this day.")
		case name == "filters" && path == "/shop/":
			var links []string
			for _, f := range []string{"colour", "size", "sort", "scent", "price", "stock"} {
				for v := range 4 {
					c := r.URL.Query()
					c.Set(f, fmt.Sprint(v))
					links = append(links, "/shop/?"+c.Encode())
				}
			}
			for p := range 12 {
				links = append(links, fmt.Sprintf("/shop/item-%c/", 'a'+p))
			}
			page("Shop", "Seeds and tools, sorted as you like: "+text(3, 20+len(q)*5), links...)
		case strings.HasPrefix(path, "/shop/item-"):
			page("Item "+path[11:12], text(100+int(path[11]), 80))
		case name == "session" && path == "/":
		case name == "session":
			var links []string
			for i := range 8 {
				links = append(links, fmt.Sprintf("/s/room-%c?sid=%x", 'a'+i,
					(n+i)*7919+len(r.URL.RawQuery)*31+int(r.URL.RawQuery[len(r.URL.RawQuery)-1])*17))
			}
			page("Room "+path[len(path)-1:], text(int(path[len(path)-1]), 90), links...)
		case name == "growing":
			page("Not quite here", "This is the garden's page about ferns.", "garden/ferns/", "mosses/")
		case name == "jsession" && strings.HasPrefix(path, "/room"):
			at := path[5:6]
			page("Room "+at, text(int(at[0]), 90),
				fmt.Sprintf("/room%s;jsessionid=%d", at,
					len(path)*7+int(path[len(path)-1])*13),
				fmt.Sprintf("/room%c;jsessionid=%d", 'a'+(at[0]-'a'+1)%5, int(path[len(path)-1])*29))
		case name == "beyond" && scan(r.URL.RequestURI(), "/list?page=%d", &n):
			body := "No items here."
			if n < 10 {
				body = text(n+500, 60)
			}
			page(fmt.Sprintf("List, page %d", n), body, fmt.Sprintf("/list?page=%d", n+1))
		case name == "pagination" && scan(r.URL.RequestURI(), "/list?page=%d", &n) && n <= 400:
			page(fmt.Sprintf("List, page %d", n), text(n+500, 60), fmt.Sprintf("/list?page=%d", n+1))
		case name == "archive" && scan(path, "/%d/%d/", &n, &m):
			links := []string{}
			if m == 12 {
				links = append(links, fmt.Sprintf("/%d/1/", n+1))
			} else if n < 2012 {
				links = append(links, fmt.Sprintf("/%d/%d/", n, m+1))
			}
			page(fmt.Sprintf("Archive %d/%d", m, n), text(n*100+m, 50), links...)
		case name == "template" && (scan(path, "/copy/%d", &n) && n < 300 || path == "/copies"):
			var links []string
			for i := range 300 {
				links = append(links, fmt.Sprintf("/copy/%d", i))
			}
			page(fmt.Sprintf("Copy %d", n), "The same words stand on every copy of this page.", links...)
		case name == "tree" && scan(path, "/node/%d", &n) && n < 500:
			var links []string
			for i := 4*n + 1; i <= 4*n+4 && i < 500; i++ {
				links = append(links, fmt.Sprintf("/node/%d", i))
			}
			page(fmt.Sprintf("Node %d", n), "The same words stand on every node of this tree.", links...)
		case name == "items" && (scan(path, "/items/%d/", &n) && n < 120 || scan(path, "/item/%d", &m) && m < 1200):
			var links []string
			if n > 0 || strings.HasPrefix(path, "/items/") {
				for i := range 10 {
					links = append(links, fmt.Sprintf("/item/%d", n*10+i))
				}
				links = append(links, fmt.Sprintf("/items/%d/", n+1))
			}
			page("Items", "One of them.", links...)
		case name == "catalogue" && scan(path, "/part/%d", &n) && n < 300:
			page(fmt.Sprintf("Part %d", n), fmt.Sprintf("%s Price %d.", text(n+900, 40), 1000+n*37),
				fmt.Sprintf("/part/%d", n+1))
		case name == "cms" && scan(r.URL.RequestURI(), "/index.php?id=%d&lang=en", &n) && n < 200:
			page("Article "+text(n, 2), text(n+5000, 120), fmt.Sprintf("/index.php?id=%d&lang=en", n+1))
		default:
			http.NotFound(w, r)
		}
	}
}

func scan(s, format string, into ...any) bool {
	n, err := fmt.Sscanf(s, format, into...)
	return err == nil && n == len(into)
}

var months = []string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
	"November", "December"}

var starts = map[string]string{
	"calendar": "/events/2026/7/", "days": "/cal/2026/7/", "filters": "/shop/", "session": "/s/room-a?sid=1",
	"growing": "/x/", "jsession": "/rooma;jsessionid=1",
	"beyond": "/list?page=1", "pagination": "/list?page=1", "archive": "/2001/1/", "catalogue": "/part/1",
	"template": "/copies", "tree": "/node/0", "items": "/items/0/", "cms": "/index.php?id=1&lang=en",
}

// TestTraps holds that patterns which never end are cut and reported, while the rest of the site
// is crawled, and that real sections of like addresses are not cut.
func TestTraps(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ least, most int }{
		"calendar": {50, 75}, "days": {50, 1100}, "filters": {50, 130}, "session": {28, 80}, "growing": {45, 125},
		"jsession": {24, 60}, "beyond": {55, 75},
		"pagination": {422, 422}, "archive": {154, 154}, "catalogue": {320, 321}, "template": {322, 322},
		"tree": {520, 521}, "items": {1340, 1345}, "cms": {220, 221},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			r, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, endless(name))+"/",
				plan.Plan{Pages: 2000, Parallel: 4, Retries: -1, Probes: plan.No()})
			if n := len(r.Survey.Pages); n < c.least || n > c.most {
				t.Errorf("%d pages, want %d to %d; traps %+v", n, c.least, c.most, r.Survey.Traps)
			}
			cut := c.most < 150 || name == "days"
			if cut != (len(r.Survey.Traps) > 0) || r.Ending != survey.Complete {
				t.Errorf("ended by %s, traps %+v", r.Ending, r.Survey.Traps)
			}
			honest, trapped := 0, 0
			for i := range r.Survey.Addresses {
				a := &r.Survey.Addresses[i]
				if strings.Contains(a.URL, "/page-") && a.State == survey.Fetched {
					honest++
				}
				if a.State == survey.Trapped {
					trapped++
					if a.Rule.Text == "" {
						t.Errorf("%s is trapped by nothing", a.URL)
					}
				}
			}
			left := 0
			for _, trap := range r.Survey.Traps {
				left += trap.Left
			}
			if honest != 20 || trapped != left {
				t.Errorf("%d honest pages; %d addresses trapped, reported %d", honest, trapped, left)
			}
			if name == "session" {
				for i := range 8 {
					room := fmt.Sprintf("/s/room-%c?", 'a'+i)
					if !hasFetched(r, room) {
						t.Errorf("%s was never fetched", room)
					}
				}
			}
		})
	}
}

func hasFetched(r *booking.Result, part string) bool {
	for i := range r.Survey.Addresses {
		if a := &r.Survey.Addresses[i]; a.State == survey.Fetched && strings.Contains(a.URL, part) {
			return true
		}
	}
	return false
}
