package booking

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// A Stored crawl is one that has ended, as it was kept.
type Stored struct {
	Plan      plan.Plan // filled
	Start     weburl.URL
	Ending    survey.Ending
	Addresses []survey.Address
	Beyond    int
	Weights   map[int32]float64 // see survey.Survey
	Size      int
	Probes    *survey.Probes
	Traps     []survey.Trap
	Files     []File                               // of sitemaps without their bodies
	Body      func(address string) ([]byte, error) // that of a file
	Records   func(f func(*Record) error) error    // calls f with each, in the order in which they were made
	Source    survey.Source
	Layouts   map[string][]uint32 // leaders of the layouts that the site's crawls met, by name
}

// Judge judges the crawl anew, by other checks or thresholds than it was. Pages are the findings on pages, in order;
// those on the whole are with the result.
func (s *Stored) Judge(r *check.Runner) (result *Result, pages []check.Finding, err error) {
	b := New(r, s.Layouts)
	b.Survey.Source = s.Source
	known := newKnown(s.Addresses, scope.New(s.Start, s.Plan.Scope))
	err = s.Records(func(one *Record) error {
		if !one.Facts.Usable() {
			return &OldFactsError{one.Facts.Version}
		}
		if one.Role == page.AsPage {
			b.SetKind(one.Facts)
			b.Examine(one)
		}
		b.Add(one, known.of(one))
		pages = append(pages, one.Findings...)
		return nil
	})
	if err != nil {
		return nil, nil, fmt.Errorf("reading what was stored: %w", err)
	}
	h := &Harvest{
		Ending: s.Ending, Addresses: s.Addresses, Beyond: s.Beyond, Most: s.Plan.Pages, Weights: s.Weights,
		Size: s.Size,
	}
	if h.Evidence, err = s.evidence(known.scope); err != nil {
		return nil, nil, fmt.Errorf("reading what was stored: %w", err)
	}
	var whole []check.Finding
	result, err = b.Judge(h, func(found []check.Finding) error {
		whole = append(whole, found...)
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	result.Findings = whole
	return result, pages, nil
}

// evidence is what the crawl learned besides pages, read from its files again.
func (s *Stored) evidence(scope *scope.Scope) (survey.Evidence, error) {
	e := survey.Evidence{Probes: s.Probes, Traps: s.Traps}
	files := map[string]*File{}
	begin := new(robots.File)
	for i := range s.Files {
		f := &s.Files[i]
		if files[f.Address] = f; f.Kind != Robots {
			continue
		}
		rules := f.Rules()
		if f.Address == RobotsAddress(s.Start.Origin()+"/") {
			begin = rules
		}
		e.Robots = append(e.Robots, f.Evidence(rules))
	}
	slices.SortFunc(e.Robots, func(a, b survey.RobotsFile) int { return strings.Compare(a.Address, b.Address) })
	if !*s.Plan.Sources.Sitemaps {
		return e, nil
	}
	addresses, named := SitemapsOf(s.Plan.Sources.SitemapAt, begin)
	listing := NewListing(s.Start, scope, MostKnown(s.Plan.Pages))
	err := listing.Read(addresses, named, func(u weburl.URL) (f File, ok bool, err error) {
		kept := files[u.Key()]
		if kept == nil {
			return f, false, nil // the crawl ended before it was read
		}
		f = *kept
		if f.Status == 200 {
			f.Body, err = s.Body(f.Address)
		}
		return f, true, err
	})
	e.Sitemaps, e.Versions = listing.Sitemaps, listing.Versions
	return e, err
}

// known finds the numbers of addresses.
type known struct {
	numbers map[string]int32
	scope   *scope.Scope
}

func newKnown(addresses []survey.Address, s *scope.Scope) *known {
	k := &known{make(map[string]int32, len(addresses)), s}
	for i := range addresses {
		k.numbers[addresses[i].URL] = int32(i)
	}
	return k
}

// number is that of an address, −1 for none.
func (k *known) number(address string) int32 {
	if id, ok := k.numbers[address]; ok && address != "" {
		return id
	}
	return -1
}

// of are the numbers of what a record names.
func (k *known) of(r *Record) Numbers {
	n := Nothing()
	n.Redirect = k.number(r.Facts.Redirect)
	if r.Role != page.AsPage {
		return n
	}
	n.Canonical = k.number(r.Facts.Canonical())
	if d := r.Facts.Document; d != nil && d.RefreshTo != "" && k.scope.Inside(d.RefreshTo) {
		n.Refresh = k.number(k.scope.Rewrite(d.RefreshTo))
	}
	return n
}
