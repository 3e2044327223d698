package store_test

import (
	"errors"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// waiting is a crawl that waits for a worker.
func waiting(t *testing.T) (*store.Store, record.Crawl) {
	t.Helper()
	s := testkit.Store(t)
	return s, begun(t, s)
}

// TestOwn: of many who want a crawl one gets it, and by an epoch it is had once.
func TestOwn(t *testing.T) {
	s, rec := waiting(t)
	var had atomic.Int32
	var group sync.WaitGroup
	for range 16 {
		group.Go(func() {
			got, ok, err := s.Own(t.Context(), rec.ID, rec.Epoch, "somebody")
			if err != nil {
				t.Error(err)
			}
			if ok {
				had.Add(1)
				if got.Epoch != rec.Epoch+1 || got.Owner != "somebody" {
					t.Errorf("it is had as %+v", got)
				}
			}
		})
	}
	group.Wait()
	if had.Load() != 1 {
		t.Errorf("%d have it", had.Load())
	}
	if _, ok, err := s.Own(t.Context(), rec.ID, rec.Epoch+1, "another"); ok || err != nil {
		t.Errorf("what has an owner is had by another: %v, %v", ok, err)
	}
}

// TestFence: who owned a crawl before it was taken back writes nothing of it any more, by no way; whoever has it now
// does.
func TestFence(t *testing.T) {
	s, rec := waiting(t)
	old, _, err := s.Own(t.Context(), rec.ID, 0, "the old one")
	if err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	sink := s.Sink(old)
	if err := sink.Save(ctx, record.Batch{}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Beat(ctx, old, record.Progress{Fetched: 7}); err != nil {
		t.Fatal(err)
	}
	if now, err := s.Crawl(ctx, "fernhollow", 1); err != nil || now.Live == nil || now.Live.Fetched != 7 {
		t.Errorf("how far it is, is told as %+v (%v)", now.Live, err)
	}
	if all, err := s.Unheard(ctx, time.Minute, "another/"); err != nil || len(all) > 0 {
		t.Errorf("unheard are %+v (%v)", all, err)
	}
	if all, err := s.Unheard(ctx, 0, ""); err != nil || len(all) != 1 {
		t.Fatalf("unheard are %+v (%v)", all, err)
	}
	if ok, away, err := s.Reclaim(ctx, old, 4, 12, "why"); !ok || away || err != nil {
		t.Fatalf("%v, %v, %v", ok, away, err)
	}
	if ok, _, err := s.Reclaim(ctx, old, 4, 12, "why"); ok || err != nil {
		t.Errorf("taken back twice: %v, %v", ok, err)
	}
	if all, err := s.Unheard(ctx, 0, ""); err != nil || len(all) > 0 {
		t.Errorf("although the queue knows of it, unheard are %+v (%v)", all, err)
	}
	young, ok, err := s.Own(ctx, rec.ID, old.Epoch+1, "the young one")
	if !ok || err != nil {
		t.Fatalf("%v, %v", ok, err)
	}
	for name, write := range map[string]func(record.Crawl) error{
		"a batch":       func(c record.Crawl) error { return s.Sink(c).Save(ctx, record.Batch{}) },
		"what is whole": func(c record.Crawl) error { return s.Sink(c).DropSite(ctx) },
		"what it forgets": func(c record.Crawl) error {
			return s.Past(c).Truncate(ctx, 1_000_000)
		},
		"its life": func(c record.Crawl) error { _, err := s.Beat(ctx, c, record.Progress{}); return err },
	} {
		if err := write(old); !errors.Is(err, record.ErrLost) {
			t.Errorf("the old owner writes %s: %v", name, err)
		}
		if err := write(young); err != nil {
			t.Errorf("the young owner cannot write %s: %v", name, err)
		}
	}
	if err := s.Release(ctx, old); err != nil {
		t.Error(err)
	}
	if now, err := s.Crawl(ctx, "fernhollow", 1); err != nil || now.Owner != "the young one" {
		t.Errorf("the old owner has given it away: %s (%v)", now.Owner, err)
	}
	if err := s.PauseCrawl(ctx, old, "why", ""); !errors.Is(err, record.ErrLost) {
		t.Errorf("the old owner puts it away: %v", err)
	}
	if err := s.FailCrawl(ctx, old, "why"); !errors.Is(err, record.ErrLost) {
		t.Errorf("the old owner ends it: %v", err)
	}
	if err := s.PauseCrawl(ctx, young, "why", ""); err != nil {
		t.Errorf("the young owner cannot put it away: %v", err)
	}
}

// TestShareHosts: workers hear of each other at the hosts that they ask, and of no others; one that ends is forgotten.
func TestShareHosts(t *testing.T) {
	s := testkit.Store(t)
	share := func(name string, joined []record.HostUse, left ...string) []record.HostShare {
		t.Helper()
		out, err := s.Share(
			t.Context(),
			record.Worker{Name: name, Place: "here", Hands: record.Hands{Crawls: 2}},
			joined,
			left,
		)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	garden := func(gap time.Duration, parallel int) []record.HostUse {
		return []record.HostUse{{Host: "fernhollow.example", Gap: gap, Parallel: parallel}}
	}
	if got := share("b", garden(time.Second, 4)); len(got) > 0 {
		t.Errorf("alone it hears %+v", got)
	}
	share("a", []record.HostUse{{Host: "other.example", Gap: time.Minute, Parallel: 1}})
	if got := share("b", nil); len(got) > 0 {
		t.Errorf("of another's host it hears %+v", got)
	}
	share("a", garden(2*time.Second, 8))
	share("c", garden(3*time.Second, 2))
	want := record.HostShare{Host: "fernhollow.example", Others: 2, Before: 1, Gap: 3 * time.Second, Parallel: 2}
	if got := share("b", nil); !slices.Equal(got, []record.HostShare{want}) {
		t.Errorf("it hears %+v, want %+v", got, want)
	}
	asked := garden(3*time.Second, 2)
	asked[0].Asked = time.Now().Add(30 * time.Second)
	share("c", asked)
	if got := share("b", nil); len(got) != 1 || got[0].Wait < 25*time.Second || got[0].Wait > 30*time.Second {
		t.Errorf("of what the host asked of another it hears %+v", got)
	}
	share("c", garden(3*time.Second, 2))
	if got := share("b", nil); !slices.Equal(got, []record.HostShare{want}) {
		t.Errorf("once that is over it hears %+v", got)
	}
	share("c", nil, "fernhollow.example")
	if err := s.Unshare(t.Context(), "a"); err != nil {
		t.Fatal(err)
	}
	if got := share("b", nil); len(got) > 0 {
		t.Errorf("once the others are gone it hears %+v", got)
	}
	all, err := s.Workers(t.Context())
	if err != nil || len(all) != 2 || all[0].Name != "b" || all[0].Hands.Crawls != 2 {
		t.Errorf("the workers are %+v (%v)", all, err)
	}
}

// TestUnheard: a crawl waits for a worker as long as the queue has it, or gives it to somebody who lives; one that was
// given to somebody who was killed before taking it up is taken back, which is not held against it.
func TestUnheard(t *testing.T) {
	database := testkit.Tables(t)
	s := testkit.Open(t, database)
	site := testkit.Site(t, s, &testkit.Generated{Pages: 1, Seed: 1}, plan.Plan{})
	rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	unheard := func(when string, want int) (all []record.Crawl) {
		t.Helper()
		all, err := s.Unheard(t.Context(), time.Minute, "")
		if err != nil || len(all) != want {
			t.Errorf("%s: %d are unheard of (%v)", when, len(all), err)
		}
		return all
	}
	taken := func(ago string) {
		t.Helper()
		if _, err := conn.Exec(t.Context(), `update river_job set state = 'running', attempt = 1,
			attempted_by = array['gone'],
			attempted_at = now() - $1::interval
			where kind = 'crawl' and state in ('available', 'running')`, ago); err != nil {
			t.Fatal(err)
		}
	}
	unheard("while it waits", 0)
	taken("1 second")
	unheard("just given to somebody", 0)
	taken("10 minutes")
	for range 4 {
		all := unheard("given to somebody who is no more", 1)
		if _, away, err := s.Reclaim(t.Context(), all[0], 4, 12, "why"); err != nil || away {
			t.Fatalf("put away %v (%v)", away, err)
		}
		unheard("taken back", 0)
		taken("10 minutes")
	}
	if _, err := s.Share(t.Context(), record.Worker{Name: "gone"}, nil, nil); err != nil {
		t.Fatal(err)
	}
	unheard("given to somebody who lives", 0)
	if now, err := s.CrawlOf(t.Context(), rec.ID); err != nil || now.State != "running" {
		t.Errorf("it is %s (%v)", now.State, err)
	}
}
