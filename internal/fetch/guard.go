package fetch

import (
	"fmt"
	"net"
	"net/netip"
	"slices"
	"syscall"
)

// A Guard decides which addresses may be connected to. Public ones always may; private,
// loopback, link-local and other special ranges only where the service's settings allow
// them. It is asked at connect time, after name resolution, for every connection.
type Guard struct {
	Allow []netip.Prefix
}

// special are the ranges that are not public (IANA special-purpose registries) and that
// netip does not name.
var special = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("192.0.2.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("100::/64"),
	netip.MustParsePrefix("2001:db8::/32"), netip.MustParsePrefix("2002::/16"),
}

// Permits answers for one address.
func (g Guard) Permits(addr netip.Addr) bool {
	addr = addr.Unmap()
	if slices.ContainsFunc(g.Allow, func(p netip.Prefix) bool { return p.Contains(addr) }) {
		return true
	}
	return addr.IsGlobalUnicast() && !addr.IsPrivate() &&
		!slices.ContainsFunc(special, func(p netip.Prefix) bool { return p.Contains(addr) })
}

// ForbiddenError is a connection that the guard refused.
type ForbiddenError struct{ Addr netip.Addr }

func (e *ForbiddenError) Error() string {
	allow := netip.PrefixFrom(e.Addr, e.Addr.BitLen())
	if e.Addr.Is4() && e.Addr.IsLoopback() {
		allow, _ = e.Addr.Prefix(8)
	}
	return fmt.Sprintf("%s is not a public address, and the service's settings do not allow it; start the service with `harvik start --allow %s` to crawl it", e.Addr, allow)
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
	if addr = addr.WithZone(""); !g.Permits(addr) {
		return &ForbiddenError{addr}
	}
	return nil
}
