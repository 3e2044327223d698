package demo

import (
	"net/http"
	"sync"
)

// Seasons serves the garden in one edition or the other.
type Seasons struct {
	mu    sync.Mutex
	is    Edition
	sites map[Edition]*Site
}

// NewSeasons begins with an edition.
func NewSeasons(e Edition) *Seasons { return &Seasons{is: e, sites: map[Edition]*Site{}} }

// Turn changes to the other edition, which it names.
func (s *Seasons) Turn() Edition {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.is = map[Edition]Edition{Spring: Summer, Summer: Spring}[s.is]
	return s.is
}

// Site is the edition that is on.
func (s *Seasons) Site() *Site {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.sites[s.is] == nil {
		s.sites[s.is] = New(s.is)
	}
	return s.sites[s.is]
}

func (s *Seasons) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.Site().ServeHTTP(w, r) }

// A Change is something that is different in summer although nobody reported it: what a comparison of
// a crawl in spring with one in summer has to tell, besides findings.
type Change struct {
	What string // appeared, vanished, moved, status, indexable, canonical
	Page string // path
	To   string // where it moved, or what is now in place of what was
}

// Changes are all, in the order of what they are.
var Changes = []Change{
	{"appeared", "/visit/star-bench/", ""},
	{"vanished", "/visit/rope-walk/", ""},
	{"vanished", "/visit/moon-gate/", ""},
	{"moved", "/visit/tea-lawn/", "/visit/tea-garden/"}, // with a redirect
	{"moved", "/visit/echo-wall/", "/visit/echo-bank/"}, // without one
	{"indexable", "/visit/willow-hut/", "no"},           // hidden
	{"indexable", "/visit/oak-stage/", "no"},            // said to be another page
	{"appeared", "/visit/corners/oak-stage/", ""},
	{"canonical", "/visit/oak-stage/", "/visit/corners/oak-stage/"},
}

// SummerRobots is the line that summer adds to robots.txt.
const SummerRobots = "Disallow: /visit/after-dark/"

// seasons plants what summer changes.
func (p *planter) seasons() {
	summer := p.s.Edition == Summer
	if summer {
		p.extra("/visit/star-bench/", "star bench", 3)
	} else {
		p.extra("/visit/rope-walk/", "rope walk", 3)
	}
	if summer {
		hosts := append([]string(nil), p.hosts[:3]...)
		for _, host := range hosts {
			link("/visit/moon-gate/", "the moon gate")(p.s.Page(host))
		}
		p.hosts = append(p.hosts[3:], hosts...)
		p.at("link-broken-inside", "the page was taken down, its links were left", hosts, nil)
	} else {
		p.extra("/visit/moon-gate/", "moon gate", 3)
	}
	tea, echo := "/visit/tea-lawn/", "/visit/echo-wall/"
	old := p.hosts[0]
	link("/visit/tea-lawn/", "tea on the lawn")(p.s.Page(old))
	p.hosts = append(p.hosts[1:], old)
	if summer {
		tea, echo = "/visit/tea-garden/", "/visit/echo-bank/"
		p.s.Redirects["/visit/tea-lawn/"] = tea
		p.at("link-redirects", "the page moved, one link was forgotten", []string{old}, nil)
	}
	p.extraLike("/visit/tea-lawn/", tea, "tea lawn", 3)
	p.extraLike("/visit/echo-wall/", echo, "echo wall", 3)
	hut := p.extra("/visit/willow-hut/", "willow hut", 3)
	stage := p.extra("/visit/oak-stage/", "oak stage", 3)
	if summer {
		hut.NoIndex = true
		stage.Canonical = "/visit/corners/oak-stage/"
		p.extra("/visit/corners/oak-stage/", "stage under the oak", 3)
	}
}
