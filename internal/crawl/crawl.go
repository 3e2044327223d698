// Package crawl fetches a site by its plan: which address is next, at what pace, and what
// comes of it.
//
// Requests run side by side, but their results are taken up in the order in which the
// addresses were found. So the same site gives the same crawl, number for number, whatever
// the network did to the order of answers.
//
//	frontier ─▶ workers: fetch, read, page checks ─▶ in order: frontier, survey, sink
package crawl

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/judge"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// A Record is a fetched address with its facts. Links are the numbers of the document's
// links, in order, −1 for one that is no address.
type Record struct {
	ID       int32
	Facts    *page.Facts
	Links    []int32
	Findings []check.Finding
}

// A Batch is what a Sink stores at once.
type Batch struct {
	First     int32 // number of the first address
	Addresses []survey.Address
	Records   []Record
}

// A Sink stores results while the crawl runs. Save is called from one goroutine, with
// batches in order; what it is given is not changed afterwards.
type Sink interface {
	Save(ctx context.Context, b Batch) error
}

// A Crawl is one run. Make it with New, call Run once; the other methods may be called from
// any goroutine meanwhile.
type Crawl struct {
	plan     plan.Plan
	start    weburl.URL
	client   *fetch.Client
	judge    *judge.Judge
	sink     Sink
	log      *slog.Logger
	progress meter
	frontier frontier
	survey   *survey.Survey
	stop     chan struct{}
	stopOnce sync.Once
	pace     *rate.Limiter
	batch    Batch
}

// Config is what a Crawl needs.
type Config struct {
	Plan   plan.Plan // filled and valid
	Start  weburl.URL
	Guard  fetch.Guard
	Runner *check.Runner
	Sink   Sink
	Source survey.Source // reads back what the sink stored
	Log    *slog.Logger
}

// New prepares a crawl.
func New(c Config) *Crawl {
	p := c.Plan
	every := rate.Inf
	if p.Pause > 0 {
		every = rate.Every(time.Duration(p.Pause))
	}
	return &Crawl{
		plan: p, start: c.Start, sink: c.Sink, log: c.Log,
		client: fetch.New(fetch.Settings{
			Agent: p.Agent, Language: p.Language, Timeout: time.Duration(p.Timeout),
			MaxBytes: p.PageBytes, Parallel: p.Parallel, Hosts: p.Hosts, Guard: c.Guard,
		}),
		judge:    judge.New(c.Runner),
		frontier: newFrontier(c.Start, p),
		survey:   &survey.Survey{Source: c.Source},
		stop:     make(chan struct{}),
		pace:     rate.NewLimiter(every, 1),
	}
}

// Stop ends the crawl early; what was fetched is kept and judged.
func (c *Crawl) Stop() { c.stopOnce.Do(func() { close(c.stop) }) }

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
	Report   *fixlist.Report
	Findings []check.Finding // of the site checks; those of pages went to the sink
}

// Run crawls, then judges. It returns an error only where the sink or ctx fails; what the
// site did is in the result.
func (c *Crawl) Run(ctx context.Context) (*Result, error) {
	defer c.client.Close()
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	c.progress.begin()
	c.readRules(ctx)
	saver := newSaver(ctx, c.sink, cancel)
	ending := c.loop(ctx, saver)
	c.listUnlinked()
	c.flush(saver)
	if err := saver.close(); err != nil {
		return nil, err
	}
	if err := context.Cause(ctx); err != nil {
		return nil, err
	}
	c.progress.judging()
	c.survey.Addresses = c.frontier.addresses
	report, findings, err := c.judge.Finish(c.survey)
	if err != nil {
		return nil, err
	}
	c.progress.done(c.judge.Places())
	result := &Result{Ending: ending, Survey: c.survey, Report: report, Findings: findings}
	result.explain()
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
	case page.Status > 0:
		r.Detail = fmt.Sprintf("The start address answers with status %d and type %q, so there is no page to begin with.", page.Status, page.Type)
	default:
		r.Detail = fmt.Sprintf("The start address gives no answer (%s), so there is no page to begin with.", page.Outcome)
	}
}

// batchSize is how many results are stored at once.
const batchSize = 500

// window is how far results may run ahead of the oldest one still awaited.
func window(parallel int) int { return max(256, 32*parallel) }

type job struct {
	seq int
	id  int32
	url string
}

type done struct {
	job
	Record
	retries int
}

// loop hands out jobs and takes results up in order, until nothing is left or the crawl is
// to end.
func (c *Crawl) loop(ctx context.Context, saver *saver) Ending {
	jobs := make(chan job, c.plan.Parallel) // so that no worker waits for the loop
	results := make(chan done, 4*c.plan.Parallel)
	var workers sync.WaitGroup
	for range c.plan.Parallel {
		workers.Go(func() { c.work(ctx, jobs, results) })
	}
	defer workers.Wait()
	defer close(jobs)
	var timeUp <-chan time.Time
	if c.plan.Time > 0 {
		timer := time.NewTimer(time.Duration(c.plan.Time))
		defer timer.Stop()
		timeUp = timer.C
	}
	ahead := map[int]done{} // received, and waiting for an older one
	sent, received, taken := 0, 0, 0
	ending, stop := Complete, c.stop
	for {
		next, ok := c.frontier.peek()
		if ok && sent >= c.plan.Pages {
			ending, ok = PageLimit, false
		}
		if ending == Stopped || ending == TimeLimit || sent-taken >= window(c.plan.Parallel) {
			ok = false
		}
		var out chan job
		if ok {
			out = jobs
		} else if sent == taken {
			return ending
		}
		select {
		case out <- job{sent, next, c.frontier.addresses[max(next, 0)].URL}:
			c.frontier.pop()
			sent++
		case d := <-results:
			received++
			ahead[d.seq] = d
			c.progress.fetched(d)
			for d, ok := ahead[taken]; ok; d, ok = ahead[taken] {
				delete(ahead, taken)
				taken++
				c.take(ctx, d)
				if len(c.batch.Records) >= batchSize || time.Since(saver.last) > time.Second {
					c.flush(saver)
				}
			}
		case <-stop:
			ending, stop = Stopped, nil
		case <-timeUp:
			ending = TimeLimit
		case <-ctx.Done():
			ending, stop = Stopped, nil
			for ; received < sent; received++ { // workers answer at once: their requests are cancelled
				<-results
			}
			return ending
		}
	}
}

// take books one result: its links become known addresses, its facts go to the survey and
// the next batch.
func (c *Crawl) take(ctx context.Context, d done) {
	f := &c.frontier
	f.addresses[d.id].State = survey.Fetched
	depth := f.addresses[d.id].Depth
	redirect, canonical := int32(-1), int32(-1)
	if d.Facts.Redirect != "" {
		redirect = c.know(ctx, d.Facts.Redirect, d.id, depth, true)
	}
	doc := d.Facts.Document
	if doc != nil {
		follow := doc.Robots.NoFollow == ""
		if address := d.Facts.Canonical(); address != "" {
			canonical = c.know(ctx, address, d.id, depth+1, true)
		}
		d.Links = make([]int32, len(doc.Links))
		for i := range doc.Links {
			d.Links[i] = -1
			if doc.Links[i].Address != "" {
				d.Links[i] = c.know(ctx, doc.Links[i].Address, d.id, depth+1, follow)
			}
		}
	}
	c.survey.Add(d.id, d.Facts, redirect, canonical, d.Links)
	c.judge.Collect(d.Findings)
	c.batch.Records = append(c.batch.Records, d.Record)
	c.progress.known(f.waiting(), len(f.addresses), c.judge.Places())
}

// know gives an address its number, queueing it if it is new, inside and wanted.
func (c *Crawl) know(ctx context.Context, address string, from, depth int32, follow bool) int32 {
	id, isNew := c.frontier.add(address, from, depth, follow)
	if isNew && c.frontier.needsRules(id) {
		u, err := weburl.Parse(address)
		if err == nil {
			c.rulesOf(ctx, u)
		}
		c.frontier.admit(id)
	}
	return id
}

// flush hands the batch on, with the addresses that became known since the last.
func (c *Crawl) flush(s *saver) {
	known := c.frontier.addresses
	first := int(c.batch.First)
	c.batch.Addresses = append([]survey.Address(nil), known[first:]...)
	if len(c.batch.Addresses)+len(c.batch.Records) > 0 {
		s.save(c.batch)
	}
	s.last = time.Now()
	c.batch = Batch{First: int32(len(known))}
}

// listUnlinked adds what only the sitemaps know.
func (c *Crawl) listUnlinked() {
	f := &c.frontier
	for _, address := range f.listed {
		if _, known := f.numbers[address]; !known && f.inside(address) {
			f.append(survey.Address{URL: address, FoundOn: -1, State: survey.Unlinked, InSitemap: true})
		}
	}
}

// A saver stores batches in their own goroutine, at most two behind.
type saver struct {
	batches chan Batch
	ended   chan struct{}
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
			if err := sink.Save(ctx, b); err != nil {
				s.err = fmt.Errorf("storing results: %w", err)
				cancel(s.err)
			}
		}
	}()
	return s
}

func (s *saver) save(b Batch) { s.batches <- b }

func (s *saver) close() error {
	close(s.batches)
	<-s.ended
	if errors.Is(s.err, context.Canceled) {
		return nil // the caller asked for it
	}
	return s.err
}

// wantsBody tells which responses are read: HTML pages.
func wantsBody(status int, mediaType string) bool {
	return status == http.StatusOK && (mediaType == "text/html" || mediaType == "application/xhtml+xml")
}

// URL is the address of a number. It may be called while judging, when the list of addresses
// no longer grows.
func (c *Crawl) URL(id int32) string { return c.frontier.addresses[id].URL }
