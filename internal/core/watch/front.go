package watch

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"
)

// A Front is what a site shows besides its pages.
type Front struct {
	At        time.Time
	Robots    string // the text of robots.txt
	HasRobots bool   // whether one was given
	RobotsSay string // why none was: its status, or what went wrong
	Sitemaps  []Sitemap
	Ends      time.Time // of the certificate; zero without one
	Issuer    string
	Addresses []string          // that the host's name resolves to
	Known     []string          // all that it lately resolved to
	Headers   map[string]string // of the home page, those that matter
}

// A Sitemap is one file, and how many addresses or sitemaps it lists.
type Sitemap struct {
	Address string
	Entries int
	Fault   string // what stands in the way of reading it
}

// Kept are the headers of a home page that are watched, in small letters: what they say holds for search, safety or
// delivery, and does not change by itself.
var Kept = []string{
	"x-robots-tag", "link", "content-type", "content-language", "vary", "cache-control", "location", "strict-transport-security",
	"content-security-policy", "x-frame-options", "x-content-type-options", "referrer-policy", "permissions-policy", "server",
	"content-encoding",
}

var nonce = regexp.MustCompile(`'nonce-[^']*'`)

// Headline is a header as it is kept: without what is made anew for each answer.
func Headline(value string) string { return nonce.ReplaceAllString(value, "'nonce'") }

// mostKnown is how many addresses of a host are remembered.
const mostKnown = 64

// Differences are what is otherwise than it was. Where a host resolves to other addresses in turn, only one that
// shares none with those that are known is a change; the new front knows them all.
func (s *Front) Differences(was *Front) (out []Change) {
	s.Known = s.Addresses
	if was == nil {
		return nil
	}
	if was.HasRobots != s.HasRobots || was.Robots != s.Robots {
		out = append(out, Change{RobotsTxt, was.robots(), s.robots()})
	}
	out = append(out, sitemaps(was.Sitemaps, s.Sitemaps)...)
	if was.Issuer != s.Issuer && was.Issuer != "" {
		out = append(out, Change{Certificate, was.Issuer, s.Issuer})
	}
	if len(s.Addresses) == 0 {
		s.Known = was.Known
	} else if len(was.Known) > 0 {
		if !slices.ContainsFunc(s.Addresses, func(a string) bool { return slices.Contains(was.Known, a) }) {
			out = append(out, Change{DNS, strings.Join(was.Known, " "), strings.Join(s.Addresses, " ")})
		} else {
			s.Known = union(s.Addresses, was.Known)
		}
	}
	if was.Headers != nil && s.Headers != nil {
		for _, name := range Kept {
			if before, after := was.Headers[name], s.Headers[name]; before != after {
				out = append(out, Change{Header + " " + name, before, after})
			}
		}
	}
	return out
}

func union(a, b []string) []string {
	out := slices.Clone(a)
	for _, one := range b {
		if !slices.Contains(out, one) && len(out) < mostKnown {
			out = append(out, one)
		}
	}
	return out
}

// robots is the text of robots.txt, or why there is none.
func (s *Front) robots() string {
	if !s.HasRobots {
		return "none: " + s.RobotsSay
	}
	return s.Robots
}

// sitemaps tells of files that came, went, cannot be read any more, or list other numbers.
func sitemaps(was, now []Sitemap) (out []Change) {
	by := func(all []Sitemap) map[string]Sitemap {
		m := map[string]Sitemap{}
		for _, s := range all {
			m[s.Address] = s
		}
		return m
	}
	before, after := by(was), by(now)
	names := slices.Sorted(maps.Keys(before))
	for _, name := range slices.Sorted(maps.Keys(after)) {
		if _, ok := before[name]; !ok {
			names = append(names, name)
		}
	}
	for _, name := range names {
		b, had := before[name]
		a, has := after[name]
		if b != a || had != has {
			out = append(out, Change{Sitemaps, b.says(name, had), a.says(name, has)})
		}
	}
	return out
}

func (s Sitemap) says(name string, there bool) string {
	switch {
	case !there:
		return name + ": not there"
	case s.Fault != "":
		return name + ": " + s.Fault
	}
	return fmt.Sprintf("%s: %d entries", name, s.Entries)
}

// Entries are how many addresses all sitemaps list.
func (s *Front) Entries() (n int) {
	for _, one := range s.Sitemaps {
		n += one.Entries
	}
	return n
}
