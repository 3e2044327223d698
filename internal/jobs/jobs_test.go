package jobs

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/waive"
	"harvik/internal/crawl"
	"harvik/internal/record"
	"harvik/internal/testkit"
	"harvik/internal/vault"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// beside is a runner with a store of its own, and a site on this machine.
type beside struct {
	*Runner
	t    *testing.T
	site record.Site
}

func begin(t *testing.T, disk Disk, h http.Handler, p plan.Plan) *beside {
	t.Helper()
	s := testkit.Store(t)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	b := &beside{New(s, v, disk, testkit.Quiet), t, record.Site{}}
	t.Cleanup(func() { b.Shutdown(context.Background()) })
	p.Probes = plan.No()
	if err := s.AddSite(t.Context(), "fernhollow", "http://"+testkit.Serve(t, h)+"/", p); err != nil {
		t.Fatal(err)
	}
	b.again()
	if err := s.Allow(t.Context(), b.site.ID, "127.0.0.0/8", "test"); err != nil {
		t.Fatal(err)
	}
	b.again()
	return b
}

// again reads the site as it is now.
func (b *beside) again() {
	b.t.Helper()
	var err error
	if b.site, err = b.store.Site(b.t.Context(), "fernhollow"); err != nil {
		b.t.Fatal(err)
	}
}

// crawl starts a crawl and waits until it is in a state.
func (b *beside) crawl(state string) record.Crawl {
	b.t.Helper()
	rec, err := b.Start(b.t.Context(), b.site, plan.Plan(b.site.Plan).WithDefaults())
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

// TestWaiverThatCannotBeRead: a waiver whose pattern does not compile is refused at the door; one that is
// stored all the same covers nothing and is shown, and lists and crawls go on.
func TestWaiverThatCannotBeRead(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 20, Seed: 1}, plan.Plan{})
	const broken = `re:/plants/(a|b`
	for _, on := range []string{broken, "re:[", "re:a{99999}", "plants", strings.Repeat("/x*", 1000)} {
		var mistake *Mistake
		if _, err := b.Waive(t.Context(), b.site, record.Waiver{Scope: waive.Pattern, On: on, Reason: "why"}); !errors.As(err, &mistake) || !strings.Contains(err.Error(), "pattern") {
			t.Errorf("a waiver of %.30q: %v", on, err)
		}
	}
	for _, w := range []record.Waiver{{Scope: waive.Pattern, On: broken}, {Scope: "sky", On: "x"}, {Scope: waive.Page, On: "\x01"}} {
		w.Reason, w.By = "kept by an earlier Harvik", "somebody"
		if _, err := b.store.AddWaiver(t.Context(), b.site.ID, w); err != nil {
			t.Fatal(err)
		}
	}
	rec := b.crawl("finished")
	b.again()
	if _, err := b.Refreshed(t.Context(), b.site); err != nil {
		t.Errorf("the list of sites: %v", err)
	}
	if _, err := b.Weighed(t.Context(), b.site, rec); err != nil {
		t.Errorf("the crawl: %v", err)
	}
	all, err := b.store.Waivers(t.Context(), b.site.ID)
	if err != nil || len(all) != 3 {
		t.Fatalf("%d waivers (%v)", len(all), err)
	}
	for _, w := range all {
		if w.State != "cannot be read" || w.Broken == "" || w.Findings != 0 {
			t.Errorf("%s %q is %s (%q), covering %d", w.Scope, w.On, w.State, w.Broken, w.Findings)
		}
	}
}

// TestDisk puts crawls away while there is too little space, says why, and goes on by itself.
func TestDisk(t *testing.T) {
	var free atomic.Uint64
	free.Store(10 << 30)
	disk := Disk{Keep: 1 << 30, Free: func() (uint64, error) { return free.Load(), nil }}
	b := begin(t, disk, &testkit.Generated{Pages: 200, Seed: 1}, plan.Plan{Pause: plan.Duration(5 * time.Millisecond)})
	rec, err := b.Start(t.Context(), b.site, plan.Plan(b.site.Plan).WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	time.Sleep(200 * time.Millisecond)
	free.Store(900 << 20)
	b.lookAtDisk(time.Now())
	paused := b.await(rec.Number, "paused")
	if !strings.Contains(paused.Detail, "is free on the disk") || !strings.Contains(paused.Detail, "by itself") {
		t.Errorf("it is paused because %q", paused.Detail)
	}
	if _, err := b.Start(t.Context(), b.site, plan.Plan(b.site.Plan).WithDefaults()); !errors.Is(err, ErrDisk) || !strings.Contains(err.Error(), "--keep-free") {
		t.Errorf("another crawl: %v", err)
	}
	if _, err := b.Recheck(t.Context(), b.site, []string{"x"}, ""); !errors.Is(err, ErrDisk) {
		t.Errorf("a recheck: %v", err)
	}
	free.Store(1<<30 + 1) // a little more is not enough: it would be put away again at once
	b.lookAtDisk(time.Now())
	if got := b.await(rec.Number, "paused"); got.State != "paused" {
		t.Errorf("it is %s", got.State)
	}
	free.Store(2 << 30)
	b.lookAtDisk(time.Now())
	if done := b.await(rec.Number, "finished"); done.Ending != "complete" || done.Progress.Pages < 150 {
		t.Errorf("it ended by %s with %d pages", done.Ending, done.Progress.Pages)
	}
}

// TestCrawlThatEndsTheService: a crawl that was running when the service crashed is put away the second
// time, unless it got further; one whose service was only killed is taken up many times.
func TestCrawlThatEndsTheService(t *testing.T) {
	held := make(chan struct{})
	defer close(held)
	b := begin(t, Disk{}, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { <-held }), plan.Plan{})
	started, err := b.store.StartCrawl(t.Context(), b.site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	restart := func(crashed bool) record.Crawl {
		t.Helper()
		next := New(b.store, b.vault, Disk{}, testkit.Quiet)
		if err := next.Recover(t.Context(), crashed); err != nil {
			t.Fatal(err)
		}
		rec, err := b.store.Crawl(t.Context(), "fernhollow", started.Number)
		if err != nil {
			t.Fatal(err)
		}
		ending, end := context.WithCancel(t.Context())
		end() // it is cut off, as by a kill
		next.Shutdown(ending)
		return rec
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
	newer := crawl.Batch{
		Addresses: []survey.Address{{URL: b.site.Home, FoundOn: -1}},
		Records:   []crawl.Record{{Facts: &page.Facts{Version: page.Version + 1, Address: b.site.Home, Outcome: page.Answered, Status: 200}}},
	}
	if err := b.store.Sink(rec.ID).Save(t.Context(), newer); err != nil {
		t.Fatal(err)
	}
	if err := b.Recover(t.Context(), false); err != nil {
		t.Fatal(err)
	}
	if got := b.await(rec.Number, "paused"); !strings.Contains(got.Detail, "newer Harvik") {
		t.Errorf("it is put away because %q", got.Detail)
	}
	list, err := b.store.Pages(t.Context(), rec.ID, record.PageQuery{Limit: 10})
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
	if err := b.Recover(t.Context(), false); err != nil {
		t.Errorf("the service does not start: %v", err)
	}
	rec, err := b.store.Crawl(t.Context(), "odd", 1)
	if err != nil || rec.State != "paused" || rec.Detail == "" {
		t.Errorf("the odd crawl is %s: %q (%v)", rec.State, rec.Detail, err)
	}
	b.crawl("finished")
}

// TestPanics: a panic in what runs beside requests ends that, not the process, and says so.
func TestPanics(t *testing.T) {
	b := begin(t, Disk{}, &testkit.Generated{Pages: 30, Seed: 1}, plan.Plan{})
	first := b.crawl("finished")
	p := plan.Plan{Gates: []plan.Gate{{Kind: "bearer", Secret: "token"}}}
	home := strings.TrimPrefix(b.site.Home, "http://")
	host, _, _ := strings.Cut(home, ":")
	if err := b.store.SetSecret(t.Context(), b.site.ID, "token", host, p.Network(host), b.vault.Seal("x", Purpose(b.site.ID, "token"))); err != nil {
		t.Fatal(err)
	}
	b.vault = nil // which secrets are opened with
	rec, err := b.launch(b.site.ID, func() (record.Crawl, error) {
		return b.store.StartCrawl(t.Context(), b.site, p.WithDefaults(), 1)
	}, false)
	if err != nil {
		t.Fatal(err)
	}
	if got := b.await(rec.Number, "paused"); !strings.Contains(got.Detail, "Harvik made a mistake") {
		t.Errorf("a crawl whose run panicked says %q", got.Detail)
	}
	report, err := b.store.FixesOf(t.Context(), first.ID)
	if err != nil || len(report) == 0 {
		t.Fatalf("%d fixes (%v)", len(report), err)
	}
	if err := b.store.SetPlanOf(t.Context(), first.ID, p.WithDefaults()); err != nil {
		t.Fatal(err)
	}
	for fix := range report {
		look, err := b.Recheck(t.Context(), b.site, []string{fix}, "anna")
		if err != nil {
			t.Fatal(err)
		}
		for deadline := time.Now().Add(20 * time.Second); look.State == "running" && time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
			if look, err = b.RecheckOf(t.Context(), first.ID, look.Number); err != nil {
				t.Fatal(err)
			}
		}
		if look.State != "failed" || !strings.Contains(look.Detail, "Harvik made a mistake") {
			t.Errorf("a recheck that panicked is %s: %s", look.State, look.Detail)
		}
		break
	}
}

// Only so many rechecks run at once; the one too many is refused before anything is stored of it.
func TestRechecksAtOnce(t *testing.T) {
	r := &Runner{rechecks: map[[2]int64]*recheck{}}
	for i := range mostRechecks {
		r.rechecks[[2]int64{1, int64(i)}] = &recheck{}
	}
	_, err := r.begin(context.Background(), &recheck{}, &looking{})
	if refusal := (*Refusal)(nil); !errors.As(err, &refusal) || !strings.Contains(refusal.Reason, "8 rechecks are running") {
		t.Errorf("the ninth recheck: %v", err)
	}
}
