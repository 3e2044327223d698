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

// readRules reads the robots.txt of an origin. A 4xx answer allows everything; a 5xx answer, or
// none, forbids it (RFC 9309, 2.3.1).
func (c *Crawl) readRules(ctx context.Context, origin string) (*robots.File, File) {
	address := origin + "robots.txt"
	got, known := c.files[address]
	if !known {
		got = File{Kind: "robots", Address: address}
		if u, err := weburl.Parse(address); err == nil {
			a := c.support(ctx, u)
			got.Status, got.Outcome, got.Detail = a.Status, a.Outcome, a.Detail
			got.Body = a.Body[:min(len(a.Body), robots.MaxBytes+1)]
		}
	}
	switch {
	case got.Status >= 200 && got.Status < 300:
		return robots.Parse(got.Body), got
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
	if _, known := c.files[got.Address]; !known {
		c.files[got.Address] = got
		c.batch.Files = append(c.batch.Files, got)
	}
	return r
}

// maxRedirects is how many a robots.txt or sitemap may take (RFC 9309, 2.3.1.2: at least five).
const maxRedirects = 5

// support fetches a robots.txt or sitemap, following redirects. The body is the caller's.
func (c *Crawl) support(ctx context.Context, u weburl.URL) fetch.Answer {
	var a fetch.Answer
	most := c.retries(&u)
	for range maxRedirects + 1 {
		var buf bytes.Buffer
		want := func(status int, _ string) bool { return status < 300 }
		for try := 0; ; try++ {
			a = c.client.Do(ctx, &u, &buf, fetch.Request{Want: want, MaxBytes: maxSitemapBytes})
			if try >= most || !worthRetrying(&a) || ctx.Err() != nil {
				break
			}
			select {
			case <-time.After(500 * time.Millisecond << try):
			case <-c.stop:
			case <-c.pause:
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

// begin reads robots.txt and the sitemaps, then makes the start and the plan's addresses known.
func (c *Crawl) begin() {
	f := c.frontier
	if *c.plan.Sources.Sitemaps {
		addresses, named := c.sitemaps()
		c.readSitemaps(addresses, named)
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
	maxSitemapTotal = 256 << 20 // bytes of all of them
	maxSitemapDepth = 2         // an index may not list indexes (sitemaps.org); some do
	maxListed       = 2_000_000
)

// readSitemaps notes which addresses the sitemaps list. Indexes are followed. Named tells whether
// somebody named those that it begins with.
func (c *Crawl) readSitemaps(queue []string, named bool) {
	type one struct {
		address string
		depth   int
	}
	var todo []one
	for _, q := range queue {
		todo = append(todo, one{q, 0})
	}
	seen := map[string]bool{}
	total := 0
	for len(todo) > 0 && len(seen) < maxSitemaps && total < maxSitemapTotal && c.ctx.Err() == nil {
		u, err := c.start.Parse(todo[0].address)
		depth := todo[0].depth
		todo = todo[1:]
		if err != nil || !u.IsHTTP() || seen[u.Key()] {
			continue
		}
		seen[u.Key()] = true
		got := c.sitemap(u)
		total += len(got.Body)
		told := record.PreviewSitemap{Address: u.Key(), Status: got.Status, Detail: got.Detail}
		var file sitemap.File
		if got.Status == 200 {
			var err error
			if file, err = sitemap.Parse(inflate(got.Body)); err != nil {
				c.log.Info("sitemap has faults", "address", u.Key(), "reason", err.Error())
				told.Detail = err.Error()
			}
			told.Form, told.Pages, told.Sitemaps = file.Form, len(file.Pages), len(file.Sitemaps)
		}
		c.maps = append(c.maps, told)
		c.noteSitemap(&u, &told, &file, depth > 0 || named, len(got.Body))
		if depth < maxSitemapDepth {
			for _, s := range file.Sitemaps {
				todo = append(todo, one{s, depth + 1})
			}
		}
		c.list(&u, file.Pages)
		c.versions(&u, &file)
	}
}

// noteSitemap keeps what the checks of sitemaps need.
func (c *Crawl) noteSitemap(u *weburl.URL, told *record.PreviewSitemap, file *sitemap.File, named bool, size int) {
	note := survey.SitemapFile{
		Address: told.Address, Status: told.Status, Detail: told.Detail, Form: told.Form, Pages: told.Pages, Sitemaps: told.Sitemaps, Named: named,
	}
	for _, f := range file.Faults {
		note.Faults = append(note.Faults, robots.Line{Number: f.Line, Text: f.Text})
	}
	if size >= maxSitemapBytes {
		note.Faults = append(note.Faults, robots.Line{Text: "the file is over 50 MiB"})
	}
	strangers := 0
	for _, p := range file.Pages {
		if at, err := u.Parse(p); err == nil && at.IsHTTP() && at.Host() != u.Host() {
			if strangers++; strangers <= 5 {
				note.Faults = append(note.Faults, robots.Line{Text: "lists an address of another host: " + at.Key()})
			}
		}
	}
	if strangers > 5 {
		note.Faults = append(note.Faults, robots.Line{Text: fmt.Sprintf("and %d more of other hosts", strangers-5)})
	}
	c.evidence.Sitemaps = append(c.evidence.Sitemaps, note)
}

// learned is what the crawl knows of the site besides its pages.
func (c *Crawl) learned(probes *survey.Probes) survey.Evidence {
	e := c.evidence
	e.Probes, e.Traps = probes, c.frontier.traps.report()
	for origin, rules := range c.frontier.rules {
		got := c.files[origin+"robots.txt"]
		head := bytes.ToLower(bytes.TrimSpace(got.Body[:min(len(got.Body), 200)]))
		e.Robots = append(e.Robots, survey.RobotsFile{
			Address: origin + "robots.txt", Status: got.Status, Detail: got.Detail, Outcome: got.Outcome, File: rules,
			HTML: bytes.HasPrefix(head, []byte("<!doctype")) || bytes.HasPrefix(head, []byte("<html")),
		})
	}
	slices.SortFunc(e.Robots, func(a, b survey.RobotsFile) int { return strings.Compare(a.Address, b.Address) })
	return e
}

// sitemap is a file as it was got, now or in the past.
func (c *Crawl) sitemap(u weburl.URL) File {
	got, known := c.files[u.Key()]
	if !known {
		a := c.support(c.ctx, u)
		got = File{"sitemap", u.Key(), a.Status, a.Outcome, a.Detail, a.Body}
		c.files[got.Address] = File{Kind: got.Kind, Address: got.Address} // its body goes with the batch
		c.batch.Files = append(c.batch.Files, got)
	}
	return got
}

func (c *Crawl) list(sitemap *weburl.URL, pages []string) {
	f := c.frontier
	for _, p := range pages {
		at, err := sitemap.Parse(p)
		if err != nil || !at.IsHTTP() || len(f.listed) >= maxListed {
			continue
		}
		address := f.scope.Rewrite(at.Key())
		if !f.inSitemap[address] {
			f.inSitemap[address] = true
			f.listed = append(f.listed, address)
		}
	}
}

// versions notes which languages the sitemap lists for which of the site's addresses.
func (c *Crawl) versions(at *weburl.URL, file *sitemap.File) {
	for _, o := range file.Others {
		from, err := at.Parse(file.Pages[o.Page])
		to, bad := at.Parse(o.Href)
		if err != nil || bad != nil || !to.IsHTTP() || !c.frontier.scope.Inside(from.Key()) {
			continue
		}
		if c.evidence.Versions == nil {
			c.evidence.Versions = map[string][]survey.Version{}
		}
		address := c.frontier.scope.Rewrite(from.Key())
		c.evidence.Versions[address] = append(c.evidence.Versions[address], survey.Version{Lang: o.Lang, Address: c.frontier.scope.Rewrite(to.Key())})
	}
}

// inflate unpacks a gzipped file; anything else stays.
func inflate(data []byte) []byte {
	if !bytes.HasPrefix(data, []byte{0x1f, 0x8b}) {
		return data
	}
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return data
	}
	out, _ := io.ReadAll(io.LimitReader(z, maxSitemapBytes))
	return out
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
