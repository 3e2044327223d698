package fixlist

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/health"
)

// A Tab is what every page weighs in which check, and for which fixes: a crawl's health taken apart as
// far as it goes.
type Tab struct {
	Fixes []Fix
	Costs map[string]float64  // of checks, by rule
	Pages map[string]*PageTab // of assessed pages, by address
	Site  PageTab             // what counts on every page
}

// PageTab is what fails on one page.
type PageTab struct {
	Standing float64             // how many pages it stands for
	Cells    map[string]*TabCell // by rule: the ID of a check, and what a plan counts otherwise apart
}

// A TabCell is a check failing on a page.
type TabCell struct {
	Check  string
	Weight float64     // with all its places
	By     map[int]int // index in Fixes → places
}

// Tab takes the sheet's health apart; what is waived costs nothing.
func (s *Sheet) Tab(adjust Adjustment) *Tab {
	b := newBuilder(s, adjust)
	found := b.gather()
	b.waive(found)
	b.cells = b.makeCells(b.waived)
	t := &Tab{Costs: map[string]float64{}, Pages: make(map[string]*PageTab, len(b.assessed)),
		Site: PageTab{Standing: 1, Cells: map[string]*TabCell{}}}
	for _, p := range b.assessed {
		t.Pages[p.Address] = &PageTab{Standing: p.Weight, Cells: map[string]*TabCell{}}
	}
	book := b.book(b.cells)
	t.Fixes = b.fixes(found, book, book.Shares())
	for k, g := range found {
		for _, i := range g.entries {
			if b.entryCell[i] < 0 {
				continue
			}
			e := b.entries[i]
			p := &t.Site
			if e.page >= 0 {
				p = t.Pages[b.address(e.page)]
			}
			c := b.Checks[e.check]
			rule := c.ID + " " + c.Variant
			t.Costs[rule] = b.costs[e.check]
			if p.Cells[rule] == nil {
				p.Cells[rule] = &TabCell{Check: c.ID, Weight: health.Weight(b.cells[b.entryCell[i]].Places),
					By: map[int]int{}}
			}
			p.Cells[rule].By[k] += int(e.places)
		}
	}
	return t
}

// Means are the mean weights of rules over the pages that are wanted, with what is about the site, by
// rule. Stand says how many pages each stands for; nil takes the tab's own weights.
func (t *Tab) Means(wanted func(address string) bool, stand func(address string) float64) map[string]float64 {
	out, total := map[string]float64{}, 0.0
	for _, address := range sortedKeys(t.Pages) {
		if !wanted(address) {
			continue
		}
		p := t.Pages[address]
		w := p.Standing
		if stand != nil {
			w = stand(address)
		}
		total += w
		for rule, c := range p.Cells {
			out[rule] += w * c.Weight
		}
	}
	for rule := range out {
		out[rule] /= total
	}
	for rule, c := range t.Site.Cells {
		out[rule] += c.Weight
	}
	return out
}

// Health is the score, 0 to 100, of the pages that are wanted; NaN if there are none. Stand is as of
// Means.
func (t *Tab) Health(wanted func(address string) bool, stand func(address string) float64) float64 {
	none := true
	for address := range t.Pages {
		none = none && !wanted(address)
	}
	if none {
		return math.NaN()
	}
	e := 0.0
	means := t.Means(wanted, stand)
	for _, rule := range sortedKeys(means) {
		e += health.Term(t.Costs[rule], means[rule])
	}
	return 100 * math.Exp(-e)
}

// Failing tells which checks fail on which pages: IDs by address, "" for the site; what is waived
// included.
func (s *Sheet) Failing() map[string]map[string]bool {
	addresses := map[int32]string{-1: ""}
	for i := range s.Pages {
		addresses[s.Pages[i].ID] = s.Pages[i].Address
	}
	out := map[string]map[string]bool{}
	b := newBuilder(s, Adjustment{})
	for i, e := range b.entries {
		if b.roots[i] >= 0 {
			continue
		}
		a := addresses[e.page]
		if out[a] == nil {
			out[a] = map[string]bool{}
		}
		out[a][s.Checks[e.check].ID] = true
	}
	return out
}

// A Found is a check failing on a page, for one cause.
type Found struct {
	Check    string
	Severity check.Severity // as judged
	Address  string         // "" for the site
	Layout   string         // name of the page's layout
	Fix      string         // the line that it is part of
	Kind     Kind           // of that line
	Cause    string         // the line of its target or value, within another too; "" for a check without
	Places   int
}

// EachFinding calls f with every check failing on a page, cause by cause.
func (s *Sheet) EachFinding(f func(Found)) {
	b := newBuilder(s, Adjustment{})
	causes := map[causeKey]string{}
	for _, g := range b.gather() {
		for _, i := range g.entries {
			e := b.entries[i]
			one := Found{Check: b.Checks[e.check].ID, Severity: b.Checks[e.check].Severity, Address: b.address(e.page),
				Layout: b.layoutName(e.page), Fix: g.fix.ID, Kind: g.fix.Kind, Places: int(e.places)}
			if e.cause >= 0 {
				key := causeKey{e.check, b.causes[e.cause].key}
				if causes[key] == "" {
					kind := Value
					if b.Checks[e.check].Gather == check.ByTarget {
						kind = Target
					}
					causes[key] = identify(b.Checks[e.check], kind, key.key)
				}
				one.Cause = causes[key]
			}
			f(one)
		}
	}
}

// Lines are the lines that targets and values have, or would have if they stood alone: those of the wanted
// IDs, in order of what they bring.
func (s *Sheet) Lines(adjust Adjustment, wanted map[string]bool) []Fix {
	b := newBuilder(s, adjust)
	b.waive(b.gather())
	b.cells = b.makeCells(b.waived)
	byCause := map[int32][]int32{}
	for i := range b.entries {
		if e := &b.entries[i]; e.cause >= 0 {
			byCause[e.cause] = append(byCause[e.cause], int32(i))
		}
	}
	var found []gathered
	for _, members := range byCause {
		c := b.entries[members[0]].check
		one := b.causeCandidate(c, members)
		if !wanted[one.fix.ID] {
			continue
		}
		g := gathered{check: c, fix: one.fix, entries: members}
		b.describe(&g)
		found = append(found, g)
	}
	book := b.book(b.cells)
	out := b.fixes(found, book, book.Shares())
	slices.SortFunc(out, func(x, y Fix) int {
		return cmp.Or(cmp.Compare(x.Severity, y.Severity), cmp.Compare(y.Gain, x.Gain), strings.Compare(x.ID, y.ID))
	})
	return out
}

// Rules tells the checks by which the sheet was judged, by ID; those that need facts which the crawl does not have
// are none of them.
func (s *Sheet) Rules() map[string]*check.Check {
	out := map[string]*check.Check{}
	for _, c := range s.Checks {
		if c.Variant == "" && !s.missed[c.ID] {
			out[c.ID] = c
		}
	}
	return out
}

// Addresses are those of a fix's members, "" for the site.
func (s *Sheet) Addresses(f *Fix) []string {
	at := map[int32]string{}
	for i := range s.Pages {
		at[s.Pages[i].ID] = s.Pages[i].Address
	}
	out := make([]string, len(f.Members))
	for i, page := range f.Members {
		out[i] = at[page]
	}
	return out
}
