// Package structured reads structured data out of pages: JSON-LD 1.1 (W3C), Microdata (HTML
// standard, 5) and RDFa Lite 1.1 (W3C) into one form, and holds it against the vocabulary of
// schema.org.
package structured

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"harvik/internal/core/dom"
)

// An Item is one thing that a page describes.
type Item struct {
	Format  string   // "json-ld", "microdata" or "rdfa"; of the outermost items
	Types   []string // without the vocabulary's address: "Product"
	ID      string
	Props   []Prop
	Other   bool // of another vocabulary, or of none
	dom.Pos      // of an outermost item, where it begins
}

// A Prop is one property with one of its values: a text or an item.
type Prop struct {
	Name string
	Text string
	Item *Item
}

// A Fault is a script of JSON-LD that cannot be read.
type Fault struct {
	Note string
	dom.Pos
}

// Bounds that no honest page meets.
const (
	maxDepth = 24
	maxItems = 2000
	maxText  = 2000 // bytes of a value
)

// SyntaxError is JSON that does not hold; Offset is the byte where that shows.
type SyntaxError struct {
	Offset int
	Text   string
}

func (e *SyntaxError) Error() string { return e.Text }

// JSON reads the text of one script of type application/ld+json.
func JSON(text []byte) ([]Item, error) {
	d := json.NewDecoder(strings.NewReader(string(text)))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, syntax(err, text)
	}
	after := int(d.InputOffset())
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, &SyntaxError{after, "there is more behind the end of the value"}
	}
	r := reader{}
	r.top(v, false, 0)
	return r.items, nil
}

func syntax(err error, text []byte) error {
	var s *json.SyntaxError
	switch {
	case errors.As(err, &s):
		return &SyntaxError{max(0, int(s.Offset)-1), s.Error()}
	case errors.Is(err, io.ErrUnexpectedEOF):
		return &SyntaxError{len(text), "it breaks off before its end"}
	case errors.Is(err, io.EOF):
		return &SyntaxError{0, "there is nothing in it"}
	}
	return &SyntaxError{0, err.Error()}
}

type reader struct {
	items []Item
	count int
}

// top takes in what stands outermost, or in a @graph.
func (r *reader) top(v any, known bool, depth int) {
	if depth > maxDepth {
		return
	}
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			r.top(x, known, depth+1)
		}
	case map[string]any:
		if c, ok := v["@context"]; ok {
			known = isSchema(c)
		}
		if g, ok := v["@graph"]; ok {
			r.top(g, known, depth+1)
			if _, typed := v["@type"]; !typed {
				return
			}
		}
		if item := r.item(v, known, depth); item != nil {
			item.Format = "json-ld"
			r.items = append(r.items, *item)
		}
	}
}

// isSchema tells whether a @context makes plain names those of schema.org.
func isSchema(context any) bool {
	switch c := context.(type) {
	case string:
		return isSchemaAddress(c)
	case []any:
		return slices.ContainsFunc(c, isSchema)
	case map[string]any:
		vocab, _ := c["@vocab"].(string)
		return isSchemaAddress(vocab)
	}
	return false
}

func isSchemaAddress(s string) bool {
	s = strings.TrimPrefix(strings.TrimPrefix(strings.TrimSpace(s), "https://"), "http://")
	s = strings.TrimPrefix(s, "www.")
	return s == "schema.org" || s == "schema.org/" || strings.HasPrefix(s, "schema.org/docs/jsonldcontext")
}

func (r *reader) item(v map[string]any, known bool, depth int) *Item {
	if r.count++; depth > maxDepth || r.count > maxItems {
		return nil
	}
	item := &Item{Other: !known}
	for _, t := range texts(v["@type"]) {
		name, schema := localName(t, known)
		item.Types = append(item.Types, name)
		item.Other = item.Other && !schema
	}
	item.ID, _ = v["@id"].(string)
	names := make([]string, 0, len(v))
	for name := range v {
		if !strings.HasPrefix(name, "@") {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		local, _ := localName(name, known)
		r.values(item, local, v[name], known, depth+1)
	}
	if reverse, ok := v["@reverse"].(map[string]any); ok && len(item.Props) == 0 && len(reverse) > 0 {
		item.Other = true // said of the other things; nothing to judge here
	}
	return item
}

func (r *reader) values(item *Item, name string, v any, known bool, depth int) {
	if depth > maxDepth || len(item.Props) >= maxItems {
		return
	}
	switch v := v.(type) {
	case nil:
	case []any:
		for _, x := range v {
			r.values(item, name, x, known, depth+1)
		}
	case map[string]any:
		if value, ok := v["@value"]; ok {
			r.values(item, name, value, known, depth+1)
			return
		}
		if list, ok := v["@list"]; ok {
			r.values(item, name, list, known, depth+1)
			return
		}
		if c, ok := v["@context"]; ok {
			known = isSchema(c)
		}
		if inner := r.item(v, known, depth); inner != nil {
			item.Props = append(item.Props, Prop{Name: name, Item: inner})
		}
	default:
		item.Props = append(item.Props, Prop{Name: name, Text: cut(fmt.Sprint(v))})
	}
}

func texts(v any) (out []string) {
	switch v := v.(type) {
	case string:
		return []string{v}
	case []any:
		for _, x := range v {
			if s, ok := x.(string); ok {
				out = append(out, s)
			}
		}
	}
	return out
}

// localName takes the vocabulary's address or prefix off a name, and tells whether the name is of
// schema.org.
func localName(name string, known bool) (local string, schema bool) {
	for _, prefix := range []string{"https://schema.org/", "http://schema.org/", "https://www.schema.org/",
		"http://www.schema.org/", "schema:"} {
		if rest, ok := strings.CutPrefix(name, prefix); ok {
			return rest, true
		}
	}
	return name, known && !strings.Contains(name, ":")
}

// Cut keeps a value short enough to be stored with the page.
func cut(s string) string {
	s = strings.Clone(strings.Join(strings.Fields(s), " "))
	if len(s) > maxText {
		s = strings.ToValidUTF8(s[:maxText], "")
	}
	return s
}

// Is tells whether an item is of a type, or of one that is made from it.
func (i *Item) Is(kind string) bool {
	return slices.ContainsFunc(i.Types, func(t string) bool { return isA(t, kind, 0) })
}

// Get is the first value of a property.
func (i *Item) Get(name string) (Prop, bool) {
	for _, p := range i.Props {
		if p.Name == name {
			return p, true
		}
	}
	return Prop{}, false
}

// Has tells whether a property has a value that says something.
func (i *Item) Has(name string) bool {
	return slices.ContainsFunc(i.Props,
		func(p Prop) bool { return p.Name == name && (p.Item != nil || strings.TrimSpace(p.Text) != "") })
}

// Walk calls f with each item, from the outermost in, and the path to it: "Product > offers".
func Walk(items []Item, f func(path string, item *Item, in *Item, as string)) {
	for i := range items {
		walk(items[i].Name(), &items[i], nil, "", f)
	}
}

func walk(path string, item, in *Item, as string, f func(string, *Item, *Item, string)) {
	f(path, item, in, as)
	for _, p := range item.Props {
		if p.Item != nil {
			walk(path+" > "+p.Name, p.Item, item, p.Name, f)
		}
	}
}

// Name is what the item is called in evidence: its first type.
func (i *Item) Name() string {
	if len(i.Types) == 0 {
		return "item without a type"
	}
	return i.Types[0]
}
