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
	return p.put(Node{Kind: Element, Name: t.name, Class: t.class, data: t.data, At: t.at, attrs: t.attrs,
		attrsEnd: t.attrsEnd})
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
		if !slices.ContainsFunc(had, func(b Attr) bool { return bytes.Equal(p.bytes(a.name), p.bytes(b.name)) }) &&
			len(attrs)-first < maxAttributes {
			attrs = append(attrs, a)
		}
	}
	p.tree.attrs = attrs
	n.attrs, n.attrsEnd = int32(first), int32(len(attrs))
}
