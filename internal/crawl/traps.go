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

// signs are what a page's title and text say, as hashes: the words of title and first heading,
// and a sample of the text's shingles. Words that only number or date are left out.
type signs struct {
	words    []uint64
	shingles []uint64
}

func signsOf(address string, d *page.Document) *signs {
	if d == nil {
		return nil
	}
	s := new(signs)
	keep := func(h uint64) { s.words = append(s.words, h) }
	eachTelling(address, d.Title(), keep)
	eachTelling(address, d.H1(), keep)
	var last [shingleWords]uint64
	n := 0
	eachTelling(address, d.MainText, func(h uint64) {
		last[n%shingleWords] = h
		if n++; n < shingleWords {
			return
		}
		mixed := uint64(0)
		for i := range shingleWords {
			mixed = (mixed ^ last[(n+i)%shingleWords]) * 0x9e3779b97f4a7c15
			mixed ^= mixed >> 29
		}
		if mixed%sampleOneIn == 0 {
			s.shingles = append(s.shingles, mixed)
		}
	})
	return s
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

// eachTelling gives the hashes of a text's words, case folded for ASCII. Left out is what only
// numbers or dates a page: small numbers, years, numbers that stand in its address, tokens such
// as session ids, names of months and days.
func eachTelling(address, text string, f func(uint64)) {
	eachWord(text, func(h uint64, word string, digits int) {
		switch {
		case digits == 0:
			if dates[h] {
				return
			}
		case digits < len(word):
			if len(word) >= longToken {
				return
			}
		case digits < 3, digits == 4 && word >= "1900" && word < "2200", strings.Contains(address, word):
			return
		}
		f(h)
	})
}

// longToken is from where a word of letters and digits looks like a token.
const longToken = 8

// eachWord gives a text's words with their hash (FNV-1a) and how many of their bytes are digits.
func eachWord(text string, f func(h uint64, word string, digits int)) {
	const offset, prime = 14695981039346656037, 1099511628211
	for i := 0; i < len(text); i++ {
		h, digits, start := uint64(offset), 0, i
		for ; i < len(text); i++ {
			c := folded[text[i]]
			if c == 0 {
				break
			}
			if c <= '9' {
				digits++
			}
			h = (h ^ uint64(c)) * prime
		}
		if i > start {
			f(h, text[start:i], digits)
		}
	}
}

// folded is the lower case of bytes that stand in words, 0 for all others.
var folded = func() (t [256]byte) {
	for c := range 256 {
		switch b := byte(c); {
		case b >= 0x80 || b >= '0' && b <= '9':
			t[c] = b
		case b|0x20 >= 'a' && b|0x20 <= 'z':
			t[c] = b | 0x20
		}
	}
	return t
}()

// dates are the names of months and days in some languages, long and short.
var dates = func() map[uint64]bool {
	m := map[uint64]bool{}
	for w := range strings.FieldsSeq(`january february march april may june july august september october november december
		jan feb mar apr jun jul aug sep sept oct nov dec monday tuesday wednesday thursday friday saturday sunday
		mon tue wed thu fri sat sun mo tu we th fr sa su
		januar februar märz mai juni juli oktober dezember montag dienstag mittwoch donnerstag freitag samstag sonntag di mi do so
		ionawr chwefror mawrth ebrill mai mehefin gorffennaf awst medi hydref tachwedd rhagfyr llun mawrth mercher iau gwener sadwrn sul
		janvier février mars avril juin juillet août septembre octobre novembre décembre lundi mardi mercredi jeudi vendredi samedi dimanche
		enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre lunes martes miércoles jueves viernes sábado domingo
		gennaio febbraio aprile maggio giugno luglio settembre ottobre dicembre lunedì martedì mercoledì giovedì venerdì sabato domenica
		januari februari maart mei augustus maandag dinsdag woensdag donderdag vrijdag zaterdag zondag`) {
		eachWord(w, func(h uint64, _ string, _ int) { m[h] = true })
	}
	return m
}()

// shapeOf is the pattern of an address's family, "*" for what is folded.
func shapeOf(address string) (shape string, several bool) {
	_, rest, _ := strings.Cut(address, "://")
	rest, query, hasQuery := strings.Cut(rest, "?")
	host, path, _ := strings.Cut(rest, "/")
	var parts []string
	for part := range strings.SplitSeq(path, "/") {
		part, _, _ = strings.Cut(part, ";")
		parts = append(parts, foldPart(part))
	}
	if repeats(parts) {
		parts = append(unique(parts), "…")
	}
	shape = host + "/" + strings.Join(collapse(parts), "/")
	if !hasQuery || len(query) > longQuery {
		return shape, false
	}
	name, _, several := strings.Cut(query, "&")
	if several {
		return shape + "?*&*", true
	}
	name, _, _ = strings.Cut(name, "=")
	return shape + "?" + name + "=*", false
}

// foldPart folds runs of digits; a part that looks random is folded whole.
func foldPart(part string) string {
	if isRandom(part) {
		return "*"
	}
	var b strings.Builder
	folded := false
	for _, r := range part {
		if r >= '0' && r <= '9' {
			if !folded {
				b.WriteByte('*')
			}
			folded = true
			continue
		}
		folded = false
		b.WriteRune(r)
	}
	return b.String()
}

// isRandom tells hashes and tokens: long, without a separator, letters and digits well mixed.
func isRandom(part string) bool {
	if len(part) < 12 {
		return false
	}
	digits, changes, last := 0, 0, -1
	for i := range len(part) {
		kind := 0
		switch c := part[i]; {
		case c >= '0' && c <= '9':
			digits++
			kind = 1
		case c|0x20 >= 'a' && c|0x20 <= 'z':
		default:
			return false
		}
		if last >= 0 && kind != last {
			changes++
		}
		last = kind
	}
	return digits >= 2 && changes >= 4
}

// repeats tells whether a part that is more than a number stands twice in a path, as where a
// relative link goes on and on below itself.
func repeats(parts []string) bool {
	for i, p := range parts {
		if p != "" && p != "*" && slices.Contains(parts[:i], p) {
			return true
		}
	}
	return false
}

// unique are the different parts of a path, in order of their names.
func unique(parts []string) []string {
	out := slices.Clone(parts)
	slices.Sort(out)
	return slices.DeleteFunc(slices.Compact(out), func(p string) bool { return p == "" })
}

// collapse leaves one of each stretch of up to four parts that stands twice or more in a row.
func collapse(parts []string) []string {
	for period := 1; period <= 4; period++ {
		for i := 0; i+2*period <= len(parts); {
			if slices.Equal(parts[i:i+period], parts[i+period:i+2*period]) {
				parts = slices.Delete(parts, i+period, i+2*period)
			} else {
				i++
			}
		}
	}
	return parts
}

// assigned is one parameter of an address, with hashes of its value and of the address
// without it.
type assigned struct {
	name        string
	value, base uint64
}

// maxParameters is how many an address may have to be looked into.
const maxParameters = 12

// parametersOf gives each parameter of an address. A path parameter such as ;jsessionid=1 is
// one, too.
func parametersOf(address string) func(yield func(assigned) bool) {
	return func(yield func(assigned) bool) {
		bare, query, hasQuery := strings.Cut(address, "?")
		if i := strings.IndexByte(bare, ';'); i >= 0 {
			name, rest, _ := strings.Cut(bare[i:], "=")
			value, tail := rest, ""
			if j := strings.IndexByte(rest, '/'); j >= 0 {
				value, tail = rest[:j], rest[j:]
			}
			if !yield(assigned{name, xxhash.Sum64String(value), xxhash.Sum64String(bare[:i] + tail + "?" + query)}) {
				return
			}
		}
		if !hasQuery || len(query) > longQuery || strings.Count(query, "&") >= maxParameters {
			return
		}
		parts := strings.Split(query, "&")
		for i, part := range parts {
			name, value, _ := strings.Cut(part, "=")
			if name == "" {
				continue
			}
			others := slices.Delete(slices.Clone(parts), i, i+1)
			slices.Sort(others)
			if !yield(assigned{name, xxhash.Sum64String(value), xxhash.Sum64String(bare + "?" + strings.Join(others, "&"))}) {
				return
			}
		}
	}
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
