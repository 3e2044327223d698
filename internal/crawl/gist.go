package crawl

import (
	"strings"

	"harvik/internal/core/page"
)

// gist are what a page's title and text say, as hashes: the words of title and first heading,
// and a sample of the text's shingles. Words that only number or date are left out.
type gist struct {
	words    []uint64
	shingles []uint64
}

func gistOf(address string, d *page.Document) *gist {
	if d == nil {
		return nil
	}
	s := new(gist)
	keep := func(h uint64) { s.words = append(s.words, h) }
	eachTelling(address, d.Title(), keep)
	eachTelling(address, d.H1(), keep)
	var last [shingleWords]uint64
	n := 0
	eachTelling(address, d.MainText, func(h uint64) {
		last[n%shingleWords] = h
		if n++; n < shingleWords {
			return
		}
		mixed := uint64(0)
		for i := range shingleWords {
			mixed = (mixed ^ last[(n+i)%shingleWords]) * 0x9e3779b97f4a7c15
			mixed ^= mixed >> 29
		}
		if mixed%sampleOneIn == 0 {
			s.shingles = append(s.shingles, mixed)
		}
	})
	return s
}

// eachTelling gives the hashes of a text's words, case folded for ASCII. Left out is what only
// numbers or dates a page: small numbers, years, numbers that stand in its address, tokens such
// as session ids, names of months and days.
func eachTelling(address, text string, f func(uint64)) {
	eachWord(text, func(h uint64, word string, digits int) {
		switch {
		case digits == 0:
			if mayDate[h>>54>>6]>>(h>>54&63)&1 == 1 && dates[h] {
				return
			}
		case digits < len(word):
			if len(word) >= longToken {
				return
			}
		case digits < 3, digits == 4 && word >= "1900" && word < "2200", strings.Contains(address, word):
			return
		}
		f(h)
	})
}

// longToken is from where a word of letters and digits looks like a token.
const longToken = 8

// eachWord gives a text's words with their hash (FNV-1a) and how many of their bytes are digits.
func eachWord(text string, f func(h uint64, word string, digits int)) {
	const offset, prime = 14695981039346656037, 1099511628211
	for i := 0; i < len(text); i++ {
		h, digits, start := uint64(offset), 0, i
		for ; i < len(text); i++ {
			c := folded[text[i]]
			if c == 0 {
				break
			}
			if c <= '9' {
				digits++
			}
			h = (h ^ uint64(c)) * prime
		}
		if i > start {
			f(h, text[start:i], digits)
		}
	}
}

// folded is the lower case of bytes that stand in words, 0 for all others.
var folded = func() (t [256]byte) {
	for c := range 256 {
		switch b := byte(c); {
		case b >= 0x80 || b >= '0' && b <= '9':
			t[c] = b
		case b|0x20 >= 'a' && b|0x20 <= 'z':
			t[c] = b | 0x20
		}
	}
	return t
}()

// mayDate has a bit for the first ten of each hash in dates.
var mayDate = func() (bits [16]uint64) {
	for h := range dates {
		bits[h>>54>>6] |= 1 << (h >> 54 & 63)
	}
	return bits
}()

// dates are the names of months and days in some languages, long and short.
var dates = func() map[uint64]bool {
	m := map[uint64]bool{}
	for w := range strings.FieldsSeq(`january february march april may june july august september october november december
		jan feb mar apr jun jul aug sep sept oct nov dec monday tuesday wednesday thursday friday saturday sunday
		mon tue wed thu fri sat sun mo tu we th fr sa su
		januar februar märz mai juni juli oktober dezember montag dienstag mittwoch donnerstag freitag samstag sonntag di mi do so
		ionawr chwefror mawrth ebrill mai mehefin gorffennaf awst medi hydref tachwedd rhagfyr llun mawrth mercher iau gwener sadwrn sul
		janvier février mars avril juin juillet août septembre octobre novembre décembre lundi mardi mercredi jeudi vendredi samedi dimanche
		enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre lunes martes miércoles jueves viernes sábado domingo
		gennaio febbraio aprile maggio giugno luglio settembre ottobre dicembre lunedì martedì mercoledì giovedì venerdì sabato domenica
		januari februari maart mei augustus maandag dinsdag woensdag donderdag vrijdag zaterdag zondag`) {
		eachWord(w, func(h uint64, _ string, _ int) { m[h] = true })
	}
	return m
}()
