// Package pace decides when the next request to a host may start: as its crawls ask for, and as the server can bear.
package pace

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"sync"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// Tempo is how fast one host may be asked.
type Tempo struct {
	Parallel int           // requests at once
	Gap      time.Duration // between the starts of two
	Why      string        // what asks for the gap, where the plan does not
	Steady   bool          // do not adapt to the server
}

// Paces hands out one governor a host, shared by all crawls of the service, so that two crawls
// of one host do not add up. The zero value is ready for use.
type Paces struct {
	mu     sync.Mutex
	hosts  map[string]*Governor
	shared bool           // with other workers
	told   map[string]use // hosts that others know this one asks, by how fast
	fresh  chan struct{}  // something is to be told
}

// A use is how fast a host is asked.
type use struct {
	Gap      time.Duration
	Parallel int
	asked    time.Time // until when the host has asked to be left alone
}

// Of is the governor of a host.
func (p *Paces) Of(host string) *Governor {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.hosts == nil {
		p.hosts = map[string]*Governor{}
	}
	g := p.hosts[host]
	if g == nil {
		g = &Governor{tempos: map[any]Tempo{}, alone: p.shared}
		p.hosts[host] = g
		p.tell()
	}
	return g
}

// Leave takes a crawl's wishes back, and forgets hosts that nobody asks.
func (p *Paces) Leave(crawl any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for host, g := range p.hosts {
		g.mu.Lock()
		delete(g.tempos, crawl)
		idle := len(g.tempos) == 0 && g.running == 0
		g.mu.Unlock()
		if idle {
			delete(p.hosts, host)
		}
	}
}

// A Governor decides when the next request to a host may start. It keeps to the gentlest of
// the tempos that its crawls ask for, and falls below where the server struggles: after 429,
// 503, timeouts, broken connections, and when answers take much longer than they did. It
// recovers slowly.
type Governor struct {
	mu      sync.Mutex
	tempos  map[any]Tempo
	running int
	next    time.Time // of the next start
	alone   bool      // others do not know yet that the host is asked here
	share   record.HostShare

	allowed float64       // requests at once, by the server's behaviour; 0 until something happened
	slow    time.Duration // further gap, likewise
	until   time.Time     // nothing starts before: the server asked for it, or another worker is to learn of this one
	asked   time.Time     // of this, what the server asked of this worker
	reason  string
	good    int     // answers since the last struggle
	fallen  int     // answers since the pace last fell
	usual   float64 // time to first byte in ms, of better times
	recent  float64 // of the last answers, smoothed
	samples int
}

// LongestWait bounds the pauses that a Retry-After can ask of a running crawl. An answer that asks for more is not
// tried again; if the whole site is away, the crawl is put away as well.
const LongestWait = 5 * time.Minute

// Numbers of the governor.
const (
	firstSlow    = 250 * time.Millisecond
	longestSlow  = 30 * time.Second
	recoverAfter = 20 // good answers for one step up
	calmAfter    = 10 // answers between two steps down
	latencyRatio = 3.0
	latencyFloor = 400.0 // ms; faster answers are never slow
)

// Join tells how fast a crawl may ask the host, now or from now on. The crawl is any value that is its own.
func (g *Governor) Join(crawl any, t Tempo) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.tempos[crawl] = t
}

// tempo is the gentlest that is asked for. The lock is held.
func (g *Governor) tempo() Tempo {
	out := Tempo{Parallel: math.MaxInt, Steady: true}
	for _, t := range g.tempos {
		out.Parallel = min(out.Parallel, t.Parallel)
		if t.Gap > out.Gap {
			out.Gap, out.Why = t.Gap, t.Why
		}
		out.Steady = out.Steady && t.Steady
	}
	if n := g.share.Others + 1; n > 1 {
		if g.share.Gap > out.Gap {
			out.Gap, out.Why = g.share.Gap, "another worker's crawl asks for "+g.share.Gap.String()+" between requests"
		}
		if out.Why == "" {
			out.Why = fmt.Sprintf("%d workers ask this host together", n)
		}
		out.Gap *= time.Duration(n)
		out.Parallel = max(1, min(out.Parallel, g.share.Parallel)/n)
	}
	return out
}

// limits are what hold now. The lock is held.
func (g *Governor) limits(t Tempo) (parallel int, gap time.Duration) {
	parallel, gap = t.Parallel, t.Gap
	if g.allowed > 0 {
		parallel = min(parallel, int(g.allowed))
	}
	return parallel, gap + g.slow
}

// Try starts a request if that is right now; otherwise it says in how long to ask again.
func (g *Governor) Try(now time.Time) (wait time.Duration, ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.alone {
		return 10 * time.Millisecond, false
	}
	parallel, gap := g.limits(g.tempo())
	if g.running >= parallel || !g.isTurn(now) {
		return 50 * time.Millisecond, false
	}
	at := g.next
	if g.until.After(at) {
		at = g.until
	}
	if wait = at.Sub(now); wait > 0 {
		return wait, false
	}
	g.running++
	if g.next = now; gap > 0 {
		g.next = now.Add(gap)
	}
	return 0, true
}

// Wait is Try until it is right.
func (g *Governor) Wait(ctx context.Context) error {
	for {
		wait, ok := g.Try(time.Now())
		if ok {
			return nil
		}
		select {
		case <-time.After(min(wait, time.Second)):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Take counts a request that is not asked whether it may start.
func (g *Governor) Take() {
	g.mu.Lock()
	g.running++
	g.mu.Unlock()
}

// Done books how a request ended.
func (g *Governor) Done(now time.Time, a *fetch.Answer) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.running = max(0, g.running-1) // a request that ended in a panic may be booked twice
	g.fallen++
	t := g.tempo()
	if t.Steady {
		return
	}
	if a.RetryAfter > 0 && (a.Status == http.StatusTooManyRequests || a.Status == http.StatusServiceUnavailable) {
		if until := now.Add(min(a.RetryAfter, LongestWait)); until.After(g.until) {
			g.until, g.asked = until, until
		}
	}
	if why := struggle(a); why != "" {
		g.fall(t, why)
		return
	}
	if a.Status > 0 {
		g.latency(t, float64(a.Timing.FirstByte))
	}
	if g.good++; g.good >= recoverAfter {
		g.good = 0
		g.rise(t)
	}
}

// struggle says what about an answer shows that the server cannot keep up, "" for nothing.
func struggle(a *fetch.Answer) string {
	switch {
	case a.Status == http.StatusTooManyRequests || a.Status == http.StatusServiceUnavailable:
		why := fmt.Sprintf("the server answers with status %d", a.Status)
		if a.RetryAfter > 0 {
			why += fmt.Sprintf(" and asks to wait %s", a.RetryAfter.Round(time.Second))
		}
		return why
	case a.Outcome == page.TimedOut:
		return "requests time out"
	case a.Outcome == page.Reset:
		return "the server breaks connections"
	}
	return ""
}

// fall halves the pace, at most once for the requests that were under way together.
func (g *Governor) fall(t Tempo, why string) {
	g.reason, g.good = why, 0
	if g.fallen < min(calmAfter, t.Parallel) && g.allowed > 0 {
		return
	}
	g.fallen = 0
	now := float64(t.Parallel)
	if g.allowed > 0 {
		now = min(now, g.allowed)
	}
	g.allowed = max(1, now/2)
	if now <= 1 {
		g.slow = min(max(firstSlow, 2*g.slow), longestSlow)
	}
}

// rise undoes one step.
func (g *Governor) rise(t Tempo) {
	switch {
	case g.allowed == 0:
	case g.slow > 0:
		if g.slow /= 2; g.slow < firstSlow {
			g.slow = 0
		}
	case g.allowed+1 < float64(t.Parallel):
		g.allowed++
	default:
		g.allowed, g.reason = 0, ""
	}
}

// latency watches the time to first byte.
func (g *Governor) latency(t Tempo, ms float64) {
	if g.samples++; g.samples == 1 {
		g.usual, g.recent = ms, ms
	}
	g.recent += 0.1 * (ms - g.recent)
	if g.recent < g.usual {
		g.usual = g.recent
	} else {
		g.usual += 0.002 * (g.recent - g.usual)
	}
	if g.samples > 2*recoverAfter && g.fallen >= 2*recoverAfter && g.recent > latencyFloor &&
		g.recent > latencyRatio*g.usual {
		g.fall(t, fmt.Sprintf("answers take %.1f s, against %.1f s before", g.recent/1000, g.usual/1000))
	}
}

// State tells the pace as it is, for the live view.
func (g *Governor) State(now time.Time) record.Pace {
	g.mu.Lock()
	defer g.mu.Unlock()
	t := g.tempo()
	parallel, gap := g.limits(t)
	p := record.Pace{Parallel: parallel, Of: t.Parallel, Gap: gap.Seconds(), Reason: g.reason, Crawls: len(g.tempos)}
	if wait := g.until.Sub(now); wait > 0 {
		p.Waits = wait.Seconds()
	}
	if p.Reason == "" && t.Why != "" {
		p.Reason = t.Why
	}
	return p
}
