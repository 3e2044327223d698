package crawl

import (
	"strconv"
	"sync"
	"time"

	"harvik/internal/record"
)

// meter keeps the progress. Safe for use from several goroutines.
type meter struct {
	mu    sync.Mutex
	now   record.Progress
	start time.Time
	ring  [10]int // fetched, by second
	tick  int64   // second of the newest entry
}

func (m *meter) begin() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.start = time.Now()
	m.now = record.Progress{Phase: "starting", Statuses: map[string]int{}}
}

func (m *meter) known(waiting, known, findings int) {
	m.mu.Lock()
	m.now.Waiting, m.now.Known, m.now.Findings = waiting, known, findings
	m.mu.Unlock()
}

func (m *meter) fetched(d done) {
	m.mu.Lock()
	defer m.mu.Unlock()
	p := &m.now
	p.Phase = "fetching"
	p.Fetched++
	p.Retries += d.retries
	p.Last = d.url
	key := string(d.Facts.Outcome)
	if d.Facts.Status > 0 {
		key = strconv.Itoa(d.Facts.Status)
	}
	p.Statuses[key]++
	if d.Facts.Status == 0 || d.Facts.Status >= 400 {
		p.Failures++
	}
	m.advance()
	m.ring[m.tick%int64(len(m.ring))]++
}

// advance clears the seconds that passed without a result.
func (m *meter) advance() {
	second := int64(time.Since(m.start) / time.Second)
	for ; m.tick < second; m.tick++ {
		m.ring[(m.tick+1)%int64(len(m.ring))] = 0
	}
}

func (m *meter) judging() {
	m.mu.Lock()
	m.now.Phase = "judging"
	m.mu.Unlock()
}

func (m *meter) done(findings int) {
	m.mu.Lock()
	m.now.Phase, m.now.Findings, m.now.Waiting = "done", findings, 0
	m.mu.Unlock()
}

// Progress is a copy of how far the crawl is.
func (c *Crawl) Progress() record.Progress {
	m := &c.progress
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.start.IsZero() {
		return record.Progress{Phase: "starting"}
	}
	m.advance()
	p := m.now
	p.Statuses = make(map[string]int, len(m.now.Statuses))
	for k, n := range m.now.Statuses {
		p.Statuses[k] = n
	}
	p.Seconds = time.Since(m.start).Seconds()
	total := 0
	for _, n := range m.ring {
		total += n
	}
	p.Rate = float64(total) / max(0.2, min(p.Seconds, float64(len(m.ring))-1+p.Seconds-float64(m.tick)))
	p.Waiting = min(p.Waiting, max(0, c.plan.Pages-p.Fetched))
	if p.Rate > 0 {
		p.Left = float64(p.Waiting) / p.Rate
	}
	return p
}
