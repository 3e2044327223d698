package survey

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"harvik/internal/core/text"
)

// Bounds of the terms.
const (
	termsKept    = 24      // commonest terms of a page that take part
	TermsShown   = 5       // strongest of these
	mostForTerms = 300_000 // pages
	sampled      = 6000    // bytes of a text; what a page is about shows in its first thousand words
	leastTerm    = 3       // letters
)

// A vocabulary has the terms of the pages' texts: the stems of their words by language, those that
// say nothing left out. Texts are added as they come in, while they are at hand.
type vocabulary struct {
	numbers map[string]int32            // stem → number
	stems   map[string]map[string]int32 // language → word → number, −1 for words that say nothing
	list    []string                    // stems by number
	words   []string                    // the shortest word of each
	in      []int32                     // pages that each stands on
	pages   int
	kept    map[int32][]termCount // by address number: the commonest of each page

	counts []int32 // in the text at hand, by number; 0 between texts
	met    []int32 // the stems in it
}

type termCount struct {
	term  int32
	count int32
}

// hasTerms tells whether a page's terms are asked for.
func (p *Page) hasTerms() bool { return p.Indexable && p.Words > 0 }

// lang is the language of a page's text.
func (p *Page) lang() string { return cmp.Or(p.TextLang, p.Lang) }

// add takes in the text of a page. Where there are too many pages, none has terms.
func (v *vocabulary) add(id int32, main, lang string) {
	v.pages++
	if v.pages > mostForTerms {
		*v = vocabulary{pages: v.pages}
		return
	}
	if v.kept == nil {
		v.numbers, v.stems, v.kept = map[string]int32{}, map[string]map[string]int32{}, map[int32][]termCount{}
	}
	v.count(main, lang)
	for _, t := range v.met {
		v.in[t]++
	}
	v.kept[id] = v.commonest()
	v.clear()
}

// drop takes a text out again.
func (v *vocabulary) drop(id int32, main, lang string) {
	if v.kept[id] == nil {
		return
	}
	v.pages--
	v.count(main, lang)
	for _, t := range v.met {
		v.in[t]--
	}
	v.clear()
	delete(v.kept, id)
}

func (v *vocabulary) clear() {
	for _, t := range v.met {
		v.counts[t] = 0
	}
	v.met = v.met[:0]
}

// count counts the terms of a text.
func (v *vocabulary) count(main, lang string) {
	code, _, _ := strings.Cut(strings.ToLower(lang), "-")
	known := v.stems[code]
	if known == nil {
		known = map[string]int32{}
		v.stems[code] = known
	}
	text.EachWord(main[:min(len(main), sampled)], func(word string) {
		n, ok := known[word]
		if !ok {
			n = v.number(strings.ToLower(word), code)
			known[strings.Clone(word)] = n
		}
		if n < 0 {
			return
		}
		if v.counts[n] == 0 {
			v.met = append(v.met, n)
		}
		v.counts[n]++
	})
}

func (v *vocabulary) number(word, code string) int32 {
	if len([]rune(word)) < leastTerm || text.IsCommon(code, word) || word[0] >= '0' && word[0] <= '9' {
		return -1
	}
	stem := text.Stem(code, word)
	n, ok := v.numbers[stem]
	if !ok {
		n = int32(len(v.words))
		v.numbers[stem] = n
		v.list, v.words, v.in, v.counts = append(v.list, stem), append(v.words, word), append(v.in, 0), append(v.counts, 0)
	}
	if have := v.words[n]; len(word) < len(have) || len(word) == len(have) && word < have {
		v.words[n] = word
	}
	return n
}

// commonest are the terms of the text at hand that it uses most.
func (v *vocabulary) commonest() []termCount {
	var used [64]int // how many terms are used so often
	for _, t := range v.met {
		used[min(v.counts[t], int32(len(used)-1))]++
	}
	least, n := int32(len(used)), 0 // terms that are used less often have no part
	for least > 1 && n < termsKept {
		least--
		n += used[least]
	}
	out := make([]termCount, 0, n)
	for _, t := range v.met {
		if v.counts[t] >= least {
			out = append(out, termCount{t, v.counts[t]})
		}
	}
	slices.SortFunc(out, func(a, b termCount) int {
		return cmp.Or(cmp.Compare(b.count, a.count), strings.Compare(v.list[a.term], v.list[b.term]))
	})
	return slices.Clone(out[:min(len(out), termsKept)])
}

// strongest are the strongest terms of each page: the words that it uses often and other pages
// seldom (term frequency times inverse document frequency).
func (v *vocabulary) strongest() map[int32][]string {
	rarity := make([]float64, len(v.in))
	for t, n := range v.in {
		rarity[t] = math.Log(1 + float64(v.pages)/float64(max(1, n)))
	}
	out := make(map[int32][]string, len(v.kept))
	for id, terms := range v.kept {
		slices.SortFunc(terms, func(a, b termCount) int {
			x, y := float64(a.count)*rarity[a.term], float64(b.count)*rarity[b.term]
			return cmp.Or(cmp.Compare(y, x), strings.Compare(v.list[a.term], v.list[b.term]))
		})
		var words []string
		for _, t := range terms[:min(len(terms), TermsShown)] {
			words = append(words, v.words[t.term])
		}
		out[id] = words
	}
	return out
}
