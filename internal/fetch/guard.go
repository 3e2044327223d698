package fetch

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"syscall"
	"time"
)

// A Guard decides which addresses may be connected to. Public ones always may; private,
// loopback, link-local and other special ranges only where they are allowed. It is asked at
// connect time, after name resolution, for every connection.
type Guard struct {
	Allow []netip.Prefix
}

// public6 is all that is given out as public so far of IPv6 (IANA IPv6 Address Space).
var public6 = netip.MustParsePrefix("2000::/3")

// special are the ranges that are not public by the IANA special-purpose address registries for IPv4 and
// IPv6 (RFC 6890 and later), those that hold another address within them, and one address by which a
// large host lets its guests reach what is theirs alone.
var special = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("192.0.2.0/24"),
	netip.MustParsePrefix("192.88.99.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("168.63.129.16/32"),

	netip.MustParsePrefix("2001::/23"), netip.MustParsePrefix("2001:db8::/32"), netip.MustParsePrefix("2002::/16"),
	netip.MustParsePrefix("3fff::/20"),
}

// Permits answers for one address. An IPv4 address inside an IPv6 one is that IPv4 address.
func (g Guard) Permits(addr netip.Addr) bool {
	addr = addr.Unmap().WithZone("")
	if slices.ContainsFunc(g.Allow, func(p netip.Prefix) bool { return p.Contains(addr) }) {
		return true
	}
	return addr.IsGlobalUnicast() && !addr.IsPrivate() && (addr.Is4() || public6.Contains(addr)) &&
		!slices.ContainsFunc(special, func(p netip.Prefix) bool { return p.Contains(addr) })
}

// ForbiddenError is a connection that the guard refused.
type ForbiddenError struct{ Addr netip.Addr }

// Range is what would have to be allowed for the address to be reached.
func (e *ForbiddenError) Range() netip.Prefix {
	addr := e.Addr.Unmap().WithZone("")
	if addr.Is4() && addr.IsLoopback() {
		whole, _ := addr.Prefix(8)
		return whole
	}
	return netip.PrefixFrom(addr, addr.BitLen())
}

func (e *ForbiddenError) Error() string {
	return fmt.Sprintf(
		"%s is not a public address. What the site itself serves from there can be crawled once that is allowed: `harvik site allow SITE %s`",
		e.Addr,
		e.Range(),
	)
}

// control is a net.Dialer's Control.
func (g Guard) control(_, address string, _ syscall.RawConn) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return err
	}
	addr, err := netip.ParseAddr(host)
	if err != nil {
		return err
	}
	if !g.Permits(addr) {
		return &ForbiddenError{addr}
	}
	return nil
}

// Guarded is a transport for what is sent beside crawls, which connects where the guard permits it alone, each time
// anew.
func Guarded(g Guard) *http.Transport {
	dialer := net.Dialer{Timeout: 10 * time.Second, Control: g.control}
	return &http.Transport{
		DialContext:            dialer.DialContext,
		TLSHandshakeTimeout:    10 * time.Second,
		DisableKeepAlives:      true,
		MaxResponseHeaderBytes: maxHeaderBytes,
		ForceAttemptHTTP2:      true,
	}
}
