package fixlist

import (
	"cmp"
	"slices"
	"strings"
)

// Map tells where a site's sore spots are: how many checks fail on the pages of each section, by group.
type Map struct {
	Sections []SectionRow // the largest first
	Cells    []MapCell    // those with findings, in order of the sections
}

// SectionRow is a part of the site: a first folder, or one below it where that holds most of the site.
type SectionRow struct {
	Section string
	Pages   int     // HTML pages
	Health  float64 // mean of its pages; −1 if none was assessed
}

// MapCell counts the checks of a group failing on pages of a section, by severity; what is waived left
// out.
type MapCell struct {
	Section  string
	Group    string
	Findings [3]int
}

// mostSections bounds the sections of a Map.
const mostSections = 300

// drawMap counts over the pages of a report that is done but for this.
func (b *builder) drawMap(scores []PageScore) Map {
	health := make(map[int32]float64, len(scores))
	for _, s := range scores {
		health[s.Page] = s.Health
	}
	type sums struct {
		SectionRow
		assessed int
		total    float64
		cells    map[string]*MapCell
	}
	bySection := map[string]*sums{}
	of := func(address string) *sums {
		name := b.sections.of(address)
		if bySection[name] == nil {
			bySection[name] = &sums{SectionRow: SectionRow{Section: name, Health: -1}, cells: map[string]*MapCell{}}
		}
		return bySection[name]
	}
	for i := range b.Sheet.Pages {
		p := &b.Sheet.Pages[i]
		if !p.HTML {
			continue
		}
		s := of(p.Address)
		s.Pages++
		if h, ok := health[p.ID]; ok {
			s.assessed++
			s.total += h
		}
	}
	last := entry{page: -1}
	var s *sums
	for i, e := range b.entries { // those of one page, and of one check on it, follow on each other
		if e.page < 0 || b.roots[i] >= 0 || b.waived[i] || e.page == last.page && e.check == last.check {
			continue
		}
		if e.page != last.page {
			s = of(b.address(e.page))
		}
		last = e
		c := b.Checks[e.check]
		if s.cells[c.Group] == nil {
			s.cells[c.Group] = &MapCell{Section: s.Section, Group: c.Group}
		}
		s.cells[c.Group].Findings[c.Severity]++
	}
	var list []*sums
	for _, s := range bySection {
		if s.assessed > 0 {
			s.Health = s.total / float64(s.assessed)
		}
		if s.Pages > 0 {
			list = append(list, s)
		}
	}
	slices.SortFunc(list, func(a, b *sums) int {
		return cmp.Or(cmp.Compare(b.Pages, a.Pages), strings.Compare(a.Section, b.Section))
	})
	out := Map{Sections: []SectionRow{}, Cells: []MapCell{}}
	for _, s := range list[:min(len(list), mostSections)] {
		out.Sections = append(out.Sections, s.SectionRow)
		for _, group := range sortedKeys(s.cells) {
			out.Cells = append(out.Cells, *s.cells[group])
		}
	}
	return out
}
