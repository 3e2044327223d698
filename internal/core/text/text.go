// Package text counts, folds and measures text.
package text

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Gap parts the blocks of a text that is to be folded.
const Gap = "\x1e"

// Fold makes white space single and trims the ends. White space is that of Unicode, the
// no-break space included.
func Fold(b []byte) string {
	var short [256]byte
	return string(AppendFolded(short[:0], b, ' '))
}

// Key is what two texts are compared by: white space folded, case ignored.
func Key(s string) string { return strings.ToLower(Fold([]byte(s))) }

// EachWord calls f with each word of a text: a run of letters, digits and marks, with apostrophes
// inside. Scripts written without spaces give none.
func EachWord(s string, f func(word string)) {
	for i := 0; i < len(s); {
		c := s[i]
		if c < utf8.RuneSelf && !starts[c] {
			i++
			continue
		}
		from := i
		if starts[c] {
			i = asciiEnd(s, i)
		}
		for i < len(s) && s[i] >= utf8.RuneSelf { // and what follows on it
			r, n := utf8.DecodeRuneInString(s[i:])
			if !(unicode.IsLetter(r) || unicode.IsMark(r) || r == '’' && i > from) || unspaced(r) {
				break
			}
			i = asciiEnd(s, i+n)
		}
		if i == from {
			_, n := utf8.DecodeRuneInString(s[i:])
			i += n
			continue
		}
		word := s[from:i]
		if c := word[len(word)-1]; c == '\'' || c >= utf8.RuneSelf {
			word = strings.TrimRight(word, "'’")
		}
		f(word)
	}
}

// unspaced tells whether r belongs to a script written without spaces between words.
func unspaced(r rune) bool {
	return r >= 0x0e00 && unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao,
		unicode.Khmer, unicode.Myanmar) && !unicode.IsMark(r)
}

// CountIn estimates how many of a text's words stand in part of its bytes.
func CountIn(part, bytes, words int) int {
	if bytes == 0 {
		return 0
	}
	return min(words, part*words/bytes)
}

// Shorten cuts a text of more than most characters in its middle, leaving its first and last.
func Shorten(s string, most, first, last int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:first]) + "…" + string(r[len(r)-last:])
	}
	return s
}

// Thousands writes a number in groups of three, parted by narrow no-break spaces: 12 345.
func Thousands(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "\u202f" + s[i:]
	}
	return s
}

// Figure writes a number with thousands apart, and one digit behind the point where it is not whole.
func Figure(v float64) string {
	tenths := math.Round(math.Abs(v) * 10)
	if tenths >= 1e15 {
		return strconv.FormatFloat(v, 'g', 4, 64)
	}
	out := Thousands(int(tenths) / 10)
	if rest := int(tenths) % 10; rest > 0 {
		out += "." + strconv.Itoa(rest)
	}
	if v < 0 && tenths > 0 {
		out = "−" + out
	}
	return out
}

// Count is a number with its noun: "1 page", "1 200 pages".
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}

// Capital is a phrase with its first letter as a capital; "" stays.
func Capital(s string) string {
	_, n := utf8.DecodeRuneInString(s)
	return strings.ToUpper(s[:n]) + s[n:]
}

// YesNo is a truth in a word.
func YesNo(is bool) string {
	if is {
		return "yes"
	}
	return "no"
}

// Signed are points of health won or lost.
func Signed(v float64) string {
	switch {
	case math.Abs(v) < 0.005:
		return "±0"
	case v > 0:
		return fmt.Sprintf("+%.2f", v)
	}
	return "−" + strings.TrimPrefix(fmt.Sprintf("%.2f", v), "-")
}
