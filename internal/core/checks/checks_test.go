package checks_test

import (
	"cmp"
	"context"
	"crypto/tls"
	"encoding/json"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/render"
	"harvik/internal/testkit"
)

// catalogue is every check.
var catalogue = checks.New()

var writeDocs = flag.Bool("write-docs", false, "write docs/checks.md anew")

// A fixture is a small site and what one check has to find on it. The files in testdata hold many, in this form:
//
//	== title-missing: fires on a page without a title
//	-- /a --
//	<h1>x</h1>
//	-- want --
//	/a there is no title element
//
// A section's first word is a path; then may come a status (with a Location for redirects), "hang", "slow" (0.4 s),
// "uneven" (503 at the first try), "cut" (the body ends early), "agent" (403 but for browsers), or headers: "Name:
// value | Name: value". {words n} stands for n words, {bytes n} for n letters, {repeat n text} for a text n times,
// {png n} for the head of a PNG file of a colour type, {port} and {host} for the server's. One that begins with http:
// or https: is served by that scheme alone, and not linked to. A path that ends in * goes by numbers, {next} is the
// next. A section whose path has {a..b} stands for as many, {i} is the number of each; a line of what is wanted, too.
// Where no section is "/", a noindex home page links to all sections but those that begin with ~. A want line is a
// path, or (site), and a part of the note, one for each place. A section "plan" has lines of settings:
//
//	tls              the site is at https://fixture.example/, http answers, too
//	named            the site is at http://fixture.example/
//	days n           the certificate's
//	weak             the certificate's key is short
//	hosts a b        further hosts of the site; these resolve to the server, but those ending in .invalid
//	others a b       other sites that resolve to the server
//	outbound         outbound links are checked
//	list /a /b       addresses to begin with
//	limit name n     a threshold
//	start /a/        the address that the crawl begins at
//	retries n
//	snippet name t   a text that every page is to contain
//	staging a b      hosts that no page may link to
//	unknown          the certificate's authority is not in the plan
//	modern           TLS 1.2 at least
//	http1            HTTP/1.1 only
//
// A section "built /a" is what a browser makes of /a, and "rendered /a" what it measures, as a list of rendered.Page in
// JSON: with one of them in it, all pages are rendered.
type fixture struct {
	check, title string
	text         string
	sections     []section
	want         []string
	settings     []string
	tried        sync.Map
	built        map[string]string          // by path
	rendered     map[string][]rendered.Page // likewise
}

// Render implements crawl.Browser: it makes of a page what the fixture says.
func (f *fixture) Render(
	_ context.Context,
	address, device string,
	_ *render.Traffic,
	_ render.Settings,
) (render.Result, error) {
	u, err := weburl.Parse(address)
	if err != nil {
		return render.Result{}, err
	}
	out := render.Result{Page: rendered.Page{Device: device, Outcome: rendered.Rendered, Done: rendered.Settled}}
	for _, p := range f.rendered[u.PathQuery()] {
		if p.Device == device {
			out.Page = p
			out.Outcome = cmp.Or(p.Outcome, rendered.Rendered)
		}
	}
	html, ok := f.built[u.PathQuery()]
	for i := range f.sections {
		if !ok && f.sections[i].path == u.PathQuery() {
			html = f.sections[i].body
		}
	}
	if html == "" { // the fixture's home page
		out.Outcome = rendered.Failed
	} else if out.Found() {
		out.HTML = []byte(html)
	}
	return out, nil
}

type section struct {
	path, location, body, manner string
	status                       int
	header                       [][2]string
	unlinked                     bool
	scheme                       string // the only one by which it is served, "" for both
}

func readFixtures(t *testing.T) []*fixture {
	t.Helper()
	files, err := filepath.Glob("testdata/*.txt")
	if err != nil || len(files) == 0 {
		t.Fatalf("no fixtures: %v", err)
	}
	var out []*fixture
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

func parseFixture(t *testing.T, file, text string) *fixture {
	t.Helper()
	head, rest, _ := strings.Cut(text, "\n")
	f := &fixture{built: map[string]string{}, rendered: map[string][]rendered.Page{}}
	f.check, f.title, _ = strings.Cut(head, ": ")
	f.text = rest
	if catalogue.Find(f.check) == nil {
		t.Fatalf("%s: %q names no check", file, head)
	}
	for _, part := range strings.Split("\n"+rest, "\n-- ")[1:] {
		line, body, _ := strings.Cut(part, "\n")
		line = strings.TrimSuffix(line, " --")
		if line == "want" {
			for _, w := range strings.Split(strings.TrimSpace(expand(body)), "\n") {
				if w != "" {
					f.want = append(f.want, numbered(w)...)
				}
			}
			continue
		}
		if line == "plan" {
			f.settings = strings.Split(strings.TrimSpace(body), "\n")
			continue
		}
		if path, ok := strings.CutPrefix(line, "built "); ok {
			f.built[path] = expand(body)
			continue
		}
		if path, ok := strings.CutPrefix(line, "rendered "); ok {
			var pages []rendered.Page
			if err := json.Unmarshal([]byte(body), &pages); err != nil {
				t.Fatalf("%s: %s: %v", file, head, err)
			}
			f.rendered[path] = pages
			continue
		}
		f.sections = append(f.sections, parseSections(line, body)...)
	}
	return f
}

var ranges = regexp.MustCompile(`\{(\d+)\.\.(\d+)\}`)

// parseSections makes one section, or one for each number of a range.
func parseSections(line, body string) (out []section) {
	for _, text := range numbered(line + "\n" + body) {
		line, body, _ := strings.Cut(text, "\n")
		out = append(out, parseSection(line, body))
	}
	return out
}

// numbered is a text once for each number of its first {a..b}, which stands at {i}, too; itself where it has none.
func numbered(text string) (out []string) {
	m := ranges.FindStringSubmatch(text)
	if m == nil {
		return []string{text}
	}
	from, _ := strconv.Atoi(m[1])
	to, _ := strconv.Atoi(m[2])
	for i := from; i <= to; i++ {
		number := strconv.Itoa(i)
		out = append(out, strings.NewReplacer(m[0], number, "{i}", number).Replace(text))
	}
	return out
}

func parseSection(line, body string) section {
	path, rest, _ := strings.Cut(expand(line), " ")
	s := section{status: 200, body: expand(body)}
	s.path, s.unlinked = strings.CutPrefix(path, "~")
	if scheme, path, ok := strings.Cut(s.path, ":/"); ok && (scheme == "http" || scheme == "https") {
		s.scheme, s.path, s.unlinked = scheme, "/"+path, true
	}
	switch words := strings.Fields(rest); {
	case rest == "hang", rest == "slow", rest == "uneven", rest == "cut", rest == "agent":
		s.manner = rest
	case strings.Contains(rest, ": "):
		for one := range strings.SplitSeq(rest, " | ") {
			name, value, _ := strings.Cut(one, ": ")
			s.header = append(s.header, [2]string{name, value})
		}
	case len(words) > 0:
		s.status, _ = strconv.Atoi(words[0])
		if len(words) > 1 {
			s.location = words[1]
		}
	}
	return s
}

var marks = regexp.MustCompile(`\{(words|bytes|repeat|png) (\d+)(?: ([^{}]*))?\}`)

// expand fills in {words n}, {bytes n} and {repeat n text}.
func expand(s string) string {
	return marks.ReplaceAllStringFunc(s, func(mark string) string {
		m := marks.FindStringSubmatch(mark)
		n, _ := strconv.Atoi(m[2])
		switch m[1] {
		case "bytes":
			return strings.Repeat("x", n)
		case "png":
			return "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08" + string(rune(n)) +
				"\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00IDAT"
		case "repeat":
			return strings.Repeat(m[3], n)
		}
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "word%d ", i)
		}
		return b.String()
	})
}

// serve answers with the fixture's sections.
func (f *fixture) serve(w http.ResponseWriter, r *http.Request) {
	_, port, _ := net.SplitHostPort(r.Context().Value(http.LocalAddrContextKey).(net.Addr).String())
	fill := strings.NewReplacer("{port}", port, "{host}", r.Host)
	var home strings.Builder
	for i := range f.sections {
		s := &f.sections[i]
		if !s.unlinked {
			fmt.Fprintf(&home, `<p><a href="%s">to %s</a></p>`, s.path, s.path)
		}
		next := ""
		if prefix, ok := strings.CutSuffix(s.path, "*"); ok && strings.HasPrefix(r.URL.Path, prefix) {
			n, _ := strconv.Atoi(strings.Trim(r.URL.Path[len(prefix):], "/"))
			next = strconv.Itoa(n + 1)
		} else if s.path != r.URL.RequestURI() {
			continue
		}
		if s.scheme != "" && (s.scheme == "https") != (r.TLS != nil) {
			continue
		}
		switch _, again := f.tried.LoadOrStore(s.path, true); s.manner {
		case "hang":
			<-r.Context().Done()
			return
		case "slow":
			time.Sleep(400 * time.Millisecond)
		case "uneven":
			if !again {
				http.Error(w, "not now", http.StatusServiceUnavailable)
				return
			}
		case "agent":
			if !strings.Contains(r.UserAgent(), "Mozilla/5.0 (Windows") {
				http.Error(w, "no", http.StatusForbidden)
				return
			}
		case "cut":
			w.Header().Set("Content-Length", "100000")
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		for _, h := range s.header {
			if w.Header().Set(h[0], fill.Replace(h[1])); h[1] == "-" {
				w.Header()[h[0]] = nil
			}
		}
		if s.location != "" {
			w.Header().Set("Location", fill.Replace(s.location))
		}
		w.WriteHeader(s.status)
		fmt.Fprint(w, strings.ReplaceAll(fill.Replace(s.body), "{next}", next))
		return
	}
	if r.URL.Path != "/" {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(
		w,
		`<!doctype html><html lang="en"><head><meta name="viewport" content="x"><meta name="robots" content="noindex"><title>Home of the fixture site</title></head><h1>Home of all</h1>%s`,
		home.String(),
	)
}

const fixtureHost = "fixture.example"

// run crawls the fixture and gives what its check found, a line each.
func (f *fixture) run(t *testing.T) []string {
	p := plan.Plan{Timeout: plan.Duration(1500 * time.Millisecond), Retries: -1, Hosts: map[string]string{},
		Limits: map[string]int{}}
	names, scheme, named, unknown := []string{fixtureHost}, "http", false, false
	door := testkit.Door{Oldest: tls.VersionTLS10, Days: 300, Protocols: demo.Protocols}
	start := "/"
	for _, line := range f.settings {
		words := strings.Fields(line)
		switch words[0] {
		case "tls":
			scheme, named = "https", true
		case "named":
			named = true
		case "days":
			door.Days, _ = strconv.Atoi(words[1])
		case "hosts":
			p.Scope.Hosts, names = words[1:], append(names, words[1:]...)
		case "others":
			names = append(names, words[1:]...)
		case "outbound":
			p.Outbound = true
		case "list":
			p.Sources.Addresses = words[1:]
		case "limit":
			p.Limits[words[1]], _ = strconv.Atoi(words[2])
		case "snippet":
			p.Snippets = append(p.Snippets, plan.Snippet{Name: words[1], Contains: words[2]})
		case "staging":
			p.Scope.Staging = words[1:]
		case "start":
			start = words[1]
		case "unknown":
			unknown = true
		case "http1":
			door.Protocols = nil
		case "modern":
			door.Oldest = tls.VersionTLS12
		case "weak":
			door.Weak = true
		case "retries":
			p.Retries, _ = strconv.Atoi(words[1])
		default:
			t.Fatalf("there is no setting %q", line)
		}
	}
	host, authority := testkit.ServeBoth(t, http.HandlerFunc(f.serve), door, names...)
	origin := scheme + "://" + host
	if named {
		origin = scheme + "://" + fixtureHost
		for _, name := range append(names, "www."+fixtureHost) {
			if !strings.HasSuffix(name, ".invalid") && name != "www."+fixtureHost {
				p.Hosts[name] = host
			}
			if strings.HasSuffix(name, ".closed") {
				p.Hosts[name] = "127.0.0.1:1"
			}
		}
		if !unknown {
			p.CA = authority
		}
	}
	found := new(testkit.Memory)
	if len(f.built)+len(f.rendered) > 0 {
		p.Render.Pages = plan.All
		found.Browser = f
	}
	result := found.Crawl(t, origin+start, p)
	var got []string
	for _, x := range found.Findings {
		at := "(site)"
		if x.Page >= 0 {
			at = strings.TrimPrefix(result.Survey.URL(x.Page), origin)
		}
		for _, place := range x.Places {
			if x.Check.ID == f.check {
				got = append(got, at+" "+strings.ReplaceAll(place.Note, origin, ""))
			}
		}
	}
	return got
}

// TestFixtures runs every check on sites that must and must not trigger it. Each check has
// at least one of both.
func TestFixtures(t *testing.T) {
	fires, silent := map[string]bool{}, map[string]bool{}
	var mu sync.Mutex
	var verdicts []string // on which pages each fails, not in what words
	t.Cleanup(func() {
		if !t.Failed() && len(verdicts) == len(readFixtures(t)) { // unless only some were run
			slices.Sort(verdicts)
			holdVersion(t, "verdicts", catalogue.Version, "catalogue.Version", strings.Join(verdicts, "\n"))
		}
	})
	for _, f := range readFixtures(t) {
		if len(f.want) > 0 {
			fires[f.check] = true
		} else {
			silent[f.check] = true
		}
		t.Run(catalogue.Find(f.check).Group+"/"+f.check+"/"+strings.ReplaceAll(f.title, " ", "_"), func(t *testing.T) {
			t.Parallel()
			got := f.run(t)
			slices.Sort(got)
			slices.Sort(f.want)
			pages := make([]string, len(got))
			for i := range got {
				pages[i], _, _ = strings.Cut(got[i], " ")
			}
			mu.Lock()
			verdicts = append(verdicts, fmt.Sprintf("%s %s: %q", f.check, f.title, pages))
			mu.Unlock()
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
	for _, c := range catalogue.Checks {
		if !fires[c.ID] || !silent[c.ID] {
			t.Errorf("%s: needs a fixture that fires (has one: %v) and one that does not (has one: %v)", c.ID,
				fires[c.ID], silent[c.ID])
		}
	}
}

// TestCatalog holds every check to the form of the catalogue.
func TestCatalog(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range catalogue.Checks {
		if seen[c.ID] {
			t.Errorf("%s is there twice", c.ID)
		}
		seen[c.ID] = true
		has := 0
		for _, one := range []bool{c.Page != nil, c.Site != nil, c.Rendering != nil} {
			if one {
				has++
			}
		}
		if has != 1 {
			t.Errorf("%s: exactly one of Page, Site and Rendering is to be set", c.ID)
		}
		if (c.Page == nil) != (c.Scope == check.WholeSite) {
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
		if w := c.Weight(); !c.Free && w < 0.5 || w > 4 {
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
	fixtures := readFixtures(t)
	var b strings.Builder
	b.WriteString(
		"# The checks\n\nGenerated from the catalogue and its test sites by `make docs`. Costs and ranking: judgement.md.\n" +
			"Each check has a site on which it fires and one on which it does not; their form is told in internal/core/checks/checks_test.go.\n",
	)
	for _, group := range catalogue.Groups {
		fmt.Fprintf(&b, "\n## %s\n", group)
		for _, c := range catalogue.Checks {
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
			for _, fires := range []bool{true, false} {
				i := slices.IndexFunc(fixtures,
					func(f *fixture) bool { return f.check == c.ID && (len(f.want) > 0) == fires })
				if i < 0 {
					continue
				}
				title := fixtures[i].title
				fmt.Fprintf(&b, "\n%s%s:\n\n````text\n%s\n````\n", strings.ToUpper(title[:1]), title[1:],
					strings.TrimSpace(fixtures[i].text))
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
