package fetch

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"sync"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

// form is a log-in by an HTML form, and the session that it gives.
type form struct {
	host    string
	address string
	at      weburl.URL // where the address resolves to, once known
	fields  map[string]string
	proof   string

	mu     sync.Mutex // held while logging in: the others wait for it
	jar    http.CookieJar
	logins int
	failed bool
}

func newForm(i int, g *plan.Gate, host string, secrets map[string]string) (*form, error) {
	f := &form{host: host, address: g.Address, fields: map[string]string{}, proof: g.Proof}
	for name, value := range g.Fields {
		if secret, ok := strings.CutPrefix(value, "secret:"); ok {
			if value, ok = secrets[secret]; !ok {
				return nil, fmt.Errorf("gates[%d]: there is no secret %q; set it with `harvik secret set SITE %s`", i,
					secret, secret)
			}
		}
		f.fields[name] = value
	}
	return f, nil
}

// LogIn passes the forms' gates, before anything else is fetched.
func (c *Client) LogIn(ctx context.Context) error {
	gates := c.settings.Gates
	if gates == nil {
		return nil
	}
	for host, one := range gates.hosts {
		if one.form == nil {
			continue
		}
		at, err := gates.home.Parse(one.form.address)
		if err != nil || !at.IsHTTP() || gates.on(&at) != one {
			return fmt.Errorf("the log-in at %s is not on its gate's host %s, or not as safe as the home page",
				one.form.address, host)
		}
		one.form.at = at
		if err := one.form.logIn(ctx, c, one.header, 0); err != nil {
			return err
		}
	}
	return nil
}

// maxLogIns bounds how often a crawl logs in again.
const maxLogIns = 50

// logIn fills the form in and sends it. Since is the number of log-ins when the caller saw that
// one is needed: another may have done it meanwhile.
func (f *form) logIn(ctx context.Context, c *Client, header http.Header, since int) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.logins > since {
		return nil
	}
	if f.failed || f.logins >= maxLogIns {
		return fmt.Errorf("the log-in at %s does not hold", f.address)
	}
	f.logins++
	jar, _ := cookiejar.New(nil)
	f.jar = jar
	fail := func(why string) error {
		f.failed = true
		return fmt.Errorf("the log-in at %s did not work: %s", f.address, why)
	}
	var buf bytes.Buffer
	a, at := f.follow(ctx, c, jar, f.at, header, "", &buf)
	if a.Status != http.StatusOK {
		return fail(fmt.Sprintf("the page answers with %s", statusOr(&a)))
	}
	target, body, err := f.fill(at, a.Body, BoundTo(f.host, c.settings.Gates.home))
	if err != nil {
		return fail(err.Error())
	}
	if a, _ = f.follow(ctx, c, jar, target, header, body, &buf); strings.Contains(string(a.Body), f.proof) {
		return nil
	}
	if home := c.settings.Gates.home; home.Hostname() == f.host {
		if again, _ := f.follow(ctx, c, jar, home, header, "", &buf); strings.Contains(string(again.Body), f.proof) {
			return nil
		}
	}
	return fail(fmt.Sprintf("the proof %q does not stand on the page that follows (%s)", f.proof, statusOr(&a)))
}

func statusOr(a *Answer) string {
	if a.Status > 0 {
		return fmt.Sprintf("status %d", a.Status)
	}
	return a.Detail
}

// follow fetches with the session's cookies, through redirects on the form's host.
func (f *form) follow(ctx context.Context, c *Client, jar http.CookieJar, u weburl.URL, header http.Header, body string,
	buf *bytes.Buffer) (Answer, weburl.URL) {
	var a Answer
	for range 10 {
		a = send(ctx, c, jar, &u, buf, Request{Want: func(int, string) bool { return true }}, header, body)
		next, err := u.Parse(a.Header.Get("Location"))
		if a.Status < 300 || a.Status > 399 || a.Header.Get("Location") == "" || err != nil ||
			!BoundTo(f.host, c.settings.Gates.home).covers(&next) {
			break
		}
		u, body = next, ""
	}
	return a, u
}

// send makes one request with the cookies, and keeps those that come.
func send(ctx context.Context, c *Client, jar http.CookieJar, u *weburl.URL, buf *bytes.Buffer, r Request,
	header http.Header, body string) Answer {
	at, err := url.Parse(u.Key())
	if err != nil {
		return Answer{Outcome: page.BadResponse, Detail: err.Error(), Length: -1}
	}
	header = header.Clone()
	pairs := []string{}
	if fixed := header.Get("Cookie"); fixed != "" {
		pairs = append(pairs, fixed)
	}
	for _, cookie := range jar.Cookies(at) {
		pairs = append(pairs, cookie.Name+"="+cookie.Value)
	}
	if len(pairs) > 0 {
		header.Set("Cookie", strings.Join(pairs, "; "))
	}
	a := c.send(ctx, u, buf, r, header, body)
	if a.Header != nil {
		jar.SetCookies(at, (&http.Response{Header: a.Header}).Cookies())
	}
	return a
}

// pass fetches an address within the session, and logs in again where it has ended.
func (f *form) pass(ctx context.Context, c *Client, u *weburl.URL, buf *bytes.Buffer, r Request,
	header http.Header) Answer {
	jar, since := f.session()
	a := send(ctx, c, jar, u, buf, r, header, "")
	if !f.isOut(u, &a) || f.logIn(ctx, c, header, since) != nil {
		return a
	}
	jar, _ = f.session()
	return send(ctx, c, jar, u, buf, r, header, "")
}

func (f *form) session() (jar http.CookieJar, logins int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.jar == nil {
		f.jar, _ = cookiejar.New(nil)
	}
	return f.jar, f.logins
}

// isOut tells whether an answer looks as if the session had ended: it sends to the log-in page,
// refuses, or shows a password field without the proof.
func (f *form) isOut(u *weburl.URL, a *Answer) bool {
	if u.Path() == f.at.Path() {
		return false
	}
	switch {
	case a.Status == http.StatusUnauthorized || a.Status == http.StatusForbidden:
		return true
	case a.Status >= 300 && a.Status <= 399:
		to, err := u.Parse(a.Header.Get("Location"))
		return err == nil && to.Hostname() == f.host && to.Path() == f.at.Path()
	}
	return a.Status == http.StatusOK && bytes.Contains(a.Body, []byte(`type="password"`)) &&
		!bytes.Contains(a.Body, []byte(f.proof))
}

// fill finds the form that has the fields, and fills it in on top of what it holds: hidden
// fields such as a token against forgery go along.
func (f *form) fill(at weburl.URL, body []byte, to Bound) (target weburl.URL, encoded string, err error) {
	root, err := html.Parse(bytes.NewReader(body))
	if err != nil {
		return target, "", fmt.Errorf("the page cannot be read: %w", err)
	}
	for n := range root.Descendants() {
		if n.DataAtom != atom.Form {
			continue
		}
		values := formValues(n)
		if !f.fits(values) {
			continue
		}
		for name, value := range f.fields {
			values.Set(name, value)
		}
		action := attribute(n, "action")
		target, err := at.Parse(action)
		if err != nil || !to.covers(&target) || at.Scheme() == "https" && target.Scheme() != "https" {
			return target, "", fmt.Errorf("the form sends to %q, which is not where its secrets are for: %s, on the home page's port, and as safe", action, f.host)
		}
		return target, values.Encode(), nil
	}
	var names []string
	for name := range f.fields {
		names = append(names, name)
	}
	return target, "", fmt.Errorf("no form there has the fields %s", strings.Join(names, ", "))
}

func (f *form) fits(values url.Values) bool {
	for name := range f.fields {
		if !values.Has(name) {
			return false
		}
	}
	return true
}

func formValues(form *html.Node) url.Values {
	values := url.Values{}
	for n := range form.Descendants() {
		name := attribute(n, "name")
		if name == "" || n.DataAtom != atom.Input && n.DataAtom != atom.Select && n.DataAtom != atom.Textarea &&
			n.DataAtom != atom.Button {
			continue
		}
		switch strings.ToLower(attribute(n, "type")) {
		case "checkbox", "radio", "file", "reset", "image":
			continue
		}
		if !values.Has(name) {
			values.Set(name, attribute(n, "value"))
		}
	}
	return values
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}
