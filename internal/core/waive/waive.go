// Package waive decides which findings the consultant has decided to leave: a waiver names a
// scope, and everything in it costs nothing while it holds. Who waived what, why and until when is
// kept by others.
package waive

import (
	"fmt"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/weburl"
)

// Scope is what kind of thing a waiver is about.
type Scope string

const (
	Page    Scope = "page"    // one address
	Pattern Scope = "pattern" // addresses, by the patterns of a plan
	Section Scope = "section" // a folder with all below it
	Layout  Scope = "layout"  // the pages of one template, by its name
	Fix     Scope = "fix"     // a line of the fix list, whatever its members become
	Check   Scope = "check"   // one check, or those of a pattern, everywhere
)

// Scopes are all, in the order of what they cover.
var Scopes = []Scope{Page, Pattern, Section, Layout, Fix, Check}

// A Waiver covers the findings of a check (a pattern of IDs such as "copy-*"; "" for any) in its scope.
type Waiver struct {
	ID    int64
	Scope Scope
	Check string
	On    string // the address, pattern, folder, layout or fix; "" where the check is the scope
}

// Validate says what is wrong with a waiver and what to do. Known tells whether a check, or any that
// a pattern covers, exists.
func (w Waiver) Validate(known func(string) bool) error {
	if err := w.Readable(); err != nil {
		return err
	}
	if w.Check != "" && !known(w.Check) {
		return fmt.Errorf("there is no check %q; `harvik check list` shows them", w.Check)
	}
	return nil
}

// Readable says what is wrong with a waiver, whatever checks there are. One that was stored and is not
// readable covers nothing.
func (w Waiver) Readable() error {
	switch w.Scope {
	case Page:
		if u, err := weburl.Parse(w.On); err != nil || !u.IsHTTP() {
			return fmt.Errorf("a page is waived by its address, such as https://fernhollow.example/visit/, not %q",
				w.On)
		}
	case Section:
		if !strings.HasPrefix(w.On, "/") || !strings.HasSuffix(w.On, "/") {
			return fmt.Errorf("a section is a folder that begins and ends with a slash, such as /plants/, not %q", w.On)
		}
	case Pattern:
		if w.On == "" {
			return fmt.Errorf("a waiver of a pattern says of which one")
		}
		if err := plan.CheckPattern(w.On); err != nil {
			return fmt.Errorf("the pattern %q: %w", w.On, err)
		}
	case Layout, Fix:
		if w.On == "" {
			return fmt.Errorf("a waiver of a %s says of which one", w.Scope)
		}
	case Check:
		if w.On != "" {
			return fmt.Errorf("a waiver of a whole check covers all pages; leave %q out, or make its scope a page, pattern or section", w.On)
		}
		if w.Check == "" {
			return fmt.Errorf("a waiver of a check names it")
		}
	default:
		return fmt.Errorf("a waiver's scope is page, pattern, section, layout, fix or check, not %q", w.Scope)
	}
	return nil
}

// A Set is waivers that hold together. It is safe for use from several goroutines once made.
type Set struct {
	waivers  []Waiver
	patterns []*scope.Matcher // beside waivers
	paths    []string         // of pages, normalised
}

// NewSet makes a set.
func NewSet(waivers []Waiver) *Set {
	s := &Set{waivers: waivers, patterns: make([]*scope.Matcher, len(waivers)), paths: make([]string, len(waivers))}
	for i, w := range waivers {
		switch w.Scope {
		case Pattern:
			s.patterns[i] = scope.NewMatcher(w.On)
		case Page:
			if u, err := weburl.Parse(w.On); err == nil {
				s.paths[i] = u.Key()
			}
		}
	}
	return s
}

// Size is the number of waivers.
func (s *Set) Size() int { return len(s.waivers) }

// Covering calls f with the ID of every waiver that covers a finding: of a check, on a page by its
// address ("" for the whole site) and its layout's name, in a fix.
func (s *Set) Covering(id, address, layout, fix string, f func(waiver int64)) {
	for i, w := range s.waivers {
		if w.Check != "" && !check.Covers(w.Check, id) {
			continue
		}
		covers := false
		switch w.Scope {
		case Page:
			covers = address == s.paths[i]
		case Pattern:
			covers = address != "" && s.patterns[i].Matches(address)
		case Section:
			covers = inFolder(address, w.On)
		case Layout:
			covers = layout != "" && layout == w.On
		case Fix:
			covers = fix == w.On
		case Check:
			covers = true
		}
		if covers {
			f(w.ID)
		}
	}
}

// Covers tells whether any waiver covers a finding.
func (s *Set) Covers(id, address, layout, fix string) bool {
	covered := false
	s.Covering(id, address, layout, fix, func(int64) { covered = true })
	return covered
}

func inFolder(address, folder string) bool {
	_, rest, ok := strings.Cut(address, "://")
	if !ok {
		return false
	}
	i := strings.IndexByte(rest, '/')
	return i >= 0 && strings.HasPrefix(rest[i:], folder)
}
