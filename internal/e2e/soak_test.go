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

// TestSoak crawls 50,000 generated pages with a real service and watches its memory. It runs
// by `make soak` only.
func TestSoak(t *testing.T) {
	if os.Getenv("HARVIK_SOAK") == "" {
		t.Skip("`make soak` runs this")
	}
	const pages, most = 50_000, 500 << 10 // KiB
	s := newShell(t)
	s.start()
	host := testkit.Serve(t, &testkit.Generated{Pages: pages, Seed: 3})
	s.ok("site add big http://" + host + "/")
	s.ok(fmt.Sprintf("plan set big --pages %d --parallel 8", pages+100))
	begun := time.Now()
	out := s.ok("crawl big", "50\u202f000 pages")
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.service.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	var peak int
	for line := range strings.Lines(string(status)) {
		fmt.Sscanf(line, "VmHWM: %d kB", &peak)
	}
	t.Logf("%d pages in %s, at most %d MiB resident\n%s", pages, time.Since(begun).Round(time.Second), peak>>10, out)
	if peak == 0 || peak > most {
		t.Errorf("%d KiB were resident, at most %d are allowed", peak, most)
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
