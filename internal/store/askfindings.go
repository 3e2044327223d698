package store

import (
	"context"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// findingEnds are the pages that something was found on.
var findingEnds = map[string]bool{query.OfPage: true}

// findings goes over what was found, which comes page by page: each place is a row.
func (r *reading) findings(ctx context.Context) error {
	return r.found(ctx, checksOf(r.asked.Question), func(name string, f *record.PageFinding, p *check.Place) any {
		return findingFacts[name](f, p)
	})
}

// found goes over what some checks have found, or all where none are named.
func (r *reading) found(ctx context.Context, checks []string,
	fact func(name string, f *record.PageFinding, p *check.Place) any) error {
	join, err := r.joining(ctx, findingEnds)
	if err != nil {
		return err
	}
	of := selection{checks: checks, order: "1", alone: true, bare: !slices.ContainsFunc(join.own, func(at int) bool {
		name := join.table.Facts[at].Name
		return name != "check" && name != "severity" && name != "line"
	})}
	excluded := r.excluded(join, query.OfPage)
	if r.only != nil {
		of.where, of.args = "and n.page_id = any($3)", []any{r.only}
	}
	row := join.row()
	last, nth := int32(-2), int32(0)
	return r.store.eachFailing(ctx, r.crawl, of, func(found *record.PageFinding) error {
		if excluded(found.Page) {
			return nil
		}
		if found.Page != last {
			last, nth = found.Page, 0
			join.ends[query.OfPage].fill(row, found.Page)
		}
		for i := range found.Places {
			for _, at := range join.own {
				row[at] = fact(join.table.Facts[at].Name, found, &found.Places[i])
			}
			if h, ok := r.make(found.Page, nth, row); ok {
				r.take(h)
			}
			nth++
		}
		return nil
	})
}

// findingFacts are what findings say themselves.
var findingFacts = map[string]func(*record.PageFinding, *check.Place) any{
	"check": func(f *record.PageFinding, _ *check.Place) any { return f.Check },
	"severity": func(f *record.PageFinding, _ *check.Place) any {
		if f.Severity == nil {
			return ""
		}
		return f.Severity.String()
	},
	"what":   func(_ *record.PageFinding, p *check.Place) any { return p.Note },
	"value":  func(_ *record.PageFinding, p *check.Place) any { return p.Value },
	"target": func(_ *record.PageFinding, p *check.Place) any { return p.Target },
	"words":  func(_ *record.PageFinding, p *check.Place) any { return p.Words },
	"place":  func(_ *record.PageFinding, p *check.Place) any { return p.At },
	"line": func(_ *record.PageFinding, p *check.Place) any {
		if p.Line == 0 {
			return nil
		}
		return p.Line
	},
	"shared": func(_ *record.PageFinding, p *check.Place) any {
		if p.Of == 0 {
			return nil
		}
		return p.Of
	},
}

// checksOf are the checks that a question is about, where all answers have to be findings of such; none where they can
// be of any.
func checksOf(q *query.Question) []string { return checksIn(q.Of.Fact("check"), q.Node()) }

func checksIn(fact int, n *query.Node) []string {
	switch {
	case n.Op == query.Equal && n.Left.Fact == fact && n.Right.Fact < 0:
		name, _ := n.Right.Value.(string)
		return []string{name}
	case n.Op == query.In && n.Left.Fact == fact:
		var names []string
		for _, v := range n.Values {
			name, _ := v.(string)
			names = append(names, name)
		}
		return names
	case n.Op == query.And:
		for _, p := range n.Parts {
			if names := checksIn(fact, p); names != nil {
				return names
			}
		}
	}
	return nil
}
