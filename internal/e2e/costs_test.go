package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"runtime/pprof"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/pprof/profile"
	"github.com/jackc/pgx/v5"
)

// costs are the parts of the processor's time that a crawl takes, by functions on the way to where it is spent.
// The first that fits counts.
var costs = []struct {
	name  string
	under []string
}{
	{"serve", []string{"net/http.(*conn).serve"}},
	{
		"judge",
		[]string{
			"harvik/internal/judging.",
			"harvik/internal/store.(*Store).SaveResult",
			"harvik/internal/store.(*Source)",
			"harvik/internal/core/check.(*Runner).Site",
			"harvik/internal/core/fixlist.",
			"harvik/internal/core/survey.(*Survey).strip",
		},
	},
	{"store", []string{"harvik/internal/store."}},
	{"checks", []string{"harvik/internal/core/check."}},
	{"parse", []string{"harvik/internal/core/dom."}},
	{
		"text",
		[]string{"harvik/internal/core/text.", "harvik/internal/core/neardup.", "harvik/internal/core/survey.CountWords"},
	},
	{"walk", []string{"harvik/internal/core/page."}},
	{"fetch", []string{"harvik/internal/fetch.", "net/http.", "github.com/klauspost/compress/"}},
	{"frontier", []string{"harvik/internal/crawl.", "harvik/internal/core/booking."}},
	{"collect garbage", []string{"runtime.gcBgMarkWorker", "runtime.bgsweep", "runtime.bgscavenge"}},
	{"rest", []string{""}},
}

// spent is the processor's time that crawls took, by part.
type spent struct {
	by    map[string]time.Duration
	pages int
}

// during adds what a function takes, in this process and in the database's.
func (s *spent) during(b *testing.B, database string, pages int, f func()) {
	b.Helper()
	if s.by == nil {
		s.by = map[string]time.Duration{}
	}
	before := postgresTime(b, database)
	var out bytes.Buffer
	if err := pprof.StartCPUProfile(&out); err != nil { // a profile of the whole bench is being taken
		f()
		return
	}
	f()
	pprof.StopCPUProfile()
	s.by["PostgreSQL"] += postgresTime(b, database) - before
	s.pages += pages
	taken, err := profile.Parse(&out)
	if err != nil {
		b.Fatal(err)
	}
	for _, sample := range taken.Sample {
		s.by[partOf(sample)] += time.Duration(sample.Value[1])
	}
}

// partOf is the part that a sample belongs to.
func partOf(sample *profile.Sample) string {
	var way []string
	for _, l := range sample.Location {
		for _, line := range l.Line {
			way = append(way, line.Function.Name)
		}
	}
	for _, p := range costs {
		for _, name := range way {
			for _, under := range p.under {
				if strings.HasPrefix(name, under) {
					return p.name
				}
			}
		}
	}
	return ""
}

// report tells what was spent on a page.
func (s *spent) report(b *testing.B) {
	for name, d := range s.by {
		b.ReportMetric(
			float64(d.Microseconds())/float64(max(s.pages, 1)),
			strings.ReplaceAll(name, " ", "-")+"-CPU-µs/page",
		)
	}
}

// postgresTime is the processor's time that a database's server has taken so far, by all its processes.
func postgresTime(b testing.TB, database string) time.Duration {
	b.Helper()
	conn, err := pgx.Connect(b.Context(), database)
	if err != nil {
		b.Fatal(err)
	}
	defer conn.Close(b.Context())
	var lock string
	if err := conn.QueryRow(b.Context(), "select pg_read_file('postmaster.pid')").Scan(&lock); err != nil {
		b.Fatal(err)
	}
	server, _, _ := strings.Cut(lock, "\n")
	ticks := 0
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		b.Fatal(err)
	}
	for _, file := range stats {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // has ended meanwhile
		}
		_, rest, _ := strings.Cut(string(text), ") ")
		fields := strings.Fields(rest)
		own := file == fmt.Sprintf("/proc/%s/stat", server)
		if len(fields) < 15 || !own && fields[1] != server {
			continue
		}
		for i, f := range fields[11:15] { // user, system; of children that have ended, which the server alone counts
			if n, err := strconv.Atoi(f); err == nil && (i < 2 || own) {
				ticks += n
			}
		}
	}
	return time.Duration(ticks) * time.Second / 100
}
