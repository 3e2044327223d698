package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"
)

// Kinds of credential.
const (
	Token   = "token"   // for programs; does not expire
	Session = "session" // of a browser
	Link    = "link"    // signs a browser in, once
)

// Issue makes a credential and returns its secret, of 256 random bits, which is kept nowhere.
// A zero life does not end.
func (s *Store) Issue(ctx context.Context, kind, label string, life time.Duration) (secret string, err error) {
	raw := make([]byte, 32)
	rand.Read(raw)
	secret = base64.RawURLEncoding.EncodeToString(raw)
	return secret, s.keep(ctx, kind, label, secret, life)
}

func (s *Store) keep(ctx context.Context, kind, label, secret string, life time.Duration) error {
	hash := sha256.Sum256([]byte(secret))
	var expires *time.Time
	if life > 0 {
		t := time.Now().Add(life)
		expires = &t
	}
	_, err := s.db.ExecContext(ctx, `insert into credential (hash, kind, label, expires) values ($1, $2, $3, $4)
		on conflict (hash) do nothing`, hash[:], kind, label, expires)
	return err
}

// Knows tells whether a secret of one of these kinds is valid.
func (s *Store) Knows(ctx context.Context, secret string, kinds ...string) (bool, error) {
	hash := sha256.Sum256([]byte(secret))
	var n int
	err := s.db.GetContext(ctx, &n, `select count(*) from credential where hash = $1 and kind = any($2) and (expires is null or expires > now())`,
		hash[:], kinds)
	return n > 0, err
}

// Redeem uses a one-time link up; ErrNotFound if there is none.
func (s *Store) Redeem(ctx context.Context, secret string) error {
	return s.revoke(ctx, secret, Link)
}

// EndSession signs a browser out.
func (s *Store) EndSession(ctx context.Context, secret string) error {
	return s.revoke(ctx, secret, Session)
}

func (s *Store) revoke(ctx context.Context, secret, kind string) error {
	hash := sha256.Sum256([]byte(secret))
	r, err := s.db.ExecContext(ctx, `delete from credential where hash = $1 and kind = $2 and (expires is null or expires > now())`, hash[:], kind)
	if err != nil {
		return err
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// DropExpired deletes what has run out.
func (s *Store) DropExpired(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, `delete from credential where expires < now()`)
	return err
}

// SessionLife is how long a browser stays signed in.
const SessionLife = 14 * 24 * time.Hour

// IssueSession makes a browser's session.
func (s *Store) IssueSession(ctx context.Context) (string, error) {
	return s.Issue(ctx, Session, "browser", SessionLife)
}

// KeepToken makes a secret that exists already valid as a token.
func (s *Store) KeepToken(ctx context.Context, label, secret string) error {
	return s.keep(ctx, Token, label, secret, 0)
}
