package survey

import (
	"cmp"
	"slices"

	"harvik/internal/core/graph"
	"harvik/internal/core/page"
)

// EachLinking calls f for every page with the numbers it links to, in order of number.
func (s *Survey) EachLinking(f func(page int32, to []int32)) {
	s.Graph.Each(func(page int32, to []int32, _ []graph.Mark) { f(page, to) })
}

// Ways are the links from pages to a target, with their words and places, in order of page.
type Way struct {
	Page int32
	Link page.Link
}

// LeadsTo is the number of what one of a page's links leads to, −1 for none, as a Source gives them.
func (s *Survey) LeadsTo(links []page.Link, to []int32, i int) int32 {
	if to != nil {
		return to[i]
	}
	if t, ok := s.Find(links[i].Address); ok && links[i].Address != "" {
		return t
	}
	return -1
}

// Ways finds the links whose target is wanted, in order of page and place on it. The
// survey's graph says which pages to read, so a crawl without such links reads nothing.
func (s *Survey) Ways(wanted func(target int32) bool, f func(target int32, w Way)) error {
	memo := make([]int8, len(s.Addresses))
	want := func(t int32) bool {
		if memo[t] == 0 {
			memo[t] = -1
			if wanted(t) {
				memo[t] = 1
			}
		}
		return memo[t] > 0
	}
	var pages []int32
	s.Graph.Each(func(p int32, to []int32, _ []graph.Mark) {
		if slices.ContainsFunc(to, want) {
			pages = append(pages, p)
		}
	})
	slices.SortFunc(pages, func(a, b int32) int { return cmp.Compare(s.Rank(a), s.Rank(b)) })
	type found struct {
		target int32
		way    Way
	}
	var all []found
	for some := range slices.Chunk(pages, waysAtOnce) {
		err := s.Source.EachLinks(some, func(p int32, links []page.Link, to []int32) {
			for i := range links {
				if t := s.LeadsTo(links, to, i); t >= 0 && want(t) {
					all = append(all, found{t, Way{p, links[i]}})
				}
			}
		})
		if err != nil {
			return err
		}
		slices.SortStableFunc(all, func(a, b found) int { return cmp.Compare(s.Rank(a.way.Page), s.Rank(b.way.Page)) })
		for _, w := range all {
			f(w.target, w.way)
		}
		clear(all)
		all = all[:0]
	}
	return nil
}

// waysAtOnce is how many pages' links are held together.
const waysAtOnce = 2000

// A Loading is a way in which a page comes to load something.
type Loading struct {
	Target, Page int32
	Carrier      int32   // the stylesheet that names the target; −1 where the page itself does
	Chain        []int32 // stylesheets from the one that the page names to the carrier's parent
	Sometimes    bool    // the one that the page names does not hold on every screen
}

// Users calls f for every page that loads something wanted to be shown, also by way of stylesheets and
// what they import, in order of number; each pair once, by the page's own naming if there is one.
func (s *Survey) Users(wanted func(target int32) bool, f func(Loading)) {
	var seen []int32 // the last page, and 1
	s.Loadings(wanted, func(l Loading) {
		if seen == nil {
			seen = make([]int32, len(s.Addresses))
		}
		if seen[l.Target] != l.Page+1 {
			seen[l.Target] = l.Page + 1
			f(l)
		}
	})
}

// Loadings does so by each stylesheet that names what the page does not name itself.
func (s *Survey) Loadings(wanted func(target int32) bool, f func(Loading)) {
	// Asked once of each address, and of none again where a page names it: most checks want nothing that there is.
	want, any := make([]bool, len(s.Addresses)), false
	for _, t := range s.used() {
		want[t] = wanted(t)
		any = any || want[t]
	}
	if !any {
		return
	}
	loads := map[int32][]int32{} // stylesheet → what it names that is wanted, or is a stylesheet in turn
	s.Uses.Each(func(from int32, to []int32, _ []graph.Mark) {
		if s.Page(from) == nil {
			for _, t := range to {
				if want[t] || s.Addresses[t].Role == page.AsStyle {
					loads[from] = append(loads[from], t)
				}
			}
		}
	})
	through := map[int32][]Loading{} // stylesheet → all that it brings in
	for sheet := range loads {
		if brought := s.brings(sheet, loads, want); len(brought) > 0 {
			through[sheet] = brought
		}
	}
	own := make([]int32, len(s.Addresses)) // the last page that names it, and 1
	s.Uses.Each(func(from int32, to []int32, marks []graph.Mark) {
		if s.Page(from) == nil {
			return
		}
		for i, t := range to {
			if want[t] && marks[i]&graph.Unshown == 0 && own[t] != from+1 {
				own[t] = from + 1
				f(Loading{Target: t, Page: from, Carrier: -1})
			}
		}
		if len(through) == 0 {
			return
		}
		for i, t := range to {
			for _, l := range through[t] {
				if own[l.Target] != from+1 {
					l.Page, l.Sometimes = from, marks[i]&graph.Sometimes != 0
					f(l)
				}
			}
		}
	})
}

// allUsed are the addresses that pages and stylesheets load, in order of number.
func (s *Survey) allUsed() (out []int32) {
	met := make([]bool, len(s.Addresses))
	s.Uses.Each(func(_ int32, to []int32, _ []graph.Mark) {
		for _, t := range to {
			met[t] = true
		}
	})
	for t, is := range met {
		if is {
			out = append(out, int32(t))
		}
	}
	return out
}

// mostImports bounds how deep stylesheets that import one another are followed.
const mostImports = 10

// brings is what a stylesheet loads that is wanted, and what it imports does, nearest first.
func (s *Survey) brings(sheet int32, loads map[int32][]int32, want []bool) (out []Loading) {
	type step struct {
		sheet int32
		chain []int32
	}
	seen := map[int32]bool{sheet: true}
	for level := []step{{sheet: sheet}}; len(level) > 0; {
		var next []step
		for _, at := range level {
			for _, t := range loads[at.sheet] {
				if want[t] {
					out = append(out, Loading{Target: t, Carrier: at.sheet, Chain: at.chain})
				}
				if len(loads[t]) > 0 && !seen[t] && len(at.chain) < mostImports {
					seen[t] = true
					next = append(next, step{t, append(slices.Clone(at.chain), at.sheet)})
				}
			}
		}
		level = next
	}
	return out
}

// Namers tells which pages and stylesheets link to an address or load it, each once, by rising number. Linked tells
// which link to it: the graph, turned round.
func (s *Survey) Namers(linked func(id int32) []int32) func(id int32) []int32 {
	used := s.Uses.Turned(s.Uses.In(len(s.Addresses)))
	return func(id int32) []int32 {
		all := append(slices.Clone(linked(id)), used(id)...)
		slices.Sort(all)
		return slices.Compact(all)
	}
}
