// Package client speaks to a Harvik service over its API.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// A Client is safe for use from several goroutines.
type Client struct {
	server string // "http://127.0.0.1:8420"
	token  string
	http   *http.Client
}

// New makes a client of the service at an address, with a token.
func New(server, token string) *Client {
	// The service sends nobody elsewhere; what does is not it, and must not get the token.
	stay := func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	return &Client{strings.TrimSuffix(server, "/"), token, &http.Client{CheckRedirect: stay}}
}

// Error is a refusal by the service.
type Error struct {
	Status int          `json:"status"`
	Title  string       `json:"title"`
	Detail string       `json:"detail"`
	Faults []plan.Fault `json:"faults"`
}

func (e *Error) Error() string {
	if e.Detail != "" {
		return e.Detail
	}
	return fmt.Sprintf("the service answered %d %s", e.Status, e.Title)
}

func (c *Client) send(ctx context.Context, method, path string, body io.Reader) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.server+"/api/v1"+path, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	resp, err := c.http.Do(req)
	if err != nil {
		var u *url.Error
		if errors.As(err, &u) {
			err = u.Err
		}
		return nil, fmt.Errorf("no service answers at %s (%w); start it with `harvik start`", c.server, err)
	}
	if resp.StatusCode < 300 {
		return resp, nil
	}
	defer resp.Body.Close()
	if to := resp.Header.Get("Location"); to != "" && resp.StatusCode < 400 {
		return nil, fmt.Errorf("%s is no Harvik service: it sends to %s; see --server", c.server, to)
	}
	problem := &Error{Status: resp.StatusCode, Title: http.StatusText(resp.StatusCode)}
	data, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	_ = json.Unmarshal(data, problem) // not from Harvik: the status says enough
	return nil, problem
}

// call sends in as JSON, unless it is nil or bytes, and reads the answer into out.
func (c *Client) call(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	switch v := in.(type) {
	case nil:
	case []byte:
		body = bytes.NewReader(v)
	default:
		data, err := json.Marshal(v)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	resp, err := c.send(ctx, method, path, body)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if out == nil {
		return nil
	}
	if err := json.NewDecoder(resp.Body).Decode(out); err != nil {
		return fmt.Errorf("reading the service's answer: %w", err)
	}
	return nil
}

func get[T any](ctx context.Context, c *Client, path string) (out T, err error) {
	err = c.call(ctx, http.MethodGet, path, nil, &out)
	return out, err
}

func sitePath(site string) string { return "/sites/" + url.PathEscape(site) }

func crawlPath(site string, number int) string {
	name := "latest"
	if number > 0 {
		name = strconv.Itoa(number)
	}
	return sitePath(site) + "/crawls/" + name
}

// Sites lists all sites.
func (c *Client) Sites(ctx context.Context) ([]record.Site, error) {
	out, err := get[struct{ Sites []record.Site }](ctx, c, "/sites")
	return out.Sites, err
}

// AddSite makes a new site, whose plan starts from a profile if one is named.
func (c *Client) AddSite(ctx context.Context, name, home, profile string) (site record.Site, err error) {
	err = c.call(ctx, http.MethodPost, "/sites", map[string]string{"name": name, "home": home, "profile": profile}, &site)
	return site, err
}

// Allow lets a site's hosts be in a range that is not public, and gives the site.
func (c *Client) Allow(ctx context.Context, name, prefix string) (site record.Site, err error) {
	err = c.call(ctx, http.MethodPost, sitePath(name)+"/allowances", map[string]string{"range": prefix}, &site)
	return site, err
}

// Disallow takes that back.
func (c *Client) Disallow(ctx context.Context, name, prefix string) error {
	return c.call(ctx, http.MethodDelete, sitePath(name)+"/allowances?"+query("range", prefix).Encode(), nil, nil)
}

// Credentials are all who are let in, the oldest first.
func (c *Client) Credentials(ctx context.Context) ([]record.Credential, error) {
	out, err := get[struct{ Credentials []record.Credential }](ctx, c, "/credentials")
	return out.Credentials, err
}

// AddToken makes a token for a program; its secret is told once.
func (c *Client) AddToken(ctx context.Context, label string) (secret string, err error) {
	var out struct{ Token string }
	err = c.call(ctx, http.MethodPost, "/credentials", map[string]string{"label": label}, &out)
	return out.Token, err
}

// Revoke ends a credential.
func (c *Client) Revoke(ctx context.Context, id int64) error {
	return c.call(ctx, http.MethodDelete, fmt.Sprintf("/credentials/%d", id), nil, nil)
}

// Site is one site.
func (c *Client) Site(ctx context.Context, name string) (record.Site, error) {
	return get[record.Site](ctx, c, sitePath(name))
}

// RemoveSite deletes a site with its crawls.
func (c *Client) RemoveSite(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, sitePath(name), nil, nil)
}

// SetPlan replaces a site's plan by a text in YAML or JSON.
func (c *Client) SetPlan(ctx context.Context, site string, text []byte) (p plan.Plan, err error) {
	err = c.call(ctx, http.MethodPut, sitePath(site)+"/plan", text, &p)
	return p, err
}

// ChangePlan changes the settings that a text in YAML or JSON names.
func (c *Client) ChangePlan(ctx context.Context, site string, text []byte) (p plan.Plan, err error) {
	err = c.call(ctx, http.MethodPatch, sitePath(site)+"/plan", text, &p)
	return p, err
}

// Plan is a site's plan.
func (c *Client) Plan(ctx context.Context, site string) (plan.Plan, error) {
	return get[plan.Plan](ctx, c, sitePath(site)+"/plan")
}

// Profiles are the plans that a site's can start from, and the agents known by name.
func (c *Client) Profiles(ctx context.Context) (profiles []plan.Profile, agents []plan.Agent, err error) {
	out, err := get[struct {
		Profiles []plan.Profile
		Agents   []plan.Agent
	}](ctx, c, "/profiles")
	return out.Profiles, out.Agents, err
}

// PlanSchema is the JSON Schema of plans.
func (c *Client) PlanSchema(ctx context.Context) (map[string]any, error) {
	return get[map[string]any](ctx, c, "/plan-schema")
}

// CheckPlan tells what a plan's text comes to, without keeping it: filled in, and as short YAML.
func (c *Client) CheckPlan(ctx context.Context, text []byte) (p plan.Plan, short string, err error) {
	var out struct {
		Plan plan.Plan
		Text string
	}
	err = c.call(ctx, http.MethodPost, "/plan-check", text, &out)
	return out.Plan, out.Text, err
}

// PreviewPlan looks at a site by a plan's text, or by the site's own plan if that is empty.
func (c *Client) PreviewPlan(ctx context.Context, site string, text []byte) (p record.Preview, err error) {
	var in any
	if len(text) > 0 {
		in = text
	}
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/plan/preview", in, &p)
	return p, err
}

// Secrets lists what secrets a site has.
func (c *Client) Secrets(ctx context.Context, site string) ([]record.Secret, error) {
	out, err := get[struct{ Secrets []record.Secret }](ctx, c, sitePath(site)+"/secrets")
	return out.Secrets, err
}

// SecretUses are what a secret was opened for, the newest first.
func (c *Client) SecretUses(ctx context.Context, site, name string) ([]record.SecretUse, error) {
	out, err := get[struct{ Uses []record.SecretUse }](ctx, c, sitePath(site)+"/secrets/"+url.PathEscape(name)+"/uses")
	return out.Uses, err
}

// SetSecret keeps a secret for a host; an empty one is the home page's.
func (c *Client) SetSecret(ctx context.Context, site, name, host, value string) error {
	return c.call(ctx, http.MethodPut, sitePath(site)+"/secrets/"+url.PathEscape(name), map[string]string{"host": host, "value": value}, nil)
}

// RemoveSecret deletes a secret.
func (c *Client) RemoveSecret(ctx context.Context, site, name string) error {
	return c.call(ctx, http.MethodDelete, sitePath(site)+"/secrets/"+url.PathEscape(name), nil, nil)
}

// StartCrawl begins a crawl; pages overrides the plan's limit if it is not 0.
func (c *Client) StartCrawl(ctx context.Context, site string, pages int) (cr record.Crawl, err error) {
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/crawls", map[string]int{"pages": pages}, &cr)
	return cr, err
}

// StopCrawl ends a running crawl early.
func (c *Client) StopCrawl(ctx context.Context, site string, number int) error {
	return c.call(ctx, http.MethodPost, crawlPath(site, number)+"/stop", nil, nil)
}

// RemoveCrawl deletes a crawl that does not run.
func (c *Client) RemoveCrawl(ctx context.Context, site string, number int) error {
	return c.call(ctx, http.MethodDelete, crawlPath(site, number), nil, nil)
}

// PauseCrawl puts a running crawl away until it is resumed.
func (c *Client) PauseCrawl(ctx context.Context, site string, number int) error {
	return c.call(ctx, http.MethodPost, crawlPath(site, number)+"/pause", nil, nil)
}

// ResumeCrawl goes on with a paused crawl.
func (c *Client) ResumeCrawl(ctx context.Context, site string, number int) (cr record.Crawl, err error) {
	err = c.call(ctx, http.MethodPost, crawlPath(site, number)+"/resume", nil, &cr)
	return cr, err
}

// ContinueCrawl lets a finished crawl go on to a higher number of pages.
func (c *Client) ContinueCrawl(ctx context.Context, site string, number, pages int) (cr record.Crawl, err error) {
	err = c.call(ctx, http.MethodPost, crawlPath(site, number)+"/continue", map[string]int{"pages": pages}, &cr)
	return cr, err
}

// SetPace changes the pace of a running crawl: parallel, pause and perSecond, those given.
func (c *Client) SetPace(ctx context.Context, site string, number int, pace map[string]any) error {
	return c.call(ctx, http.MethodPatch, crawlPath(site, number)+"/pace", pace, nil)
}

// Addresses lists a crawl's known addresses of a state, from a number on.
func (c *Client) Addresses(ctx context.Context, site string, number int, state string, after int32, limit int) (record.AddressList, error) {
	q := query("state", state)
	q.Set("after", strconv.Itoa(int(after)))
	q.Set("limit", strconv.Itoa(limit))
	return get[record.AddressList](ctx, c, crawlPath(site, number)+"/addresses?"+q.Encode())
}

// Crawls lists a site's crawls, newest first.
func (c *Client) Crawls(ctx context.Context, site string) ([]record.Crawl, error) {
	out, err := get[struct{ Crawls []record.Crawl }](ctx, c, sitePath(site)+"/crawls?limit=500")
	return out.Crawls, err
}

// Crawl is one crawl; number 0 is the newest finished one.
func (c *Client) Crawl(ctx context.Context, site string, number int) (record.Crawl, error) {
	return get[record.Crawl](ctx, c, crawlPath(site, number))
}

// Watch follows a crawl, calling f with its progress, until it has ended.
func (c *Client) Watch(ctx context.Context, site string, number int, f func(record.Progress)) (record.Crawl, error) {
	var end record.Crawl
	resp, err := c.send(ctx, http.MethodGet, crawlPath(site, number)+"/progress", nil)
	if err != nil {
		return end, err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 8<<20)
	event := ""
	for lines.Scan() {
		if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
			event = name
		}
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		if event == "end" {
			return end, json.Unmarshal([]byte(data), &end)
		}
		var p record.Progress
		if err := json.Unmarshal([]byte(data), &p); err != nil {
			return end, err
		}
		f(p)
	}
	if err := lines.Err(); err != nil {
		return end, err
	}
	return end, errors.New("the service ended; the crawl's record says what became of it")
}

// Judge judges a finished crawl anew.
func (c *Client) Judge(ctx context.Context, site string, number int) (cr record.Crawl, err error) {
	err = c.call(ctx, http.MethodPost, crawlPath(site, number)+"/judge", nil, &cr)
	return cr, err
}

// Look fetches one page, or takes HTML, and judges it at once.
func (c *Client) Look(ctx context.Context, in record.LookRequest) (out record.Look, err error) {
	err = c.call(ctx, http.MethodPost, "/look", in, &out)
	return out, err
}

// Compare sets two pages' texts side by side.
func (c *Client) Compare(ctx context.Context, site string, number int, a, b string) (record.Comparison, error) {
	return get[record.Comparison](ctx, c, crawlPath(site, number)+"/compare?"+query("a", a, "b", b).Encode())
}

// Layouts are the templates that a crawl's pages are built from, the largest first.
func (c *Client) Layouts(ctx context.Context, site string, number int) ([]record.LayoutRow, error) {
	out, err := get[struct{ Layouts []record.LayoutRow }](ctx, c, crawlPath(site, number)+"/layouts")
	return out.Layouts, err
}

// Tally counts a crawl's addresses.
func (c *Client) Tally(ctx context.Context, site string, number int) (record.Tallies, error) {
	return get[record.Tallies](ctx, c, crawlPath(site, number)+"/tally")
}

// FixFilter chooses fixes; empty fields do not.
type FixFilter struct {
	Severity, Group, Check, Order, State, Assignee, Section string
	Limit                                                   int
}

// Fixes lists a crawl's fix list.
func (c *Client) Fixes(ctx context.Context, site string, number int, f FixFilter) (record.FixList, error) {
	q := query("severity", f.Severity, "group", f.Group, "check", f.Check, "order", f.Order, "state", f.State,
		"assignee", f.Assignee, "section", f.Section)
	q.Set("limit", strconv.Itoa(f.Limit))
	return get[record.FixList](ctx, c, crawlPath(site, number)+"/fixes?"+q.Encode())
}

func query(pairs ...string) url.Values {
	q := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return q
}

// FixDetail is a fix with its check.
type FixDetail struct {
	Fix   record.FixLine `json:"fix"`
	Check record.Check   `json:"check"`
}

// Fix is one fix.
func (c *Client) Fix(ctx context.Context, site string, number int, id string) (FixDetail, error) {
	return get[FixDetail](ctx, c, crawlPath(site, number)+"/fixes/"+url.PathEscape(id))
}

// FixPages are the pages of a fix with their evidence.
func (c *Client) FixPages(ctx context.Context, site string, number int, id string, limit int) ([]record.PageFinding, error) {
	out, err := get[struct{ Pages []record.PageFinding }](ctx, c, fmt.Sprintf("%s/fixes/%s/pages?limit=%d", crawlPath(site, number), url.PathEscape(id), limit))
	return out.Pages, err
}

// Pages lists fetched addresses.
func (c *Client) Pages(ctx context.Context, site string, number int, q record.PageQuery) (record.PageList, error) {
	v := query("search", q.Search, "status", q.Status, "kind", q.Kind, "check", q.Check, "fix", q.Fix, "sort", q.Sort, "after", q.After, "role", q.Role, "section", q.Section,
		"having", q.Having, "indexable", q.Indexable, "reachable", q.Reachable, "why", q.Why)
	v.Set("limit", strconv.Itoa(q.Limit))
	return get[record.PageList](ctx, c, crawlPath(site, number)+"/pages?"+v.Encode())
}

// Page is all about one address, absolute or relative to the home address.
func (c *Client) Page(ctx context.Context, site string, number int, address string) (record.PageDetail, error) {
	return get[record.PageDetail](ctx, c, crawlPath(site, number)+"/page?"+query("address", address).Encode())
}

// LinksIn lists the links that lead to an address, those of the first limit pages.
func (c *Client) LinksIn(ctx context.Context, site string, number int, address string, limit int) (record.LinksInto, error) {
	q := query("address", address)
	q.Set("limit", strconv.Itoa(limit))
	return get[record.LinksInto](ctx, c, crawlPath(site, number)+"/links-in?"+q.Encode())
}

// Checks is the catalogue.
func (c *Client) Checks(ctx context.Context) ([]record.Check, error) {
	out, err := get[struct{ Checks []record.Check }](ctx, c, "/checks")
	return out.Checks, err
}

// Check is one of the catalogue.
func (c *Client) Check(ctx context.Context, id string) (record.Check, error) {
	return get[record.Check](ctx, c, "/checks/"+url.PathEscape(id))
}

// SignIn trades a one-time link's secret for a session, as the console does: its key goes with the cookie
// that comes with it.
func (c *Client) SignIn(ctx context.Context, link string) (key string, err error) {
	var out struct{ Key string }
	err = c.call(ctx, http.MethodPost, "/session", map[string]string{"link": link}, &out)
	return out.Key, err
}
