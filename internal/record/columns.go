package record

import (
	"math"
	"slices"
	"strings"
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

// A Column is one property of a fetched address. Lists, files and the API know it by the same name: the key in
// JSON and in queries, the name, which is the key in words, wherever people read it.
type Column struct {
	Key, Name string
	Kind      Kind
	Unit      string  // such as ms; "" for none
	Width     float64 // that cells usually need, in characters
	Of        func(*PageRow) any
}

// Columns are all properties of an address that was fetched, in the order in which they are listed. A cell is nil
// where a property is not known or makes no sense.
var Columns = []Column{
	{"address", "address", Address, "", 60, func(p *PageRow) any { return p.Address }},
	{"role", "role", Words, "", 10, func(p *PageRow) any { return p.Role }},
	{"status", "status", Whole, "", 8, func(p *PageRow) any { return positive(p.Status) }},
	{"outcome", "outcome", Words, "", 12, func(p *PageRow) any { return p.Outcome }},
	{"type", "type", Words, "", 18, func(p *PageRow) any { return said(p.Type) }},
	{"encoding", "encoding", Words, "", 10, func(p *PageRow) any { return said(p.Encoding) }},
	{"indexable", "indexable", YesNo, "", 10, func(p *PageRow) any { return p.ofPage(p.Indexable) }},
	{"why", "why", Words, "", 30, func(p *PageRow) any { return said(p.Why) }},
	{"kind", "kind", Words, "", 12, func(p *PageRow) any { return said(p.Kind) }},
	{"title", "title", Words, "", 50, func(p *PageRow) any { return p.ofPage(p.Title) }},
	{"description", "description", Words, "", 60, func(p *PageRow) any { return p.ofPage(p.Description) }},
	{"h1", "h1", Words, "", 40, func(p *PageRow) any { return p.ofPage(p.H1) }},
	{"headings", "headings", Whole, "", 9, func(p *PageRow) any { return known(p.Headings) }},
	{"words", "words", Whole, "", 9, func(p *PageRow) any { return p.ofPage(p.Words) }},
	{"language", "language", Words, "", 10, func(p *PageRow) any { return said(p.Language) }},
	{"hreflang", "hreflang", Words, "", 24, func(p *PageRow) any { return said(p.Hreflang) }},
	{"canonical", "canonical", Words, "", 60, func(p *PageRow) any { return said(p.Canonical) }},
	{"robots", "robots", Words, "", 24, func(p *PageRow) any { return said(p.Robots) }},
	{"refresh", "refresh", Words, "", 30, func(p *PageRow) any { return said(p.Refresh) }},
	{"redirect", "redirect", Address, "", 60, func(p *PageRow) any { return said(p.Redirect) }},
	{"bytes", "bytes", Whole, "bytes", 10, func(p *PageRow) any { return positive(p.Bytes) }},
	{"firstByte", "first byte", Whole, "ms", 10, func(p *PageRow) any { return p.FirstByte }},
	{"images", "images", Whole, "", 8, func(p *PageRow) any { return known(p.Images) }},
	{"linksOut", "links out", Whole, "", 9, func(p *PageRow) any { return known(p.LinksOut) }},
	{"linksIn", "links in", Whole, "", 9, func(p *PageRow) any { return p.LinksIn }},
	{"clicks", "clicks", Whole, "", 8, func(p *PageRow) any { return known(p.Clicks) }},
	{"foundBy", "found by", Words, "", 10, func(p *PageRow) any { return p.FoundBy }},
	{"inSitemap", "in sitemap", YesNo, "", 10, func(p *PageRow) any { return p.InSitemap }},
	{"layout", "layout", Whole, "", 8, func(p *PageRow) any { return known(p.Layout) }},
	{"authority", "authority", Decimal, "", 10, func(p *PageRow) any { return p.ofPage(digits(p.Authority, 4)) }},
	{"importance", "importance", Decimal, "", 12, func(p *PageRow) any { return p.ofPage(digits(p.Importance, 4)) }},
	{"health", "health", Decimal, "points", 10, func(p *PageRow) any { return score(p.Health) }},
	{"errors", "errors", Whole, "", 8, func(p *PageRow) any { return p.Errors }},
	{"warnings", "warnings", Whole, "", 9, func(p *PageRow) any { return p.Warnings }},
	{"notices", "notices", Whole, "", 8, func(p *PageRow) any { return p.Notices }},
}

// ColumnKeys are the keys of all columns.
func ColumnKeys() []string {
	keys := make([]string, len(Columns))
	for i := range Columns {
		keys[i] = Columns[i].Key
	}
	return keys
}

// ColumnsOf are the columns of some keys or names, in that order; of unknown ones nothing.
func ColumnsOf(names ...string) (out []Column) {
	for _, n := range names {
		if i := slices.IndexFunc(Columns, func(c Column) bool { return SameName(c.Key, n) }); i >= 0 {
			out = append(out, Columns[i])
		}
	}
	return out
}

// SameName tells whether two names of a column are the same, however spaced and capitalised: "linksIn" and "links in".
func SameName(a, b string) bool { return folded(a) == folded(b) }

func folded(name string) string {
	return strings.ToLower(strings.NewReplacer(" ", "", "-", "", "_", "").Replace(name))
}

// ofPage is a cell that only an HTML page has.
func (p *PageRow) ofPage(v any) any {
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

func score(v *float64) any {
	if v == nil {
		return nil
	}
	return digits(*v, 2)
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
