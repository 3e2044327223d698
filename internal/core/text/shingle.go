package text

import (
	"encoding/binary"
	"math/bits"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Shingled is a text broken into what duplicates are found by.
type Shingled struct {
	Words    int
	Hash     uint64   // of the text's Key; equal texts have equal hashes
	Shingles []uint64 // one hash for each run of five words, in order; may repeat
	Watched  bool     // one of the watched words is in the text
}

// ShingleWords is the number of words in a shingle.
const ShingleWords = 5

// Shingle breaks up a folded text. A word is a run of letters, digits and marks, with
// apostrophes inside; each character of a script written without spaces is one. Watched are words
// to look for, as Word gives them.
func Shingle(s string, watched ...uint64) Shingled {
	return ShingleIn(make([]uint64, 0, len(s)/5+8), s, watched...)
}

// ShingleIn is Shingle with its shingles in the memory of buf.
func ShingleIn(buf []uint64, s string, watched ...uint64) Shingled {
	words, whole := hashWords(buf[:0], s)
	return Shingled{len(words), whole, nil, hasAny(words, watched)}.of(words)
}

// of puts shingles in place of words: each is a polynomial of its five words' hashes, rolled on
// from the one before.
func (s Shingled) of(words []uint64) Shingled {
	const (
		base  = 0x9e3779b97f4a7c15
		first = base * base % (1 << 64) * base % (1 << 64) * base % (1 << 64) // of the word that falls out
	)
	s.Shingles = words[:0]
	h, out := uint64(0), uint64(0)
	for i, w := range words {
		h = (h-out*first)*base + w
		if i+1 >= ShingleWords {
			out = words[i+1-ShingleWords]
			s.Shingles = append(s.Shingles, h)
		}
	}
	return s
}

// hasAny tells whether one of a few hashes is among many.
func hasAny(words, watched []uint64) bool {
	var ends uint64 // the last six bits of those that are looked for
	for _, w := range watched {
		ends |= 1 << (w & 63)
	}
	if ends == 0 {
		return false
	}
	for _, w := range words {
		if ends>>(w&63)&1 == 0 {
			continue
		}
		for _, watch := range watched {
			if w == watch {
				return true
			}
		}
	}
	return false
}

// Word is the hash of a word of small ASCII letters, to watch for.
func Word(s string) uint64 {
	words, _ := hashWords(nil, s)
	return words[0]
}

// mix takes another value into a hash: both halves of a product of 128 bits.
func mix(h, value uint64) uint64 {
	high, low := bits.Mul64(h^value^0xa0761d6478bd642f, 0xe7037ed1a0b428db)
	return high ^ low
}

// seed is the hash of nothing.
const seed = 0x8ebc6af09c88c6e3

// hashWords appends the hashes of a text's words, and gives that of the whole text. It takes eight
// letters at once; only words with others than ASCII letters are looked at one by one.
func hashWords(words []uint64, s string) ([]uint64, uint64) {
	whole := uint64(seed)
	for i := 0; i < len(s); {
		switch c := s[i]; {
		case starts[c]:
			h, end := hashWord(s, i)
			if end < len(s) && s[end] >= utf8.RuneSelf {
				h, end = hashAny(s, i)
			}
			words, i = append(words, h), end
			if i < len(s) && (s[i] == ' ' || s[i] == '\n') {
				h = bits.RotateLeft64(h, 1) // with the space behind it
				i++
			}
			whole = mix(whole, h)
		case c < utf8.RuneSelf:
			if c == '\n' {
				c = ' ' // equal texts may be laid out in other blocks
			}
			whole = mix(whole, uint64(c))
			i++
		default:
			r, size := utf8.DecodeRuneInString(s[i:])
			r = unicode.ToLower(r)
			switch {
			case unspaced(r):
				h := mix(seed, uint64(r))
				words, whole, i = append(words, h), mix(whole, h), i+size
			case isPart(r):
				h, end := hashAny(s, i)
				words, whole, i = append(words, h), mix(whole, h), end
			default:
				whole = mix(whole, uint64(r))
				i += size
			}
		}
	}
	return words, whole
}

// starts tells which ASCII characters begin a word.
var starts = func() (is [256]bool) {
	for c := range utf8.RuneSelf {
		is[c] = c|0x20 >= 'a' && c|0x20 <= 'z' || c >= '0' && c <= '9'
	}
	return is
}()

func isPart(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) }

// hashWord is the hash of the ASCII letters, digits and apostrophes from a place on, capitals made
// small, and where they end.
func hashWord(s string, i int) (h uint64, end int) {
	h = seed
	for {
		x := eight(s, i)
		n := bits.TrailingZeros64(^wordBytes(x)&highs) &^ 7 // bits that are part of the word
		i += n / 8
		x = (x | 0x20*ones) & (1<<n - 1) // digits and apostrophes have that bit
		h = mix(h, x)
		if n < 64 {
			return h, i
		}
	}
}

// asciiEnd is where the ASCII letters, digits and apostrophes from a place on end.
func asciiEnd(s string, i int) int {
	for {
		n := bits.TrailingZeros64(^wordBytes(eight(s, i))&highs) &^ 7
		if i += n / 8; n < 64 {
			return i
		}
	}
}

// hashAny is hashWord for any letters.
func hashAny(s string, from int) (h uint64, end int) {
	for end = from; end < len(s); {
		r, size := utf8.DecodeRuneInString(s[end:])
		if !isPart(r) && (end == from || r != '\'' && r != '’') || unspaced(unicode.ToLower(r)) {
			break
		}
		end += size
	}
	h = seed
	word := strings.ToLower(s[from:end])
	for i := 0; ; i += 8 {
		h = mix(h, eight(word, i))
		if i+8 > len(word) {
			return h, end
		}
	}
}

// eight are up to eight bytes of a text from a place on, the first of them lowest.
func eight(s string, i int) (x uint64) {
	if i+8 <= len(s) {
		return binary.LittleEndian.Uint64([]byte(s[i : i+8]))
	}
	for j := len(s) - 1; j >= i; j-- {
		x = x<<8 | uint64(s[j])
	}
	return x
}

// wordBytes sets the highest bit of each byte that is an ASCII letter, digit or apostrophe.
func wordBytes(x uint64) uint64 {
	low := x &^ highs
	small := low | 0x20*ones
	letter := (small + (0x80-'a')*ones) &^ (small + (0x7f-'z')*ones)
	digit := (low + (0x80-'0')*ones) &^ (low + (0x7f-'9')*ones)
	return (letter | digit | zeros(low^'\''*ones)) &^ x
}
