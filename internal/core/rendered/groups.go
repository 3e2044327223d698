package rendered

import (
	"cmp"
	"math"
	"slices"

	"harvik/internal/core/plan"
)

// A Grade is how a measure is by public guidance on Web Vitals.
type Grade string

// Grades, the best first.
const (
	Good Grade = "good"
	Fair Grade = "fair" // to be mended
	Poor Grade = "poor"
)

// Bounds are the greatest values that are good and fair, and what two measurements have to be apart at least for them
// to tell of more than chance.
type Bounds struct{ Good, Fair, Apart float64 }

// Bounds of measures, in their units. Of blocking, which the guidance has for the laboratory, it is that for phones.
var (
	LargestBounds = Bounds{2500, 4000, 150}
	ShiftBounds   = Bounds{0.1, 0.25, 0.02}
	BlockedBounds = Bounds{200, 600, 50}
	TapBounds     = Bounds{200, 500, 50}
)

// Grade is that of a value.
func (b Bounds) Grade(v float64) Grade {
	switch {
	case v <= b.Good:
		return Good
	case v <= b.Fair:
		return Fair
	}
	return Poor
}

// Changed tells whether a value is another one than it was, by more than loads of one page differ: by a tenth, and by
// what is apart.
func (b Bounds) Changed(was, now float64) bool {
	return math.Abs(now-was) > max(b.Apart, 0.1*max(was, now))
}

// A Spread is how a measure is spread over pages.
type Spread struct {
	Known            int // pages of which the browser told it
	Median, Upper    float64
	Grade            Grade  // of the upper value, as the guidance has it: three in four pages are no worse
	Good, Fair, Poor int    // pages of each grade
	Worst            int32  // the number of the page where it is worst
	Element          string // what it comes from on most of the pages that are not good, "" where that is not known
	ElementPages     int    // those pages
}

// A Group is what pages of one kind have in common on one device, such as those of a layout.
type Group struct {
	Name                    string
	Device                  string
	Pages                   int // that were rendered
	Failed                  int // and that were not, though they were to be
	Example                 int32
	Largest, Shift, Blocked Spread
	Transferred             int     // median of bytes
	Differs                 []Share // what scripts change, in the order of Differences
	Links                   int     // median of the links that only scripts make, of the pages that have some
	Throttled               bool    // measured as on a slow phone
}

// A Share is on how many pages of a group something is so.
type Share struct {
	What, Say string
	Pages     int
}

// A Measure is one of those by which groups are told, with the fact that has it in questions.
type Measure struct {
	Fact   string
	Bounds Bounds
	Of     func(*Group) *Spread
}

// Measures are all, in the order in which they are shown.
var Measures = []Measure{
	{"largestPaint", LargestBounds, func(g *Group) *Spread { return &g.Largest }},
	{"shift", ShiftBounds, func(g *Group) *Spread { return &g.Shift }},
	{"blocked", BlockedBounds, func(g *Group) *Spread { return &g.Blocked }},
}

// A Gathering puts renderings into groups. The zero value is ready to use.
type Gathering struct{ groups map[groupKey]*gathered }

type groupKey struct{ name, device string }

type gathered struct {
	Group
	largest, shift, blocked []measured
	bytes, links            []float64
	differs                 map[string]int
}

// measured is one measure of one page.
type measured struct {
	value float64
	page  int32
	by    string // the element that it comes from
}

// Add puts what a browser made of a page into the group of a name.
func (g *Gathering) Add(name string, page int32, p *Page) {
	if g.groups == nil {
		g.groups = map[groupKey]*gathered{}
	}
	key := groupKey{name, p.Device}
	one := g.groups[key]
	if one == nil {
		one = &gathered{Group: Group{Name: name, Device: p.Device, Example: page}, differs: map[string]int{}}
		g.groups[key] = one
	}
	if !p.Found() {
		one.Failed++
		return
	}
	if one.Pages == 0 {
		one.Example = page
	}
	one.Pages++
	s := &p.Speed
	one.Throttled = s.Throttled
	if s.LargestAt >= 0 {
		one.largest = append(one.largest, measured{s.LargestAt, page, s.Largest})
	}
	var moved, busy string
	if len(s.Shifts) > 0 {
		moved = s.Shifts[0].Element
	}
	if len(s.Tasks) > 0 {
		busy = s.Tasks[0].By
	}
	one.shift = append(one.shift, measured{s.Shift, page, moved})
	one.blocked = append(one.blocked, measured{s.Blocked, page, busy})
	one.bytes = append(one.bytes, float64(s.Transferred))
	if p.Links > 0 {
		one.links = append(one.links, float64(p.Links))
	}
	for i := range p.Differs {
		one.differs[p.Differs[i].What]++
	}
}

// Groups are those that there are, the largest first, those of one name together.
func (g *Gathering) Groups() []Group {
	out := make([]Group, 0, len(g.groups))
	sizes := map[string]int{}
	for key, one := range g.groups {
		one.Largest = spread(one.largest, LargestBounds)
		one.Shift = spread(one.shift, ShiftBounds)
		one.Blocked = spread(one.blocked, BlockedBounds)
		one.Transferred, one.Links = int(middle(one.bytes)), int(middle(one.links))
		one.Differs = nil
		for _, k := range Differences {
			if n := one.differs[k.Name]; n > 0 {
				one.Differs = append(one.Differs, Share{k.Name, k.Say, n})
			}
		}
		sizes[key.name] = max(sizes[key.name], one.Pages+one.Failed)
		out = append(out, one.Group)
	}
	slices.SortFunc(out, func(a, b Group) int {
		return cmp.Or(cmp.Compare(sizes[b.Name], sizes[a.Name]), cmp.Compare(a.Name, b.Name),
			cmp.Compare(slices.Index(plan.Devices, a.Device), slices.Index(plan.Devices, b.Device)))
	})
	return out
}

// spread is how values are spread.
func spread(all []measured, bounds Bounds) (s Spread) {
	if len(all) == 0 {
		return Spread{Grade: Good, Worst: -1}
	}
	slices.SortFunc(
		all,
		func(a, b measured) int { return cmp.Or(cmp.Compare(a.value, b.value), cmp.Compare(b.page, a.page)) },
	)
	at := func(part float64) float64 { return all[int(math.Ceil(part*float64(len(all))))-1].value }
	s.Known, s.Median, s.Upper, s.Worst = len(all), at(0.5), at(0.75), all[len(all)-1].page
	s.Grade = bounds.Grade(s.Upper)
	by := map[string]int{}
	for _, m := range all {
		switch bounds.Grade(m.value) {
		case Good:
			s.Good++
			continue
		case Fair:
			s.Fair++
		default:
			s.Poor++
		}
		if m.by != "" {
			by[m.by]++
		}
	}
	for element, n := range by {
		if n > s.ElementPages || n == s.ElementPages && element < s.Element {
			s.Element, s.ElementPages = element, n
		}
	}
	return s
}

// middle is the median, the lower of two; 0 of none.
func middle(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	slices.Sort(values)
	return values[(len(values)-1)/2]
}
