package store_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// TestOlderGoesOn: a crawl that an earlier Harvik began, which kept what is long of a page with it, can be read and
// goes on: what it had and what comes are read alike. So is a crawl that is opened again for more, whose files go and
// come.
func TestOlderGoesOn(t *testing.T) {
	ctx, database := t.Context(), testkit.Tables(t)
	s := testkit.Open(t, database)
	rec := begun(t, s)
	address := func(i int) string { return fmt.Sprintf("https://fernhollow.example/%d", i) }
	batch := func(from, to int) (b record.Batch) {
		b.First = int32(from)
		for i := from; i < to; i++ {
			d := &page.Document{Words: 3, MainText: fmt.Sprintf("bed %d with “ferns”", i),
				Titles: []page.Text{{Text: fmt.Sprint("Bed ", i), InHead: true}},
				Links:  []page.Link{{Address: address(0), Words: fmt.Sprint("home from ", i)}}}
			b.Addresses = append(b.Addresses, survey.Address{URL: address(i), FoundOn: -1, State: survey.Fetched})
			r := booking.Record{ID: int32(i), Links: []int32{0}, Facts: &page.Facts{Version: page.Version,
				Address: address(i), Outcome: page.Answered, Status: 200, Document: d}}
			if i%3 == 2 { // an image
				r.Role, r.Links, r.Facts.Document = page.AsImage, nil, nil
			}
			b.Records = append(b.Records, r)
		}
		return b
	}
	old := batch(0, 70)
	if err := s.Sink(rec).Save(ctx, old); err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	execute := func(sql string, args ...any) {
		t.Helper()
		if _, err := conn.Exec(ctx, sql, args...); err != nil {
			t.Fatalf("%s: %v", sql, err)
		}
	}
	for _, table := range []string{"document", "failing", "evidence"} {
		part := fmt.Sprint(table, "_", rec.ID)
		execute("alter table " + table + " detach partition " + part)
		execute("drop table " + part)
	}
	execute("delete from dictionary")
	execute(fmt.Sprintf("create table finding_%[1]d partition of finding for values in (%[1]d)", rec.ID))
	execute(`insert into finding (crawl_id, page_id, check_id, severity, count, places, whole)
		select $1, i, c, nullif(i % 4, 3), 3, json_build_array(json_build_object('Note', c || ' of bed ' || i, 'Line', i)), c = 'link-few-in'
		from generate_series(0, 69) i, unnest(array['title-short', 'link-vague', 'link-few-in']) c`, rec.ID)
	failing := func(want ...string) {
		t.Helper()
		var got []string
		err := s.EachFinding(ctx, rec.ID, nil, func(f *record.PageFinding) error {
			if f.Page == 11 {
				got = append(got, fmt.Sprintf("%s %d of %d line %d %v", f.Places[0].Note, len(f.Places), f.Count, f.Places[0].Line, f.Severity))
			}
			return nil
		})
		if err != nil || !slices.Equal(got, want) {
			t.Errorf("what fails on page 11 is %q, not %q (%v)", got, want, err)
		}
	}
	failing("link-few-in of bed 11 1 of 3 line 11 <nil>", "link-vague of bed 11 1 of 3 line 11 <nil>",
		"title-short of bed 11 1 of 3 line 11 <nil>")
	for _, r := range old.Records {
		facts, links, main, err := store.Raw(r)
		if err != nil {
			t.Fatal(err)
		}
		execute("update page set facts = $2, links = $3, main_text = $4 where id = $1", r.ID, facts, links, string(main))
	}
	s = testkit.Open(t, database) // as after an update

	read := func(n int) {
		t.Helper()
		var ids []int32
		for i := range n {
			ids = append(ids, int32(i))
		}
		texts, words := map[int32]string{}, map[int32]string{}
		source := s.Source(ctx, rec.ID, func(id int32) string { return address(int(id)) })
		err := errors.Join(source.EachText(ids, func(id int32, main string) { texts[id] = main }),
			source.EachLinks(ids, func(id int32, links []page.Link, _ []int32) {
				if len(links) == 1 {
					words[id] = links[0].Words + " to " + links[0].Address
				}
			}))
		if err != nil {
			t.Fatal(err)
		}
		for i := range n {
			text, link := fmt.Sprintf("bed %d with “ferns”", i), fmt.Sprintf("home from %d to %s", i, address(0))
			if i%3 == 2 {
				text, link = "", ""
			}
			if id := int32(i); texts[id] != text || words[id] != link {
				t.Fatalf("page %d of %d: %q, %q", i, n, texts[id], words[id])
			}
		}
	}
	read(70)
	for _, to := range []int{80, 90} { // the second by a service that was started anew
		if err := s.Sink(rec).Save(ctx, batch(to-10, to)); err != nil {
			t.Fatal(err)
		}
		read(to)
		s = testkit.Open(t, database)
		// What was found on the whole site is found anew.
		failing("link-vague of bed 11 1 of 3 line 11 <nil>", "title-short of bed 11 1 of 3 line 11 <nil>")
	}

	if err := s.Reopen(ctx, rec.ID, plan.Plan{}.WithDefaults()); err != nil {
		t.Fatal(err)
	}
	if err := s.Sink(rec).Save(ctx, batch(80, 90)); !errors.Is(err, record.ErrLost) {
		t.Errorf("who had it before it was taken up again still writes: %v", err)
	}
	rec.Epoch++
	again := batch(0, 90)
	again.Addresses, again.First = nil, 90
	again.Records = slices.DeleteFunc(again.Records, func(r booking.Record) bool { return r.Role == page.AsPage })
	if err := s.Sink(rec).Save(ctx, again); err != nil {
		t.Fatalf("fetching again what is no page: %v", err)
	}
	read(90)
	if err := s.Reopen(ctx, rec.ID+1, plan.Plan{}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a crawl that is not there: %v", err)
	}
}
