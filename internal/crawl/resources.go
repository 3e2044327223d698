package crawl

import (
	"bytes"
	"context"
	"net/http"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/fetch"
)

// Media types that are looked into.
const (
	typePDF = "application/pdf"
	typeCSS = "text/css"
)

// load fetches what is no page: a resource, or an outbound link that is checked for being
// alive. HEAD comes first; where its answer cannot be trusted, or the content matters, GET.
func (c *Crawl) load(ctx context.Context, j *job) (*page.Facts, int) {
	if a, blocked := c.isBlocked(ctx, j); blocked {
		c.release(j.host, &a)
		return c.answered(&j.at, &a, 0), 0
	}
	buf := c.buffers.Get().(*bytes.Buffer)
	defer c.keep(buf)
	hold := new(fetch.Hold)
	defer hold.Release()
	nothing := func(int, string) bool { return false }
	tries := 0
	var a fetch.Answer
	if !isText(j.role) {
		var earlier []string
		a, earlier = c.try(ctx, j, buf, fetch.Request{Method: http.MethodHead, Want: nothing})
		tries += len(earlier) + 1
	}
	if isText(j.role) || headLies(&a, j.role) {
		want := func(status int, mediaType string) bool { return status == http.StatusOK && !j.role.OnlyAlive() }
		var earlier []string
		a, earlier = c.try(ctx, j, buf, fetch.Request{Want: want, Hold: hold})
		tries += len(earlier) + 1
	}
	f := c.answered(&j.at, &a, tries)
	c.lookInto(ctx, j, &a, f)
	c.release(j.host, &a)
	return f, tries - 1
}

// isText tells what is read as a whole: stylesheets for what they load, both for what minifying
// would save.
func isText(role page.Role) bool { return role == page.AsStyle || role == page.AsScript }

// lookInto notes what the content of a resource tells.
func (c *Crawl) lookInto(ctx context.Context, j *job, a *fetch.Answer, f *page.Facts) {
	if f.Status != http.StatusOK {
		return
	}
	switch {
	case j.role == page.AsStyle && (a.Type == typeCSS || a.Type == ""):
		f.Uses = page.Stylesheet(&j.at, a.Body)
		f.Spare = page.Spare(a.Body, false)
	case j.role == page.AsScript && strings.Contains(a.Type, "javascript"):
		f.Spare = page.Spare(a.Body, true)
	case j.role == page.AsImage && a.Type == "image/png" && f.Bytes > leastOpaque:
		head := a.Body
		if len(head) == 0 {
			got := c.fetcher.Do(ctx, &j.at, new(bytes.Buffer),
				fetch.Request{MaxBytes: 4 << 10,
					Want: func(status int, _ string) bool { return status == http.StatusOK }})
			head = got.Body
		}
		f.Opaque = page.IsOpaquePNG(head)
	}
}

// leastOpaque is from which size, in bytes, on it matters whether a picture has transparency.
const leastOpaque = 50_000

// headLies tells whether an answer to HEAD says too little or cannot be believed: servers
// refuse it where GET works, or leave the size out.
func headLies(a *fetch.Answer, role page.Role) bool {
	switch {
	case a.Outcome != page.Answered:
		return a.Outcome != page.NoDNS && a.Outcome != page.Forbidden && a.Outcome != page.TLSFailed &&
			a.Outcome != page.Refused
	case a.Status >= 400:
		return true
	case a.Status == http.StatusOK && !role.OnlyAlive():
		return a.Length < 0 || a.Header.Get("Content-Type") == ""
	}
	return false
}

// isBlocked asks the robots.txt of a resource's host, inside the site or not. Where the host gives
// no answer at all, that is the answer for its resources, too: it is not asked again for each.
func (c *Crawl) isBlocked(ctx context.Context, j *job) (a fetch.Answer, blocked bool) {
	if c.plan.Robots == plan.Disregard {
		return a, false
	}
	origin := j.at.Origin() + "/"
	rules, got := c.rules.of(ctx, origin)
	v := rules.Decide(c.plan.RobotsAs, j.url[len(origin)-1:])
	switch {
	case v.Allowed:
		return a, false
	case got.Status == 0 && got.Outcome != "" && got.Outcome != page.Answered:
		return fetch.Answer{Outcome: got.Outcome, Detail: got.Detail, Length: -1}, true
	}
	return fetch.Answer{Outcome: page.RobotsBlocks, Detail: strings.TrimSpace(v.Rule.Text), Length: -1}, true
}
