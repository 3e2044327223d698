// Package health computes the score of a site, where its points went, and what a repair
// would bring.
//
// A check failing on a page costs its severity's cost times the check's factor; at n places
// min(2, 1 + log2(n)/4) times that. With c the sum of the costs on a page, its own and the
// site-wide ones, the page's health is exp(−c); the site's is 100 times the mean. Worked
// example: two pages, one sound, one with an error (0.25) and a warning at four places
// (0.05 · 1.5 = 0.075): 100 · (1 + exp(−0.325)) / 2 = 86.13.
//
// Sums run in the order of the cells given, so equal input gives equal bits.
package health

import "math"

// Site is the page number of a site-wide finding.
const Site = -1

// A Cell is one check failing on one page.
type Cell struct {
	Page   int32   // 0 to pages−1, or Site
	Cost   float64 // at a single place
	Places int
}

// Cost is what failing at n places costs.
func Cost(base float64, n int) float64 {
	if n <= 0 {
		return 0
	}
	return base * min(2, 1+math.Log2(float64(n))/4)
}

// A Book keeps the cells of a crawl, page by page. Not safe for concurrent use.
type Book struct {
	cells []Cell
	stand []float64 // how many pages each one stands for; they add up to the number of pages
	start []int     // of each page's cells; site cells come first
	own   []float64
	site  float64
	total float64 // sum of exp(−own)
}

// NewBook takes the number of assessed pages and the cells, sorted by page. Where the pages are
// a sample whose parts were not drawn alike, weight tells how many pages of the site each stands
// for; nil means all count alike.
func NewBook(pages int, cells []Cell, weight func(page int) float64) *Book {
	b := &Book{cells: cells, start: make([]int, pages+1), own: make([]float64, pages), stand: stands(pages, weight)}
	i := 0
	for i < len(cells) && cells[i].Page == Site {
		i++
	}
	b.site = sum(cells[:i])
	for p := range pages {
		b.start[p] = i
		for i < len(cells) && cells[i].Page == int32(p) {
			i++
		}
		b.own[p] = sum(cells[b.start[p]:i])
		b.total += b.stand[p] * math.Exp(-b.own[p])
	}
	b.start[pages] = i
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

func sum(cells []Cell) float64 {
	c := 0.0
	for _, cell := range cells {
		c += Cost(cell.Cost, cell.Places)
	}
	return c
}

// Health is the score, 0 to 100; without assessed pages there is none (ok is false).
func (b *Book) Health() (score float64, ok bool) {
	if len(b.own) == 0 {
		return 0, false
	}
	return 100 * math.Exp(-b.site) * b.total / float64(len(b.own)), true
}

// Page is a page's health, 0 to 100.
func (b *Book) Page(p int) float64 { return 100 * math.Exp(-b.own[p]-b.site) }

// Shares gives each cell the points it took: the loss of each page shared among its cells
// in proportion to their cost. They add up to 100 minus the health.
func (b *Book) Shares() []float64 {
	shares := make([]float64, len(b.cells))
	siteCells := b.cells[:b.siteCells()]
	for p, own := range b.own {
		c := own + b.site
		if c == 0 {
			continue
		}
		perCost := b.stand[p] * 100 * (1 - math.Exp(-c)) / c / float64(len(b.own))
		for i := b.start[p]; i < b.start[p+1]; i++ {
			shares[i] = Cost(b.cells[i].Cost, b.cells[i].Places) * perCost
		}
		for i, cell := range siteCells {
			shares[i] += Cost(cell.Cost, cell.Places) * perCost
		}
	}
	return shares
}

func (b *Book) siteCells() int {
	if len(b.own) == 0 {
		return len(b.cells)
	}
	return b.start[0]
}

// A Removal takes places out of a cell.
type Removal struct {
	Cell   int
	Places int
}

// Gain is what the removals would bring, in points, and the same with each page's part
// weighted (a page of weight 0.5 counts half). Cells of removals are all different.
func (b *Book) Gain(removals []Removal, weight func(page int) float64) (gain, weighted float64) {
	if len(b.own) == 0 {
		return 0, 0
	}
	n := float64(len(b.own))
	for _, r := range removals {
		if p := b.cells[r.Cell].Page; p != Site {
			d := b.stand[p] * 100 * math.Exp(-b.site) * (math.Exp(-b.without(int(p), r)) - math.Exp(-b.own[p])) / n
			gain += d
			weighted += d * weight(int(p))
			continue
		}
		cell := b.cells[r.Cell]
		factor := math.Exp(Cost(cell.Cost, cell.Places)-Cost(cell.Cost, cell.Places-r.Places)) - 1
		for p := range b.own {
			d := b.stand[p] * b.Page(p) * factor / n
			gain += d
			weighted += d * weight(p)
		}
	}
	return gain, weighted
}

// without is a page's own cost after a removal.
func (b *Book) without(p int, r Removal) float64 {
	c := 0.0
	for i := b.start[p]; i < b.start[p+1]; i++ {
		n := b.cells[i].Places
		if i == r.Cell {
			n -= r.Places
		}
		c += Cost(b.cells[i].Cost, n)
	}
	return c
}

// Remove carries the removals out.
func (b *Book) Remove(removals []Removal) {
	for _, r := range removals {
		cell := &b.cells[r.Cell]
		cell.Places = max(0, cell.Places-r.Places)
		if cell.Page == Site {
			b.site = sum(b.cells[:b.siteCells()])
			continue
		}
		p := cell.Page
		before := math.Exp(-b.own[p])
		b.own[p] = sum(b.cells[b.start[p]:b.start[p+1]])
		b.total += b.stand[p] * (math.Exp(-b.own[p]) - before)
	}
}

// HalfWidth is that of the 95 % interval of the health of a site of which the book's pages
// are a sample, in points: 1.96·s/√n·√(1 − n/N), s the standard deviation of page health.
// Where pages stand for different numbers of others, n under the first root is their effective
// number n²/Σw² (Kish). It is 0 where the sample is the whole.
func (b *Book) HalfWidth(of int) float64 {
	n := len(b.own)
	if n < 2 || of <= n {
		return 0
	}
	mean, _ := b.Health()
	squares, weights := 0.0, 0.0
	for p := range b.own {
		d := b.Page(p) - mean
		squares += b.stand[p] * d * d
		weights += b.stand[p] * b.stand[p]
	}
	s := math.Sqrt(squares / float64(n-1))
	effective := float64(n) * float64(n) / weights
	return 1.96 * s / math.Sqrt(effective) * math.Sqrt(1-float64(n)/float64(of))
}
