package watching

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/watch"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// mostHops is how many redirects are followed.
const mostHops = 10

// look looks at an address, and again by a fresh connection where it is down: once is no outage, unless another of its
// site was just tried twice.
func (w *Watching) look(ctx context.Context, one *record.Watched, on *host) (*watch.Look, error) {
	c, _, _, err := w.client(ctx, one.Site)
	if err != nil {
		return nil, err
	}
	seen, err := w.lookOnce(ctx, c.Client, one)
	if err != nil || one.Down(seen) == "" || one.State.Down || isSilent(seen) && on.fails.Load() {
		return seen, err
	}
	select {
	case <-time.After(w.breath):
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	at := seen.At
	if seen, err = w.lookOnce(ctx, c.Client, one); err == nil {
		seen.At, seen.Tries = at, 2
		if isSilent(seen) {
			on.fails.Store(true)
		}
	}
	return seen, err
}

// isSilent tells of a host that gave no answer at all.
func isSilent(seen *watch.Look) bool {
	return seen.Outcome != page.Answered && seen.Outcome != page.Truncated
}

// lookOnce follows an address to where it leads, by a connection of its own.
func (w *Watching) lookOnce(ctx context.Context, c *fetch.Client, one *record.Watched) (*watch.Look, error) {
	u, err := weburl.Parse(one.Address)
	if err != nil {
		return nil, err
	}
	out := &watch.Look{At: w.now(), Tries: 1}
	for {
		buf := new(bytes.Buffer)
		a := c.Do(ctx, &u, buf, fetch.Request{Want: func(int, string) bool { return true }})
		out.Outcome, out.Detail, out.Status = a.Outcome, a.Detail, a.Status
		whole := out.Timing.Whole + a.Timing.Whole
		out.Timing = a.Timing
		out.Timing.Whole = whole
		if out.Hops == 0 {
			out.Ends, out.Issuer = shown(&a)
		}
		next, err := u.Parse(a.Header.Get("Location"))
		if a.Outcome != page.Answered || a.Status < 301 || a.Status > 308 || a.Status == 304 ||
			a.Header.Get("Location") == "" || err != nil || !next.IsHTTP() {
			w.read(out, one, u, &a)
			return out, nil
		}
		if out.Hops++; out.Hops > mostHops {
			out.Outcome, out.Detail = page.BadResponse, "it redirects without end"
			return out, nil
		}
		u = next
		out.Target = u.Key()
	}
}

// shown is the certificate of an answer.
func shown(a *fetch.Answer) (ends time.Time, issuer string) {
	if a.TLS == nil || len(a.TLS.PeerCertificates) == 0 {
		return ends, ""
	}
	leaf := a.TLS.PeerCertificates[0]
	return leaf.NotAfter.UTC(), leaf.Issuer.String()
}

// read reads what came.
func (w *Watching) read(out *watch.Look, one *record.Watched, u weburl.URL, a *fetch.Answer) {
	if a.Outcome != page.Answered && a.Outcome != page.Truncated {
		return
	}
	text := string(a.Body)
	if a.Type == "text/html" || a.Type == "application/xhtml+xml" {
		header := a.Header
		d := w.gear.Read(page.Response{Address: u, Status: a.Status, ContentType: header.Get("Content-Type"), Body: a.Body,
			Link: header.Values("Link"), RobotsTag: header.Values("X-Robots-Tag")})
		f := page.Facts{Version: page.Version, Address: u.Key(), Status: a.Status, Document: d}
		out.Read, out.Title, out.H1, out.Text = true, d.Title(), d.H1(), d.TextHash
		out.Canonical, out.Robots = f.CanonicalSaid(), says(&d.Robots)
		text += "\n" + d.MainText
	}
	if one.Must != "" && !strings.Contains(text, one.Must) {
		out.Lacks = one.Must
	}
	if one.Never != "" && strings.Contains(text, one.Never) {
		out.Has = one.Never
	}
}

// says is what is said to crawlers, in words.
func says(r *page.Robots) string {
	var out []string
	for _, d := range []struct{ name, where string }{{"noindex", r.NoIndex}, {"nofollow", r.NoFollow}} {
		if d.where != "" {
			out = append(out, d.name+" in "+d.where)
		}
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}
