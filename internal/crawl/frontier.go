package crawl

import (
	"slices"
	"strings"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// A lane is a part of a crawl's work. Each begins when the one before it has nothing left and
// all its results are in, so that the order of requests depends on the site alone.
type lane uint8

const (
	linked   lane = iota // the start, listed addresses of the plan, and what links lead to
	listed               // what else the sitemaps list, and what links lead to from there
	loaded               // what pages load
	outbound             // links that lead out
	finished
)

var laneNames = [...]string{"links", "sitemaps", "resources", "outbound", "finished"}

// ofPages tells whether a lane's addresses count for the plan's number of pages.
func (l lane) ofPages() bool { return l <= listed }

// frontier holds every known address by number, and which are to be fetched next. It is
// used from the crawl's one loop.
type frontier struct {
	plan      plan.Plan
	scope     *scope.Scope
	addresses []survey.Address
	numbers   map[string]int32
	queue     queue
	later     [finished][]int32 // waiting for their lane
	lane      lane
	rules     map[string]*robots.File // by origin, inside the site
	listing   *booking.Listing
	aside     map[int32]bool // named by nofollow pages only, so far
	quotas    []int          // fetched or queued, by quota of the scope
	traps     traps
	beyond    int                       // mentions of addresses that were not taken up, since so many are known
	loads     int                       // resources that wait or were fetched
	stored    int                       // addresses that a sink has
	changed   map[int32]bool            // of these, those that have changed since
	only      func(address string) bool // nil, or what is wanted besides redirects' targets
}

func newFrontier(start weburl.URL, p plan.Plan) *frontier {
	f := &frontier{
		plan: p, scope: scope.New(start, p.Scope), numbers: map[string]int32{}, rules: map[string]*robots.File{},
		aside: map[int32]bool{}, traps: newTraps(), changed: map[int32]bool{},
	}
	f.listing = booking.NewListing(start, f.scope, booking.MostKnown(p.Pages))
	f.quotas = make([]int, f.scope.Quotas())
	if p.Selection == plan.Spread {
		f.queue = newSpread(&f.traps)
	} else {
		f.queue = new(fifo)
	}
	return f
}

// A mention is how an address is named.
type mention struct {
	from   int32 // the page that names it, −1 for none
	depth  int32
	found  survey.Found
	role   page.Role
	follow bool
	avoid  string // why it is not to be fetched, "" for no reason
}

// add makes an address known. Wanted tells that it is to be admitted, once the rules of its
// origin are known.
func (f *frontier) add(address string, m mention) (id int32, wanted bool) {
	if id, ok := f.numbers[address]; ok {
		return id, f.mentioned(id, m)
	}
	if len(f.addresses) >= booking.MostKnown(f.plan.Pages) {
		f.beyond++
		return -1, false
	}
	a := survey.Address{
		URL: address, FoundOn: m.from, Depth: m.depth, Role: m.role, Found: m.found, InSitemap: f.listing.Has[address],
	}
	if f.decide(&a); m.avoid != "" && a.State == survey.Waiting {
		a.State, a.Rule.Text = survey.LeftOut, m.avoid
	}
	id = f.append(a)
	return id, f.enqueue(id, m)
}

// mentioned notes a further mention of a known address, which can be worth more than the first.
func (f *frontier) mentioned(id int32, m mention) (wanted bool) {
	a := &f.addresses[id]
	switch {
	case m.role == page.AsPage && a.Role != page.AsPage: // known as a picture or by a form, now linked
		if a.State != survey.Waiting || f.scope.Origin(a.URL) == "" || !f.lane.ofPages() {
			return false
		}
		a.Role, a.Found, a.FoundOn, a.Depth = m.role, m.found, m.from, m.depth
		f.decide(a)
		f.change(id)
		return f.enqueue(id, m)
	case laneOf(m.role) == loaded && f.plan.Resources == plan.All && // linked, now loaded
		(a.State == survey.Outside || a.State == survey.Waiting && a.Role.OnlyAlive()):
		a.Role, a.Found, a.State = m.role, m.found, survey.Waiting
		f.change(id)
		return f.enqueue(id, m)
	case m.follow && a.State == survey.Waiting && f.aside[id]:
		delete(f.aside, id)
		a.Depth, a.FoundOn = m.depth, m.from
		f.change(id)
		return true
	}
	return false
}

// enqueue puts a new address where it belongs: an inside page is wanted now or stands aside,
// anything else waits for its lane.
func (f *frontier) enqueue(id int32, m mention) (wanted bool) {
	a := &f.addresses[id]
	l := laneOf(a.Role)
	switch {
	case a.State != survey.Waiting:
		return false
	case l == linked:
		if !m.follow {
			f.aside[id] = true
		}
		return m.follow
	case l == loaded:
		if f.loads >= f.mostLoads() {
			a.State, a.Rule.Text = survey.OverLimit, "more resources than pages can account for"
			return false
		}
		f.loads++
	}
	if f.lane >= l {
		f.queue.push(id, f.addresses)
	} else {
		f.later[l] = append(f.later[l], id)
	}
	return false
}

// mostLoads is how many resources are fetched at most: more than any honest site has, so that a
// hostile page cannot keep a crawl busy for ever.
func (f *frontier) mostLoads() int { return 1000 + 20*f.plan.Pages }

func laneOf(r page.Role) lane {
	switch r {
	case page.AsPage:
		return linked
	case page.AsLink, page.AsForm:
		return outbound
	}
	return loaded
}

func (f *frontier) change(id int32) {
	if int(id) < f.stored {
		f.changed[id] = true
	}
}

func (f *frontier) append(a survey.Address) int32 {
	id := int32(len(f.addresses))
	f.addresses = append(f.addresses, a)
	f.numbers[a.URL] = id
	return id
}

// maxAddress is the longest address that is fetched; servers refuse longer ones.
const maxAddress = 8000

// maxHops is how many redirects a resource or an outbound link may take.
const maxHops = 10

// decide decides what is to become of an address, as far as its own text tells.
func (f *frontier) decide(a *survey.Address) {
	origin := f.scope.Origin(a.URL)
	isWeb := strings.HasPrefix(a.URL, "http://") || strings.HasPrefix(a.URL, "https://")
	switch {
	case !isWeb:
		a.State = survey.NotWeb
	case len(a.URL) > maxAddress:
		a.State = survey.TooLong
	case f.only != nil && a.Found != survey.ByRedirect && !f.only(a.URL):
		a.State, a.Rule.Text = survey.LeftOut, "not concerned"
	case a.Role != page.AsPage:
		a.State = survey.Waiting
		if origin == "" && f.plan.Resources == plan.Inside && !a.Role.OnlyAlive() {
			a.State = survey.Outside
		} else if a.Found == survey.ByRedirect && a.Depth > maxHops {
			a.State = survey.TooDeep
		}
	case origin == "":
		a.State = survey.Outside
		if f.plan.Outbound {
			a.State, a.Role = survey.Waiting, page.AsLink
		}
	case !*f.plan.Sources.Links &&
		(a.Found == survey.ByLink || a.Found == survey.ByCanonical || a.Found == survey.ByMention):
		a.State, a.Rule.Text = survey.LeftOut, "sources.links is off"
	case a.Found == survey.ByStart:
		a.State = survey.Waiting
	default:
		if rule := f.scope.Refuses(a.URL, origin); rule != "" {
			a.State, a.Rule.Text = survey.LeftOut, rule
		} else if int(a.Depth) > f.plan.Depth {
			a.State = survey.TooDeep
		} else {
			a.State = survey.Waiting
		}
	}
}

// admit queues an inside page, unless robots.txt, a trap or a limit for its part of the site
// shut it out. The rules of its origin are known.
func (f *frontier) admit(id int32) {
	a := &f.addresses[id]
	if v := f.verdict(a.URL); !v.Allowed {
		a.State, a.Rule = survey.Blocked, v.Rule
		f.change(id)
		return
	}
	if t := f.traps.admits(a.URL); t != nil && !a.InSitemap && f.only == nil {
		f.trap(id, t)
		return
	}
	if n, pattern, most := f.scope.Quota(a.URL, f.scope.Origin(a.URL)); n >= 0 {
		if f.quotas[n] == most {
			a.State, a.Rule.Text = survey.OverLimit, pattern
			f.change(id)
			return
		}
		f.quotas[n]++
	}
	f.queue.push(id, f.addresses)
}

// verdict is what the robots.txt of an inside address says of it, as far as it was read.
func (f *frontier) verdict(address string) robots.Verdict {
	origin := f.scope.Origin(address)
	rules := f.rules[origin]
	if rules == nil || f.plan.Robots == plan.Disregard {
		return robots.Verdict{Allowed: true}
	}
	return rules.Decide(f.plan.RobotsAs, address[len(origin)-1:])
}

// shuts is the trap that an address was found to belong to since it was queued, nil for none.
func (f *frontier) shuts(id int32) *family {
	if f.addresses[id].InSitemap || f.only != nil {
		return nil
	}
	return f.traps.shuts(f.addresses[id].URL)
}

func (f *frontier) trap(id int32, t *family) {
	a := &f.addresses[id]
	a.State, a.Rule.Text = survey.Trapped, t.pattern
	t.left++
	f.change(id)
}

// advance goes on to the next lane. It tells whether there is one.
func (f *frontier) advance() bool {
	f.lane++
	if f.lane >= finished {
		f.lane = finished
		return false
	}
	if f.lane.ofPages() {
		return true
	}
	f.queue = new(fifo) // what pages load is not chosen among
	for _, id := range f.later[f.lane] {
		if f.addresses[id].State == survey.Waiting && laneOf(f.addresses[id].Role) == f.lane {
			f.queue.push(id, f.addresses)
		}
	}
	f.later[f.lane] = nil
	return true
}

// A queue gives the numbers of addresses in the order in which they are to be fetched.
type queue interface {
	push(id int32, addresses []survey.Address)
	pop() (id int32, ok bool)
	// ready tells that what pop gives next does not depend on results still awaited.
	ready() bool
	size() int
}

// fifo is breadth first, in the order found.
type fifo struct {
	ids  []int32
	head int
}

func (q *fifo) push(id int32, _ []survey.Address) { q.ids = append(q.ids, id) }

func (q *fifo) ready() bool { return q.head < len(q.ids) }

func (q *fifo) size() int { return len(q.ids) - q.head }

func (q *fifo) pop() (int32, bool) {
	if q.head == len(q.ids) {
		return -1, false
	}
	id := q.ids[q.head]
	q.head++
	if q.head > 4096 && q.head > len(q.ids)/2 {
		q.ids = slices.Delete(q.ids, 0, q.head)
		q.head = 0
	}
	return id, true
}
