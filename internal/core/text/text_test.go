package text

import (
	"math"
	"slices"
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

func TestShingle(t *testing.T) {
	for in, want := range map[string]int{
		"": 0, "one": 1, "don't stop": 2, "it’s": 1, "a-b c.d": 4, "日本語": 3, "日本 abc": 3, "naïve café": 2, "10 000": 2, "…": 0,
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
