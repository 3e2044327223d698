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

// What a byte is to fold.
const (
	solid = iota
	blank
	other // the gap, and what is not ASCII
)

// kinds tells what bytes are, shown what stands for them.
var kinds, shown = func() (kind, as [256]uint8) {
	for c := range 256 {
		as[c] = byte(c)
		switch {
		case c >= utf8.RuneSelf || c == int(Gap[0]):
			kind[c] = other
		case c == ' ' || c >= '\t' && c <= '\r':
			kind[c], as[c] = blank, ' '
		}
	}
	return kind, as
}()

// fold goes on without a jump at the ends of words: they are where processors guess wrong.
func fold(b []byte, gap byte) string {
	out := make([]byte, len(b)+1) // a gap takes no more room than the white space that it is for
	n, last := 0, uint8(blank)    // last: what stands at the end of out
	for i := 0; i < len(b); {
		c := b[i]
		kind := kinds[c]
		if kind != other {
			out[n] = shown[c]
			n += int(1 &^ (kind & last))
			last = kind
			i++
			continue
		}
		r, size := utf8.DecodeRune(b[i:])
		switch {
		case c == Gap[0] && last == blank && n > 0:
			out[n-1] = gap
		case c == Gap[0] && n > 0:
			out[n] = gap
			n, last = n+1, blank
		case c == Gap[0]:
		case !unicode.IsSpace(r):
			n, last = n+copy(out[n:], b[i:i+size]), solid
		case last == solid:
			out[n] = ' '
			n, last = n+1, blank
		}
		i += size
	}
	if last == blank && n > 0 {
		n--
	}
	return string(out[:n])
}

// Key is what two texts are compared by: white space folded, case ignored.
func Key(s string) string { return strings.ToLower(Fold([]byte(s))) }

// Shingled is a text broken into what duplicates are found by.
type Shingled struct {
	Words    int
	Hash     uint64   // of the text's Key; equal texts have equal hashes
	Shingles []uint64 // one hash for each run of five words, in order; may repeat
	Watched  bool     // one of the watched words is in the text
}

// ShingleWords is the number of words in a shingle.
const ShingleWords = 5

// FNV-1a, 64 bits.
const (
	offset = 14695981039346656037
	prime  = 1099511628211
)

// What a byte is to Shingle.
const (
	inWord     = 1
	apostrophe = 2 // part of a word that has begun
)

// letters tells what bytes are in words, folded what they are counted as: small letters, and
// spaces for line ends, as equal texts may be laid out in other blocks.
var letters, folded = func() (in [256]uint8, as [256]uint8) {
	for c := range 256 {
		as[c] = byte(c)
		switch {
		case 'A' <= c && c <= 'Z':
			in[c], as[c] = inWord, byte(c)|0x20
		case 'a' <= c && c <= 'z' || '0' <= c && c <= '9':
			in[c] = inWord
		case c == '\'':
			in[c] = apostrophe
		case c == '\n':
			as[c] = ' '
		}
	}
	return in, as
}()

// Word is the hash of a word of small ASCII letters, to watch for.
func Word(s string) uint64 {
	h := uint64(offset)
	for i := range len(s) {
		h = (h ^ uint64(s[i])) * prime
	}
	return h
}

// Shingle breaks up a folded text. A word is a run of letters, digits and marks, with
// apostrophes inside; each character of a script written without spaces is one. Watched are words
// to look for.
func Shingle(s string, watched ...uint64) Shingled {
	words, whole := hashWords(s)
	out := Shingled{Words: len(words), Hash: whole}
	for _, w := range words {
		for _, watch := range watched {
			out.Watched = out.Watched || w == watch
		}
	}
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

// hashWords are the hashes of the words, and that of the whole text. Like fold, it has no jump at
// the ends of words: each byte sets the word's hash on or back, and the next word's place.
func hashWords(s string) (words []uint64, whole uint64) {
	words = make([]uint64, len(s)/5+8)
	n, word, in := 0, uint64(offset), uint64(0) // in: 1 inside a word
	whole = offset
	for i := 0; i <= len(s); {
		if n+3 > len(words) {
			words = append(words, make([]uint64, n)...)
		}
		as, now := uint64(0), uint64(0) // the end of the text ends a word
		switch {
		case i == len(s):
			words[n] = word
			return words[:n+int(in)], whole
		case s[i] < utf8.RuneSelf:
			as, now = uint64(folded[s[i]]), uint64(letters[s[i]])
			now = now&inWord | now>>1&in
			i++
		default:
			r, size := utf8.DecodeRuneInString(s[i:])
			i += size
			r = unicode.ToLower(r)
			as = uint64(r)
			if unspaced(r) { // a word of its own
				words[n] = word
				n += int(in)
				words[n] = (offset ^ as) * prime
				n++
				whole = (whole ^ as) * prime
				word, in = offset, 0
				continue
			}
			if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || r == '’' && in != 0 {
				now = 1
			}
		}
		whole = (whole ^ as) * prime
		words[n] = word
		n += int(in &^ now)
		word = (word^as)*prime&-now | offset&(now-1)
		in = now
	}
	return words[:n], whole
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
