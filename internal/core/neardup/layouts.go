package neardup

import (
	"cmp"
	"encoding/base32"
	"encoding/binary"
	"hash/fnv"
	"maps"
	"slices"
	"strings"
)

// LayoutLikeness is how alike two pages' frames must be to count as one layout.
const LayoutLikeness = 0.7

// maxLayouts bounds the comparisons: a site whose every page is built differently has no
// layouts to speak of.
const maxLayouts = 256

// Layouts tells pages of one template from others by their frames. The answer gives each
// frame a layout number from 0 (the most common), or −1 for an empty frame or one that is
// like none of the first 256. Leaders are the frames that the layouts are gathered around, by
// number. Neither depends on the order of frames.
func Layouts(frames [][]uint32) (of []int32, leaders [][]uint32) {
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
	return out, leaders
}

// NameLayouts gives each layout a name that it keeps from crawl to crawl: that of the known layout
// whose leader is most like its own, or a new one made from its leader. Each known name is given once.
func NameLayouts(leaders [][]uint32, known map[string][]uint32) []string {
	type pair struct {
		leader   int
		name     string
		likeness float64
	}
	var pairs []pair
	for _, name := range slices.Sorted(maps.Keys(known)) {
		for i, l := range leaders {
			if j := Jaccard(l, known[name]); j >= LayoutLikeness {
				pairs = append(pairs, pair{i, name, j})
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int {
		return cmp.Or(cmp.Compare(b.likeness, a.likeness), cmp.Compare(a.leader, b.leader))
	})
	names := make([]string, len(leaders))
	given := map[string]bool{}
	for _, p := range pairs {
		if names[p.leader] == "" && !given[p.name] {
			names[p.leader], given[p.name] = p.name, true
		}
	}
	for i, l := range leaders {
		if names[i] != "" {
			continue
		}
		h := fnv.New64a()
		for _, v := range l {
			h.Write(binary.BigEndian.AppendUint32(nil, v))
		}
		full := strings.ToLower(base32.StdEncoding.EncodeToString(h.Sum(nil)))
		for n := 5; names[i] == "" || given[names[i]]; n++ {
			names[i] = full[:min(n, 13)] + strings.Repeat("2", max(0, n-13))
		}
		given[names[i]] = true
	}
	return names
}
