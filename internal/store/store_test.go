package store_test

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"harvik/internal/core/booking"
	"harvik/internal/core/column"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/core/survey"
	"harvik/internal/core/waive"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// TestMigrateMembers brings a database of 0.4 up to date: the pages of a fix, and evidence, are what they
// were, and so they are after the way back and up again.
func TestMigrateMembers(t *testing.T) {
	address := testkit.Database(t)
	db, err := sql.Open("pgx", address)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	steps, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := steps.UpTo(t.Context(), 4); err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{
		`insert into site (name, home) values ('fernhollow', 'https://fernhollow.example/')`,
		`insert into crawl (site_id, number, state, plan, catalogue) values (1, 1, 'finished', '{}', 1)`,
		`insert into address (crawl_id, id, url, hash, found_on, depth, state, in_sitemap, rule_line, rule_text)
			select 1, i, 'https://fernhollow.example/' || i, i, -1, 0, 'fetched', false, 0, '' from generate_series(0, 9) i`,
		`insert into page (crawl_id, id, status, outcome, type, bytes, first_byte, html, indexable, kind, words, title, description, h1, lang, facts, links, main_text, text_hash)
			select 1, i, 200, 'ok', 'text/html', 1, 1, true, true, '', 3, 't', '', '', 'en', '', '', 'fern and moss', 7 from generate_series(0, 9) i`,
		`insert into fix (crawl_id, id, rank, severity, section, check_id, body) values (1, 'abcdefgh', 1, 0, 'links', 'link-broken-inside', '{}')`,
		`insert into fix_page (crawl_id, fix_id, page_id, places) values (1, 'abcdefgh', 7, 2), (1, 'abcdefgh', 3, 1)`,
		`insert into finding (crawl_id, page_id, check_id, count, places) select 1, i, 'link-broken-inside', 1, '[{"note": "dead “é” \u2028"}]' from generate_series(0, 9) i`,
	} {
		if _, err := db.ExecContext(t.Context(), q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	check := func() {
		t.Helper()
		s, err := store.Open(t.Context(), address) // which migrates
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		pages, err := s.FixPages(t.Context(), 1, fixlist.Fix{ID: "abcdefgh", Check: "link-broken-inside"}, "", 10)
		if err != nil || len(pages) != 2 || pages[0].Address != "https://fernhollow.example/3" ||
			pages[1].Address != "https://fernhollow.example/7" {
			t.Fatalf("pages %+v (%v)", pages, err)
		}
		if p := pages[0].Places; len(p) != 1 || p[0].Note != "dead “é” \u2028" {
			t.Errorf("places %+v", p)
		}
		texts, err := s.Texts(t.Context(), 1, nil)
		if err != nil || len(texts) != 0 {
			t.Errorf("%v, %v", texts, err)
		}
		sides, _, err := s.DriftPages(t.Context(), 1)
		if p := sides["https://fernhollow.example/3"]; err != nil || len(sides) != 10 || p.TextHash != 0 ||
			p.Title != "t" {
			t.Errorf("%d pages, %+v (%v)", len(sides), p, err)
		}
	}
	check()
	if _, err := steps.DownTo(t.Context(), 4); err != nil {
		t.Fatal(err)
	}
	var places int
	if err := db.QueryRowContext(t.Context(),
		"select sum(places) from fix_page where fix_id = 'abcdefgh'").Scan(&places); err != nil || places != 2 {
		t.Errorf("%d places after the way back (%v)", places, err)
	}
	check()
}

// stored makes a crawl of pages with random properties.
func stored(t *testing.T, n int, r *rand.Rand) (*store.Store, int64, []column.Row) {
	t.Helper()
	s := testkit.Store(t)
	id, rows := storedIn(t, s, n, r)
	return s, id, rows
}

// begun takes a site under care and begins a crawl of it.
func begun(t *testing.T, s *store.Store) record.Crawl {
	t.Helper()
	if err := s.AddSite(t.Context(), "fernhollow", "https://fernhollow.example/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	return rec
}

func storedIn(t *testing.T, s *store.Store, n int, r *rand.Rand) (int64, []column.Row) {
	t.Helper()
	rec := begun(t, s)
	var b record.Batch
	var rows []column.Row
	words := strings.Fields("fern Fern moss % _ \\ é Æ ' \" 日")
	for i := range n {
		row := column.Row{
			Address: fmt.Sprintf("https://fernhollow.example/%s/%d",
				[]string{"plants", "Plants", "shop", "a_b", "é"}[r.IntN(5)], r.IntN(10*n)*10+i%10),
			Status: []int{0, 200, 200, 200, 301, 404, 404, 503}[r.IntN(8)], Bytes: r.IntN(5) * 1000,
			Words: r.IntN(6) * 10,
			Title: words[r.IntN(len(words))] + " " + words[r.IntN(len(words))], FirstByte: r.IntN(3),
		}
		if slices.ContainsFunc(rows, func(o column.Row) bool { return o.Address == row.Address }) {
			row.Address += strconv.Itoa(i) + "x"
		}
		f := &page.Facts{Version: page.Version, Address: row.Address, Outcome: page.Answered, Status: row.Status,
			Bytes: row.Bytes, Timing: page.Timing{FirstByte: row.FirstByte}}
		if row.Status == 200 {
			f.Document = &page.Document{Words: row.Words, Titles: []page.Text{{Text: row.Title, InHead: true}}}
		} else {
			row.Words, row.Title = 0, ""
		}
		rows = append(rows, row)
		b.Addresses = append(b.Addresses, survey.Address{URL: row.Address, FoundOn: -1, State: survey.Fetched})
		b.Records = append(b.Records, booking.Record{ID: int32(i), Facts: f})
	}
	if err := s.Sink(rec).Save(t.Context(), b); err != nil {
		t.Fatal(err)
	}
	return rec.ID, rows
}

// TestSortable: whatever is shown of a page it can be sorted by.
func TestSortable(t *testing.T) {
	for _, c := range column.All {
		if _, err := asking(&query.Filter{Sort: c.Key}, 5); err != nil {
			t.Errorf("pages cannot be sorted by %s: %v", c.Key, err)
		}
	}
}

// asking is a filter as a question.
func asking(f *query.Filter, limit int) (a record.Asking, err error) {
	view, err := f.View(nil)
	if err == nil {
		a.Asked, err = view.Understand()
	}
	a.Limit = limit
	return a, err
}

// TestPagesPlainly: lists in parts, by whatever they are sorted and narrowed, are what sorting and looking
// at each row by hand gives: nothing twice, nothing left out.
func TestPagesPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 27))
	s, id, rows := stored(t, 300, r)
	pages := query.TableOf("pages")
	for i := range rows {
		rows[i].HTML = rows[i].Status == 200
	}
	facts := testkit.Facts(pages, rows)
	for round := range 60 {
		var q query.Filter
		key := []string{"status", "words", "bytes", "firstByte", "clicks", ""}[r.IntN(6)]
		falling := key != "" && r.IntN(2) == 0
		if q.Sort = key; falling {
			q.Sort = "-" + key
		}
		q.Search = []string{"", "", "FERN", "%", "_", `\`, "é", "'"}[r.IntN(8)]
		q.Status = []string{"", "", "404", "4xx", "none", "200"}[r.IntN(6)]
		var want []string
		order := make([]int, len(rows))
		for i := range order {
			order[i] = i
		}
		slices.SortFunc(order, func(a, b int) int {
			compare := query.Compare
			if falling {
				compare = query.CompareFalling
			}
			if key == "" {
				return cmp.Compare(a, b)
			}
			at := pages.Fact(key)
			return cmp.Or(compare(facts[a][at], facts[b][at]), cmp.Compare(a, b))
		})
		for _, i := range order {
			p := rows[i]
			found := strings.Contains(strings.ToLower(p.Address), strings.ToLower(q.Search)) ||
				strings.Contains(strings.ToLower(p.Title), strings.ToLower(q.Search))
			status := map[string]bool{"": true, "404": p.Status == 404, "4xx": p.Status/100 == 4, "none": p.Status == 0,
				"200": p.Status == 200}[q.Status]
			if found && status {
				want = append(want, p.Address)
			}
		}
		asked, err := asking(&q, 1+r.IntN(90))
		if err != nil {
			t.Fatalf("%+v: %v", q, err)
		}
		if got := walk(t, s, id, asked); !slices.Equal(got, want) {
			t.Fatalf("round %d, %+v:\n%d rows %.200q\nwant\n%d rows %.200q", round, q, len(got), got, len(want), want)
		}
	}
}

// TestAskedPlainly asks questions of a crawl that is not judged yet, whose words are hard on databases.
func TestAskedPlainly(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 29))
	s, id, rows := stored(t, 200, r)
	for i := range rows {
		rows[i].HTML, rows[i].Role, rows[i].FoundBy = rows[i].Status == 200, "page", "link"
		rows[i].Outcome, rows[i].Indexable = string(page.Answered), rows[i].HTML
	}
	pages := query.TableOf("pages")
	facts := []string{
		"address",
		"status",
		"bytes",
		"words",
		"title",
		"firstByte",
		"clicks",
		"linksIn",
		"section",
		"path",
		"health",
	}
	narrow := query.NewTable("pages", "page", "", nil)
	for _, name := range facts {
		narrow = query.NewTable("pages", "page", "", append(narrow.Facts, pages.Facts[pages.Fact(name)]))
	}
	q := &testkit.Questioner{
		Rand:  r,
		Table: narrow,
		Rows:  testkit.Facts(narrow, rows),
		Tells: []query.Pick{{Fact: narrow.Fact("address")}},
	}
	q.AskBothWays(t, s, id, 1, 300)
}

// walk reads a list part by part.
func walk(t *testing.T, s *store.Store, id int64, q record.Asking) (out []string) {
	t.Helper()
	total := -1
	for {
		list, err := s.Pages(context.WithoutCancel(t.Context()), id, q)
		if err != nil {
			t.Fatalf("%s: %v", q.Question.Text, err)
		}
		if total < 0 {
			total = list.Total
		}
		for _, p := range list.Pages {
			out = append(out, p.Address)
		}
		if list.Next == "" {
			break
		}
		if q.Skip, err = strconv.Atoi(list.Next); err != nil {
			t.Fatal(err)
		}
	}
	if total != len(out) {
		t.Errorf("%s: %d rows, said to be %d", q.Question.Text, len(out), total)
	}
	return out
}

// opened is an empty store, and its database as it is.
func opened(t testing.TB) (*store.Store, *sql.DB) {
	t.Helper()
	database := testkit.Tables(t)
	s := testkit.Open(t, database)
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return s, db
}

// rowsOf counts what all tables hold of a crawl.
func rowsOf(t *testing.T, db *sql.DB, crawl int64) (sum int) {
	t.Helper()
	tables, err := db.QueryContext(t.Context(),
		"select table_name from information_schema.columns where column_name = 'crawl_id' and table_schema = 'public'")
	if err != nil {
		t.Fatal(err)
	}
	defer tables.Close()
	for tables.Next() {
		var name string
		var n int
		if err := tables.Scan(&name); err != nil {
			t.Fatal(err)
		}
		if err := db.QueryRowContext(t.Context(), "select count(*) from "+name+" where crawl_id = $1",
			crawl).Scan(&n); err != nil {
			t.Fatal(err)
		}
		sum += n
	}
	return sum
}

// TestWeighedAtOnce: two crawls of a site that note what its waivers cover do not wait for each other.
func TestWeighedAtOnce(t *testing.T) {
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "fernhollow", "https://fernhollow.example/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	w := record.Weighing{Signature: "weighed", Matches: map[int64]record.Matched{}}
	for i := range 40 {
		id, err := s.AddWaiver(t.Context(), site.ID,
			record.Waiver{Scope: waive.Page, On: fmt.Sprintf("https://fernhollow.example/%d", i),
				Reason: "for the test"})
		if err != nil {
			t.Fatal(err)
		}
		w.Matches[id] = record.Matched{Findings: i, Pages: 1}
	}
	var crawls []int64
	for range 2 {
		rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), "update crawl set state = 'finished' where id = $1",
			rec.ID); err != nil {
			t.Fatal(err)
		}
		crawls = append(crawls, rec.ID)
	}
	var wg sync.WaitGroup
	for _, id := range crawls {
		wg.Go(func() {
			for range 30 {
				if err := s.Reweigh(t.Context(), id, new(fixlist.Report), w); err != nil {
					t.Errorf("weighing crawl %d: %v", id, err)
					return
				}
			}
		})
	}
	wg.Wait()
	all, err := s.Waivers(t.Context(), site.ID)
	if err != nil || len(all) != 40 || all[0].Findings+all[39].Findings != 39 {
		t.Errorf("%d waivers, the first covers %+v (%v)", len(all), all[0], err)
	}
}

// TestRemoveCrawl: a crawl goes with every row that is its own, its number is not given again, and one that runs
// stays. A site has one that runs at most.
func TestRemoveCrawl(t *testing.T) {
	s, db := opened(t)
	id, _ := storedIn(t, s, 30, rand.New(rand.NewPCG(1, 2)))
	if n := rowsOf(t, db, id); n < 60 {
		t.Fatalf("the crawl has %d rows", n)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1); !errors.Is(err, record.ErrExists) {
		t.Errorf("a second crawl that runs: %v", err)
	}
	if err := s.RemoveCrawl(t.Context(), id); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("removing one that runs: %v", err)
	}
	if err := s.PauseCrawl(t.Context(), record.Crawl{ID: id}, "for the test", ""); err != nil {
		t.Fatal(err)
	}
	second, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
	if err != nil || second.Number != 2 {
		t.Fatalf("crawl %d (%v), want 2: what was refused takes no number", second.Number, err)
	}
	if _, err := s.ResumeCrawl(t.Context(), id); !errors.Is(err, record.ErrExists) {
		t.Errorf("resuming one while another runs: %v", err)
	}
	if err := s.FailCrawl(t.Context(), second, "for the test"); err != nil {
		t.Fatal(err)
	}
	for _, one := range []int64{id, second.ID} {
		if err := s.RemoveCrawl(t.Context(), one); err != nil {
			t.Fatalf("removing crawl %d: %v", one, err)
		}
	}
	third, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
	if err != nil || third.Number != 3 {
		t.Fatalf("crawl %d (%v), want 3", third.Number, err)
	}
	if err := s.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, one := range []int64{id, second.ID} {
		if n := rowsOf(t, db, one); n != 0 {
			t.Errorf("%d rows are left of crawl %d", n, one)
		}
		if n := partsOf(t, db, one); n != 0 {
			t.Errorf("%d parts are left of crawl %d", n, one)
		}
	}
	if n := partsOf(t, db, third.ID); n != 11 {
		t.Errorf("crawl 3 has %d parts, want 11", n)
	}
}

// TestRetain: of a site that keeps two crawls older ones go, with what they found, but for one that is marked, one that
// is put away and those of other sites; failed ones keep no place.
func TestRetain(t *testing.T) {
	s, db := opened(t)
	if err := s.AddSite(t.Context(), "beds", "http://beds.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	other, err := s.Site(t.Context(), "beds")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	made := func(site record.Site, state string) record.Crawl {
		t.Helper()
		rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), "update crawl set state = $2 where id = $1", rec.ID,
			state); err != nil {
			t.Fatal(err)
		}
		return rec
	}
	for range 4 {
		made(other, "finished")
	}
	oldest := made(site, "finished")
	marked := made(site, "finished")
	if err := s.MarkCrawl(t.Context(), marked.ID, true); err != nil {
		t.Fatal(err)
	}
	for _, state := range []string{"failed", "paused", "finished", "failed", "finished"} {
		made(site, state)
	}
	if gone, err := s.Retain(t.Context(), site.ID); err != nil || len(gone) != 0 {
		t.Errorf("a site that keeps all loses %v, %v", gone, err)
	}
	if err := s.SetKeep(t.Context(), site.ID, record.Retention{Crawls: 2}); err != nil {
		t.Fatal(err)
	}
	for _, want := range [][]int{{1, 3}, nil} {
		if gone, err := s.Retain(t.Context(), site.ID); err != nil || !slices.Equal(gone, want) {
			t.Errorf("gone are %v, want %v; %v", gone, want, err)
		}
	}
	if err := s.Sweep(t.Context()); err != nil || partsOf(t, db, oldest.ID) != 0 || partsOf(t, db, marked.ID) == 0 {
		t.Errorf("the oldest has %d parts, the marked one %d; %v", partsOf(t, db, oldest.ID), partsOf(t, db, marked.ID),
			err)
	}
	if err := s.MarkCrawl(t.Context(), marked.ID, false); err != nil {
		t.Fatal(err)
	}
	if gone, err := s.Retain(t.Context(), site.ID); err != nil || !slices.Equal(gone, []int{2}) {
		t.Errorf("without its mark, gone are %v; %v", gone, err)
	}
	if left, err := s.Crawls(t.Context(), other, 0, 10); err != nil || len(left) != 4 {
		t.Errorf("another site has %d of 4 crawls, %v", len(left), err)
	}
	if site, err = s.Site(t.Context(), "fernhollow"); err != nil || site.Keep.Crawls != 2 {
		t.Errorf("the site keeps %+v; %v", site.Keep, err)
	}
}

// partsOf counts the tables that are a crawl's own.
func partsOf(t *testing.T, db *sql.DB, crawl int64) (n int) {
	t.Helper()
	if err := db.QueryRowContext(t.Context(),
		"select count(*) from pg_class where relkind = 'r' and relname ~ ('_' || $1::bigint || '$')", crawl).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}
