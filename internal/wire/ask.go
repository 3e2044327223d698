package wire

import (
	"cmp"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
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
		Fault: in.Fault, Groups: some(in.Groups, factGroup)}
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

func factGroup(in *query.Group) api.FactGroup {
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
