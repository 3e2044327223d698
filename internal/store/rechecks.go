package store

import (
	"context"

	"harvik/internal/core/page"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// AllAddresses are those that a crawl knows, by number.
func (s *Store) AllAddresses(ctx context.Context, crawlID int64) ([]survey.Address, error) {
	rows, err := s.pool.Query(ctx, `select a.url, a.found_on, a.depth, case when p.id is null then a.state else 'fetched' end, a.role, a.found, a.in_sitemap, a.rule_line, a.rule_text
		from address a left join page p on p.crawl_id = a.crawl_id and p.id = a.id where a.crawl_id = $1 order by a.id`, crawlID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []survey.Address
	for rows.Next() {
		var a survey.Address
		var state string
		var role, found int16
		var rule robots.Line
		if err := rows.Scan(&a.URL, &a.FoundOn, &a.Depth, &state, &role, &found, &a.InSitemap, &rule.Number, &rule.Text); err != nil {
			return nil, err
		}
		a.State, a.Role, a.Found, a.Rule = survey.StateOf(state), page.Role(role), survey.Found(found), rule
		out = append(out, a)
	}
	return out, rows.Err()
}

// AddRecheck makes the next recheck of a crawl and returns its number.
func (s *Store) AddRecheck(ctx context.Context, crawlID int64, r record.Recheck) (number int, err error) {
	body, err := encode(r)
	if err != nil {
		return 0, err
	}
	err = s.db.GetContext(ctx, &number, `insert into recheck (crawl_id, number, state, body)
		select $1, coalesce(max(number), 0) + 1, $3, cast($2 as jsonb) from recheck where crawl_id = $1 returning number`, crawlID, string(body), r.State)
	return number, err
}

// SaveRecheck stores how a recheck stands.
func (s *Store) SaveRecheck(ctx context.Context, crawlID int64, r *record.Recheck) error {
	body, err := encode(r)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "update recheck set body = cast($3 as jsonb), state = $4 where crawl_id = $1 and number = $2", crawlID, r.Number, string(body), r.State)
	return err
}

// Rechecks are those of a crawl, the newest first.
func (s *Store) Rechecks(ctx context.Context, crawlID int64) ([]record.Recheck, error) {
	rows := []struct {
		Number int
		Body   []byte
	}{}
	if err := s.db.SelectContext(ctx, &rows, "select number, body from recheck where crawl_id = $1 order by number desc", crawlID); err != nil {
		return nil, err
	}
	out := make([]record.Recheck, len(rows))
	for i, r := range rows {
		if err := decode(r.Body, &out[i]); err != nil {
			return nil, err
		}
		out[i].Number = r.Number
	}
	return out, nil
}

// CutRechecks marks rechecks that were running when the service last ended.
func (s *Store) CutRechecks(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `update recheck set state = 'failed',
		body = body - 'state' || '{"State": "failed", "Detail": "the service ended before the recheck had; run it again"}' where state = 'running'`)
	return err
}
