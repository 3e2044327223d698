package survey

import (
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync"

	"harvik/internal/core/mishap"
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
	return s.strip(pages)
}

// A mainText is one that has lines of its layout's own.
type mainText struct {
	page *Page
	main string
}

// strip takes the layouts' own lines out of the texts of pages. Texts are read while others are taken apart.
func (s *Survey) strip(pages []int32) error {
	var (
		texts   = make(chan mainText, 64)
		workers sync.WaitGroup
		terms   sync.Mutex // held by who changes the vocabulary
		fault   error
	)
	for range runtime.GOMAXPROCS(0) {
		workers.Go(func() {
			err := mishap.Catch(func() error {
				for t := range texts {
					s.take(t, &terms)
				}
				return nil
			})
			for range texts { // after a panic: whoever reads is not to wait for ever
			}
			terms.Lock()
			defer terms.Unlock()
			fault = errors.Join(fault, err)
		})
	}
	err := mishap.Catch(func() error {
		return s.Source.EachText(pages, func(id int32, main string) { texts <- mainText{s.Page(id), main} })
	})
	close(texts)
	workers.Wait()
	return errors.Join(err, fault)
}

// take makes of a page's words and terms what they are without what is its layout's own.
func (s *Survey) take(t mainText, terms *sync.Mutex) {
	p := t.page
	hadTerms := p.hasTerms()
	own := s.own(p, t.main)
	shingled := text.Shingle(own)
	if shingled.Words < leastLeft {
		p.Trimmed = false
		return
	}
	p.Words, p.TextHash, p.Sketch = shingled.Words, shingled.Hash, neardup.Sketch(shingled.Shingles)
	if hadTerms {
		before, after := CountWords(t.main), CountWords(own)
		terms.Lock()
		defer terms.Unlock()
		s.vocabulary.drop(p.ID, before, p.lang())
		s.vocabulary.add(p.ID, after, p.lang())
	}
}

// own is a page's text without its layout's own lines.
func (s *Survey) own(p *Page, main string) string {
	common := s.common[p.Layout]
	var kept []string
	for line := range strings.SplitSeq(main, "\n") {
		if !common[page.Anchor(line)] {
			kept = append(kept, line)
		}
	}
	return strings.Join(kept, "\n")
}

// Texts calls f with the main text of each of the pages, without what is the layout's own, in any
// order.
func (s *Survey) Texts(pages []int32, f func(id int32, main string)) error {
	return s.Source.EachText(pages, func(id int32, main string) {
		if p := s.Page(id); p != nil && p.Trimmed {
			main = s.own(p, main)
		}
		f(id, main)
	})
}
