package e2e

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// Marks that are planted where some may not look.
const (
	foreignSite = "quiet-moor"
	planMark    = "PlantedAgent"
	noteMark    = "a note among ourselves"
	ownerName   = "rowan"
)

// moors runs a service with two small sites that were crawled, of which people are given the first.
func moors(t *testing.T) *harvik {
	t.Helper()
	h := startOn(t, testkit.Tables(t))
	pages := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<title>Heather</title><a href=/a>a</a><a href=/b>b</a><a href=/none%s>none</a>", r.URL.Path)
	})
	for _, name := range []string{"heath", foreignSite} {
		h.addSite(t, name, "http://"+testkit.Serve(t, pages)+"/",
			plan.Plan{Agent: planMark + "/1", Probes: plan.No(), Pages: 4, Resources: plan.None})
		h.crawlOf(t, name)
		list, err := h.ListFixes(t.Context(), name, api.Latest, &api.ListFixesParams{Limit: 5})
		if err != nil || len(list.Fixes) == 0 {
			t.Fatalf("%s has %d fixes (%v)", name, len(list.Fixes), err)
		}
		note, who := noteMark, ownerName
		if _, err := h.MoveFixes(t.Context(), name, api.Wish{Fixes: []api.FixAt{{Fix: list.Fixes[0].ID}}, To: "taken",
			Assignee: &who, Note: &note}); err != nil {
			t.Fatal(err)
		}
		_, err = h.SetSchedule(t.Context(), name, "nightly", api.Schedule{When: "daily 03:00"})
		if err == nil {
			_, err = h.SetWatch(t.Context(), name, "home", api.Watch{Address: "/", Every: 1440})
		}
		if err == nil {
			_, err = h.AddWaiver(t.Context(), name, api.NewWaiver{Scope: "section", On: "/x/", Reason: noteMark})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	// One alert each: a look that failed.
	for _, site := range []string{"heath", foreignSite} {
		h.told(t, site)
	}
	return h
}

// told has an alert of a site in the inbox.
func (h *harvik) told(t *testing.T, site string) {
	t.Helper()
	one, err := h.store.Site(t.Context(), site)
	if err == nil {
		err = h.store.Tell(t.Context(), one.ID, record.News{Alerts: []record.Alert{{Rule: "outage", What: "outage",
			Subject: "home", Began: time.Now(), State: record.AlertNew}}})
	}
	if err != nil {
		t.Fatal(err)
	}
}

// joins lets somebody in, and gives a client that asks by their token.
func (h *harvik) joins(t *testing.T, p api.NewPerson) *harvik {
	t.Helper()
	made, err := h.AddPerson(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	_, secret, _ := strings.Cut(made.Link, "#")
	resp := h.asBrowser(
		t,
		"POST",
		"/welcome",
		fmt.Sprintf(`{"link":%q,"password":"the moss on %s's wall"}`, secret, p.Name),
		"",
		"",
	)
	if resp.status != http.StatusOK {
		t.Fatalf("%s is not welcome: %d %s", p.Name, resp.status, resp.body)
	}
	one := *h
	one.cookie, one.key = resp.cookie, regexp.MustCompile(`"key":"([^"]+)"`).FindStringSubmatch(resp.body)[1]
	resp = h.asBrowser(t, "POST", "/credentials", `{"label":"program"}`, one.cookie, one.key)
	token := regexp.MustCompile(`"token":"([^"]+)"`).FindStringSubmatch(resp.body)
	if token == nil {
		t.Fatalf("%s gets no token: %d %s", p.Name, resp.status, resp.body)
	}
	one.token = token[1]
	one.Client = api.New(h.url, one.token)
	return &one
}

// answered is what came of a request.
type answered struct {
	status int
	body   string
	cookie string // that was set
}

// asBrowser sends what the console would, of somebody with a session.
func (h *harvik) asBrowser(t testing.TB, method, path, body, cookie, key string) answered {
	t.Helper()
	req, _ := http.NewRequestWithContext(t.Context(), method, h.url+"/api/v1"+path, strings.NewReader(body))
	req.Header.Set("Origin", h.url)
	if cookie != "" {
		req.AddCookie(&http.Cookie{Name: "harvik_session", Value: cookie})
		req.Header.Set("Harvik-Session", key)
	}
	return answerTo(t, req)
}

func answerTo(t testing.TB, req *http.Request) (out answered) {
	t.Helper()
	if req.Body != nil && req.ContentLength > 0 {
		req.Header.Set("Content-Type", "application/json")
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, _ := io.ReadAll(io.LimitReader(resp.Body, 4<<20))
	out = answered{status: resp.StatusCode, body: string(data)}
	for _, c := range resp.Cookies() {
		if c.Name == "harvik_session" {
			out.cookie = c.Value
		}
	}
	return out
}

// TestRights goes through every route, as every role, at the site that is given and at another, by session and by
// token: what the policy does not allow is refused, what it allows is not, and a route that it does not name does not
// exist for anybody.
func TestRights(t *testing.T) {
	t.Parallel()
	h := moors(t)
	people := map[string]*harvik{"owner": h}
	for name, p := range map[string]api.NewPerson{
		"consultant": {Role: "consultant", Sites: []string{"heath"}}, "reader": {Role: "reader", Groups: []string{"open"}},
		"client": {Role: "client", Sites: []string{"heath"}}, "list": {Role: "client", Sites: []string{"heath"}, Lists: true},
		"nowhere": {Role: "consultant"},
	} {
		p.Name = name
		people[name] = h.joins(t, p)
	}
	if _, err := h.SetGroups(t.Context(), "heath", api.Groups{Groups: []string{"open"}}); err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(filepath.Join(testkit.Root(t), "internal/service/policy.txt"))
	if err != nil {
		t.Fatal(err)
	}
	policy, err := rights.ParsePolicy(string(text))
	if err != nil {
		t.Fatal(err)
	}
	may := map[rights.Right]string{
		rights.Self: "owner consultant reader client list nowhere", rights.Stand: "owner consultant reader client list nowhere",
		rights.List: "owner consultant reader list nowhere", rights.See: "owner consultant reader nowhere",
		rights.Work: "owner consultant nowhere", rights.Own: "owner",
	}
	foreign := h.foreign(t)
	seen := map[string]bool{}
	for _, r := range h.routes() {
		call := r.Method + " " + r.Path
		right, ok := policy[call]
		seen[call] = true
		switch {
		case !ok:
			t.Errorf("%s is in no line of the policy", call)
			continue
		case right == rights.Open:
			continue
		}
		for name, who := range people {
			allowed := strings.Contains(" "+may[right]+" ", " "+name+" ")
			if allowed && (right == rights.Own || right == rights.Self && r.Method != "GET") {
				continue // those of owners are tried by name elsewhere; this is about what is refused
			}
			for _, site := range []string{"heath", foreignSite} {
				path := foreign.fill(r.Method, r.Path, site)
				// Whether it is of one site.
				about := path != foreign.fill(r.Method, r.Path, foreignSite) || site == foreignSite
				if site == foreignSite && path == foreign.fill(r.Method, r.Path, "heath") {
					if path, about = path+"?site="+site, siteAsked[r.Path]; !about {
						continue
					}
				}
				for _, by := range []string{"session", "token"} {
					if by == "session" && who.key == "" {
						continue
					}
					got := who.tries(t, r.Method, path, by)
					given := site == "heath" && name != "nowhere" || name == "owner"
					who := fmt.Sprintf("%s by %s: %s %s", name, by, r.Method, path)
					switch {
					case got.status == http.StatusUnauthorized:
						t.Errorf("%s: not known: %s", who, got.body)
					case !allowed && got.status != http.StatusForbidden:
						t.Errorf("%s: %d, though it is not theirs: %.200s", who, got.status, got.body)
					case allowed && got.status == http.StatusForbidden:
						t.Errorf("%s: refused: %.200s", who, got.body)
					case allowed && !given && about && got.status != http.StatusNotFound:
						t.Errorf("%s: %d at a site that is not given: %.200s", who, got.status, got.body)
					}
					if name != "owner" && strings.Contains(strings.ReplaceAll(got.body, path, ""), foreignSite) &&
						!strings.Contains(got.body, "there is no site") {
						t.Errorf("%s: the other site is named: %.300s", who, around(got.body, foreignSite))
					}
					if name == "client" || name == "list" {
						for _, mark := range []string{planMark, noteMark, `"` + ownerName + `"`} {
							if strings.Contains(got.body, mark) {
								t.Errorf("%s: tells %q: %s", who, mark, around(got.body, mark))
							}
						}
					}
				}
			}
		}
	}
	for call := range policy {
		if !seen[call] {
			t.Errorf("%s is in the policy and is no route", call)
		}
	}
}

// siteAsked are the lists of which a site can be asked for.
var siteAsked = map[string]bool{
	"/api/v1/alerts":    true,
	"/api/v1/watches":   true,
	"/api/v1/schedules": true,
	"/api/v1/views":     true,
	"/api/v1/checks":    true,
}

// around is a text where a mark stands.
func around(text, mark string) string {
	at := strings.Index(text, mark)
	return text[max(0, at-80):min(len(text), at+len(mark)+80)]
}

// tries sends a request with nothing in it, which changes nothing where it is allowed.
func (h *harvik) tries(t *testing.T, method, path, by string) answered {
	t.Helper()
	if by == "session" {
		return h.asBrowser(t, method, strings.TrimPrefix(path, "/api/v1"), "", h.cookie, h.key)
	}
	req, _ := http.NewRequestWithContext(t.Context(), method, h.url+path, http.NoBody)
	req.Header.Set("Authorization", "Bearer "+h.token)
	return answerTo(t, req)
}

// filled are names of things of two sites, by which paths are filled.
type filled map[string]map[string]string

// foreign knows what there is at the sites.
func (h *harvik) foreign(t *testing.T) filled {
	t.Helper()
	out := filled{}
	alerts, err := h.ListAlerts(t.Context(), &api.ListAlertsParams{State: "all", Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	for _, site := range []string{"heath", foreignSite} {
		list, err := h.ListFixes(t.Context(), site, api.Latest, &api.ListFixesParams{Limit: 5})
		if err != nil {
			t.Fatal(err)
		}
		names := map[string]string{
			"site":        site,
			"crawl":       "1",
			"fix":         list.Fixes[0].ID,
			"schedule":    "none",
			"watch":       "none",
			"rule":        "none",
			"view":        "none",
			"waiver":      "999",
			"maintenance": "999",
			"check":       "title-missing",
			"secret":      "none",
			"figure":      "none",
			"screen":      "none",
			"recheck":     "9",
			"way":         "none",
			"job":         "999999",
			"credential":  "999999",
			"person":      "999999",
			"token":       "none", "passkey": "999999",
		}
		for _, a := range alerts.Alerts {
			if a.Site == site {
				names["alert"] = fmt.Sprint(a.ID)
			}
		}
		out[site] = names
	}
	return out
}

// fill is a path of a route with the names of a site's things. What would go away, or follow without end, is of a crawl
// that is not there.
func (f filled) fill(method, route, site string) string {
	return regexp.MustCompile(`:(\w+)`).ReplaceAllStringFunc(route, func(p string) string {
		if p == ":crawl" && method != "GET" {
			return "999"
		}
		return f[site][p[1:]]
	})
}
