package text

import (
	"cmp"
	"slices"
	"unicode"
	"unicode/utf8"
	_ "unsafe" // for the tables

	"github.com/abadojack/whatlanggo"
)

// The library compares a text with each language by looking up the 300 trigrams of that language among the text's,
// which takes as long as reading the page. The same distances come from looking up the text's trigrams, once, in an
// index of all languages. The tables stay the library's, which does not export them; a test holds the two together.

//go:linkname latinLangs github.com/abadojack/whatlanggo.latinLangs
//go:linkname cyrillicLangs github.com/abadojack/whatlanggo.cyrillicLangs
var latinLangs, cyrillicLangs map[whatlanggo.Lang][]string

var (
	latinIndex    = newTrigramIndex(latinLangs)
	cyrillicIndex = newTrigramIndex(cyrillicLangs)
)

// detect is the likeliest language of a text, as whatlanggo.Detect tells it; of two that are equally likely, the first.
func detect(s string) whatlanggo.Info {
	script := scriptOf(s)
	index := latinIndex
	switch script {
	case unicode.Latin:
	case unicode.Cyrillic:
		index = cyrillicIndex
	default: // of few languages or one
		return whatlanggo.Detect(s)
	}
	lang, confidence := index.detect(s)
	return whatlanggo.Info{Lang: lang, Script: script, Confidence: confidence}
}

// scriptOf is what most letters belong to.
func scriptOf(s string) *unicode.RangeTable {
	letters, ascii := 0, true
	for i := range len(s) {
		ascii = ascii && s[i] < utf8.RuneSelf
		if 'a' <= s[i]|0x20 && s[i]|0x20 <= 'z' {
			letters++
		}
	}
	switch {
	case letters > len(s)/2, ascii && letters > 0:
		return unicode.Latin
	case ascii:
		return nil
	}
	return whatlanggo.DetectScript(s)
}

// farthest is how far a trigram is that a text does not have.
const farthest = 300

// A trigramIndex holds the commonest trigrams of several languages.
type trigramIndex struct {
	langs []whatlanggo.Lang
	sizes []int
	ranks map[uint64][]rank
}

// rank is where a trigram stands among the commonest of a language, which is given by its place in the index.
type rank struct{ lang, place uint16 }

func newTrigramIndex(tables map[whatlanggo.Lang][]string) *trigramIndex {
	x := &trigramIndex{ranks: map[uint64][]rank{}}
	for lang := range tables {
		x.langs = append(x.langs, lang)
	}
	slices.Sort(x.langs)
	for i, lang := range x.langs {
		x.sizes = append(x.sizes, len(tables[lang]))
		for place, t := range tables[lang] {
			if r := []rune(t); len(r) == 3 {
				key := packed(r[0], r[1], r[2])
				x.ranks[key] = append(x.ranks[key], rank{uint16(i), uint16(place)})
			}
		}
	}
	return x
}

// packed is a trigram as a number, of 21 bits a rune; they are in the order of the texts.
func packed(a, b, c rune) uint64 { return uint64(a)<<42 | uint64(b)<<21 | uint64(c) }

// detect is the language whose commonest trigrams stand in the most similar order, and how sure that is.
func (x *trigramIndex) detect(s string) (lang whatlanggo.Lang, confidence float64) {
	ordered := trigrams(s)
	near := make([]int, len(x.langs)) // how much nearer than farthest, in all
	for n, t := range ordered {
		for _, r := range x.ranks[t] {
			near[r.lang] += farthest - max(n-int(r.place), int(r.place)-n)
		}
	}
	const most = farthest * farthest
	best, second := -1, -1
	score := func(i int) int { return most - farthest*x.sizes[i] + near[i] }
	for i := range near {
		switch {
		case best < 0 || score(i) > score(best):
			best, second = i, best
		case second < 0 || score(i) > score(second):
			second = i
		}
	}
	switch first, next := score(best), score(second); {
	case first == 0:
		return -1, 0
	case next == 0:
		return x.langs[best], min(1, float64(first/500))
	default:
		rate := float64(first-next) / float64(next)
		sure := 12/float64(len(ordered)) + 0.05
		return x.langs[best], min(1, rate/sure)
	}
}

// trigrams are those of a text's words, the commonest first, of equally common ones the last in order. Words are taken
// with a space on either side.
func trigrams(s string) []uint64 {
	all := make([]uint64, 0, len(s)+1)
	before, here := ' ', rune(-1)
	take := func(after rune) {
		if here >= 0 && (here != ' ' || before != ' ' && after != ' ') {
			all = append(all, packed(before, here, after))
		}
		if here >= 0 {
			before = here
		}
		here = after
	}
	for _, r := range s {
		take(lower(r))
	}
	take(' ')
	slices.Sort(all)
	type counted struct {
		trigram uint64
		times   int
	}
	var counts []counted
	for _, t := range all {
		if n := len(counts); n > 0 && counts[n-1].trigram == t {
			counts[n-1].times++
		} else {
			counts = append(counts, counted{t, 1})
		}
	}
	slices.SortFunc(counts, func(a, b counted) int {
		return cmp.Or(b.times-a.times, cmp.Compare(b.trigram, a.trigram))
	})
	out := all[:0]
	for _, c := range counts {
		out = append(out, c.trigram)
	}
	return out
}

// lower is a letter in its small form, and a space for marks, digits and symbols.
func lower(r rune) rune {
	if r < utf8.RuneSelf {
		return rune(lowerASCII[r])
	}
	switch {
	case unicode.IsSpace(r), unicode.IsPunct(r), unicode.IsSymbol(r), unicode.IsDigit(r):
		return ' '
	}
	return unicode.ToLower(r)
}

// lowerASCII is lower of each ASCII character.
var lowerASCII = func() (small [utf8.RuneSelf]byte) {
	for c := range small {
		switch r := rune(c); {
		case unicode.IsLetter(r), unicode.IsControl(r) && !unicode.IsSpace(r):
			small[c] = byte(unicode.ToLower(r))
		default:
			small[c] = ' '
		}
	}
	return small
}()
