// Package crawl fetches a site by its plan: which address is next, at what pace, and what comes of it.
//
// Requests run side by side, but their results are taken up in the order in which the addresses were found. So the same
// site gives the same crawl, number for number, whatever the network did to the order of answers. It also means that
// what a sink has stored is always a complete earlier state: a crawl that was cut off goes on from there.
//
//	frontier ─▶ governor of the host ─▶ fetch, read, page checks ─▶ in order: frontier, book, sink
package crawl

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/limit"
	"harvik/internal/pace"
	"harvik/internal/record"
)

// A Fetcher makes requests. It is safe for use from several goroutines.
type Fetcher interface {
	// LogIn opens the gates of the plan that need it.
	LogIn(ctx context.Context) error
	// Do fetches one address. The body of the answer stands in buf.
	Do(ctx context.Context, u *weburl.URL, buf *bytes.Buffer, r fetch.Request) fetch.Answer
	// OldestTLS is the oldest version that a host accepts, where it is below 1.2; "" for none.
	OldestTLS(ctx context.Context, u *weburl.URL) string
	// Numeric is the IP address of a host, "" where it has none that may be asked.
	Numeric(ctx context.Context, u *weburl.URL) string
	Close()
}

// A Sink stores results while the crawl runs. Save is called from one goroutine, with batches in order; what it is
// given is not changed afterwards.
type Sink interface {
	Save(ctx context.Context, b record.Batch) error
}

// A Crawl is one run. Make it with New, call Run once; the other methods may be called from any goroutine meanwhile.
type Crawl struct {
	plan    plan.Plan
	start   weburl.URL
	fetcher Fetcher
	book    *booking.Book
	sink    Sink
	past    record.Past
	log     *slog.Logger
	paces   *pace.Paces
	ctx     context.Context //nolint:containedctx // of the run: robots.txt files are read from deep inside it
	asking  context.Context //nolint:containedctx // likewise; it ends when no more requests are to be begun
	saver   *saver
	begun   time.Time

	cutAsking context.CancelFunc
	tempo     sync.Mutex // guards hosts, and the parts of plan that Retune changes
	hosts     map[string]*pace.Governor
	progress  meter
	frontier  *frontier
	refusal   refusal
	rules     ruleCache
	readPDF   func(context.Context, []byte) *page.PDF
	documents *page.Reader
	reads     *booking.Reading
	reading   chan struct{} // bounds the bodies that are read at once
	files     fileCache     // of the past; of the present, only which there are
	stop      chan struct{}
	stopOnce  sync.Once
	pause     chan struct{}
	pauseOnce sync.Once
	wake      chan struct{} // a host can take another request
	buffers   sync.Pool
	batch     record.Batch
	batched   int // bytes of it, about
	taken     int // records booked
	pages     int // of these, those that count for the plan's number of pages, with those under way
	links     int // booked
	limited   bool
	loggedIn  bool // a gate holds a session, which a link can end
	renders   *rendering
}

// Config is what a Crawl needs.
type Config struct {
	Plan    plan.Plan // filled and valid
	Start   weburl.URL
	Fetcher Fetcher // Run closes it
	Book    *booking.Book
	Sink    Sink
	Past    record.Past                                      // nil for a new crawl
	Paces   *pace.Paces                                      // nil for a pace of its own
	Only    func(address string) bool                        // nil, or what is fetched besides the targets of redirects
	ReadPDF func(ctx context.Context, data []byte) *page.PDF // never fails; nil where documents are not looked into
	// reads the documents of all crawls together; nil for those of this one
	Pages   *page.Reader
	Browser Browser // nil where pages are not rendered
	Log     *slog.Logger
}

// New prepares a crawl. It fails where patterns of the plan cannot be read: to disregard one could fetch what is to be
// left alone.
func New(c Config) (*Crawl, error) {
	if err := c.Plan.CheckPatterns(); err != nil {
		return nil, err
	}
	f := newFrontier(c.Start, c.Plan)
	f.only = c.Only
	cr := &Crawl{
		plan: c.Plan, start: c.Start, fetcher: c.Fetcher, book: c.Book, sink: c.Sink, past: c.Past, log: c.Log,
		paces:    c.Paces,
		frontier: f, readPDF: c.ReadPDF, documents: c.Pages, loggedIn: c.Plan.HoldsSession(),
		hosts: map[string]*pace.Governor{}, reading: make(chan struct{}, 2*runtime.GOMAXPROCS(0)),
		stop: make(chan struct{}), pause: make(chan struct{}), wake: make(chan struct{}, 1),
		buffers: sync.Pool{New: func() any { return new(bytes.Buffer) }},
	}
	cr.rules.read = cr.readRules
	if cr.paces == nil {
		cr.paces = new(pace.Paces)
	}
	if cr.documents == nil {
		cr.documents = new(page.Reader)
	}
	var err error
	if cr.reads, err = booking.NewReading(cr.documents, f.scope, c.Plan, limit.Within(limit.FieldTime)); err != nil {
		c.Log.Warn("a field of the plan is left out", "reason", err.Error())
	}
	if cr.renders, err = cr.newRendering(c.Browser); err != nil {
		c.Log.Warn("pages are not rendered", "reason", err.Error())
	}
	if cr.readPDF == nil {
		cr.readPDF = func(context.Context, []byte) *page.PDF { return &page.PDF{Fault: "documents are not looked into here"} }
	}
	return cr, nil
}

// Stop ends the crawl early; what was fetched is kept.
func (c *Crawl) Stop() { c.stopOnce.Do(func() { close(c.stop) }) }

// Pause ends the run. What it has is stored, and a new Crawl with that as its past goes on from there.
func (c *Crawl) Pause() { c.pauseOnce.Do(func() { close(c.pause) }) }

// ErrPaused is the error of a run that was paused.
type ErrPaused struct {
	Reason string // "" if it was asked for
}

func (e *ErrPaused) Error() string {
	if e.Reason == "" {
		return "the crawl was paused"
	}
	return e.Reason
}

// Run crawls. It returns *ErrPaused where it was paused, with what it has learned until then, and any other error only
// where the sink or ctx fails; what the site did is in the harvest.
func (c *Crawl) Run(ctx context.Context) (*booking.Harvest, error) {
	defer c.fetcher.Close()
	defer c.paces.Leave(c)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	defer c.beginAsking(ctx)()
	ending, err := c.fetch(ctx, cancel)
	var probes *survey.Probes
	if err == nil {
		probes, err = c.probeUnlessEnding()
	}
	var paused *ErrPaused
	if err != nil && !errors.As(err, &paused) {
		return nil, err
	}
	c.progress.phase("judging")
	return c.harvest(ending, probes), err
}

// harvest is what there is to tell besides records.
func (c *Crawl) harvest(ending survey.Ending, probes *survey.Probes) *booking.Harvest {
	f := c.frontier
	h := &booking.Harvest{
		Ending: ending, Addresses: f.addresses, Changed: f.changed, Beyond: f.beyond, Most: c.plan.Pages,
		Listing: f.listing, Unrendered: c.renders.why(),
		Evidence: c.learned(probes),
	}
	if c.plan.Selection == plan.Spread && ending != survey.Complete {
		h.Weights, h.Size = f.weigh(c.book.Survey.Pages)
	}
	return h
}

// probeUnlessEnding asks what no link leads to, if the plan has it so and there is time. What was cut short tells
// nothing.
func (c *Crawl) probeUnlessEnding() (*survey.Probes, error) {
	if !*c.plan.Probes || c.isEnding() && !c.isPaused() {
		return nil, nil
	}
	c.progress.phase("probing")
	probes := c.probe(c.asking)
	switch {
	case c.isPaused():
		return nil, &ErrPaused{}
	case c.isEnding():
		return nil, context.Cause(c.ctx)
	}
	return probes, nil
}

// isPaused tells whether the crawl is to be put away.
func (c *Crawl) isPaused() bool {
	select {
	case <-c.pause:
		return true
	default:
		return false
	}
}

// isEnding tells whether no more requests are to be begun: the crawl is stopped or paused, its time is over, or its
// context has ended.
func (c *Crawl) isEnding() bool { return c.asking.Err() != nil }

// beginAsking makes the context of requests, until release is called.
func (c *Crawl) beginAsking(ctx context.Context) (release func()) {
	asking, cut := context.WithCancel(ctx)
	c.asking, c.cutAsking, c.begun = asking, cut, time.Now()
	var group sync.WaitGroup
	timeUp := c.timeUp()
	group.Go(func() {
		select {
		case <-c.stop:
		case <-c.pause:
		case <-timeUp:
		case <-asking.Done():
		}
		cut()
	})
	return func() { cut(); group.Wait() }
}

// fetch logs in, makes the first addresses known, or those of the past, and fetches until nothing waits or the crawl is
// paused. All results are with the sink when it returns.
func (c *Crawl) fetch(ctx context.Context, cancel context.CancelCauseFunc) (survey.Ending, error) {
	c.ctx = ctx
	c.progress.begin()
	if err := c.fetcher.LogIn(c.asking); err != nil && !c.isEnding() {
		return "", &ErrPaused{err.Error()}
	}
	saver := newSaver(ctx, c.sink, cancel)
	defer saver.close() // after a panic
	c.saver = saver
	var ending survey.Ending
	var paused *ErrPaused
	switch err := c.resume(ctx); {
	case errors.As(err, &paused):
	case err != nil:
		return "", err
	default:
		ending, paused = c.loop(ctx, saver)
	}
	if paused == nil {
		c.listUnlinked()
		c.renderChosen(saver)
	}
	c.flush(saver)
	if err := saver.close(); err != nil {
		return "", err
	}
	if err := context.Cause(ctx); err != nil {
		return "", err
	}
	if paused != nil {
		return "", paused
	}
	return ending, nil
}
