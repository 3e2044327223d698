package query

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"testing"
)

// TestBins puts numbers into bins, and says each.
func TestBins(t *testing.T) {
	bins := []float64{1, 2, 5, 10}
	for v, want := range map[any]any{0: 0, 0.5: 0, 1: 1, 1.5: 1, 2: 2, 4: 2, 5: 3, 9.9: 3, 10: 4, 1e9: 4, -3: 0, "5": nil,
		nil: nil} {
		if got := BinOf(v, bins); got != want {
			t.Errorf("%v is in bin %v, want %v", v, got, want)
		}
	}
	write := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
	says := func(bins []float64) (out []string) {
		for at := range len(bins) + 1 {
			out = append(out, BinSays(at, bins, write))
		}
		return out
	}
	if got := says(bins); !slices.Equal(got, []string{"0", "1", "2 to 4", "5 to 9", "10 and more"}) {
		t.Errorf("%q", got)
	}
	if got := says([]float64{50, 100}); !slices.Equal(got, []string{"under 50", "50 to 99", "100 and more"}) {
		t.Errorf("%q", got)
	}
}

// garden are pages of which different things are known.
func garden(t *Table) (rows [][]any) {
	for i, facts := range []map[string]any{
		fern,
		{"address": "https://fernhollow.example/", "status": 200, "title": `The "old" \ garden`, "words": 1, "indexable": false,
			"health": 70.0, "clicks": 0, "terms": []string{"shade"}, "figures": map[string]any{"visits": 3.0}},
		{"address": "https://fernhollow.example/beds/", "status": 404, "title": "", "words": 50, "indexable": true,
			"health": 69.999, "clicks": 2},
		{"address": "https://fernhollow.example/tab", "title": "a\ttab\u0007 // and 🌿?", "words": 49, "clicks": 1,
			"figures": map[string]any{"bounce rate": 0.4, "owner": "ash || oak"}},
	} {
		facts["linksIn"] = i
		rows = append(rows, row(t, facts))
	}
	return rows
}

// holding are the places of the rows that a question holds of.
func holding(t *testing.T, of *Table, question string, rows [][]any) (out []int) {
	t.Helper()
	q, err := of.Compile(question)
	if err != nil {
		t.Fatalf("%s: %v", question, err)
	}
	for i := range rows {
		holds, err := q.Holds(rows[i])
		if err != nil {
			t.Fatalf("%s: %v", question, err)
		}
		if holds {
			out = append(out, i)
		}
	}
	return out
}

// TestNarrowed asks for the rows behind each count: exactly those that have the value counted, of those asked for.
func TestNarrowed(t *testing.T) {
	pages := TableOf("pages")
	rows := garden(pages)
	for _, question := range []string{"", "linksIn < 3", "linksIn == 0 || linksIn == 3", "linksIn != 1 // not home",
		"linksIn == 1 || linksIn == 2\n// the two", "known(clicks) ? clicks > 0 : words > 0", `title != "//"`} {
		asked := holding(t, pages, question, rows)
		for _, name := range []string{"address", "title", "status", "words", "indexable", "health", "clicks", "terms", "section",
			"figures.visits", `figures.bounce rate`, "figures.owner"} {
			picks, err := pages.Chosen(name)
			if err != nil {
				t.Fatal(err)
			}
			with := map[any][]int{}
			for _, i := range asked {
				switch v := picks[0].Of(rows[i]).(type) {
				case []string:
					for _, one := range v {
						with[one] = append(with[one], i)
					}
				default:
					with[v] = append(with[v], i)
				}
			}
			for value, want := range with {
				if value == nil && name == "terms" {
					continue // nothing has no place in a list
				}
				narrowed := pages.Narrowed(question, picks[0], value)
				if got := holding(t, pages, narrowed, rows); !slices.Equal(got, want) {
					t.Errorf("%s: rows %v, want %v", narrowed, got, want)
				}
			}
		}
		for name, bins := range map[string][]float64{"words": {1, 50, 120}, "health": {70, 91.25}, "clicks": {1, 2}} {
			p, _ := pages.Chosen(name)
			for at := range len(bins) + 1 {
				var want []int
				for _, i := range asked {
					if BinOf(rows[i][p[0].Fact], bins) == at {
						want = append(want, i)
					}
				}
				narrowed := pages.NarrowedTo(question, p[0], at, bins)
				if got := holding(t, pages, narrowed, rows); !slices.Equal(got, want) {
					t.Errorf("%s: rows %v, want %v", narrowed, got, want)
				}
			}
		}
	}
}

// TestTake takes what people write for a fact, and nothing that is another kind.
func TestTake(t *testing.T) {
	for _, c := range []struct {
		kind    Kind
		v, want any
	}{
		{Words, "moss", "moss"}, {Words, 3, nil}, {Whole, 3, 3}, {Whole, 3.0, 3}, {Whole, 3.5, nil}, {Whole, "3", nil},
		{Whole, math.Pow(2, 53), nil}, {Whole, -math.Pow(2, 53), nil}, {Whole, math.Pow(2, 53) - 1, 1<<53 - 1},
		{Decimal, 3, 3.0}, {Decimal, 0.5, 0.5}, {Decimal, "x", nil}, {YesNo, true, true}, {YesNo, 1, nil},
		{List, []any{"a", "b"}, []string{"a", "b"}}, {List, []any{}, []string{}}, {List, []any{"a", 1}, nil}, {List, "a", nil},
	} {
		f := Fact{Kind: c.kind}
		got, err := f.Take(c.v)
		if (err != nil) != (c.want == nil) ||
			err == nil && fmt.Sprintf("%T%v", got, got) != fmt.Sprintf("%T%v", c.want, c.want) {
			t.Errorf("%v as %s: %v (%v), want %v", c.v, c.kind, got, err, c.want)
		}
	}
}
