package crawl_test

import (
	"bufio"
	"cmp"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

const (
	drawn     = 40 // findings of a group that are put before a reader
	linesRead = 60 // of a fix list
)

// TestPrecision crawls what HARVIK_MANUALS names, folders and addresses with commas between, all manuals on this
// machine if it is "all", and writes what a person has to read into the folder HARVIK_PRECISION: sites.txt, how long
// each fix list is and what its health is made of; a file a site with the first lines of its list; and draw.txt,
// findings drawn from each group by HARVIK_SEED, each beside its line of the source.
func TestPrecision(t *testing.T) {
	out := os.Getenv("HARVIK_PRECISION")
	if out == "" {
		t.Skip("make precision reads manuals of this machine")
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		t.Fatal(err)
	}
	table := create(t, filepath.Join(out, "sites.txt"))
	fmt.Fprintf(table, "%-22s %6s %6s %6s %8s %6s %6s %6s %5s  %s\n", "site", "pages", "found", "health", "findings",
		"lines", ">=.05", "a line", "secs", "points by group")
	pool := map[string][]sample{}
	for _, where := range manuals(t) {
		name, start := serveManual(t, where)
		began := time.Now()
		r, m := testkit.Crawl(t, start, plan.Plan{Pages: 20_000, Parallel: 16})
		tell(table, name, r, time.Since(began))
		list := create(t, filepath.Join(out, name+".txt"))
		tellList(list, r, m)
		for _, f := range m.Findings {
			for _, p := range f.Places {
				address := start
				if f.Page >= 0 {
					address = r.Survey.URL(f.Page)
				}
				pool[f.Check.Group] = append(pool[f.Check.Group], sample{name, address, f.Check, p})
			}
		}
	}
	seed, _ := strconv.ParseUint(os.Getenv("HARVIK_SEED"), 10, 64)
	draw(create(t, filepath.Join(out, "draw.txt")), pool, rand.New(rand.NewPCG(seed, 1)))
}

// A sample is a finding at one place.
type sample struct {
	site, address string
	check         *check.Check
	place         check.Place
}

func create(t *testing.T, name string) io.Writer {
	t.Helper()
	f, err := os.Create(name)
	if err != nil {
		t.Fatal(err)
	}
	w := bufio.NewWriter(f)
	t.Cleanup(func() {
		if err := cmp.Or(w.Flush(), f.Close()); err != nil {
			t.Error(err)
		}
	})
	return w
}

// manuals are the folders and addresses to read.
func manuals(t *testing.T) []string {
	t.Helper()
	if given := os.Getenv("HARVIK_MANUALS"); given != "all" {
		return strings.Split(given, ",")
	}
	var out []string
	all, err := filepath.Glob("/usr/share/doc/*/*/index.html")
	if err != nil {
		t.Fatal(err)
	}
	for _, index := range all {
		folder := filepath.Dir(index)
		pages := 0
		// what cannot be read counts for nothing
		_ = filepath.WalkDir(folder, func(name string, _ fs.DirEntry, _ error) error {
			if strings.HasSuffix(name, ".html") {
				pages++
			}
			return nil
		})
		if pages >= 20 {
			out = append(out, folder)
		}
	}
	return out
}

// serveManual gives a folder's name and address while the test runs.
func serveManual(t *testing.T, where string) (name, start string) {
	t.Helper()
	name, folder, named := strings.Cut(where, "=")
	if strings.HasPrefix(folder, "http") {
		return name, folder
	}
	if !named {
		folder = where
		name = strings.ReplaceAll(strings.Trim(strings.TrimPrefix(where, "/usr/share/doc/"), "/"), "/", "-")
	}
	return name, "http://" + testkit.Serve(t, http.FileServer(http.Dir(folder))) + "/"
}

func tell(w io.Writer, name string, r *booking.Result, took time.Duration) {
	findable, html := 0, 0
	for i := range r.Survey.Pages {
		p := &r.Survey.Pages[i]
		if p.HTML && p.Status == 200 {
			html++
			if p.Indexable {
				findable++
			}
		}
	}
	worth := 0
	for _, f := range r.Report.Fixes {
		if f.Gain >= 0.05 {
			worth++
		}
	}
	groups := map[string]float64{}
	for _, l := range r.Report.Ledger {
		groups[l.Group] += l.Points
	}
	var parts []string
	for _, g := range slices.SortedFunc(maps.Keys(groups),
		func(a, b string) int { return cmp.Compare(groups[b], groups[a]) }) {
		if groups[g] >= 0.05 {
			parts = append(parts, fmt.Sprintf("%s %.1f", g, groups[g]))
		}
	}
	n := len(r.Report.Fixes)
	fmt.Fprintf(w, "%-22s %6d %6d %6.1f %8d %6d %6d %6.0f %5.1f  %s\n", name, html, findable, r.Report.Health,
		r.Report.Findings, n, worth,
		float64(r.Report.Findings)/float64(max(1, n)), took.Seconds(), strings.Join(parts, ", "))
}

// tellList writes the first lines of a fix list, each with a place where it can be seen.
func tellList(w io.Writer, r *booking.Result, m *testkit.Memory) {
	type key struct {
		check string
		page  int32
	}
	evidence := map[key]check.Finding{}
	for _, f := range m.Findings {
		evidence[key{f.Check.ID, f.Page}] = f
	}
	fmt.Fprintf(w, "health %.1f, %d lines\n", r.Report.Health, len(r.Report.Fixes))
	for _, f := range r.Report.Fixes[:min(len(r.Report.Fixes), linesRead)] {
		fmt.Fprintf(w, "%3d %-7s %6.2f %-20s %s\n", f.Rank, f.Severity, f.Gain, f.Check, f.Line)
		found := evidence[key{f.Check, f.Members[0]}]
		for _, p := range found.Places {
			if f.Target != "" && p.Target != f.Target {
				continue
			}
			fmt.Fprintf(w, "      %s: %s | value %.90q | target %.90s | %s\n", pathTo(r, found.Page), p.Note, p.Value,
				p.Target, p.At)
			break
		}
	}
}

func pathTo(r *booking.Result, page int32) string {
	if page < 0 {
		return "the site"
	}
	return r.Survey.URL(page)
}

// draw picks findings of each group, as many of each check as it can.
func draw(w io.Writer, pool map[string][]sample, random *rand.Rand) {
	for _, group := range slices.Sorted(maps.Keys(pool)) {
		byCheck := map[string][]sample{}
		for _, s := range pool[group] {
			byCheck[s.check.ID] = append(byCheck[s.check.ID], s)
		}
		fmt.Fprintf(w, "\n## %s: %d findings\n", group, len(pool[group]))
		var picked []sample
		for len(picked) < drawn && len(byCheck) > 0 {
			for _, id := range slices.Sorted(maps.Keys(byCheck)) {
				left := byCheck[id]
				i := random.IntN(len(left))
				picked = append(picked, left[i])
				left[i] = left[len(left)-1]
				if byCheck[id] = left[:len(left)-1]; len(left) == 1 {
					delete(byCheck, id)
				}
			}
		}
		slices.SortStableFunc(picked, func(a, b sample) int { return strings.Compare(a.check.ID, b.check.ID) })
		for i, s := range picked {
			fmt.Fprintf(w, "%3d %s | %s %s\n    %s | value %.120q | target %.100s | words %.60q | %s\n", i+1,
				s.check.ID, s.site, s.address,
				s.place.Note, s.place.Value, s.place.Target, s.place.Words, s.place.At)
			if s.place.Line > 0 {
				fmt.Fprintf(w, "    %d:%d %.200s\n", s.place.Line, s.place.Col,
					sourceLine(s.address, s.place.Line, s.place.Col))
			}
		}
	}
}

// sourceLine is a line of what an address answers, from a little before a column.
func sourceLine(address string, line, col int) string {
	answer, err := http.Get(address)
	if err != nil {
		return err.Error()
	}
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	lines := strings.Split(string(body), "\n")
	if err != nil || line > len(lines) {
		return "(no such line)"
	}
	text := strings.TrimRight(lines[line-1], "\r")
	return text[min(len(text), max(0, col-20)):]
}
