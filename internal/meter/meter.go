// Package meter counts what a process does, for those who watch over it: figures in the form that Prometheus reads,
// whether the process lives and is ready, and traces by OpenTelemetry.
package meter

import (
	"context"
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"harvik/internal/core/version"
	"harvik/internal/record"
)

// Store is what of the database is measured.
type Store interface {
	QueueLengths(ctx context.Context) ([]record.QueueLength, error)
	Workers(ctx context.Context) ([]record.Worker, error)
	Connections() (used, most int)
	Ping(ctx context.Context) error
}

// A Meter is safe for use from several goroutines. The nil Meter counts nothing.
type Meter struct {
	store    Store
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	seconds  prometheus.Histogram
	crawls   *prometheus.CounterVec
	jobs     *prometheus.CounterVec
}

// New makes a meter of this process and of the queue that it works for.
func New(s Store) *Meter {
	m := &Meter{
		store:    s,
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "harvik_requests_total",
			Help: "Requests to sites that were made by this process, by what came of them."}, []string{"outcome"}),
		seconds: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "harvik_request_seconds",
			Help:    "Time from a request to the end of its answer.",
			Buckets: []float64{.01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30, 60}}),
		crawls: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "harvik_crawls_total",
			Help: "Crawls that ended in this process, were put away, or given back, by how."}, []string{"how"}),
		jobs: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "harvik_jobs_total",
			Help: "Other work of the queue that this process did, by what it is and how it ended."},
			[]string{"what", "how"}),
	}
	about := prometheus.NewGauge(prometheus.GaugeOpts{Name: "harvik_info", Help: "Which Harvik this is.",
		ConstLabels: prometheus.Labels{"version": version.Number}})
	about.Set(1)
	m.registry.MustRegister(m.requests, m.seconds, m.crawls, m.jobs, about, &house{store: s},
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Asked counts a request to a site.
func (m *Meter) Asked(outcome string, took time.Duration) {
	if m != nil {
		m.requests.WithLabelValues(outcome).Inc()
		m.seconds.Observe(took.Seconds())
	}
}

// Crawled counts the end of a crawl, or of this process's part in it.
func (m *Meter) Crawled(how string) {
	if m != nil {
		m.crawls.WithLabelValues(how).Inc()
	}
}

// Did counts other work.
func (m *Meter) Did(what, how string) {
	if m != nil {
		m.jobs.WithLabelValues(what, how).Inc()
	}
}

// Handler serves the figures at /metrics, whether the process lives at /healthz, and whether it can be given work at
// /readyz: it cannot once ctx has ended.
func (m *Meter) Handler(ctx context.Context) http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{Timeout: 10 * time.Second}))
	mux.HandleFunc("GET /healthz", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("ok\n")) })
	mux.HandleFunc("GET /readyz", func(w http.ResponseWriter, r *http.Request) {
		switch {
		case ctx.Err() != nil:
			http.Error(w, "this process is ending", http.StatusServiceUnavailable)
		case m.store.Ping(r.Context()) != nil:
			http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		default:
			_, _ = w.Write([]byte("ready\n"))
		}
	})
	return mux
}

// house is what is measured when it is asked for.
type house struct{ store Store }

var (
	waiting = prometheus.NewDesc("harvik_queue_jobs", "Work in the queue, of all processes.",
		[]string{"queue", "state"}, nil)
	oldest = prometheus.NewDesc("harvik_queue_oldest_seconds", "For how long the oldest work of a state has been in it.",
		[]string{"queue", "state"}, nil)
	workers = prometheus.NewDesc("harvik_workers", "Processes that are heard of.", nil, nil)
	used    = prometheus.NewDesc("harvik_database_connections", "Connections of this process to the database.",
		nil, nil)
	most = prometheus.NewDesc("harvik_database_connections_max", "Connections that this process may have at most.",
		nil, nil)
	up = prometheus.NewDesc("harvik_database_up", "1 where the database answers.", nil, nil)
)

// Describe implements prometheus.Collector.
func (h *house) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{waiting, oldest, workers, used, most, up} {
		to <- d
	}
}

// Collect implements prometheus.Collector.
func (h *house) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	now, all := h.store.Connections()
	gauge(used, float64(now))
	gauge(most, float64(all))
	lengths, err := h.store.QueueLengths(ctx)
	if err != nil {
		gauge(up, 0)
		return
	}
	gauge(up, 1)
	for _, l := range lengths {
		gauge(waiting, float64(l.Jobs), l.Queue, l.State)
		gauge(oldest, l.Oldest.Seconds(), l.Queue, l.State)
	}
	if list, err := h.store.Workers(ctx); err == nil {
		gauge(workers, float64(len(list)))
	}
}
