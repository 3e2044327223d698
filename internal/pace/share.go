package pace

import (
	"math"
	"slices"
	"time"

	"harvik/internal/record"
)

// Workers that ask the same host share its tempo: each takes so many times longer between two requests, and so many
// fewer at once, as there are workers. Where there are fewer requests at once than workers, they take turns.

// settling is for how long a worker waits that finds others at a host: they learn of it within that time.
const settling = 800 * time.Millisecond

// turnOf is how long a turn is, where workers take turns; in its last part nothing is begun any more.
const turnOf, turnEnds = 2 * time.Second, 300 * time.Millisecond

// Share has hosts asked only once other workers have been told of it. Fresh tells that there is something to tell.
func (p *Paces) Share() (fresh <-chan struct{}) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.shared, p.told, p.fresh = true, map[string]use{}, make(chan struct{}, 1)
	for _, g := range p.hosts {
		g.mu.Lock()
		g.alone = true
		g.mu.Unlock()
	}
	return p.fresh
}

// tell notes that there is something to tell. The lock is held.
func (p *Paces) tell() {
	if p.fresh != nil {
		select {
		case p.fresh <- struct{}{}:
		default:
		}
	}
}

// Idle tells that no host is asked, and that others know it.
func (p *Paces) Idle() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.hosts) == 0 && len(p.told) == 0
}

// Uses are the hosts that are asked otherwise than others were told, and those that are asked no more.
func (p *Paces) Uses() (joined []record.HostUse, left []string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for host, g := range p.hosts {
		g.mu.Lock()
		own := use{0, math.MaxInt32, g.asked}
		for _, t := range g.tempos {
			own.Gap, own.Parallel = max(own.Gap, t.Gap), min(own.Parallel, t.Parallel)
		}
		g.mu.Unlock()
		if told, ok := p.told[host]; !ok || told != own {
			joined = append(joined, record.HostUse{Host: host, Gap: own.Gap, Parallel: own.Parallel, Asked: own.asked})
		}
	}
	for host := range p.told {
		if p.hosts[host] == nil {
			left = append(left, host)
		}
	}
	slices.Sort(left)
	return joined, left
}

// Shared takes over what others ask, once they have been told what Uses gave.
func (p *Paces) Shared(joined []record.HostUse, left []string, shares []record.HostShare, now time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, host := range left {
		delete(p.told, host)
	}
	for _, u := range joined {
		p.told[u.Host] = use{u.Gap, u.Parallel, u.Asked}
	}
	of := map[string]record.HostShare{}
	for _, s := range shares {
		of[s.Host] = s
	}
	for host, g := range p.hosts {
		if _, told := p.told[host]; !told {
			continue // it came meanwhile
		}
		g.mu.Lock()
		if g.share = of[host]; g.alone && g.share.Others > 0 && now.Add(settling).After(g.until) {
			g.until = now.Add(settling)
		}
		g.alone = false
		if wait := min(g.share.Wait, LongestWait); wait > 0 && now.Add(wait).After(g.until) {
			g.until = now.Add(wait) // what the host asked of another it asked of all
		}
		g.mu.Unlock()
	}
}

// isTurn tells whether this worker may begin a request now, where there are more workers than requests at once. The
// order of workers is the same for all, and moves on with the clock. The lock is held.
func (g *Governor) isTurn(now time.Time) bool {
	n := g.share.Others + 1
	if n < 2 {
		return true
	}
	atOnce := g.share.Parallel
	for _, t := range g.tempos {
		atOnce = min(atOnce, t.Parallel)
	}
	if atOnce >= n {
		return true
	}
	turn := now.UnixNano() / int64(turnOf)
	if time.Duration(now.UnixNano()%int64(turnOf)) > turnOf-turnEnds {
		return false
	}
	return (g.share.Before+int(turn%int64(n)))%n < max(1, atOnce)
}
