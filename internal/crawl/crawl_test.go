package crawl_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/record"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/crawl"
	"harvik/internal/testkit"
)

// site answers paths from a map: "301 /to", "503", or an HTML body. A path that is not there is a 404.
type site map[string]string

func (s site) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, ok := s[r.URL.RequestURI()]
	if !ok {
		http.NotFound(w, r)
		return
	}
	var status int
	var to string
	if n, _ := fmt.Sscanf(body, "%3d %s", &status, &to); n > 0 && len(body) < 80 {
		if to != "" {
			w.Header().Set("Location", to)
		}
		w.WriteHeader(status)
		return
	}
	w.Header().Set("Content-Type", "text/html")
	fmt.Fprint(w, body)
}

func links(to ...string) string {
	var b strings.Builder
	b.WriteString("<!doctype html><title>A page of the site</title>")
	for _, t := range to {
		fmt.Fprintf(&b, `<a href="%s">%s</a> `, t, t)
	}
	return b.String()
}

// run crawls a handler and lists what became of each address: "path state status depth".
func run(t *testing.T, h http.Handler, p plan.Plan) (*booking.Result, map[string]string) {
	t.Helper()
	host := testkit.Serve(t, h)
	if p.Retries == 0 {
		p.Retries = -1
	}
	r, _ := testkit.Crawl(t, "http://"+host+"/", p)
	out := map[string]string{}
	for id, a := range r.Survey.Addresses {
		text := fmt.Sprintf("%s %d", a.State, r.Survey.Depth[id])
		if g := r.Survey.Page(int32(id)); g != nil {
			text = fmt.Sprintf("%s %d %d", a.State, g.Status, r.Survey.Depth[id])
		}
		out[strings.TrimPrefix(a.URL, "http://"+host)] = text
	}
	return r, out
}

func expect(t *testing.T, got, want map[string]string) {
	t.Helper()
	for k, w := range want {
		if got[k] != w {
			t.Errorf("%s: %q, want %q", k, got[k], w)
		}
	}
	for k := range got {
		if _, ok := want[k]; !ok {
			t.Errorf("%s is known as %q, and should not be known", k, got[k])
		}
	}
}

func TestStates(t *testing.T) {
	s := site{
		"/": links("/a", "/A", "/a/../b?x#y", "/closed/x", "/old", "http://other.example/", "mailto:x@other.example",
			"/picture.PNG?v=2", "a#top", "/hidden"),
		"/a": links("/deep"), "/A": links(), "/b?x": `<link rel="canonical" href="/canonical">`, "/canonical": links(),
		"/old": "302 /new", "/new": "200",
		"/deep": links("/deeper"), "/hidden": `<meta name="robots" content="nofollow"><a href="/unfollowed">x</a>`,
		"/robots.txt": "User-agent: harvik\nDisallow: /closed/\nSitemap: /map.xml\n" + strings.Repeat("# filler\n", 20),
		"/map.xml": "<urlset>" + strings.Repeat(" ", 80) +
			"<url><loc>/a</loc></url><url><loc>/orphan</loc></url><url><loc>http://other.example/x</loc></url></urlset>",
	}
	r, got := run(t, s, plan.Plan{Depth: 2})
	expect(t, got, map[string]string{
		"/": "fetched 200 0", "/a": "fetched 200 1", "/A": "fetched 200 1", "/b?x": "fetched 200 1",
		"/closed/x": "blocked 1", "/old": "fetched 302 1",
		"http://other.example/": "outside 1", "mailto:x@other.example": "not-web 1",
		"/picture.PNG?v=2": "fetched 404 1", "/hidden": "fetched 200 1",
		"/canonical": "fetched 200 -1", "/new": "fetched 200 1", "/deep": "fetched 200 2", "/deeper": "too-deep 3",
		"/unfollowed": "waiting 2", "/orphan": "fetched 404 -1",
	})
	if !r.Survey.Partial || r.Ending != survey.Complete {
		t.Errorf("partial %v, ended by %s", r.Survey.Partial, r.Ending)
	}
}

// TestOrder holds that a crawl is the same, number for number, whatever the order in which
// answers arrive, also where the page limit cuts it.
func TestOrder(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		g := &testkit.Generated{Pages: 250, Seed: 5}
		slow := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			time.Sleep(time.Duration(rand.IntN(6)) * time.Millisecond)
			g.ServeHTTP(w, r)
		})
		var first []string
		for _, parallel := range []int{1, 5, 32} {
			host := testkit.Serve(t, slow)
			r, _ := testkit.Crawl(t, "http://fernhollow.example/",
				plan.Plan{Parallel: parallel, Pages: 150, Hosts: map[string]string{"fernhollow.example": host}})
			var got []string
			for _, a := range r.Survey.Addresses {
				got = append(got, fmt.Sprint(a))
			}
			r.Report.Pages = nil
			got = append(got, fmt.Sprintf("%+v", r.Report))
			if first == nil {
				first = got
			}
			if !slices.Equal(first, got) {
				t.Fatalf("with %d requests at once the crawl differs", parallel)
			}
			if r.Ending != survey.PageLimit || r.Report.Expected <= 150 || r.Report.Assessed != 150 {
				t.Errorf("ended by %s with %d pages", r.Ending, r.Report.Assessed)
			}
		}
	})
}

func TestShutOut(t *testing.T) {
	for body, detail := range map[string]string{
		"503": "status 503", "User-agent: *\nDisallow: /\n" + strings.Repeat("#\n", 50): "Disallow: /",
	} {
		r, got := run(t, site{"/": links(), "/robots.txt": body}, plan.Plan{})
		if r.Ending != survey.Shut || !strings.Contains(r.Detail, detail) || got["/"] != "blocked 0" ||
			r.Report.Scored {
			t.Errorf("robots.txt %.20q: ended by %s (%s), the start is %q", body, r.Ending, r.Detail, got["/"])
		}
	}
	if r, _ := run(t, site{}, plan.Plan{}); r.Report.Scored || !strings.Contains(r.Detail, "answers with status 404") {
		t.Errorf("a start that is not there: %q", r.Detail)
	}
	if r, _ := run(t, site{"/": links(), "/robots.txt": "403"}, plan.Plan{}); r.Ending != survey.Complete {
		t.Errorf("a robots.txt that is forbidden shuts out: %s", r.Ending)
	}
	if r, _ := run(t, site{"/": links("/x"), "/x": links(), "/robots.txt": "301 /r",
		"/r": "User-agent: *\nDisallow: /x\n" + strings.Repeat("#\n", 50)},
		plan.Plan{}); r.Survey.Addresses[1].State != survey.Blocked {
		t.Error("a robots.txt behind a redirect is not obeyed")
	}
}

// TestTwin starts at an address that redirects to the same site with www and https in mind.
func TestTwin(t *testing.T) {
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Host == "fernhollow.example" && r.URL.Path != "/robots.txt":
			http.Redirect(w, r, "http://www.fernhollow.example"+r.URL.Path, http.StatusMovedPermanently)
		case r.URL.Path == "/":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, links("/x"))
		default:
			http.NotFound(w, r)
		}
	}))
	r, _ := testkit.Crawl(t, "http://fernhollow.example/",
		plan.Plan{Hosts: map[string]string{"fernhollow.example": host, "www.fernhollow.example": host}})
	if n := len(r.Survey.Pages); n != 3 || r.Report.Assessed != 1 {
		t.Errorf("%d fetched, %d assessed", n, r.Report.Assessed)
	}
}

func TestRetries(t *testing.T) {
	t.Parallel()
	testkit.Bubble(t, func(t *testing.T) {
		var mu sync.Mutex
		tries := map[string]int{}
		h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			mu.Lock()
			tries[r.URL.Path]++
			n := tries[r.URL.Path]
			mu.Unlock()
			switch {
			case r.URL.Path == "/":
				w.Header().Set("Content-Type", "text/html")
				fmt.Fprint(w, links("/mends", "/stays", "/gone"))
			case r.URL.Path == "/mends" && n == 1:
				w.Header().Set("Retry-After", "1")
				w.WriteHeader(http.StatusTooManyRequests)
			case r.URL.Path == "/mends":
				w.Header().Set("Content-Type", "text/html")
				fmt.Fprint(w, links())
			case r.URL.Path == "/stays":
				w.WriteHeader(http.StatusBadGateway)
			default:
				http.NotFound(w, r)
			}
		})
		begun := time.Now()
		_, got := run(t, h, plan.Plan{Retries: 1})
		expect(t, got, map[string]string{"/": "fetched 200 0", "/mends": "fetched 200 1", "/stays": "fetched 502 1",
			"/gone": "fetched 404 1"})
		if tries["/stays"] != 2 || tries["/gone"] != 1 || time.Since(begun) < time.Second {
			t.Errorf("tries %v after %s", tries, time.Since(begun))
		}
	})
}

func TestPace(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		var most, now atomic.Int32
		g := &testkit.Generated{Pages: 30, Seed: 1}
		h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if n := now.Add(1); n > most.Load() {
				most.Store(n)
			}
			time.Sleep(10 * time.Millisecond)
			g.ServeHTTP(w, r)
			now.Add(-1)
		})
		begun := time.Now()
		run(t, h, plan.Plan{Parallel: 3, Pause: plan.Duration(15 * time.Millisecond)})
		if most.Load() > 3 {
			t.Errorf("%d requests at once", most.Load())
		}
		if took := time.Since(begun); took < 29*15*time.Millisecond {
			t.Errorf("30 pages with pauses of 15 ms took %s", took)
		}
	})
}

// TestCancel ends a crawl whose oldest page hangs while others have been received: it must
// not wait for results that came already.
func TestCancel(t *testing.T) {
	hanging := make(chan struct{})
	g := &testkit.Generated{Pages: 200, Seed: 1}
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/1" {
			close(hanging)
			<-r.Context().Done()
			return
		}
		g.ServeHTTP(w, r)
	}))
	ctx, cancel := context.WithCancel(t.Context())
	c := new(testkit.Memory).Prepare(t, "http://"+host+"/", plan.Plan{Retries: -1}, false)
	ended := make(chan error)
	go func() {
		_, err := c.Run(ctx)
		ended <- err
	}()
	<-hanging
	for c.Progress().Fetched < 10 {
		time.Sleep(5 * time.Millisecond)
	}
	cancel()
	select {
	case err := <-ended:
		if !errors.Is(err, context.Canceled) {
			t.Errorf("ended with %v", err)
		}
	case <-time.After(10 * time.Second):
		t.Fatal("the crawl does not end")
	}
}

// full is a sink that runs out of room.
type full struct{}

func (full) Save(context.Context, record.Batch) error { return errors.New("no room") }

func TestSinkFails(t *testing.T) {
	host := testkit.Serve(t, &testkit.Generated{Pages: 2000, Seed: 1})
	config := testkit.Config(t, "http://"+host+"/", plan.Plan{Pages: 2000}, nil)
	config.Book, config.Sink = booking.New(check.NewRunner(nil, config.Plan), nil), full{}
	c, err := crawl.New(config)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Run(t.Context()); err == nil || !strings.Contains(err.Error(), "no room") {
		t.Errorf("ended with %v", err)
	}
}

func TestTimeLimit(t *testing.T) {
	testkit.Bubble(t, func(t *testing.T) {
		g := &testkit.Generated{Pages: 5000, Seed: 1}
		r, _ := run(t, g, plan.Plan{Pages: 5000, Pause: plan.Duration(5 * time.Millisecond),
			Time: plan.Duration(300 * time.Millisecond)})
		if n := len(r.Survey.Pages); r.Ending != survey.TimeLimit || n < 5 || n > 200 {
			t.Errorf("ended by %s with %d pages", r.Ending, n)
		}
	})
}

// TestHostile is a site of pages that break things: the crawl ends, and each page has an outcome.
func TestHostile(t *testing.T) {
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		switch r.URL.Path {
		case "/":
			fmt.Fprint(w, links("/deep", "/many", "/nul", "/big", "/cut", "/latin", "/wild", "http://[",
				"/"+strings.Repeat("x", 9000), "//", "http://127.0.0.1:1/", "javascript:alert(1)", "/%zz", "/a\x00b"))
		case "/deep":
			fmt.Fprint(w, strings.Repeat("<div><b>", 50_000), "<h1>bottom</h1>")
		case "/many":
			for i := range 20_000 {
				fmt.Fprintf(w, `<a href="#%d">x</a>`, i)
			}
		case "/nul":
			w.Write([]byte("<title>a\x00b</title>\x00<h1>\xff\xfe</h1>"))
		case "/big":
			fmt.Fprint(w, "<title>big</title>", strings.Repeat("word ", 400_000))
		case "/cut":
			w.Header().Set("Content-Length", "100000")
			fmt.Fprint(w, "<title>cut</title>")
		case "/latin":
			w.Header().Set("Content-Type", "text/html; charset=nonsense")
			w.Write([]byte("<title>caf\xe9</title>"))
		case "/wild":
			w.Header()["Set-Cookie"] = []string{"session=secret; Path=/"}
			w.Header().Set("X-Long", strings.Repeat("y", 5000))
			fmt.Fprint(w, "<title>{{title}}</title>")
		default:
			http.NotFound(w, r)
		}
	})
	host := testkit.Serve(t, h)
	r, m := testkit.Crawl(t, "http://"+host+"/", plan.Plan{PageBytes: 1 << 20, Retries: -1})
	outcomes := map[string]page.Outcome{}
	for _, rec := range m.Records {
		outcomes[strings.TrimPrefix(rec.Facts.Address, "http://"+host)] = rec.Facts.Outcome
		for _, f := range rec.Facts.Header {
			if strings.Contains(f.Value, "secret") || len(f.Value) > 1024 {
				t.Errorf("header %s is kept as %.40q", f.Name, f.Value)
			}
		}
	}
	for path, want := range map[string]page.Outcome{
		"/deep": page.Answered, "/many": page.Answered, "/nul": page.Answered, "/big": page.Truncated,
		"/cut": page.Truncated, "/latin": page.Answered, "/wild": page.Answered,
	} {
		if outcomes[path] != want {
			t.Errorf("%s ended as %q, want %q", path, outcomes[path], want)
		}
	}
	if !r.Report.Scored {
		t.Error("no health")
	}
}
