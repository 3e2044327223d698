package testkit

import (
	"context"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
)

// Memory is a crawl.Sink and survey.Source that keeps everything, for tests without a
// database.
type Memory struct {
	Records  []crawl.Record
	Findings []check.Finding
	byID     map[int32]*page.Facts
}

// Save implements crawl.Sink.
func (m *Memory) Save(_ context.Context, b crawl.Batch) error {
	if m.byID == nil {
		m.byID = map[int32]*page.Facts{}
	}
	for _, r := range b.Records {
		m.Records = append(m.Records, r)
		m.Findings = append(m.Findings, r.Findings...)
		m.byID[r.ID] = r.Facts
	}
	return nil
}

// EachLinks implements survey.Source.
func (m *Memory) EachLinks(pages []int32, f func(int32, []page.Link)) error {
	for _, id := range pages {
		f(id, m.byID[id].Document.Links)
	}
	return nil
}

// EachText implements survey.Source.
func (m *Memory) EachText(pages []int32, f func(int32, string)) error {
	for _, id := range pages {
		f(id, m.byID[id].Document.MainText)
	}
	return nil
}

// Crawl crawls from a start address and judges, all in memory.
func Crawl(t testing.TB, start string, p plan.Plan) (*crawl.Result, *Memory) {
	t.Helper()
	u, err := weburl.Parse(start)
	if err != nil {
		t.Fatal(err)
	}
	m := new(Memory)
	p = p.WithDefaults()
	c, err := crawl.New(crawl.Config{
		Plan: p, Start: u, Guard: Loopback, Sink: m, Source: m, Log: Quiet,
		Runner: &check.Runner{
			Checks: checks.Catalog, Limits: check.NewLimits(p.Limits),
			Panicked: func(c *check.Check, address string, v any) { t.Errorf("%s panicked on %s: %v", c.ID, address, v) },
		},
	})
	if err != nil {
		t.Fatal(err)
	}
	r, err := c.Run(t.Context())
	if err != nil {
		t.Fatalf("crawling %s: %v", start, err)
	}
	m.Findings = append(m.Findings, r.Findings...)
	return r, m
}
