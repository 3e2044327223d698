package crawl

import (
	"strconv"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/weburl"
	"harvik/internal/pace"
)

// governor is that of an address's host, told how fast this crawl may ask it: inside the site
// as the plan says, elsewhere gently.
func (c *Crawl) governor(u *weburl.URL, role page.Role) *pace.Governor {
	return c.governorBy(u, func() pace.Tempo { return c.tempoOf(u, role, c.frontier.rules[u.Origin()+"/"]) })
}

// governorBy is that of an address's host, which is asked at a tempo where this crawl has not asked it yet.
func (c *Crawl) governorBy(u *weburl.URL, tempo func() pace.Tempo) *pace.Governor {
	host := strings.ToLower(u.Host())
	c.tempo.Lock()
	defer c.tempo.Unlock()
	if g := c.hosts[host]; g != nil {
		return g
	}
	g := c.paces.Of(host)
	g.Join(c, tempo())
	c.hosts[host] = g
	return g
}

// Paces outside the site, whatever the plan's.
const (
	resourceParallel = 2
	resourceGap      = 50 * time.Millisecond
	outboundGap      = time.Second
)

// tempoOf is how fast a host may be asked, by its robots.txt, which may be nil. The lock is held.
func (c *Crawl) tempoOf(u *weburl.URL, role page.Role, rules *robots.File) pace.Tempo {
	if c.frontier.scope.Inside(u.Key()) {
		return Tempo(&c.plan, rules)
	}
	if role == page.AsLink {
		return pace.Tempo{Parallel: 1, Gap: outboundGap}
	}
	return pace.Tempo{Parallel: resourceParallel, Gap: resourceGap}
}

// longestDelay bounds what a Crawl-delay can ask for.
const longestDelay = 5 * time.Minute

// Tempo is how fast a plan's own hosts may be asked, by the plan and by their robots.txt, which may be nil.
func Tempo(p *plan.Plan, rules *robots.File) pace.Tempo {
	t := pace.Tempo{Parallel: p.Parallel, Gap: time.Duration(p.Pause), Steady: p.Steady}
	if p.PerSecond > 0 {
		t.Gap = max(t.Gap, time.Duration(float64(time.Second)/p.PerSecond))
	}
	if rules == nil || p.Robots == plan.Disregard {
		return t
	}
	if seconds, line := rules.Delay(p.RobotsAs); seconds > 0 {
		if delay := time.Duration(min(seconds, longestDelay.Seconds()) * float64(time.Second)); delay > t.Gap {
			t.Gap = delay
			t.Why = "robots.txt, line " + strconv.Itoa(line.Number) + ", asks for " + delay.String() +
				" between requests"
		}
	}
	return t
}

// rejoin tells the governor of an origin's host what its robots.txt asks for.
func (c *Crawl) rejoin(origin string) {
	u, err := weburl.Parse(origin)
	if err != nil {
		return
	}
	c.tempo.Lock()
	defer c.tempo.Unlock()
	if g := c.hosts[strings.ToLower(u.Host())]; g != nil {
		g.Join(c, c.tempoOf(&u, page.AsPage, c.frontier.rules[u.Origin()+"/"]))
	}
}

// Retune changes the pace while the crawl runs.
func (c *Crawl) Retune(parallel int, pause time.Duration, perSecond float64) {
	c.tempo.Lock()
	c.plan.Parallel, c.plan.Pause, c.plan.PerSecond = parallel, plan.Duration(pause), perSecond
	for host, g := range c.hosts {
		for _, scheme := range []string{"https://", "http://"} {
			if u, err := weburl.Parse(scheme + host + "/"); err == nil && c.frontier.scope.Inside(u.Key()) {
				g.Join(c, c.tempoOf(&u, page.AsPage, c.frontier.rules[u.Origin()+"/"]))
			}
		}
	}
	c.tempo.Unlock()
	c.nudge()
}

func (c *Crawl) parallel() int {
	c.tempo.Lock()
	defer c.tempo.Unlock()
	return c.plan.Parallel
}
