package neardup

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"testing"
)

// features are numbers from a range, as what a page's structure is made of.
func features(from, to uint32) []uint32 {
	var out []uint32
	for v := from; v < to; v++ {
		out = append(out, v)
	}
	return out
}

// TestMerge puts pages of one template together that differ by their content, and leaves templates apart.
func TestMerge(t *testing.T) {
	var frames [][]uint32
	add := func(pages int, parts ...[]uint32) (first int) {
		first = len(frames)
		for range pages {
			frames = append(frames, slices.Concat(parts...))
		}
		return first
	}
	around := features(0, 20)
	article := add(20, around)
	few := add(fewPages, around, features(100, 140))
	many := add(fewPages+1, around, features(200, 240))
	little := add(fewPages+1, around, features(300, 308))
	most := add(fewPages, features(2, 20), features(400, 440))
	less := add(fewPages, features(3, 20), features(500, 540))
	bare := add(2, features(0, 3), features(600, 620))
	got, leaders := Layouts(frames)
	for name, one := range map[string]struct {
		page int
		same bool
	}{
		"few pages with much of their own":             {few, true},
		"many pages that share much of their own":      {many, false},
		"many pages that share little of their own":    {little, true},
		"few pages with nine tenths of what is around": {most, true},
		"few pages with less of it":                    {less, false},
		"pages with what every page has":               {bare, false},
	} {
		if (got[one.page] == got[article]) != one.same {
			t.Errorf("%s are of layout %d, the articles of %d", name, got[one.page], got[article])
		}
	}
	if got[article] != 0 || len(leaders) != 4 {
		t.Errorf("%d layouts, the largest is number %d", len(leaders), got[article])
	}
}

// TestCore: what four of five pages of a layout have is its core, and a core of less than leastCore draws nothing
// to it.
func TestCore(t *testing.T) {
	for _, c := range []struct {
		name  string
		have  int // of ten pages, those with the features that the small layout lacks
		large int // features that all of the large layout's pages have
		same  bool
	}{
		{"eight of ten", 8, 20, false}, {"seven of ten", 7, 20, true}, {"a core of three", 0, 3, false}, {"of four", 0, 4, true},
	} {
		var frames [][]uint32
		for i := range 10 {
			f := features(0, uint32(c.large))
			if i < c.have {
				f = append(f, features(50, 56)...)
			}
			frames = append(frames, f)
		}
		frames = append(frames, append(features(0, uint32(c.large)), features(900, 940)...))
		got := make([]int32, len(frames))
		got[10] = 1
		merged, _ := merge(frames, got, [][]uint32{frames[0], frames[10]})
		if (merged[10] == merged[0]) != c.same {
			t.Errorf("%s: layouts %v", c.name, merged)
		}
	}
}

// TestNames: layouts of the same structure get names of their own, of five letters where that will do.
func TestNames(t *testing.T) {
	leaders := slices.Repeat([][]uint32{features(0, 30)}, 12)
	names := NameLayouts(leaders, nil)
	for i, n := range names {
		if len(n) != 5+i || !strings.HasPrefix(strings.TrimRight(n, "2")+"2222222222", names[0]) ||
			slices.Contains(names[:i], n) {
			t.Errorf("name %d of the same is %q, the first %q", i, n, names[0])
		}
	}
	// as many features in common as just make two layouts the same
	a, b := features(0, 10), features(0, 7)
	if Jaccard(a, b) != LayoutLikeness {
		t.Fatalf("likeness %v, not %v", Jaccard(a, b), LayoutLikeness)
	}
	if got := NameLayouts([][]uint32{a}, map[string][]uint32{"known": b}); got[0] != "known" {
		t.Errorf("named %v", got)
	}
	if got := NameLayouts([][]uint32{a}, map[string][]uint32{"known": features(0, 6)}); got[0] == "known" {
		t.Error("a layout that is less like it got its name")
	}
}

// TestSketchStays: sketches are kept with crawls and held against those of later ones, so what they are made by cannot
// change unnoticed.
func TestSketchStays(t *testing.T) {
	for n, want := range map[int]string{1: "bec94e208da7311b", 10: "e84ee4f16dad28b6", 400: "ae9c6704d80cedc3"} {
		set := make([]uint64, n)
		for i := range set {
			set[i] = uint64(i+1) * 0x9e3779b97f4a7c15
		}
		h := fnv.New64a()
		fmt.Fprint(h, Sketch(set))
		if got := fmt.Sprintf("%x", h.Sum64()); got != want {
			t.Errorf("the sketch of %d shingles is %s, was %s", n, got, want)
		}
	}
	if Sketch(nil) != nil {
		t.Error("nothing has a sketch")
	}
	if got := Agreement([]uint32{1, 2, 3, 4}, []uint32{1, 2, 9, 9}); got != 0.5 {
		t.Errorf("half of a sketch agrees as %v", got)
	}
}

// TestFirstPair finds the pair of a crawl of two pages, and one whose likeness is just enough.
func TestFirstPair(t *testing.T) {
	set := func(from, to uint64) (out []uint64) {
		for v := from; v < to; v++ {
			out = append(out, v*0x9e3779b97f4a7c15)
		}
		return out
	}
	for _, c := range []struct {
		a, b []uint64
		want float64 // 0 for no pair
	}{
		{set(0, 95), set(0, 95), 1}, {set(0, 95), set(5, 100), 0.9}, {set(0, 95), set(6, 100), 0},
		{set(0, 95), set(200, 300), 0},
	} {
		sets := map[int32][]uint64{0: c.a, 1: c.b}
		got := Pairs([]Text{{0, Sketch(c.a)}, {1, Sketch(c.b)}}, 0.9, load(sets))
		if len(got) > 0 != (c.want > 0) || c.want > 0 && got[0].Likeness != c.want {
			t.Errorf("%d and %d shingles, %v wanted: %+v", len(c.a), len(c.b), c.want, got)
		}
	}
}

// TestNearest: a page that is like two layouts is of the one that it is more like, whichever has more pages.
func TestNearest(t *testing.T) {
	frames := slices.Repeat([][]uint32{features(0, 20)}, 5)
	frames = append(frames, slices.Repeat([][]uint32{features(4, 24)}, 4)...)
	frames = append(frames, features(3, 23), features(1, 21))
	got, _ := Layouts(frames)
	if got[0] == got[5] || got[9] != got[5] || got[10] != got[0] {
		t.Errorf("layouts %v", got)
	}
}

// TestOwnShare: three tenths of what a layout's pages share may be their own.
func TestOwnShare(t *testing.T) {
	set := func(n uint32) map[uint32]bool {
		out := map[uint32]bool{}
		for _, f := range features(0, n) {
			out[f] = true
		}
		return out
	}
	for _, c := range []struct {
		large uint32
		pages int
		want  bool
	}{{70, fewPages + 1, true}, {69, fewPages + 1, false}, {69, fewPages, true}} {
		if got := belongs(set(100), set(c.large), c.pages); got != c.want {
			t.Errorf("%d of 100 features are the larger's, on %d pages: %v", c.large, c.pages, got)
		}
	}
}

// TestClusterBatch verifies whole clusters at once, as many as there is room for and one at least.
func TestClusterBatch(t *testing.T) {
	for _, c := range []struct{ first, second, want int }{
		{batch - 10, 10, batch}, {batch - 10, 11, batch - 10}, {batch + 10, 5, batch + 10}, {3, 4, 7},
	} {
		var candidates []Pair
		groups := newSets()
		for i := range c.first {
			candidates = append(candidates, Pair{A: 0, B: int32(i) + 1})
		}
		for i := range c.second {
			candidates = append(candidates, Pair{A: 100_000, B: int32(i) + 100_001})
		}
		for _, p := range candidates {
			groups.join(p.A, p.B)
		}
		if got := clusterBatch(candidates, groups); got != c.want {
			t.Errorf("clusters of %d and %d: %d at once, want %d", c.first, c.second, got, c.want)
		}
	}
}
