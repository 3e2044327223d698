package crawl_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// TestHidingNeverHelps hides pages with all kinds of faults, one after the other, in both ways: health never
// rises, unless the plan says that it is meant; and from one page in ten on it is said beside health.
func TestHidingNeverHelps(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	faults := []string{
		`<title>x</title>`, `<meta name=description content="short">`, `<h1>one</h1><h1>two</h1>`, `<h3>skipped</h3>`,
		`<script type="application/ld+json">{,}</script>`,
		`<p>Dear {{name}}, lorem ipsum dolor sit amet.</p>`, `<h2> </h2>`, `<title>two</title>`,
		`<meta name=keywords content=x>`,
	}
	bodies := make([]string, 8)
	for i := range bodies {
		for _, f := range faults {
			if r.IntN(2) == 0 {
				bodies[i] += f
			}
		}
		bodies[i] += fmt.Sprintf("<p>%s page number %d</p>", strings.Repeat(fmt.Sprintf("word%d ", i), 40+i), i)
	}
	crawl := func(hidden int, how string, p plan.Plan) (health float64, unfound string) {
		h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, "<!doctype html><html lang=en><head><meta name=viewport content='width=device-width'>")
			for i := range bodies {
				if r.URL.Path != fmt.Sprintf("/%d", i) {
					continue
				}
				if i < hidden {
					fmt.Fprint(w, how)
				}
				fmt.Fprint(w, "</head><body>"+bodies[i]+`<a href="/">home</a>`)
				return
			}
			fmt.Fprint(w, "<title>The home page of the garden</title></head><body><h1>Home of the garden</h1>")
			for i := range bodies {
				fmt.Fprintf(w, `<a href="/%d">page %d</a> `, i, i)
			}
		})
		p.Probes = plan.No()
		result, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, h)+"/", p)
		return result.Report.Health, result.Report.Unfound
	}
	open, said := crawl(0, "", plan.Plan{})
	if said != "" {
		t.Errorf("with nothing hidden it says %q", said)
	}
	for _, how := range []string{`<meta name=robots content=noindex>`,
		`<link rel=canonical href="https://elsewhere.example/">`} {
		before := open
		for n := 1; n <= len(bodies); n++ {
			health, said := crawl(n, how, plan.Plan{})
			if health > before+1e-9 {
				t.Errorf("%s on %d pages: health rises from %v to %v", how, n, before, health)
			}
			if want := fmt.Sprintf("Of 9 pages, %d cannot be found in search.", n); said != want {
				t.Errorf("%s on %d pages: it says %q", how, n, said)
			}
			before = health
		}
	}
	meant := plan.Plan{Checks: []plan.CheckRule{{Check: "index-*", Off: true, Because: "a test site"}}}
	if health, _ := crawl(len(bodies), `<meta name=robots content=noindex>`, meant); health <= open {
		t.Errorf("where it is meant, health is %v; with all pages open %v", health, open)
	}
}
