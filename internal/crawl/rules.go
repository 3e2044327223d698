package crawl

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"strconv"

	"harvik/internal/core/page"
	"harvik/internal/core/robots"
	"harvik/internal/core/sitemap"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// maxRedirects is how many a robots.txt or sitemap may take (RFC 9309, 2.3.1.2: at least five).
const maxRedirects = 5

// readRules reads robots.txt and the sitemaps of the start's origin, then makes the start
// known.
func (c *Crawl) readRules(ctx context.Context) {
	rules := c.rulesOf(ctx, c.start)
	maps := []string{}
	for _, line := range rules.Sitemaps {
		maps = append(maps, line.Text)
	}
	if len(maps) == 0 {
		maps = append(maps, "/sitemap.xml")
	}
	c.readSitemaps(ctx, maps)
	c.know(ctx, c.start.Key(), -1, 0, true)
}

// rulesOf reads the robots.txt of an address's origin, once. A 4xx answer allows everything;
// a 5xx answer, or none, forbids it (RFC 9309, 2.3.1).
func (c *Crawl) rulesOf(ctx context.Context, u weburl.URL) *robots.File {
	origin := u.Origin() + "/"
	if r := c.frontier.rules[origin]; r != nil {
		return r
	}
	r := new(robots.File)
	if at, err := u.Parse("/robots.txt"); err == nil {
		a := c.support(ctx, at)
		switch {
		case a.Status >= 200 && a.Status < 300:
			r = robots.Parse(a.Body)
		case a.Status >= 500 || a.Status == 0:
			why := a.Detail
			if a.Status >= 500 {
				why = "status " + strconv.Itoa(a.Status)
			}
			r = robots.Forbid("robots.txt could not be had (" + why + "), which shuts everything out")
		}
	}
	c.frontier.rules[origin] = r
	return r
}

// support fetches a robots.txt or sitemap, following redirects. The body is the caller's.
func (c *Crawl) support(ctx context.Context, u weburl.URL) fetch.Answer {
	var a fetch.Answer
	for range maxRedirects + 1 {
		var buf bytes.Buffer
		for try := 0; ; try++ {
			a = c.client.Get(ctx, &u, &buf, func(status int, _ string) bool { return status < 300 })
			if try >= c.plan.Retries || !worthRetrying(a) || ctx.Err() != nil {
				break
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

// Bounds of the sitemaps that are read.
const (
	maxSitemaps     = 100
	maxSitemapBytes = 50 << 20
	maxListed       = 500_000
)

// readSitemaps notes which addresses the sitemaps list. Indexes are followed.
func (c *Crawl) readSitemaps(ctx context.Context, queue []string) {
	seen := map[string]bool{}
	for len(queue) > 0 && len(seen) < maxSitemaps && ctx.Err() == nil {
		u, err := c.start.Parse(queue[0])
		queue = queue[1:]
		if err != nil || !u.IsHTTP() || seen[u.Key()] {
			continue
		}
		seen[u.Key()] = true
		a := c.support(ctx, u)
		if a.Status != 200 {
			continue
		}
		file, err := sitemap.Parse(inflate(a.Body))
		if err != nil {
			c.log.Info("sitemap is not well-formed", "address", u.Key(), "reason", err.Error())
		}
		queue = append(queue, file.Sitemaps...)
		for _, p := range file.Pages {
			at, err := u.Parse(p)
			if err != nil || !at.IsHTTP() || c.frontier.inSitemap[at.Key()] || len(c.frontier.listed) >= maxListed {
				continue
			}
			c.frontier.inSitemap[at.Key()] = true
			c.frontier.listed = append(c.frontier.listed, at.Key())
		}
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
