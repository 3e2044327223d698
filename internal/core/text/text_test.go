package text

import (
	"math"
	"slices"
	"strings"
	"testing"
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

func TestFoldLines(t *testing.T) {
	for in, want := range map[string]string{
		"\x1e a \x1e b\x1e\x1e c \x1e ": "a\nb\nc", "a\n b": "a b", "é\x1e\u00a0é": "é\né", "\x1e": "", "a \u2003\x1eb": "a\nb",
	} {
		if got := FoldLines([]byte(in)); got != want {
			t.Errorf("FoldLines(%q) = %q, want %q", in, got, want)
		}
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
