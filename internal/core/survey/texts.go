package survey

import (
	"slices"
	"strings"

	"harvik/internal/core/neardup"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

// Bounds of what counts as a layout's own text.
const (
	layoutLeast = 5  // pages of a layout, for anything to be its own
	leastLeft   = 20 // words that have to be left, else the text is all the page has
)

// trim takes out of the main texts what stands on more than half of the pages of a layout: the
// template's words, no page's own. A page that has nothing else keeps its text, so that copies
// of a page are still told.
func (s *Survey) trim() error {
	counts := map[int32]map[uint32]int{}
	sizes := map[int32]int{}
	for i := range s.Pages {
		p := &s.Pages[i]
		if p.Layout < 0 {
			continue
		}
		sizes[p.Layout]++
		c := counts[p.Layout]
		if c == nil {
			c = map[uint32]int{}
			counts[p.Layout] = c
		}
		seen := map[uint32]bool{}
		for _, b := range p.Blocks {
			if !seen[b] {
				seen[b] = true
				c[b]++
			}
		}
	}
	s.common = map[int32]map[uint32]bool{}
	for layout, c := range counts {
		if sizes[layout] < layoutLeast {
			continue
		}
		for b, n := range c {
			if 2*n > sizes[layout] {
				if s.common[layout] == nil {
					s.common[layout] = map[uint32]bool{}
				}
				s.common[layout][b] = true
			}
		}
	}
	var pages []int32
	for i := range s.Pages {
		p := &s.Pages[i]
		own := s.common[p.Layout]
		if own != nil && slices.ContainsFunc(p.Blocks, func(b uint32) bool { return own[b] }) {
			pages = append(pages, p.ID)
			p.Trimmed = true
		}
		p.Blocks = nil
	}
	return s.Source.EachText(pages, func(id int32, main string) {
		p := s.Page(id)
		t, ok := s.strip(p, main)
		if !ok {
			p.Trimmed = false
			return
		}
		if p.hasTerms() {
			s.vocabulary.drop(id, main, p.lang())
			s.vocabulary.add(id, t, p.lang())
		}
		shingled := text.Shingle(t)
		p.Words, p.TextHash, p.Sketch = shingled.Words, shingled.Hash, neardup.Sketch(shingled.Shingles)
	})
}

// strip takes the layout's own lines out of a page's text.
func (s *Survey) strip(p *Page, main string) (t string, ok bool) {
	own := s.common[p.Layout]
	var kept []string
	for line := range strings.SplitSeq(main, "\n") {
		if !own[page.Anchor(line)] {
			kept = append(kept, line)
		}
	}
	t = strings.Join(kept, "\n")
	return t, text.Shingle(t).Words >= leastLeft
}

// Texts calls f with the main text of each of the pages, without what is the layout's own, in any
// order.
func (s *Survey) Texts(pages []int32, f func(id int32, main string)) error {
	return s.Source.EachText(pages, func(id int32, main string) {
		if p := s.Page(id); p != nil && p.Trimmed {
			main, _ = s.strip(p, main)
		}
		f(id, main)
	})
}
