package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/klauspost/compress/s2"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/record"
	"harvik/internal/store"
)

// keeping is a store with a crawl that keeps the source of its pages.
type keeping struct {
	*store.Store
	rec  record.Crawl
	db   *sql.DB
	sink record.Sink
	seq  int
}

func newKeeping(t *testing.T, p plan.Plan) *keeping {
	t.Helper()
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "https://fernhollow.example/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	rec, err := s.StartCrawl(t.Context(), site, p.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	return &keeping{Store: s, rec: rec, db: db, sink: s.Sink(rec)}
}

// save stores pages of some sources, "" for one without.
func (k *keeping) save(t *testing.T, sources ...string) {
	t.Helper()
	b := record.Batch{First: int32(k.seq), Seq: k.seq}
	for i, source := range sources {
		address := fmt.Sprintf("https://fernhollow.example/%d", k.seq+i)
		r := booking.Record{
			ID: int32(k.seq + i),
			Facts: &page.Facts{Version: page.Oldest - 1, Address: address, Status: 200,
				Outcome: page.Answered, Bytes: len(source), Document: &page.Document{Charset: "utf-8"}},
		}
		if source != "" {
			r.Source = s2.Encode(nil, []byte(source))
		}
		b.Addresses = append(b.Addresses, survey.Address{URL: address, FoundOn: -1, State: survey.Fetched})
		b.Records = append(b.Records, r)
	}
	k.seq += len(sources)
	if err := k.sink.Save(t.Context(), b); err != nil {
		t.Fatal(err)
	}
}

// read gives the source of pages, "" where none is kept.
func (k *keeping) read(t *testing.T) []string {
	t.Helper()
	out, ids := make([]string, k.seq), make([]int32, k.seq)
	for i := range ids {
		ids[i] = int32(i)
	}
	if err := k.EachSource(t.Context(), k.rec.ID, ids, func(p record.KeptPage) error {
		out[p.ID] = string(p.Body)
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

func (k *keeping) count(t *testing.T, query string) (n int) {
	t.Helper()
	if err := k.db.QueryRowContext(t.Context(), query).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// TestKeeping keeps the source of pages, equal ones once, also of a crawl that was cut off and of one that is packed
// once it has ended; and lets it go when it is old.
func TestKeeping(t *testing.T) {
	k := newKeeping(t, plan.Plan{Keep: plan.Keep{Days: 3}})
	var many strings.Builder
	for i := range 100_000 {
		fmt.Fprintf(&many, "<p class=fern><a href=/plants/%d>Fern %d</a></p>\n", i*7919%100_003, i)
	}
	big := many.String()
	want := []string{"<p>One", "", "<p>Two é", "<p>One", big, "<p>Three", "<p>One", "\xff\x00"}
	k.save(t, want[:5]...)
	k.sink = k.Sink(k.rec) // another run goes on
	k.save(t, want[5:]...)
	check := func() {
		t.Helper()
		for i, got := range k.read(t) {
			if got != want[i] {
				t.Errorf("page %d has %.40q, want %.40q", i, got, want[i])
			}
		}
	}
	check()
	if n := k.count(t, "select count(distinct source) from document where source is not null"); n != 6 {
		t.Errorf("%d sources are kept of 5 that differ, one of them again by the run that went on", n)
	}
	loose := k.count(t, "select sum(length(pages)) from source where loose")
	if err := k.PackSources(t.Context()); err != nil || k.count(t, "select count(*) from source where loose") == 0 {
		t.Errorf("a running crawl is packed (%v)", err)
	}
	if _, err := k.db.ExecContext(t.Context(), "update crawl set state = 'finished', finished = now() - interval '2 days'"); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if err := k.PackSources(t.Context()); err != nil || k.count(t, "select count(*) from source where loose") != 0 {
			t.Errorf("not packed (%v)", err)
		}
	}
	if n := k.count(t, "select sum(length(pages)) from source"); n*3 > 2*loose {
		t.Errorf("packed it takes %d bytes, and loose %d", n, loose)
	}
	check()
	if err := k.DropSources(t.Context()); err != nil {
		t.Fatal(err)
	}
	check()
	if _, err := k.db.ExecContext(t.Context(), "update crawl set finished = now() - interval '4 days'"); err != nil {
		t.Fatal(err)
	}
	if err := k.DropSources(t.Context()); err != nil {
		t.Fatal(err)
	}
	for i, got := range k.read(t) {
		if got != "" {
			t.Errorf("page %d has its source still", i)
		}
	}
	if _, err := k.Reread(t.Context(), k.rec, nil); err == nil || !strings.Contains(err.Error(), "keeps no source") {
		t.Errorf("read anew without source: %v", err)
	}
}

// TestKeepingBounded keeps no more than the plan allows, also when a run goes on.
func TestKeepingBounded(t *testing.T) {
	k := newKeeping(t, plan.Plan{Keep: plan.Keep{Megabytes: 1}})
	noise := func(n int) string {
		var b strings.Builder
		for b.Len() < 600_000 {
			fmt.Fprintf(&b, "%d", n*7919*b.Len()%1_000_003)
		}
		return b.String()
	}
	for i := range 6 {
		k.save(t, noise(i+1), "<p>small")
		k.sink = k.Sink(k.rec)
	}
	kept := 0
	for _, s := range k.read(t) {
		if s != "" {
			kept++
		}
	}
	if size := k.count(t, "select sum(length(pages)) from source"); kept < 3 || kept == k.seq || size > 2<<20 {
		t.Errorf("%d of %d pages are kept, in %d bytes", kept, k.seq, size)
	}
}

// TestKeepingDamaged: what the disk spoils is told, and ends nothing.
func TestKeepingDamaged(t *testing.T) {
	for _, spoil := range []string{"'\\x'", "'\\x05'", "substring(pages, 1, 3)", "'\\x01ffffff0f'"} {
		for _, loose := range []bool{true, false} {
			k := newKeeping(t, plan.Plan{})
			k.save(t, "<p>One", "<p>Two")
			if _, err := k.db.ExecContext(t.Context(), fmt.Sprintf("update source set pages = %s::bytea, loose = %v", spoil, loose)); err != nil {
				t.Fatal(err)
			}
			each := func(record.KeptPage) error { return nil }
			if err := k.EachSource(t.Context(), k.rec.ID, []int32{0, 1}, each); err == nil {
				t.Errorf("%s, loose %v: nothing is told", spoil, loose)
			}
		}
	}
}

// TestReread puts what is read anew in the place of what was stored, all of it or nothing; what is not kept stays.
func TestReread(t *testing.T) {
	k := newKeeping(t, plan.Plan{})
	k.save(t, "<p>One", "", "<p>Two")
	remake := func(old *page.Facts, source []byte) (*page.Facts, error) {
		f := *old
		f.Version = page.Version
		f.Document = &page.Document{Charset: "utf-8", Titles: []page.Text{{Text: string(source)}},
			Links: []page.Link{{Address: "https://fernhollow.example/1"}, {Address: "https://fernhollow.example/unknown"}}}
		return &f, nil
	}
	if _, err := k.Reread(t.Context(), k.rec, remake); err == nil {
		t.Error("a running crawl is read anew")
	}
	if _, err := k.db.ExecContext(t.Context(), "update crawl set state = 'finished', finished = now()"); err != nil {
		t.Fatal(err)
	}
	records := func() (out []*booking.Record) {
		t.Helper()
		addresses := []string{
			"https://fernhollow.example/0",
			"https://fernhollow.example/1",
			"https://fernhollow.example/2",
		}
		if err := k.Past(k.rec).EachRecord(t.Context(), addresses, func(r *booking.Record) error {
			out = append(out, r)
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	spoilt := errors.New("a mole ate it")
	if _, err := k.Reread(t.Context(), k.rec, func(old *page.Facts, source []byte) (*page.Facts, error) {
		if string(source) == "<p>Two" {
			return nil, spoilt
		}
		return remake(old, source)
	}); !errors.Is(err, spoilt) || records()[0].Facts.Version == page.Version {
		t.Errorf("what fails halfway leaves %+v (%v)", records()[0].Facts, err)
	}
	ended, end := context.WithCancel(t.Context())
	end()
	if _, err := k.Reread(ended, k.rec, remake); err == nil {
		t.Error("who has gone is served")
	}
	for range 2 { // the second time from the same source
		n, err := k.Reread(t.Context(), k.rec, remake)
		if err != nil || n != 2 {
			t.Fatalf("%d pages read anew (%v)", n, err)
		}
		got := records()
		if len(got) != 3 || got[0].Facts.Version != page.Version || got[0].Facts.Document.Title() != "<p>One" ||
			got[1].Facts.Version != page.Oldest-1 || got[2].Facts.Document.Title() != "<p>Two" {
			t.Fatalf("%+v", got)
		}
		if l := got[2].Links; len(l) != 2 || l[0] != 1 || l[1] != -1 {
			t.Errorf("links lead to %v", l)
		}
		if n := k.count(t, "select count(*) from page where title = '<p>Two' and links_out = 2"); n != 1 {
			t.Errorf("%d rows of what was read anew", n)
		}
	}
}
