package e2e

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/net/html"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/dom"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// manuals are real sites, of Debian's packages that `make bench` installs; nobody wrote them for a bench.
var manuals = []struct {
	name, folder string // a pattern below the folder of documentation
	pages        int    // crawled at most
}{
	{"reference", "rust-doc/html", 10_000}, // many pages with many links each
	{"small-pages", "rust-doc/html/core/arch", 10_000},
	{"database", "postgresql-doc-*/html", 10_000}, // pages of usual size, well linked
	{"language", "python3.*/html", 10_000},        // huge pages
	{"many-languages", "apache2-doc/manual", 10_000},
	{"commands", "git/html", 10_000}, // long texts, few links
}

const manualsParallel = 16

// BenchmarkManuals crawls real sites, judged and stored, beside the floor: the same addresses fetched over as many
// connections, and the pages among them parsed by the library. Both take gzip; server, database and both share the
// machine. One iteration is the floor and two crawls; of each the fastest counts, and the ratio between them.
func BenchmarkManuals(b *testing.B) {
	for _, m := range manuals {
		b.Run(m.name, func(b *testing.B) { benchManual(b, manual(b, m.folder), m.pages) })
	}
	b.Run("generated", func(b *testing.B) {
		folder := b.TempDir()
		testkit.WriteProse(b, folder, 5000, 5)
		benchManual(b, folder, 10_000)
	})
}

func benchManual(b *testing.B, folder string, most int) {
	site := &served{folder: folder}
	host := testkit.Serve(b, site)
	p := plan.Plan{Pages: most, Parallel: manualsParallel, Steady: true}.WithDefaults()
	r, _ := testkit.Crawl(b, "http://"+host+"/", p) // compresses what is served, and tells what the floor has to fetch
	var addresses []string
	pages, packed := 0, 0
	for i := range r.Survey.Pages {
		address := r.Survey.URL(r.Survey.Pages[i].ID)
		addresses = append(addresses, address)
		if r.Survey.Pages[i].HTML {
			pages++
			packed += site.packed(strings.TrimPrefix(address, "http://"+host))
		}
	}
	var t times
	for b.Loop() {
		t.floor.took(fetchAll(b, addresses, manualsParallel, byLibrary))
		t.own.took(fetchAll(b, addresses, manualsParallel, byOurs))
		t.crawl(b, "http://"+host+"/", p, len(r.Survey.Pages))
	}
	n := float64(pages)
	b.ReportMetric(n, "pages")
	b.ReportMetric(n/t.floor.Seconds(), "floor-pages/s")
	b.ReportMetric(n/t.judged.Seconds(), "crawl-pages/s")
	b.ReportMetric(t.floor.Seconds()/t.stored.Seconds(), "ratio-stored")
	b.ReportMetric(t.floor.Seconds()/t.judged.Seconds(), "ratio")
	b.ReportMetric(t.own.Seconds()/t.judged.Seconds(), "ratio-to-own-parser")
	b.ReportMetric(t.judged.Seconds()/t.again.Seconds(), "again-ratio")
	b.ReportMetric((t.judged.Duration-t.stored.Duration).Seconds()/t.judged.Seconds(), "judging-share")
	b.ReportMetric(float64(packed)/n, "gzip-B/page")
	b.ReportMetric(float64(t.bytes)/float64(packed), "stored-ratio")
	b.ReportMetric(float64(t.bytes)/n, "stored-B/page")
	b.ReportMetric(float64(t.wal)/n, "WAL-B/page")
	t.spent.report(b)
}

// times are what the parts of a bench took.
type times struct {
	floor, own, stored, judged, again fastest
	bytes, wal                        int64 // of the last crawl
	spent                             spent
}

// fastest is the time of the fastest run: what else the machine does makes others slower.
type fastest struct{ time.Duration }

func (f *fastest) took(d time.Duration) {
	if f.Duration == 0 || d < f.Duration {
		f.Duration = d
	}
}

// crawl times a crawl into an empty database, and a second one of the same site into what is there then.
func (t *times) crawl(b *testing.B, start string, p plan.Plan, addresses int) {
	b.StopTimer()
	defer b.StartTimer()
	database := testkit.Tables(b)
	s := testkit.Open(b, database)
	site := benchSite(b, s, start)
	once := func() (stored, judged time.Duration) {
		t.spent.during(b, database, addresses, func() {
			var r *booking.Result
			if r, stored, judged = crawlOnce(b, s, site, p); len(r.Survey.Pages) != addresses {
				b.Fatalf("%d addresses crawled, the first time %d", len(r.Survey.Pages), addresses)
			}
		})
		return stored, judged
	}
	size, wal := sizes(b, database)
	stored, judged := once()
	t.stored.took(stored)
	t.judged.took(judged)
	after, walAfter := sizes(b, database)
	t.bytes, t.wal = after-size, walAfter-wal
	_, again := once()
	t.again.took(again)
}

// manual is the folder of one of Debian's manuals, by a pattern below the folder of documentation.
func manual(b *testing.B, pattern string) string {
	b.Helper()
	found, err := filepath.Glob(filepath.Join("/usr/share/doc", pattern))
	if err != nil || len(found) == 0 {
		b.Fatalf("%s is not there: `make bench` installs the manuals", pattern)
	}
	return found[0]
}

// benchSite takes a site under care.
func benchSite(b *testing.B, s *store.Store, start string) record.Site {
	b.Helper()
	if err := s.AddSite(b.Context(), "bench", start, plan.Plan{}); err != nil {
		b.Fatal(err)
	}
	site, err := s.Site(b.Context(), "bench")
	if err != nil {
		b.Fatal(err)
	}
	return site
}

// crawlOnce crawls a site into a store, and tells how long it took until all was stored, and until it was judged, too.
func crawlOnce(
	b *testing.B, s *store.Store, site record.Site, p plan.Plan,
) (r *booking.Result, stored, judged time.Duration) {
	b.Helper()
	rec, err := s.StartCrawl(b.Context(), site, p, testkit.Catalogue.Version)
	if err != nil {
		b.Fatal(err)
	}
	runner := &check.Runner{Checks: testkit.Catalogue.Checks, Limits: check.NewLimits(nil)}
	runtime.GC()
	begun := time.Now()
	r, progress, fetched := crawlTimed(b, s, rec, p, runner, nil)
	if err := s.SaveResult(b.Context(), rec, r, progress, record.Weighing{}, record.Settling{}); err != nil {
		b.Fatal(err)
	}
	return r, fetched.Sub(begun), time.Since(begun)
}

// sizes are the bytes of a database, and those that its server has written ahead so far.
func sizes(b *testing.B, at string) (database, wal int64) {
	b.Helper()
	conn, err := pgx.Connect(b.Context(), at)
	if err != nil {
		b.Fatal(err)
	}
	defer conn.Close(b.Context())
	err = conn.QueryRow(b.Context(),
		"select pg_database_size(current_database()), (pg_current_wal_lsn() - '0/0')::bigint").Scan(&database, &wal)
	if err != nil {
		b.Fatal(err)
	}
	return database, wal
}

// byLibrary and byOurs make parsers for one connection.
func byLibrary() func([]byte) {
	return func(body []byte) { _, _ = html.Parse(bytes.NewReader(body)) } // cannot fail on bytes
}

func byOurs() func([]byte) {
	var p dom.Parser
	return func(body []byte) { p.Parse(body) }
}

// fetchAll times fetching addresses, without following redirects, and parsing the pages among them with what parser
// makes for each of so many connections.
func fetchAll(b *testing.B, addresses []string, parallel int, parser func() func([]byte)) time.Duration {
	client := &http.Client{
		Transport:     &http.Transport{MaxIdleConnsPerHost: parallel},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	defer client.CloseIdleConnections()
	jobs := make(chan string)
	var workers sync.WaitGroup
	runtime.GC()
	begun := time.Now()
	for range parallel {
		workers.Go(func() {
			var buf bytes.Buffer
			parse := parser()
			for a := range jobs {
				resp, err := client.Get(a)
				if err != nil {
					b.Error(err)
					continue
				}
				buf.Reset()
				if _, err := io.Copy(&buf, resp.Body); err != nil {
					b.Error(err)
				}
				resp.Body.Close()
				if strings.HasPrefix(resp.Header.Get("Content-Type"), "text/html") {
					parse(buf.Bytes())
				}
			}
		})
	}
	for _, a := range addresses {
		jobs <- a
	}
	close(jobs)
	workers.Wait()
	return time.Since(begun)
}

// served serves a folder as a web server does, compressed once and kept, so that serving costs next to nothing.
type served struct {
	folder string
	kept   sync.Map // answers by path
}

type keptFile struct {
	kind         string
	plain, small []byte // small is nil where compressing is of no use
	leads        string
}

func (s *served) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	got, ok := s.kept.Load(r.URL.Path)
	if !ok {
		got, _ = s.kept.LoadOrStore(r.URL.Path, s.read(r.URL.Path))
	}
	f, _ := got.(*keptFile)
	switch {
	case f == nil:
		http.NotFound(w, r)
	case f.leads != "":
		http.Redirect(w, r, f.leads, http.StatusMovedPermanently)
	default:
		w.Header().Set("Content-Type", f.kind)
		body := f.plain
		if f.small != nil && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			w.Header().Set("Content-Encoding", "gzip")
			body = f.small
		}
		_, _ = w.Write(body) // the client may have gone
	}
}

// packed is how many bytes a file takes that is served compressed.
func (s *served) packed(at string) int {
	at, _, _ = strings.Cut(at, "?")
	if unescaped, err := url.PathUnescape(at); err == nil {
		at = unescaped
	}
	got, _ := s.kept.Load(at)
	if f, _ := got.(*keptFile); f != nil {
		return len(f.small)
	}
	return 0
}

// BenchmarkBeside crawls a manual into an empty database and into one that holds a crawl of 100,000 pages of another,
// again and again: what else is stored makes no crawl slower.
func BenchmarkBeside(b *testing.B) {
	host := testkit.Serve(b, &served{folder: manual(b, "postgresql-doc-*/html")})
	p := plan.Plan{Pages: 10_000, Parallel: manualsParallel, Steady: true}.WithDefaults()
	h := large(b)
	full, empty := testkit.Open(b, h.database), testkit.Store(b)
	inFull, inEmpty := benchSite(b, full, "http://"+host+"/"), benchSite(b, empty, "http://"+host+"/")
	var beside, alone fastest
	for b.Loop() {
		for range 3 {
			_, _, judged := crawlOnce(b, empty, inEmpty, p)
			alone.took(judged)
			_, _, judged = crawlOnce(b, full, inFull, p)
			beside.took(judged)
		}
	}
	b.ReportMetric(beside.Seconds()/alone.Seconds(), "beside-ratio")
}

// read is a file of the folder, nil if there is none.
func (s *served) read(at string) *keptFile {
	name := filepath.Join(s.folder, filepath.FromSlash(path.Clean("/"+at)))
	info, err := os.Stat(name)
	if err == nil && info.IsDir() {
		if !strings.HasSuffix(at, "/") {
			return &keptFile{leads: at + "/"}
		}
		name = filepath.Join(name, "index.html")
	}
	data, err := os.ReadFile(name)
	if err != nil {
		return nil
	}
	f := &keptFile{kind: http.DetectContentType(data), plain: data}
	switch filepath.Ext(name) {
	case ".html":
		f.kind = "text/html; charset=utf-8"
	case ".css":
		f.kind = "text/css"
	case ".js":
		f.kind = "text/javascript"
	}
	if strings.HasPrefix(f.kind, "text/") {
		var out bytes.Buffer
		z := gzip.NewWriter(&out)
		z.Write(data)
		z.Close()
		f.small = out.Bytes()
	}
	return f
}
