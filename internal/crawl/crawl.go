// Package crawl fetches a site by its plan: which address is next, at what pace, and what
// comes of it.
//
// Requests run side by side, but their results are taken up in the order in which the
// addresses were found. So the same site gives the same crawl, number for number, whatever
// the network did to the order of answers. It also means that what a sink has stored is always
// a complete earlier state: a crawl that was cut off goes on from there.
//
//	frontier ─▶ governor of the host ─▶ fetch, read, page checks ─▶ in order: frontier, survey, sink
package crawl

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/judge"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// A Record is a fetched address with its facts. Links and Uses are the numbers of what the
// document links to and loads, in order, −1 for what is no address.
type Record struct {
	ID       int32
	Role     page.Role
	Facts    *page.Facts
	Links    []int32
	Uses     []int32
	Findings []check.Finding

	said *signs // of a page; nil until needed
}

// A File is a robots.txt or sitemap as the crawl got it.
type File struct {
	Kind    string // "robots" or "sitemap"
	Address string
	Status  int          // 0 if there was no answer
	Outcome page.Outcome // why there was none
	Detail  string
	Body    []byte
}

// A Batch is what a Sink stores at once.
type Batch struct {
	First     int32 // number of the first address
	Addresses []survey.Address
	Seq       int // how many records were stored before
	Records   []Record
	Files     []File
	Progress  record.Progress
}

// A Sink stores results while the crawl runs. Save is called from one goroutine, with
// batches in order; what it is given is not changed afterwards.
type Sink interface {
	Save(ctx context.Context, b Batch) error
}

// A SiteSink also stores what the site checks find, check by check, so that a large crawl's findings
// need not be held together.
type SiteSink interface {
	Sink
	SaveSite(ctx context.Context, found []check.Finding) error
	DropSite(ctx context.Context) error // what SaveSite stored in a run that was cut off while it judged
	Settle(ctx context.Context) error   // all but the verdict is stored
}

// A Past is what a sink has of a crawl that was cut off or paused.
type Past interface {
	// Start gives the stored addresses by number, and the files, sitemaps without their bodies.
	Start(ctx context.Context) (addresses []string, files []File, p record.Progress, err error)
	// Body is that of a stored file.
	Body(ctx context.Context, address string) ([]byte, error)
	// EachRecord calls f with every record as it was saved, in order; findings are left out.
	EachRecord(ctx context.Context, addresses []string, f func(Record) error) error
	// Truncate forgets stored addresses from a number on.
	Truncate(ctx context.Context, n int) error
}

// A Crawl is one run. Make it with New, call Run once; the other methods may be called from
// any goroutine meanwhile.
type Crawl struct {
	plan    plan.Plan
	start   weburl.URL
	client  *fetch.Client
	judge   *judge.Judge
	sink    Sink
	past    Past
	log     *slog.Logger
	paces   *Paces
	ctx     context.Context //nolint:containedctx // of the run: robots.txt files are read from deep inside it
	asking  context.Context //nolint:containedctx // likewise; it ends when no more requests are to be begun
	saver   *saver
	offline bool
	begun   time.Time

	cutAsking context.CancelFunc
	tempo     sync.Mutex // guards hosts, and the parts of plan that Retune changes
	hosts     map[string]*governor
	progress  meter
	frontier  *frontier
	refusal   refusal
	survey    *survey.Survey
	adjust    fixlist.Adjustment
	rules     ruleBook
	readPDF   func(context.Context, []byte) *page.PDF
	documents *page.Reader
	reading   chan struct{}           // bounds the bodies that are read at once
	files     fileBook                // of the past; of the present, only which there are
	maps      []record.PreviewSitemap // what the sitemaps gave, in the order read
	evidence  survey.Evidence         // what the sitemaps gave, for the checks
	stop      chan struct{}
	stopOnce  sync.Once
	pause     chan struct{}
	pauseOne  sync.Once
	wake      chan struct{} // a host can take another request
	buffers   sync.Pool
	batch     Batch
	batched   int // bytes of it, about
	taken     int // records booked
	pages     int // of these, those that count for the plan's number of pages, with those under way
	links     int // booked
	limited   bool

	versionsRead int
	again        *[]check.Finding // where a new judgement's findings of pages go; nil for a crawl
	loggedIn     bool             // a gate holds a session, which a link can end
}

// Config is what a Crawl needs.
type Config struct {
	Plan    plan.Plan // filled and valid
	Start   weburl.URL
	Guard   fetch.Guard
	Secrets map[string]string // by name, those that the plan uses
	Runner  *check.Runner
	Sink    Sink
	Source  survey.Source // reads back what the sink stored
	Past    Past          // nil for a new crawl
	Paces   *Paces        // nil for a pace of its own
	Adjust  fixlist.Adjustment
	Only    func(address string) bool                        // nil, or what is fetched besides the targets of redirects
	Layouts map[string][]uint32                              // leaders of the layouts that earlier crawls met, by name
	ReadPDF func(ctx context.Context, data []byte) *page.PDF // never fails; nil where documents are not looked into
	Pages   *page.Reader                                     // reads the documents of all crawls together; nil for those of this one
	Large   *fetch.Large                                     // bounds the large bodies of all crawls together; nil for those of this one
	Offline bool                                             // what is stored is judged again: nothing is fetched, and no secret is needed
	Log     *slog.Logger
}

// New prepares a crawl. It fails where the plan's certificates or secrets are of no use.
func New(c Config) (*Crawl, error) {
	p := c.Plan
	settings := fetch.Settings{
		Agent: p.UserAgent(), Language: p.Language, Headers: p.Headers, Timeout: time.Duration(p.Timeout),
		Timeouts: fetch.Timeouts{
			Resolve: time.Duration(p.Timeouts.Resolve), Connect: time.Duration(p.Timeouts.Connect),
			TLS: time.Duration(p.Timeouts.TLS), FirstByte: time.Duration(p.Timeouts.FirstByte),
		},
		MaxBytes: p.PageBytes, Parallel: p.Parallel, Hosts: p.Hosts, Guard: c.Guard,
		CA: p.CA, Large: c.Large, Certificate: c.Secrets[p.Certificate], CertificateFor: fetch.BoundTo("", c.Start), IP: p.IP, Proxy: p.Proxy,
	}
	if err := p.CheckPatterns(); err != nil { // a plan that was stored: to disregard one could fetch what is to be left alone
		return nil, err
	}
	f := newFrontier(c.Start, p)
	f.only = c.Only
	settings.Inside = f.scope.Inside
	if !c.Offline {
		gates, err := fetch.NewGates(p.Gates, c.Start, c.Secrets)
		if err != nil {
			return nil, err
		}
		settings.Gates = gates
	}
	client, err := fetch.New(settings)
	if err != nil {
		return nil, err
	}
	paces := c.Paces
	if paces == nil {
		paces = new(Paces)
	}
	cr := &Crawl{
		plan: p, start: c.Start, sink: c.Sink, past: c.Past, log: c.Log, client: client, paces: paces,
		judge: judge.New(c.Runner), frontier: f, survey: &survey.Survey{Source: c.Source, Known: c.Layouts}, adjust: c.Adjust,
		loggedIn: p.HoldsSession(),
		hosts:    map[string]*governor{}, reading: make(chan struct{}, 2*runtime.GOMAXPROCS(0)),
		stop: make(chan struct{}), pause: make(chan struct{}), wake: make(chan struct{}, 1),
		buffers: sync.Pool{New: func() any { return new(bytes.Buffer) }}, offline: c.Offline,
	}
	cr.rules.read = cr.readRules
	if cr.documents = c.Pages; cr.documents == nil {
		cr.documents = new(page.Reader)
	}
	if cr.readPDF = c.ReadPDF; cr.readPDF == nil {
		cr.readPDF = func(context.Context, []byte) *page.PDF { return &page.PDF{Fault: "documents are not looked into here"} }
	}
	return cr, nil
}

// Stop ends the crawl early; what was fetched is kept and judged.
func (c *Crawl) Stop() { c.stopOnce.Do(func() { close(c.stop) }) }

// Pause ends the run without a verdict. What it has is stored, and a new Crawl with that as its
// Past goes on from there.
func (c *Crawl) Pause() { c.pauseOne.Do(func() { close(c.pause) }) }

// Retune changes the pace while the crawl runs.
func (c *Crawl) Retune(parallel int, pause time.Duration, perSecond float64) {
	c.tempo.Lock()
	c.plan.Parallel, c.plan.Pause, c.plan.PerSecond = parallel, plan.Duration(pause), perSecond
	for host, g := range c.hosts {
		for _, scheme := range []string{"https://", "http://"} {
			if u, err := weburl.Parse(scheme + host + "/"); err == nil && c.frontier.scope.Inside(u.Key()) {
				g.join(c, c.tempoOf(&u, page.AsPage))
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

// Ending says why a crawl ended.
type Ending string

const (
	Complete  Ending = "complete"   // nothing was left to fetch
	PageLimit Ending = "page-limit" // the plan's number of addresses was reached
	TimeLimit Ending = "time-limit"
	Stopped   Ending = "stopped"
	Shut      Ending = "shut-out" // robots.txt forbids the start, or could not be had
)

// A Result is a finished crawl.
type Result struct {
	Ending   Ending
	Detail   string // in words, where the ending needs them
	Survey   *survey.Survey
	Sheet    *fixlist.Sheet
	Report   *fixlist.Report // of the sheet, adjusted as the crawl was told
	Findings []check.Finding // of the site checks, unless the sink has them; those of pages went to the sink
	Changed  map[int32]bool  // addresses that changed after they were handed to the sink
	Traps    []survey.Trap   // patterns that were shut
	Probes   *survey.Probes  // what the site's front doors and odd addresses answer; nil if not asked
}

// Run crawls, then judges. It returns *ErrPaused where it was paused, and otherwise an error
// only where the sink or ctx fails; what the site did is in the result.
func (c *Crawl) Run(ctx context.Context) (*Result, error) {
	defer c.client.Close()
	defer c.paces.leave(c)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	defer c.beginAsking(ctx)()
	ending, err := c.fetch(ctx, cancel, c.resume, c.listUnlinked)
	if err != nil {
		return nil, err
	}
	probes, err := c.probeUnlessEnding()
	if err != nil {
		return nil, err
	}
	return c.finish(ending, probes)
}

// probeUnlessEnding asks what no link leads to, if the plan has it so and there is time. What was cut short
// tells nothing.
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

// isEnding tells whether no more requests are to be begun: the crawl is stopped or paused, its time is
// over, or its context has ended.
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

// fetch logs in, lets begin make the first addresses known, and fetches until nothing waits or the crawl is
// paused. If it is not, end may make further addresses known that are not fetched. All results are with the
// sink when it returns.
func (c *Crawl) fetch(ctx context.Context, cancel context.CancelCauseFunc, begin func(context.Context) error, end func()) (Ending, error) {
	c.ctx = ctx
	c.progress.begin()
	if err := c.client.LogIn(c.asking); err != nil && !c.isEnding() {
		return "", &ErrPaused{err.Error()}
	}
	saver := newSaver(ctx, c.sink, cancel)
	defer saver.close() // after a panic
	c.saver = saver
	var ending Ending
	var paused *ErrPaused
	switch err := begin(ctx); {
	case errors.As(err, &paused):
	case err != nil:
		return "", err
	default:
		ending, paused = c.loop(ctx, saver)
	}
	if paused == nil {
		end()
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

// Rejudge takes a finished crawl up again and judges it anew by the checks of today, without
// fetching anything. Found are the findings of its pages, which were not handed to a sink.
func (c *Crawl) Rejudge(ctx context.Context, ending Ending, probes *survey.Probes) (r *Result, found []check.Finding, err error) {
	defer c.client.Close()
	c.ctx = ctx
	defer c.beginAsking(ctx)()
	c.progress.begin()
	c.again = &found
	if err := c.resume(ctx); err != nil {
		return nil, nil, err
	}
	c.listUnlinked()
	r, err = c.finish(ending, probes)
	return r, found, err
}

// finish judges the whole.
func (c *Crawl) finish(ending Ending, probes *survey.Probes) (*Result, error) {
	c.progress.phase("judging")
	c.survey.Addresses = c.frontier.addresses
	c.survey.Partial = c.frontier.beyond > 0
	c.survey.Evidence = c.learned(probes)
	if c.plan.Selection == plan.Spread && ending != Complete {
		c.weigh()
	}
	var findings []check.Finding
	keep := func(found []check.Finding) error {
		findings = append(findings, found...)
		return nil
	}
	settle := func(context.Context) error { return nil }
	if sink, ok := c.sink.(SiteSink); ok && c.again == nil {
		settle = sink.Settle
		if c.past != nil {
			if err := sink.DropSite(c.ctx); err != nil {
				return nil, err
			}
		}
		keep = func(found []check.Finding) error { return sink.SaveSite(c.ctx, found) }
	}
	sheet, err := c.judge.Finish(c.survey, func(found []check.Finding) error {
		if c.isPaused() { // judging begins anew when the crawl goes on
			return &ErrPaused{}
		}
		return keep(found)
	})
	if err != nil {
		return nil, err
	}
	c.progress.done(c.judge.Places())
	settled := make(chan error, 1)
	go func() { settled <- mishap.Catch(func() error { return settle(c.ctx) }) }()
	var report *fixlist.Report
	err = mishap.Catch(func() error {
		report = sheet.Build(c.adjust)
		return nil
	})
	if err := errors.Join(err, <-settled); err != nil {
		return nil, err
	}
	result := &Result{
		Ending: ending, Survey: c.survey, Sheet: sheet, Report: report, Findings: findings, Changed: c.frontier.changed,
		Traps: c.frontier.traps.report(), Probes: probes,
	}
	result.explain()
	if n := c.frontier.beyond; n > 0 {
		result.Detail = strings.TrimSpace(result.Detail + fmt.Sprintf(" Pages name more addresses than a plan of %s pages has use for: %s are known, and %s further mentions were not taken up.",
			text.Thousands(c.plan.Pages), text.Thousands(len(c.frontier.addresses)), text.Thousands(n)))
	}
	return result, nil
}

// explain says why there is no health, if there is none.
func (r *Result) explain() {
	start := &r.Survey.Addresses[0]
	page := r.Survey.Page(0)
	switch {
	case start.State == survey.Blocked && start.Rule.Number == 0:
		r.Ending, r.Detail = Shut, start.Rule.Text
	case start.State == survey.Blocked:
		r.Ending = Shut
		r.Detail = fmt.Sprintf("Line %d of robots.txt shuts the start address out: %s", start.Rule.Number, start.Rule.Text)
	case r.Report.Scored || page == nil:
	case page.Redirect >= 0 && r.Survey.Addresses[page.Redirect].State != survey.Fetched:
		to := &r.Survey.Addresses[page.Redirect]
		r.Detail = fmt.Sprintf("The start address leads to %s, which is %s. Take that as the home page, or add its host to the plan's scope.", to.URL, outsideWord(to))
	case page.Status > 0:
		r.Detail = fmt.Sprintf("The start address answers with status %d and type %q, so there is no page to begin with.", page.Status, page.Type)
	default:
		r.Detail = fmt.Sprintf("The start address gives no answer (%s), so there is no page to begin with.", page.Outcome)
	}
}

// outsideWord says why an address that the start leads to was not fetched.
func outsideWord(a *survey.Address) string {
	switch a.State {
	case survey.Outside, survey.NotWeb:
		return "outside the site"
	case survey.Blocked:
		return "shut out by robots.txt"
	}
	return "not wanted by the plan (" + a.State.String() + ")"
}

// URL is the address of a number. It may be called while judging, when the list of addresses
// no longer grows.
// It is "" for a number that the crawl does not have: links are read back from where they were stored.
func (c *Crawl) URL(id int32) string {
	if id < 0 || int(id) >= len(c.frontier.addresses) {
		return ""
	}
	return c.frontier.addresses[id].URL
}

// A saver stores batches in their own goroutine, at most two behind.
type saver struct {
	batches chan Batch
	ended   chan struct{}
	closing sync.Once
	err     error
	last    time.Time
}

func newSaver(ctx context.Context, sink Sink, cancel context.CancelCauseFunc) *saver {
	s := &saver{batches: make(chan Batch, 2), ended: make(chan struct{}), last: time.Now()}
	go func() {
		defer close(s.ended)
		for b := range s.batches {
			if s.err != nil {
				continue
			}
			if err := mishap.Catch(func() error { return sink.Save(ctx, b) }); err != nil {
				s.err = fmt.Errorf("storing results: %w", err)
				cancel(s.err)
			}
		}
	}()
	return s
}

func (s *saver) save(b Batch) { s.batches <- b }

// close waits until all is stored. It may be called again.
func (s *saver) close() error {
	s.closing.Do(func() { close(s.batches) })
	<-s.ended
	if errors.Is(s.err, context.Canceled) {
		return nil // the caller asked for it
	}
	return s.err
}
