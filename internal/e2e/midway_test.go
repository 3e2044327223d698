package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/testkit"
)

// TestUpgradeMidway: a database that Harvik 0.12 left with a paused crawl, and one that it was running when it was
// killed, is taken over by this one: both go on, and end as if this one had made them.
func TestUpgradeMidway(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	restore(t, database, "testdata/harvik-0.12.sql.gz")
	site := testkit.Serve(t, &testkit.Generated{Pages: 90, Seed: 7})
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	for _, table := range []string{"crawl", "site"} { // where the site was served is where another test's is now
		if _, err := conn.Exec(t.Context(), "update public."+table+
			" set plan = cast(replace(cast(plan as text), '127.0.0.1:7431', $1) as jsonb)", site); err != nil {
			t.Fatal(err)
		}
	}
	conn.Close(t.Context())
	s := newShell(t)
	s.env = append(os.Environ(), "HARVIK_DATABASE="+database)
	s.start()
	s.ok("crawl list paused", "paused@1  paused")
	s.ok("crawl resume paused --detach")
	for _, name := range []string{"running", "paused"} {
		s.await(name, "finished")
		if c := s.crawlOf(name, 1); c.Ending != "complete" || c.Progress.Pages < 90 {
			t.Errorf("%s ended by %s with %d pages", name, c.Ending, c.Progress.Pages)
		}
		then := s.results(name)
		s.ok("crawl " + name)
		if now := s.results(name); then != now {
			t.Errorf("%s differs from what this Harvik makes of it: %s", name, firstDifference(then, now))
		}
	}
}

// TestRestored: what pg_dump takes of a database while a crawl runs, with the key and the data folder's token, is a
// backup: restored elsewhere the crawl goes on from what was stored, secrets open, and it ends as it would have.
func TestRestored(t *testing.T) {
	t.Parallel()
	tools, err := filepath.Glob("/usr/lib/postgresql/*/bin")
	if err != nil || len(tools) == 0 {
		t.Fatalf("there are no tools of PostgreSQL (%v)", err)
	}
	tool := func(name string, args ...string) []byte {
		t.Helper()
		var errors bytes.Buffer
		c := exec.Command(filepath.Join(tools[len(tools)-1], name), args...)
		c.Stderr = &errors
		out, err := c.Output()
		if err != nil {
			t.Fatalf("%s: %v: %s", name, err, errors.String())
		}
		return out
	}
	old, fresh := testkit.Database(t), testkit.Database(t)
	s := newShell(t)
	s.env = append(os.Environ(), "HARVIK_DATABASE="+old)
	s.start()
	site := testkit.Serve(t, &testkit.Generated{Pages: 200, Seed: 3})
	for _, name := range []string{"whole", "cut"} {
		s.ok("site add " + name + " http://big.example/ --allow 127.0.0.0/8")
		s.ok("plan set " + name + " probes=false sources.sitemaps=false " + unhurried + " --host big.example=" + site)
	}
	s.ok("plan set cut pause=30ms parallel=2")
	s.ok("crawl cut --detach")
	s.until("a part of it is stored", func() bool { return s.stored("cut") > 20 })
	dump := filepath.Join(t.TempDir(), "harvik.dump")
	tool("pg_dump", "--format=custom", "--file="+dump, old)
	s.stop(syscall.SIGKILL)

	tool("pg_restore", "--no-owner", "--dbname="+fresh, dump)
	again := newShell(t)
	for _, file := range []string{"secrets.key", "owner.token", "seat"} {
		text, err := os.ReadFile(filepath.Join(s.data, file))
		if err == nil {
			err = os.WriteFile(filepath.Join(again.data, file), text, 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	again.env = append(os.Environ(), "HARVIK_DATABASE="+fresh)
	begun := time.Now()
	again.start()
	again.until("it goes on", func() bool { return again.crawlOf("cut", 1).Progress.Fetched > 20 })
	if took := time.Since(begun); took > 20*time.Second {
		t.Errorf("it goes on after %v", took)
	}
	again.ok("crawl pace cut --pause 0s --parallel 16")
	again.await("cut", "finished")
	again.ok("crawl whole")
	if got, want := again.results("cut"), again.results("whole"); got != want {
		t.Errorf("the restored crawl differs: %s", firstDifference(got, want))
	}
	if line := again.ok("queue"); !strings.Contains(line, "1 worker\n") {
		t.Errorf("the queue says %s", line)
	}
}
