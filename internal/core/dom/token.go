package dom

import (
	"bytes"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

type tokenKind uint8

const (
	textToken tokenKind = iota
	startTag
	endTag
	doctype
	end // of the source
)

type token struct {
	kind            tokenKind
	selfClosing     bool
	name            atom.Atom
	class           Class
	at, end         int32 // offsets in the source
	data            span  // a text, or the name of a tag
	attrs, attrsEnd int32
}

// What a byte can be inside a tag.
const (
	space   = 1 << iota // tab, line feed, form feed, space
	endsTag             // "/" and ">"
	capital
)

var bytesIn = func() (t [256]uint8) {
	for _, c := range []byte("\t\n\f\r ") {
		t[c] = space
	}
	t['/'], t['>'] = endsTag, endsTag
	for c := 'A'; c <= 'Z'; c++ {
		t[c] = capital
	}
	return t
}()

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

// next reads the next token (HTML standard, 13.2.5). Comments are passed over.
func (p *Parser) next() {
	src, i := p.src, p.pos
	if p.raw != 0 {
		to, decoded := p.rawTo(i)
		p.raw = 0
		if to > i {
			p.pos = to
			p.textToken(i, to, decoded)
			return
		}
	}
	from := i // of a text
	for {
		j := bytes.IndexByte(src[i:], '<')
		if j < 0 || i+j+1 == len(src) {
			p.rest(from)
			return
		}
		i += j
		c := src[i+1]
		if !isLetter(c) && c != '/' && c != '!' && c != '?' || c == '/' && i+2 == len(src) {
			i++ // no more than text
			continue
		}
		if i > from {
			p.pos = i
			p.textToken(from, i, true)
			return
		}
		switch {
		case isLetter(c):
			p.tag(i, i+1, startTag)
			return
		case c == '/' && isLetter(src[i+2]):
			p.tag(i, i+2, endTag)
			return
		case c == '!' && hasFold(src[i+2:], "doctype"):
			to := after(src, i+9, ">")
			p.tok = token{kind: doctype, at: int32(i), end: int32(to), data: span{int32(i + 9), int32(to)}}
			p.pos = to
			return
		case c == '!' && p.inForeign && bytes.HasPrefix(src[i+2:], []byte("[CDATA[")):
			to := after(src, i+9, "]]>")
			p.pos = to
			if bytes.HasSuffix(src[i+9:to], []byte("]]>")) {
				to -= 3
			}
			if to > i+9 {
				p.textToken(i+9, to, false)
				return
			}
			i = p.pos
		case c == '!' && bytes.HasPrefix(src[i+2:], []byte("--")):
			i = comment(src, i+4)
		default:
			i = after(src, i+1, ">")
		}
		from = i
	}
}

// rest is what stands behind the last tag.
func (p *Parser) rest(from int) {
	p.pos = len(p.src)
	if from < len(p.src) {
		p.textToken(from, len(p.src), true)
		return
	}
	p.tok = token{kind: end, at: int32(len(p.src)), end: int32(len(p.src))}
}

func (p *Parser) textToken(from, to int, references bool) {
	data := span{int32(from), int32(to)}
	if references && bytes.IndexByte(p.src[from:to], '&') >= 0 {
		data = p.decode(p.src[from:to], false)
	}
	p.tok = token{kind: textToken, at: int32(from), end: int32(to), data: data}
}

// after is the offset behind a mark, or the end.
func after(src []byte, i int, mark string) int {
	j := bytes.Index(src[i:], []byte(mark))
	if j < 0 {
		return len(src)
	}
	return i + j + len(mark)
}

// comment is where a comment ends whose content begins at i (13.2.5.43 to 13.2.5.51).
func comment(src []byte, i int) int {
	switch rest := src[i:]; {
	case bytes.HasPrefix(rest, []byte(">")):
		return i + 1
	case bytes.HasPrefix(rest, []byte("->")):
		return i + 2
	}
	for i < len(src) {
		j := bytes.Index(src[i:], []byte("--"))
		if j < 0 {
			break
		}
		switch i += j + 2; {
		case i < len(src) && src[i] == '>':
			return i + 1
		case i+1 < len(src) && src[i] == '!' && src[i+1] == '>':
			return i + 2
		}
		i-- // "--->" ends one, too
	}
	return len(src)
}

func hasFold(s []byte, prefix string) bool {
	return len(s) >= len(prefix) && bytes.EqualFold(s[:len(prefix)], []byte(prefix))
}

// tag reads a tag whose name begins at i (13.2.5.8, 13.2.5.32 to 13.2.5.40). One that the end
// of the source cuts is none.
func (p *Parser) tag(at, i int, kind tokenKind) {
	src := p.src
	from, capitals := i, uint8(0)
	for i < len(src) && bytesIn[src[i]]&(space|endsTag) == 0 {
		capitals |= bytesIn[src[i]]
		i++
	}
	data := p.lower(from, i, capitals)
	name := atom.Lookup(p.bytes(data))
	first := len(p.tree.attrs)
	p.repeated = false
	p.tok = token{kind: kind, name: name, class: classes.of(name), at: int32(at), data: data, attrs: int32(first),
		attrsEnd: int32(first)}
	for {
		for i < len(src) && bytesIn[src[i]]&space != 0 {
			i++
		}
		if i >= len(src) {
			p.tree.attrs = p.tree.attrs[:first]
			p.rest(len(src))
			return
		}
		switch src[i] {
		case '>':
			p.pos = i + 1
			p.tok.end = int32(i + 1)
			return
		case '/':
			i++
			p.tok.selfClosing = i < len(src) && src[i] == '>'
			continue
		}
		i = p.attribute(i)
	}
}

// attribute reads one attribute of the tag at hand and returns where it ends.
func (p *Parser) attribute(i int) int {
	src := p.src
	from, capitals := i, bytesIn[src[i]]
	for i++; i < len(src) && bytesIn[src[i]]&(space|endsTag) == 0 && src[i] != '='; i++ {
		capitals |= bytesIn[src[i]]
	}
	a := Attr{name: p.lower(from, i, capitals)}
	j := i
	for j < len(src) && bytesIn[src[j]]&space != 0 {
		j++
	}
	if j < len(src) && src[j] == '=' {
		for j++; j < len(src) && bytesIn[src[j]]&space != 0; j++ {
		}
		i = j
		if j < len(src) && src[j] != '>' {
			to := j
			if q := src[j]; q == '"' || q == '\'' {
				j++
				k := bytes.IndexByte(src[j:], q)
				if k < 0 {
					return len(src)
				}
				to, i = j+k, j+k+1
			} else {
				for i < len(src) && bytesIn[src[i]]&space == 0 && src[i] != '>' {
					i++
				}
				to = i
			}
			a.value = span{int32(j), int32(to)}
			if bytes.IndexByte(src[j:to], '&') >= 0 {
				a.value = p.decode(src[j:to], true)
			}
		}
	}
	p.addAttribute(a)
	return i
}

// addAttribute keeps the first of a name; end tags keep none.
func (p *Parser) addAttribute(a Attr) {
	t := &p.tok
	if t.kind == endTag || t.attrsEnd-t.attrs >= maxAttributes {
		return
	}
	name := p.bytes(a.name)
	for i := t.attrs; i < t.attrsEnd; i++ {
		if bytes.Equal(p.bytes(p.tree.attrs[i].name), name) {
			if !p.repeated {
				p.repeated = true
				p.fault(RepeatedAttribute, name, t.at)
			}
			return
		}
	}
	p.tree.attrs = append(p.tree.attrs, a)
	t.attrsEnd++
}

// lower is a part of the source in lower case.
func (p *Parser) lower(from, to int, capitals uint8) span {
	if capitals&capital == 0 {
		return span{int32(from), int32(to)}
	}
	at := len(p.add)
	for _, c := range p.src[from:to] {
		if bytesIn[c]&capital != 0 {
			c |= 0x20
		}
		p.add = append(p.add, c)
	}
	return p.added(at)
}

func (p *Parser) added(at int) span { return span{^int32(at), int32(len(p.add) - at)} }

func (p *Parser) bytes(s span) []byte {
	if s.from < 0 {
		return p.add[^s.from : ^s.from+s.to]
	}
	return p.src[s.from:s.to]
}

// decode replaces character references (13.2.5.72 to 13.2.5.80).
func (p *Parser) decode(s []byte, inAttribute bool) span {
	at := len(p.add)
	for {
		i := bytes.IndexByte(s, '&')
		if i < 0 {
			p.add = append(p.add, s...)
			return p.added(at)
		}
		p.add = append(p.add, s[:i]...)
		s = s[i:]
		n := reference(s)
		p.add = append(p.add, character(s[:n], s[n:], inAttribute)...)
		s = s[n:]
	}
}

// reference is how many bytes at the begin of s, an ampersand, may be a character reference.
func reference(s []byte) int {
	i := 1
	if i < len(s) && s[i] == '#' {
		i++
	}
	for i < len(s) && (isLetter(s[i]) || s[i] >= '0' && s[i] <= '9') {
		i++
	}
	if i < len(s) && s[i] == ';' {
		i++
	}
	return i
}

// character is what a reference stands for. In attributes, names without a semicolon that go on
// in letters, digits or "=" are none: they are parts of addresses.
func character(ref, rest []byte, inAttribute bool) string {
	switch string(ref) {
	case "&amp;":
		return "&"
	case "&quot;":
		return `"`
	case "&nbsp;":
		return "\u00a0"
	}
	out := html.UnescapeString(string(ref))
	if !inAttribute || len(ref) < 2 || ref[1] == '#' {
		return out
	}
	whole := ref[len(ref)-1] == ';'
	switch n := len([]rune(out)); {
	case whole && n > 1 && out[len(out)-1] == ';', !whole && n > 1, // the library took a part for the whole
		!whole && len(rest) > 0 && rest[0] == '=':
		return string(ref)
	}
	return out
}

// rawTo is where the text of a raw text element ends that begins at i, and whether it has
// character references.
func (p *Parser) rawTo(i int) (to int, references bool) {
	switch p.raw {
	case atom.Plaintext:
		return len(p.src), false
	case atom.Script:
		return scriptTo(p.src, i), false
	}
	name := p.raw.String()
	for i < len(p.src) {
		j := bytes.Index(p.src[i:], []byte("</"))
		if j < 0 {
			break
		}
		if i += j; endsRaw(p.src[i+2:], name) {
			return i, p.raw == atom.Title || p.raw == atom.Textarea
		}
		i += 2
	}
	return len(p.src), p.raw == atom.Title || p.raw == atom.Textarea
}

// endsRaw tells whether s begins with a tag's name and what ends it.
func endsRaw(s []byte, name string) bool {
	return len(s) > len(name) && bytesIn[s[len(name)]]&(space|endsTag) != 0 && hasFold(s, name)
}

// scriptTo is where a script ends: comments in it can hide its end tag (13.2.5.4, 13.2.5.15 to
// 13.2.5.31).
func scriptTo(src []byte, i int) int {
	const name = "script"
	hidden, twice := false, false // inside a comment; inside a script inside a comment
	for i < len(src) {
		if !hidden {
			j := bytes.IndexByte(src[i:], '<')
			if j < 0 {
				break
			}
			i += j
		}
		switch s := src[i:]; {
		case hidden && bytes.HasPrefix(s, []byte("-->")):
			hidden, twice = false, false
			i += 3
		case s[0] != '<':
			i++
		case !hidden && bytes.HasPrefix(s, []byte("<!--")):
			hidden = true
			i += 2 // its dashes may end it, too
		case len(s) > 1 && s[1] == '/' && endsRaw(s[2:], name):
			if !twice {
				return i
			}
			twice = false
			i += 2 + len(name)
		case hidden && !twice && endsRaw(s[1:], name):
			twice = true
			i += 1 + len(name)
		default:
			i++
		}
	}
	return len(src)
}
