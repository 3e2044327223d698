package dom

import (
	"bytes"

	"golang.org/x/net/html/atom"
)

// table (13.2.6.4.9).
func (p *Parser) table() (done bool) {
	t := &p.tok
	switch t.kind {
	case textToken:
		if p.top().Class&foster != 0 && p.spaceOf() == len(p.bytes(t.data)) {
			p.insertText()
			return true
		}
	case doctype:
		return true
	case end:
		return p.body()
	case startTag:
		switch t.name {
		case atom.Caption:
			p.clearTo(atom.Table)
			p.mark()
			p.insert()
			p.mode = inCaption
			return true
		case atom.Colgroup:
			p.clearTo(atom.Table)
			p.insert()
			p.mode = inColumns
			return true
		case atom.Col:
			p.clearTo(atom.Table)
			p.insertImplied(atom.Colgroup)
			p.mode = inColumns
			return false
		case atom.Tbody, atom.Tfoot, atom.Thead:
			p.clearTo(atom.Table)
			p.insert()
			p.mode = inTableBody
			return true
		case atom.Td, atom.Th, atom.Tr:
			p.clearTo(atom.Table)
			p.insertImplied(atom.Tbody)
			p.mode = inTableBody
			return false
		case atom.Table:
			if p.close(tableScope, atom.Table) {
				p.resetMode()
				return false
			}
			return true
		case atom.Style, atom.Script, atom.Template:
			return p.inHead()
		case atom.Input:
			if kind, _ := p.value("type"); bytes.EqualFold(kind, []byte("hidden")) {
				p.insertVoid()
				return true
			}
		case atom.Form:
			if p.isOpen(atom.Template) || p.form != 0 {
				return true
			}
			p.form = p.insertVoid()
			return true
		}
	case endTag:
		switch t.name {
		case atom.Table:
			if p.closeBlock(tableScope, atom.Table) {
				p.resetMode()
			}
			return true
		case atom.Body, atom.Caption, atom.Col, atom.Colgroup, atom.Html, atom.Tbody, atom.Td, atom.Tfoot, atom.Th,
			atom.Thead, atom.Tr:
			p.stray()
			return true
		case atom.Template:
			p.closeTemplate()
			return true
		}
	}
	p.fostering = true
	done = p.body()
	p.fostering = false
	return done
}

// caption (13.2.6.4.11).
func (p *Parser) caption() (done bool) {
	switch t := &p.tok; t.kind {
	case startTag:
		if t.class&tabular != 0 {
			return !p.closeCaption()
		}
	case endTag:
		switch t.name {
		case atom.Caption:
			if !p.closeCaption() {
				p.stray()
			}
			return true
		case atom.Table:
			return !p.closeCaption()
		case atom.Body, atom.Col, atom.Colgroup, atom.Html, atom.Tbody, atom.Td, atom.Tfoot, atom.Th, atom.Thead,
			atom.Tr:
			p.stray()
			return true
		}
	}
	return p.body()
}

func (p *Parser) closeCaption() bool {
	if !p.close(tableScope, atom.Caption) {
		return false
	}
	p.clearToMark()
	p.mode = inTable
	return true
}

// columns (13.2.6.4.12).
func (p *Parser) columns() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken:
		if p.leading() {
			return true
		}
	case doctype:
		return true
	case end:
		return p.body()
	case startTag:
		switch t.name {
		case atom.Html:
			return p.body()
		case atom.Col:
			p.insertVoid()
			return true
		case atom.Template:
			return p.inHead()
		}
	case endTag:
		switch t.name {
		case atom.Colgroup:
			if p.isTop(atom.Colgroup) {
				p.pop()
				p.mode = inTable
			} else {
				p.stray()
			}
			return true
		case atom.Col:
			p.stray()
			return true
		case atom.Template:
			p.closeTemplate()
			return true
		}
	}
	if !p.isTop(atom.Colgroup) {
		return true
	}
	p.pop()
	p.mode = inTable
	return false
}

// tableBody (13.2.6.4.13).
func (p *Parser) tableBody() (done bool) {
	switch t := &p.tok; t.kind {
	case startTag:
		switch t.name {
		case atom.Tr:
			p.clearTo(atom.Tbody, atom.Tfoot, atom.Thead)
			p.insert()
			p.mode = inRow
			return true
		case atom.Td, atom.Th:
			p.clearTo(atom.Tbody, atom.Tfoot, atom.Thead)
			p.insertImplied(atom.Tr)
			p.mode = inRow
			return false
		case atom.Caption, atom.Col, atom.Colgroup, atom.Tbody, atom.Tfoot, atom.Thead:
			return !p.closeGroup()
		}
	case endTag:
		switch t.name {
		case atom.Tbody, atom.Tfoot, atom.Thead:
			if p.find(tableScope, t.name) < 0 {
				p.stray()
				return true
			}
			p.clearTo(atom.Tbody, atom.Tfoot, atom.Thead)
			p.pop()
			p.mode = inTable
			return true
		case atom.Table:
			if p.closeGroup() {
				return false
			}
			p.stray()
			return true
		case atom.Body, atom.Caption, atom.Col, atom.Colgroup, atom.Html, atom.Td, atom.Th, atom.Tr:
			p.stray()
			return true
		}
	}
	return p.table()
}

// closeGroup closes the open group of rows.
func (p *Parser) closeGroup() bool {
	i := p.findBy(tableScope, func(n *Node) bool {
		return n.Name == atom.Tbody || n.Name == atom.Thead ||
			n.Name == atom.Tfoot
	})
	if i < 0 {
		return false
	}
	p.popTo(i)
	p.mode = inTable
	return true
}

// row (13.2.6.4.14).
func (p *Parser) row() (done bool) {
	switch t := &p.tok; t.kind {
	case startTag:
		switch t.name {
		case atom.Td, atom.Th:
			p.clearTo(atom.Tr)
			p.insert()
			p.mark()
			p.mode = inCell
			return true
		case atom.Caption, atom.Col, atom.Colgroup, atom.Tbody, atom.Tfoot, atom.Thead, atom.Tr:
			return !p.closeRow()
		}
	case endTag:
		switch t.name {
		case atom.Tr:
			if !p.closeRow() {
				p.stray()
			}
			return true
		case atom.Table:
			if p.closeRow() {
				return false
			}
			p.stray()
			return true
		case atom.Tbody, atom.Tfoot, atom.Thead:
			if p.find(tableScope, t.name) >= 0 && p.closeRow() {
				return false
			}
			p.stray()
			return true
		case atom.Body, atom.Caption, atom.Col, atom.Colgroup, atom.Html, atom.Td, atom.Th:
			p.stray()
			return true
		}
	}
	return p.table()
}

func (p *Parser) closeRow() bool {
	if p.find(tableScope, atom.Tr) < 0 {
		return false
	}
	p.clearTo(atom.Tr)
	p.pop()
	p.mode = inTableBody
	return true
}

// cell (13.2.6.4.15).
func (p *Parser) cell() (done bool) {
	switch t := &p.tok; t.kind {
	case startTag:
		if t.class&tabular != 0 {
			return !p.closeCell()
		}
	case endTag:
		switch t.name {
		case atom.Td, atom.Th:
			if !p.closeBlock(tableScope, t.name) {
				return true
			}
			p.clearToMark()
			p.mode = inRow
			return true
		case atom.Body, atom.Caption, atom.Col, atom.Colgroup, atom.Html:
			p.stray()
			return true
		case atom.Table, atom.Tbody, atom.Tfoot, atom.Thead, atom.Tr:
			if p.find(tableScope, t.name) < 0 {
				p.stray()
				return true
			}
			p.closeCell()
			p.mode = inRow
			return false
		}
	}
	return p.body()
}

func (p *Parser) closeCell() bool {
	i := p.findBy(tableScope, func(n *Node) bool { return n.Name == atom.Td || n.Name == atom.Th })
	if i < 0 {
		return false
	}
	p.popTo(i)
	p.clearToMark()
	p.mode = inRow
	return true
}

// template takes in what stands in a template (13.2.6.4.16).
func (p *Parser) template() (done bool) {
	switch t := &p.tok; t.kind {
	case textToken, doctype:
		return p.body()
	case startTag:
		switch t.name {
		case atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta, atom.Noframes, atom.Script, atom.Style,
			atom.Template, atom.Title:
			return p.inHead()
		case atom.Caption, atom.Colgroup, atom.Tbody, atom.Tfoot, atom.Thead:
			p.mode = inTable
		case atom.Col:
			p.mode = inColumns
		case atom.Tr:
			p.mode = inTableBody
		case atom.Td, atom.Th:
			p.mode = inRow
		default:
			p.mode = inBody
		}
		p.templates[len(p.templates)-1] = p.mode
		return false
	case endTag:
		if t.name == atom.Template {
			p.closeTemplate()
		} else {
			p.stray()
		}
		return true
	case end:
		if !p.isOpen(atom.Template) {
			return true
		}
		p.closeTemplate()
		return false
	}
	return true
}
