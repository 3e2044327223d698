package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// Passkeys are those of a person, the oldest first.
func (s *Store) Passkeys(ctx context.Context, person int64) ([]record.Passkey, error) {
	rows, err := s.pool.Query(ctx, "select id, person_id, name, handle, body, created, used from passkey where person_id = $1 order by id", person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (p record.Passkey, err error) {
		err = row.Scan(&p.ID, &p.Person, &p.Name, &p.Handle, &p.Body, &p.Created, &p.Used)
		return p, err
	})
}

// mostPasskeys bounds how many a person has.
const mostPasskeys = 20

// AddPasskey keeps one of a person; record.ErrBusy where they have as many as can be, record.ErrExists where somebody
// has it already.
func (s *Store) AddPasskey(ctx context.Context, p record.Passkey) error {
	n, err := s.changed(ctx, `insert into passkey (person_id, name, handle, body) select $1, $2, $3, $4
		where (select count(*) from passkey where person_id = $1) < $5`, p.Person, clean(p.Name), p.Handle, string(p.Body), mostPasskeys)
	if err == nil && n == 0 {
		err = record.ErrBusy
	}
	return exists(err)
}

// UsedPasskey notes that one was used, with what the authenticator counts.
func (s *Store) UsedPasskey(ctx context.Context, handle []byte, body json.RawMessage) error {
	_, err := s.pool.Exec(ctx, "update passkey set used = now(), body = $2 where handle = $1", handle, string(body))
	return err
}

// RemovePasskey forgets one of a person; record.ErrNotFound if there is none of that number.
func (s *Store) RemovePasskey(ctx context.Context, person, id int64) error {
	return s.drop(ctx, "delete from passkey where person_id = $1 and id = $2", person, id)
}

// Bounds of steps that are under way.
const (
	ceremonyLife   = 5 * time.Minute
	mostCeremonies = 1000
)

// BeginCeremony keeps what the second step needs of the first, under a secret; record.ErrBusy where too many are under
// way. Person is 0 for who signs in.
func (s *Store) BeginCeremony(ctx context.Context, person int64, body json.RawMessage) (secret string, err error) {
	secret = NewSecret()
	hash := sha256.Sum256([]byte(secret))
	if _, err := s.pool.Exec(ctx, "delete from ceremony where expires < now()"); err != nil {
		return "", err
	}
	n, err := s.changed(ctx, `insert into ceremony (hash, person_id, body, expires)
		select $1, nullif($2, 0), $3, now() + make_interval(secs => $4) where (select count(*) from ceremony) < $5`,
		hash[:], person, string(body), ceremonyLife.Seconds(), mostCeremonies)
	if err == nil && n == 0 {
		err = record.ErrBusy
	}
	return secret, err
}

// EndCeremony is what the first step kept, once; record.ErrNotFound where there is none of a person under a secret.
func (s *Store) EndCeremony(ctx context.Context, person int64, secret string) (body json.RawMessage, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = s.pool.QueryRow(ctx, "delete from ceremony where hash = $1 and coalesce(person_id, 0) = $2 and expires > now() returning body",
		hash[:], person).Scan(&body)
	return body, found(err)
}
