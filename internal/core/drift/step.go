package drift

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"harvik/internal/core/fixlist"
	"harvik/internal/core/health"
)

// What a part of a step in health comes from.
const (
	ByWaivers  = "waivers"  // decisions taken since the older crawl was judged
	ByRules    = "rules"    // checks or thresholds that changed
	ByFix      = "fix"      // findings that went or came on pages of both crawls
	ByVanished = "vanished" // pages of the older crawl that are no more
	ByAppeared = "appeared" // pages that the newer one has on top
	ByUnseen   = "unseen"   // pages that only one of the crawls got to see
	BySample   = "sample"   // pages standing for other numbers of pages than before
)

// A Part is what one thing contributed to a step, in points of health.
type Part struct {
	By     string
	Fix    string // where By is ByFix
	Check  string
	Line   string
	Pages  int
	Points float64
	Shown  float64 // rounded to a hundredth so that all parts add up to the step as shown
}

// A Step is how health got from one value to another. The parts add up to it.
type Step struct {
	Before float64 // as it was told at the time
	After  float64
	Parts  []Part // the largest first
}

// sides are what a step is worked out from: the older crawl as it was judged, the same by the rules
// of today, and the newer one.
type sides struct {
	told        float64      // health of the older crawl as it was told
	toldAfter   float64      // and of the newer
	then        *fixlist.Tab // the older crawl as it was judged, by the decisions of then; nil where they are not known
	judged      *fixlist.Tab
	before      *fixlist.Tab
	after       *fixlist.Tab
	notSeen     func(address string) bool // a page of the older crawl that the newer could not see
	notSeenThen func(address string) bool // and the other way round
}

// step parts the way from one health to another. On the pages of both crawls the change is shared among
// the rules in proportion to the change of their terms, and inside a rule among fixes in proportion to
// the change of what their places weigh: with t the change of one rule's term and T that of all, t/T of
// it; where T is 0, −health·t, which adds up to 0. So what did not change has no part, and the parts
// add up exactly. Worked example: one page, an error (term 0.25/2.5 = 0.10) went, a warning (0.02) came:
// the site gains 100·(exp(−0.02) − exp(−0.10)) = 7.54; the error's part is 0.10/0.08 of it, 9.42, the
// warning's −1.88.
func step(s sides) Step {
	all := func(string) bool { return true }
	was := s.judged.Health(all, nil)
	byThen := s.told
	if s.then != nil {
		byThen = s.then.Health(all, nil)
	}
	out := Step{Before: s.told, After: s.after.Health(all, nil), Parts: []Part{}}
	if math.Abs(out.After-s.toldAfter) < 1e-9 { // the same sum in another order
		out.After = s.toldAfter
	}
	add := func(by string, pages int, points float64) {
		if math.Abs(points) > 1e-11 { // less is rounding
			out.Parts = append(out.Parts, Part{By: by, Pages: pages, Points: points})
		}
	}
	add(ByWaivers, 0, was-byThen)
	start := s.before.Health(all, nil)
	add(ByRules, 0, byThen-s.told+start-was) // how health is computed is a rule, too

	inBoth := func(a string) bool { return s.before.Pages[a] != nil && s.after.Pages[a] != nil }
	common, unseen, vanished, unseenThen, appeared := 0, 0, 0, 0, 0
	for a := range s.before.Pages {
		switch {
		case inBoth(a):
			common++
		case s.notSeen(a):
			unseen++
		default:
			vanished++
		}
	}
	for a := range s.after.Pages {
		if !inBoth(a) {
			if s.notSeenThen(a) {
				unseenThen++
			} else {
				appeared++
			}
		}
	}
	if common == 0 {
		add(ByAppeared, len(s.after.Pages), out.After-start)
		return out.finish()
	}
	seen := s.before.Health(func(a string) bool { return inBoth(a) || !s.notSeen(a) }, nil)
	kept := s.before.Health(inBoth, nil)
	standing := func(a string) float64 { return s.after.Pages[a].Standing }
	weighed := s.before.Health(inBoth, standing)
	now := s.after.Health(inBoth, nil)
	shared := s.after.Health(func(a string) bool { return inBoth(a) || s.notSeenThen(a) }, nil)
	add(ByVanished, vanished, kept-seen)
	add(ByUnseen, unseen+unseenThen, seen-start+shared-now)
	add(BySample, 0, weighed-kept)
	add(ByAppeared, appeared, out.After-shared)
	out.Parts = append(out.Parts, fixParts(s.before, s.after, inBoth)...)
	return out.finish()
}

// fixParts shares the change of health on the pages of both crawls among fixes.
func fixParts(before, after *fixlist.Tab, both func(string) bool) []Part {
	standing := func(a string) float64 { return after.Pages[a].Standing }
	was, is := before.Means(both, standing), after.Means(both, standing)
	rules := map[string]bool{}
	for _, means := range []map[string]float64{was, is} {
		for rule := range means {
			rules[rule] = true
		}
	}
	ordered := slices.Sorted(maps.Keys(rules))
	cost := func(rule string) float64 {
		if c, ok := after.Costs[rule]; ok {
			return c
		}
		return before.Costs[rule]
	}
	e0, e1 := 0.0, 0.0
	for _, rule := range ordered {
		e0 += health.Term(cost(rule), was[rule])
		e1 += health.Term(cost(rule), is[rule])
	}
	rate := -100 * math.Exp(-e0)
	if d := e1 - e0; math.Abs(d) > 1e-12 {
		rate = 100 * (math.Exp(-e1) - math.Exp(-e0)) / d
	}
	shares, pages := changes(before, after, both, standing)
	points := map[string]float64{}
	for _, rule := range ordered {
		d := is[rule] - was[rule]
		slope := health.Slope(cost(rule), is[rule])
		if math.Abs(d) > 1e-12 {
			slope = (health.Term(cost(rule), is[rule]) - health.Term(cost(rule), was[rule])) / d
		}
		for fix, by := range shares[rule] {
			points[fix] += rate * slope * by
		}
	}
	fixes := map[string]*fixlist.Fix{}
	for _, t := range []*fixlist.Tab{before, after} {
		for i := range t.Fixes {
			fixes[t.Fixes[i].ID] = &t.Fixes[i]
		}
	}
	var out []Part
	for _, id := range slices.Sorted(maps.Keys(points)) {
		if points[id] != 0 {
			f := fixes[id]
			out = append(out, Part{By: ByFix, Fix: id, Check: f.Check, Line: f.Line, Pages: pages[id],
				Points: points[id]})
		}
	}
	return out
}

// changes tells by how much the mean weight of each rule changed, by rule and fix, and on how many pages
// something of a fix did.
func changes(before, after *fixlist.Tab, both func(string) bool,
	standing func(string) float64) (shares map[string]map[string]float64, pages map[string]int) {
	shares, pages = map[string]map[string]float64{}, map[string]int{}
	add := func(rule, fix string, d float64) {
		if shares[rule] == nil {
			shares[rule] = map[string]float64{}
		}
		shares[rule][fix] += d
	}
	total := 0.0
	for a := range after.Pages {
		if both(a) {
			total += standing(a)
		}
	}
	for _, a := range slices.Sorted(maps.Keys(after.Pages)) {
		if !both(a) {
			continue
		}
		touched := map[string]bool{}
		cellShares(before, after, before.Pages[a], after.Pages[a], func(rule, fix string, d float64) {
			add(rule, fix, d*standing(a)/total)
			touched[fix] = true
		})
		for fix := range touched {
			pages[fix]++
		}
	}
	cellShares(before, after, &before.Site, &after.Site, add)
	return shares, pages
}

// cellShares tells by how much the weights on a page changed, by rule and fix.
func cellShares(before, after *fixlist.Tab, old, now *fixlist.PageTab, tell func(rule, fix string, d float64)) {
	rules := map[string]bool{}
	for _, cells := range []map[string]*fixlist.TabCell{old.Cells, now.Cells} {
		for rule := range cells {
			rules[rule] = true
		}
	}
	for _, rule := range slices.Sorted(maps.Keys(rules)) {
		d, net := 0.0, 0
		places := map[string]int{}
		if c := old.Cells[rule]; c != nil {
			d -= c.Weight
			for k, n := range c.By {
				places[before.Fixes[k].ID] -= n
				net -= n
			}
		}
		if c := now.Cells[rule]; c != nil {
			d += c.Weight
			for k, n := range c.By {
				places[after.Fixes[k].ID] += n
				net += n
			}
		}
		if d == 0 {
			continue
		}
		for _, fix := range slices.Sorted(maps.Keys(places)) {
			if n := places[fix]; n != 0 {
				tell(rule, fix, d*float64(n)/float64(net)) // a weight changes only with the number of places
			}
		}
	}
}

// finish sorts the parts and rounds them to hundredths that add up.
func (s Step) finish() Step {
	slices.SortFunc(s.Parts, func(a, b Part) int {
		return cmp.Or(cmp.Compare(math.Abs(b.Points), math.Abs(a.Points)), cmp.Compare(a.By, b.By),
			cmp.Compare(a.Fix, b.Fix))
	})
	left := math.Round(100*s.After) - math.Round(100*s.Before)
	rest := make([]float64, len(s.Parts))
	order := make([]int, len(s.Parts))
	for i := range s.Parts {
		down := math.Floor(100 * s.Parts[i].Points)
		s.Parts[i].Shown = down
		rest[i], order[i] = 100*s.Parts[i].Points-down, i
		left -= down
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(rest[b], rest[a]) })
	for i := 0; left > 0 && len(order) > 0; i, left = i+1, left-1 {
		s.Parts[order[i%len(order)]].Shown++
	}
	for i := len(order) - 1; left < 0 && len(order) > 0; i, left = i-1, left+1 {
		s.Parts[order[(i+len(order))%len(order)]].Shown--
	}
	for i := range s.Parts {
		s.Parts[i].Shown /= 100
	}
	return s
}
