package health

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// Costs of the catalogue's severities.
const (
	anError  = 0.25
	aWarning = 0.05
	aNotice  = 0.01
)

// random makes a book's cells: up to six checks failing on each page, and site-wide ones.
func random(r *rand.Rand, pages int) []Cell {
	var cells []Cell
	for range r.IntN(3) {
		cells = append(cells, Cell{Site, []float64{0.1, 0.02, 0.004}[r.IntN(3)], 1})
	}
	for p := range pages {
		for range r.IntN(6) {
			cells = append(cells, Cell{int32(p), []float64{anError, aWarning, aNotice}[r.IntN(3)] * (0.5 + r.Float64()*3.5), 1 + r.IntN(30)})
		}
	}
	return cells
}

func score(pages int, cells []Cell) float64 {
	h, _ := NewBook(pages, slices.Clone(cells), nil).Health()
	return h
}

func TestWorkedExample(t *testing.T) {
	got := score(2, []Cell{{1, anError, 1}, {1, aWarning, 4}})
	if want := 100 * (1 + math.Exp(-0.325)) / 2; math.Abs(got-want) > 1e-12 {
		t.Errorf("health %v, want %v", got, want)
	}
}

func TestProperties(t *testing.T) {
	if _, ok := NewBook(0, nil, nil).Health(); ok {
		t.Error("no page, but a health")
	}
	if h := score(7, nil); h != 100 {
		t.Errorf("without findings %v", h)
	}
	if e, w := score(1, []Cell{{0, anError, 1}}), score(1, []Cell{{0, aWarning, 1}, {0, aWarning, 1}, {0, aWarning, 1}, {0, aWarning, 1}}); e >= w {
		t.Errorf("one error (%v) does not weigh more than four warnings (%v)", e, w)
	}
	if w, n := score(1, []Cell{{0, aWarning, 1}}), score(1, []Cell{{0, aNotice, 1}, {0, aNotice, 1}, {0, aNotice, 1}, {0, aNotice, 1}}); w >= n {
		t.Errorf("one warning (%v) does not weigh more than four notices (%v)", w, n)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		pages := 1 + r.IntN(40)
		cells := random(r, pages)
		h := score(pages, cells)
		if h < 0 || h > 100 {
			t.Fatalf("health %v", h)
		}
		more := append(slices.Clone(cells), Cell{int32(pages - 1), aNotice, 1})
		if score(pages, more) >= h {
			t.Fatalf("health does not fall when a check newly fails")
		}
		checkLedger(t, pages, cells, h)
		checkDoubled(t, pages, cells, h)
		checkGains(t, r, pages, cells, h)
	}
}

// checkLedger: the shares add up to what is lost.
func checkLedger(t *testing.T, pages int, cells []Cell, h float64) {
	t.Helper()
	sum := 0.0
	for _, s := range NewBook(pages, slices.Clone(cells), nil).Shares() {
		sum += s
	}
	if math.Abs(sum-(100-h)) > 1e-9 {
		t.Fatalf("the ledger adds up to %v, lost are %v", sum, 100-h)
	}
}

// checkDoubled: every page twice, the same health.
func checkDoubled(t *testing.T, pages int, cells []Cell, h float64) {
	t.Helper()
	twice := slices.Clone(cells)
	for _, c := range cells {
		if c.Page != Site {
			c.Page += int32(pages)
			twice = append(twice, c)
		}
	}
	if d := score(2*pages, twice); math.Abs(d-h) > 1e-9 {
		t.Fatalf("doubled, the health is %v instead of %v", d, h)
	}
}

// checkGains: a gain is the health without the findings, less the health with them; and when
// everything is removed the health is 100.
func checkGains(t *testing.T, r *rand.Rand, pages int, cells []Cell, h float64) {
	t.Helper()
	book := NewBook(pages, slices.Clone(cells), nil)
	one := func(int) float64 { return 1 }
	left := slices.Clone(cells)
	for i := range cells {
		take := 1 + r.IntN(cells[i].Places)
		removal := []Removal{{i, take}}
		gain, weighted := book.Gain(removal, one)
		if math.Abs(gain-weighted) > 1e-9 {
			t.Fatalf("with weights of 1 the weighted gain is %v, the gain %v", weighted, gain)
		}
		before, _ := book.Health()
		left[i].Places -= take
		if want := score(pages, left) - before; math.Abs(gain-want) > 1e-9 {
			t.Fatalf("gain %v, the health rises by %v", gain, want)
		}
		book.Remove(removal)
		if after, _ := book.Health(); math.Abs(after-score(pages, left)) > 1e-9 {
			t.Fatalf("after the removal the book says %v, anew it is %v", after, score(pages, left))
		}
		book.Remove([]Removal{{i, left[i].Places}})
		left[i].Places = 0
	}
	if end, _ := book.Health(); math.Abs(end-100) > 1e-9 {
		t.Fatalf("with all removed the health is %v", end)
	}
}

func TestHalfWidth(t *testing.T) {
	cells := []Cell{{0, anError, 1}, {1, anError, 1}}
	b := NewBook(4, cells, nil)
	// Page healths are 77.88, 77.88, 100, 100: s = 12.77.
	s := 100 * (1 - math.Exp(-0.25)) / 2 * math.Sqrt(4.0/3)
	if got, want := b.HalfWidth(100), 1.96*s/2*math.Sqrt(0.96); math.Abs(got-want) > 1e-9 {
		t.Errorf("half-width %v, want %v", got, want)
	}
	if b.HalfWidth(4) != 0 {
		t.Error("a whole site has a half-width")
	}
}
