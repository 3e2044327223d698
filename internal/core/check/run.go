package check

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
)

// A Runner runs a catalogue. It is safe for use from several goroutines.
type Runner struct {
	Checks []*Check // those that judge, and variants that findings are counted as
	Limits *Limits
	// Panicked is told of a check that panicked; the run goes on without its findings
	// for that page. Nil is fine.
	Panicked func(c *Check, address string, value any)

	staging  []string // hosts that no page may link to
	variants map[*Check]*variants
	kinds    []kindRule
}

// Page runs the page checks over one page's facts and returns what they found, in the order
// of the catalogue.
func (r *Runner) Page(id int32, f *page.Facts) []Finding {
	if !f.IsPage() {
		return nil
	}
	indexable, _ := f.Indexable()
	closed := f.Closed() && r.hides(f.Address)
	var out []Finding
	var found Finding
	pass := PagePass{Facts: f, Doc: f.Document, Staging: r.staging, report: func(p Place) { found.add(p) }}
	var c *Check
	run := func() { c.Page(&pass) }
	for _, c = range r.Checks {
		silent := c.Scope == Indexable && !indexable
		if c.Page == nil || silent && !closed || f.Version < c.Since {
			continue
		}
		as, limits := r.at(c, f.Address)
		if as == nil {
			continue
		}
		found, pass.Limits = Finding{Check: as, Page: id, Silent: silent}, limits
		if r.guard(c, f.Address, run) && len(found.Places) > 0 {
			out = append(out, found)
		}
	}
	return out
}

// Hiding is the ID of the check that tells pages which are kept out of search. Where a plan switches it
// off, that is meant, and costs nothing.
const Hiding = "index-noindex"

func (r *Runner) hiding() *Check {
	i := slices.IndexFunc(r.Checks, func(c *Check) bool { return c.ID == Hiding && c.Page != nil })
	if i < 0 {
		return nil
	}
	return r.Checks[i]
}

// hides tells whether what keeps a page out of search is to be counted.
func (r *Runner) hides(address string) bool {
	h := r.hiding()
	if h == nil {
		return false
	}
	as, _ := r.at(h, address)
	return as != nil
}

// Site runs the site checks, several at once, and hands take what each finds, as soon as those before
// it in the catalogue are done, and in several parts where it is much: all findings of a large crawl need not be held
// together. They come in the order of the catalogue, those of a part in order of page address, places as reported. Take
// is called by one goroutine at a time; its error ends the run.
func (r *Runner) Site(s *survey.Survey, take func([]Finding) error) error {
	turn := inTurn{take: take, found: make([][]Finding, len(r.Checks)), done: make([]bool, len(r.Checks))}
	turn.come.L = &turn.mu
	ofRenderings := sync.OnceValues(func() (map[*Check][]Finding, error) { return r.renderings(s) })
	mishap.Each(len(r.Checks), func(i int) {
		if turn.failed() {
			return
		}
		var found []Finding
		err := mishap.Catch(func() (err error) {
			switch c := r.Checks[i]; {
			case c.Since > s.Facts:
			case c.Rendering != nil:
				var all map[*Check][]Finding
				all, err = ofRenderings()
				found = all[c]
			case c.Site != nil:
				found, err = r.siteCheck(c, s, func(part []Finding) error { return turn.part(i, part) })
			}
			return err
		})
		turn.finish(i, found, err)
	})
	return turn.err
}

// inTurn hands on what checks that run side by side find, in their order.
type inTurn struct {
	take  func([]Finding) error
	mu    sync.Mutex
	come  sync.Cond // the next one's turn, or an error
	found [][]Finding
	done  []bool
	next  int
	err   error
}

// failed tells that nothing more is wanted.
func (t *inTurn) failed() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.err != nil
}

// part hands on a part of what a check finds, which waits for those before it: they run already.
func (t *inTurn) part(i int, found []Finding) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	for t.next < i && t.err == nil {
		t.come.Wait()
	}
	if t.err == nil {
		t.err = mishap.Catch(func() error { return t.take(found) })
	}
	return t.err
}

// finish takes in what a check found, or the rest of it.
func (t *inTurn) finish(i int, found []Finding, err error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	defer t.come.Broadcast()
	t.found[i], t.done[i] = found, true
	if t.err == nil {
		t.err = err
	}
	for t.err == nil && t.next < len(t.done) && t.done[t.next] {
		if ready := t.found[t.next]; len(ready) > 0 {
			t.found[t.next] = nil
			t.err = mishap.Catch(func() error { return t.take(ready) })
		}
		t.next++
	}
}

// mostTogether is how many places are held of a check that reports page by page.
const mostTogether = 20_000

// siteCheck gives what a check finds, or the rest of it after the parts that were handed on.
func (r *Runner) siteCheck(c *Check, s *survey.Survey, hand func([]Finding) error) (out []Finding, err error) {
	found := map[int32]int{} // page → index in out
	last := int32(math.MinInt32)
	_, limits := r.at(c, "")
	follows := r.follows(c)
	silent := false // what is reported now
	var pass SitePass
	places := 0
	var unwanted error // of hand
	report := func(page int32, p Place) {
		i := len(out) - 1
		if page != last {
			if pass.pageByPage && places >= mostTogether && unwanted == nil {
				sortByAddress(s, out)
				unwanted = hand(out)
				out, places = nil, 0
				clear(found)
			}
			var ok bool
			if i, ok = found[page]; !ok {
				as, _ := r.at(c, addressOf(s, page))
				if as == nil {
					return
				}
				i = len(out)
				found[page] = i
				out = append(out, Finding{Check: as, Page: page, Silent: silent || follows && isHidden(s, page)})
			}
			last = page
		}
		out[i].add(p)
		places++
	}
	pass = SitePass{Survey: s, Limits: limits, runner: r, check: c, report: report,
		silently: func(page int32, p Place) {
			silent = true
			report(page, p)
			silent = false
		}}
	if !r.guard(c, "the site", func() { err = c.Site(&pass) }) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("running %s: %w", c.ID, err)
	}
	sortByAddress(s, out)
	return out, unwanted
}

// renderings runs the checks of what a browser made of pages, all in one pass over these, and gives what each finds. It
// notes in the survey which pages these are.
func (r *Runner) renderings(s *survey.Survey) (map[*Check][]Finding, error) {
	out, seen := map[*Check][]Finding{}, map[int32]bool{}
	if s.Source == nil {
		return out, nil
	}
	err := s.Source.EachRendering(nil, func(id int32, on []rendered.Page) {
		if g := s.Page(id); g == nil || !g.HTML {
			return
		}
		seen[id] = true
		for _, c := range r.Checks {
			if as, places := r.rendering(c, s.URL(id), on); len(places) > 0 {
				f := Finding{Check: as, Page: id, Silent: r.follows(c) && isHidden(s, id)}
				for _, p := range places {
					f.add(p)
				}
				out[c] = append(out[c], f)
			}
		}
	})
	if err != nil {
		return nil, fmt.Errorf("running the checks of renderings: %w", err)
	}
	s.Rendered = seen
	for _, found := range out {
		sortByAddress(s, found)
	}
	return out, nil
}

// rendering is where a check of what a browser makes of pages fails on one, and as what it counts there; none where it
// judges other things, or is switched off.
func (r *Runner) rendering(c *Check, address string, on []rendered.Page) (as *Check, places []Place) {
	if c.Rendering == nil {
		return nil, nil
	}
	if as, _ = r.at(c, address); as == nil {
		return nil, nil
	}
	if !r.guard(c, address, func() { places = c.Rendering(on) }) {
		return nil, nil
	}
	return as, places
}

// follows tells that nothing of a check is told where a page cannot be found.
func (r *Runner) follows(c *Check) bool {
	hiding := r.hiding()
	return hiding != nil && hiding.DoesExplain(c)
}

func sortByAddress(s *survey.Survey, found []Finding) {
	slices.SortFunc(found, func(a, b Finding) int {
		if x, y := s.Rank(a.Page), s.Rank(b.Page); x >= 0 && y >= 0 {
			return cmp.Compare(x, y)
		}
		return strings.Compare(addressOf(s, a.Page), addressOf(s, b.Page)) // the site, and what is no page
	})
}

// isHidden tells a page that answers and cannot be found.
func isHidden(s *survey.Survey, page int32) bool {
	g := s.Page(page)
	return g != nil && g.HTML && g.Status == 200 && !g.Indexable
}

func addressOf(s *survey.Survey, id int32) string {
	if id < 0 {
		return ""
	}
	return s.URL(id)
}

func (r *Runner) guard(c *Check, address string, run func()) (ok bool) {
	defer func() {
		if v := recover(); v != nil {
			ok = false
			if r.Panicked != nil {
				r.Panicked(c, address, v)
			}
		}
	}()
	run()
	return true
}
