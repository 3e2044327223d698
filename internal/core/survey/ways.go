package survey

import (
	"slices"
	"strings"

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
	type found struct {
		target int32
		way    Way
	}
	var all []found
	err := s.Source.EachLinks(pages, func(p int32, links []page.Link) {
		for _, l := range links {
			if t, ok := s.Find(l.Address); ok && l.Address != "" && want(t) {
				all = append(all, found{t, Way{p, l}})
			}
		}
	})
	if err != nil {
		return err
	}
	slices.SortStableFunc(all, func(a, b found) int {
		return strings.Compare(s.URL(a.way.Page), s.URL(b.way.Page))
	})
	for _, w := range all {
		f(w.target, w.way)
	}
	return nil
}

// Users calls f for every page that loads something wanted to be shown, also by way of a
// stylesheet, in order of number; each pair once.
func (s *Survey) Users(wanted func(target int32) bool, f func(target, page int32)) {
	through := map[int32][]int32{} // stylesheet → what it loads that is wanted
	s.Uses.Each(func(from int32, to []int32, _ []graph.Mark) {
		if s.Page(from) == nil {
			for _, t := range to {
				if wanted(t) {
					through[from] = append(through[from], t)
				}
			}
		}
	})
	s.Uses.Each(func(from int32, to []int32, marks []graph.Mark) {
		if s.Page(from) == nil {
			return
		}
		seen := map[int32]bool{}
		one := func(t int32) {
			if !seen[t] {
				seen[t] = true
				f(t, from)
			}
		}
		for i, t := range to {
			if marks[i]&graph.Unshown == 0 && wanted(t) {
				one(t)
			}
			for _, inner := range through[t] {
				one(inner)
			}
		}
	})
}
