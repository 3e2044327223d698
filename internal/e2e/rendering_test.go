package e2e

import (
	"crypto/tls"
	"encoding/json"
	"fmt"
	"net/http"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/render"
	"harvik/internal/testkit"
)

// glasshouse is a service with the garden's glasshouse under care, whose pages are rendered.
func glasshouse(t *testing.T, how plan.Render, own ...plan.OwnCheck) (h *harvik, turn func(http.Handler)) {
	t.Helper()
	if _, err := render.Program(); err != nil {
		t.Skip(err)
	}
	h = startOn(t, testkit.Tables(t))
	var now atomic.Value
	now.Store(demo.Glasshouse())
	house := http.HandlerFunc(
		func(w http.ResponseWriter, r *http.Request) { now.Load().(http.Handler).ServeHTTP(w, r) },
	)
	address, authority := testkit.ServeBoth(t, house, testkit.Door{Oldest: tls.VersionTLS12, Days: 300,
		Protocols: demo.Protocols}, demo.GlasshouseHost)
	h.addSite(t, "glasshouse", demo.GlasshouseHome, plan.Plan{
		Hosts: map[string]string{demo.GlasshouseHost: address}, CA: authority, Parallel: 8, Retries: -1,
		Timeout: plan.Duration(15 * time.Second), Resources: plan.None, Probes: plan.No(), Render: how, Own: own})
	return h, func(other http.Handler) { now.Store(other) }
}

// grown crawls the glasshouse to its end.
func (h *harvik) grown(t *testing.T) api.Crawl {
	t.Helper()
	cr, err := h.StartCrawl(t.Context(), "glasshouse", api.NewCrawl{})
	if err == nil {
		cr, err = h.Watch(t.Context(), "glasshouse", api.Numbered(cr.Number), func(api.Progress) {})
	}
	if err != nil || cr.State != "finished" {
		t.Fatalf("%+v (%v)", cr, err)
	}
	return cr
}

// asked gives the rows of a question of the glasshouse.
func (h *harvik) asked(t *testing.T, of, question, columns string) (out [][]any) {
	t.Helper()
	a, err := h.Ask(
		t.Context(),
		"glasshouse",
		api.Latest,
		&api.AskParams{Of: of, Question: question, Columns: columns, Limit: 1000},
	)
	if err != nil {
		t.Fatalf("%s: %v", question, err)
	}
	return a.Rows
}

// A machine that is busy with other tests is slower than what was planted, never faster: what these tell may be found
// on more pages, and where it was planted the worse of the two may stand instead.
var (
	byTime = map[string]bool{"thread-blocked": true, "thread-stuck": true, "script-holds": true,
		"paint-slow": true, "paint-very-slow": true, "tap-late": true}
	worse = map[string]string{"thread-blocked": "thread-stuck", "paint-slow": "paint-very-slow"}
)

// TestGlasshouse renders all pages of a site that scripts build: what is found is what was planted, and where only
// scripts lead is followed.
func TestGlasshouse(t *testing.T) {
	t.Parallel()
	h, turn := glasshouse(t, plan.Render{Pages: plan.All, Within: plan.Duration(8 * time.Second),
		Tap: []string{demo.GlasshouseTaps}}, plan.OwnCheck{ID: "own-heavy", Group: "weight", Of: "renderings",
		Question: `page.section == "/bundle/" && transferred > 50000`, Title: "bundle too heavy for the garden",
		Why: "The garden is far from any mast.", How: "Leave the bundle away.",
		Fires:  []map[string]any{{"page.section": "/bundle/", "transferred": 50001}},
		Passes: []map[string]any{{"page.section": "/bundle/", "transferred": 50000}}})
	h.grown(t)
	want, got := map[string]bool{}, map[string]bool{}
	for _, f := range demo.GlasshousePlanted() {
		want[f.Check+" "+f.Page] = true
	}
	group := map[string]bool{}
	for _, c := range testkit.Catalogue.Checks {
		group[c.ID] = c.Group == "rendering"
	}
	for _, row := range h.asked(t, "findings", "", "check,page.path,what") {
		if id := row[0].(string); group[id] {
			at := id + " " + row[1].(string)
			if got[at] = true; !want[at] && !byTime[id] {
				t.Errorf("found, not planted: %s: %v", at, row[2])
			}
		}
	}
	for at := range want {
		id, page, _ := strings.Cut(at, " ")
		if !got[at] && !got[worse[id]+" "+page] {
			t.Errorf("planted, not found: %s", at)
		}
	}
	for id := range group {
		if group[id] &&
			!slices.ContainsFunc(demo.GlasshousePlanted(), func(f demo.Finding) bool { return f.Check == id }) {
			t.Errorf("%s is planted nowhere", id)
		}
	}
	paths := map[string]bool{}
	for _, row := range h.asked(t, "pages", "status == 200", "path") {
		paths[row[0].(string)] = true
	}
	for _, path := range demo.GlasshouseScripted() {
		if !paths[path] {
			t.Errorf("%s, where only scripts lead, was not fetched", path)
		}
	}
	for _, row := range h.asked(t, "links", `scripted`, "source.path,target.path") {
		if row[0] != "/ferns/" || !strings.HasPrefix(row[1].(string), "/ferns/") {
			t.Errorf("taken for a link of scripts: %v", row)
		}
	}
	if n := len(h.asked(t, "links", `scripted`, "words")); n != len(demo.GlasshouseScripted()) {
		t.Errorf("%d links are marked as those of scripts", n)
	}
	if row := h.asked(t, "pages", `path == "/ferns/"`, "title,words"); len(row) != 1 ||
		row[0][0] != "Ferns of the glasshouse" ||
		row[0][1].(float64) < 60 {
		t.Errorf("the page of ferns is read as %v", row)
	}
	for _, row := range h.asked(t, "renderings", `page.path in ["/calm/", "/", "/table/"]`, "page.path,device,outcome,done,differs,errors") {
		if row[2] != "rendered" || row[3] != rendered.Settled || len(row[4].([]any)) > 0 || row[5] != 0.0 {
			t.Errorf("nothing is to be told of %v", row)
		}
	}
	all, err := h.ShowRenderings(t.Context(), "glasshouse", api.Latest, &api.ShowRenderingsParams{Address: "/ferns/"})
	if err != nil || len(all.Renderings) != 2 || all.Renderings[0].Device != "phone" ||
		all.Renderings[0].ScriptedLinks != 5 ||
		all.Renderings[0].Screen == "" {
		t.Fatalf("%+v (%v)", all, err)
	}
	picture := h.raw(t, "GET", "/sites/glasshouse/crawls/latest/screens/"+all.Renderings[0].Screen)
	if !strings.HasPrefix(string(picture), "RIFF") || !strings.Contains(string(picture[:16]), "WEBP") {
		t.Errorf("the picture begins with %q", picture[:16])
	}
	if all, err = h.ShowRenderings(t.Context(), "glasshouse", api.Latest,
		&api.ShowRenderingsParams{Address: demo.GlasshouseLoop}); err != nil || all.Renderings[0].Outcome != "stuck" {
		t.Errorf("the loop: %+v (%v)", all, err)
	}
	if rows := h.asked(t, "findings", `check == "own-heavy"`, "page.path,what"); len(rows) != 2 || rows[0][0] != "/bundle/" ||
		!strings.HasPrefix(rows[0][1].(string), "device: phone, ") || rows[1][0] != "/bundle/" {
		t.Errorf("a check of one's own about renderings finds %v", rows)
	}
	h.spread(t)
	h.shownBuilt(t)
	if _, err := h.JudgeCrawl(t.Context(), "glasshouse", api.Latest, &api.JudgeCrawlParams{Read: true}); err == nil ||
		!strings.Contains(err.Error(), "was rendered") {
		t.Errorf("reading anew what was rendered gives %v", err)
	}
	if _, err := h.JudgeCrawl(t.Context(), "glasshouse", api.Latest, &api.JudgeCrawlParams{}); err != nil {
		t.Errorf("judged anew: %v", err)
	}
	if n := len(h.asked(t, "findings", `check == "scripted-title"`, "check")); n != 1 {
		t.Errorf("judged anew, %d pages have a title by scripts", n)
	}
	turn(demo.Glasshouse("/orchids/", "/letters/", "/bundle/"))
	h.builtAgain(t)
}

// spread holds the groups of renderings to their rows.
func (h *harvik) spread(t *testing.T) {
	t.Helper()
	for _, by := range []string{"layout", "section"} {
		s, err := h.ShowSpeed(t.Context(), "glasshouse", api.Latest, &api.ShowSpeedParams{By: by})
		if err != nil || s.By != by || s.Before != 0 || len(s.Groups) < 4 {
			t.Fatalf("by %s: %+v (%v)", by, s, err)
		}
		pages, failed, poor := 0, 0, 0
		for _, g := range s.Groups {
			pages, failed, poor = pages+g.Pages, failed+g.Failed, poor+g.Largest.Poor
			if g.Question == "" {
				continue
			}
			if n := len(h.asked(t, "renderings", g.Question+` && outcome == "rendered"`, "device")); n != g.Pages {
				t.Errorf("%s of %s finds %d renderings of %d", g.Question, g.Name, n, g.Pages)
			}
			if n := len(h.asked(t, "renderings", g.Blocked.Slow, "device")); n != g.Blocked.Fair+g.Blocked.Poor {
				t.Errorf("%s finds %d renderings, not %d and %d", g.Blocked.Slow, n, g.Blocked.Fair, g.Blocked.Poor)
			}
		}
		if all := len(h.asked(t, "renderings", "", "device")); pages+failed != all || failed != 2 ||
			poor == 0 || poor != len(h.asked(t, "renderings", "largestPaint > 4000.0", "device")) {
			t.Errorf("by %s there are %d pages, %d failed, %d painted very late, of %d", by, pages, failed, poor, all)
		}
	}
}

// builtAgain rechecks fixes of pages two of which are mended.
func (h *harvik) builtAgain(t *testing.T) {
	t.Helper()
	want := map[string]string{
		"scripted-robots": "confirmed",
		"layout-shifts":   "confirmed",
		"own-heavy":       "confirmed",
		"layout-jumps":    "still there",
		"render-failed":   "still there",
	}
	list, err := h.ListFixes(
		t.Context(),
		"glasshouse",
		api.Latest,
		&api.ListFixesParams{Limit: 100},
	)
	if err != nil {
		t.Fatal(err)
	}
	var ids []string
	for _, f := range list.Fixes {
		if want[f.Check] != "" {
			ids = append(ids, f.ID)
		}
	}
	for _, r := range h.recheckOf(t, "glasshouse", ids...).Results {
		if got := r.Verdict; got != want[r.Check] {
			t.Errorf("%s is %s after a recheck, want %s", r.Check, got, want[r.Check])
		}
		delete(want, r.Check)
	}
	if len(want) > 0 {
		t.Errorf("nothing is said of %v", want)
	}
}

// shownBuilt looks at renderings as people do.
func (h *harvik) shownBuilt(t *testing.T) {
	t.Helper()
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("glasshouse")
	at := h.url + "/sites/glasshouse/latest/page?address=" + demo.GlasshouseHome
	b.visit(at + "ferns/")
	b.see("As a browser builds it")
	b.see("Ferns of the glasshouse")
	b.see("/ferns/maidenhair/")
	b.wait(
		"pictures of both first views",
		`[...document.querySelectorAll('img[alt^="The first view"]')].filter(i => i.naturalWidth > 100).length === 2`,
	)
	b.picture("rendering")
	b.visit(at + "map/")
	b.see("Scripts change nothing of what the source says.")
	b.see("busy.js")
	b.visit(at + "blinds/")
	b.see("answered after")
	b.visit(h.url + "/sites/glasshouse/latest/speed")
	// What stands after 4.3 s a busy machine may not see stand, and count among those that have it not.
	b.wait("the layout of what comes late", `['/hours/', '/prices/'].some(p => document.body.innerText.includes(p))`)
	b.see("painted last: div#late > div")
	b.see("5 links on 1 of 1")
	b.picture("speed")
	b.visit(h.url + "/sites/glasshouse/latest/speed?by=section")
	b.see("/ferns/")
	b.click("link", "poor on 1 of 1")
	b.see("largestPaint > 2500.0")
	b.see("/hours/")
	b.visit(at + "loop/")
	b.see("its scripts kept the browser from answering")
	b.size(390, 844)
	b.visit(at + "ferns/")
	b.see("only after scripts")
	b.wait("nothing wider than a phone", `document.documentElement.scrollWidth <= 391`)
	b.picture("rendering-phone")
	b.visit(h.url + "/sites/glasshouse/latest/speed")
	b.see("painted last")
	b.wait("nothing wider than a phone", `document.documentElement.scrollWidth <= 391`)
}

// TestSpeedChanges: what a deployment made slower is told by layout, in the crawl after it.
func TestSpeedChanges(t *testing.T) {
	t.Parallel()
	if _, err := render.Program(); err != nil {
		t.Skip(err)
	}
	s := newShell(t)
	s.start()
	var late atomic.Int32
	beds := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/late" {
			time.Sleep(time.Duration(late.Load()) * time.Millisecond)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<!doctype html><title>Bed %s</title><h1>Bed</h1>", r.URL.Path)
		if r.URL.Path == "/" {
			fmt.Fprint(w, "<ul><li><a href=/moss/1>1</a><li><a href=/moss/2>2</a><li><a href=/moss/3>3</a></ul>")
			return
		}
		fmt.Fprint(w, `<main><p>Moss grows here.</p><div id=d></div></main><script>fetch("/late").then(() => {
			d.innerHTML = '<p style="height:400px;font-size:50px">' + "Moss on a wall. ".repeat(9) + "</p>" })</script>`)
	}))
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.fails("speed beds", 1, "a finished crawl of the site beds does not exist")
	s.ok("plan set beds probes=false resources=none render.pages=all render.devices=[desktop] --host beds.example=" + beds)
	s.ok("crawl beds")
	s.ok("speed beds", "as /moss/1", "3 · 0 · 0")
	late.Store(2600)
	s.ok("crawl beds")
	// How much later than it has to a page stands there is the machine's affair.
	s.ok("speed beds", "as /moss/1", "painted last on 3 of 3: div#d > p", "Compared with crawl 1")
	s.ok("speed beds --by section", "/moss/")
	s.ok("drift beds", "Speed of rendered pages, before and after")
	for _, command := range []string{"speed beds", "drift beds", "speed beds@1..2 --by section"} {
		if out := s.ok(command); !regexp.MustCompile(`[~!] [2-9]\.[0-9] s \(\+[2-9]\.[0-9] s\)  .*  0 · `).MatchString(out) {
			t.Errorf("harvik %s tells no change:\n%s", command, out)
		}
	}
	s.ok("ask beds largestPaint>2500.0 --of renderings", "3 renderings")
	s.ok("site add near http://" + beds + "/ --allow 127.0.0.0/8")
	s.ok("look --render http://"+beds+"/moss/1", "As a browser builds it, on a phone", "painted last: div#d > p",
		"page stands there", "painted after")
	var l api.Look
	if err := json.Unmarshal([]byte(s.ok("look --render http://"+beds+"/ --json")), &l); err != nil ||
		len(l.Renderings) != 2 || !strings.HasPrefix(string(l.Renderings[0].Picture), "RIFF") {
		t.Errorf("a look gives %d renderings, or no picture (%v)", len(l.Renderings), err)
	}
}

// TestTemplates renders some pages of each template beside the source, which stays what is judged.
func TestTemplates(t *testing.T) {
	t.Parallel()
	h, _ := glasshouse(t,
		plan.Render{Pages: plan.Templates, Within: plan.Duration(8 * time.Second), Each: 2, Devices: []string{"desktop"}},
	)
	h.grown(t)
	rows := h.asked(t, "renderings", "", "page.path,device")
	if len(rows) < 2 || len(rows) > 14 {
		t.Errorf("%d renderings: %v", len(rows), rows)
	}
	for _, row := range rows {
		if row[1] != "desktop" {
			t.Errorf("rendered on %v", row)
		}
	}
	if row := h.asked(t, "pages", `path == "/ferns/"`, "title"); len(row) != 1 || row[0][0] != "Glasshouse" {
		t.Errorf("the page of ferns is read as %v", row)
	}
}

// TestRenderingKilled kills the browser, then the service, while pages are rendered: the crawl goes on, nothing is
// lost, and no process is left.
func TestRenderingKilled(t *testing.T) {
	t.Parallel()
	if _, err := render.Program(); err != nil {
		t.Skip(err)
	}
	s := newShell(t)
	s.start()
	const pages = 14
	beds := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(
			w,
			"<!doctype html><title>Bed %s</title><h1>Bed</h1><div id=a></div><script>a.innerHTML = ",
			r.URL.Path,
		)
		fmt.Fprint(w, "`")
		for i := range pages {
			fmt.Fprintf(w, "<a href=/%d>bed %d</a> ", i, i)
		}
		fmt.Fprint(w, "`</script>")
	}))
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.ok(
		"plan set beds probes=false resources=none render.pages=all sources.sitemaps=false --host beds.example=" + beds,
	)
	s.ok("crawl beds --detach")
	browsers := func() []string {
		out, _ := exec.Command("pgrep", "-f", "user-data-dir="+s.data).Output() // it fails where there is none
		return strings.Fields(string(out))
	}
	kill := func() {
		t.Helper()
		for deadline := time.Now().Add(20 * time.Second); len(browsers()) == 0; time.Sleep(50 * time.Millisecond) {
			if time.Now().After(deadline) {
				t.Fatal("no browser is begun", s.ok("crawl list beds"), s.ok("ask beds --of renderings --limit 50"))
			}
		}
		for _, pid := range browsers() {
			if n, err := strconv.Atoi(pid); err == nil {
				_ = syscall.Kill(n, syscall.SIGKILL)
			}
		}
	}
	kill()
	time.Sleep(3 * time.Second)
	kill()
	s.awaitMore("beds")
	s.stop(syscall.SIGKILL)
	for deadline := time.Now().Add(5 * time.Second); len(browsers()) > 0; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatalf("processes are left: %v", browsers())
		}
	}
	s.start()
	s.await("beds", "finished")
	if n := s.stored("beds"); n != pages+1 {
		t.Errorf("%d pages, want %d", n, pages+1)
	}
	var a api.Answer
	if err := json.Unmarshal([]byte(s.ok("ask beds --of renderings --by outcome --json")), &a); err != nil || len(a.Groups) != 1 ||
		a.Groups[0].Value != "rendered" ||
		a.Groups[0].Count != 2*(pages+1) {
		t.Errorf("%+v (%v)", a.Groups, err)
	}
}
