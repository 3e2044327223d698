package weburl

import (
	"math"
	"net/netip"
	"strconv"
	"strings"

	"golang.org/x/net/idna"
)

// domainToASCII is the standard's "domain to ASCII" with beStrict false (section 3.3).
var domainToASCII = idna.New(
	idna.MapForLookup(),
	idna.Transitional(false),
	idna.StrictDomainName(false),
	idna.CheckHyphens(false),
	idna.CheckJoiners(true),
	idna.BidiRule(),
	idna.VerifyDNSLength(false),
)

// appendHost serialises a host. The reason is empty when it is one.
func appendHost(buf []byte, host string) (out []byte, reason string) {
	if host[0] == '[' {
		return appendIPv6(buf, host)
	}
	start := len(buf)
	plain := true
	for i := 0; i < len(host); i++ {
		c := host[i]
		if 'A' <= c && c <= 'Z' {
			c |= 0x20
		}
		if c == '%' || c >= 0x80 {
			plain = false
			break
		}
		buf = append(buf, c)
	}
	if !plain || strings.Contains(string(buf[start:]), "xn--") {
		ascii, ok := toASCII(strings.ToValidUTF8(decode(host), "\uFFFD"))
		if !ok {
			return buf, "its host name is not valid"
		}
		buf = append(buf[:start], ascii...)
	}
	for _, c := range buf[start:] {
		if forbiddenInDomain[c] {
			return buf, "its host name contains " + strconv.QuoteRune(rune(c))
		}
	}
	if endsInNumber(string(buf[start:])) {
		return appendIPv4(buf[:start], string(buf[start:]))
	}
	return buf, ""
}

// toASCII writes a host name in ASCII. The library lets the replacement character pass,
// which the standard forbids, and writes very long labels that it cannot read again.
func toASCII(name string) (ascii string, ok bool) {
	if strings.ContainsRune(name, '\uFFFD') {
		return "", false
	}
	ascii, err := domainToASCII.ToASCII(name)
	if err != nil || ascii == "" {
		return "", false
	}
	again, err := domainToASCII.ToASCII(ascii)
	return ascii, err == nil && again == ascii
}

var forbiddenInDomain = func() (set [256]bool) {
	for c := range 256 {
		set[c] = c <= 0x20 || c == 0x7f || strings.IndexByte("#/:<>?@[\\]^|%", byte(c)) >= 0
	}
	return set
}()

// decode undoes percent-encoding; what is no valid triplet stays.
func decode(s string) string {
	if strings.IndexByte(s, '%') < 0 {
		return s
	}
	buf := make([]byte, 0, len(s))
	for i := 0; i < len(s); i++ {
		if s[i] == '%' && i+2 < len(s) {
			if n, err := strconv.ParseUint(s[i+1:i+3], 16, 8); err == nil {
				buf = append(buf, byte(n))
				i += 2
				continue
			}
		}
		buf = append(buf, s[i])
	}
	return string(buf)
}

func endsInNumber(host string) bool {
	host = strings.TrimSuffix(host, ".")
	last := host[strings.LastIndexByte(host, '.')+1:]
	if last == "" {
		return false
	}
	if strings.Trim(last, "0123456789") == "" {
		return true
	}
	_, ok := parseIPv4Number(last)
	return ok
}

// appendIPv4 is the standard's IPv4 parser (section 3.5): decimal, octal and hexadecimal
// parts, the last of which may stand for several bytes.
func appendIPv4(buf []byte, host string) (out []byte, reason string) {
	const bad = "its host is not a valid IPv4 address"
	parts := strings.Split(strings.TrimSuffix(host, "."), ".")
	if len(parts) > 4 {
		return buf, bad
	}
	var ip uint64
	for i, p := range parts {
		n, ok := parseIPv4Number(p)
		if !ok {
			return buf, bad
		}
		if i < len(parts)-1 {
			if n > 255 {
				return buf, bad
			}
			ip |= n << (8 * (3 - i))
			continue
		}
		if n >= 1<<(8*(5-len(parts))) {
			return buf, bad
		}
		ip |= n
	}
	addr := netip.AddrFrom4([4]byte{byte(ip >> 24), byte(ip >> 16), byte(ip >> 8), byte(ip)})
	return addr.AppendTo(buf), ""
}

func parseIPv4Number(s string) (uint64, bool) {
	if s == "" {
		return 0, false
	}
	base := 10
	switch {
	case strings.HasPrefix(s, "0x"):
		s, base = s[2:], 16
	case len(s) > 1 && s[0] == '0':
		s, base = s[1:], 8
	}
	if s == "" {
		return 0, true
	}
	for _, c := range []byte(s) {
		if !(c >= '0' && c <= '9' || base == 16 && c >= 'a' && c <= 'f') || base == 8 && c > '7' {
			return 0, false
		}
	}
	n, err := strconv.ParseUint(s, base, 64)
	if err != nil {
		return math.MaxUint64, true // a number, but out of any range
	}
	return n, true
}

func appendIPv6(buf []byte, host string) (out []byte, reason string) {
	const bad = "its host is not a valid IPv6 address"
	if !strings.HasSuffix(host, "]") || strings.ContainsRune(host, '%') {
		return buf, bad
	}
	addr, err := netip.ParseAddr(host[1 : len(host)-1])
	if err != nil || !addr.Is6() {
		return buf, bad
	}
	buf = append(buf, '[')
	if addr.Is4In6() { // the standard has no dotted form on output
		b := addr.As16()
		buf = append(buf, "::ffff:"...)
		buf = strconv.AppendUint(buf, uint64(b[12])<<8|uint64(b[13]), 16)
		buf = append(buf, ':')
		buf = strconv.AppendUint(buf, uint64(b[14])<<8|uint64(b[15]), 16)
	} else {
		buf = addr.AppendTo(buf)
	}
	return append(buf, ']'), ""
}
