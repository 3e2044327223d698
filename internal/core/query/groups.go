package query

import (
	"cmp"
	"errors"
	"slices"
	"strings"
)

// Compare orders two values of a fact: by number, by the bytes of words, false before true. What is not known
// comes last.
func Compare(a, b any) int {
	switch {
	case a == nil && b == nil:
		return 0
	case a == nil:
		return 1
	case b == nil:
		return -1
	}
	switch a := a.(type) {
	case int:
		if b, ok := b.(int); ok {
			return cmp.Compare(a, b)
		}
	case string:
		b, _ := b.(string)
		return strings.Compare(a, b)
	case bool:
		b, _ := b.(bool)
		return cmp.Compare(bit(a), bit(b))
	case []string:
		b, _ := b.([]string)
		return slices.Compare(a, b)
	}
	x, _ := NumberOf(a)
	y, _ := NumberOf(b)
	return cmp.Compare(x, y)
}

// CompareFalling is Compare the other way round; what is not known still comes last.
func CompareFalling(a, b any) int {
	if a == nil || b == nil {
		return Compare(a, b)
	}
	return Compare(b, a)
}

func bit(b bool) int {
	if b {
		return 1
	}
	return 0
}

// NumberOf is a value as a number, where it is one.
func NumberOf(v any) (float64, bool) {
	switch v := v.(type) {
	case int:
		return float64(v), true
	case float64:
		return v, true
	}
	return 0, false
}

// A Group is what answers have in common in one fact.
type Group struct {
	Value any // nil where it is not known
	Count int
	Share float64 // of all answers, 0 to 1
	Measured
}

// Measured is a fact over the answers of a group of which it is known. Known is 0 where nothing is measured.
type Measured struct {
	Known                          int
	Sum, Least, Most, Mean, Median float64
}

// A Tally gathers groups. The zero value is ready.
type Tally struct {
	at     map[any]int
	groups []Group
	values [][]float64
	total  int
}

// Add takes an answer in, by its value and what is measured of it. A list stands in each group that it names.
func (t *Tally) Add(value, measured any) {
	t.total++
	list, ok := value.([]string)
	if !ok {
		t.add(value, measured)
		return
	}
	for i, one := range list {
		if !slices.Contains(list[:i], one) {
			t.add(one, measured)
		}
	}
	if len(list) == 0 {
		t.add(nil, measured)
	}
}

func (t *Tally) add(value, measured any) {
	if t.at == nil {
		t.at = map[any]int{}
	}
	i, ok := t.at[value]
	if !ok {
		i = len(t.groups)
		t.at[value] = i
		t.groups, t.values = append(t.groups, Group{Value: value}), append(t.values, nil)
	}
	t.groups[i].Count++
	if v, ok := NumberOf(measured); ok {
		t.values[i] = append(t.values[i], v)
	}
}

// Groups are the groups, the largest first; of equal ones in order of their values.
func (t *Tally) Groups() []Group {
	for i := range t.groups {
		g := &t.groups[i]
		g.Share = float64(g.Count) / float64(t.total)
		v := t.values[i]
		if len(v) == 0 {
			continue
		}
		slices.Sort(v)
		sum := 0.0
		for _, one := range v {
			sum += one
		}
		g.Measured = Measured{Known: len(v), Sum: sum, Least: v[0], Most: v[len(v)-1], Mean: sum / float64(len(v)),
			Median: (v[(len(v)-1)/2] + v[len(v)/2]) / 2}
	}
	out := slices.Clone(t.groups)
	slices.SortStableFunc(out, func(a, b Group) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), Compare(a.Value, b.Value))
	})
	return out
}

// A Pick is what is shown, sorted, grouped or measured by: a fact, or one of the figures.
type Pick struct {
	Fact   int    // its place in the table; −1 for nothing
	Figure string // which of the figures, where the fact is those
}

// Nothing picks nothing.
var Nothing = Pick{Fact: -1}

// Picks tells whether anything is picked.
func (p Pick) Picks() bool { return p.Fact >= 0 }

// Of is what a row has there; nil for what is not known.
func (p Pick) Of(row []any) any {
	if p.Figure == "" {
		return row[p.Fact]
	}
	figures, _ := row[p.Fact].(map[string]any)
	return figures[p.Figure]
}

// Picked is what a pick picks, described.
func (t *Table) Picked(p Pick) Fact {
	f := t.Facts[p.Fact]
	if p.Figure != "" {
		f.Name, f.Label, f.Kind = f.Name+"."+p.Figure, p.Figure, Decimal
	}
	return f
}

// Chosen are facts by their names. The error says which there is not.
func (t *Table) Chosen(names ...string) (out []Pick, err error) {
	for _, name := range names {
		name = strings.TrimSpace(name)
		if at := t.Fact(name); at >= 0 {
			out = append(out, Pick{Fact: at})
			continue
		}
		of, figure, _ := strings.Cut(name, ".")
		at := t.place(of)
		if at < 0 || t.Facts[at].Kind != Figures || figure == "" {
			return nil, errors.New(t.noSuchFact(name))
		}
		out = append(out, Pick{at, figure})
	}
	return out, nil
}
