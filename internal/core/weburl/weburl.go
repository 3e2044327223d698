// Package weburl parses and compares web addresses by the WHATWG URL Standard
// (https://url.spec.whatwg.org/), as browsers do.
//
// Only http and https addresses are taken apart; an address of any other scheme is
// kept as it was written, so that a caller can say what it is. Two addresses are the
// same when their Key is: scheme and host in lower case, default port and dot segments
// gone, percent-encoding as the standard's serialiser leaves it, no fragment.
//
// One deviation, made on purpose: a user name and password in an address are dropped,
// so that a secret pasted into a link never becomes part of a result.
package weburl

import (
	"fmt"
	"strings"
)

// A URL is a parsed address. The zero URL is no address.
type URL struct {
	href     string // serialised, without fragment
	scheme   string
	fragment string
	hostAt   int // where the host starts in href
	pathAt   int // where the path starts in href
	queryAt  int // where "?" stands in href, or len(href)
	opaque   bool
	hasFrag  bool
}

// Error says why a text is not an address.
type Error struct {
	Input  string
	Reason string
}

func (e *Error) Error() string {
	return fmt.Sprintf("%q is not a web address: %s", shorten(e.Input), e.Reason)
}

func shorten(s string) string {
	if len(s) > 120 {
		return s[:80] + "…" + s[len(s)-30:]
	}
	return s
}

// Key is the address without its fragment: what addresses are compared by.
func (u *URL) Key() string { return u.href }

// String is the whole address, fragment included.
func (u *URL) String() string {
	if u.hasFrag {
		return u.href + "#" + u.fragment
	}
	return u.href
}

// Scheme is in lower case, without the colon.
func (u *URL) Scheme() string { return u.scheme }

// IsHTTP tells whether the address is one of http or https; only then have
// Host, Path and Query a meaning.
func (u *URL) IsHTTP() bool { return !u.opaque && u.href != "" }

// Host is the host with its port where that is not the scheme's default.
func (u *URL) Host() string {
	if u.opaque {
		return ""
	}
	return u.href[u.hostAt:u.pathAt]
}

// Hostname is the host without port and without the brackets of an IPv6 address.
func (u *URL) Hostname() string {
	h := u.Host()
	if strings.HasPrefix(h, "[") {
		return h[1:strings.IndexByte(h, ']')]
	}
	if i := strings.LastIndexByte(h, ':'); i >= 0 {
		return h[:i]
	}
	return h
}

// Port is the port that a connection needs, the scheme's default included.
func (u *URL) Port() string {
	h := u.Host()
	if i := strings.LastIndexByte(h, ':'); i >= 0 && !strings.HasSuffix(h, "]") {
		return h[i+1:]
	}
	if u.scheme == "https" {
		return "443"
	}
	return "80"
}

// Path starts with a slash.
func (u *URL) Path() string {
	if u.opaque {
		return ""
	}
	return u.href[u.pathAt:u.queryAt]
}

// Query is without the question mark.
func (u *URL) Query() string {
	if u.queryAt >= len(u.href) {
		return ""
	}
	return u.href[u.queryAt+1:]
}

// PathQuery is what a request line and a robots.txt rule see: path and query.
func (u *URL) PathQuery() string {
	if u.opaque {
		return ""
	}
	return u.href[u.pathAt:]
}

// Origin is scheme, host and port: "https://example.com".
func (u *URL) Origin() string { return u.href[:u.pathAt] }

// Fragment is without the number sign, still percent-encoded.
func (u *URL) Fragment() string { return u.fragment }

// Parse reads an absolute address. Errors are of type *Error.
func Parse(raw string) (URL, error) { return parse(nil, raw) }

// Parse reads an address relative to the base u, which must be http or https.
func (u *URL) Parse(raw string) (URL, error) { return parse(u, raw) }

func parse(base *URL, raw string) (URL, error) {
	in := clean(raw)
	scheme, rest, ok := cutScheme(in)
	switch {
	case !ok:
		if base == nil || base.opaque || base.href == "" {
			return URL{}, &Error{raw, "it has no scheme such as https://"}
		}
		return parseRelative(base, in, raw)
	case scheme != "http" && scheme != "https":
		return parseOpaque(scheme, in), nil
	}
	if base != nil && base.scheme == scheme && !startsSlashes(rest) {
		return parseRelative(base, rest, raw) // "http:page" beside an http base is relative
	}
	return parseAuthority(scheme, trimSlashes(rest), raw)
}

// clean strips what the standard strips: control characters and spaces at the ends,
// tabs and line ends everywhere.
func clean(s string) string {
	start, end := 0, len(s)
	for start < end && s[start] <= ' ' {
		start++
	}
	for end > start && s[end-1] <= ' ' {
		end--
	}
	s = s[start:end]
	if strings.ContainsAny(s, "\t\n\r") {
		s = strings.NewReplacer("\t", "", "\n", "", "\r", "").Replace(s)
	}
	return s
}

// cutScheme splits "HTTP://x" into "http" and "//x".
func cutScheme(s string) (scheme, rest string, ok bool) {
	if s == "" || !isAlpha(s[0]) {
		return "", s, false
	}
	for i := 1; i < len(s); i++ {
		switch c := s[i]; {
		case c == ':':
			return strings.ToLower(s[:i]), s[i+1:], true
		case isAlpha(c), c >= '0' && c <= '9', c == '+', c == '-', c == '.':
		default:
			return "", s, false
		}
	}
	return "", s, false
}

func isAlpha(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

func isSlash(c byte) bool { return c == '/' || c == '\\' }

func startsSlashes(s string) bool { return len(s) >= 2 && isSlash(s[0]) && isSlash(s[1]) }

func trimSlashes(s string) string { return strings.TrimLeft(s, `/\`) }

func parseOpaque(scheme, in string) URL {
	u := URL{scheme: scheme, opaque: true}
	u.href, u.fragment, u.hasFrag = strings.Cut(in, "#")
	u.href = scheme + u.href[len(scheme):]
	u.hostAt, u.pathAt, u.queryAt = len(u.href), len(u.href), len(u.href)
	return u
}

func parseAuthority(scheme, rest, raw string) (URL, error) {
	end := strings.IndexAny(rest, `/\?#`)
	if end < 0 {
		end = len(rest)
	}
	authority := rest[:end]
	if at := strings.LastIndexByte(authority, '@'); at >= 0 {
		authority = authority[at+1:]
	}
	host, port, err := splitPort(authority)
	if err == "" && host == "" {
		err = "it names no host"
	}
	if err != "" {
		return URL{}, &Error{raw, err}
	}
	var store [256]byte
	buf := append(store[:0], scheme...)
	buf = append(buf, "://"...)
	u := URL{scheme: scheme, hostAt: len(buf)}
	buf, err = appendHost(buf, host)
	if err != "" {
		return URL{}, &Error{raw, err}
	}
	if port != "" && !(scheme == "http" && port == "80") && !(scheme == "https" && port == "443") {
		buf = append(append(buf, ':'), port...)
	}
	u.pathAt = len(buf)
	rest = rest[end:]
	if rest != "" && isSlash(rest[0]) {
		rest = rest[1:]
	}
	buf = append(buf, '/')
	u.finish(buf, rest)
	return u, nil
}

// splitPort takes "host:port" apart. The port comes without leading zeros.
func splitPort(s string) (host, port, reason string) {
	i := strings.LastIndexByte(s, ':')
	if i < 0 || strings.IndexByte(s[i:], ']') >= 0 {
		return s, "", ""
	}
	host, port = s[:i], s[i+1:]
	if strings.IndexByte(host, ':') >= 0 && !strings.HasPrefix(host, "[") {
		return "", "", "its port is not a number"
	}
	n := 0
	for _, c := range []byte(port) {
		if c < '0' || c > '9' {
			return "", "", "its port is not a number"
		}
		if n = n*10 + int(c-'0'); n > 65535 {
			return "", "", "its port is above 65535"
		}
	}
	if port != "" {
		port = strings.TrimLeft(port, "0")
		if port == "" {
			port = "0"
		}
	}
	return host, port, ""
}

func parseRelative(base *URL, in, raw string) (URL, error) {
	if startsSlashes(in) {
		return parseAuthority(base.scheme, trimSlashes(in), raw)
	}
	u := URL{scheme: base.scheme, hostAt: base.hostAt, pathAt: base.pathAt}
	if in == "" || in[0] == '#' {
		u.href, u.queryAt = base.href, base.queryAt
		if in != "" {
			u.setFragment(in[1:])
		}
		return u, nil
	}
	var store [256]byte
	buf := store[:0]
	switch {
	case isSlash(in[0]):
		buf = append(append(buf, base.href[:base.pathAt]...), '/')
		in = in[1:]
	case in[0] == '?':
		buf = append(buf, base.href[:base.queryAt]...)
		u.queryAt = len(buf)
		u.finishQuery(buf, in[1:])
		return u, nil
	default:
		path := base.href[:base.queryAt]
		buf = append(buf, path[:strings.LastIndexByte(path, '/')+1]...)
	}
	u.finish(buf, in)
	return u, nil
}

// finish appends path, query and fragment. buf ends with the slash that the first
// segment of in follows; u.pathAt is set.
func (u *URL) finish(buf []byte, in string) {
	for {
		start := len(buf)
		i := 0
		for i < len(in) {
			c := in[i]
			if isSlash(c) || c == '?' || c == '#' {
				break
			}
			if inPath[c] {
				buf = append(buf, '%', upperHex[c>>4], upperHex[c&15])
			} else {
				buf = append(buf, c)
			}
			i++
		}
		segment := buf[start:]
		more := i < len(in) && isSlash(in[i])
		switch {
		case isDoubleDot(segment):
			buf = buf[:start]
			if len(buf) > u.pathAt+1 {
				cut := len(buf) - 1
				for buf[cut-1] != '/' {
					cut--
				}
				buf = buf[:cut]
			}
		case isSingleDot(segment):
			buf = buf[:start]
		case more:
			buf = append(buf, '/')
		}
		if !more {
			in = in[i:]
			break
		}
		in = in[i+1:]
	}
	u.queryAt = len(buf)
	if in == "" {
		u.href = string(buf)
		return
	}
	if in[0] == '?' {
		u.finishQuery(buf, in[1:])
		return
	}
	u.href = string(buf)
	u.setFragment(in[1:])
}

func (u *URL) finishQuery(buf []byte, in string) {
	buf = append(buf, '?')
	for i := 0; i < len(in); i++ {
		c := in[i]
		if c == '#' {
			u.setFragment(in[i+1:])
			break
		}
		if inQuery[c] {
			buf = append(buf, '%', upperHex[c>>4], upperHex[c&15])
		} else {
			buf = append(buf, c)
		}
	}
	u.href = string(buf)
}

func (u *URL) setFragment(s string) {
	u.hasFrag = true
	u.fragment = encode(s, &inFragment)
}

func encode(s string, set *[256]bool) string {
	n := 0
	for i := 0; i < len(s); i++ {
		if set[s[i]] {
			n++
		}
	}
	if n == 0 {
		return s
	}
	buf := make([]byte, 0, len(s)+2*n)
	for i := 0; i < len(s); i++ {
		c := s[i]
		if set[c] {
			buf = append(buf, '%', upperHex[c>>4], upperHex[c&15])
		} else {
			buf = append(buf, c)
		}
	}
	return string(buf)
}

func isSingleDot(s []byte) bool {
	return len(s) == 1 && s[0] == '.' || len(s) == 3 && isEncodedDot(s)
}

func isDoubleDot(s []byte) bool {
	switch len(s) {
	case 2:
		return s[0] == '.' && s[1] == '.'
	case 4:
		return s[0] == '.' && isEncodedDot(s[1:]) || isEncodedDot(s[:3]) && s[3] == '.'
	case 6:
		return isEncodedDot(s[:3]) && isEncodedDot(s[3:])
	}
	return false
}

func isEncodedDot(s []byte) bool { return s[0] == '%' && s[1] == '2' && s[2]|0x20 == 'e' }

const upperHex = "0123456789ABCDEF"

// The percent-encode sets of the standard, section 1.3.
var inPath, inQuery, inFragment = encodeSet(" \"#<>?^`{}"), encodeSet(" \"#<>'"), encodeSet(" \"<>`")

func encodeSet(chars string) (set [256]bool) {
	for c := range 256 {
		set[c] = c < 0x20 || c > 0x7e || strings.IndexByte(chars, byte(c)) >= 0
	}
	return set
}
