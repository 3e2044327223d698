package store

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/record"

	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// sortColumns are what pages can be sorted by, with the cast of their cursor.
var sortColumns = map[string]struct{ expr, cast string }{
	"found":    {"p.id", "int"},
	"address":  {"a.url", "text"},
	"status":   {"p.status", "int"},
	"words":    {"p.words", "int"},
	"bytes":    {"p.bytes", "int"},
	"title":    {"p.title", "text"},
	"depth":    {"coalesce(st.depth, -1)", "int"},
	"linksIn":  {"coalesce(st.links_in, 0)", "int"},
	"health":   {"coalesce(st.health, -1)", "float8"},
	"findings": {"coalesce(st.errors * 10000 + st.warnings * 100 + st.notices, 0)", "int"},
	"wait":     {"p.first_byte", "int"},
}

// SortNames are the columns that a PageQuery can name.
func SortNames() []string {
	var names []string
	for n := range sortColumns {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// ErrBadQuery is the error of a query that names something unknown.
var ErrBadQuery = errors.New("bad query")

const pageSelect = `select p.id, a.url, p.status, p.outcome, p.type, p.bytes, p.first_byte, p.html, p.indexable, p.kind, coalesce(nullif(st.words, 0), p.words) as words,
	p.title, p.description, p.h1, p.lang, coalesce(st.layout, -1) as layout, coalesce(st.depth, -1) as depth,
	coalesce(st.links_in, 0) as links_in, coalesce(st.authority, 0) as authority, coalesce(st.importance, 0) as importance,
	coalesce(st.health, -1) as health, coalesce(st.errors, 0) as errors, coalesce(st.warnings, 0) as warnings,
	coalesce(st.notices, 0) as notices, coalesce(st.terms, '{}') as terms, p.role as role_number`

const pageFrom = ` from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id
	left join standing st on st.crawl_id = p.crawl_id and st.page_id = p.id where p.crawl_id = $1`

// conditions builds the part of a WHERE that the query asks for, on top of its arguments.
func conditions(q *record.PageQuery, args []any) (string, []any, error) {
	var b strings.Builder
	switch role, ok := page.RoleOf(q.Role); {
	case q.Role == "":
		b.WriteString(" and p.role = 0")
	case q.Role == "resources":
		b.WriteString(" and p.role <> 0")
	case ok:
		fmt.Fprintf(&b, " and p.role = %d", int(role))
	default:
		return "", nil, fmt.Errorf("%w: there is no role %q; there are %s, and resources for all but page", ErrBadQuery, q.Role, strings.Join(page.RoleNames(), ", "))
	}
	and := func(condition string, value any) {
		args = append(args, value)
		fmt.Fprintf(&b, " and "+condition, len(args))
	}
	if q.Search != "" {
		pattern := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(q.Search) + "%"
		and("(a.url ilike $%[1]d or p.title ilike $%[1]d)", pattern)
	}
	switch class, ok := strings.CutSuffix(q.Status, "xx"); {
	case q.Status == "":
	case ok && len(class) == 1 && class >= "1" && class <= "5":
		and("p.status / 100 = $%d", int(class[0]-'0'))
	case q.Status == "none":
		b.WriteString(" and p.status = 0")
	default:
		var n int
		if _, err := fmt.Sscanf(q.Status, "%d", &n); err != nil {
			return "", nil, fmt.Errorf("%w: status is a number, a class such as 4xx, or none, not %q", ErrBadQuery, q.Status)
		}
		and("p.status = $%d", n)
	}
	switch q.Kind {
	case "":
	case "html":
		b.WriteString(" and p.html")
	case "other":
		b.WriteString(" and not p.html")
	default:
		and("p.html and p.kind = $%d", q.Kind)
	}
	if q.Check != "" {
		and("exists (select 1 from finding f where f.crawl_id = p.crawl_id and f.page_id = p.id and f.check_id = $%d)", q.Check)
	}
	if q.Fix != "" {
		and("exists (select 1 from fix_page x where x.crawl_id = p.crawl_id and x.page_id = p.id and x.fix_id = $%d)", q.Fix)
	}
	return b.String(), args, nil
}

// cursor is where a list goes on: the last row's sort value and number.
type cursor struct {
	Value any   `json:"v"`
	ID    int32 `json:"id"`
}

func (c cursor) String() string {
	data, _ := json.Marshal(c)
	return base64.RawURLEncoding.EncodeToString(data)
}

func parseCursor(s string) (c cursor, err error) {
	data, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		err = json.Unmarshal(data, &c)
	}
	if err != nil {
		return c, fmt.Errorf("%w: the cursor is damaged; start the list again", ErrBadQuery)
	}
	return c, nil
}

// Pages lists the fetched addresses of a crawl.
func (s *Store) Pages(ctx context.Context, crawlID int64, q record.PageQuery) (record.PageList, error) {
	list := record.PageList{Pages: []record.PageRow{}}
	where, args, err := conditions(&q, []any{crawlID})
	if err != nil {
		return list, err
	}
	if err := s.db.GetContext(ctx, &list.Total, "select count(*)"+pageFrom+where, args...); err != nil {
		return list, err
	}
	name, falling := strings.CutPrefix(q.Sort, "-")
	if name == "" {
		name = "found"
	}
	column, ok := sortColumns[name]
	if !ok {
		return list, fmt.Errorf("%w: there is no column %q to sort by; there are %s", ErrBadQuery, name, strings.Join(SortNames(), ", "))
	}
	direction, than := "asc", ">"
	if falling {
		direction, than = "desc", "<"
	}
	if q.After != "" {
		c, err := parseCursor(q.After)
		if err != nil {
			return list, err
		}
		args = append(args, fmt.Sprint(c.Value), c.ID)
		where += fmt.Sprintf(" and (%s, p.id) %s (cast(cast($%d as text) as %s), $%d)", column.expr, than, len(args)-1, column.cast, len(args))
	}
	args = append(args, q.Limit+1)
	rows := []struct {
		record.PageRow
		Key any `db:"key"`
	}{}
	err = s.db.SelectContext(ctx, &rows, fmt.Sprintf("%s, %s as key%s%s order by %s %s, p.id %s limit $%d",
		pageSelect, column.expr, pageFrom, where, column.expr, direction, direction, len(args)), args...)
	if err != nil {
		return list, err
	}
	if len(rows) > q.Limit {
		rows = rows[:q.Limit]
		last := rows[q.Limit-1]
		list.Next = cursor{last.Key, last.ID}.String()
	}
	for _, r := range rows {
		r.PageRow.Role = page.Role(r.RoleNumber).String()
		list.Pages = append(list.Pages, r.PageRow)
	}
	return list, nil
}

// An address is stored when it becomes known; that it was fetched later is told by its page.
const addressSelect = `select a.id, a.url,
	case when exists (select 1 from page p where p.crawl_id = a.crawl_id and p.id = a.id) then 'fetched' else a.state end as state, a.depth, coalesce(f.url, '') as found_on, a.in_sitemap, a.rule_line, a.rule_text,
	a.role as role_number, a.found as found_number
	from address a left join address f on f.crawl_id = a.crawl_id and f.id = a.found_on where a.crawl_id = $1 `

// Address is what became of an address that a crawl knows.
func (s *Store) Address(ctx context.Context, crawlID int64, address string) (row record.AddressRow, err error) {
	err = s.db.GetContext(ctx, &row, addressSelect+"and a.hash = $2 and a.url = $3", crawlID, urlHash(address), address)
	row.Name()
	return row, found(err)
}

// Addresses lists the known addresses of a state, in the order found, from a number on. Next is
// where the list goes on, 0 at its end.
func (s *Store) Addresses(ctx context.Context, crawlID int64, state string, from int32, limit int) (list record.AddressList, err error) {
	list.Addresses = []record.AddressRow{}
	where := "and a.state = $2"
	if state == survey.Waiting.String() { // what was stored as waiting may have been fetched since
		where += " and not exists (select 1 from page p where p.crawl_id = a.crawl_id and p.id = a.id)"
	}
	if err = s.db.SelectContext(ctx, &list.Addresses, addressSelect+where+" and a.id >= $3 order by a.id limit $4", crawlID, state, from, limit+1); err != nil {
		return list, err
	}
	if len(list.Addresses) > limit {
		list.Next = list.Addresses[limit].ID
		list.Addresses = list.Addresses[:limit]
	}
	for i := range list.Addresses {
		list.Addresses[i].Name()
	}
	err = s.db.GetContext(ctx, &list.Total, "select count(*) from address a where a.crawl_id = $1 "+where, crawlID, state)
	return list, err
}

// Page is all about an address of a crawl.
func (s *Store) Page(ctx context.Context, crawlID int64, address string) (record.PageDetail, error) {
	d := record.PageDetail{Findings: []record.PageFinding{}, Links: []record.LinkRow{}}
	var err error
	if d.AddressRow, err = s.Address(ctx, crawlID, address); err != nil {
		return d, err
	}
	var row record.PageRow
	switch err := found(s.db.GetContext(ctx, &row, pageSelect+pageFrom+" and p.id = $2", crawlID, d.ID)); {
	case errors.Is(err, ErrNotFound):
		return d, nil
	case err != nil:
		return d, err
	}
	row.Role = page.Role(row.RoleNumber).String()
	d.Row = &row
	var packed struct {
		Facts    []byte `db:"facts"`
		Links    []byte `db:"links"`
		Uses     []byte `db:"uses"`
		MainText string `db:"main_text"`
	}
	if err := s.db.GetContext(ctx, &packed, `select facts, links, main_text, uses from page where crawl_id = $1 and id = $2`, crawlID, d.ID); err != nil {
		return d, err
	}
	d.Facts, d.MainText = new(page.Facts), packed.MainText
	if err := json.Unmarshal(packed.Facts, d.Facts); err != nil {
		return d, fmt.Errorf("reading facts: %w", err)
	}
	if err := s.db.SelectContext(ctx, &d.Findings, `select page_id, check_id, count, places, 0::float8 as health, '' as title, '' as url
		from finding where crawl_id = $1 and page_id = $2 order by check_id`, crawlID, d.ID); err != nil {
		return d, err
	}
	if d.Loads, err = s.loadsOf(ctx, crawlID, packed.Uses); err != nil {
		return d, err
	}
	d.Links, err = s.linksOf(ctx, crawlID, packed.Links)
	return d, err
}

// loadsOf unpacks what a page loads, and looks up what became of it.
func (s *Store) loadsOf(ctx context.Context, crawlID int64, packed []byte) ([]record.LoadRow, error) {
	uses, targets, err := unpackUses(packed)
	if err != nil {
		return nil, err
	}
	known := []struct {
		ID int32 `db:"id"`
		record.LoadRow
	}{}
	if err := s.db.SelectContext(ctx, &known, `select a.id, a.url, coalesce(p.status, 0) as status, coalesce(p.bytes, 0) as bytes,
		coalesce(p.type, '') as type, coalesce(p.outcome, a.state) as outcome from address a
		left join page p on p.crawl_id = a.crawl_id and p.id = a.id where a.crawl_id = $1 and a.id = any($2)`, crawlID, targets); err != nil {
		return nil, err
	}
	at := map[int32]record.LoadRow{}
	for _, k := range known {
		at[k.ID] = k.LoadRow
	}
	out := make([]record.LoadRow, len(uses))
	for i, u := range uses {
		out[i] = at[targets[i]]
		out[i].Role, out[i].By = u.Role.String(), u.By
	}
	return out, nil
}

// linksOf unpacks a page's links and looks their targets up.
func (s *Store) linksOf(ctx context.Context, crawlID int64, packed []byte) ([]record.LinkRow, error) {
	links, targets, err := unpackLinks(packed)
	if err != nil {
		return nil, err
	}
	known := []struct {
		ID     int32  `db:"id"`
		URL    string `db:"url"`
		Status *int   `db:"status"`
	}{}
	if err := s.db.SelectContext(ctx, &known, `select a.id, a.url, p.status from address a
		left join page p on p.crawl_id = a.crawl_id and p.id = a.id where a.crawl_id = $1 and a.id = any($2)`, crawlID, targets); err != nil {
		return nil, err
	}
	at := map[int32]int{}
	for i, k := range known {
		at[k.ID] = i
	}
	out := make([]record.LinkRow, len(links))
	for i, l := range links {
		out[i] = linkRow(l)
		if k, ok := at[targets[i]]; ok {
			out[i].To, out[i].Status = known[k].URL, known[k].Status
		}
	}
	return out, nil
}

func linkRow(l page.Link) record.LinkRow {
	words := l.Words
	if words == "" {
		words = l.Label
	}
	return record.LinkRow{Words: words, Place: l.Place, Region: l.Region.String(), NoFollow: l.NoFollow, Line: l.Line, Href: l.Href}
}

// LinksIn are the links that lead to an address from other pages, with words and place, and for a
// resource what loads it: those
// of the linking pages whose number is at least from. Next is where the list goes on, 0 at
// its end.
func (s *Store) LinksIn(ctx context.Context, crawlID int64, id, from int32, limit int) (in record.LinksInto, err error) {
	in.Links = []record.LinkRow{}
	var packed []byte
	if err := s.db.GetContext(ctx, &packed, `select linked_from from standing where crawl_id = $1 and page_id = $2`, crawlID, id); err != nil {
		if errors.Is(found(err), ErrNotFound) {
			return in, nil
		}
		return in, err
	}
	sources := unpackNumbers(packed)
	in.Pages = len(sources)
	at, _ := slices.BinarySearch(sources, from)
	if sources = sources[at:]; len(sources) > limit {
		in.Next = sources[limit]
		sources = sources[:limit]
	}
	rows := []struct {
		URL   string `db:"url"`
		Links []byte `db:"links"`
		Uses  []byte `db:"uses"`
	}{}
	if err := s.db.SelectContext(ctx, &rows, `select a.url, p.links, p.uses from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id
		where p.crawl_id = $1 and p.id = any($2) order by p.id`, crawlID, sources); err != nil {
		return in, err
	}
	for _, r := range rows {
		all, targets, err := unpackLinks(r.Links)
		if err != nil {
			return in, err
		}
		for i, t := range targets {
			if t == id {
				row := linkRow(all[i])
				row.From = r.URL
				in.Links = append(in.Links, row)
			}
		}
		uses, loaded, err := unpackUses(r.Uses)
		if err != nil {
			return in, err
		}
		for i, t := range loaded {
			if t == id {
				in.Links = append(in.Links, record.LinkRow{From: r.URL, Place: "loaded by " + uses[i].By, Region: "loaded by " + uses[i].By})
			}
		}
	}
	return in, nil
}
