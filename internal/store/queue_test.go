package store_test

import (
	"context"
	"errors"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// hands has a worker do what waits until the test ends.
func hands(t *testing.T, s *store.Store, name string, do func(ctx context.Context, t record.Todo, try int) error) {
	t.Helper()
	if _, err := s.Share(t.Context(), record.Worker{Name: name, Hands: testkit.Hands}, nil, nil); err != nil {
		t.Fatal(err)
	}
	stop, err := s.Work(t.Context(), name, record.Hands{Judgings: 2, Rechecks: 2}, nil, do, testkit.Quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		stop(ctx)
	})
}

// await waits until the queue's other work is as it is to be.
func await(t *testing.T, s *store.Store, what string, is func(jobs []record.Job) bool) {
	t.Helper()
	var last []record.Job
	for deadline := time.Now().Add(20 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		q, err := s.Queue(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if last = q.Jobs; is(last) {
			return
		}
	}
	t.Fatalf("it is never so that %s: %+v", what, last)
}

// TestTodo: work is left once for one cause, fails and is tried again, is broken off, and tried once more because
// somebody says so.
func TestTodo(t *testing.T) {
	s := testkit.Store(t)
	for range 3 {
		if err := s.Leave(t.Context(), record.Todo{What: record.ToSweep, Cause: "a test"}); err != nil {
			t.Fatal(err)
		}
	}
	await(t, s, "it waits, once", func(jobs []record.Job) bool {
		return len(jobs) == 1 && jobs[0].State == record.Waits && jobs[0].What == record.ToSweep
	})
	var fails, holds atomic.Bool
	var done atomic.Int32
	fails.Store(true)
	hands(t, s, "seat/one", func(ctx context.Context, _ record.Todo, _ int) error {
		switch {
		case fails.Load():
			return errors.New("the shed is locked")
		case holds.Load():
			<-ctx.Done()
			return ctx.Err()
		}
		done.Add(1)
		return nil
	})
	await(t, s, "it is tried again", func(jobs []record.Job) bool {
		return len(jobs) == 1 && jobs[0].State == record.Again && jobs[0].Error == "the shed is locked" &&
			jobs[0].Next.After(time.Now())
	})
	q, err := s.Queue(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	id := q.Jobs[0].ID
	fails.Store(false)
	holds.Store(true)
	if err := s.RetryJob(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	await(t, s, "it runs", func(jobs []record.Job) bool { return len(jobs) == 1 && jobs[0].State == record.Runs })
	if err := s.CancelJob(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	await(t, s, "it is broken off", func(jobs []record.Job) bool {
		return len(jobs) == 1 && jobs[0].State == record.Cancelled
	})
	holds.Store(false)
	if err := s.RetryJob(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	await(t, s, "it is done", func(jobs []record.Job) bool { return len(jobs) == 0 })
	if done.Load() != 1 {
		t.Errorf("done %d times", done.Load())
	}
	if err := s.CancelJob(t.Context(), id); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("cancelling what is done: %v", err)
	}
	if err := s.Leave(t.Context(), record.Todo{What: record.ToSweep, Cause: "a test"}); err != nil {
		t.Fatal(err)
	}
	time.Sleep(200 * time.Millisecond)
	if done.Load() != 1 {
		t.Errorf("for the same cause it is done %d times", done.Load())
	}
}

// TestMinutes: of what comes by the clock one that waits is enough, and one whose worker ended is let go: the next
// minute brings another.
func TestMinutes(t *testing.T) {
	s, db := opened(t)
	left := func(state string) (n int) {
		t.Helper()
		if err := db.QueryRowContext(t.Context(), "select count(*) from river_job where state::text = $1", state).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	for range 3 {
		if err := s.Leave(t.Context(), record.Todo{What: record.ToWatch, Cause: "minute"}); err != nil {
			t.Fatal(err)
		}
	}
	if n := left("available"); n != 1 {
		t.Errorf("%d wait", n)
	}
	if q, err := s.Queue(t.Context()); err != nil || len(q.Jobs) != 0 {
		t.Errorf("people are shown %+v (%v)", q.Jobs, err)
	}
	if _, err := db.ExecContext(t.Context(), `update river_job set state = 'running', attempt = 1, attempted_at = now() - interval '1 minute',
		attempted_by = array['seat/dead']`); err != nil {
		t.Fatal(err)
	}
	if n, err := s.TakeBack(t.Context(), time.Second, ""); err != nil || n != 1 {
		t.Errorf("%d are taken back (%v)", n, err)
	}
	if left("cancelled") != 1 || left("discarded") != 0 {
		t.Error("what a minute left is kept as given up")
	}
	if err := s.Leave(t.Context(), record.Todo{What: record.ToWatch, Cause: "minute"}); err != nil ||
		left("available") != 1 {
		t.Errorf("the next minute: %d wait (%v)", left("available"), err)
	}
	if _, err := db.ExecContext(t.Context(), "update river_job set created_at = now() - interval '4 minutes' where state = 'available'"); err != nil {
		t.Fatal(err)
	}
	if q, err := s.Queue(t.Context()); err != nil || len(q.Jobs) != 1 {
		t.Errorf("nobody takes it, and people are shown %+v (%v)", q.Jobs, err)
	}
}

// TestTakeBack: what a worker was at that is not heard of any more is done by another, once it has been missed.
func TestTakeBack(t *testing.T) {
	s := testkit.Store(t)
	begun := make(chan string, 4)
	hands(t, s, "seat/dead", func(ctx context.Context, _ record.Todo, try int) error {
		begun <- "dead"
		<-ctx.Done()
		return record.ErrEnding
	})
	if err := s.Leave(t.Context(), record.Todo{What: record.ToWeigh, Cause: "a test"}); err != nil {
		t.Fatal(err)
	}
	<-begun
	time.Sleep(1100 * time.Millisecond) // it has been at it for a while
	if _, err := s.Share(t.Context(), record.Worker{Name: "seat/dead"}, nil, nil); err != nil {
		t.Fatal(err)
	}
	if n, err := s.TakeBack(t.Context(), time.Second, ""); n != 0 || err != nil {
		t.Errorf("of one that is heard of %d are taken back (%v)", n, err)
	}
	if err := s.Unshare(t.Context(), "seat/dead"); err != nil {
		t.Fatal(err)
	}
	if n, err := s.TakeBack(t.Context(), 10*time.Second, "another/"); n != 0 || err != nil {
		t.Errorf("too early %d are taken back (%v)", n, err)
	}
	if n, err := s.TakeBack(t.Context(), time.Second, ""); n != 1 || err != nil {
		t.Errorf("%d are taken back (%v)", n, err)
	}
	await(t, s, "it was noted why", func(jobs []record.Job) bool {
		return len(jobs) == 1 && jobs[0].Error == "its worker ended"
	})
}

// TestRecheckOnce: a recheck is kept for the try that is at it, and for no earlier one; one that nobody is to do any
// more has failed.
func TestRecheckOnce(t *testing.T) {
	s := testkit.Store(t)
	site := testkit.Site(t, s, &testkit.Generated{Pages: 1, Seed: 1}, plan.Plan{})
	rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	number, err := s.AddRecheck(t.Context(), rec.ID, record.Recheck{State: "running", Fixes: []string{"k7q2m4xa"}})
	if err != nil {
		t.Fatal(err)
	}
	first, err := s.TakeRecheck(t.Context(), rec.ID, number, 1)
	if err != nil || !slices.Equal(first.Fixes, []string{"k7q2m4xa"}) || first.Number != number {
		t.Fatalf("taken: %+v (%v)", first, err)
	}
	second, err := s.TakeRecheck(t.Context(), rec.ID, number, 2)
	if err != nil {
		t.Fatal(err)
	}
	first.State = "failed"
	if err := s.SaveRecheck(t.Context(), rec.ID, &first, 1); !errors.Is(err, record.ErrLost) {
		t.Errorf("the first try still writes: %v", err)
	}
	second.Fetched = 3
	if err := s.SaveRecheck(t.Context(), rec.ID, &second, 2); err != nil {
		t.Errorf("the second may not: %v", err)
	}
	if now, err := s.RecheckOf(t.Context(), rec.ID, number); err != nil || now.State != "running" || now.Fetched != 3 {
		t.Errorf("it is %+v (%v)", now, err)
	}
	q, err := s.Queue(t.Context())
	if err != nil || len(q.Jobs) != 1 || q.Jobs[0].Number != number || q.Jobs[0].Crawl != rec.Number ||
		q.Jobs[0].Site != site.Name {
		t.Fatalf("the queue has %+v (%v)", q.Jobs, err)
	}
	if err := s.CancelJob(t.Context(), q.Jobs[0].ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.TakeBack(t.Context(), time.Minute, ""); err != nil {
		t.Fatal(err)
	}
	now, err := s.RecheckOf(t.Context(), rec.ID, number)
	if err != nil || now.State != "failed" || now.Detail != "it was broken off; run it again" {
		t.Errorf("cancelled it is %+v (%v)", now, err)
	}
	if _, err := s.TakeRecheck(t.Context(), rec.ID, number, 3); !errors.Is(err, record.ErrLost) {
		t.Errorf("what has ended is taken up: %v", err)
	}
	if _, err := s.RecheckOf(t.Context(), rec.ID, 9); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("what is not there: %v", err)
	}
}
