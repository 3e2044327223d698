package crawl

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"hash/fnv"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/neardup"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/pace"
	"harvik/internal/record"
	"harvik/internal/render"
)

// A Browser makes pages. Its error is that there is none, or that ctx has ended; what a page does is the result's.
type Browser interface {
	Render(ctx context.Context, address, device string, t *render.Traffic, s render.Settings) (render.Result, error)
}

// rendering is what a crawl needs to make pages in a browser; nil where its plan has none made.
type rendering struct {
	browser Browser
	traffic *render.Traffic
	plan    plan.Render
	have    map[int32]bool // pages that an earlier run has rendered

	mu     sync.Mutex
	broken string // why none is made any more
}

// newRendering makes what the plan asks for.
func (c *Crawl) newRendering(b Browser) (*rendering, error) {
	if !c.plan.Renders() {
		return nil, nil
	}
	carrier, ok := c.fetcher.(render.Carrier)
	if b == nil || !ok {
		return nil, errors.New("pages are not rendered here")
	}
	r := &rendering{browser: b, plan: c.plan.Render}
	r.traffic = &render.Traffic{Carrier: carrier, Inside: c.frontier.scope.Inside, Allowed: c.mayLoad, Turn: c.turn,
		Sends: r.plan.Sends, MaxBytes: c.plan.PageBytes}
	return r, nil
}

// mayLoad tells why what a page loads is not asked for, "" where it is.
func (c *Crawl) mayLoad(u *weburl.URL) string {
	r := &c.plan.Render
	host := u.Hostname()
	for _, name := range r.Block {
		if suffix, all := strings.CutPrefix(name, "*"); name == host || all && strings.HasSuffix(host, suffix) {
			return "the plan blocks the host"
		}
	}
	if !*r.Others && !c.frontier.scope.Inside(u.Key()) {
		return "the plan asks nothing of other hosts"
	}
	if c.plan.Robots == plan.Disregard {
		return ""
	}
	rules, _ := c.rules.of(c.asking, u.Origin()+"/")
	if v := rules.Decide(c.plan.RobotsAs, u.PathQuery()); !v.Allowed {
		return "robots.txt shuts it out"
	}
	return ""
}

// turn waits until a host may be asked for what a page loads.
func (c *Crawl) turn(ctx context.Context, u *weburl.URL) (func(*fetch.Answer), error) {
	c.tempo.Lock()
	g := c.hosts[strings.ToLower(u.Host())]
	c.tempo.Unlock()
	if g == nil {
		rules, _ := c.rules.of(ctx, u.Origin()+"/")
		g = c.governorBy(u, func() pace.Tempo { return c.tempoOf(u, page.AsOther, rules) })
	}
	if err := g.Wait(ctx); err != nil {
		return nil, err
	}
	return func(a *fetch.Answer) { c.release(g, a) }, nil
}

// renderSettings are how a page is rendered on a device.
func (c *Crawl) renderSettings(device string) render.Settings {
	r := &c.plan.Render
	return render.Settings{Within: time.Duration(r.Within), Wait: r.Wait, Click: r.Click, Tap: r.Tap,
		Slow: r.Throttle == plan.Phones && device == plan.Phone, NoScripts: r.NoScripts, Screen: *r.Screens,
		MaxBytes: c.plan.PageBytes, Agent: c.plan.UserAgent(), Language: c.plan.Language}
}

// built is a page as a browser built it on each device.
type built struct {
	record.Rendering
	facts *page.Facts // as the first device that has something to read has it; nil for none
}

// build renders a page whose source was read, on each device of the plan.
func (c *Crawl) build(ctx context.Context, id int32, at *weburl.URL, source *page.Facts,
	header http.Header) (out built, err error) {
	out.ID = id
	seen := map[string][]string{}
	for _, device := range c.plan.Render.Devices {
		got, err := c.renderOn(ctx, at.Key(), device)
		if err != nil {
			return out, err
		}
		seen[device] = got.Seen
		if got.Found() {
			facts := *source
			c.reads.Document(&facts, *at, inUTF8(header), got.HTML)
			if facts.Document != nil {
				facts.Document.Charset, facts.Document.Charsets = source.Document.Charset, source.Document.Charsets
				got.Compare(source.Document, facts.Document)
				if out.facts == nil {
					out.facts = &facts
				}
			}
		}
		out.Pages = append(out.Pages, got.Page)
		out.Pictures = append(out.Pictures, got.Picture)
	}
	for i := range out.Pages {
		phone, desktop := seen[plan.Phone], seen[plan.Desktop]
		if out.Pages[i].Device == plan.Phone && phone != nil && desktop != nil {
			out.Pages[i].Hide(phone, desktop)
		}
	}
	return out, nil
}

// renderOn renders a page on a device as often as the plan has it: it is read once, and of its speed the medians count.
func (c *Crawl) renderOn(ctx context.Context, address, device string) (render.Result, error) {
	settings := c.renderSettings(device)
	got, err := c.renders.browser.Render(ctx, address, device, c.renders.traffic, settings)
	if err != nil || !got.Found() {
		return got, err
	}
	loads := []rendered.Speed{got.Speed}
	settings.Screen, settings.Tap = false, nil
	for range c.plan.Render.Times - 1 {
		again, err := c.renders.browser.Render(ctx, address, device, c.renders.traffic, settings)
		if err != nil {
			return got, err
		}
		if again.Found() {
			loads = append(loads, again.Speed)
		}
	}
	got.Speed = rendered.Median(loads)
	return got, nil
}

// inUTF8 is a header as that of what a browser has built, which is in UTF-8 whatever the source was in.
func inUTF8(h http.Header) func(name string) []string {
	return func(name string) []string {
		if http.CanonicalHeaderKey(name) == "Content-Type" {
			return []string{"text/html; charset=utf-8"}
		}
		return h.Values(name)
	}
}

// buildAll renders a page of a crawl that has all rendered, and makes its facts those of what was built.
func (c *Crawl) buildAll(ctx context.Context, d *done, header http.Header) {
	if c.renders == nil || c.renders.plan.Pages != plan.All || !d.Facts.IsPage() || c.isEnding() {
		return
	}
	got, err := c.build(ctx, d.ID, &d.at, d.Facts, header)
	if err != nil {
		c.renders.fail(err)
		return
	}
	if d.rendering = &got.Rendering; got.facts == nil {
		return
	}
	got.facts.Document.MarkScripted(d.Facts.Document)
	d.Facts = got.facts
	c.book.SetKind(d.Facts)
}

// fail notes why pages are not rendered any more.
func (r *rendering) fail(err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.broken == "" && !errors.Is(err, context.Canceled) {
		r.broken = err.Error()
	}
}

// why is why pages were not rendered, "" where they were.
func (r *rendering) why() string {
	if r == nil {
		return ""
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.broken
}

// chosen are the pages that a plan has rendered once all are fetched: some of each template, those first that most
// links lead to, or a sample that is the same each time.
func (c *Crawl) chosen() (out []int32) {
	r := &c.plan.Render
	var pages []int32
	var frames [][]uint32
	links := c.book.Survey.Graph.In(len(c.frontier.addresses))
	for i := range c.book.Survey.Pages {
		if p := &c.book.Survey.Pages[i]; p.HTML && p.Status == http.StatusOK && p.Outcome == page.Answered {
			pages, frames = append(pages, p.ID), append(frames, p.Frame)
		}
	}
	switch {
	case c.frontier.only != nil: // whoever wants some pages alone wants them rendered
		out = pages
	case r.Pages == plan.Sample:
		slices.SortFunc(pages, func(a, b int32) int {
			return cmp.Or(cmp.Compare(c.spread(a), c.spread(b)), cmp.Compare(a, b))
		})
		out = pages[:min(len(pages), r.Sample)]
	case r.Pages == plan.Templates:
		of, _ := neardup.Layouts(frames)
		byLayout := map[int32][]int32{}
		for i, id := range pages {
			byLayout[of[i]] = append(byLayout[of[i]], id)
		}
		for layout, ids := range byLayout {
			slices.SortFunc(ids, func(a, b int32) int {
				return cmp.Or(cmp.Compare(links[b], links[a]), cmp.Compare(a, b))
			})
			most := r.Each
			if layout < 0 {
				most = 5 * r.Each // pages that are like no other
			}
			out = append(out, ids[:min(len(ids), most)]...)
		}
	}
	slices.Sort(out)
	return out
}

// spread is a place for an address in an order that has nothing to do with it.
func (c *Crawl) spread(id int32) uint64 {
	h := fnv.New64a()
	h.Write([]byte(c.frontier.addresses[id].URL))
	return h.Sum64()
}

// atOnce bounds the pages that a crawl has under way in the browser; the browser has its own bound.
const renderedAtOnce = 4

// renderChosen renders what the plan chooses of a crawl whose pages are in, and stores it bit by bit.
func (c *Crawl) renderChosen(saver *saver) {
	if c.renders == nil || c.renders.plan.Pages == plan.All {
		return
	}
	c.progress.phase("rendering")
	ids := slices.DeleteFunc(c.chosen(), func(id int32) bool { return c.renders.have[id] })
	type result struct {
		built
		err error
	}
	results := make(chan result)
	next := make(chan int32)
	var group sync.WaitGroup
	for range renderedAtOnce {
		group.Go(func() {
			for id := range next {
				r := result{}
				if err := mishap.Catch(func() (err error) { r.built, err = c.buildOne(id); return err }); err != nil {
					r.err = err
				}
				results <- r
			}
		})
	}
	go func() {
		defer close(next)
		for _, id := range ids {
			select {
			case next <- id:
			case <-c.asking.Done():
				return
			}
		}
	}()
	go func() { group.Wait(); close(results) }()
	for r := range results {
		if r.err != nil {
			c.renders.fail(r.err)
			continue
		}
		if len(r.Pages) > 0 {
			c.batch.Renderings = append(c.batch.Renderings, r.Rendering)
		}
		if time.Since(saver.last) > saveEvery {
			c.flush(saver)
		}
	}
	c.flush(saver)
}

// buildOne fetches a page once more, so that source and rendering are of one moment, and renders it.
func (c *Crawl) buildOne(id int32) (out built, err error) {
	at, err := weburl.Parse(c.frontier.addresses[id].URL)
	if err != nil {
		return out, err
	}
	done, err := c.turn(c.asking, &at)
	if err != nil {
		return out, err
	}
	var buf bytes.Buffer
	a := c.fetcher.Do(c.asking, &at, &buf, fetch.Request{Want: wantsPage})
	done(&a)
	source := c.facts(c.asking, &at, &a, 1)
	if !source.IsPage() {
		out.ID = id
		for _, device := range c.plan.Render.Devices {
			out.Pages = append(out.Pages, rendered.Page{Device: device, Outcome: rendered.Failed,
				Detail: cmp.Or(source.Detail, "it is no page any more")})
			out.Pictures = append(out.Pictures, nil)
		}
		return out, nil
	}
	return c.build(c.asking, id, &at, source, a.Header)
}
