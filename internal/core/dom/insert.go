package dom

import (
	"bytes"
	"slices"

	"golang.org/x/net/html/atom"
)

// put puts a new node in its place (13.2.6.1) and returns it.
func (p *Parser) put(n Node) ID {
	parent, before := p.place()
	return p.putAt(n, parent, before)
}

func (p *Parser) putAt(n Node, parent, before ID) ID {
	id := ID(len(p.tree.Nodes))
	p.tree.Nodes = append(p.tree.Nodes, n)
	p.link(id, parent, before)
	return id
}

// place is where the next node goes: into a parent, and before one of its children or, with 0,
// behind them all.
func (p *Parser) place() (parent, before ID) {
	id := p.current()
	if p.fostering {
		if n := p.node(id); n.Class&foster != 0 && n.Space == HTML {
			return p.fosterPlace()
		}
	}
	return id, 0
}

// fosterPlace is before the innermost table.
func (p *Parser) fosterPlace() (parent, before ID) {
	for i := len(p.open) - 1; i >= 0; i-- {
		switch n := p.node(p.open[i]); {
		case n.Space != HTML:
		case n.Name == atom.Template:
			return p.open[i], 0
		case n.Name == atom.Table:
			if n.Parent == 0 && i > 0 {
				return p.open[i-1], 0
			}
			return n.Parent, p.open[i]
		}
	}
	return p.open[0], 0
}

// link makes a node a child of parent, before one of its children or behind them all.
func (p *Parser) link(id, parent, before ID) {
	nodes := p.tree.Nodes
	n, in := &nodes[id], &nodes[parent]
	n.Parent, n.Next = parent, before
	if before != 0 {
		n.Prev = nodes[before].Prev
		nodes[before].Prev = id
	} else {
		n.Prev = in.Last
		in.Last = id
	}
	if n.Prev != 0 {
		nodes[n.Prev].Next = id
	} else {
		in.First = id
	}
}

func (p *Parser) unlink(id ID) {
	nodes := p.tree.Nodes
	n := &nodes[id]
	if n.Prev != 0 {
		nodes[n.Prev].Next = n.Next
	} else if nodes[n.Parent].First == id {
		nodes[n.Parent].First = n.Next
	}
	if n.Next != 0 {
		nodes[n.Next].Prev = n.Prev
	} else if nodes[n.Parent].Last == id {
		nodes[n.Parent].Last = n.Prev
	}
	n.Parent, n.Prev, n.Next = 0, 0, 0
}

// insertText puts in the token's text. What follows on another in the source becomes part of it.
func (p *Parser) insertText() {
	s := p.tok.data
	if empty(s) {
		return
	}
	parent, before := p.place()
	last := p.node(parent).Last
	if before != 0 {
		last = p.node(before).Prev
	}
	if n := p.node(last); last != 0 && n.Kind == Text && s.from >= 0 && n.data.from >= 0 && n.data.to == s.from {
		n.data.to = s.to
		return
	}
	p.putAt(Node{Kind: Text, data: s, At: p.tok.at}, parent, before)
}

func empty(s span) bool { return s.from >= 0 && s.from == s.to || s.from < 0 && s.to == 0 }

// spaceOf is how many bytes of the token's text are white space before anything else.
func (p *Parser) spaceOf() int {
	s := p.bytes(p.tok.data)
	for i, c := range s {
		if bytesIn[c]&space == 0 && c != '\r' {
			return i
		}
	}
	return len(s)
}

// skip takes bytes off the token's text.
func (p *Parser) skip(n int) {
	p.tok.data = p.tok.data.without(n)
	if p.tok.data.from >= 0 {
		p.tok.at = p.tok.data.from
	}
}

func (s span) without(n int) span {
	if s.from < 0 {
		return span{s.from - int32(n), s.to - int32(n)}
	}
	return span{s.from + int32(n), s.to}
}

func (s span) first(n int) span {
	if s.from < 0 {
		return span{s.from, int32(n)}
	}
	return span{s.from, s.from + int32(n)}
}

// leading puts in the white space at the begin of the token's text, and tells whether that was all.
func (p *Parser) leading() (all bool) {
	n := p.spaceOf()
	if n == 0 {
		return false
	}
	whole := p.tok.data
	p.tok.data = whole.first(n)
	p.insertText()
	p.tok.data = whole
	p.skip(n)
	return empty(p.tok.data)
}

// skipLineFeed leaves out a line feed that follows at once on the tag of some elements.
func (p *Parser) skipLineFeed() {
	if s := p.bytes(p.tok.data); p.tok.at == p.noLineFeed && len(s) > 0 && s[0] == '\n' {
		p.skip(1)
	}
}

// insert puts in the element of the token and opens it.
func (p *Parser) insert() ID {
	p.deepest()
	return p.push(p.insertVoid())
}

// insertVoid puts in the element of the token, which has no content.
func (p *Parser) insertVoid() ID {
	t := &p.tok
	return p.put(Node{Kind: Element, Name: t.name, Class: t.class, data: t.data, At: t.at, attrs: t.attrs, attrsEnd: t.attrsEnd})
}

// insertRaw puts in an element whose content is no markup (13.2.6.2).
func (p *Parser) insertRaw() {
	p.insert()
	p.raw = p.tok.name
	p.back, p.mode = p.mode, inText
}

// insertImplied opens an element that the source has no tag for.
func (p *Parser) insertImplied(a atom.Atom) ID {
	p.deepest()
	at := len(p.add)
	p.add = append(p.add, a.String()...)
	return p.push(p.put(Node{Kind: Element, Name: a, Class: classes.of(a), data: p.added(at), At: Implied}))
}

func (p *Parser) push(id ID) ID {
	p.open = append(p.open, id)
	return id
}

// deepest makes room for one more open element by closing the deepest: what would be deeper goes
// beside it.
func (p *Parser) deepest() {
	if len(p.open) < MaxDepth {
		return
	}
	p.tree.TooDeep = true
	id := p.pop()
	p.surplus++
	if p.node(id).marks() {
		p.clearToMark() // else they pile up
		return
	}
	for i := len(p.active) - 1; i >= 0 && p.active[i] != 0; i-- {
		if p.active[i] == id {
			p.active = slices.Delete(p.active, i, i+1)
			return
		}
	}
}

// marks tells whether an element bounds the active formatting elements.
func (n *Node) marks() bool {
	switch n.Name {
	case atom.Applet, atom.Caption, atom.Marquee, atom.Object, atom.Td, atom.Template, atom.Th:
		return n.Space == HTML
	}
	return false
}

// clone makes another copy of an element, without place and content.
func (p *Parser) clone(id ID) ID {
	n := p.node(id)
	p.copies++
	p.tree.Nodes = append(p.tree.Nodes, Node{
		Kind: Element, Space: n.Space, Again: true, Class: n.Class, Name: n.Name, At: n.At, data: n.data, attrs: n.attrs, attrsEnd: n.attrsEnd,
	})
	return ID(len(p.tree.Nodes) - 1)
}

// mayCopy bounds copies by the size of the source: misnested elements can ask for any number.
func (p *Parser) mayCopy() bool { return p.copies < len(p.src)/4+1000 }

// insertFormatting opens a formatting element and notes it as active. Of more than three alike
// the first is forgotten (13.2.4.3).
func (p *Parser) insertFormatting() {
	id := p.insert()
	alike := 0
	for i := len(p.active) - 1; i >= 0 && p.active[i] != 0; i-- {
		if p.alike(p.active[i], id) {
			if alike++; alike >= 3 {
				p.active = slices.Delete(p.active, i, i+1)
			}
		}
	}
	p.active = append(p.active, id)
}

func (p *Parser) alike(x, y ID) bool {
	a, b := p.node(x), p.node(y)
	if a.Name != b.Name || a.attrsEnd-a.attrs != b.attrsEnd-b.attrs {
		return false
	}
	for i := a.attrs; i < a.attrsEnd; i++ {
		if !p.hasAttribute(b, p.tree.attrs[i]) {
			return false
		}
	}
	return true
}

func (p *Parser) hasAttribute(n *Node, a Attr) bool {
	name, value := p.bytes(a.name), p.bytes(a.value)
	for _, b := range p.tree.attrs[n.attrs:n.attrsEnd] {
		if bytes.Equal(p.bytes(b.name), name) {
			return bytes.Equal(p.bytes(b.value), value)
		}
	}
	return false
}

// value is the value of an attribute of the token.
func (p *Parser) value(name string) ([]byte, bool) {
	for _, a := range p.tree.attrs[p.tok.attrs:p.tok.attrsEnd] {
		if string(p.bytes(a.name)) == name {
			return p.bytes(a.value), true
		}
	}
	return nil, false
}

// takeAttributes adds the token's attributes to an element that lacks them.
func (p *Parser) takeAttributes(id ID) {
	n, attrs := p.node(id), p.tree.attrs
	had := attrs[n.attrs:n.attrsEnd]
	first := len(attrs)
	attrs = append(attrs, had...)
	for _, a := range attrs[p.tok.attrs:p.tok.attrsEnd] {
		if !slices.ContainsFunc(had, func(b Attr) bool { return bytes.Equal(p.bytes(a.name), p.bytes(b.name)) }) && len(attrs)-first < maxAttributes {
			attrs = append(attrs, a)
		}
	}
	p.tree.attrs = attrs
	n.attrs, n.attrsEnd = int32(first), int32(len(attrs))
}

// reopen opens active formatting elements again that are not open (13.2.4.3).
func (p *Parser) reopen() {
	i := len(p.active) - 1
	if i < 0 || p.active[i] == 0 || slices.Contains(p.open, p.active[i]) {
		return
	}
	for i > 0 && p.active[i-1] != 0 && !slices.Contains(p.open, p.active[i-1]) {
		i--
	}
	if !p.mayCopy() || len(p.open)+len(p.active)-i > MaxDepth {
		p.active = p.active[:i]
		return
	}
	for ; i < len(p.active); i++ {
		parent, before := p.place()
		id := p.clone(p.active[i])
		p.link(id, parent, before)
		p.active[i] = p.push(id)
	}
}

// mark bounds the active formatting elements.
func (p *Parser) mark() { p.active = append(p.active, 0) }

// clearToMark forgets the active formatting elements up to the last mark.
func (p *Parser) clearToMark() {
	for len(p.active) > 0 {
		last := p.active[len(p.active)-1]
		p.active = p.active[:len(p.active)-1]
		if last == 0 {
			return
		}
	}
}

// closeFormatting takes in the end tag of a formatting element, or another start tag of one that
// may not stand in itself: the adoption agency algorithm (13.2.6.4.7).
func (p *Parser) closeFormatting(a atom.Atom) {
	if id := p.current(); p.isTop(a) && !slices.Contains(p.active, id) {
		p.pop()
		return
	}
	for round := range 8 {
		at := len(p.active) - 1
		for at >= 0 && p.active[at] != 0 && p.node(p.active[at]).Name != a {
			at--
		}
		if at < 0 || p.active[at] == 0 {
			p.closeOther()
			return
		}
		element := p.active[at]
		opened := slices.Index(p.open, element)
		if opened < 0 { // closed by another end tag, where that was noted
			p.active = slices.Delete(p.active, at, at+1)
			return
		}
		if p.find(anyScope, a) < 0 {
			p.stray()
			return
		}
		if round == 0 && opened < len(p.open)-1 && p.tok.kind == endTag {
			p.fault(Misnested, p.bytes(p.tok.data), p.tok.at)
		}
		furthest := -1
		for i := opened; i < len(p.open); i++ {
			if p.node(p.open[i]).Class&special != 0 {
				furthest = i
				break
			}
		}
		if furthest < 0 || !p.mayCopy() {
			p.open = p.open[:opened]
			p.active = slices.Delete(p.active, at, at+1)
			return
		}
		p.adopt(element, opened, furthest)
	}
}

// adopt moves what is in the block at furthest on the stack, which begins in a formatting element
// and ends behind it, out of that element and into copies of it (13.2.6.4.7, steps 4.8 to 4.19).
func (p *Parser) adopt(element ID, opened, furthest int) {
	block := p.open[furthest]
	ancestor := p.open[opened-1]
	bookmark := slices.Index(p.active, element)
	last := block
	for i, round := furthest-1, 1; p.open[i] != element; i, round = i-1, round+1 {
		node := p.open[i]
		at := slices.Index(p.active, node)
		if at >= 0 && round > 3 {
			p.active = slices.Delete(p.active, at, at+1)
			if at <= bookmark {
				bookmark--
			}
			at = -1
		}
		if at < 0 {
			p.open = slices.Delete(p.open, i, i+1)
			continue
		}
		copied := p.clone(node)
		p.active[at], p.open[i] = copied, copied
		if last == block {
			bookmark = at + 1
		}
		p.unlink(last)
		p.link(last, copied, 0)
		last = copied
	}
	p.unlink(last)
	if n := p.node(ancestor); n.Class&foster != 0 && n.Space == HTML {
		parent, before := p.fosterPlace()
		p.link(last, parent, before)
	} else {
		p.link(last, ancestor, 0)
	}
	copied := p.clone(element)
	for c := p.node(block).First; c != 0; c = p.node(block).First {
		p.unlink(c)
		p.link(c, copied, 0)
	}
	p.link(copied, block, 0)
	if old := slices.Index(p.active, element); old >= 0 {
		if old < bookmark {
			bookmark--
		}
		p.active = slices.Delete(p.active, old, old+1)
	}
	p.active = slices.Insert(p.active, bookmark, copied)
	p.open = slices.DeleteFunc(p.open, func(id ID) bool { return id == element })
	p.open = slices.Insert(p.open, slices.Index(p.open, block)+1, copied)
}
