package store

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"

	"harvik/internal/record"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// wordsOfPage are those of its main text; the layout's own are taken off once the crawl is judged.
const wordsOfPage = "coalesce(nullif(st.words, 0), p.words)"

var aliases = map[column.Relation]string{column.OfAddress: "a.", column.OfPage: "p.", column.OfStanding: "st."}

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

// Pages lists the fetched addresses that a question holds of, with all that lists show of them.
func (s *Store) Pages(ctx context.Context, crawlID int64, a record.Asking) (list record.PageList, err error) {
	list.Pages = []column.Row{}
	return list, s.inTime(ctx, crawlID, &a, func(ctx context.Context) error {
		hits, found, err := s.find(ctx, crawlID, &a)
		if err != nil || len(hits) == 0 {
			list.Total = found.Total
			return err
		}
		list.Total = found.Total
		if upTo := a.Skip + len(hits); upTo < found.Total {
			list.Next = strconv.Itoa(upTo)
		}
		at := make(map[int32]int, len(hits))
		ids := make([]int32, len(hits))
		for i, h := range hits {
			ids[i], at[h.id] = h.id, i
		}
		rows, err := s.pagesAt(ctx, a.Site, pageSelect+pageFrom+" where p.crawl_id = $1 and p.id = any($2)", crawlID, ids)
		if err != nil {
			return err
		}
		list.Pages = make([]column.Row, len(hits))
		for i := range rows {
			list.Pages[at[rows[i].ID]] = rows[i]
		}
		return nil
	})
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
