package crawl_test

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// uneven is a site of 5,000 pages in sections of very different size and state. The seed is part
// of the addresses alone, so every seed has the same health and another draw.
type uneven struct{ seed uint64 }

// sections of the uneven site: pages, and the share of them that has each fault.
var sections = []struct {
	name             string
	pages            int
	untitled, unsaid float64
}{
	{"plants", 3000, 0.02, 0.3}, {"journal", 1200, 0.3, 0.1}, {"shop", 600, 0, 0.9}, {"events", 150, 0.9, 0.9},
	{"about", 50, 0, 0},
}

const perList = 40

func (s uneven) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	parts := strings.Split(strings.Trim(r.URL.Path, "/"), "/")
	w.Header().Set("Content-Type", "text/html")
	if r.URL.Path == "/" {
		fmt.Fprint(w, "<!doctype html><html lang=en><title>A garden of five thousand pages</title><h1>Garden</h1>")
		for _, g := range sections {
			fmt.Fprintf(w, `<a href="/%s/list-1">%s</a> `, g.name, g.name)
		}
		return
	}
	for _, g := range sections {
		if g.name != parts[0] || len(parts) != 2 {
			continue
		}
		var n int
		if _, err := fmt.Sscanf(parts[1], "list-%d", &n); err == nil {
			s.list(w, g.name, g.pages, n)
			return
		}
		if _, err := fmt.Sscanf(parts[1], fmt.Sprintf("%d-%%d", s.seed), &n); err == nil && n < g.pages {
			s.page(w, g.name, n, g.untitled, g.unsaid)
			return
		}
	}
	http.NotFound(w, r)
}

func (s uneven) list(w http.ResponseWriter, name string, pages, n int) {
	fmt.Fprintf(w, "<!doctype html><html lang=en><title>%s, part %d of the list</title><h1>%s %d</h1><ul>", name, n,
		name, n)
	for i := (n - 1) * perList; i < min(n*perList, pages); i++ {
		fmt.Fprintf(w, `<li><a href="/%s/%d-%d">%s %d</a>`, name, s.seed, i, name, i)
	}
	fmt.Fprint(w, "</ul>")
	for k := 1; k <= (pages+perList-1)/perList; k++ {
		fmt.Fprintf(w, `<a href="/%s/list-%d">%d</a> `, name, k, k)
	}
}

func (s uneven) page(w http.ResponseWriter, name string, n int, untitled, unsaid float64) {
	// no two pages with one text: a sample cannot see duplicates as the whole does
	r := rand.New(rand.NewPCG(uint64(name[0]), uint64(n)))
	fmt.Fprint(w, "<!doctype html><html lang=en><meta name=viewport content=width>")
	if r.Float64() >= untitled {
		fmt.Fprintf(w, "<title>About the %s of number %d</title>", name, n)
	}
	if r.Float64() >= unsaid {
		fmt.Fprintf(w, "<meta name=description content='What there is to say about number %d of the %s, in one sentence of fair length.'>", n, name)
	}
	fmt.Fprintf(w, "<h1>%s number %d</h1><h2>More</h2><p>", name, n)
	for range 105 {
		fmt.Fprintf(w, "the w%d of w%d ", r.IntN(5000), r.IntN(5000)) // enough of English to be taken for it at once
	}
	fmt.Fprint(w, `<a href="/">home</a>`)
}

// oneLink makes every linked page well linked: how many pages link to one is what no sample can know.
var oneLink = map[string]int{"links-in": 1}

// TestSpread holds the estimate of a small, spread crawl to the health of the whole site: in at
// least nine of ten trials its range covers it, as health.md promises. HARVIK_TRIALS asks for more of them.
func TestSpread(t *testing.T) {
	t.Parallel()
	whole, _ := testkit.Crawl(t, "http://uneven.example/", plan.Plan{
		Pages: 10_000, Parallel: 8, Probes: plan.No(), Limits: oneLink,
		Hosts: map[string]string{"uneven.example": testkit.Serve(t, uneven{0})},
	})
	if whole.Report.HalfWidth != 0 || whole.Report.Assessed < 5000 {
		t.Fatalf("the whole crawl: %v ± %v of %d", whole.Report.Health, whole.Report.HalfWidth, whole.Report.Assessed)
	}
	trials, err := strconv.Atoi(cmp.Or(os.Getenv("HARVIK_TRIALS"), "6"))
	if err != nil {
		t.Fatal(err)
	}
	covered, off, mean := 0, 0.0, 0.0
	for seed := range uint64(trials) {
		// The draw goes by the address, so the host has the same name in every run.
		r, _ := testkit.Crawl(t, "http://uneven.example/", plan.Plan{
			Pages: 250, Parallel: 8, Selection: plan.Spread, Probes: plan.No(), Limits: oneLink,
			Hosts: map[string]string{"uneven.example": testkit.Serve(t, uneven{seed + 1})},
		})
		if r.Report.HalfWidth == 0 || r.Report.HalfWidth > 5 {
			t.Fatalf("seed %d: ± %v", seed, r.Report.HalfWidth)
		}
		miss := math.Abs(r.Report.Health - whole.Report.Health)
		off = max(off, miss)
		mean += r.Report.Health / float64(trials)
		if miss <= r.Report.HalfWidth {
			covered++
		}
	}
	t.Logf("health %.2f, estimated %.2f in the mean, covered in %d of %d trials, at most %.2f off", whole.Report.Health,
		mean, covered, trials, off)
	if covered < trials*9/10 {
		t.Errorf("covered in %d of %d trials", covered, trials)
	}
}
