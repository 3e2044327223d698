package testkit

import (
	"context"
	"fmt"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/record"
)

// Memory is a crawl.Sink, crawl.Past and survey.Source that keeps everything, for tests without
// a database.
type Memory struct {
	Records   []crawl.Record
	Addresses []survey.Address
	Files     []crawl.File
	Findings  []check.Finding
	byID      map[int32]*page.Facts
}

// Save implements crawl.Sink.
func (m *Memory) Save(_ context.Context, b crawl.Batch) error {
	if m.byID == nil {
		m.byID = map[int32]*page.Facts{}
	}
	if int(b.First) != len(m.Addresses) || b.Seq != len(m.Records) {
		return fmt.Errorf("a batch from address %d and record %d does not join what there is: %d and %d", b.First, b.Seq, len(m.Addresses), len(m.Records))
	}
	m.Addresses = append(m.Addresses, b.Addresses...)
	m.Files = append(m.Files, b.Files...)
	for _, r := range b.Records {
		m.Records = append(m.Records, r)
		m.Findings = append(m.Findings, r.Findings...)
		m.byID[r.ID] = r.Facts
	}
	return nil
}

// Start implements crawl.Past.
func (m *Memory) Start(context.Context) (addresses []string, files []crawl.File, p record.Progress, err error) {
	for _, a := range m.Addresses {
		addresses = append(addresses, a.URL)
	}
	for _, f := range m.Files {
		if f.Kind == "sitemap" {
			f.Body = nil
		}
		files = append(files, f)
	}
	return addresses, files, p, nil
}

// Body implements crawl.Past.
func (m *Memory) Body(_ context.Context, address string) ([]byte, error) {
	for _, f := range m.Files {
		if f.Address == address {
			return f.Body, nil
		}
	}
	return nil, fmt.Errorf("no file %s", address)
}

// EachRecord implements crawl.Past.
func (m *Memory) EachRecord(_ context.Context, _ []string, f func(crawl.Record) error) error {
	for _, r := range m.Records {
		if err := f(crawl.Record{ID: r.ID, Role: r.Role, Facts: r.Facts}); err != nil {
			return err
		}
	}
	return nil
}

// Truncate implements crawl.Past.
func (m *Memory) Truncate(_ context.Context, n int) error {
	m.Addresses = m.Addresses[:n]
	return nil
}

// EachLinks implements survey.Source.
func (m *Memory) EachLinks(pages []int32, f func(int32, []page.Link)) error {
	for _, id := range pages {
		f(id, m.byID[id].Document.Links)
	}
	return nil
}

// EachFacts implements survey.Source.
func (m *Memory) EachFacts(pages []int32, f func(int32, *page.Facts)) error {
	for _, id := range pages {
		f(id, m.byID[id])
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

// Prepare makes a crawl that keeps its results in m. Past goes on from what is there.
func (m *Memory) Prepare(t testing.TB, start string, p plan.Plan, past bool) *crawl.Crawl {
	t.Helper()
	return m.prepare(t, start, p, crawl.Config{}, past)
}

// PrepareWith makes a crawl whose gates have secrets.
func (m *Memory) PrepareWith(t testing.TB, start string, p plan.Plan, secrets map[string]string) *crawl.Crawl {
	t.Helper()
	return m.prepare(t, start, p, crawl.Config{Secrets: secrets}, false)
}

// PrepareBeside makes a crawl that shares its paces with others.
func (m *Memory) PrepareBeside(t testing.TB, start string, p plan.Plan, paces *crawl.Paces) *crawl.Crawl {
	t.Helper()
	return m.prepare(t, start, p, crawl.Config{Paces: paces}, false)
}

func (m *Memory) prepare(t testing.TB, start string, p plan.Plan, config crawl.Config, past bool) *crawl.Crawl {
	t.Helper()
	u, err := weburl.Parse(start)
	if err != nil {
		t.Fatal(err)
	}
	p = p.WithDefaults()
	config.Plan, config.Start, config.Guard = p, u, Loopback
	config.Sink, config.Source, config.Log = m, m, Quiet
	config.ReadPDF = ReadPDF
	config.Runner = check.NewRunner(checks.Catalog, p)
	config.Runner.Panicked = func(c *check.Check, address string, v any) { t.Errorf("%s panicked on %s: %v", c.ID, address, v) }
	if past {
		config.Past = m
	}
	c, err := crawl.New(config)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// Crawl crawls from a start address and judges, all in memory.
func Crawl(t testing.TB, start string, p plan.Plan) (*crawl.Result, *Memory) {
	t.Helper()
	m := new(Memory)
	r, err := m.Prepare(t, start, p, false).Run(t.Context())
	if err != nil {
		t.Fatalf("crawling %s: %v", start, err)
	}
	m.Findings = append(m.Findings, r.Findings...)
	return r, m
}
