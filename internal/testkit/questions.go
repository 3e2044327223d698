package testkit

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"harvik/internal/core/column"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/store"
)

// Facts are the values of a table's facts in some rows, read from the rows and not from the database.
func Facts(t *query.Table, rows []column.Row) (out [][]any) {
	all := make([]int, len(t.Facts))
	for at := range all {
		all[at] = at
	}
	for i := range rows {
		values := make([]any, len(t.Facts))
		t.Fill(values, "", &rows[i], all)
		out = append(out, values)
	}
	return out
}

// besides are facts that rows of lists do not have.
var besides = []string{query.Fails, query.Fixes}

// A Questioner makes questions up about rows, with values that they have, and some that they have not.
type Questioner struct {
	Rand  *rand.Rand
	Table *query.Table
	Rows  [][]any
	Tells []query.Pick // the facts that tell rows apart
}

// Any is a question of at most so many levels.
func (q *Questioner) Any(depth int) string {
	r := q.Rand
	if depth > 0 && r.IntN(3) > 0 {
		switch r.IntN(7) {
		case 0, 1:
			return q.Any(depth-1) + " && " + q.bracketed(depth-1)
		case 2, 3:
			return q.bracketed(depth-1) + " || " + q.bracketed(depth-1)
		case 4, 5:
			return "!" + q.bracketed(depth-1)
		default:
			return q.bracketed(depth-1) + " ? " + q.bracketed(depth-1) + " : " + q.bracketed(depth-1)
		}
	}
	return q.simple()
}

func (q *Questioner) bracketed(depth int) string { return "(" + q.Any(depth) + ")" }

func (q *Questioner) simple() string {
	r := q.Rand
	at := r.IntN(len(q.Table.Facts))
	for q.Table.Facts[at].Long || slices.Contains(besides, q.Table.Facts[at].Name) ||
		q.Table.Facts[at].Kind == query.Links { // rows do not have it
		at = r.IntN(len(q.Table.Facts))
	}
	f := &q.Table.Facts[at]
	sign := []string{"==", "!=", "<", "<=", ">", ">="}[r.IntN(6)]
	switch {
	case r.IntN(12) == 0:
		return "known(" + f.Name + ")"
	case r.IntN(60) == 0:
		return []string{"true", "false", "1 < 2"}[r.IntN(3)]
	case f.Kind == query.YesNo && r.IntN(2) == 0:
		return f.Name
	case f.Kind == query.YesNo:
		return fmt.Sprintf("%s %s %v", f.Name, sign[:1]+"=", r.IntN(2) == 0)
	case f.Kind == query.List:
		return []string{
			"size(" + f.Name + ") > 2", f.Name + ".exists(x, x.startsWith(\"p\"))",
			q.words(r.IntN(len(q.Table.Facts))) + " in " + f.Name,
		}[r.IntN(3)]
	case f.Kind == query.Figures:
		return []string{"figures.visits > 10", "figures[\"nothing\"] == 3", "!(figures.visits <= 20.5)"}[r.IntN(3)]
	case f.Kind == query.Words:
		return q.ofWords(at, sign)
	}
	other := r.IntN(len(q.Table.Facts))
	equals := sign == "==" || sign == "!="
	switch kind := q.Table.Facts[other].Kind; r.IntN(8) {
	case 0:
		if kind == f.Kind || !equals && (kind == query.Whole || kind == query.Decimal) {
			return f.Name + " " + sign + " " + q.Table.Facts[other].Name
		}
	case 1:
		return fmt.Sprintf("%s + 1 %s %s", q.asWhole(at), sign, q.whole(at))
	case 2:
		return fmt.Sprintf("100 / %s > 3", q.asWhole(at))
	case 5:
		if r.IntN(6) == 0 {
			return f.Name + " in []"
		}
	case 3:
		if f.Kind == query.Whole {
			return fmt.Sprintf("%s in [%s, %s]", f.Name, q.whole(at), q.whole(at))
		}
	case 4:
		if !equals {
			return q.number(at) + " " + sign + " " + f.Name
		}
	}
	switch {
	case equals && f.Kind == query.Whole:
		return f.Name + " " + sign + " " + q.whole(at)
	case equals:
		return f.Name + " " + sign + " double(" + q.whole(at) + ")"
	}
	return f.Name + " " + sign + " " + q.number(at)
}

func (q *Questioner) ofWords(at int, sign string) string {
	r := q.Rand
	name := q.Table.Facts[at].Name
	other := at
	for range 5 {
		if i := r.IntN(len(q.Table.Facts)); q.Table.Facts[i].Kind == query.Words && !q.Table.Facts[i].Long {
			other = i
		}
	}
	call := []string{"contains", "startsWith", "endsWith"}[r.IntN(3)]
	switch r.IntN(9) {
	case 0:
		return fmt.Sprintf("size(%s) %s %d", name, sign, r.IntN(60))
	case 1:
		return fmt.Sprintf("%s in [%s, %s]", name, q.words(at), q.words(at))
	case 2:
		return fmt.Sprintf(
			"%s.matches(%s)",
			name,
			[]string{`"(?i)^f"`, `"[0-9]+"`, `"\\.$"`, `"é|ö"`, `"(?s)^.{3}$"`}[r.IntN(5)],
		)
	case 3:
		return fmt.Sprintf("%s.lower().contains(%s)", name, q.words(other))
	case 4:
		return name + " " + sign + " " + q.Table.Facts[other].Name
	case 5, 6:
		return fmt.Sprintf("%s.%s(%s)", name, call, q.words(at))
	case 7:
		return fmt.Sprintf("%s.%s(%s)", name, call, q.Table.Facts[other].Name)
	}
	return name + " " + sign + " " + q.words(at)
}

// value is that of a fact in some row.
func (q *Questioner) value(at int) any { return q.Rows[q.Rand.IntN(len(q.Rows))][at] }

// words are those of a fact, a part of them, or others.
func (q *Questioner) words(at int) string {
	s, _ := q.value(at).(string)
	runes := []rune(s)
	switch q.Rand.IntN(6) {
	case 0:
		s = []string{"", "%", "_", `\`, "é", "'", "\"", "日", "\u0301", "\U0001F33F", " ", "ß"}[q.Rand.IntN(12)]
	case 1, 2:
		if len(runes) > 1 {
			from := q.Rand.IntN(len(runes) - 1)
			s = string(runes[from : from+1+q.Rand.IntN(len(runes)-from-1)])
		}
	case 3:
		s = string(runes[:len(runes)/2])
	}
	return strconv.Quote(strings.ToValidUTF8(s, "?"))
}

// asWhole is a fact as a whole number.
func (q *Questioner) asWhole(at int) string {
	if q.Table.Facts[at].Kind == query.Decimal {
		return "int(" + q.Table.Facts[at].Name + ")"
	}
	return q.Table.Facts[at].Name
}

func (q *Questioner) whole(at int) string {
	n, _ := query.NumberOf(q.value(at))
	return strconv.Itoa(int(n) + q.Rand.IntN(3) - 1)
}

func (q *Questioner) number(at int) string {
	n, ok := query.NumberOf(q.value(at))
	switch {
	case q.Rand.IntN(12) == 0:
		return []string{"0", "-1", "9007199254740993", "1e300", "0.1", "-0.0", "1u"}[q.Rand.IntN(7)]
	case !ok:
		return "1"
	case q.Table.Facts[at].Kind == query.Whole && q.Rand.IntN(4) > 0:
		return q.whole(at)
	}
	s := strconv.FormatFloat(n, 'f', -1, 64)
	if !strings.Contains(s, ".") {
		s += ".0"
	}
	return s
}

// AskBothWays asks so many questions of a crawl, and holds what the store answers against what each question says
// of each row by itself.
func (q *Questioner) AskBothWays(t *testing.T, s *store.Store, crawl, site int64, n int) {
	t.Helper()
	some, none, mixed := 0, 0, 0
	told := func(row []any, at []query.Pick) (out string) {
		for _, p := range at {
			out += fmt.Sprint(p.Of(row)) + " "
		}
		return out
	}
	shown := make([]query.Pick, len(q.Tells))
	for i := range shown {
		shown[i].Fact = i
	}
	for range n {
		text := q.Any(3)
		question, err := q.Table.Compile(text)
		if err != nil {
			t.Fatalf("%s\n%v", text, err)
		}
		var want []string
		order, falling := query.Pick{Fact: q.Rand.IntN(len(q.Table.Facts)+1) - 1}, q.Rand.IntN(2) == 0
		if order.Picks() {
			switch f := &q.Table.Facts[order.Fact]; {
			case f.Kind == query.Links:
				order = query.Nothing
			case f.Kind == query.Figures:
				order.Figure = "visits"
			case f.Long, slices.Contains(besides, f.Name):
				order = query.Nothing
			}
		}
		at := q.inOrder(order, falling)
		unjudged := 0
		for _, i := range at {
			holds, err := question.Holds(q.Rows[i])
			if err != nil {
				unjudged++
			}
			if holds {
				want = append(want, told(q.Rows[i], q.Tells))
			}
		}
		skip, limit := 0, 10_000
		if q.Rand.IntN(4) == 0 {
			skip, limit = q.Rand.IntN(20), 1+q.Rand.IntN(20)
		}
		got, err := s.Ask(
			context.Background(),
			crawl,
			record.Asking{Site: site, Skip: skip, Limit: limit, Asked: query.Asked{Question: question,
				Columns: q.Tells, Order: order, Falling: falling, By: query.Nothing, Measure: query.Nothing}},
		)
		if err != nil {
			t.Fatalf("%s\n%v", text, err)
		}
		var found []string
		for _, row := range got.Rows {
			found = append(found, told(row, shown))
		}
		whole := len(want)
		want = want[min(skip, whole):]
		want = want[:min(limit, len(want))]
		if got.Total != whole || !slices.Equal(found, want) {
			first := 0
			for first < min(len(found), len(want)) && found[first] == want[first] {
				first++
			}
			t.Fatalf(
				"%s\nby %v, falling %v, from %d, at most %d: %d answers, want %d; from the %dth on\n%q\nwant\n%q",
				text,
				order,
				falling,
				skip,
				limit,
				got.Total,
				whole,
				first,
				found[first:min(first+2, len(found))],
				want[first:min(first+2, len(want))],
			)
		}
		switch {
		case whole == 0:
			none++
		case whole == len(q.Rows):
		default:
			some++
		}
		if unjudged > 0 && got.Unjudged > 0 {
			mixed++
		}
	}
	t.Logf("%d questions of %d rows: %d hold of some, %d of none; %d cannot be answered of some", n, len(q.Rows), some,
		none, mixed)
	if some < n/10 {
		t.Errorf("only %d of %d questions hold of some rows and not of others", some, n)
	}
}

// inOrder are the numbers of rows, sorted by a fact.
func (q *Questioner) inOrder(by query.Pick, falling bool) []int {
	rows := q.Rows
	at := make([]int, len(rows))
	for i := range at {
		at[i] = i
	}
	if !by.Picks() {
		return at
	}
	var nothing any
	if by.Figure == "" {
		nothing = q.Table.Facts[by.Fact].Nothing()
	}
	compare := query.Compare
	if falling {
		compare = query.CompareFalling
	}
	slices.SortStableFunc(at, func(a, b int) int {
		x, y := by.Of(rows[a]), by.Of(rows[b])
		if x == nil {
			x = nothing
		}
		if y == nil {
			y = nothing
		}
		return compare(x, y)
	})
	return at
}
