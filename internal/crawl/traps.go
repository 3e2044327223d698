package crawl

import (
	"regexp"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// traps recognises patterns of addresses that never end, by what their pages bring.
//
// Addresses of one shape are a family: numbers and random-looking parts of the path folded,
// repeated stretches of the path once, and of a query the name of its parameter, or "several".
// A page is fruitful if it leads to another family that is, or if its title or text has not
// been seen in its own family; numbers and the names of months and days do not count. A family
// whose pages go on being fruitless while they lead ever deeper into itself is shut: its addresses
// are no longer fetched. What a sitemap lists is never shut. So a calendar
// without events and a shop's filter combinations end, but a list of 400 pages does not.
//
// Besides, a parameter whose value never changes the page, such as a session id, is shut: one
// address stays for each page.
type traps struct {
	index      map[uint64]int32 // key → index in families, −1 with one member so far
	families   []*family
	parameters map[string]*parameter
	remembered int    // texts by parameter, all together
	here       uint64 // key of the page that is being booked
	led        bool   // it leads to a family that was not met before, or that is fruitful
	grew       bool   // it leads to further addresses of its own family
	spilled    bool   // it leads to further addresses of a family that is worn out
}

// A family is the addresses of one shape.
type family struct {
	pattern  string
	example  string
	several  bool // more than one parameter
	repeated bool // a part of the path stands twice
	dated    bool // the address looks like a date
	words    map[uint64]struct{}
	shingles map[uint64]struct{}
	fetched  int
	barren   int                // fruitless pages, less what fruitful ones made good
	doubtful int                // fruitless pages, all told
	grown    int                // of these, those that led to further ones of the family
	spilled  int                // of these, those that led to dull pages of another family
	hops     int                // of these, redirects
	depths   map[int32]struct{} // of these
	shut     bool
	left     int // addresses not fetched for it
}

// parameter is what is known about one name of query parameters.
type parameter struct {
	family                    // for the record, once shut
	texts  map[uint64]variant // by the address without the parameter
	same   int                // pages that were equal with another value
	other  int                // pages that were not
}

// variant is the page that one value of a parameter gave first.
type variant struct{ value, text uint64 }

// Thresholds of traps.
const (
	barrenMost   = 30   // fruitless pages of a family until it is shut
	wornOut      = 10   // fruitless pages from which leading to a family counts for nothing
	deepLeast    = 8    // depths at which pages of an endless family lie
	youngMost    = 200  // pages of a family until it is trusted
	oldOneIn     = 8    // of its pages is looked into then
	listMost     = 450  // the same, of a list that leads to further items
	goodWeight   = 3    // how many of them a fruitful page makes good
	sameLeast    = 15   // equal pages until a parameter is shut
	newText      = 4    // sampled shingles that make a text new: some 30 words
	newShare     = 0.5  // or this share of the text
	maxKept      = 1e5  // words and shingles remembered by family
	maxNames     = 1000 // parameters told apart
	maxRemember  = 5e5  // texts remembered by parameter
	shingleWords = 5    // words of a shingle
	sampleOneIn  = 8    // shingles are sampled by their hash
	longQuery    = 4096 // longer ones are not looked into
)

func newTraps() traps {
	return traps{index: map[uint64]int32{}, parameters: map[string]*parameter{}}
}

// admits counts an address that is about to be queued to its family. If a family or parameter
// keeps it from being fetched, that is the answer, and nil otherwise.
func (t *traps) admits(address string) *family {
	shape, several := shapeOf(address)
	key := xxhash.Sum64String(shape)
	if f := t.shutsKey(address, key); f != nil {
		return f
	}
	for one := range parametersOf(address) {
		if p := t.parameters[one.name]; p != nil && p.shut {
			if _, known := p.texts[one.base]; !known { // this one stays for its page
				t.remember(p, one.base, variant{value: one.value})
			}
		}
	}
	i, known := t.index[key]
	if !known {
		t.index[key] = -1
		t.led = true
		return nil
	}
	switch {
	case key == t.here:
		t.grew = true
	case i < 0 || t.families[i].barren < wornOut:
		t.led = true
	default:
		t.spilled = true
	}
	if i < 0 {
		i = int32(len(t.families))
		t.index[key] = i
		t.families = append(t.families, &family{
			pattern: shape, example: address, several: several, repeated: strings.HasSuffix(shape, "…"),
			dated: dated.MatchString(address),
			words: map[uint64]struct{}{}, shingles: map[uint64]struct{}{}, depths: map[int32]struct{}{},
		})
	}
	return nil
}

// shuts is the family or parameter that keeps an address from being fetched, nil if none does.
func (t *traps) shuts(address string) *family { return t.shutsKey(address, keyOf(address)) }

func (t *traps) shutsKey(address string, key uint64) *family {
	for one := range parametersOf(address) {
		if p := t.parameters[one.name]; p != nil && p.shut {
			if v, known := p.texts[one.base]; known && v.value != one.value {
				return &p.family
			}
		}
	}
	if f := t.known(key); f != nil && f.shut {
		return f
	}
	return nil
}

// keyOf is what the families are known by: the hash of an address's shape.
func keyOf(address string) uint64 {
	shape, _ := shapeOf(address)
	return xxhash.Sum64String(shape)
}

// known is the family of a key, if there is one by now.
func (t *traps) known(key uint64) *family {
	if i, ok := t.index[key]; ok && i >= 0 {
		return t.families[i]
	}
	return nil
}

// doubts tells whether the gist of an address's page will be asked for, most likely.
func (t *traps) doubts(address string) bool {
	f := t.known(keyOf(address))
	return f != nil && (f.fetched <= youngMost || f.barren > 0)
}

// begin prepares for the booking of a page.
func (t *traps) begin(address string) {
	t.here, t.led, t.grew, t.spilled = keyOf(address), false, false, false
}

// note takes the page that was begun into account, after all that it leads to was admitted.
func (t *traps) note(address string, depth int32, facts *page.Facts, said *gist) {
	d := facts.Document
	if d != nil {
		t.compare(address, d.TextHash)
	}
	f := t.known(t.here)
	if f == nil || f.shut {
		return
	}
	if f.fetched++; !f.looks() {
		return
	}
	fruitful := t.led
	if said == nil {
		said = gistOf(address, d)
	}
	if said != nil {
		fresh := f.learn(said)
		fruitful = fruitful || fresh
	}
	if fruitful {
		f.barren = max(0, f.barren-goodWeight)
		return
	}
	f.barren++
	f.doubtful++
	f.depths[depth] = struct{}{}
	if t.grew {
		f.grown++
	}
	if t.spilled {
		f.spilled++
	}
	if facts.Redirect != "" {
		f.hops++
	}
	f.shut = f.barren >= f.patience() && f.isEndless()
}

// patience is how many fruitless pages of a family are borne. A list whose pages all lead to
// further items, however dull, is more likely long than endless, unless it goes by dates.
func (f *family) patience() int {
	if !f.dated && !f.several && 2*f.spilled >= f.doubtful {
		return listMost
	}
	return barrenMost
}

// dated finds addresses that go by dates.
var dated = regexp.MustCompile(`(?:^|[^0-9])(?:19|20|21)[0-9]{2}[-/_](?:0?[1-9]|1[0-2])(?:[^0-9]|$)|[?&](?:month|year|date|day|week)=`)

// isEndless tells a family that goes on by itself from one that is only dull, such as hundreds of
// pages of one template that a list names: most of its pages lead to further ones, and further
// ones lie ever deeper. Filters and repeated parts multiply without going deep.
func (f *family) isEndless() bool {
	return 2*f.grown >= f.doubtful && (f.several || f.repeated || 2*f.hops >= f.doubtful || len(f.depths) >= deepLeast)
}

// looks tells whether the family's page just counted is looked into: every one of a young family
// and while there is doubt, and every eighth of one that has always been fruitful.
func (f *family) looks() bool {
	return f.fetched <= youngMost || f.barren > 0 || f.fetched%oldOneIn == 0
}

// compare learns whether a page's parameters matter.
func (t *traps) compare(address string, textHash uint64) {
	if textHash == 0 {
		return
	}
	for one := range parametersOf(address) {
		p := t.parameters[one.name]
		if p == nil {
			if len(t.parameters) >= maxNames {
				continue
			}
			p = &parameter{texts: map[uint64]variant{}}
			p.pattern, p.example = "?"+one.name+"=*", address
			if one.name[0] == ';' {
				p.pattern = one.name + "=*"
			}
			t.parameters[one.name] = p
		}
		if p.shut {
			continue
		}
		switch before, known := p.texts[one.base]; {
		case !known:
			t.remember(p, one.base, variant{one.value, textHash})
		case before.value == one.value: // the same parameters in another order
		case before.text == textHash:
			p.same++
		default:
			p.other++
		}
		p.shut = p.same >= sameLeast && p.same >= 20*p.other
	}
}

func (t *traps) remember(p *parameter, base uint64, v variant) {
	if t.remembered < maxRemember {
		p.texts[base] = v
		t.remembered++
	}
}

// learn adds a page's title and text to what the family has seen, and tells whether they were
// new.
func (f *family) learn(s *gist) bool {
	fresh := false
	for _, h := range s.words {
		if _, seen := f.words[h]; !seen {
			fresh = true
			if len(f.words) < maxKept {
				f.words[h] = struct{}{}
			}
		}
	}
	unseen := 0
	for _, h := range s.shingles {
		if _, seen := f.shingles[h]; !seen {
			unseen++
			if len(f.shingles) < maxKept {
				f.shingles[h] = struct{}{}
			}
		}
	}
	share := float64(unseen) > newShare*float64(len(s.shingles)) && unseen > 1
	return fresh || share || unseen >= newText && !f.several
}

// report lists the families and parameters that were shut, those that left most first.
func (t *traps) report() []survey.Trap {
	var out []survey.Trap
	add := func(f *family, kind string) {
		if f.shut && f.left > 0 {
			out = append(out, survey.Trap{Pattern: f.pattern, Example: f.example, Kind: kind, Fetched: f.fetched,
				Left: f.left})
		}
	}
	for _, f := range t.families {
		add(f, "pattern")
	}
	for _, p := range t.parameters {
		p.fetched = p.same + p.other
		add(&p.family, "parameter")
	}
	slices.SortFunc(out, func(a, b survey.Trap) int {
		if a.Left != b.Left {
			return b.Left - a.Left
		}
		return strings.Compare(a.Pattern, b.Pattern)
	})
	return out
}
