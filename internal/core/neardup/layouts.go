package neardup

import (
	"cmp"
	"encoding/binary"
	"slices"
)

// LayoutLikeness is how alike two pages' frames must be to count as one layout.
const LayoutLikeness = 0.7

// maxLayouts bounds the comparisons: a site whose every page is built differently has no
// layouts to speak of.
const maxLayouts = 256

// Layouts tells pages of one template from others by their frames. The answer gives each
// frame a layout number from 0 (the most common), or −1 for an empty frame or one that is
// like none of the first 256. It does not depend on the order of frames.
func Layouts(frames [][]uint32) []int32 {
	type variant struct {
		frame   []uint32
		members []int
	}
	variants := map[string]*variant{}
	for i, f := range frames {
		if len(f) == 0 {
			continue
		}
		key := make([]byte, 0, 4*len(f))
		for _, v := range f {
			key = binary.BigEndian.AppendUint32(key, v)
		}
		v := variants[string(key)]
		if v == nil {
			v = &variant{frame: f}
			variants[string(key)] = v
		}
		v.members = append(v.members, i)
	}
	sorted := make([]*variant, 0, len(variants))
	for _, v := range variants {
		sorted = append(sorted, v)
	}
	slices.SortFunc(sorted, func(a, b *variant) int {
		return cmp.Or(cmp.Compare(len(b.members), len(a.members)), slices.Compare(a.frame, b.frame))
	})
	out := make([]int32, len(frames))
	for i := range out {
		out[i] = -1
	}
	var leaders [][]uint32
	for _, v := range sorted {
		best, likeness := -1, LayoutLikeness
		for k, l := range leaders {
			if j := Jaccard(l, v.frame); j >= likeness && (best < 0 || j > likeness) {
				best, likeness = k, j
			}
		}
		if best < 0 {
			if len(leaders) == maxLayouts {
				continue
			}
			best = len(leaders)
			leaders = append(leaders, v.frame)
		}
		for _, i := range v.members {
			out[i] = int32(best)
		}
	}
	return out
}
