package checks_test

import (
	"flag"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

var writeDocs = flag.Bool("write-docs", false, "write docs/checks.md anew")

// A fixture is a small site and what one check has to find on it. The files in testdata hold
// many, in this form:
//
//	== title-missing: fires on a page without a title
//	-- /a --
//	<h1>x</h1>
//	-- want --
//	/a there is no title element
//
// A section's first word is a path; then may come a status (with a Location for redirects),
// "hang", or "Name: value" for a header. {words n} stands for n words. Where no section is
// "/", a noindex home page links to all sections. A want line is a path and a part of the note, one
// for each place.
type fixture struct {
	check, title string
	sections     []section
	want         []string
}

type section struct {
	path, location, body string
	status               int
	hang                 bool
	header               [2]string
}

func readFixtures(t *testing.T) []fixture {
	t.Helper()
	files, err := filepath.Glob("testdata/*.txt")
	if err != nil || len(files) == 0 {
		t.Fatalf("no fixtures: %v", err)
	}
	var out []fixture
	for _, name := range files {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range strings.Split("\n"+string(data), "\n== ")[1:] {
			out = append(out, parseFixture(t, name, c))
		}
	}
	return out
}

func parseFixture(t *testing.T, file, text string) fixture {
	t.Helper()
	head, rest, _ := strings.Cut(text, "\n")
	var f fixture
	f.check, f.title, _ = strings.Cut(head, ": ")
	if checks.Find(f.check) == nil {
		t.Fatalf("%s: %q names no check", file, head)
	}
	for _, part := range strings.Split("\n"+rest, "\n-- ")[1:] {
		line, body, _ := strings.Cut(part, "\n")
		line = strings.TrimSuffix(line, " --")
		if line == "want" {
			for _, w := range strings.Split(strings.TrimSpace(body), "\n") {
				if w != "" {
					f.want = append(f.want, w)
				}
			}
			continue
		}
		f.sections = append(f.sections, parseSection(line, body))
	}
	return f
}

func parseSection(line, body string) section {
	path, rest, _ := strings.Cut(line, " ")
	s := section{path: path, status: 200, body: expand(body)}
	switch words := strings.Fields(rest); {
	case rest == "hang":
		s.hang = true
	case strings.Contains(rest, ": "):
		s.header[0], s.header[1], _ = strings.Cut(rest, ": ")
	case len(words) > 0:
		s.status, _ = strconv.Atoi(words[0])
		if len(words) > 1 {
			s.location = words[1]
		}
	}
	return s
}

// expand fills in {words n}.
func expand(s string) string {
	for {
		before, rest, ok := strings.Cut(s, "{words ")
		if !ok {
			return s
		}
		number, after, _ := strings.Cut(rest, "}")
		n, _ := strconv.Atoi(number)
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "word%d ", i)
		}
		s = before + b.String() + after
	}
}

// serve answers with the fixture's sections.
func (f *fixture) serve(w http.ResponseWriter, r *http.Request) {
	var home strings.Builder
	for _, s := range f.sections {
		fmt.Fprintf(&home, `<p><a href="%s">to %s</a></p>`, s.path, s.path)
		if s.path != r.URL.RequestURI() {
			continue
		}
		if s.hang {
			<-r.Context().Done()
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if s.header[0] != "" {
			w.Header().Set(s.header[0], s.header[1])
		}
		if s.location != "" {
			w.Header().Set("Location", s.location)
		}
		w.WriteHeader(s.status)
		fmt.Fprint(w, s.body)
		return
	}
	if r.URL.Path != "/" {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w, `<!doctype html><html lang="en"><meta name="viewport" content="x"><meta name="robots" content="noindex"><title>Home of the fixture site</title><h1>Home of all</h1>%s`, home.String())
}

// TestFixtures runs every check on sites that must and must not trigger it. Each check has
// at least one of both.
func TestFixtures(t *testing.T) {
	fires, silent := map[string]bool{}, map[string]bool{}
	for _, f := range readFixtures(t) {
		if len(f.want) > 0 {
			fires[f.check] = true
		} else {
			silent[f.check] = true
		}
		t.Run(f.check+"/"+strings.ReplaceAll(f.title, " ", "_"), func(t *testing.T) {
			t.Parallel()
			host := testkit.Serve(t, http.HandlerFunc(f.serve))
			result, found := testkit.Crawl(t, "http://"+host+"/", plan.Plan{Timeout: plan.Duration(1500 * time.Millisecond), Retries: -1})
			var got []string
			for _, x := range found.Findings {
				for _, p := range x.Places {
					if x.Check.ID == f.check {
						got = append(got, strings.TrimPrefix(result.Survey.URL(x.Page), "http://"+host)+" "+strings.ReplaceAll(p.Note, "http://"+host, ""))
					}
				}
			}
			slices.Sort(got)
			slices.Sort(f.want)
			if len(got) != len(f.want) {
				t.Fatalf("found %q\nwant  %q", got, f.want)
			}
			for i := range got {
				path, note, _ := strings.Cut(f.want[i], " ")
				if at, text, _ := strings.Cut(got[i], " "); at != path || !strings.Contains(text, note) {
					t.Errorf("found %q\nwant  %q", got[i], f.want[i])
				}
			}
		})
	}
	for _, c := range checks.Catalog {
		if !fires[c.ID] || !silent[c.ID] {
			t.Errorf("%s: needs a fixture that fires (has one: %v) and one that does not (has one: %v)", c.ID, fires[c.ID], silent[c.ID])
		}
	}
}

// TestCatalog holds every check to the form of the catalogue.
func TestCatalog(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range checks.Catalog {
		if seen[c.ID] {
			t.Errorf("%s is there twice", c.ID)
		}
		seen[c.ID] = true
		if (c.Page == nil) == (c.Site == nil) {
			t.Errorf("%s: exactly one of Page and Site is to be set", c.ID)
		}
		if (c.Site != nil) != (c.Scope == check.WholeSite) {
			t.Errorf("%s: a site check has the scope of the whole site, a page check another", c.ID)
		}
		if c.What == "" || c.Why == "" || c.How == "" || c.Line == "" || c.Title == "" || c.Group == "" {
			t.Errorf("%s: a text is missing", c.ID)
		}
		if len(c.Title) > 60 || strings.HasSuffix(c.Title, ".") {
			t.Errorf("%s: the title %q is to be a phrase of at most 60 letters", c.ID, c.Title)
		}
		for _, s := range []string{c.What, c.Why, c.How} {
			if !strings.HasSuffix(s, ".") {
				t.Errorf("%s: %q is no sentence", c.ID, s)
			}
		}
		if w := c.Weight(); w < 0.5 || w > 4 {
			t.Errorf("%s: factor %g is outside 0.5 to 4", c.ID, w)
		}
		for _, l := range c.Limits {
			if !check.KnownLimit(l) {
				t.Errorf("%s: there is no threshold %q", c.ID, l)
			}
		}
	}
}

// TestDocs fails when docs/checks.md is not what the catalogue says; `make docs` writes it.
func TestDocs(t *testing.T) {
	var b strings.Builder
	b.WriteString("# The checks\n\nGenerated from the catalogue by `make docs`. Costs and ranking: architecture.md.\n")
	for _, group := range checks.Groups {
		fmt.Fprintf(&b, "\n## %s\n", group)
		for _, c := range checks.Catalog {
			if c.Group != group {
				continue
			}
			fmt.Fprintf(&b, "\n### %s\n\n**%s**: %s\n\n", c.ID, c.Severity, c.Title)
			fmt.Fprintf(&b, "%s\n\n*Why:* %s\n\n*How to fix:* %s\n", c.What, c.Why, c.How)
			for _, l := range check.AllLimits {
				if slices.Contains(c.Limits, l.Name) {
					fmt.Fprintf(&b, "\nThreshold `%s`: %d %s. %s\n", l.Name, l.Default, l.Unit, l.Doc)
				}
			}
			if c.Source != "" {
				fmt.Fprintf(&b, "\nRests on: %s\n", c.Source)
			}
		}
	}
	name := filepath.Join(testkit.Root(t), "docs", "checks.md")
	if *writeDocs {
		if err := os.WriteFile(name, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	have, err := os.ReadFile(name)
	if err != nil || string(have) != b.String() {
		t.Errorf("docs/checks.md is stale (%v); run `make docs`", err)
	}
}
