package crawl

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// frontier holds every known address by number, and which are to be fetched next: breadth
// first, in the order found. It is used from the crawl's one loop.
type frontier struct {
	addresses []survey.Address
	numbers   map[string]int32
	queue     []int32
	head      int
	plan      plan.Plan
	origins   []string                // inside the site: "https://example.com/"
	rules     map[string]*robots.File // by origin
	inSitemap map[string]bool
	listed    []string       // the same, in order
	aside     map[int32]bool // named by nofollow pages only, so far
}

func newFrontier(start weburl.URL, p plan.Plan) frontier {
	f := frontier{
		numbers: map[string]int32{}, plan: p, rules: map[string]*robots.File{},
		inSitemap: map[string]bool{}, aside: map[int32]bool{}, origins: originsOf(start),
	}
	return f
}

// originsOf are the origins that count as the start's site: both schemes and, for a name,
// with and without www. A start with a port of its own has that origin alone.
func originsOf(start weburl.URL) []string {
	host := start.Hostname()
	if strings.Contains(strings.TrimSuffix(start.Host(), "]"), ":") && !strings.HasPrefix(start.Host(), "[") || strings.Contains(start.Host(), "]:") {
		return []string{start.Origin() + "/"}
	}
	hosts := []string{start.Host()}
	if _, err := netip.ParseAddr(host); err != nil && strings.Contains(host, ".") {
		if bare, ok := strings.CutPrefix(host, "www."); ok {
			hosts = append(hosts, bare)
		} else {
			hosts = append(hosts, "www."+host)
		}
	}
	var out []string
	for _, h := range hosts {
		out = append(out, "http://"+h+"/", "https://"+h+"/")
	}
	return out
}

func (f *frontier) inside(address string) bool { return f.origin(address) != "" }

func (f *frontier) origin(address string) string {
	for _, o := range f.origins {
		if strings.HasPrefix(address, o) {
			return o
		}
	}
	return ""
}

// add makes an address known. A new one that is inside and followed is queued, unless the
// plan or robots.txt say otherwise; if the rules of its origin are not known yet, it waits
// for admit.
func (f *frontier) add(address string, from, depth int32, follow bool) (id int32, isNew bool) {
	if id, ok := f.numbers[address]; ok {
		if follow && f.addresses[id].State == survey.Waiting && f.unfollowed(id) {
			f.addresses[id].Depth = depth
			f.addresses[id].FoundOn = from
			return id, true
		}
		return id, false
	}
	id = f.append(survey.Address{URL: address, FoundOn: from, Depth: depth, State: f.state(address, depth), InSitemap: f.inSitemap[address]})
	if !follow && f.addresses[id].State == survey.Waiting {
		f.aside[id] = true
		return id, false
	}
	return id, true
}

// unfollowed tells whether an address was only named where links are not to be followed,
// and forgets it: from now on it is followed.
func (f *frontier) unfollowed(id int32) bool {
	was := f.aside[id]
	delete(f.aside, id)
	return was
}

func (f *frontier) append(a survey.Address) int32 {
	id := int32(len(f.addresses))
	f.addresses = append(f.addresses, a)
	f.numbers[a.URL] = id
	return id
}

func (f *frontier) state(address string, depth int32) survey.State {
	switch {
	case !strings.HasPrefix(address, "http://") && !strings.HasPrefix(address, "https://"):
		return survey.NotWeb
	case !f.inside(address):
		return survey.Outside
	case len(address) > maxAddress:
		return survey.TooLong
	case int(depth) > f.plan.Depth:
		return survey.TooDeep
	}
	return survey.Waiting
}

// maxAddress is the longest address that is fetched; servers refuse longer ones.
const maxAddress = 8000

// needsRules tells whether a new address waits for admit.
func (f *frontier) needsRules(id int32) bool { return f.addresses[id].State == survey.Waiting }

// admit queues an address if robots.txt allows it. The rules of its origin are known.
func (f *frontier) admit(id int32) {
	a := &f.addresses[id]
	origin := f.origin(a.URL)
	if rules := f.rules[origin]; rules != nil {
		v := rules.Decide(f.plan.RobotsAs, a.URL[len(origin)-1:])
		if !v.Allowed {
			a.State, a.Rule = survey.Blocked, v.Rule
			return
		}
	}
	f.queue = append(f.queue, id)
}

// peek is the address to fetch next.
func (f *frontier) peek() (id int32, ok bool) {
	if f.head == len(f.queue) {
		return -1, false
	}
	return f.queue[f.head], true
}

func (f *frontier) pop() {
	f.head++
	if f.head > 4096 && f.head > len(f.queue)/2 {
		f.queue = slices.Delete(f.queue, 0, f.head)
		f.head = 0
	}
}

func (f *frontier) waiting() int { return len(f.queue) - f.head }

func sortFields(fields []page.Field) {
	slices.SortStableFunc(fields, func(a, b page.Field) int { return cmp.Compare(a.Name, b.Name) })
}
