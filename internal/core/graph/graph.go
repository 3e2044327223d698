// Package graph holds who links to whom and answers what follows from it: links in, click
// depth, authority, redirect chains. Nodes are small numbers of the caller's.
package graph

import "math"

// A Graph is built page by page with Add and read once complete; reading is safe from
// several goroutines. Links take five bytes each.
type Graph struct {
	pages []int32 // nodes with links out, in the order added
	ends  []int   // of each page's links in to
	to    []int32
	marks []Mark
}

// Mark says what kind of link it is.
type Mark uint8

const (
	NoFollow   Mark = 1 << iota
	Navigation      // stands in navigation, header or footer
	Unshown         // of things that pages load: named only, for cards and structured data
	Sometimes       // likewise: a stylesheet that holds for some media, or when somebody chooses it
)

// Add notes a page's links, in document order. Each page is added at most once.
func (g *Graph) Add(page int32, to []int32, marks []Mark) {
	g.pages = append(g.pages, page)
	g.to = append(g.to, to...)
	g.marks = append(g.marks, marks...)
	g.ends = append(g.ends, len(g.to))
}

// Links is the number of links, repeated ones included.
func (g *Graph) Links() int { return len(g.to) }

// Each calls f for every page with its links.
func (g *Graph) Each(f func(page int32, to []int32, marks []Mark)) {
	start := 0
	for i, p := range g.pages {
		end := g.ends[i]
		f(p, g.to[start:end:end], g.marks[start:end:end])
		start = end
	}
}

// In counts for each of n nodes the distinct pages other than itself that link to it.
func (g *Graph) In(n int) []int32 {
	in := make([]int32, n)
	last := make([]int32, n)
	g.Each(func(page int32, to []int32, _ []Mark) {
		for _, t := range to {
			if t != page && last[t] != page+1 {
				last[t] = page + 1
				in[t]++
			}
		}
	})
	return in
}

// Depths counts for each of n nodes the clicks from start, −1 where it cannot be reached. A
// redirect (next[i], −1 for none) is no click.
func (g *Graph) Depths(n int, start int32, next []int32) []int32 {
	at := make([]int32, n)
	for i := range at {
		at[i] = -1
	}
	index := make([]int32, n)
	for i, p := range g.pages {
		index[p] = int32(i) + 1
	}
	level := []int32{start}
	at[start] = 0
	for depth := int32(0); len(level) > 0; depth++ {
		var below []int32
		for i := 0; i < len(level); i++ { // grows: redirects stay on the level
			node := level[i]
			if t := next[node]; t >= 0 && (at[t] < 0 || at[t] > depth) {
				at[t] = depth
				level = append(level, t)
			}
			k := index[node]
			if k == 0 {
				continue
			}
			from := 0
			if k > 1 {
				from = g.ends[k-2]
			}
			for _, t := range g.to[from:g.ends[k-1]] {
				if at[t] < 0 {
					at[t] = depth + 1
					below = append(below, t)
				}
			}
		}
		level = below
	}
	return at
}

// Damping is the share of authority that goes along links.
const Damping = 0.85

// Authority is PageRank (Brin and Page, 1998) over the nodes of member: distinct followed
// links between members, the mass of pages without links shared by all, iterated until the
// sum of changes is under 1e-9. Members' values add up to 1; others have 0. A redirecting
// node hands its links on to where it leads (next).
func (g *Graph) Authority(member []bool, next []int32) []float64 {
	n := len(member)
	from, to := g.distinct(member, next)
	degree := make([]int32, n)
	for _, f := range from {
		degree[f]++
	}
	count := 0
	for _, m := range member {
		if m {
			count++
		}
	}
	rank, fresh := make([]float64, n), make([]float64, n)
	if count == 0 {
		return rank
	}
	for i, m := range member {
		if m {
			rank[i] = 1 / float64(count)
		}
	}
	for range 200 {
		dangling := 0.0
		for i, m := range member {
			fresh[i] = 0
			if m && degree[i] == 0 {
				dangling += rank[i]
			}
		}
		for k, f := range from {
			fresh[to[k]] += rank[f] / float64(degree[f])
		}
		base := (1 - Damping + Damping*dangling) / float64(count)
		change := 0.0
		for i, m := range member {
			if m {
				fresh[i] = base + Damping*fresh[i]
				change += math.Abs(fresh[i] - rank[i])
			}
		}
		rank, fresh = fresh, rank
		if change < 1e-9 {
			break
		}
	}
	return rank
}

// distinct lists the followed links between different members, each once.
func (g *Graph) distinct(member []bool, next []int32) (from, to []int32) {
	last := make([]int32, len(member))
	g.Each(func(page int32, targets []int32, marks []Mark) {
		if !member[page] {
			return
		}
		for i, t := range targets {
			if marks[i]&NoFollow != 0 {
				continue
			}
			if !member[t] {
				t = Follow(t, next).End
				if t < 0 || !member[t] {
					continue
				}
			}
			if t != page && last[t] != page+1 {
				last[t] = page + 1
				from = append(from, page)
				to = append(to, t)
			}
		}
	})
	return from, to
}

// MaxHops bounds how far a chain of redirects is followed.
const MaxHops = 64

// A Chain is where a redirecting node leads.
type Chain struct {
	Hops []int32 // the nodes on the way, the start first, the end last
	End  int32   // where it ends; −1 for a loop
}

// Follow goes along redirects from a node.
func Follow(node int32, next []int32) Chain {
	c := Chain{Hops: []int32{node}, End: node}
	for next[c.End] >= 0 {
		c.End = next[c.End]
		for _, h := range c.Hops {
			if h == c.End {
				return Chain{append(c.Hops, c.End), -1}
			}
		}
		c.Hops = append(c.Hops, c.End)
		if len(c.Hops) > MaxHops {
			return Chain{c.Hops, -1}
		}
	}
	return c
}
