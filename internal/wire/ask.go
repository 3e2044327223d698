package wire

import (
	"harvik/internal/api"
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
	if asked.By >= 0 {
		out.By = Fact(&t.Facts[asked.By])
		if asked.Measure >= 0 {
			out.Measure = Fact(&t.Facts[asked.Measure])
		}
		return out
	}
	for _, at := range asked.Columns {
		out.Columns = append(out.Columns, Fact(&t.Facts[at]))
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
