package jobs

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/core/survey"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
	"harvik/internal/vault"
	"harvik/internal/worklist"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// beside is a runner with a store of its own, and a site on this machine.
type beside struct {
	*Runner
	t     *testing.T
	store *store.Store
	vault *vault.Vault
	site  record.Site
}

// over is a runner over a store, with the rooms that it needs.
func over(t *testing.T, s *store.Store, v *vault.Vault, disk Disk) *Runner {
	g := gear.New(s, v, testkit.Quiet)
	r := New(Parts{
		Store: s, Gear: g, Decisions: decide.New(s, testkit.Catalogue, func() error { return nil }),
		Work:  worklist.New(s),
		Judge: judging.New(s, testkit.Catalogue, testkit.Quiet), Disk: disk, Log: testkit.Quiet,
	})
	t.Cleanup(func() {
		r.Shutdown(context.Background())
		g.Close()
	})
	return r
}

func begin(t *testing.T, disk Disk, h http.Handler, p plan.Plan) *beside {
	t.Helper()
	s := testkit.Store(t)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	return &beside{over(t, s, v, disk), t, s, v, testkit.Site(t, s, h, p)}
}

// works has the runner take crawls from the queue.
func works(t *testing.T, r *Runner) {
	t.Helper()
	if r.idle == nil {
		if err := r.Work(t.Context(), testkit.Hands); err != nil {
			t.Fatal(err)
		}
	}
}

// crawl starts a crawl and waits until it is in a state.
func (b *beside) crawl(state string) record.Crawl {
	b.t.Helper()
	works(b.t, b.Runner)
	rec, err := b.Start(b.t.Context(), b.site, b.site.Plan.WithDefaults())
	if err != nil {
		b.t.Fatal(err)
	}
	return b.await(rec.Number, state)
}

func (b *beside) await(number int, state string) record.Crawl {
	b.t.Helper()
	var rec record.Crawl
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		var err error
		if rec, err = b.store.Crawl(b.t.Context(), "fernhollow", number); err != nil {
			b.t.Fatal(err)
		}
		if _, _, running := b.Progress(rec.ID); rec.State == state && (state == "running" || !running) {
			return rec
		}
	}
	b.t.Fatalf("crawl %d is %s (%s), not %s", number, rec.State, rec.Detail, state)
	return rec
}

// settled waits until a crawl is done with, whatever became of it, by the runner that has it.
func (b *beside) settled(r *Runner, rec record.Crawl) {
	b.t.Helper()
	for deadline := time.Now().Add(30 * time.Second); rec.State == "running"; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(deadline) {
			b.t.Fatalf("crawl %d runs on", rec.Number)
		}
		var err error
		if rec, err = b.store.Crawl(b.t.Context(), "fernhollow", rec.Number); err != nil {
			b.t.Fatal(err)
		}
	}
	if _, ended, here := r.Progress(rec.ID); here {
		<-ended
	}
}

// TestDisk puts crawls away while there is too little space, says why, and goes on by itself.
func TestDisk(t *testing.T) {
	var free atomic.Uint64
	free.Store(10 << 30)
	disk := Disk{Keep: 1 << 30, Free: func() (uint64, error) { return free.Load(), nil }}
	b := begin(t, disk, &testkit.Generated{Pages: 200, Seed: 1}, plan.Plan{Pause: plan.Duration(5 * time.Millisecond)})
	works(t, b.Runner)
	rec, err := b.Start(t.Context(), b.site, b.site.Plan.WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	time.Sleep(200 * time.Millisecond)
	free.Store(900 << 20)
	b.lookAtDisk()
	paused := b.await(rec.Number, "paused")
	if !strings.Contains(paused.Detail, "is free on the disk") || !strings.Contains(paused.Detail, "by itself") {
		t.Errorf("it is paused because %q", paused.Detail)
	}
	if _, err := b.Start(t.Context(), b.site, b.site.Plan.WithDefaults()); !errors.Is(err, record.ErrDisk) ||
		!strings.Contains(err.Error(), "--keep-free") {
		t.Errorf("another crawl: %v", err)
	}
	free.Store(1<<30 + 1) // a little more is not enough: it would be put away again at once
	b.lookAtDisk()
	if got := b.await(rec.Number, "paused"); got.State != "paused" {
		t.Errorf("it is %s", got.State)
	}
	free.Store(2 << 30)
	b.lookAtDisk()
	if done := b.await(rec.Number, "finished"); done.Ending != "complete" || done.Progress.Pages < 150 {
		t.Errorf("it ended by %s with %d pages", done.Ending, done.Progress.Pages)
	}
}

// TestCrawlThatEndsTheService: a crawl that was running when the service crashed is put away the second
// time, unless it got further; one whose service was only killed is taken up many times.
func TestCrawlThatEndsTheService(t *testing.T) {
	b := begin(t, Disk{}, http.NotFoundHandler(), plan.Plan{})
	started, err := b.store.StartCrawl(t.Context(), b.site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	restart := func(crashed bool) record.Crawl {
		t.Helper()
		now, err := b.store.Crawl(t.Context(), "fernhollow", started.Number)
		if err != nil {
			t.Fatal(err)
		}
		if _, ok, err := b.store.Own(t.Context(), now.ID, now.Epoch, "here/before"); err != nil || !ok {
			t.Fatalf("it has no owner: %v, %v", ok, err)
		}
		next := over(t, b.store, b.vault, Disk{})
		if err := next.rescue(t.Context(), "there/", crashed); err != nil { // another's seat
			t.Fatal(err)
		}
		if err := next.rescue(t.Context(), "here/", crashed); err != nil {
			t.Fatal(err)
		}
		if now, err = b.store.Crawl(t.Context(), "fernhollow", started.Number); err != nil || now.Owner != "" {
			t.Fatalf("%s owns it (%v)", now.Owner, err)
		}
		return now
	}
	for kill := range 2 {
		if rec := restart(false); rec.State != "running" {
			t.Fatalf("after %d kills it is %s: %s", kill+1, rec.State, rec.Detail)
		}
	}
	if rec := restart(false); rec.State != "paused" || !strings.Contains(rec.Detail, "again and again") {
		t.Errorf("after the third it is %s: %s", rec.State, rec.Detail)
	}
	if ok, err := b.store.ResumeCrawl(t.Context(), started.ID); !ok || err != nil {
		t.Fatalf("it cannot be resumed: %v", err)
	}
	if rec := restart(true); rec.State != "running" {
		t.Errorf("resumed, and after one crash, it is %s: %s", rec.State, rec.Detail)
	}
	if rec := restart(true); rec.State != "paused" {
		t.Errorf("after the second it is %s", rec.State)
	}
}

// TestOtherFacts: a crawl that another version of Harvik began, whose facts this one cannot judge, is put away with the
// reason and keeps what it has.
func TestOtherFacts(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 5, Seed: 1}, plan.Plan{})
	rec, err := b.store.StartCrawl(t.Context(), b.site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	newer := record.Batch{
		Addresses: []survey.Address{{URL: b.site.Home, FoundOn: -1}},
		Records: []booking.Record{{Facts: &page.Facts{Version: page.Version + 1, Address: b.site.Home,
			Outcome: page.Answered, Status: 200}}},
	}
	if err := b.store.Sink(rec).Save(t.Context(), newer); err != nil {
		t.Fatal(err)
	}
	if _, ok, err := b.store.Own(t.Context(), rec.ID, 0, "an earlier one"); !ok || err != nil {
		t.Fatalf("%v, %v", ok, err)
	}
	rec.Epoch = 1
	if err := b.store.Release(t.Context(), rec); err != nil {
		t.Fatal(err)
	}
	if err := b.Recover(t.Context(), testkit.Hands, false); err != nil {
		t.Fatal(err)
	}
	if got := b.await(rec.Number, "paused"); !strings.Contains(got.Detail, "newer Harvik") {
		t.Errorf("it is put away because %q", got.Detail)
	}
	asked, err := new(query.View).Understand()
	if err != nil {
		t.Fatal(err)
	}
	list, err := b.store.Pages(t.Context(), rec.ID, record.Asking{Asked: asked, Limit: 10})
	if err != nil || list.Total != 1 {
		t.Errorf("%d pages are kept (%v)", list.Total, err)
	}
}

// TestRecoverGoesOn: a crawl that cannot be taken up does not keep the service from starting.
func TestRecoverGoesOn(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 5, Seed: 1}, plan.Plan{})
	if err := b.store.AddSite(t.Context(), "odd", "not an address", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	odd, err := b.store.Site(t.Context(), "odd")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.store.StartCrawl(t.Context(), odd, plan.Plan{}.WithDefaults(), 1); err != nil {
		t.Fatal(err)
	}
	if err := b.Recover(t.Context(), testkit.Hands, false); err != nil {
		t.Errorf("the service does not start: %v", err)
	}
	rec, err := b.store.Crawl(t.Context(), "odd", 1)
	for deadline := time.Now().Add(20 * time.Second); rec.State == "running" && time.Now().Before(deadline); {
		time.Sleep(20 * time.Millisecond)
		rec, err = b.store.Crawl(t.Context(), "odd", 1)
	}
	if err != nil || rec.State != "paused" || rec.Detail == "" {
		t.Errorf("the odd crawl is %s: %q (%v)", rec.State, rec.Detail, err)
	}
	b.crawl("finished")
}
