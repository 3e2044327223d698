package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"

	"harvik/internal/core/weburl"
)

// New makes a client. Close it after use.
func New(s Settings) (*Client, error) {
	if s.Large == nil {
		s.Large = NewLarge()
	}
	c := &Client{settings: s}
	inside, outside := new(tls.Config), new(tls.Config)
	if s.CA != "" {
		pool, err := x509.SystemCertPool()
		if err != nil {
			pool = x509.NewCertPool()
		}
		if !pool.AppendCertsFromPEM([]byte(s.CA)) {
			return nil, errors.New("the plan's ca holds no certificate in PEM")
		}
		inside.RootCAs = pool
	}
	c.dialer = newDialer(&s, s.Guard)
	var err error
	if c.inside, err = transport(&s, c.dialer, inside); err != nil {
		return nil, err
	}
	if c.outside, err = transport(&s, newDialer(&s, Guard{}), outside); err != nil {
		return nil, err
	}
	if s.Certificate != "" {
		pair, err := tls.X509KeyPair([]byte(s.Certificate), []byte(s.Certificate))
		if err != nil {
			return nil, errors.New("the secret of the plan's certificate is no certificate with its key in PEM")
		}
		shown := inside.Clone()
		shown.Certificates = []tls.Certificate{pair}
		if c.shown, err = transport(&s, c.dialer, shown); err != nil {
			return nil, err
		}
	}
	return c, nil
}

func transport(s *Settings, d *dialer, config *tls.Config) (*http.Transport, error) {
	t := &http.Transport{
		DialContext:            d.dial,
		TLSClientConfig:        config,
		ForceAttemptHTTP2:      true,
		DisableCompression:     true, // undone here, so that the coding is known
		DisableKeepAlives:      s.Fresh,
		MaxIdleConnsPerHost:    max(2, s.Parallel),
		IdleConnTimeout:        60 * time.Second,
		TLSHandshakeTimeout:    orWhole(s.Timeouts.TLS, s.Timeout),
		ResponseHeaderTimeout:  s.Timeouts.FirstByte,
		MaxResponseHeaderBytes: maxHeaderBytes,
	}
	if s.Proxy != "" {
		u, err := url.Parse(s.Proxy)
		if err != nil {
			return nil, fmt.Errorf("the plan's proxy: %w", err)
		}
		t.Proxy = func(req *http.Request) (*url.URL, error) {
			// The proxy resolves and connects, so its target is looked at here as far as it can be: where
			// it is an address, or a name that is one on every machine (RFC 6761, 6.3).
			if addr, ok := numeric(req.URL.Hostname()); ok && !d.guard.Permits(addr) {
				return nil, &ForbiddenError{addr}
			}
			return u, nil
		}
	}
	return t, nil
}

// numeric is the address that a host is, without asking anybody.
func numeric(host string) (netip.Addr, bool) {
	if name := strings.ToLower(strings.TrimSuffix(host, ".")); name == "localhost" ||
		strings.HasSuffix(name, ".localhost") {
		return netip.AddrFrom4([4]byte{127, 0, 0, 1}), true
	}
	addr, err := netip.ParseAddr(strings.Trim(host, "[]"))
	return addr, err == nil
}

func orWhole(phase, whole time.Duration) time.Duration {
	if phase > 0 {
		return phase
	}
	return whole
}

// transport chooses by the address: secrets and private authorities are for the site alone.
func (c *Client) transport(u *weburl.URL, own bool) *http.Transport {
	switch {
	case c.shown != nil && c.settings.CertificateFor.covers(u):
		return c.shown
	case own || c.isInside(u):
		return c.inside
	}
	return c.outside
}

// Close drops the connections kept open.
func (c *Client) Close() {
	for _, t := range []*http.Transport{c.inside, c.outside, c.shown} {
		if t != nil {
			t.CloseIdleConnections()
		}
	}
}

// dialer resolves and connects, each in its time. Every address is put to the guard when it is
// connected to, so a name that resolves differently a second time gains nothing. What the plan itself
// names, the hosts that it has an address for and its proxy, is always put to the settings' guard.
type dialer struct {
	guard    Guard
	net      line
	named    line // for what the plan names
	resolver net.Resolver
	settings *Settings
	hosts    map[string]string
}

func newDialer(s *Settings, guard Guard) *dialer {
	d := &dialer{guard: guard, settings: s, hosts: make(map[string]string, len(s.Hosts))}
	d.net, d.named = newLine(guard, s.Network), newLine(s.Guard, s.Network)
	for name, to := range s.Hosts {
		d.hosts[strings.ToLower(name)] = to
	}
	return d
}

// line connects to addresses that its guard permits.
type line func(ctx context.Context, address string) (net.Conn, error)

func newLine(guard Guard, n Network) line {
	if n == nil {
		tcp := net.Dialer{KeepAlive: 30 * time.Second, Control: guard.control}
		return func(ctx context.Context, address string) (net.Conn, error) {
			return tcp.DialContext(ctx, "tcp", address)
		}
	}
	return func(ctx context.Context, address string) (net.Conn, error) {
		if err := guard.control("tcp", address, nil); err != nil {
			return nil, err
		}
		return n.Dial(ctx, address)
	}
}

func (d *dialer) dial(ctx context.Context, _, address string) (net.Conn, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	with := d.net
	if d.settings.Proxy != "" {
		with = d.named
	}
	if to, ok := d.hosts[host]; ok {
		with = d.named
		if net.ParseIP(to) != nil {
			host = to
		} else if host, port, err = net.SplitHostPort(to); err != nil {
			return nil, err
		}
	}
	addrs, err := d.resolve(ctx, host)
	if err != nil {
		return nil, err
	}
	var first error
	for i, a := range addrs {
		conn, err := d.connect(ctx, with, net.JoinHostPort(a.String(), port), len(addrs)-i)
		if err == nil {
			return conn, nil
		}
		if first == nil {
			first = err
		}
		if ctx.Err() != nil {
			break
		}
	}
	return nil, first
}

func (d *dialer) resolve(ctx context.Context, host string) ([]netip.Addr, error) {
	if a, err := netip.ParseAddr(host); err == nil {
		return []netip.Addr{a}, nil
	}
	ctx, cancel := context.WithTimeout(ctx, orWhole(d.settings.Timeouts.Resolve, d.settings.Timeout))
	defer cancel()
	network := map[string]string{"4": "ip4", "6": "ip6"}[d.settings.IP]
	if network == "" {
		network = "ip"
	}
	if name := strings.TrimSuffix(strings.ToLower(host), "."); name == "invalid" ||
		strings.HasSuffix(name, ".invalid") {
		// RFC 6761, 6.4: nobody need be asked
		return nil, &net.DNSError{Err: "no such host", Name: host, IsNotFound: true}
	}
	if n := d.settings.Network; n != nil {
		return n.Resolve(ctx, network, host)
	}
	return d.resolver.LookupNetIP(ctx, network, host)
}

// connect tries one address. Where others are left, it does not take all the time for itself.
func (d *dialer) connect(ctx context.Context, with line, address string, left int) (net.Conn, error) {
	most := orWhole(d.settings.Timeouts.Connect, d.settings.Timeout)
	if deadline, ok := ctx.Deadline(); ok && left > 1 {
		most = min(most, time.Until(deadline)/time.Duration(left))
	}
	ctx, cancel := context.WithTimeout(ctx, most)
	defer cancel()
	return with(ctx, address)
}

// OldestTLS is the oldest version of TLS below 1.2 that an https address's host accepts, "" if it
// accepts none, or is not to be asked.
func (c *Client) OldestTLS(ctx context.Context, u *weburl.URL) string {
	if u.Scheme() != "https" || c.settings.Proxy != "" {
		return ""
	}
	port := u.Port()
	if port == "" {
		port = "443"
	}
	for _, version := range []uint16{tls.VersionTLS10, tls.VersionTLS11} {
		if c.shakes(ctx, u.Hostname(), port, version) {
			return tls.VersionName(version)
		}
	}
	return ""
}

// shakes tries a handshake with one version. Nothing is sent over the connection, so the
// certificate need not be verified.
func (c *Client) shakes(ctx context.Context, host, port string, version uint16) bool {
	ctx, cancel := context.WithTimeout(ctx, orWhole(c.settings.Timeouts.TLS, c.settings.Timeout))
	defer cancel()
	conn, err := c.dialer.dial(ctx, "tcp", net.JoinHostPort(host, port))
	if err != nil {
		return false
	}
	defer conn.Close()
	only := &tls.Config{ServerName: host, MinVersion: version, MaxVersion: version, InsecureSkipVerify: true}
	t := tls.Client(conn, only)
	return t.HandshakeContext(ctx) == nil
}

// Resolve are the addresses of a host's name.
func (c *Client) Resolve(ctx context.Context, host string) ([]netip.Addr, error) {
	return c.dialer.resolve(ctx, host)
}

// Numeric is the bare IP address of a host, with its port where the settings name one; "" if the
// address has one already, or is not known.
func (c *Client) Numeric(ctx context.Context, u *weburl.URL) string {
	host := u.Hostname()
	if _, err := netip.ParseAddr(strings.Trim(host, "[]")); err == nil || c.settings.Proxy != "" {
		return ""
	}
	if to, ok := c.dialer.hosts[host]; ok {
		return to
	}
	addrs, err := c.dialer.resolve(ctx, host)
	if err != nil || len(addrs) == 0 {
		return ""
	}
	if addrs[0].Is6() {
		return "[" + addrs[0].String() + "]"
	}
	return addrs[0].String()
}
