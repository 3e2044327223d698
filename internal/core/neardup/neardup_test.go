package neardup

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// corpus makes n texts as sets of shingles: some alone, some in families that differ a little.
func corpus(r *rand.Rand, n int) (texts []Text, sets map[int32][]uint64) {
	sets = map[int32][]uint64{}
	var base []uint64
	for i := range int32(n) {
		switch {
		case i%10 < 4 || base == nil: // alone, and the head of a family
			base = make([]uint64, 60+r.IntN(300))
			for k := range base {
				base[k] = r.Uint64()
			}
			sets[i] = slices.Clone(base)
		default:
			s := slices.Clone(base)
			for range r.IntN(1 + len(s)/12) { // likeness from about 0.85 up to 1
				s[r.IntN(len(s))] = r.Uint64()
			}
			sets[i] = s
		}
		texts = append(texts, Text{i, Sketch(sets[i])})
	}
	return texts, sets
}

func load(sets map[int32][]uint64) func([]int32) map[int32][]uint64 {
	return func(ids []int32) map[int32][]uint64 {
		out := map[int32][]uint64{}
		for _, id := range ids {
			out[id] = slices.Clone(sets[id])
		}
		return out
	}
}

// TestPairsAgainstBruteForce compares with all pairs of 5,000 texts: no false pair, and at
// least 99 of 100 true ones.
func TestPairsAgainstBruteForce(t *testing.T) {
	texts, sets := corpus(rand.New(rand.NewPCG(3, 4)), 5000)
	sorted := map[int32][]uint64{}
	for id, s := range sets {
		s = slices.Clone(s)
		slices.Sort(s)
		sorted[id] = slices.Compact(s)
	}
	// Texts of different families share no shingle, so only neighbours need comparing.
	truth := map[string]float64{}
	for a := range int32(len(texts)) {
		for b := a + 1; b < min(a+12, int32(len(texts))); b++ {
			if j := Jaccard(sorted[a], sorted[b]); j >= 0.9 {
				truth[fmt.Sprint(a, b)] = j
			}
		}
	}
	pairs := Pairs(texts, 0.9, load(sets))
	hit := 0
	for _, p := range pairs {
		if truth[fmt.Sprint(p.A, p.B)] != p.Likeness {
			t.Fatalf("false pair %+v", p)
		}
		hit++
	}
	if recall := float64(hit) / float64(len(truth)); recall < 0.99 || len(truth) < 1000 {
		t.Errorf("recall %.4f of %d pairs", recall, len(truth))
	}
	shuffled := slices.Clone(texts)
	rand.New(rand.NewPCG(5, 6)).Shuffle(len(shuffled),
		func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
	if !slices.Equal(pairs, Pairs(shuffled, 0.9, load(sets))) {
		t.Error("another order of texts gives other pairs")
	}
}

func TestGroups(t *testing.T) {
	got := Groups([]Pair{{A: 5, B: 9}, {A: 1, B: 2}, {A: 2, B: 7}})
	if len(got) != 2 || !slices.Equal(got[0], []int32{1, 2, 7}) || !slices.Equal(got[1], []int32{5, 9}) {
		t.Errorf("groups %v", got)
	}
}

func TestLayouts(t *testing.T) {
	frame := func(from, to uint32) []uint32 {
		var f []uint32
		for v := from; v < to; v++ {
			f = append(f, v*2654435761)
		}
		return Frame(f)
	}
	frames := [][]uint32{frame(0, 30), frame(0, 31), nil, frame(100, 130), frame(0, 30), frame(0, 28), frame(200, 203)}
	got, leaders := Layouts(frames)
	if want := []int32{0, 0, -1, 1, 0, 0, 2}; !slices.Equal(got[:3], want[:3]) || got[3] == got[0] || got[4] != 0 ||
		got[5] != 0 || got[6] == got[3] {
		t.Errorf("layouts %v, want %v or the like", got, want)
	}
	names := NameLayouts(leaders, nil)
	known := map[string][]uint32{names[0]: leaders[0], names[1]: leaders[1], names[2]: leaders[2]}
	_, later := Layouts([][]uint32{frame(100, 131), frame(100, 131), frame(0, 32), frame(400, 430)})
	kept := NameLayouts(later, known)
	if kept[0] != names[1] || kept[1] != names[0] {
		t.Errorf("a later crawl names its layouts %v, want %s and %s first: they grew by a little", kept, names[1],
			names[0])
	}
	if slices.Contains(names, kept[2]) {
		t.Errorf("a new layout got the name %s of an old one", kept[2])
	}
}

// BenchmarkPairs shows how time grows with the number of texts.
func BenchmarkPairs(b *testing.B) {
	for _, n := range []int{5_000, 50_000} {
		texts, sets := corpus(rand.New(rand.NewPCG(7, 8)), n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				Pairs(texts, 0.9, load(sets))
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/text")
		})
	}
}
