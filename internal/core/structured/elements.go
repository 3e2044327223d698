package structured

import (
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// Elements reads the Microdata and RDFa Lite of a document. Resolve turns an address as written
// into an absolute one.
func Elements(root *html.Node, resolve func(string) string) []Item {
	e := elements{resolve: resolve}
	e.collect(root, nil, nil, "", 0)
	out := make([]Item, len(e.items))
	for i, item := range e.items {
		prune(item, 0)
		out[i] = *item
	}
	return out
}

type elements struct {
	resolve func(string) string
	items   []*Item
	count   int
}

// collect walks the tree: micro and rdfa are the innermost open items, vocab the RDFa vocabulary.
func (e *elements) collect(n *html.Node, micro, rdfa *Item, vocab string, depth int) {
	if n.Type == html.ElementNode && depth < 400 {
		micro = e.microdata(n, micro)
		rdfa, vocab = e.rdfa(n, rdfa, vocab)
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		e.collect(c, micro, rdfa, vocab, depth+1)
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

func (e *elements) microdata(n *html.Node, in *Item) *Item {
	names := strings.Fields(attr(n, "itemprop"))
	_, scoped := find(n, "itemscope")
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
	item := &Item{ID: attr(n, "itemid"), Other: true}
	for _, t := range strings.Fields(attr(n, "itemtype")) {
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
	return e.top("microdata", item)
}

// top adds an outermost item.
func (e *elements) top(format string, item *Item) *Item {
	if len(e.items) < maxTop {
		item.Format = format
		e.items = append(e.items, item)
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
func (e *elements) value(n *html.Node) string {
	if c, ok := find(n, "content"); ok {
		return c
	}
	switch n.DataAtom {
	case atom.Audio, atom.Embed, atom.Iframe, atom.Img, atom.Source, atom.Track, atom.Video:
		return e.resolve(attr(n, "src"))
	case atom.A, atom.Area, atom.Link:
		return e.resolve(attr(n, "href"))
	case atom.Object:
		return e.resolve(attr(n, "data"))
	case atom.Data, atom.Meter:
		return attr(n, "value")
	case atom.Time:
		if t, ok := find(n, "datetime"); ok {
			return t
		}
	}
	var b strings.Builder
	content(n, &b, 0)
	return b.String()
}

func content(n *html.Node, b *strings.Builder, depth int) {
	if n.Type == html.TextNode {
		b.WriteString(n.Data)
	}
	if depth < 100 && b.Len() < 2*maxText && n.DataAtom != atom.Script && n.DataAtom != atom.Style {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			content(c, b, depth+1)
		}
	}
}

func (e *elements) rdfa(n *html.Node, in *Item, vocab string) (*Item, string) {
	if v, ok := find(n, "vocab"); ok {
		vocab = v
	}
	kind, typed := find(n, "typeof")
	names := strings.Fields(attr(n, "property"))
	known := isSchemaAddress(vocab)
	if e.count > maxItems || !typed && (len(names) == 0 || in == nil) {
		return in, vocab
	}
	if !typed {
		value := ""
		if r, ok := find(n, "resource"); ok {
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
	item := &Item{ID: attr(n, "resource"), Other: true}
	for _, t := range strings.Fields(kind) {
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
	return e.top("rdfa", item), vocab
}

func find(n *html.Node, name string) (string, bool) {
	for i := range n.Attr {
		if n.Attr[i].Key == name {
			return n.Attr[i].Val, true
		}
	}
	return "", false
}

func attr(n *html.Node, name string) string {
	v, _ := find(n, name)
	return v
}
