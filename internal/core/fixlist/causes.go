package fixlist

import (
	"container/heap"
	"slices"
	"strings"

	"harvik/internal/core/mishap"
	"harvik/internal/core/text"
)

// What a change has to explain to be proposed: so many pages, or cases, and such a share of where it
// claims to hold.
const (
	leastPages = 5
	leastShare = 0.8
	// So many where pages were rendered to stand for others.
	leastRendered = 3
)

// A candidate is a change that somebody could make in one place.
type candidate struct {
	fix     Fix
	key     string  // does not depend on its members
	members []int32 // entries that it would mend, in order
	work    int     // edits that it takes
	left    int     // members that nothing explains yet
}

// ratio is what a candidate explains for what it takes to read and do.
func (c *candidate) ratio() float64 { return float64(c.left) / float64(1+c.work) }

// gathered is a cause with the entries it explains, in their sorted order; those of other checks follow
// from it.
type gathered struct {
	check   int32
	fix     Fix
	entries []int32
}

// gather finds the causes: for each check the fewest changes that explain all that was found, chosen
// greedily by what a change explains for what it takes. What nothing explains with others is one line
// that opens, and so is the tail of lines that change next to nothing.
func (b *builder) gather() []gathered {
	byCheck := make([][]int32, len(b.Checks))
	for i := range b.entries {
		if e := &b.entries[i]; b.roots[i] < 0 {
			byCheck[e.check] = append(byCheck[e.check], int32(i))
		}
	}
	b.tallyPages()
	b.explained = make([]bool, len(b.entries)) // each by the goroutine of its check alone
	covered := make([][]gathered, len(byCheck))
	mishap.Each(len(byCheck), func(c int) {
		if len(byCheck[c]) > 0 {
			covered[c] = b.cover(int32(c), byCheck[c])
		}
	})
	out := slices.Concat(covered...)
	b.follow(out)
	return b.joinTails(out)
}

// cover chooses the causes of one check.
func (b *builder) cover(c int32, entries []int32) []gathered {
	isExplained := func(i int32) bool { return b.explained[i] }
	out := b.choose(c, b.candidates(c, entries))
	rest := slices.DeleteFunc(slices.Clone(entries), isExplained)
	if len(rest) > 0 {
		out = append(out, b.bySection(c, rest)...)
		rest = slices.DeleteFunc(rest, isExplained)
	}
	return append(out, b.separate(c, rest)...)
}

// queue has the candidate that explains most for its work first.
type queue []*candidate

func (q queue) Len() int { return len(q) }

func (q queue) Less(i, j int) bool {
	x, y := q[i], q[j]
	if a, b := x.ratio(), y.ratio(); a != b {
		return a > b
	}
	if a, b := kindOrder[x.fix.Kind], kindOrder[y.fix.Kind]; a != b {
		return a < b
	}
	return x.key < y.key
}

func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }

func (q *queue) Push(x any) { *q = append(*q, x.(*candidate)) }

func (q *queue) Pop() any {
	last := len(*q) - 1
	c := (*q)[last]
	*q = (*q)[:last]
	return c
}

// kindOrder decides between candidates that explain as much for as little.
var kindOrder = map[Kind]int{Target: 0, Value: 1, Carrier: 2, Layout: 3, Rule: 4, OnePage: 5, Section: 6}

// choose takes the best candidate again and again, as long as one explains more than it takes.
func (b *builder) choose(c int32, proposed []*candidate) (out []gathered) {
	q := queue(proposed)
	for _, one := range q {
		one.left = len(one.members)
	}
	heap.Init(&q)
	for q.Len() > 0 {
		best := q[0]
		left := 0
		for _, i := range best.members {
			if !b.explained[i] {
				left++
			}
		}
		if left < best.left { // others explained a part of it since it was weighed
			if best.left = left; left == 0 {
				heap.Pop(&q)
			} else {
				heap.Fix(&q, 0)
			}
			continue
		}
		if best.ratio() < 1 {
			break
		}
		heap.Pop(&q)
		g := gathered{check: c, fix: best.fix}
		for _, i := range best.members {
			if !b.explained[i] {
				b.explained[i] = true
				g.entries = append(g.entries, i)
			}
		}
		b.describe(&g)
		out = append(out, g)
	}
	return out
}

// mostNamed is how many targets a line of separate ones may have for the line to name them.
const mostNamed = 1000

// describe words what a chosen candidate explains now, which may be less than it was proposed for.
func (b *builder) describe(g *gathered) {
	members := make([]int32, len(g.entries))
	for k, i := range g.entries {
		members[k] = int32(i)
	}
	f := &g.fix
	f.Cases = b.casesOf(members)
	switch f.Kind {
	case Target:
		b.locate(g, b.pagesOf(members))
	case Layout, Carrier, OnePage, Rule:
		if f.Targets != nil {
			f.Targets = b.targetsOf(members)
		}
	case Pages:
		if f.Cases > 1 && f.Cases <= mostNamed {
			f.Targets = b.targetsOf(members)
		}
	}
}

// casesOf counts different targets or values.
func (b *builder) casesOf(members []int32) int {
	seen := map[int32]bool{}
	for _, i := range members {
		if c := b.entries[i].cause; c >= 0 {
			seen[c] = true
		}
	}
	return len(seen)
}

func (b *builder) pagesOf(members []int32) int {
	n, last := 0, int32(-2)
	for _, i := range members {
		if p := b.entries[i].page; p != last {
			n++
			last = p
		}
	}
	return n
}

// locate says where a target stands: in the layouts of which at least five pages each hold it at the
// same place, or in the file that names it.
func (b *builder) locate(g *gathered, pages int) {
	type at struct{ layout, spot int32 }
	counts := map[at]int{}
	regions := map[string]int{}
	carriers := map[int32]int{}
	for _, i := range g.entries {
		e := b.entries[i]
		counts[at{b.layout(e.page), e.spot}]++
		regions[regionWord(e.region)]++
		carriers[e.carrier]++
	}
	if len(carriers) == 1 && carriers[-1] == 0 {
		for carrier := range carriers {
			g.fix.Where = "named by " + within(b.spots[carrier], b.home) + ", which " + text.Count(pages, "page loads",
				"pages load")
		}
		return
	}
	bySpot := map[string]int{}
	for k, n := range counts {
		if k.layout >= 0 && n >= leastPages {
			bySpot[landmark(b.spots[k.spot])] += n
		}
	}
	best := ""
	for spot, n := range bySpot {
		if n > bySpot[best] || n == bySpot[best] && spot < best {
			best = spot
		}
	}
	if n := bySpot[best]; n > 0 {
		g.fix.Where = inLayout(n, best)
	}
	if len(regions) == 1 {
		for word := range regions {
			g.fix.Line = word
		}
	}
}

// landmark is the part of a page that a place belongs to, in a word; "" for what has no place, such as a
// file that the head names.
func landmark(spot string) string {
	first, _, _ := strings.Cut(spot, " > ")
	switch first {
	case "":
		return ""
	case "nav":
		return "navigation"
	case "header", "footer", "aside":
		return first
	}
	return "content"
}

func (b *builder) layout(id int32) int32 {
	if p := b.page(id); p != nil {
		return p.Layout
	}
	return -1
}

// layoutName is that of a page's layout, "" for none.
func (b *builder) layoutName(id int32) string { return b.LayoutName(b.layout(id)) }

// separate is one line for what is left of a check, and one for what is about the whole site.
func (b *builder) separate(c int32, entries []int32) (out []gathered) {
	for _, members := range group(entries, func(i int32) bool { return b.entries[i].page < 0 }) {
		kind := Pages
		if b.entries[members[0]].page < 0 {
			kind = Whole
		}
		g := gathered{check: c, fix: Fix{Kind: kind, ID: identify(b.Checks[c], kind, "")}, entries: members}
		if b.entries[members[0]].cause >= 0 && b.oneCause(members) { // a line of its own, in its own words
			g.fix = b.causeCandidate(c, members).fix
		}
		b.describe(&g)
		out = append(out, g)
	}
	return out
}
