package structured

import (
	"strings"

	"golang.org/x/net/html/atom"

	"harvik/internal/core/dom"
)

// Elements reads the Microdata and RDFa Lite of a document, and tells the offsets in the source
// of the outermost items. Resolve turns an address as written into an absolute one.
func Elements(t *dom.Tree, resolve func(string) string) (out []Item, at []int32) {
	e := elements{tree: t, resolve: resolve}
	e.collect(&t.Nodes[0], nil, nil, "", 0)
	out = make([]Item, len(e.items))
	for i, item := range e.items {
		prune(item, 0)
		out[i] = *item
	}
	return out, e.at
}

type elements struct {
	tree    *dom.Tree
	resolve func(string) string
	items   []*Item
	at      []int32 // where they begin
	count   int
}

// collect walks the tree: micro and rdfa are the innermost open items, vocab the RDFa vocabulary.
func (e *elements) collect(n *dom.Node, micro, rdfa *Item, vocab string, depth int) {
	if n.Kind == dom.Element && depth < 400 {
		micro = e.microdata(n, micro)
		rdfa, vocab = e.rdfa(n, rdfa, vocab)
	}
	for c := n.First; c != 0; c = e.tree.Nodes[c].Next {
		e.collect(&e.tree.Nodes[c], micro, rdfa, vocab, depth+1)
	}
}

// prune bounds how deep items stand in one another.
func prune(i *Item, depth int) {
	if depth > maxDepth {
		i.Props = nil
	}
	for _, p := range i.Props {
		if p.Item != nil {
			prune(p.Item, depth+1)
		}
	}
}

func (e *elements) microdata(n *dom.Node, in *Item) *Item {
	names := e.words(n, "itemprop")
	_, scoped := e.find(n, "itemscope")
	if e.count > maxItems || !scoped && (len(names) == 0 || in == nil) {
		return in
	}
	if !scoped {
		value := cut(e.value(n))
		for _, name := range names {
			e.count++
			in.Props = append(in.Props, Prop{Name: property(name), Text: value})
		}
		return in
	}
	item := &Item{ID: strings.Clone(e.attr(n, "itemid")), Other: true}
	for _, t := range e.words(n, "itemtype") {
		name, schema := localName(t, false)
		item.Types = append(item.Types, name)
		item.Other = item.Other && !schema
	}
	e.count++
	if len(names) > 0 && in != nil {
		for _, name := range names {
			in.Props = append(in.Props, Prop{Name: property(name), Item: item})
		}
		return item
	}
	return e.top("microdata", item, n)
}

// top adds an outermost item.
func (e *elements) top(format string, item *Item, n *dom.Node) *Item {
	if len(e.items) < maxTop {
		item.Format = format
		e.items = append(e.items, item)
		e.at = append(e.at, n.At)
	}
	return item
}

// maxTop bounds the outermost items of a page.
const maxTop = 500

func property(name string) string {
	local, _ := localName(name, true)
	return local
}

// value is that of a property by its element (HTML standard, 5.2.4).
func (e *elements) value(n *dom.Node) string {
	if c, ok := e.find(n, "content"); ok {
		return c
	}
	switch n.Name {
	case atom.Audio, atom.Embed, atom.Iframe, atom.Img, atom.Source, atom.Track, atom.Video:
		return e.resolve(e.attr(n, "src"))
	case atom.A, atom.Area, atom.Link:
		return e.resolve(e.attr(n, "href"))
	case atom.Object:
		return e.resolve(e.attr(n, "data"))
	case atom.Data, atom.Meter:
		return e.attr(n, "value")
	case atom.Time:
		if t, ok := e.find(n, "datetime"); ok {
			return t
		}
	}
	var b strings.Builder
	e.content(n, &b, 0)
	return b.String()
}

func (e *elements) content(n *dom.Node, b *strings.Builder, depth int) {
	if n.Kind == dom.Text {
		b.WriteString(e.tree.Data(n))
	}
	if depth < 100 && b.Len() < 2*maxText && n.Name != atom.Script && n.Name != atom.Style {
		for c := n.First; c != 0; c = e.tree.Nodes[c].Next {
			e.content(&e.tree.Nodes[c], b, depth+1)
		}
	}
}

func (e *elements) rdfa(n *dom.Node, in *Item, vocab string) (*Item, string) {
	if v, ok := e.find(n, "vocab"); ok {
		vocab = v
	}
	kind, typed := e.find(n, "typeof")
	names := e.words(n, "property")
	known := isSchemaAddress(vocab)
	if e.count > maxItems || !typed && (len(names) == 0 || in == nil) {
		return in, vocab
	}
	if !typed {
		value := ""
		if r, ok := e.find(n, "resource"); ok {
			value = r
		} else {
			value = e.value(n)
		}
		for _, name := range names {
			if local, schema := localName(name, known); schema || !in.Other {
				e.count++
				in.Props = append(in.Props, Prop{Name: local, Text: cut(value)})
			}
		}
		return in, vocab
	}
	item := &Item{ID: strings.Clone(e.attr(n, "resource")), Other: true}
	for _, t := range strings.Fields(strings.Clone(kind)) {
		name, schema := localName(t, known)
		item.Types = append(item.Types, name)
		item.Other = item.Other && !schema
	}
	e.count++
	if len(names) > 0 && in != nil {
		for _, name := range names {
			local, _ := localName(name, known)
			in.Props = append(in.Props, Prop{Name: local, Item: item})
		}
		return item, vocab
	}
	return e.top("rdfa", item, n), vocab
}

func (e *elements) find(n *dom.Node, name string) (string, bool) { return e.tree.Attr(n, name) }

func (e *elements) attr(n *dom.Node, name string) string {
	v, _ := e.tree.Attr(n, name)
	return v
}

// words are the parts of an attribute's value, free of the source.
func (e *elements) words(n *dom.Node, name string) []string {
	return strings.Fields(strings.Clone(e.attr(n, name)))
}
