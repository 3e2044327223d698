package fixlist

import (
	"cmp"
	"encoding/base32"
	"hash/fnv"
	"math"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/health"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// Kind is the rule by which a cause was found.
type Kind string

const (
	Target  Kind = "target"  // the same bad address
	Value   Kind = "value"   // the same title, description, heading or text
	Layout  Kind = "layout"  // one place of one template
	Section Kind = "section" // most pages of a folder
	Pages   Kind = "pages"   // the rest: separate pages
	Rest    Kind = "rest"    // the many small cases of a check with hundreds
	Whole   Kind = "site"    // a site-wide finding
)

// A Fix is a line of the fix list: a check and a cause.
type Fix struct {
	ID          string         `json:"id"`
	Rank        int            `json:"rank"` // from 1, in the default order
	Check       string         `json:"check"`
	Group       string         `json:"group"`
	Severity    check.Severity `json:"severity"`
	Kind        Kind           `json:"kind"`
	Line        string         `json:"line"`              // the fix as a sentence
	Where       string         `json:"where,omitempty"`   // "in the layout of 412 pages, footer"
	Target      string         `json:"target,omitempty"`  // the address concerned
	Value       string         `json:"value,omitempty"`   // what is shared
	Example     string         `json:"example,omitempty"` // a page
	Pages       int            `json:"pages"`             // that it mends
	Places      int            `json:"places"`
	Gain        float64        `json:"gain"` // points of health
	Lost        float64        `json:"lost"` // points that the ledger books to it
	Effort      string         `json:"effort"`
	HealthAfter float64        `json:"healthAfter"` // with this and all before it done
	State       string         `json:"state"`

	Members []Member `json:"-"` // its pages, in order of address
	minutes int
	weight  float64 // gain weighted by importance
	cells   []health.Removal
}

// A Member is a page of a fix.
type Member struct {
	Page   int32 // address number, −1 for the site
	Places int
}

// LedgerLine is what one check took.
type LedgerLine struct {
	Check    string         `json:"check"`
	Group    string         `json:"group"`
	Severity check.Severity `json:"severity"`
	Points   float64        `json:"points"`
	Pages    int            `json:"pages"`
	Places   int            `json:"places"`
}

// A Report is a crawl judged.
type Report struct {
	Health    float64      `json:"health"`
	Scored    bool         `json:"scored"`    // false: no page could be assessed, there is no health
	HalfWidth float64      `json:"halfWidth"` // of the estimate, where only a part was crawled
	Assessed  int          `json:"assessed"`
	Expected  int          `json:"expected"` // pages that the site is known to have, at least
	Ledger    []LedgerLine `json:"ledger"`
	Fixes     []Fix        `json:"fixes"`
	Pages     []PageScore  `json:"-"` // of assessed pages, in order of address
	Findings  int          `json:"findings"`
}

// PageScore is a page's own part.
type PageScore struct {
	Page       int32
	Health     float64
	Importance float64 // 0 to 1
	Counts     [3]int  // checks failing, by severity
}

// severityCost is what a finding costs on a page, and a site-wide one on every page.
var severityCost = [...]struct{ page, site float64 }{
	check.Error: {0.25, 0.10}, check.Warning: {0.05, 0.02}, check.Notice: {0.01, 0.004},
}

// builder holds what the steps of Build share.
type builder struct {
	*Collector
	s          *survey.Survey
	assessed   []int32 // address numbers, in order of address
	at         map[int32]int32
	importance []float64
	entryCell  []int
	cells      []health.Cell
	cellCheck  []int32
}

// Build judges: it sorts what was collected, scores, finds causes and ranks. The order in
// which findings were added makes no difference.
func (c *Collector) Build(s *survey.Survey) *Report {
	b := &builder{Collector: c, s: s, at: map[int32]int32{}}
	for i := range s.Pages {
		if p := &s.Pages[i]; s.Assessed(p) {
			b.at[p.ID] = int32(len(b.assessed))
			b.assessed = append(b.assessed, p.ID)
		}
	}
	b.sortEntries()
	b.makeCells()
	b.importance = importance(s, b.assessed)
	book := health.NewBook(len(b.assessed), slices.Clone(b.cells), b.weight())
	r := &Report{Assessed: len(b.assessed), Findings: c.findings, Expected: b.expected()}
	r.Health, r.Scored = book.Health()
	if s.Partial {
		r.HalfWidth = book.HalfWidth(r.Expected)
	}
	shares := book.Shares()
	r.Ledger = b.ledger(shares)
	r.Pages = b.pageScores(book)
	r.Fixes = b.fixes(book, shares)
	b.rank(book, r.Fixes)
	return r
}

// sortEntries puts entries in an order that depends on addresses only. Those on addresses that
// health does not count, such as a missing one that a sitemap lists, come last: they are lines of
// the fix list, and cost nothing.
func (b *builder) sortEntries() {
	var uncounted []int32
	for i := range b.entries {
		if e := &b.entries[i]; !b.counts(*e) {
			uncounted = append(uncounted, e.page)
		}
	}
	slices.SortFunc(uncounted, func(x, y int32) int { return strings.Compare(b.s.URL(x), b.s.URL(y)) })
	last := make(map[int32]int32, len(uncounted))
	for i, id := range uncounted {
		last[id] = int32(len(b.assessed) + i)
	}
	for i := range b.entries { // so that pages need not be looked up for each comparison
		switch e := &b.entries[i]; {
		case e.page < 0:
			e.place = health.Site
		case b.counts(*e):
			e.place = b.at[e.page]
		default:
			e.place = last[e.page]
		}
	}
	slices.SortFunc(b.entries, func(x, y entry) int {
		return cmp.Or(
			cmp.Compare(x.place, y.place),
			cmp.Compare(x.check, y.check),
			strings.Compare(b.causeName(x), b.causeName(y)),
			strings.Compare(b.spots[x.spot], b.spots[y.spot]),
		)
	})
}

// counts tells whether health counts an entry's page; the site counts.
func (b *builder) counts(e entry) bool {
	_, ok := b.at[e.page]
	return ok || e.page < 0
}

func (b *builder) causeName(e entry) string {
	if e.cause < 0 {
		return ""
	}
	return b.causes[e.cause].key
}

// makeCells joins the entries of one check on one page.
func (b *builder) makeCells() {
	b.entryCell = make([]int, len(b.entries))
	for i, e := range b.entries {
		if !b.counts(e) {
			b.entryCell[i] = -1
			continue
		}
		if i == 0 || e.page != b.entries[i-1].page || e.check != b.entries[i-1].check {
			c := b.checks[e.check]
			cell := health.Cell{Page: health.Site, Cost: severityCost[c.Severity].site * c.Weight()}
			if e.page >= 0 {
				cell.Page = b.at[e.page]
				cell.Cost = severityCost[c.Severity].page * c.Weight()
			}
			b.cells = append(b.cells, cell)
			b.cellCheck = append(b.cellCheck, e.check)
		}
		b.entryCell[i] = len(b.cells) - 1
		b.cells[len(b.cells)-1].Places += int(e.places)
	}
}

// weight tells how many pages each assessed one stands for, where the crawl drew a sample.
func (b *builder) weight() func(int) float64 {
	if b.s.Weights == nil {
		return nil
	}
	return func(p int) float64 { return max(b.s.Weights[b.assessed[p]], 1e-6) }
}

// expected is the number of pages the site is known to have: those assessed, and the inside
// addresses that were left unfetched, less the share of them that turned out to be no page.
func (b *builder) expected() int {
	if b.s.Size > 0 {
		return b.s.Size
	}
	waiting, fetched := 0, 0
	for i := range b.s.Addresses {
		switch a := &b.s.Addresses[i]; {
		case a.Left():
			waiting++
		case a.State == survey.Fetched && a.Role == page.AsPage:
			fetched++
		}
	}
	if fetched == 0 {
		return waiting
	}
	return len(b.assessed) + int(math.Round(float64(waiting)*float64(len(b.assessed))/float64(fetched)))
}

func (b *builder) ledger(shares []float64) []LedgerLine {
	lines := make([]LedgerLine, len(b.checks))
	for i, cell := range b.cells {
		l := &lines[b.cellCheck[i]]
		l.Points += shares[i]
		l.Places += cell.Places
		l.Pages++
	}
	for i, c := range b.checks {
		lines[i].Check, lines[i].Group, lines[i].Severity = c.ID, c.Group, c.Severity
	}
	lines = slices.DeleteFunc(lines, func(l LedgerLine) bool { return l.Pages == 0 })
	slices.SortStableFunc(lines, func(a, b LedgerLine) int { return cmp.Compare(b.Points, a.Points) })
	return lines
}

func (b *builder) pageScores(book *health.Book) []PageScore {
	out := make([]PageScore, len(b.assessed))
	for i, id := range b.assessed {
		out[i] = PageScore{Page: id, Health: book.Page(i), Importance: b.importance[i]}
	}
	for i, cell := range b.cells {
		if cell.Page >= 0 {
			out[cell.Page].Counts[b.checks[b.cellCheck[i]].Severity]++
		}
	}
	return out
}

// importance is the percentile of each page's authority: the share of pages that have no
// more than it.
func importance(s *survey.Survey, assessed []int32) []float64 {
	sorted := make([]float64, len(assessed))
	for i, id := range assessed {
		sorted[i] = s.Authority[id]
	}
	slices.Sort(sorted)
	out := make([]float64, len(assessed))
	for i, id := range assessed {
		// Equal authority, equal percentile: count those not above, to a billionth.
		n, _ := slices.BinarySearch(sorted, s.Authority[id]+1e-9/float64(len(assessed)))
		out[i] = float64(n) / float64(len(assessed))
	}
	return out
}

func (b *builder) fixes(book *health.Book, shares []float64) []Fix {
	var out []Fix
	for _, g := range b.gather() {
		f := g.fix
		removed := map[int]int{}
		for _, i := range g.entries {
			e := b.entries[i]
			f.Places += int(e.places)
			if b.entryCell[i] >= 0 {
				removed[b.entryCell[i]] += int(e.places)
			}
			if n := len(f.Members); n > 0 && f.Members[n-1].Page == e.page {
				f.Members[n-1].Places += int(e.places)
			} else {
				f.Members = append(f.Members, Member{e.page, int(e.places)})
			}
		}
		for _, i := range g.entries {
			cell := b.entryCell[i]
			if n, ok := removed[cell]; ok {
				f.cells = append(f.cells, health.Removal{Cell: cell, Places: n})
				f.Lost += shares[cell] * float64(n) / float64(b.cells[cell].Places)
				delete(removed, cell)
			}
		}
		if f.Pages = len(f.Members); f.Members[0].Page >= 0 {
			f.Example = b.s.URL(f.Members[0].Page)
		}
		f.Gain, f.weight = book.Gain(f.cells, func(p int) float64 { return b.importance[p] })
		b.finish(&f, b.checks[b.entries[g.entries[0]].check])
		out = append(out, f)
	}
	return out
}

// finish words a fix and weighs its effort.
func (b *builder) finish(f *Fix, c *check.Check) {
	f.Check, f.Group, f.Severity, f.State = c.ID, c.Group, c.Severity, "open"
	f.minutes = [...]int{check.Minutes: 10, check.Hours: 120, check.Days: 960}[c.Effort]
	switch {
	case f.Kind == Pages || f.Kind == Rest:
		f.minutes *= f.Pages
	case f.Kind == Value && f.Pages > 1 && !c.OneChange:
		f.minutes *= f.Pages - 1 // one may keep what the others must give up
	}
	switch {
	case f.minutes <= 60:
		f.Effort = "small"
	case f.minutes <= 480:
		f.Effort = "medium"
	default:
		f.Effort = "large"
	}
	f.word(c)
}

// rank sorts by severity, weighted gain, effort and ID, then walks down the list to tell the
// health after each line.
func (b *builder) rank(book *health.Book, fixes []Fix) {
	slices.SortFunc(fixes, func(x, y Fix) int {
		return cmp.Or(
			cmp.Compare(x.Severity, y.Severity),
			cmp.Compare(y.weight, x.weight),
			cmp.Compare(x.minutes, y.minutes),
			strings.Compare(x.ID, y.ID),
		)
	})
	for i := range fixes {
		fixes[i].Rank = i + 1
		book.Remove(fixes[i].cells)
		fixes[i].HealthAfter, _ = book.Health()
	}
}

// identify makes the ID of a fix: the same check and cause have the same one in every crawl.
func identify(c *check.Check, kind Kind, key string) string {
	h := fnv.New64a()
	h.Write([]byte(c.ID + "\x00" + string(kind) + "\x00" + key))
	return strings.ToLower(base32.StdEncoding.EncodeToString(h.Sum(nil))[:8])
}

// regionWord begins a sentence about a link that stands in one region of all its pages.
func regionWord(r page.Region) string {
	return [...]string{"Link", "Navigation link", "Header link", "Footer link", "Side link"}[r]
}
