// Package check defines what a check is, its thresholds, and how a run goes. A check is a
// value: what it says stands beside what it does, and lists, help, documentation, API and
// console are made from it.
package check

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

// Severity of a check.
type Severity uint8

const (
	Error Severity = iota
	Warning
	Notice
)

var severityNames = [...]string{"error", "warning", "notice"}

// Severities are the names of all, the gravest first.
func Severities() []string { return severityNames[:] }

func (s Severity) String() string { return severityNames[s] }

// Sign is its sign: one shape, filled by how bad it is.
func (s Severity) Sign() string { return [...]string{"◆", "◈", "◇"}[s] }

// MarshalText writes the name.
func (s Severity) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads a name.
func (s *Severity) UnmarshalText(b []byte) error {
	for i, name := range severityNames {
		if name == string(b) {
			*s = Severity(i)
			return nil
		}
	}
	return fmt.Errorf("%q is no severity: error, warning or notice", b)
}

// Effort is how much work one repair is.
type Effort uint8

const (
	Minutes Effort = iota
	Hours
	Days
)

func (e Effort) String() string { return [...]string{"minutes", "hours", "days"}[e] }

// Scope is what a check looks at.
type Scope uint8

const (
	Documents Scope = iota // every fetched HTML page with status 200
	Indexable              // those that a search engine may show
	WholeSite              // judged over the site after the crawl
)

func (s Scope) String() string {
	return [...]string{"every HTML page", "pages that search engines may show", "the whole site, after the crawl"}[s]
}

// Gather says how findings become causes, before layout and section are tried.
type Gather uint8

const (
	ByPlace  Gather = iota // same place of one layout, else separate pages
	ByTarget               // the address that each place names
	ByValue                // the value that places share
	Alone                  // no template or folder makes it so: each page for itself
)

// A Check is one rule.
type Check struct {
	ID       string // "title-missing"; never renamed or reused
	Group    string
	Severity Severity
	Factor   float64 // times the severity's cost, 0.5 to 4; 0 means 1
	Free     bool    // it says what is so and costs nothing, since no repair is asked for
	Scope    Scope
	Gather   Gather
	Effort   Effort
	// OneChange says that places which share a value are mended by one change, not page by page.
	OneChange bool
	Title     string // phrase for lists, no capital, no full stop
	// Line is the fix as a sentence. {target}, {value}, {n} and {link} ("Footer link",
	// "Link") are filled in; how many pages and where is added by the fix list.
	Line   string
	What   string
	Why    string
	How    string
	Source string   // standard or public guidance it rests on; "" for a house rule
	Limits []string // names of the thresholds it uses
	// Explains are checks and groups that fail on a page only because this one does: they are shown under
	// it, and come back when it is mended.
	Explains []string
	Since    int    // the version of facts that it needs: of pages that were read before, it says nothing; 0 for any
	Rendered bool   // it judges what a browser makes of pages, other than by Rendering
	OfCrawl  bool   // it judges how a crawl went, which a look at some pages cannot tell
	Variant  string // of a check that a plan counts otherwise on some pages: their pattern
	// Of these it has one. Rendering judges what a browser made of a page on each device, the plan's first one first.
	Page      func(*PagePass)
	Site      func(*SitePass) error
	Rendering func(on []rendered.Page) []Place
}

// OfRenderings tells whether it judges what a browser makes of pages.
func (c *Check) OfRenderings() bool { return c.Rendering != nil || c.Rendered }

// Judges tells whether it judges anything by itself, which a variant does not.
func (c *Check) Judges() bool { return c.Page != nil || c.Site != nil || c.Rendering != nil }

// Weight is the factor with its default; 0 for what is free.
func (c *Check) Weight() float64 {
	switch {
	case c.Free:
		return 0
	case c.Factor == 0:
		return 1
	}
	return c.Factor
}

// OwnPrefix begins the ID of every check that somebody made of a question, so that none is ever one of the catalogue.
const OwnPrefix = "own-"

// IsOwn tells a check that somebody made of a question.
func (c *Check) IsOwn() bool { return strings.HasPrefix(c.ID, OwnPrefix) }

// DoesExplain tells whether what another check finds on a page follows from this one failing there. What somebody asked
// for is told in any case.
func (c *Check) DoesExplain(other *Check) bool {
	return !other.IsOwn() && (slices.Contains(c.Explains, other.ID) || slices.Contains(c.Explains, other.Group))
}

// A Finding is a check failing on a page, at one or more places.
type Finding struct {
	Check  *Check
	Page   int32 // address number; −1 for the site
	Places []Place
	More   int  // places that are counted and not kept
	Silent bool // on a page that cannot be found: not told, but what hides the page costs as much
}

// A Place is one place of a finding, with its evidence. Fields that say nothing are empty.
type Place struct {
	Note     string // what is wrong here, both values named
	Value    string
	Target   string // the address concerned
	Words    string // of the link
	At       string // place on the page: "nav > ul > li 3"
	Line     int    // in the source
	Col      int
	Others   []string // other pages concerned, at most MaxOthers
	Of       int      // how many pages share this, itself included
	Hops     []Hop
	Likeness float64 // 0 to 1

	Carrier string // the stylesheet that names the target, where the page itself does not

	Region page.Region // where a link stands
	Group  string      // what places with one cause have in common; defaults to Target or Value
}

// Hop is one step of a redirect chain.
type Hop struct {
	Address string
	Status  int
}

// MaxOthers bounds the other pages that evidence names; Of says how many there are.
const MaxOthers = 20

// Of one check on one page MaxPlaces are kept as evidence, and of one about targets or values all, so
// that none is lost; what cannot be bounded by what a page is read for is bounded by mostPlaces.
const (
	MaxPlaces  = 500
	mostPlaces = 50_000
)

// add keeps a place or counts it.
func (f *Finding) add(p Place) {
	most := MaxPlaces
	if f.Check.Gather == ByTarget || f.Check.Gather == ByValue {
		most = mostPlaces
	}
	if len(f.Places) < most {
		f.Places = append(f.Places, p)
	} else {
		f.More++
	}
}

// Told are the findings that are told: without those on pages that cannot be found anyway.
func Told(found []Finding) []Finding {
	return slices.DeleteFunc(slices.Clone(found), func(f Finding) bool { return f.Silent })
}

// Count is at how many places the check fails.
func (f *Finding) Count() int { return len(f.Places) + f.More }

// A PagePass is one check's look at one page. It is not shared between goroutines.
type PagePass struct {
	Facts  *page.Facts
	Doc    *page.Document
	Limits *Limits
	// Staging are hosts that no page may link to, "*." before a name for all its subdomains.
	Staging []string
	report  func(Place)
}

// Report adds a place.
func (p *PagePass) Report(place Place) { p.report(place) }

// Reportf adds a place in the source with a note.
func (p *PagePass) Reportf(pos page.Pos, value, format string, args ...any) {
	p.report(Place{Note: fmt.Sprintf(format, args...), Value: value, Line: pos.Line, Col: pos.Col})
}

// A SitePass is one check's look at the whole crawl.
type SitePass struct {
	*survey.Survey
	Limits *Limits
	runner *Runner
	check  *Check
	report func(page int32, place Place)

	silently   func(page int32, place Place)
	pageByPage bool
}

// PageByPage promises that what is reported of a page is reported at a stretch, so that the findings of a check on
// a large site need not be held together.
func (p *SitePass) PageByPage() { p.pageByPage = true }

// Ways finds links as the survey does, and promises that what is reported is reported at the page that they stand on.
func (p *SitePass) Ways(wanted func(target int32) bool, f func(target int32, w survey.Way)) error {
	p.PageByPage()
	return p.Survey.Ways(wanted, f)
}

// Silently reports what is not told: on a page that cannot be found, or shares with such pages alone.
func (p *SitePass) Silently(page int32, place Place) { p.silently(page, place) }

// Report adds a place on a page.
func (p *SitePass) Report(page int32, place Place) { p.report(page, place) }

// Judged tells whether a check of what search shows looks at a page: one that can be found, or one that is
// kept from being found though the plan does not say that it is meant. Of the latter what is reported
// is not told.
func (p *SitePass) Judged(g *survey.Page) bool {
	return g.Indexable || p.Closed(g) && p.runner.hides(p.URL(g.ID))
}

// BySize is the first of three numbers on a site of up to 500 pages, the second up to 5,000, and else the third.
func (p *SitePass) BySize(small, medium, large int) int {
	switch n := p.Documents(); {
	case n <= 500:
		return small
	case n <= 5000:
		return medium
	}
	return large
}

// EachFacts calls f with the facts of the wanted pages, in any order.
func (p *SitePass) EachFacts(wanted func(*survey.Page) bool, f func(*survey.Page, *page.Facts)) error {
	var ids []int32
	for i := range p.Pages {
		if wanted(&p.Pages[i]) {
			ids = append(ids, p.Pages[i].ID)
		}
	}
	return p.Source.EachFacts(ids, func(id int32, facts *page.Facts) { f(p.Page(id), facts) })
}

// Target is what became of an address that a page names: its brief if it was fetched, and whether
// it is known to be shut out.
func (p *SitePass) Target(address string) (id int32, g *survey.Page, blocked bool) {
	id, ok := p.Find(address)
	if !ok || address == "" {
		return -1, nil, false
	}
	return id, p.Got(id), p.Addresses[id].State == survey.Blocked
}

// Carrier is the address of the stylesheet that names what a page loads, "" where the page itself does.
func (p *SitePass) Carrier(l survey.Loading) string {
	if l.Carrier < 0 {
		return ""
	}
	return p.URL(l.Carrier)
}

// Others names the other members of a group, at most MaxOthers.
func (p *SitePass) Others(group []*survey.Page, self int32) []string {
	var out []string
	for _, g := range group {
		if g.ID != self && len(out) < MaxOthers {
			out = append(out, p.URL(g.ID))
		}
	}
	return out
}

// Told are the members of a group that shares something and that can be found, none if there are fewer than
// two. What a page that can be found shares with hidden ones alone is not told, but counts as long as they
// are hidden without its being meant: that is reported silently here.
func (p *SitePass) Told(group []*survey.Page, place func(*survey.Page) Place) []*survey.Page {
	visible := slices.DeleteFunc(slices.Clone(group), func(g *survey.Page) bool { return !g.Indexable })
	alone := len(visible) < 2
	for _, g := range group {
		if alone || !g.Indexable {
			p.Silently(g.ID, place(g))
		}
	}
	if alone {
		return nil
	}
	return visible
}

// ReportShared reports each member of a group that shares a text, with the others.
func (p *SitePass) ReportShared(group []*survey.Page, what string, value func(*survey.Page) page.Text) {
	group = p.Told(group, func(g *survey.Page) Place {
		return Place{Value: value(g).Text, Group: text.Key(value(g).Text)}
	})
	for _, g := range group {
		t := value(g)
		p.Report(g.ID, Place{
			Note:  fmt.Sprintf("%d pages have this %s", len(group), what),
			Value: t.Text, Group: text.Key(t.Text), Line: t.Line, Col: t.Col,
			Others: p.Others(group, g.ID), Of: len(group),
		})
	}
}

// Short shortens a long address in the middle for a note.
func Short(s string) string {
	return text.Shorten(s, 100, 60, 35)
}
