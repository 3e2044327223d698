package store

import (
	"errors"
	"io"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"harvik/internal/record"
)

// Trouble tells what is the matter with the database, where that is why a call failed, by the classes of SQLSTATE
// (PostgreSQL, appendix A).
func (*Store) Trouble(err error) record.Trouble {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return troubleOf(pg.Code)
	}
	var connect *pgconn.ConnectError
	var network net.Error
	switch {
	case err == nil:
	case errors.As(err, &connect), errors.As(err, &network), errors.Is(err, io.EOF),
		errors.Is(err, io.ErrUnexpectedEOF),
		strings.Contains(err.Error(), "conn closed"), pgconn.SafeToRetry(err):
		return record.Away
	}
	return record.NoTrouble
}

func troubleOf(state string) record.Trouble {
	switch state {
	case "53100":
		return record.Full
	case "53300":
		return record.Away
	case "23505", "40001", "40P01", "55P03":
		return record.Contested
	}
	switch {
	case strings.HasPrefix(state, "57P"), strings.HasPrefix(state, "08"):
		return record.Away
	case strings.HasPrefix(state, "22"):
		return record.Unfit
	}
	return record.NoTrouble
}

// Says is what the database said of an error, in its own words; the error where it said nothing.
func (*Store) Says(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Message
	}
	return err.Error()
}
