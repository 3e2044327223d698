package store

import (
	"context"
	"crypto/sha256"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// personColumns are those of a person, with the names of what is given to them.
const personColumns = `select p.id, p.name, p.mail, p.role, p.lists, p.everywhere, to_jsonb(p.groups) as groups, p.created,
	p.password is not null as ready,
	coalesce((select jsonb_agg(s.name order by s.name) from given g join site s on s.id = g.site_id where g.person_id = p.id), '[]') as sites,
	greatest((select max(c.used) from credential c where c.person_id = p.id),
		(select t.at from trail t where t.person_id = p.id order by t.id desc limit 1)) as seen,
	(select max(c.expires) from credential c where c.person_id = p.id and c.kind = '` + record.InviteKind + `' and c.expires > now()) as invited
	from person p where p.ended is null `

type personRow struct {
	record.Person
	Sites  kept[[]string]
	Groups kept[[]string]
}

func (r *personRow) person() record.Person {
	r.Person.Sites, r.Person.Groups = r.Sites.value, r.Groups.value
	return r.Person
}

// People are all who are let in, by name.
func (s *Store) People(ctx context.Context) ([]record.Person, error) {
	rows := []personRow{}
	err := s.db.SelectContext(ctx, &rows, personColumns+"order by lower(p.name)")
	out := make([]record.Person, len(rows))
	for i := range rows {
		out[i] = rows[i].person()
	}
	return out, err
}

// Person is the one of a number; record.ErrNotFound where there is none.
func (s *Store) Person(ctx context.Context, id int64) (record.Person, error) {
	var row personRow
	err := s.db.GetContext(ctx, &row, personColumns+"and p.id = $1", id)
	return row.person(), found(err)
}

// takenName refuses a name under which somebody else has done something: what stands in histories stays theirs.
func takenName(ctx context.Context, tx pgx.Tx, person int64, name string) error {
	var taken bool
	err := tx.QueryRow(ctx, "select exists (select 1 from trail where lower(who) = lower($1) and person_id <> $2)",
		clean(name), person).Scan(&taken)
	if err == nil && taken {
		err = record.ErrExists
	}
	return err
}

// AddPerson lets somebody in; record.ErrExists where their name is taken, or was that of somebody who did something.
func (s *Store) AddPerson(ctx context.Context, p record.Person) (id int64, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		if err := takenName(ctx, tx, 0, p.Name); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `insert into person (name, mail, role, lists, everywhere, groups)
			values ($1, $2, $3, $4, $5, $6) returning id`,
			clean(p.Name), clean(p.Mail), p.Role, p.Lists, p.Everywhere, p.Groups).Scan(&id); err != nil {
			return err
		}
		return give(ctx, tx, id, p.Sites)
	})
	return id, exists(err)
}

// give gives sites to a person, in place of those that were.
func give(ctx context.Context, tx pgx.Tx, person int64, sites []string) error {
	if _, err := tx.Exec(ctx, "delete from given where person_id = $1", person); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "insert into given (person_id, site_id) select $1, id from site where name = any($2)", person, sites)
	return err
}

// lastOwner keeps the last owner: somebody has to be able to let others in.
const lastOwner = `(p.role <> 'owner' or exists (select 1 from person o where o.role = 'owner' and o.ended is null and o.id <> p.id))`

// SetPerson changes what somebody may, and ends their sessions, so that what they see is what they may;
// record.ErrExists where the name is taken, record.ErrBusy where no owner would be left.
func (s *Store) SetPerson(ctx context.Context, p record.Person) error {
	return exists(s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "lock table person in share row exclusive mode"); err != nil {
			return err
		}
		// By another address an identity provider may mean somebody else.
		if _, err := tx.Exec(ctx, `delete from identity i using person p where i.person_id = p.id and p.id = $1
			and lower(p.mail) <> lower($2)`, p.ID, clean(p.Mail)); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `update person p set name = $2, mail = $3, role = $4, lists = $5, everywhere = $6, groups = $7
			where id = $1 and ended is null and ($4 = 'owner' or `+lastOwner+")",
			p.ID, clean(p.Name), clean(p.Mail), p.Role, p.Lists, p.Everywhere, p.Groups)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrBusy
		}
		if err == nil {
			err = takenName(ctx, tx, p.ID, p.Name)
		}
		if err != nil {
			return err
		}
		if err := give(ctx, tx, p.ID, p.Sites); err != nil {
			return err
		}
		return endSessions(ctx, tx, p.ID)
	}))
}

func endSessions(ctx context.Context, tx pgx.Tx, person int64) error {
	_, err := tx.Exec(ctx, "delete from credential where person_id = $1 and kind = $2", person, Session)
	return err
}

// Rename gives a person another name; record.ErrExists where it is taken.
func (s *Store) Rename(ctx context.Context, person int64, name string) error {
	return exists(s.inTx(ctx, func(tx pgx.Tx) error {
		if err := takenName(ctx, tx, person, name); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "update person set name = $2 where id = $1", person, clean(name))
		return err
	}))
}

// NameOwner names the first owner, who has none of their own yet, by the user of the machine. It is no error where that
// is no name, or somebody goes by it.
func (s *Store) NameOwner(ctx context.Context, name string) error {
	if name == "" || name == "root" {
		return nil
	}
	_, err := s.pool.Exec(ctx, "update person set name = $1 where id = "+firstOwner+` and name = 'owner' and not exists (
		select 1 from person where lower(name) = lower($1) and ended is null)`, clean(name))
	return err
}

// EndPerson lets somebody in no more: what they have to come in by ends at once. record.ErrBusy where no owner would be
// left.
func (s *Store) EndPerson(ctx context.Context, id int64) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "lock table person in share row exclusive mode"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "update person p set ended = now(), password = null where id = $1 and ended is null and "+lastOwner, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrBusy
		}
		if err == nil {
			// The token of a data folder stays: it is the machine's, and goes to the owner that is left.
			_, err = tx.Exec(ctx, `update credential set person_id = (select min(id) from person where role = 'owner' and ended is null)
				where person_id = $1 and kind = $2 and label = $3`, id, Token, Owner)
		}
		if err == nil {
			_, err = tx.Exec(ctx, "delete from credential where person_id = $1", id)
		}
		if err == nil {
			_, err = tx.Exec(ctx, "delete from identity where person_id = $1", id)
		}
		return err
	})
}

// SetPassword keeps the hash of a password, and ends all sessions and invitations of the person.
func (s *Store) SetPassword(ctx context.Context, person int64, hash string) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "update person set password = $2 where id = $1 and ended is null", person, hash); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "delete from credential where person_id = $1 and kind in ($2, $3, $4)", person, Session, Invite, Link)
		return err
	})
}

// LoginOf is what signing in under a name finds; record.ErrNotFound where nobody goes by it.
func (s *Store) LoginOf(ctx context.Context, name string) (l record.Login, err error) {
	err = s.db.GetContext(ctx, &l, `select id as person, coalesce(password, '') as password from person
		where lower(name) = lower($1) and ended is null`, clean(name))
	return l, found(err)
}

// Bounds of tries to sign in that failed.
const (
	triesLately  = 15 * time.Minute
	triesOfPair  = 10  // of one name from one place
	triesOfPlace = 40  // from one place
	triesOfName  = 100 // of one name from places where nobody has signed in under it
	placeIsKnown = 30 * 24 * time.Hour
	attemptsStay = 40 * 24 * time.Hour
)

func printOf(name string) []byte {
	sum := sha256.Sum256([]byte(strings.ToLower(name)))
	return sum[:]
}

// MayTry tells whether somebody may try to sign in under a name from a place: where they signed in before, tries from
// elsewhere do not shut them out.
func (s *Store) MayTry(ctx context.Context, name, place string) (may bool, err error) {
	err = s.db.GetContext(ctx, &may, `select
		count(*) filter (where name = $1 and place = $2) < $3 and count(*) filter (where place = $2) < $4
		and (count(*) filter (where name = $1) < $5 or exists (select 1 from attempt
			where name = $1 and place = $2 and good and at > now() - make_interval(secs => $7)))
		from attempt where (name = $1 or place = $2) and not good and at > now() - make_interval(secs => $6)`,
		printOf(name), place, triesOfPair, triesOfPlace, triesOfName, triesLately.Seconds(), placeIsKnown.Seconds())
	return may, err
}

// Tried notes a try to sign in; a good one forgives those of the same name from the same place.
func (s *Store) Tried(ctx context.Context, name, place string, good bool) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if good {
			if _, err := tx.Exec(ctx, "delete from attempt where name = $1 and place = $2", printOf(name), place); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, "delete from attempt where at < now() - make_interval(secs => $1)", attemptsStay.Seconds()); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "insert into attempt (name, place, good) values ($1, $2, $3)", printOf(name), place, good)
		return err
	})
}
