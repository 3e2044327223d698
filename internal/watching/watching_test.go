package watching

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/gear"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

func TestMain(m *testing.M) {
	if os.Getenv(standsIn) != "" {
		standIn()
		return
	}
	testkit.Main(m)
}

// nothing opens no secrets.
type nothing struct{}

func (nothing) Unseal([]byte, string) (string, error) { return "", fmt.Errorf("there are no secrets") }
func (nothing) Prints() []string                      { return nil }

// garden is a site that does as it is told, and who watches it.
type garden struct {
	t    *testing.T
	mu   sync.Mutex
	now  time.Time
	do   http.HandlerFunc
	asks atomic.Int64
	site record.Site
	*Watching
	store interface {
		Store
		Changes(ctx context.Context, site, watchID int64, since time.Time, most int) ([]record.Noticed, error)
		AddMaintenance(ctx context.Context, m record.Maintenance) (record.Maintenance, error)
	}
}

func newGarden(t *testing.T) *garden {
	t.Helper()
	s := testkit.Store(t)
	g := &garden{t: t, store: s, now: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), do: titled("Ferns", "")}
	g.site = testkit.Site(t, s, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		g.asks.Add(1)
		g.mu.Lock()
		do := g.do
		g.mu.Unlock()
		do(w, r)
	}), plan.Plan{Retries: -1, Timeout: plan.Duration(2 * time.Second)})
	g.Watching = New(s, gear.New(s, nothing{}, testkit.Quiet), func() time.Time { return g.now }, testkit.Quiet)
	g.breath = time.Millisecond
	t.Cleanup(g.Close)
	return g
}

// titled answers with a page of a title.
func titled(title, head string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(
			w,
			"<html><head><title>%s</title>%s</head><body><h1>%s</h1><main><p>Green all year, and in the shade.</p></main>",
			title,
			head,
			title,
		)
	}
}

func status(code int) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(code) }
}

func (g *garden) shows(do http.HandlerFunc) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.do = do
}

func (g *garden) watch(w watch.Watch) {
	g.t.Helper()
	if err := g.SetWatch(g.t.Context(), g.site, w); err != nil {
		g.t.Fatal(err)
	}
}

// minutes lets time go by, a minute at a step.
func (g *garden) minutes(n int) {
	g.t.Helper()
	for range n {
		g.now = g.now.Add(time.Minute)
		if err := g.Round(g.t.Context()); err != nil {
			g.t.Fatal(err)
		}
	}
}

// watched is the first of what is watched.
func (g *garden) watched() record.Watched {
	g.t.Helper()
	all, err := g.store.Watches(g.t.Context(), "")
	if err != nil || len(all) == 0 {
		g.t.Fatalf("%d watches (%v)", len(all), err)
	}
	return all[0]
}

func (g *garden) state() watch.State {
	g.t.Helper()
	return g.watched().State
}

// told is what was noticed and what outages there were, in words.
func (g *garden) told() string {
	g.t.Helper()
	changes, err := g.store.Changes(g.t.Context(), g.site.ID, 0, time.Time{}, 99)
	if err != nil {
		g.t.Fatal(err)
	}
	outages, err := g.store.Outages(g.t.Context(), "", 0, time.Time{}, 99)
	if err != nil {
		g.t.Fatal(err)
	}
	var out []string
	for _, c := range changes {
		out = append(out, fmt.Sprintf("%s: %s → %s", c.What, c.Was, c.Now))
	}
	for _, o := range outages {
		lasted := "still"
		if o.Ended != nil {
			lasted = o.Ended.Sub(o.Began).String()
		}
		out = append(out, fmt.Sprintf("down %s: %s", lasted, o.Reason))
	}
	return strings.Join(out, "; ")
}

func TestRounds(t *testing.T) {
	g := newGarden(t)
	g.watch(watch.Watch{Name: "home", Address: "/", Every: 5, Must: "Green"})
	g.minutes(20)
	if asked := g.asks.Load(); asked != 5 { // at once, and every five minutes
		t.Errorf("asked %d times in 20 minutes", asked)
	}
	if s := g.state(); s.Down || s.Last == nil || s.Last.Title != "Ferns" || s.Last.Status != 200 {
		t.Errorf("%+v", s)
	}
	g.shows(status(503))
	g.minutes(10)
	g.shows(titled("Ferns", `<meta name=robots content=noindex>`))
	g.minutes(10)
	if got := g.told(); got != "robots:  → noindex in meta; down 10m0s: status 503" {
		t.Errorf("told: %s", got)
	}
	now := g.now
	course, err := g.CourseOf(t.Context(), g.watched(), now.Add(-time.Hour), now, 6)
	if err != nil {
		t.Fatal(err)
	}
	if share, _ := course.Whole.Available(); course.Whole.Looks != 8 || share != 75 || len(course.Bins) != 6 ||
		len(course.Outages) != 1 {
		t.Errorf("%+v", course)
	}
}

// TestSecondTry: one look that fails is no outage, and its second try comes by a fresh connection.
func TestSecondTry(t *testing.T) {
	g := newGarden(t)
	g.watch(watch.Watch{Name: "home", Address: "/", Every: 1})
	var n atomic.Int64
	from := map[string]bool{}
	g.shows(func(w http.ResponseWriter, r *http.Request) {
		g.mu.Lock()
		from[r.RemoteAddr] = true
		g.mu.Unlock()
		if n.Add(1)%2 == 1 {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		titled("Ferns", "")(w, r)
	})
	g.minutes(3)
	if got := g.told(); got != "" || n.Load() != 6 || len(from) != 6 {
		t.Errorf("told %q after %d requests by %d connections", got, n.Load(), len(from))
	}
	if s := g.state(); s.Last.Tries != 2 {
		t.Errorf("%+v", s.Last)
	}
}

// TestHostile: whatever an address answers, the look ends, and says what came.
func TestHostile(t *testing.T) {
	g := newGarden(t)
	g.watch(watch.Watch{Name: "home", Address: "/", Every: 1})
	for name, do := range map[string]http.HandlerFunc{
		"redirects without end": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, r.URL.Path+"x", http.StatusFound)
		},
		"never answers": func(w http.ResponseWriter, r *http.Request) {
			select {
			case <-r.Context().Done():
			case <-time.After(5 * time.Second):
			}
		},
		"breaks off": func(w http.ResponseWriter, _ *http.Request) {
			if h, ok := w.(http.Hijacker); ok {
				c, _, _ := h.Hijack()
				c.Close()
			}
		},
		"leads to this machine": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "http://10.255.255.1/", http.StatusFound)
		},
	} {
		g.shows(do)
		g.minutes(1)
		if s := g.state(); !s.Down || s.Reason == "" {
			t.Errorf("%s: %+v", name, s)
		}
	}
	g.shows(titled("Ferns", ""))
	g.minutes(1)
	if g.state().Down {
		t.Error("it is still down")
	}
}

func TestMaintenance(t *testing.T) {
	g := newGarden(t)
	g.watch(watch.Watch{Name: "home", Address: "/", Every: 1})
	g.minutes(2)
	if _, err := g.store.AddMaintenance(t.Context(), record.Maintenance{SiteID: g.site.ID, Began: g.now,
		Ends: g.now.Add(10 * time.Minute), Reason: "a new server"}); err != nil {
		t.Fatal(err)
	}
	g.shows(status(503))
	g.minutes(8)
	g.shows(titled("Ferns", ""))
	g.minutes(5)
	if got := g.told(); got != "" {
		t.Errorf("told: %s", got)
	}
	course, err := g.CourseOf(t.Context(), g.watched(), g.now.Add(-time.Hour), g.now.Add(time.Second), 1)
	if share, _ := course.Whole.Available(); err != nil || share != 100 || course.Whole.Planned == 0 {
		t.Errorf("%+v (%v)", course.Whole, err)
	}
}

// TestFront: what a site shows besides its pages is looked at once a day, and told where it is otherwise.
func TestFront(t *testing.T) {
	g := newGarden(t)
	rules, entries := "User-agent: *\nDisallow: /cart/\n", 3
	g.shows(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/robots.txt":
			fmt.Fprintf(w, "%sSitemap: http://%s/sitemap.xml\n", rules, r.Host)
		case "/sitemap.xml":
			w.Header().Set("Content-Type", "application/xml")
			fmt.Fprint(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
			for n := range entries {
				fmt.Fprintf(w, "<url><loc>http://%s/%d</loc></url>", r.Host, n)
			}
			fmt.Fprint(w, "</urlset>")
		default:
			w.Header().Set("Server", "garden")
			titled("Ferns", "")(w, r)
		}
	})
	day := func() {
		t.Helper()
		g.now = g.now.AddDate(0, 0, 1)
		if err := g.Fronts(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	day()
	all, err := g.store.Fronts(t.Context(), "")
	if err != nil || len(all) != 1 || all[0].Now == nil || !strings.Contains(all[0].Now.Robots, "/cart/") ||
		all[0].Now.Entries() != 3 ||
		all[0].Now.Headers["server"] != "garden" {
		t.Fatalf("%+v (%v)", all, err)
	}
	day()
	if got := g.told(); got != "" {
		t.Errorf("told, though nothing changed: %s", got)
	}
	rules, entries = "User-agent: *\nDisallow: /\n", 1
	day()
	if got := g.told(); !strings.Contains(got, "robots.txt: User-agent: *\nDisallow: /cart/") ||
		!strings.Contains(got, "1 entries") {
		t.Errorf("told: %s", got)
	}
}

// TestSide: many addresses are looked at side by side.
func TestSide(t *testing.T) {
	g := newGarden(t)
	g.shows(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(200 * time.Millisecond)
		titled("Ferns", "")(w, r)
	})
	for n := range 90 {
		g.watch(watch.Watch{Name: fmt.Sprintf("w%d", n), Address: fmt.Sprintf("/%d", n), Every: 1})
	}
	began := time.Now()
	g.minutes(1)
	if took := time.Since(began); g.asks.Load() != 90 || took > 9*time.Second {
		t.Errorf("%d were asked in %s", g.asks.Load(), took)
	}
}
