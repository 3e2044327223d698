package crawl_test

import (
	"cmp"
	"crypto/tls"
	"encoding/pem"
	"html"
	"maps"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	folded "harvik/internal/core/text"
	"harvik/internal/testkit"
)

// TestFernhollow crawls both editions of the demo and demands that what is found is what
// was planted: nothing missing, nothing more.
func TestFernhollow(t *testing.T) {
	t.Parallel()
	for _, edition := range []demo.Edition{demo.Spring, demo.Summer} {
		inBubble(t, string(edition), func(t *testing.T) {
			site := demo.New(edition)
			p := testkit.Garden(t, site)
			result, found := testkit.Crawl(t, demo.Home, p)
			want, got := map[string]bool{}, map[string]bool{}
			for _, f := range site.Planted {
				want[f.Check+" "+f.Page] = true
			}
			for _, f := range found.Findings {
				path := ""
				if f.Page >= 0 {
					path = strings.Replace(result.Survey.URL(f.Page), demo.Home, "/", 1)
				}
				got[f.Check.ID+" "+path] = true
				// how many of them are met is the crawl's affair
				if f.Check.ID == check.Hiding && demo.IsEndless(path) {
					want[f.Check.ID+" "+path] = true
				}
			}
			report(t, "planted, not found", want, got)
			report(t, "found, not planted", got, want)
			causes(t, site, result)
			cutShort(t, result, found)
			planted := map[string]bool{}
			for _, f := range site.Planted {
				planted[f.Check] = true
			}
			for _, m := range demo.Moods {
				for _, id := range m.Checks {
					planted[id] = true
				}
			}
			for _, f := range demo.GlasshousePlanted() { // which e2e renders
				planted[f.Check] = true
			}
			for _, c := range testkit.Catalogue.Checks {
				if !planted[c.ID] && c.ID != "https-private" { // Fernhollow is no private host
					t.Errorf("%s is planted nowhere", c.ID)
				}
			}
		})
	}
}

// TestMoods crawls a few pages of Fernhollow in each of its moods, and demands that what is found
// about the whole site is what was planted.
func TestMoods(t *testing.T) {
	t.Parallel()
	for _, m := range demo.Moods {
		inBubble(t, strings.ReplaceAll(m.Name, " ", "-"), func(t *testing.T) {
			door := testkit.Door{
				Oldest: cmp.Or(m.Oldest, tls.VersionTLS12), Days: cmp.Or(m.Days, 300), Protocols: m.Protocols(),
			}
			address, authority := testkit.ServeBoth(t, demo.Moody(m), door, append(m.Hosts, demo.Host)...)
			p := plan.Plan{
				Hosts: map[string]string{demo.Host: address, "closed." + demo.Host: "127.0.0.1:1"}, CA: authority,
				Pages: 40, Retries: -1, Resources: plan.None,
				Timeout: plan.Duration(4 * time.Second), Limits: map[string]int{"first-byte": 2200},
				Scope: plan.Scope{Hosts: m.Hosts},
			}
			if m.Unknown {
				p.CA = ""
			}
			p.Outbound = m.Abroad
			_, found := testkit.Crawl(t, demo.Home+m.Start, p)
			got := map[string]bool{}
			for _, f := range found.Findings {
				if f.Page < 0 || slices.Contains([]string{"reach-no-dns", "reach-no-connection", "redirect-lump"},
					f.Check.ID) {
					got[f.Check.ID] = true
				}
			}
			if have := slices.Sorted(maps.Keys(got)); !slices.Equal(have, m.Checks) {
				t.Errorf("found %q, want %q", have, m.Checks)
			}
		})
	}
}

// causes demands that each planted cause is one line of the fix list, with all its pages among the
// line's.
func causes(t *testing.T, site *demo.Site, r *booking.Result) {
	t.Helper()
	pathOf := func(id int32) string {
		if id < 0 {
			return ""
		}
		return strings.Replace(r.Survey.URL(id), demo.Home, "/", 1)
	}
	members := make([]map[string]bool, len(r.Report.Fixes))
	for i, f := range r.Report.Fixes {
		members[i] = map[string]bool{}
		for _, page := range f.Members {
			members[i][pathOf(page)] = true
		}
	}
	for _, c := range site.Causes {
		whole := false
		for i, f := range r.Report.Fixes {
			whole = whole || tells(&f, c.Check) &&
				!slices.ContainsFunc(c.Pages, func(p string) bool { return !members[i][p] })
		}
		if !whole {
			t.Errorf("no line of the fix list has all of: %s (%s) on %d pages %.80q", c.Check, c.Why, len(c.Pages),
				c.Pages)
		}
	}
}

// tells says whether a line is about a check, or shows it as what comes of another.
func tells(f *fixlist.Fix, check string) bool {
	return f.Check == check || slices.ContainsFunc(f.Follows,
		func(one fixlist.Follow) bool { return one.Check == check })
}

// cutShort holds what was found of the things that are no ordinary pages: what never ends is cut and
// named, documents are read, and both sound sitemaps of the four were taken in.
func cutShort(t *testing.T, r *booking.Result, m *testkit.Memory) {
	t.Helper()
	var patterns []string
	for _, trap := range r.Survey.Traps {
		patterns = append(patterns, trap.Pattern)
	}
	slices.Sort(patterns)
	if want := []string{"?colour=*", "fernhollow.example/events/calendar/*/",
		"fernhollow.example/shop/?*&*"}; !slices.Equal(patterns, want) {
		t.Errorf("traps %q, want %q", patterns, want)
	}
	documents, listed := 0, 0
	for _, rec := range m.Records {
		if rec.Facts.PDF != nil && rec.Facts.PDF.Pages == 3 && rec.Facts.PDF.Lang == "en-GB" &&
			rec.Facts.PDF.Title != "" {
			documents++
		}
	}
	for i := range r.Survey.Addresses {
		if r.Survey.Addresses[i].InSitemap {
			listed++
		}
	}
	if documents != 2 || listed < 430 {
		t.Errorf("%d documents, %d addresses in sitemaps", documents, listed)
	}
}

// TestMembersArea signs in by the form and sees the club; the link that would sign out is left
// alone.
func TestMembersArea(t *testing.T) {
	p := testkit.Garden(t, demo.New(demo.Spring))
	p.Scope.Include, p.Resources, p.Probes = []string{"/members/*"}, plan.None, plan.No()
	p.Gates = []plan.Gate{{Kind: "form", Address: "/members/sign-in/",
		Fields: map[string]string{"user": demo.Member, "password": "secret:club"}, Proof: demo.LoginProof}}
	m := new(testkit.Memory)
	r, err := m.PrepareWith(t, demo.Home, p, map[string]string{"club": demo.MemberPassword}).Run(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for i := range r.Survey.Addresses {
		a := &r.Survey.Addresses[i]
		got[strings.TrimPrefix(a.URL, demo.Home)] = a.State.String() + " " + a.Rule.Text
	}
	for path, want := range map[string]string{
		"members/club/": "fetched ", "members/club/diary/": "fetched ", "members/club/minutes/": "fetched ",
		"members/sign-out/": "left-out it would log the crawl out",
	} {
		if got[path] != want {
			t.Errorf("%s is %q, want %q", path, got[path], want)
		}
	}
}

// TestStaging crawls a staging host that stands behind a password and a certificate of the
// garden's own.
func TestStaging(t *testing.T) {
	server := httptest.NewTLSServer(demo.New(demo.Spring).Staging())
	defer server.Close()
	p := plan.Plan{
		Pages: 30, Retries: -1, Probes: plan.No(), Resources: plan.None, Sources: plan.Sources{Sitemaps: plan.No()},
		// the name in the test server's certificate
		Hosts: map[string]string{"example.com": server.Listener.Addr().String()},
		CA:    string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})),
		Gates: []plan.Gate{{Kind: "basic", User: demo.Member, Secret: "staging"}},
	}
	secrets := map[string]string{"staging": demo.MemberPassword}
	r, err := new(testkit.Memory).PrepareWith(t, "https://example.com/", p, secrets).Run(t.Context())
	if err != nil || len(r.Survey.Pages) < 10 || r.Survey.Pages[0].Status != 200 {
		t.Errorf("%v", err)
	}
	p.CA = ""
	r, err = new(testkit.Memory).PrepareWith(t, "https://example.com/", p, secrets).Run(t.Context())
	if err != nil || !strings.Contains(r.Detail, "tls") && r.Ending != survey.Shut {
		t.Errorf("without its authority: %v, %s %s", err, r.Ending, r.Detail)
	}
}

// TestNeighbours checks the garden's outbound links against stand-ins for the other hosts.
func TestNeighbours(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		p := testkit.Garden(t, demo.New(demo.Spring))
		p.Hosts[demo.Neighbours] = testkit.Serve(t, http.HandlerFunc(demo.Neighbour))
		p.Scope.Include, p.Resources, p.Probes, p.Outbound = []string{"/visit/", "/research/"}, plan.None, plan.No(),
			true
		r, _ := testkit.Crawl(t, demo.Home, p)
		got := map[string]int{}
		for i := range r.Survey.Loaded {
			got[r.Survey.URL(r.Survey.Loaded[i].ID)] = r.Survey.Loaded[i].Status
		}
		if got["http://"+demo.Neighbours+"/gardens/"] != 200 || got["http://"+demo.Neighbours+"/closed/"] != 404 {
			t.Errorf("outbound links: %v", got)
		}
	})
}

// TestStruggling crawls the garden while its host bears two requests at once: slower, and with
// nothing lost.
func TestStruggling(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		p := testkit.Garden(t, demo.Struggling(demo.New(demo.Summer), 2))
		p.Scope.Folders, p.Resources, p.Probes, p.Retries = []string{"/journal/"}, plan.None, plan.No(), 5
		p.Steady = false // the pace is to give way
		r, _ := testkit.Crawl(t, demo.Home, p)
		refused := 0
		for i := range r.Survey.Pages {
			if r.Survey.Pages[i].Status == http.StatusTooManyRequests {
				refused++
			}
		}
		if len(r.Survey.Pages) < 30 || refused > 0 {
			t.Errorf("%d pages, %d of them refused", len(r.Survey.Pages), refused)
		}
	})
}

// report names what is in one set and not in the other, a line for each check.
func report(t *testing.T, what string, of, in map[string]bool) {
	t.Helper()
	missing := map[string][]string{}
	for k := range of {
		if check, path, _ := strings.Cut(k, " "); !in[k] {
			missing[check] = append(missing[check], path)
		}
	}
	for _, check := range slices.Sorted(maps.Keys(missing)) {
		paths := missing[check]
		slices.Sort(paths)
		t.Errorf("%s: %s at %d places: %s", what, check, len(paths), strings.Join(paths[:min(len(paths), 12)], " "))
	}
}

var tags = regexp.MustCompile(`<[^>]*>`)

// TestMainText compares the main text of Fernhollow's pages, without what is the layout's own, with
// what the generator put there: heading and paragraphs. At least 98 % of the words of both are the
// same.
func TestMainText(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		site := demo.New(demo.Summer).Steady()
		p := testkit.Garden(t, site)
		p.Resources, p.Probes, p.Outbound = plan.None, plan.No(), false
		r, _ := testkit.Crawl(t, demo.Home, p)
		words := func(s string) map[string]int {
			out := map[string]int{}
			folded.EachWord(s, func(w string) { out[strings.ToLower(w)]++ })
			return out
		}
		common, wanted, got, pages := 0, 0, 0, 0
		for _, page := range site.Pages {
			if len(page.RawMain)+len(page.RawBefore) > 0 || len(page.Sections) < 2 || page.NoH1 ||
				page.Lang != "en-GB" {
				continue
			}
			id, ok := r.Survey.Find(demo.Home + page.Path[1:])
			if !ok || r.Survey.Page(id) == nil || r.Survey.Page(id).Status != 200 {
				continue
			}
			want := page.H1
			for _, s := range page.Sections {
				want += " " + strings.Join(s.Text, " ")
			}
			have := map[string]int{}
			if err := r.Survey.Texts([]int32{id}, func(_ int32, main string) { have = words(main) }); err != nil {
				t.Fatal(err)
			}
			pages++
			for w, n := range words(html.UnescapeString(tags.ReplaceAllString(want, " "))) {
				wanted += n
				common += min(n, have[w])
			}
			for _, n := range have {
				got += n
			}
		}
		precision, recall := float64(common)/float64(got), float64(common)/float64(wanted)
		t.Logf("%d pages: %.2f %% of the words found are content, %.2f %% of the content is found", pages,
			100*precision, 100*recall)
		if pages < 200 || precision < 0.98 || recall < 0.98 {
			t.Errorf("%d pages: precision %.4f, recall %.4f", pages, precision, recall)
		}
	})
}

// inBubble runs a part of a test beside others, in a bubble of its own.
func inBubble(t *testing.T, name string, f func(t *testing.T)) {
	t.Run(name, func(t *testing.T) {
		t.Parallel()
		testkit.Bubble(t, f)
	})
}
