// Package scope decides what counts as the site and what of it is wanted, by a plan's scope.
package scope

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

// A Scope is compiled from a valid plan. Origin remembers what it has answered, so a Scope's
// methods other than Rewrite are for one goroutine.
type Scope struct {
	hosts    map[string]bool // with port where that is not the scheme's own
	suffixes []string        // ".fernhollow.example"
	ports    []string        // "", and ":8080" if the start has that port
	origins  map[string]bool // answers so far, by origin without the last slash
	folders  []string
	include  []pattern
	exclude  []pattern
	quotas   []quota
	ignore   []*regexp.Regexp
	keep     []*regexp.Regexp
	rewrites bool
	sort     bool
}

type pattern struct {
	text  string
	match *regexp.Regexp
	path  bool // against path and query only
}

type quota struct {
	pattern
	most int
}

// New compiles a scope around a start address.
func New(start weburl.URL, p plan.Scope) *Scope {
	s := &Scope{hosts: map[string]bool{}, origins: map[string]bool{}, ports: []string{""}, sort: p.Parameters.Sort}
	if _, port, ok := cutPort(start.Host()); ok {
		s.ports = append(s.ports, ":"+port)
		s.hosts[start.Host()] = true
	} else {
		s.addHost(start.Host(), p.Pair == nil || *p.Pair)
	}
	for _, h := range p.Hosts {
		if rest, ok := strings.CutPrefix(strings.ToLower(h), "*"); ok {
			s.suffixes = append(s.suffixes, rest)
		} else {
			s.addHost(strings.ToLower(h), false)
		}
	}
	for _, f := range p.Folders {
		s.folders = append(s.folders, strings.TrimSuffix(f, "/")+"/")
	}
	s.include, s.exclude = compile(p.Include), compile(p.Exclude)
	for _, text := range sortedKeys(p.AtMost) {
		s.quotas = append(s.quotas, quota{compile([]string{text})[0], p.AtMost[text]})
	}
	s.ignore, s.keep = names(p.Parameters.Ignore), names(p.Parameters.Keep)
	s.rewrites = len(s.ignore)+len(s.keep) > 0 || s.sort
	return s
}

// addHost takes a host in, and with pair its twin with or without www.
func (s *Scope) addHost(host string, pair bool) {
	hosts := []string{host}
	if _, err := netip.ParseAddr(strings.Trim(host, "[]")); pair && err != nil && strings.Contains(host, ".") {
		if bare, ok := strings.CutPrefix(host, "www."); ok {
			hosts = append(hosts, bare)
		} else {
			hosts = append(hosts, "www."+host)
		}
	}
	for _, h := range hosts {
		for _, port := range s.ports {
			s.hosts[h+port] = true
		}
	}
}

func cutPort(host string) (name, port string, ok bool) {
	i := strings.LastIndexByte(host, ':')
	if i < 0 || strings.HasSuffix(host, "]") {
		return host, "", false
	}
	return host[:i], host[i+1:], true
}

func sortedKeys(m map[string]int) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

func compile(texts []string) (out []pattern) {
	for _, t := range texts {
		p := pattern{text: t}
		if expression, ok := strings.CutPrefix(t, "re:"); ok {
			match, err := regexp.Compile(expression)
			if err != nil {
				// plans and waivers refuse such a pattern; one that was stored all the same stands for no address
				match = nothing
			}
			p.match = match
		} else {
			p.match = glob(t)
			p.path = !strings.Contains(t, "://")
		}
		out = append(out, p)
	}
	return out
}

// nothing matches no address.
var nothing = regexp.MustCompile(`[^\x00-\x{10FFFF}]`)

func glob(t string) *regexp.Regexp {
	match, err := regexp.Compile("^" + strings.ReplaceAll(regexp.QuoteMeta(t), `\*`, ".*") + "$")
	if err != nil {
		return nothing // no UTF-8
	}
	return match
}

func names(list []string) (out []*regexp.Regexp) {
	for _, n := range list {
		out = append(out, glob(n))
	}
	return out
}

func (p *pattern) matches(address, pathQuery string) bool {
	if p.path {
		return p.match.MatchString(pathQuery)
	}
	return p.match.MatchString(address)
}

// Origin is the origin of an address inside the site, with its slash: "https://example.com/".
// It is "" for an address outside.
func (s *Scope) Origin(address string) string {
	i := strings.Index(address, "://")
	if i < 0 {
		return ""
	}
	end := strings.IndexByte(address[i+3:], '/')
	if end < 0 {
		return ""
	}
	origin := address[:i+3+end]
	inside, known := s.origins[origin]
	if !known {
		inside = (address[:i] == "http" || address[:i] == "https") && s.hasHost(origin[i+3:])
		if len(s.origins) < maxOrigins {
			s.origins[strings.Clone(origin)] = inside
		}
	}
	if !inside {
		return ""
	}
	return address[:len(origin)+1]
}

// Inside tells whether an address lies in the site. Unlike Origin it is safe for use from
// several goroutines.
func (s *Scope) Inside(address string) bool {
	scheme, rest, ok := strings.Cut(address, "://")
	host, _, slash := strings.Cut(rest, "/")
	return ok && slash && (scheme == "http" || scheme == "https") && s.hasHost(host)
}

// Rewrites tells whether Rewrite changes anything.
func (s *Scope) Rewrites() bool { return s.rewrites }

// maxOrigins bounds the answers that are remembered: pages can name any number of hosts.
const maxOrigins = 10_000

func (s *Scope) hasHost(host string) bool {
	if s.hosts[host] {
		return true
	}
	name := host
	if bare, port, ok := cutPort(host); ok {
		if !slices.Contains(s.ports, ":"+port) {
			return false
		}
		name = bare
	}
	return slices.ContainsFunc(s.suffixes, func(suffix string) bool { return strings.HasSuffix(name, suffix) })
}

// Refuses says which rule leaves an inside address out, "" if none does. Origin is that of the
// address.
func (s *Scope) Refuses(address, origin string) string {
	if len(s.folders)+len(s.include)+len(s.exclude) == 0 {
		return ""
	}
	pathQuery := address[len(origin)-1:]
	for i := range s.exclude {
		if s.exclude[i].matches(address, pathQuery) {
			return "exclude " + s.exclude[i].text
		}
	}
	if len(s.folders) > 0 && !slices.ContainsFunc(s.folders, func(f string) bool {
		return strings.HasPrefix(pathQuery, f) || pathQuery == f[:len(f)-1]
	}) {
		return "outside the folders " + strings.Join(s.folders, ", ")
	}
	if len(s.include) > 0 && !slices.ContainsFunc(s.include,
		func(p pattern) bool { return p.matches(address, pathQuery) }) {
		return "matches no pattern to include"
	}
	return ""
}

// Quotas is how many patterns have a limit of their own.
func (s *Scope) Quotas() int { return len(s.quotas) }

// Quota is the number of the first pattern with a limit that an address matches, −1 for none,
// with the pattern and its limit.
func (s *Scope) Quota(address, origin string) (n int, text string, most int) {
	for i := range s.quotas {
		if q := &s.quotas[i]; q.matches(address, address[len(origin)-1:]) {
			return i, q.text, q.most
		}
	}
	return -1, "", 0
}

// Rewrite takes out the query parameters that are to be ignored and sorts the rest, if the
// plan says so. It is safe for use from several goroutines.
func (s *Scope) Rewrite(address string) string {
	if !s.rewrites || !strings.HasPrefix(address, "http") {
		return address
	}
	bare, query, ok := strings.Cut(address, "?")
	if !ok {
		return address
	}
	var kept []string
	for part := range strings.SplitSeq(query, "&") {
		name, _, _ := strings.Cut(part, "=")
		if matchesAny(s.ignore, name) || len(s.keep) > 0 && !matchesAny(s.keep, name) {
			continue
		}
		kept = append(kept, part)
	}
	if s.sort {
		slices.SortStableFunc(kept, func(a, b string) int {
			a, _, _ = strings.Cut(a, "=")
			b, _, _ = strings.Cut(b, "=")
			return strings.Compare(a, b)
		})
	}
	if len(kept) == 0 {
		return bare
	}
	return bare + "?" + strings.Join(kept, "&")
}

func matchesAny(list []*regexp.Regexp, name string) bool {
	return slices.ContainsFunc(list, func(r *regexp.Regexp) bool { return r.MatchString(name) })
}

// A Matcher is one pattern of a plan.
type Matcher struct{ pattern pattern }

// NewMatcher compiles a pattern; an empty one matches everything, one that plan.CheckPattern refuses
// nothing.
func NewMatcher(text string) *Matcher {
	if text == "" {
		return &Matcher{}
	}
	return &Matcher{compile([]string{text})[0]}
}

// Matches tells whether an address fits.
func (m *Matcher) Matches(address string) bool {
	if m.pattern.match == nil {
		return true
	}
	_, rest, _ := strings.Cut(address, "://")
	pathQuery := "/"
	if i := strings.IndexByte(rest, '/'); i >= 0 {
		pathQuery = rest[i:]
	}
	return m.pattern.matches(address, pathQuery)
}
