package dom

import (
	"bytes"
	"slices"

	"golang.org/x/net/html/atom"
)

// body takes in what stands in the body (13.2.6.4.7).
func (p *Parser) body() (done bool) {
	switch p.tok.kind {
	case textToken:
		p.bodyText()
	case startTag:
		return p.bodyStart()
	case endTag:
		return p.bodyEnd()
	case end:
		if len(p.templates) > 0 && p.isOpen(atom.Template) {
			return p.template()
		}
	}
	return true
}

func (p *Parser) bodyText() {
	p.skipLineFeed()
	if empty(p.tok.data) {
		return
	}
	p.reopen()
	p.insertText()
	if p.framesetOK && p.spaceOf() < len(p.bytes(p.tok.data)) {
		p.framesetOK = false
	}
}

// bodyStart takes in a start tag.
func (p *Parser) bodyStart() (done bool) {
	t := &p.tok
	switch t.name {
	case atom.Html:
		if !p.isOpen(atom.Template) {
			p.takeAttributes(p.open[0])
		}
	case atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta, atom.Noframes, atom.Script, atom.Style,
		atom.Template, atom.Title:
		return p.inHead()
	case atom.Body:
		if len(p.open) >= 2 && p.node(p.open[1]).Name == atom.Body && !p.isOpen(atom.Template) {
			p.framesetOK = false
			p.takeAttributes(p.open[1])
		}
	case atom.Frameset:
		if !p.framesetOK || len(p.open) < 2 || p.node(p.open[1]).Name != atom.Body {
			p.ignoreFrame()
			return true
		}
		p.unlink(p.open[1])
		p.open = p.open[:1]
		p.insert()
		p.mode = inFrameset
	case atom.Address, atom.Article, atom.Aside, atom.Blockquote, atom.Center, atom.Details, atom.Dialog, atom.Dir,
		atom.Div, atom.Dl,
		atom.Fieldset, atom.Figcaption, atom.Figure, atom.Footer, atom.Header, atom.Hgroup, atom.Main, atom.Menu,
		atom.Nav, atom.Ol,
		atom.P, atom.Search, atom.Section, atom.Summary, atom.Ul:
		p.closeParagraph()
		p.insert()
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		p.closeParagraph()
		if n := p.top(); n.Class&Heading != 0 {
			p.unclosed(p.pop())
		}
		p.insert()
	case atom.Pre, atom.Listing:
		p.closeParagraph()
		p.insert()
		p.noLineFeed = t.end
		p.framesetOK = false
	case atom.Form:
		inTemplate := p.isOpen(atom.Template)
		if p.form != 0 && !inTemplate {
			return true
		}
		p.closeParagraph()
		if id := p.insert(); !inTemplate {
			p.form = id
		}
	case atom.Li:
		p.framesetOK = false
		p.closeItem(atom.Li, atom.Li)
		p.closeParagraph()
		p.insert()
	case atom.Dd, atom.Dt:
		p.framesetOK = false
		p.closeItem(atom.Dd, atom.Dt)
		p.closeParagraph()
		p.insert()
	case atom.Plaintext:
		p.closeParagraph()
		p.insert()
		p.raw = atom.Plaintext
	case atom.Button:
		if i := p.find(anyScope, atom.Button); i >= 0 {
			p.unclosed(p.open[i])
			p.closeImplied(0)
			p.popTo(i)
		}
		p.reopen()
		p.insert()
		p.framesetOK = false
	case atom.A:
		p.closeLink()
		p.reopen()
		p.insertFormatting()
	case atom.B, atom.Big, atom.Code, atom.Em, atom.Font, atom.I, atom.S, atom.Small, atom.Strike, atom.Strong, atom.Tt,
		atom.U:
		p.reopen()
		p.insertFormatting()
	case atom.Nobr:
		p.reopen()
		if p.find(anyScope, atom.Nobr) >= 0 {
			p.closeFormatting(atom.Nobr)
			p.reopen()
		}
		p.insertFormatting()
	case atom.Applet, atom.Marquee, atom.Object:
		p.reopen()
		p.insert()
		p.mark()
		p.framesetOK = false
	case atom.Table:
		if !p.tree.Quirks {
			p.closeParagraph()
		}
		p.insert()
		p.framesetOK = false
		p.mode = inTable
	case atom.Math, atom.Svg:
		p.reopen()
		if t.name == atom.Svg {
			p.insertForeign(SVG)
		} else {
			p.insertForeign(MathML)
		}
	case atom.Frame:
		p.ignoreFrame()
	case atom.Caption, atom.Col, atom.Colgroup, atom.Head, atom.Tbody, atom.Td, atom.Tfoot, atom.Th, atom.Thead,
		atom.Tr:
	default:
		return p.bodyControl()
	}
	return true
}

// ignoreFrame notes a tag of frames that makes no node: who wrote it will look for what it was to show.
func (p *Parser) ignoreFrame() {
	if len(p.tree.Frames) < MaxFaults {
		p.tree.Frames = append(p.tree.Frames, Tag{p.tok.name, p.tok.at})
	}
}

// bodyControl takes in the start tags of form controls, of elements without content and of all others.
func (p *Parser) bodyControl() (done bool) {
	t := &p.tok
	switch t.name {
	case atom.Area, atom.Br, atom.Embed, atom.Img, atom.Keygen, atom.Wbr:
		p.reopen()
		p.insertVoid()
		p.framesetOK = false
	case atom.Input:
		p.close(anyScope, atom.Select)
		p.reopen()
		p.insertVoid()
		if kind, _ := p.value("type"); !bytes.EqualFold(kind, []byte("hidden")) {
			p.framesetOK = false
		}
	case atom.Param, atom.Source, atom.Track:
		p.insertVoid()
	case atom.Hr:
		p.closeParagraph()
		if p.find(anyScope, atom.Select) >= 0 {
			p.closeImplied(0)
		}
		p.insertVoid()
		p.framesetOK = false
	case atom.Image:
		at := len(p.add)
		p.add = append(p.add, "img"...)
		t.name, t.class, t.data = atom.Img, classes.of(atom.Img), p.added(at)
		return false
	case atom.Textarea:
		p.insertRaw()
		p.noLineFeed = t.end
		p.framesetOK = false
	case atom.Xmp:
		p.closeParagraph()
		p.reopen()
		p.framesetOK = false
		p.insertRaw()
	case atom.Iframe:
		p.framesetOK = false
		p.insertRaw()
	case atom.Noembed, atom.Noscript:
		p.insertRaw()
	case atom.Select:
		if p.close(anyScope, atom.Select) {
			return true
		}
		p.reopen()
		p.insert()
		p.framesetOK = false
	case atom.Option, atom.Optgroup:
		if p.find(anyScope, atom.Select) >= 0 {
			if t.name == atom.Optgroup {
				p.closeImplied(0)
			} else {
				p.closeImplied(atom.Optgroup)
			}
		} else if p.isTop(atom.Option) {
			p.pop()
		}
		p.reopen()
		p.insert()
	case atom.Rb, atom.Rtc:
		if p.find(anyScope, atom.Ruby) >= 0 {
			p.closeImplied(0)
		}
		p.insert()
	case atom.Rp, atom.Rt:
		if p.find(anyScope, atom.Ruby) >= 0 {
			p.closeImplied(atom.Rtc)
		}
		p.insert()
	default:
		p.reopen()
		p.insert()
	}
	return true
}

// closeParagraph closes an open p, as what comes now cannot stand in one.
func (p *Parser) closeParagraph() { p.close(buttonScope, atom.P) }

// closeItem closes an open list item as the next begins.
func (p *Parser) closeItem(x, y atom.Atom) {
	for i := len(p.open) - 1; i >= 0; i-- {
		n := p.node(p.open[i])
		switch {
		case n.Space == HTML && (n.Name == x || n.Name == y):
			p.popTo(i)
			return
		case n.Class&special != 0 && (n.Space != HTML || n.Name != atom.Address && n.Name != atom.Div &&
			n.Name != atom.P):
			return
		}
	}
}

// closeLink closes an active link, as links do not stand in links.
func (p *Parser) closeLink() {
	for i := len(p.active) - 1; i >= 0 && p.active[i] != 0; i-- {
		id := p.active[i]
		if p.node(id).Name != atom.A {
			continue
		}
		p.unclosed(id)
		p.closeFormatting(atom.A)
		is := func(other ID) bool { return other == id }
		p.open, p.active = slices.DeleteFunc(p.open, is), slices.DeleteFunc(p.active, is)
		return
	}
}

// bodyEnd takes in an end tag.
func (p *Parser) bodyEnd() (done bool) {
	t := &p.tok
	switch t.name {
	case atom.Head:
		if p.headEnd < 0 {
			p.headEnd = t.at // late, as something ended the head before
		}
	case atom.Body:
		if p.find(anyScope, atom.Body) >= 0 {
			p.mode = afterBody
		}
	case atom.Html:
		if p.find(anyScope, atom.Body) >= 0 {
			p.mode = afterBody
			return false
		}
	case atom.Address, atom.Article, atom.Aside, atom.Blockquote, atom.Button, atom.Center, atom.Details, atom.Dialog,
		atom.Dir, atom.Div,
		atom.Dl, atom.Fieldset, atom.Figcaption, atom.Figure, atom.Footer, atom.Header, atom.Hgroup, atom.Listing,
		atom.Main, atom.Menu,
		atom.Nav, atom.Ol, atom.Pre, atom.Search, atom.Section, atom.Select, atom.Summary, atom.Ul:
		p.closeBlock(anyScope, t.name)
	case atom.Form:
		p.closeForm()
	case atom.P:
		if p.find(buttonScope, atom.P) < 0 {
			p.stray()
			p.insertImplied(atom.P)
		}
		p.close(buttonScope, atom.P)
	case atom.Li:
		p.closeBlock(itemScope, atom.Li)
	case atom.Dd, atom.Dt:
		p.closeBlock(anyScope, t.name)
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		i := p.findBy(anyScope, func(n *Node) bool { return n.Class&Heading != 0 })
		if i < 0 {
			p.stray()
			break
		}
		if p.node(p.open[i]).Name != t.name {
			p.fault(Misnested, p.bytes(t.data), t.at)
		}
		p.popTo(i)
	case atom.A, atom.B, atom.Big, atom.Code, atom.Em, atom.Font, atom.I, atom.Nobr, atom.S, atom.Small, atom.Strike,
		atom.Strong, atom.Tt, atom.U:
		p.closeFormatting(t.name)
	case atom.Applet, atom.Marquee, atom.Object:
		if p.closeBlock(anyScope, t.name) {
			p.clearToMark()
		}
	case atom.Br:
		p.stray()
		t.kind, t.attrsEnd = startTag, t.attrs
		return false
	case atom.Template:
		p.closeTemplate()
	default:
		p.closeOther()
	}
	return true
}

// closeBlock closes the element of an end tag, if it is in scope.
func (p *Parser) closeBlock(s scope, a atom.Atom) bool {
	closed := p.close(s, a)
	if !closed {
		p.stray()
	}
	return closed
}

func (p *Parser) closeForm() {
	form := p.form
	inTemplate := p.isOpen(atom.Template)
	if !inTemplate {
		p.form = 0
	}
	i := p.find(anyScope, atom.Form)
	if i < 0 || !inTemplate && (form == 0 || p.open[i] != form) {
		p.stray()
		return
	}
	p.closeImplied(0)
	if inTemplate {
		p.popTo(i)
		return
	}
	if i < len(p.open)-1 { // what is in it stays open
		p.fault(Misnested, p.bytes(p.tok.data), p.tok.at)
	}
	p.open = slices.Delete(p.open, i, i+1)
}

// closeOther closes the element of an end tag that no other rule is for.
func (p *Parser) closeOther() {
	t := &p.tok
	for i := len(p.open) - 1; i >= 0; i-- {
		n := p.node(p.open[i])
		if n.Space == HTML && n.Name == t.name && (t.name != 0 || bytes.Equal(p.bytes(n.data), p.bytes(t.data))) {
			p.popTo(i)
			return
		}
		if n.Class&special != 0 {
			break
		}
	}
	p.stray()
}

// afterBody takes in what comes behind the body (13.2.6.4.19, 13.2.6.4.22).
func (p *Parser) afterBody() (done bool) {
	switch t := &p.tok; t.kind {
	case end, doctype:
		return true
	case textToken:
		if n := p.spaceOf(); n == len(p.bytes(t.data)) {
			return p.body()
		} else if p.ended {
			p.fault(AfterEnd, []byte("text"), t.at+int32(n))
			p.ended = false
		}
	case startTag:
		if t.name == atom.Html {
			return p.body()
		}
	case endTag:
		if t.name == atom.Html && p.mode == afterBody {
			p.ended = true
			p.mode = afterAfterBody
			return true
		}
	}
	p.mode = inBody
	return false
}
