package dom

import "golang.org/x/net/html/atom"

// Class is a set of the groups that the HTML standard puts elements into.
type Class uint16

const (
	implied  Class = 1 << iota // its end tag may be left out
	special                    // 13.2.4.2: bounds the search for the element of an end tag
	bounds                     // 13.2.4.2: bounds every scope
	foster                     // what it may not hold goes before the table
	tabular                    // part of a table
	Block                      // parts words, by the standard's default style sheet (15.3)
	Phrasing                   // marks up a run of text (3.2.5.2.5), without embedded and interactive content
	Heading                    // h1 to h6
	Obsolete                   // removed from the standard (16.2)
)

var classes = func() (t table) {
	m := map[atom.Atom]Class{}
	set := func(c Class, atoms ...atom.Atom) {
		for _, a := range atoms {
			m[a] |= c
		}
	}
	set(implied, atom.Dd, atom.Dt, atom.Li, atom.Optgroup, atom.Option, atom.P, atom.Rb, atom.Rp, atom.Rt, atom.Rtc,
		atom.Tbody,
		atom.Td, atom.Tfoot, atom.Th, atom.Thead, atom.Tr, atom.Body, atom.Html, atom.Head, atom.Colgroup, atom.Caption)
	set(special, atom.Address, atom.Applet, atom.Area, atom.Article, atom.Aside, atom.Base, atom.Basefont, atom.Bgsound,
		atom.Blockquote, atom.Body, atom.Br, atom.Button, atom.Caption, atom.Center, atom.Col, atom.Colgroup, atom.Dd,
		atom.Details,
		atom.Dir, atom.Div, atom.Dl, atom.Dt, atom.Embed, atom.Fieldset, atom.Figcaption, atom.Figure, atom.Footer,
		atom.Form,
		atom.Frame, atom.Frameset, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Head, atom.Header,
		atom.Hgroup, atom.Hr,
		atom.Html, atom.Iframe, atom.Img, atom.Input, atom.Keygen, atom.Li, atom.Link, atom.Listing, atom.Main,
		atom.Marquee, atom.Menu,
		atom.Meta, atom.Nav, atom.Noembed, atom.Noframes, atom.Noscript, atom.Object, atom.Ol, atom.P, atom.Param,
		atom.Plaintext,
		atom.Pre, atom.Script, atom.Search, atom.Section, atom.Select, atom.Source, atom.Style, atom.Summary,
		atom.Table, atom.Tbody,
		atom.Td, atom.Template, atom.Textarea, atom.Tfoot, atom.Th, atom.Thead, atom.Title, atom.Tr, atom.Track,
		atom.Ul, atom.Wbr, atom.Xmp)
	set(bounds, atom.Applet, atom.Caption, atom.Html, atom.Table, atom.Td, atom.Th, atom.Marquee, atom.Object,
		atom.Template, atom.Select)
	set(foster, atom.Table, atom.Tbody, atom.Tfoot, atom.Thead, atom.Tr)
	set(tabular, atom.Caption, atom.Colgroup, atom.Tbody, atom.Thead, atom.Tfoot, atom.Tr, atom.Td, atom.Th, atom.Col)
	set(Block, atom.Address, atom.Article, atom.Aside, atom.Blockquote, atom.Button, atom.Caption, atom.Dd,
		atom.Details,
		atom.Dialog, atom.Div, atom.Dl, atom.Dt, atom.Fieldset, atom.Figcaption, atom.Figure, atom.Footer,
		atom.Form, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Header, atom.Hr, atom.Legend,
		atom.Li, atom.Main, atom.Nav, atom.Ol, atom.Option, atom.P, atom.Pre, atom.Section, atom.Summary,
		atom.Table, atom.Tbody, atom.Td, atom.Tfoot, atom.Th, atom.Thead, atom.Tr, atom.Ul, atom.Input)
	set(Phrasing, atom.A, atom.Abbr, atom.B, atom.Bdi, atom.Bdo, atom.Br, atom.Cite, atom.Code, atom.Data, atom.Del,
		atom.Dfn, atom.Em,
		atom.Font, atom.I, atom.Ins, atom.Kbd, atom.Mark, atom.Q, atom.S, atom.Samp, atom.Small, atom.Span, atom.Strike,
		atom.Strong, atom.Sub, atom.Sup, atom.Time, atom.Tt, atom.U, atom.Var, atom.Wbr)
	set(Heading, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6)
	set(Obsolete, atom.Applet, atom.Acronym, atom.Bgsound, atom.Dir, atom.Frame, atom.Frameset, atom.Noframes,
		atom.Isindex, atom.Keygen,
		atom.Listing, atom.Noembed, atom.Plaintext, atom.Rb, atom.Rtc, atom.Strike, atom.Xmp, atom.Basefont, atom.Big,
		atom.Blink, atom.Center, atom.Font, atom.Marquee, atom.Nobr, atom.Spacer, atom.Tt)
	return newTable(m)
}()

// foreignClass is the class of an element of SVG or MathML.
func foreignClass(s Space, a atom.Atom) Class {
	switch a {
	case atom.Mi, atom.Mo, atom.Mn, atom.Ms, atom.Mtext, atom.AnnotationXml:
		if s == MathML {
			return special | bounds
		}
	case atom.Foreignobject, atom.Desc, atom.Title:
		if s == SVG {
			return special | bounds
		}
	}
	return 0
}

// A table is a map that is looked up for each tag of a page: one remainder tells where a value
// would stand.
type table struct {
	keys   []atom.Atom
	values []Class
}

func newTable(m map[atom.Atom]Class) table {
	for size := 2*len(m) + 1; ; size += 2 {
		t := table{make([]atom.Atom, size), make([]Class, size)}
		clash := false
		for a, v := range m {
			i := int(a) % size
			clash = clash || t.keys[i] != 0
			t.keys[i], t.values[i] = a, v
		}
		if !clash {
			return t
		}
	}
}

// of is the class of an atom, zero if it has none.
func (t *table) of(a atom.Atom) Class {
	if i := int(a) % len(t.keys); a != 0 && t.keys[i] == a {
		return t.values[i]
	}
	return 0
}
