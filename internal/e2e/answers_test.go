package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/testkit"
)

// Size of the crawl that BenchmarkAnswers asks about: so many pages crawled, and so many copies of them.
const answerPages, answerCopies = 1000, 100

// large runs a service with a crawl of 100,000 pages and some 10,000 fixes.
func large(b *testing.B) *harvik {
	b.Helper()
	h := startBeside(b, demo.New(demo.Summer))
	host := testkit.Serve(b, &testkit.Generated{Pages: answerPages, Seed: 5, Mixed: true})
	h.addSite(b, "large", "http://"+host+"/", plan.Plan{Pages: answerPages + 10})
	cr, err := h.StartCrawl(b.Context(), "large", api.NewCrawl{})
	if err == nil {
		cr, err = h.Watch(b.Context(), "large", api.Numbered(cr.Number), func(api.Progress) {})
	}
	if err != nil || cr.State != "finished" {
		b.Fatalf("%+v (%v)", cr, err)
	}
	multiply(b, h.database)
	var figures strings.Builder
	figures.WriteString("page,visits\n")
	for i := range answerCopies {
		fmt.Fprintf(&figures, "/?copy=%d,%d\n", i, i*i)
	}
	if _, err := h.ImportFigures(b.Context(), "large", &api.ImportFiguresParams{}, "text/csv",
		strings.NewReader(figures.String())); err != nil {
		b.Fatal(err)
	}
	return h
}

// asked is how often each question is asked for the time that 95 of 100 answers are there in.
const asked = 100

// BenchmarkAnswers asks the service about a large crawl as the console does. The time of each answer is that of a whole
// request; p95 is that of the 95th of a hundred.
func BenchmarkAnswers(b *testing.B) {
	h := large(b)
	at := "/sites/large/crawls/latest/"
	var fixes struct{ Fixes []struct{ ID string } }
	var pages struct{ Pages []struct{ Address string } }
	h.decode(b, at+"fixes?limit=1", &fixes)
	h.decode(b, at+"pages?limit=1", &pages) // the home page, which all link to
	fix, page := fixes.Fixes[0].ID, url.QueryEscape(pages.Pages[0].Address)
	for _, q := range []string{
		"fixes/" + fix, "fixes/" + fix + "/pages?limit=100", "page?address=" + page, "links-in?address=" + page, "layouts",
		"fixes?limit=500", "fixes?limit=500&order=quick", "fixes?limit=500&group=headings",
		"fixes?limit=500&state=open&search=title",
		"fixes?limit=500&after=5000", "fixes?limit=500&section=/", "pages?limit=200", "pages?limit=200&sort=-linksIn",
		"pages?limit=200&sort=title",
		"pages?limit=200&sort=-errors", "pages?limit=200&sort=-importance", "pages?limit=200&sort=-figures.visits",
		"pages?limit=200&having=visits>=100",
		"pages?limit=200&search=copy=77", "pages?limit=200&status=4xx", "pages?limit=200&check=title-long",
		"pages?limit=200&section=/", "map", "tally", "",
	} {
		path := strings.ReplaceAll(strings.TrimSuffix(at+q, "/"), ">", "%3E")
		name := strings.NewReplacer("?", " ", "&", " ", "limit=", "", "/", " ", fix, "FIX", page, "PAGE").Replace(q)
		b.Run(name, func(b *testing.B) { h.time(b, path, asked) })
	}
}

// time asks for an answer so many times over.
func (h *harvik) time(b *testing.B, path string, times int) {
	var took []time.Duration
	for b.Loop() {
		took = took[:0]
		for range times {
			begun := time.Now()
			h.wholly(b, path)
			took = append(took, time.Since(begun))
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[times/2].Microseconds())/1000, "p50-ms")
	b.ReportMetric(float64(took[times*95/100-1].Microseconds())/1000, "p95-ms")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkAsked asks questions of a large crawl: those of the documentation, and others.
func BenchmarkAsked(b *testing.B) {
	h := large(b)
	more := []query.View{
		{Of: "pages", Say: "all"}, {Of: "pages", Say: "all by title", Order: "title"},
		{Of: "pages", Say: "what only the core judges", Question: `words / (linksOut + 1) > 3`},
		{Of: "pages", Say: "a pattern", Question: `title.matches("(?i)[0-9]{2}")`},
		{Of: "pages", Say: "figures", Question: "figures.visits > 100", Order: "-bytes"},
		{Of: "pages", Say: "by layout", By: "layout", Measure: "words"},
		{Of: "links", Say: "all by region", By: "region"},
		{Of: "links", Say: "by title of the source", Question: `words.contains("a")`, By: "source.section"},
		{Of: "links", Say: "sorted by words", Question: `target.status == 200 && source.words > 100`, Order: "words"},
		{Of: "findings", Say: "all by check", By: "check"},
	}
	for _, e := range slices.Concat(query.Examples, query.Views, more) {
		q := url.Values{"limit": {"200"}, "of": {e.Of}, "question": {e.Question}, "order": {e.Order}, "by": {e.By},
			"measure": {e.Measure}, "columns": {strings.Join(e.Columns, ",")}}
		b.Run(e.Of+": "+e.Say, func(b *testing.B) { h.time(b, "/sites/large/crawls/latest/ask?"+q.Encode(), 20) })
	}
}

// wholly reads a whole answer.
func (h *harvik) wholly(b *testing.B, path string) {
	b.Helper()
	body := h.download(b, path).Body
	defer body.Close()
	if _, err := io.Copy(io.Discard, body); err != nil {
		b.Fatalf("%s: %v", path, err)
	}
}

func (h *harvik) decode(b *testing.B, path string, into any) {
	b.Helper()
	body := h.download(b, path).Body
	defer body.Close()
	if err := json.NewDecoder(body).Decode(into); err != nil {
		b.Fatalf("%s: %v", path, err)
	}
}

// download asks for a path of the API, whose answer is still to be read.
func (h *harvik) download(b *testing.B, path string) *http.Response {
	b.Helper()
	req, err := http.NewRequest(http.MethodGet, h.url+"/api/v1"+path, nil)
	if err != nil {
		b.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+h.token)
	resp, err := http.DefaultClient.Do(req)
	if err == nil && resp.StatusCode == http.StatusConflict { // more than it does at once
		told, _ := io.ReadAll(resp.Body)
		b.Skipf("refused: %s", told)
	}
	if err != nil || resp.StatusCode != http.StatusOK {
		b.Fatalf("%s: %v (%v)", path, resp, err)
	}
	return resp
}

// BenchmarkHandOver exports sheets of a large crawl, each as a whole request.
func BenchmarkHandOver(b *testing.B) {
	h := large(b)
	for _, q := range []string{
		"as=xlsx", "as=csv&sheets=fixes", "as=csv&sheets=pages", "as=csv&sheets=findings", "as=csv&sheets=links+in",
		"as=csv&sheets=every+link+in", "as=jsonl&sheets=pages", "as=jsonl&sheets=findings", "as=xlsx&sheets=pages",
		"as=parquet&sheets=pages", "as=parquet&sheets=findings",
	} {
		b.Run(strings.ReplaceAll(q, "&", " "), func(b *testing.B) {
			size, lines := 0, 0
			for b.Loop() {
				resp := h.download(b, "/sites/large/crawls/latest/export?"+q)
				var err error
				buf := make([]byte, 64<<10)
				for err == nil {
					var n int
					n, err = resp.Body.Read(buf)
					size += n
					lines += bytes.Count(buf[:n], []byte("\n"))
				}
				resp.Body.Close()
				if err != io.EOF {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(size)/float64(b.N)/1e6, "MB")
			if !strings.Contains(q, "xlsx") && !strings.Contains(q, "parquet") {
				b.ReportMetric(float64(lines)/b.Elapsed().Seconds(), "rows/s")
				b.ReportMetric(float64(lines)/float64(b.N), "rows")
			}
		})
	}
}

// multiply copies all that a crawl has stored of its pages, under other numbers and addresses.
func multiply(b *testing.B, database string) {
	b.Helper()
	db, err := pgx.Connect(b.Context(), database)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close(b.Context())
	var addresses, ranks int
	if err := db.QueryRow(b.Context(), "select max(id) + 1, (select max(rank) from fix) from address").Scan(&addresses,
		&ranks); err != nil {
		b.Fatal(err)
	}
	shift := fmt.Sprintf("%%s + n * %d", addresses)
	changed := map[string]map[string]string{
		"address":  {"id": fmt.Sprintf(shift, "id"), "url": "url || '?copy=' || n", "hash": "hash + n"},
		"page":     {"id": fmt.Sprintf(shift, "id")},
		"document": {"id": fmt.Sprintf(shift, "id")},
		"standing": {"page_id": fmt.Sprintf(shift, "page_id")},
		"failing":  {"page_id": fmt.Sprintf(shift, "page_id")},
		"fix": {"id": "id || n", "rank": fmt.Sprintf("rank + n * %d", ranks),
			"body": "jsonb_set(body, '{ID}', to_jsonb(id || n))",
			"pages": fmt.Sprintf("array(select case when p < 0 then p else %s end from unnest(pages) as p)",
				fmt.Sprintf(shift, "p"))},
	}
	for table, exprs := range changed {
		rows, err := db.Query(b.Context(),
			"select column_name from information_schema.columns where table_name = $1 order by ordinal_position", table)
		if err != nil {
			b.Fatal(err)
		}
		names, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			b.Fatal(err)
		}
		values := make([]string, len(names))
		for i, n := range names {
			values[i] = n
			if e := exprs[n]; e != "" {
				values[i] = e
			}
		}
		where := ""
		if exprs["page_id"] != "" {
			where = " where page_id >= 0"
		}
		if _, err := db.Exec(b.Context(),
			fmt.Sprintf("insert into %s (%s) select %s from %s, generate_series(1, %d) as n%s",
				table, strings.Join(names, ", "), strings.Join(values, ", "), table, answerCopies-1, where)); err != nil {
			b.Fatalf("%s: %v", table, err)
		}
	}
	// the last as after each crawl
	for _, sql := range []string{"update crawl set tally = null", "analyze", "vacuum page"} {
		if _, err := db.Exec(b.Context(), sql); err != nil {
			b.Fatal(err)
		}
	}
	if _, err := db.Exec(b.Context(), "vacuum analyze"); err != nil { // as crawls are left
		b.Fatal(err)
	}
}
