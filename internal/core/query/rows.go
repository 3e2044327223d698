package query

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
)

// columnOf is the column that a fact of fetched addresses shows, nil for one that shows none.
func columnOf(name string) *column.Column {
	at := slices.IndexFunc(column.All, func(c column.Column) bool { return c.Key == name })
	if at < 0 {
		return nil
	}
	return &column.All[at]
}

// Fill puts what is known of a fetched address into a row, as far as it is wanted: those facts whose names begin with a
// prefix, such as Source, and for "" those that belong to nothing else.
func (t *Table) Fill(row []any, prefix string, of *column.Row, wanted []int) {
	for _, at := range wanted {
		f := &t.Facts[at]
		name, ok := strings.CutPrefix(f.Name, prefix)
		if !ok || prefix == "" && strings.Contains(name, ".") {
			continue
		}
		switch c := t.shows[at]; {
		case c != nil:
			row[at] = c.Value(of)
		case name == "terms":
			row[at] = of.Terms
		case name == "figures":
			row[at] = of.Figures
		case name == column.Fields:
			row[at], _ = of.More[column.Fields].(map[string]any)
		case f.OfAddress != nil:
			row[at] = f.OfAddress(of.Address)
		}
		if row[at] == nil { // it was fetched
			row[at] = f.Kind.nothing()
		}
	}
}

// LinkFact reads what links say themselves; nil where a link's ends say it.
func LinkFact(name string) func(*page.Link) any { return linkFacts[name] }

var linkFacts = map[string]func(*page.Link) any{
	"words":    func(l *page.Link) any { return cmp.Or(l.Words, l.Label) },
	"place":    func(l *page.Link) any { return l.Place },
	"region":   func(l *page.Link) any { return l.Region.String() },
	"follow":   func(l *page.Link) any { return !l.NoFollow },
	"hidden":   func(l *page.Link) any { return l.Hidden },
	"scripted": func(l *page.Link) any { return l.Scripted },
	"fragment": func(l *page.Link) any { return l.Fragment },
	"line":     func(l *page.Link) any { return l.Line },
}

// A Redirect is an address that leads on, with its whole way: the address first, the end last.
type Redirect struct {
	Hops      []string
	Circle    bool
	Status    int // of the first answer
	EndStatus int // 0 where the end gave no answer
	LinksIn   int
}

// FillRedirect puts a redirect into a row of the table of redirects.
func (t *Table) FillRedirect(row []any, r *Redirect, wanted []int) {
	last := len(r.Hops) - 1
	for name, v := range map[string]any{
		"address": r.Hops[0], "status": r.Status, "to": r.Hops[1], "linksIn": r.LinksIn, "hops": last,
		"way": r.Hops[1:last], "circle": r.Circle, "end": r.Hops[last], "endStatus": nil,
	} {
		row[t.Fact(name)] = v
	}
	if r.EndStatus > 0 {
		row[t.Fact("endStatus")] = r.EndStatus
	}
	t.Complete(row, wanted)
}

// Take is a value, as it was written by a person, as one of the fact.
func (f *Fact) Take(v any) (any, error) {
	switch number, isNumber := NumberOf(v); f.Kind {
	case Words:
		if text, ok := v.(string); ok {
			return text, nil
		}
	case Whole:
		if isNumber && number == math.Trunc(number) && math.Abs(number) < 1<<53 {
			return int(number), nil
		}
	case Decimal:
		if isNumber {
			return number, nil
		}
	case YesNo:
		if yes, ok := v.(bool); ok {
			return yes, nil
		}
	case List:
		if list, ok := v.([]any); ok {
			out := []string{}
			for _, one := range list {
				text, ok := one.(string)
				if !ok {
					return nil, fmt.Errorf("a list of words is wanted")
				}
				out = append(out, text)
			}
			return out, nil
		}
	}
	return nil, fmt.Errorf("%v is not %s", v, f.Kind.Says())
}
