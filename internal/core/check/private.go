package check

import (
	"net/netip"
	"strings"

	"harvik/internal/core/survey"
)

// IsPrivate says in what way an address is one that only insiders reach, "" if it is public as far as
// it tells (RFC 1918, RFC 6761, RFC 8089).
func IsPrivate(address string) string {
	host := HostOf(address)
	switch {
	case strings.HasPrefix(address, "file:"):
		return "a file on somebody's disk"
	case host == "":
		return ""
	case host == "localhost" || strings.HasSuffix(host, ".localhost"):
		return "the reader's own machine"
	case strings.HasSuffix(host, ".local") || strings.HasSuffix(host, ".internal") || strings.HasSuffix(host, ".lan") ||
		strings.HasSuffix(host, ".home.arpa"):
		return "a name of a private network"
	}
	ip, err := netip.ParseAddr(strings.Trim(host, "[]"))
	switch {
	case err != nil:
		return ""
	case ip.IsLoopback():
		return "the reader's own machine"
	case ip.IsPrivate() || ip.IsLinkLocalUnicast() || ip.IsUnspecified():
		return "an address of a private network"
	}
	return ""
}

// HostOf is the host name of a web address, without its port.
func HostOf(address string) string {
	if !strings.HasPrefix(address, "http://") && !strings.HasPrefix(address, "https://") {
		return ""
	}
	host := survey.Host(address)
	if i := strings.LastIndexByte(host, ':'); i > strings.LastIndexByte(host, ']') {
		host = host[:i]
	}
	return strings.ToLower(host)
}
