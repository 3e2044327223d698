package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"

	"github.com/jmoiron/sqlx"

	"harvik/internal/record"
)

// Kinds of credential.
const (
	Token   = "token"   // for programs; does not expire
	Session = "session" // of a browser
	Link    = "link"    // signs a browser in, once
)

// Lives of what does not hold for ever.
const (
	LinkLife    = 24 * time.Hour
	SessionLife = 14 * 24 * time.Hour
)

// Owner is the label of the token that the service keeps in its data folder.
const Owner = "owner"

// NewSecret is a text with 256 random bits.
func NewSecret() string {
	raw := make([]byte, 32)
	rand.Read(raw)
	return base64.RawURLEncoding.EncodeToString(raw)
}

// Issue makes a credential and returns its secret, which is kept nowhere. A zero life does not end.
func (s *Store) Issue(ctx context.Context, kind, label string, life time.Duration) (secret string, err error) {
	secret = NewSecret()
	return secret, keep(ctx, s.db, kind, label, secret, life)
}

// IssueLink makes a link that signs a browser in. Those made before end.
func (s *Store) IssueLink(ctx context.Context) (secret string, err error) {
	secret = NewSecret()
	return secret, s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, "delete from credential where kind = $1", Link); err != nil {
			return err
		}
		return keep(ctx, tx, Link, "console", secret, LinkLife)
	})
}

// KeepOwner makes a secret the owner's token, the only one of a data folder, which the seat names.
func (s *Store) KeepOwner(ctx context.Context, secret, seat string) error {
	hash := sha256.Sum256([]byte(secret))
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `delete from credential
			where kind = $1 and label = $2 and hash <> $3 and seat in ($4, '')`, Token, Owner, hash[:], seat); err != nil {
			return err
		}
		if err := keep(ctx, tx, Token, Owner, secret, 0); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "update credential set seat = $2 where hash = $1", hash[:], seat)
		return err
	})
}

func keep(ctx context.Context, to execer, kind, label, secret string, life time.Duration) error {
	hash := sha256.Sum256([]byte(secret))
	var expires *time.Time
	if life > 0 {
		t := time.Now().Add(life)
		expires = &t
	}
	_, err := to.ExecContext(ctx, `insert into credential (hash, kind, label, expires) values ($1, $2, $3, $4)
		on conflict (hash) do nothing`, hash[:], kind, clean(label), expires)
	return err
}

const credentialColumns = "id, kind, label, created, used, expires"

// usedEvery is how exactly it is known when a credential was last used.
const usedEvery = time.Minute

// Known is the credential of a kind that a secret is; record.ErrNotFound if it is none that holds.
func (s *Store) Known(ctx context.Context, secret, kind string) (c record.Credential, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = s.db.GetContext(ctx, &c, "select "+credentialColumns+` from credential
		where hash = $1 and kind = $2 and (expires is null or expires > now())`, hash[:], kind)
	if err == nil && (c.Used == nil || time.Since(*c.Used) > usedEvery) {
		_, err = s.db.ExecContext(ctx, "update credential set used = now() where id = $1", c.ID)
	}
	return c, found(err)
}

// Holds tells whether a credential has not been revoked and has not run out.
func (s *Store) Holds(ctx context.Context, id int64) (holds bool, err error) {
	err = s.db.GetContext(ctx, &holds,
		"select exists (select 1 from credential where id = $1 and (expires is null or expires > now()))", id)
	return holds, err
}

// Credentials are all that hold, the oldest first.
func (s *Store) Credentials(ctx context.Context) ([]record.Credential, error) {
	all := []record.Credential{}
	err := s.db.SelectContext(ctx, &all,
		"select "+credentialColumns+" from credential where expires is null or expires > now() order by id")
	return all, err
}

// HasToken tells whether a token of that label holds.
func (s *Store) HasToken(ctx context.Context, label string) (has bool, err error) {
	err = s.db.GetContext(ctx, &has, "select exists (select 1 from credential where kind = $1 and label = $2)", Token,
		label)
	return has, err
}

// Revoke ends a credential; record.ErrNotFound if there is none of that number.
func (s *Store) Revoke(ctx context.Context, id int64) error {
	return s.drop(ctx, "delete from credential where id = $1 and (expires is null or expires > now())", id)
}

// Redeem uses a one-time link up; record.ErrNotFound if there is none.
func (s *Store) Redeem(ctx context.Context, secret string) error {
	hash := sha256.Sum256([]byte(secret))
	return s.drop(ctx, "delete from credential where hash = $1 and kind = $2 and (expires is null or expires > now())",
		hash[:], Link)
}

// drop deletes what a query names; record.ErrNotFound where there is none.
func (s *Store) drop(ctx context.Context, query string, args ...any) error {
	r, err := s.db.ExecContext(ctx, query, args...)
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return record.ErrNotFound
	}
	return nil
}

// DropExpired deletes what has run out.
func (s *Store) DropExpired(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `delete from credential where expires < now()`)
	return err
}

// SessionSecret is the secret of a browser's session, of its two halves.
func SessionSecret(half, key string) string { return half + "." + key }

// IssueSession makes a browser's session of one half, and returns the other.
func (s *Store) IssueSession(ctx context.Context, half string) (key string, err error) {
	key = NewSecret()
	return key, keep(ctx, s.db, Session, "browser", SessionSecret(half, key), SessionLife)
}
