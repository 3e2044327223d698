package page

import (
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// TestMatches holds what is tried where it may begin to the same patterns run over the whole text.
func TestMatches(t *testing.T) {
	parts := []string{"{{", "}}", "{%", "%}", "<%", "%>", "<%=", "${", "}", "@@", "%%", "@", "@", ".", ".", "-", "_", " ", " ", "\n",
		"lorem ipsum dolor", "Dolor sit amet", "CONSECTETUR adipiscing", "your text here", "insert text here",
		"insert your text here", "lorem", "inser", "a", "b9", "Z", "org", "fern", "hollow.example", "rowan", "+", "rowan@", "@fern.example", "b@c.org", "@x.y", "NAME_OF",
		"userName", " page.title | upcase ", "[", "]", "[name]", "[Last name]", "[insert a word]", "[company", "ü", "€", "\uFFFD",
		strings.Repeat("x", 62), strings.Repeat("é", 30), strings.Repeat("A", 39)}
	whole := func(of *regexp.Regexp) *regexp.Regexp {
		return regexp.MustCompile(strings.Replace(of.String(), `\A`, "", 1))
	}
	mail := regexp.MustCompile(`[A-Za-z0-9][A-Za-z0-9._%+-]{0,63}@(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)+[A-Za-z]{2,24}\b`)
	wholeFillers, wholeBlanks := whole(fillers), whole(blanks)
	same := func(what, s string, got [][2]int, want [][]int) int {
		t.Helper()
		if !slices.EqualFunc(got, want, func(a [2]int, b []int) bool { return a == [2]int(b) }) {
			t.Fatalf("%s in %q: %v, want %v", what, s, got, want)
		}
		return len(got)
	}
	r := rand.New(rand.NewPCG(2, 9))
	found := map[string]int{}
	for range 20_000 {
		var b strings.Builder
		for range 1 + r.IntN(14) {
			b.WriteString(parts[r.IntN(len(parts))])
		}
		s := b.String()
		found["fillers"] += same("fillers", s, matches(s, nextFiller, fillers, 3),
			wholeFillers.FindAllStringIndex(s, 3))
		found["blanks"] += same("blanks", s, matches(s, nextBracket, blanks, 3),
			wholeBlanks.FindAllStringIndex(s, 3))
		found["mails"] += same("mails", s, mails(s, 3), mail.FindAllStringIndex(s, 3))
	}
	for _, what := range []string{"fillers", "blanks", "mails"} {
		if found[what] < 500 {
			t.Errorf("only %d %s in all texts: the test says little", found[what], what)
		}
	}
}

// TestMisread holds the search for the byte that mojibake begins with to the pattern.
func TestMisread(t *testing.T) {
	parts := []string{"Ã", "©", "¼", "â€", "â", "€", "™", "Â", "\u00a0", "Âme", "é", "à", "ï¿½", "ï", "¿", "½", " ", "caf", "\xc3", "\x83"}
	r := rand.New(rand.NewPCG(4, 1))
	found := 0
	for range 20_000 {
		var b strings.Builder
		for range r.IntN(6) {
			b.WriteString(parts[r.IntN(len(parts))])
		}
		want := mojibake.MatchString(b.String())
		if got := isMisread([]byte(b.String())); got != want {
			t.Fatalf("%q is misread: %v, want %v", b.String(), got, want)
		}
		if want {
			found++
		}
	}
	if found < 1000 {
		t.Errorf("only %d texts were misread: the test says little", found)
	}
}
