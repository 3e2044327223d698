package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// TestCutWhileJudging cuts a crawl off after its site checks have stored what they found, and before its
// verdict is: the next run judges anew, and no finding stands twice.
func TestCutWhileJudging(t *testing.T) {
	t.Parallel()
	host := testkit.Serve(t, &testkit.Generated{Pages: 60, Seed: 4})
	s := testkit.Store(t)
	if err := s.AddSite(t.Context(), "cut", "http://"+host+"/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "cut")
	if err != nil {
		t.Fatal(err)
	}
	p := plan.Plan{Probes: plan.No()}.WithDefaults()
	rec, err := s.StartCrawl(t.Context(), site, p, testkit.Catalogue.Version)
	if err != nil {
		t.Fatal(err)
	}
	run := func(past record.Past) (*booking.Result, record.Progress) {
		return crawlInto(t, s, rec, p, check.NewRunner(testkit.Catalogue.Checks, p), past)
	}
	run(nil)
	once := findings(t, s, rec.ID)
	r, progress := run(s.Past(rec))
	if err := s.SaveResult(t.Context(), rec, r, progress, record.Weighing{}, record.Settling{}); err != nil {
		t.Fatal(err)
	}
	twice := findings(t, s, rec.ID)
	if len(once) == 0 || len(once) != len(twice) {
		t.Errorf("%d findings after one run, %d after two", len(once), len(twice))
	}
	whole := 0
	for key, n := range twice {
		if n > 1 || once[key] != n {
			t.Errorf("%s stands %d times, %d after one run", key, n, once[key])
		}
		id, _, _ := strings.Cut(key, " ")
		if testkit.Catalogue.Find(id).Site != nil {
			whole++
		}
	}
	if whole == 0 {
		t.Error("no site check found anything")
	}
}

// crawlInto runs a crawl into a store, from its past if there is one, and judges it; its verdict is not stored.
func crawlInto(t testing.TB, s *store.Store, rec record.Crawl, p plan.Plan, runner *check.Runner,
	past record.Past) (*booking.Result, record.Progress) {
	t.Helper()
	r, progress, _ := crawlTimed(t, s, rec, p, runner, past)
	return r, progress
}

// crawlTimed is crawlInto, and tells when all was fetched and stored and judging began.
func crawlTimed(t testing.TB, s *store.Store, rec record.Crawl, p plan.Plan, runner *check.Runner,
	past record.Past) (*booking.Result, record.Progress, time.Time) {
	t.Helper()
	config, sink := testkit.Config(t, rec.Home, p, nil), s.Sink(rec)
	config.Book, config.Sink, config.Past = booking.New(runner, nil), sink, past
	config.Book.Survey.Source = s.Source(t.Context(), rec.ID, config.Book.URL)
	c, harvest := testkit.Harvest(t, config)
	fetched := time.Now()
	ended := judging.Ended{
		Book: config.Book, Harvest: harvest, Sink: sink, Further: past != nil, Ends: func() error { return nil },
		Weigh: func(sheet *fixlist.Sheet) (*fixlist.Report, error) { return sheet.Build(fixlist.Adjustment{}), nil },
	}
	r, err := ended.Judge(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return r, c.Progress(), fetched
}

// findings counts the stored findings by check and page.
func findings(t *testing.T, s *store.Store, crawlID int64) map[string]int {
	t.Helper()
	out := map[string]int{}
	err := s.EachFinding(t.Context(), crawlID, nil, func(f *record.PageFinding) error {
		out[fmt.Sprintf("%s %d", f.Check, f.Page)]++
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}
