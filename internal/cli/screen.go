package cli

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"strconv"
	"unicode/utf8"

	"golang.org/x/term"
)

// A screen is where commands write what people read. What sites say is part of that, and may hold
// characters that make a terminal clear itself, move, write the clipboard or turn text round: they are
// shown, not sent. Harvik's own colours are told from a site's by a number that nobody else knows.
type screen struct {
	to   io.Writer
	file *os.File // nil where it is none
}

func newScreen(f *os.File) *screen { return &screen{f, f} }

// own marks Harvik's own sequences, as a parameter that terminals would take for a colour.
var own = ";" + strconv.Itoa(100_000_000+rand.IntN(900_000_000))

// Codes of what is written on terminals.
const (
	codeBold  = "1"
	codeFaint = "2"
	codeOff   = "0"
)

// painted is a text in a colour or weight, given as the code of ECMA-48's "select graphic rendition".
func painted(code, s string) string {
	return "\x1b[" + code + own + "m" + s + "\x1b[" + codeOff + own + "m"
}

// overwrite begins the line at hand anew.
func overwrite() string { return "\x1b[0" + own + "K" }

// Write shows what it is given. It takes all of it, or fails.
func (s *screen) Write(p []byte) (int, error) {
	if !needsCare(p) {
		return s.to.Write(p)
	}
	out := make([]byte, 0, len(p)+64)
	for rest := p; len(rest) > 0; {
		if rest[0] == 0x1b {
			if code, n := sequence(rest); n > 0 {
				out = append(out, code...)
				rest = rest[n:]
				continue
			}
		}
		r, n := utf8.DecodeRune(rest)
		out = append(out, visible(r, rest[:n])...)
		rest = rest[n:]
	}
	if _, err := s.to.Write(out); err != nil {
		return 0, err
	}
	return len(p), nil
}

// needsCare tells whether there is anything but plain ASCII text.
func needsCare(p []byte) bool {
	return bytes.ContainsFunc(p, func(r rune) bool { return r < ' ' && r != '\n' && r != '\t' || r > '~' })
}

// sequence is one of Harvik's own at the beginning of p, as a terminal takes it, and its length; 0 if there
// is none.
func sequence(p []byte) (code string, n int) {
	if len(p) < 2 || p[1] != '[' {
		return "", 0
	}
	end := bytes.IndexAny(p, "mK")
	if end < 0 {
		return "", 0
	}
	inner, ok := bytes.CutSuffix(p[2:end], []byte(own))
	switch {
	case !ok:
		return "", 0
	case p[end] == 'K':
		return "\r\x1b[K", end + 1
	}
	return "\x1b[" + string(inner) + "m", end + 1
}

// visible is a character as it is shown: control characters by their pictures, or by their number.
func visible(r rune, raw []byte) []byte {
	switch {
	case r == '\n', r == '\t':
		return raw
	case r < ' ':
		return utf8.AppendRune(nil, 0x2400+r)
	case r == 0x7f:
		return utf8.AppendRune(nil, 0x2421)
	case r == utf8.RuneError && len(raw) == 1,
		r >= 0x80 && r < 0xa0,                // C1
		r == 0x61c, r == 0x200e, r == 0x200f, // marks of direction
		r >= 0x202a && r <= 0x202e,            // embeddings and overrides
		r >= 0x2066 && r <= 0x2069,            // isolates
		r == 0x2028, r == 0x2029, r == 0xfeff, // separators, mark of byte order
		r >= 0xe0000 && r <= 0xe007f, r > 0xfff8 && r < 0xfffc: // tags, annotations
		if r == utf8.RuneError {
			return []byte("\uFFFD")
		}
		return fmt.Appendf(nil, "<U+%04X>", r)
	}
	return raw
}

// raw is where a screen writes to, for what programs read: JSON, CSV and files have their own rules.
func raw(w io.Writer) io.Writer {
	if s, ok := w.(*screen); ok {
		return s.to
	}
	return w
}

// isTerminal tells whether colour and a live line make sense.
func isTerminal(w io.Writer) bool {
	s, ok := w.(*screen)
	return ok && s.file != nil && term.IsTerminal(int(s.file.Fd())) && os.Getenv("NO_COLOR") == ""
}

// columns is the width to write for: the terminal's, or 100 elsewhere.
func columns(w io.Writer) int {
	if s, ok := w.(*screen); ok && s.file != nil {
		if n, _, err := term.GetSize(int(s.file.Fd())); err == nil && n > 0 {
			return max(60, n)
		}
	}
	return 100
}
