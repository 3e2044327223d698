// Package column declares the properties of fetched addresses once: what they are called, what they tell, how they are
// read and where they are kept. Lists, filters, files, the console and the command line are made from that.
package column

import (
	"math"
	"slices"
	"strings"

	"harvik/internal/core/page"
)

// Kind is what the cells of a column hold.
type Kind uint8

const (
	Words   Kind = iota // string
	Whole               // int
	Decimal             // float64, two digits
	Address             // an absolute address: a link where the form has links
	Moment              // time.Time
	YesNo               // bool
)

var kindNames = [...]string{"words", "whole", "decimal", "address", "moment", "yes-no"}

func (k Kind) String() string { return kindNames[k] }

// A Column is one property of a fetched address. Lists, files, the console and the API know it by the same name: the
// key in JSON and in queries, the name, which is the key in words, wherever people read it.
//
// A column that is new needs one value in All: with Facts it is read from what was fetched, and kept without further
// ado.
type Column struct {
	Key, Name string
	Say       string // what it tells
	Lacks     string // what it means that a cell is empty, where it is no words
	Kind      Kind
	Unit      string  // such as ms; "" for none
	Width     float64 // that cells usually need, in characters
	Stored    Stored
	// Facts reads it from what was fetched, where it is kept by its key; nil for one that has a place of its own. A nil
	// cell is not known, or makes no sense.
	Facts func(*page.Facts) any
	cell  func(*Row) any
	// Digits behind the point that cells show, where the number has more.
	digits int
}

// Stored says where a column is kept.
type Stored struct {
	In Relation
	As string // its name there
}

// A Relation is what of an address something is kept with.
type Relation uint8

const (
	OfMore     Relation = iota // with what has no place of its own, by its key
	OfAddress                  // what is known of an address
	OfPage                     // what was fetched there
	OfStanding                 // what only the whole crawl tells of it
)

// noDocument is why cells of pages are empty.
const noDocument = "it is no HTML document"

// All are all properties of an address that was fetched, in the order in which they are listed.
var All = []Column{
	{
		Key: "address", Name: "address", Kind: Address, Width: 60, Say: "where it is",
		Stored: Stored{OfAddress, "url"}, cell: func(p *Row) any { return p.Address },
	},
	{
		Key: "role", Name: "role", Kind: Words, Width: 10, Say: "what it is to the site: a page, or what pages load",
		Stored: Stored{OfPage, "role"}, cell: func(p *Row) any { return p.Role },
	},
	{
		Key: "status", Name: "status", Kind: Whole, Width: 8, Lacks: "no answer came", Say: "of the answer",
		Stored: Stored{OfPage, "status"}, cell: func(p *Row) any { return positive(p.Status) },
	},
	{
		Key: "outcome", Name: "outcome", Kind: Words, Width: 12, Say: "how the request ended",
		Stored: Stored{OfPage, "outcome"}, cell: func(p *Row) any { return p.Outcome },
	},
	{
		Key: "type", Name: "type", Kind: Words, Width: 18, Say: "media type",
		Stored: Stored{OfPage, "type"}, cell: func(p *Row) any { return said(p.Type) },
	},
	{
		Key: "encoding", Name: "encoding", Kind: Words, Width: 10, Say: "of the characters, as it was read",
		Stored: Stored{OfPage, "encoding"}, cell: func(p *Row) any { return said(p.Encoding) },
	},
	{
		Key: "protocol", Name: "protocol", Kind: Words, Width: 10, Say: "of HTTP, as the answer came",
		Facts: func(f *page.Facts) any { return said(f.Protocol) },
	},
	{
		Key: "modified", Name: "modified", Kind: Words, Width: 30,
		Say:   "when it last changed, as its Last-Modified header says",
		Facts: func(f *page.Facts) any { return said(f.HeaderValue("Last-Modified")) },
	},
	{
		Key: "indexable", Name: "indexable", Kind: YesNo, Width: 10,
		Lacks: noDocument, Say: "whether search engines may show it",
		Stored: Stored{OfPage, "indexable"}, cell: func(p *Row) any { return p.ofPage(p.Indexable) },
	},
	{
		Key: "why", Name: "why", Kind: Words, Width: 30, Say: "why they may not",
		Stored: Stored{OfPage, "why"}, cell: func(p *Row) any { return said(p.Why) },
	},
	{
		Key: "kind", Name: "kind", Kind: Words, Width: 12, Say: "what kind of page it was taken for",
		Stored: Stored{OfPage, "kind"}, cell: func(p *Row) any { return said(p.Kind) },
	},
	{
		Key: "title", Name: "title", Kind: Words, Width: 50, Say: "its title element",
		Stored: Stored{OfPage, "title"}, cell: func(p *Row) any { return p.ofPage(p.Title) },
	},
	{
		Key: "description", Name: "description", Kind: Words, Width: 60, Say: "its meta description",
		Stored: Stored{OfPage, "description"}, cell: func(p *Row) any { return p.ofPage(p.Description) },
	},
	{
		Key: "h1", Name: "h1", Kind: Words, Width: 40, Say: "its first main heading",
		Stored: Stored{OfPage, "h1"}, cell: func(p *Row) any { return p.ofPage(p.H1) },
	},
	{
		Key: "headings", Name: "headings", Kind: Whole, Width: 9, Lacks: noDocument, Say: "how many it has",
		Stored: Stored{OfPage, "headings"}, cell: func(p *Row) any { return known(p.Headings) },
	},
	{
		Key: "words", Name: "words", Kind: Whole, Width: 9,
		Lacks: noDocument, Say: "of the main text, without what is the layout's own",
		Stored: Stored{OfPage, "words"}, cell: func(p *Row) any { return p.ofPage(p.Words) },
	},
	{
		Key: "language", Name: "language", Kind: Words, Width: 10, Say: "that it declares",
		Stored: Stored{OfPage, "lang"}, cell: func(p *Row) any { return said(p.Language) },
	},
	{
		Key: "hreflang", Name: "hreflang", Kind: Words, Width: 24, Say: "the languages that it names addresses for",
		Stored: Stored{OfPage, "hreflang"}, cell: func(p *Row) any { return said(p.Hreflang) },
	},
	{
		Key: "canonical", Name: "canonical", Kind: Words, Width: 60,
		Say:    "the address that it declares to be the one to show",
		Stored: Stored{OfPage, "canonical"}, cell: func(p *Row) any { return said(p.Canonical) },
	},
	{
		Key: "robots", Name: "robots", Kind: Words, Width: 24, Say: "what its robots elements and headers say",
		Stored: Stored{OfPage, "robots"}, cell: func(p *Row) any { return said(p.Robots) },
	},
	{
		Key: "refresh", Name: "refresh", Kind: Words, Width: 30, Say: "where it sends browsers by itself",
		Stored: Stored{OfPage, "refresh"}, cell: func(p *Row) any { return said(p.Refresh) },
	},
	{
		Key: "redirect", Name: "redirect", Kind: Address, Width: 60, Say: "where it leads on to",
		Stored: Stored{OfPage, "redirect"}, cell: func(p *Row) any { return said(p.Redirect) },
	},
	{
		Key: "bytes", Name: "bytes", Kind: Whole, Unit: "bytes", Width: 10,
		Lacks: "the body was empty, or did not come", Say: "of the body, unpacked",
		Stored: Stored{OfPage, "bytes"}, cell: func(p *Row) any { return positive(p.Bytes) },
	},
	{
		Key: "transferred", Name: "transferred", Kind: Whole, Unit: "bytes", Width: 11,
		Lacks: "the body was empty, or did not come", Say: "of the body, as it came over the wire",
		Facts: func(f *page.Facts) any { return positive(f.Transferred) },
	},
	{
		Key: "firstByte", Name: "first byte", Kind: Whole, Unit: "ms", Width: 10, Say: "after the request began",
		Stored: Stored{OfPage, "first_byte"}, cell: func(p *Row) any { return p.FirstByte },
	},
	{
		Key: "images", Name: "images", Kind: Whole, Width: 8, Lacks: noDocument, Say: "how many it shows",
		Stored: Stored{OfPage, "images"}, cell: func(p *Row) any { return known(p.Images) },
	},
	{
		Key: "altsMissing", Name: "alts missing", Kind: Whole, Width: 12,
		Lacks: noDocument, Say: "images without an alternative text, be it empty",
		Facts: ofDocument(func(d *page.Document) any {
			n := 0
			for i := range d.Images {
				if !d.Images[i].HasAlt {
					n++
				}
			}
			return n
		}),
	},
	{
		Key: "scripts", Name: "scripts", Kind: Whole, Width: 8, Lacks: noDocument, Say: "how many it loads",
		Facts: ofDocument(func(d *page.Document) any { return len(d.Scripts) }),
	},
	{
		Key: "dataTypes", Name: "data types", Kind: Words, Width: 24, Say: "of its structured data, each once",
		Facts: ofDocument(func(d *page.Document) any {
			var types []string
			for i := range d.Data {
				for _, t := range d.Data[i].Types {
					if !slices.Contains(types, t) && len(types) < maxTypes {
						types = append(types, t)
					}
				}
			}
			return said(strings.Join(types, ", "))
		}),
	},
	{
		Key: "linksOut", Name: "links out", Kind: Whole, Width: 9, Lacks: noDocument, Say: "how many links stand on it",
		Stored: Stored{OfPage, "links_out"}, cell: func(p *Row) any { return known(p.LinksOut) },
	},
	{
		Key: "linksIn", Name: "links in", Kind: Whole, Width: 9, Say: "pages that link to it",
		Stored: Stored{OfStanding, "links_in"}, cell: func(p *Row) any { return p.LinksIn },
	},
	{
		Key: "clicks", Name: "clicks", Kind: Whole, Width: 8,
		Lacks: "no links lead there from the home page", Say: "from the home page",
		Stored: Stored{OfStanding, "depth"}, cell: func(p *Row) any { return known(p.Clicks) },
	},
	{
		Key: "foundBy", Name: "found by", Kind: Words, Width: 10, Say: "how the crawl came to know it",
		Stored: Stored{OfAddress, "found"}, cell: func(p *Row) any { return p.FoundBy },
	},
	{
		Key: "inSitemap", Name: "in sitemap", Kind: YesNo, Width: 10, Say: "whether a sitemap lists it",
		Stored: Stored{OfAddress, "in_sitemap"}, cell: func(p *Row) any { return p.InSitemap },
	},
	{
		Key: "layout", Name: "layout", Kind: Whole, Width: 8,
		Lacks: "no other page is built like it", Say: "the template that it is built from, by number",
		Stored: Stored{OfStanding, "layout"}, cell: func(p *Row) any { return known(p.Layout) },
	},
	{
		Key: "authority", Name: "authority", Kind: Decimal, Width: 10, Lacks: noDocument, Say: "by the links of the site",
		Stored: Stored{OfStanding, "authority"},
		cell:   func(p *Row) any { return p.ofPage(p.Authority) }, digits: 4,
	},
	{
		Key: "importance", Name: "importance", Kind: Decimal, Width: 12, Lacks: noDocument, Say: "its weight in health",
		Stored: Stored{OfStanding, "importance"},
		cell:   func(p *Row) any { return p.ofPage(p.Importance) }, digits: 4,
	},
	{
		Key: "health", Name: "health", Kind: Decimal, Unit: "points", Width: 10,
		Lacks: "health does not count it", Say: "of the page by itself",
		Stored: Stored{OfStanding, "health"}, cell: func(p *Row) any { return known(p.Health) }, digits: 2,
	},
	{
		Key: "errors", Name: "errors", Kind: Whole, Width: 8, Say: "checks failing on it",
		Stored: Stored{OfStanding, "errors"}, cell: func(p *Row) any { return p.Errors },
	},
	{
		Key: "warnings", Name: "warnings", Kind: Whole, Width: 9, Say: "checks failing on it",
		Stored: Stored{OfStanding, "warnings"}, cell: func(p *Row) any { return p.Warnings },
	},
	{
		Key: "notices", Name: "notices", Kind: Whole, Width: 8, Say: "checks failing on it",
		Stored: Stored{OfStanding, "notices"}, cell: func(p *Row) any { return p.Notices },
	},
}

// maxTypes bounds the types that a cell names.
const maxTypes = 20

// ofDocument reads what only an HTML document has.
func ofDocument(read func(*page.Document) any) func(*page.Facts) any {
	return func(f *page.Facts) any {
		if f.Document == nil {
			return nil
		}
		return read(f.Document)
	}
}

// Of is the column's cell of a row: nil where it is not known or makes no sense.
func (c *Column) Of(p *Row) any {
	v := c.Value(p)
	if number, ok := v.(float64); ok && c.digits > 0 {
		return digits(number, c.digits)
	}
	return v
}

// Value is Of with as many digits as are known.
func (c *Column) Value(p *Row) any {
	if c.cell != nil {
		return c.cell(p)
	}
	switch v := p.More[c.Key].(type) {
	case float64:
		if c.Kind == Whole {
			return int(v)
		}
		return v
	default:
		return v
	}
}

// More are the cells of what was fetched that have no place of their own, by key.
func More(f *page.Facts) map[string]any {
	out := map[string]any{}
	for i := range All {
		if c := &All[i]; c.Facts != nil {
			if v := c.Facts(f); v != nil {
				out[c.Key] = v
			}
		}
	}
	if len(f.Fields) > 0 {
		out[Fields] = f.Fields
	}
	return out
}

// Fields is the key of the consultant's own facts.
const Fields = "fields"

// Keys are the keys of all columns.
func Keys() []string {
	keys := make([]string, len(All))
	for i := range All {
		keys[i] = All[i].Key
	}
	return keys
}

// Named are the columns of some keys or names, in that order; of unknown ones nothing.
func Named(names ...string) (out []Column) {
	for _, n := range names {
		if i := slices.IndexFunc(All, func(c Column) bool { return SameName(c.Key, n) }); i >= 0 {
			out = append(out, All[i])
		}
	}
	return out
}

// SameName tells whether two names of a column are the same, however spaced and capitalised: "linksIn" and "links in".
func SameName(a, b string) bool { return folded(a) == folded(b) }

var joined = strings.NewReplacer(" ", "", "-", "", "_", "")

func folded(name string) string { return strings.ToLower(joined.Replace(name)) }

// ofPage is a cell that only an HTML page has.
func (p *Row) ofPage(v any) any {
	if !p.HTML {
		return nil
	}
	return v
}

func said(s string) any {
	if s == "" {
		return nil
	}
	return s
}

func positive(n int) any {
	if n <= 0 {
		return nil
	}
	return n
}

func digits(v float64, n int) float64 {
	ten := math.Pow10(n)
	return math.Round(v*ten) / ten
}

func known[T any](v *T) any {
	if v == nil {
		return nil
	}
	return *v
}
