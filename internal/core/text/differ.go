package text

import (
	"strings"

	"github.com/sergi/go-diff/diffmatchpatch"
)

// A Passage is a run of words that two texts share, or that only one of them has.
type Passage struct {
	In   string // "both", "a" or "b"
	Text string
}

// mostDiffered is how many words, or lines, of a text are compared: the library knows each by a character of
// its own, and has no more than a million of these for both.
const mostDiffered = 200_000

// Differ parts two texts into passages, word by word, in the order in which they stand. Of very long ones it
// compares the beginning.
func Differ(a, b string) []Passage {
	d := diffmatchpatch.New()
	wordsOf := func(s string) string {
		var b strings.Builder
		n := 0
		for word := range strings.FieldsSeq(s) {
			if n++; n > mostDiffered {
				break
			}
			b.WriteString(word)
			b.WriteByte('\n')
		}
		return b.String()
	}
	x, y, words := d.DiffLinesToRunes(wordsOf(a), wordsOf(b))
	var out []Passage
	for _, part := range d.DiffCharsToLines(d.DiffMainRunes(x, y, false), words) {
		in := map[diffmatchpatch.Operation]string{diffmatchpatch.DiffEqual: "both", diffmatchpatch.DiffDelete: "a",
			diffmatchpatch.DiffInsert: "b"}[part.Type]
		if text := strings.Join(strings.Fields(part.Text), " "); text != "" {
			out = append(out, Passage{in, text})
		}
	}
	return out
}

// DifferLines are the lines that only one of two texts has, in the order in which they stand; of very long
// texts it compares the beginning.
func DifferLines(a, b string) (gone, added []string) {
	d := diffmatchpatch.New()
	x, y, lines := d.DiffLinesToRunes(ended(a), ended(b))
	for _, part := range d.DiffCharsToLines(d.DiffMainRunes(x, y, false), lines) {
		some := strings.Split(strings.TrimSuffix(part.Text, "\n"), "\n")
		switch part.Type {
		case diffmatchpatch.DiffDelete:
			gone = append(gone, some...)
		case diffmatchpatch.DiffInsert:
			added = append(added, some...)
		}
	}
	return gone, added
}

// ended is a text whose last line ends like the others.
func ended(s string) string {
	s = strings.ReplaceAll(s, "\r\n", "\n")
	end := 0
	for range mostDiffered {
		at := strings.IndexByte(s[end:], '\n')
		if at < 0 {
			end = len(s)
			break
		}
		end += at + 1
	}
	if s = s[:end]; s != "" && !strings.HasSuffix(s, "\n") {
		s += "\n"
	}
	return s
}

// FirstDifference is the first passage of each text that the other does not have, at most n characters
// of it; "" where there is none.
func FirstDifference(a, b string, n int) (onlyA, onlyB string) {
	for _, p := range Differ(a, b) {
		short := Shorten(strings.TrimSpace(p.Text), n, 2*n/3, n/3-1)
		switch {
		case p.In == "a" && onlyA == "":
			onlyA = short
		case p.In == "b" && onlyB == "":
			onlyB = short
		}
		if onlyA != "" && onlyB != "" {
			break
		}
	}
	return onlyA, onlyB
}
