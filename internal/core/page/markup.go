package page

import (
	"bytes"

	"golang.org/x/net/html/atom"
)

// Markup is what the source says about how the document was written, beyond what its tree
// shows: faults that the HTML standard's tree construction mends without a word.
type Markup struct {
	Faults   []Fault   `json:"faults,omitempty"`   // parse errors, at most maxFaults, in order
	More     int       `json:"more,omitempty"`     // faults beyond these
	Breaker  *Element  `json:"breaker,omitempty"`  // what ended the head before its end tag
	Obsolete []Element `json:"obsolete,omitempty"` // each name once, where it stands first
	Frames   []Element `json:"frames,omitempty"`   // frameset and frame
	Plugins  []Element `json:"plugins,omitempty"`  // object, embed, applet
	Bases    []Element `json:"bases,omitempty"`
	FirstURL *Pos      `json:"firstUrl,omitempty"` // of the first element with an address, where a base follows it
	Doctype  bool      `json:"doctype,omitempty"`
	Quirks   bool      `json:"quirks,omitempty"`
}

// Fault is one parse error.
type Fault struct {
	Kind string `json:"kind"` // "unclosed", "stray end tag", "misnested", "repeated attribute", "after the end"
	Name string `json:"name"` // of the element or attribute
	Pos
}

// Element is one element of the source.
type Element struct {
	Name  string `json:"name"`
	Type  string `json:"type,omitempty"`  // its type or classid attribute
	Count int    `json:"count,omitempty"` // how many of the name there are
	Pos
}

const (
	maxFaults     = 40
	maxAttributes = 24
	maxOpen       = 600
)

type span struct{ from, to int32 }

type placedMarkup struct {
	at  int32
	pos func(*Document, int32) *Pos
}

// opened is an element that is not closed yet. Elements that HTML does not have are told apart by
// a hash of their name.
type opened struct {
	key uint32
	at  int32
}

func keyOf(name []byte, a atom.Atom) uint32 {
	if a != 0 {
		return uint32(a)
	}
	h := uint32(2166136261)
	for _, c := range name {
		if 'A' <= c && c <= 'Z' {
			c |= 0x20
		}
		h = (h ^ uint32(c)) * 16777619
	}
	return h | 1
}

// class says how an element takes part in tree construction (HTML standard, 13.2.4.2, 13.2.6.4.7).
type class uint16

const (
	void    class = 1 << iota // has no end tag
	implied                   // its end tag may be left out
	closesP                   // ends an open p
	special                   // stops the search for an end tag's element
	scope                     // bounds the search for an element in scope
	formatting
	inHead // may stand in the head
	gone   // removed from the standard
	tabular
	heading
)

var classes = func() atomTable[class] {
	m := map[atom.Atom]class{}
	set := func(c class, atoms ...atom.Atom) {
		for _, a := range atoms {
			m[a] |= c
		}
	}
	set(void, atom.Area, atom.Base, atom.Basefont, atom.Bgsound, atom.Br, atom.Col, atom.Embed, atom.Frame, atom.Hr, atom.Image,
		atom.Img, atom.Input, atom.Keygen, atom.Link, atom.Meta, atom.Param, atom.Source, atom.Track, atom.Wbr)
	set(implied, atom.Dd, atom.Dt, atom.Li, atom.Optgroup, atom.Option, atom.P, atom.Rb, atom.Rp, atom.Rt, atom.Rtc, atom.Tbody,
		atom.Td, atom.Tfoot, atom.Th, atom.Thead, atom.Tr, atom.Body, atom.Html, atom.Head, atom.Colgroup, atom.Caption)
	set(closesP, atom.Address, atom.Article, atom.Aside, atom.Blockquote, atom.Center, atom.Dd, atom.Details, atom.Dialog, atom.Dir,
		atom.Div, atom.Dl, atom.Dt, atom.Fieldset, atom.Figcaption, atom.Figure, atom.Footer, atom.Form, atom.H1, atom.H2, atom.H3,
		atom.H4, atom.H5, atom.H6, atom.Header, atom.Hgroup, atom.Hr, atom.Li, atom.Listing, atom.Main, atom.Menu, atom.Nav, atom.Ol,
		atom.P, atom.Plaintext, atom.Pre, atom.Section, atom.Summary, atom.Table, atom.Ul, atom.Xmp)
	set(special, atom.Address, atom.Applet, atom.Article, atom.Aside, atom.Blockquote, atom.Body, atom.Button, atom.Caption,
		atom.Center, atom.Colgroup, atom.Dd, atom.Details, atom.Dir, atom.Div, atom.Dl, atom.Dt, atom.Fieldset, atom.Figcaption,
		atom.Figure, atom.Footer, atom.Form, atom.Frameset, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Head,
		atom.Header, atom.Hgroup, atom.Html, atom.Iframe, atom.Li, atom.Listing, atom.Main, atom.Marquee, atom.Menu, atom.Nav,
		atom.Noembed, atom.Noframes, atom.Noscript, atom.Object, atom.Ol, atom.P, atom.Plaintext, atom.Pre, atom.Script, atom.Section,
		atom.Select, atom.Style, atom.Summary, atom.Table, atom.Tbody, atom.Td, atom.Template, atom.Textarea, atom.Tfoot, atom.Th,
		atom.Thead, atom.Title, atom.Tr, atom.Ul, atom.Xmp)
	set(scope, atom.Applet, atom.Caption, atom.Html, atom.Table, atom.Td, atom.Th, atom.Marquee, atom.Object, atom.Template)
	set(formatting, atom.A, atom.B, atom.Big, atom.Code, atom.Em, atom.Font, atom.I, atom.Nobr, atom.S, atom.Small, atom.Strike,
		atom.Strong, atom.Tt, atom.U)
	set(inHead, atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta, atom.Title, atom.Noscript, atom.Noframes, atom.Style,
		atom.Script, atom.Template, atom.Head, atom.Html)
	set(gone, atom.Applet, atom.Acronym, atom.Bgsound, atom.Dir, atom.Frame, atom.Frameset, atom.Noframes, atom.Isindex, atom.Keygen,
		atom.Listing, atom.Noembed, atom.Plaintext, atom.Rb, atom.Rtc, atom.Strike, atom.Xmp, atom.Basefont, atom.Big,
		atom.Blink, atom.Center, atom.Font, atom.Marquee, atom.Nobr, atom.Spacer, atom.Tt)
	set(tabular, atom.Caption, atom.Colgroup, atom.Tbody, atom.Thead, atom.Tfoot, atom.Tr, atom.Td, atom.Th, atom.Col)
	set(heading, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6)
	return newAtomTable(m)
}()

// atomTable is a map from atoms that is looked up several times for each tag of a page: one
// remainder tells where a value would stand.
type atomTable[V any] struct {
	keys   []atom.Atom
	values []V
}

func newAtomTable[V any](m map[atom.Atom]V) atomTable[V] {
	for size := 2*len(m) + 1; ; size += 2 {
		t := atomTable[V]{make([]atom.Atom, size), make([]V, size)}
		clash := false
		for a, v := range m {
			i := int(a) % size
			clash = clash || t.keys[i] != 0
			t.keys[i], t.values[i] = a, v
		}
		if !clash {
			return t
		}
	}
}

// of is the value of an atom, zero if it has none.
func (t *atomTable[V]) of(a atom.Atom) (v V) {
	if i := int(a) % len(t.keys); a != 0 && t.keys[i] == a {
		return t.values[i]
	}
	return v
}

func (s *scanner) fault(kind string, name []byte, at int32) {
	if len(s.markup.Faults) == maxFaults {
		s.markup.More++
		return
	}
	i := len(s.markup.Faults)
	s.markup.Faults = append(s.markup.Faults, Fault{Kind: kind, Name: string(appendLower(nil, name[:min(len(name), 40)]))})
	s.places = append(s.places, placedMarkup{at, func(d *Document, _ int32) *Pos { return &d.Markup.Faults[i].Pos }})
}

// note adds an element to a list, each name once.
func (s *scanner) note(list *[]Element, of func(*Markup) []Element, name []byte, at int32, sort string) {
	low := string(appendLower(nil, name))
	for i := range *list {
		if (*list)[i].Name == low && (*list)[i].Type == sort {
			(*list)[i].Count++
			return
		}
	}
	if len(*list) == maxFaults {
		return
	}
	i := len(*list)
	*list = append(*list, Element{Name: low, Type: sort, Count: 1})
	s.places = append(s.places, placedMarkup{at, func(d *Document, _ int32) *Pos { return &of(&d.Markup)[i].Pos }})
}

// attributes goes to the end of a tag by the tokenizer's states (HTML standard, 13.2.5.32 to
// 13.2.5.40), keeping the attributes' names.
func (s *scanner) attributes(i int) (end, count int) {
	src := s.src
	for i < len(src) {
		switch c := src[i]; {
		case c == '>':
			return i + 1, count
		case c <= ' ' || c == '/':
			i++
			continue
		}
		from := i
		for i++; i < len(src) && src[i] > ' ' && src[i] != '/' && src[i] != '>' && src[i] != '='; i++ {
		}
		if count < maxAttributes {
			s.names[count] = span{int32(from), int32(i)}
			count++
		}
		for i < len(src) && src[i] <= ' ' {
			i++
		}
		if i >= len(src) || src[i] != '=' {
			continue
		}
		for i++; i < len(src) && src[i] <= ' '; i++ {
		}
		if i >= len(src) || src[i] == '>' {
			continue
		}
		if q := src[i]; q == '"' || q == '\'' {
			j := bytes.IndexByte(src[i+1:], q)
			if j < 0 {
				return len(src), count
			}
			i += j + 2
			continue
		}
		for i < len(src) && src[i] > ' ' && src[i] != '>' {
			i++
		}
	}
	return len(src), count
}

// repeated finds an attribute that a tag has twice.
func (s *scanner) repeated(count int) []byte {
	for i := 1; i < count; i++ {
		a := s.src[s.names[i].from:s.names[i].to]
		for j := range i {
			if b := s.src[s.names[j].from:s.names[j].to]; len(a) == len(b) && bytes.EqualFold(a, b) {
				return a
			}
		}
	}
	return nil
}

// text looks at what stands between two tags: in the head, or behind the end, it should be nothing.
func (s *scanner) text(from, to int) {
	if !s.ended && (!s.hasHead || s.breaker >= 0 || s.headEnd >= 0) {
		return
	}
	for i := from; i < to; i++ {
		if s.src[i] > ' ' {
			switch {
			case s.ended:
				s.fault("after the end", []byte("text"), int32(i))
				s.ended = false
			case s.breaker < 0:
				s.breaker = int32(i)
				s.markup.Breaker = &Element{Name: "text"}
			}
			return
		}
	}
}

// start takes in a start tag.
func (s *scanner) start(at, end int, name []byte, a atom.Atom, attributes int) {
	if attributes > 1 {
		if twice := s.repeated(attributes); twice != nil {
			s.fault("repeated attribute", twice, int32(at))
		}
	}
	selfClosing := end-2 > at && s.src[end-2] == '/'
	if s.foreign > 0 {
		if a == atom.Svg || a == atom.Math || lookup(name) == atom.Foreignobject {
			if !selfClosing {
				s.foreign++
			}
		}
		return
	}
	c := classes.of(a)
	if s.ended {
		s.fault("after the end", name, int32(at))
		s.ended = false
	}
	switch {
	case a == atom.Head:
		s.hasHead = true
	case a == atom.Html:
	case c&inHead == 0 && s.hasHead && s.breaker < 0 && s.headEnd < 0:
		s.breaker = int32(at)
		s.markup.Breaker = &Element{Name: string(appendLower(nil, name[:min(len(name), 40)]))}
	}
	s.kinds(at, name, a, c)
	if s.lost && !rawText.of(a) {
		return
	}
	switch {
	case c&void != 0:
		if c&closesP != 0 {
			s.closeP()
		}
		return
	case (a == atom.Svg || a == atom.Math):
		if !selfClosing {
			s.foreign = 1
		}
		return
	case a == atom.Html || a == atom.Head || a == atom.Body:
		return
	case rawText.of(a):
		s.raw = a
		return
	}
	s.opens(int32(at), name, a, c)
}

// kinds notes elements that checks ask for.
func (s *scanner) kinds(at int, name []byte, a atom.Atom, c class) {
	m := &s.markup
	if c&gone != 0 {
		s.note(&m.Obsolete, func(m *Markup) []Element { return m.Obsolete }, name, int32(at), "")
	}
	switch a {
	case atom.Frameset, atom.Frame:
		s.note(&m.Frames, func(m *Markup) []Element { return m.Frames }, name, int32(at), "")
	case atom.Object, atom.Embed, atom.Applet:
		tag := s.src[at:min(len(s.src), at+2000)]
		sort := attributeOf(tag, "type")
		if sort == "" {
			sort = attributeOf(tag, "classid")
		}
		if sort == "" {
			sort = attributeOf(tag, "src") + attributeOf(tag, "data")
		}
		s.note(&m.Plugins, func(m *Markup) []Element { return m.Plugins }, name, int32(at), sort)
	case atom.Base:
		i := len(m.Bases)
		if i < maxFaults {
			m.Bases = append(m.Bases, Element{Name: "base", Type: attributeOf(s.src[at:min(len(s.src), at+2000)], "href")})
			s.places = append(s.places, placedMarkup{int32(at), func(d *Document, _ int32) *Pos { return &d.Markup.Bases[i].Pos }})
		}
	case atom.Link, atom.Script, atom.Img, atom.A:
		if m.FirstURL == nil && len(m.Bases) == 0 && a != atom.Script {
			m.FirstURL = new(Pos)
			s.places = append(s.places, placedMarkup{int32(at), func(d *Document, _ int32) *Pos {
				if d.Markup.FirstURL == nil {
					return new(Pos)
				}
				return d.Markup.FirstURL
			}})
		}
	}
}

// opens puts an element on the stack, after closing what it closes.
func (s *scanner) opens(at int32, name []byte, a atom.Atom, c class) {
	if c&closesP != 0 {
		s.closeP()
	}
	switch a {
	case atom.Li:
		s.closeItem(atom.Li, atom.Li)
	case atom.Dd, atom.Dt:
		s.closeItem(atom.Dd, atom.Dt)
	case atom.Option, atom.Optgroup:
		if n := len(s.open); n > 0 && s.open[n-1].key == uint32(atom.Option) {
			s.open = s.open[:n-1]
		}
	case atom.A:
		if i := s.find(uint32(atom.A), atom.Table); i >= 0 {
			s.fault("unclosed", []byte("a"), s.open[i].at)
			s.open = append(s.open[:i], s.open[i+1:]...)
		}
	case atom.Button:
		if i := s.find(uint32(atom.Button), 0); i >= 0 {
			s.popTo(i, true)
		}
	case atom.Rt, atom.Rp, atom.Rb, atom.Rtc:
		for n := len(s.open); n > 0 && classes.of(atom.Atom(s.open[n-1].key))&implied != 0 && s.open[n-1].key != uint32(atom.P); n = len(s.open) {
			s.open = s.open[:n-1]
		}
	}
	if c&heading != 0 {
		if n := len(s.open); n > 0 && classes.of(atom.Atom(s.open[n-1].key))&heading != 0 {
			s.popTo(n-1, true)
		}
	}
	if c&tabular != 0 {
		s.inTable(a)
	}
	if len(s.open) == maxOpen {
		s.lost = true // nobody nests as deep; each tag would look through all that are open
		return
	}
	s.open = append(s.open, opened{keyOf(name, a), at})
}

// inTable closes cells, rows and groups as a new one begins.
func (s *scanner) inTable(a atom.Atom) {
	for i := len(s.open) - 1; i >= 0; i-- {
		o := atom.Atom(s.open[i].key)
		if o == atom.Table || o == atom.Template {
			if i+1 < len(s.open) && a != atom.Td && a != atom.Th && a != atom.Tr {
				s.popTo(i+1, false)
			}
			return
		}
		stops := o == atom.Tr && (a == atom.Td || a == atom.Th) ||
			(o == atom.Tbody || o == atom.Thead || o == atom.Tfoot) && (a == atom.Tr || a == atom.Td || a == atom.Th) ||
			o == atom.Colgroup && a == atom.Col
		if stops {
			s.popTo(i+1, false)
			return
		}
		if (o == atom.Td || o == atom.Th || o == atom.Caption) || classes.of(o)&tabular != 0 {
			s.popTo(i, false)
		}
	}
}

// find is where an element stands on the stack, not looking beyond what bounds its scope, or
// beyond stop; −1 if it does not.
func (s *scanner) find(key uint32, stop atom.Atom) int {
	for i := len(s.open) - 1; i >= 0; i-- {
		if s.open[i].key == key {
			return i
		}
		if o := atom.Atom(s.open[i].key); classes.of(o)&scope != 0 || stop != 0 && o == stop {
			return -1
		}
	}
	return -1
}

// popTo closes all from an index on; those whose end tag may not be left out are faults. The one at
// the index counts only if its own end tag is missing, too.
func (s *scanner) popTo(i int, own bool) {
	from := i + 1
	if own {
		from = i
	}
	for j := from; j < len(s.open); j++ {
		if o := s.open[j]; classes.of(atom.Atom(o.key))&implied == 0 {
			s.fault("unclosed", tagName(s.src[o.at+1:]), o.at)
		}
	}
	s.open = s.open[:i]
}

func (s *scanner) closeP() {
	for i := len(s.open) - 1; i >= 0; i-- {
		o := atom.Atom(s.open[i].key)
		if o == atom.P {
			s.popTo(i, false)
			return
		}
		if classes.of(o)&scope != 0 || o == atom.Button {
			return
		}
	}
}

// closeItem closes an open list item as the next begins.
func (s *scanner) closeItem(x, y atom.Atom) {
	for i := len(s.open) - 1; i >= 0; i-- {
		o := atom.Atom(s.open[i].key)
		if o == x || o == y {
			s.popTo(i, false)
			return
		}
		if classes.of(o)&special != 0 && o != atom.Address && o != atom.Div && o != atom.P {
			return
		}
	}
}

// close takes in an end tag.
func (s *scanner) close(at int, name []byte) {
	a := lookup(name)
	if s.foreign > 0 {
		if a == atom.Svg || a == atom.Math || a == atom.Foreignobject {
			s.foreign--
		}
		return
	}
	c := classes.of(a)
	if s.lost && a != s.raw {
		return
	}
	switch {
	case a == atom.Head:
		if s.headEnd < 0 {
			s.headEnd = int32(at)
		}
		return
	case a == atom.Body:
		return
	case a == atom.Html:
		s.ended = true
		return
	case a != 0 && a == s.raw:
		s.raw = 0
		return
	case rawText.of(a) || c&void != 0:
		s.fault("stray end tag", name, int32(at))
		return
	case c&heading != 0:
		s.closeHeading(at, name, a)
		return
	case c&formatting != 0:
		s.closeFormatting(at, name, a)
		return
	}
	key := keyOf(name, a)
	i := -1
	if a == atom.Table || c&tabular != 0 {
		i = s.findInTable(a)
	} else if c&special != 0 {
		i = s.find(key, s.bound(a))
	} else {
		for j := len(s.open) - 1; j >= 0; j-- {
			if s.open[j].key == key {
				i = j
				break
			}
			if classes.of(atom.Atom(s.open[j].key))&special != 0 {
				break
			}
		}
	}
	if i < 0 {
		s.fault("stray end tag", name, int32(at))
		return
	}
	s.popTo(i, false)
}

// findInTable is where a part of the innermost table, or the table, stands on the stack.
func (s *scanner) findInTable(a atom.Atom) int {
	for i := len(s.open) - 1; i >= 0; i-- {
		switch o := atom.Atom(s.open[i].key); o {
		case a:
			return i
		case atom.Table, atom.Template:
			return -1
		}
	}
	return -1
}

// bound is what ends the search for the element of an end tag, besides what bounds every scope.
func (s *scanner) bound(a atom.Atom) atom.Atom {
	switch a {
	case atom.P:
		return atom.Button
	case atom.Li:
		return atom.Ul
	}
	return 0
}

func (s *scanner) closeHeading(at int, name []byte, a atom.Atom) {
	for i := len(s.open) - 1; i >= 0; i-- {
		o := atom.Atom(s.open[i].key)
		if classes.of(o)&heading != 0 {
			if o != a {
				s.fault("misnested", name, int32(at))
			}
			s.popTo(i, false)
			return
		}
		if classes.of(o)&scope != 0 {
			break
		}
	}
	s.fault("stray end tag", name, int32(at))
}

// closeFormatting takes out the one element and leaves those inside it open, as the standard's
// adoption agency algorithm does in effect.
func (s *scanner) closeFormatting(at int, name []byte, a atom.Atom) {
	i := s.find(uint32(a), 0)
	switch {
	case i < 0:
		s.fault("stray end tag", name, int32(at))
	case i < len(s.open)-1:
		s.fault("misnested", name, int32(at))
		s.open = append(s.open[:i], s.open[i+1:]...)
	default:
		s.open = s.open[:i]
	}
}

// finish notes what was left open, and drops what turned out to be none.
func (s *scanner) finish() {
	if !s.lost {
		s.popTo(0, true)
	}
	m := &s.markup
	if m.Breaker != nil && (s.headEnd < 0 || s.breaker > s.headEnd) {
		m.Breaker = nil // the head ended where it should, or has no end tag that would show where that is
	}
	if m.Breaker != nil {
		s.places = append(s.places, placedMarkup{s.breaker, func(d *Document, _ int32) *Pos { return &d.Markup.Breaker.Pos }})
	}
	if len(m.Bases) == 0 {
		m.FirstURL = nil
	}
}

// attributeOf is the value of an attribute in a start tag.
func attributeOf(tag []byte, name string) string {
	if end := bytes.IndexByte(tag, '>'); end >= 0 {
		tag = tag[:end]
	}
	for rest := tag; ; {
		i := bytes.Index(bytes.ToLower(rest), []byte(name+"="))
		if i < 0 {
			return ""
		}
		before := byte(' ')
		if i > 0 {
			before = rest[i-1]
		}
		rest = rest[i+len(name)+1:]
		if before > ' ' {
			continue
		}
		if len(rest) > 0 && (rest[0] == '"' || rest[0] == '\'') {
			value, _, _ := bytes.Cut(rest[1:], rest[:1])
			return string(value)
		}
		value, _, _ := bytes.Cut(rest, []byte(" "))
		return string(value)
	}
}
