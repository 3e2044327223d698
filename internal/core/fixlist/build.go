package fixlist

import (
	"cmp"
	"encoding/base32"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"sort"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/health"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// States that a fix has before anyone has worked on it.
const (
	Open   = "open"
	Waived = "waived"
)

// Kind is the rule by which a cause was found.
type Kind string

const (
	Target  Kind = "target"  // the same bad address
	Value   Kind = "value"   // the same title, description, heading or text
	Layout  Kind = "layout"  // one place of one template
	Carrier Kind = "carrier" // a file that names what is wrong
	OnePage Kind = "page"    // one page that holds many cases
	Rule    Kind = "rule"    // many addresses that are bad in the same way
	Section Kind = "section" // most pages of a folder, or of the site
	Pages   Kind = "pages"   // the rest: separate pages
	Whole   Kind = "site"    // a site-wide finding
)

// A Fix is a line of the fix list: a check and a cause.
type Fix struct {
	ID          string
	Rank        int // from 1, in the default order
	Check       string
	Group       string
	Severity    check.Severity
	Kind        Kind
	Line        string   // the fix as a sentence
	Where       string   // "in the layout of 412 pages, footer"
	Target      string   // the address concerned
	Targets     []string // the addresses concerned, of a line for several
	Value       string   // what is shared
	Example     string   // a page
	Cases       int      // different targets or values
	Pages       int      // that it mends
	Places      int
	Gain        float64 // points of health
	Lost        float64 // points that the ledger books to it
	Effort      string
	HealthAfter float64 // with this and all before it done
	State       string
	Waived      int      // of its pages
	Follows     []Follow // what comes of it, and goes with it
	Entries     []Entry  // of a line for several targets or values, those on most pages first
	Of          string   // of an entry seen as a fix: the line that it is part of

	Members []int32 // its pages by number, in order of address; −1 for the site
	minutes int
	weight  float64 // gain weighted by importance
	cells   []health.Removal
}

// An Entry is one target or value of a line for several. It is named as its own line would be, so that the work
// at it goes on whichever line it is part of.
type Entry struct {
	ID      string
	Line    string // as a sentence
	Target  string
	Value   string
	Example string // a page
	Pages   int
	Places  int
	State   string // of the work at it
	Version int

	Members []int32
}

// maxEntries bounds the entries of a line that are named; Cases says how many there are.
const maxEntries = 300

// Entry is an entry of the fix seen as a fix of its own, for the same check; ok is false if it has none of that ID.
func (f *Fix) Entry(id string) (one Fix, ok bool) {
	i := slices.IndexFunc(f.Entries, func(e Entry) bool { return e.ID == id })
	if i < 0 {
		return Fix{}, false
	}
	e := &f.Entries[i]
	one = Fix{
		ID: e.ID, Of: f.ID, Rank: f.Rank, Check: f.Check, Group: f.Group, Severity: f.Severity, Kind: Value,
		Line: e.Line, Target: e.Target, Value: e.Value,
		Example: e.Example, Pages: e.Pages, Places: e.Places, Effort: "small", HealthAfter: f.HealthAfter, State: Open,
		Members: e.Members,
	}
	if e.Target != "" {
		one.Kind = Target
	}
	return one, true
}

// Follow is a check that fails on pages of a fix only for what the fix is about.
type Follow struct {
	Check string
	Pages int
}

// LedgerLine is what one check took.
type LedgerLine struct {
	Check    string
	Group    string
	Severity check.Severity
	Points   float64
	Pages    int
	Places   int
}

// A Report is a crawl judged.
type Report struct {
	Health    float64
	Scored    bool    // false: no page could be assessed, there is no health
	Unwaived  float64 // health, had nothing been waived
	Waived    int     // findings that are waived
	HalfWidth float64 // of the estimate, where only a part was crawled
	Assessed  int
	Expected  int    // pages that the site is known to have, at least
	Documents int    // HTML pages
	Closed    int    // of them, cannot be found in search
	Unfound   string // what has to be said beside health where many of them cannot
	Ledger    []LedgerLine
	Fixes     []Fix
	Pages     []PageScore // of assessed pages, in order of address
	Findings  int
	Map       Map
}

// PageScore is a page's own part.
type PageScore struct {
	Page       int32
	Health     float64
	Importance float64 // 0 to 1
	Counts     [3]int  // checks failing, by severity
}

// severityCost is what a finding costs on a page.
var severityCost = [...]float64{check.Error: 0.25, check.Warning: 0.05, check.Notice: 0.01}

// An Adjustment is what the consultant decided, beside what the crawl found. The zero value
// changes nothing.
type Adjustment struct {
	// Waived tells whether a finding is to cost nothing: that of a check on a page, by its address,
	// the name of its layout ("" for none) and the fix it belongs to. Nil waives nothing. The
	// address is "" for what is about the whole site.
	Waived func(check, address, layout, fix string) bool
	// Figure is a figure of the consultant's own by address, such as visits: its percentile is
	// averaged with that of authority. Pages without one have the least. Nil means authority alone.
	Figure map[string]float64
}

// builder holds what the steps of Build share.
type builder struct {
	*Sheet
	adjust     Adjustment
	assessed   []*Page // in order of address
	at         []int32 // address number → index in assessed, −1 for none
	pages      []int32 // address number → index in the sheet's pages, −1 for none
	sections   *sections
	home       string // host of most pages, without www
	importance []float64
	waived     []bool  // by entry
	explained  []bool  // by entry: it is part of a line
	entryCell  []int32 // by entry, −1 for none
	roots      []int32 // by entry: the one on the same page that it follows from, −1 for none
	cells      []health.Cell
	costs      []float64 // by check

	layoutPages map[int32]tally // pages assessed
	folderPages map[string]tally
	sitePages   tally
	documents   []bool // by check: it looks at all documents, also those that search engines may not show
}

// Build judges: it sorts what was collected, scores, finds causes and ranks. The order in
// which findings were added makes no difference.
func (c *Collector) Build(s *survey.Survey) *Report { return c.Sheet(s).Build(Adjustment{}) }

// Build makes the report: causes are those of all findings; health, gain and rank leave out what is
// waived.
func (s *Sheet) Build(adjust Adjustment) *Report {
	b := newBuilder(s, adjust)
	found := b.gather()
	b.waive(found)
	r := &Report{Assessed: len(b.assessed), Findings: s.Findings, Expected: s.Expected}
	for i := range s.Pages {
		if s.Pages[i].HTML {
			r.Documents++
		}
		if s.Pages[i].Closed {
			r.Closed++
		}
	}
	if 10*r.Closed > r.Documents { // one in ten may be meant
		r.Unfound = fmt.Sprintf("Of %s, %s cannot be found in search.", text.Count(r.Documents, "page", "pages"),
			text.Thousands(r.Closed))
	}
	waived := slices.Contains(b.waived, true)
	if waived {
		r.Unwaived, _ = b.book(b.makeCells(nil)).Health()
	}
	b.cells = b.makeCells(b.waived)
	book := b.book(b.cells)
	r.Health, r.Scored = book.Health()
	if !waived {
		r.Unwaived = r.Health
	}
	if s.Partial {
		r.HalfWidth = book.HalfWidth(r.Expected)
	}
	shares := book.Shares()
	r.Ledger = b.ledger(found, shares)
	r.Pages = b.pageScores(book)
	r.Fixes = b.fixes(found, book, shares)
	for i, e := range b.entries {
		if b.waived[i] {
			r.Waived += int(e.places)
		}
	}
	b.rank(book, r.Fixes)
	r.Map = b.drawMap(r.Pages)
	return r
}

func newBuilder(s *Sheet, adjust Adjustment) *builder {
	b := &builder{Sheet: s, adjust: adjust}
	b.pages = s.byNumber()
	b.at = slices.Repeat([]int32{-1}, len(b.pages))
	var html []string
	for i := range s.Pages {
		p := &s.Pages[i]
		if p.HTML {
			html = append(html, p.Address)
		}
		if p.Assessed {
			b.at[p.ID] = int32(len(b.assessed))
			b.assessed = append(b.assessed, p)
		}
	}
	b.sections = newSections(html)
	b.home = mostOf(html)
	for _, c := range b.Checks {
		b.costs = append(b.costs, severityCost[c.Severity]*c.Weight())
	}
	b.findRoots()
	b.importance = importance(b.assessed, adjust.Figure)
	return b
}

// mostOf is the host that most addresses have.
func mostOf(addresses []string) string {
	counts := map[string]int{}
	best := ""
	for _, a := range addresses {
		u, err := weburl.Parse(a)
		if err != nil {
			continue
		}
		host := strings.TrimPrefix(u.Host(), "www.")
		if counts[host]++; counts[host] > counts[best] || counts[host] == counts[best] && host < best {
			best = host
		}
	}
	return best
}

// page is the one of a number; nil for the site.
func (b *builder) page(id int32) *Page {
	if id < 0 || b.pages[id] < 0 {
		return nil
	}
	return &b.Sheet.Pages[b.pages[id]]
}

// address is that of a page by its number, "" for the site.
func (b *builder) address(id int32) string {
	if p := b.page(id); p != nil {
		return p.Address
	}
	return ""
}

// counts tells whether health counts an entry's page; the site counts.
func (b *builder) counts(e entry) bool {
	return e.page < 0 || b.at[e.page] >= 0
}

// book is that of the assessed pages with some cells.
func (b *builder) book(cells []health.Cell) *health.Account {
	return health.NewAccount(len(b.assessed), b.costs, slices.Clone(cells), b.weight())
}

// waive finds the entries that are to cost nothing: those that a waiver covers, and those that follow
// from such.
func (b *builder) waive(found []gathered) {
	b.waived = make([]bool, len(b.entries))
	if b.adjust.Waived == nil {
		return
	}
	covered := func(e *entry, fix string) bool {
		return b.adjust.Waived(b.Checks[e.check].ID, b.address(e.page), b.layoutName(e.page), fix)
	}
	for _, g := range found {
		for _, i := range g.entries {
			e := &b.entries[i]
			root := b.roots[i]
			b.waived[i] = covered(e, g.fix.ID) || root >= 0 && covered(&b.entries[root], g.fix.ID)
		}
	}
}

// makeCells joins the entries of one check on one page, without some.
func (b *builder) makeCells(without []bool) (cells []health.Cell) {
	b.entryCell = make([]int32, len(b.entries))
	last := entry{page: -2}
	for i, e := range b.entries {
		b.entryCell[i] = -1
		if !b.counts(e) || without != nil && without[i] {
			continue
		}
		if e.page != last.page || e.check != last.check {
			cell := health.Cell{Page: health.Site, Check: e.check}
			if e.page >= 0 {
				cell.Page = b.at[e.page]
			}
			cells = append(cells, cell)
			last = e
		}
		b.entryCell[i] = int32(len(cells) - 1)
		cells[len(cells)-1].Places += int(e.places)
	}
	return cells
}

// removals are the places of some entries, taken out of their cells.
func (b *builder) removals(entries []int32) (out []health.Removal) {
	for _, i := range entries { // those of one cell follow on each other
		cell := int(b.entryCell[i])
		if cell < 0 {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Cell == cell {
			out[n-1].Places += int(b.entries[i].places)
		} else {
			out = append(out, health.Removal{Cell: cell, Places: int(b.entries[i].places)})
		}
	}
	return out
}

// weight tells how many pages each assessed one stands for, where the crawl drew a sample.
func (b *builder) weight() func(int) float64 {
	if !slices.ContainsFunc(b.assessed, func(p *Page) bool { return p.Weight != 1 }) {
		return nil
	}
	return func(p int) float64 { return b.assessed[p].Weight }
}

// ledger books what was lost to checks; what only follows from another check, to that one.
func (b *builder) ledger(found []gathered, shares []float64) []LedgerLine {
	lines := make([]LedgerLine, len(b.Checks))
	points := make([]float64, len(b.cells)) // of a cell, by place
	for i, cell := range b.cells {
		points[i] = shares[i] / float64(cell.Places)
	}
	for i, c := range b.Checks {
		lines[i].Check, lines[i].Group, lines[i].Severity = c.ID, c.Group, c.Severity
	}
	counted := make([]bool, len(b.cells))
	for _, g := range found {
		for _, i := range g.entries {
			e := &b.entries[i]
			cell := b.entryCell[i]
			if cell < 0 {
				continue
			}
			lines[g.check].Points += points[cell] * float64(e.places)
			if b.roots[i] >= 0 {
				continue
			}
			lines[e.check].Places += int(e.places)
			if !counted[cell] {
				counted[cell] = true
				lines[e.check].Pages++
			}
		}
	}
	lines = slices.DeleteFunc(lines, func(l LedgerLine) bool { return l.Pages == 0 })
	slices.SortStableFunc(lines, func(a, b LedgerLine) int { return cmp.Compare(b.Points, a.Points) })
	return lines
}

func (b *builder) pageScores(book *health.Account) []PageScore {
	out := make([]PageScore, len(b.assessed))
	scores := book.Pages()
	for i, p := range b.assessed {
		out[i] = PageScore{Page: p.ID, Health: scores[i], Importance: b.importance[i]}
	}
	last := int32(-1)
	for i := range b.entries {
		e := &b.entries[i]
		if cell := b.entryCell[i]; cell >= 0 && cell != last && e.page >= 0 && b.roots[i] < 0 {
			last = cell
			out[b.at[e.page]].Counts[b.Checks[e.check].Severity]++
		}
	}
	return out
}

// importance is the percentile of each page's authority: the share of pages that have no
// more than it; averaged with that of the figure, if there is one. The home page has all.
func importance(assessed []*Page, figure map[string]float64) []float64 {
	// Equal authority, equal percentile: count those not above, to a billionth.
	out := percentiles(assessed, 1e-9/float64(max(1, len(assessed))), func(p *Page) float64 { return p.Authority })
	if figure != nil {
		for i, f := range percentiles(assessed, 0, func(p *Page) float64 { return figure[p.Address] }) {
			out[i] = (out[i] + f) / 2
		}
	}
	for i, p := range assessed {
		if p.Home {
			out[i] = 1
		}
	}
	return out
}

func percentiles(pages []*Page, within float64, value func(*Page) float64) []float64 {
	sorted := make([]float64, len(pages))
	for i, p := range pages {
		sorted[i] = value(p)
	}
	slices.Sort(sorted)
	out := make([]float64, len(pages))
	for i, p := range pages {
		n := sort.Search(len(sorted), func(k int) bool { return sorted[k] > value(p)+within })
		out[i] = float64(n) / float64(len(pages))
	}
	return out
}

func (b *builder) fixes(found []gathered, book *health.Account, shares []float64) []Fix {
	var out []Fix
	for _, g := range found {
		f := g.fix
		open := 0
		follows := map[int32]int{}
		last := entry{page: -2}
		for _, i := range g.entries { // those of one page follow on each other
			e := b.entries[i]
			switch {
			case b.roots[i] < 0:
				f.Places += int(e.places)
				if !b.waived[i] {
					open++
				}
			case e.page != last.page || e.check != last.check:
				follows[e.check]++
			}
			if n := len(f.Members); n == 0 || f.Members[n-1] != e.page {
				f.Members = append(f.Members, e.page)
			}
			last = e
		}
		for c := range b.Checks {
			if n := follows[int32(c)]; n > 0 {
				f.Follows = append(f.Follows, Follow{b.Checks[c].ID, n})
			}
		}
		f.cells = b.removals(g.entries)
		for _, r := range f.cells {
			f.Lost += shares[r.Cell] * float64(r.Places) / float64(b.cells[r.Cell].Places)
		}
		f.Pages = len(f.Members)
		if f.Example == "" && f.Members[0] >= 0 {
			f.Example = b.address(f.Members[0])
		}
		f.Waived = b.waivedPages(g.entries)
		f.Gain, f.weight = book.Gain(f.cells, func(p int) float64 { return b.importance[p] })
		b.finish(&f, b.Checks[g.check])
		f.Entries = b.entriesOf(&g)
		if open == 0 {
			f.State = Waived
		}
		out = append(out, f)
	}
	return out
}

// entriesOf are the targets or values of a line for several.
func (b *builder) entriesOf(g *gathered) []Entry {
	if g.fix.Cases < 2 || g.fix.Kind == Target || g.fix.Kind == Value {
		return nil
	}
	c := b.Checks[g.check]
	kind := Value
	if c.Gather == check.ByTarget {
		kind = Target
	}
	at := map[int32]int{}
	var out []Entry
	for _, i := range g.entries {
		e := &b.entries[i]
		if b.roots[i] >= 0 || e.cause < 0 {
			continue
		}
		k, known := at[e.cause]
		if !known {
			cause := &b.causes[e.cause]
			k = len(out)
			at[e.cause] = k
			out = append(out, Entry{ID: identify(c, kind, cause.key), Target: cause.target, Value: cause.value})
		}
		one := &out[k]
		if one.Places += int(e.places); len(one.Members) == 0 || one.Members[len(one.Members)-1] != e.page {
			one.Members = append(one.Members, e.page)
		}
	}
	slices.SortFunc(out, func(x, y Entry) int {
		return cmp.Or(cmp.Compare(len(y.Members), len(x.Members)), strings.Compare(x.Target, y.Target),
			strings.Compare(x.Value, y.Value), strings.Compare(x.ID, y.ID))
	})
	out = out[:min(len(out), maxEntries)]
	for k := range out {
		one := &out[k]
		one.Pages = len(one.Members)
		if one.Members[0] >= 0 {
			one.Example = b.address(one.Members[0])
		}
		f := Fix{Kind: kind, Target: one.Target, Value: one.Value, Example: one.Example, Pages: one.Pages}
		f.word(c, b.home)
		one.Line = f.Line
	}
	return out
}

// waivedPages counts the pages on which all of a fix's findings are waived.
func (b *builder) waivedPages(entries []int32) (n int) {
	for i := 0; i < len(entries); {
		all, page := true, b.entries[entries[i]].page
		for ; i < len(entries) && b.entries[entries[i]].page == page; i++ {
			all = all && b.waived[entries[i]]
		}
		if all {
			n++
		}
	}
	return n
}

// finish words a fix and weighs its effort.
func (b *builder) finish(f *Fix, c *check.Check) {
	f.Check, f.Group, f.Severity, f.State = c.ID, c.Group, c.Severity, Open
	f.minutes = [...]int{check.Minutes: 10, check.Hours: 120, check.Days: 960}[c.Effort]
	switch {
	case f.Kind == Pages:
		f.minutes *= max(1, min(f.Pages, cmp.Or(f.Cases, f.Pages)))
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
	f.word(c, b.home)
}

// rank sorts by severity, weighted gain, effort and ID, then walks down the list to tell the
// health after each line.
func (b *builder) rank(book *health.Account, fixes []Fix) {
	slices.SortFunc(fixes, func(x, y Fix) int {
		return cmp.Or(
			boolFirst(x.State != Waived, y.State != Waived),
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
		fixes[i].cells = nil
	}
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// boolFirst puts what is true first.
func boolFirst(x, y bool) int {
	switch {
	case x == y:
		return 0
	case x:
		return -1
	}
	return 1
}

// identify makes the ID of a fix: the same check and cause have the same one in every crawl.
func identify(c *check.Check, kind Kind, key string) string {
	h := fnv.New64a()
	h.Write([]byte(c.ID + "\x00" + string(kind) + "\x00" + key))
	return strings.ToLower(base32.StdEncoding.EncodeToString(h.Sum(nil))[:8])
}

// TargetID is the ID of the line that a bad address has where it has one of its own.
func TargetID(checkID, target string) string {
	return identify(&check.Check{ID: checkID}, Target, target)
}

// regionWord begins a sentence about a link that stands in one region of all its pages.
func regionWord(r page.Region) string {
	return [...]string{"Link", "Navigation link", "Header link", "Footer link", "Side link"}[r]
}
