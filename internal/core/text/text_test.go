package text

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode"
)

func TestFold(t *testing.T) {
	for in, want := range map[string]string{
		"": "", " \t\n": "", " a  b ": "a b", "a\u00a0\u2003b": "a b", "é\u0085x": "é x", "a\u200bb": "a\u200bb",
	} {
		if got := Fold([]byte(in)); got != want {
			t.Errorf("Fold(%q) = %q, want %q", in, got, want)
		}
	}
}

func TestAppendFolded(t *testing.T) {
	for in, want := range map[string]string{
		"\x1e a \x1e b\x1e\x1e c \x1e ": "a\nb\nc", "a\n b": "a b", "é\x1e\u00a0é": "é\né", "\x1e": "",
		"a \u2003\x1eb": "a\nb",
	} {
		if got := string(AppendFolded(nil, []byte(in), '\n')); got != want {
			t.Errorf("AppendFolded(%q) = %q, want %q", in, got, want)
		}
	}
}

// anyText is a text of what foldings and words turn on.
func anyText(r *rand.Rand) string {
	parts := []string{" ", " ", "  ", "\n", "\t", Gap, "\u00a0", "\u2003", "a", "B", "fern", "Fernhollow", "gardenhouse7", "'", "’", "é", "É", "ё", "日", "ก", "ำ", "\u0301", "–", ".", "10", "\xff", "\x00", "@", "[", "`", "{"}
	var b strings.Builder
	for range r.IntN(40) {
		b.WriteString(parts[r.IntN(len(parts))])
	}
	return b.String()
}

// TestFoldedPlainly: folding is what cutting at white space and gaps gives.
func TestFoldedPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		in := anyText(r)
		var lines []string
		for block := range strings.SplitSeq(in, Gap) {
			if words := strings.Fields(block); len(words) > 0 {
				lines = append(lines, strings.Join(words, " "))
			}
		}
		if got, want := string(AppendFolded([]byte("so far: "), []byte(in), '\n')), "so far: "+strings.Join(lines, "\n"); got != want {
			t.Fatalf("%q became %q, want %q", in, got, want)
		}
	}
}

// TestWordsPlainly: words are what looking at one character after the other finds, and their hashes
// are theirs alone, whatever stands around them.
func TestWordsPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	known := map[uint64]string{}
	for range 20_000 {
		in := Fold([]byte(anyText(r)))
		hashes, whole := hashWords(nil, in)
		words := plainWords(in)
		if len(hashes) != len(words) {
			t.Fatalf("%q: %d words, want %q", in, len(hashes), words)
		}
		for i, h := range hashes {
			if before, ok := known[h]; ok && before != words[i] {
				t.Fatalf("%q and %q have one hash", before, words[i])
			}
			known[h] = words[i]
			if again, _ := hashWords(nil, words[i]); again[0] != h {
				t.Fatalf("%q hashes otherwise inside %q", words[i], in)
			}
		}
		if _, again := hashWords(nil, strings.ToLower(in)); again != whole && !strings.Contains(in, "\xff") {
			t.Fatalf("%q hashes otherwise in small letters", in)
		}
	}
}

func plainWords(s string) (words []string) {
	word := ""
	end := func() {
		if word != "" {
			words = append(words, word)
		}
		word = ""
	}
	for _, c := range strings.ToLower(s) {
		switch {
		case unspaced(c):
			end()
			words = append(words, string(c))
		case unicode.IsLetter(c), unicode.IsDigit(c), unicode.IsMark(c), word != "" && (c == '\'' || c == '’'):
			word += string(c)
		default:
			end()
		}
	}
	end()
	return words
}

// TestEachWordPlainly: words are what looking at one character after the other finds.
func TestEachWordPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 20_000 {
		in := anyText(r)
		var want, got []string
		word := ""
		end := func() {
			if word = strings.TrimRight(word, "'’"); word != "" {
				want = append(want, word)
			}
			word = ""
		}
		for _, c := range in {
			isWord := unicode.IsLetter(c) || unicode.IsMark(c) || c >= '0' && c <= '9'
			if (isWord || word != "" && (c == '\'' || c == '’')) && !unspaced(c) {
				word += string(c)
			} else {
				end()
			}
		}
		end()
		EachWord(in, func(w string) { got = append(got, w) })
		if !slices.Equal(got, want) {
			t.Fatalf("%q: %q, want %q", in, got, want)
		}
	}
}

// TestShinglesRoll: equal runs of five words have equal hashes wherever they stand, others have others.
func TestShinglesRoll(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	known := map[string]uint64{}
	back := map[uint64]string{}
	for range 3000 {
		words := plainWords(Fold([]byte(anyText(r))))
		for i, h := range Shingle(strings.Join(words, ", ")).Shingles {
			run := strings.Join(words[i:i+ShingleWords], " ")
			if before, ok := known[run]; ok && before != h {
				t.Fatalf("%q has two hashes", run)
			}
			if before, ok := back[h]; ok && before != run {
				t.Fatalf("%q and %q have one hash", run, before)
			}
			known[run], back[h] = h, run
		}
	}
	if len(known) < 1000 {
		t.Errorf("only %d runs", len(known))
	}
}

func TestWatched(t *testing.T) {
	for in, want := range map[string]bool{"a Fern.": true, "ferns": false, "": false, "of fern": true} {
		if got := Shingle(in, Word("fern")).Watched; got != want {
			t.Errorf("%q is watched: %v", in, got)
		}
	}
}

func TestShingle(t *testing.T) {
	for in, want := range map[string]int{
		"": 0, "one": 1, "don't stop": 2, "it’s": 1, "a-b c.d": 4, "日本語": 3, "日本 abc": 3, "日本abc中d": 5, "é中'a'": 3, "naïve café": 2, "10 000": 2, "…": 0,
	} {
		if got := Shingle(in).Words; got != want {
			t.Errorf("%q has %d words, want %d", in, got, want)
		}
	}
	a, b := Shingle("The quick Brown fox, jumps over"), Shingle("the quick brown fox jumps over")
	if !slices.Equal(a.Shingles, b.Shingles) || len(a.Shingles) != 2 {
		t.Errorf("shingles %v and %v", a.Shingles, b.Shingles)
	}
	if a.Hash == b.Hash || Shingle("ÄB").Hash != Shingle("äb").Hash {
		t.Error("the hash is to heed punctuation and not case")
	}
}

func TestWidth(t *testing.T) {
	for _, c := range []struct {
		s    string
		want float64
	}{
		{"", 0}, {"i", 4.44}, {"W", 18.88}, {"iiii", 17.76}, {"é", 11.12}, {"日", 20}, {"a\u0301", 11.12}, {"Fernhollow", 97.8},
	} {
		if got := Width(c.s, 20); math.Abs(got-c.want) > 0.005 {
			t.Errorf("Width(%q) = %.2f, want %.2f", c.s, got, c.want)
		}
	}
}

func TestThousands(t *testing.T) {
	for in, want := range map[int]string{0: "0", 999: "999", 1000: "1\u202f000", 1234567: "1\u202f234\u202f567", -100: "-100"} {
		if got := Thousands(in); got != want {
			t.Errorf("Thousands(%d) = %q, want %q", in, got, want)
		}
	}
}

// TestDiffer: the passages of each side, put together, are the texts.
func TestDiffer(t *testing.T) {
	a, b := "The fern grows in the shade of\nold oaks and wants water", "The fern grows in deep shade and wants no water at all"
	var left, right, both []string
	for _, p := range Differ(a, b) {
		switch p.In {
		case "a":
			left = append(left, p.Text)
		case "b":
			right = append(right, p.Text)
		default:
			left, right, both = append(left, p.Text), append(right, p.Text), append(both, p.Text)
		}
	}
	if got := strings.Join(left, " "); got != strings.Join(strings.Fields(a), " ") {
		t.Errorf("left %q", got)
	}
	if got := strings.Join(right, " "); got != b {
		t.Errorf("right %q", got)
	}
	if len(both) < 3 || both[0] != "The fern grows in" {
		t.Errorf("both %q", both)
	}
	if got := Differ("", ""); len(got) != 0 {
		t.Errorf("nothing against nothing: %v", got)
	}
}

// BenchmarkShingle is measured against copying the text.
func BenchmarkShingle(b *testing.B) {
	in := []byte(strings.Repeat("The gardeners leave it alone for years, then divide it into 12 pieces.\n\t\t", 400))
	b.Run("fold", func(b *testing.B) {
		b.SetBytes(int64(len(in)))
		var out []byte
		for b.Loop() {
			out = AppendFolded(out[:0], in, '\n')
		}
	})
	b.Run("shingle", func(b *testing.B) {
		s := string(AppendFolded(nil, in, '\n'))
		b.SetBytes(int64(len(s)))
		var buf []uint64
		for b.Loop() {
			buf = ShingleIn(buf, s).Shingles
		}
	})
}

// TestDifferLong: texts of more different words than there are characters are compared all the same.
func TestDifferLong(t *testing.T) {
	var a, b strings.Builder
	for i := range 1_300_000 {
		fmt.Fprintf(&a, "a%d\n", i)
		fmt.Fprintf(&b, "b%d\n", i)
	}
	if got := Differ(a.String(), b.String()); len(got) == 0 {
		t.Error("texts that share nothing do not differ")
	}
	if gone, added := DifferLines(a.String(), b.String()); len(gone) == 0 || len(added) == 0 {
		t.Error("lines that nobody shares are the same")
	}
}
