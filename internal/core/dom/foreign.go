package dom

import (
	"bytes"

	"golang.org/x/net/html/atom"
)

// isForeign tells whether the token is for the rules of SVG and MathML (13.2.6).
func (p *Parser) isForeign() bool {
	n, t := p.top(), &p.tok
	switch {
	case n.Space == HTML, t.kind == end:
		return false
	case isTextPoint(n) && (t.kind == textToken || t.kind == startTag && t.name != atom.Mglyph &&
		t.name != atom.Malignmark):
		return false
	case n.Space == MathML && n.Name == atom.AnnotationXml && t.kind == startTag && t.name == atom.Svg:
		return false
	}
	return !p.isHTMLPoint(n) || t.kind != startTag && t.kind != textToken
}

// isTextPoint tells a MathML text integration point.
func isTextPoint(n *Node) bool {
	return n.Space == MathML && n.Class&special != 0 && n.Name != atom.AnnotationXml
}

// isHTMLPoint tells an HTML integration point.
func (p *Parser) isHTMLPoint(n *Node) bool {
	if n.Space == SVG {
		return n.Class&special != 0
	}
	if n.Space != MathML || n.Name != atom.AnnotationXml {
		return false
	}
	for _, a := range p.tree.attrs[n.attrs:n.attrsEnd] {
		if string(p.bytes(a.name)) == "encoding" {
			value := p.bytes(a.value)
			return bytes.EqualFold(value, []byte("text/html")) ||
				bytes.EqualFold(value, []byte("application/xhtml+xml"))
		}
	}
	return false
}

// foreign takes in what stands in SVG and MathML (13.2.6.5).
func (p *Parser) foreign() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		if p.framesetOK && p.spaceOf() < len(p.bytes(t.data)) {
			p.framesetOK = false
		}
		p.insertText()
	case startTag:
		if p.breaksOut() {
			p.leaveForeign()
			return p.html(p.mode)
		}
		p.insertForeign(p.top().Space)
	case endTag:
		if t.name == atom.Br || t.name == atom.P {
			p.leaveForeign()
			return p.html(p.mode)
		}
		for i := len(p.open) - 1; i > 0; i-- {
			if n := p.node(p.open[i]); bytes.Equal(p.bytes(n.data), p.bytes(t.data)) {
				p.open = p.open[:i]
				return true
			}
			if p.node(p.open[i-1]).Space == HTML {
				break
			}
		}
		return p.html(p.mode)
	}
	return true
}

// breaksOut tells whether a start tag ends the foreign content, as no such element can be in it.
func (p *Parser) breaksOut() bool {
	switch p.tok.name {
	case atom.B, atom.Big, atom.Blockquote, atom.Body, atom.Br, atom.Center, atom.Code, atom.Dd, atom.Div, atom.Dl,
		atom.Dt, atom.Em,
		atom.Embed, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Head, atom.Hr, atom.I, atom.Img, atom.Li,
		atom.Listing,
		atom.Menu, atom.Meta, atom.Nobr, atom.Ol, atom.P, atom.Pre, atom.Ruby, atom.S, atom.Small, atom.Span,
		atom.Strong, atom.Strike,
		atom.Sub, atom.Sup, atom.Table, atom.Tt, atom.U, atom.Ul, atom.Var:
		return true
	case atom.Font:
		for _, name := range [...]string{"color", "face", "size"} {
			if _, ok := p.value(name); ok {
				return true
			}
		}
	}
	return false
}

// leaveForeign closes the elements of the foreign content.
func (p *Parser) leaveForeign() {
	for len(p.open) > 0 {
		if n := p.top(); n.Space == HTML || p.isHTMLPoint(n) || isTextPoint(n) {
			return
		}
		p.pop()
	}
}

// insertForeign puts in the element of the token.
func (p *Parser) insertForeign(s Space) {
	id := p.insert()
	n := p.node(id)
	n.Space, n.Class = s, foreignClass(s, n.Name)
	if p.tok.selfClosing {
		p.pop()
	}
}
