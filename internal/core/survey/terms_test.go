package survey

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/text"
)

// TestTerms: what a page says often and others seldom comes first, forms of a word together under the
// one that is used most; common words and short ones are none.
func TestTerms(t *testing.T) {
	var v vocabulary
	v.add(1, CountWords("The orchids of the house. An orchid wants shade, orchids want air; the garden has a house."), "en")
	v.add(2, CountWords("Ferns of the garden in the house: a fern is a fern, and it is old."), "en-GB")
	v.add(3, CountWords("Der Garten und die Farne, der Farn im Garten."), "de")
	got := v.strongest()
	if first := got[1][:2]; !slices.Equal(first, []string{"orchids", "want"}) {
		t.Errorf("page 1 is about %q", got[1])
	}
	if got[2][0] != "fern" || slices.Contains(got[2], "the") || slices.Contains(got[2], "is") {
		t.Errorf("page 2 is about %q", got[2])
	}
	if !slices.Contains(got[3], "garten") || slices.Contains(got[3], "und") {
		t.Errorf("page 3 is about %q", got[3])
	}
}

// TestTermsInAnyOrder: the order in which texts come makes no difference.
func TestTermsInAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	texts := map[int32]string{}
	for id := range int32(60) {
		var b strings.Builder
		for range r.IntN(200) {
			fmt.Fprintf(&b, "word%c%c ", 'a'+r.IntN(6), 'a'+r.IntN(6))
		}
		texts[id] = b.String()
	}
	var ordered, mixed vocabulary
	for id, s := range texts { // in any order
		mixed.add(id, CountWords(s), "")
	}
	for _, id := range slices.Sorted(maps.Keys(texts)) {
		ordered.add(id, CountWords(texts[id]), "")
	}
	if a, b := ordered.strongest(), mixed.strongest(); !reflect.DeepEqual(a, b) {
		t.Errorf("%v\n%v", a, b)
	}
}

// TestTermForms: words of three letters and more are terms, unless they begin with a digit.
func TestTermForms(t *testing.T) {
	var v vocabulary
	v.add(1, CountWords("yew elm öko ox 0day 9th 5ive x0day"), "")
	got := v.strongest()[1]
	slices.Sort(got)
	if want := []string{"elm", "x0day", "yew", "öko"}; !slices.Equal(got, want) {
		t.Errorf("terms are %q, want %q", got, want)
	}
}

// TestCommonest is held to sorting all of them.
func TestCommonest(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for range 300 {
		var v vocabulary
		v.add(0, CountWords(""), "")
		var words []string
		for range r.IntN(400) {
			words = append(words, fmt.Sprintf("w%c%c", 'a'+min(r.IntN(26), r.IntN(26)),
				'a'+min(r.IntN(26), r.IntN(26))))
		}
		for range r.IntN(200) {
			words = append(words, "often")
		}
		v.count(CountWords(strings.Join(words, " ")), "")
		got := v.commonest()
		want := make([]string, 0, len(v.met))
		for _, n := range v.met {
			want = append(want, fmt.Sprintf("%05d %s", 99999-v.counts[n], v.list[n]))
		}
		slices.Sort(want)
		want = want[:min(len(want), termsKept)]
		if len(got) != len(want) {
			t.Fatalf("%d terms, want %d", len(got), len(want))
		}
		for i, g := range got {
			if s := fmt.Sprintf("%05d %s", 99999-g.count, v.list[g.term]); s != want[i] {
				t.Fatalf("term %d is %s, want %s", i, s, want[i])
			}
		}
	}
}

// TestCountWords is held to counting with a map, on texts with more words than most have, and at the bound.
func TestCountWords(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 200 {
		var b strings.Builder
		for range r.IntN(4000) {
			b.WriteString([]string{
				"a", "b1", "ü", "Fern", "fern", "o’clock", "庭", string(rune('a' + r.IntN(26))),
			}[r.IntN(8)])
			b.WriteString([]string{" ", ", ", ""}[r.IntN(3)])
		}
		main := b.String()
		want, order := map[string]int32{}, []string{}
		text.EachWord(main[:min(len(main), sampled)], func(w string) {
			if want[w]++; want[w] == 1 {
				order = append(order, w)
			}
		})
		got := CountWords(main)
		if len(got) != len(order) {
			t.Fatalf("%d words, want %d", len(got), len(order))
		}
		for i, w := range got {
			if w.Word != order[i] || w.Times != want[w.Word] {
				t.Fatalf("word %d is %q, %d times, want %q, %d times", i, w.Word, w.Times, order[i], want[order[i]])
			}
		}
	}
	if n := len(CountWords(strings.Repeat("a ", sampled))); n != 1 {
		t.Errorf("%d words of one", n)
	}
}
