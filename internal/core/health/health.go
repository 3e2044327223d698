// Package health computes the score of a site, where its points went, and what a repair
// would bring.
//
// A check failing on a page at n places weighs m = min(2, 1 + log2(n)/4) there. With s the mean of a
// check's m over the pages assessed, that of a finding about the whole site added, the check takes
// cost · φ(s) of the exponent, φ(s) = s / (1 + 1.5 s), cost being its severity's times its factor:
//
//	health = 100 · exp(−Σ cost · φ(s))
//
// So a few pages cost what they are, and one slip in a template, which a single change mends, four
// tenths of what as many separate ones would. φ grows, so health falls whatever newly fails, and it
// does not depend on how findings are gathered. Worked example: two pages, one sound, one with an
// error (0.25, s = 1/2) and a warning at four places (0.05, m = 1.5, s = 3/4):
// 100 · exp(−0.25 · 0.5/1.75 − 0.05 · 0.75/2.125) = 91.48.
//
// Sums run in the order of the cells given, so equal input gives equal bits.
package health

import "math"

// Version counts editions of the rules by which health is computed.
const Version = 2

// Site is the page number of a finding about the whole site.
const Site = -1

// spread is how much less a check costs the more pages it fails on.
const spread = 1.5

// A Cell is one check failing on one page.
type Cell struct {
	Page   int32 // 0 to pages−1, or Site
	Check  int32 // index in the costs
	Places int
}

// Weight is what failing at n places of a page weighs, 0 to 2.
func Weight(n int) float64 {
	if n <= 0 {
		return 0
	}
	return min(2, 1+math.Log2(float64(n))/4)
}

// Term is what a check takes of the exponent at a mean weight of s.
func Term(cost, s float64) float64 { return cost * s / (1 + spread*s) }

// Slope is how fast a check's term grows at s.
func Slope(cost, s float64) float64 { return cost / ((1 + spread*s) * (1 + spread*s)) }

// An Account keeps the cells of a crawl. Not safe for concurrent use.
type Account struct {
	costs []float64
	cells []Cell
	stand []float64 // how many pages each one stands for; they add up to the number of pages
	sums  []float64 // of the weights of a check's cells, by check; those about the site count on every page
}

// NewAccount takes the number of assessed pages, the costs of checks and the cells; there is one cell
// for each check and page. Where the pages are a sample whose parts were not drawn alike, weight
// tells how many pages of the site each stands for; nil means all count alike.
func NewAccount(pages int, costs []float64, cells []Cell, weight func(page int) float64) *Account {
	b := &Account{costs: costs, cells: cells, stand: stands(pages, weight), sums: make([]float64, len(costs))}
	for _, c := range cells {
		b.sums[c.Check] += b.part(c, c.Places)
	}
	return b
}

func stands(pages int, weight func(int) float64) []float64 {
	out := make([]float64, pages)
	total := 0.0
	for p := range out {
		if out[p] = 1; weight != nil {
			out[p] = weight(p)
		}
		total += out[p]
	}
	if weight != nil {
		for p := range out {
			out[p] *= float64(pages) / total
		}
	}
	return out
}

// part is what a cell adds to its check's sum at so many places.
func (b *Account) part(c Cell, places int) float64 {
	if c.Page == Site {
		return Weight(places) * float64(len(b.stand))
	}
	return Weight(places) * b.stand[c.Page]
}

func (b *Account) mean(check int, less float64) float64 {
	return max(0, b.sums[check]-less) / float64(len(b.stand))
}

// exponent is Σ cost · φ(s).
func (b *Account) exponent() float64 {
	e := 0.0
	for c, cost := range b.costs {
		e += Term(cost, b.mean(c, 0))
	}
	return e
}

// Health is the score, 0 to 100; without assessed pages there is none (ok is false).
func (b *Account) Health() (score float64, ok bool) {
	if len(b.stand) == 0 {
		return 0, false
	}
	return 100 * math.Exp(-b.exponent()), true
}

// Pages is the health of each page, 0 to 100: 100 · exp(−Σ cost · m), what is about the whole site
// at its cost on one.
func (b *Account) Pages() []float64 {
	own := make([]float64, len(b.stand))
	site := 0.0
	for _, c := range b.cells {
		if c.Page == Site {
			site += Term(b.costs[c.Check], Weight(c.Places))
		} else {
			own[c.Page] += b.costs[c.Check] * Weight(c.Places)
		}
	}
	for p := range own {
		own[p] = 100 * math.Exp(-own[p]-site)
	}
	return own
}

// Shares gives each cell the points it took: what is lost, shared among the checks in proportion to
// their terms, and inside a check in proportion to what its cells weigh. They add up to 100 minus
// the health.
func (b *Account) Shares() []float64 {
	shares := make([]float64, len(b.cells))
	e := b.exponent()
	if len(b.stand) == 0 || e == 0 {
		return shares
	}
	perTerm := 100 * (1 - math.Exp(-e)) / e
	rates := make([]float64, len(b.costs))
	for c, cost := range b.costs {
		if b.sums[c] > 0 {
			rates[c] = perTerm * Term(cost, b.mean(c, 0)) / b.sums[c]
		}
	}
	for i, c := range b.cells {
		shares[i] = rates[c.Check] * b.part(c, c.Places)
	}
	return shares
}

// A Removal takes places out of a cell.
type Removal struct {
	Cell   int
	Places int
}

// Gain is what the removals would bring, in points, and the same weighted by what the pages are
// worth to whoever asks, 0 to 1. Cells of removals are all different.
func (b *Account) Gain(removals []Removal, worth func(page int) float64) (gain, weighted float64) {
	if len(b.stand) == 0 {
		return 0, 0
	}
	less, worthy := make(map[int32]float64), make(map[int32]float64)
	var checks []int32
	for _, r := range removals {
		c := b.cells[r.Cell]
		d := b.part(c, c.Places) - b.part(c, c.Places-r.Places)
		if _, ok := less[c.Check]; !ok {
			checks = append(checks, c.Check)
		}
		less[c.Check] += d
		if c.Page != Site {
			d *= worth(int(c.Page))
		}
		worthy[c.Check] += d
	}
	drop, worthwhile := 0.0, 0.0
	for _, c := range checks {
		d := Term(b.costs[c], b.mean(int(c), 0)) - Term(b.costs[c], b.mean(int(c), less[c]))
		drop += d
		if less[c] > 0 {
			worthwhile += d * worthy[c] / less[c]
		}
	}
	if drop <= 0 {
		return 0, 0
	}
	gain = 100 * math.Exp(-b.exponent()) * (math.Exp(drop) - 1)
	return gain, gain * worthwhile / drop
}

// Remove carries the removals out.
func (b *Account) Remove(removals []Removal) {
	for _, r := range removals {
		c := &b.cells[r.Cell]
		left := max(0, c.Places-r.Places)
		b.sums[c.Check] -= b.part(*c, c.Places) - b.part(*c, left)
		c.Places = left
	}
}

// HalfWidth is that of the 95 % interval of the health of a site of which the book's pages are a
// sample, in points, by the delta method: 1.96·s/√n·√(1 − n/N), s the standard deviation of a page's
// influence −health · Σ cost · φ'(s) · (m − s). Where pages stand for different numbers of others, n
// under the first root is their effective number n²/Σw² (Kish). It is 0 where the sample is the whole.
func (b *Account) HalfWidth(of int) float64 {
	n := len(b.stand)
	if n < 2 || of <= n {
		return 0
	}
	score, _ := b.Health()
	influence := make([]float64, n)
	mean := 0.0
	for _, c := range b.cells {
		if c.Page != Site {
			d := Slope(b.costs[c.Check], b.mean(int(c.Check), 0)) * Weight(c.Places)
			influence[c.Page] += d
			mean += d * b.stand[c.Page] / float64(n)
		}
	}
	squares, weights := 0.0, 0.0
	for p, x := range influence {
		d := score * (x - mean)
		squares += b.stand[p] * d * d
		weights += b.stand[p] * b.stand[p]
	}
	s := math.Sqrt(squares / float64(n-1))
	effective := float64(n) * float64(n) / weights
	return 1.96 * s / math.Sqrt(effective) * math.Sqrt(1-float64(n)/float64(of))
}
