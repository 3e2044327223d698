package crawl

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// ruleCache holds the robots.txt of each origin, read once. It is safe for use from several
// goroutines.
type ruleCache struct {
	mu    sync.Mutex
	pages map[string]*rulePage
	size  atomic.Int64 // bytes of those outside the site
	read  func(ctx context.Context, origin string) (*robots.File, booking.File)
}

type rulePage struct {
	once sync.Once
	file *robots.File
	got  booking.File
}

// of are the rules of an origin, with its slash.
func (b *ruleCache) of(ctx context.Context, origin string) (*robots.File, booking.File) {
	b.mu.Lock()
	if b.pages == nil {
		b.pages = map[string]*rulePage{}
	}
	p := b.pages[origin]
	if p == nil {
		p = new(rulePage)
		b.pages[origin] = p
	}
	b.mu.Unlock()
	p.once.Do(func() { p.file, p.got = b.read(ctx, origin) })
	return p.file, p.got
}

// What is read of the robots.txt files of other people's hosts: all of them, until they are so many bytes
// together; then only the beginning of each.
const (
	maxRules   = 32 << 20
	shortRules = 8 << 10
)

// readRules reads the robots.txt of an origin.
func (c *Crawl) readRules(ctx context.Context, origin string) (*robots.File, booking.File) {
	address := booking.RobotsAddress(origin)
	got, known := c.files.get(address)
	if !known {
		got = booking.File{Kind: booking.Robots, Address: address}
		if u, err := weburl.Parse(address); err == nil {
			a := c.support(ctx, u, false)
			got.Status, got.Outcome, got.Detail = a.Status, a.Outcome, a.Detail
			got.Body = a.Body[:min(len(a.Body), robots.MaxBytes+1)]
		}
	}
	inside := c.frontier.scope.Inside(address)
	if !inside && c.rules.size.Add(int64(len(got.Body))) > maxRules {
		got.Body = got.Body[:min(len(got.Body), shortRules)]
	}
	rules := got.Rules()
	if !inside {
		got.Body = nil // it is not stored
	}
	return rules, got
}

// rulesFor makes the rules of an inside address's origin known to the frontier.
func (c *Crawl) rulesFor(address string) *robots.File {
	origin := c.frontier.scope.Origin(address)
	if r := c.frontier.rules[origin]; r != nil {
		return r
	}
	r, got := c.rules.of(c.ctx, origin)
	c.frontier.rules[origin] = r
	if _, known := c.files.get(got.Address); !known {
		c.batch.Files = append(c.batch.Files, got)
	}
	got.Body = got.Body[:min(len(got.Body), booking.HeadBytes)] // what is held of it once it is read
	c.files.set(got)
	c.rejoin(origin)
	return r
}

// fileCache holds robots.txt files and sitemaps by address. It is safe for use from several goroutines.
type fileCache struct {
	mu  sync.Mutex
	all map[string]booking.File
}

func (b *fileCache) get(address string) (booking.File, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	f, ok := b.all[address]
	return f, ok
}

func (b *fileCache) set(f booking.File) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.all == nil {
		b.all = map[string]booking.File{}
	}
	b.all[f.Address] = f
}

// maxRedirects is how many a robots.txt or sitemap may take (RFC 9309, 2.3.1.2: at least five).
const maxRedirects = 5

// support fetches a robots.txt or sitemap, following redirects. The body is the caller's. A sitemap keeps to
// its host's pace; a robots.txt does not wait for it, since what it asks for may be what holds the host.
func (c *Crawl) support(ctx context.Context, u weburl.URL, paced bool) fetch.Answer {
	var a fetch.Answer
	most := c.retries(&u)
	for range maxRedirects + 1 {
		var buf bytes.Buffer
		want := func(status int, _ string) bool { return status < 300 }
		wait, done := func() error { return nil }, func() {}
		if paced {
			g := c.governor(&u, c.supportRole(&u))
			wait, done = func() error { return g.Wait(ctx) }, func() { c.release(g, &a) }
		}
		for try := 0; ; try++ {
			if wait() != nil {
				return fetch.Answer{Outcome: page.TimedOut, Detail: "the crawl ended before it was asked for",
					Length: -1}
			}
			a = c.fetcher.Do(ctx, &u, &buf, fetch.Request{Want: want, MaxBytes: booking.MaxSitemapBytes})
			done()
			if try >= most || !worthRetrying(&a) || ctx.Err() != nil {
				break
			}
			select {
			case <-time.After(500 * time.Millisecond << try):
			case <-ctx.Done():
			}
		}
		if a.Outcome != page.Answered && a.Outcome != page.Truncated {
			a.Status = 0
			return a
		}
		to := a.Header.Get("Location")
		if !isRedirect(a.Status) || to == "" {
			return a
		}
		next, err := u.Parse(to)
		if err != nil || !next.IsHTTP() {
			return a
		}
		u = next
	}
	return a
}

// supportRole is as what a sitemap's host is asked: as part of the site, or as gently as for a link.
func (c *Crawl) supportRole(u *weburl.URL) page.Role {
	if c.frontier.scope.Inside(u.Key()) {
		return page.AsPage
	}
	return page.AsLink
}

// begin reads robots.txt and the sitemaps, then makes the start and the plan's addresses known.
func (c *Crawl) begin() error {
	f := c.frontier
	if *c.plan.Sources.Sitemaps {
		var rules robots.File
		if len(c.plan.Sources.SitemapAt) == 0 {
			rules = *c.rulesFor(c.start.Key())
		}
		addresses, named := booking.SitemapsOf(c.plan.Sources.SitemapAt, &rules)
		if err := f.listing.Read(addresses, named, c.sitemap); err != nil {
			return err
		}
	}
	follow := *c.plan.Sources.Links || len(c.plan.Sources.Addresses) == 0
	start := c.know(c.start.Key(), mention{from: -1, found: survey.ByStart, follow: follow})
	if !follow {
		f.addresses[start].State, f.addresses[start].Rule.Text = survey.LeftOut, "sources.links is off"
	}
	for _, text := range c.plan.Sources.Addresses {
		u, err := c.start.Parse(text)
		if err != nil || !u.IsHTTP() {
			continue // the plan was valid: cannot be
		}
		address := f.scope.Rewrite(u.Key())
		if id, known := f.numbers[address]; known && id == start && !follow { // the start is on the list
			follow = true
			f.addresses[id].State, f.addresses[id].Rule = survey.Waiting, robots.Line{}
			c.rulesFor(address)
			f.admit(id)
			continue
		}
		c.know(address, mention{from: -1, found: survey.ByList, follow: true})
	}
	if c.plan.Selection == plan.Spread {
		c.addListed() // what is to be spread over has to be known
	}
	return nil
}

// learned is what the crawl knows of the site besides its pages.
func (c *Crawl) learned(probes *survey.Probes) survey.Evidence {
	f := c.frontier
	e := survey.Evidence{Sitemaps: f.listing.Sitemaps, Versions: f.listing.Versions, Probes: probes,
		Traps: f.traps.report()}
	for origin, rules := range f.rules {
		got, _ := c.files.get(booking.RobotsAddress(origin))
		e.Robots = append(e.Robots, got.Evidence(rules))
	}
	slices.SortFunc(e.Robots, func(a, b survey.RobotsFile) int { return strings.Compare(a.Address, b.Address) })
	return e
}

// sitemap is a file as it was got, now or in the past; none where the crawl is to end. A new one goes to the sink at
// once, and its body is not held beyond its reading.
func (c *Crawl) sitemap(u weburl.URL) (got booking.File, ok bool, err error) {
	if c.isEnding() {
		return got, false, nil
	}
	got, known := c.files.get(u.Key())
	if known {
		if got.Body == nil && got.Status == http.StatusOK && c.past != nil {
			if got.Body, err = c.past.Body(c.ctx, u.Key()); err != nil {
				return got, false, fmt.Errorf("reading what was stored: %w", err)
			}
		}
		return got, true, nil
	}
	a := c.support(c.asking, u, true)
	got = booking.File{Kind: booking.Sitemap, Address: u.Key(), Status: a.Status, Outcome: a.Outcome, Detail: a.Detail,
		Body: a.Body}
	if c.isEnding() && got.Status == 0 {
		return got, false, nil // what was cut short is asked for again when the crawl goes on
	}
	c.files.set(booking.File{Kind: got.Kind, Address: got.Address})
	c.batch.Files = append(c.batch.Files, got)
	if c.past == nil {
		c.flush(c.saver)
	}
	return got, true, nil
}
