package drift

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"harvik/internal/core/fixlist"
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
	By     string  `json:"by"`
	Fix    string  `json:"fix,omitempty"` // where By is ByFix
	Check  string  `json:"check,omitempty"`
	Line   string  `json:"line,omitempty"`
	Pages  int     `json:"pages,omitempty"`
	Points float64 `json:"points"`
	Shown  float64 `json:"shown"` // rounded to a hundredth so that all parts add up to the step as shown
}

// A Step is how health got from one value to another. The parts add up to it.
type Step struct {
	Before float64 `json:"before"` // as it was told at the time
	After  float64 `json:"after"`
	Parts  []Part  `json:"parts"` // the largest first
}

// sides are what a step is worked out from: the older crawl as it was judged, the same by the rules
// of today, and the newer one.
type sides struct {
	told        float64 // health of the older crawl as it was told
	judged      *fixlist.Tab
	before      *fixlist.Tab
	after       *fixlist.Tab
	notSeen     func(address string) bool // a page of the older crawl that the newer could not see
	notSeenThen func(address string) bool // and the other way round
}

// step parts the way from one health to another. On a page of both crawls the change of exp(−c) is
// shared among its findings in proportion to the change of their costs: with d the change of one cost
// and D that of all, d/D of it; where D is 0, −exp(−c)·d, which adds up to 0. So what did not change
// has no part, and the parts add up exactly. Worked example: one page, a finding of cost 0.25 went,
// one of 0.05 came: the page gains 100·(exp(−0.05) − exp(−0.25)) = 17.24; the first finding's part is
// 0.25/0.20 of it, 21.55, the other's −4.31.
func step(s sides) Step {
	all := func(string) bool { return true }
	was := s.judged.Health(all, nil)
	out := Step{Before: s.told, After: s.after.Health(all, nil), Parts: []Part{}}
	add := func(by string, pages int, points float64) {
		if math.Abs(points) > 1e-11 { // less is rounding
			out.Parts = append(out.Parts, Part{By: by, Pages: pages, Points: points})
		}
	}
	add(ByWaivers, 0, was-s.told)
	start := s.before.Health(all, nil)
	add(ByRules, 0, start-was)

	both := func(a string) bool { return s.before.Pages[a] != nil && s.after.Pages[a] != nil }
	common, unseen, vanished, unseenThen, appeared := 0, 0, 0, 0, 0
	for a := range s.before.Pages {
		switch {
		case both(a):
			common++
		case s.notSeen(a):
			unseen++
		default:
			vanished++
		}
	}
	for a := range s.after.Pages {
		if !both(a) {
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
	seen := s.before.Health(func(a string) bool { return both(a) || !s.notSeen(a) }, nil)
	kept := s.before.Health(both, nil)
	standing := func(a string) float64 { return s.after.Pages[a].Weight }
	weighed := s.before.Health(both, standing)
	now := s.after.Health(both, nil)
	shared := s.after.Health(func(a string) bool { return both(a) || s.notSeenThen(a) }, nil)
	add(ByVanished, vanished, kept-seen)
	add(ByUnseen, unseen+unseenThen, seen-start+shared-now)
	add(BySample, 0, weighed-kept)
	add(ByAppeared, appeared, out.After-shared)
	out.Parts = append(out.Parts, fixParts(s.before, s.after, both)...)
	return out.finish()
}

// fixParts shares the change of health on the pages of both crawls among fixes.
func fixParts(before, after *fixlist.Tab, both func(string) bool) []Part {
	points, pages := map[string]float64{}, map[string]int{}
	fixes := map[string]*fixlist.Fix{}
	for _, t := range []*fixlist.Tab{before, after} {
		for i := range t.Fixes {
			fixes[t.Fixes[i].ID] = &t.Fixes[i]
		}
	}
	total := 0.0
	for a, p := range after.Pages {
		if both(a) {
			total += p.Weight
		}
	}
	siteBefore, siteAfter := before.Site.Own(), after.Site.Own()
	siteShares := cellShares(before, after, &before.Site, &after.Site)
	for _, a := range slices.Sorted(maps.Keys(after.Pages)) {
		if !both(a) {
			continue
		}
		old, now := before.Pages[a], after.Pages[a]
		c0, c1 := old.Own()+siteBefore, now.Own()+siteAfter
		rate := -math.Exp(-c0)
		if d := c1 - c0; math.Abs(d) > 1e-12 {
			rate = (math.Exp(-c1) - math.Exp(-c0)) / d
		}
		rate *= 100 * now.Weight / total
		for id, d := range cellShares(before, after, old, now) {
			points[id] += rate * d
			pages[id]++
		}
		for id, d := range siteShares {
			points[id] += rate * d
		}
	}
	var out []Part
	for id, p := range points {
		if p != 0 {
			f := fixes[id]
			out = append(out, Part{By: ByFix, Fix: id, Check: f.Check, Line: f.Line, Pages: pages[id], Points: p})
		}
	}
	return out
}

// cellShares is by how much the cost of a page changed, by fix.
func cellShares(before, after *fixlist.Tab, old, now *fixlist.PageTab) map[string]float64 {
	out := map[string]float64{}
	checks := map[string]bool{}
	for id := range old.Cells {
		checks[id] = true
	}
	for id := range now.Cells {
		checks[id] = true
	}
	for id := range checks {
		d, net := 0.0, 0
		places := map[string]int{}
		if c := old.Cells[id]; c != nil {
			d -= c.Cost
			for k, n := range c.By {
				places[before.Fixes[k].ID] -= n
				net -= n
			}
		}
		if c := now.Cells[id]; c != nil {
			d += c.Cost
			for k, n := range c.By {
				places[after.Fixes[k].ID] += n
				net += n
			}
		}
		if d == 0 {
			continue
		}
		if net != 0 {
			for fix, n := range places {
				if n != 0 {
					out[fix] += d * float64(n) / float64(net)
				}
			}
			continue
		}
		// The same number of places at another cost: all fixes that hold some share it.
		sum := 0
		for _, n := range now.Cells[id].By {
			sum += n
		}
		for k, n := range now.Cells[id].By {
			out[after.Fixes[k].ID] += d * float64(n) / float64(sum)
		}
	}
	return out
}

// finish sorts the parts and rounds them to hundredths that add up.
func (s Step) finish() Step {
	slices.SortFunc(s.Parts, func(a, b Part) int {
		return cmp.Or(cmp.Compare(math.Abs(b.Points), math.Abs(a.Points)), cmp.Compare(a.By, b.By), cmp.Compare(a.Fix, b.Fix))
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
