package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"

	"harvik/internal/core/plan"
)

const siteColumns = `select s.id, s.name, s.home, s.plan, s.created, s.importance,
	s.keep as keep_crawls, s.keep_monthly, to_jsonb(s.groups) as groups,
	(select count(*) from crawl c where c.site_id = s.id) as crawls,
	coalesce((select jsonb_agg(a.range order by a.range) from allowance a where a.site_id = s.id), '[]') as allowed,
	l.number as latest, l.health, coalesce(l.weighed, '') as weighed
	from site s left join lateral (
		select number, health, weighed from crawl c where c.site_id = s.id and c.state = 'finished' order by number desc limit 1
	) l on true `

// AddSite makes a new site; record.ErrExists where its name is taken. What it shows besides its pages is looked at once
// it has been crawled, or in an hour: by then somebody has said how it is reached.
func (s *Store) AddSite(ctx context.Context, name, home string, p plan.Plan) error {
	data, err := encodePlan(p)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `with new as (insert into site (name, home, plan) values ($1, $2, cast($3 as jsonb)) returning id)
		insert into front (site_id, due) select id, now() + interval '1 hour' from new`, name, home, string(data))
	return exists(err)
}

// Sites lists all, by name.
func (s *Store) Sites(ctx context.Context) ([]record.Site, error) {
	rows := []siteRow{}
	err := s.db.SelectContext(ctx, &rows, siteColumns+"order by s.name")
	sites := make([]record.Site, len(rows))
	for i := range rows {
		sites[i] = rows[i].site()
	}
	return sites, err
}

// Site is the one of a name.
func (s *Store) Site(ctx context.Context, name string) (record.Site, error) {
	var row siteRow
	err := s.db.GetContext(ctx, &row, siteColumns+"where s.name = $1", name)
	return row.site(), found(err)
}

// RemoveSite deletes a site with its crawls.
func (s *Store) RemoveSite(ctx context.Context, name string) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "select c.id from crawl c join site s on s.id = c.site_id where s.name = $1", name)
		if err != nil {
			return err
		}
		crawls, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		if err := s.forget(ctx, tx, crawls); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "delete from site where name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrNotFound
		}
		return err
	})
}

// SetPlan replaces a site's plan.
func (s *Store) SetPlan(ctx context.Context, name string, p plan.Plan) error {
	data, err := encodePlan(p)
	if err != nil {
		return err
	}
	r, err := s.db.ExecContext(ctx, `update site set plan = cast($2 as jsonb) where name = $1`, name, string(data))
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return record.ErrNotFound
	}
	return nil
}

// SetKeep says which crawls a site keeps.
func (s *Store) SetKeep(ctx context.Context, site int64, keep record.Retention) error {
	_, err := s.db.ExecContext(ctx, "update site set keep = $2, keep_monthly = $3 where id = $1", site, keep.Crawls, keep.Monthly)
	return err
}

// SetGroups says which groups a site is in.
func (s *Store) SetGroups(ctx context.Context, site int64, groups []string) error {
	_, err := s.pool.Exec(ctx, "update site set groups = $2 where id = $1", site, groups)
	return err
}
