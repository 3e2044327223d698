package structured

import (
	"fmt"
	"strings"
	"testing"

	"harvik/internal/core/dom"
)

// schema is an item of schema.org from what stands in it.
func schema(t *testing.T, inside string) []Item {
	t.Helper()
	items, err := JSON([]byte(`{"@context": "https://schema.org", ` + inside + `}`))
	if err != nil {
		t.Fatalf("%s: %v", inside, err)
	}
	return items
}

func notes(problems []Problem) string {
	var out []string
	for _, p := range problems {
		out = append(out, p.Path+": "+p.Note)
	}
	return strings.Join(out, "; ")
}

// TestUnknown tells names that schema.org does not have, and which were probably meant.
func TestUnknown(t *testing.T) {
	for inside, want := range map[string]string{
		`"@type": "Event", "name": "x"`:                                                  "",
		`"@type": "event", "nmae": "x"`:                                                  "event: schema.org has no type event; Event was probably meant",
		`"@type": "Evnt", "nmae": "x"`:                                                   "Evnt: schema.org has no type Evnt",
		`"@type": "Event", "nmae": "x"`:                                                  "Event: schema.org has no property nmae; name was probably meant",
		`"@type": "Event", "Name": "x"`:                                                  "Event: schema.org has no property Name; name was probably meant",
		`"@type": "Event", "startDat": "x"`:                                              "Event: schema.org has no property startDat; startDate was probably meant",
		`"@type": "Event", "strtDte": "x"`:                                               "Event: schema.org has no property strtDte; startDate was probably meant",
		`"@type": "Event", "strtDt": "x"`:                                                "Event: schema.org has no property strtDt",
		`"@type": "Event", "startDateee": "x"`:                                           "Event: schema.org has no property startDateee; startDate was probably meant",
		`"@type": "Event", "startDateeee": "x"`:                                          "Event: schema.org has no property startDateeee",
		`"@type": "Event", "xnam": "x"`:                                                  "Event: schema.org has no property xnam; name was probably meant",
		`"@type": "Event", "quiteAnotherThing": "x"`:                                     "Event: schema.org has no property quiteAnotherThing",
		`"@type": "Event", "sku": "x"`:                                                   "Event: Event has no property sku",
		`"@type": ["Event", "Product"], "sku": "x"`:                                      "",
		`"@type": "Event", "nmae": ["x", "y"]`:                                           "Event: schema.org has no property nmae; name was probably meant",
		`"@type": "Event", "x:own": "x", "@id": "#a"`:                                    "",
		`"@type": ["Event", "gr:Thing"], "nmae": "x"`:                                    "",
		`"@type": "SearchAction", "query-input": "required name=q", "query-output": "x"`: "",
		`"nmae": "x"`:                   "",
		`"@type": "Event", "actr": "x"`: "Event: schema.org has no property actr; actor was probably meant",
	} {
		if got := notes(Unknown(schema(t, inside))); got != want {
			t.Errorf("%s: %q, want %q", inside, got, want)
		}
	}
}

// TestIncomplete tells what the search engines' guidance asks for and an item lacks, where that is asked.
func TestIncomplete(t *testing.T) {
	for inside, want := range map[string]string{
		`"@type": "Event", "name": "x"`:  "Event: Event lacks startDate, location",
		`"@type": "Event", "name": "  "`: "Event: Event lacks name, startDate, location",
		`"@type": "Event"`:               "",
		`"@type": "Place", "name": "x", "event": {"@type": "Event", "name": "x"}`:                                "",
		`"@type": "NewsArticle", "name": "x"`:                                                                    "NewsArticle: NewsArticle lacks headline",
		`"@type": "Organization", "url": "/"`:                                                                    "",
		`"@type": "Organization", "logo": "/"`:                                                                   "Organization: Organization lacks name or url",
		`"@type": "Review", "author": "x", "reviewRating": "5"`:                                                  "Review: Review lacks itemReviewed",
		`"@type": "Review", "author": "x", "reviewRating": "5", "itemReviewed": {"@type": "Thing", "name": "x"}`: "",
		`"@type": "Product", "name": "x", "review": {"@type": "Review", "author": "x", "reviewRating": {"@type": "Rating", "bestRating": 5}}`:       "Product > review > reviewRating: Rating lacks ratingValue",
		`"@type": "Review", "author": "x", "reviewRating": "5", "itemReviewed": {"@type": "Thing", "review": {"@type": "Rating", "bestRating": 5}}`: "",
		`"@type": "Product", "name": "x", "offers": {"@type": "Offer", "price": 5}`:                                                                 "Product > offers: Offer lacks priceCurrency or priceSpecification",
		`"@type": "Event", "name": "x", "startDate": "2026-01-01", "location": "x", "offers": {"@type": "Offer", "price": 5}`:                       "",
		`"@type": "Offer", "price": 5`: "",
	} {
		if got := notes(Incomplete(schema(t, inside))); got != want {
			t.Errorf("%s: %q, want %q", inside, got, want)
		}
	}
}

// TestValues tells values that cannot be what their property takes.
func TestValues(t *testing.T) {
	date := " is no date of ISO 8601, such as 2026-05-04"
	for _, c := range []struct{ kind, property, fine, wrong, says string }{
		{"Product", "price", "", "", ""},
		{"Offer", "price", "1.50", "€ 1", "is no price: a number"},
		{"Offer", "lowPrice", "7", "1,50", "is no price: a number"},
		{"Offer", "priceCurrency", "EUR", "eur", "is no currency code"},
		{"Person", "birthDate", "1990-01-01", "1990-00-01", date},
		{"Person", "birthDate", "1990-12-31", "1990-13-01", date},
		{"Person", "birthDate", "1990-12", "1990-12-32", date},
		{"Person", "birthDate", "1990", "1990-12-00", date},
		{"Person", "birthDate", "1990-01-01T10:00Z", "last spring", date},
		{"Event", "startDate", "2026-05-04T19:30+01:00", "4 May", "is no date"},
		{"OpeningHoursSpecification", "opens", "09:00", "nine", "is no "},
		{"OpeningHoursSpecification", "opens", "2026-05-04T09:00", "9", "is no "},
		{"Rating", "ratingCount", "", "", ""},
		{"AggregateRating", "ratingCount", "12", "1.5", "is no whole number"},
		{"GeoCoordinates", "latitude", "-1.5e3", "", ""},
		{"Recipe", "totalTime", "PT1H30M", "1 hour", "is no duration"},
		{"Recipe", "totalTime", "P1D", "P", "is no duration"},
		{"Recipe", "totalTime", "P1DT2H", "P1DT", "is no duration"},
		{"Article", "isAccessibleForFree", "True", "maybe", "is no true or false"},
		{"Article", "isAccessibleForFree", "https://schema.org/False", "1", "is no true or false"},
		{"Thing", "url", "/a", "a b", "is no address"},
		{"Offer", "availability", "InStock", "Plenty", "of schema.org, such as"},
		{"Offer", "availability", "https://schema.org/OutOfStock", "https://schema.org/Plenty", "of schema.org, such as"},
		{"Offer", "availability", "https://own.example/Plenty", "", ""},
	} {
		for value, wanted := range map[string]string{c.fine: "", c.wrong: c.says} {
			if value == "" {
				continue
			}
			got := notes(Values(schema(t, fmt.Sprintf(`"@type": %q, %q: %q`, c.kind, c.property, value))))
			if (got == "") != (wanted == "") || !strings.Contains(got, wanted) {
				t.Errorf("%s of %s %q: %q, want %q", c.property, c.kind, value, got, wanted)
			}
		}
	}
	for n, cut := range map[int]bool{80: false, 81: true} {
		got := notes(Values(schema(t, `"@type": "Offer", "price": "`+strings.Repeat("x", n)+`"`)))
		if strings.Contains(got, "…") != cut {
			t.Errorf("a value of %d letters: %q", n, got)
		}
	}
}

// TestNamed lists the pages and pictures that values name, as texts or as bare references.
func TestNamed(t *testing.T) {
	items := schema(t, `"@type": "Article", "url": "/a", "mainEntityOfPage": {"@id": "https://fernhollow.example/b"}, "image": ["https://fernhollow.example/c.png",
		"c2.png", {"@type": "ImageObject", "url": "/d.png"}, {"@id": "#e"}, {"@id": "https://fernhollow.example/f.png", "name": "x"}], "logo": "http://fernhollow.example/g.png"`)
	if got := strings.Join(Pages(items), " "); got != "https://fernhollow.example/b /a /d.png" {
		t.Errorf("pages %s", got)
	}
	if got := strings.Join(Pictures(items), " "); got != "https://fernhollow.example/c.png http://fernhollow.example/g.png" {
		t.Errorf("pictures %s", got)
	}
}

// TestDistance counts letters that are changed, added, dropped or swapped.
func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b       string
		most, want int
	}{
		{"name", "name", 4, 0}, {"nmae", "name", 4, 1}, {"nam", "name", 4, 1}, {"names", "name", 4, 1}, {"mane", "name", 4, 2},
		{"", "abc", 4, 3}, {"abc", "", 4, 3}, {"", "abcd", 4, 4}, {"abcd", "", 4, 4}, {"abc", "xyz", 9, 3}, {"abcdef", "badcfe", 9, 3},
		{"abc", "abcde", 3, 2}, {"abc", "abcdef", 3, 3}, {"ab", "ba", 4, 1}, {"cab", "cba", 4, 1}, {"abc", "xyz", 2, 2},
	} {
		if got := distance(c.a, c.b, c.most); got != c.want {
			t.Errorf("%q to %q: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

// TestReverse: an item that only says what others say of it is not judged.
func TestReverse(t *testing.T) {
	for inside, other := range map[string]bool{
		`"@type": "Event", "@reverse": {"event": {"@type": "Place"}}`:              true,
		`"@type": "Event", "@reverse": {}`:                                         false,
		`"@type": "Event", "name": "x", "@reverse": {"event": {"@type": "Place"}}`: false,
		`"@type": "Event"`: false,
	} {
		if items := schema(t, inside); items[0].Other != other {
			t.Errorf("%s: %+v", inside, items)
		}
	}
}

// TestReferences finds the first of a property's values.
func TestReferences(t *testing.T) {
	item := schema(t, `"@type": "Event", "name": ["a", "b"], "url": "/c"`)[0]
	if p, ok := item.Get("url"); !ok || p.Text != "/c" {
		t.Errorf("url %+v, %v", p, ok)
	}
	if p, ok := item.Get("name"); !ok || p.Text != "a" {
		t.Errorf("name %+v, %v", p, ok)
	}
	if p, ok := item.Get("image"); ok {
		t.Errorf("image %+v", p)
	}
	if !item.Is("Thing") || item.Is("Place") {
		t.Error("an event is a thing, and no place")
	}
}

// TestHowDeep reads what stands so deep, in whatever way it is nested, and nothing deeper.
func TestHowDeep(t *testing.T) {
	nested := func(n int, open, end, inner string) string {
		return strings.Repeat(open, n) + inner + strings.Repeat(end, n)
	}
	const event = `{"@context": "https://schema.org", "@type": "Event", "name": "x"}`
	for name, one := range map[string]struct{ open, end string }{
		"lists": {"[", "]"}, "graphs": {`{"@graph": `, "}"},
	} {
		for n, want := range map[int]int{maxDepth: 1, maxDepth + 1: 0} {
			items, err := JSON([]byte(nested(n, one.open, one.end, event)))
			if err != nil || len(items) != want {
				t.Errorf("an event within %d %s: %d items (%v)", n, name, len(items), err)
			}
		}
	}
	for name, one := range map[string]struct{ open, end string }{
		"lists": {"[", "]"}, "values": {`{"@value": `, "}"}, "lists of order": {`{"@list": `, "}"},
	} {
		for n, want := range map[int]int{maxDepth - 1: 1, maxDepth: 0} {
			items := schema(t, `"@type": "Event", "name": `+nested(n, one.open, one.end, `"x"`))
			if len(items[0].Props) != want {
				t.Errorf("a name within %d %s: %+v", n, name, items)
			}
		}
	}
}

// TestHowMany takes so many items and properties, and no more.
func TestHowMany(t *testing.T) {
	list := func(n int, one string) string { return strings.TrimSuffix(strings.Repeat(one+",", n), ",") }
	for n, want := range map[int]int{maxItems: maxItems, maxItems + 1: maxItems} {
		if items := schema(t, `"@type": "Event", "name": [`+list(n, `"x"`)+`]`); len(items[0].Props) != want {
			t.Errorf("%d values are %d", n, len(items[0].Props))
		}
		items, err := JSON([]byte("[" + list(n, `{"@type": "Event"}`) + "]"))
		if err != nil || len(items) != want {
			t.Errorf("%d items are %d (%v)", n, len(items), err)
		}
	}
	if got := cut(strings.Repeat("x", maxText)); len(got) != maxText {
		t.Errorf("a text of %d is %d", maxText, len(got))
	}
	if got := cut(strings.Repeat("x", maxText-1) + "éé"); got != strings.Repeat("x", maxText-1) {
		t.Errorf("a text is cut within a letter: %q", got[maxText-2:])
	}
}

// TestMarkedUp reads Microdata and RDFa within bounds: how many items, how deep, how long.
func TestMarkedUp(t *testing.T) {
	read := func(source string) []Item {
		var p dom.Parser
		items, _ := Elements(p.Parse([]byte(source)), func(href string) string { return href })
		return items
	}
	for name, one := range map[string]struct{ item, property, nested, end string }{
		"microdata": {`<div itemscope itemtype="https://schema.org/Event">`, `<b itemprop=name>x</b>`,
			`<p itemprop=subEvent itemscope itemtype="https://schema.org/Event"><b itemprop=name>x</b></p>`, "</div>"},
		"rdfa": {`<div vocab="https://schema.org/" typeof=Event>`, `<b property=name>x</b>`,
			`<p property=subEvent typeof=Event><b property=name>x</b></p>`, "</div>"},
	} {
		for n, want := range map[int]int{maxTop: maxTop, maxTop + 1: maxTop} {
			if got := read(strings.Repeat(one.item+one.end, n)); len(got) != want {
				t.Errorf("%s: %d items are %d", name, n, len(got))
			}
		}
		// an item and its properties count
		for n, want := range map[int]int{maxItems: maxItems, maxItems + 9: maxItems} {
			if got := read(one.item + strings.Repeat(one.property, n) + one.end); len(got[0].Props) != want {
				t.Errorf("%s: %d properties are %d", name, n, len(got[0].Props))
			}
		}
		if got := read(one.item + strings.Repeat(one.nested, maxItems) + one.end); len(got[0].Props) != maxItems/2 {
			t.Errorf("%s: %d items within are %d", name, maxItems, len(got[0].Props))
		}
		if got := form(&read(one.item + one.nested + one.end)[0]); got != "Event{subEvent: Event{name: x}}" {
			t.Errorf("%s: %s", name, got)
		}
		if got := read(`<b itemprop=name>x</b><b property=name>x</b>` + one.item + one.end); len(got) != 1 || len(got[0].Props) > 0 {
			t.Errorf("%s: properties of nothing are %+v", name, got)
		}
	}
	for source, want := range map[string]int{ // what is no property of the item around it stands by itself
		`<div itemscope itemtype="https://schema.org/Event"><p itemscope itemtype="https://schema.org/Place"></p></div>`: 2,
		`<div vocab="https://schema.org/" typeof=Event><p typeof=Place></p></div>`:                                       2,
	} {
		if got := read(source); len(got) != want {
			t.Errorf("%s: %d items, want %d", source, len(got), want)
		}
	}
	deep := func(n int) int {
		at := 0
		Walk(read(strings.Repeat(`<div itemprop=a itemscope itemtype="https://schema.org/Event">`, n)), func(path string, item, _ *Item, _ string) {
			at = max(at, strings.Count(path, " > "))
		})
		return at
	}
	if a, b := deep(maxDepth+2), deep(maxDepth+9); a != maxDepth+1 || b != maxDepth+1 {
		t.Errorf("items are read %d and %d deep", a, b)
	}
	long := read(`<div itemscope itemtype="https://schema.org/Event"><p itemprop=name>` + strings.Repeat("<i>x </i>", maxText) +
		`<script>no</script><style>no</style></p></div>`)
	if got := long[0].Props[0].Text; !strings.HasPrefix(got, "x x x") || len(got) > maxText || strings.Contains(got, "no") {
		t.Errorf("a long name: %d bytes", len(got))
	}
	for n, want := range map[int]string{98: "x", 300: ""} {
		nested := read(`<div itemscope itemtype="https://schema.org/Event"><p itemprop=name>` + strings.Repeat("<i>", n) + "x</p></div>")
		if got := nested[0].Props[0].Text; got != want {
			t.Errorf("a text within %d elements: %q", n, got)
		}
	}
}
