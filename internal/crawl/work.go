package crawl

import (
	"bytes"
	"context"
	"net/http"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// work fetches and reads one address after another until jobs is closed. Every job gets
// its result.
func (c *Crawl) work(ctx context.Context, jobs <-chan job, results chan<- done) {
	var buf bytes.Buffer
	for j := range jobs {
		u, err := weburl.Parse(j.url)
		d := done{job: j, Record: Record{ID: j.id}}
		if err != nil { // cannot happen: the frontier holds parsed addresses
			d.Facts = &page.Facts{Version: page.Version, Address: j.url, Outcome: page.BadResponse, Detail: err.Error()}
		} else {
			var a fetch.Answer
			a, d.retries = c.try(ctx, &u, &buf)
			d.Facts = c.facts(&u, a, d.retries+1)
			d.Findings = c.judge.Page(j.id, d.Facts)
		}
		results <- d
		if buf.Cap() > 4<<20 {
			buf = bytes.Buffer{} // one huge page must not stay for the rest of the crawl
		}
	}
}

// longestWait bounds what a Retry-After can ask for.
const longestWait = 60 * time.Second

// try fetches, again where that may help: after 429, 5xx and broken connections, with
// pauses of 0.5 s, 1 s, 2 s … or what Retry-After asks for.
func (c *Crawl) try(ctx context.Context, u *weburl.URL, buf *bytes.Buffer) (a fetch.Answer, retries int) {
	for {
		if c.pace.Wait(ctx) != nil {
			return fetch.Answer{Outcome: page.Reset, Detail: "the crawl was ended"}, retries
		}
		a = c.client.Get(ctx, u, buf, wantsBody)
		if retries >= c.plan.Retries || !worthRetrying(a) {
			return a, retries
		}
		wait := max(min(a.RetryAfter, longestWait), 500*time.Millisecond<<retries)
		select {
		case <-time.After(wait):
		case <-c.stop:
			return a, retries
		case <-ctx.Done():
			return a, retries
		}
		retries++
	}
}

func worthRetrying(a fetch.Answer) bool {
	switch a.Outcome {
	case page.Answered:
		return a.Status == http.StatusTooManyRequests || a.Status >= 500
	case page.Reset, page.Refused, page.TimedOut, page.Unreachable:
		return true
	}
	return false
}

// facts puts together what an answer tells, reading the document if there is one.
func (c *Crawl) facts(u *weburl.URL, a fetch.Answer, tries int) *page.Facts {
	f := &page.Facts{
		Version: page.Version, Address: u.Key(), Outcome: a.Outcome, Detail: a.Detail, Status: a.Status,
		Type: a.Type, Bytes: len(a.Body), Transferred: a.Transferred, Coding: a.Coding,
		Protocol: a.Protocol, Header: fields(a.Header), Tries: tries, Timing: a.Timing,
	}
	if a.Outcome != page.Answered && a.Outcome != page.Truncated {
		f.Status = 0 // a status without a usable answer judges nothing
	}
	if isRedirect(a.Status) && f.Status != 0 {
		if to, err := u.Parse(a.Header.Get("Location")); err == nil && a.Header.Get("Location") != "" {
			f.Redirect = to.Key()
		}
	}
	if f.Status == http.StatusOK && wantsBody(a.Status, a.Type) {
		f.Document = page.Read(page.Response{
			Address: *u, Status: a.Status, ContentType: a.Header.Get("Content-Type"),
			RobotsTag: a.Header.Values("X-Robots-Tag"), Link: a.Header.Values("Link"), Body: a.Body,
		})
	}
	return f
}

func isRedirect(status int) bool {
	switch status {
	case 301, 302, 303, 307, 308:
		return true
	}
	return false
}

// maxHeaderFields and maxHeaderValue bound what is kept of a response's header.
const (
	maxHeaderFields = 64
	maxHeaderValue  = 1024
)

func fields(h http.Header) []page.Field {
	out := make([]page.Field, 0, len(h))
	for name, values := range h {
		for _, v := range values {
			if len(out) == maxHeaderFields {
				break
			}
			if strings.EqualFold(name, "Set-Cookie") {
				v, _, _ = strings.Cut(v, "=") // a session is a secret: keep its name only
			}
			if len(v) > maxHeaderValue {
				v = v[:maxHeaderValue]
			}
			out = append(out, page.Field{Name: clean(name), Value: clean(v)})
		}
	}
	sortFields(out)
	return out
}

func clean(s string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", "")
}
