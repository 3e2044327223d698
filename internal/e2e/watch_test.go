package e2e

import (
	"bytes"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"os"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"

	"harvik/internal/testkit"
)

// spans takes traces by OTLP over HTTP.
type spans struct {
	mu   sync.Mutex
	sent bytes.Buffer
}

// ServeHTTP implements http.Handler.
func (s *spans) ServeHTTP(_ http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.sent.WriteString(r.URL.Path)
	_, _ = io.Copy(&s.sent, r.Body) // what arrives is looked at below
}

// TestWatchedOver: who watches over a service and its worker reads figures of both, whether they live and are ready,
// logs that a program reads, and traces of what they did; none of it names a site but logs and traces.
func TestWatchedOver(t *testing.T) {
	t.Parallel()
	traces := new(spans)
	s := newShell(t)
	s.env = append(os.Environ(), "OTEL_EXPORTER_OTLP_ENDPOINT=http://"+testkit.Serve(t, traces))
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	free.Close()
	s.startWith(new(bytes.Buffer), "--no-work", "--metrics", free.Addr().String(), "--log-json")
	worker := s.hire("--metrics", "127.0.0.1:0", "--log-json")
	s.until("the worker serves figures", func() bool { return strings.Contains(worker.log.String(), "/metrics") })
	at := regexp.MustCompile(`"address":"(http://[0-9.:]+)/metrics"`).FindStringSubmatch(worker.log.String())[1]
	get := func(address string) (int, string) {
		t.Helper()
		r, err := http.Get(address)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		if err != nil {
			t.Fatal(err)
		}
		return r.StatusCode, string(body)
	}
	says := func(address string, lines ...string) string {
		t.Helper()
		code, body := get(address)
		for _, l := range lines {
			if code != http.StatusOK || !regexp.MustCompile("(?m)^"+l+"$").MatchString(body) {
				t.Errorf("%s answers %d without %s:\n%s", address, code, l, body)
			}
		}
		return body
	}
	site := testkit.Serve(t, &testkit.Generated{Pages: 20, Seed: 1})
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.ok("plan set beds probes=false sources.sitemaps=false --host beds.example=" + site)
	s.ok("crawl beds")
	s.until("what hangs on it is done", func() bool { return strings.Contains(s.ok("queue"), "0 other jobs") })
	body := says(at+"/metrics", `harvik_requests_total\{outcome="answered"\} \d+`,
		`harvik_crawls_total\{how="complete"\} 1`, `harvik_jobs_total\{how="done",what="tidy"\} 1`, `harvik_workers 2`,
		`harvik_database_up 1`, `harvik_request_seconds_bucket\{le="\+Inf"\} \d+`, `go_memstats_heap_alloc_bytes \S+`)
	if strings.Contains(body, "beds") {
		t.Error("the figures name the site")
	}
	service := "http://" + free.Addr().String()
	says(service+"/metrics", `harvik_info\{version="[0-9.]+"\} 1`)
	says(service+"/healthz", "ok")
	says(service+"/readyz", "ready")
	for line := range strings.Lines(worker.log.String()) {
		var out map[string]any
		if err := json.Unmarshal([]byte(line), &out); err != nil || out["msg"] == "" {
			t.Errorf("no program reads %s (%v)", line, err)
		}
	}
	_ = worker.cmd.Process.Signal(syscall.SIGTERM)
	s.until("the worker is gone", func() bool { return strings.Contains(s.ok("queue"), "1 worker\n") })
	traces.mu.Lock()
	defer traces.mu.Unlock()
	for _, part := range []string{"/v1/traces", "harvik.crawl", "fetch", "judge", "store", "tidy", "beds"} {
		if !strings.Contains(traces.sent.String(), part) {
			t.Errorf("the traces do not say %q", part)
		}
	}
}
