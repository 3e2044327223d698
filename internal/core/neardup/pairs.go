package neardup

import (
	"cmp"
	"slices"
)

// A Text is one text to compare; ID is the caller's.
type Text struct {
	ID     int32
	Sketch []uint32
}

// A Pair is two texts that are alike; A < B.
type Pair struct {
	A, B     int32
	Likeness float64 // Jaccard index, 0 to 1
}

// bucketReach bounds how many earlier members of a bucket a text is compared with, so that
// a thousand copies of one template cost a thousand comparisons times this, not a million.
const bucketReach = 48

// slack is how far the sketches' agreement may fall short of the threshold before a
// candidate is dropped unread: four standard deviations at a likeness of 0.9.
const slack = 0.19

// batch is how many texts are held at once for verification, if no cluster is larger.
const batch = 4096

// Pairs finds the pairs that are at least threshold alike. Shingles hands out the shingles
// of the texts asked for; it is called with batches. The result is sorted and does not
// depend on the order of texts.
func Pairs(texts []Text, threshold float64, shingles func(ids []int32) map[int32][]uint64) []Pair {
	texts = slices.Clone(texts)
	slices.SortFunc(texts, func(a, b Text) int { return cmp.Compare(a.ID, b.ID) })
	candidates := candidatePairs(texts, threshold-slack)
	groups := newSets()
	for _, c := range candidates {
		groups.join(c.A, c.B)
	}
	slices.SortStableFunc(candidates, func(a, b Pair) int {
		return cmp.Compare(groups.find(a.A), groups.find(b.A))
	})
	var out []Pair
	for len(candidates) > 0 {
		n := clusterBatch(candidates, groups)
		out = append(out, verify(candidates[:n], threshold, shingles)...)
		candidates = candidates[n:]
	}
	slices.SortFunc(out, comparePairs)
	return out
}

func comparePairs(a, b Pair) int {
	return cmp.Or(cmp.Compare(a.A, b.A), cmp.Compare(a.B, b.B))
}

func candidatePairs(texts []Text, least float64) []Pair {
	type member struct {
		key uint64
		at  int32
	}
	members := make([]member, 0, len(texts))
	seen := make(map[uint64]struct{})
	var out []Pair
	for band := range Bands {
		members = members[:0]
		for i, t := range texts {
			if t.Sketch == nil {
				continue
			}
			key := uint64(14695981039346656037)
			for _, v := range t.Sketch[band*Rows : band*Rows+Rows] {
				key = (key ^ uint64(v)) * 1099511628211
			}
			members = append(members, member{key, int32(i)})
		}
		slices.SortFunc(members, func(a, b member) int {
			return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.at, b.at))
		})
		for i, m := range members {
			for j := i - 1; j >= 0 && j >= i-bucketReach && members[j].key == m.key; j-- {
				a, b := members[j].at, m.at
				id := uint64(a)<<32 | uint64(b)
				if _, known := seen[id]; known || Agreement(texts[a].Sketch, texts[b].Sketch) < least {
					continue
				}
				seen[id] = struct{}{}
				out = append(out, Pair{A: texts[a].ID, B: texts[b].ID})
			}
		}
	}
	slices.SortFunc(out, comparePairs)
	return out
}

func Agreement(a, b []uint32) float64 {
	same := 0
	for i := range a {
		if a[i] == b[i] {
			same++
		}
	}
	return float64(same) / float64(len(a))
}

// clusterBatch is how many of the candidates, whole clusters only, to verify at once.
func clusterBatch(candidates []Pair, groups *sets) int {
	n := 0
	for n < len(candidates) {
		root := groups.find(candidates[n].A)
		end := n
		for end < len(candidates) && groups.find(candidates[end].A) == root {
			end++
		}
		if n > 0 && end > batch {
			break
		}
		n = end
	}
	return n
}

func verify(candidates []Pair, threshold float64, shingles func([]int32) map[int32][]uint64) []Pair {
	var ids []int32
	for _, c := range candidates {
		ids = append(ids, c.A, c.B)
	}
	slices.Sort(ids)
	sets := shingles(slices.Compact(ids))
	for id, s := range sets {
		slices.Sort(s)
		sets[id] = slices.Compact(s)
	}
	var out []Pair
	for _, c := range candidates {
		if c.Likeness = Jaccard(sets[c.A], sets[c.B]); c.Likeness >= threshold {
			out = append(out, c)
		}
	}
	return out
}

// Jaccard is the likeness of two sorted sets. Two empty sets are not alike.
func Jaccard[T cmp.Ordered](a, b []T) float64 {
	if len(a) == 0 || len(b) == 0 {
		return 0
	}
	both, i, j := 0, 0, 0
	for i < len(a) && j < len(b) {
		switch {
		case a[i] == b[j]:
			both++
			i++
			j++
		case a[i] < b[j]:
			i++
		default:
			j++
		}
	}
	return float64(both) / float64(len(a)+len(b)-both)
}

// Groups joins pairs into groups, each sorted, in order of their first member.
func Groups(pairs []Pair) [][]int32 {
	s := newSets()
	for _, p := range pairs {
		s.join(p.A, p.B)
	}
	byRoot := map[int32][]int32{}
	for id := range s.parent {
		root := s.find(id)
		byRoot[root] = append(byRoot[root], id)
	}
	out := make([][]int32, 0, len(byRoot))
	for _, g := range byRoot {
		slices.Sort(g)
		out = append(out, g)
	}
	slices.SortFunc(out, func(a, b []int32) int { return cmp.Compare(a[0], b[0]) })
	return out
}

// sets is a union-find whose roots are the smallest members.
type sets struct{ parent map[int32]int32 }

func newSets() *sets { return &sets{map[int32]int32{}} }

func (s *sets) find(x int32) int32 {
	p, ok := s.parent[x]
	if !ok {
		s.parent[x] = x
		return x
	}
	for p != x {
		grand := s.parent[p]
		s.parent[x] = grand
		x, p = p, grand
	}
	return x
}

func (s *sets) join(a, b int32) {
	a, b = s.find(a), s.find(b)
	if a > b {
		a, b = b, a
	}
	s.parent[b] = a
}
