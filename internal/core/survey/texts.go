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
	return s.readTexts()
}

// readTexts reads the texts that have something of their layout's own, which is taken out, and those whose terms are
// asked for. Too many have no terms.
func (s *Survey) readTexts() error {
	var pages []int32
	withTerms := 0
	for i := range s.Pages {
		if s.Pages[i].hasTerms() {
			withTerms++
		}
	}
	for i := range s.Pages {
		p := &s.Pages[i]
		own := s.common[p.Layout]
		p.Trimmed = own != nil && slices.ContainsFunc(p.Blocks, func(b uint32) bool { return own[b] })
		if p.Trimmed || p.hasTerms() && withTerms <= mostForTerms {
			pages = append(pages, p.ID)
		}
		p.Blocks = nil
	}
	v := new(vocabulary)
	if err := s.strip(pages, v); err != nil {
		return err
	}
	if withTerms <= mostForTerms {
		s.Terms = v.strongest()
	}
	return nil
}

// A mainText is one that is read.
type mainText struct {
	page *Page
	main string
}

// strip takes the layouts' own lines out of the texts of pages, and their terms in. Texts are read while others
// are taken apart.
func (s *Survey) strip(pages []int32, v *vocabulary) error {
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
					hasTerms := t.page.hasTerms()
					own := s.take(t)
					if !hasTerms {
						continue
					}
					words := CountWords(own)
					terms.Lock()
					v.add(t.page.ID, words, t.page.lang())
					terms.Unlock()
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

// take gives a page's own text, and makes of the page what it is without what is its layout's.
func (s *Survey) take(t mainText) string {
	p := t.page
	if !p.Trimmed {
		return t.main
	}
	own := s.own(p, t.main)
	shingled := text.Shingle(own)
	if shingled.Words < leastLeft {
		p.Trimmed = false
		return t.main
	}
	p.Words, p.TextHash, p.Sketch = shingled.Words, shingled.Hash, neardup.Sketch(shingled.Shingles)
	return own
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
