package crawl

import (
	"context"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/pace"
	"harvik/internal/record"
)

// batchSize is how many results are stored at once.
const batchSize = 500

// saveEvery is how often results are stored, however few there are.
const saveEvery = 300 * time.Millisecond

// window is how far results may run ahead of the oldest one still awaited.
func window(parallel int) int { return max(256, 32*parallel) }

// maxParallel is the highest number of requests at once that a plan can ask for.
const maxParallel = 64

// maxBusy is how many addresses are under way at once, over all hosts.
const maxBusy = 128

// maxHeld is about how many bytes of facts may wait, for an older result or to be stored, before no more
// requests are begun.
const maxHeld = 96 << 20

// weight is about how many bytes a result's facts take.
func weight(r *booking.Record) int {
	n := 2<<10 + len(r.Source)
	if d := r.Facts.Document; d != nil {
		n += len(d.MainText) + 200*(len(d.Links)+len(d.Images)+len(d.Headings)) + 100*len(d.Uses)
	}
	for i := range r.Findings {
		n += 300 * len(r.Findings[i].Places)
	}
	return n
}

type job struct {
	seq  int
	id   int32
	url  string
	role page.Role
	at   weburl.URL
	host *pace.Governor

	alike bool // other addresses have its shape, and it is not known yet that they are no trap
}

type done struct {
	job
	booking.Record
	said    *gist  // of a page; nil until needed
	sort    string // of refusal that it looks like, "" for none
	retries int
	// what a browser made of it, where all pages are rendered; nil otherwise
	rendering *record.Rendering
	away      time.Duration // for which the server asks not to be asked, if it is long
}

// flights is the state of the loop. What the lock guards is also used by whoever has just finished
// a request: it starts the next one itself, without waiting for the loop to be scheduled.
type flights struct {
	results  chan done    // has room for all that the window allows, so that nobody waits for the loop
	ahead    map[int]done // received, and waiting for an older one
	held     int          // bytes, of ahead
	sent     int
	taken    int
	received int
	group    sync.WaitGroup

	mu    sync.Mutex
	jobs  map[*pace.Governor][]job // waiting for their host, in order
	hosts []*pace.Governor         // those with jobs, in turn
	begun int
	busy  int
	ended bool // nothing more is started
}

// isIdle tells whether the results of all that was begun are in.
func (r *flights) isIdle() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.begun == r.received
}

// end keeps jobs that wait for their host from being started.
func (r *flights) end() {
	r.mu.Lock()
	r.ended = true
	r.mu.Unlock()
}

// loop hands out addresses and takes results up in order, until nothing is left or the crawl
// is to end.
func (c *Crawl) loop(ctx context.Context, saver *saver) (survey.Ending, *ErrPaused) {
	fetching, cut := context.WithCancel(ctx)
	r := &flights{jobs: map[*pace.Governor][]job{}, results: make(chan done, window(maxParallel)),
		ahead: map[int]done{}}
	defer r.group.Wait()
	defer cut()
	defer r.end()
	timeUp := c.timeUp()
	ending, stop := survey.Ending(""), c.stop
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		if ending == "" {
			c.dispatch(r)
		}
		if (ending != "" || r.sent == r.taken) && r.isIdle() {
			held := c.refusal.release()
			for i := range held {
				c.takeDone(&held[i])
			}
			switch {
			case ending != "":
				return ending, nil
			case len(held) > 0:
				continue
			case c.limited:
				return survey.PageLimit, nil
			}
			return survey.Complete, nil
		}
		timer.Reset(c.startReady(fetching, r))
		select {
		case d := <-r.results:
			r.received++
			if paused := c.receive(ctx, r, d, saver); paused != nil {
				return "", paused
			}
		case <-timer.C:
		case <-c.wake:
		case <-stop:
			ending, stop = survey.Stopped, nil
			r.end()
		case <-timeUp:
			ending = survey.TimeLimit
			r.end()
			c.cutAsking()
		case <-c.pause:
			return "", &ErrPaused{}
		case <-ctx.Done():
			return survey.Stopped, nil
		}
	}
}

// timeUp fires when the plan's time is over, what an earlier run took included.
func (c *Crawl) timeUp() <-chan time.Time {
	if c.plan.Time == 0 {
		return nil
	}
	return time.After(time.Duration(c.plan.Time) - c.progress.before - time.Since(c.begun))
}

// dispatch gives addresses to their hosts' queues as far as the window allows.
func (c *Crawl) dispatch(r *flights) {
	for r.sent-r.taken < window(c.parallel()) && (r.held+c.batched < maxHeld || r.sent == r.taken) {
		id, ok := c.next(r.sent - r.taken + len(c.refusal.held))
		if !ok {
			return
		}
		a := &c.frontier.addresses[id]
		u, err := weburl.Parse(a.URL)
		if err != nil { // cannot happen: the frontier holds parsed addresses
			c.log.Error("address not to be read", "address", a.URL, "reason", err.Error())
			continue
		}
		g := c.governor(&u, a.Role)
		j := job{r.sent, id, a.URL, a.Role, u, g, c.frontier.traps.doubts(a.URL)}
		r.mu.Lock()
		if len(r.jobs[g]) == 0 {
			r.hosts = append(r.hosts, g)
		}
		r.jobs[g] = append(r.jobs[g], j)
		r.mu.Unlock()
		r.sent++
	}
}

// startReady starts what the hosts can take now, one host after the other, and says when to
// look again.
func (c *Crawl) startReady(ctx context.Context, r *flights) time.Duration {
	r.mu.Lock()
	defer r.mu.Unlock()
	soonest := time.Hour
	now := time.Now()
	for started := true; started && r.busy < maxBusy && !r.ended; {
		started = false
		hosts := r.hosts
		r.hosts = r.hosts[:0:0]
		for _, g := range hosts {
			wait, ok := time.Millisecond, false
			if r.busy < maxBusy {
				wait, ok = g.Try(now)
			}
			if ok {
				j := r.jobs[g][0]
				r.jobs[g] = r.jobs[g][1:]
				r.begun++
				r.busy++
				started = true
				r.group.Go(func() { c.work(ctx, r, j) })
			} else {
				soonest = min(soonest, wait)
			}
			if len(r.jobs[g]) > 0 {
				r.hosts = append(r.hosts, g)
			} else {
				delete(r.jobs, g)
			}
		}
	}
	return max(soonest, time.Millisecond)
}

// work processes one job.
func (c *Crawl) work(ctx context.Context, r *flights, j job) {
	d := c.process(ctx, &j, func() { c.startReady(ctx, r) })
	r.mu.Lock()
	r.busy--
	r.mu.Unlock()
	r.results <- d
}

// next is the address to fetch next. Outstanding is how many results are awaited: what depends
// on them is not given yet.
func (c *Crawl) next(outstanding int) (id int32, ok bool) {
	f := c.frontier
	for {
		switch {
		case f.lane.ofPages() && c.pages >= c.plan.Pages && f.queue.size() > 0:
			if outstanding == 0 {
				c.limited = true
				f.lane = listed
			}
		case f.queue.ready() || outstanding == 0:
			if id, ok := f.queue.pop(); ok {
				if f.addresses[id].Role != page.AsPage {
					return id, true
				}
				if t := f.shuts(id); t != nil {
					f.trap(id, t)
					continue
				}
				c.pages++
				return id, true
			}
		}
		if outstanding > 0 || !c.advance() {
			return -1, false
		}
	}
}

// advance goes on to the next lane; that of the sitemaps begins with what they list.
func (c *Crawl) advance() bool {
	f := c.frontier
	if !f.advance() {
		return false
	}
	if f.lane == listed {
		c.addListed()
	}
	return true
}

// addListed makes known what only the sitemaps list.
func (c *Crawl) addListed() {
	for _, address := range c.frontier.listing.Addresses {
		if c.frontier.scope.Origin(address) != "" {
			c.know(address, mention{from: -1, found: survey.BySitemap, follow: true})
		}
	}
}

// receive takes a result up when those before it are in.
func (c *Crawl) receive(ctx context.Context, r *flights, d done, saver *saver) *ErrPaused {
	c.progress.fetched(&d)
	r.ahead[d.seq] = d
	r.held += weight(&d.Record)
	for d, ok := r.ahead[r.taken]; ok; d, ok = r.ahead[r.taken] {
		delete(r.ahead, r.taken)
		r.taken++
		n := weight(&d.Record)
		r.held -= n
		c.batched += n
		if paused := c.accept(ctx, d); paused != nil {
			return paused
		}
		if len(c.batch.Records) >= batchSize || c.batched > maxHeld/8 || time.Since(saver.last) > saveEvery {
			c.flush(saver)
		}
	}
	return nil
}

// accept books a result, unless its address turned out to be of a trap, or it looks as if the
// site had shut the crawl out.
func (c *Crawl) accept(ctx context.Context, d done) *ErrPaused {
	f := c.frontier
	if d.role != page.AsPage {
		c.takeDone(&d)
		return nil
	}
	if t := f.shuts(d.id); t != nil {
		f.trap(d.id, t)
		c.pages--
		return nil
	}
	bookable, suspect := c.refusal.watch(d)
	for i := range bookable {
		c.takeDone(&bookable[i])
	}
	if !suspect {
		return nil
	}
	if c.isRefused(ctx) {
		return &ErrPaused{c.refusal.words()}
	}
	cleared := c.refusal.cleared()
	for i := range cleared {
		c.takeDone(&cleared[i])
	}
	return nil
}

// isRefused asks again for a page that answered before.
func (c *Crawl) isRefused(ctx context.Context) bool {
	u, err := weburl.Parse(c.refusal.lastOK)
	if err != nil {
		return false
	}
	g := c.governor(&u, page.AsPage)
	if c.refusal.away > 0 {
		g.Take() // waiting as the server asks would take too long
	} else if g.Wait(ctx) != nil {
		return false
	}
	d := c.process(ctx, &job{url: c.refusal.lastOK, at: u, host: g}, func() {})
	return d.sort != ""
}

// nudge lets the loop look again whether a host can take a request.
func (c *Crawl) nudge() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}
