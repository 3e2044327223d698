package fixlist

import (
	"slices"

	"harvik/internal/core/check"
)

// findRoots tells which entries only follow from another on the same page, by what the checks say that
// they explain. A shared value follows where it is shared no more once pages that a root speaks of are
// seen as what they are: stubs as none, addresses of one page as one.
func (b *builder) findRoots() {
	b.roots = slices.Repeat([]int32{-1}, len(b.entries))
	roots := map[int32][]int32{} // page → its entries of checks that explain others
	for i := range b.entries {
		if e := &b.entries[i]; e.page >= 0 && len(b.Checks[e.check].Explains) > 0 {
			roots[e.page] = append(roots[e.page], int32(i))
		}
	}
	if len(roots) == 0 {
		return
	}
	shared := map[int32][]int32{} // cause → entries, of values
	for i := range b.entries {
		e := &b.entries[i]
		switch {
		case e.page < 0:
		case e.cause >= 0 && b.Checks[e.check].Gather == check.ByValue:
			shared[e.cause] = append(shared[e.cause], int32(i))
		default:
			b.roots[i] = b.rootOf(e, roots[e.page])
		}
	}
	for _, entries := range shared {
		b.followShared(entries, roots)
	}
	for i, r := range b.roots { // what follows does not explain in turn
		if r >= 0 && b.roots[r] >= 0 {
			b.roots[i] = b.roots[r]
		}
	}
}

// rootOf is the entry, among those of its page, from which one follows; −1 for none.
func (b *builder) rootOf(e *entry, among []int32) int32 {
	for _, r := range among {
		c := b.Checks[b.entries[r].check]
		if b.entries[r].check != e.check && c.DoesExplain(b.Checks[e.check]) {
			return r
		}
	}
	return -1
}

func (b *builder) followShared(entries []int32, roots map[int32][]int32) {
	units := map[[2]int32]bool{} // pages that are left, each by its number or by what makes it one with others
	first := int32(-1)
	of := make([]int32, len(entries))
	for k, i := range entries {
		e := &b.entries[i]
		of[k] = b.rootOf(e, roots[e.page])
		switch r := of[k]; {
		case r < 0:
			units[[2]int32{0, e.page}] = true
		case b.entries[r].cause >= 0 && b.Checks[b.entries[r].check].Gather == check.ByValue:
			units[[2]int32{1, b.entries[r].cause}] = true
		}
		if of[k] >= 0 && (first < 0 || of[k] < first) {
			first = of[k]
		}
	}
	if len(units) > 1 {
		return
	}
	for k, i := range entries {
		if b.roots[i] = of[k]; of[k] < 0 {
			b.roots[i] = first // it shares with nothing else
		}
	}
}

// follow puts what follows from others into the lines of those.
func (b *builder) follow(found []gathered) {
	line := make([]int32, len(b.entries)) // by entry: the line that it is part of
	for k := range found {
		for _, i := range found[k].entries {
			line[i] = int32(k)
		}
	}
	grown := map[int32]bool{}
	for i, r := range b.roots {
		if r >= 0 {
			k := line[r]
			found[k].entries = append(found[k].entries, int32(i))
			grown[k] = true
		}
	}
	for k := range grown {
		slices.Sort(found[k].entries)
	}
}
