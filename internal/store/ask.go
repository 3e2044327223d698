package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// askedWithin bounds the time of a question.
const askedWithin = 30 * time.Second

// mostGroups bounds the groups of an answer; the largest are kept.
const mostGroups = 10_000

// ErrTooLong is that of a question that took longer than questions may.
var ErrTooLong = errors.New(
	"the question took longer than 30 seconds and was broken off: narrow it, so that fewer rows have to be read",
)

// Ask answers a question: the database leaves out what it is sure is no answer, and the question itself judges the
// rest.
func (s *Store) Ask(ctx context.Context, crawlID int64, a record.Asking) (record.Answer, error) {
	limited, end := context.WithTimeoutCause(ctx, askedWithin, ErrTooLong)
	defer end()
	out, err := s.ask(limited, crawlID, &a)
	if err != nil && context.Cause(limited) == ErrTooLong {
		return out, ErrTooLong
	}
	return out, err
}

// A hit is a row that is an answer, or of which that cannot be told.
type hit struct {
	id, nth     int32 // the address, and which of its rows
	key         any   // what it is sorted or grouped by
	measured    any
	unjudgeable error
}

// judge makes hits of rows. It is safe for use from several goroutines.
type judge struct {
	of   *record.Asking
	sure bool // every row is a hit
}

func (j *judge) hit(id, nth int32, row []any) (h hit, ok bool) {
	h.id, h.nth = id, nth
	if !j.sure {
		holds, err := j.of.Question.Holds(row)
		if err != nil {
			h.unjudgeable = err
			return h, true
		}
		if !holds {
			return h, false
		}
	}
	switch {
	case j.of.By >= 0:
		h.key = row[j.of.By]
		if j.of.Measure >= 0 {
			h.measured = row[j.of.Measure]
		}
	case j.of.Order >= 0:
		h.key = row[j.of.Order]
	}
	return h, true
}

// wants are the facts that a judge needs.
func (j *judge) wants() (out []int) {
	if !j.sure {
		out = append(out, j.of.Question.Uses...)
	}
	switch {
	case j.of.By >= 0 && j.of.Measure >= 0:
		out = append(out, j.of.By, j.of.Measure)
	case j.of.By >= 0:
		out = append(out, j.of.By)
	case j.of.Order >= 0:
		out = append(out, j.of.Order)
	}
	return out
}

func (s *Store) ask(ctx context.Context, crawlID int64, a *record.Asking) (out record.Answer, err error) {
	var hits []hit
	var groups query.Tally
	take := func(h hit) {
		if h.unjudgeable != nil {
			if out.Unjudged++; out.Unjudged == 1 {
				out.Fault = h.unjudgeable.Error()
			}
			return
		}
		out.Total++
		switch {
		case a.By >= 0:
			groups.Add(h.key, h.measured)
		case a.Order >= 0, out.Total > a.Skip && len(hits) < a.Limit:
			hits = append(hits, h)
		}
	}
	switch a.Question.Of.Name {
	case "links":
		err = s.askLinks(ctx, crawlID, &judge{of: a}, take)
	case "redirects":
		err = s.askRedirects(ctx, crawlID, &judge{of: a}, take)
	case "findings":
		err = s.askFindings(ctx, crawlID, &judge{of: a}, take)
	default:
		err = s.askPages(ctx, crawlID, a, take)
	}
	if err != nil || a.By >= 0 {
		out.Groups = groups.Groups()
		out.Groups = out.Groups[:min(mostGroups, len(out.Groups))]
		return out, err
	}
	if a.Order >= 0 {
		compare := query.Compare
		if a.Falling {
			compare = query.CompareFalling
		}
		slices.SortStableFunc(hits, func(x, y hit) int { return compare(x.key, y.key) }) // they come as they were found
		hits = hits[min(a.Skip, len(hits)):]
		hits = hits[:min(a.Limit, len(hits))]
	}
	out.Rows = make([][]any, len(hits))
	if len(hits) == 0 {
		return out, nil
	}
	at := make(map[[2]int32]int, len(hits))
	var ids []int32
	for i, h := range hits {
		at[[2]int32{h.id, h.nth}] = i
		ids = append(ids, h.id)
	}
	show := func(id, nth int32, row []any) {
		i, ok := at[[2]int32{id, nth}]
		if !ok {
			return
		}
		shown := make([]any, len(a.Columns))
		for k, c := range a.Columns {
			shown[k] = row[c]
		}
		out.Rows[i] = shown
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	switch a.Question.Of.Name {
	case "links":
		return out, s.showLinks(ctx, crawlID, a, ids, show)
	case "redirects":
		return out, s.showRedirects(ctx, crawlID, a, show)
	case "findings":
		return out, s.showFindings(ctx, crawlID, a, ids, show)
	}
	scan := &rowScan{store: s, crawl: crawlID, site: a.Site, table: a.Question.Of}
	scan.want(a.Columns...)
	return out, scan.each(ctx, "p.id = any($2)", []any{crawlID, ids}, func(id int32, row []any) error {
		show(id, 0, row)
		return nil
	})
}

// A shower takes rows of an address in; nth tells them apart.
type shower func(id, nth int32, row []any)

// askPages finds hits among fetched addresses: the database leaves out what is sure to be none.
func (s *Store) askPages(ctx context.Context, crawlID int64, a *record.Asking, take func(hit)) error {
	w := narrowing{table: a.Question.Of, args: []any{crawlID}}
	j := &judge{of: a}
	var where string
	where, j.sure = w.of(a.Question.Node())
	scan := &rowScan{store: s, crawl: crawlID, site: a.Site, table: a.Question.Of}
	scan.want(j.wants()...)
	return scan.each(ctx, where, w.args, func(id int32, row []any) error {
		if h, ok := j.hit(id, 0, row); ok {
			take(h)
		}
		return nil
	})
}

// roleOf narrows a table's rows to what they are to the site.
var roleOf = map[string]string{"pages": "p.role = 0", "resources": "p.role <> 0"}

// A rowScan reads rows of a table as far as they are wanted.
type rowScan struct {
	store  *Store
	crawl  int64
	site   int64
	table  *query.Table
	every  bool // whatever it is to the site
	wanted []int
}

// want adds facts, and those that they are told by.
func (r *rowScan) want(facts ...int) {
	for _, at := range facts {
		if f := &r.table.Facts[at]; f.OfAddress != nil || f.Kind == query.Figures {
			r.want(r.table.AddressOf(at))
		}
		if !slices.Contains(r.wanted, at) {
			r.wanted = append(r.wanted, at)
		}
	}
}

// each calls f with each row of which a condition holds, in the order in which they were found; row is used again.
func (r *rowScan) each(ctx context.Context, where string, args []any, f func(id int32, row []any) error) error {
	t := r.table
	selected := []string{"p.id"}
	cells := []any{new(int32)}
	var read []int // the facts that stand in the rows
	figures, text := -1, -1
	for _, at := range r.wanted {
		fact := &t.Facts[at]
		switch {
		case fact.OfAddress != nil:
		case fact.Long:
			text = at
		case fact.Kind == query.Figures:
			figures = at
		default:
			selected = append(selected, askable[fact.Name])
			cells, read = append(cells, cellOf(fact.Kind)), append(read, at)
		}
	}
	var own map[string]map[string]any
	if figures >= 0 {
		var err error
		if own, err = r.store.allFigures(ctx, r.site); err != nil {
			return err
		}
	}
	list := strings.Join(selected, ", ")
	role := roleOf[t.Name]
	if r.every {
		role = "true"
	}
	rows, err := r.store.pool.Query(ctx, "select "+list+fromFor(list+where)+" where p.crawl_id = $1 and "+role+
		" and ("+where+") order by p.id", args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	row := make([]any, len(t.Facts))
	var held heldRows
	for rows.Next() {
		if err := rows.Scan(cells...); err != nil {
			return err
		}
		for i, at := range read {
			row[at] = valueOf(cells[i+1])
		}
		t.Complete(row, r.wanted)
		if figures >= 0 {
			address, _ := row[t.Fact("address")].(string)
			row[figures] = own[address]
		}
		id := *cells[0].(*int32)
		if text >= 0 {
			held.add(id, row, r.wanted)
		} else if err := f(id, row); err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil || text < 0 {
		return err
	}
	rows.Close() // who held a connection and waited for another could wait for those who do the same
	return r.withTexts(ctx, &held, text, f)
}

// heldRows are rows that wait for what stands apart from them, as far as they are wanted.
type heldRows struct {
	ids  []int32
	rows [][]any
}

func (h *heldRows) add(id int32, row []any, wanted []int) {
	kept := make([]any, len(wanted))
	for i, at := range wanted {
		kept[i] = row[at]
	}
	h.ids, h.rows = append(h.ids, id), append(h.rows, kept)
}

// withTexts calls f with held rows and their texts, which are read for many at once.
func (r *rowScan) withTexts(ctx context.Context, held *heldRows, text int, f func(id int32, row []any) error) error {
	row := make([]any, len(r.table.Facts))
	source := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	for from := 0; from < len(held.ids); from += readBatch {
		ids := held.ids[from:min(from+readBatch, len(held.ids))]
		texts := map[int32]string{}
		if err := source.EachText(ids, func(id int32, main string) { texts[id] = main }); err != nil {
			return err
		}
		for i, id := range ids {
			for k, at := range r.wanted {
				row[at] = held.rows[from+i][k]
			}
			row[text] = texts[id]
			if err := f(id, row); err != nil {
				return err
			}
		}
	}
	return nil
}

// cellOf is where a value of a kind is read into.
func cellOf(k query.Kind) any {
	switch k {
	case query.Whole:
		return new(pgtype.Int8)
	case query.Decimal:
		return new(pgtype.Float8)
	case query.YesNo:
		return new(pgtype.Bool)
	case query.List:
		return new([]string)
	}
	return new(string)
}

// valueOf is what was read, nil for what is not known.
func valueOf(cell any) any {
	switch c := cell.(type) {
	case *pgtype.Int8:
		if c.Valid {
			return int(c.Int64)
		}
	case *pgtype.Float8:
		if c.Valid {
			return c.Float64
		}
	case *pgtype.Bool:
		if c.Valid {
			return c.Bool
		}
	case *[]string:
		return slices.Clone(*c)
	case *string:
		return *c
	}
	return nil
}

// allFigures are a site's own figures, by address and name.
func (s *Store) allFigures(ctx context.Context, site int64) (map[string]map[string]any, error) {
	rows := []struct {
		Address, Name, Words string
		Number               *float64
	}{}
	if err := s.db.SelectContext(ctx, &rows, figuresOf, site); err != nil {
		return nil, err
	}
	out := map[string]map[string]any{}
	for _, r := range rows {
		if out[r.Address] == nil {
			out[r.Address] = map[string]any{}
		}
		if r.Number != nil {
			out[r.Address][r.Name] = *r.Number
		} else {
			out[r.Address][r.Name] = r.Words
		}
	}
	return out, nil
}

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
		"words":    "coalesce(nullif(st.words, 0), p.words)::bigint",
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
	if !w.reads(n.Left) || !w.reads(n.Right) {
		return "true", false
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

// reads tells whether an operand stands in the database.
func (w *narrowing) reads(o query.Operand) bool {
	return o.Fact < 0 || w.table.Facts[o.Fact].OfAddress == nil && !w.table.Facts[o.Fact].Long
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
