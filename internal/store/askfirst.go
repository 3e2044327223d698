package store

import (
	"cmp"
	"slices"
)

// first keeps the first of many hits by their keys; of equal ones, those that came first.
type first struct {
	most    int                // that are wanted
	compare func(a, b any) int // of keys

	held   []placed
	came   int
	sifted int // the first so many of held are in order: the best of all that had come by then
}

// placed is a hit with its place among all that came.
type placed struct {
	hit
	nth int
}

// slack is how many more than are wanted are held before they are sifted.
const slack = 4096

func (f *first) add(h hit) {
	f.came++
	if f.sifted == f.most && (f.most == 0 || f.compare(h.key, f.held[f.most-1].key) >= 0) {
		return // as many come before it
	}
	if f.held = append(f.held, placed{h, f.came}); len(f.held) >= 2*f.most+slack {
		f.sift()
	}
}

// sift puts in order what is held, and lets go of what is not wanted.
func (f *first) sift() {
	slices.SortFunc(f.held, func(a, b placed) int {
		return cmp.Or(f.compare(a.key, b.key), cmp.Compare(a.nth, b.nth))
	})
	if len(f.held) > f.most {
		clear(f.held[f.most:])
		f.held = f.held[:f.most]
	}
	f.sifted = len(f.held)
}

// sorted are those that are wanted, in order.
func (f *first) sorted() []hit {
	f.sift()
	out := make([]hit, len(f.held))
	for i := range f.held {
		out[i] = f.held[i].hit
	}
	return out
}
