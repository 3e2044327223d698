package store

import (
	"errors"
	"fmt"
	"io"
	"net"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"harvik/internal/record"
)

// TestTrouble tells a database that is away, full or in dispute from one that only says no.
func TestTrouble(t *testing.T) {
	state := func(code string) error {
		return fmt.Errorf("storing pages: %w", &pgconn.PgError{Code: code, Message: "so"})
	}
	for _, one := range []struct {
		err  error
		want record.Trouble
	}{
		{nil, record.NoTrouble}, {errors.New("no such page"), record.NoTrouble}, {state("42601"), record.NoTrouble},
		{state("53100"), record.Full}, {state("53300"), record.Away}, {state("57P01"), record.Away}, {state("08006"), record.Away},
		{state("23505"), record.Contested}, {state("40001"), record.Contested}, {state("40P01"), record.Contested},
		{state("55P03"), record.Contested}, {state("22021"), record.Unfit}, {state("23503"), record.NoTrouble},
		{fmt.Errorf("reading: %w", io.ErrUnexpectedEOF), record.Away}, {io.EOF, record.Away}, {errors.New("conn closed"), record.Away},
		{&net.OpError{Op: "dial", Err: errors.New("refused")}, record.Away},
	} {
		if got := (*Store)(nil).Trouble(one.err); got != one.want {
			t.Errorf("%v is trouble %d, want %d", one.err, got, one.want)
		}
	}
	if says := (*Store)(nil).Says(state("22021")); says != "so" {
		t.Errorf("it says %q", says)
	}
}
