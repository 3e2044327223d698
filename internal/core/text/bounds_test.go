package text

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

// of is a text of so many words, of which so many in each hundred are a language's commonest and the rest nobody's.
func of(words int, parts map[string]int) string {
	var out []string
	for word, n := range parts {
		for range n {
			out = append(out, word)
		}
	}
	for len(out) < words {
		out = append(out, "xqzw")
	}
	return strings.Join(out, " ")
}

// TestSpeaks: a fifth of a text's words have to be a language's commonest, of fifteen at least, and no other
// language may come close but the declared one.
func TestSpeaks(t *testing.T) {
	for _, c := range []struct {
		name     string
		text     string
		declared string
		want     string
	}{
		{"a fifth", of(20, map[string]int{"the": 4}), "", "en"},
		{"less", of(21, map[string]int{"the": 4}), "", ""},
		{"fifteen words", of(15, map[string]int{"the": 3}), "", "en"},
		{"fourteen", of(14, map[string]int{"the": 14}), "", ""},
		{"one far before another", of(40, map[string]int{"the": 12, "und": 8}), "", "en"},
		{"one near another", of(40, map[string]int{"the": 12, "und": 9, "xy": 1}), "", "en"},
		{"one nearer to another", of(40, map[string]int{"the": 12, "und": 10}), "", ""},
		{"the later of the list before the earlier", of(40, map[string]int{"the": 8, "und": 12}), "", "de"},
		{"three", of(60, map[string]int{"the": 12, "und": 12, "ymlaen": 0, "pour": 12}), "", ""},
		{"the declared one of three", of(60, map[string]int{"the": 12, "und": 14, "pour": 13}), "de", "de"},
		{"the declared one after a commoner", of(40, map[string]int{"the": 12, "und": 10}), "de", "de"},
		{"a declared one that is not known", of(40, map[string]int{"the": 12}), "tlh", "en"},
		{"names of variables", of(20, map[string]int{"s": 10, "d": 10}), "", ""},
	} {
		if got := speaks(c.text, c.declared); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	for _, c := range []struct {
		text string
		want bool
	}{
		{of(20, map[string]int{"the": 2}), true}, {of(21, map[string]int{"the": 2}), false}, {of(15, map[string]int{"the": 2}), true},
		{of(14, map[string]int{"the": 9}), false}, {of(20, map[string]int{"s": 9}), false}, {of(20, map[string]int{"The,": 2}), true},
	} {
		if got := shares(c.text, "en", 10); got != c.want {
			t.Errorf("%q shares a tenth: %v", c.text, got)
		}
	}
}

// TestSample takes a stretch around a place in a text, whole letters only.
func TestSample(t *testing.T) {
	if s := strings.Repeat("x", sampleForLanguage); sample(s, 3) != s {
		t.Error("a text as long as a sample is cut")
	}
	var b strings.Builder
	for i := range 6000 {
		b.WriteByte("abcdef"[i/1000])
	}
	for sixth, want := range map[int]string{1: "ab", 3: "cd", 5: "ef"} {
		got := sample(b.String(), sixth)
		// half of the sample before the place and half behind it
		if len(got) != sampleForLanguage-4 || strings.Count(got, want[:1]) != sampleForLanguage/2 ||
			strings.Count(got, want[1:]) != sampleForLanguage/2-4 {
			t.Errorf("sixth %d: %d bytes, %d of %q", sixth, len(got), strings.Count(got, want[:1]), want[:1])
		}
	}
	short := strings.Repeat("a", 100) + strings.Repeat("b", sampleForLanguage)
	if got := sample(short, 1); !strings.HasPrefix(got, short[:100]) {
		t.Errorf("near the beginning it begins with %.9q", got)
	}
	if got := sample(short, 5); strings.HasPrefix(got, "a") {
		t.Errorf("near the end it begins with %.9q", got)
	}
	for shift := range 4 {
		s := strings.Repeat("x", shift) + strings.Repeat("漢", 1000)
		if got := sample(s, 3); !utf8.ValidString(got) || strings.Contains(got, "\uFFFD") ||
			len(got) < sampleForLanguage-8 {
			t.Errorf("letters are cut: %d bytes", len(got))
		}
	}
}

// TestAgreement: a long text is of another language than declared only where its parts agree.
func TestAgreement(t *testing.T) {
	german := "Die Farne wachsen im Schatten der alten Eichen, und die Gärtner pflegen sie seit vielen Jahren. "
	english := "The ferns of the dell grow in the shade of the old oaks, and they are looked after by the gardeners. "
	french := "Les fougères poussent à l'ombre des vieux chênes, et les jardiniers les soignent depuis longtemps. "
	numbers := "18 27 36 45 54 63 72 81 90 99 "
	part := func(s string) string { return strings.Repeat(s, 1+2000/len(s)) }
	for name, one := range map[string]struct{ text, want string }{
		"all":                  {part(german) + part(german) + part(german), "de"},
		"two of three":         {part(german) + part(german) + part(numbers), "de"},
		"the middle alone":     {part(numbers) + part(german) + part(numbers), ""},
		"the declared besides": {part(english) + part(german) + part(german), "en"},
		"a third language":     {part(french) + part(german) + part(german), ""},
	} {
		if got := Language(one.text, "en"); got != one.want {
			t.Errorf("%s: %q, want %q", name, got, one.want)
		}
	}
	for n, want := range map[int]string{leastForLanguage: "en", leastForLanguage - 1: ""} {
		if got := Language((english + english)[:n], "en"); got != want {
			t.Errorf("%d bytes: %q, want %q", n, got, want)
		}
	}
}

// TestFirstDifference names what each side has first that the other lacks, cut in its middle.
func TestFirstDifference(t *testing.T) {
	for _, c := range []struct{ a, b, onlyA, onlyB string }{
		{"a b c", "a b c", "", ""}, {"a b c", "a x c", "b", "x"}, {"a b", "a b c d", "", "c d"}, {"a b c d", "a b", "c d", ""},
		{"a 1 b 2 c", "a b c", "1", ""}, {"a b c", "a 1 b 2 c", "", "1"}, {"1 a b 2", "a b 3", "1", "3"},
		{"a abcdefghijklmnop b", "a b", "abcdefgh…nop", ""}, {"a abcdefghijkl b", "a b", "abcdefghijkl", ""},
	} {
		if a, b := FirstDifference(c.a, c.b, 12); a != c.onlyA || b != c.onlyB {
			t.Errorf("%q and %q: %q and %q, want %q and %q", c.a, c.b, a, b, c.onlyA, c.onlyB)
		}
	}
	for in, want := range map[string]string{"": "", "a": "a\n", "a\n": "a\n", "a\r\nb": "a\nb\n", "\n": "\n", "a\n\nb\n": "a\n\nb\n"} {
		if got := ended(in); got != want {
			t.Errorf("%q ends as %q", in, got)
		}
	}
	if got := ended(strings.Repeat("x\n", mostDiffered+5)); len(got) != 2*mostDiffered {
		t.Errorf("%d bytes of lines are compared", len(got))
	}
	gone, added := DifferLines("a\nb\nc", "a\nc\nd\n")
	if strings.Join(gone, "|") != "b" || strings.Join(added, "|") != "d" {
		t.Errorf("gone %q, added %q", gone, added)
	}
}

// TestPhrases: numbers with their nouns, texts cut in their middle, names of languages.
func TestPhrases(t *testing.T) {
	for n, want := range map[int]string{0: "0 pages", 1: "1 page", 2: "2 pages", 1200: "1\u202f200 pages"} {
		if got := Count(n, "page", "pages"); got != want {
			t.Errorf("%d: %q", n, got)
		}
	}
	for _, c := range []struct{ part, bytes, words, want int }{{0, 0, 9, 0}, {50, 100, 10, 5},
		{200, 100, 10, 10}, {1, 100, 50, 0}, {7, 0, 9, 0}} {
		if got := CountIn(c.part, c.bytes, c.words); got != c.want {
			t.Errorf("%d of %d bytes have %d of %d words, want %d", c.part, c.bytes, got, c.words, c.want)
		}
	}
	for in, want := range map[string]string{"abcdef": "abcdef", "abcdefg": "abc…g", "äöüßäöü": "äöü…ü", "": ""} {
		if got := Shorten(in, 6, 3, 1); got != want {
			t.Errorf("%q is cut to %q", in, got)
		}
	}
	for code, want := range map[string]string{"de": "German", "cy": "Welsh", "not a code": "not a code", "": ""} {
		if got := LanguageName(code); got != want {
			t.Errorf("%q is called %q", code, got)
		}
	}
	for in, want := range map[string]bool{
		"see std::collections::BTreeMap::entry, there": true, "std::collections::HashMap": true, "std::collections::HashSe": false,
		"Donaudampfschifffahrtsgesellschaft": false, "ferns and the shade they need": false, "": false,
	} {
		if HasLongName(in) != want {
			t.Errorf("%q has a long name: %v", in, !want)
		}
	}
}

// TestWidths: accented letters are as wide as their base, other scripts have one width each.
func TestWidths(t *testing.T) {
	for r, want := range map[rune]int{
		'~': 584, '\x7f': 600, '\x1f': 0, ' ': 278, 'ÿ': 500, 'Ā': 667, 'ẁ': 722, 'Ḁ': 667, 'ỹ': 500, 'ɏ': 600,
		'ɐ': 600, 'ж': 610, 'π': 560,
		'ش': 520, 'ก': 580, '⺀': 1000, '⹿': 600, '漢': 1000, 'ἀ': 560, 'ƒ': 600, '\u200b': 0, 'Ǆ': 600,
	} {
		if got := advance(r); got != want {
			t.Errorf("%q is %d wide, want %d", r, got, want)
		}
	}
	// what just fits stays, what is a word too long is cut behind a word where that leaves half
	if line, cut := Cut("WW", 100, 2*94+1); cut || line != "WW" {
		t.Errorf("what fits: %q, %v", line, cut)
	}
	if _, cut := Cut("iiii", 1000, 4*222); cut {
		t.Error("what just fits is cut")
	}
	if line, _ := Cut("a bcdefghijklmnop", 20, 120); line == "a …" || !strings.HasPrefix(line, "a bcdef") {
		t.Errorf("a line is cut to its first letter: %q", line)
	}
	if line, _ := Cut("abcd efghijklmnop", 20, 105); line != "abcd …" {
		t.Errorf("a line is cut to %q", line)
	}
}

// TestScript is told by letters: of ASCII where most are, by the library where others are.
func TestScript(t *testing.T) {
	for s, want := range map[string]*unicode.RangeTable{
		"ferns": unicode.Latin, "a 1234567": unicode.Latin, "1234": nil, "": nil, "папоротник": unicode.Cyrillic, "папоротник abc": unicode.Cyrillic,
		"AZ": unicode.Latin, "[{": nil, "z": unicode.Latin, "@`": nil,
	} {
		if got := scriptOf(s); got != want {
			t.Errorf("%q is of another script", s)
		}
	}
}

// TestWholeHash: equal texts have one hash, however their blocks are laid out, and others have others.
func TestWholeHash(t *testing.T) {
	whole := func(s string) uint64 {
		_, h := hashWords(nil, s)
		return h
	}
	if whole("a.\nb") != whole("a. b") || whole("a\nb") != whole("a b") {
		t.Error("lines make another text")
	}
	for _, other := range []string{"a.;b", "a, b", "a.b", "a. z", "a. B ", "z. b", "9. b"} {
		if whole("a. b") == whole(other) {
			t.Errorf("%q has the hash of another", other)
		}
	}
}
