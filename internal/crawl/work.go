package crawl

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/klauspost/compress/s2"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/pace"
)

// process fetches and reads one address. The host's governor has let it start; freed is called
// when the host can take another request.
//
// A panic, in Harvik or in a library that it reads with, costs that one address.
func (c *Crawl) process(ctx context.Context, j *job, freed func()) (d done) {
	free := true // of the host, once more
	err := mishap.Catch(func() error {
		d = c.processed(ctx, j, func() {
			free = false
			freed()
		})
		return nil
	})
	var p *mishap.Panic
	if !errors.As(err, &p) {
		return d
	}
	c.log.Error("an address could not be read", "address", j.url, "reason", fmt.Sprint(p.Value), "stack",
		string(p.Stack))
	if free {
		j.host.Done(time.Now(), &fetch.Answer{Outcome: page.NotRead})
		freed()
	}
	facts := &page.Facts{Version: page.Version, Address: j.url, Outcome: page.NotRead, Detail: p.Error(),
		Header: []page.Field{}}
	return done{job: *j, Record: booking.Record{ID: j.id, Facts: facts}}
}

func (c *Crawl) processed(ctx context.Context, j *job, freed func()) done {
	d := done{job: *j, Record: booking.Record{ID: j.id}}
	if j.role != page.AsPage {
		d.Facts, d.retries = c.load(ctx, j)
		return d
	}
	buf := c.buffers.Get().(*bytes.Buffer)
	hold := new(fetch.Hold) // until all is read from it
	defer hold.Release()
	a, earlier := c.try(ctx, j, buf, fetch.Request{Want: wantsPage, Hold: hold})
	if sendsAway(&a) {
		d.away, a.RetryAfter = a.RetryAfter, 0 // whether the whole site is away will show
	}
	c.reading <- struct{}{} // only as many bodies wait to be read as requests are allowed
	read := sync.OnceFunc(func() { <-c.reading })
	defer read()
	j.host.Done(time.Now(), &a)
	freed()
	d.retries = len(earlier)
	if len(a.Body) > hugeBytes { // reading it takes many times as much, and leaves that behind
		debug.FreeOSMemory()
		defer debug.FreeOSMemory()
	}
	d.Facts = c.facts(ctx, &j.at, &a, len(earlier)+1)
	d.Facts.Earlier = earlier
	d.sort = sortOf(d.Facts)
	if *c.plan.Keep.Source && d.Facts.Document != nil {
		d.Source = s2.Encode(nil, a.Body)
	}
	read()
	c.buildAll(ctx, &d, a.Header) // it asks the host for more, and whoever waits to be read keeps it
	c.book.Examine(&d.Record)
	if j.alike {
		d.said = gistOf(j.url, d.Facts.Document)
	}
	c.keep(buf)
	return d
}

// hugeBytes is the size of bodies after which memory is given back at once.
const hugeBytes = 4 << 20

func (c *Crawl) keep(buf *bytes.Buffer) {
	if buf.Cap() < 4<<20 { // one huge page must not stay for the rest of the crawl
		c.buffers.Put(buf)
	}
}

func (c *Crawl) release(g *pace.Governor, a *fetch.Answer) {
	g.Done(time.Now(), a)
	c.nudge()
}

// sendsAway tells whether an answer asks for a longer pause than a running crawl takes.
func sendsAway(a *fetch.Answer) bool {
	return a.RetryAfter > pace.LongestWait &&
		(a.Status == http.StatusTooManyRequests || a.Status == http.StatusServiceUnavailable)
}

// try fetches, again where that may help: after 429, 5xx and broken connections, with
// pauses of 0.5 s, 1 s, 2 s … or what Retry-After asks for. The host stays taken. Earlier is how
// the tries before the last ended.
func (c *Crawl) try(
	ctx context.Context, j *job, buf *bytes.Buffer, r fetch.Request,
) (a fetch.Answer, earlier []string) {
	most := c.retries(&j.at)
	for {
		a = c.fetcher.Do(ctx, &j.at, buf, r)
		if len(earlier) >= most || !worthRetrying(&a) || sendsAway(&a) {
			return a, earlier
		}
		c.release(j.host, &a)
		r.Hold.Release()
		select {
		case <-time.After(max(min(a.RetryAfter, pace.LongestWait), 500*time.Millisecond<<len(earlier))):
		case <-c.stop:
			most = 0
		case <-ctx.Done():
			most = 0
		}
		if j.host.Wait(ctx) != nil {
			j.host.Take()
			return a, earlier
		}
		if most == 0 {
			return a, earlier
		}
		ended := string(a.Outcome)
		if a.Outcome == page.Answered {
			ended = "status " + strconv.Itoa(a.Status)
		}
		earlier = append(earlier, ended)
	}
}

// retries is how often a request may be tried again: other people's hosts are asked once.
func (c *Crawl) retries(u *weburl.URL) int {
	if !c.frontier.scope.Inside(u.Key()) {
		return 0
	}
	return c.plan.Retries
}

func worthRetrying(a *fetch.Answer) bool {
	switch a.Outcome {
	case page.Answered:
		return a.Status == http.StatusTooManyRequests || a.Status >= 500
	case page.Reset, page.Refused, page.TimedOut, page.Unreachable:
		return true
	}
	return false
}

// wantsPage tells which responses are read: HTML pages, and documents that can be.
func wantsPage(status int, mediaType string) bool {
	return status == http.StatusOK && (isHTML(mediaType) || mediaType == typePDF)
}

func isHTML(mediaType string) bool {
	return mediaType == "text/html" || mediaType == "application/xhtml+xml"
}

// answered puts together what an answer tells, whatever was fetched.
func (c *Crawl) answered(u *weburl.URL, a *fetch.Answer, tries int) *page.Facts {
	f := &page.Facts{
		Version: page.Version, Address: u.Key(), Outcome: a.Outcome, Detail: a.Detail, Status: a.Status,
		Type: a.Type, Bytes: len(a.Body), Transferred: a.Transferred, Coding: a.Coding,
		Protocol: a.Protocol, Header: fields(a.Header), Tries: tries, Timing: a.Timing,
	}
	if f.Bytes == 0 && a.Length > 0 { // a body that nobody needs, such as a linked archive's
		f.Bytes = int(min(a.Length, math.MaxInt32))
	}
	if a.Outcome != page.Answered && a.Outcome != page.Truncated {
		f.Status = 0 // a status without a usable answer judges nothing
	}
	if isRedirect(a.Status) && f.Status != 0 {
		if to, err := u.Parse(a.Header.Get("Location")); err == nil && a.Header.Get("Location") != "" {
			f.Redirect = to.Key()
			if to := c.frontier.scope.Rewrite(f.Redirect); to != f.Address {
				f.Redirect = to
			}
		}
	}
	return f
}

// facts are those of a page, reading the document if there is one.
func (c *Crawl) facts(ctx context.Context, u *weburl.URL, a *fetch.Answer, tries int) *page.Facts {
	f := c.answered(u, a, tries)
	switch {
	case f.Status != http.StatusOK:
	case isHTML(a.Type):
		c.reads.Document(f, *u, a.Header.Values, a.Body)
		c.book.SetKind(f)
	case a.Type == typePDF:
		f.PDF = c.readPDF(ctx, a.Body)
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
				v = withoutSecret(v)
			}
			if len(v) > maxHeaderValue {
				v = v[:maxHeaderValue]
			}
			out = append(out, page.Field{Name: clean(name), Value: clean(v)})
		}
	}
	slices.SortStableFunc(out, func(a, b page.Field) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// withoutSecret is what a Set-Cookie header says but for the cookie's value, which may be a session.
func withoutSecret(cookie string) string {
	pair, attributes, _ := strings.Cut(cookie, ";")
	name, _, _ := strings.Cut(pair, "=")
	out := name
	for part := range strings.SplitSeq(attributes, ";") {
		key, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		switch strings.ToLower(key) {
		case "secure", "httponly":
			out += "; " + key
		case "samesite":
			out += "; SameSite=" + value
		}
	}
	return out
}

func clean(s string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", "")
}
