// Package jobs runs crawls inside the service: it owns their goroutines, knows their
// progress, takes them up again after a crash, and puts them away when the service ends.
package jobs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"slices"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/decide"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/limit"
	"harvik/internal/record"
)

// Store is where crawls are kept.
type Store interface {
	StartCrawl(ctx context.Context, site record.Site, p plan.Plan, catalogue int) (record.Crawl, error)
	ResumeCrawl(ctx context.Context, id int64) (bool, error)
	Reopen(ctx context.Context, id int64, p plan.Plan) error
	PauseCrawl(ctx context.Context, id int64, why, waits string) error
	FailCrawl(ctx context.Context, id int64, why string) error
	RemoveCrawl(ctx context.Context, id int64) error
	RemoveSite(ctx context.Context, name string) error
	Retain(ctx context.Context, site int64) (numbers []int, err error)
	Sweep(ctx context.Context) error
	Tidy(ctx context.Context, id int64) error
	Wish(ctx context.Context, id int64, wish string) error
	SetPlanOf(ctx context.Context, id int64, p plan.Plan) error
	Running(ctx context.Context) ([]record.Crawl, error)
	WaitingFor(ctx context.Context, what string) ([]record.Crawl, error)
	CountCut(ctx context.Context, id int64, fetched, counts int) (cuts int, err error)
	CutRechecks(ctx context.Context) error
	Site(ctx context.Context, name string) (record.Site, error)
	KnownLayouts(ctx context.Context, site int64) (map[string][]uint32, error)
	Sink(crawl int64) record.Sink
	SaveResult(ctx context.Context, rec record.Crawl, r *booking.Result, p record.Progress, w record.Weighing,
		with record.Settling) error
	Replace(ctx context.Context, id int64, r *booking.Result, p record.Progress, w record.Weighing,
		found []check.Finding, by plan.Plan, catalogue int) error
	Reread(ctx context.Context, rec record.Crawl,
		remake func(old *page.Facts, source []byte) (*page.Facts, error)) (read int, err error)
	Past(crawl int64) record.Past
	Source(ctx context.Context, crawl int64, url func(int32) string) survey.Source
	Ping(ctx context.Context) error
	Trouble(err error) record.Trouble
}

// Decisions are what is decided about a site.
type Decisions interface {
	Weights(ctx context.Context, site record.Site) (*decide.Weights, error)
}

// Work is the list that a crawl settles.
type Work interface {
	Settle(ctx context.Context, rec record.Crawl, result *booking.Result) (record.Settling, error)
}

// Judge judges crawls by its catalogue.
type Judge interface {
	Version() int
	Runner(p plan.Plan, log *slog.Logger) *check.Runner
	Rejudged(ctx context.Context, rec record.Crawl, by plan.Plan) (*booking.Result, []check.Finding, error)
}

// A Runner is safe for use from several goroutines.
type Runner struct {
	store     Store
	gear      *gear.Gear
	decisions Decisions
	work      Work
	judge     Judge
	changed   func()
	log       *slog.Logger

	ctx    context.Context
	cancel context.CancelFunc
	group  sync.WaitGroup

	disk   Disk
	ending chan struct{}

	mu        sync.Mutex
	short     string         // why nothing more can be stored; "" if it can
	fullUntil time.Time      // the database has said that its disk is full
	live      map[int64]*run // by crawl
	bySite    map[int64]int64
	closed    bool
}

// run is a crawl that is being run, through as many attempts as that takes.
type run struct {
	rec   record.Crawl
	start weburl.URL
	ended chan struct{}

	mu     sync.Mutex
	crawl  *crawl.Crawl // of the present attempt
	stored bool         // with its verdict
	stop   bool
	pause  bool
	waits  string // what it is put away for, if it is to go on by itself
}

// Parts are what a runner works with.
type Parts struct {
	Store     Store
	Gear      *gear.Gear
	Decisions Decisions
	Work      Work
	Judge     Judge
	Changed   func() // nil, or told when another crawl of a site may be its newest, or it is judged by other rules
	Disk      Disk
	Log       *slog.Logger
}

// New makes a runner. Shut it down after use.
func New(p Parts) *Runner {
	ctx, cancel := context.WithCancel(context.Background())
	r := &Runner{
		store: p.Store, gear: p.Gear, decisions: p.Decisions, work: p.Work, judge: p.Judge, changed: p.Changed,
		log: p.Log, ctx: ctx, cancel: cancel,
		live: map[int64]*run{}, bySite: map[int64]int64{}, disk: p.Disk, ending: make(chan struct{}),
	}
	if r.changed == nil {
		r.changed = func() {}
	}
	r.group.Go(r.watchDisk)
	return r
}

// Start begins a crawl of a site by a plan and returns its record at once.
func (r *Runner) Start(ctx context.Context, site record.Site, p plan.Plan) (record.Crawl, error) {
	if err := r.Room(); err != nil {
		return record.Crawl{}, err
	}
	return r.launch(site.ID, func() (record.Crawl, error) {
		if _, err := r.gear.Secrets(ctx, site.ID, site.Home, p); err != nil {
			return record.Crawl{}, err
		}
		return r.store.StartCrawl(ctx, site, p, r.judge.Version())
	}, false)
}

// Resume goes on with a paused crawl.
func (r *Runner) Resume(ctx context.Context, rec record.Crawl) (record.Crawl, error) {
	if err := r.Room(); err != nil {
		return rec, err
	}
	return r.launch(rec.SiteID, func() (record.Crawl, error) {
		ok, err := r.store.ResumeCrawl(ctx, rec.ID)
		if err == nil && !ok {
			err = record.Refuse("crawl %d is %s, not paused", rec.Number, rec.State)
		}
		rec.State, rec.Detail = "running", ""
		return rec, err
	}, true)
}

// Continue goes on with a finished crawl by a plan that allows it more.
func (r *Runner) Continue(ctx context.Context, rec record.Crawl, p plan.Plan) (record.Crawl, error) {
	if err := r.Room(); err != nil {
		return rec, err
	}
	return r.launch(rec.SiteID, func() (record.Crawl, error) {
		if err := r.store.Reopen(ctx, rec.ID, p); err != nil {
			return rec, err
		}
		r.changed() // the one before is the newest finished one meanwhile
		rec.State, rec.Ending, rec.Detail, rec.Plan, rec.Report, rec.Finished = "running", "", "", p, nil, nil
		return rec, nil
	}, true)
}

// Rejudge judges a finished crawl anew, by the checks of today and the rules of the site's plan,
// without fetching anything. Where that is wished, its pages are read anew first, from the source that was kept.
func (r *Runner) Rejudge(ctx context.Context, site record.Site, rec record.Crawl, read bool) error {
	if rec.State != "finished" {
		return record.Refuse("crawl %d is %s; only a finished one can be judged again", rec.Number, rec.State)
	}
	if err := r.Room(); err != nil {
		return err
	}
	by := rec.Plan.Under(site.Plan.Rules())
	if read {
		by.Fields, by.Snippets = site.Plan.Fields, site.Plan.Snippets
		if err := r.reread(ctx, rec, by); err != nil {
			return err
		}
	}
	result, found, err := r.judge.Rejudged(ctx, rec, by)
	if err != nil {
		return err
	}
	w, err := r.weights(ctx, rec)
	if err != nil {
		return err
	}
	result.Report = result.Sheet.Build(w.Adjustment())
	defer r.changed()
	return r.store.Replace(ctx, rec.ID, result, rec.Progress, w.Weighing(result.Sheet), found, by, r.judge.Version())
}

// reread reads a crawl's pages anew, by the facts of today and a plan's fields.
func (r *Runner) reread(ctx context.Context, rec record.Crawl, by plan.Plan) error {
	if rec.Plan.Render.Pages == plan.All {
		return record.Refuse("crawl %d was rendered: what was read of its pages is what a browser built, and that is not "+
			"what is kept as their source; crawl again", rec.Number)
	}
	start, err := weburl.Parse(rec.Home)
	if err != nil {
		return err
	}
	by = by.WithDefaults()
	if err := by.CheckPatterns(); err != nil {
		return record.Refuse("%s", err.Error())
	}
	log := r.log.With("site", rec.Site, "crawl", rec.Number)
	reading, err := booking.NewReading(new(page.Reader), scope.New(start, by.Scope), by,
		limit.Within(limit.FieldTime))
	if err != nil {
		log.Warn("a field of the plan is left out", "reason", err.Error())
	}
	n, err := r.store.Reread(ctx, rec, reading.Again)
	if err == nil {
		log.Info("crawl read anew", "pages", n)
	}
	return err
}

// Try judges a finished crawl by a plan's rules beside those that its site has now, and tells what would change.
// Nothing is stored.
func (r *Runner) Try(ctx context.Context, site record.Site, rec record.Crawl, by plan.Plan) (record.Trial, error) {
	if rec.State != "finished" {
		return record.Trial{}, record.Refuse("crawl %d is %s; rules are tried on a finished one", rec.Number, rec.State)
	}
	w, err := r.weights(ctx, rec)
	if err != nil {
		return record.Trial{}, err
	}
	var reports [2]*fixlist.Report
	for i, rules := range []plan.Rules{site.Plan.Rules(), by.Rules()} {
		result, _, err := r.judge.Rejudged(ctx, rec, rec.Plan.Under(rules))
		if err != nil {
			return record.Trial{}, err
		}
		reports[i] = result.Sheet.Build(w.Adjustment())
	}
	return trial(reports[0], reports[1]), nil
}

// trial sets two reports of one crawl side by side.
func trial(was, now *fixlist.Report) (out record.Trial) {
	side := func(r *fixlist.Report) record.TrialSide {
		return record.TrialSide{Health: r.Health, Scored: r.Scored, Fixes: len(r.Fixes), Findings: r.Findings}
	}
	out.Was, out.Now = side(was), side(now)
	at := map[string]int{}
	add := func(lines []fixlist.LedgerLine, into func(*record.TrialCheck) *record.Failing) {
		for _, l := range lines {
			i, ok := at[l.Check]
			if !ok {
				i = len(out.Checks)
				at[l.Check] = i
				out.Checks = append(out.Checks, record.TrialCheck{Check: l.Check})
			}
			f := into(&out.Checks[i])
			f.Points += l.Points
			f.Pages += l.Pages
			f.Places += l.Places
		}
	}
	add(was.Ledger, func(c *record.TrialCheck) *record.Failing { return &c.Was })
	add(now.Ledger, func(c *record.TrialCheck) *record.Failing { return &c.Now })
	out.Checks = slices.DeleteFunc(out.Checks, func(c record.TrialCheck) bool {
		return math.Abs(c.Was.Points-c.Now.Points) < 0.005 && c.Was.Pages == c.Now.Pages && c.Was.Places == c.Now.Places
	})
	slices.SortStableFunc(out.Checks, func(a, b record.TrialCheck) int {
		return cmp.Compare(math.Abs(b.Now.Points-b.Was.Points), math.Abs(a.Now.Points-a.Was.Points))
	})
	return out
}

// weights are what is decided about a crawl's site now.
func (r *Runner) weights(ctx context.Context, rec record.Crawl) (*decide.Weights, error) {
	site, err := r.store.Site(ctx, rec.Site)
	if err != nil {
		return nil, err
	}
	return r.decisions.Weights(ctx, site)
}

// Recover takes up the crawls that were running when the service last ended. Crashed tells that it ended
// by a fault of its own.
func (r *Runner) Recover(ctx context.Context, crashed bool) error {
	if err := errors.Join(r.store.CutRechecks(ctx), r.gear.BindSecrets(ctx)); err != nil {
		return err
	}
	crawls, err := r.store.Running(ctx)
	if err != nil {
		return err
	}
	for _, rec := range crawls {
		if err := r.takeUp(ctx, rec, crashed); err != nil {
			return err
		}
	}
	r.sweep()
	return nil
}

// RemoveCrawl deletes a crawl that does not run; record.ErrNotFound where there is none.
func (r *Runner) RemoveCrawl(ctx context.Context, id int64) error {
	defer r.sweep()
	defer r.changed() // another may be the newest now
	return r.store.RemoveCrawl(ctx, id)
}

// RemoveSite deletes a site with its crawls.
func (r *Runner) RemoveSite(ctx context.Context, name string) error {
	defer r.sweep()
	return r.store.RemoveSite(ctx, name)
}

// sweep drops what crawls that are gone have left, beside everything else. What it cannot get at now it gets at when
// something is next removed, or the service starts.
func (r *Runner) sweep() {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return
	}
	r.group.Go(func() {
		if err := mishap.Catch(func() error { return r.store.Sweep(r.ctx) }); err != nil && r.ctx.Err() == nil {
			gear.Tell(r.log, "what a removed crawl left could not be dropped yet", err)
		}
	})
}

// What taking a crawl up without its having got further counts against it: after the third end of a service that was
// killed it is put away, after the second of one that crashed.
const (
	killCounts  = 4
	crashCounts = 6
	mostCounted = 12
)

// takeUp goes on with a crawl that was running when the service ended, unless it seems to be what ends it.
func (r *Runner) takeUp(ctx context.Context, rec record.Crawl, crashed bool) error {
	log := r.log.With("site", rec.Site, "crawl", rec.Number)
	counts := killCounts
	if crashed {
		counts = crashCounts
	}
	cuts, err := r.store.CountCut(ctx, rec.ID, rec.Progress.Fetched, counts)
	if err != nil {
		return err
	}
	if cuts >= mostCounted {
		const why = "the service ended again and again while this crawl ran, and it got no further: it is put away, so that the service can go on; " +
			"the service's log and the files crash-*.log of its data folder say more, `harvik crawl resume` tries once more"
		log.Error("crawl put away", "reason", why)
		return r.store.PauseCrawl(ctx, rec.ID, why, "")
	}
	if _, err := r.launch(rec.SiteID, func() (record.Crawl, error) { return rec, nil }, true); err != nil {
		if r.store.Trouble(err) == record.Away || errors.Is(err, record.ErrEnding) {
			return err
		}
		log.Error("crawl cannot be taken up", "reason", err.Error()) // one crawl may not keep the service from starting
		return r.store.PauseCrawl(ctx, rec.ID, err.Error(), "")
	}
	return nil
}

// launch makes room for a site's crawl, has its record made, and runs it. The place is taken first, so that nobody
// waits for the database with all others locked out.
func (r *Runner) launch(site int64, begin func() (record.Crawl, error), past bool) (record.Crawl, error) {
	err := r.take(site)
	for errors.Is(err, record.ErrRunning) && r.awaitStored(site) {
		err = r.take(site)
	}
	if err != nil {
		return record.Crawl{}, err
	}
	runs := false
	defer func() { // whatever happens, panics too
		if !runs {
			r.leave(site)
		}
	}()
	rec, err := begin()
	if errors.Is(err, record.ErrExists) {
		err = record.ErrRunning // started by another process
	}
	if err != nil {
		return record.Crawl{}, err
	}
	one := &run{rec: rec, ended: make(chan struct{}), stop: rec.Wish == record.WishStop,
		pause: rec.Wish == record.WishPause}
	if one.start, err = weburl.Parse(rec.Home); err != nil {
		return record.Crawl{}, err
	}
	runs = true
	r.mu.Lock()
	r.live[rec.ID], r.bySite[site] = one, rec.ID
	if r.closed { // meanwhile: it is put away as soon as it begins
		one.pause = true
	}
	r.mu.Unlock()
	go func() {
		defer close(one.ended)
		defer r.leave(site)
		r.run(one, past)
	}()
	return rec, nil
}

// awaitStored waits for a site's crawl that is stored with its verdict, and so has ended for all who ask, but has not
// given its place back yet. It tells whether there was one.
func (r *Runner) awaitStored(site int64) bool {
	r.mu.Lock()
	one := r.live[r.bySite[site]]
	r.mu.Unlock()
	if one == nil {
		return false
	}
	one.mu.Lock()
	stored := one.stored
	one.mu.Unlock()
	if stored {
		<-one.ended
	}
	return stored
}

// take takes a site's one place; leave gives it back.
func (r *Runner) take(site int64) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return record.ErrEnding
	}
	if _, taken := r.bySite[site]; taken {
		return record.ErrRunning
	}
	r.bySite[site] = 0 // until it has a number
	r.group.Add(1)
	return nil
}

func (r *Runner) leave(site int64) {
	r.mu.Lock()
	delete(r.live, r.bySite[site])
	delete(r.bySite, site)
	r.mu.Unlock()
	r.group.Done()
}

// attempt is one attempt at a run.
type attempt struct {
	crawl *crawl.Crawl
	book  *booking.Book
	sink  record.Sink
}

// prepare makes a crawl.
func (r *Runner) prepare(one *run, past bool, log *slog.Logger) (*attempt, error) {
	one.mu.Lock()
	rec := one.rec
	one.mu.Unlock()
	p := rec.Plan.WithDefaults()
	site, err := r.store.Site(r.ctx, rec.Site)
	if err != nil {
		return nil, err
	}
	secrets, err := r.gear.Open(r.ctx, rec.SiteID, rec.Home, p, "the service", fmt.Sprintf("crawl %d", rec.Number))
	if err != nil {
		return nil, err
	}
	layouts, err := r.store.KnownLayouts(r.ctx, rec.SiteID)
	if err != nil {
		return nil, err
	}
	config, err := r.gear.Config(p, one.start, gear.GuardOf(site), secrets)
	if err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	a := &attempt{book: booking.New(r.judge.Runner(p, log), layouts), sink: r.store.Sink(rec.ID)}
	a.book.Survey.Source = r.store.Source(r.ctx, rec.ID, a.book.URL)
	config.Book, config.Sink, config.Log = a.book, a.sink, log
	if past {
		config.Past = r.store.Past(rec.ID)
	}
	if a.crawl, err = crawl.New(config); err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	one.mu.Lock()
	defer one.mu.Unlock()
	one.crawl = a.crawl
	now := one.rec.Plan.WithDefaults() // its pace may have been changed meanwhile
	a.crawl.Retune(now.Parallel, time.Duration(now.Pause), now.PerSecond)
	if one.stop {
		a.crawl.Stop()
	}
	if one.pause {
		a.crawl.Pause()
	}
	return a, nil
}

func (r *Runner) run(one *run, past bool) {
	log := r.log.With("site", one.rec.Site, "crawl", one.rec.Number)
	log.Info("crawl started", "home", one.rec.Home, "resumed", past)
	for wait := time.Second; ; wait = min(2*wait, 30*time.Second) {
		err := mishap.Catch(func() error { return r.once(one, past, log) })
		if err == nil || r.conclude(one, err, log) {
			return
		}
		// The database is away. What it has stored stays true, so the crawl goes on from there.
		log.Warn("database away; the crawl waits for it", "reason", err.Error())
		past = true
		if !r.await(wait) {
			return
		}
	}
}

// once is one attempt, to the end.
func (r *Runner) once(one *run, past bool, log *slog.Logger) error {
	a, err := r.prepare(one, past, log)
	if err != nil {
		return err
	}
	harvest, err := a.crawl.Run(r.ctx)
	if err != nil {
		return err
	}
	var w *decide.Weights
	ended := judging.Ended{
		Book: a.book, Harvest: harvest, Sink: a.sink, Further: past, Ends: one.ends,
		Weigh: func(sheet *fixlist.Sheet) (*fixlist.Report, error) {
			var err error
			if w, err = r.weights(r.ctx, one.rec); err != nil {
				return nil, err
			}
			return sheet.Build(w.Adjustment()), nil
		},
	}
	result, err := ended.Judge(r.ctx)
	if err != nil {
		return err
	}
	progress := a.crawl.Progress()
	progress.Phase, progress.Findings, progress.Waiting, progress.Later = "done", a.book.Places(), 0, 0
	with, err := r.work.Settle(r.ctx, one.rec, result)
	if err != nil {
		return err
	}
	if err := r.store.SaveResult(r.ctx, one.rec, result, progress, w.Weighing(result.Sheet), with); err != nil {
		return err
	}
	one.mu.Lock()
	one.stored = true
	one.mu.Unlock()
	r.changed() // and by what was decided while the crawl was being judged
	r.group.Go(func() {
		if err := mishap.Catch(func() error { return r.tidy(one.rec, log) }); err != nil && r.ctx.Err() == nil {
			gear.Tell(log, "the database could not be tidied", err)
		}
	})
	log.Info("crawl finished", "ending", string(result.Ending), "fetched", progress.Fetched,
		"seconds", int(progress.Seconds), "fixes", len(result.Report.Fixes))
	return nil
}

// tidy tells the database of what a crawl that has ended brought, and deletes older crawls of the site that it does not
// keep.
func (r *Runner) tidy(rec record.Crawl, log *slog.Logger) error {
	if err := r.store.Tidy(r.ctx, rec.ID); err != nil {
		return err
	}
	gone, err := r.store.Retain(r.ctx, rec.SiteID)
	if err == nil && len(gone) > 0 {
		log.Info("older crawls deleted, as the site keeps so many", "crawls", gone)
		r.sweep()
	}
	return err
}

// conclude deals with an attempt's error. It tells whether that is the end of the run.
func (r *Runner) conclude(one *run, err error, log *slog.Logger) bool {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
	defer cancel()
	var paused *crawl.ErrPaused
	var refusal *record.Refusal
	var mistake *mishap.Panic
	var facts *booking.OldFactsError
	switch {
	case errors.As(err, &facts):
		log.Warn("crawl paused", "reason", facts.Error())
		err = r.store.PauseCrawl(ctx, one.rec.ID, facts.Error(), "") // what it has is kept for the Harvik that made it
	case errors.As(err, &mistake):
		gear.Tell(log, "crawl paused", err)
		err = r.store.PauseCrawl(ctx, one.rec.ID, err.Error(), "") // what it has is kept
	case r.store.Trouble(err) == record.Full:
		r.full()
		log.Warn("crawl put away", "reason", err.Error())
		err = r.store.PauseCrawl(ctx, one.rec.ID, r.shortage(), waitsForDisk)
	case r.isClosed() && (errors.As(err, &paused) || r.ctx.Err() != nil):
		log.Info("crawl put away; it goes on when the service starts")
		return true
	case errors.As(err, &paused), errors.As(err, &refusal):
		why := err.Error()
		if paused != nil {
			why = paused.Reason
		}
		one.mu.Lock()
		waits := one.waits
		one.mu.Unlock()
		if why == "" && waits == waitsForDisk {
			why = r.shortage()
		}
		log.Info("crawl paused", "reason", why)
		err = r.store.PauseCrawl(ctx, one.rec.ID, why, waits)
	case r.store.Trouble(err) == record.Away:
		return false
	default:
		log.Error("crawl failed", "reason", err.Error())
		err = r.store.FailCrawl(ctx, one.rec.ID, err.Error())
	}
	if err != nil {
		log.Error("crawl's end could not be stored", "reason", err.Error())
	}
	return true
}

// await waits until the database answers. It tells whether it is worth going on.
func (r *Runner) await(wait time.Duration) bool {
	for {
		select {
		case <-time.After(wait):
		case <-r.ctx.Done():
			return false
		}
		if r.isClosed() {
			return false
		}
		if r.store.Ping(r.ctx) == nil {
			return true
		}
	}
}

func (r *Runner) isClosed() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.closed
}

// Stop ends a running crawl early; what it has is kept and judged. It tells whether the
// crawl was running.
func (r *Runner) Stop(ctx context.Context, id int64) (running bool, err error) {
	return r.wish(ctx, id, record.WishStop, func(one *run) {
		one.stop = true
		if one.crawl != nil {
			one.crawl.Stop()
		}
	})
}

// Pause puts a running crawl away until it is resumed. It tells whether the crawl was running.
func (r *Runner) Pause(ctx context.Context, id int64) (running bool, err error) {
	return r.wish(ctx, id, record.WishPause, (*run).putAway)
}

// wish has a running crawl do something, which is stored first: a crash must not forget it.
func (r *Runner) wish(ctx context.Context, id int64, wish string, do func(*run)) (running bool, err error) {
	if !r.with(id, func(*run) {}) {
		return false, nil
	}
	if err := r.store.Wish(ctx, id, wish); err != nil {
		return true, err
	}
	return r.with(id, do), nil
}

// ends is crawl.ErrPaused once the run is to be put away: judging begins anew when it goes on.
func (o *run) ends() error {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.pause {
		return &crawl.ErrPaused{}
	}
	return nil
}

func (o *run) putAway() {
	o.pause = true
	if o.crawl != nil {
		o.crawl.Pause()
	}
}

// Retune changes the pace of a running crawl, and of the plan that it keeps.
func (r *Runner) Retune(ctx context.Context, id int64, p plan.Plan) (running bool, err error) {
	running = r.with(id, func(one *run) {
		one.rec.Plan = p
		if one.crawl != nil {
			one.crawl.Retune(p.Parallel, time.Duration(p.Pause), p.PerSecond)
		}
	})
	if running {
		err = r.store.SetPlanOf(ctx, id, p)
	}
	return running, err
}

func (r *Runner) with(id int64, f func(*run)) bool {
	r.mu.Lock()
	one := r.live[id]
	r.mu.Unlock()
	if one == nil {
		return false
	}
	one.mu.Lock()
	defer one.mu.Unlock()
	f(one)
	return true
}

// Progress is that of a running crawl. Ended is closed when it has been stored.
func (r *Runner) Progress(id int64) (p record.Progress, ended <-chan struct{}, running bool) {
	running = r.with(id, func(one *run) {
		p.Phase = "starting"
		if one.crawl != nil {
			p = one.crawl.Progress()
		}
		ended = one.ended
	})
	return p, ended, running
}

// Shutdown puts all crawls away, to go on when the service starts again. Where ctx ends first
// it cuts them off, which loses nothing but time.
func (r *Runner) Shutdown(ctx context.Context) {
	r.mu.Lock()
	if !r.closed {
		close(r.ending)
	}
	r.closed = true
	for _, one := range r.live {
		one.mu.Lock()
		one.putAway()
		one.mu.Unlock()
	}
	r.mu.Unlock()
	gear.End(ctx, &r.group, r.cancel)
}
