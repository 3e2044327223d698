package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/column"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/record"
)

// each reads rows one by one.
func each[T any](ctx context.Context, s *Store, f func(*T) error, query string, args ...any) error {
	rows, err := s.db.QueryxContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var one T
		if err := rows.StructScan(&one); err != nil {
			return err
		}
		if err := f(&one); err != nil {
			return err
		}
	}
	return rows.Err()
}

// EachFix goes over a fix list, by rank.
func (s *Store) EachFix(ctx context.Context, crawlID int64, f func(*record.FixLine) error) error {
	return each(ctx, s, func(r *fixRow) error {
		line, err := r.line()
		if err != nil {
			return err
		}
		return f(&line)
	}, fixSelect+"where f.crawl_id = $1 order by f.rank", crawlID)
}

// Pages are read by ranges of so many numbers, so many of them while one is passed on.
const (
	pageRange = 3000
	pagesRead = 2
)

// EachPage goes over what was fetched in a role ("resources" for all but pages), in the order found, with
// the own figures of a site; 0 for none. The next are read while f runs; no connection is held by what waits for it.
func (s *Store) EachPage(ctx context.Context, crawlID, site int64, role string, f func(*column.Row) error) error {
	in := roleOf["resources"]
	if role, ok := page.RoleOf(role); ok {
		in = fmt.Sprintf("p.role = %d", role)
	}
	// Each table's range is named, so that they are read in step and not row by row.
	query := pageSelect + " from page p" + withAddress + withStanding + ` and st.page_id >= $2 and st.page_id < $3
		where p.crawl_id = $1 and p.id >= $2 and p.id < $3 and a.id >= $2 and a.id < $3 and ` + in + " order by p.id"
	var end int32
	if err := s.db.GetContext(ctx, &end, "select coalesce(max(id) + 1, 0) from page where crawl_id = $1", crawlID); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel() // of what is read ahead in vain
	type batch struct {
		rows []column.Row
		err  error
	}
	ask := func(from int32) <-chan batch {
		read := make(chan batch, 1)
		go func() {
			var b batch
			b.err = mishap.Catch(func() (err error) {
				b.rows, err = s.pagesAt(ctx, site, query, crawlID, from, min(from+pageRange, end))
				return err
			})
			read <- b
		}()
		return read
	}
	var asked []<-chan batch
	for from := int32(0); from < end || len(asked) > 0; {
		for ; from < end && len(asked) <= pagesRead; from += pageRange {
			asked = append(asked, ask(from))
		}
		b := <-asked[0]
		asked = asked[1:]
		if b.err != nil {
			return b.err
		}
		for i := range b.rows {
			if err := f(&b.rows[i]); err != nil {
				return err
			}
		}
	}
	return nil
}

// pagesAt are the pages of one query, with the own figures of a site; 0 for none.
func (s *Store) pagesAt(ctx context.Context, site int64, query string, args ...any) ([]column.Row, error) {
	rows, err := s.pool.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (column.Row, error) {
		r, err := pgx.RowToAddrOfStructByNameLax[pageRow](row)
		if err != nil {
			return column.Row{}, err
		}
		return r.page(), nil
	})
	if err != nil {
		return nil, err
	}
	if site == 0 {
		return out, nil
	}
	return out, s.addFigures(ctx, site, out)
}

// EachFinding goes over findings, page by page in order of address, those of the site first; of all
// checks where none is named.
func (s *Store) EachFinding(ctx context.Context, crawlID int64, checks []string,
	f func(*record.PageFinding) error) error {
	return s.eachFailing(ctx, crawlID, selection{checks: checks, order: "2"}, f)
}

// EachTwin goes over findings of checks about pages alike, group by group.
func (s *Store) EachTwin(
	ctx context.Context,
	crawlID int64,
	checks []string,
	f func(*record.PageFinding) error,
) error {
	var all []record.PageFinding
	err := s.EachFinding(ctx, crawlID, checks, func(one *record.PageFinding) error {
		all = append(all, *one)
		return nil
	})
	if err != nil {
		return err
	}
	group := func(f *record.PageFinding) string {
		if len(f.Places) == 0 {
			return ""
		}
		p := &f.Places[0]
		return cmp.Or(p.Group, p.Value, p.Target)
	}
	slices.SortStableFunc(all, func(a, b record.PageFinding) int { // in order of address before
		return cmp.Or(strings.Compare(a.Check, b.Check), strings.Compare(group(&a), group(&b)))
	})
	for i := range all {
		if err := f(&all[i]); err != nil {
			return err
		}
	}
	return nil
}

func nonNil(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// EachRedirect goes over the addresses that lead on, in order.
func (s *Store) EachRedirect(ctx context.Context, crawlID int64, f func(*record.Redirect) error) error {
	return each(ctx, s, f, `select a.url as address, p.status, p.redirect as "to", coalesce(st.links_in, 0) as links_in
		from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id
		left join standing st on st.crawl_id = p.crawl_id and st.page_id = p.id
		where p.crawl_id = $1 and p.redirect <> '' order by a.url`, crawlID)
}

// EachListed goes over the addresses that sitemaps list, in order.
func (s *Store) EachListed(ctx context.Context, crawlID int64, f func(*record.Listed) error) error {
	return each(
		ctx,
		s,
		f,
		`select a.url as address, case when p.id is null then a.state else 'fetched' end as state, coalesce(p.status, 0) as status,
		coalesce(p.indexable, false) as indexable, coalesce(st.depth, -1) as depth, coalesce(st.links_in, 0) as links_in
		from address a left join page p on p.crawl_id = a.crawl_id and p.id = a.id
		left join standing st on st.crawl_id = a.crawl_id and st.page_id = a.id
		where a.crawl_id = $1 and a.in_sitemap order by a.url`,
		crawlID,
	)
}

// Files are the robots.txt files and sitemaps that a crawl read.
func (s *Store) Files(ctx context.Context, crawlID int64) ([]record.FileRow, error) {
	rows := []record.FileRow{}
	err := s.db.SelectContext(
		ctx,
		&rows,
		"select kind, address, status, detail, length(body) as bytes from crawl_file where crawl_id = $1 order by kind, address",
		crawlID,
	)
	return rows, err
}

// Answers are what addresses answered, where that is not 200: a status, or why there was none.
func (s *Store) Answers(ctx context.Context, crawlID int64) (map[string]string, error) {
	out := map[string]string{}
	err := each(ctx, s, func(r *struct {
		URL    string
		Answer string
	}) error {
		out[r.URL] = r.Answer
		return nil
	}, `select a.url, case when p.status > 0 then p.status::text else p.outcome end as answer
		from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id where p.crawl_id = $1`, crawlID)
	return out, err
}

// linkBatch is how many links are held at once while they are turned from the pages that they stand on
// to those that they lead to.
const linkBatch = 1_000_000

// heldLink is a link to a page inside. Its texts are numbers, since few of them differ.
type heldLink struct {
	to, from, words, place, region int32
	noFollow                       bool
}

// EachLinkIn goes over the links to pages inside, page by page in the order in which the crawl met them.
// It reads all links as often as needed to hold only a part of them at once.
func (s *Store) EachLinkIn(ctx context.Context, crawlID int64, f func(*record.LinkRow) error) error {
	all, err := s.linking(ctx, crawlID)
	if err != nil {
		return err
	}
	counts := make([]int, len(all.urls))
	if err := all.each(ctx, s, func(_, to int32, _ *page.Link) { counts[to]++ }); err != nil {
		return err
	}
	for first := 0; first < len(counts); {
		beyond, sum := first, 0
		for beyond < len(counts) && (beyond == first || sum+counts[beyond] <= linkBatch) {
			sum += counts[beyond]
			beyond++
		}
		if sum > 0 {
			if err := all.into(ctx, s, int32(first), int32(beyond), sum, f); err != nil {
				return err
			}
		}
		first = beyond
	}
	return nil
}

// into goes over the links to some of the pages, of which there are so many.
func (l *linking) into(
	ctx context.Context, s *Store, first, beyond int32, sum int, f func(*record.LinkRow) error,
) error {
	texts, numbers := []string{}, map[string]int32{}
	number := func(t string) int32 {
		n, ok := numbers[t]
		if !ok {
			n = int32(len(texts))
			t = strings.Clone(t)
			numbers[t], texts = n, append(texts, t)
		}
		return n
	}
	held := make([]heldLink, 0, sum)
	err := l.each(ctx, s, func(from, to int32, link *page.Link) {
		if to < first || to >= beyond {
			return
		}
		row := linkRow(*link)
		held = append(held,
			heldLink{to, from, number(row.Words), number(row.Place), number(row.Region), row.NoFollow})
	})
	if err != nil {
		return err
	}
	slices.SortStableFunc(held, func(a, b heldLink) int {
		return cmp.Or(cmp.Compare(a.to, b.to), cmp.Compare(a.from, b.from))
	})
	for _, h := range held {
		if err := f(&record.LinkRow{
			From: l.urls[h.from], To: l.urls[h.to], Words: texts[h.words], Place: texts[h.place],
			Region: texts[h.region], NoFollow: h.noFollow,
		}); err != nil {
			return err
		}
	}
	return nil
}

// EachLink goes over the links to pages inside, in no order. To is the number of the page that a link leads to.
func (s *Store) EachLink(ctx context.Context, crawlID int64, f func(to int32, l *record.LinkRow)) error {
	all, err := s.linking(ctx, crawlID)
	if err != nil {
		return err
	}
	return all.each(ctx, s, func(from, to int32, link *page.Link) {
		row := linkRow(*link)
		row.From, row.To = all.urls[from], all.urls[to]
		f(to, &row)
	})
}

// linking are the pages of a crawl that link to each other.
type linking struct {
	crawl  int64
	urls   []string // of addresses, by number
	inside []bool   // pages that were fetched
	pages  []int32  // those with links
}

func (s *Store) linking(ctx context.Context, crawlID int64) (*linking, error) {
	l := &linking{crawl: crawlID}
	var err error
	if l.urls, l.inside, err = s.insidePages(ctx, crawlID); err != nil {
		return nil, err
	}
	err = s.db.SelectContext(ctx, &l.pages, "select id from page where crawl_id = $1 and html order by id", crawlID)
	return l, err
}

// each goes over the links between pages, those of a page together and in order.
func (l *linking) each(ctx context.Context, s *Store, f func(from, to int32, link *page.Link)) error {
	type outgoing struct {
		links   []page.Link
		targets []int32
	}
	return readEach(&Source{ctx, s, l.crawl, nil}, l.pages, linksPart,
		func(_ int32, data []byte) (out outgoing, err error) {
			out.links, out.targets, err = unpackLinks(data)
			return out, err
		}, func(from int32, out outgoing) {
			for i, t := range out.targets {
				if t >= 0 && int(t) < len(l.urls) && l.inside[t] {
					f(from, t, &out.links[i])
				}
			}
		})
}

// insidePages are the addresses of a crawl by number, and which of them are pages that were fetched.
func (s *Store) insidePages(ctx context.Context, crawlID int64) (urls []string, inside []bool, err error) {
	err = each(ctx, s, func(r *struct {
		ID   int32
		URL  string
		Page bool
	}) error {
		for int(r.ID) >= len(urls) {
			urls, inside = append(urls, ""), append(inside, false)
		}
		urls[r.ID], inside[r.ID] = r.URL, r.Page
		return nil
	}, `select a.id, a.url, p.id is not null as page from address a
		left join page p on p.crawl_id = a.crawl_id and p.id = a.id and p.role = 0 where a.crawl_id = $1 order by a.id`, crawlID)
	return urls, inside, err
}
