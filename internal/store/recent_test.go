package store

import (
	"slices"
	"testing"
)

// TestRecent: pages that were just stored are held until their crawl is forgotten; of a crawl that is too large
// none is, and what it would take is another's.
func TestRecent(t *testing.T) {
	var r recent
	few := func(n, size int) (ids []int32, parts []long) {
		for i := range n {
			ids, parts = append(ids, int32(i)), append(parts, long{facts: make([]byte, size), links: []byte{byte(i)}})
		}
		return ids, parts
	}
	ids, parts := few(3, 10)
	r.keep(1, ids, parts)
	held, rest := r.have(1, []int32{2, 7, 0})
	if len(held) != 2 || held[0].id != 2 || held[0].links[0] != 2 || held[1].id != 0 ||
		!slices.Equal(rest, []int32{7}) {
		t.Errorf("%+v, and not %v", held, rest)
	}
	ids, parts = few(2, mostOfOne/2)
	r.keep(2, ids, parts)
	r.keep(2, []int32{9}, parts[:1]) // nor what comes later
	if held, rest := r.have(2, []int32{0, 9}); len(held) != 0 || len(rest) != 2 {
		t.Errorf("%d pages of a large crawl are held", len(held))
	}
	ids, parts = few(1, mostOfOne-1000)
	r.keep(3, ids, parts)
	r.keep(4, ids, parts) // both are more than all may be
	if a, _ := r.have(3, ids); len(a) != 1 {
		t.Error("another crawl's pages are let go")
	}
	if b, _ := r.have(4, ids); len(b) != 0 {
		t.Error("more is held than may be")
	}
	r.forget(3)
	r.forget(1)
	for _, crawl := range []int64{1, 3} {
		if held, _ := r.have(crawl, []int32{0}); len(held) != 0 {
			t.Errorf("crawl %d is not forgotten", crawl)
		}
	}
}
