package e2e

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/testkit"
)

// TestFleetCosts measures what `make fleet` prints and docs/scale.md keeps: what a page costs worker and database, what
// two workers lose against one process, and what the queue costs a crawl.
func TestFleetCosts(t *testing.T) {
	if os.Getenv("HARVIK_FLEET") == "" {
		t.Skip("`make fleet` runs it")
	}
	const pages = 4000
	s := newShell(t)
	s.startWith(new(bytes.Buffer), "--crawls", "2")
	sites := make([]string, 2)
	for i := range sites {
		g := &testkit.Generated{Pages: pages, Seed: uint64(i) + 1, Mixed: true, Keep: true}
		sites[i] = testkit.Serve(t, g)
	}
	add := func(name, at string, more string) {
		s.ok("site add " + name + " http://big.example/ --allow 127.0.0.0/8")
		s.ok(
			"plan set " + name + " probes=false sources.sitemaps=false pause=0s parallel=8 " + more +
				" --host big.example=" + at,
		)
	}
	both := func(round string) time.Duration {
		for i, at := range sites {
			add(fmt.Sprint(round, i), at, "pages="+strconv.Itoa(pages))
		}
		begun := time.Now()
		for i := range sites {
			s.ok(fmt.Sprintf("crawl %s%d --detach", round, i))
		}
		for i := range sites {
			s.await(fmt.Sprint(round, i), "finished")
		}
		return time.Since(begun)
	}
	both("warm")
	alone := math.Inf(1)
	for round := range 2 {
		alone = min(alone, both(fmt.Sprint("alone", round)).Seconds())
	}
	s.stop(syscall.SIGTERM)

	s.startWith(new(bytes.Buffer), "--no-work")
	where, conn := s.database()
	number := func(sql string, args ...any) (n float64) {
		t.Helper()
		if err := conn.QueryRow(t.Context(), sql, args...).Scan(&n); err != nil {
			t.Fatalf("%s: %v", sql, err)
		}
		return n
	}
	first, second := s.hire("--crawls", "1"), s.hire("--crawls", "1")
	s.until("both are there", func() bool { return strings.Contains(s.ok("queue"), "3 workers") })
	both("warmer")
	wal := number("select pg_wal_lsn_diff(pg_current_wal_lsn(), '0/0')::float8")
	size := number("select pg_database_size(current_database())::float8")
	commits := number("select xact_commit::float8 from pg_stat_database where datname = current_database()")
	cpu, server := processorTime(first)+processorTime(second), postgresTime(t, where)
	together := both("together0").Seconds()
	cpu, server = processorTime(first)+processorTime(second)-cpu, postgresTime(t, where)-server
	time.Sleep(2 * time.Second) // until statistics are told
	n := float64(2 * pages)
	t.Logf(
		"a page costs %.2f ms of a worker's processor, %.2f ms of the database's, "+
			"%.1f KB of database, %.1f KB of WAL, %.2f transactions",
		cpu/n*1000,
		server.Seconds()/n*1000,
		(number("select pg_database_size(current_database())::float8")-size)/n/1024,
		(number("select pg_wal_lsn_diff(pg_current_wal_lsn(), '0/0')::float8")-wal)/n/1024,
		(number("select xact_commit::float8 from pg_stat_database where datname = current_database()")-commits)/n,
	)
	together = min(together, both("together1").Seconds())
	t.Logf("%d pages of two sites: one process %.1f s, two workers %.1f s: %+.0f %%", 2*pages, alone, together,
		100*(together/alone-1))

	tiny := testkit.Serve(t, &testkit.Generated{Pages: 1, Seed: 9})
	for i := range 40 {
		add(fmt.Sprint("tiny", i), tiny, "pages=1")
		s.ok(fmt.Sprintf("crawl tiny%d", i))
	}
	const ofTiny = `from river_job j join crawl c on c.id = (j.args ->> 'crawl')::bigint join site s on s.id = c.site_id
		where j.kind = 'crawl' and s.name like 'tiny%'`
	t.Logf("a crawl waits %.0f ms for a worker that is free, and half of them %.0f ms",
		number("select avg(extract(epoch from attempted_at - created_at) * 1000)::float8 "+ofTiny),
		number(`select percentile_cont(0.5) within group
			(order by extract(epoch from attempted_at - created_at) * 1000) `+ofTiny))
}

// TestFleetWaiting measures what a crawl takes while nobody waits, and while a thousand others do.
func TestFleetWaiting(t *testing.T) {
	if os.Getenv("HARVIK_FLEET") == "" {
		t.Skip("`make fleet` runs it")
	}
	const pages, rounds = 4000, 3
	s := newShell(t)
	s.startWith(new(bytes.Buffer), "--no-work")
	_, conn := s.database()
	at := testkit.Serve(t, &testkit.Generated{Pages: pages, Seed: 1, Mixed: true, Keep: true})
	crawls := func(name string) float64 {
		least := math.Inf(1)
		for round := range rounds {
			one := fmt.Sprint(name, round)
			s.ok("site add " + one + " http://big.example/ --allow 127.0.0.0/8")
			s.ok(fmt.Sprintf("plan set %s probes=false sources.sitemaps=false pause=0s parallel=8 pages=%d "+
				"--host big.example=%s",
				one, pages, at))
			s.ok("crawl " + one + " --detach")
			worker := s.hire("--crawls", "1")
			s.await(one, "finished")
			least = min(least, s.crawlOf(one, 1).Progress.Seconds)
			_ = worker.cmd.Process.Kill() // before it takes up one of those that wait
			<-worker.gone
		}
		return least
	}
	crawls("warm")
	alone := crawls("alone")
	// Those that wait come after what is asked for now, as River's priorities are.
	if _, err := conn.Exec(t.Context(), `with s as (
			insert into site (name, home, plan) select 'waits' || n, home, plan from site, generate_series(1, 1000) n
			where name = 'warm0' returning id), c as (
			insert into crawl (site_id, number, state, plan, catalogue) select s.id, 1, 'running', t.plan, 1
			from s, crawl t where t.site_id = (select id from site where name = 'warm0') returning id)
		insert into river_job (kind, queue, args, max_attempts, state, priority) select 'crawl', 'crawl',
			jsonb_build_object('crawl', id, 'epoch', 0), 1000, 'available', 4 from c`); err != nil {
		t.Fatal(err)
	}
	t.Logf("%d pages while nobody waits %.2f s, while a thousand crawls wait %.2f s", pages, alone, crawls("amid"))
}

// database is where the service has its database, and a connection to it until the test ends.
func (s *shell) database() (where string, conn *pgx.Conn) {
	s.t.Helper()
	text, err := os.ReadFile(filepath.Join(s.data, "database.url"))
	if err != nil {
		s.t.Fatal(err)
	}
	where = strings.TrimSpace(string(text))
	if conn, err = pgx.Connect(s.t.Context(), where); err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { conn.Close(context.Background()) })
	return where, conn
}

// processorTime is what a worker and its children that have ended have used of a processor so far, in seconds.
func processorTime(h *hand) (sum float64) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", h.cmd.Process.Pid))
	if err != nil {
		return 0 // it has ended
	}
	stat := strings.Fields(string(text[bytes.LastIndexByte(text, ')')+1:])) // proc(5): after the name comes the state
	for _, ticks := range stat[11:15] {
		n, _ := strconv.Atoi(ticks)
		sum += float64(n) / 100
	}
	return sum
}
