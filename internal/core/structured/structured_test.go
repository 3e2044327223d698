package structured

import (
	"errors"
	"strings"
	"testing"

	"harvik/internal/core/dom"
)

// form is an item as one line: type{property: value …}.
func form(i *Item) string {
	var b strings.Builder
	b.WriteString(i.Name() + "{")
	for n, p := range i.Props {
		if n > 0 {
			b.WriteString(", ")
		}
		b.WriteString(p.Name + ": ")
		if p.Item != nil {
			b.WriteString(form(p.Item))
		} else {
			b.WriteString(p.Text)
		}
	}
	return b.String() + "}"
}

// TestForms: the three ways of writing one thing give one form.
func TestForms(t *testing.T) {
	const want = "Event{location: Place{name: The dell}, name: A walk, startDate: 2026-05-04, url: https://fernhollow.example/walk}"
	fromJSON, err := JSON([]byte(`{"@context": {"@vocab": "http://schema.org/"}, "@type": "schema:Event", "name": {"@value": "A walk"}, "url": "https://fernhollow.example/walk",
		"startDate": ["2026-05-04"], "location": {"@type": "Place", "name": "The  dell"}}`))
	if err != nil || len(fromJSON) != 1 {
		t.Fatalf("%v, %v", fromJSON, err)
	}
	read := func(source string) []Item {
		var p dom.Parser
		items, at := Elements(p.Parse([]byte(source)),
			func(href string) string { return "https://fernhollow.example" + href })
		if len(at) != len(items) || at[0] != 0 {
			t.Errorf("%d items, at %d", len(items), at)
		}
		return items
	}
	micro := read(`<div itemscope itemtype="https://schema.org/Event"><p itemprop="location" itemscope itemtype="http://schema.org/Place"><b itemprop="name">The
		dell</b></p><h2 itemprop=name>A walk</h2><time itemprop=startDate datetime=2026-05-04>May</time><a itemprop=url href="/walk">x</a></div>`)
	rdfa := read(`<div vocab="https://schema.org/" typeof="Event"><p property="location" typeof="Place"><b property="name">The dell</b></p><h2 property=name>A walk</h2>
		<meta property=startDate content=2026-05-04><a property=url href="/walk">x</a></div>`)
	for name, items := range map[string][]Item{"json-ld": fromJSON, "microdata": micro, "rdfa": rdfa} {
		if len(items) != 1 || items[0].Format != name || items[0].Other {
			t.Errorf("%s: %+v", name, items)
			continue
		}
		if got := form(&items[0]); got != want {
			t.Errorf("%s: %s\nwant %s", name, got, want)
		}
		for _, judge := range []func([]Item) []Problem{Unknown, Incomplete, Values} {
			if problems := judge(items); len(problems) > 0 {
				t.Errorf("%s: %+v", name, problems)
			}
		}
	}
	if other := read(`<div itemscope itemtype="https://example.com/Thing"><b itemprop=nmae>x</b></div><p property="og:title" content="x">`); len(other) != 1 || !other[0].Other || len(Unknown(other)) > 0 {
		t.Errorf("another vocabulary: %+v", other)
	}
}

// TestSyntax names the byte where JSON goes wrong.
func TestSyntax(t *testing.T) {
	for source, offset := range map[string]int{`{"a": 1,, }`: 8, `{"a": `: 6, ``: 0, `{"a": 1} x`: 8} {
		_, err := JSON([]byte(source))
		var s *SyntaxError
		if !errors.As(err, &s) || s.Offset != offset {
			t.Errorf("%q: %v, want offset %d", source, err, offset)
		}
	}
}

// TestDeep: nesting without end is cut.
func TestDeep(t *testing.T) {
	source := strings.Repeat(`{"@context": "https://schema.org", "@type": "Thing", "subjectOf": `, 500) + "1" +
		strings.Repeat("}", 500)
	items, err := JSON([]byte(source))
	if err != nil || len(items) != 1 {
		t.Fatalf("%d items, %v", len(items), err)
	}
	depth := 0
	Walk(items, func(path string, _, _ *Item, _ string) { depth = max(depth, strings.Count(path, " > ")) })
	if depth == 0 || depth > maxDepth {
		t.Errorf("%d deep", depth)
	}
}

// FuzzJSON holds that any bytes are read or refused with a place inside them, and can be judged.
func FuzzJSON(f *testing.F) {
	f.Add([]byte(`{"@context": "https://schema.org", "@graph": [{"@type": ["Event", "x:Y"], "offers": {"@list": [{"price": "1"}]}}]}`))
	f.Add([]byte(`[{"@type": "Product", "@id": "#a", "review": {"@reverse": {}}}, null, 1]`))
	f.Fuzz(func(t *testing.T, data []byte) {
		items, err := JSON(data)
		var s *SyntaxError
		if err != nil && (!errors.As(err, &s) || s.Offset < 0 || s.Offset > len(data)) {
			t.Fatalf("%v", err)
		}
		for _, judge := range []func([]Item) []Problem{Unknown, Incomplete, Values} {
			for _, p := range judge(items) {
				if p.At == nil || p.Note == "" {
					t.Fatalf("%+v", p)
				}
			}
		}
		Pages(items)
	})
}

// FuzzElements does the same for Microdata and RDFa.
func FuzzElements(f *testing.F) {
	f.Add(`<div itemscope itemtype="https://schema.org/Event"><b itemprop="name x">y</b><p vocab="https://schema.org/" typeof=Event property=name>`)
	f.Fuzz(func(t *testing.T, source string) {
		var p dom.Parser
		items, _ := Elements(p.Parse([]byte(source)), func(href string) string { return href })
		Unknown(items)
		Incomplete(items)
		Values(items)
	})
}
