package page

import (
	"bytes"
	"slices"
	"unicode/utf8"

	"golang.org/x/net/html/atom"
)

// The parser's tree does not say where an element stood in the source. So the source is
// scanned once more for the start tags of the few elements whose place is evidence, and
// the n-th tag of a name is taken for the n-th element of that name. Where the parser
// dropped or doubled elements of a name their numbers differ, and then those elements'
// positions stay unknown rather than wrong.

// located are the elements whose position is kept.
var located = [...]atom.Atom{
	atom.Html, atom.Title, atom.Meta, atom.Link, atom.A, atom.Area, atom.Img,
	atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6,
}

// locatedIndex is one more than an element's index in located.
var locatedIndex = func() atomTable[int] {
	m := make(map[atom.Atom]int, len(located))
	for i, a := range located {
		m[a] = i + 1
	}
	return newAtomTable(m)
}()

// rawText are the elements whose content the tokenizer does not read as markup.
var rawText = newAtomTable(map[atom.Atom]bool{
	atom.Script: true, atom.Style: true, atom.Textarea: true, atom.Title: true, atom.Xmp: true,
	atom.Iframe: true, atom.Noembed: true, atom.Noframes: true, atom.Noscript: true,
})

// A scanner reads the source's tags once: where the located elements stand, and what is wrong
// with how tags open and close.
type scanner struct {
	src    []byte
	found  [len(located)][]int32 // offsets of the start tags, by name
	markup Markup
	places []placedMarkup
	names  [maxAttributes]span // of the tag at hand

	open    []opened
	lost    bool // nested too deep to follow
	foreign int  // nesting of svg or math, inside which other rules hold
	hasHead bool
	headEnd int32 // offset of an explicit </head>; −1 for none
	breaker int32 // of what ended the head early; −1 for nothing
	ended   bool  // behind </html>
	raw     atom.Atom
	data    []span // contents of scripts of JSON-LD
}

// scan reads the source.
func scan(src []byte) *scanner {
	s := &scanner{src: src, headEnd: -1, breaker: -1, open: make([]opened, 0, 32)}
	for i := 0; i < len(src); {
		j := bytes.IndexByte(src[i:], '<')
		if j < 0 {
			s.text(i, len(src))
			break
		}
		at := i + j
		s.text(i, at)
		if at+1 >= len(src) {
			break
		}
		i = at + 1
		switch c := src[i]; {
		case c == '!' || c == '?':
			if bytes.HasPrefix(src[i:], []byte("![CDATA[")) && s.foreign > 0 {
				i = after(src, i, "]]>")
			} else {
				i = skipComment(src, i)
			}
		case c == '/':
			i++
			if i < len(src) && isLetter(src[i]) {
				name := tagName(src[i:])
				end := tagEnd(src, i+len(name))
				s.close(at, name)
				i = end
			} else {
				i = after(src, i, ">")
			}
		case isLetter(c):
			name := tagName(src[i:])
			end, attributes := s.attributes(i + len(name))
			a := lookup(name)
			if k := locatedIndex.of(a); k > 0 && s.foreign == 0 {
				s.found[k-1] = append(s.found[k-1], int32(at))
			}
			s.start(at, end, name, a, attributes)
			i = end
			switch {
			case a == atom.Plaintext && s.foreign == 0:
				return s
			case rawText.of(a) && s.foreign == 0:
				i = skipRaw(src, i, name)
				if a == atom.Script && bytes.Contains(bytes.ToLower(src[at:end]), []byte("ld+json")) && len(s.data) < maxFaults {
					s.data = append(s.data, span{int32(end), int32(i)})
				}
			}
		}
	}
	s.finish()
	return s
}

// lookup is the atom of a tag's name, 0 if it is none of HTML's.
func lookup(name []byte) atom.Atom {
	var low [16]byte
	if len(name) > len(low) {
		return 0
	}
	return atom.Lookup(appendLower(low[:0], name))
}

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

func appendLower(dst, s []byte) []byte {
	for _, c := range s {
		if 'A' <= c && c <= 'Z' {
			c |= 0x20
		}
		dst = append(dst, c)
	}
	return dst
}

func tagName(s []byte) []byte {
	for i, c := range s {
		if c == '>' || c == '/' || c <= ' ' {
			return s[:i]
		}
	}
	return s
}

// tagEnd is the offset behind the ">" that ends a tag, quoted values respected.
func tagEnd(src []byte, i int) int {
	for afterEquals := false; i < len(src); i++ {
		switch c := src[i]; {
		case c == '>':
			return i + 1
		case c == '=':
			afterEquals = true
		case (c == '"' || c == '\'') && afterEquals:
			end := bytes.IndexByte(src[i+1:], c)
			if end < 0 {
				return len(src)
			}
			i += end + 1
			afterEquals = false
		case c > ' ':
			afterEquals = false
		}
	}
	return len(src)
}

func after(src []byte, i int, mark string) int {
	j := bytes.Index(src[i:], []byte(mark))
	if j < 0 {
		return len(src)
	}
	return i + j + len(mark)
}

func skipComment(src []byte, i int) int {
	rest := src[i:]
	switch {
	case bytes.HasPrefix(rest, []byte("!-->")):
		return i + 4
	case bytes.HasPrefix(rest, []byte("!--->")):
		return i + 5
	case bytes.HasPrefix(rest, []byte("!--")):
		end := after(src, i+3, "-->")
		return min(end, after(src[:end], i+3, "--!>"))
	}
	return after(src, i, ">")
}

// skipRaw goes to the end tag of a raw text element.
func skipRaw(src []byte, i int, name []byte) int {
	for i < len(src) {
		j := bytes.Index(src[i:], []byte("</"))
		if j < 0 {
			return len(src)
		}
		i += j + 2
		if end := i + len(name); end < len(src) && bytes.EqualFold(src[i:end], name) {
			if c := src[end]; c == '>' || c == '/' || c <= ' ' {
				return i - 2
			}
		}
	}
	return len(src)
}

// A fact waits for the position of its element.
type waiting struct {
	pos   func(*Document, int32) *Pos // nil: the element is counted, its place is not kept
	index int32
}

// locator pairs elements with start tags: facts waiting to be placed, by element name.
type locator struct {
	found   [len(located)][]int32 // offsets of the start tags
	waiting [len(located)][]waiting
}

func newLocator(s *scanner) locator {
	l := locator{found: s.found}
	for k, offsets := range l.found {
		l.waiting[k] = make([]waiting, 0, len(offsets))
	}
	return l
}

// tags is how many start tags of a name the source has.
func (l *locator) tags(a atom.Atom) int { return len(l.found[locatedIndex.of(a)-1]) }

func (l *locator) want(a atom.Atom, w waiting) {
	k := locatedIndex.of(a) - 1
	l.waiting[k] = append(l.waiting[k], w)
}

type placed struct {
	at int32
	waiting
}

// fill gives each waiting fact its position. Offsets rise, so every byte is counted once,
// however long its line.
func (l *locator) fill(d *Document, src []byte, markup []placedMarkup) {
	places := make([]placed, 0, len(markup)+len(d.Links)+len(d.Images))
	for i, m := range markup {
		places = append(places, placed{m.at, waiting{m.pos, int32(i)}})
	}
	for k, offsets := range l.found {
		if len(offsets) != len(l.waiting[k]) {
			continue
		}
		for i, w := range l.waiting[k] {
			if w.pos != nil {
				places = append(places, placed{offsets[i], w})
			}
		}
	}
	slices.SortFunc(places, func(a, b placed) int { return int(a.at - b.at) })
	at := Pos{1, 1}
	seen := 0
	for _, p := range places {
		part := src[seen:p.at]
		if nl := bytes.LastIndexByte(part, '\n'); nl >= 0 {
			at.Line += bytes.Count(part, []byte{'\n'})
			at.Col, part = 1, part[nl+1:]
		}
		at.Col += utf8.RuneCount(part)
		seen = int(p.at)
		*p.pos(d, p.index) = at
	}
}
