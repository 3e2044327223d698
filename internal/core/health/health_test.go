package health

import (
	"cmp"
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

// site is a random crawl's book before it is made.
type site struct {
	pages int
	costs []float64
	cells []Cell
}

// random makes a site: checks of all severities, failing on some pages each, and some about the whole.
func random(r *rand.Rand) site {
	s := site{pages: 1 + r.IntN(12)}
	for c := range 1 + r.IntN(6) {
		s.costs = append(s.costs, []float64{anError, aWarning, aNotice}[r.IntN(3)]*(0.5+r.Float64()*3.5))
		if r.IntN(5) == 0 {
			s.cells = append(s.cells, Cell{Site, int32(c), 1 + r.IntN(3)})
		}
		often := r.Float64()
		for p := range s.pages {
			if r.Float64() < often {
				s.cells = append(s.cells, Cell{int32(p), int32(c), 1 + r.IntN(30)})
			}
		}
	}
	s.sort()
	return s
}

func (s *site) sort() {
	slices.SortFunc(s.cells, func(a, b Cell) int {
		return cmp.Or(cmp.Compare(a.Page, b.Page),
			cmp.Compare(a.Check, b.Check))
	})
}

func (s site) book() *Account { return NewAccount(s.pages, s.costs, slices.Clone(s.cells), nil) }

func (s site) score() float64 {
	h, _ := s.book().Health()
	return h
}

func TestWorkedExample(t *testing.T) {
	s := site{2, []float64{anError, aWarning}, []Cell{{1, 0, 1}, {1, 1, 4}}}
	if want := 100 * math.Exp(-0.25*0.5/1.75-0.05*0.75/2.125); math.Abs(s.score()-want) > 1e-12 ||
		math.Abs(want-91.48) > 0.005 {
		t.Errorf("health %v, want %v", s.score(), want)
	}
}

func one(cost float64, times int) float64 {
	s := site{pages: 1}
	for c := range times {
		s.costs, s.cells = append(s.costs, cost), append(s.cells, Cell{0, int32(c), 1})
	}
	return s.score()
}

func TestSeverities(t *testing.T) {
	if _, ok := NewAccount(0, nil, nil, nil).Health(); ok {
		t.Error("no page, but a health")
	}
	if h := (site{pages: 7}).score(); h != 100 {
		t.Errorf("without findings %v", h)
	}
	if e, w := one(anError, 1), one(aWarning, 4); e >= w {
		t.Errorf("one error (%v) does not weigh more than four warnings (%v)", e, w)
	}
	if w, n := one(aWarning, 1), one(aNotice, 4); w >= n {
		t.Errorf("one warning (%v) does not weigh more than four notices (%v)", w, n)
	}
	everywhere := site{pages: 50, costs: []float64{anError}}
	for p := range int32(50) {
		everywhere.cells = append(everywhere.cells, Cell{p, 0, 1})
	}
	whole := site{50, []float64{anError}, []Cell{{Site, 0, 1}}}
	if a, b := everywhere.score(), whole.score(); math.Abs(a-b) > 1e-9 || a < 88 {
		t.Errorf("an error on all pages leaves %v, one about the site %v", a, b)
	}
}

// TestProperties holds, over 100,000 random crawls, that health falls whatever newly fails anywhere, and
// never by more than can be told; that it is what it is when every page is doubled; that the ledger
// adds up, and that gains are what they say.
func TestProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for round := range 100_000 {
		s := random(r)
		h := s.score()
		if h <= 0 || h > 100 {
			t.Fatalf("health %v of %+v", h, s)
		}
		checkFalls(t, r, s, h)
		if round%20 > 0 {
			continue
		}
		checkDoubled(t, s, h)
		checkLedger(t, s, h)
		checkGains(t, r, s, h)
	}
}

// checkFalls lets a check newly fail somewhere, or a check that never failed.
func checkFalls(t *testing.T, r *rand.Rand, s site, h float64) {
	t.Helper()
	more := site{s.pages, slices.Clone(s.costs), slices.Clone(s.cells)}
	at := Cell{int32(r.IntN(s.pages+1)) - 1, int32(r.IntN(len(s.costs) + 1)), 1 + r.IntN(5)}
	if int(at.Check) == len(s.costs) {
		more.costs = append(more.costs, aNotice/2)
	}
	if slices.ContainsFunc(more.cells, func(c Cell) bool { return c.Page == at.Page && c.Check == at.Check }) {
		return
	}
	more.cells = append(more.cells, at)
	more.sort()
	if after := more.score(); after >= h {
		t.Fatalf("health %v, and %v when %+v fails on %+v", h, after, at, s)
	}
}

// checkDoubled: every page twice, the same health.
func checkDoubled(t *testing.T, s site, h float64) {
	t.Helper()
	twice := site{2 * s.pages, s.costs, slices.Clone(s.cells)}
	for _, c := range s.cells {
		if c.Page != Site {
			c.Page += int32(s.pages)
			twice.cells = append(twice.cells, c)
		}
	}
	twice.sort()
	if d := twice.score(); math.Abs(d-h) > 1e-9 {
		t.Fatalf("doubled, the health is %v instead of %v", d, h)
	}
}

// checkLedger: the shares add up to what is lost, and none is negative.
func checkLedger(t *testing.T, s site, h float64) {
	t.Helper()
	sum := 0.0
	for _, share := range s.book().Shares() {
		if sum += share; share <= 0 {
			t.Fatalf("a share of %v in %+v", share, s)
		}
	}
	if math.Abs(sum-(100-h)) > 1e-9 {
		t.Fatalf("the ledger adds up to %v, lost are %v", sum, 100-h)
	}
}

// checkGains: a gain is the health without the findings, less the health with them, whatever is removed
// together; and when everything is removed the health is 100.
func checkGains(t *testing.T, r *rand.Rand, s site, h float64) {
	t.Helper()
	book := s.book()
	left := site{s.pages, s.costs, slices.Clone(s.cells)}
	for len(s.cells) > 0 {
		var removals []Removal
		for i := range left.cells {
			if n := left.cells[i].Places; n > 0 && r.IntN(3) == 0 {
				removals = append(removals, Removal{i, 1 + r.IntN(n)})
			}
		}
		gain, weighted := book.Gain(removals, func(int) float64 { return 1 })
		if math.Abs(gain-weighted) > 1e-9 {
			t.Fatalf("with weights of 1 the weighted gain is %v, the gain %v", weighted, gain)
		}
		before := left.score()
		for _, rm := range removals {
			left.cells[rm.Cell].Places -= rm.Places
		}
		if want := left.score() - before; math.Abs(gain-want) > 1e-9 {
			t.Fatalf("gain %v, the health rises by %v", gain, want)
		}
		book.Remove(removals)
		if after, _ := book.Health(); math.Abs(after-left.score()) > 1e-9 {
			t.Fatalf("after the removal the book says %v, anew it is %v", after, left.score())
		}
		if !slices.ContainsFunc(left.cells, func(c Cell) bool { return c.Places > 0 }) {
			break
		}
	}
	if end, _ := book.Health(); math.Abs(end-100) > 1e-9 {
		t.Fatalf("with all removed the health is %v, before it was %v", end, h)
	}
}

// TestHalfWidth draws samples from a known site: the interval holds its health about as often as it says.
func TestHalfWidth(t *testing.T) {
	if NewAccount(4, []float64{anError}, []Cell{{0, 0, 1}}, nil).HalfWidth(4) != 0 {
		t.Error("a whole site has a half-width")
	}
	r := rand.New(rand.NewPCG(3, 4))
	const whole, drawn, trials = 2000, 200, 400
	all := site{pages: whole, costs: []float64{anError, aWarning, aNotice}}
	for p := range int32(whole) {
		for c, often := range []float64{0.1, 0.5, 0.9} {
			if r.Float64() < often {
				all.cells = append(all.cells, Cell{p, int32(c), 1 + r.IntN(5)})
			}
		}
	}
	truth, held := all.score(), 0
	for range trials {
		at := map[int32]int32{}
		for k, p := range r.Perm(whole)[:drawn] {
			at[int32(p)] = int32(k)
		}
		sample := site{pages: drawn, costs: all.costs}
		for _, c := range all.cells {
			if k, ok := at[c.Page]; ok {
				c.Page = k
				sample.cells = append(sample.cells, c)
			}
		}
		sample.sort()
		b := sample.book()
		if h, _ := b.Health(); math.Abs(h-truth) <= b.HalfWidth(whole) {
			held++
		}
	}
	if share := float64(held) / trials; share < 0.91 || share > 0.985 {
		t.Errorf("the interval of 95 %% held %.1f %% of the time", 100*share)
	}
}

// TestStands gives pages that stand for many others their part of the site: of health, of each cell's share, and of how
// sure an estimate is. Worked by hand.
func TestStands(t *testing.T) {
	const cost = 0.2
	cells := []Cell{{0, 0, 1}, {2, 0, 1}}
	weight := func(p int) float64 { return []float64{6, 3, 2, 1}[p] } // of 12 pages: stand 2, 1, ⅔, ⅓
	b := NewAccount(4, []float64{cost}, cells, weight)
	mean := (2 + 2.0/3) / 4
	want := 100 * math.Exp(-Term(cost, mean))
	got, ok := b.Health()
	if !ok || math.Abs(got-want) > 1e-9 {
		t.Errorf("health %v, want %v", got, want)
	}
	shares := b.Shares()
	if math.Abs(shares[0]-3*shares[1]) > 1e-9 || math.Abs(shares[0]+shares[1]-(100-want)) > 1e-9 {
		t.Errorf("shares %v of %v", shares, 100-want)
	}
	gain, worth := b.Gain([]Removal{{0, 1}}, func(p int) float64 { return 0.5 })
	left := 100 * math.Exp(-Term(cost, (2.0/3)/4))
	if math.Abs(gain-(left-want)) > 1e-9 || math.Abs(worth-gain/2) > 1e-9 {
		t.Errorf("gain %v, worth %v, want %v", gain, worth, left-want)
	}
	slope := Slope(cost, mean)
	mu := slope * mean
	squares := 0.0
	for p, x := range []float64{slope, 0, slope, 0} {
		d := want * (x - mu)
		squares += []float64{2, 1, 2.0 / 3, 1.0 / 3}[p] * d * d
	}
	effective := 16 / (4 + 1 + 4.0/9 + 1.0/9)
	half := 1.96 * math.Sqrt(squares/3) / math.Sqrt(effective) * math.Sqrt(1-4.0/12)
	if got := b.HalfWidth(12); math.Abs(got-half) > 1e-9 {
		t.Errorf("half-width %v, want %v", got, half)
	}
	for of, want := range map[int]bool{4: false, 3: false, 5: true} {
		if got := b.HalfWidth(of); (got > 0) != want {
			t.Errorf("half-width of a sample of 4 of %d: %v", of, got)
		}
	}
	if got := NewAccount(1, []float64{cost}, cells[:1], nil).HalfWidth(10); got != 0 {
		t.Errorf("one page tells how sure it is: %v", got)
	}
}

// TestNothingToGain: what is not there brings nothing, and neither do places that a cell has none of.
func TestNothingToGain(t *testing.T) {
	b := NewAccount(2, []float64{anError, aWarning}, []Cell{{0, 0, 2}}, nil)
	all := func(int) float64 { return 1 }
	if gain, worth := b.Gain(nil, all); gain != 0 || worth != 0 {
		t.Errorf("without a removal: %v, %v", gain, worth)
	}
	if gain, worth := b.Gain([]Removal{{0, 0}}, all); gain != 0 || worth != 0 {
		t.Errorf("of no places: %v, %v", gain, worth)
	}
	if Weight(0) != 0 || Weight(-1) != 0 || Weight(1) != 1 {
		t.Errorf("no places weigh %v and %v, one %v", Weight(0), Weight(-1), Weight(1))
	}
	if shares := NewAccount(2, []float64{anError}, nil, nil).Shares(); len(shares) != 0 {
		t.Errorf("shares of nothing: %v", shares)
	}
	site := NewAccount(3, []float64{anError}, []Cell{{Site, 0, 1}}, nil)
	want := 100 * math.Exp(-Term(anError, 1))
	for p, h := range site.Pages() {
		if math.Abs(h-want) > 1e-9 {
			t.Errorf("page %d of a site with a fault of the whole: %v, want %v", p, h, want)
		}
	}
	if h, _ := site.Health(); math.Abs(h-want) > 1e-9 {
		t.Errorf("that site: %v, want %v", h, want)
	}
}
