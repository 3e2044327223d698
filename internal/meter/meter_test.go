package meter_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"harvik/internal/meter"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// queue is a store with a queue that does not change.
type queue struct{ away error }

func (q queue) QueueLengths(context.Context) ([]record.QueueLength, error) {
	return []record.QueueLength{{Queue: "crawl", State: record.Waits, Jobs: 7, Oldest: time.Minute}}, q.away
}

func (q queue) Workers(context.Context) ([]record.Worker, error) {
	return make([]record.Worker, 3), q.away
}

func (q queue) Connections() (used, most int) { return 4, 24 }

func (q queue) Ping(context.Context) error { return q.away }

// get is what a meter answers.
func get(h http.Handler, path string) (int, string) {
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", path, nil))
	return w.Code, w.Body.String()
}

// TestMeter counts what it is told of, and tells of the queue what there is; without a database it says so, and goes on
// counting; a process that ends takes no more work.
func TestMeter(t *testing.T) {
	m := meter.New(queue{})
	m.Asked("answered", 70*time.Millisecond)
	m.Asked("timed-out", 9*time.Second)
	m.Crawled("complete")
	m.Did(record.ToTidy, "done")
	ctx, cancel := context.WithCancel(t.Context())
	h := m.Handler(ctx)
	_, body := get(h, "/metrics")
	for _, line := range []string{
		`harvik_requests_total{outcome="timed-out"} 1`, `harvik_request_seconds_bucket{le="0.1"} 1`,
		`harvik_crawls_total{how="complete"} 1`, `harvik_jobs_total{how="done",what="tidy"} 1`,
		`harvik_queue_jobs{queue="crawl",state="waits"} 7`, `harvik_queue_oldest_seconds{queue="crawl",state="waits"} 60`,
		`harvik_workers 3`, `harvik_database_connections 4`, `harvik_database_connections_max 24`, `harvik_database_up 1`,
	} {
		if !strings.Contains(body, "\n"+line+"\n") {
			t.Errorf("it does not say %s:\n%s", line, body)
		}
	}
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 200, "/": 404} {
		if code, body := get(h, path); code != want {
			t.Errorf("%s: %d %s", path, code, body)
		}
	}
	cancel()
	if code, body := get(h, "/readyz"); code != 503 || !strings.Contains(body, "ending") {
		t.Errorf("a process that ends: %d %s", code, body)
	}
	gone := queue{errors.New("away")}
	m = meter.New(gone)
	m.Crawled("paused")
	h = m.Handler(t.Context())
	if _, body := get(h, "/metrics"); !strings.Contains(body, "\nharvik_database_up 0\n") ||
		!strings.Contains(body, `harvik_crawls_total{how="paused"} 1`) {
		t.Errorf("without a database: %s", body)
	}
	if code, _ := get(h, "/readyz"); code != 503 {
		t.Errorf("without a database it is ready: %d", code)
	}
	var none *meter.Meter
	none.Asked("answered", 0)
	none.Crawled("complete")
	none.Did("tidy", "done")
}

// TestDashboard: what the dashboard of deploy/ shows is there to be shown.
func TestDashboard(t *testing.T) {
	text, err := os.ReadFile(filepath.Join(testkit.Root(t), "deploy", "grafana.json"))
	if err != nil {
		t.Fatal(err)
	}
	m := meter.New(queue{})
	m.Asked("answered", 0)
	m.Crawled("complete")
	m.Did(record.ToTidy, "failed")
	_, body := get(m.Handler(t.Context()), "/metrics")
	names := regexp.MustCompile(`\b(harvik|go|process)_[a-z_]+`).FindAllString(string(text), -1)
	if len(names) < 10 {
		t.Fatalf("it shows %v", names)
	}
	for _, name := range names {
		if !strings.Contains(body, "\n"+name+"{") && !strings.Contains(body, "\n"+name+" ") {
			t.Errorf("%s is not measured", name)
		}
	}
}

// TestNoTraces: where nobody says where to, nothing is sent.
func TestNoTraces(t *testing.T) {
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", "")
	t.Setenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", "")
	stop, err := meter.Trace(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	stop(t.Context())
}
