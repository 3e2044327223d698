package query_test

import (
	"errors"
	"math/rand/v2"
	"testing"

	"harvik/internal/core/query"
	"harvik/internal/testkit"
)

// TestPlainly: what is told without CEL is what CEL tells, of whatever is asked and known.
func TestPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 28))
	pages := query.TableOf("pages")
	words := []string{"", "fern", "Fern", "fern moss", "é", "日本", "%", `\`, "http://fernhollow.example/a/b?c"}
	var rows [][]any
	all := make([]int, len(pages.Facts))
	for i := range all {
		all[i] = i
	}
	for range 60 {
		row := make([]any, len(pages.Facts))
		for at, f := range pages.Facts {
			switch known := r.IntN(4) > 0; {
			case !known:
			case f.Kind == query.Words:
				row[at] = words[r.IntN(len(words))]
			case f.Kind == query.Whole:
				row[at] = r.IntN(5) * 10
			case f.Kind == query.Decimal:
				row[at] = float64(r.IntN(9)) / 2
			case f.Kind == query.YesNo:
				row[at] = r.IntN(2) == 0
			case f.Kind == query.List:
				row[at] = words[:r.IntN(4)]
			}
		}
		pages.Complete(row, all)
		rows = append(rows, row)
	}
	q := &testkit.Questioner{Rand: r, Table: pages, Rows: rows}
	held, faults := 0, 0
	for range 3000 {
		text := q.Any(3)
		question, err := pages.Compile(text)
		if err != nil {
			t.Fatalf("%s\n%v", text, err)
		}
		for _, row := range rows {
			got, fault := question.Holds(row)
			want, wrong := question.ByCEL(row)
			if got != want || (fault == nil) != (wrong == nil) || fault != nil && !errors.Is(fault, query.ErrUnjudged) {
				t.Fatalf("%s\n%v\n%v (%v), by CEL %v (%v)", text, row, got, fault, want, wrong)
			}
			if got {
				held++
			}
			if fault != nil {
				faults++
			}
		}
	}
	if held < 20_000 || faults == 0 {
		t.Errorf("only %d rows hold, %d cannot be told", held, faults)
	}
}
