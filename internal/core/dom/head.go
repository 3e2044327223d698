package dom

import "golang.org/x/net/html/atom"

// start takes in what comes before the head (13.2.6.4.1 to 13.2.6.4.3).
func (p *Parser) start(m mode) (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		if p.skip(p.spaceOf()); empty(t.data) {
			return true
		}
	case doctype:
		if m == initial {
			p.readDoctype(string(p.bytes(t.data)))
			p.mode = beforeHTML
		}
		return true
	case startTag:
		switch {
		case m == beforeHTML && t.name == atom.Html:
			p.insert()
			p.mode = beforeHead
			return true
		case m == beforeHead && t.name == atom.Html:
			return p.body()
		case m == beforeHead && t.name == atom.Head:
			p.headWritten = true
			p.head = p.insert()
			p.mode = inHead
			return true
		}
	case endTag:
		switch t.name {
		case atom.Head, atom.Body, atom.Html, atom.Br:
		default:
			if m != initial {
				p.stray()
				return true
			}
		}
	}
	switch m {
	case initial:
		p.mode = beforeHTML
	case beforeHTML:
		p.insertImplied(atom.Html)
		p.mode = beforeHead
	case beforeHead:
		p.head = p.insertImplied(atom.Head)
		p.mode = inHead
	}
	return false
}

// inHead (13.2.6.4.4).
func (p *Parser) inHead() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		if p.leading() {
			return true
		}
	case doctype:
		return true
	case startTag:
		switch t.name {
		case atom.Html:
			return p.body()
		case atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta:
			p.insertVoid()
			return true
		case atom.Noscript, atom.Script, atom.Title, atom.Noframes, atom.Style:
			p.insertRaw()
			return true
		case atom.Head:
			return true
		case atom.Template:
			p.insert()
			p.mark()
			p.framesetOK = false
			p.mode = inTemplate
			p.templates = append(p.templates, inTemplate)
			return true
		}
	case endTag:
		switch t.name {
		case atom.Head:
			p.headEnd = t.at
			p.pop()
			p.mode = afterHead
			return true
		case atom.Body, atom.Html, atom.Br:
		case atom.Template:
			p.closeTemplate()
			return true
		default:
			p.stray()
			return true
		}
	}
	p.breaks()
	if p.isTop(atom.Head) {
		p.pop()
	}
	p.mode = afterHead
	return false
}

// breaks notes what ends a head that has a tag of its own, before its end tag.
func (p *Parser) breaks() {
	t := &p.tok
	if !p.headWritten || p.tree.Breaker != nil || p.headEnd >= 0 || t.kind != startTag && t.kind != textToken {
		return
	}
	name := "text"
	if t.kind == startTag {
		data := p.bytes(t.data)
		name = string(data[:min(len(data), 40)])
	}
	p.tree.Breaker = &Fault{Name: name, At: t.at}
}

func (p *Parser) closeTemplate() {
	if !p.isOpen(atom.Template) {
		p.stray()
		return
	}
	p.closeImplied(0)
	for i := len(p.open) - 1; i >= 0; i-- {
		if n := p.node(p.open[i]); n.Space == HTML && n.Name == atom.Template {
			p.popTo(i)
			break
		}
	}
	p.clearToMark()
	p.templates = p.templates[:len(p.templates)-1]
	p.resetMode()
}

// afterHead (13.2.6.4.6).
func (p *Parser) afterHead() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		if p.leading() {
			return true
		}
	case doctype:
		return true
	case startTag:
		switch t.name {
		case atom.Html:
			return p.body()
		case atom.Body:
			p.insert()
			p.framesetOK = false
			p.mode = inBody
			return true
		case atom.Frameset:
			p.insert()
			p.mode = inFrameset
			return true
		case atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta, atom.Noframes, atom.Script, atom.Style,
			atom.Template, atom.Title:
			head, at := p.head, len(p.open)
			p.push(head)
			done = p.inHead()
			p.open = append(p.open[:at], p.open[at+1:]...)
			return done
		case atom.Head:
			return true
		}
	case endTag:
		switch t.name {
		case atom.Body, atom.Html, atom.Br:
		case atom.Template:
			return p.inHead()
		default:
			p.stray()
			return true
		}
	}
	p.insertImplied(atom.Body)
	p.framesetOK = true
	p.mode = inBody
	return false
}

// text takes in the content of an element that has no markup (13.2.6.4.8).
func (p *Parser) text() (done bool) {
	if p.tok.kind == textToken {
		p.skipLineFeed()
		p.insertText()
		return true
	}
	id := p.pop()
	if p.tok.kind == end {
		p.unclosed(id)
	}
	p.mode = p.back
	return p.tok.kind == endTag
}

// frameset takes in the modes of framesets (13.2.6.4.20, 13.2.6.4.21, 13.2.6.4.23).
func (p *Parser) frameset() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		kept := p.whiteSpace()
		if t.data = kept; empty(kept) {
			return true
		}
		if p.mode == afterAfterFrameset {
			return p.body()
		}
		p.insertText()
	case startTag:
		switch {
		case t.name == atom.Html:
			return p.body()
		case t.name == atom.Noframes:
			return p.inHead()
		case t.name == atom.Frameset && p.mode == inFrameset:
			p.insert()
		case t.name == atom.Frame && p.mode == inFrameset:
			p.insertVoid()
		}
	case endTag:
		switch {
		case t.name == atom.Frameset && p.mode == inFrameset && !p.isTop(atom.Html):
			if p.pop(); !p.isTop(atom.Frameset) {
				p.mode = afterFrameset
			}
		case t.name == atom.Html && p.mode == afterFrameset:
			p.mode = afterAfterFrameset
		}
	}
	return true
}

// whiteSpace is the white space of the token's text.
func (p *Parser) whiteSpace() span {
	at := len(p.add)
	for _, c := range p.bytes(p.tok.data) {
		if bytesIn[c]&space != 0 {
			p.add = append(p.add, c)
		}
	}
	return p.added(at)
}
