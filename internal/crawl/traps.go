package crawl

import (
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/page"
	"harvik/internal/record"
)

// traps recognises patterns of addresses that never end, by what their pages bring.
//
// Addresses of one shape are a family: numbers and random-looking parts of the path folded,
// repeated stretches of the path once, and of a query the name of its parameter, or "several".
// A page is fruitful if it leads to a family not met before, or if its title or text has not
// been seen in its own family; numbers and the names of months and days do not count. A family
// whose pages go on being fruitless is shut: its addresses are no longer fetched. So a calendar
// without events and a shop's filter combinations end, but a list of 400 pages does not.
//
// Besides, a parameter whose value never changes the page, such as a session id, is shut: one
// address stays for each page.
type traps struct {
	index      map[uint64]int32 // key → index in families, −1 with one member so far
	families   []*family
	parameters map[string]*parameter
	remembered int // texts by parameter, all together
	born       int // families so far
}

// A family is the addresses of one shape.
type family struct {
	pattern  string
	example  string
	several  bool // more than one parameter
	words    map[uint64]struct{}
	shingles map[uint64]struct{}
	fetched  int
	barren   int // fruitless pages, less what fruitful ones made good
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
	youngMost    = 200  // pages of a family until it is trusted
	oldOneIn     = 8    // of its pages is looked into then
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
	if f := t.shuts(address); f != nil {
		return f
	}
	for one := range parametersOf(address) {
		if p := t.parameters[one.name]; p != nil && p.shut {
			if _, known := p.texts[one.base]; !known { // this one stays for its page
				t.remember(p, one.base, variant{value: one.value})
			}
		}
	}
	shape, several := shapeOf(address)
	key := xxhash.Sum64String(shape)
	i, known := t.index[key]
	if !known {
		t.index[key] = -1
		t.born++
		return nil
	}
	if i < 0 {
		i = int32(len(t.families))
		t.index[key] = i
		t.families = append(t.families, &family{
			pattern: shape, example: address, several: several, words: map[uint64]struct{}{}, shingles: map[uint64]struct{}{},
		})
	}
	return nil
}

// shuts is the family or parameter that keeps an address from being fetched, nil if none does.
func (t *traps) shuts(address string) *family {
	for one := range parametersOf(address) {
		if p := t.parameters[one.name]; p != nil && p.shut {
			if v, known := p.texts[one.base]; known && v.value != one.value {
				return &p.family
			}
		}
	}
	if f := t.known(address); f != nil && f.shut {
		return f
	}
	return nil
}

// known is the family of an address, if it has one by now.
func (t *traps) known(address string) *family {
	shape, _ := shapeOf(address)
	if i, ok := t.index[xxhash.Sum64String(shape)]; ok && i >= 0 {
		return t.families[i]
	}
	return nil
}

// doubts tells whether the signs of an address's page will be asked for, most likely.
func (t *traps) doubts(address string) bool {
	f := t.known(address)
	return f != nil && (f.fetched <= youngMost || f.barren > 0)
}

// note takes a fetched page into account. Led tells that it led to a new family.
func (t *traps) note(address string, d *page.Document, said *signs, led bool) {
	if d != nil {
		t.compare(address, d.TextHash)
	}
	f := t.known(address)
	if f == nil || f.shut {
		return
	}
	if f.fetched++; !f.looks() {
		return
	}
	fruitful := led
	if said == nil {
		said = signsOf(address, d)
	}
	if said != nil {
		fresh := f.learn(said)
		fruitful = fruitful || fresh
	}
	if fruitful {
		f.barren = max(0, f.barren-goodWeight)
	} else if f.barren++; f.barren >= barrenMost {
		f.shut = true
	}
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
func (f *family) learn(s *signs) bool {
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
func (t *traps) report() []record.Trap {
	var out []record.Trap
	add := func(f *family, kind string) {
		if f.shut && f.left > 0 {
			out = append(out, record.Trap{Pattern: f.pattern, Example: f.example, Kind: kind, Fetched: f.fetched, Left: f.left})
		}
	}
	for _, f := range t.families {
		add(f, "pattern")
	}
	for _, p := range t.parameters {
		p.fetched = p.same + p.other
		add(&p.family, "parameter")
	}
	slices.SortFunc(out, func(a, b record.Trap) int {
		if a.Left != b.Left {
			return b.Left - a.Left
		}
		return strings.Compare(a.Pattern, b.Pattern)
	})
	return out
}
