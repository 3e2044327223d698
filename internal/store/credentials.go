package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"harvik/internal/core/rights"
	"harvik/internal/record"
)

// Kinds of credential.
const (
	Token   = record.TokenKind
	Session = record.SessionKind
	Link    = record.LinkKind
	Invite  = record.InviteKind
)

// Lives of what does not hold for ever.
const (
	LinkLife    = 24 * time.Hour
	InviteLife  = 7 * 24 * time.Hour
	SessionLife = 14 * 24 * time.Hour // from signing in
	sessionIdle = 3 * 24 * time.Hour  // of one that nobody uses
)

// Owner is the label of the token that the service keeps in its data folder.
const Owner = record.OwnerLabel

// NewSecret is a text with 256 random bits.
func NewSecret() string {
	raw := make([]byte, 32)
	rand.Read(raw)
	return base64.RawURLEncoding.EncodeToString(raw)
}

// firstOwner is the person whom the machine's own token and links are of.
const firstOwner = "(select min(id) from person where role = 'owner' and ended is null)"

// IssueToken makes a token for a program, and returns its secret, which is kept nowhere; record.ErrExists where the
// person has one of that name.
func (s *Store) IssueToken(ctx context.Context, t record.NewToken) (secret string, err error) {
	secret = NewSecret()
	hash := sha256.Sum256([]byte(secret))
	n, err := s.changed(ctx, `insert into credential (hash, kind, label, person_id, role, sites, expires)
		select $1, $2, $3, $4, $5,
			case when $6 then null else coalesce((select array_agg(id) from site where name = any($7)), '{}') end, $8
		where not exists (select 1 from credential where kind = $2 and label = $3 and person_id = $4)`,
		hash[:], Token, clean(t.Label), t.Person, t.Role, t.Sites == nil, t.Sites, t.Expires)
	if err == nil && n == 0 {
		err = record.ErrExists
	}
	return secret, err
}

func (s *Store) changed(ctx context.Context, sql string, args ...any) (int64, error) {
	tag, err := s.pool.Exec(ctx, sql, args...)
	return tag.RowsAffected(), err
}

// IssueLink makes a link that signs a browser of the owner in. Those made before end.
func (s *Store) IssueLink(ctx context.Context) (secret string, err error) {
	secret = NewSecret()
	return secret, s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, "delete from credential where kind = $1", Link); err != nil {
			return err
		}
		return keep(ctx, tx, credential{kind: Link, label: "console", secret: secret, life: LinkLife})
	})
}

// IssueInvite makes a link by which a person chooses a password. Those made before end.
func (s *Store) IssueInvite(ctx context.Context, person int64) (secret string, err error) {
	secret = NewSecret()
	return secret, s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, "delete from credential where kind = $1 and person_id = $2", Invite, person); err != nil {
			return err
		}
		return keep(
			ctx,
			tx,
			credential{kind: Invite, label: "invitation", secret: secret, life: InviteLife, person: person},
		)
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
		if err := keep(ctx, tx, credential{kind: Token, label: Owner, secret: secret}); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "update credential set seat = $2 where hash = $1", hash[:], seat)
		return err
	})
}

// A credential is one that is to be kept.
type credential struct {
	kind, label, secret string
	life                time.Duration // 0 for ever
	person              int64         // 0 for the first owner
	place, agent        string        // of a browser
}

func keep(ctx context.Context, to execer, c credential) error {
	hash := sha256.Sum256([]byte(c.secret))
	var expires *time.Time
	if c.life > 0 {
		t := time.Now().Add(c.life)
		expires = &t
	}
	_, err := to.ExecContext(ctx, `insert into credential (hash, kind, label, expires, person_id, place, agent)
		values ($1, $2, $3, $4, coalesce(nullif($5, 0), `+firstOwner+`), $6, $7) on conflict (hash) do nothing`,
		hash[:], c.kind, clean(c.label), expires, c.person, clean(c.place), clean(c.agent))
	return err
}

const credentialColumns = `select c.id, c.kind, c.label, c.created, c.used, c.expires, c.place, c.agent, c.role as limited,
	p.name as person_name, c.sites is not null as bound from credential c join person p on p.id = c.person_id `

// holds is what a credential has to be to let anybody in.
var holds = fmt.Sprintf(`(c.expires is null or c.expires > now()) and (c.kind <> '%s' or
	coalesce(c.used, c.created) > now() - interval '%d seconds')`, Session, int(sessionIdle.Seconds()))

// usedEvery is how exactly it is known when a credential was last used.
const usedEvery = time.Minute

// Known is who comes by a credential of a kind, with what they may; record.ErrNotFound if it is none that holds.
func (s *Store) Known(ctx context.Context, secret, kind string) (record.Caller, error) {
	hash := sha256.Sum256([]byte(secret))
	who, err := s.caller(ctx, "c.hash = $1 and c.kind = $2", hash[:], kind)
	if err == nil && (who.Used == nil || time.Since(*who.Used) > usedEvery) {
		_, err = s.db.ExecContext(ctx, "update credential set used = now() where id = $1", who.ID)
	}
	return who, err
}

// caller is who comes by a credential that holds.
func (s *Store) caller(ctx context.Context, where string, args ...any) (who record.Caller, err error) {
	var given, bound []string
	var limited, role rights.Role
	var whole bool
	var of rights.Somebody
	err = s.pool.QueryRow(ctx, `select c.id, c.kind, c.label, c.created, c.used, c.expires, p.id, p.name, p.password is not null,
			p.role, p.lists, p.everywhere, coalesce(nullif(c.role, ''), p.role), c.sites is null,
			case when p.role = 'owner' or p.everywhere then '{}' else (select coalesce(array_agg(s.name), '{}') from site s
				where s.groups && p.groups or exists (select 1 from given g where g.person_id = p.id and g.site_id = s.id)) end,
			(select coalesce(array_agg(s.name), '{}') from site s where s.id = any(c.sites))
		from credential c join person p on p.id = c.person_id and p.ended is null where `+where+" and "+holds, args...).
		Scan(&who.ID, &who.Kind, &who.Label, &who.Created, &who.Used, &who.Expires, &who.Person, &who.Name,
			&who.Password, &role, &of.Lists, &of.Everywhere, &limited, &whole, &given, &bound)
	if err != nil {
		return who, found(err)
	}
	of.Role, of.Sites = role, named(given)
	who.Somebody = of
	if limited != role || !whole {
		who.Somebody = of.Within(limited, whole, named(bound))
	}
	return who, nil
}

func named(names []string) map[string]bool {
	out := make(map[string]bool, len(names))
	for _, n := range names {
		out[n] = true
	}
	return out
}

// Holds tells whether a credential has not been revoked and has not run out.
func (s *Store) Holds(ctx context.Context, id int64) (yes bool, err error) {
	err = s.db.GetContext(ctx, &yes, "select exists (select 1 from credential c where id = $1 and "+holds+")", id)
	return yes, err
}

// Credentials are all that hold, the oldest first; of one person where one is named.
func (s *Store) Credentials(ctx context.Context, person int64) ([]record.Credential, error) {
	all := []record.Credential{}
	err := s.db.SelectContext(
		ctx,
		&all,
		credentialColumns+"where "+holds+" and ($1 = 0 or p.id = $1) order by c.id",
		person,
	)
	return all, err
}

// Revoke ends a credential, of one person where one is named; record.ErrNotFound if there is none of that number.
func (s *Store) Revoke(ctx context.Context, id, person int64) error {
	return s.drop(ctx, "delete from credential c where id = $1 and ($2 = 0 or person_id = $2) and "+holds, id, person)
}

// EndSessions ends all sessions of a person but one.
func (s *Store) EndSessions(ctx context.Context, person, but int64) error {
	_, err := s.pool.Exec(
		ctx,
		"delete from credential where person_id = $1 and kind = $2 and id <> $3",
		person,
		Session,
		but,
	)
	return err
}

// Redeem uses up a link that works once, and tells whose it was; record.ErrNotFound if there is none.
func (s *Store) Redeem(ctx context.Context, secret, kind string) (person int64, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = s.pool.QueryRow(ctx, `delete from credential where hash = $1 and kind = $2 and expires > now() returning person_id`,
		hash[:], kind).
		Scan(&person)
	return person, found(err)
}

// Invited is whom a link invites, without using it up; record.ErrNotFound if there is none.
func (s *Store) Invited(ctx context.Context, secret string) (record.Person, error) {
	hash := sha256.Sum256([]byte(secret))
	var person int64
	if err := s.pool.QueryRow(ctx, "select person_id from credential where hash = $1 and kind = $2 and expires > now()",
		hash[:], Invite).Scan(&person); err != nil {
		return record.Person{}, found(err)
	}
	return s.Person(ctx, person)
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
func (s *Store) IssueSession(
	ctx context.Context,
	half string,
	person int64,
	place, agent string,
) (key string, err error) {
	key = NewSecret()
	return key, keep(ctx, s.db, credential{kind: Session, label: "browser", secret: SessionSecret(half, key),
		life: SessionLife, person: person, place: place, agent: agent})
}
