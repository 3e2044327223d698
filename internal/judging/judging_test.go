package judging_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// kept is a store in memory, with a site of three crawls.
type kept struct {
	mu     sync.Mutex
	crawls []record.Crawl
	left   string // the check that the newest crawl's plan leaves out
	stored *booking.Stored
	sheets map[int64]map[string]*fixlist.Sheet
	loads  []int // numbers of the crawls that were read, in order
	away   error
	held   chan struct{} // nil, or reading waits until it is closed
}

func (k *kept) Sites(context.Context) ([]record.Site, error) {
	return []record.Site{{ID: 1, Name: "fernhollow"}}, nil
}

func (k *kept) FinishedCrawls(context.Context, int64, int) ([]record.Crawl, error) {
	return k.crawls, nil
}

func (k *kept) HasSheet(_ context.Context, crawl int64, rules string) (bool, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.sheets[crawl][rules] != nil, k.away
}

func (k *kept) Sheet(_ context.Context, crawl int64, rules string) (*fixlist.Sheet, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if s := k.sheets[crawl][rules]; s != nil {
		return s, nil
	}
	return nil, record.ErrNotFound
}

func (k *kept) KeepSheet(_ context.Context, crawl int64, rules string, sheet *fixlist.Sheet) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.sheets[crawl][rules] = sheet
	return nil
}

func (k *kept) LoadSurvey(_ context.Context, rec record.Crawl) (*booking.Stored, error) {
	k.mu.Lock()
	k.loads = append(k.loads, rec.Number)
	held := k.held
	k.mu.Unlock()
	if held != nil {
		<-held
	}
	out := *k.stored
	out.Plan = rec.Plan.WithDefaults()
	return &out, nil
}

// site is Fernhollow's small sister, crawled three times; the newest crawl's plan leaves a check out.
func site(t *testing.T) (*judging.Judge, *kept, *testkit.Memory) {
	t.Helper()
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 12, Seed: 2}) + "/"
	p := plan.Plan{Probes: plan.No()}
	first, memory := testkit.Crawl(t, home, p)
	id := first.Sheet.Build(fixlist.Adjustment{}).Fixes[0].Check
	k := &kept{left: id, sheets: map[int64]map[string]*fixlist.Sheet{}, stored: memory.Stored(t, home, p, first)}
	for n := range 3 {
		rec := record.Crawl{ID: int64(n + 1), Number: n + 1, Site: "fernhollow", Plan: p,
			Catalogue: testkit.Catalogue.Version}
		if n == 2 {
			rec.Plan.Checks = []plan.CheckRule{{Check: id, Off: true}}
		}
		k.crawls = append(k.crawls, rec)
		k.sheets[rec.ID] = map[string]*fixlist.Sheet{"": first.Sheet}
	}
	return judging.New(k, testkit.Catalogue, testkit.Quiet), k, memory
}

// has tells whether a sheet has a check fail.
func has(s *fixlist.Sheet, id string) bool {
	for _, f := range s.Build(fixlist.Adjustment{}).Fixes {
		if f.Check == id {
			return true
		}
	}
	return false
}

// TestSheetBy judges a crawl by the rules of another, once however many ask, and keeps that; by its own rules it stands
// as it was judged.
func TestSheetBy(t *testing.T) {
	j, k, _ := site(t)
	own, note, err := j.SheetBy(t.Context(), k.crawls[0], k.crawls[1])
	if err != nil || note != "" || own != k.sheets[1][""] || len(k.loads) != 0 {
		t.Fatalf("by the same rules: %v, %q, read %v", err, note, k.loads)
	}
	if !has(own, k.left) {
		t.Fatalf("%s, which is left out, does not fail", k.left)
	}
	k.held = make(chan struct{})
	gone, leave := context.WithCancel(t.Context())
	var asking sync.WaitGroup
	asking.Go(func() {
		if _, _, err := j.SheetBy(gone, k.crawls[0], k.crawls[2]); !errors.Is(err, context.Canceled) {
			t.Errorf("who has gone is told %v", err)
		}
	})
	for range 4 {
		asking.Go(func() {
			sheet, note, err := j.SheetBy(t.Context(), k.crawls[0], k.crawls[2])
			if err != nil || note != "" || has(sheet, k.left) {
				t.Errorf("by rules without the check: %v, %q", err, note)
			}
		})
	}
	for begun := false; !begun; time.Sleep(time.Millisecond) {
		k.mu.Lock()
		begun = len(k.loads) > 0
		k.mu.Unlock()
	}
	leave()
	close(k.held)
	asking.Wait()
	if _, _, err := j.SheetBy(t.Context(), k.crawls[0], k.crawls[2]); err != nil || len(k.loads) != 1 {
		t.Errorf("read %d times for six who ask (%v)", len(k.loads), err)
	}
}

// TestCannotBeJudged gives a crawl whose facts are too old as it was judged, with the reason; one that has not even
// that is refused.
func TestCannotBeJudged(t *testing.T) {
	j, k, memory := site(t)
	memory.Records[0].Facts.Version = page.Oldest - 1
	sheet, note, err := j.SheetBy(t.Context(), k.crawls[0], k.crawls[2])
	if err != nil || sheet != k.sheets[1][""] || !strings.Contains(note, "crawl 1 is compared as it was judged") {
		t.Errorf("too old: %q (%v)", note, err)
	}
	if err := j.Ahead(t.Context()); err != nil {
		t.Errorf("what cannot be judged ahead: %v", err)
	}
	delete(k.sheets, 1)
	var refusal *record.Refusal
	if _, _, err := j.SheetBy(t.Context(), k.crawls[0], k.crawls[2]); !errors.As(err, &refusal) ||
		!strings.Contains(refusal.Reason, "crawl again") {
		t.Errorf("without any judgement: %v", err)
	}
}

// TestAhead judges what will be compared, the newest first, and not again what is.
func TestAhead(t *testing.T) {
	j, k, _ := site(t)
	for range 2 {
		if err := j.Ahead(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if len(k.loads) != 2 || k.loads[0] != 2 || k.loads[1] != 1 {
		t.Errorf("judged %v", k.loads)
	}
	for n := range 2 {
		if sheet, _, err := j.SheetBy(t.Context(), k.crawls[n], k.crawls[2]); err != nil || has(sheet, k.left) {
			t.Errorf("crawl %d: %v", n+1, err)
		}
	}
	if len(k.loads) != 2 {
		t.Errorf("comparing judges again: %v", k.loads)
	}
	k.away = errors.New("the database went away")
	if err := j.Ahead(t.Context()); !errors.Is(err, k.away) || !strings.Contains(err.Error(), "fernhollow@3") {
		t.Errorf("without a database: %v", err)
	}
}

// sink notes what it is told, and fails where it is to.
type sink struct {
	told []string
	fail string
}

func (s *sink) note(what string) error {
	s.told = append(s.told, what)
	if what == s.fail {
		return errors.New("the sink leaks")
	}
	return nil
}

func (s *sink) SaveSite(context.Context, []check.Finding) error { return s.note("save") }
func (s *sink) DropSite(context.Context) error                  { return s.note("drop") }
func (s *sink) Finish(context.Context) error                    { return s.note("finish") }

// TestEnded tells the sink what it has to know, in order: of a further attempt that what is there goes, then what is
// found; and that all is stored. Whatever fails ends the judging, panics too.
func TestEnded(t *testing.T) {
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 12, Seed: 2}) + "/"
	type weighing func(*fixlist.Sheet) (*fixlist.Report, error)
	judge := func(s *sink, further bool, ends error, weigh weighing) (*booking.Result, error) {
		t.Helper()
		run := new(testkit.Memory).Prepare(t, home, plan.Plan{Probes: plan.No()}, false)
		harvest, err := run.Crawl.Run(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		ended := judging.Ended{
			Book: run.Book, Harvest: harvest, Sink: s, Further: further, Weigh: weigh,
			Ends: func() error { return ends },
		}
		return ended.Judge(t.Context())
	}
	build := func(s *fixlist.Sheet) (*fixlist.Report, error) { return s.Build(fixlist.Adjustment{}), nil }
	s := new(sink)
	result, err := judge(s, false, nil, build)
	if err != nil || result.Report == nil || len(result.Report.Fixes) == 0 || len(s.told) < 2 || s.told[0] != "save" ||
		s.told[len(s.told)-1] != "finish" {
		t.Fatalf("a first attempt tells %v (%v)", s.told, err)
	}
	s = new(sink)
	if _, err = judge(s, true, nil, build); err != nil || s.told[0] != "drop" || s.told[1] != "save" {
		t.Errorf("a further attempt tells %v (%v)", s.told, err)
	}
	for _, fail := range []string{"drop", "save", "finish"} {
		if _, err := judge(&sink{fail: fail}, true, nil, build); err == nil || !strings.Contains(err.Error(), "leaks") {
			t.Errorf("a sink that fails to %s: %v", fail, err)
		}
	}
	enough := errors.New("enough")
	s = new(sink)
	if _, err := judge(s, false, enough, build); !errors.Is(err, enough) || len(s.told) != 0 {
		t.Errorf("a run that is to end tells %v (%v)", s.told, err)
	}
	unweighed := errors.New("nothing is decided")
	if _, err := judge(new(sink), false, nil,
		func(*fixlist.Sheet) (*fixlist.Report, error) { return nil, unweighed }); !errors.Is(err, unweighed) {
		t.Errorf("without a report: %v", err)
	}
	if _, err := judge(new(sink), false, nil,
		func(*fixlist.Sheet) (*fixlist.Report, error) { panic("a mole") }); err == nil ||
		!strings.Contains(err.Error(), "a mole") {
		t.Errorf("a panic: %v", err)
	}
}
