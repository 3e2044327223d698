package booking

import (
	"fmt"
	"maps"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
)

// Again is a stored crawl some of whose addresses were fetched anew. The stored crawl itself stays as it is.
type Again struct {
	Stored   *Stored
	Fresh    []Record                   // what was fetched anew, in that order
	Harvest  *Harvest                   // the same
	Evidence bool                       // robots.txt, sitemaps and front doors were asked as well
	Rendered map[string][]rendered.Page // what a browser made anew of pages, by address
}

// Judge runs checks on the whole site over the stored crawl with what is fresh in the place of what it had.
func (a *Again) Judge(r *check.Runner) (found []check.Finding, err error) {
	m := newMerge(a, r)
	placed := map[string]bool{}
	err = a.Stored.Records(func(stored *Record) error {
		if !stored.Facts.Usable() {
			return &OldFactsError{stored.Facts.Version}
		}
		now := m.fresh[stored.Facts.Address]
		if now == nil {
			if m.isShut(stored.ID) {
				return nil
			}
			if stored.Role == page.AsPage {
				m.book.SetKind(stored.Facts)
			}
			m.book.Add(stored, m.known.of(stored))
			return nil
		}
		placed[stored.Facts.Address] = true
		m.place(stored.ID, stored.Role, now)
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("reading what was stored: %w", err)
	}
	for i := range a.Fresh {
		now := &a.Fresh[i]
		if address := now.Facts.Address; !placed[address] {
			id := m.number(address)
			m.addresses[id].State = survey.Fetched
			m.place(id, now.Role, now)
		}
	}
	s := m.book.Survey
	if s.Addresses = m.addresses; a.Evidence {
		s.Evidence = a.Harvest.Evidence
	}
	if err := s.Finish(); err != nil {
		return nil, err
	}
	err = r.Site(s, func(some []check.Finding) error {
		found = append(found, some...)
		return nil
	})
	return found, err
}

// merge builds the survey of a stored crawl with some records replaced.
type merge struct {
	again     *Again
	book      *Book
	addresses []survey.Address // of the stored crawl, and what became known since
	known     *known           // their numbers
	now       *known           // those of the new look
	fresh     map[string]*Record
	byNumber  map[int32]*Record
	rendered  map[int32][]rendered.Page // of these
}

func newMerge(a *Again, r *check.Runner) *merge {
	s := scope.New(a.Stored.Start, a.Stored.Plan.Scope)
	m := &merge{
		again: a, book: New(r, a.Stored.Layouts), addresses: append([]survey.Address(nil), a.Stored.Addresses...),
		known: newKnown(a.Stored.Addresses, s), now: newKnown(a.Harvest.Addresses, s),
		fresh: make(map[string]*Record, len(a.Fresh)), byNumber: map[int32]*Record{},
		rendered: map[int32][]rendered.Page{},
	}
	m.book.Survey.Source = mixed{a.Stored.Source, m.byNumber, m.rendered}
	for i := range a.Fresh {
		m.fresh[a.Fresh[i].Facts.Address] = &a.Fresh[i]
	}
	m.relearn()
	return m
}

// relearn takes over what robots.txt says now of the addresses that the look is about, and, if they were read, what the
// sitemaps list.
func (m *merge) relearn() {
	sitemaps := m.again.Evidence && *m.again.Stored.Plan.Sources.Sitemaps
	for i := range m.addresses {
		a := &m.addresses[i]
		if sitemaps {
			a.InSitemap = m.again.Harvest.Listing.Has[a.URL]
		}
		id := m.now.number(a.URL)
		if id < 0 {
			continue
		}
		switch now := &m.again.Harvest.Addresses[id]; {
		case now.State == survey.Blocked:
			a.State, a.Rule = now.State, now.Rule
		case a.State == survey.Blocked && now.State == survey.Waiting: // or fetched: that is told by its record
			a.State, a.Rule = survey.Waiting, now.Rule
		}
	}
}

// isShut tells an address that robots.txt has shut out since: a new crawl would not see what is there.
func (m *merge) isShut(id int32) bool {
	return m.addresses[id].State == survey.Blocked && m.again.Stored.Addresses[id].State != survey.Blocked
}

// number is that of an address, which becomes known if it is not yet.
func (m *merge) number(address string) int32 {
	if id := m.known.number(address); id >= 0 {
		return id
	}
	a := survey.Address{URL: address, State: survey.LeftOut}
	if id := m.now.number(address); id >= 0 {
		a = m.again.Harvest.Addresses[id]
	}
	a.FoundOn = -1
	id := int32(len(m.addresses))
	m.addresses = append(m.addresses, a)
	m.known.numbers[address] = id
	return id
}

// place adds a fresh record under a number of the stored crawl; what it names gets such numbers, too.
func (m *merge) place(id int32, role page.Role, now *Record) {
	m.byNumber[id] = now
	if on := m.again.Rendered[now.Facts.Address]; on != nil {
		m.rendered[id] = on
	}
	r := Record{ID: id, Role: role, Facts: now.Facts}
	for _, to := range []string{now.Facts.Redirect, now.Facts.Canonical()} {
		if to != "" {
			m.number(to)
		}
	}
	if d := now.Facts.Document; d != nil {
		r.Links = make([]int32, len(d.Links))
		for i := range d.Links {
			if r.Links[i] = -1; d.Links[i].Address != "" {
				r.Links[i] = m.number(d.Links[i].Address)
			}
		}
	}
	loads := now.Facts.Loads()
	if len(loads) > 0 && m.again.Stored.Plan.Resources != plan.None {
		r.Uses = make([]int32, len(loads))
		for i, u := range loads {
			r.Uses[i] = m.number(u.Address)
		}
	}
	m.book.Add(&r, m.known.of(&r))
}

// mixed reads what was fetched anew from memory, and the rest where it is stored.
type mixed struct {
	stored survey.Source
	fresh  map[int32]*Record // by the numbers of the stored crawl
	// what a browser made of these
	rendered map[int32][]rendered.Page
}

func (m mixed) each(pages []int32, stored func(rest []int32) error, f func(id int32, d *page.Facts)) error {
	var rest []int32
	for _, id := range pages {
		if r := m.fresh[id]; r != nil {
			f(id, r.Facts)
		} else {
			rest = append(rest, id)
		}
	}
	return stored(rest)
}

// EachFacts implements survey.Source.
func (m mixed) EachFacts(pages []int32, f func(int32, *page.Facts)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachFacts(rest, f) }, f)
}

// EachSkeleton implements survey.Source.
func (m mixed) EachSkeleton(pages []int32, f func(int32, page.Skeleton)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachSkeleton(rest, f) },
		ofDocuments(f, (*page.Document).Skeleton))
}

// EachLinks implements survey.Source.
func (m mixed) EachLinks(pages []int32, f func(int32, []page.Link, []int32)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachLinks(rest, f) },
		ofDocuments(func(id int32, links []page.Link) { f(id, links, nil) },
			func(d *page.Document) []page.Link { return d.Links }))
}

// EachText implements survey.Source.
func (m mixed) EachText(pages []int32, f func(int32, string)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachText(rest, f) },
		ofDocuments(f, func(d *page.Document) string { return d.MainText }))
}

// EachRendering implements survey.Source. Where nothing could be rendered anew, what was seen before stays: that
// something is gone is said only of what was looked at.
func (m mixed) EachRendering(pages []int32, f func(int32, []rendered.Page)) error {
	all := map[int32][]rendered.Page{}
	if err := m.stored.EachRendering(pages, func(id int32, on []rendered.Page) { all[id] = on }); err != nil {
		return err
	}
	for id, on := range m.rendered {
		if slices.ContainsFunc(on, func(p rendered.Page) bool { return p.Found() }) {
			all[id] = on
		}
	}
	for _, id := range slices.Sorted(maps.Keys(all)) {
		if pages == nil || slices.Contains(pages, id) {
			f(id, all[id])
		}
	}
	return nil
}

// ofDocuments makes a function of a part of documents one of facts, which need not be of one.
func ofDocuments[T any](f func(int32, T), part func(*page.Document) T) func(int32, *page.Facts) {
	return func(id int32, facts *page.Facts) {
		if facts.Document != nil {
			f(id, part(facts.Document))
		}
	}
}
