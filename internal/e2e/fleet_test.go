package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// A hand is a worker of a test.
type hand struct {
	cmd  *exec.Cmd
	log  *quietly
	gone chan struct{} // closed once it has ended
}

// quietly is a log that is read while it is written.
type quietly struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (q *quietly) Write(p []byte) (int, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.text.Write(p)
}

func (q *quietly) String() string {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.text.String()
}

// hire begins a worker beside the service.
func (s *shell) hire(more ...string) *hand {
	s.t.Helper()
	return s.hireWith(s.env, more...)
}

func (s *shell) hireWith(env []string, more ...string) *hand {
	s.t.Helper()
	h := &hand{exec.Command(s.binary, append([]string{"--data", s.data, "worker"}, more...)...), new(quietly), make(chan struct{})}
	h.cmd.Env, h.cmd.Stderr = env, h.log
	h.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if err := h.cmd.Start(); err != nil {
		s.t.Fatal(err)
	}
	go func() { _ = h.cmd.Wait(); close(h.gone) }() // whatever ended it
	s.t.Cleanup(func() {
		_ = h.cmd.Process.Signal(syscall.SIGCONT)
		_ = h.cmd.Process.Kill()
		<-h.gone
	})
	return h
}

// until waits for something to be so.
func (s *shell) until(what string, is func() bool) {
	s.t.Helper()
	for deadline := time.Now().Add(40 * time.Second); !is(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(deadline) {
			s.t.Fatalf("it is never so that %s", what)
		}
	}
}

// counted serves beds that lead to each other, slowly, and counts how often each is asked for.
type counted struct {
	pages int
	mu    sync.Mutex
	asked map[string]int
}

// ServeHTTP implements http.Handler.
func (c *counted) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	c.asked[r.URL.Path]++
	c.mu.Unlock()
	time.Sleep(20 * time.Millisecond)
	w.Header().Set("Content-Type", "text/html")
	fmt.Fprintf(w, "<!doctype html><title>Bed %s</title><h1>Bed</h1>", r.URL.Path)
	for i := range c.pages {
		fmt.Fprintf(w, "<a href=/bed/%d>bed %d</a> ", i, i)
	}
}

func (c *counted) sum() (n int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, times := range c.asked {
		n += times
	}
	return n
}

// crawlOf is a crawl as the API shows it.
func (s *shell) crawlOf(name string, number int) (out api.Crawl) {
	s.t.Helper()
	var list api.CrawlList
	if err := json.Unmarshal([]byte(s.ok("crawl list "+name+" --json")), &list); err != nil {
		s.t.Fatal(err)
	}
	for _, c := range list.Crawls {
		if c.Number == number {
			return c
		}
	}
	s.t.Fatalf("%s has no crawl %d", name, number)
	return out
}

// TestFleet runs crawls in workers beside a service that runs none: they wait for one, hear what is wished of them, go
// on elsewhere when their worker is killed, stopped in its tracks or ends in good order, and end as if nothing had
// been.
func TestFleet(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	log := new(bytes.Buffer)
	s.startWith(log, "--crawls", "0")
	beds := &counted{pages: 160, asked: map[string]int{}}
	address := testkit.Serve(t, beds)
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.ok(
		"plan set beds probes=false resources=none sources.sitemaps=false parallel=2 pause=10ms --host beds.example=" + address,
	)

	s.ok("crawl beds --detach")
	s.ok("crawl pause beds")
	if c := s.crawlOf("beds", 1); c.State != "paused" {
		t.Errorf("a crawl that nobody runs is %s when it is paused", c.State)
	}
	s.ok("crawl resume beds --detach")
	if c := s.crawlOf("beds", 1); c.State != "running" || c.Progress.Phase != "waiting" || beds.sum() > 0 {
		t.Fatalf("without a worker it is %s, %s, and %d requests were made", c.State, c.Progress.Phase, beds.sum())
	}
	progress := func(n int) func() bool {
		return func() bool { c := s.crawlOf("beds", 1); return c.Progress.Fetched >= n || c.State != "running" }
	}
	s.ok(
		"queue",
		"1 worker",
		"beds@1",
		"waits for a worker",
	) // the service shares hosts with workers, and takes no crawl
	first := s.hire()
	s.until("the first worker fetches", progress(20))
	s.ok("crawl pace beds --parallel 1 --pause 60ms")
	s.until(
		"the pace is another",
		func() bool { p := s.crawlOf("beds", 1).Progress.Pace; return p != nil && p.Parallel == 1 },
	)
	s.ok("queue", "2 workers", "1 crawl runs or waits", "beds@1", "process "+strconv.Itoa(first.cmd.Process.Pid))
	_ = first.cmd.Process.Kill()
	stood := s.crawlOf("beds", 1).Progress.Fetched

	second := s.hire()
	begun := time.Now()
	s.until("the second goes on", progress(stood+10))
	if took := time.Since(begun); took > 20*time.Second {
		t.Errorf("a killed worker's crawl goes on after %v", took)
	}
	_ = second.cmd.Process.Signal(syscall.SIGSTOP)
	third := s.hire()
	s.until("the third goes on", func() bool { return strings.Contains(third.log.String(), "crawl started") })
	_ = second.cmd.Process.Signal(syscall.SIGCONT)
	s.until(
		"the second gives up",
		func() bool { return strings.Contains(second.log.String(), "another worker has taken it up") },
	)

	_ = third.cmd.Process.Signal(syscall.SIGTERM)
	s.until("the third hands over", func() bool { return strings.Contains(third.log.String(), "crawl given back") })
	s.until(
		"the second has it again",
		func() bool { return strings.Count(second.log.String(), "crawl started") == 2 },
	)
	s.ok("crawl pace beds --parallel 8 --pause 0s")
	s.until("it ends", func() bool { return s.crawlOf("beds", 1).State != "running" })
	if c := s.crawlOf("beds", 1); c.State != "finished" || c.Ending != "complete" ||
		c.Progress.Pages != beds.pages+1 {
		t.Fatalf("it is %s, %s, with %d pages: %s\n%s", c.State, c.Ending, c.Progress.Pages, c.Detail, second.log)
	}
	// What was in flight, or not stored yet, is fetched again: at most that of three ends.
	if n := beds.sum(); n > 2*beds.pages {
		t.Errorf("%d requests were made for %d pages", n, beds.pages)
	}
	s.ok("crawl beds")
	if one, two := s.crawlOf("beds", 1).Report, s.crawlOf("beds", 2).Report; one == nil || two == nil ||
		one.Health != two.Health || one.Fixes != two.Fixes || one.Findings != two.Findings {
		t.Errorf("disturbed it is judged as %+v, undisturbed as %+v", one, two)
	}
	s.ok("drift beds", "0 gone · 0 new")
}

// TestCareIsShared: two workers that crawl the same host stay together at the gentler of the tempos asked for, as the
// server counts.
func TestCareIsShared(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.startWith(new(bytes.Buffer), "--crawls", "0")
	beds := &counted{pages: 300, asked: map[string]int{}}
	address := testkit.Serve(t, beds)
	for name, pause := range map[string]string{"one": "50ms", "two": "100ms"} {
		s.ok("site add " + name + " http://beds.example/ --allow 127.0.0.0/8")
		s.ok(
			"plan set " + name + " probes=false resources=none sources.sitemaps=false steady=true parallel=4 pause=" + pause +
				" --host beds.example=" + address,
		)
	}
	first := s.hire("--crawls", "1")
	s.ok("crawl one --detach")
	s.until("the first fetches", func() bool { return beds.sum() > 5 })
	second := s.hire("--crawls", "1")
	s.ok("crawl two --detach")
	s.until("the second fetches", func() bool {
		return s.crawlOf("two", 1).Progress.Fetched > 3 && strings.Contains(second.log.String(), "crawl started")
	})
	before, begun := beds.sum(), time.Now()
	time.Sleep(5 * time.Second)
	// A machine that is busy makes it fewer, never more.
	if n, most := beds.sum()-before, time.Since(begun).Seconds()*10; float64(n) > 1.15*most+3 {
		t.Errorf("%d requests in the time of %.0f", n, most)
	}
	for _, name := range []string{"one", "two"} {
		if p := s.crawlOf(name, 1).Progress.Pace; p == nil || p.Gap < 0.19 {
			t.Errorf("the pace of %s is %+v", name, p)
		}
	}
	_ = second.cmd.Process.Signal(syscall.SIGTERM)
	s.until("the first is alone again", func() bool {
		p := s.crawlOf("one", 1).Progress.Pace
		return p != nil && p.Gap < 0.06
	})
	_ = first.cmd.Process.Signal(syscall.SIGTERM)
}

// TestWorkerRefused: a worker without a database, or with nothing to do, says what is missing.
func TestWorkerRefused(t *testing.T) {
	t.Parallel()
	s := &shell{t: t, binary: program(t, "harvik"), data: t.TempDir()}
	s.fails("worker", 1, "no database is named, and no service runs in")
	s.fails("worker --crawls 0 --judgings 0 --rechecks 0 --watches 0 --messages 0", 2, "a worker that may do nothing is none")
	s.fails("worker --database host=/nowhere --key-file nowhere.key", 1, "reading the key of the secrets")
}

// TestKeys: a worker without the key leaves crawls that need a secret to one that has it; secrets are sealed by a new
// key only once all who work have it.
func TestKeys(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.startWith(new(bytes.Buffer), "--crawls", "0")
	address := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer open-sesame" {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		fmt.Fprint(w, "<!doctype html><title>Members</title><h1>Members</h1>")
	}))
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	other, copied := filepath.Join(t.TempDir(), "other.key"), filepath.Join(t.TempDir(), "copied.key")
	if err := os.WriteFile(other, []byte(strings.Repeat("ab", 32)), 0o600); err != nil {
		t.Fatal(err)
	}
	s.ok("plan set beds probes=false sources.sitemaps=false --host beds.example=" + address)
	set := exec.Command(s.binary, "--data", s.data, "secret", "set", "beds", "token")
	set.Stdin = strings.NewReader("open-sesame\n")
	if answer, err := set.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v", answer, err)
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	if err := os.WriteFile(plan, []byte("gates: [{kind: bearer, secret: token}]\nhosts: {beds.example: \""+address+
		"\"}\nprobes: false\nsources: {sitemaps: false}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.ok("plan set beds -f " + plan)
	copyKey := func() {
		t.Helper()
		text, err := os.ReadFile(filepath.Join(s.data, "secrets.key"))
		if err == nil {
			err = os.WriteFile(copied, text, 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	copyKey()
	without := s.hire("--key-file", other)
	s.until("it says what it lacks", func() bool { return strings.Contains(without.log.String(), "is lacking") })
	with := s.hire("--key-file", copied)
	s.until("both are heard of", func() bool { return strings.Contains(s.ok("queue"), "3 workers") })
	for range 3 {
		s.ok("crawl beds")
		if c := s.crawlOf("beds", 1); c.Progress.Pages != 1 || c.Progress.Statuses["200"] != 1 {
			t.Errorf("it ended with %+v", c.Progress)
		}
	}
	if strings.Contains(without.log.String(), "crawl started") || strings.Count(with.log.String(), "crawl started") != 3 {
		t.Errorf("the one without says %s; the one with %s", without.log, with.log)
	}
	_ = without.cmd.Process.Signal(syscall.SIGTERM)
	s.until("it is gone", func() bool { return strings.Contains(s.ok("queue"), "2 workers") })

	out, talk, code := s.run("key", "rotate")
	if code != 1 || !strings.Contains(out, "process "+strconv.Itoa(with.cmd.Process.Pid)) ||
		strings.Contains(out, "process "+strconv.Itoa(s.service.Process.Pid)) || !strings.Contains(talk, "bring the file there") {
		t.Errorf("while the worker lacks it: exit code %d, %q %q", code, out, talk)
	}
	s.ok("crawl beds")
	copyKey()
	s.ok("key rotate", "1 secret is sealed by the new key")
	s.ok("crawl beds") // by the worker's copy, in which the key is still one that is to be
	if c := s.crawlOf("beds", 5); c.Progress.Statuses["200"] != 1 {
		t.Errorf("after the rotation it ended with %+v", c.Progress)
	}
	text, err := os.ReadFile(filepath.Join(s.data, "secrets.key"))
	if lines := strings.Fields(string(text)); err != nil || len(lines) != 2 || strings.HasPrefix(string(text), "next") {
		t.Errorf("the file holds %d words (%v)", len(lines), err)
	}
}
