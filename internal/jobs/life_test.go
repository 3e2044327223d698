package jobs

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/plan"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
	"harvik/internal/worklist"
)

// faulty is a store some of whose calls fail as a test says, with a fault of a kind that it says as well.
type faulty struct {
	*store.Store
	mu      sync.Mutex
	fail    map[string]error // by call
	times   map[string]int   // how often each still fails; for ever where it is not named
	trouble record.Trouble
}

var errTest = errors.New("the database says no")

func (f *faulty) says(call string) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	if n, counted := f.times[call]; counted {
		if n == 0 {
			return nil
		}
		f.times[call]--
	}
	return f.fail[call]
}

func (f *faulty) SaveResult(ctx context.Context, rec record.Crawl, r *booking.Result, p record.Progress,
	w record.Weighing, with record.Settling) error {
	if err := f.says("SaveResult"); err != nil {
		return err
	}
	return f.Store.SaveResult(ctx, rec, r, p, w, with)
}

func (f *faulty) Sweep(ctx context.Context) error {
	return errors.Join(f.says("Sweep"), f.Store.Sweep(ctx))
}

func (f *faulty) Tidy(ctx context.Context, id int64) error {
	return errors.Join(f.says("Tidy"), f.Store.Tidy(ctx, id))
}

func (f *faulty) Unheard(ctx context.Context, patience time.Duration, seat string) ([]record.Crawl, error) {
	if err := f.says("Unheard"); err != nil {
		return nil, err
	}
	return f.Store.Unheard(ctx, patience, seat)
}

func (f *faulty) Wish(ctx context.Context, id int64, wish string) (bool, error) {
	if err := f.says("Wish"); err != nil {
		return true, err
	}
	return f.Store.Wish(ctx, id, wish)
}

func (f *faulty) Ping(ctx context.Context) error {
	return errors.Join(f.says("Ping"), f.Store.Ping(ctx))
}

func (f *faulty) Trouble(err error) record.Trouble {
	if errors.Is(err, errTest) {
		return f.trouble
	}
	return f.Store.Trouble(err)
}

// lines is a log that a test reads.
type lines struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

// await waits until the log says something.
func (l *lines) await(t *testing.T, what string) {
	t.Helper()
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		l.mu.Lock()
		text := l.text.String()
		l.mu.Unlock()
		if strings.Contains(text, what) {
			return
		}
		if time.Now().After(deadline) {
			t.Fatalf("the log does not say %q:\n%s", what, text)
		}
	}
}

// watched is a runner over a store that fails as told, whose log can be read.
func watched(t *testing.T, b *beside, f *faulty) (*Runner, *lines) {
	t.Helper()
	f.Store = b.store
	l := new(lines)
	log := slog.New(slog.NewTextHandler(l, nil))
	g := gear.New(b.store, b.vault, log)
	r := New(Parts{Store: f, Gear: g, Log: log, Work: worklist.New(b.store),
		Decisions: decide.New(b.store, testkit.Catalogue, func() error { return nil }),
		Judge:     judging.New(b.store, testkit.Catalogue, log)})
	works(t, r)
	t.Cleanup(func() {
		r.Shutdown(context.Background())
		g.Close()
	})
	return r, l
}

// slow is a site of two hundred pages that takes a minute at the pace of slowly.
var (
	slow   = &testkit.Generated{Pages: 200, Seed: 1}
	slowly = plan.Plan{Pause: plan.Duration(300 * time.Millisecond), Parallel: 1, Retries: -1}
)

// TestRetune: a running crawl takes another pace at once, and keeps it; what does not run cannot.
func TestRetune(t *testing.T) {
	b := begin(t, Disk{}, slow, slowly)
	rec := b.crawl("running")
	quick := b.site.Plan.WithDefaults()
	quick.Pause, quick.Parallel = 0, 8
	if running, err := b.Retune(t.Context(), rec.ID, quick); !running || err != nil {
		t.Fatalf("running %v, %v", running, err)
	}
	done := b.await(rec.Number, "finished")
	if done.Progress.Pages < 150 || done.Progress.Seconds > 20 || done.Plan.Parallel != 8 || done.Plan.Pause != 0 {
		t.Errorf("%d pages in %v s by %+v", done.Progress.Pages, done.Progress.Seconds, done.Plan)
	}
	if running, err := b.Retune(t.Context(), rec.ID, slowly); running || err != nil {
		t.Errorf("finished: running %v, %v", running, err)
	}
}

// TestStop ends a crawl early, which is judged by what it has; a wish that cannot be stored is not granted.
func TestStop(t *testing.T) {
	b := begin(t, Disk{}, slow, slowly)
	f := &faulty{fail: map[string]error{"Wish": errTest}, times: map[string]int{"Wish": 1}}
	r, _ := watched(t, b, f)
	rec, err := r.Start(t.Context(), b.site, b.site.Plan.WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	for p, _, _ := r.Progress(rec.ID); p.Fetched < 2; p, _, _ = r.Progress(rec.ID) {
		time.Sleep(10 * time.Millisecond)
	}
	if running, err := r.Stop(t.Context(), rec.ID); !running || !errors.Is(err, errTest) {
		t.Errorf("a wish that is not stored: running %v, %v", running, err)
	}
	_, ended, _ := r.Progress(rec.ID)
	if running, err := r.Stop(t.Context(), rec.ID); !running || err != nil {
		t.Errorf("running %v, %v", running, err)
	}
	<-ended
	got, err := b.store.Crawl(t.Context(), "fernhollow", rec.Number)
	if err != nil || got.State != "finished" || got.Ending != "stopped" || got.Report == nil ||
		got.Progress.Pages > 100 {
		t.Errorf("%s, %s, %d pages (%v)", got.State, got.Ending, got.Progress.Pages, err)
	}
	if _, err := r.Resume(t.Context(), got); err == nil || !strings.Contains(err.Error(), "is finished, not paused") {
		t.Errorf("resumed: %v", err)
	}
}

// TestContinue: a crawl that came to its plan's limit goes on by one that allows more, and is judged anew without
// fetching anything; neither is done without space for it, nor of what is not finished.
func TestContinue(t *testing.T) {
	var free atomic.Uint64
	free.Store(10 << 30)
	disk := Disk{Keep: 1 << 30, Free: func() (uint64, error) { return free.Load(), nil }}
	b := begin(t, disk, &testkit.Generated{Pages: 60, Seed: 1}, plan.Plan{Pages: 20, Retries: -1})
	first := b.crawl("finished")
	if first.Ending != "page-limit" {
		t.Fatalf("it ended by %s", first.Ending)
	}
	more := b.site.Plan.WithDefaults()
	more.Pages = 500

	free.Store(1 << 20)
	b.lookAtDisk()
	if _, err := b.Continue(t.Context(), first, more); !errors.Is(err, record.ErrDisk) {
		t.Errorf("without space it goes on: %v", err)
	}
	if err := b.Rejudge(t.Context(), b.site, first, false); !errors.Is(err, record.ErrDisk) {
		t.Errorf("without space it is judged: %v", err)
	}
	if _, err := b.Resume(t.Context(), first); !errors.Is(err, record.ErrDisk) {
		t.Errorf("without space it is resumed: %v", err)
	}
	free.Store(10 << 30)
	b.lookAtDisk()

	if _, err := b.Continue(t.Context(), first, more); err != nil {
		t.Fatal(err)
	}
	whole := b.await(first.Number, "finished")
	if whole.Ending != "complete" || whole.Progress.Pages < 60 || whole.Plan.Pages != 500 {
		t.Errorf("it ended by %s with %d pages", whole.Ending, whole.Progress.Pages)
	}
	off := b.site
	off.Plan.Checks = []plan.CheckRule{{Check: "*", Off: true, Because: "only to see"}}
	if err := b.Rejudge(t.Context(), off, whole, false); err != nil {
		t.Fatal(err)
	}
	again := b.await(first.Number, "finished")
	if whole.Report.Fixes == 0 || again.Report.Fixes != 0 ||
		again.Progress.Fetched != whole.Progress.Fetched {
		t.Errorf("judged again without checks: %d fixes, then %d", whole.Report.Fixes, again.Report.Fixes)
	}
	var refusal *record.Refusal
	whole.State = "paused"
	if err := b.Rejudge(t.Context(), off, whole, false); !errors.As(err, &refusal) {
		t.Errorf("a paused crawl is judged: %v", err)
	}
	if err := b.store.RemoveCrawl(t.Context(), whole.ID); err != nil {
		t.Fatal(err)
	}
	whole.State = "finished"
	if _, err := b.Continue(t.Context(), whole, more); err == nil {
		t.Error("a crawl that is gone goes on")
	}
	if err := b.Rejudge(t.Context(), off, whole, false); err == nil {
		t.Error("a crawl that is gone is judged")
	}
}

// TestKeeps: of a site that keeps one crawl the older one goes when the next has ended, and what it left with it.
func TestKeeps(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 5, Seed: 1}, plan.Plan{Retries: -1})
	if err := b.store.SetKeep(t.Context(), b.site.ID, record.Retention{Crawls: 1}); err != nil {
		t.Fatal(err)
	}
	r, log := watched(t, b, &faulty{fail: map[string]error{"Sweep": errTest}})
	for n := range 2 {
		rec, err := r.Start(t.Context(), b.site, b.site.Plan.WithDefaults())
		if err != nil {
			t.Fatal(err)
		}
		b.settled(r, rec)
		if n == 0 {
			if log.text.Len() == 0 || strings.Contains(log.text.String(), "older crawls") {
				t.Errorf("after the first:\n%s", log.text.String())
			}
		}
	}
	log.await(t, "older crawls deleted")
	log.await(t, "work failed; it is tried again")
	if _, err := b.store.Crawl(t.Context(), "fernhollow", 1); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("the first crawl: %v", err)
	}
}

// TestUntidy: that the database cannot be tidied is told, and takes nothing from a crawl; what can be is not told of.
func TestUntidy(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 5, Seed: 1}, plan.Plan{Retries: -1})
	for fails, f := range map[bool]*faulty{false: {}, true: {fail: map[string]error{"Tidy": errTest}}} {
		r, log := watched(t, b, f)
		rec, err := r.Start(t.Context(), b.site, b.site.Plan.WithDefaults())
		if err != nil {
			t.Fatal(err)
		}
		log.await(t, "crawl finished")
		if got := b.await(rec.Number, "finished"); got.Report == nil {
			t.Error("there is no report")
		}
		if fails {
			log.await(t, "work failed; it is tried again")
		}
		r.Shutdown(context.Background())
		if told := strings.Contains(log.text.String(), "work failed"); told != fails {
			t.Errorf("tidying fails %v:\n%s", fails, log.text.String())
		}
	}
}

// TestTroubles: what the database says while a verdict is stored ends a crawl, has it wait for space, or has it go on
// once the database is back.
func TestTroubles(t *testing.T) {
	for trouble, want := range map[record.Trouble]string{0: "failed", record.Full: "paused", record.Away: "finished"} {
		b := begin(t, Disk{}, &testkit.Generated{Pages: 5, Seed: 1}, plan.Plan{Retries: -1})
		f := &faulty{trouble: trouble, fail: map[string]error{"SaveResult": errTest, "Ping": errTest},
			times: map[string]int{"SaveResult": 1, "Ping": 1}}
		r, log := watched(t, b, f)
		rec, err := r.Start(t.Context(), b.site, b.site.Plan.WithDefaults())
		if err != nil {
			t.Fatal(err)
		}
		b.settled(r, rec)
		got, err := b.store.Crawl(t.Context(), "fernhollow", rec.Number)
		if err != nil || got.State != want {
			t.Errorf("trouble %v: %s, %q (%v)", trouble, got.State, got.Detail, err)
		}
		switch trouble {
		case 0:
			if got.Detail != errTest.Error() {
				t.Errorf("it failed by %q", got.Detail)
			}
		case record.Away:
			log.await(t, "database away")
			if n := f.times["Ping"]; n != 0 {
				t.Error("nobody asked whether the database is back")
			}
		case record.Full:
			const why = "the database's disk is full: the crawl goes on by itself when there is space again"
			if got.Detail != why || !errors.Is(r.Room(), record.ErrDisk) {
				t.Errorf("it waits by %q, and there is room: %v", got.Detail, r.Room())
			}
			r.lookAtDisk() // too early
			if got := b.await(rec.Number, "paused"); got.State != "paused" {
				t.Errorf("it is %s", got.State)
			}
			r.mu.Lock() // the wait is over; the runner looks by itself, and by one clock
			r.fullUntil = time.Now()
			r.mu.Unlock()
			b.await(rec.Number, "finished")
		}
	}
}

// TestRecoverFails: a service whose database cannot say which crawls ran does not start.
func TestRecoverFails(t *testing.T) {
	b := begin(t, Disk{}, slow, slowly)
	if _, err := b.store.StartCrawl(t.Context(), b.site, slowly.WithDefaults(), 1); err != nil {
		t.Fatal(err)
	}
	r, log := watched(t, b, &faulty{fail: map[string]error{"Unheard": errTest, "Sweep": errTest}})
	if err := r.Recover(t.Context(), testkit.Hands, false); !errors.Is(err, errTest) {
		t.Errorf("it starts: %v", err)
	}
	if err := r.todo(t.Context(), record.Todo{What: record.ToSweep}, 1); !errors.Is(err, errTest) {
		t.Errorf("what cannot be swept: %v", err)
	}
	log.await(t, "work failed; it is tried again")
}

// TestTodo: work is done one at a time where each looks through everything; what the end of the process breaks off is
// left to others; what concerns a crawl that is gone is done with; and nobody is expected to know all kinds of work.
func TestTodo(t *testing.T) {
	b := begin(t, Disk{}, slow, slowly)
	begun, free := make(chan struct{}), make(chan struct{})
	b.chores = map[string]Chore{
		record.ToWeigh: func(ctx context.Context, _ record.Todo, _ int) error {
			close(begun)
			select {
			case <-free:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		},
		record.ToRecheck: func(ctx context.Context, _ record.Todo, _ int) error { <-ctx.Done(); return ctx.Err() },
	}
	weigh := record.Todo{What: record.ToWeigh}
	first := make(chan error, 1)
	go func() { first <- b.todo(t.Context(), weigh, 1) }()
	<-begun
	if err := b.todo(t.Context(), weigh, 1); !errors.Is(err, record.ErrBusy) {
		t.Errorf("the second at the same work: %v", err)
	}
	close(free)
	if err := <-first; err != nil {
		t.Errorf("the first: %v", err)
	}
	if err := b.todo(t.Context(), record.Todo{What: record.ToTidy, Crawl: 1 << 40}, 1); err != nil {
		t.Errorf("tidying up after a crawl that is gone: %v", err)
	}
	if err := b.todo(t.Context(), record.Todo{What: "dance"}, 1); err == nil || !strings.Contains(err.Error(), `"dance"`) {
		t.Errorf("of what is not known it says %v", err)
	}
	go func() { first <- b.todo(t.Context(), record.Todo{What: record.ToRecheck}, 1) }()
	time.Sleep(20 * time.Millisecond)
	b.Shutdown(t.Context())
	if err := <-first; !errors.Is(err, record.ErrEnding) {
		t.Errorf("what the end of the process broke off: %v", err)
	}
	if err := b.todo(t.Context(), weigh, 1); !errors.Is(err, record.ErrEnding) {
		t.Errorf("after the end: %v", err)
	}
}

// TestSpace is exact: crawls go on with as much as is to be kept, and after a shortage with 64 MiB more.
func TestSpace(t *testing.T) {
	var free uint64
	fails := error(nil)
	r := New(Parts{Store: &hanging{}, Gear: gear.New(nil, nil, testkit.Quiet), Log: testkit.Quiet,
		Judge: judging.New(nil, testkit.Catalogue, testkit.Quiet),
		Disk:  Disk{Keep: 3_000_000_000, Free: func() (uint64, error) { return free, fails }}})
	defer r.Shutdown(context.Background())
	for _, step := range []struct {
		free uint64
		err  error
		room bool
	}{
		{3_000_000_000, nil, true}, {2_999_999_999, nil, false}, {3_000_000_000 + 64<<20 - 1, nil, false},
		{3_000_000_000 + 64<<20, nil, true}, {0, errTest, true}, {3_000_000_000, nil, true},
	} {
		free, fails = step.free, step.err
		r.lookAtDisk()
		if err := r.Room(); (err == nil) != step.room {
			t.Errorf("with %d bytes free (%v) there is room: %v", step.free, step.err, err)
		}
	}
	free, fails = 1, nil
	r.lookAtDisk()
	if want := "less than 3.0 GB is free on the disk"; !strings.HasPrefix(r.short, want) {
		t.Errorf("it says %q", r.short)
	}
	before := r.short
	r.full()
	if r.short != before {
		t.Errorf("it says %q", r.short)
	}
}

// TestTurns: where one crawl runs at a time, a large site does not keep a small one from its turn, and goes on after it
// from what it had; a crawl for which nobody waits goes on as it is.
func TestTurns(t *testing.T) {
	brisk := plan.Plan{Pause: plan.Duration(80 * time.Millisecond), Parallel: 1, Retries: -1}
	b := begin(t, Disk{}, slow, brisk)
	b.leastTurn = 100 * time.Millisecond
	small, err := b.store.Site(t.Context(), b.site.Name)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.store.AddSite(t.Context(), "small", small.Home, brisk); err != nil {
		t.Fatal(err)
	}
	if small, err = b.store.Site(t.Context(), "small"); err != nil {
		t.Fatal(err)
	}
	if err := b.store.Allow(t.Context(), small.ID, "127.0.0.0/8", "test"); err != nil {
		t.Fatal(err)
	}
	if small, err = b.store.Site(t.Context(), "small"); err != nil {
		t.Fatal(err)
	}
	if err := b.Work(t.Context(), record.Hands{Crawls: 1}); err != nil {
		t.Fatal(err)
	}
	large, err := b.Start(t.Context(), b.site, brisk.WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	b.watch(large, "it has run for longer than a turn", func(rec record.Crawl) bool { return rec.Progress.Fetched > 3 })
	time.Sleep(3 * turnEvery)
	if rec, err := b.store.CrawlOf(t.Context(), large.ID); err != nil || rec.Epoch != 1 {
		t.Errorf("while nobody waits it was given back: owner %d (%v)", rec.Epoch, err)
	}
	one := brisk
	one.Pages = 1
	other, err := b.Start(t.Context(), small, one.WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	b.watch(other, "the small one ends", func(rec record.Crawl) bool { return rec.State == "finished" })
	b.watch(large, "the large one goes on", func(rec record.Crawl) bool { return rec.Epoch > 2 && rec.State == "running" })
}

// watch waits until a crawl is as it is to be.
func (b *beside) watch(rec record.Crawl, what string, is func(record.Crawl) bool) {
	b.t.Helper()
	for deadline := time.Now().Add(30 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		now, err := b.store.CrawlOf(b.t.Context(), rec.ID)
		if err != nil {
			b.t.Fatal(err)
		}
		if is(now) {
			return
		}
		if time.Now().After(deadline) {
			b.t.Fatalf("it is never so that %s: %s, %+v", what, now.State, now.Progress)
		}
	}
}
