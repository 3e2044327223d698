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
	return merge(frames, out, leaders)
}

// What makes two layouts one: pages that hand-written sites build from one template differ by what stands in their
// content, and share what is around it.
const (
	coreShare = 0.8 // of a layout's pages have what is its core
	within    = 0.9 // of the larger layout's core stands on the smaller one's pages
	extra     = 0.3 // of the smaller one's core may be more than that
	leastCore = 4   // features; less than that is around every page of every site
)

// merge puts layouts together whose pages have the core of a larger one and little besides that their own pages
// share. The largest comes first, so that layouts gather around it.
func merge(frames [][]uint32, of []int32, leaders [][]uint32) ([]int32, [][]uint32) {
	cores := make([]map[uint32]bool, len(leaders))
	sizes := make([]int, len(leaders))
	counts := make([]map[uint32]int, len(leaders))
	for i, k := range of {
		if k < 0 {
			continue
		}
		if counts[k] == nil {
			counts[k] = map[uint32]int{}
		}
		sizes[k]++
		for _, f := range frames[i] {
			counts[k][f]++
		}
	}
	for k := range leaders {
		cores[k] = map[uint32]bool{}
		for f, n := range counts[k] {
			if float64(n) >= coreShare*float64(sizes[k]) {
				cores[k][f] = true
			}
		}
	}
	order := make([]int, len(leaders))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(sizes[b], sizes[a]) })
	into := make([]int, len(leaders))
	var kept []int
	for _, k := range order {
		into[k] = k
		for _, larger := range kept {
			if belongs(cores[k], cores[larger], sizes[k]) {
				into[k] = larger
				break
			}
		}
		if into[k] == k {
			kept = append(kept, k)
		}
	}
	number := make([]int32, len(leaders))
	var names [][]uint32
	for n, k := range kept {
		number[k] = int32(n)
		names = append(names, leaders[k])
	}
	out := make([]int32, len(of))
	for i, k := range of {
		if out[i] = -1; k >= 0 {
			out[i] = number[into[k]]
		}
	}
	return out, names
}

// fewPages is up to how many pages do not make a template of their own by what they share.
const fewPages = 4

func belongs(small, large map[uint32]bool, pages int) bool {
	if len(large) < leastCore {
		return false
	}
	both := 0
	for f := range large {
		if small[f] {
			both++
		}
	}
	if float64(both) < within*float64(len(large)) {
		return false
	}
	return pages <= fewPages || float64(len(small)-both) <= extra*float64(len(small))
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
