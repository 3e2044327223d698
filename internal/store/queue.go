package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"

	"harvik/internal/core/mishap"
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

// The other queues, each with its own number of workers.
const (
	judgeQueue   = "judge"
	recheckQueue = "recheck"
	watchQueue   = "watch"
	messageQueue = "message"
)

// todoArgs is a record.Todo as it stands in the queue.
type todoArgs struct {
	What   string `json:"what"`
	Site   string `json:"site,omitempty"`
	Crawl  int64  `json:"crawl,omitempty"`
	Number int    `json:"number,omitempty"`
	Cause  string `json:"cause,omitempty"`
}

const todoKind = "todo"

// Kind names the jobs in the queue.
func (todoArgs) Kind() string { return todoKind }

// todoTries is how often such work is tried, over two days, before it is given up.
const todoTries = 60

func (a todoArgs) options(in time.Duration) *river.InsertOpts {
	o := &river.InsertOpts{Queue: judgeQueue, MaxAttempts: todoTries, UniqueOpts: river.UniqueOpts{ByArgs: true}}
	switch a.What {
	case record.ToRecheck:
		o.Queue = recheckQueue
	case record.ToSend:
		o.Queue = messageQueue
	}
	if slices.Contains(record.ByTheClock, a.What) {
		// One that waits, or is done, is enough: nobody may be there to do it.
		o.Queue, o.MaxAttempts = watchQueue, 1
		o.UniqueOpts.ByState = []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending,
			rivertype.JobStateRunning, rivertype.JobStateScheduled}
	}
	if in > 0 {
		o.ScheduledAt = time.Now().Add(in)
	}
	return o
}

// newQueue is a client that only leaves word.
func newQueue(pool *pgxpool.Pool) (*river.Client[pgx.Tx], error) {
	return river.NewClient(riverpgxv5.New(pool), &river.Config{Logger: slog.New(slog.DiscardHandler)})
}

// leave leaves work to the queue, in the transaction that makes it necessary.
func (s *Store) leave(ctx context.Context, tx pgx.Tx, todo ...record.Todo) error {
	for _, t := range todo {
		a := todoArgs(t)
		if _, err := s.queue.InsertTx(ctx, tx, a, a.options(0)); err != nil {
			return fmt.Errorf("leaving work to the queue: %w", err)
		}
	}
	return nil
}

// Leave leaves work to the queue.
func (s *Store) Leave(ctx context.Context, todo ...record.Todo) error {
	return s.inTx(ctx, func(tx pgx.Tx) error { return s.leave(ctx, tx, todo...) })
}

// decided leaves word, in the transaction of a decision about a site, that its newest crawl is to be weighed. Who
// decides does it at once; this is for where that cannot be.
func (s *Store) decided(ctx context.Context, tx pgx.Tx, site int64) error {
	a := todoArgs{What: record.ToWeigh, Cause: "decision " + rand.Text()}
	if err := tx.QueryRow(ctx, "select name from site where id = $1", site).Scan(&a.Site); err != nil {
		return found(err)
	}
	_, err := s.queue.InsertTx(ctx, tx, a, a.options(weighedBy))
	return err
}

// weighedBy is when a decision has been weighed that nothing kept from it.
const weighedBy = 15 * time.Second

// hangs leaves what hangs on a site's crawl to the queue.
func (s *Store) hangs(ctx context.Context, tx pgx.Tx, crawl int64, cause string) error {
	var site string
	if err := tx.QueryRow(ctx, "select s.name from site s join crawl c on c.site_id = s.id where c.id = $1", crawl).
		Scan(&site); err != nil {
		return found(err)
	}
	return s.leave(ctx, tx, record.Hanging(site, cause)...)
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
	if errors.Is(err, record.ErrEnding) || errors.Is(err, record.ErrBusy) {
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
	longest := 30 * time.Second // of a crawl, for which somebody waits
	if job.Kind != crawlQueue {
		longest = time.Hour
	}
	return time.Now().Add(min(time.Second<<min(job.Attempt, 20), longest))
}

// todoWorker does the rest of what waits.
type todoWorker struct {
	river.WorkerDefaults[todoArgs]
	do func(ctx context.Context, t record.Todo, try int) error
}

// Work implements river.Worker.
func (w *todoWorker) Work(ctx context.Context, job *river.Job[todoArgs]) error {
	err := mishap.Catch(func() error { return w.do(ctx, record.Todo(job.Args), job.Attempt) })
	if errors.Is(err, record.ErrEnding) || errors.Is(err, record.ErrBusy) {
		return river.JobSnooze(snoozed)
	}
	return err
}

// Timeout implements river.Worker: what does not end by then is broken off, and tried again.
func (w *todoWorker) Timeout(*river.Job[todoArgs]) time.Duration { return 6 * time.Hour }

// midnights are a moment after each day's end (UTC), when what is decided for some time runs out.
type midnights struct{}

// Next implements river.PeriodicSchedule.
func (midnights) Next(now time.Time) time.Time {
	y, m, day := now.UTC().Date()
	return time.Date(y, m, day+1, 0, 0, 1, 0, time.UTC)
}

// minutes are the beginnings of all.
type minutes struct{}

// Next implements river.PeriodicSchedule.
func (minutes) Next(now time.Time) time.Time { return now.Truncate(time.Minute).Add(time.Minute) }

// byTheClock is what becomes due by time alone.
func byTheClock() (out []*river.PeriodicJob) {
	add := func(when river.PeriodicSchedule, t record.Todo, cause, form string) {
		out = append(out, river.NewPeriodicJob(when, func() (river.JobArgs, *river.InsertOpts) {
			a := todoArgs(t)
			a.Cause = cause + time.Now().UTC().Format(form)
			return a, a.options(0)
		}, nil))
	}
	for _, t := range record.Hanging("", "") {
		add(midnights{}, t, "day ", time.DateOnly)
	}
	for _, what := range record.ByTheClock {
		add(minutes{}, record.Todo{What: what}, "minute", "")
	}
	return out
}

// Work takes from the queue until stop is called, which waits for what is being done. Name is who works, hands how much
// at once.
func (s *Store) Work(ctx context.Context, name string, hands record.Hands,
	crawl func(ctx context.Context, job record.CrawlJob) error,
	todo func(ctx context.Context, t record.Todo, try int) error,
	log *slog.Logger) (stop func(context.Context), err error) {
	workers, queues := river.NewWorkers(), map[string]river.QueueConfig{}
	for queue, most := range map[string]int{
		crawlQueue: hands.Crawls, judgeQueue: hands.Judgings, recheckQueue: hands.Rechecks,
		watchQueue: hands.Watches, messageQueue: hands.Messages,
	} {
		if most > 0 {
			queues[queue] = river.QueueConfig{MaxWorkers: most}
		}
	}
	river.AddWorker(workers, &worker{do: crawl})
	river.AddWorker(workers, &todoWorker{do: todo})
	client, err := river.NewClient(riverpgxv5.New(s.pool), &river.Config{
		ID: name, Workers: workers, Queues: queues, PeriodicJobs: byTheClock(),
		FetchCooldown: 20 * time.Millisecond, FetchPollInterval: time.Second, RetryPolicy: retrying{},
		RescueStuckJobsAfter: 24 * time.Hour, // by their workers' hearts they are missed much sooner
		Logger:               slog.New(&louder{log.Handler()}),
	})
	if err == nil {
		err = client.Start(ctx)
	}
	if err != nil {
		return nil, fmt.Errorf("starting to work: %w", err)
	}
	return func(ctx context.Context) { _ = client.Stop(ctx) }, nil // it has stopped, or ctx has ended
}

// Exclusively does what no other process may be at meanwhile; record.ErrBusy where one is.
func (s *Store) Exclusively(ctx context.Context, what string, do func() error) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	var free bool
	key := urlHash("harvik " + what)
	if err := conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", key).Scan(&free); err != nil {
		return err
	}
	if !free {
		return record.ErrBusy
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if _, err := conn.Exec(ctx, "select pg_advisory_unlock($1)", key); err != nil {
			_ = conn.Conn().Close(ctx) // which gives it up, too
		}
	}()
	return do()
}

// louder lets through what is worth a consultant's log: warnings and errors.
type louder struct{ slog.Handler }

// Enabled implements slog.Handler.
func (l *louder) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && l.Handler.Enabled(ctx, level)
}
