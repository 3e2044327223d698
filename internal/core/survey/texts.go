package survey

import (
	"cmp"
	"errors"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"

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
	return s.Source.EachText(pages, 0, func(id int32, main string) {
		p := s.Page(id)
		t, ok := s.strip(p, main)
		if !ok {
			p.Trimmed = false
			return
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
	return s.texts(pages, 0, f)
}

// texts is Texts that may give no more of a text than its first bytes; 0 asks for all.
func (s *Survey) texts(pages []int32, bytes int, f func(id int32, main string)) error {
	var whole, trimmed []int32
	for _, id := range pages {
		if p := s.Page(id); p != nil && p.Trimmed {
			trimmed = append(trimmed, id)
		} else {
			whole = append(whole, id)
		}
	}
	err := s.Source.EachText(trimmed, 0, func(id int32, main string) {
		main, _ = s.strip(s.Page(id), main)
		f(id, main)
	})
	if err != nil {
		return err
	}
	return s.Source.EachText(whole, bytes, f)
}

// Bounds of the terms.
const (
	termsKept    = 24      // commonest terms of a page that take part
	TermsShown   = 5       // strongest of these
	mostForTerms = 300_000 // pages
	sampled      = 6000    // bytes of a text; what a page is about shows in its first thousand words
	leastTerm    = 3       // letters
)

type termCount struct {
	term  int32
	count int32
}

// terms works out the strongest terms of each indexable page: the words that it uses often and
// other pages seldom (term frequency times inverse document frequency), stems taken together by
// the language of the text.
func (s *Survey) terms() error {
	var pages []int32
	for i := range s.Pages {
		if s.Pages[i].Indexable && s.Pages[i].Words > 0 {
			pages = append(pages, s.Pages[i].ID)
		}
	}
	s.Terms = map[int32][]string{}
	if len(pages) > mostForTerms {
		return nil
	}
	parts, err := s.countTerms(pages)
	if err != nil {
		return err
	}
	all := newDictionary()
	for i := range parts {
		numbers := all.take(&parts[i].dictionary)
		for _, terms := range parts[i].kept {
			for j := range terms {
				terms[j].term = numbers[terms[j].term]
			}
		}
	}
	for i := range parts {
		for id, terms := range parts[i].kept {
			slices.SortFunc(terms, func(a, b termCount) int {
				return cmp.Or(cmp.Compare(all.weight(b, len(pages)), all.weight(a, len(pages))), strings.Compare(all.list[a.term], all.list[b.term]))
			})
			var words []string
			for _, t := range terms[:min(len(terms), TermsShown)] {
				words = append(words, all.words[t.term])
			}
			s.Terms[id] = words
		}
	}
	return nil
}

// counted are the terms of some of the pages, numbered by a dictionary of their own.
type counted struct {
	dictionary
	kept map[int32][]termCount
}

// countTerms reads the texts, in as many parts at once as there are processors.
func (s *Survey) countTerms(pages []int32) ([]counted, error) {
	parts := make([]counted, runtime.GOMAXPROCS(0))
	errs := make([]error, len(parts))
	var workers sync.WaitGroup
	for i := range parts {
		from, to := i*len(pages)/len(parts), (i+1)*len(pages)/len(parts)
		parts[i] = counted{newDictionary(), make(map[int32][]termCount, to-from)}
		workers.Go(func() {
			c := &parts[i]
			errs[i] = s.texts(pages[from:to], sampled, func(id int32, main string) {
				p := s.Page(id)
				c.kept[id] = c.count(main, cmp.Or(p.TextLang, p.Lang))
			})
		})
	}
	workers.Wait()
	return parts, errors.Join(errs...)
}

// dictionary numbers stems, with the word that each was first met as.
type dictionary struct {
	numbers map[string]int32            // stem → number
	stems   map[string]map[string]int32 // language → word → number, −1 for words that say nothing
	list    []string                    // stems by number
	words   []string                    // the shortest word of each
	in      []int32                     // pages that each stands on
}

func newDictionary() dictionary {
	return dictionary{numbers: map[string]int32{}, stems: map[string]map[string]int32{}}
}

// take adds another dictionary to d and tells the numbers that the other's stems have in it.
func (d *dictionary) take(other *dictionary) []int32 {
	numbers := make([]int32, len(other.list))
	for i, stem := range other.list {
		n := d.add(stem, other.words[i])
		d.in[n] += other.in[i]
		numbers[i] = n
	}
	return numbers
}

func (d *dictionary) count(main, lang string) []termCount {
	code, _, _ := strings.Cut(strings.ToLower(lang), "-")
	known := d.stems[code]
	if known == nil {
		known = map[string]int32{}
		d.stems[code] = known
	}
	counts := map[int32]int32{}
	if len(main) > sampled {
		main = main[:sampled]
	}
	text.EachWord(main, func(word string) {
		n, ok := known[word]
		if !ok {
			n = d.number(strings.ToLower(word), code)
			known[strings.Clone(word)] = n
		}
		if n >= 0 {
			counts[n]++
		}
	})
	out := make([]termCount, 0, len(counts))
	for t, n := range counts {
		d.in[t]++
		out = append(out, termCount{t, n})
	}
	slices.SortFunc(out, func(a, b termCount) int {
		return cmp.Or(cmp.Compare(b.count, a.count), strings.Compare(d.list[a.term], d.list[b.term]))
	})
	return slices.Clone(out[:min(len(out), termsKept)])
}

func (d *dictionary) number(word, code string) int32 {
	if len([]rune(word)) < leastTerm || text.IsCommon(code, word) || word[0] >= '0' && word[0] <= '9' {
		return -1
	}
	return d.add(text.Stem(code, word), word)
}

// add is the number of a stem, which a word was met for.
func (d *dictionary) add(stem, word string) int32 {
	n, ok := d.numbers[stem]
	if !ok {
		n = int32(len(d.words))
		d.numbers[stem] = n
		d.list, d.words, d.in = append(d.list, stem), append(d.words, word), append(d.in, 0)
	}
	if have := d.words[n]; len(word) < len(have) || len(word) == len(have) && word < have {
		d.words[n] = word
	}
	return n
}

func (d *dictionary) weight(t termCount, pages int) float64 {
	return float64(t.count) * math.Log(1+float64(pages)/float64(d.in[t.term]))
}
