package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"harvik/internal/core/column"
	"harvik/internal/testkit"
)

// kills is how often the crawl is cut short: often enough to meet every phase.
const kills = 40

// unhurried are limits that no answer of a busy machine passes, for crawls that are compared.
const unhurried = "--limit first-byte=20000 --limit first-byte-very=20000"

// TestKilled kills the service or its database at random moments of a crawl, again and again.
// The crawl goes on by itself each time, and ends with the same pages, links, findings and
// health as one that was never cut.
func TestKilled(t *testing.T) {
	t.Parallel()
	if os.Getenv("HARVIK_ATTACK") == "" {
		t.Skip("long: `make attack` runs it; TestDisturbed is the like with workers")
	}
	s := newShell(t)
	s.start()
	g := &testkit.Generated{Pages: 1200, Seed: 12}
	var asked atomic.Int32
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		g.ServeHTTP(w, r)
	}))
	token, err := os.ReadFile(filepath.Join(s.data, "owner.token"))
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"whole", "cut"} {
		s.ok("site add " + name + " http://big.example/ --allow 127.0.0.0/8")
		s.ok("plan set " + name + " pages=1100 probes=false " + unhurried + " --host big.example=" + garden)
	}
	s.ok("crawl whole")
	want, once := s.results("whole"), asked.Load()
	s.ok("plan set cut --pause 10ms --parallel 4")
	s.ok("crawl cut --detach", "cut@1")
	r := rand.New(rand.NewPCG(3, 14))
	asked.Store(0)
	for kill := range kills {
		time.Sleep(time.Duration(50+r.IntN(550)) * time.Millisecond)
		if kill%2 == 1 { // one that never gets further is put away
			s.awaitMore("cut")
		}
		if out := s.whenUp("crawl list cut --json"); !strings.Contains(out, `"state": "running"`) {
			t.Fatalf("after %d kills the crawl no longer runs:\n%s", kill, out)
		}
		if r.IntN(2) == 0 {
			s.stop(syscall.SIGKILL)
			s.start() // takes the database over that the killed service left running
			continue
		}
		s.killDatabase()
		s.whenUp("site list")
	}
	s.whenUp("crawl pace cut --pause 0s --parallel 16")
	s.await("cut", "finished")
	if got := s.results("cut"); got != want {
		t.Errorf("the cut crawl differs: %s", firstDifference(got, want))
	}
	// What was fetched and not yet stored is fetched again: a batch and a window at most.
	if again := asked.Load() - once; int(again) > kills*100 {
		t.Errorf("%d requests were made twice over %d kills", again, kills)
	} else {
		t.Logf("%d requests for %d, over %d kills", asked.Load(), once, kills)
	}
	if now, err := os.ReadFile(filepath.Join(s.data, "owner.token")); err != nil || !bytes.Equal(token, now) {
		t.Errorf("the owner's token changed (%v)", err)
	}
}

// awaitMore waits until more of a running crawl is stored than was: what it says it has fetched may be gone with it.
func (s *shell) awaitMore(site string) {
	s.t.Helper()
	was := s.stored(site)
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		if s.stored(site) > was {
			return
		}
	}
	s.t.Fatalf("of the crawl of %s no more than %d pages are stored", site, was)
}

// stored is how many pages of a crawl are in the database.
func (s *shell) stored(site string) int {
	s.t.Helper()
	out := s.whenUp("pages " + site + "@1 --limit 1 --json")
	var list struct{ Total int }
	if err := json.Unmarshal([]byte(out), &list); err != nil {
		s.t.Fatalf("%v:\n%s", err, out)
	}
	return list.Total
}

// TestPaused pauses, retunes, resumes and continues a crawl from the command line, and ends the
// service in good order meanwhile.
func TestPaused(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 600, Seed: 5})
	for _, name := range []string{"whole", "paused"} {
		s.ok("site add " + name + " http://big.example/ --allow 127.0.0.0/8")
		s.ok("plan set " + name + " pages=500 probes=false " + unhurried + " --host big.example=" + garden)
	}
	s.ok("crawl whole")
	s.ok("plan set paused pages=300 --pause 20ms")
	s.ok("crawl paused --detach")
	time.Sleep(300 * time.Millisecond)
	s.fails("crawl resume paused", 1, "no crawl of paused is paused")
	s.ok("crawl pause paused", "is pausing")
	s.await("paused", "paused")
	s.stop(syscall.SIGTERM)
	s.start()
	s.ok("crawl list paused", "paused@1  paused")
	s.fails("crawl pause paused", 1, "no crawl of paused is running")
	go func() { // while it is followed
		time.Sleep(200 * time.Millisecond)
		s.run("crawl", "pace", "paused", "--pause", "1ms")
	}()
	s.ok("crawl resume paused", "health")
	s.ok("crawl list paused", "paused@1  finished  page-limit")
	s.fails("crawl continue paused@1 --pages 200", 1, "more than the 300")
	s.ok("crawl continue paused@1 --pages 500", "health")
	if got, want := s.results("paused"), s.results("whole"); got != want {
		t.Errorf("the paused and continued crawl differs: %s", firstDifference(got, want))
	}
	s.fails("crawl continue whole@1", 2, "pages")
	s.ok("crawl left paused", "waiting")
}

// TestWishSurvives asks a crawl to stop, or to pause, and kills the service at once: when it is back it
// has done what it was asked for.
func TestWishSurvives(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 600, Seed: 5})
	for wish, state := range map[string]string{"stop": "finished", "pause": "paused"} {
		site := "to-" + wish
		s.ok("site add " + site + " http://big.example/ --allow 127.0.0.0/8")
		s.ok("plan set " + site + " pages=500 probes=false --pause 20ms --host big.example=" + garden)
		s.ok("crawl " + site + " --detach")
		time.Sleep(time.Second)
		s.ok("crawl " + wish + " " + site)
		s.stop(syscall.SIGKILL)
		s.start()
		s.await(site, state)
		if out := s.ok("crawl list " + site); wish == "stop" && !strings.Contains(out, "stopped") ||
			strings.Contains(out, "complete") {
			t.Errorf("after a kill the crawl that was to %s:\n%s", wish, out)
		}
	}
	s.ok("crawl resume to-pause --detach")
	s.ok("crawl stop to-pause")
	s.await("to-pause", "finished")
}

// results are what a site's newest crawl found, without names and times.
func (s *shell) results(site string) string {
	s.t.Helper()
	timeless := slices.DeleteFunc(column.Keys(), func(key string) bool { return key == "firstByte" })
	columns := " --csv --columns " + strings.Join(timeless, ",")
	all := s.ok("pages "+site+columns) + s.ok("fixes "+site+" --json") + s.ok("resources "+site+columns)
	health := s.ok("health " + site)
	_, health, _ = strings.Cut(health, "\n")
	return all + health + s.ok("crawl left "+site+" --csv")
}

func firstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			return fmt.Sprintf("line %d:\n%s\nand\n%s", i, x[i], y[i])
		}
	}
	return fmt.Sprintf("%d and %d lines", len(x), len(y))
}

func (s *shell) await(site, state string) {
	s.t.Helper()
	deadline := time.Now().Add(90 * time.Second)
	for !strings.Contains(s.whenUp("crawl list "+site+" --json"), `"state": "`+state+`"`) {
		if time.Now().After(deadline) {
			s.t.Fatalf("the crawl of %s is not %s:\n%s", site, state, s.ok("crawl list "+site))
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// killDatabase kills PostgreSQL's first process.
func (s *shell) killDatabase() {
	s.t.Helper()
	lock, err := os.ReadFile(filepath.Join(s.data, "postgres", "postmaster.pid"))
	if err != nil {
		return // it is just being started
	}
	pid, _, _ := strings.Cut(string(lock), "\n")
	if n, err := strconv.Atoi(pid); err == nil {
		_ = syscall.Kill(n, syscall.SIGKILL)
	}
}

// whenUp runs a command until the service's database answers: what a killed one left behind may answer
// once and then be gone.
func (s *shell) whenUp(command string) string {
	s.t.Helper()
	for range 300 {
		out, talk, code := s.run(strings.Fields(command)...)
		if code == 0 {
			return out
		}
		if !strings.Contains(talk, "the database does not answer at the moment") {
			s.t.Fatalf("harvik %s: exit code %d: %s", command, code, talk)
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.t.Fatal("the database does not come back")
	return ""
}
