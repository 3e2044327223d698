package store

import (
	"context"

	"harvik/internal/core/drift"
	"harvik/internal/core/page"
	"harvik/internal/record"
)

// DriftPages are the pages of a crawl as far as they are compared, by address, and the states of the
// page addresses that it knew and did not fetch.
func (s *Store) DriftPages(
	ctx context.Context, crawlID int64,
) (pages map[string]drift.Page, known map[string]string, err error) {
	rows, err := s.pool.Query(ctx, `select a.url, a.state, p.status, p.outcome, p.html, p.indexable, p.title, p.description, p.h1, p.canonical, p.redirect, p.text_hash,
		coalesce(st.links_in, 0) from address a left join page p on p.crawl_id = a.crawl_id and p.id = a.id
		left join standing st on st.crawl_id = a.crawl_id and st.page_id = a.id where a.crawl_id = $1 and a.role = $2`, crawlID, int16(page.AsPage))
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	pages, known = map[string]drift.Page{}, map[string]string{}
	for rows.Next() {
		var url, state string
		var status *int
		var outcome, title, description, h1, canonical, redirect *string
		var html, indexable *bool
		var hash *int64
		var p drift.Page
		if err := rows.Scan(&url, &state, &status, &outcome, &html, &indexable, &title, &description, &h1, &canonical,
			&redirect, &hash, &p.LinksIn); err != nil {
			return nil, nil, err
		}
		if status == nil {
			if state != "outside" && state != "not-web" {
				known[url] = state
			}
			continue
		}
		p.Status, p.Outcome, p.HTML, p.Indexable = *status, *outcome, *html, *indexable
		p.Title, p.Description, p.H1, p.Canonical, p.Redirect, p.TextHash = *title, *description, *h1, *canonical,
			*redirect, uint64(*hash)
		pages[url] = p
	}
	return pages, known, rows.Err()
}

// Texts are the main texts of some pages of a crawl, by address.
func (s *Store) Texts(ctx context.Context, crawlID int64, addresses []string) (map[string]string, error) {
	hashes := make([]int64, len(addresses))
	for i, a := range addresses {
		hashes[i] = urlHash(a)
	}
	out := make(map[string]string, len(addresses))
	opener, err := s.opener(ctx, crawlID)
	if err != nil {
		return nil, err
	}
	err = each(ctx, s, func(r *struct {
		URL  string
		Text []byte
	}) error {
		text, err := opener.open(r.Text)
		out[r.URL] = string(text)
		return err
	}, "select a.url, "+opener.main()+" as text from address a join "+opener.table()+
		" using (crawl_id, id) where crawl_id = $1 and a.hash = any($2)", crawlID, hashes)
	return out, err
}

// DriftFiles are the robots.txt files and sitemaps of a crawl.
func (s *Store) DriftFiles(ctx context.Context, crawlID int64) ([]drift.File, error) {
	rows, err := s.pool.Query(ctx,
		"select kind, address, body from crawl_file where crawl_id = $1 order by kind, address", crawlID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []drift.File
	for rows.Next() {
		var f drift.File
		var body []byte
		if err := rows.Scan(&f.Kind, &f.Address, &body); err != nil {
			return nil, err
		}
		f.Body = clean(string(body))
		out = append(out, f)
	}
	return out, rows.Err()
}

// FinishedCrawls are the newest of a site that have a verdict, the oldest first.
func (s *Store) FinishedCrawls(ctx context.Context, site int64, limit int) ([]record.Crawl, error) {
	var rows []crawlRow
	err := s.db.SelectContext(ctx, &rows, "select * from ("+crawlColumns+`where c.site_id = $1 and c.state = 'finished' order by c.number desc limit $2) newest
		order by number`, site, limit)
	return crawlsOf(rows), err
}
