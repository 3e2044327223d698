package store

import (
	"context"
	"encoding/json"

	"harvik/internal/record"

	"harvik/internal/core/plan"
)

const siteColumns = `select s.id, s.name, s.home, s.plan, s.created, s.importance,
	(select count(*) from crawl c where c.site_id = s.id) as crawls,
	coalesce((select jsonb_agg(a.range order by a.range) from allowance a where a.site_id = s.id), '[]') as allowed,
	l.number as latest, (l.report->>'health')::float8 as health, coalesce(l.weighed, '') as weighed
	from site s left join lateral (
		select number, report, weighed from crawl c where c.site_id = s.id and c.state = 'finished' order by number desc limit 1
	) l on true `

// AddSite makes a new site; ErrExists where its name is taken.
func (s *Store) AddSite(ctx context.Context, name, home string, p plan.Plan) error {
	data, err := json.Marshal(p)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `insert into site (name, home, plan) values ($1, $2, cast($3 as jsonb))`, name, home, string(data))
	return exists(err)
}

// Sites lists all, by name.
func (s *Store) Sites(ctx context.Context) ([]record.Site, error) {
	sites := []record.Site{}
	err := s.db.SelectContext(ctx, &sites, siteColumns+"order by s.name")
	return sites, err
}

// Site is the one of a name.
func (s *Store) Site(ctx context.Context, name string) (record.Site, error) {
	var site record.Site
	err := s.db.GetContext(ctx, &site, siteColumns+"where s.name = $1", name)
	return site, found(err)
}

// ofCrawl are the tables whose rows belong to a crawl and are deleted with it by hand.
var ofCrawl = []string{"fix", "standing", "finding", "page", "address"}

// RemoveSite deletes a site with its crawls.
func (s *Store) RemoveSite(ctx context.Context, name string) error {
	tx, err := s.pool.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(context.WithoutCancel(ctx))
	for _, table := range ofCrawl {
		if _, err := tx.Exec(ctx, "delete from "+table+" where crawl_id in (select c.id from crawl c join site s on s.id = c.site_id where s.name = $1)", name); err != nil {
			return err
		}
	}
	r, err := tx.Exec(ctx, "delete from site where name = $1", name)
	if err != nil {
		return err
	}
	if r.RowsAffected() == 0 {
		return ErrNotFound
	}
	return tx.Commit(ctx)
}

// SetPlan replaces a site's plan.
func (s *Store) SetPlan(ctx context.Context, name string, p plan.Plan) error {
	data, err := json.Marshal(p)
	if err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `update site set plan = cast($2 as jsonb) where name = $1`, name, string(data))
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}
