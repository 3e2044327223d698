// Package text counts, folds and measures text.
package text

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Gap parts the blocks of a text that is to be folded.
const Gap = "\x1e"

// Fold makes white space single and trims the ends. White space is that of Unicode, the
// no-break space included.
func Fold(b []byte) string { return fold(b, ' ') }

// FoldLines is Fold with each block on a line of its own.
func FoldLines(b []byte) string { return fold(b, '\n') }

func fold(b []byte, gap byte) string {
	out := make([]byte, 0, len(b))
	space := byte(0)
	for i := 0; i < len(b); {
		c := b[i]
		if c > ' ' && c < utf8.RuneSelf {
			if space != 0 {
				if len(out) > 0 {
					out = append(out, space)
				}
				space = 0
			}
			from := i
			for i++; i < len(b) && b[i] > ' ' && b[i] < utf8.RuneSelf; i++ {
			}
			out = append(out, b[from:i]...)
			continue
		}
		n := 1
		switch {
		case c == Gap[0]:
			space = gap
		case c == ' ' || c >= '\t' && c <= '\r':
			if space == 0 {
				space = ' '
			}
		default:
			var r rune
			r, n = utf8.DecodeRune(b[i:])
			if unicode.IsSpace(r) {
				if space == 0 {
					space = ' '
				}
				break
			}
			if space != 0 && len(out) > 0 {
				out = append(out, space)
			}
			space = 0
			out = append(out, b[i:i+n]...)
		}
		i += n
	}
	return string(out)
}

// Key is what two texts are compared by: white space folded, case ignored.
func Key(s string) string { return strings.ToLower(Fold([]byte(s))) }

// Shingled is a text broken into what duplicates are found by.
type Shingled struct {
	Words    int
	Hash     uint64   // of the text's Key; equal texts have equal hashes
	Shingles []uint64 // one hash for each run of five words, in order; may repeat
}

// ShingleWords is the number of words in a shingle.
const ShingleWords = 5

// Shingle breaks up a folded text. A word is a run of letters, digits and marks, with
// apostrophes inside; each character of a script written without spaces is one.
func Shingle(s string) Shingled {
	const (
		offset = 14695981039346656037
		prime  = 1099511628211
	)
	out := Shingled{Hash: offset}
	words := make([]uint64, 0, len(s)/6+1)
	word, inWord := uint64(offset), false
	end := func() {
		if inWord {
			words = append(words, word)
			word, inWord = offset, false
		}
	}
	for i := 0; i < len(s); {
		c := s[i]
		if c < utf8.RuneSelf {
			i++
			if 'A' <= c && c <= 'Z' {
				c |= 0x20
			}
			if c == '\n' {
				c = ' ' // equal texts may be laid out in other blocks
			}
			out.Hash = (out.Hash ^ uint64(c)) * prime
			switch {
			case 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '\'' && inWord:
				word, inWord = (word^uint64(c))*prime, true
			default:
				end()
			}
			continue
		}
		r, n := utf8.DecodeRuneInString(s[i:])
		i += n
		r = unicode.ToLower(r)
		out.Hash = (out.Hash ^ uint64(r)) * prime
		switch {
		case unspaced(r):
			end()
			word, inWord = (word^uint64(r))*prime, true
			end()
		case unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || r == '’' && inWord:
			word, inWord = (word^uint64(r))*prime, true
		default:
			end()
		}
	}
	end()
	out.Words = len(words)
	if len(words) < ShingleWords {
		return out
	}
	out.Shingles = words[:0]
	for i := 0; i+ShingleWords <= len(words); i++ {
		h := uint64(offset)
		for _, w := range words[i : i+ShingleWords] {
			h = (h ^ w) * prime
			h ^= h >> 29
		}
		out.Shingles = append(out.Shingles, h)
	}
	return out
}

// EachWord calls f with each word of a text: a run of letters, digits and marks, with apostrophes
// inside. Scripts written without spaces give none.
func EachWord(s string, f func(word string)) {
	for i := 0; i < len(s); {
		from := i
		for i < len(s) {
			c := s[i]
			if c < utf8.RuneSelf {
				if c|0x20 >= 'a' && c|0x20 <= 'z' || c >= '0' && c <= '9' || c == '\'' && i > from {
					i++
					continue
				}
				break
			}
			r, n := utf8.DecodeRuneInString(s[i:])
			if !(unicode.IsLetter(r) || unicode.IsMark(r) || r == '’' && i > from) || unspaced(r) {
				break
			}
			i += n
		}
		if i > from {
			f(strings.TrimRight(s[from:i], "'’"))
			continue
		}
		_, n := utf8.DecodeRuneInString(s[i:])
		i += max(1, n)
	}
}

// unspaced tells whether r belongs to a script written without spaces between words.
func unspaced(r rune) bool {
	return r >= 0x0e00 && unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar) && !unicode.IsMark(r)
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

// Count is a number with its noun: "1 page", "1 200 pages".
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}
