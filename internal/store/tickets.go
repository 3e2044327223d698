package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// mostTickets bounds those that are good at a time.
const mostTickets = 1000

// AddTicket makes a ticket for an address, good once and for so long, by somebody's credential; record.ErrBusy where
// too many wait. Its secret is kept nowhere.
func (s *Store) AddTicket(ctx context.Context, address string, by int64,
	life time.Duration) (secret string, err error) {
	secret = NewSecret()
	hash := sha256.Sum256([]byte(secret))
	return secret, s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "delete from ticket where expires < now()"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `insert into ticket (hash, address, credential, expires)
			select $1, $2, $3, now() + make_interval(secs => $4) where (select count(*) from ticket) < $5`,
			hash[:], clean(address), by, life.Seconds(), mostTickets)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrBusy
		}
		return err
	})
}

// RedeemTicket uses a ticket up, and tells what it is for and by whose credential; record.ErrNotFound where there is
// none of that secret, or not any more.
func (s *Store) RedeemTicket(ctx context.Context, secret string) (address string, by record.Caller, err error) {
	hash := sha256.Sum256([]byte(secret))
	var credential int64
	err = s.pool.QueryRow(ctx, "delete from ticket where hash = $1 and expires > now() returning address, credential", hash[:]).
		Scan(&address, &credential)
	if err != nil {
		return "", by, found(err)
	}
	by, err = s.caller(ctx, "c.id = $1", credential)
	return address, by, err
}
