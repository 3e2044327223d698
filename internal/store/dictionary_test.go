package store_test

import (
	"database/sql"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"harvik/internal/core/booking"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// TestPacked: what is long of pages is packed beside samples of the crawl's own pages, also where the crawl was cut off
// meanwhile, and comes back as it was; what an earlier Harvik kept as it is, too; and what is damaged is an error.
func TestPacked(t *testing.T) {
	address := testkit.Tables(t)
	s := testkit.Open(t, address)
	rec := begun(t, s)
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 150, Seed: 4}) + "/"
	result, memory := testkit.Crawl(t, home, plan.Plan{})
	kept := map[int32]*booking.Record{}
	for i := range memory.Records {
		kept[memory.Records[i].ID] = &memory.Records[i]
	}
	at, first := 0, true
	for _, n := range []int{1, 30, 60, len(memory.Records)} {
		b := record.Batch{Seq: at, Records: memory.Records[at:min(at+n, len(memory.Records))]}
		if first {
			b.Addresses, first = result.Survey.Addresses, false
		}
		at += len(b.Records)
		sink := s.Sink(rec) // as after a cut
		if err := sink.Save(t.Context(), b); err != nil {
			t.Fatal(err)
		}
		if n == 30 {
			if err := sink.Save(t.Context(), record.Batch{Seq: at}); err != nil {
				t.Fatalf("an empty batch: %v", err)
			}
		}
	}
	var names []string
	for _, a := range result.Survey.Addresses {
		names = append(names, a.URL)
	}
	read := func() error {
		n := 0
		err := s.Past(rec).EachRecord(t.Context(), names, func(r *booking.Record) error {
			n++
			if want := kept[r.ID]; !reflect.DeepEqual(r.Facts, want.Facts) || !reflect.DeepEqual(r.Links, want.Links) {
				return fmt.Errorf("page %d comes back as\n%+v\nwas\n%+v", r.ID, r.Facts, want.Facts)
			}
			return nil
		})
		if err == nil && n != len(kept) {
			err = fmt.Errorf("%d pages of %d come back", n, len(kept))
		}
		return err
	}
	if err := read(); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("pgx", address)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	number := func(query string) (n int) {
		t.Helper()
		if err := db.QueryRowContext(t.Context(), query).Scan(&n); err != nil {
			t.Fatalf("%s: %v", query, err)
		}
		return n
	}
	do := func(query string) {
		t.Helper()
		if _, err := db.ExecContext(t.Context(), query); err != nil {
			t.Fatalf("%s: %v", query, err)
		}
	}
	if n := number("select count(*) from dictionary"); n != 2 {
		t.Errorf("%d dictionaries after 1 and after 60 pages", n)
	}
	plain := 0
	for _, r := range kept {
		if r.Facts.Document != nil {
			plain += len(r.Facts.Document.MainText)
		}
	}
	if n := number("select sum(octet_length(main)) from document"); n <= 0 || 2*n > plain {
		t.Errorf("texts of %d bytes take %d", plain, n)
	}
	page := memory.Records[len(memory.Records)-1]
	url := page.Facts.Address
	texts, err := s.Texts(t.Context(), rec.ID, []string{url})
	if err != nil || page.Facts.Document != nil && texts[url] != page.Facts.Document.MainText {
		t.Errorf("the text of %s is %.60q (%v)", url, texts[url], err)
	}
	do("update document set facts = substring(facts from 1 for 40) where id = 3")
	if err := read(); err == nil || !strings.Contains(err.Error(), "page 3: what was stored is damaged") {
		t.Errorf("damaged facts: %v", err)
	}
	do(fmt.Sprintf("drop table document_%d", rec.ID))
	do(fmt.Sprintf("update page set main_text = 'Fern and moss' where id = %d", page.ID))
	before := testkit.Open(t, address)
	if texts, err = before.Texts(t.Context(), rec.ID, []string{url}); err != nil || texts[url] != "Fern and moss" {
		t.Errorf("a text as it was kept before is %.60q (%v)", texts[url], err)
	}
	if err := s.FailCrawl(t.Context(), rec, "it was cut"); err != nil {
		t.Fatal(err)
	}
	if err := s.RemoveCrawl(t.Context(), rec.ID); err != nil {
		t.Fatal(err)
	}
	if n := number("select count(*) from dictionary"); n != 0 {
		t.Errorf("%d dictionaries of a crawl that is gone", n)
	}
}
