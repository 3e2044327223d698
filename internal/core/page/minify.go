package page

import (
	"bytes"

	"harvik/internal/core/css"
)

// Spare estimates how many bytes of a script or stylesheet minifying would save: comments and
// white space, strings left alone. Names are not counted, so it says rather too little.
func Spare(source []byte, lineComments bool) int {
	spare := 0
	last := byte('\n') // the last byte that stays
	for i := 0; i < len(source); {
		c := source[i]
		switch {
		case c == '"' || c == '\'' || c == '`' && lineComments:
			i = pastString(source, i)
			last = c
		case c == '/' && i+1 < len(source) && source[i+1] == '*':
			end := after(source, i+2, "*/")
			if i+2 < len(source) && source[i+2] != '!' { // a licence stays
				spare += end - i
			}
			i = end
		case lineComments && c == '/' && i+1 < len(source) && source[i+1] == '/' &&
			last != ':' && last != '\\' && last != '/':
			end := i
			for end < len(source) && source[end] != '\n' {
				end++
			}
			spare += end - i
			i = end
		case c <= ' ':
			from := i
			for i < len(source) && source[i] <= ' ' {
				i++
			}
			kept := 1
			if !css.IsNameByte(last) || i < len(source) && !css.IsNameByte(source[i]) {
				kept = 0
			}
			spare += i - from - kept
		default:
			last = c
			i++
		}
	}
	return max(0, spare)
}

func after(source []byte, i int, mark string) int {
	j := bytes.Index(source[i:], []byte(mark))
	if j < 0 {
		return len(source)
	}
	return i + j + len(mark)
}

func pastString(source []byte, i int) int {
	quote := source[i]
	for i++; i < len(source); i++ {
		switch source[i] {
		case '\\':
			i++
		case quote:
			return i + 1
		case '\n':
			if quote != '`' {
				return i
			}
		}
	}
	return len(source)
}

// IsOpaquePNG tells whether a PNG image has no transparency, from its first bytes (PNG
// specification, 11.2.1 and 11.3.1.1).
func IsOpaquePNG(head []byte) bool {
	const signature, colourType = "\x89PNG\r\n\x1a\n", 25
	if !bytes.HasPrefix(head, []byte(signature)) || len(head) <= colourType {
		return false
	}
	switch head[colourType] {
	case 4, 6: // with an alpha channel
		return false
	}
	data := bytes.Index(head, []byte("IDAT"))
	return data > 0 && !bytes.Contains(head[:data], []byte("tRNS"))
}
