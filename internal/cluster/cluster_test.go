package cluster

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// folder is one that PostgreSQL's account can reach.
func folder(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "harvik-cluster-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}

func start(t *testing.T, dir string) *Cluster {
	t.Helper()
	c, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func execute(t *testing.T, c *Cluster, sql string) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), c.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if _, err := conn.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
}

// TestLife starts a server, takes a running one over, and starts again after it was killed;
// what was stored is there each time.
func TestLife(t *testing.T) {
	dir := folder(t)
	first := start(t, dir)
	execute(t, first, "create table kept (x int)")
	second := start(t, dir)
	if first.URL != second.URL {
		t.Errorf("a running server is not taken over: %s and %s", first.URL, second.URL)
	}
	execute(t, second, "insert into kept values (1)")

	lock, err := os.ReadFile(filepath.Join(dir, "postgres", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.Split(string(lock), "\n")[0])
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for range 50 { // its children end when they notice
		if _, running := second.running(t.Context()); !running {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	third := start(t, dir)
	execute(t, third, "select 1 / count(*) from kept")
	if err := third.Stop(); err != nil {
		t.Error(err)
	}
	if _, running := third.running(t.Context()); running {
		t.Error("the server runs on after Stop")
	}
}

// TestCutShort starts in a folder that an interrupted first start left behind.
func TestCutShort(t *testing.T) {
	dir := folder(t)
	if err := os.MkdirAll(filepath.Join(dir, "postgres", "base"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, makingFile), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	c := start(t, dir)
	if _, err := os.Stat(filepath.Join(dir, makingFile)); err == nil {
		t.Error("the mark of a database that is being made stays")
	}
	execute(t, c, "select 1")
	if err := c.Stop(); err != nil {
		t.Error(err)
	}
	info, err := os.Stat(filepath.Join(dir, "postgres.password"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the password's file: %v (%v)", info, err)
	}
}

func TestUnreachable(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only root hands the data to another account")
	}
	dir := folder(t)
	if err := os.Chmod(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), dir); err == nil || !strings.Contains(err.Error(), "chmod o+x") {
		t.Errorf("a folder that PostgreSQL cannot enter gives %v", err)
	}
}

// TestNotOurs: what is in the place of the data and was not made by Harvik stays as it is.
func TestNotOurs(t *testing.T) {
	for name, c := range map[string]struct {
		files []string
		want  string
	}{
		"somebody's folder": {[]string{"postgres/letters.txt"}, "is no database of Harvik's"},
		"somebody's database": {[]string{"postgres/PG_VERSION", "postgres/base/1"},
			"that Harvik did not make"},
		"a password that was cut off": {[]string{"postgres/PG_VERSION", "postgres.password"},
			"put it back from a copy"},
		"a folder and a lone password": {[]string{"postgres/letters.txt", "postgres.password"},
			"is no database of Harvik's"},
	} {
		dir := folder(t)
		for _, f := range c.files {
			at := filepath.Join(dir, f)
			if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(at, nil, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := Start(t.Context(), dir); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
		}
		for _, f := range c.files {
			if _, err := os.Stat(filepath.Join(dir, f)); err != nil {
				t.Errorf("%s: %s is gone", name, f)
			}
		}
	}
}
