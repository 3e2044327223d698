package store

import (
	"context"

	"harvik/internal/core/check"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// findingEnds are the pages that something was found on.
var findingEnds = map[string]bool{query.OfPage: true}

// askFindings finds hits among the places of findings.
func (s *Store) askFindings(ctx context.Context, crawlID int64, j *judge, take func(hit)) error {
	join, err := s.joining(ctx, crawlID, j.of.Question.Of, j.wants(), findingEnds)
	if err != nil {
		return err
	}
	checks := checksOf(j.of.Question)
	return s.eachFailing(
		ctx,
		crawlID,
		selection{checks: checks, order: "2"},
		join.places(func(id, nth int32, row []any) {
			if h, ok := j.hit(id, nth, row); ok {
				take(h)
			}
		}),
	)
}

// showFindings calls show with each place of what was found on some pages.
func (s *Store) showFindings(ctx context.Context, crawlID int64, a *record.Asking, pages []int32, show shower) error {
	join, err := s.joining(ctx, crawlID, a.Question.Of, a.Columns, findingEnds)
	if err != nil {
		return err
	}
	of := selection{checks: checksOf(a.Question), where: "and n.page_id = any($3)", order: "2", args: []any{pages}}
	return s.eachFailing(ctx, crawlID, of, join.places(show))
}

// places makes rows of findings, which come page by page: one for each place.
func (j *joining) places(f func(id, nth int32, row []any)) func(*record.PageFinding) error {
	row := j.row()
	last, nth := int32(-2), int32(0)
	return func(found *record.PageFinding) error {
		if found.Page != last {
			last, nth = found.Page, 0
			j.ends[query.OfPage].fill(row, found.Page)
		}
		for i := range found.Places {
			for _, at := range j.own {
				row[at] = findingFacts[j.table.Facts[at].Name](found, &found.Places[i])
			}
			f(found.Page, nth, row)
			nth++
		}
		return nil
	}
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
