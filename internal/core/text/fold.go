package text

import (
	"encoding/binary"
	"unicode"
	"unicode/utf8"
)

// What a byte is to folding.
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

// AppendFolded appends a text folded as by Fold, with gap for its gaps: a line feed puts each block
// on a line of its own. The memory of dst must not be that of b.
func AppendFolded(dst, b []byte, gap byte) []byte {
	start := len(dst)
	if need := start + len(b) + 1; cap(dst) < need { // a gap takes no more room than the white space that it is for
		dst = append(make([]byte, 0, need), dst...)
	}
	out, n := dst[:start+len(b)+1], start
	last := uint8(blank) // what stands at the end of out
	for i := 0; i < len(b); {
		if i+8 <= len(b) {
			if x := binary.LittleEndian.Uint64(b[i:]); isClean(x, last == blank) {
				binary.LittleEndian.PutUint64(out[n:n+8], x)
				n, i, last = n+8, i+8, kinds[b[i+7]]
				continue
			}
		}
		// without a jump at the ends of words: they are where processors guess wrong
		for end := min(i+8, len(b)); i < end; {
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
			case c == Gap[0] && last == blank && n > start:
				out[n-1] = gap
			case c == Gap[0] && n > start:
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
	}
	if last == blank && n > start {
		n--
	}
	return out[:n]
}

// Eight bytes at once: each of the byte, and the highest bit of each.
const (
	ones  = 0x0101010101010101
	highs = 0x8080808080808080
)

// isClean tells whether eight bytes, the first of them lowest, stay as they are when folded: ASCII,
// with no white space but single spaces. After a space there must be none at the beginning.
func isClean(x uint64, afterBlank bool) bool {
	space := zeros(x ^ ' '*ones)
	double := space & (space << 8)
	if afterBlank {
		double |= space & 0x80
	}
	control := (x - ' '*ones) &^ x
	return (x|control)&highs|double == 0
}

// zeros sets the highest bit of each byte that is 0, of bytes that are ASCII.
func zeros(x uint64) uint64 { return ^(x + 0x7f*ones) & highs }
