package store

import (
	"math/rand/v2"
	"slices"
	"testing"

	"harvik/internal/core/query"
)

// TestFirst: the first of many are those that sorting all of them puts first, ties as they came.
func TestFirst(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for _, c := range []struct{ hits, most, keys int }{
		{0, 5, 3}, {3, 5, 3}, {20_000, 0, 10}, {20_000, 1, 4}, {20_000, 50, 7}, {20_000, 200, 1_000_000},
		{20_000, 19_999, 50}, {20_000, 1 << 40, 50},
	} {
		for _, compare := range []func(a, b any) int{query.Compare, query.CompareFalling} {
			f := first{most: c.most, compare: compare}
			var all []hit
			for i := range c.hits {
				h := hit{id: int32(i), key: r.IntN(c.keys)}
				if r.IntN(5) == 0 {
					h.key = nil
				}
				all = append(all, h)
				f.add(h)
				if len(f.held) > 2*c.most+slack {
					t.Fatalf("%+v: %d are held", c, len(f.held))
				}
			}
			slices.SortStableFunc(all, func(a, b hit) int { return compare(a.key, b.key) })
			got := f.sorted()
			if want := all[:min(c.most, len(all))]; !slices.EqualFunc(
				got,
				want,
				func(a, b hit) bool { return a.id == b.id },
			) {
				t.Errorf("%+v: the first are not those that come first", c)
			}
		}
	}
}
