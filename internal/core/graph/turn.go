package graph

import "slices"

// Turned turns the graph round: which pages name a number, each once, rising. In are how many do, as Graph.In counts
// them.
func (g *Graph) Turned(in []int32) func(int32) []int32 {
	n := len(in)
	ends := make([]int32, n+1)
	for i, count := range in {
		ends[i+1] = ends[i] + count
	}
	sources := make([]int32, ends[n])
	next := append([]int32(nil), ends[:n]...)
	last := make([]int32, n)
	g.Each(func(p int32, to []int32, _ []Mark) {
		for _, t := range to {
			if t != p && last[t] != p+1 {
				last[t] = p + 1
				sources[next[t]] = p
				next[t]++
			}
		}
	})
	return func(id int32) []int32 {
		from := sources[ends[id]:ends[id+1]]
		slices.Sort(from) // pages are not always taken in order of their numbers
		return from
	}
}
