package crawl_test

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/graph"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/crawl"
	"harvik/internal/pace"
	"harvik/internal/testkit"
)

// TestSources holds where addresses come from, and that each remembers how it was found.
func TestSources(t *testing.T) {
	s := site{
		"/": links("/a"), "/a": links(), "/b": links("/c"), "/c": links(), "/d": links("/e"), "/e": links(),
		"/f": links(), "/g": links(), "/h": links(),
		"/robots.txt": "User-agent: *\nAllow: /\nSitemap: /index.xml\nSitemap: /feed.atom\n" +
			strings.Repeat("# filler\n", 20),
		"/index.xml": "<sitemapindex>" + strings.Repeat(" ", 80) +
			"<sitemap><loc>/one.xml</loc></sitemap><sitemap><loc>/two.txt</loc></sitemap><sitemap><loc>/index.xml</loc></sitemap></sitemapindex>",
		"/one.xml":   "<urlset>" + strings.Repeat(" ", 80) + "<url><loc>/b</loc></url></urlset>",
		"/feed.atom": "<feed>" + strings.Repeat(" ", 80) + `<entry><link href="/f"/></entry></feed>`,
		"/other.xml": "<urlset>" + strings.Repeat(" ", 80) + "<url><loc>/g</loc></url></urlset>",
	}
	var host string
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/two.txt" { // packed, though its name does not say so
			z := gzip.NewWriter(w)
			fmt.Fprintf(z, "http://%s/d\n", host)
			z.Close()
			return
		}
		s.ServeHTTP(w, r)
	})
	host = testkit.Serve(t, h)
	for _, c := range []struct {
		name string
		p    plan.Sources
		want string
	}{
		{"links and sitemaps", plan.Sources{},
			"/ start, /a link, /f sitemap, /b sitemap, /d sitemap, /c link, /e link"},
		{"links alone", plan.Sources{Sitemaps: plan.No()}, "/ start, /a link"},
		{"sitemaps alone", plan.Sources{Links: plan.No()}, "/ start, /f sitemap, /b sitemap, /d sitemap"},
		{"a given sitemap", plan.Sources{SitemapAt: []string{"/other.xml"}}, "/ start, /a link, /g sitemap"},
		{"a list alone", plan.Sources{Links: plan.No(), Sitemaps: plan.No(),
			Addresses: []string{"/h", "/c#x", "http://elsewhere.example/"}}, "/h list, /c list"},
		{"a list with the start on it",
			plan.Sources{Links: plan.No(), Sitemaps: plan.No(), Addresses: []string{"/", "/h"}}, "/ start, /h list"},
		{"a list and links", plan.Sources{Sitemaps: plan.No(), Addresses: []string{"/b"}},
			"/ start, /b list, /a link, /c link"},
	} {
		r, m := testkit.Crawl(t, "http://"+host+"/", plan.Plan{Sources: c.p, Retries: -1, Probes: plan.No()})
		var got []string
		for _, rec := range m.Records {
			a := r.Survey.Addresses[rec.ID]
			got = append(got, strings.TrimPrefix(a.URL, "http://"+host)+" "+a.Found.String())
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %s, want %s", c.name, strings.Join(got, ", "), c.want)
		}
	}
}

// TestScope holds what is left out, and why.
func TestScope(t *testing.T) {
	s := site{
		"/": links("/shop/a", "/shop/b", "/shop/c", "/old/x", "/plants/a?utm_source=y&b=1&a=2",
			"/plants/a?a=2&b=1", "http://127.0.0.2:1/x"),
		"/shop/a": links(), "/shop/b": links(), "/shop/c": links(), "/plants/a?a=2&b=1": links(),
	}
	_, got := run(t, s, plan.Plan{Sources: plan.Sources{Sitemaps: plan.No()}, Scope: plan.Scope{
		Exclude: []string{"/old/*"}, AtMost: map[string]int{"/shop/*": 2},
		Parameters: plan.Parameters{Ignore: []string{"utm_*"}, Sort: true},
	}})
	expect(t, got, map[string]string{
		"/": "fetched 200 0", "/shop/a": "fetched 200 1", "/shop/b": "fetched 200 1", "/shop/c": "over-limit 1",
		"/old/x":            "left-out 1",
		"/plants/a?a=2&b=1": "fetched 200 1", "http://127.0.0.2:1/x": "outside 1",
	})
}

func TestRobotsPolicies(t *testing.T) {
	s := site{
		"/": links("/closed", "/open"), "/closed": links(),
		"/open":       `<meta name=robots content="nofollow"><a href="/beyond">x</a>` + strings.Repeat(" ", 80),
		"/beyond":     links(),
		"/robots.txt": "User-agent: *\nDisallow: /closed\n" + strings.Repeat("# filler\n", 20),
	}
	for _, p := range []plan.Plan{{}, {Robots: plan.Report}} {
		r, got := run(t, s, p)
		expect(t, got, map[string]string{"/": "fetched 200 0", "/open": "fetched 200 1", "/closed": "blocked 1",
			"/beyond": "waiting 2"})
		for _, a := range r.Survey.Addresses {
			if a.State == survey.Blocked && a.Rule.Number != 2 {
				t.Errorf("the rule is %+v", a.Rule)
			}
		}
	}
	_, got := run(t, s, plan.Plan{Robots: plan.Disregard, Permission: "asked for by the head of web"})
	expect(t, got, map[string]string{"/": "fetched 200 0", "/open": "fetched 200 1", "/closed": "fetched 200 1",
		"/beyond": "fetched 200 2"})
}

// TestCrawlDelay keeps to what robots.txt asks for, and says so; disregarding it does not.
func TestCrawlDelay(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		var mu sync.Mutex
		var at []time.Time
		h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/robots.txt" {
				fmt.Fprint(w, "User-agent: *\nCrawl-delay: 0.05\n")
				return
			}
			mu.Lock()
			at = append(at, time.Now())
			mu.Unlock()
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, links("/a", "/b", "/c"))
		})
		m := new(testkit.Memory)
		p := plan.Plan{Sources: plan.Sources{Sitemaps: plan.No()}, Probes: plan.No(), Parallel: 4}
		c := m.Prepare(t, "http://"+testkit.Serve(t, h)+"/", p, false)
		reason := ""
		ended := make(chan struct{})
		go func() {
			defer close(ended)
			for c.Progress().Phase != "judging" && t.Context().Err() == nil {
				if pace := c.Progress().Pace; pace != nil && pace.Reason != "" {
					reason = pace.Reason
				}
				time.Sleep(time.Millisecond)
			}
		}()
		if _, err := c.Run(t.Context()); err != nil {
			t.Fatal(err)
		}
		<-ended
		for i := 1; i < len(at); i++ {
			if gap := at[i].Sub(at[i-1]); gap < 40*time.Millisecond {
				t.Errorf("request %d came after %s", i, gap)
			}
		}
		if !strings.Contains(reason, "robots.txt, line 2, asks for 50ms") {
			t.Errorf("the pace is slow for %q", reason)
		}
	})
}

// struggling answers 429 when more than two requests are under way.
type struggling struct {
	testkit.Generated
	now, refused atomic.Int32
}

func (s *struggling) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	n := s.now.Add(1)
	defer s.now.Add(-1)
	time.Sleep(2 * time.Millisecond)
	if n > 2 {
		s.refused.Add(1)
		w.WriteHeader(http.StatusTooManyRequests)
		return
	}
	s.Generated.ServeHTTP(w, r)
}

// TestAdapts holds that the pace falls where the server struggles and that nothing is lost by it.
func TestAdapts(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		s := &struggling{Generated: testkit.Generated{Pages: 300, Seed: 1}}
		m := new(testkit.Memory)
		c := m.Prepare(t, "http://"+testkit.Serve(t, s)+"/",
			plan.Plan{Parallel: 16, Retries: 8, Resources: plan.None, Probes: plan.No()}, false)
		ended := make(chan struct{})
		var reason atomic.Value
		go func() {
			defer close(ended)
			for c.Progress().Phase != "judging" && t.Context().Err() == nil {
				if p := c.Progress().Pace; p != nil && p.Parallel < p.Of && p.Reason != "" {
					reason.Store(p.Reason)
				}
				time.Sleep(time.Millisecond)
			}
		}()
		r, err := c.Run(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		<-ended
		failed := 0
		for i := range r.Survey.Pages {
			if r.Survey.Pages[i].Status != 200 {
				failed++
			}
		}
		if failed > 3 || len(r.Survey.Pages) != 300 {
			t.Errorf("%d of %d pages failed", failed, len(r.Survey.Pages))
		}
		if s.refused.Load() > 150 {
			t.Errorf("%d requests were refused: the pace did not fall", s.refused.Load())
		}
		if why, _ := reason.Load().(string); !strings.Contains(why, "429") {
			t.Errorf("the pace was slower for %q", why)
		}
	})
}

// TestSharedPace holds that two crawls of one host together keep to one's pace.
func TestSharedPace(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		var now, most atomic.Int32
		g := &testkit.Generated{Pages: 120, Seed: 1}
		h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			n := now.Add(1)
			for old := most.Load(); n > old && !most.CompareAndSwap(old, n); old = most.Load() {
			}
			time.Sleep(time.Millisecond)
			now.Add(-1)
			g.ServeHTTP(w, r)
		})
		start := "http://" + testkit.Serve(t, h) + "/"
		paces := new(pace.Paces)
		var both sync.WaitGroup
		for range 2 {
			both.Go(func() {
				c := new(testkit.Memory).PrepareBeside(t, start,
					plan.Plan{Parallel: 3, Sources: plan.Sources{Sitemaps: plan.No()}, Probes: plan.No()}, paces)
				if _, err := c.Run(t.Context()); err != nil {
					t.Error(err)
				}
			})
		}
		both.Wait()
		if most.Load() > 4 { // three, and a robots.txt, which is asked for before there is a pace
			t.Errorf("%d requests at once", most.Load())
		}
	})
}

// refusing lets 60 requests through, then answers all alike, until it is told to stop.
type refusing struct {
	testkit.Generated
	how   string
	count atomic.Int32
	calm  atomic.Bool
}

func (s *refusing) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path == "/login" || r.URL.Path == "/robots.txt" || s.calm.Load() || s.count.Add(1) <= 60 {
		s.Generated.ServeHTTP(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html")
	switch s.how {
	case "403":
		w.WriteHeader(http.StatusForbidden)
	case "challenge":
		fmt.Fprint(w, "<title>One moment</title><h1>Checking your browser</h1><p>Verify you are human to go on.</p>")
	case "login":
		fmt.Fprint(w, "<title>Sign in</title><form><input name=u><input type=password name=p></form>")
	case "redirect":
		http.Redirect(w, r, "/login?to="+r.URL.Path, http.StatusFound)
	case "some": // every third page is forbidden: no refusal of the crawl
		if s.count.Load()%3 == 0 {
			w.WriteHeader(http.StatusForbidden)
			return
		}
		s.Generated.ServeHTTP(w, r)
	}
}

// TestRefusal holds that a site that shuts the crawl out pauses it, that nothing false is
// recorded, and that the crawl then goes on to the same end as if nothing had been.
func TestRefusal(t *testing.T) {
	for _, how := range []string{"403", "challenge", "login", "redirect", "some"} {
		inBubble(t, how, func(t *testing.T) {
			s := &refusing{Generated: testkit.Generated{Pages: 300, Seed: 4}, how: how}
			start := "http://" + testkit.Serve(t, s) + "/"
			p := plan.Plan{Parallel: 4, Retries: -1, Resources: plan.None, Sources: plan.Sources{Sitemaps: plan.No()},
				Probes: plan.No()}
			m := new(testkit.Memory)
			r, err := m.Prepare(t, start, p, false).Run(t.Context())
			if how == "some" {
				if err != nil || len(r.Survey.Pages) < 200 {
					t.Errorf("paused for nothing: %v", err)
				}
				return
			}
			var paused *crawl.ErrPaused
			if !errors.As(err, &paused) || !strings.Contains(paused.Reason, "no longer lets the crawl in") {
				t.Fatalf("ended by %v", err)
			}
			if len(m.Records) > 64 || len(m.Records) < 40 {
				t.Errorf("%d results are recorded", len(m.Records))
			}
			refusals := 0
			for _, rec := range m.Records {
				if rec.Facts.Status != 200 || rec.Facts.Document.Kind == page.Login {
					refusals++
				}
			}
			if refusals > 3 { // of those that were under way together with the last honest answer
				t.Errorf("%d refusals are recorded", refusals)
			}
			s.calm.Store(true)
			r, err = m.Prepare(t, start, p, true).Run(t.Context())
			if err != nil || len(r.Survey.Pages) < 300 {
				t.Errorf("after it let the crawl in again: %v", err)
			}
		})
	}
}

// TestSentAway: a site that goes away for an hour is left alone at once, and the crawl pauses; a page that
// alone does so is recorded, and nobody waits for it.
func TestSentAway(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		const oneAway, allAway, back = 0, 1, 2
		var asked, state atomic.Int32
		pages := &testkit.Generated{Pages: 120, Seed: 4}
		start := "http://" + testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if n := asked.Add(1); state.Load() == allAway && n > 60 || state.Load() == oneAway && r.URL.Path == "/7" {
				w.Header().Set("Retry-After", "3600")
				w.WriteHeader(http.StatusServiceUnavailable)
				return
			}
			pages.ServeHTTP(w, r)
		})) + "/"
		p := plan.Plan{Parallel: 4, Resources: plan.None, Sources: plan.Sources{Sitemaps: plan.No()}, Probes: plan.No()}
		one, err := new(testkit.Memory).Prepare(t, start, p, false).Run(t.Context())
		if err != nil || len(one.Survey.Pages) < 120 {
			t.Fatalf("one page that is away: %v", err)
		}
		asked.Store(0)
		state.Store(allAway)
		m := new(testkit.Memory)
		_, err = m.Prepare(t, start, p, false).Run(t.Context())
		var paused *crawl.ErrPaused
		if !errors.As(err, &paused) || !strings.Contains(paused.Reason, "for 1h0m0s") {
			t.Fatalf("ended by %v", err)
		}
		if n := asked.Load(); n > 75 {
			t.Errorf("%d requests after the site went away", n-60)
		}
		state.Store(back)
		whole, err := new(testkit.Memory).Prepare(t, start, p, false).Run(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		again, err := m.Prepare(t, start, p, true).Run(t.Context())
		if err != nil || again.Report.Health != whole.Report.Health ||
			len(again.Survey.Pages) != len(whole.Survey.Pages) {
			t.Errorf("after it came back: %v", err)
		}
	})
}

// TestResources fetches what pages load, each once, and says who uses it.
func TestResources(t *testing.T) {
	var mu sync.Mutex
	asked := map[string][]string{}
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.URL.Path] = append(asked[r.URL.Path], r.Method)
		mu.Unlock()
		kind := map[string]string{"/": "text/html", "/b": "text/html", "/s.css": "text/css", "/i.png": "image/png",
			"/bg.png": "image/png", "/f.woff2": "font/woff2", "/lies.png": "image/png", "/doc.pdf": "application/pdf"}[r.URL.Path]
		switch {
		case kind == "":
			http.NotFound(w, r)
			return
		case r.URL.Path == "/lies.png" && r.Method == http.MethodHead:
			w.WriteHeader(http.StatusMethodNotAllowed)
			return
		}
		w.Header().Set("Content-Type", kind)
		w.Header().Set("Cache-Control", "max-age=60")
		switch r.URL.Path {
		case "/":
			io.WriteString(w, `<link rel=stylesheet href=s.css><img src=i.png><img src=lies.png><img src=gone.png><a href=/b>b</a><a href=/doc.pdf>pdf</a><a href=/i.png>picture</a>`)
		case "/b":
			io.WriteString(w, `<img src=i.png><link rel=stylesheet href=s.css><script src=old.js></script>`)
		case "/s.css":
			io.WriteString(w, `@font-face { src: url(f.woff2) } body { background: url(bg.png) }`)
		case "/doc.pdf":
			w.Write(demo.PDF("Opening hours", 1))
		default:
			io.WriteString(w, strings.Repeat("x", 1234))
		}
	})
	r, m := testkit.Crawl(t, "http://"+testkit.Serve(t, h)+"/",
		plan.Plan{Retries: -1, Probes: plan.No(), Sources: plan.Sources{Sitemaps: plan.No()}})
	got := map[string]string{}
	for _, rec := range m.Records {
		a := r.Survey.Addresses[rec.ID]
		got[a.URL[strings.LastIndexByte(a.URL, '/'):]] = fmt.Sprintf("%s %d %d", a.Role, rec.Facts.Status,
			rec.Facts.Bytes)
		if strings.HasSuffix(a.URL, "/doc.pdf") &&
			(rec.Facts.PDF == nil || rec.Facts.PDF.Pages != 1 || rec.Facts.PDF.Title != "Opening hours" ||
				rec.Facts.PDF.Lang != "en-GB") {
			t.Errorf("the document: %+v", rec.Facts.PDF)
		}
	}
	for path, want := range map[string]string{
		"/s.css": "stylesheet 200 65", "/lies.png": "image 200 1234", "/gone.png": "image 404 0",
		"/bg.png": "image 200 1234", "/f.woff2": "font 200 1234", "/old.js": "script 404 0",
		"/i.png": "page 200 0", // also linked
	} {
		if path == "/gone.png" || path == "/old.js" {
			got[path] = strings.TrimRight(got[path][:strings.LastIndexByte(got[path], ' ')]+" 0", "")
		}
		if path == "/i.png" {
			want = got[path]
			if !strings.HasPrefix(want, "page 200") {
				t.Errorf("%s: %s", path, want)
			}
		}
		if got[path] != want {
			t.Errorf("%s: %q, want %q", path, got[path], want)
		}
	}
	if !slices.Equal(asked["/bg.png"], []string{"HEAD"}) || !slices.Equal(asked["/s.css"], []string{"GET"}) ||
		!slices.Equal(asked["/lies.png"], []string{"HEAD", "GET"}) {
		t.Errorf("asked for %v", asked)
	}
	users := map[string]int{}
	r.Survey.Uses.Each(func(_ int32, to []int32, _ []graph.Mark) {
		for _, n := range to {
			users[r.Survey.URL(n)[strings.LastIndexByte(r.Survey.URL(n), '/'):]]++
		}
	})
	if users["/i.png"] != 2 || users["/s.css"] != 2 || users["/bg.png"] != 1 {
		t.Errorf("used by %v", users)
	}
}

// TestOutbound checks outbound links on request only, one at a time.
func TestOutbound(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		var now, most atomic.Int32
		other := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if n := now.Add(1); n > most.Load() {
				most.Store(n)
			}
			defer now.Add(-1)
			switch r.URL.Path {
			case "/moved":
				http.Redirect(w, r, "/here", http.StatusMovedPermanently)
			case "/here":
			case "/robots.txt":
				fmt.Fprint(w, "User-agent: *\nDisallow: /closed")
			default:
				http.NotFound(w, r)
			}
		}))
		// which the plan has an address for: else nothing outside may be on this machine
		const name = "http://neighbours.example"
		hosts := map[string]string{"neighbours.example": other}
		home := site{"/": links(name+"/here", name+"/gone", name+"/moved", name+"/closed", "http://nowhere.invalid/x",
			"http://"+other+"/near")}
		for _, outbound := range []bool{false, true} {
			r, _ := run(t, home, plan.Plan{Outbound: outbound, Hosts: hosts, Probes: plan.No(),
				Sources: plan.Sources{Sitemaps: plan.No()}})
			got := map[string]string{}
			for i := range r.Survey.Loaded {
				p := &r.Survey.Loaded[i]
				got[strings.TrimPrefix(strings.TrimPrefix(r.Survey.URL(p.ID), name),
					"http://"+other)] = fmt.Sprintf("%d %s", p.Status, p.Outcome)
			}
			want := map[string]string{}
			if outbound {
				want = map[string]string{"/here": "200 answered", "/gone": "404 answered", "/moved": "301 answered",
					"/closed": "0 robots", "http://nowhere.invalid/x": "0 no-dns", "/near": "0 forbidden-host"}
			}
			expect(t, got, want)
		}
		if most.Load() > 1 {
			t.Errorf("%d at once", most.Load())
		}
	})
}
