package crawl_test

import (
	"fmt"
	"io"
	"net/http"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// TestMisdeeds crawls a site on which every page does something wrong. Each ends with its named
// outcome, memory stays bounded, and nothing else is disturbed.
func TestMisdeeds(t *testing.T) {
	misdeeds := testkit.Misdeeds()
	if len(misdeeds) < 60 {
		t.Errorf("%d cases", len(misdeeds))
	}
	host := testkit.Serve(t, testkit.Hostile(misdeeds))
	var peak atomic.Uint64
	ended := make(chan struct{})
	go func() {
		var m runtime.MemStats
		for {
			select {
			case <-ended:
				return
			case <-time.After(20 * time.Millisecond):
				runtime.ReadMemStats(&m)
				peak.Store(max(peak.Load(), m.HeapInuse))
			}
		}
	}()
	r, m := testkit.Crawl(t, "http://"+host+"/", plan.Plan{
		PageBytes: 4 << 20, Retries: -1, Timeout: plan.Duration(1500 * time.Millisecond), Parallel: 8,
		Probes: plan.No(), Resources: plan.None,
	})
	close(ended)
	facts := map[string]*page.Facts{}
	for _, rec := range m.Records {
		facts[strings.TrimPrefix(rec.Facts.Address, "http://"+host+"/")] = rec.Facts
	}
	for _, d := range misdeeds {
		f := facts[d.Name]
		if f == nil {
			t.Errorf("%s was not fetched", d.Name)
			continue
		}
		if f.Outcome != d.Outcome || f.Status != d.Status {
			t.Errorf("%s: %s (%s) with status %d, want %s with %d", d.Name, f.Outcome, f.Detail, f.Status, d.Outcome,
				d.Status)
		}
		if d.Outcome != page.Answered && f.Detail == "" {
			t.Errorf("%s: no word about what happened", d.Name)
		}
		if d.Check != nil {
			if fault := d.Check(f); fault != "" {
				t.Errorf("%s: %s", d.Name, fault)
			}
		}
		if f.Bytes > 4<<20 {
			t.Errorf("%s: %d bytes were kept", d.Name, f.Bytes)
		}
	}
	if f := facts["ok"]; f == nil || f.Document.Title() != "A sound page" {
		t.Error("the sound page among them is disturbed")
	}
	if facts["hop-25"] == nil || facts["hop-49"] != nil || len(r.Survey.Traps) != 1 { // no browser follows fifty hops
		t.Errorf("the chain of redirects was not cut: %+v", r.Survey.Traps)
	}
	if n := peak.Load() >> 20; n > 400 {
		t.Errorf("%d MiB of heap", n)
	} else {
		t.Logf("%d cases, at most %d MiB of heap", len(misdeeds), n)
	}
	for i := range r.Survey.Addresses {
		if a := &r.Survey.Addresses[i]; strings.HasPrefix(a.URL, "file:") && a.State != survey.NotWeb {
			t.Errorf("%s is %s", a.URL, a.State)
		}
	}
}

// TestHostileRules serves a robots.txt or sitemap that misbehaves, beside a sound site.
func TestHostileRules(t *testing.T) {
	long := "User-agent: *\nDisallow: /closed\n" + strings.Repeat("Disallow: /x\n", 400_000) // 5 MB
	for name, c := range map[string]struct {
		robots, sitemap http.HandlerFunc
		ending          survey.Ending
		pages           int
	}{
		"robots.txt of 5 MB": {write(long), nil, survey.Complete, 2},
		"robots.txt is HTML": {write("<!doctype html><title>Home</title>"), nil, survey.Complete, 3},
		"robots.txt redirects": {http.RedirectHandler("/robots.txt", http.StatusFound).ServeHTTP, nil,
			survey.Complete, 3},
		"robots.txt fails":         {status(503), nil, survey.Shut, 0},
		"robots.txt is a bomb":     {bomb(false), nil, survey.Complete, 3},
		"robots.txt is null bytes": {write(strings.Repeat("\x00", 5000)), nil, survey.Complete, 3},
		"sitemap with entities": {status(404),
			write(`<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><urlset><url><loc>/&b;</loc></url></urlset>`), survey.Complete, 3},
		"sitemap is a bomb": {status(404), bomb(true), survey.Complete, 3},
		"sitemap includes itself": {status(404), func(w http.ResponseWriter, r *http.Request) {
			fmt.Fprintf(w, "<sitemapindex><sitemap><loc>/sitemap.xml</loc></sitemap><sitemap><loc>/sitemap.xml?%d</loc></sitemap></sitemapindex>", len(r.URL.RawQuery)+time.Now().Nanosecond())
		}, survey.Complete, 3},
		"sitemap never ends": {status(404), func(w http.ResponseWriter, _ *http.Request) {
			io.WriteString(w, "<urlset>")
			for {
				if _, err := io.WriteString(w, strings.Repeat("<url><loc>/a</loc></url>", 5000)); err != nil {
					return
				}
			}
		}, survey.Complete, 3},
		"sitemap of another host": {status(404),
			write("<urlset><url><loc>http://10.0.0.1/</loc></url><url><loc>file:///etc/passwd</loc></url></urlset>"),
			survey.Complete, 3},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				switch {
				case r.URL.Path == "/robots.txt":
					c.robots(w, r)
				case r.URL.Path == "/sitemap.xml" && c.sitemap != nil:
					c.sitemap(w, r)
				default:
					site{"/": links("/a", "/closed"), "/a": links(), "/closed": links()}.ServeHTTP(w, r)
				}
			})
			r, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, h)+"/",
				plan.Plan{Retries: -1, Probes: plan.No(), Timeout: plan.Duration(10 * time.Second)})
			if r.Ending != c.ending || len(r.Survey.Pages) != c.pages {
				t.Errorf("ended by %s (%s) with %d pages, want %s with %d", r.Ending, r.Detail, len(r.Survey.Pages),
					c.ending, c.pages)
			}
		})
	}
}

func write(text string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, text) }
}

func status(n int) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(n) }
}

// bomb is a gigabyte of nothing, as a gzip file or coded so.
func bomb(file bool) http.HandlerFunc {
	data := testkit.Zeros(1024)
	return func(w http.ResponseWriter, _ *http.Request) {
		if file {
			w.Header().Set("Content-Type", "application/gzip")
		} else {
			w.Header().Set("Content-Encoding", "gzip")
		}
		w.Write(data)
	}
}

// TestTooManyResources bounds what a page can make a crawl fetch.
func TestTooManyResources(t *testing.T) {
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		if strings.HasPrefix(r.URL.Path, "/p") || r.URL.Path == "/" {
			for i := range 1500 {
				fmt.Fprintf(w, "<img src=/i%s-%d.png>", r.URL.Path[1:], i)
			}
		}
	})
	r, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, h)+"/",
		plan.Plan{Pages: 10, Parallel: 16, Retries: -1, Probes: plan.No()})
	left := 0
	for i := range r.Survey.Addresses {
		if r.Survey.Addresses[i].State == survey.OverLimit {
			left++
		}
	}
	if len(r.Survey.Loaded) != 1200 || left != 300 || r.Survey.Partial {
		t.Errorf("%d resources fetched, %d left; partial %v", len(r.Survey.Loaded), left, r.Survey.Partial)
	}
}
