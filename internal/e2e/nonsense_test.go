package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// small is a service with a small site, crawled twice up to its number of pages.
func small(t *testing.T) *harvik {
	t.Helper()
	h := startBeside(t, http.NotFoundHandler())
	host := testkit.Serve(t, &testkit.Generated{Pages: 60, Seed: 8})
	no := false
	p := plan.Plan{Pages: 30, Hosts: map[string]string{"big.example": host}, Resources: plan.None, Probes: &no}
	h.addSite(t, "small", "http://big.example/", p)
	h.addSite(t, "fresh", "http://big.example/", p)
	for n := range 2 {
		if _, err := h.StartCrawl(t.Context(), "small", api.NewCrawl{}); err != nil {
			t.Fatal(err)
		}
		end, err := h.Watch(t.Context(), "small", api.Numbered(n+1), func(api.Progress) {})
		if err != nil || end.Ending != "page-limit" {
			t.Fatalf("crawl %d ended as %+v (%v)", n+1, end, err)
		}
	}
	return h
}

// TestNonsense asks for what makes no sense, all over the API: each answer is a problem that says what is
// wrong and, where it can, what is meant or wanted.
func TestNonsense(t *testing.T) {
	t.Parallel()
	h := small(t)
	const crawl = "/sites/small/crawls/2"
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"GET", "/nowhere", "", 404, "there is nothing"},
		{"DELETE", "/checks", "", 405, ""},
		{"GET", "/checks/title-mising", "", 404, `did you mean \"title-missing\"?`},
		{"GET", "/sites/nosuch", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/plan", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/crawls", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/waivers", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/figures", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/trend", "", 404, "nosuch"},
		{"GET", "/sites/nosuch/secrets", "", 404, "nosuch"},
		{"DELETE", "/sites/nosuch", "", 404, "nosuch"},

		{"POST", "/sites", `{`, 422, "JSON"},
		{"POST", "/sites", `{"nmae": "x"}`, 422, "nmae"},
		{"POST", "/sites", `{"name": "x", "home": "/big.example"}`, 422, "home"},
		{"POST", "/sites", `{"name": "x", "home": "http://big.example/", "profile": "publishr"}`, 422,
			`did you mean \"publisher\"?`},
		{"POST", "/sites", `{"name": "x", "home": "http://big.example/", "profile": "shop", "plan": {"pages": 3}}`, 422,
			"a plan or a profile, not both"},
		{"POST", "/sites", `{"name": "x", "home": "http://big.example/", "plan": {"pages": -3}}`, 422, "pages"},
		{"POST", "/sites", `{"name": "small", "home": "http://big.example/"}`, 409, "exists already"},

		{"PUT", "/sites/small/plan", "pages: many", 422, "pages"},
		{"PUT", "/sites/small/plan", "timeout: 3", 422, "timeout"},
		{"PATCH", "/sites/small/plan", "scope: {hots: [a]}", 422, `did you mean \"scope.hosts\"?`},
		{"PATCH", "/sites/small/plan", "robots: disregard", 422, "permission"},
		{"PATCH", "/sites/small/plan", ": :", 422, "line 1"},
		{"POST", "/plan-check", "checks: [{check: title-mising, off: true}]", 422, "no check is called"},
		{"PUT", "/sites/small/secrets/Not%20A%20Name", `{"value": "x", "host": "big.example"}`, 422, "small letters"},
		{"PUT", "/sites/small/secrets/door", `{"value": "x", "host": "http://x/"}`, 422, "a host name is wanted"},
		{"PUT", "/sites/small/secrets/door", `{"value": "x", "host": "x:80"}`, 422, "a host name is wanted"},
		{"PUT", "/sites/small/secrets/door", `{"value": "", "host": "big.example"}`, 422, "1 to 65536 bytes"},
		{"DELETE", "/sites/small/secrets/door", "", 404, "door"},

		{"GET", "/sites/small/crawls?limit=0", "", 422, "from 1 to"},
		{"GET", "/sites/small/crawls/first", "", 404, `its number or \"latest\"`},
		{"GET", "/sites/small/crawls/0", "", 404, `its number or \"latest\"`},
		{"GET", "/sites/small/crawls/99", "", 404, "crawl 99"},
		{"GET", "/sites/fresh/crawls/latest", "", 404, "does not exist"},
		{"POST", "/sites/small/crawls", `{"pages": -1}`, 422, "pages"},
		{"POST", crawl + "/stop", "", 409, "crawl 2 is not running"},
		{"POST", crawl + "/pause", "", 409, "crawl 2 is not running"},
		{"POST", crawl + "/resume", "", 409, "paused"},
		{"POST", crawl + "/continue", `{"pages": 30}`, 422, "more than the 30"},
		{"POST", crawl + "/continue", `{"pages": 1000000000}`, 422, "pages"},
		{"PATCH", crawl + "/pace", `{"parallel": -1}`, 422, "parallel"},
		{"PATCH", crawl + "/pace", `{"parallel": 2}`, 409, "crawl 2 is not running"},
		{"GET", crawl + "/addresses?state=lost", "", 422, "lost"},

		{"GET", crawl + "/fixes?severity=fatal", "", 422, "fatal"},
		{"GET", crawl + "/fixes?state=done", "", 422, "done"},
		{"GET", crawl + "/fixes?order=size", "", 422, "order of fixes"},
		{"GET", crawl + "/fixes?group=titles", "", 422, "group of checks"},
		{"GET", crawl + "/fixes?section=plants", "", 422, "begins and ends with a slash"},
		{"GET", crawl + "/fixes?after=-1", "", 422, "after"},
		{"GET", crawl + "/fixes?limit=100000", "", 422, "limit"},
		{"GET", crawl + "/fixes/nosuchfx", "", 404, "nosuchfx"},
		{"GET", crawl + "/fixes/nosuchfx/pages", "", 404, "nosuchfx"},
		{"GET", crawl + "/pages?sort=colour", "", 422, "colour"},
		{"GET", crawl + "/pages?section=plants", "", 422, "begins and ends with a slash"},
		{"GET", crawl + "/pages?having=words", "", 422, "words"},
		{"GET", crawl + "/pages?having=colour%3E3", "", 422, "colour"},
		{"GET", crawl + "/page", "", 422, "is to name a page, such as http://big.example/"},
		{"GET", crawl + "/page?address=/never-seen", "", 404, "never-seen"},
		{"GET", crawl + "/compare?a=/&b=/never-seen", "", 404, "never-seen"},
		{"GET", crawl + "/compare?a=/", "", 422, "b is to name a page"},
		{"GET", crawl + "/links-in", "", 422, "address is to name a page"},
		{"GET", crawl + "/rechecks/x", "", 404, "named by its number"},
		{"GET", crawl + "/rechecks/9", "", 404, "recheck 9 of crawl 2"},

		{"POST", "/sites/small/fixes", `{"to": "taken"}`, 422, "at least one fix"},
		{"POST", "/sites/small/fixes", `{"fixes": [{"fix": "x"}], "to": "finished"}`, 422, "finished"},
		{"POST", "/sites/fresh/fixes", `{"fixes": [{"fix": "x"}], "to": "taken"}`, 409, "no finished crawl"},
		{"GET", "/sites/small/fixes?state=finished", "", 422, "finished"},
		{"GET", "/sites/small/fixes/nosuchfx", "", 404, "nosuchfx"},
		{"POST", "/sites/small/undo", `{"batch": 77}`, 404, "under the number 77"},
		{"POST", "/sites/small/waivers", `{"scope": "page", "on": "/x", "check": "title-missing"}`, 422,
			"by its address"},
		{"POST", "/sites/small/waivers", `{"scope": "page", "on": "http://big.example/", "check": "title-missing"}`,
			422, "reason"},
		{"POST", "/sites/small/waivers", `{"scope": "planet", "on": "x", "reason": "y"}`, 422, "planet"},
		{"POST", "/sites/small/waivers",
			`{"scope": "section", "on": "plants", "check": "title-missing", "reason": "y"}`, 422,
			"begins and ends with a slash"},
		{"POST", "/sites/small/waivers", `{"scope": "check", "check": "title-mising", "reason": "y"}`, 422,
			"check list"},
		{"POST", "/sites/small/waivers", `{"scope": "check", "check": "title-missing", "reason": "y", "until": "soon"}`,
			422, "until"},
		{"POST", "/sites/small/waivers",
			`{"scope": "check", "check": "title-missing", "reason": "y", "until": "2020-01-01"}`, 422, "2020-01-01"},
		{"DELETE", "/sites/small/waivers/x", "", 404, "named by its number"},
		{"DELETE", "/sites/small/waivers/9", "", 404, "no waiver 9 holds"},
		{"POST", "/sites/small/rechecks", `{"fixes": []}`, 422, "fix"},
		{"POST", "/sites/small/rechecks", `{"fixes": ["nosuchfx"]}`, 422, "nosuchfx"},
		{"POST", "/sites/fresh/rechecks", `{"fixes": ["nosuchfx"]}`, 409, "no finished crawl"},

		{"POST", "/sites/small/figures", "", 422, "heading"},
		{"POST", "/sites/small/figures?taken=today", "address,visits\n/,3\n", 422, "taken"},
		{"POST", "/sites/small/figures", "visits\n3\n", 422, "address"},
		{"DELETE", "/sites/small/figures/visits", "", 404, "visits"},
		{"PUT", "/sites/small/importance", `{"figure": "visits"}`, 422, "visits"},

		{"GET", "/sites/small/crawls/1/drift", "", 409, "no earlier crawl"},
		{"GET", crawl + "/drift?from=2", "", 422, "not earlier than crawl 2"},
		{"GET", crawl + "/drift?from=x", "", 422, "number"},
		{"POST", crawl + "/gate", `{}`, 422, "condition"},
		{"POST", crawl + "/gate", `{"minHealth": 400}`, 422, "from 0 to 100"},
		{"POST", crawl + "/gate", `{"max": {"title-mising": 0}}`, 422, "title-missing"},
		{"GET", crawl + "/export", "", 422, "xlsx, csv, jsonl, parquet, sarif"},
		{"GET", crawl + "/export?as=pdf", "", 422, "pdf"},
		{"GET", crawl + "/export?as=csv&severity=fatal", "", 422, "fatal"},
		{"GET", crawl + "/export?as=csv&section=plants", "", 422, "begins and ends with a slash"},
		{"GET", crawl + "/export?as=csv&sheets=pages,fixes", "", 422, "one sheet"},
		{"GET", crawl + "/export?as=csv&sheets=pgaes", "", 422, "pages"},
		{"GET", crawl + "/export?as=jsonl&sheets=pages,fixes&columns=address", "", 422,
			"columns are chosen of one sheet"},
		{"GET", crawl + "/export?as=csv&sheets=pages&columns=colour", "", 422, "colour"},
		{"POST", "/look", `{}`, 422, "address"},
		{"POST", "/look", `{"address": "not an address"}`, 422, "not an address"},
		{"POST", "/session", `{"link": "never-issued"}`, 401, ""},
	} {
		status, kind, answer := h.ask(t, c.method, c.path, c.body)
		if status != c.status || !strings.Contains(answer, c.says) {
			t.Errorf("%s %s %s\n\tgives %d, want %d: %s\n\twant %q", c.method, c.path, c.body, status, c.status, answer,
				c.says)
		}
		var p struct{ Title, Detail string }
		if err := json.Unmarshal([]byte(answer), &p); err != nil || kind != "application/problem+json" ||
			p.Title == "" {
			t.Errorf("%s %s: no problem (RFC 9457): %s %s", c.method, c.path, kind, answer)
		}
	}
}

// TestParts reads lists part by part: each line once, in one order, whatever the size of the parts.
func TestParts(t *testing.T) {
	t.Parallel()
	h := small(t)
	for path, key := range map[string]string{"fixes": "fixes", "pages": "pages",
		"addresses?state=waiting": "addresses"} {
		whole := h.parts(t, "/sites/small/crawls/2/"+path, key, 1000)
		for _, size := range []int{1, 7, len(whole)} {
			if got := h.parts(t, "/sites/small/crawls/2/"+path, key, size); len(whole) == 0 ||
				strings.Join(got, "\n") != strings.Join(whole, "\n") {
				t.Errorf("%s in parts of %d: %d lines, %d at once", path, size, len(got), len(whole))
			}
		}
	}
}

// parts are the lines of a list, read so many at a time.
func (h *harvik) parts(t *testing.T, path, key string, size int) (out []string) {
	t.Helper()
	join := "?"
	if strings.Contains(path, "?") {
		join = "&"
	}
	for after := ""; ; {
		status, _, answer := h.ask(t, "GET", fmt.Sprintf("%s%slimit=%d%s", path, join, size, after), "")
		var part map[string]json.RawMessage
		var lines []json.RawMessage
		var next any
		if err := json.Unmarshal([]byte(answer), &part); err != nil || status != http.StatusOK {
			t.Fatalf("%s: %d %s", path, status, answer)
		}
		if err := json.Unmarshal(part[key], &lines); err != nil || len(lines) > size {
			t.Fatalf("%s: %d lines of %d (%v)", path, len(lines), size, err)
		}
		_ = json.Unmarshal(part["next"], &next)
		for _, l := range lines {
			out = append(out, string(l))
		}
		if next == nil || next == "" || next == 0.0 || len(out) > 10_000 {
			return out
		}
		after = fmt.Sprintf("&after=%v", next)
	}
}

// TestContinued lets a crawl that its number of pages ended go on, by the API: it ends with what one crawl
// of the higher number has.
func TestContinued(t *testing.T) {
	t.Parallel()
	h := small(t)
	if status, _, answer := h.ask(t, "POST", "/sites/small/crawls/2/continue",
		`{"pages": 1000}`); status != http.StatusAccepted {
		t.Fatalf("%d %s", status, answer)
	}
	end, err := h.Watch(t.Context(), "small", api.Numbered(2), func(api.Progress) {})
	if err != nil || end.Ending != "complete" || end.Report.Assessed != 60 {
		t.Fatalf("continued, the crawl is %+v (%v)", end, err)
	}
	if status, _, answer := h.ask(t, "POST", "/sites/small/crawls/2/continue",
		`{"pages": 2000}`); status != http.StatusConflict ||
		!strings.Contains(answer, "so a higher one changes nothing") {
		t.Errorf("continued once more: %d %s", status, answer)
	}
	if _, err := h.ChangePlan(t.Context(), "fresh", "application/yaml",
		strings.NewReader(string("pages: 1000"))); err != nil {
		t.Fatal(err)
	}
	if _, err := h.StartCrawl(t.Context(), "fresh", api.NewCrawl{}); err != nil {
		t.Fatal(err)
	}
	whole, err := h.Watch(t.Context(), "fresh", api.Numbered(1), func(api.Progress) {})
	if err != nil || whole.Report == nil || whole.Report.Health != end.Report.Health {
		t.Errorf("continued, health is %v; in one go %+v (%v)", end.Report.Health, whole.Report, err)
	}
}

// TestBodies sends bodies of every kind of nonsense to every route that takes one: the service refuses
// them, and goes on.
func TestBodies(t *testing.T) {
	t.Parallel()
	h := small(t)
	deep := strings.Repeat(`{"a":`, 20_000) + "1" + strings.Repeat("}", 20_000)
	bodies := []string{"null", "[]", `"text"`, "3", "{}", `{"a": 1}`, "\x00\xff", "<html>", deep,
		strings.Repeat("[", 100_000), `{"fixes": null}`, `{"fixes": [{}]}`}
	for _, r := range h.routes() {
		if r.Method == "GET" || r.Method == "DELETE" || !strings.HasPrefix(r.Path, "/api/v1/") {
			continue
		}
		path := strings.NewReplacer("/api/v1", "", ":site", "small", ":crawl", "1", ":secret", "door", ":fix", "x",
			":waiver", "1").Replace(r.Path)
		for _, body := range bodies {
			status, kind, answer := h.ask(t, r.Method, path, body)
			if status >= 500 || status >= 400 && kind != "application/problem+json" {
				t.Errorf("%s %s with %.30q: %d %.200s", r.Method, path, body, status, answer)
			}
		}
	}
	if _, err := h.ListSites(t.Context()); err != nil {
		t.Errorf("afterwards the service gives %v", err)
	}
}
