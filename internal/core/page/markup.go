package page

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/atom"

	"harvik/internal/core/dom"
)

// Markup is what the source says about how the document was written, beyond what its tree
// shows: faults that the HTML standard's tree construction mends without a word.
type Markup struct {
	Faults   []Fault   // parse errors, at most maxFaults, in order
	More     int       // faults beyond these
	Breaker  *Element  // what ended the head before its end tag
	Obsolete []Element // each name once, where it stands first
	Frames   []Element // frameset and frame
	Plugins  []Element // object, embed, applet
	Bases    []Element
	FirstURL *Pos // of the first element with an address, where a base follows it
	Doctype  bool
	Quirks   bool
}

// Fault is one parse error.
type Fault struct {
	Kind string // "unclosed", "stray end tag", "misnested", "repeated attribute", "after the end"
	Name string // of the element or attribute
	Pos
}

// Element is one element of the source.
type Element struct {
	Name  string
	Type  string // its type or classid attribute
	Count int    // how many of the name there are
	Pos
}

// maxFaults bounds the faults that are kept of a page, of each sort.
const maxFaults = dom.MaxFaults

// A span is a part of a text.
type span struct{ from, to int32 }

// markup takes over what the parser mended, and looks for elements that checks ask for: anywhere
// in the document, templates included.
func (w *walker) markup() {
	m, t := &w.doc.Markup, w.tree
	m.Doctype, m.Quirks, m.More = t.Doctype, t.Doctype && t.Quirks, t.More
	for i, f := range t.Faults {
		m.Faults = append(m.Faults, Fault{Kind: string(f.Kind), Name: f.Name})
		w.placeAt(f.At, posFault, i)
	}
	if t.Breaker != nil {
		m.Breaker = &Element{Name: t.Breaker.Name}
		w.placeAt(t.Breaker.At, posBreaker, 0)
	}
	for i := range t.Nodes {
		if n := &t.Nodes[i]; n.Kind == dom.Element && n.Space == dom.HTML && n.At >= 0 && !n.Again {
			w.kinds(n)
		}
	}
	for _, f := range t.Frames {
		w.note(&m.Obsolete, f.Name.String(), f.At, "", posObsolete)
		w.note(&m.Frames, f.Name.String(), f.At, "", posFrame)
	}
	if len(m.Bases) == 0 {
		m.FirstURL = nil
	}
}

// kinds notes elements that checks ask for.
func (w *walker) kinds(n *dom.Node) {
	m := &w.doc.Markup
	if n.Class&dom.Obsolete != 0 {
		w.note(&m.Obsolete, w.tree.Data(n), n.At, "", posObsolete)
	}
	switch n.Name {
	case atom.Frameset, atom.Frame:
		w.note(&m.Frames, w.tree.Data(n), n.At, "", posFrame)
	case atom.Object, atom.Embed, atom.Applet:
		w.note(&m.Plugins, w.tree.Data(n), n.At,
			cmp.Or(w.attr(n, "type"), w.attr(n, "classid"), w.attr(n, "src")+w.attr(n, "data")), posPlugin)
	case atom.Base:
		if len(m.Bases) < maxFaults {
			w.place(n, posBase, len(m.Bases))
			m.Bases = append(m.Bases, Element{Name: "base", Type: clip(w.attr(n, "href"))})
		}
	case atom.Link, atom.Img, atom.A:
		if m.FirstURL == nil && len(m.Bases) == 0 {
			m.FirstURL = new(Pos)
			w.place(n, posFirstURL, 0)
		}
	case atom.Script:
		if strings.Contains(strings.ToLower(w.attr(n, "type")), "ld+json") && len(w.data) < maxFaults {
			w.data = append(w.data, n)
		}
	}
}

// note adds an element to a list, each name once.
func (w *walker) note(list *[]Element, name string, at int32, sort string, pos func(*Document, int32) *Pos) {
	if i := slices.IndexFunc(*list, func(e Element) bool { return e.Name == name && e.Type == clip(sort) }); i >= 0 {
		(*list)[i].Count++
		return
	}
	if len(*list) < maxFaults {
		w.placeAt(at, pos, len(*list))
		*list = append(*list, Element{Name: strings.Clone(name), Type: clip(sort), Count: 1})
	}
}

// clip is a copy of an attribute's value, cut where it is longer than anybody reads.
func clip(value string) string {
	if len(value) > 2000 {
		value = strings.ToValidUTF8(value[:2000], "")
	}
	return strings.Clone(value)
}

// A placed fact waits for line and column of its place in the source.
type placed struct {
	at    int32
	pos   func(*Document, int32) *Pos
	index int32
}

// place notes where an element stands; fill tells the fact.
func (w *walker) place(n *dom.Node, pos func(*Document, int32) *Pos, index int) {
	if n.At >= 0 {
		w.placeAt(n.At, pos, index)
	}
}

func (w *walker) placeAt(at int32, pos func(*Document, int32) *Pos, index int) {
	w.placed = append(w.placed, placed{at, pos, int32(index)})
}

// fill gives each waiting fact its position. Offsets rise, so every byte is counted once,
// however long its line.
func (w *walker) fill(src []byte) {
	slices.SortFunc(w.placed, func(a, b placed) int { return int(a.at - b.at) })
	at := Pos{Line: 1, Col: 1}
	seen := 0
	for _, p := range w.placed {
		part := src[seen:p.at]
		if nl := bytes.LastIndexByte(part, '\n'); nl >= 0 {
			at.Line += bytes.Count(part, []byte{'\n'})
			at.Col, part = 1, part[nl+1:]
		}
		at.Col += utf8.RuneCount(part)
		seen = int(p.at)
		*p.pos(w.doc, p.index) = at
	}
}

func posData(d *Document, i int32) *Pos      { return &d.Data[i].Pos }
func posDataFault(d *Document, i int32) *Pos { return &d.DataFaults[i].Pos }
func posFault(d *Document, i int32) *Pos     { return &d.Markup.Faults[i].Pos }
func posBreaker(d *Document, _ int32) *Pos   { return &d.Markup.Breaker.Pos }
func posObsolete(d *Document, i int32) *Pos  { return &d.Markup.Obsolete[i].Pos }
func posFrame(d *Document, i int32) *Pos     { return &d.Markup.Frames[i].Pos }
func posPlugin(d *Document, i int32) *Pos    { return &d.Markup.Plugins[i].Pos }
func posBase(d *Document, i int32) *Pos      { return &d.Markup.Bases[i].Pos }

func posFirstURL(d *Document, _ int32) *Pos {
	if d.Markup.FirstURL == nil {
		return new(Pos)
	}
	return d.Markup.FirstURL
}
