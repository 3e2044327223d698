package store

import (
	"fmt"
	"strings"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/core/survey"
)

// askable is what facts are in SQL: NULL where they are not known, and empty words where there are none, as facts
// have it.
var askable = func() map[string]string {
	out := map[string]string{"terms": "coalesce(st.terms, '{}')"}
	for i := range column.All {
		c := &column.All[i]
		expr := aliases[c.Stored.In] + c.Stored.As
		if c.Stored.In == column.OfMore {
			expr = fmt.Sprintf("(p.more->>'%s')", c.Key)
		}
		switch c.Kind {
		case column.Whole:
			expr = "(" + expr + ")::bigint"
		case column.Decimal:
			expr = "(" + expr + ")::float8"
		case column.YesNo:
			expr = "(" + expr + ")::boolean"
		}
		out[c.Key] = expr
	}
	for key, expr := range map[string]string{
		"role":     numbered("p.role", page.RoleNames()),
		"foundBy":  numbered("a.found", survey.FoundNames()),
		"words":    wordsOfPage + "::bigint",
		"clicks":   "nullif(st.depth, -1)::bigint",
		"layout":   "nullif(st.layout, -1)::bigint",
		"health":   "nullif(st.health, -1)::float8",
		"linksIn":  "coalesce(st.links_in, 0)::bigint",
		"errors":   "coalesce(st.errors, 0)::bigint",
		"warnings": "coalesce(st.warnings, 0)::bigint",
		"notices":  "coalesce(st.notices, 0)::bigint",
	} {
		out[key] = expr
	}
	for _, key := range []string{"authority", "importance"} {
		out[key] = fmt.Sprintf("coalesce(st.%s, 0)::float8", key)
	}
	for _, key := range []string{"title", "description", "h1", "words", "indexable", "authority", "importance"} {
		out[key] = "case when p.html then " + out[key] + " end"
	}
	for _, key := range []string{"status", "bytes"} {
		out[key] = fmt.Sprintf("case when p.%[1]s > 0 then p.%[1]s::bigint end", key)
	}
	for i := range column.All {
		if k := column.All[i].Kind; k == column.Words || k == column.Address {
			out[column.All[i].Key] = "coalesce(" + out[column.All[i].Key] + ", '')"
		}
	}
	return out
}()

// numbered are the names of what is kept as a number.
func numbered(expr string, names []string) string {
	var b strings.Builder
	b.WriteString("case " + expr)
	for i, name := range names {
		fmt.Fprintf(&b, " when %d then '%s'", i, name)
	}
	return b.String() + " end"
}

// narrowing makes a WHERE of a question.
type narrowing struct {
	table *query.Table
	args  []any
}

// of is a condition that holds of every answer; sure tells that it holds of nothing else, and is not known of the
// same rows.
func (w *narrowing) of(n *query.Node) (where string, sure bool) {
	switch n.Op {
	case query.And, query.Or:
		return w.joined(n)
	case query.Opaque:
		return "true", false
	case query.Not:
		before := len(w.args)
		inner, sure := w.of(n.Parts[0])
		if !sure {
			w.args = w.args[:before] // what may hold of more may not be turned round
			return "true", false
		}
		return "not (" + inner + ")", true
	}
	if n.Op == query.Has {
		return w.has(n)
	}
	if !w.reads(n.Left) || !w.reads(n.Right) {
		return w.ofAddress(n), false
	}
	switch n.Op {
	case query.True:
		return w.operand(n.Left), true
	case query.Known:
		if expr := w.operand(n.Left); w.isWords(n.Left) {
			return expr + " <> ''", true
		} else {
			return expr + " is not null", true
		}
	case query.In:
		return w.in(n), true
	}
	left, right := w.operand(n.Left), w.operand(n.Right)
	if ordered[n.Op] && w.isWords(n.Left) {
		left, right = left+` collate "C"`, right+` collate "C"`
	}
	return fmt.Sprintf(sqlOf[n.Op], left, right), true
}

func (w *narrowing) joined(n *query.Node) (string, bool) {
	if len(n.Parts) == 0 {
		return map[query.Op]string{query.And: "true", query.Or: "false"}[n.Op], true
	}
	before := len(w.args)
	var parts []string
	all := true
	for _, p := range n.Parts {
		one, sure := w.of(p)
		if n.Op == query.Or && one == "true" && !sure {
			w.args = w.args[:before]
			return "true", false
		}
		parts, all = append(parts, "("+one+")"), all && sure
	}
	return strings.Join(parts, map[query.Op]string{query.And: " and ", query.Or: " or "}[n.Op]), all
}

func (w *narrowing) in(n *query.Node) string {
	left := w.operand(n.Left)
	var values []string
	for _, v := range n.Values {
		values = append(values, w.value(v))
	}
	return left + " in (" + strings.Join(values, ", ") + ")"
}

// lists are the facts that are lists, as conditions that they have some words among their own.
var lists = map[string]string{
	"terms": "%s = any(coalesce(st.terms, '{}'))",
	query.Fails: `(p.id in (select f.page_id from failing f where f.crawl_id = $1
		and f.checks && array(select number from check_number where id = %[1]s)) or p.id in (select f.page_id from finding f
		where f.crawl_id = $1 and f.check_id = %[1]s))`,
	query.Fixes: "p.id in (select unnest(f.pages) from fix f where f.crawl_id = $1 and f.id = %s)",
}

// has is a condition that a list has some words among its own.
func (w *narrowing) has(n *query.Node) (string, bool) {
	one := lists[w.table.Facts[n.Left.Fact].Name]
	if one == "" {
		return "true", false
	}
	return fmt.Sprintf(one, w.value(n.Right.Value)), true
}

// ofAddress is a condition that holds wherever one does that is about a part of the address as it is written.
func (w *narrowing) ofAddress(n *query.Node) string {
	if n.Left.Fact < 0 || n.Left.Length || n.Left.Small || n.Right.Fact >= 0 {
		return "true"
	}
	of := &w.table.Facts[n.Left.Fact]
	words, ok := n.Right.Value.(string)
	switch n.Op {
	case query.Equal, query.Contains, query.StartsWith, query.EndsWith:
		if ok && of.OfAddress != nil && w.table.Facts[w.table.AddressOf(n.Left.Fact)].Name == "address" && len(words) > 1 {
			return "position(" + w.value(words) + " in a.url) > 0"
		}
	}
	return "true"
}

// reads tells whether an operand stands in the database, and means the same there.
func (w *narrowing) reads(o query.Operand) bool {
	return o.Fact < 0 || askable[w.table.Facts[o.Fact].Name] != "" && !o.Small
}

func (w *narrowing) isWords(o query.Operand) bool {
	if o.Fact < 0 {
		_, ok := o.Value.(string)
		return ok
	}
	return !o.Length && w.table.Facts[o.Fact].Kind == query.Words
}

func (w *narrowing) operand(o query.Operand) string {
	switch {
	case o.Fact < 0:
		return w.value(o.Value)
	case o.Length:
		return "char_length(" + askable[w.table.Facts[o.Fact].Name] + ")::bigint"
	}
	return "(" + askable[w.table.Facts[o.Fact].Name] + ")"
}

func (w *narrowing) value(v any) string {
	w.args = append(w.args, v)
	kind := "text"
	switch v.(type) {
	case int:
		kind = "bigint"
	case float64:
		kind = "float8"
	case bool:
		kind = "boolean"
	}
	return fmt.Sprintf("$%d::%s", len(w.args), kind)
}

var ordered = map[query.Op]bool{query.Less: true, query.AtMost: true, query.More: true, query.AtLeast: true}

var sqlOf = map[query.Op]string{
	query.Equal: "%s = %s", query.Unequal: "%s <> %s", query.Less: "%s < %s", query.AtMost: "%s <= %s",
	query.More: "%s > %s", query.AtLeast: "%s >= %s", query.Contains: "position(%[2]s in %[1]s) > 0",
	query.StartsWith: "starts_with(%s, %s)", query.EndsWith: "right(%[1]s, char_length(%[2]s)) = %[2]s",
}
