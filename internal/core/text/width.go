package text

import (
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Width is how wide a line of text is in pixels, set in the common sans-serif at the given
// size. The advance widths are those of the metric-compatible Helvetica family, in
// thousandths of the size; accented letters are as wide as their base, scripts outside
// the table have one width each. No kerning.
func Width(s string, size float64) float64 {
	total := 0
	for _, r := range s {
		total += advance(r)
	}
	return float64(total) * size / 1000
}

func advance(r rune) int {
	if r < 0x7f {
		if r < ' ' {
			return 0
		}
		return asciiAdvance[r-' ']
	}
	if w, ok := punctuation[r]; ok {
		return w
	}
	switch {
	case unicode.Is(unicode.Mn, r) || unicode.Is(unicode.Cf, r):
		return 0
	case r < 0x250 || r >= 0x1e00 && r < 0x1f00:
		if base := []rune(norm.NFD.String(string(r))); base[0] < 0x7f {
			return asciiAdvance[base[0]-' ']
		}
		return 600
	case unicode.In(r, unicode.Cyrillic):
		return 610
	case unicode.In(r, unicode.Greek):
		return 560
	case unicode.In(r, unicode.Arabic, unicode.Hebrew):
		return 520
	case unicode.In(r, unicode.Thai, unicode.Lao):
		return 580
	case r >= 0x2e80:
		return 1000 // Han, Kana, Hangul, full-width forms, pictographs
	}
	return 600
}

var punctuation = map[rune]int{
	'\u00a0': 278, '‘': 222, '’': 222, '“': 333, '”': 333, '–': 556, '—': 1000, '…': 1000, '•': 350, '·': 278,
	'«': 556, '»': 556, '‹': 333, '›': 333, '©': 737, '®': 737, '™': 1000, '°': 400, '€': 556, '£': 556, '×': 584,
	'ß': 611, 'æ': 889, 'Æ': 1000, 'ø': 611, 'Ø': 778, 'œ': 944, 'Œ': 1000, 'đ': 556, 'ł': 222, 'ı': 278, '→': 1000,
	'|': 260, '¦': 260, '§': 556, '¶': 537, '¿': 611, '¡': 333,
}

// asciiAdvance holds the widths from space to tilde.
var asciiAdvance = [...]int{
	278, 278, 355, 556, 556, 889, 667, 191, 333, 333, 389, 584, 278, 333, 278, 278,
	556, 556, 556, 556, 556, 556, 556, 556, 556, 556, 278, 278, 584, 584, 584, 556,
	1015, 667, 667, 722, 722, 667, 611, 778, 722, 278, 500, 667, 556, 833, 722, 778,
	667, 778, 722, 667, 611, 722, 667, 944, 667, 667, 611, 278, 278, 278, 469, 556,
	333, 556, 556, 500, 556, 556, 278, 556, 556, 222, 222, 500, 222, 833, 556, 556,
	556, 556, 333, 500, 278, 556, 500, 722, 500, 500, 500, 334, 260, 334, 584,
}

// Cut shortens a line of text to a width in pixels at a size, at a word's end where there is one,
// with an ellipsis; a line that fits stays.
func Cut(s string, size float64, pixels int) (line string, cut bool) {
	if Width(s, size) <= float64(pixels) {
		return s, false
	}
	room := float64(pixels) - Width(" …", size)
	end, word, total := 0, 0, 0.0
	for i, r := range s {
		total += float64(advance(r)) * size / 1000
		if total > room {
			break
		}
		if r == ' ' {
			word = i
		}
		end = i
	}
	if word > end/2 {
		end = word
	}
	return s[:end] + " …", true
}
