package dom

import (
	"bytes"
	"slices"

	"golang.org/x/net/html/atom"
)

// A mode is an insertion mode (13.2.4.1).
type mode uint8

const (
	initial mode = iota
	beforeHTML
	beforeHead
	inHead
	afterHead
	inBody
	inText
	inTable
	inCaption
	inColumns
	inTableBody
	inRow
	inCell
	inTemplate
	afterBody
	inFrameset
	afterFrameset
	afterAfterBody
	afterAfterFrameset
	atRest // takes in nothing more
)

// A Parser reads documents one after the other, each into the same memory.
type Parser struct {
	tree Tree
	src  []byte
	add  []byte // texts that the source does not have as such
	pos  int    // of the next token

	tok       token
	raw       atom.Atom // the element whose text comes next
	inForeign bool
	repeated  bool // the tag at hand has an attribute twice, and that is noted

	mode, back  mode // back: the mode to return to after a text
	open        []ID
	active      []ID // formatting elements, 0 for a marker (13.2.4.3)
	templates   []mode
	head, form  ID
	noLineFeed  int32 // where a line feed would be left out
	framesetOK  bool
	fostering   bool
	surplus     int   // elements that were closed for being nested too deep
	copies      int   // of formatting elements
	ended       bool  // behind </html>
	headWritten bool  // the source has a head tag
	headEnd     int32 // offset of </head>, −1 for none
}

// Parse reads a document. Its text is UTF-8 with line feeds as line ends and without NUL. The
// tree is the parser's own, and valid until it parses the next.
func (p *Parser) Parse(src []byte) *Tree {
	t := &p.tree
	*p = Parser{
		tree: Tree{Nodes: append(t.Nodes[:0], Node{At: Implied}), Faults: t.Faults[:0], Frames: t.Frames[:0],
			attrs: t.attrs[:0]},
		src: src, add: p.add[:0], open: p.open[:0], active: p.active[:0], templates: p.templates[:0],
		framesetOK: true, headEnd: -1, noLineFeed: -1,
	}
	p.tree.Quirks = true
	if cap(p.tree.Nodes) < len(src)/32 {
		p.tree.Nodes = slices.Grow(p.tree.Nodes, about(src))
	}
	for {
		p.inForeign = len(p.open) > 0 && p.top().Space != HTML
		p.next()
		if p.tok.kind == startTag && p.ended {
			p.fault(AfterEnd, p.bytes(p.tok.data), p.tok.at)
			p.ended = false
		}
		if p.tok.kind == endTag && p.tooDeep() {
			continue
		}
		for !p.step() {
		}
		if p.tok.kind == end {
			break
		}
		if len(p.tree.Nodes) >= MaxNodes || len(p.tree.attrs) >= allAttributes {
			p.tree.Cut = true
			break
		}
	}
	p.finish()
	return t
}

// about is how many nodes a source makes, if all is well: one for each start tag, and one for each text,
// which stands behind a tag. Growing to it would leave several times its memory behind.
func about(src []byte) int {
	tags := bytes.Count(src, []byte("<"))
	starts := tags - bytes.Count(src, []byte("</"))
	texts := tags - bytes.Count(src, []byte("><"))
	return min(starts+texts+4, len(src)/2+4, MaxNodes+4)
}

// tooDeep tells whether an end tag is that of an element that was closed for being nested too deep.
func (p *Parser) tooDeep() bool {
	if p.surplus == 0 || len(p.open) >= MaxDepth || p.mode == inText {
		return false
	}
	p.surplus--
	return true
}

func (p *Parser) finish() {
	if !p.tree.TooDeep { // else end tags and elements do not match
		for _, id := range p.open {
			p.unclosed(id)
		}
	}
	if b := p.tree.Breaker; b != nil && (p.headEnd < 0 || b.At > p.headEnd) {
		p.tree.Breaker = nil // the head ended where it should, or has no end tag that would show where that is
	}
	p.tree.src, p.tree.add = string(p.src), string(p.add)
	p.src = nil
}

// step takes in the token at hand, by the rules of the mode; false: it is to be looked at again.
func (p *Parser) step() (done bool) {
	if p.inForeign && p.isForeign() {
		return p.foreign()
	}
	return p.html(p.mode)
}

func (p *Parser) html(m mode) (done bool) {
	switch m {
	case inBody:
		return p.body()
	case inText:
		return p.text()
	case initial, beforeHTML, beforeHead:
		return p.start(m)
	case inHead:
		return p.inHead()
	case afterHead:
		return p.afterHead()
	case inTable:
		return p.table()
	case inCaption:
		return p.caption()
	case inColumns:
		return p.columns()
	case inTableBody:
		return p.tableBody()
	case inRow:
		return p.row()
	case inCell:
		return p.cell()
	case inTemplate:
		return p.template()
	case afterBody, afterAfterBody:
		return p.afterBody()
	case inFrameset, afterFrameset, afterAfterFrameset:
		return p.frameset()
	}
	return true
}

func (p *Parser) fault(kind FaultKind, name []byte, at int32) {
	if len(p.tree.Faults) == MaxFaults {
		p.tree.More++
		return
	}
	p.tree.Faults = append(p.tree.Faults, Fault{kind, string(bytes.ToLower(name[:min(len(name), 40)])), at})
}

// stray notes that an end tag has no element.
func (p *Parser) stray() {
	if p.tok.kind == endTag {
		p.fault(StrayEnd, p.bytes(p.tok.data), p.tok.at)
	}
}

// unclosed notes that an element is closed without its end tag, where it needs one.
func (p *Parser) unclosed(id ID) {
	if n := p.node(id); n.Class&implied == 0 && n.Space == HTML && !n.Again && n.At >= 0 {
		p.fault(Unclosed, p.bytes(n.data), n.At)
	}
}

func (p *Parser) node(id ID) *Node { return &p.tree.Nodes[id] }

// top is the current node.
func (p *Parser) top() *Node { return p.node(p.current()) }

func (p *Parser) current() ID {
	if len(p.open) == 0 {
		return 0
	}
	return p.open[len(p.open)-1]
}

func (p *Parser) isTop(a atom.Atom) bool { n := p.top(); return n.Name == a && n.Space == HTML }

func (p *Parser) pop() ID {
	id := p.current()
	p.open = p.open[:len(p.open)-1]
	return id
}

// popTo closes all elements from an index of the stack on. Those that it closes without their
// end tags are faults; the one at the index has its own, or needs none.
func (p *Parser) popTo(i int) {
	for _, id := range p.open[i+1:] {
		p.unclosed(id)
	}
	p.open = p.open[:i]
}

// A scope bounds the search for an open element (13.2.4.2).
type scope uint8

const (
	anyScope scope = iota
	itemScope
	buttonScope
	tableScope
)

// find is where the innermost open element of a name stands on the stack; −1 if none is in scope.
func (p *Parser) find(s scope, a atom.Atom) int {
	return p.findBy(s, func(n *Node) bool { return n.Name == a })
}

func (p *Parser) findBy(s scope, wanted func(*Node) bool) int {
	for i := len(p.open) - 1; i >= 0; i-- {
		n := p.node(p.open[i])
		if n.Space == HTML {
			if wanted(n) {
				return i
			}
			switch {
			case s == tableScope:
				if n.Name == atom.Html || n.Name == atom.Table || n.Name == atom.Template {
					return -1
				}
				continue
			case s == itemScope && (n.Name == atom.Ol || n.Name == atom.Ul), s == buttonScope && n.Name == atom.Button:
				return -1
			}
		}
		if n.Class&bounds != 0 && s != tableScope {
			return -1
		}
	}
	return -1
}

// close closes the innermost element of a name, if it is in scope.
func (p *Parser) close(s scope, a atom.Atom) bool {
	i := p.find(s, a)
	if i >= 0 {
		p.popTo(i)
	}
	return i >= 0
}

// isOpen tells whether an element of a name is open, anywhere.
func (p *Parser) isOpen(a atom.Atom) bool {
	for _, id := range p.open {
		if n := p.node(id); n.Name == a && n.Space == HTML {
			return true
		}
	}
	return false
}

// clearTo closes elements until the current one has one of the names.
func (p *Parser) clearTo(names ...atom.Atom) {
	for i := len(p.open) - 1; i >= 0; i-- {
		if n := p.node(p.open[i]); n.Space == HTML &&
			(slices.Contains(names, n.Name) || n.Name == atom.Template || n.Name == atom.Html) {
			if i+1 < len(p.open) {
				p.unclosed(p.open[i+1])
				p.popTo(i + 1)
			}
			return
		}
	}
}

// closeImplied closes elements whose end tags may be left out (13.2.6.3).
func (p *Parser) closeImplied(but atom.Atom) {
	for len(p.open) > 0 {
		switch n := p.top(); n.Name {
		case atom.Dd, atom.Dt, atom.Li, atom.Optgroup, atom.Option, atom.P, atom.Rb, atom.Rp, atom.Rt, atom.Rtc:
			if n.Space != HTML || n.Name == but {
				return
			}
		default:
			return
		}
		p.open = p.open[:len(p.open)-1]
	}
}

// resetMode works out the mode anew (13.2.4.1).
func (p *Parser) resetMode() {
	for i := len(p.open) - 1; i >= 0; i-- {
		n := p.node(p.open[i])
		if n.Space != HTML {
			continue
		}
		switch n.Name {
		case atom.Td, atom.Th:
			p.mode = inCell
		case atom.Tr:
			p.mode = inRow
		case atom.Tbody, atom.Thead, atom.Tfoot:
			p.mode = inTableBody
		case atom.Caption:
			p.mode = inCaption
		case atom.Colgroup:
			p.mode = inColumns
		case atom.Table:
			p.mode = inTable
		case atom.Template:
			p.mode = p.templates[len(p.templates)-1]
		case atom.Head:
			p.mode = inHead
		case atom.Body:
			p.mode = inBody
		case atom.Frameset:
			p.mode = inFrameset
		case atom.Html:
			p.mode = beforeHead
			if p.head != 0 {
				p.mode = afterHead
			}
		default:
			continue
		}
		return
	}
	p.mode = inBody
}
