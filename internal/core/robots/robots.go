// Package robots reads robots.txt and answers whether an agent may fetch a path, by
// RFC 9309 (Robots Exclusion Protocol).
//
// Parse is total: it reads what can be read and notes the rest, each note with its line.
package robots

import (
	"bytes"
	"strconv"
	"strings"
	"unicode/utf8"
)

// MaxBytes is how much of a file is read; RFC 9309, 2.5 asks for at least 500 KiB.
const MaxBytes = 500 << 10

// A File is a parsed robots.txt. The zero File allows everything.
type File struct {
	groups   []group
	Sitemaps []Line // values of Sitemap lines, as written
	Notes    []Line // what could not be read
}

// A Line is a text and the line it stands on, from 1.
type Line struct {
	Number int
	Text   string
}

type group struct {
	agents []string // lower case
	rules  []rule
	delays []delay
}

type delay struct {
	seconds float64
	line    Line
}

type rule struct {
	allow   bool
	pattern string // percent-encoding normalised
	line    Line
}

// A Verdict is the answer for one address. Rule is the line that decided, zero when
// no rule matched.
type Verdict struct {
	Allowed bool
	Rule    Line
}

// Parse reads the bytes of a robots.txt.
func Parse(data []byte) *File {
	f := new(File)
	if len(data) > MaxBytes {
		f.note(0, "the file is over 500 KiB; what follows was not read")
		data = data[:MaxBytes]
	}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	var current *group
	inAgents := false
	number := 0
	for len(data) > 0 {
		var raw []byte
		raw, data = cutLine(data)
		number++
		if !utf8.Valid(raw) {
			f.note(number, "not UTF-8")
		}
		text, _, _ := strings.Cut(string(raw), "#")
		text = strings.TrimSpace(text)
		if text == "" {
			continue
		}
		key, value, ok := strings.Cut(text, ":")
		if !ok {
			f.note(number, "no rule: "+text)
			continue
		}
		value = strings.TrimSpace(value)
		switch name := strings.ToLower(strings.TrimSpace(key)); name {
		case "user-agent":
			if !inAgents {
				f.groups = append(f.groups, group{})
				current = &f.groups[len(f.groups)-1]
			}
			inAgents = true
			current.agents = append(current.agents, strings.ToLower(value))
		case "allow", "disallow":
			inAgents = false
			if current == nil {
				f.note(number, "rule before any user-agent: "+text)
				continue
			}
			if value == "" {
				continue // an empty rule matches nothing
			}
			current.rules = append(current.rules, rule{name == "allow", normalise(value), Line{number, text}})
		case "sitemap":
			f.Sitemaps = append(f.Sitemaps, Line{number, value})
		case "crawl-delay":
			// No rule of RFC 9309, but common; it belongs to the group as rules do.
			if seconds, err := strconv.ParseFloat(value, 64); err != nil || !(seconds >= 0) || current == nil {
				f.note(number, "no delay in seconds, or none of any user-agent: "+text)
			} else {
				current.delays = append(current.delays, delay{seconds, Line{number, text}})
			}
			inAgents = false
		case "host", "clean-param", "request-rate", "visit-time":
			// Known extensions: no rules of RFC 9309, and no mistakes either.
		default:
			f.note(number, "unknown rule: "+text)
		}
	}
	return f
}

func (f *File) note(line int, text string) { f.Notes = append(f.Notes, Line{line, text}) }

// cutLine splits at CR, LF or CRLF.
func cutLine(data []byte) (line, rest []byte) {
	i := bytes.IndexAny(data, "\r\n")
	if i < 0 {
		return data, nil
	}
	line = data[:i]
	if data[i] == '\r' && i+1 < len(data) && data[i+1] == '\n' {
		i++
	}
	return line, data[i+1:]
}

// Decide answers for an agent's product token ("harvik") and a path with its query.
// All groups that name the token are one (2.2.1); where none does, those for "*" hold.
// The longest matching pattern wins, and allow wins a tie (2.2.2). /robots.txt itself
// is always allowed.
func (f *File) Decide(token, pathQuery string) Verdict {
	best := Verdict{Allowed: true}
	if pathQuery == "/robots.txt" {
		return best
	}
	token = strings.ToLower(token)
	if !f.names(token) {
		token = "*"
	}
	path := normalise(pathQuery)
	longest := -1
	for _, g := range f.groups {
		if !g.has(token) {
			continue
		}
		for _, r := range g.rules {
			n := len(r.pattern)
			if n < longest || n == longest && (best.Allowed || !r.allow) || !matches(r.pattern, path) {
				continue
			}
			longest = n
			best = Verdict{r.allow, r.line}
		}
	}
	return best
}

// For are the rules that hold for an agent, in order of their lines.
func (f *File) For(token string) []Line {
	token = strings.ToLower(token)
	if !f.names(token) {
		token = "*"
	}
	var out []Line
	for _, g := range f.groups {
		if g.has(token) {
			for _, r := range g.rules {
				out = append(out, r.line)
			}
		}
	}
	return out
}

// Delay is the time between two requests, in seconds, that the file asks an agent for with
// Crawl-delay (no part of RFC 9309): the longest of its groups. It is 0, without a line, where
// none is asked for.
func (f *File) Delay(token string) (seconds float64, line Line) {
	token = strings.ToLower(token)
	if !f.names(token) {
		token = "*"
	}
	for _, g := range f.groups {
		for _, d := range g.delays {
			if g.has(token) && d.seconds > seconds {
				seconds, line = d.seconds, d.line
			}
		}
	}
	return seconds, line
}

func (f *File) names(token string) bool {
	for _, g := range f.groups {
		if g.has(token) {
			return true
		}
	}
	return false
}

// has compares product tokens: a line may carry a version or more after the token.
func (g *group) has(token string) bool {
	for _, a := range g.agents {
		if a == token || token != "*" && productToken(a) == token {
			return true
		}
	}
	return false
}

func productToken(agent string) string {
	for i, c := range []byte(agent) {
		if !(c >= 'a' && c <= 'z' || c == '-' || c == '_') {
			return agent[:i]
		}
	}
	return agent
}

// matches tells whether a pattern with "*" and a closing "$" matches from the start.
func matches(pattern, path string) bool {
	anchored := strings.HasSuffix(pattern, "$")
	pattern = strings.TrimSuffix(pattern, "$")
	parts := strings.Split(pattern, "*")
	if !strings.HasPrefix(path, parts[0]) {
		return false
	}
	path = path[len(parts[0]):]
	if len(parts) == 1 {
		return !anchored || path == ""
	}
	last := len(parts) - 1
	for _, p := range parts[1:last] {
		i := strings.Index(path, p)
		if i < 0 {
			return false
		}
		path = path[i+len(p):]
	}
	if anchored {
		return strings.HasSuffix(path, parts[last])
	}
	return strings.Contains(path, parts[last])
}

// normalise makes percent-encoding comparable (2.2.2): non-ASCII and unsafe bytes are encoded,
// encoded unreserved ones decoded, hex digits in upper case.
func normalise(s string) string {
	const hex = "0123456789ABCDEF"
	clean := true
	for i := 0; i < len(s); i++ {
		if s[i] == '%' || s[i] <= ' ' || s[i] >= 0x7f {
			clean = false
			break
		}
	}
	if clean {
		return s
	}
	out := make([]byte, 0, len(s)+8)
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c == '%' && i+2 < len(s) && isHex(s[i+1]) && isHex(s[i+2]) {
			b := unhex(s[i+1])<<4 | unhex(s[i+2])
			if isUnreserved(b) {
				out = append(out, b)
			} else {
				out = append(out, '%', hex[b>>4], hex[b&15])
			}
			i += 2
			continue
		}
		if c <= ' ' || c >= 0x7f {
			out = append(out, '%', hex[c>>4], hex[c&15])
			continue
		}
		out = append(out, c)
	}
	return string(out)
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f'
}

func unhex(c byte) byte {
	if c <= '9' {
		return c - '0'
	}
	return c | 0x20 - 'a' + 10
}

func isUnreserved(c byte) bool {
	return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || strings.IndexByte("-._~", c) >= 0
}

// Forbid is a file that shuts everything out, for a robots.txt that could not be had
// (2.3.1.4); the reason stands where the deciding line would.
func Forbid(reason string) *File {
	return &File{groups: []group{{
		agents: []string{"*"}, rules: []rule{{allow: false, pattern: "/", line: Line{Text: reason}}},
	}}}
}
