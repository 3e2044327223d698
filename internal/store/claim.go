package store

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// ErrClaimed says that another service works on the database.
var ErrClaimed = errors.New("another service works on this database; stop it, or name another database")

// claimKey is the advisory lock that a service holds as long as it runs.
const claimKey = 0x4861727669 // "Harvi"

// How long a claim waits for the connection of a service that has just ended, and how often it looks
// whether its own still stands.
const (
	claimPatience = 5 * time.Second
	claimEvery    = time.Second
)

// Claim keeps every other service off a database until release is called: a crawl that two services took
// up would be stored twice. Where the database went away meanwhile and another service was quicker when
// it came back, lost gets the error.
func Claim(ctx context.Context, database string) (release func(), lost <-chan error, err error) {
	var conn *pgx.Conn
	for begun := time.Now(); ; {
		if conn, err = claim(ctx, database); err == nil {
			break
		}
		if !errors.Is(err, ErrClaimed) || time.Since(begun) > claimPatience {
			return nil, nil, err
		}
		time.Sleep(100 * time.Millisecond)
	}
	watching, end := context.WithCancel(context.WithoutCancel(ctx))
	failed := make(chan error, 1)
	var group sync.WaitGroup
	group.Go(func() {
		tick := time.NewTicker(claimEvery)
		defer tick.Stop()
		for {
			select {
			case <-tick.C:
			case <-watching.Done():
				if conn != nil {
					_ = conn.Close(context.Background())
				}
				return
			}
			if conn != nil && conn.Ping(watching) == nil {
				continue
			}
			if watching.Err() != nil {
				continue
			}
			if conn != nil {
				_ = conn.Close(context.Background())
			}
			if conn, err = claim(watching, database); errors.Is(err, ErrClaimed) {
				failed <- err
				return
			}
		}
	})
	return func() { end(); group.Wait() }, failed, nil
}

func claim(ctx context.Context, database string) (*pgx.Conn, error) {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	var ours bool
	if err = conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", int64(claimKey)).Scan(&ours); err == nil && !ours {
		err = ErrClaimed
	}
	if err != nil {
		_ = conn.Close(context.WithoutCancel(ctx))
		return nil, err
	}
	return conn, nil
}
