// Command scale plays a month's beginning at an agency, or many, on paper: a day of crawls of sites as large as sites
// are, done by as many workers as are asked for, on one database. It tells how long crawls wait, by how large they are,
// with turns and without, and how much of the database they use. The costs that it plays with are those that
// `make fleet` measures.
package main

import (
	"cmp"
	"container/heap"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"text/tabwriter"
)

// world is what is given.
type world struct {
	workers, slots int     // slots a worker
	pace           float64 // pages a second that a host bears: a crawl can be no faster
	worker         float64 // pages a second that a worker can do with a core of its own, all its crawls together
	database       float64 // pages a second that the database can take
	load           float64 // of what the fleet can do, over the day
	turn           float64 // seconds of a crawl's turn; 0 for none
	take           float64 // seconds that taking up a stored page costs
	seed           uint64
}

// crawl is one that comes, waits, and is done by turns.
type crawl struct {
	pages, left   float64
	came, took    float64 // when it came, and when it was first taken up
	begun, done   float64
	turnEnds      float64
	number, turns int
}

// waiting is a queue: who came first, or queued up first, first.
type waiting []*crawl

// event is the next thing that happens to a crawl that runs.
type heapOf []*crawl

func (h heapOf) Len() int           { return len(h) }
func (h heapOf) Less(i, j int) bool { return h[i].turnEnds < h[j].turnEnds }
func (h heapOf) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }

// Push implements heap.Interface.
func (h *heapOf) Push(x any) { *h = append(*h, x.(*crawl)) }

// Pop implements heap.Interface.
func (h *heapOf) Pop() any {
	old := *h
	x := old[len(old)-1]
	*h = old[:len(old)-1]
	return x
}

const day = 24 * 3600

// size is a site's: half have fewer than 600 pages, one in a hundred more than 100,000, none more than a million.
func size(r *rand.Rand) float64 {
	return max(5, min(1e6, math.Exp(math.Log(600)+2.2*r.NormFloat64())))
}

// play lets a day of crawls come, and steps through the time in seconds.
func (w *world) play() (done []*crawl, used float64) {
	r := rand.New(rand.NewPCG(w.seed, 1))
	var all []*crawl
	total, capacity := 0.0, min(float64(w.workers)*w.worker, w.database)*day
	for total < w.load*capacity {
		c := &crawl{pages: size(r), number: len(all)}
		c.left = c.pages
		// Half of them come when schedules begin, at the full hours of the night; the others all day long.
		c.came = r.Float64() * day
		if r.IntN(2) == 0 {
			c.came = float64(r.IntN(6)) * 3600
		}
		total += c.pages
		all = append(all, c)
	}
	slices.SortFunc(all, func(a, b *crawl) int {
		return cmp.Or(cmp.Compare(a.came, b.came), cmp.Compare(a.number, b.number))
	})
	var queue waiting
	running, next, pages := &heapOf{}, 0, 0.0
	for now := 0.0; next < len(all) || len(queue) > 0 || running.Len() > 0; now++ {
		for next < len(all) && all[next].came <= now {
			queue = append(queue, all[next])
			next++
		}
		for running.Len() < w.workers*w.slots && len(queue) > 0 {
			c := queue[0]
			queue = queue[1:]
			if c.turns++; c.turns == 1 {
				c.took = now
			}
			taking := 0.2 + w.take*(c.pages-c.left)
			c.begun = now + taking
			c.turnEnds = c.begun + max(w.turn, 20*taking)
			heap.Push(running, c)
		}
		// What each gets: no more than its host bears, than its worker can, than the database takes.
		n := float64(running.Len())
		rate := min(w.pace, float64(w.workers)*w.worker/max(1, n), w.database/max(1, n))
		kept := (*running)[:0]
		for _, c := range *running {
			if now >= c.begun {
				step := min(rate, c.left)
				c.left -= step
				pages += step
			}
			switch {
			case c.left <= 0:
				c.done = now
				done = append(done, c)
			case w.turn > 0 && now >= c.turnEnds && len(queue) > 0:
				queue = append(queue, c)
			default:
				kept = append(kept, c)
			}
		}
		*running = kept
		heap.Init(running)
	}
	return done, pages / (w.database * day)
}

// at is the value that so many in a hundred are below.
func at(values []float64, percent int) float64 {
	if len(values) == 0 {
		return 0
	}
	slices.Sort(values)
	return values[min(len(values)-1, len(values)*percent/100)]
}

func main() {
	w := world{}
	flag.IntVar(&w.slots, "crawls", 4, "crawls that a worker runs at once")
	flag.Float64Var(&w.pace, "pace", 5, "pages a second that a host bears")
	flag.Float64Var(&w.worker, "worker", 700, "pages a second that a worker can do")
	flag.Float64Var(&w.database, "database", 4000, "pages a second that the database takes")
	flag.Float64Var(&w.take, "take", 0.0004, "seconds that taking up a stored page costs")
	flag.Uint64Var(&w.seed, "seed", 1, "of chance")
	flag.Parse()
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(out, "workers\tturns\tload\tcrawls\tpages\tsmall: half wait\t95 in 100\tlarge: half wait\t95 in 100"+
		"\tlast ends\tdatabase")
	for _, workers := range []int{2, 20, 200} {
		for _, share := range []float64{0.5, 0.9} {
			for _, turn := range []float64{0, 120} {
				w.workers, w.turn = workers, turn
				// A fleet is as good as its crawls are fast: what hosts bear bounds it before its processors do.
				able := min(float64(workers*w.slots)*w.pace, float64(workers)*w.worker, w.database)
				w.load = share * able / min(float64(workers)*w.worker, w.database)
				done, used := w.play()
				var small, large []float64
				pages, last := 0.0, 0.0
				for _, c := range done {
					pages += c.pages
					last = max(last, c.done)
					if c.pages < 1000 {
						small = append(small, c.took-c.came)
					} else if c.pages > 20000 {
						large = append(large, c.took-c.came)
					}
				}
				turns := "no"
				if turn > 0 {
					turns = "yes"
				}
				fmt.Fprintf(out, "%d\t%s\t%.0f %%\t%d\t%.1f M\t%.0f s\t%.0f s\t%.0f s\t%.0f s\t%.1f h\t%.0f %%\n",
					workers, turns, 100*share, len(done), pages/1e6, at(small, 50), at(small, 95),
					at(large, 50), at(large, 95), last/3600, 100*used)
			}
		}
	}
	_ = out.Flush() // to standard output
}
