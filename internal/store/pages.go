package store

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"harvik/internal/record"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// sortable is what pages can be sorted by: an expression of SQL, with the cast of its cursor.
type sortable struct{ expr, cast string }

// wordsOfPage are those of its main text; the layout's own are taken off once the crawl is judged.
const wordsOfPage = "coalesce(nullif(st.words, 0), p.words)"

// sortables are the orders of lists by name: that of each column, that in which pages were found, and that by what
// fails.
var sortables = func() map[string]sortable {
	out := map[string]sortable{
		"found":    {"p.id", "int"},
		"findings": {"coalesce(st.errors * 10000 + st.warnings * 100 + st.notices, 0)", "int"},
	}
	for i := range column.All {
		out[column.All[i].Key] = sortableBy(&column.All[i])
	}
	out["words"] = sortable{wordsOfPage, "int"}
	return out
}()

var (
	aliases = map[column.Relation]string{column.OfAddress: "a.", column.OfPage: "p.", column.OfStanding: "st."}
	casts   = map[column.Kind]string{column.Whole: "int", column.Decimal: "float8", column.YesNo: "int"}
)

func sortableBy(c *column.Column) sortable {
	cast := cmp.Or(casts[c.Kind], "text")
	if c.Key == "role" || c.Key == "foundBy" { // words that are kept as numbers
		cast = "int"
	}
	expr := aliases[c.Stored.In] + c.Stored.As
	none := c.Stored.None
	switch {
	case c.Stored.In == column.OfMore && c.Kind == column.YesNo:
		expr, none = fmt.Sprintf("((p.more->>'%s')::boolean)::int", c.Key), cmp.Or(none, "-1")
	case c.Stored.In == column.OfMore:
		expr = fmt.Sprintf("(p.more->>'%s')::%s", c.Key, cast)
		if none == "" && cast != "text" {
			none = "-1"
		}
	case c.Kind == column.YesNo:
		expr += "::int"
	}
	switch {
	case none != "":
		expr = "coalesce(" + expr + ", " + none + ")"
	case c.Stored.In == column.OfMore:
		expr = "coalesce(" + expr + ", '')"
	}
	return sortable{expr, cast}
}

// figurePrefix stands before the name of an own figure to sort by.
const figurePrefix = "figure:"

// sorting is how a list is sorted: by a column, with what has to be joined for it.
type sorting struct {
	expr, cast, join string
	falling          bool
}

// sortingOf finds the column that a query names.
func sortingOf(q *record.PageQuery, args []any) (sorting, []any, error) {
	name, falling := strings.CutPrefix(q.Sort, "-")
	if figure, ok := strings.CutPrefix(name, figurePrefix); ok {
		args = append(args, q.Site, figure)
		return sorting{
			expr: "coalesce(g.number, -1e308)", cast: "float8", falling: falling,
			join: fmt.Sprintf(` left join figure g on g.site_id = $%[1]d and g.name = $%[2]d and g.hash = a.hash and g.address = a.url
				and g.taken = (select max(taken) from figure_set where site_id = $%[1]d and name = $%[2]d)`, len(args)-1, len(args)),
		}, args, nil
	}
	c, ok := sortables[cmp.Or(name, "found")]
	if !ok {
		return sorting{}, nil, fmt.Errorf(
			"%w: there is no column %q to sort by%s; there are %s, and %sNAME for an own figure", ErrBadQuery, name, plan.Meant(name, SortNames()), strings.Join(SortNames(), ", "), figurePrefix)
	}
	return sorting{expr: c.expr, cast: c.cast, falling: falling}, args, nil
}

// having is a condition with an own figure: name, comparison, number.
var having = regexp.MustCompile(`^\s*(.+?)\s*(>=|<=|>|<|=)\s*(-?[0-9]+(?:\.[0-9]+)?)\s*$`)

// SortNames are the columns that a PageQuery can name.
func SortNames() []string {
	var names []string
	for n := range sortables {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// ErrBadQuery is the error of a query that names something unknown.
var ErrBadQuery = errors.New("bad query")

const pageSelect = `select p.id, a.url as address, p.status, p.outcome, p.type, p.bytes, p.first_byte, p.html, p.indexable, p.kind, ` + wordsOfPage + ` as words,
	p.title, p.description, p.h1, p.lang as language, p.encoding, p.why, p.headings, p.hreflang, p.canonical, p.robots, p.refresh, p.redirect, p.images, p.links_out,
	a.found as found_number, a.in_sitemap, nullif(st.layout, -1) as layout, nullif(st.depth, -1) as clicks,
	coalesce(st.links_in, 0) as links_in, coalesce(st.authority, 0) as authority, coalesce(st.importance, 0) as importance,
	nullif(st.health, -1) as health, coalesce(st.errors, 0) as errors, coalesce(st.warnings, 0) as warnings,
	coalesce(st.notices, 0) as notices, coalesce(st.terms, '{}') as terms, p.role as role_number, p.more`

// What is joined to pages.
const (
	withAddress  = ` join address a on a.crawl_id = p.crawl_id and a.id = p.id`
	withStanding = ` left join standing st on st.crawl_id = p.crawl_id and st.page_id = p.id`
	pageFrom     = ` from page p` + withAddress + withStanding
)

var namesAddress, namesStanding = regexp.MustCompile(`\ba\.`), regexp.MustCompile(`\bst\.`)

// fromFor joins only what some SQL names. Rows of page are wide, and an index holds what lists are
// narrowed by.
func fromFor(sql string) string {
	from := " from page p"
	if namesAddress.MatchString(sql) {
		from += withAddress
	}
	if namesStanding.MatchString(sql) {
		from += withStanding
	}
	return from
}

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
		return "", nil, fmt.Errorf("%w: there is no role %q; there are %s, and resources for all but page", ErrBadQuery,
			q.Role, strings.Join(page.RoleNames(), ", "))
	}
	and := func(condition string, value any) {
		args = append(args, value)
		fmt.Fprintf(&b, " and "+condition, len(args))
	}
	if q.Search != "" {
		and("(a.url ilike $%[1]d or p.title ilike $%[1]d)", containing(q.Search))
	}
	switch class, ok := strings.CutSuffix(q.Status, "xx"); {
	case q.Status == "":
	case ok && len(class) == 1 && class >= "1" && class <= "5":
		and("p.status / 100 = $%d", int(class[0]-'0'))
	case q.Status == "none":
		b.WriteString(" and p.status = 0")
	default:
		n, err := strconv.ParseInt(q.Status, 10, 32)
		if err != nil {
			return "", nil, fmt.Errorf("%w: status is a number, a class such as 4xx, or none, not %q", ErrBadQuery,
				q.Status)
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
	for _, half := range []struct{ name, wish, holds string }{
		{"indexable", q.Indexable, "p.indexable"}, {"reachable", q.Reachable, "coalesce(st.depth, -1) >= 0"},
	} {
		switch half.wish {
		case "":
		case "yes":
			b.WriteString(" and p.html and " + half.holds)
		case "no":
			b.WriteString(" and p.html and not (" + half.holds + ")")
		default:
			return "", nil, fmt.Errorf("%w: %s is yes or no, not %q", ErrBadQuery, half.name, half.wish)
		}
	}
	if q.Why != "" {
		and("p.why ilike $%d", containing(q.Why))
	}
	if q.Check != "" {
		and(`(exists (select 1 from failing f where f.crawl_id = p.crawl_id and f.page_id = p.id and f.checks && array(select number from check_number where id = $%[1]d))
			or exists (select 1 from finding f where f.crawl_id = p.crawl_id and f.page_id = p.id and f.check_id = $%[1]d))`, q.Check)
	}
	if q.Fix != "" {
		and("p.id in (select unnest(x.pages) from fix x where x.crawl_id = p.crawl_id and x.id = $%d)", q.Fix)
	}
	if q.Section != "" {
		and(inSection(q.Section), q.Section)
	}
	if q.Having != "" {
		m := having.FindStringSubmatch(q.Having)
		if m == nil {
			return "", nil, fmt.Errorf("%w: %q is no condition with a figure; write NAME, one of > >= = <= <, and a number, such as visits>=100", ErrBadQuery, q.Having)
		}
		args = append(args, q.Site, m[1], m[3])
		n := len(args)
		fmt.Fprintf(&b, ` and exists (select 1 from figure h where h.site_id = $%[1]d and h.name = $%[2]d and h.hash = a.hash and h.address = a.url
			and h.taken = (select max(taken) from figure_set where site_id = $%[1]d and name = $%[2]d) and h.number %[4]s cast(cast($%[3]d as text) as float8))`, n-2, n-1, n, m[2])
	}
	return b.String(), args, nil
}

// containing is a pattern of LIKE for texts that contain this one.
func containing(s string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) + "%"
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
	list := record.PageList{Pages: []column.Row{}}
	if err := s.spellFigures(ctx, &q); err != nil {
		return list, err
	}
	where, args, err := conditions(&q, []any{crawlID})
	if err != nil {
		return list, err
	}
	where = " where p.crawl_id = $1" + where
	by, args, err := sortingOf(&q, args)
	if err != nil {
		return list, err
	}
	direction, than := "asc", ">"
	if by.falling {
		direction, than = "desc", "<"
	}
	matching := fmt.Sprintf("select p.id, %s as key%s%s%s", by.expr, fromFor(by.expr+by.join+where), by.join, where)
	on := ""
	if q.After != "" {
		c, err := parseCursor(q.After)
		if err != nil {
			return list, err
		}
		args = append(args, fmt.Sprint(c.Value), c.ID)
		on = fmt.Sprintf(" where (key, id) %s (cast(cast($%d as text) as %s), $%d)", than, len(args)-1, by.cast,
			len(args))
	}
	args = append(args, q.Limit+1)
	rows := []struct {
		pageRow
		Key   any
		Total int
	}{}
	err = s.db.SelectContext(ctx, &rows, fmt.Sprintf(`with m as materialized (%[1]s),
		k as materialized (select id, key from m%[2]s order by key %[3]s, id %[3]s limit $%[4]d)
		%[5]s, k.key, (select count(*) from m) as total from k join page p on p.crawl_id = $1 and p.id = k.id%[6]s%[7]s order by k.key %[3]s, p.id %[3]s`,
		matching, on, direction, len(args), pageSelect, withAddress, withStanding), args...)
	if err != nil {
		return list, err
	}
	if len(rows) > 0 {
		list.Total = rows[0].Total
	}
	if len(rows) > q.Limit {
		rows = rows[:q.Limit]
		last := rows[q.Limit-1]
		list.Next = cursor{last.Key, last.ID}.String()
	}
	for _, r := range rows {
		list.Pages = append(list.Pages, r.page())
	}
	return list, s.addFigures(ctx, q.Site, list.Pages)
}

// spellFigures gives the own figures that a query names their exact names, and refuses unknown ones.
func (s *Store) spellFigures(ctx context.Context, q *record.PageQuery) error {
	name, falling := strings.CutPrefix(q.Sort, "-")
	sorted, sorts := strings.CutPrefix(name, figurePrefix)
	m := having.FindStringSubmatch(q.Having)
	if !sorts && m == nil {
		return nil
	}
	sets, err := s.FigureSets(ctx, q.Site)
	if err != nil {
		return err
	}
	exact := func(name string) (string, error) {
		var names []string
		for _, f := range sets {
			if strings.EqualFold(f.Name, name) {
				return f.Name, nil
			}
			if !slices.Contains(names, f.Name) {
				names = append(names, f.Name)
			}
		}
		return "", fmt.Errorf("%w: the site has no figure %q; it has %s", ErrBadQuery, name,
			cmp.Or(strings.Join(names, ", "), "none"))
	}
	if sorts {
		if sorted, err = exact(sorted); err != nil {
			return err
		}
		if q.Sort = figurePrefix + sorted; falling {
			q.Sort = "-" + q.Sort
		}
	}
	if m != nil {
		if name, err = exact(m[1]); err != nil {
			return err
		}
		q.Having = name + m[2] + m[3]
	}
	return nil
}

// figuresOf are the newest figures of a site.
const figuresOf = `select g.address, g.name, g.number, g.words from figure g
	join (select name, max(taken) as taken from figure_set where site_id = $1 group by name) newest on newest.name = g.name and newest.taken = g.taken
	where g.site_id = $1`

// An ownFigure is one of an address.
type ownFigure struct {
	Address, Name, Words string
	Number               *float64
}

// value is a number, or words.
func (f *ownFigure) value() any {
	if f.Number != nil {
		return *f.Number
	}
	return f.Words
}

// allFigures are a site's own figures, by address and name.
func (s *Store) allFigures(ctx context.Context, site int64) (map[string]map[string]any, error) {
	var rows []ownFigure
	if err := s.db.SelectContext(ctx, &rows, figuresOf, site); err != nil {
		return nil, err
	}
	out := map[string]map[string]any{}
	for _, r := range rows {
		if out[r.Address] == nil {
			out[r.Address] = map[string]any{}
		}
		out[r.Address][r.Name] = r.value()
	}
	return out, nil
}

// addFigures fills the newest of the site's own figures in.
func (s *Store) addFigures(ctx context.Context, site int64, pages []column.Row) error {
	if len(pages) == 0 {
		return nil
	}
	at := make(map[string]*column.Row, len(pages))
	hashes := make([]int64, len(pages))
	for i := range pages {
		at[pages[i].Address] = &pages[i]
		hashes[i] = urlHash(pages[i].Address)
	}
	var rows []ownFigure
	if err := s.db.SelectContext(ctx, &rows, figuresOf+" and g.hash = any($2)", site, hashes); err != nil {
		return err
	}
	for _, r := range rows {
		p := at[r.Address]
		if p == nil {
			continue
		}
		if p.Figures == nil {
			p.Figures = map[string]any{}
		}
		p.Figures[r.Name] = r.value()
	}
	return nil
}

// An address is stored when it becomes known; that it was fetched later is told by its page.
const addressSelect = `select a.id, a.url as address,
	case when exists (select 1 from page p where p.crawl_id = a.crawl_id and p.id = a.id) then 'fetched' else a.state end as state, a.depth, coalesce(f.url, '') as found_on, a.in_sitemap, a.rule_line, a.rule_text,
	a.role as role_number, a.found as found_number
	from address a left join address f on f.crawl_id = a.crawl_id and f.id = a.found_on where a.crawl_id = $1 `

// nameAddress puts names for what is kept as numbers.
func nameAddress(a *record.AddressRow) {
	a.Role, a.Found = page.Role(a.RoleNumber).String(), survey.Found(a.FoundNumber).String()
}

// Address is what became of an address that a crawl knows.
func (s *Store) Address(ctx context.Context, crawlID int64, address string) (row record.AddressRow, err error) {
	err = s.db.GetContext(ctx, &row, addressSelect+"and a.hash = $2 and a.url = $3", crawlID, urlHash(address), address)
	nameAddress(&row)
	return row, found(err)
}

// Addresses lists the known addresses of a state, in the order found, from a number on. Next is
// where the list goes on, 0 at its end.
func (s *Store) Addresses(ctx context.Context, crawlID int64, state string, from int32,
	limit int) (list record.AddressList, err error) {
	list.Addresses = []record.AddressRow{}
	where := "and a.state = $2"
	if state == survey.Waiting.String() { // what was stored as waiting may have been fetched since
		where += " and not exists (select 1 from page p where p.crawl_id = a.crawl_id and p.id = a.id)"
	}
	if err = s.db.SelectContext(ctx, &list.Addresses, addressSelect+where+" and a.id >= $3 order by a.id limit $4",
		crawlID, state, from, limit+1); err != nil {
		return list, err
	}
	if len(list.Addresses) > limit {
		list.Next = list.Addresses[limit].ID
		list.Addresses = list.Addresses[:limit]
	}
	for i := range list.Addresses {
		nameAddress(&list.Addresses[i])
	}
	err = s.db.GetContext(ctx, &list.Total, "select count(*) from address a where a.crawl_id = $1 "+where, crawlID,
		state)
	return list, err
}

// Page is all about an address of a crawl.
func (s *Store) Page(ctx context.Context, crawlID int64, address string) (record.PageDetail, error) {
	d := record.PageDetail{Findings: []record.PageFinding{}, Links: []record.LinkRow{}}
	var err error
	if d.AddressRow, err = s.Address(ctx, crawlID, address); err != nil {
		return d, err
	}
	var row pageRow
	switch err := found(s.db.GetContext(ctx, &row, pageSelect+pageFrom+" where p.crawl_id = $1 and p.id = $2", crawlID,
		d.ID)); {
	case errors.Is(err, record.ErrNotFound):
		return d, nil
	case err != nil:
		return d, err
	}
	shown := row.page()
	d.Row = &shown
	var packed struct {
		Facts []byte
		Links []byte
		Uses  []byte
		Main  []byte
	}
	opener, err := s.opener(ctx, crawlID)
	if err == nil {
		err = s.db.GetContext(ctx, &packed, "select d.facts, d.links, "+opener.main()+" as main, p.uses from page p join "+
			opener.table()+" using (crawl_id, id) where crawl_id = $1 and id = $2", crawlID, d.ID)
	}
	if err == nil {
		err = opener.openAll(&packed.Facts, &packed.Links, &packed.Main)
	}
	if err != nil {
		return d, err
	}
	d.Facts, d.MainText = new(page.Facts), string(packed.Main)
	if err := decodeFacts(packed.Facts, d.Facts); err != nil {
		return d, fmt.Errorf("reading facts: %w", err)
	}
	if doc := d.Facts.Document; doc != nil {
		doc.Outline = nil // says nothing to a reader
	}
	err = s.eachFailing(ctx, crawlID, selection{where: "and n.page_id = $3", order: "1", args: []any{d.ID}},
		func(f *record.PageFinding) error {
			f.Shown()
			f.Address, f.Title, f.Health = "", "", 0 // the page's, which says them
			d.Findings = append(d.Findings, *f)
			return nil
		})
	if err != nil {
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
		ID int32
		record.LoadRow
	}{}
	if err := s.db.SelectContext(ctx, &known, `select a.id, a.url as address, coalesce(p.status, 0) as status, coalesce(p.bytes, 0) as bytes,
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
		ID     int32
		URL    string
		Status *int
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
	return record.LinkRow{Words: words, Place: l.Place, Region: l.Region.String(), NoFollow: l.NoFollow, Line: l.Line,
		Href: l.Href}
}

// LinksIn are the links that lead to an address from other pages, with words and place, and for a
// resource what loads it: those
// of the linking pages whose number is at least from. Next is where the list goes on, 0 at
// its end.
func (s *Store) LinksIn(
	ctx context.Context, crawlID int64, id, from int32, limit int,
) (in record.LinksInto, err error) {
	in.Links = []record.LinkRow{}
	var packed []byte
	if err := s.db.GetContext(ctx, &packed, `select linked_from from standing where crawl_id = $1 and page_id = $2`,
		crawlID, id); err != nil {
		if errors.Is(found(err), record.ErrNotFound) {
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
		URL   string
		Links []byte
		Uses  []byte
	}{}
	opener, err := s.opener(ctx, crawlID)
	if err == nil {
		err = s.db.SelectContext(ctx, &rows, "select a.url, d.links, p.uses from page p join address a using (crawl_id, id) join "+
			opener.table()+" using (crawl_id, id) where crawl_id = $1 and id = any($2) order by id", crawlID, sources)
	}
	if err != nil {
		return in, err
	}
	for _, r := range rows {
		if err := opener.openAll(&r.Links); err != nil {
			return in, err
		}
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
				in.Links = append(in.Links, record.LinkRow{From: r.URL, Place: "loaded by " + uses[i].By,
					Region: "loaded by " + uses[i].By})
			}
		}
	}
	return in, nil
}
