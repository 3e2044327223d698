package store

import "context"

// Allow lets the hosts of a site be in a range, in CIDR notation, that is not public.
func (s *Store) Allow(ctx context.Context, site int64, prefix, who string) error {
	_, err := s.db.ExecContext(ctx,
		`insert into allowance (site_id, range, who) values ($1, $2, $3) on conflict do nothing`, site, prefix, clean(who))
	return err
}

// Disallow takes an allowance back; record.ErrNotFound if there is none.
func (s *Store) Disallow(ctx context.Context, site int64, prefix string) error {
	return s.drop(ctx, "delete from allowance where site_id = $1 and range = $2", site, prefix)
}
