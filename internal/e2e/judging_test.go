package e2e

import (
	"fmt"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
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
	rec, err := s.StartCrawl(t.Context(), site, p, checks.Version)
	if err != nil {
		t.Fatal(err)
	}
	start, err := weburl.Parse(site.Home)
	if err != nil {
		t.Fatal(err)
	}
	run := func(past crawl.Past) (*crawl.Result, record.Progress) {
		var c *crawl.Crawl
		c, err := crawl.New(crawl.Config{
			Plan: p, Start: start, Guard: testkit.Loopback, ReadPDF: testkit.ReadPDF, Log: testkit.Quiet, Runner: check.NewRunner(checks.Catalog, p),
			Sink: s.Sink(rec.ID), Past: past, Source: s.Source(t.Context(), rec.ID, func(id int32) string { return c.URL(id) }),
		})
		if err != nil {
			t.Fatal(err)
		}
		r, err := c.Run(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return r, c.Progress()
	}
	run(nil)
	once := findings(t, s, rec.ID)
	r, progress := run(s.Past(rec.ID))
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
		if checks.Find(id).Site != nil {
			whole++
		}
	}
	if whole == 0 {
		t.Error("no site check found anything")
	}
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
