package service

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"

	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// mostNoted bounds what the trail keeps of what was sent, in bytes.
const mostNoted = 32 << 10

// silent are calls that change nothing, though they send something.
var silent = map[string]bool{
	"POST /api/v1/look": true, "POST /api/v1/plan-check": true, "POST /api/v1/tickets": true, "POST /api/v1/me/passkeys/begin": true,
	"PUT /api/v1/me/mentions":               true,
	"POST /api/v1/sites/:site/plan/preview": true, "POST /api/v1/sites/:site/try-rule": true,
	"POST /api/v1/sites/:site/crawls/:crawl/try": true, "POST /api/v1/sites/:site/crawls/:crawl/try-field": true,
	"POST /api/v1/sites/:site/crawls/:crawl/report": true,
	"POST /api/v1/sites/:site/crawls/:crawl/gate":   true,
}

// hidden are fields whose values the trail does not keep.
var hidden = []string{"password", "old", "value", "secret", "token", "link", "key", "ceremony", "credential"}

// noted adds what a request changed to the trail: who, from where, what, and how it was before and after.
func (s *Service) noted(c *gin.Context) {
	call := c.Request.Method + " " + c.FullPath()
	if c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead || silent[call] {
		return
	}
	state := states[c.FullPath()]
	var before json.RawMessage
	if state != nil {
		before = s.stateOf(c, state)
	}
	sent := &notedBody{ReadCloser: c.Request.Body}
	c.Request.Body = sent
	c.Next()
	if c.Writer.Status() >= http.StatusMultipleChoices {
		return
	}
	who := caller(c)
	step := record.TrailStep{
		Who:     who.Name,
		Person:  who.Person,
		Kind:    who.By(),
		Place:   s.place(c),
		What:    described()[call].ID,
		Site:    c.Param("site"),
		Subject: subjectOf(c),
		Before:  before,
	}
	switch {
	case state == nil:
		var named string
		if step.After, named = sent.json(c.GetHeader("Content-Type")); step.Subject == "" {
			step.Subject = named
		}
	case c.Request.Method != http.MethodDelete:
		step.After = s.stateOf(c, state)
	}
	if person := nameIn(step.Before); person != "" && c.Param("person") != "" {
		step.Subject = person
	}
	s.note(c, step)
}

// nameIn is the name of what stands so.
func nameIn(state json.RawMessage) string {
	var v struct{ Name string }
	_ = json.Unmarshal(state, &v) // what has none is ""
	return v.Name
}

// note adds a step to the trail.
func (s *Service) note(c *gin.Context, step record.TrailStep) {
	if err := s.store.Note(c, step); err != nil {
		s.log.Error("not noted in the trail", "what", step.What, "who", step.Who, "reason", err.Error())
	}
}

// subjectOf names what a path is about besides the site.
func subjectOf(c *gin.Context) string {
	var out []string
	for _, p := range c.Params {
		if p.Key != "site" {
			out = append(out, p.Key+" "+p.Value)
		}
	}
	return strings.Join(out, ", ")
}

// notedBody keeps the beginning of what is read.
type notedBody struct {
	io.ReadCloser
	kept bytes.Buffer
	read int
}

func (b *notedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	b.kept.Write(p[:min(n, max(0, mostNoted-b.kept.Len()))])
	b.read += n
	return n, err
}

// json is what was sent, without what is hidden; of what is no JSON, or too long, its length. Named is what it names.
func (b *notedBody) json(kind string) (out json.RawMessage, named string) {
	var v any
	switch {
	case b.read == 0:
		return nil, ""
	case b.read > mostNoted || json.Unmarshal(b.kept.Bytes(), &v) != nil:
		out, _ = json.Marshal(fmt.Sprintf("%d bytes of %s", b.read, kind))
		return out, ""
	}
	if fields, ok := v.(map[string]any); ok {
		for _, name := range []string{"name", "label"} {
			if text, ok := fields[name].(string); ok {
				named = text
			}
		}
	}
	out, _ = json.Marshal(hide(v))
	return out, named
}

// hide takes out the values of fields that are secret.
func hide(v any) any {
	switch v := v.(type) {
	case map[string]any:
		for name, value := range v {
			if slices.Contains(hidden, name) {
				v[name] = "(hidden)"
			} else {
				v[name] = hide(value)
			}
		}
	case []any:
		for i := range v {
			v[i] = hide(v[i])
		}
	}
	return v
}

// stateOf is how a thing stands that a request may change; nil where there is none.
func (s *Service) stateOf(c *gin.Context, state func(*Service, *gin.Context) (any, error)) json.RawMessage {
	v, err := state(s, c)
	if err != nil || v == nil {
		return nil
	}
	data, err := json.Marshal(v)
	if err != nil {
		return nil
	}
	var any any
	if json.Unmarshal(data, &any) != nil {
		return nil
	}
	data, _ = json.Marshal(hide(any))
	return data
}

// states read how what a path names stands.
var states = map[string]func(*Service, *gin.Context) (any, error){
	"/api/v1/sites/:site/plan":                 planState,
	"/api/v1/sites/:site/checks":               planState,
	"/api/v1/sites/:site/checks/:check":        planState,
	"/api/v1/sites/:site":                      siteState,
	"/api/v1/sites/:site/keep":                 siteState,
	"/api/v1/sites/:site/groups":               siteState,
	"/api/v1/sites/:site/importance":           siteState,
	"/api/v1/sites/:site/allowances":           siteState,
	"/api/v1/sites/:site/rules/:rule":          ruleState,
	"/api/v1/sites/:site/schedules/:schedule":  scheduleState,
	"/api/v1/sites/:site/watches/:watch":       watchState,
	"/api/v1/sites/:site/waivers/:waiver":      waiverState,
	"/api/v1/ways/:way":                        wayState,
	"/api/v1/mail":                             mailState,
	"/api/v1/provider":                         providerState,
	"/api/v1/people/:person":                   personState,
	"/api/v1/me":                               meState,
	"/api/v1/alerts/:alert":                    alertState,
	"/api/v1/sites/:site/crawls/:crawl/mark":   crawlState,
	"/api/v1/sites/:site/crawls/:crawl":        crawlState,
	"/api/v1/watches/kept":                     looksState,
	"/api/v1/schedules/held":                   heldState,
	"/api/v1/sites/:site/crawls/:crawl/pace":   crawlState,
	"/api/v1/sites/:site/crawls/:crawl/stop":   crawlState,
	"/api/v1/sites/:site/crawls/:crawl/pause":  crawlState,
	"/api/v1/sites/:site/crawls/:crawl/resume": crawlState,
}

func planState(s *Service, c *gin.Context) (any, error) {
	site, err := s.store.Site(c, c.Param("site"))
	return site.Plan, err
}

func siteState(s *Service, c *gin.Context) (any, error) {
	site, err := s.store.Site(c, c.Param("site"))
	return map[string]any{
		"home":        site.Home,
		"keep":        site.Keep.Crawls,
		"keepMonthly": site.Keep.Monthly,
		"groups":      site.Groups,
		"importance":  site.Importance,
		"allowed":     site.Allowed,
	}, err
}

func ruleState(s *Service, c *gin.Context) (any, error) {
	site, err := s.store.Site(c, c.Param("site"))
	if err != nil {
		return nil, err
	}
	all, err := s.rooms.RulesOf(c, site)
	return oneOf(all, func(r *record.SiteRule) bool { return r.Rule.Name == c.Param("rule") }, wire.SiteRule), err
}

func scheduleState(s *Service, c *gin.Context) (any, error) {
	all, err := s.store.Schedules(c, c.Param("site"))
	return oneOf(all, func(r *record.Scheduled) bool { return r.Name == c.Param("schedule") }, wire.Scheduled), err
}

func watchState(s *Service, c *gin.Context) (any, error) {
	all, err := s.store.Watches(c, c.Param("site"))
	return oneOf(all, func(w *record.Watched) bool { return w.Name == c.Param("watch") },
		func(w *record.Watched) any { return w.Watch }), err
}

func waiverState(s *Service, c *gin.Context) (any, error) {
	site, err := s.store.Site(c, c.Param("site"))
	if err != nil {
		return nil, err
	}
	all, err := s.store.Waivers(c, site.ID)
	return oneOf(all, func(w *record.Waiver) bool { return fmt.Sprint(w.ID) == c.Param("waiver") }, wire.Waiver), err
}

func wayState(s *Service, c *gin.Context) (any, error) {
	all, err := s.store.Ways(c)
	return oneOf(all, func(w *record.Way) bool { return w.Name == c.Param("way") }, wire.Way), err
}

func mailState(s *Service, c *gin.Context) (any, error) {
	var server record.MailServer
	err := s.store.Setting(c, record.MailSetting, &server)
	return wire.MailServer(&server), err
}

func providerState(s *Service, c *gin.Context) (any, error) {
	var of record.Provider
	err := s.store.Setting(c, record.ProviderSetting, &of)
	return map[string]any{"name": of.Name, "issuer": of.Issuer, "client": of.Client}, err
}

func personState(s *Service, c *gin.Context) (any, error) {
	all, err := s.store.People(c)
	return oneOf(all, func(p *record.Person) bool { return fmt.Sprint(p.ID) == c.Param("person") }, wire.Person), err
}

func meState(s *Service, c *gin.Context) (any, error) {
	p, err := s.store.Person(c, caller(c).Person)
	return api.Me{Name: p.Name}, err
}

func alertState(s *Service, c *gin.Context) (any, error) {
	id, _ := strconv.ParseInt(c.Param("alert"), 10, 64)
	one, err := s.store.Alert(c, id)
	return map[string]any{"site": one.Site, "says": one.Told.Says, "state": one.State, "assignee": one.Assignee,
		"until": one.Until, "reason": one.Reason}, err
}

func crawlState(s *Service, c *gin.Context) (any, error) {
	n, _ := strconv.Atoi(c.Param("crawl")) // 0 for the newest
	cr, err := s.store.Crawl(c, c.Param("site"), n)
	return map[string]any{"crawl": cr.Number, "state": cr.State, "marked": cr.Marked, "parallel": cr.Plan.Parallel,
		"pause": cr.Plan.Pause}, err
}

func looksState(s *Service, c *gin.Context) (any, error) { return s.store.KeepsLooks(c) }

func heldState(s *Service, c *gin.Context) (any, error) {
	held, err := s.rooms.SchedulesHeld(c)
	return api.Held{Held: held}, err
}

// An operation is a call as the description of the API has it.
type operation struct {
	ID      string `yaml:"operationId"`
	Summary string `yaml:"summary"`
}

// described are the operations of the description, by method and path as routes have them.
var described = sync.OnceValue(func() map[string]operation {
	var doc struct {
		Paths map[string]map[string]yaml.Node `yaml:"paths"`
	}
	out := map[string]operation{}
	if err := yaml.Unmarshal(api.Description, &doc); err != nil {
		return out // a test reads it, too
	}
	for path, calls := range doc.Paths {
		route := "/api/v1" + pathParam.ReplaceAllString(path, ":$1")
		for method, node := range calls {
			var one operation
			if node.Decode(&one) == nil && one.ID != "" {
				out[strings.ToUpper(method)+" "+route] = one
			}
		}
	}
	return out
})

var pathParam = regexp.MustCompile(`\{(\w+)\}`)

// summaries say what operations do, by name.
var summaries = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for _, one := range described() {
		says, _, _ := strings.Cut(one.Summary, "; ")
		out[one.ID], _, _ = strings.Cut(says, ", in place of ")
	}
	out["signIn"], out["welcome"] = "Sign in", "Come in by an invitation"
	return out
})

// oneOf is the one of a list, as it is told; nil where there is none.
func oneOf[T, U any](all []T, is func(*T) bool, tell func(*T) U) any {
	for i := range all {
		if is(&all[i]) {
			return tell(&all[i])
		}
	}
	return nil
}

// listTrail tells who changed what.
func (s *Service) listTrail(c *gin.Context) {
	limit, ok := number(c, "limit", 100, 1, 5000)
	if !ok {
		return
	}
	before, ok := number(c, "before", 0, 0, 1<<62)
	if !ok {
		return
	}
	all, err := s.store.Trail(c, record.TrailQuery{Site: c.Query("site"), Who: c.Query("who"), What: c.Query("what"),
		Before: int64(before), Limit: limit})
	if err != nil {
		s.fail(c, err, "the trail")
		return
	}
	out := api.TrailList{Steps: wire.Each(all, wire.TrailStep)}
	for i := range out.Steps {
		out.Steps[i].Says = summaries()[out.Steps[i].What]
	}
	if len(all) == limit {
		out.Next = all[len(all)-1].ID
	}
	c.JSON(http.StatusOK, out)
}
