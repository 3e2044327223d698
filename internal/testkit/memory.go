package testkit

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/own"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/pace"
	"harvik/internal/record"
)

// Memory is a crawl.Sink, record.Past and survey.Source that keeps everything, for tests without
// a database.
type Memory struct {
	Records    []booking.Record
	Addresses  []survey.Address
	Files      []booking.File
	Findings   []check.Finding
	Renderings []record.Rendering
	Browser    crawl.Browser // nil where pages are not rendered; set before the crawl
	byID       map[int32]*page.Facts
}

// Save implements crawl.Sink.
func (m *Memory) Save(_ context.Context, b record.Batch) error {
	if m.byID == nil {
		m.byID = map[int32]*page.Facts{}
	}
	if int(b.First) != len(m.Addresses) || b.Seq != len(m.Records) {
		return fmt.Errorf("a batch from address %d and record %d does not join what there is: %d and %d", b.First,
			b.Seq, len(m.Addresses), len(m.Records))
	}
	m.Addresses = append(m.Addresses, b.Addresses...)
	m.Files = append(m.Files, b.Files...)
	m.Renderings = append(m.Renderings, b.Renderings...)
	for _, r := range b.Records {
		m.Records = append(m.Records, r)
		m.Findings = append(m.Findings, r.Findings...)
		m.byID[r.ID] = r.Facts
	}
	return nil
}

// Start implements record.Past.
func (m *Memory) Start(context.Context) (addresses []string, files []booking.File, p record.Progress, err error) {
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

// Body implements record.Past.
func (m *Memory) Body(_ context.Context, address string) ([]byte, error) {
	for _, f := range m.Files {
		if f.Address == address {
			return f.Body, nil
		}
	}
	return nil, fmt.Errorf("no file %s", address)
}

// EachRecord implements record.Past.
func (m *Memory) EachRecord(_ context.Context, _ []string, f func(*booking.Record) error) error {
	for _, r := range m.Records {
		if err := f(&booking.Record{ID: r.ID, Role: r.Role, Facts: r.Facts}); err != nil {
			return err
		}
	}
	return nil
}

// Truncate implements record.Past.
func (m *Memory) Truncate(_ context.Context, n int) error {
	m.Addresses = m.Addresses[:n]
	return nil
}

// EachLinks implements survey.Source.
func (m *Memory) EachLinks(pages []int32, f func(int32, []page.Link, []int32)) error {
	for _, id := range pages {
		f(id, m.byID[id].Document.Links, nil)
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

// EachSkeleton implements survey.Source.
func (m *Memory) EachSkeleton(pages []int32, f func(int32, page.Skeleton)) error {
	for _, id := range pages {
		if d := m.byID[id].Document; d != nil {
			f(id, d.Skeleton())
		}
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

// EachRendering implements survey.Source.
func (m *Memory) EachRendering(pages []int32, f func(int32, []rendered.Page)) error {
	all := slices.Clone(m.Renderings)
	slices.SortFunc(all, func(a, b record.Rendering) int { return int(a.ID - b.ID) })
	for _, r := range all {
		if pages == nil || slices.Contains(pages, r.ID) {
			f(r.ID, r.Pages)
		}
	}
	return nil
}

// Rendered implements record.Past.
func (m *Memory) Rendered(context.Context) (map[int32]bool, error) {
	out := map[int32]bool{}
	for _, r := range m.Renderings {
		out[r.ID] = true
	}
	return out, nil
}

// A Run is a crawl in memory.
type Run struct {
	*crawl.Crawl
	Book *booking.Book
}

// Run crawls and judges.
func (r *Run) Run(ctx context.Context) (*booking.Result, error) {
	harvest, err := r.Crawl.Run(ctx)
	if err != nil {
		return nil, err
	}
	var whole []check.Finding
	result, err := r.Book.Judge(harvest, func(found []check.Finding) error {
		whole = append(whole, found...)
		return nil
	})
	if err != nil {
		return nil, err
	}
	result.Findings, result.Report = whole, result.Sheet.Build(fixlist.Adjustment{})
	return result, nil
}

// Prepare makes a crawl that keeps its results in m. Past goes on from what is there.
func (m *Memory) Prepare(t testing.TB, start string, p plan.Plan, past bool) *Run {
	t.Helper()
	return m.prepare(t, start, p, nil, nil, past)
}

// PrepareWith makes a crawl whose gates have secrets.
func (m *Memory) PrepareWith(t testing.TB, start string, p plan.Plan, secrets map[string]string) *Run {
	t.Helper()
	return m.prepare(t, start, p, secrets, nil, false)
}

// PrepareBeside makes a crawl that shares its paces with others.
func (m *Memory) PrepareBeside(t testing.TB, start string, p plan.Plan, paces *pace.Paces) *Run {
	t.Helper()
	return m.prepare(t, start, p, nil, paces, false)
}

func (m *Memory) prepare(t testing.TB, start string, p plan.Plan, secrets map[string]string, paces *pace.Paces,
	past bool) *Run {
	t.Helper()
	config := Config(t, start, p, secrets)
	checks, err := own.With(Catalogue, config.Plan)
	if err != nil {
		t.Fatal(err)
	}
	runner := check.NewRunner(checks.Checks, config.Plan)
	runner.Panicked = func(c *check.Check, address string, v any) {
		t.Errorf("%s panicked on %s: %v", c.ID, address,
			v)
	}
	config.Book, config.Sink, config.Paces = booking.New(runner, nil), m, paces
	config.Book.Survey.Source, config.Browser = m, m.Browser
	if past {
		config.Past = m
	}
	c, err := crawl.New(config)
	if err != nil {
		t.Fatal(err)
	}
	return &Run{c, config.Book}
}

// Config is what a crawl on this machine needs besides its book and its sink.
func Config(t testing.TB, start string, p plan.Plan, secrets map[string]string) crawl.Config {
	t.Helper()
	u, err := weburl.Parse(start)
	if err != nil {
		t.Fatal(err)
	}
	p = p.WithDefaults()
	settings, err := gear.Settings(p, u, Loopback, secrets)
	if err != nil {
		t.Fatal(err)
	}
	read := ReadPDF
	if n := networkOf(t); n != nil {
		settings.Network, read = n, n.documents.Read
	}
	client, err := fetch.New(settings)
	if err != nil {
		t.Fatal(err)
	}
	return crawl.Config{Plan: p, Start: u, Fetcher: client, ReadPDF: read, Log: Quiet}
}

// Harvest runs a crawl to its end; what it brought is not judged.
func Harvest(t testing.TB, config crawl.Config) (*crawl.Crawl, *booking.Harvest) {
	t.Helper()
	c, err := crawl.New(config)
	if err != nil {
		t.Fatal(err)
	}
	harvest, err := c.Run(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return c, harvest
}

// Crawl crawls from a start address and judges, all in memory.
func Crawl(t testing.TB, start string, p plan.Plan) (*booking.Result, *Memory) {
	t.Helper()
	m := new(Memory)
	return m.Crawl(t, start, p), m
}

// Crawl crawls and judges.
func (m *Memory) Crawl(t testing.TB, start string, p plan.Plan) *booking.Result {
	t.Helper()
	r, err := m.Prepare(t, start, p, false).Run(t.Context())
	if err != nil {
		t.Fatalf("crawling %s: %v", start, err)
	}
	m.Findings = append(m.Findings, r.Findings...)
	return r
}

// Stored is the crawl of a result as it can be judged anew.
func (m *Memory) Stored(t testing.TB, start string, p plan.Plan, r *booking.Result) *booking.Stored {
	t.Helper()
	u, err := weburl.Parse(start)
	if err != nil {
		t.Fatal(err)
	}
	_, files, _, err := m.Start(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return &booking.Stored{
		Plan: p.WithDefaults(), Start: u, Ending: r.Ending, Addresses: r.Survey.Addresses, Weights: r.Survey.Weights,
		Size:   r.Survey.Size,
		Probes: r.Survey.Probes, Traps: r.Survey.Traps, Files: files, Source: m,
		Body: func(address string) ([]byte, error) { return m.Body(t.Context(), address) },
		Records: func(f func(*booking.Record) error) error {
			for i := range m.Records {
				one := m.Records[i]
				one.Findings = nil
				if err := f(&one); err != nil {
					return err
				}
			}
			return nil
		},
	}
}
