package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// A request is one operation of the description, sent. Names in braces are filled in from what earlier answers held.
type request struct {
	operation, path, body string
	keep                  map[string]string // name → where its value stands in the answer: "fixes.0.id"
	until                 func(t *testing.T, h *harvik)
}

// TestDescription holds openapi.yaml to the standard and to the routes, sends every operation of it, and refuses
// answers that have a field that is not described, lack one that is, or hold something else in it.
func TestDescription(t *testing.T) {
	t.Parallel()
	h := crawled(t)
	doc := h.description(t)
	h.describesRoutes(t, doc)
	var held atomic.Bool
	held.Store(true)
	pages := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for held.Load() && r.URL.Path != "/robots.txt" && r.Context().Err() == nil {
			time.Sleep(10 * time.Millisecond)
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<title>Bed %s</title><a href=%s1>next</a>", r.URL.Path, r.URL.Path)
	})
	h.addSite(t, "beds", "http://"+testkit.Serve(t, pages)+"/",
		plan.Plan{Timeout: plan.Duration(time.Minute), Probes: plan.No(), Pages: 3, Parallel: 1,
			Render: plan.Render{Pages: plan.All, Devices: []string{"phone"}}})
	state := func(site string, n int, want string) func(*testing.T, *harvik) {
		return func(t *testing.T, h *harvik) {
			t.Helper()
			for range 1000 {
				if cr, err := h.ShowCrawl(t.Context(), site, api.Numbered(n)); err == nil && cr.State == want {
					return
				}
				time.Sleep(20 * time.Millisecond)
			}
			t.Fatalf("crawl %d of %s does not become %s", n, site, want)
		}
	}
	dance := h.cannot(t)
	names := map[string]string{}
	done := map[string]bool{}
	for _, r := range []request{
		{operation: "openAPI"}, {operation: "whoAmI"}, {operation: "listChecks"},
		{operation: "showCheck", path: "check=title-long"},
		{operation: "listColumns"}, {operation: "listFacts"},
		{operation: "readQuestion", path: "question=words%20%3E%203"}, {operation: "readQuestion", path: "question=wordz"},
		{operation: "listWords"},
		{operation: "keepView", path: "view=wordy", body: `{"question": "words > 900", "columns": ["address", "words"], "say": "long ones"}`},
		{operation: "listViews", path: "site=fernhollow"}, {operation: "removeView", path: "view=wordy"}, {operation: "planSchema"}, {operation: "listProfiles"},
		{operation: "checkPlan", body: `{"pages": 7}`},
		{operation: "look", body: `{"html": "<html lang=en><title>Ferns</title><h1>Ferns</h1><p>Green <a href=/a>all year</a><img src=b.png>"}`},

		{operation: "ownSchema"},
		{operation: "addSite", body: `{"name": "other", "home": "http://other.invalid/", "plan": {"pages": 9}}`},
		{operation: "listSites"}, {operation: "showSite", path: "site=other"},
		{operation: "showPlan", path: "site=other"},
		{operation: "setPlan", path: "site=other", body: `{"depth": 4}`},
		{operation: "changePlan", path: "site=other", body: `{"pages": 5}`},
		{operation: "setSecret", path: "site=other&secret=members", body: `{"value": "fern"}`},
		{operation: "listSecrets", path: "site=other"},
		{operation: "listUses", path: "site=other&secret=members"},
		{operation: "removeSecret", path: "site=other&secret=members"},
		{operation: "allow", path: "site=other", body: `{"range": "10.1.0.0/16"}`},
		{operation: "disallow", path: "site=other&range=10.1.0.0/16"},
		{operation: "removeSite", path: "site=other"}, {operation: "previewPlan", path: "site=fernhollow", body: "{}"},

		{operation: "startCrawl", path: "site=fernhollow", body: "{}", until: state("fernhollow", 2, "finished")},
		{operation: "listCrawls", path: "site=fernhollow&limit=1"},
		{operation: "showCrawl", path: "site=fernhollow&crawl=latest"},
		{operation: "listFixes", path: "site=fernhollow&crawl=latest&limit=500",
			keep: map[string]string{"fix": "fixes.0.id"}},
		{operation: "showFix", path: "site=fernhollow&crawl=latest&fix={fix}"},
		{operation: "fixPages", path: "site=fernhollow&crawl=latest&fix={fix}"},
		{operation: "ask", path: "site=fernhollow&crawl=latest&question=size(title)%20%3E%2060&columns=address,title,terms"},
		{operation: "ask", path: "site=fernhollow&crawl=latest&by=section&measure=words"},
		{operation: "showOverview", path: "site=fernhollow&crawl=latest"},
		{operation: "listPages", path: "site=fernhollow&crawl=latest&limit=1000"},
		{operation: "showPage", path: "site=fernhollow&crawl=latest&address=/"},
		{operation: "comparePages", path: "site=fernhollow&crawl=latest&a=/&b=/visit/"},
		{operation: "listLayouts", path: "site=fernhollow&crawl=latest"},
		{operation: "linksIn", path: "site=fernhollow&crawl=latest&address=/shop/"},
		{operation: "showRenderings", path: "site=fernhollow&crawl=latest&address=/shop/"},
		{operation: "listAddresses", path: "site=fernhollow&crawl=latest&state=blocked"},
		{operation: "tally", path: "site=fernhollow&crawl=latest"},
		{operation: "showMap", path: "site=fernhollow&crawl=latest"},
		{operation: "showDrift", path: "site=fernhollow&crawl=latest"},
		{operation: "showSpeed", path: "site=fernhollow&crawl=latest&by=section"},
		{operation: "showQueue"}, {operation: "listCare"},
		{operation: "cancelJob", path: "job=" + dance}, {operation: "retryJob", path: "job=" + dance},
		{operation: "showTrend", path: "site=fernhollow"},
		{operation: "passGate", path: "site=fernhollow&crawl=latest",
			body: `{"minHealth": 99, "noNew": "error", "max": {"title-*": 0}}`},
		{operation: "makeReport", path: "site=fernhollow&crawl=latest", body: `{"client": "Fernhollow", "parts": ["summary", "fixes"], "leaveOut": {"severities": ["notice"]}}`},
		{operation: "exportCrawl", path: "site=fernhollow&crawl=latest&as=jsonl"},
		{operation: "tryField", path: "site=fernhollow&crawl=latest&address=/", body: `{"css": "h1"}`},
		{operation: "tryRules", path: "site=fernhollow&crawl=latest", body: `{"limits": {"thin-words": 900}}`},
		{operation: "addChecks", path: "site=fernhollow", body: `{"checks": [{"id": "own-short", "group": "copy", "question": "words < 100",
			"title": "short page", "why": "It says little.", "how": "Write more.", "fires": [{"words": 3}], "passes": [{"words": 300}]}]}`},
		{operation: "judgeCrawl", path: "site=fernhollow&crawl=latest"},
		{operation: "showCheck", path: "check=own-short&site=fernhollow"}, {operation: "showPlan", path: "site=fernhollow"},
		{operation: "removeCheck", path: "site=fernhollow&check=own-short"},
		{operation: "watchCrawl", path: "site=fernhollow&crawl=latest"},

		{operation: "moveFixes", path: "site=fernhollow",
			body: `{"fixes": [{"fix": "{fix}"}, {"fix": "nosuch"}], "to": "taken", "due": "2027-03-31", "note": "soon"}`, keep: map[string]string{"batch": "batch"}},
		{operation: "listTasks", path: "site=fernhollow"}, {operation: "showPulse", path: "site=fernhollow"}, {operation: "showTask", path: "site=fernhollow&fix={fix}"},
		{operation: "undo", path: "site=fernhollow", body: `{"batch": {batch}}`},
		{operation: "addWaiver", path: "site=fernhollow",
			body: `{"scope": "page", "on": "https://fernhollow.example/shop/", "reason": "as it should be", "until": "2027-03-31"}`, keep: map[string]string{"waiver": "id"}},
		{operation: "listWaivers", path: "site=fernhollow"},
		{operation: "endWaiver", path: "site=fernhollow&waiver={waiver}"},
		{operation: "startRecheck", path: "site=fernhollow", body: `{"fixes": ["{fix}"]}`},
		{operation: "listRechecks", path: "site=fernhollow&crawl=latest", until: func(t *testing.T, h *harvik) {
			for now, err := h.ShowRecheck(t.Context(), "fernhollow", api.Latest, 1); err != nil ||
				now.State == "running"; now, err = h.ShowRecheck(t.Context(), "fernhollow", api.Latest, 1) {
				if err != nil {
					t.Fatal(err)
				}
				time.Sleep(20 * time.Millisecond)
			}
		}},
		{operation: "showRecheck", path: "site=fernhollow&crawl=latest&recheck=1"},
		{operation: "importFigures", path: "site=fernhollow&taken=2026-11-01",
			body: "page,visits\n/,100\n/nowhere,2\nnonsense\n"},
		{operation: "listFigures", path: "site=fernhollow"},
		{operation: "setImportance", path: "site=fernhollow", body: `{"figure": "visits"}`},
		{operation: "removeFigure", path: "site=fernhollow&figure=visits"},

		{operation: "startCrawl", path: "site=beds", body: `{"pages": 2}`},
		{operation: "setPace", path: "site=beds&crawl=1", body: `{"parallel": 2, "pause": "10ms"}`},
		{operation: "pauseCrawl", path: "site=beds&crawl=1", until: state("beds", 1, "paused")},
		{operation: "resumeCrawl", path: "site=beds&crawl=1"},
		{operation: "stopCrawl", path: "site=beds&crawl=1",
			until: func(t *testing.T, h *harvik) { held.Store(false); state("beds", 1, "finished")(t, h) }},
		{operation: "startCrawl", path: "site=beds", body: `{"pages": 2}`, until: state("beds", 2, "finished")},
		{operation: "continueCrawl", path: "site=beds&crawl=2", body: `{"pages": 3}`,
			until: state("beds", 2, "finished")},
		{operation: "showRenderings", path: "site=beds&crawl=2&address=/",
			keep: map[string]string{"screen": "renderings.0.screen"}},
		{operation: "showScreen", path: "site=beds&crawl=2&screen={screen}"},
		{operation: "setSchedule", path: "site=beds&schedule=nightly", body: `{"when": "daily 03:00", "zone": "Europe/Berlin", "hours": "22:00-06:00", "plan": "pages: 2"}`},
		{operation: "listSchedules", path: "site=beds&days=3"}, {operation: "holdSchedules", body: `{"held": true}`},
		{operation: "holdSchedules", body: `{"held": false}`},
		{operation: "runSchedule", path: "site=beds&schedule=nightly", until: state("beds", 3, "finished")},
		{operation: "removeSchedule", path: "site=beds&schedule=nightly"},
		{operation: "listRules", path: "site=beds"}, {operation: "setRule", path: "site=beds&rule=fell", body: `{"what": "health-fell", "least": 2}`},
		{operation: "tryRule", path: "site=beds", body: `{"what": "pages-vanished", "least": 1}`},
		{operation: "removeRule", path: "site=beds&rule=fell"},
		{operation: "setWay", path: "way=reader", body: `{"kind": "feed"}`, keep: map[string]string{"feed": "feed"}},
		{operation: "setWay", path: "way=ash", body: `{"kind": "mail", "address": "ash@fernhollow.example", "quiet": "22:00-07:00", "letter": "mon 07:00"}`},
		{operation: "setMail", body: `{"host": "127.0.0.1", "port": 9, "from": "Harvik <harvik@fernhollow.example>", "secure": "plain"}`},
		{operation: "showMail"}, {operation: "testWay", path: "way=ash"}, {operation: "listMessages", path: "way=ash"},
		{operation: "listWays"}, {operation: "removeWay", path: "way=ash", until: told},
		{operation: "listAlerts", path: "state=all", keep: map[string]string{"alert": "alerts.0.id"}},
		{operation: "changeAlert", path: "alert={alert}", body: `{"state": "read", "assignee": "ash"}`},
		{operation: "takeAlert", path: "alert={alert}", body: `{"assignee": "ash"}`},
		{operation: "setWatch", path: "site=beds&watch=home", body: `{"address": "/", "every": 5, "must": "Ferns", "slow": 900}`},
		{operation: "keepLooks", body: `{"days": 20, "hours": 300}`}, {operation: "listWatches", path: "site=beds"}, {operation: "showWatch", path: "site=beds&watch=home&days=2&bins=4"},
		{operation: "removeWatch", path: "site=beds&watch=home"}, {operation: "lookAtFront", path: "site=beds"},
		{operation: "showFront", path: "site=beds"}, {operation: "setFront", path: "site=beds", body: `{"watched": false}`},
		{operation: "addMaintenance", path: "site=beds", body: `{"ends": "` + time.Now().Add(time.Hour).UTC().Format(time.RFC3339) + `", "reason": "a new server"}`,
			keep: map[string]string{"maintenance": "id"}},
		{operation: "listMaintenance", path: "site=beds"}, {operation: "removeMaintenance", path: "site=beds&maintenance={maintenance}"},
		{operation: "listGoing", path: "site=beds&crawls=2&monthly=true"},
		{operation: "setGroups", path: "site=beds", body: `{"groups": ["gardens"]}`},
		{operation: "setKeep", path: "site=beds", body: `{"crawls": 2}`},
		{operation: "markCrawl", path: "site=beds&crawl=1", body: `{"marked": true}`},
		{operation: "removeCrawl", path: "site=beds&crawl=1"},

		{operation: "rename", body: `{"name": "rowan hill"}`}, {operation: "listPeople"},
		{operation: "addPerson", body: `{"name": "ash", "role": "consultant", "sites": ["beds"], "groups": ["gardens"], "mail": "ash@fernhollow.example"}`,
			keep: map[string]string{"person": "person.id", "invited": "link"}},
		{operation: "setPerson", path: "person={person}", body: `{"name": "ash", "role": "reader", "everywhere": true}`},
		{operation: "invitePerson", path: "person={person}", keep: map[string]string{"invited": "link"}},
		{operation: "welcome", body: `{"link": "{invited}"}`}, {operation: "setPassword", body: `{"password": "a program may not do so"}`},
		{operation: "endSessions"},
		{operation: "listMentions"}, {operation: "readMentions", body: `{"read": [1, 2]}`}, {operation: "listPasskeys"}, {operation: "removePasskey", path: "passkey=9"}, {operation: "beginPasskey"}, {operation: "beginKeyed"},
		{operation: "addPasskey", body: `{"ceremony": "none", "name": "desk", "credential": {}}`},
		{operation: "signInKeyed", body: `{"ceremony": "none", "credential": {}}`}, {operation: "endPerson", path: "person={person}"}, {operation: "listTrail", path: "limit=20"},
		{operation: "setProvider", body: `{"name": "Fernhollow accounts", "issuer": "` + testkit.Identity(t).Address + `", "client": "harvik", "secret": "x"}`},
		{operation: "showProvider"}, {operation: "whichProvider"}, {operation: "beginProvided"},
		{operation: "signInProvided", body: `{"ceremony": "none", "state": "none"}`}, {operation: "removeProvider"},
		{operation: "addTicket", body: `{"address": "/api/v1/sites/fernhollow/crawls/latest/export?as=csv"}`},
		{operation: "addToken", body: `{"label": "nightly"}`},
		{operation: "listCredentials", keep: map[string]string{"credential": "credentials.2.id"}},
		{operation: "revoke", path: "credential={credential}"},
		{operation: "signIn", body: `{"link": "` + strings.SplitN(h.signInLink(t), "#", 2)[1] + `"}`},
		{operation: "signOut"},
	} {
		h.sends(t, doc, r, names)
		done[r.operation] = true
		if r.until != nil {
			r.until(t, h)
		}
	}
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if !done[op.OperationID] {
				t.Errorf("%s %s (%s) is not sent", method, path, op.OperationID)
			}
		}
	}
}

// describesRoutes holds the description to the routes.
func (h *harvik) describesRoutes(t *testing.T, doc *openapi3.T) {
	t.Helper()
	if err := doc.Validate(t.Context()); err != nil {
		t.Fatal(err)
	}
	described := map[string]bool{}
	for path, item := range doc.Paths.Map() {
		for method := range item.Operations() {
			described[method+" "+regexp.MustCompile(`\{(\w+)\}`).ReplaceAllString(path, ":$1")] = true
		}
	}
	for _, r := range h.routes() {
		path, ok := strings.CutPrefix(r.Path, "/api/v1")
		if !ok {
			continue
		}
		if !described[r.Method+" "+path] {
			t.Errorf("%s %s is a route and is not described", r.Method, path)
		}
		delete(described, r.Method+" "+path)
	}
	for d := range described {
		t.Errorf("%s is described and is no route", d)
	}
}

// sends sends a request and holds it and its answer to the description.
func (h *harvik) sends(t *testing.T, doc *openapi3.T, r request, names map[string]string) {
	t.Helper()
	for name, value := range names {
		r.path, r.body = strings.ReplaceAll(r.path, "{"+name+"}", value),
			strings.ReplaceAll(r.body, "{"+name+"}", value)
	}
	path, method, op := find(doc, r.operation)
	if op == nil {
		t.Fatalf("no operation is called %s", r.operation)
	}
	var query []string
	for _, part := range strings.Split(r.path, "&") {
		name, value, _ := strings.Cut(part, "=")
		if at := strings.ReplaceAll(path, "{"+name+"}", value); at != path {
			path = at
		} else if part != "" {
			query = append(query, part)
		}
	}
	req, _ := http.NewRequestWithContext(t.Context(), method, h.url+"/api/v1"+path+"?"+strings.Join(query, "&"),
		strings.NewReader(r.body))
	req.Header.Set("Authorization", "Bearer "+h.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	answer := op.Responses.Status(resp.StatusCode)
	if err != nil || answer == nil {
		t.Errorf("%s answers %d, which is not described: %.300s (%v)", r.operation, resp.StatusCode, data, err)
		return
	}
	if sent := op.RequestBody; sent != nil && sent.Value.Content["application/json"] != nil {
		conforms(t, r.operation+", as it is sent", sent.Value.Content["application/json"].Schema, []byte(r.body))
	}
	content := answer.Value.Content["application/json"]
	if content == nil {
		return
	}
	conforms(t, r.operation, content.Schema, data)
	for name, at := range r.keep {
		names[name] = valueAt(t, data, at)
	}
}

// find finds an operation.
func find(doc *openapi3.T, id string) (path, method string, op *openapi3.Operation) {
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if op.OperationID == id {
				return path, method, op
			}
		}
	}
	return "", "", nil
}

// valueAt is a value in JSON, by keys and numbers with dots between.
func valueAt(t *testing.T, data []byte, at string) string {
	t.Helper()
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		t.Fatal(err)
	}
	for _, part := range strings.Split(at, ".") {
		switch in := v.(type) {
		case map[string]any:
			v = in[part]
		case []any:
			v = in[part[0]-'0']
		}
	}
	return fmt.Sprint(v)
}

// conforms holds JSON to a schema, fields that are not described included.
func conforms(t *testing.T, what string, schema *openapi3.SchemaRef, data []byte) {
	t.Helper()
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		t.Errorf("%s: %v in %.200s", what, err, data)
		return
	}
	if err := schema.Value.VisitJSON(v); err != nil {
		t.Errorf("%s is not as described: %v", what, err)
	}
	for _, field := range slices.Compact(slices.Sorted(slices.Values(undescribed(schema.Value, v, "")))) {
		t.Errorf("%s has %s, which is not described", what, field)
	}
}

// undescribed are the fields of a value that its schema does not name.
func undescribed(s *openapi3.Schema, v any, at string) (out []string) {
	for len(s.AllOf) == 1 {
		s = s.AllOf[0].Value
	}
	switch v := v.(type) {
	case []any:
		if s.Items != nil {
			for _, one := range v {
				out = append(out, undescribed(s.Items.Value, one, at+"[]")...)
			}
		}
	case map[string]any:
		more := s.AdditionalProperties
		for key, value := range v {
			switch known := s.Properties[key]; {
			case known != nil:
				out = append(out, undescribed(known.Value, value, at+"."+key)...)
			case more.Schema != nil:
				out = append(out, undescribed(more.Schema.Value, value, at+".*")...)
			case more.Has != nil && *more.Has, len(s.Properties) == 0 && more.Has == nil:
			default:
				out = append(out, at+"."+key)
			}
		}
	}
	return out
}

// description is what the service says of itself.
func (h *harvik) description(t *testing.T) *openapi3.T {
	t.Helper()
	doc, err := openapi3.NewLoader().LoadFromData(h.raw(t, "GET", "/openapi.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// TestUndescribed: the test of the description would see a field too many, wherever it stood.
func TestUndescribed(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Description)
	if err != nil {
		t.Fatal(err)
	}
	v := map[string]any{"fixes": []any{map[string]any{"id": "a", "secret": 1}}, "sketch": "x"}
	got := undescribed(doc.Components.Schemas["FixList"].Value, v, "")
	slices.Sort(got)
	if want := []string{".fixes[].secret", ".sketch"}; !slices.Equal(got, want) {
		t.Errorf("undescribed are %q, want %q", got, want)
	}
}

// told has something be told of Fernhollow.
func told(t *testing.T, h *harvik) {
	t.Helper()
	h.execute(t, `insert into alert (site_id, rule, what, subject, lasts, began, body) select s.id, 'new-findings', 'new-findings',
		'crawl 2', true, now(), jsonb_build_object('Says', 'Footer link is dead', 'Link', '/2/fixes', 'Lines', jsonb_build_array('/a'),
		'Fixes', jsonb_build_array((select min(f.id) from fix f join crawl c on c.id = f.crawl_id where c.site_id = s.id)))
		from site s where s.name = 'fernhollow'`)
}

// cannot leaves work to the queue that nobody knows how to do, and returns its number once it was tried some times, and
// waits.
func (h *harvik) cannot(t *testing.T) string {
	t.Helper()
	if err := h.store.Leave(t.Context(), record.Todo{What: "dance"}); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		q, err := h.store.Queue(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		for _, j := range q.Jobs {
			if j.What == "dance" && j.State == record.Again && j.Tries >= 2 {
				return strconv.FormatInt(j.ID, 10)
			}
		}
	}
	t.Fatal("it is not tried again")
	return ""
}
