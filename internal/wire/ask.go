package wire

import (
	"cmp"
	"slices"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// FactTable is what can be asked about, with its facts.
func FactTable(in **query.Table) api.FactTable {
	t := *in
	return api.FactTable{Name: t.Name, One: t.One, Say: t.Say, Shown: t.Shown, Facts: Each(t.Facts, Fact)}
}

// Fact is what can be asked about a row.
func Fact(in *query.Fact) api.Fact {
	return api.Fact{Name: in.Name, Label: in.Label, Kind: in.Kind.String(), Unit: in.Unit, Say: in.Say, None: in.None}
}

// Answer is what a question holds of, as it was asked.
func Answer(asked *record.Asking, in *record.Answer) api.Answer {
	t := asked.Question.Of
	out := api.Answer{Of: t.Name, Columns: []api.Fact{}, Rows: in.Rows, Total: in.Total, Unjudged: in.Unjudged,
		Fault: in.Fault, Groups: some(in.Groups, factGroup(t, asked))}
	if out.Rows == nil {
		out.Rows = [][]any{}
	}
	picked := func(p query.Pick) api.Fact {
		f := t.Picked(p)
		return Fact(&f)
	}
	if asked.By.Picks() {
		out.By = picked(asked.By)
		if asked.Measure.Picks() {
			out.Measure = picked(asked.Measure)
		}
		return out
	}
	for _, p := range asked.Columns {
		out.Columns = append(out.Columns, picked(p))
	}
	if shown := asked.Skip + len(in.Rows); shown < in.Total {
		out.Next = shown
	}
	return out
}

// factGroup is a group, with the question of its rows.
func factGroup(t *query.Table, asked *record.Asking) func(*query.Group) api.FactGroup {
	return func(in *query.Group) api.FactGroup {
		out := measuredGroup(in)
		out.Question = t.Narrowed(asked.Question.Text, asked.By, in.Value)
		if at, ok := in.Value.(int); ok && asked.Bins != nil {
			out.Question = t.NarrowedTo(asked.Question.Text, asked.By, at, asked.Bins)
			out.Value = query.BinSays(at, asked.Bins, text.Figure)
		}
		return out
	}
}

// Overview is what a crawl found in numbers.
func Overview(panel *query.Panel, asked *record.Asking, in *record.Answer) api.Panel {
	answer := Answer(asked, in)
	kind := asked.Question.Of.Picked(asked.By).Kind
	sized := panel.Bins != nil || kind == query.Whole
	if sized { // from the smallest
		slices.SortStableFunc(in.Groups, func(a, b query.Group) int { return query.Compare(a.Value, b.Value) })
		answer.Groups = some(in.Groups, factGroup(asked.Question.Of, asked))
	}
	for i := range answer.Groups {
		if v := answer.Groups[i].Value; panel.Lacks != "" && (v == nil || v == "") {
			answer.Groups[i].Value = panel.Lacks
		}
	}
	return api.Panel{Name: panel.Name, Say: panel.Say, Of: answer.Of, Question: panel.Question, By: answer.By,
		Total: answer.Total, Groups: List(answer.Groups), Sized: sized}
}

// Reading is what a question says, as a form shows it.
func Reading(q *query.Question) api.QuestionReading {
	parts, whole := q.Parts()
	return api.QuestionReading{
		Whole:  whole,
		Faults: []api.Fault{},
		Parts: Each(parts, func(p *query.Part) api.QuestionPart {
			return api.QuestionPart{Fact: p.Fact, Is: p.Is, Value: p.Value}
		}),
	}
}

// FormComparison is a comparison that a form offers.
func FormComparison(in *query.Comparison) api.FormComparison {
	out := api.FormComparison{Name: in.Name, Say: in.Say, Takes: in.Takes, Write: in.Write, Kinds: []string{}}
	for _, k := range in.Kinds {
		out.Kinds = append(out.Kinds, k.String())
	}
	return out
}

func measuredGroup(in *query.Group) api.FactGroup {
	out := api.FactGroup{Value: in.Value, Count: in.Count, Share: in.Share}
	if m := in.Measured; m.Known > 0 {
		out.Measured = api.Measured{Count: m.Known, Sum: m.Sum, Least: m.Least, Most: m.Most, Mean: m.Mean,
			Median: m.Median}
	}
	return out
}

// ShippedView is a view that comes with Harvik.
func ShippedView(in *query.View) api.View {
	out := View(&record.KeptView{View: *in})
	out.Shipped = true
	return out
}

// View is a view that is kept.
func View(in *record.KeptView) api.View {
	return api.View{Name: in.Name, Say: in.Say, Of: cmp.Or(in.Of, query.Tables[0].Name), Question: in.Question,
		Columns: in.Columns, Order: in.Order, By: in.By, Measure: in.Measure, Site: in.Site}
}

// ViewFrom is a view to be kept.
func ViewFrom(name string, in *api.NewView) query.View {
	return query.View{Name: name, Say: in.Say, Of: in.Of, Question: in.Question, Columns: in.Columns, Order: in.Order,
		By: in.By, Measure: in.Measure}
}

// FieldFrom is a fact of the consultant's own, as it was sent.
func FieldFrom(in *api.Field) plan.Field {
	return plan.Field{Name: in.Name, CSS: in.CSS, XPath: in.XPath, JSON: in.JSON, Header: in.Header,
		Pattern: in.Pattern, Attribute: in.Attribute, Take: in.Take, All: in.All}
}
