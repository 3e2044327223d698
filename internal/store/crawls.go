package store

import (
	"context"
	"encoding/json"

	"harvik/internal/record"

	"harvik/internal/core/plan"
)

const crawlColumns = `select c.id, c.site_id, s.name as site, s.home, c.number, c.state, c.ending, c.detail, c.plan,
	c.started, c.finished, c.catalogue, c.progress, c.report from crawl c join site s on s.id = c.site_id `

// StartCrawl makes the next crawl of a site.
func (s *Store) StartCrawl(ctx context.Context, site record.Site, p plan.Plan, catalogue int) (record.Crawl, error) {
	data, err := json.Marshal(p)
	if err != nil {
		return record.Crawl{}, err
	}
	var id int64
	err = s.db.GetContext(ctx, &id, `insert into crawl (site_id, number, state, plan, catalogue)
		select $1, coalesce(max(number), 0) + 1, 'running', cast($2 as jsonb), $3 from crawl where site_id = $1 returning id`,
		site.ID, string(data), catalogue)
	if err != nil {
		if isUnique(err) {
			return record.Crawl{}, ErrExists // two started in the same moment
		}
		return record.Crawl{}, err
	}
	var c record.Crawl
	err = s.db.GetContext(ctx, &c, crawlColumns+"where c.id = $1", id)
	return c, err
}

// FailCrawl marks a crawl that could not be ended properly.
func (s *Store) FailCrawl(ctx context.Context, id int64, why string) error {
	_, err := s.db.ExecContext(ctx, `update crawl set state = 'failed', detail = $2, finished = now() where id = $1 and state = 'running'`,
		id, clean(why))
	return err
}

// FailLost marks crawls that were running when the service ended without a goodbye, and
// returns how many there were.
func (s *Store) FailLost(ctx context.Context) (int64, error) {
	r, err := s.db.ExecContext(ctx, `update crawl set state = 'failed', finished = now(),
		detail = 'the service ended while this crawl ran; what was stored is kept, crawl again for a verdict' where state = 'running'`)
	if err != nil {
		return 0, err
	}
	return r.RowsAffected()
}

// Crawls lists those of a site, newest first, before a number (0 for the newest).
func (s *Store) Crawls(ctx context.Context, site record.Site, before, limit int) ([]record.Crawl, error) {
	crawls := []record.Crawl{}
	err := s.db.SelectContext(ctx, &crawls, crawlColumns+`where c.site_id = $1 and ($2 = 0 or c.number < $2)
		order by c.number desc limit $3`, site.ID, before, limit)
	return crawls, err
}

// Crawl is the one of a number; 0 means the newest finished one.
func (s *Store) Crawl(ctx context.Context, site string, number int) (record.Crawl, error) {
	var c record.Crawl
	err := s.db.GetContext(ctx, &c, crawlColumns+`where s.name = $1 and (c.number = $2 or $2 = 0 and c.state = 'finished')
		order by c.number desc limit 1`, site, number)
	return c, found(err)
}
