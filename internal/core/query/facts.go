package query

import (
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types/ref"

	"harvik/internal/core/column"
	"harvik/internal/core/weburl"
)

// Kind is what a fact's values are.
type Kind uint8

const (
	Words   Kind = iota // string
	Whole               // int
	Decimal             // float64
	YesNo               // bool
	List                // []string
	Figures             // map[string]any: numbers and words by name
	Links               // []ref.Val of LinkIn
)

var kindNames = [...]string{"words", "whole", "decimal", "yes-no", "list", "figures", "links"}

func (k Kind) String() string { return kindNames[k] }

// nothing is what facts are where there is nothing: empty words, an empty list, no figures. It is nil for other kinds,
// of which then nothing is known.
func (k Kind) nothing() any {
	switch k {
	case Words:
		return ""
	case List:
		return []string{}
	case Figures:
		return map[string]any{}
	case Links:
		return []ref.Val{}
	}
	return nil
}

// Says is a kind as people say it.
func (k Kind) Says() string {
	return [...]string{"words", "a whole number", "a number with decimals", "yes or no", "a list", "figures by name", "links"}[k]
}

// A Fact is what can be asked about a row.
type Fact struct {
	Name  string
	Label string // as lists and files head it
	Kind  Kind
	Unit  string
	Say   string // what it tells
	None  string // what it means where it is not known, "" where it always is

	OfAddress func(address string) any // what is told by the row's address alone; nil for what is read
	Long      bool                     // it stands apart, and takes time to read
}

// Nothing is what a fact is where there is nothing of it, nil for what is not known then.
func (f *Fact) Nothing() any {
	if f.None != "" && f.Kind < Figures {
		return nil
	}
	return f.Kind.nothing()
}

// A Table is a kind of rows that can be asked about. Make one with NewTable.
type Table struct {
	Name  string // "pages"
	One   string // "page"
	Say   string // what its rows are
	Facts []Fact
	Shown []string // the facts that an answer shows where none are chosen

	places map[string]int
	from   []int            // by fact: the place of the address that it is told by
	shows  []*column.Column // by fact: the column of an address that it shows, nil for none
	once   sync.Once
	env    *cel.Env
	fault  error
}

// NewTable makes a table.
func NewTable(name, one, say string, facts []Fact, shown ...string) *Table {
	t := &Table{Name: name, One: one, Say: say, Facts: facts, Shown: shown, places: map[string]int{}}
	for i := range facts {
		t.places[facts[i].Name] = i
	}
	for i := range facts {
		end, of, ok := strings.Cut(facts[i].Name, ".")
		if !ok {
			of = end
		}
		t.shows = append(t.shows, columnOf(of))
		t.from = append(t.from, max(t.place("address"), t.place(end+".address")))
	}
	return t
}

// place is where a fact stands, −1 for no such.
func (t *Table) place(name string) int {
	if at, ok := t.places[name]; ok {
		return at
	}
	return -1
}

// Fact is the place of a fact by its name, or by its label as files head it; −1 where there is none.
func (t *Table) Fact(name string) int {
	if at := t.place(name); at >= 0 {
		return at
	}
	return slices.IndexFunc(t.Facts, func(f Fact) bool {
		return column.SameName(f.Name, name) || column.SameName(f.Label, name)
	})
}

// Complete adds to a row what its address tells, as far as it is wanted.
func (t *Table) Complete(row []any, wanted []int) {
	for _, i := range wanted {
		if of := t.Facts[i].OfAddress; of != nil {
			if address, ok := row[t.AddressOf(i)].(string); ok && address != "" {
				row[i] = of(address)
			}
		}
	}
}

// AddressOf is the place of the address that a fact is told by.
func (t *Table) AddressOf(fact int) int { return t.from[fact] }

// Tables are all that can be asked about, in the order in which they are told.
var Tables = []*Table{
	NewTable("pages", "page", "HTML documents and whatever else links lead to inside", withBefore(ofPages()),
		"address", "status", "title", "words", "linksIn", "clicks"),
	NewTable("resources", "resource", "what pages load: images, stylesheets, scripts, fonts, documents", ofPages(),
		"address", "role", "status", "type", "bytes"),
	NewTable("links", "link", "links from pages inside to wherever they lead", ofLinks(),
		"source.address", "words", "region", "target.address", "target.status"),
	NewTable("redirects", "redirect", "addresses that lead on, each with the whole way to where it ends", ofRedirects(),
		"address", "hops", "end", "endStatus", "linksIn"),
	NewTable("findings", "finding", "places in which checks fail, each for itself", ofFindings(),
		"page.address", "check", "what", "place", "line"),
	NewTable("headings", "heading", "headings of pages, in the order in which they stand there", ofItems("headings"),
		"page.address", "level", "text", "place", "line"),
	NewTable("images", "image", "images of pages, each where it stands", ofItems("images"),
		"page.address", "target.address", "alt", "target.bytes", "line"),
	NewTable(
		"alternates",
		"alternate",
		"addresses that pages name for other languages (hreflang)",
		ofItems("alternates"),
		"page.address",
		"lang",
		"target.address",
		"target.status",
	),
	NewTable("data", "item", "outermost items of structured data on pages", ofItems("data"),
		"page.address", "types", "format", "properties", "line"),
	NewTable(
		"renderings",
		"rendering",
		"what a browser made of pages, by device, of those that the plan renders",
		ofRenderings(),
		"page.address",
		"device",
		"outcome",
		"largestPaint",
		"shift",
		"blocked",
		"transferred",
		"differs",
	),
	NewTable("sitemap", "entry", "addresses that sitemaps list", ofSitemap(),
		"address", "state", "status", "indexable", "clicks", "linksIn"),
	NewTable(
		"duplicates",
		"duplicate",
		"pages that are alike in title, description, main heading or text",
		ofDuplicates(),
		"what",
		"value",
		"page.address",
		"shared",
	),
}

// TableOf is the table of a name, nil for none.
func TableOf(name string) *Table {
	for _, t := range Tables {
		if t.Name == name {
			return t
		}
	}
	return nil
}

// Names are the names of all tables.
func Names() (out []string) {
	for _, t := range Tables {
		out = append(out, t.Name)
	}
	return out
}

var kinds = map[column.Kind]Kind{
	column.Words: Words, column.Address: Words, column.Whole: Whole, column.Decimal: Decimal, column.YesNo: YesNo,
}

// ofPages are the facts of fetched addresses: the columns, and what an address tells by itself.
func ofPages() (out []Fact) {
	for i := range column.All {
		c := &column.All[i]
		f := Fact{Name: c.Key, Label: c.Name, Kind: kinds[c.Kind], Unit: c.Unit, Say: c.Say, None: c.Lacks}
		out = append(out, f)
		if c.Key == "address" {
			out = append(out, ofAddresses...)
		}
	}
	return append(out,
		Fact{Name: "terms", Label: "terms", Kind: List, Say: "the strongest terms of the main text"},
		Fact{Name: "text", Label: "text", Long: true,
			Say: "the main text, block by block: text.contains(\"0161 496 0000\")"},
		Fact{Name: "source", Label: "source", Long: true,
			Say:  "the HTML as it came, where the crawl keeps it: source.contains(\"data-old\")",
			None: "it is no HTML document, or is not kept"},
		Fact{Name: column.Fields, Label: "fields", Kind: Figures,
			Say: "your own, taken from pages as the plan says: fields.price", None: "nothing of the kind is on it"},
		Fact{Name: "figures", Label: "figures", Kind: Figures,
			Say: "your own, by name: figures.visits, figures[\"bounce rate\"]", None: "the file had no line for it"},
	)
}

// Source and Target stand before the facts of the addresses that a link joins, OfPage before those of the page that
// something was found on, Before before those that an address had in the crawl before.
const (
	Source = "source."
	Target = "target."
	OfPage = "page."
	Before = "before."
	Fails  = "fails"
	Fixes  = "fixes"
)

// withBefore adds what the same address was in the crawl before.
func withBefore(facts []Fact) []Fact {
	facts = append(facts, Fact{Name: LinkedBy, Label: "linked by", Kind: Links,
		Say: "the links to it from pages inside, each with words, place, region, follow, hidden, line, and with its source: " +
			`linkedBy.exists(l, l.region == "content" && l.source.kind == "home")`},
		Fact{Name: Fails, Label: "fails", Kind: List,
			Say: "the checks that fail on it: \"title-long\" in fails"},
		Fact{Name: Fixes, Label: "fixes", Kind: List, Say: "the lines of the fix list that are about it, by their names"})
	before := ofEnd(Before, "before: ", "the crawl before did not fetch it, or there was none")
	return append(facts, slices.DeleteFunc(before, func(f Fact) bool { return f.OfAddress != nil })...)
}

// ofRedirects are the facts of addresses that lead on.
func ofRedirects() []Fact {
	out := []Fact{{Name: "address", Label: "address", Say: "where it starts"}}
	return append(
		append(out, ofAddresses...),
		Fact{Name: "status", Label: "status", Kind: Whole, Say: "of the first answer"},
		Fact{Name: "to", Label: "to", Say: "where the first answer leads"},
		Fact{Name: "hops", Label: "hops", Kind: Whole, Say: "how many answers lead on until it ends"},
		Fact{Name: "way", Label: "way", Kind: List, Say: "the addresses between where it starts and where it ends"},
		Fact{
			Name:  "circle",
			Label: "circle",
			Kind:  YesNo,
			Say:   "whether it ends nowhere, as it comes back to where it was",
		},
		Fact{Name: "end", Label: "end", Say: "the address where it ends"},
		Fact{Name: "endStatus", Label: "end status", Kind: Whole, Say: "of the answer there",
			None: "it was not fetched, or no answer came"},
		Fact{Name: "linksIn", Label: "links in", Kind: Whole, Say: "pages that link to where it starts"},
	)
}

// ofFindings are the facts of findings: their own, and those of the page.
func ofFindings() []Fact {
	out := []Fact{
		{Name: "check", Label: "check", Say: "that fails, such as title-missing"},
		{Name: "severity", Label: "severity", Say: "as it was judged: error, warning or notice"},
		{Name: "what", Label: "what", Say: "is wrong here"},
		{Name: "value", Label: "value", Say: "that is wrong"},
		{Name: "target", Label: "target", Say: "the address concerned, other than the page"},
		{Name: "words", Label: "words", Say: "of the link"},
		{Name: "place", Label: "place", Say: "where it is on the page, element by element"},
		{Name: "line", Label: "line", Kind: Whole, Say: "of the page's source", None: "it stands in no line"},
		{Name: "shared", Label: "shared", Kind: Whole, Say: "how many pages share the value, this one included",
			None: "it is not about what pages share"},
	}
	return append(out, ofEnd(OfPage, "page: ", "it is about the whole site, or was not fetched")...)
}

// ofRenderings are the facts of what a browser made of pages: their own, and those of the page.
func ofRenderings() []Fact {
	const none = "there is nothing to read, or the browser does not tell"
	out := []Fact{
		{Name: "device", Label: "device", Say: "phone or desktop"},
		{Name: "outcome", Label: "outcome", Say: "how it ended: rendered, no-answer, moved, stuck, crashed, too-large"},
		{Name: "done", Label: "done", Say: "by what the page was held to be done: settled, selector or time"},
		{Name: "took", Label: "took", Kind: Whole, Unit: "ms", Say: "until then"},
		{
			Name:  "firstByte",
			Label: "first byte",
			Kind:  Decimal,
			Unit:  "ms",
			Say:   "after navigation began, as the browser saw it",
			None:  none,
		},
		{Name: "firstPaint", Label: "first paint", Kind: Decimal, Unit: "ms", Say: "first contentful paint", None: none},
		{
			Name:  "largestPaint",
			Label: "largest paint",
			Kind:  Decimal,
			Unit:  "ms",
			Say:   "largest contentful paint",
			None:  none,
		},
		{Name: "largest", Label: "largest", Say: "the element that is painted then"},
		{Name: "shift", Label: "shift", Kind: Decimal, Say: "cumulative layout shift", None: none},
		{
			Name:  "blocked",
			Label: "blocked",
			Kind:  Decimal,
			Unit:  "ms",
			Say:   "total blocking time: of tasks over 50 ms, what is beyond",
			None:  none,
		},
		{Name: "throttled", Label: "throttled", Kind: YesNo, Say: "whether it was measured as on a slow phone"},
		{Name: "requests", Label: "requests", Kind: Whole, Say: "that were answered"},
		{
			Name:  "transferred",
			Label: "transferred",
			Kind:  Whole,
			Unit:  "bytes",
			Say:   "over the wire, of all that was loaded",
		},
		{Name: "kept", Label: "kept", Kind: Whole, Unit: "bytes", Say: "of these, what a browser may keep for a day or longer"},
		{Name: "unused", Label: "unused", Kind: Whole, Unit: "bytes",
			Say: "of scripts and stylesheets, about what the page does not use"},
		{Name: "tap", Label: "tap", Kind: Decimal, Unit: "ms",
			Say: "until the slowest of the taps that the plan names is answered", None: "the plan taps nothing that is there"},
		{Name: "hiddenWords", Label: "hidden words", Kind: Whole, Say: "that a desktop shows and this phone does not"},
		{Name: "words", Label: "words", Kind: Whole, Say: "of the main text after scripts", None: none},
		{Name: "sourceWords", Label: "source words", Kind: Whole, Say: "of the main text in the source", None: none},
		{
			Name:  "differs",
			Label: "differs",
			Kind:  List,
			Say:   "what scripts change: title, canonical, robots, headings, text, links …",
		},
		{Name: "scriptedLinks", Label: "scripted links", Kind: Whole, Say: "links that only scripts make"},
		{Name: "errors", Label: "console errors", Kind: Whole, Say: "messages of the console"},
		{Name: "missing", Label: "missing", Kind: Whole, Say: "requests that failed"},
		{Name: "hosts", Label: "hosts", Kind: List, Say: "others that something was loaded from"},
		{Name: "content", Label: "content width", Kind: Whole, Unit: "px", Say: "of the document", None: none},
		{Name: "smallTargets", Label: "small targets", Kind: Whole, Say: "things to tap that are too small or too close"},
		{Name: "covers", Label: "covers", Say: "the element that covers most of the first view"},
	}
	return append(out, ofEnd(OfPage, "page: ", "")...)
}

// ofItems are the facts of what stands on pages in lists: their own, those of the page, and of what they lead to.
func ofItems(table string) []Fact {
	place := []Fact{{Name: "place", Label: "place", Say: "where it stands on the page, element by element"},
		{Name: "line", Label: "line", Kind: Whole, Say: "of the page's source"}}
	out := map[string][]Fact{
		"headings": append([]Fact{{Name: "level", Label: "level", Kind: Whole, Say: "1 to 6"},
			{Name: "text", Label: "text", Say: "its words, with alternative texts of images"}}, place...),
		"images": append([]Fact{
			{Name: "alt", Label: "alternative text", Say: "its alt attribute"},
			{Name: "hasAlt", Label: "has alt", Kind: YesNo, Say: "whether it has an alt attribute, be it empty"},
			{Name: "hasSize", Label: "has size", Kind: YesNo, Say: "whether the page says its width and height, or their ratio"},
			{Name: "lazy", Label: "lazy", Kind: YesNo, Say: "whether it is loaded only when it comes near (loading=lazy)"},
			{Name: "sizes", Label: "in sizes", Kind: YesNo, Say: "whether it is offered in several sizes or formats"},
			{Name: "early", Label: "early", Kind: YesNo, Say: "whether it is likely to be seen without scrolling"},
			{Name: "alone", Label: "alone", Kind: YesNo, Say: "whether it is all that a link has in it"},
		}, place...),
		"alternates": {
			{Name: "lang", Label: "language", Say: "as it is written"},
			{Name: "href", Label: "href", Say: "as it is written"},
			{Name: "inHead", Label: "in head", Kind: YesNo, Say: "whether it stands in the head element"},
			{Name: "header", Label: "in header", Kind: YesNo, Say: "whether a Link header of the response says it"},
			place[1],
		},
		"data": {
			{Name: "types", Label: "types", Kind: List, Say: "of what it is, without the vocabulary's address: Product"},
			{Name: "format", Label: "format", Say: "json-ld, microdata or rdfa"},
			{Name: "id", Label: "id", Say: "what it is named by"},
			{Name: "properties", Label: "properties", Kind: List, Say: "the names of its properties, each once"},
			place[1],
		},
	}[table]
	out = append(out, ofEnd(OfPage, "page: ", "")...)
	if table == "images" || table == "alternates" {
		out = append(out, ofEnd(Target, "to: ", "it was not fetched")...)
	}
	return out
}

// ofSitemap are the facts of what sitemaps list.
func ofSitemap() []Fact {
	return append(
		append([]Fact{{Name: "address", Label: "address", Say: "as it is listed"}}, ofAddresses...),
		Fact{Name: "state", Label: "state", Say: "what became of it: fetched, or why it was not"},
		Fact{
			Name:  "status",
			Label: "status",
			Kind:  Whole,
			Say:   "of the answer",
			None:  "it was not fetched, or no answer came",
		},
		Fact{Name: "indexable", Label: "indexable", Kind: YesNo, Say: "whether search engines may show it",
			None: "it was not fetched"},
		Fact{Name: "clicks", Label: "clicks", Kind: Whole, Say: "from the home page",
			None: "no links lead there from the home page"},
		Fact{Name: "linksIn", Label: "links in", Kind: Whole, Say: "pages that link to it"},
	)
}

// ofDuplicates are the facts of pages that are alike.
func ofDuplicates() []Fact {
	return append([]Fact{
		{Name: "what", Label: "what", Say: "they share: title, description, h1, text, or nearly the text"},
		{Name: "value", Label: "value", Say: "that they share, where it is short"},
		{Name: "shared", Label: "shared", Kind: Whole, Say: "how many pages share it, this one included"},
		{Name: "likeness", Label: "likeness", Kind: Decimal, Say: "of texts that are nearly alike, 0 to 1",
			None: "they are alike in full"},
		{Name: "others", Label: "others", Kind: List, Say: "the other pages, at most 20"},
	}, ofEnd(OfPage, "page: ", "it was not fetched")...)
}

// ofEnd are the facts of pages, by names that say whose they are; none is why they may not be known.
func ofEnd(prefix, label, none string) (out []Fact) {
	for _, f := range ofPages() {
		if f.Kind >= Figures || f.Long {
			continue
		}
		told := prefix == Target && (f.Name == "address" || f.OfAddress != nil) // by where something leads
		f.Name, f.Label = prefix+f.Name, label+f.Label
		if none != "" && !told {
			f.None = none + strings.TrimSuffix(", or "+f.None, ", or ")
		}
		out = append(out, f)
	}
	return out
}

// ofLinks are the facts of links: their own, and those of what they join.
func ofLinks() []Fact {
	out := []Fact{
		{
			Name:  "words",
			Label: "words",
			Say: "its text, with the alternative texts of pictures in it; what it is labelled with where " +
				"there is none",
		},
		{Name: "place", Label: "place", Say: "where it stands on the page, element by element"},
		{Name: "region", Label: "part of the page", Say: "content, navigation, header, footer or aside"},
		{
			Name:  "follow",
			Label: "followed",
			Kind:  YesNo,
			Say: "whether search engines may follow it: rel does not say nofollow, " +
				"ugc or sponsored",
		},
		{Name: "hidden", Label: "hidden", Kind: YesNo, Say: "whether it is kept from screen readers"},
		{
			Name:  "scripted",
			Label: "scripted",
			Kind:  YesNo,
			Say:   "whether only scripts make it, where the page was rendered",
		},
		{Name: "fragment", Label: "fragment", Say: "the place on the page that it leads to, without the #"},
		{Name: "line", Label: "line", Kind: Whole, Say: "of the page's source that it stands in"},
	}
	return slices.Concat(out, ofEnd(Source, "from: ", ""), ofEnd(Target, "to: ", "it was not fetched"))
}

// ofAddresses are the facts that an address tells by itself.
var ofAddresses = []Fact{
	{Name: "host", Label: "host", Say: "of its address, with the port where it is not the usual one",
		OfAddress: func(a string) any { return hostOf(a) }},
	{
		Name:      "path",
		Label:     "path",
		Say:       "of its address, with the query",
		OfAddress: func(a string) any { return weburl.PathQueryOf(a) },
	},
	{Name: "section", Label: "section", Say: "the first folder of its address, / for what stands at the top",
		OfAddress: func(a string) any { return sectionOf(a) }},
}

func hostOf(address string) string {
	u, err := weburl.Parse(address)
	if err != nil {
		return ""
	}
	return u.Host()
}

// sectionOf is the first folder of an address: "/plants/" of http://fernhollow.example/plants/moss.
func sectionOf(address string) string { return weburl.FolderAbove(weburl.FolderOf(address), 2) }
