package field

import (
	"reflect"
	"strings"
	"testing"

	"harvik/internal/core/plan"
)

const garden = `<!doctype html><html><head><title>Lupin</title>
<script type="application/ld+json">{"@type": "Product", "name": "Lupin", "offers": [{"price": 4.5}, {"price": "6,20"}], "size": {"h": 90}}</script>
<script type="application/ld+json">{"@graph": [{"@type": "Person", "name": "Ash Grove"}, {"@type": "Person", "name": "Fern Hill"}]}</script>
<script type="application/ld+json">{broken</script></head>
<body><h1>Lupin</h1><p class=price>€ 4,50</p><p class="price sale">from <b>3.90</b></p>
<a rel=author href=/people/ash>Ash
   Grove</a><a href=/people/fern>Fern</a><p class=empty> </p>
<p>Call 0161 496 0000 or 0161 496 0001.</p></body></html>`

func TestTake(t *testing.T) {
	header := func(name string) []string {
		if strings.EqualFold(name, "X-Template") {
			return []string{"plant", "shop"}
		}
		return nil
	}
	for _, c := range []struct {
		f    plan.Field
		want any
	}{
		{plan.Field{CSS: "h1"}, "Lupin"},
		{plan.Field{CSS: ".price"}, "€ 4,50"},
		{plan.Field{CSS: ".price", Take: "number"}, 4.5},
		{plan.Field{CSS: ".sale b", Take: "number"}, 3.9},
		{plan.Field{CSS: ".sale", Take: "number"}, nil}, // "from 3.90" is no number
		{plan.Field{CSS: "a", All: true}, []any{"Ash Grove", "Fern"}},
		{plan.Field{CSS: "a", Attribute: "HREF", All: true}, []any{"/people/ash", "/people/fern"}},
		{plan.Field{CSS: "a", Attribute: "rel", All: true}, []any{"author"}},
		{plan.Field{CSS: "a, p", Take: "count"}, 6.0},
		{plan.Field{CSS: ".nothing", Take: "count"}, 0.0},
		{plan.Field{CSS: ".nothing"}, nil},
		{plan.Field{CSS: ".empty"}, nil},
		{plan.Field{XPath: "//a[@rel='author']/@href"}, "/people/ash"},
		{plan.Field{XPath: "count(//p)", Take: "number"}, 4.0},
		{plan.Field{XPath: "//a", All: true}, []any{"Ash Grove", "Fern"}},
		{plan.Field{XPath: "//a", Take: "count"}, 2.0},
		{plan.Field{XPath: "string(//h1)"}, "Lupin"},
		{plan.Field{XPath: "//h1 = 'Lupin'"}, "true"},
		{plan.Field{XPath: "//video"}, nil},
		{plan.Field{JSON: "/name"}, "Lupin"},
		{plan.Field{JSON: "/name", All: true}, []any{"Lupin", "Ash Grove", "Fern Hill"}},
		{plan.Field{JSON: "/offers/1/price", Take: "number"}, 6.2},
		{plan.Field{JSON: "/offers/0/price", Take: "number"}, 4.5},
		{plan.Field{JSON: "/size/h"}, "90"},
		{plan.Field{JSON: "/size"}, nil}, // an object is no value
		{plan.Field{JSON: "/nothing/there"}, nil},
		{plan.Field{Header: "x-template"}, "plant"},
		{plan.Field{Header: "x-template", All: true}, []any{"plant", "shop"}},
		{plan.Field{Header: "x-other"}, nil},
		{plan.Field{Pattern: `0161 496 \d{4}`, All: true}, []any{"0161 496 0000", "0161 496 0001"}},
		{plan.Field{Pattern: `0161 496 (\d{4})`, Take: "number", All: true}, []any{0.0, 1.0}},
		{plan.Field{Pattern: `0161`, Take: "count"}, 2.0},
	} {
		c.f.Name = "value"
		fields, err := New([]plan.Field{c.f})
		if faults := Faults(&c.f); err != nil || len(faults) > 0 {
			t.Errorf("%+v: %v %v", c.f, err, faults)
			continue
		}
		if got := fields.Take(Page{Source: garden, Header: header})["value"]; !reflect.DeepEqual(got, c.want) {
			t.Errorf("%+v: %#v, want %#v", c.f, got, c.want)
		}
	}
}

// TestBounds: what a site sends is cut.
func TestBounds(t *testing.T) {
	fields, err := New(
		[]plan.Field{
			{Name: "long", CSS: "p"},
			{Name: "many", CSS: "i", All: true},
			{Name: "count", CSS: "i", Take: "count"},
			{Name: "byXPath", XPath: "//i", All: true},
			{Name: "byPattern", Pattern: "<i>", Take: "count"},
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	got := fields.Take(Page{Source: "<p>" + strings.Repeat("é", 5000) + "</p>" + strings.Repeat("<i>x</i>", 5000)})
	if s := got["long"].(string); len(s) > maxText || !strings.HasPrefix(s, "éé") || strings.ContainsRune(s, '\uFFFD') {
		t.Errorf("a text of %d bytes", len(s))
	}
	if len(got["many"].([]any)) != maxMatches || len(got["byXPath"].([]any)) != maxMatches || got["count"] != 5000.0 {
		t.Errorf("%d and %d matches are kept of %v", len(got["many"].([]any)), len(got["byXPath"].([]any)), got["count"])
	}
	got = fields.Take(Page{Source: strings.Repeat("<div>", 20_000) + "\x00\xff<i>"}) // too deep for a tree
	if got["count"] != nil || got["byPattern"] != 1.0 {
		t.Errorf("of a deep page %v", got)
	}
	if none, err := New(nil); err != nil || !none.None() || none.Take(Page{Source: garden}) != nil {
		t.Error("no fields take something")
	}
}

// TestSlow leaves what comes to no end, and after some pages the whole field; the others are taken.
func TestSlow(t *testing.T) {
	fields, err := New([]plan.Field{{Name: "slow", XPath: "//div//div//div//div//p", Take: "count"},
		{Name: "quick", CSS: "h1"}, {Name: "ways", XPath: "//div//p", Take: "count"}})
	if err != nil {
		t.Fatal(err)
	}
	deep := "<h1>Moss</h1>" + strings.Repeat("<div>", 100) + strings.Repeat("<p>x</p>", 50)
	got := fields.Take(Page{Source: deep}) // bounded by steps alone
	if got["quick"] != "Moss" || got["ways"] != 50.0 {
		t.Errorf("%v", got)
	}
	asked := 0
	fields.Run = func(work func()) bool {
		if asked++; asked%3 == 1 {
			return false // as if it took too long
		}
		work()
		return true
	}
	for range maxSlow {
		if got := fields.Take(Page{Source: "<h1>Moss</h1><div><p>"}); got["quick"] != "Moss" || got["slow"] != nil {
			t.Errorf("%v", got)
		}
	}
	fields.Run = func(work func()) bool { work(); return true }
	if got := fields.Take(Page{Source: "<h1>Moss</h1>" + strings.Repeat("<div>", 5) + "<p>"}); got["slow"] != nil ||
		got["quick"] != "Moss" {
		t.Errorf("a field that came to no end thrice is taken: %v", got)
	}
	if got := fields.Take(Page{Source: "<h1>Moss</h1>" + strings.Repeat(" ", maxTree)}); got != nil {
		t.Errorf("of too long a page %v", got)
	}
}

// TestFaults says what is wrong with a field, by its setting.
func TestFaults(t *testing.T) {
	for want, f := range map[string]plan.Field{
		"name: \"Price\" is no name":            {Name: "Price", CSS: "p"},
		"name: \"the price\" is no name":        {Name: "the price", CSS: "p"},
		": say where it comes from":             {Name: "price"},
		": say where it comes from, by one":     {Name: "price", CSS: "p", XPath: "//p"},
		"css: \"p[\" is no selector":            {Name: "price", CSS: "p["},
		"xpath: \"//p[\" is no XPath":           {Name: "price", XPath: "//p["},
		"json: \"offers\" is no JSON Pointer":   {Name: "price", JSON: "offers"},
		"pattern: \"(\" is no regular expressi": {Name: "price", Pattern: "("},
		"attribute: only what a selector finds": {Name: "price", XPath: "//p", Attribute: "class"},
		"all: a count is of all matches":        {Name: "price", CSS: "p", Take: "count", All: true},
	} {
		told := ""
		for _, fault := range Faults(&f) {
			told += fault.Field + ": " + fault.Reason + "\n"
		}
		if !strings.Contains("\n"+told, "\n"+want) {
			t.Errorf("%+v: %q, want %q", f, told, want)
		}
	}
	fields, err := New([]plan.Field{{Name: "bad", CSS: "["}, {Name: "good", CSS: "h1"}})
	if err == nil || !strings.HasPrefix(err.Error(), "bad: ") || fields.Take(Page{Source: garden})["good"] != "Lupin" {
		t.Errorf("%v", err)
	}
}
