package dom

import (
	"bytes"
	"slices"

	"golang.org/x/net/html/atom"
)

// clone makes another copy of an element, without place and content.
func (p *Parser) clone(id ID) ID {
	n := p.node(id)
	p.copies++
	p.tree.Nodes = append(p.tree.Nodes, Node{
		Kind: Element, Space: n.Space, Again: true, Class: n.Class, Name: n.Name, At: n.At, data: n.data,
		attrs: n.attrs, attrsEnd: n.attrsEnd,
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
			for _, id := range p.open[opened+1:] {
				if !slices.Contains(p.active, id) { // what is active is opened again
					p.unclosed(id)
				}
			}
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
