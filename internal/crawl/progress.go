package crawl

import (
	"maps"
	"strconv"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// meter keeps the progress. Safe for use from several goroutines.
type meter struct {
	mu       sync.Mutex
	now      record.Progress
	start    time.Time
	before   time.Duration // what earlier runs took
	ring     [10]int       // fetched, by second
	tick     int64         // second of the newest entry
	surveyed time.Time     // when states were last counted; of the loop alone
}

// maxSections and maxErrors bound what the progress lists.
const (
	maxSections = 200
	maxTypes    = 50
	maxErrors   = 12
)

func (m *meter) begin() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.start = time.Now()
	m.now = record.Progress{
		Phase: "starting", Statuses: map[string]int{}, Types: map[string]int{},
		Depths: map[int]int{}, Sections: map[string]int{},
	}
}

// fetched counts a result as it comes in.
func (m *meter) fetched(d *done) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.now.Phase = "fetching"
	m.now.Retries += d.retries
	m.now.Last = d.url
	m.count(d.Facts)
	m.advance()
	m.ring[m.tick%int64(len(m.ring))]++
}

// stored counts a result of an earlier run.
func (m *meter) stored(r *booking.Record) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.now.Phase = "resuming"
	m.now.Retries += max(0, r.Facts.Tries-1)
	m.count(r.Facts)
}

func (m *meter) count(f *page.Facts) {
	p := &m.now
	p.Fetched++
	p.Bytes += int64(f.Transferred)
	key := string(f.Outcome)
	if f.Status > 0 {
		key = strconv.Itoa(f.Status)
	}
	p.Statuses[key]++
	if f.Status >= 400 || f.Status == 0 && f.Outcome != page.RobotsBlocks && f.Outcome != page.NotRead {
		p.Failures++
		e := record.FetchError{Address: f.Address, What: key, Detail: f.Detail}
		if f.Status > 0 {
			e.What = "status " + key
		}
		p.Errors = append(p.Errors[max(0, len(p.Errors)-maxErrors+1):len(p.Errors):len(p.Errors)], e)
	}
}

// booked tells the state after a result was taken up.
func (m *meter) booked(f *frontier, d *booking.Record, findings int) {
	a := &f.addresses[d.ID]
	m.mu.Lock()
	defer m.mu.Unlock()
	p := &m.now
	p.Findings, p.Lane = findings, laneNames[f.lane]
	p.Known, p.Waiting, p.Beyond = len(f.addresses), f.queue.size(), f.beyond
	p.Later = len(f.later[loaded]) + len(f.later[outbound])
	kind := d.Facts.Type
	if kind == "" {
		kind = "unknown"
	}
	if p.Types[kind] == 0 && len(p.Types) >= maxTypes {
		kind = "other"
	}
	p.Types[kind]++
	if d.Role != page.AsPage {
		p.Resources++
		return
	}
	p.Pages++
	p.Depths[int(a.Depth)]++
	if section := sectionOf(a.URL); len(p.Sections) < maxSections || p.Sections[section] > 0 {
		p.Sections[section]++
	}
}

// survey counts the states of all addresses. It looks at each, so it waits the longer the more
// there are.
func (m *meter) survey(addresses []survey.Address) {
	if wait := time.Duration(len(addresses)) * 2 * time.Microsecond; time.Since(m.surveyed) < wait {
		return
	}
	m.surveyed = time.Now()
	counts := make(map[string]int, 8)
	var by [16]int
	for i := range addresses {
		by[addresses[i].State]++
	}
	for state, n := range by {
		if n > 0 {
			counts[survey.State(state).String()] = n
		}
	}
	m.mu.Lock()
	m.now.States = counts
	m.mu.Unlock()
}

// advance clears the seconds that passed without a result.
func (m *meter) advance() {
	second := int64(time.Since(m.start) / time.Second)
	for ; m.tick < second; m.tick++ {
		m.ring[(m.tick+1)%int64(len(m.ring))] = 0
	}
}

// resumed takes over how long earlier runs took.
func (m *meter) resumed(p record.Progress) {
	m.mu.Lock()
	m.before = time.Duration(p.Seconds * float64(time.Second))
	m.mu.Unlock()
}

func (m *meter) phase(name string) {
	m.mu.Lock()
	m.now.Phase = name
	m.mu.Unlock()
}

// leastForEstimate is how many recent results tell how long those that wait will take; fewer come of
// requests that time out, and say nothing of the others.
const leastForEstimate = 10

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
	p.Statuses, p.Types, p.Depths, p.Sections = maps.Clone(p.Statuses), maps.Clone(p.Types), maps.Clone(p.Depths),
		maps.Clone(p.Sections)
	p.Seconds = (m.before + time.Since(m.start)).Seconds()
	total := 0
	for _, n := range m.ring {
		total += n
	}
	running := time.Since(m.start).Seconds()
	p.Rate = float64(total) / max(0.2, min(running, float64(len(m.ring))-1+running-float64(m.tick)))
	left := p.Waiting
	if p.Lane == laneNames[linked] || p.Lane == laneNames[listed] {
		left = min(left, max(0, c.plan.Pages-p.Pages))
	}
	p.Waiting = left
	if total >= leastForEstimate {
		p.Left = float64(left+p.Later) / p.Rate
	}
	p.Pace = c.homePace()
	return p
}

// homePace is the pace on the start's host.
func (c *Crawl) homePace() *record.Pace {
	c.tempo.Lock()
	g := c.hosts[c.start.Host()]
	c.tempo.Unlock()
	if g == nil {
		return nil
	}
	p := g.State(time.Now())
	return &p
}
