package crawl

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/sitemap"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// ruleBook holds the robots.txt of each origin, read once. It is safe for use from several
// goroutines.
type ruleBook struct {
	mu    sync.Mutex
	pages map[string]*rulePage
	size  atomic.Int64 // bytes of those outside the site
	read  func(ctx context.Context, origin string) (*robots.File, File)
}

type rulePage struct {
	once sync.Once
	file *robots.File
	got  File
}

// of are the rules of an origin, with its slash.
func (b *ruleBook) of(ctx context.Context, origin string) (*robots.File, File) {
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

// readRules reads the robots.txt of an origin. A 4xx answer allows everything; a 5xx answer, or
// none, forbids it (RFC 9309, 2.3.1).
func (c *Crawl) readRules(ctx context.Context, origin string) (*robots.File, File) {
	address := origin + "robots.txt"
	got, known := c.files.get(address)
	if !known {
		got = File{Kind: "robots", Address: address}
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
	switch {
	case got.Status >= 200 && got.Status < 300:
		rules := robots.Parse(got.Body)
		if !inside {
			got.Body = nil // it is not stored
		}
		return rules, got
	case got.Status >= 500 || got.Status == 0:
		why := got.Detail
		if got.Status >= 500 {
			why = "status " + strconv.Itoa(got.Status)
		}
		return robots.Forbid("robots.txt could not be had (" + why + "), which shuts everything out"), got
	}
	return new(robots.File), got
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
	got.Body = got.Body[:min(len(got.Body), headBytes)]
	c.files.set(got)
	c.rejoin(origin)
	return r
}

// headBytes is what is held of a robots.txt once it is read, to see what it is.
const headBytes = 200

// fileBook holds robots.txt files and sitemaps by address. It is safe for use from several goroutines.
type fileBook struct {
	mu  sync.Mutex
	all map[string]File
}

func (b *fileBook) get(address string) (File, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	f, ok := b.all[address]
	return f, ok
}

func (b *fileBook) set(f File) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.all == nil {
		b.all = map[string]File{}
	}
	b.all[f.Address] = f
}

// rejoin tells the governor of an origin's host what its robots.txt asks for.
func (c *Crawl) rejoin(origin string) {
	u, err := weburl.Parse(origin)
	if err != nil {
		return
	}
	c.tempo.Lock()
	defer c.tempo.Unlock()
	if g := c.hosts[strings.ToLower(u.Host())]; g != nil {
		g.join(c, c.tempoOf(&u, page.AsPage))
	}
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
			wait, done = func() error { return g.wait(ctx) }, func() { c.release(g, &a) }
		}
		for try := 0; ; try++ {
			if wait() != nil {
				return fetch.Answer{Outcome: page.TimedOut, Detail: "the crawl ended before it was asked for", Length: -1}
			}
			a = c.client.Do(ctx, &u, &buf, fetch.Request{Want: want, MaxBytes: maxSitemapBytes})
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
		addresses, named := c.sitemaps()
		if err := c.readSitemaps(addresses, named); err != nil {
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

// sitemaps are the addresses of the sitemaps to begin with: those of the plan, or those that
// robots.txt names, or the usual one, which nobody named.
func (c *Crawl) sitemaps() (out []string, named bool) {
	if out = c.plan.Sources.SitemapAt; len(out) > 0 {
		return out, true
	}
	for _, line := range c.rulesFor(c.start.Key()).Sitemaps {
		out = append(out, line.Text)
	}
	if len(out) == 0 {
		return []string{"/sitemap.xml"}, false
	}
	return out, true
}

// Bounds of the sitemaps that are read.
const (
	maxSitemaps     = 1000
	maxSitemapBytes = 50 << 20
	maxSitemapTotal = 128 << 20 // bytes of all of them
	maxSitemapDepth = 2         // an index may not list indexes (sitemaps.org); some do
)

// readSitemaps notes which addresses the sitemaps list. Indexes are followed. Named tells whether
// somebody named those that it begins with. It ends early where the crawl is to, and where more is
// listed than the crawl takes up.
func (c *Crawl) readSitemaps(queue []string, named bool) error {
	type one struct {
		address string
		depth   int
	}
	var todo []one
	for _, q := range queue {
		todo = append(todo, one{q, 0})
	}
	seen := map[string]bool{}
	total, abroad := 0, 0
	for len(todo) > 0 && len(seen) < maxSitemaps && total < maxSitemapTotal && len(c.frontier.listed) < c.frontier.mostKnown() && !c.isEnding() {
		u, err := c.start.Parse(todo[0].address)
		depth := todo[0].depth
		todo = todo[1:]
		if err != nil || !u.IsHTTP() || seen[u.Key()] {
			continue
		}
		if !c.frontier.scope.Inside(u.Key()) {
			if abroad == maxAbroad {
				continue // other people's hosts are asked for a few at most
			}
			abroad++
		}
		seen[u.Key()] = true
		got, err := c.sitemap(u)
		if err != nil {
			return err
		}
		if c.isEnding() && got.Status == 0 {
			break // it was not asked for, or not to the end
		}
		total += len(got.Body)
		told := record.PreviewSitemap{Address: u.Key(), Status: got.Status, Detail: got.Detail}
		note := survey.SitemapFile{Named: depth > 0 || named}
		var head sitemap.Head
		strangers := 0
		if got.Status == 200 {
			head, err = sitemap.Read(inflate(got.Body), func(e sitemap.Entry) {
				if e.Sitemap != "" {
					if depth < maxSitemapDepth && len(todo) < maxSitemaps {
						todo = append(todo, one{e.Sitemap, depth + 1})
					}
					return
				}
				if c.list(&u, e) {
					if strangers++; strangers <= 5 {
						note.Faults = append(note.Faults, robots.Line{Text: "lists an address of another host: " + e.Page})
					}
				}
			})
			if err != nil {
				c.log.Info("sitemap has faults", "address", u.Key(), "reason", err.Error())
				told.Detail = err.Error()
			}
			told.Form, told.Pages, told.Sitemaps = head.Form, head.Pages, head.Sitemaps
		}
		c.noteSitemap(&note, &told, &head, strangers, len(got.Body))
		c.maps = append(c.maps, told)
	}
	return nil
}

// maxAbroad is how many sitemaps on hosts outside the site are read: robots.txt may name some there
// (sitemaps.org, "cross submits").
const maxAbroad = 10

// noteSitemap keeps what the checks of sitemaps need.
func (c *Crawl) noteSitemap(note *survey.SitemapFile, told *record.PreviewSitemap, head *sitemap.Head, strangers, size int) {
	note.Address, note.Status, note.Detail, note.Form = told.Address, told.Status, told.Detail, told.Form
	note.Pages, note.Sitemaps = told.Pages, told.Sitemaps
	var faults []robots.Line
	for _, f := range head.Faults {
		faults = append(faults, robots.Line{Number: f.Line, Text: f.Text})
	}
	if size >= maxSitemapBytes {
		faults = append(faults, robots.Line{Text: "the file is over 50 MiB"})
	}
	note.Faults = append(faults, note.Faults...)
	if strangers > 5 {
		note.Faults = append(note.Faults, robots.Line{Text: fmt.Sprintf("and %d more of other hosts", strangers-5)})
	}
	c.evidence.Sitemaps = append(c.evidence.Sitemaps, *note)
}

// learned is what the crawl knows of the site besides its pages.
func (c *Crawl) learned(probes *survey.Probes) survey.Evidence {
	e := c.evidence
	e.Probes, e.Traps = probes, c.frontier.traps.report()
	for origin, rules := range c.frontier.rules {
		got, _ := c.files.get(origin + "robots.txt")
		head := bytes.ToLower(bytes.TrimSpace(got.Body)) // of headBytes
		e.Robots = append(e.Robots, survey.RobotsFile{
			Address: origin + "robots.txt", Status: got.Status, Detail: got.Detail, Outcome: got.Outcome, File: rules,
			HTML: bytes.HasPrefix(head, []byte("<!doctype")) || bytes.HasPrefix(head, []byte("<html")),
		})
	}
	slices.SortFunc(e.Robots, func(a, b survey.RobotsFile) int { return strings.Compare(a.Address, b.Address) })
	return e
}

// sitemap is a file as it was got, now or in the past. A new one goes to the sink at once, and its body is
// not held beyond its reading.
func (c *Crawl) sitemap(u weburl.URL) (File, error) {
	if got, known := c.files.get(u.Key()); known {
		if got.Body == nil && got.Status == 200 && c.past != nil {
			body, err := c.past.Body(c.ctx, u.Key())
			if err != nil {
				return got, fmt.Errorf("reading what was stored: %w", err)
			}
			got.Body = body
		}
		return got, nil
	}
	if c.offline {
		return File{Kind: "sitemap", Address: u.Key(), Detail: "it was not read"}, nil
	}
	a := c.support(c.asking, u, true)
	got := File{"sitemap", u.Key(), a.Status, a.Outcome, a.Detail, a.Body}
	if c.isEnding() && got.Status == 0 {
		return got, nil // what was cut short is asked for again when the crawl goes on
	}
	c.files.set(File{Kind: got.Kind, Address: got.Address})
	c.batch.Files = append(c.batch.Files, got)
	if c.saver != nil && c.past == nil {
		c.flush(c.saver)
	}
	return got, nil
}

// list takes in a page that a sitemap lists, with its versions in other languages. It tells whether the
// page is of another host than the sitemap.
func (c *Crawl) list(from *weburl.URL, e sitemap.Entry) (stranger bool) {
	f := c.frontier
	at, err := from.Parse(e.Page)
	if err != nil || !at.IsHTTP() {
		return false
	}
	address := f.scope.Rewrite(at.Key())
	if !f.inSitemap[address] && len(f.listed) < f.mostKnown() {
		f.inSitemap[address] = true
		f.listed = append(f.listed, address)
	}
	if f.scope.Inside(address) {
		c.versions(from, address, e.Others)
	}
	return at.Host() != from.Host()
}

// versions notes which languages a sitemap lists for one of the site's addresses.
func (c *Crawl) versions(from *weburl.URL, address string, others []sitemap.Version) {
	for _, o := range others {
		to, err := from.Parse(o.Href)
		if err != nil || !to.IsHTTP() || c.versionsRead >= 2*c.frontier.mostKnown() {
			continue
		}
		c.versionsRead++
		if c.evidence.Versions == nil {
			c.evidence.Versions = map[string][]survey.Version{}
		}
		c.evidence.Versions[address] = append(c.evidence.Versions[address], survey.Version{Lang: o.Lang, Address: c.frontier.scope.Rewrite(to.Key())})
	}
}

// inflate unpacks a gzipped file as it is read; anything else stays.
func inflate(data []byte) io.Reader {
	if !bytes.HasPrefix(data, []byte{0x1f, 0x8b}) {
		return bytes.NewReader(data)
	}
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return bytes.NewReader(data)
	}
	return io.LimitReader(z, maxSitemapBytes)
}

// governor is that of an address's host, told how fast this crawl may ask it: inside the site
// as the plan says, elsewhere gently.
func (c *Crawl) governor(u *weburl.URL, role page.Role) *governor {
	host := strings.ToLower(u.Host())
	c.tempo.Lock()
	defer c.tempo.Unlock()
	if g := c.hosts[host]; g != nil {
		return g
	}
	g := c.paces.of(host)
	g.join(c, c.tempoOf(u, role))
	c.hosts[host] = g
	return g
}

// Paces outside the site, whatever the plan's.
const (
	resourceParallel = 2
	resourceGap      = 50 * time.Millisecond
	outboundGap      = time.Second
)

// tempoOf is how fast a host may be asked. The lock is held.
func (c *Crawl) tempoOf(u *weburl.URL, role page.Role) Tempo {
	if !c.frontier.scope.Inside(u.Key()) {
		if role == page.AsLink {
			return Tempo{Parallel: 1, Gap: outboundGap}
		}
		return Tempo{Parallel: resourceParallel, Gap: resourceGap}
	}
	t := Tempo{Parallel: c.plan.Parallel, Gap: time.Duration(c.plan.Pause), Steady: c.plan.Steady}
	if c.plan.PerSecond > 0 {
		t.Gap = max(t.Gap, time.Duration(float64(time.Second)/c.plan.PerSecond))
	}
	if rules := c.frontier.rules[u.Origin()+"/"]; rules != nil && c.plan.Robots != plan.Disregard {
		if seconds, line := rules.Delay(c.plan.RobotsAs); seconds > 0 {
			if delay := time.Duration(min(seconds, longestDelay.Seconds()) * float64(time.Second)); delay > t.Gap {
				t.Gap = delay
				t.Why = "robots.txt, line " + strconv.Itoa(line.Number) + ", asks for " + delay.String() + " between requests"
			}
		}
	}
	return t
}

// longestDelay bounds what a Crawl-delay can ask for.
const longestDelay = 5 * time.Minute
