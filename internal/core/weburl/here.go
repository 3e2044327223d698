package weburl

import "net/netip"

// IsHere tells whether a host, as an address or a name, is this machine, so that what is told it passes nobody.
func IsHere(host string) bool {
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.IsLoopback()
}
