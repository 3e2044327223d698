package text

import (
	"strings"

	"github.com/sergi/go-diff/diffmatchpatch"
)

// A Passage is a run of words that two texts share, or that only one of them has.
type Passage struct {
	In   string `json:"in"` // "both", "a" or "b"
	Text string `json:"text"`
}

// Differ parts two texts into passages, word by word, in the order in which they stand.
func Differ(a, b string) []Passage {
	d := diffmatchpatch.New()
	wordsOf := func(s string) string { return strings.Join(strings.Fields(s), "\n") + "\n" }
	x, y, words := d.DiffLinesToRunes(wordsOf(a), wordsOf(b))
	var out []Passage
	for _, part := range d.DiffCharsToLines(d.DiffMainRunes(x, y, false), words) {
		in := map[diffmatchpatch.Operation]string{diffmatchpatch.DiffEqual: "both", diffmatchpatch.DiffDelete: "a", diffmatchpatch.DiffInsert: "b"}[part.Type]
		if text := strings.Join(strings.Fields(part.Text), " "); text != "" {
			out = append(out, Passage{in, text})
		}
	}
	return out
}
