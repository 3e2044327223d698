package graph

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// parse reads "a: b c" lines: page and links. "a > b" is a redirect. Nodes are letters.
func parse(text string) (g *Graph, n int, next []int32) {
	g = new(Graph)
	n = 26
	next = make([]int32, n)
	for i := range next {
		next[i] = -1
	}
	for _, line := range strings.Split(text, "; ") {
		if from, to, ok := strings.Cut(line, " > "); ok {
			next[from[0]-'a'] = int32(to[0] - 'a')
			continue
		}
		from, rest, _ := strings.Cut(line, ":")
		var to []int32
		var marks []Mark
		for _, t := range strings.Fields(rest) {
			m := Mark(0)
			if strings.HasSuffix(t, "!") {
				m = NoFollow
			}
			to, marks = append(to, int32(t[0]-'a')), append(marks, m)
		}
		g.Add(int32(from[0]-'a'), to, marks)
	}
	return g, n, next
}

func letters(values []int32) string {
	var out []string
	for i, v := range values {
		if v > 0 || v == 0 && i == 0 {
			out = append(out, fmt.Sprintf("%c%d", 'a'+i, v))
		}
	}
	return strings.Join(out, " ")
}

func TestIn(t *testing.T) {
	g, n, _ := parse("a: b b c a; b: c a; c:")
	if got := letters(g.In(n)); got != "a1 b1 c2" {
		t.Errorf("links in %q", got)
	}
}

func TestDepths(t *testing.T) {
	for text, want := range map[string]string{
		"a: b c; b: d; c: e; e: d; d: f":      "a0 b1 c1 d2 e2 f3",
		"a: b; b > c; c > d; c: x; d: e":      "a0 b1 c1 d1 e2", // redirects are no clicks
		"a: b; b > b; c: d":                   "a0 b1",          // loops end, islands stay away
		"a: b c; b: d; d: e; e: f; c > e":     "a0 b1 c1 d2 e1 f2",
		"a > b; b: c":                         "a0 c1", // b has depth 0 as well
		"a: b; b: c; c: d; d > a; x: y; y: x": "a0 b1 c2 d3",
		"a: b; b: a c":                        "a0 b1 c2", // links back change nothing
	} {
		g, n, next := parse(text)
		if got := letters(g.Depths(n, 0, next)); strings.ReplaceAll(got, " x2", "") != want {
			t.Errorf("%s: depths %q, want %q", text, got, want)
		}
	}
}

// TestFirstNode: number 0 is an address as any other, also where something leads on to it.
func TestFirstNode(t *testing.T) {
	g, n, next := parse("b: c; c > a; a: d")
	if got := fmt.Sprint(g.Depths(n, 1, next)[:4]); got != "[1 0 1 2]" {
		t.Errorf("depths from b: %s", got)
	}
	if c := Follow(2, next); c.End != 0 {
		t.Errorf("c leads to %d", c.End)
	}
	rank := g.Authority([]bool{true, true, false, true, 25: false}, next)
	if rank[0] <= rank[1] {
		t.Errorf("a, which b links to through c, has %v, and b %v", rank[0], rank[1])
	}
}

// TestRepeated: a page that links to another twice says no more by it.
func TestRepeated(t *testing.T) {
	member := []bool{true, true, true, 25: false}
	g, _, next := parse("a: b b b c")
	if rank := g.Authority(member, next); math.Abs(rank[1]-rank[2]) > 1e-12 {
		t.Errorf("b has %v, c %v", rank[1], rank[2])
	}
}

// TestLongChain follows as many redirects as MaxHops allows, and takes one more for a loop.
func TestLongChain(t *testing.T) {
	next := make([]int32, MaxHops+2)
	for i := range next {
		next[i] = int32(i) + 1
	}
	next[MaxHops-1] = -1
	if c := Follow(0, next); c.End != MaxHops-1 || len(c.Hops) != MaxHops {
		t.Errorf("a chain of %d ends at %d", len(c.Hops), c.End)
	}
	next[MaxHops-1], next[MaxHops] = MaxHops, -1
	if c := Follow(0, next); c.End != -1 {
		t.Errorf("a chain of %d ends at %d", len(c.Hops), c.End)
	}
}

func TestFollow(t *testing.T) {
	_, _, next := parse("a > b; b > c; d > e; e > d; f > f")
	for node, want := range map[int32]string{0: "[0 1 2] 2", 2: "[2] 2", 3: "[3 4 3] -1", 5: "[5 5] -1"} {
		c := Follow(node, next)
		if got := fmt.Sprint(c.Hops, " ", c.End); got != want {
			t.Errorf("from %d: %s, want %s", node, got, want)
		}
	}
}

func TestAuthority(t *testing.T) {
	g, n, next := parse("a: b c; b: c; c: a; d: c; e: c!")
	member := make([]bool, n)
	for i := range 5 {
		member[i] = true
	}
	rank := g.Authority(member, next)
	sum := 0.0
	for _, r := range rank {
		sum += r
	}
	if math.Abs(sum-1) > 1e-9 {
		t.Errorf("authorities add up to %v", sum)
	}
	if !(rank[2] > rank[0] && rank[0] > rank[1] && rank[1] > rank[3]) || rank[6] != 0 {
		t.Errorf("authorities %v", rank[:7])
	}
	// The fixed point, checked against its own definition. e links to nobody that counts.
	want := 0.15/5 + 0.85*(rank[0]/2+rank[1]+rank[3]+rank[4]/5)
	if math.Abs(rank[2]-want) > 1e-8 {
		t.Errorf("c has %v, its sources give %v", rank[2], want)
	}
	redirected, n, next := parse("a: b; b > c; c: a")
	rank = redirected.Authority([]bool{true, false, true, 25: false}, next)
	if rank[1] != 0 || math.Abs(rank[2]-0.5) > 1e-6 {
		t.Errorf("through a redirect: %v of %d", rank[:3], n)
	}
}

func BenchmarkGraph(b *testing.B) {
	for _, n := range []int{10_000, 100_000} {
		r := rand.New(rand.NewPCG(1, 1))
		g := new(Graph)
		next := slices.Repeat([]int32{-1}, n)
		member := slices.Repeat([]bool{true}, n)
		for p := range int32(n) {
			to := make([]int32, 50)
			for i := range to {
				to[i] = r.Int32N(int32(n))
			}
			g.Add(p, to, make([]Mark, len(to)))
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				g.In(n)
				g.Depths(n, 0, next)
				g.Authority(member, next)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/page")
		})
	}
}
