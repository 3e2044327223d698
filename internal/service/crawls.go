package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/own"
	"harvik/internal/core/survey"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// number reads a query parameter between bounds; on failure it has answered.
func number(c *gin.Context, name string, standard, low, high int) (int, bool) {
	text := c.Query(name)
	if text == "" {
		return standard, true
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < low || n > high {
		problem(c, http.StatusUnprocessableEntity,
			fmt.Sprintf("%s is a number from %d to %d, not %q", name, low, high, text))
		return 0, false
	}
	return n, true
}

func (s *Service) listCrawls(c *gin.Context) {
	limit, ok := number(c, "limit", 50, 1, 500)
	if !ok {
		return
	}
	before, ok := number(c, "before", 0, 0, 1<<31-1)
	if !ok {
		return
	}
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	crawls, err := s.store.Crawls(c, site, before, limit+1)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	next := 0
	if len(crawls) > limit {
		crawls = crawls[:limit]
		next = crawls[limit-1].Number
	}
	for i := range crawls {
		s.enliven(&crawls[i])
		if p := &crawls[i].Plan; len(p.Sources.Addresses) > maxListedAddresses { // each crawl itself has them all
			p.Sources.Addresses = p.Sources.Addresses[:maxListedAddresses]
		}
	}
	c.JSON(http.StatusOK, api.CrawlList{Crawls: wire.Each(crawls, told(c, wire.Crawl, wire.ClientCrawl)), Next: next})
}

// maxListedAddresses is how many of a plan's addresses a list of crawls repeats.
const maxListedAddresses = 20

// enliven replaces the stored progress of a running crawl by that of now, as it is here, or as its worker last told.
func (s *Service) enliven(cr *record.Crawl) {
	if cr.State != "running" {
		return
	}
	switch p, _, here := s.rooms.Progress(cr.ID); {
	case here:
		cr.Progress = p
	case cr.Owner == "":
		cr.Progress.Phase = "waiting"
	case cr.Live != nil:
		cr.Progress = *cr.Live
	}
}

func (s *Service) startCrawl(c *gin.Context) {
	var in api.NewCrawl
	if c.Request.ContentLength != 0 && !s.bind(c, &in) {
		return
	}
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	p := site.Plan
	if in.Pages != 0 {
		p.Pages = in.Pages
	}
	if err := p.Validate(own.Known(s.checks)); err != nil {
		s.fail(c, err, "")
		return
	}
	started, err := s.rooms.Start(c, site, p.WithDefaults())
	if err != nil {
		s.fail(c, err, "a crawl of this number")
		return
	}
	c.JSON(http.StatusAccepted, wire.Crawl(&started))
}

// siteAndCrawl is crawl with its site.
func (s *Service) siteAndCrawl(c *gin.Context) (record.Site, record.Crawl, bool) {
	cr, ok := s.crawl(c)
	if !ok {
		return record.Site{}, cr, false
	}
	site, err := s.store.Site(c, cr.Site)
	if err != nil {
		s.fail(c, err, "the crawl")
	}
	return site, cr, err == nil
}

// crawl is the crawl that the path names; on failure it has answered.
func (s *Service) crawl(c *gin.Context) (record.Crawl, bool) {
	name := c.Param("crawl")
	n := 0
	if name != "latest" {
		var err error
		var wide int64
		if wide, err = strconv.ParseInt(name, 10, 32); err == nil {
			n = int(wide)
		}
		if err != nil || n < 1 {
			problem(c, http.StatusNotFound, fmt.Sprintf("a crawl is named by its number or \"latest\", not %q", name))
			return record.Crawl{}, false
		}
	}
	cr, err := s.store.Crawl(c, c.Param("site"), n)
	if errors.Is(err, record.ErrNotFound) {
		if _, ok := s.siteOf(c); !ok {
			return cr, false
		}
	}
	if err != nil {
		what := "crawl " + name + " of the site " + c.Param("site")
		if n == 0 {
			what = "a finished crawl of the site " + c.Param("site")
		}
		s.fail(c, err, what)
		return cr, false
	}
	s.enliven(&cr)
	return cr, true
}

func (s *Service) showCrawl(c *gin.Context) {
	if cr, ok := s.crawl(c); ok {
		c.JSON(http.StatusOK, told(c, wire.Crawl, wire.ClientCrawl)(&cr))
	}
}

func (s *Service) removeCrawl(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	err := s.rooms.RemoveCrawl(c, cr.ID)
	if errors.Is(err, record.ErrNotFound) { // it was there a moment ago
		problem(c, http.StatusConflict, fmt.Sprintf("crawl %d is running; stop it first, or wait for it", cr.Number))
		return
	}
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.Status(http.StatusNoContent)
}

func (s *Service) markCrawl(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	var in api.Mark
	if !s.bind(c, &in) {
		return
	}
	if err := s.store.MarkCrawl(c, cr.ID, in.Marked); err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.Status(http.StatusNoContent)
}

func (s *Service) stopCrawl(c *gin.Context) { s.tell(c, s.rooms.Stop) }

func (s *Service) pauseCrawl(c *gin.Context) { s.tell(c, s.rooms.Pause) }

// tell passes a wish on to a running crawl.
func (s *Service) tell(c *gin.Context, wish func(ctx context.Context, id int64) (running bool, err error)) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	running, err := wish(c, cr.ID)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	if !running {
		problem(c, http.StatusConflict, fmt.Sprintf("crawl %d is not running", cr.Number))
		return
	}
	c.Status(http.StatusAccepted)
}

func (s *Service) resumeCrawl(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	resumed, err := s.rooms.Resume(c, cr)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.JSON(http.StatusAccepted, wire.Crawl(&resumed))
}

// continueCrawl lets a finished crawl go on with a higher number of pages.
func (s *Service) continueCrawl(c *gin.Context) {
	var in api.MorePages
	cr, ok := s.crawl(c)
	if !ok || !s.bind(c, &in) {
		return
	}
	p := cr.Plan.WithDefaults()
	switch {
	case cr.State != "finished":
		problem(c, http.StatusConflict, fmt.Sprintf("crawl %d is %s; only a finished one is continued", cr.Number,
			cr.State))
		return
	case cr.Ending != "page-limit":
		problem(c, http.StatusConflict,
			fmt.Sprintf("crawl %d ended by %q, not by its number of pages, so a higher one changes nothing", cr.Number,
				cr.Ending))
		return
	case in.Pages <= p.Pages:
		problem(c, http.StatusUnprocessableEntity,
			fmt.Sprintf("pages is to be more than the %d that the crawl had", p.Pages))
		return
	}
	p.Pages = in.Pages
	if err := p.Validate(own.Known(s.checks)); err != nil {
		s.fail(c, err, "")
		return
	}
	continued, err := s.rooms.Continue(c, cr, p)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.JSON(http.StatusAccepted, wire.Crawl(&continued))
}

// setPace changes the pace of a running crawl: the settings that the body names.
func (s *Service) setPace(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	p := cr.Plan.WithDefaults()
	pace := api.PaceLimits{Parallel: p.Parallel, Pause: p.Pause, PerSecond: p.PerSecond}
	if !s.bind(c, &pace) {
		return
	}
	p.Parallel, p.Pause, p.PerSecond = pace.Parallel, pace.Pause, pace.PerSecond
	if err := p.Validate(own.Known(s.checks)); err != nil {
		s.fail(c, err, "")
		return
	}
	running, err := s.rooms.Retune(c, cr.ID, p.WithDefaults())
	switch {
	case err != nil:
		s.fail(c, err, "the pace")
	case !running:
		problem(c, http.StatusConflict, fmt.Sprintf("crawl %d is not running", cr.Number))
	default:
		c.JSON(http.StatusOK, pace)
	}
}

// listAddresses lists the addresses of a state: what was left out, and why.
func (s *Service) listAddresses(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	state := c.DefaultQuery("state", survey.Blocked.String())
	if survey.StateOf(state).String() != state {
		problem(c, http.StatusUnprocessableEntity, unknown("state", state, survey.StateNames()))
		return
	}
	from, ok := number(c, "after", 0, 0, 1<<31-1)
	if !ok {
		return
	}
	limit, ok := number(c, "limit", 200, 1, 10_000)
	if !ok {
		return
	}
	list, err := s.store.Addresses(c, cr.ID, state, int32(from), limit)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, wire.AddressList(&list))
}

// progressEvery is how often a live stream tells the progress.
const progressEvery = 250 * time.Millisecond

// holdsEvery is how often a live stream looks whether its caller is still let in.
const holdsEvery = time.Second

// watchCrawl streams progress as server-sent events: "progress" while the crawl runs, then one
// "end" with the crawl as it stands.
func (s *Service) watchCrawl(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	h := c.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	send := func(event string, v any) {
		data, err := json.Marshal(v)
		if err != nil {
			return
		}
		fmt.Fprintf(c.Writer, "event: %s\ndata: %s\n\n", event, data)
		c.Writer.Flush()
	}
	ticker := time.NewTicker(progressEvery)
	defer ticker.Stop()
	for looked := time.Now(); ; {
		if time.Since(looked) >= holdsEvery { // a stream ends with the session that it was begun in
			if holds, err := s.store.Holds(c, caller(c).ID); err == nil && !holds {
				return
			}
			looked = time.Now()
		}
		p, ended, here := s.rooms.Progress(cr.ID)
		if !here { // it runs elsewhere, waits, or has ended
			now, err := s.store.Crawl(c, cr.Site, cr.Number)
			if err != nil {
				return
			}
			if now.State != "running" {
				send("end", wire.Crawl(&now))
				return
			}
			s.enliven(&now)
			p = now.Progress
		}
		send("progress", wire.Progress(&p))
		select {
		case <-ended:
		case <-ticker.C:
		case <-s.closing:
			return
		case <-c.Request.Context().Done():
			return
		}
	}
}

func (s *Service) tally(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	t, err := s.store.Tally(c, cr.ID)
	if err != nil {
		s.fail(c, err, "the count")
		return
	}
	c.JSON(http.StatusOK, wire.Tallies(&t))
}
