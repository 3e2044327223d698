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
// say nothing left out.
type vocabulary struct {
	numbers map[string]int32      // stem → number
	known   map[string]*wordIndex // by language: words as met → number, −1 for words that say nothing
	forms   map[string]int32      // language and word in small letters → number
	words   []form                // by number
	list    []string              // stems by number
	in      []int32               // pages that each stands on
	pages   int
	kept    map[int32][]termCount // by address number: the commonest of each page

	counts []int32 // in the text at hand, by number; 0 between texts
	met    []int32 // the stems in it
}

// A form is a word that has a stem.
type form struct {
	word string
	stem int32
	uses int32 // in all texts
}

type termCount struct {
	term  int32
	count int32
}

// hasTerms tells whether a page's terms are asked for.
func (p *Page) hasTerms() bool { return p.Indexable && p.Words > 0 }

// lang is the language of a page's text.
func (p *Page) lang() string { return cmp.Or(p.TextLang, p.Lang) }

// add takes in the text of a page.
func (v *vocabulary) add(id int32, words Words, lang string) {
	if v.kept == nil {
		v.numbers, v.known, v.forms, v.kept = map[string]int32{}, map[string]*wordIndex{}, map[string]int32{},
			map[int32][]termCount{}
	}
	v.pages++
	v.count(words, lang)
	for _, t := range v.met {
		v.in[t]++
	}
	v.kept[id] = v.commonest()
	v.clear()
}

func (v *vocabulary) clear() {
	for _, t := range v.met {
		v.counts[t] = 0
	}
	v.met = v.met[:0]
}

// count counts the terms of a text, and adds to the uses of their forms.
func (v *vocabulary) count(words Words, lang string) {
	code, _, _ := strings.Cut(strings.ToLower(lang), "-")
	known := v.known[code]
	if known == nil {
		known = new(wordIndex)
		v.known[code] = known
	}
	for _, one := range words {
		w := known.of(one.hash, func() int32 { return v.form(strings.ToLower(one.Word), code) })
		if w < 0 {
			continue
		}
		f := &v.words[w]
		f.uses += one.Times
		if v.counts[f.stem] == 0 {
			v.met = append(v.met, f.stem)
		}
		v.counts[f.stem] += one.Times
	}
}

// form is the number of a word in small letters.
func (v *vocabulary) form(word, code string) int32 {
	if len([]rune(word)) < leastTerm || text.IsCommon(code, word) || word[0] >= '0' && word[0] <= '9' {
		return -1
	}
	key := code + " " + word
	w, ok := v.forms[key]
	if !ok {
		w = int32(len(v.words))
		v.forms[key] = w
		v.words = append(v.words, form{strings.Clone(word), v.stem(text.Stem(code, word)), 0})
	}
	return w
}

// stem is the number of a stem.
func (v *vocabulary) stem(stem string) int32 {
	n, ok := v.numbers[stem]
	if !ok {
		n = int32(len(v.list))
		v.numbers[stem] = n
		v.list, v.in, v.counts = append(v.list, stem), append(v.in, 0), append(v.counts, 0)
	}
	return n
}

// usual is the form of each stem that the site uses most.
func (v *vocabulary) usual() []string {
	best := make([]form, len(v.list))
	for _, f := range v.words {
		b := &best[f.stem]
		if c := cmp.Or(cmp.Compare(f.uses, b.uses), cmp.Compare(len(b.word), len(f.word)),
			strings.Compare(b.word, f.word)); c > 0 || b.word == "" {
			*b = f
		}
	}
	out := make([]string, len(best))
	for i, b := range best {
		out[i] = b.word
	}
	return out
}

// commonest are the terms of the text at hand that it uses most.
func (v *vocabulary) commonest() []termCount {
	compare := func(a, b termCount) int {
		return cmp.Or(cmp.Compare(b.count, a.count), strings.Compare(v.list[a.term], v.list[b.term]))
	}
	out := make([]termCount, 0, min(len(v.met), termsKept))
	for _, t := range v.met {
		one := termCount{t, v.counts[t]}
		if len(out) == termsKept {
			if compare(one, out[len(out)-1]) > 0 {
				continue
			}
			out = out[:len(out)-1]
		}
		at, _ := slices.BinarySearchFunc(out, one, compare)
		out = slices.Insert(out, at, one)
	}
	return out
}

// strongest are the strongest terms of each page: the words that it uses often and other pages
// seldom (term frequency times inverse document frequency).
func (v *vocabulary) strongest() map[int32][]string {
	rarity := make([]float64, len(v.in))
	for t, n := range v.in {
		rarity[t] = math.Log(1 + float64(v.pages)/float64(max(1, n)))
	}
	usual := v.usual()
	out := make(map[int32][]string, len(v.kept))
	for id, terms := range v.kept {
		slices.SortFunc(terms, func(a, b termCount) int {
			x, y := float64(a.count)*rarity[a.term], float64(b.count)*rarity[b.term]
			return cmp.Or(cmp.Compare(y, x), strings.Compare(v.list[a.term], v.list[b.term]))
		})
		var words []string
		for _, t := range terms[:min(len(terms), TermsShown)] {
			words = append(words, usual[t.term])
		}
		out[id] = words
	}
	return out
}
