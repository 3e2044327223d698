package store

import (
	"context"
	"time"
)

// changes is the channel on which processes tell each other that another crawl of a site may be its newest, or is
// judged otherwise.
const changes = "harvik_changes"

// hearAgain is after what time a process listens again whose connection has ended.
const hearAgain = 2 * time.Second

// Tell tells all who hear that something changed. Whoever misses it hears of the next change.
func (s *Store) Tell(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, hearAgain)
	defer cancel()
	_, _ = s.pool.Exec(ctx, "select pg_notify($1, '')", changes)
}

// Hear calls changed whenever somebody has told of a change, until ctx ends; also where it may have missed one.
func (s *Store) Hear(ctx context.Context, changed func()) {
	for again := false; ctx.Err() == nil; again = true {
		_ = s.hearOnce(ctx, again, changed) // the database is away, or ctx has ended
		select {
		case <-ctx.Done():
		case <-time.After(hearAgain):
		}
	}
}

func (s *Store) hearOnce(ctx context.Context, missed bool, changed func()) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	own := conn.Hijack() // a connection that listens goes back to nobody
	defer own.Close(context.WithoutCancel(ctx))
	if _, err := own.Exec(ctx, "listen "+changes); err != nil {
		return err
	}
	if missed {
		changed()
	}
	for {
		if _, err := own.WaitForNotification(ctx); err != nil {
			return err
		}
		changed()
	}
}
