package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"

	"harvik/internal/record"
)

// The queue is River's, in the same database: what makes work necessary leaves word of it in the same transaction.

// crawlQueue is that of crawls which wait for a worker.
const crawlQueue = "crawl"

// crawlArgs is a record.CrawlJob as it stands in the queue.
type crawlArgs struct {
	Crawl int64 `json:"crawl"`
	Epoch int   `json:"epoch"`
}

// Kind names the jobs in the queue.
func (crawlArgs) Kind() string { return crawlQueue }

// newQueue is a client that only leaves word.
func newQueue(pool *pgxpool.Pool) (*river.Client[pgx.Tx], error) {
	return river.NewClient(riverpgxv5.New(pool), &river.Config{Logger: slog.New(slog.DiscardHandler)})
}

// migrateQueue brings the queue's tables up to date.
func migrateQueue(ctx context.Context, pool *pgxpool.Pool) error {
	m, err := rivermigrate.New(riverpgxv5.New(pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err == nil {
		_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	}
	if err != nil {
		return fmt.Errorf("bringing the queue up to date: %w", err)
	}
	return nil
}

// enqueue leaves word in a transaction that a crawl waits.
func (s *Store) enqueue(ctx context.Context, tx pgx.Tx, job record.CrawlJob) error {
	_, err := s.queue.InsertTx(ctx, tx, crawlArgs(job), &river.InsertOpts{Queue: crawlQueue, MaxAttempts: 1000})
	return err
}

// worker does what waits in the queue, as River knows workers.
type worker struct {
	river.WorkerDefaults[crawlArgs]
	do func(ctx context.Context, job record.CrawlJob) error
}

// Work implements river.Worker.
func (w *worker) Work(ctx context.Context, job *river.Job[crawlArgs]) error {
	err := w.do(ctx, record.CrawlJob(job.Args))
	if errors.Is(err, record.ErrEnding) {
		return river.JobSnooze(snoozed)
	}
	return err
}

// Timeout implements river.Worker: a crawl takes as long as it takes. Who owns it is told by its heartbeat.
func (w *worker) Timeout(*river.Job[crawlArgs]) time.Duration { return -1 }

// snoozed is after what time work that an ending process does not begin is offered again, to all.
const snoozed = time.Second

// retrying tries again soon, since what fails here is the database, or this process.
type retrying struct{}

// NextRetry implements river.ClientRetryPolicy.
func (retrying) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*time.Second, 30*time.Second))
}

// Work takes from the queue until stop is called, which waits for what is being done; so many crawls at once. Name is
// who works.
func (s *Store) Work(ctx context.Context, name string, crawls int,
	do func(ctx context.Context, job record.CrawlJob) error, log *slog.Logger) (stop func(context.Context), err error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{do: do})
	client, err := river.NewClient(riverpgxv5.New(s.pool), &river.Config{
		ID: name, Workers: workers, Queues: map[string]river.QueueConfig{crawlQueue: {MaxWorkers: crawls}},
		FetchCooldown: 20 * time.Millisecond, FetchPollInterval: time.Second, RetryPolicy: retrying{},
		Logger: slog.New(&louder{log.Handler()}),
	})
	if err == nil {
		err = client.Start(ctx)
	}
	if err != nil {
		return nil, fmt.Errorf("starting to work: %w", err)
	}
	return func(ctx context.Context) { _ = client.Stop(ctx) }, nil // it has stopped, or ctx has ended
}

// louder lets through what is worth a consultant's log: warnings and errors.
type louder struct{ slog.Handler }

// Enabled implements slog.Handler.
func (l *louder) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && l.Handler.Enabled(ctx, level)
}
