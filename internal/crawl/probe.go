package crawl

import (
	"bytes"
	"cmp"
	"context"
	"crypto/ecdsa"
	"crypto/rsa"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// mostFolders is how many folders are asked for an address that is not there.
const mostFolders = 12

// probe asks what no link leads to: the front doors, a made-up address in each of the larger
// folders, the usual place of the icon.
func (c *Crawl) probe(ctx context.Context) *survey.Probes {
	out := &survey.Probes{Doors: []survey.Probe{}}
	for _, door := range c.doors() {
		p, state := c.ask(ctx, door, "")
		out.Doors = append(out.Doors, p)
		if door.Host() == c.start.Host() && state != nil {
			state.Old = c.fetcher.OldestTLS(ctx, &door)
			out.Certificate = state
		}
	}
	c.askOtherwise(ctx, out)
	for _, folder := range c.folders() {
		address := fmt.Sprintf("%snot-here-%08x", folder, uint32(xxhash.Sum64String(folder)))
		if u, err := weburl.Parse(address); err == nil && c.frontier.verdict(u.Key()).Allowed {
			p, _ := c.ask(ctx, u, "")
			out.Missing = append(out.Missing, p)
		}
	}
	if u, err := c.start.Parse("/favicon.ico"); err == nil && c.frontier.verdict(u.Key()).Allowed {
		p, _ := c.ask(ctx, u, "")
		out.Favicon = &p
	}
	if root, err := c.start.Parse("/"); err == nil && c.start.Path() != "/" && c.frontier.verdict(root.Key()).Allowed {
		p, _ := c.ask(ctx, root, "")
		out.Root = &p
	}
	for _, path := range []string{"/.git/HEAD", "/.env"} {
		u, err := c.start.Parse(path)
		if err != nil {
			continue
		}
		// A page in place of the file is how many servers say that it is not there.
		if p, _ := c.ask(ctx, u, ""); p.Status == 200 && len(p.Hops) == 0 && p.Title == "" &&
			!strings.Contains(p.Type, "html") {
			out.Open = append(out.Open, p)
		}
	}
	return out
}

// browserAgent is how a common browser names itself.
const browserAgent = "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36"

// askOtherwise asks for the home page as a browser, if the plan's agent was refused, and at the bare
// IP address of its host.
func (c *Crawl) askOtherwise(ctx context.Context, out *survey.Probes) {
	if home := c.book.Survey.Pages; len(home) > 0 && home[0].ID == 0 {
		switch home[0].Status {
		case 403, 406, 429:
			p, _ := c.ask(ctx, c.start, browserAgent)
			out.Browser = &p
		}
	}
	if ip := c.fetcher.Numeric(ctx, &c.start); ip != "" && len(c.plan.Gates) == 0 {
		if u, err := weburl.Parse("http://" + ip + "/"); err == nil {
			p, _ := c.askAs(ctx, u, "", true)
			out.Numeric = &p
		}
	}
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

// ask fetches an address once, redirects followed, at the host's pace, with the plan's agent unless
// another is given.
func (c *Crawl) ask(ctx context.Context, u weburl.URL, agent string) (survey.Probe, *survey.Certificate) {
	return c.askAs(ctx, u, agent, false)
}

// askAs is ask, for an address that is the site's own though it is not inside, too.
func (c *Crawl) askAs(ctx context.Context, u weburl.URL, agent string, own bool) (survey.Probe, *survey.Certificate) {
	p := survey.Probe{Address: u.Key()}
	var shown *survey.Certificate
	for range maxHops {
		g := c.governor(&u, page.AsPage)
		if g.Wait(ctx) != nil {
			p.Detail = "the crawl ended"
			return p, shown
		}
		buf := new(bytes.Buffer)
		a := c.fetcher.Do(ctx, &u, buf,
			fetch.Request{Agent: agent, Own: own,
				Want: func(_ int, mediaType string) bool { return isHTML(mediaType) }})
		c.release(g, &a)
		if shown == nil && len(p.Hops) == 0 {
			shown = certificate(&a)
		}
		f := c.answered(&u, &a, 1)
		p.Status, p.Detail, p.Type = f.Status, f.Detail, f.Type
		if f.Redirect == "" || f.Redirect == u.Key() {
			if isHTML(a.Type) {
				d := c.documents.Read(page.Response{Address: u, Status: a.Status,
					ContentType: a.Header.Get("Content-Type"), Body: a.Body})
				p.Title, p.Words, p.Text, p.Sketch = d.Title(), d.Words, d.TextHash, d.Sketch
			}
			return p, shown
		}
		p.Hops = append(p.Hops, f.Redirect)
		next, err := weburl.Parse(f.Redirect)
		if err != nil || !next.IsHTTP() || !c.frontier.scope.Inside(next.Key()) {
			return p, shown
		}
		u, own = next, false
	}
	p.Detail = "too many redirects"
	return p, shown
}

func certificate(a *fetch.Answer) *survey.Certificate {
	if a.TLS == nil || len(a.TLS.PeerCertificates) == 0 {
		return nil
	}
	leaf := a.TLS.PeerCertificates[0]
	names := leaf.DNSNames
	for _, ip := range leaf.IPAddresses {
		names = append(names, ip.String())
	}
	weak := ""
	switch key := leaf.PublicKey.(type) {
	case *rsa.PublicKey:
		if bits := key.N.BitLen(); bits < 2048 {
			weak = fmt.Sprintf("its RSA key has only %d bits", bits)
		}
	case *ecdsa.PublicKey:
		if bits := key.Curve.Params().BitSize; bits < 224 {
			weak = fmt.Sprintf("its key has only %d bits", bits)
		}
	}
	switch leaf.SignatureAlgorithm {
	case x509.SHA1WithRSA, x509.ECDSAWithSHA1, x509.DSAWithSHA1, x509.MD5WithRSA, x509.MD2WithRSA:
		weak = "it is signed with " + leaf.SignatureAlgorithm.String()
	}
	return &survey.Certificate{
		Names: names, Issuer: leaf.Issuer.String(), From: leaf.NotBefore.Format(time.RFC3339),
		Until: leaf.NotAfter.Format(time.RFC3339),
		Days:  int(time.Until(leaf.NotAfter).Hours() / 24), Weak: weak,
		Version: tls.VersionName(a.TLS.Version), Cipher: tls.CipherSuiteName(a.TLS.CipherSuite), Protocol: a.Protocol,
	}
}
