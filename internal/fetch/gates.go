package fetch

import (
	"bytes"
	"cmp"
	"context"
	"crypto/md5" //nolint:gosec // RFC 7616 still knows it, and servers ask for it
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"net/http"
	"strings"
	"sync"

	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

// A Bound says where a secret may be sent: to one host, on the port of the home page, and, where that is
// https, not over http. Every sending asks it. The zero Bound covers nothing.
type Bound struct {
	host   string
	port   string // "" for the usual one of the scheme
	secure bool
}

// BoundTo is the Bound of a secret for a host ("" for the home page's).
func BoundTo(host string, home weburl.URL) Bound {
	return Bound{cmp.Or(strings.ToLower(host), home.Hostname()), ownPort(&home), home.Scheme() == "https"}
}

// ownPort is the port of an address, "" for the usual one of its scheme.
func ownPort(u *weburl.URL) string {
	if port := u.Port(); port != map[string]string{"http": "80", "https": "443"}[u.Scheme()] {
		return port
	}
	return ""
}

func (b Bound) covers(u *weburl.URL) bool {
	return b.host != "" && u.Hostname() == b.host && ownPort(u) == b.port &&
		(u.Scheme() == "https" || u.Scheme() == "http" && !b.secure)
}

// Gates are a site's log-ins, by host.
type Gates struct {
	home  weburl.URL
	hosts map[string]*gate
}

// gate is all that one host asks for.
type gate struct {
	header http.Header // fixed
	user   string      // for digest
	secret string
	digest bool
	form   *form

	mu        sync.Mutex
	challenge map[string]string // of digest, as last given
	count     int
}

// NewGates prepares the gates of a plan. Secrets go by name.
func NewGates(gates []plan.Gate, home weburl.URL, secrets map[string]string) (*Gates, error) {
	out := &Gates{home, map[string]*gate{}}
	for i, g := range gates {
		host := strings.ToLower(g.Host)
		if host == "" {
			host = home.Hostname()
		}
		one := out.hosts[host]
		if one == nil {
			one = &gate{header: http.Header{}}
			out.hosts[host] = one
		}
		secret, ok := secrets[g.Secret]
		if g.Secret != "" && !ok {
			return nil, fmt.Errorf("gates[%d]: there is no secret %q; set it with `harvik secret set SITE %s`", i,
				g.Secret, g.Secret)
		}
		if err := one.add(i, &g, secret, host, secrets); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (o *gate) add(i int, g *plan.Gate, secret, host string, secrets map[string]string) error {
	if strings.ContainsAny(secret, "\r\n\x00") && g.Kind != "form" {
		return fmt.Errorf("gates[%d]: the secret %q holds a line end, so it cannot be sent", i, g.Secret)
	}
	switch g.Kind {
	case "basic":
		r := http.Request{Header: o.header}
		r.SetBasicAuth(g.User, secret)
	case "bearer":
		o.header.Set("Authorization", "Bearer "+secret)
	case "header":
		o.header.Set(g.Name, secret)
	case "cookie":
		pair := g.Name + "=" + secret
		if others := o.header.Get("Cookie"); others != "" {
			pair = others + "; " + pair
		}
		o.header.Set("Cookie", pair)
	case "digest":
		o.digest, o.user, o.secret = true, g.User, secret
	case "form":
		f, err := newForm(i, g, host, secrets)
		o.form = f
		return err
	}
	return nil
}

// on is the gate of an address, nil if there is none.
func (g *Gates) on(u *weburl.URL) *gate {
	if g == nil || len(g.hosts) == 0 {
		return nil
	}
	if !BoundTo(u.Hostname(), g.home).covers(u) {
		return nil // another service of the same host, or one that everybody can listen to
	}
	return g.hosts[u.Hostname()]
}

// pass fetches an address behind the gate.
func (o *gate) pass(ctx context.Context, c *Client, u *weburl.URL, buf *bytes.Buffer, r Request) Answer {
	header := o.header.Clone()
	o.authorise(header, u, r.Method)
	if o.form != nil {
		return o.form.pass(ctx, c, u, buf, r, header)
	}
	a := c.send(ctx, u, buf, r, header, "")
	if a.Status == http.StatusUnauthorized && o.digest && o.challenged(a.Header.Values("WWW-Authenticate")) {
		o.authorise(header, u, r.Method)
		a = c.send(ctx, u, buf, r, header, "")
	}
	return a
}

// challenged takes up a digest challenge, the strongest algorithm that is offered.
func (o *gate) challenged(values []string) bool {
	var best map[string]string
	for _, v := range values {
		scheme, rest, _ := strings.Cut(strings.TrimSpace(v), " ")
		if !strings.EqualFold(scheme, "Digest") {
			continue
		}
		params := parameters(rest)
		algorithm := strings.ToUpper(params["algorithm"])
		if newHash(algorithm) != nil && params["nonce"] != "" &&
			(best == nil || strings.HasPrefix(algorithm, "SHA-256")) {
			best = params
		}
	}
	if best == nil {
		return false
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.challenge, o.count = best, 0
	return true
}

// parameters reads name=value pairs, quoted or not (RFC 9110, 11.2).
func parameters(s string) map[string]string {
	out := map[string]string{}
	for s = strings.TrimLeft(s, " ,"); s != ""; s = strings.TrimLeft(s, " ,") {
		name, rest, ok := strings.Cut(s, "=")
		if !ok {
			return out
		}
		var value string
		if strings.HasPrefix(rest, `"`) {
			var b strings.Builder
			i := 1
			for ; i < len(rest) && rest[i] != '"'; i++ {
				if rest[i] == '\\' && i+1 < len(rest) {
					i++
				}
				b.WriteByte(rest[i])
			}
			value, s = b.String(), rest[min(i+1, len(rest)):]
		} else {
			value, s, _ = strings.Cut(rest, ",")
		}
		out[strings.ToLower(strings.TrimSpace(name))] = strings.TrimSpace(value)
	}
	return out
}

func newHash(algorithm string) func() hash.Hash {
	switch strings.TrimSuffix(algorithm, "-SESS") {
	case "", "MD5":
		return md5.New
	case "SHA-256":
		return sha256.New
	}
	return nil
}

// authorise answers the last digest challenge (RFC 7616, 3.4), if there was one.
func (o *gate) authorise(header http.Header, u *weburl.URL, method string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.challenge == nil {
		return
	}
	if method == "" {
		method = http.MethodGet
	}
	p := o.challenge
	o.count++
	nc, cnonce := fmt.Sprintf("%08x", o.count), rand.Text()
	sum := func(parts ...string) string {
		h := newHash(strings.ToUpper(p["algorithm"]))()
		h.Write([]byte(strings.Join(parts, ":")))
		return hex.EncodeToString(h.Sum(nil))
	}
	key := sum(o.user, p["realm"], o.secret)
	if strings.HasSuffix(strings.ToUpper(p["algorithm"]), "-SESS") {
		key = sum(key, p["nonce"], cnonce)
	}
	request := sum(method, u.PathQuery())
	var b strings.Builder
	fmt.Fprintf(&b, `Digest username=%q, realm=%q, nonce=%q, uri=%q`, o.user, p["realm"], p["nonce"], u.PathQuery())
	if p["algorithm"] != "" {
		fmt.Fprintf(&b, `, algorithm=%s`, p["algorithm"])
	}
	if p["opaque"] != "" {
		fmt.Fprintf(&b, `, opaque=%q`, p["opaque"])
	}
	if strings.Contains(p["qop"], "auth") {
		fmt.Fprintf(&b, `, qop=auth, nc=%s, cnonce=%q, response=%q`, nc, cnonce,
			sum(key, p["nonce"], nc, cnonce, "auth", request))
	} else {
		fmt.Fprintf(&b, `, response=%q`, sum(key, p["nonce"], request))
	}
	header.Set("Authorization", b.String())
}
