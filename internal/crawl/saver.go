package crawl

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// Kept is a Sink that keeps what was fetched in memory.
type Kept struct {
	Records    []booking.Record
	Renderings []record.Rendering
}

// Save implements Sink.
func (k *Kept) Save(_ context.Context, b record.Batch) error {
	k.Records = append(k.Records, b.Records...)
	k.Renderings = append(k.Renderings, b.Renderings...)
	return nil
}

// Nowhere is a Sink that keeps nothing.
type Nowhere struct{}

// Save implements Sink.
func (Nowhere) Save(context.Context, record.Batch) error { return nil }

// A saver stores batches in their own goroutine, at most two behind.
type saver struct {
	batches chan record.Batch
	ended   chan struct{}
	closing sync.Once
	err     error
	last    time.Time
}

func newSaver(ctx context.Context, sink Sink, cancel context.CancelCauseFunc) *saver {
	s := &saver{batches: make(chan record.Batch, 2), ended: make(chan struct{}), last: time.Now()}
	go func() {
		defer close(s.ended)
		for b := range s.batches {
			if s.err != nil {
				continue
			}
			if err := mishap.Catch(func() error { return sink.Save(ctx, b) }); err != nil {
				s.err = fmt.Errorf("storing results: %w", err)
				cancel(s.err)
			}
		}
	}()
	return s
}

func (s *saver) save(b record.Batch) { s.batches <- b }

// close waits until all is stored. It may be called again.
func (s *saver) close() error {
	s.closing.Do(func() { close(s.batches) })
	<-s.ended
	if errors.Is(s.err, context.Canceled) {
		return nil // the caller asked for it
	}
	return s.err
}

// flush hands the batch on, with the addresses that became known since the last.
func (c *Crawl) flush(s *saver) {
	f := c.frontier
	if len(f.addresses) < f.stored {
		return // it was put away while it read back what is stored
	}
	c.progress.survey(f.addresses)
	c.batch.First = int32(f.stored)
	c.batch.Addresses = append([]survey.Address(nil), f.addresses[f.stored:]...)
	c.batch.Progress = c.Progress()
	f.stored = len(f.addresses)
	if len(c.batch.Addresses)+len(c.batch.Records)+len(c.batch.Files)+len(c.batch.Renderings) > 0 {
		s.save(c.batch)
	}
	s.last = time.Now()
	c.batch, c.batched = record.Batch{Seq: c.taken}, 0
}
