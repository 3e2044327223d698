package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// PersonBy is whom an identity provider's name for somebody is known to be. Who is not known yet is taken for the one
// person of a mail address that the provider vouches for, and is known from then on. record.ErrNotFound where that is
// nobody, or several.
func (s *Store) PersonBy(ctx context.Context, issuer, subject, mail string) (person int64, err error) {
	issuer, subject = clean(issuer), clean(subject)
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `update identity i set used = now() from person p
			where i.issuer = $1 and i.subject = $2 and p.id = i.person_id and p.ended is null returning p.id`, issuer, subject).Scan(&person)
		if found(err) != record.ErrNotFound || mail == "" {
			return err
		}
		// Whom the provider knows under another name is not taken over by this one.
		return tx.QueryRow(ctx, `insert into identity (issuer, subject, person_id, used)
			select $1, $2, min(p.id), now() from person p where lower(p.mail) = lower($3) and p.ended is null
			having count(*) = 1 and not exists (select 1 from identity i where i.issuer = $1 and i.person_id = min(p.id))
			on conflict do nothing returning person_id`, issuer, subject, clean(mail)).Scan(&person)
	})
	return person, found(err)
}
