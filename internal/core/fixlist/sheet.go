package fixlist

import (
	"cmp"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/health"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// A Sheet is a judged crawl in short: which check fails where, and what health, causes and rank need
// to know of the pages. It is small enough to be kept with each crawl, so that a decision of the
// consultant, or a comparison of two crawls, needs nothing else. It is read only.
type Sheet struct {
	Checks   []*check.Check // as they judged; without what they do
	Pages    []Page         // sorted by address
	Layouts  []string       // names, by number
	Findings int
	Partial  bool
	Expected int // pages that the site is known to have, at least

	entries []entry // in order
	causes  []cause
	spots   []string
	missed  map[string]bool // checks that need facts which the crawl does not have
}

// Page is what a Sheet knows of a page: an HTML page, or an address on which something was found.
type Page struct {
	ID        int32 // address number
	Address   string
	HTML      bool
	Indexable bool
	Assessed  bool  // health counts it
	Closed    bool  // it cannot be found in search
	Home      bool  // the home page, by whichever of its addresses
	Rendered  bool  // in a browser; checks of renderings know nothing of the others
	Layout    int32 // −1 for none
	Authority float64
	Weight    float64 // how many pages of the site it stands for
}

// Sheet closes a collection over a finished survey, and takes over what is in it.
func (c *Collector) Sheet(s *survey.Survey) *Sheet {
	sheet := &Sheet{
		Checks: c.checks, Findings: c.findings, Partial: s.Partial,
		entries: c.entries, causes: c.causes, spots: c.spots,
	}
	c.entries = nil
	for _, ch := range c.checks {
		if ch.Since > s.Facts {
			if sheet.missed == nil {
				sheet.missed = map[string]bool{}
			}
			sheet.missed[ch.ID] = true
		}
	}
	repairs(s, sheet.Checks, sheet.entries, sheet.causes)
	for _, l := range s.Layouts {
		sheet.Layouts = append(sheet.Layouts, l.Name)
	}
	listed := map[int32]bool{}
	assessed := 0
	for i := range s.Pages {
		p := &s.Pages[i]
		counts := s.Assessed(p)
		if !counts && !p.HTML {
			continue
		}
		one := Page{ID: p.ID, Address: s.URL(p.ID), HTML: p.HTML, Indexable: p.Indexable, Assessed: counts,
			Closed: s.Closed(p), Home: atHome(s, p), Rendered: s.Rendered[p.ID], Layout: p.Layout,
			Authority: s.Authority[p.ID], Weight: 1}
		if s.Weights != nil {
			one.Weight = max(s.Weights[p.ID], 1e-6)
		}
		if counts {
			assessed++
		}
		listed[p.ID] = true
		sheet.Pages = append(sheet.Pages, one)
	}
	for i := range sheet.entries {
		if id := sheet.entries[i].page; id >= 0 && !listed[id] {
			listed[id] = true
			sheet.Pages = append(sheet.Pages, Page{ID: id, Address: s.URL(id), Layout: -1, Weight: 1})
		}
	}
	slices.SortFunc(sheet.Pages, func(a, b Page) int { return strings.Compare(a.Address, b.Address) })
	sheet.Expected = expected(s, assessed)
	sheet.sort()
	return sheet
}

// LayoutName is the name of a layout by its number, "" where there is none.
func (s *Sheet) LayoutName(layout int32) string {
	if layout < 0 || int(layout) >= len(s.Layouts) {
		return ""
	}
	return s.Layouts[layout]
}

// byNumber tells where in a sheet a page stands: by its number, −1 for none.
func (s *Sheet) byNumber() []int32 {
	most := int32(-1)
	for i := range s.Pages {
		most = max(most, s.Pages[i].ID)
	}
	at := slices.Repeat([]int32{-1}, int(most+1))
	for i := range s.Pages {
		at[s.Pages[i].ID] = int32(i)
	}
	return at
}

// sort puts entries in an order that depends on addresses only. Those on addresses that health does not count, such
// as a missing one that a sitemap lists, come last: they are lines of the fix list, and cost nothing.
func (s *Sheet) sort() {
	at := s.byNumber()
	place := func(e *entry) int32 {
		switch {
		case e.page < 0:
			return 0
		case s.Pages[at[e.page]].Assessed:
			return 1 + at[e.page]
		}
		return 1 + int32(len(s.Pages)) + at[e.page]
	}
	// Counted into their places first, since sorting many entries by comparison takes longer than all else here, and
	// moved there one for the other, since a second copy takes as much memory as all else here.
	next := make([]int32, 2*len(s.Pages)+2)
	for i := range s.entries {
		next[place(&s.entries[i])+1]++
	}
	for i := 1; i < len(next); i++ {
		next[i] += next[i-1]
	}
	ends := slices.Clone(next[1:])
	for p, end := range ends {
		for next[p] < end {
			i := next[p]
			q := place(&s.entries[i])
			s.entries[i], s.entries[next[q]] = s.entries[next[q]], s.entries[i]
			next[q]++
		}
	}
	start := int32(0)
	for _, end := range ends {
		slices.SortFunc(s.entries[start:end], func(x, y entry) int {
			if c := cmp.Compare(x.check, y.check); c != 0 {
				return c
			}
			return cmp.Or(strings.Compare(s.causeName(x), s.causeName(y)),
				strings.Compare(s.spots[x.spot], s.spots[y.spot]), strings.Compare(s.spots[x.words], s.spots[y.words]))
		})
		start = end
	}
}

func (s *Sheet) causeName(e entry) string {
	if e.cause < 0 {
		return ""
	}
	return s.causes[e.cause].key
}

// atHome tells the page that the crawl began at, and pages with its text under another form of its address.
func atHome(s *survey.Survey, p *survey.Page) bool {
	home := s.Page(s.Home())
	if home == nil || p.ID == home.ID {
		return home != nil
	}
	a, err := weburl.Parse(s.URL(p.ID))
	if err != nil || p.TextHash != home.TextHash {
		return false
	}
	b, err := weburl.Parse(s.URL(home.ID))
	return err == nil && form(&a) == form(&b)
}

// expected is the number of pages the site is known to have: those assessed, and the inside
// addresses that were left unfetched, less the share of them that turned out to be no page.
func expected(s *survey.Survey, assessed int) int {
	if s.Size > 0 {
		return s.Size
	}
	waiting, fetched := 0, 0
	for i := range s.Addresses {
		switch a := &s.Addresses[i]; {
		case a.Left():
			waiting++
		case a.State == survey.Fetched && a.Role == page.AsPage:
			fetched++
		}
	}
	if fetched == 0 {
		return waiting
	}
	return assessed + (2*waiting*assessed+fetched)/(2*fetched)
}

// Trial is a sheet's findings replaced in part: what a look at some pages again gave. Judged tells
// of which checks on which pages the old findings no longer hold; findings are the new ones, on pages
// by their number in the sheet.
func (s *Sheet) Trial(judged func(check string, page int32) bool, findings []check.Finding) *Sheet {
	out := *s
	c := NewCollector(slices.Clone(s.Checks))
	c.causes, c.spots = slices.Clone(s.causes), slices.Clone(s.spots)
	for _, e := range s.entries {
		if e.cause >= 0 {
			c.byKey[causeKey{e.check, c.causes[e.cause].key}] = e.cause
		}
	}
	for i, spot := range c.spots {
		c.bySpot[spot] = int32(i)
	}
	byID := map[string]int32{}
	for i, ch := range s.Checks {
		byID[ch.ID+"\x00"+ch.Variant] = int32(i)
	}
	for _, e := range s.entries {
		if !judged(s.Checks[e.check].ID, e.page) {
			c.entries = append(c.entries, e)
			c.findings += int(e.places)
		}
	}
	listed := map[int32]bool{health.Site: true}
	for i := range s.Pages {
		listed[s.Pages[i].ID] = true
	}
	for _, f := range findings {
		i, ok := byID[f.Check.ID+"\x00"+f.Check.Variant]
		if !ok || !listed[f.Page] {
			continue // neither a check nor a page that the crawl did not have changes its health
		}
		c.index[f.Check] = i
		c.Add(f)
	}
	out.entries, out.causes, out.spots, out.Findings = c.entries, c.causes, c.spots, c.findings
	out.sort()
	return &out
}

// sheetData is a part of a Sheet as it is written: columns, which pack well. The first says of which version it is, and
// what is known of checks, layouts and spots; pages, causes and entries follow in this order.
type sheetData struct {
	Version                                     int
	More                                        bool // a further part follows
	Checks                                      []checkData
	IDs                                         []int32
	Addresses                                   []string
	Flags                                       []byte
	PageLayouts                                 []int32
	Authority, Weights                          []float64
	Layouts                                     []string
	Findings, Expected                          int
	Partial                                     bool
	Check, Page, Places, Cause, Spot            []int32
	Words, Carrier                              []int32
	Regions                                     []byte
	CauseKeys, CauseTargets, CauseValues, Spots []string
	Away                                        []bool
	Repaired                                    []int32 // the causes of repairs, in order: numbers of the part's causes
	RepairKeys, RepairWords                     []string
}

// sheetVersion changes with sheetData. Version 2 has all in one part, as all of version 3 that fits into one.
const (
	sheetVersion = 3
	oldestSheet  = 2
)

// sheetPart is how many pages, causes or entries are written at once: what is written is held twice meanwhile.
const sheetPart = 1 << 15

type checkData struct {
	ID, Group, Title, Line, Variant string
	Severity                        check.Severity
	Factor                          float64
	Scope                           check.Scope
	Gather                          check.Gather
	Effort                          check.Effort
	OneChange                       bool
	Explains                        []string
	Free                            bool
	Rendered                        bool // it judges what a browser makes of pages
	Missed                          bool // it needs facts that the crawl does not have
}

// Flags of a page.
const (
	isHTML = 1 << iota
	isIndexable
	isAssessed
	isClosed
	isHome
	isRendered
)

// Write writes the sheet for ReadSheet.
func (s *Sheet) Write(w io.Writer) error { return s.write(w, sheetPart) }

func (s *Sheet) write(w io.Writer, size int) error {
	out := gob.NewEncoder(w)
	d := sheetData{Version: sheetVersion, Layouts: s.Layouts, Findings: s.Findings, Expected: s.Expected,
		Partial: s.Partial, Spots: s.spots}
	for _, c := range s.Checks {
		d.Checks = append(d.Checks, checkData{c.ID, c.Group, c.Title, c.Line, c.Variant, c.Severity, c.Factor, c.Scope,
			c.Gather, c.Effort, c.OneChange, c.Explains, c.Free, c.OfRenderings(), s.missed[c.ID]})
	}
	d.More = len(s.Pages)+len(s.causes)+len(s.entries) > 0
	if err := out.Encode(&d); err != nil {
		return err
	}
	for part := range slices.Chunk(s.Pages, size) {
		d = sheetData{More: len(s.causes)+len(s.entries) > 0 || !isLast(part, s.Pages)}
		d.addPages(part)
		if err := out.Encode(&d); err != nil {
			return err
		}
	}
	for part := range slices.Chunk(s.causes, size) {
		d = sheetData{More: len(s.entries) > 0 || !isLast(part, s.causes)}
		d.addCauses(part)
		if err := out.Encode(&d); err != nil {
			return err
		}
	}
	for part := range slices.Chunk(s.entries, size) {
		d = sheetData{More: !isLast(part, s.entries)}
		d.addEntries(part)
		if err := out.Encode(&d); err != nil {
			return err
		}
	}
	return nil
}

// isLast tells the last part of a whole.
func isLast[T any](part, of []T) bool { return &part[len(part)-1] == &of[len(of)-1] }

func (d *sheetData) addPages(pages []Page) {
	for _, p := range pages {
		var f byte
		for bit, has := range map[byte]bool{isHTML: p.HTML, isIndexable: p.Indexable, isAssessed: p.Assessed,
			isClosed: p.Closed, isHome: p.Home,
			isRendered: p.Rendered} {
			if has {
				f |= bit
			}
		}
		d.IDs, d.Addresses, d.Flags = append(d.IDs, p.ID), append(d.Addresses, p.Address), append(d.Flags, f)
		d.PageLayouts, d.Authority, d.Weights = append(d.PageLayouts, p.Layout), append(d.Authority, p.Authority),
			append(d.Weights, p.Weight)
	}
}

func (d *sheetData) addEntries(entries []entry) {
	for _, e := range entries {
		d.Check, d.Page, d.Places = append(d.Check, e.check), append(d.Page, e.page), append(d.Places, e.places)
		d.Cause, d.Spot, d.Regions = append(d.Cause, e.cause), append(d.Spot, e.spot), append(d.Regions, byte(e.region))
		d.Words, d.Carrier = append(d.Words, e.words), append(d.Carrier, e.carrier)
	}
}

func (d *sheetData) addCauses(causes []cause) {
	for i, c := range causes {
		d.Away = append(d.Away, c.away)
		for _, r := range c.repairs {
			d.Repaired, d.RepairKeys, d.RepairWords = append(d.Repaired, int32(i)), append(d.RepairKeys, r.key),
				append(d.RepairWords, r.words)
		}
		d.CauseKeys, d.CauseTargets, d.CauseValues = append(d.CauseKeys, c.key), append(d.CauseTargets, c.target),
			append(d.CauseValues, c.value)
	}
}

// mostAddresses is more than any crawl knows.
const mostAddresses = 1 << 26

// fits tells whether a part belongs to what was read of a sheet before; known are the numbers of its pages.
func (d *sheetData) fits(s *Sheet, known map[int32]bool) bool {
	n, m := len(d.IDs), len(d.Check)
	if len(d.Addresses) != n || len(d.Flags) != n || len(d.PageLayouts) != n || len(d.Authority) != n ||
		len(d.Weights) != n ||
		len(d.Page) != m || len(d.Places) != m || len(d.Cause) != m || len(d.Spot) != m || len(d.Regions) != m ||
		len(d.Words) != m || len(d.Away) != len(d.CauseKeys) || len(d.Carrier) != m ||
		len(d.RepairKeys) != len(d.Repaired) || len(d.RepairWords) != len(d.Repaired) ||
		len(d.CauseTargets) != len(d.CauseKeys) || len(d.CauseValues) != len(d.CauseKeys) {
		return false
	}
	within := func(i int32, least, size int) bool { return int(i) >= least && int(i) < size }
	layouts, checks := len(s.Layouts)+len(d.Layouts), len(s.Checks)+len(d.Checks)
	causes, spots := len(s.causes)+len(d.CauseKeys), len(s.spots)+len(d.Spots)
	for i, id := range d.IDs {
		known[id] = true
		if !within(id, 0, mostAddresses) || !within(d.PageLayouts[i], -1, layouts) {
			return false
		}
	}
	for i := range d.Check {
		if !within(d.Check[i], 0, checks) || !within(d.Cause[i], -1, causes) || !within(d.Spot[i], 0, spots) ||
			!within(d.Words[i], 0, spots) || !within(d.Carrier[i], -1, spots) ||
			d.Page[i] != -1 && !known[d.Page[i]] {
			return false
		}
	}
	return !slices.ContainsFunc(d.Repaired, func(c int32) bool { return !within(c, 0, len(d.CauseKeys)) })
}

// ErrOldSheet is that of a sheet that an earlier Harvik wrote.
var ErrOldSheet = errors.New("the crawl's sheet was written by an earlier Harvik; judge the crawl again")

// ReadSheet reads what Write wrote. The error of a sheet of another version is an ErrOldSheet.
func ReadSheet(r io.Reader) (*Sheet, error) {
	in := gob.NewDecoder(r)
	s := &Sheet{}
	known := map[int32]bool{}
	for first, more := true, true; more; first = false {
		var d sheetData
		if err := in.Decode(&d); err != nil {
			return nil, fmt.Errorf("reading a crawl's sheet: %w", err)
		}
		if first && (d.Version < oldestSheet || d.Version > sheetVersion) {
			return nil, fmt.Errorf("%w: it is of version %d, and %d is needed", ErrOldSheet, d.Version, sheetVersion)
		}
		if !d.fits(s, known) {
			return nil, errors.New("the crawl's sheet is damaged: judge it again")
		}
		s.add(&d)
		more = d.More
	}
	s.sort()
	return s, nil
}

// add puts a part to a sheet.
func (s *Sheet) add(d *sheetData) {
	s.Layouts, s.spots = append(s.Layouts, d.Layouts...), append(s.spots, d.Spots...)
	s.Findings, s.Expected, s.Partial = s.Findings+d.Findings, s.Expected+d.Expected, s.Partial || d.Partial
	for _, c := range d.Checks {
		if c.Missed {
			if s.missed == nil {
				s.missed = map[string]bool{}
			}
			s.missed[c.ID] = true
		}
		s.Checks = append(s.Checks, &check.Check{
			ID: c.ID, Group: c.Group, Title: c.Title, Line: c.Line, Variant: c.Variant, Severity: c.Severity,
			Factor: c.Factor,
			Scope:  c.Scope, Gather: c.Gather, Effort: c.Effort, OneChange: c.OneChange, Explains: c.Explains,
			Free: c.Free, Rendered: c.Rendered,
		})
	}
	for i := range d.IDs {
		f := d.Flags[i]
		s.Pages = append(s.Pages, Page{
			ID: d.IDs[i], Address: d.Addresses[i], HTML: f&isHTML != 0, Indexable: f&isIndexable != 0,
			Assessed: f&isAssessed != 0, Closed: f&isClosed != 0, Home: f&isHome != 0, Rendered: f&isRendered != 0,
			Layout: d.PageLayouts[i], Authority: d.Authority[i], Weight: d.Weights[i],
		})
	}
	for i := range d.Check {
		s.entries = append(s.entries, entry{
			check: d.Check[i], page: d.Page[i], places: d.Places[i], cause: d.Cause[i], spot: d.Spot[i],
			words: d.Words[i], carrier: d.Carrier[i], region: page.Region(d.Regions[i]),
		})
	}
	before := len(s.causes)
	for i := range d.CauseKeys {
		s.causes = append(s.causes, cause{key: d.CauseKeys[i], target: d.CauseTargets[i], value: d.CauseValues[i],
			away: d.Away[i]})
	}
	for i, c := range d.Repaired {
		one := &s.causes[before+int(c)]
		one.repairs = append(one.repairs, repair{d.RepairKeys[i], d.RepairWords[i]})
	}
}
