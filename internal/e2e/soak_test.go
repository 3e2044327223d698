package e2e

import (
	"fmt"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"harvik/internal/testkit"
)

// discard is a response that nobody reads.
type discard struct{}

func (discard) Header() http.Header         { return http.Header{} }
func (discard) Write(p []byte) (int, error) { return len(p), nil }
func (discard) WriteHeader(int)             {}

// TestSoak crawls 100,000 generated pages with a real service and watches its memory. It runs
// by `make soak` only.
func TestSoak(t *testing.T) {
	if os.Getenv("HARVIK_SOAK") == "" {
		t.Skip("`make soak` runs this")
	}
	const pages, most = 100_000, 700 << 10 // KiB; each page has ten or more pictures that are missing
	s := newShell(t)
	s.start()
	host := testkit.Serve(t, &testkit.Generated{Pages: pages, Seed: 3})
	s.ok("site add big http://" + host + "/ --allow 127.0.0.0/8")
	s.ok(fmt.Sprintf("plan set big --pages %d --parallel 8", pages+100))
	begun := time.Now()
	out := s.ok("crawl big", "100\u202f000 pages")
	peak := s.peak()
	t.Logf("%d pages in %s, at most %d MiB resident\n%s", pages, time.Since(begun).Round(time.Second), peak>>10, out)
	if peak == 0 || peak > most {
		t.Errorf("%d KiB were resident, at most %d are allowed", peak, most)
	}
}

// peak is the most memory that the service has had resident, in KiB.
func (s *shell) peak() (peak int) {
	s.t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.service.Process.Pid))
	if err != nil {
		s.t.Fatal(err)
	}
	for line := range strings.Lines(string(status)) {
		fmt.Sscanf(line, "VmHWM: %d kB", &peak)
	}
	return peak
}

// TestMillion crawls a million tiny pages, and ten thousand of the same kind, and compares the
// time that a page takes. It runs by `make million` only.
func TestMillion(t *testing.T) {
	if os.Getenv("HARVIK_MILLION") == "" {
		t.Skip("`make million` runs this")
	}
	s := newShell(t)
	s.start()
	perPage := map[int]time.Duration{}
	for _, pages := range []int{10_000, 1_000_000} {
		host := testkit.Serve(t, &testkit.Tiny{Pages: pages})
		name := fmt.Sprintf("tiny%d", pages)
		s.ok("site add " + name + " http://" + host + "/ --allow 127.0.0.0/8")
		s.ok(fmt.Sprintf("plan set %s --pages %d --parallel 8 probes=false", name, pages+100))
		begun := time.Now()
		out := s.ok("crawl " + name)
		took := time.Since(begun)
		perPage[pages] = took / time.Duration(pages)
		t.Logf("%d pages in %s, %s a page, at most %d MiB resident so far\n%s", pages, took.Round(time.Second),
			perPage[pages], s.peak()>>10, out)
		if out := s.ok("crawl list " + name); !strings.Contains(out, "complete") ||
			!strings.Contains(out, fmt.Sprint(pages)) {
			t.Errorf("not complete:\n%s", out)
		}
	}
	if ratio := float64(perPage[1_000_000]) / float64(perPage[10_000]); ratio > 1.3 {
		t.Errorf("a page of a million takes %.2f times that of ten thousand", ratio)
	}
}

func parsePath(t testing.TB, n int) *url.URL {
	t.Helper()
	u, err := url.Parse(fmt.Sprintf("/%d", n))
	if err != nil {
		t.Fatal(err)
	}
	return u
}
