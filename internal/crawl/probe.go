package crawl

import (
	"bytes"
	"cmp"
	"context"
	"crypto/tls"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// mostFolders is how many folders are asked for an address that is not there.
const mostFolders = 12

// probe asks what no link leads to: the front doors, a made-up address in each of the larger
// folders, the usual place of the icon.
func (c *Crawl) probe(ctx context.Context) *record.Probes {
	out := &record.Probes{Doors: []record.Probe{}}
	for _, door := range c.doors() {
		p, state := c.ask(ctx, door)
		out.Doors = append(out.Doors, p)
		if door.Host() == c.start.Host() && state != nil {
			out.Certificate = state
		}
	}
	for _, folder := range c.folders() {
		address := fmt.Sprintf("%snot-here-%08x", folder, uint32(xxhash.Sum64String(folder)))
		if u, err := weburl.Parse(address); err == nil && c.frontier.verdict(u.Key()).Allowed {
			p, _ := c.ask(ctx, u)
			out.Missing = append(out.Missing, p)
		}
	}
	if u, err := c.start.Parse("/favicon.ico"); err == nil && c.frontier.verdict(u.Key()).Allowed {
		p, _ := c.ask(ctx, u)
		out.Favicon = &p
	}
	return out
}

// doors are the addresses under which people try a site. One with a port of its own has one.
func (c *Crawl) doors() (out []weburl.URL) {
	host := c.start.Hostname()
	hosts := []string{c.start.Host()}
	schemes := []string{c.start.Scheme()}
	if c.start.Host() == host || strings.HasSuffix(c.start.Host(), "]") {
		schemes = []string{"http", "https"}
		if _, err := netip.ParseAddr(host); err != nil && strings.Contains(host, ".") && *c.plan.Scope.Pair {
			bare := strings.TrimPrefix(host, "www.")
			hosts = []string{bare, "www." + bare}
		}
	}
	for _, scheme := range schemes {
		for _, h := range hosts {
			if u, err := weburl.Parse(scheme + "://" + h + "/"); err == nil {
				out = append(out, u)
			}
		}
	}
	return out
}

// folders are the site's root and its largest folders, with their slash.
func (c *Crawl) folders() []string {
	counts := map[string]int{}
	for i := range c.frontier.addresses {
		a := &c.frontier.addresses[i]
		origin := c.frontier.scope.Origin(a.URL)
		if a.State != survey.Fetched || a.Role != page.AsPage || origin == "" {
			continue
		}
		path, _, _ := strings.Cut(a.URL[len(origin):], "?")
		if folder, _, ok := strings.Cut(path, "/"); ok {
			counts[origin+folder+"/"]++
		}
	}
	var out []string
	for folder, n := range counts {
		if n >= 3 {
			out = append(out, folder)
		}
	}
	slices.SortFunc(out, func(a, b string) int {
		return cmp.Or(cmp.Compare(counts[b], counts[a]), strings.Compare(a, b))
	})
	return append([]string{c.start.Origin() + "/"}, out[:min(len(out), mostFolders)]...)
}

// ask fetches an address once, redirects followed, at the host's pace.
func (c *Crawl) ask(ctx context.Context, u weburl.URL) (record.Probe, *record.Certificate) {
	p := record.Probe{Address: u.Key()}
	var shown *record.Certificate
	for range maxHops {
		g := c.governor(&u, page.AsPage)
		if g.wait(ctx) != nil {
			p.Detail = "the crawl ended"
			return p, shown
		}
		buf := new(bytes.Buffer)
		a := c.client.Do(ctx, &u, buf, fetch.Request{Want: func(_ int, mediaType string) bool { return isHTML(mediaType) }})
		c.release(g, &a)
		if shown == nil && len(p.Hops) == 0 {
			shown = certificate(&a)
		}
		f := c.answered(&u, &a, 1)
		p.Status, p.Detail, p.Type = f.Status, f.Detail, f.Type
		if f.Redirect == "" || f.Redirect == u.Key() {
			if isHTML(a.Type) {
				d := page.Read(page.Response{Address: u, Status: a.Status, ContentType: a.Header.Get("Content-Type"), Body: a.Body})
				p.Title, p.Words = d.Title(), d.Words
			}
			return p, shown
		}
		p.Hops = append(p.Hops, f.Redirect)
		next, err := weburl.Parse(f.Redirect)
		if err != nil || !next.IsHTTP() || !c.frontier.scope.Inside(next.Key()) {
			return p, shown
		}
		u = next
	}
	p.Detail = "too many redirects"
	return p, shown
}

func certificate(a *fetch.Answer) *record.Certificate {
	if a.TLS == nil || len(a.TLS.PeerCertificates) == 0 {
		return nil
	}
	leaf := a.TLS.PeerCertificates[0]
	names := leaf.DNSNames
	for _, ip := range leaf.IPAddresses {
		names = append(names, ip.String())
	}
	return &record.Certificate{
		Names: names, Issuer: leaf.Issuer.String(), From: leaf.NotBefore, Until: leaf.NotAfter,
		Version: tls.VersionName(a.TLS.Version), Cipher: tls.CipherSuiteName(a.TLS.CipherSuite), Protocol: a.Protocol,
	}
}
