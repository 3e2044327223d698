package store

import (
	"context"

	"harvik/internal/record"
)

// SetSecret keeps a sealed secret of a site, bound to a host.
func (s *Store) SetSecret(ctx context.Context, site int64, name, host string, sealed []byte) error {
	_, err := s.db.ExecContext(ctx, `insert into secret (site_id, name, host, sealed) values ($1, $2, $3, $4)
		on conflict (site_id, name) do update set host = excluded.host, sealed = excluded.sealed, changed = now()`, site, name, host, sealed)
	return err
}

// Secrets lists the secrets of a site by name: what they are for, not what they are.
func (s *Store) Secrets(ctx context.Context, site int64) ([]record.Secret, error) {
	secrets := []record.Secret{}
	err := s.db.SelectContext(ctx, &secrets, "select name, host, changed from secret where site_id = $1 order by name", site)
	return secrets, err
}

// SealedSecret is one secret as it was stored, with the host that it is for.
func (s *Store) SealedSecret(ctx context.Context, site int64, name string) (host string, sealed []byte, err error) {
	var row struct {
		Host   string `db:"host"`
		Sealed []byte `db:"sealed"`
	}
	err = s.db.GetContext(ctx, &row, "select host, sealed from secret where site_id = $1 and name = $2", site, name)
	return row.Host, row.Sealed, found(err)
}

// RemoveSecret deletes a secret.
func (s *Store) RemoveSecret(ctx context.Context, site int64, name string) error {
	r, err := s.db.ExecContext(ctx, "delete from secret where site_id = $1 and name = $2", site, name)
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}
