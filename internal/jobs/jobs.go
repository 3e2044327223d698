// Package jobs runs crawls inside the service: it owns their goroutines, knows their
// progress, takes them up again after a crash, and puts them away when the service ends.
package jobs

import (
	"cmp"
	"context"
	"crypto/rand"
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
	StartTurn(
		ctx context.Context,
		site record.Site,
		p plan.Plan,
		catalogue int,
		turn *record.Turn,
	) (record.Crawl, error)
	AnyTime(ctx context.Context, crawl int64) error
	ResumeCrawl(ctx context.Context, id int64) (bool, error)
	Reopen(ctx context.Context, id int64, p plan.Plan) error
	PauseCrawl(ctx context.Context, rec record.Crawl, why, waits string) error
	FailCrawl(ctx context.Context, rec record.Crawl, why string) error
	Share(ctx context.Context, w record.Worker, joined []record.HostUse, left []string) ([]record.HostShare, error)
	Unshare(ctx context.Context, name string) error
	Work(ctx context.Context, name string, hands record.Hands, crawl func(context.Context, record.CrawlJob) error,
		todo func(ctx context.Context, t record.Todo, try int) error,
		log *slog.Logger) (stop func(context.Context), err error)
	Leave(ctx context.Context, todo ...record.Todo) error
	TakeBack(ctx context.Context, patience time.Duration, seat string) (taken int, err error)
	Exclusively(ctx context.Context, what string, do func() error) error
	CrawlOf(ctx context.Context, id int64) (record.Crawl, error)
	Workers(ctx context.Context) ([]record.Worker, error)
	Seal(ctx context.Context) (print string, err error)
	Own(ctx context.Context, id int64, epoch int, owner string) (rec record.Crawl, ok bool, err error)
	Waiting(ctx context.Context) (crawls int, err error)
	Beat(ctx context.Context, rec record.Crawl, p record.Progress) (record.Orders, error)
	Release(ctx context.Context, rec record.Crawl) error
	Unheard(ctx context.Context, patience time.Duration, seat string) ([]record.Crawl, error)
	Reclaim(ctx context.Context, rec record.Crawl, counts, most int, why string) (reclaimed, away bool, err error)
	RemoveCrawl(ctx context.Context, id int64) error
	RemoveSite(ctx context.Context, name string) error
	Retain(ctx context.Context, site int64) (numbers []int, err error)
	Sweep(ctx context.Context) error
	Tidy(ctx context.Context, id int64) error
	Wish(ctx context.Context, id int64, wish string) (running bool, err error)
	SetPlanOf(ctx context.Context, id int64, p plan.Plan) (running bool, err error)
	WaitingFor(ctx context.Context, what string) ([]record.Crawl, error)
	Site(ctx context.Context, name string) (record.Site, error)
	KnownLayouts(ctx context.Context, site int64) (map[string][]uint32, error)
	Sink(rec record.Crawl) record.Sink
	SaveResult(ctx context.Context, rec record.Crawl, r *booking.Result, p record.Progress, w record.Weighing,
		with record.Settling) error
	Replace(ctx context.Context, id int64, r *booking.Result, p record.Progress, w record.Weighing,
		found []check.Finding, by plan.Plan, catalogue int) error
	Reread(ctx context.Context, rec record.Crawl,
		remake func(old *page.Facts, source []byte) (*page.Facts, error)) (read int, err error)
	Past(rec record.Crawl) record.Past
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

// A Meter counts what ended in this process.
type Meter interface {
	Crawled(how string)
	Did(what, how string)
}

// A Runner is safe for use from several goroutines.
type Runner struct {
	store     Store
	gear      *gear.Gear
	decisions Decisions
	work      Work
	judge     Judge
	chores    map[string]Chore
	meter     Meter
	log       *slog.Logger

	ctx    context.Context
	cancel context.CancelFunc
	group  sync.WaitGroup

	disk   Disk
	ending chan struct{}
	seat   string // what the owners of crawls that are run here have in common, over the ends of the process
	name   string // as whom this runner owns crawls

	lacks     sync.Once // it was said that a key is lacking
	leastTurn time.Duration

	mu        sync.Mutex
	short     string         // why nothing more can be stored; "" if it can
	fullUntil time.Time      // the database has said that its disk is full
	live      map[int64]*run // by crawl
	closed    bool
	unshare   func(context.Context) // ends the sharing of hosts with other workers; nil where none are shared
	idle      func(context.Context) // stops taking from the queue; nil where nothing is taken
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
	lost   bool      // another worker has it
	yields bool      // it is to queue up again behind others
	silent bool      // its owner is not heard
	heard  time.Time // when its owner last told that it lives, and was
	begun  time.Time
	at     time.Time // it began to fetch, as its owner first saw
	waits  string    // what it is put away for, if it is to go on by itself
}

// Parts are what a runner works with.
type Parts struct {
	Store     Store
	Gear      *gear.Gear
	Decisions Decisions
	Work      Work
	Judge     Judge
	Chores    map[string]Chore // what waits in the queue beside crawls, by what it is
	Disk      Disk
	Meter     Meter  // nil for none
	Seat      string // names where crawls are run, for as long as the place lasts; "" for one that ends with the runner
	Log       *slog.Logger
}

// New makes a runner. Shut it down after use.
func New(p Parts) *Runner {
	ctx, cancel := context.WithCancel(context.Background())
	r := &Runner{
		store: p.Store, gear: p.Gear, decisions: p.Decisions, work: p.Work, judge: p.Judge, chores: p.Chores,
		meter: p.Meter, log: p.Log, ctx: ctx, cancel: cancel,
		live: map[int64]*run{}, disk: p.Disk, ending: make(chan struct{}), seat: cmp.Or(p.Seat, rand.Text()) + "/",
	}
	if r.meter == nil {
		r.meter = uncounted{}
	}
	r.name, r.leastTurn = r.seat+rand.Text(), leastTurn
	r.group.Go(r.watchDisk)
	return r
}

// uncounted is a Meter that counts nothing.
type uncounted struct{}

// Crawled implements Meter.
func (uncounted) Crawled(string) {}

// Did implements Meter.
func (uncounted) Did(string, string) {}

// Start begins a crawl of a site by a plan and returns its record at once; it runs as soon as a worker takes it.
func (r *Runner) Start(ctx context.Context, site record.Site, p plan.Plan) (record.Crawl, error) {
	return r.StartTurn(ctx, site, p, nil)
}

// StartTurn is Start where it is a schedule's turn; record.ErrBusy where another process has taken that.
func (r *Runner) StartTurn(
	ctx context.Context,
	site record.Site,
	p plan.Plan,
	turn *record.Turn,
) (record.Crawl, error) {
	if err := r.open(); err != nil {
		return record.Crawl{}, err
	}
	if _, err := r.gear.Secrets(ctx, site.ID, site.Home, p); err != nil {
		return record.Crawl{}, err
	}
	rec, err := r.store.StartTurn(ctx, site, p, r.judge.Version(), turn)
	return rec, oneASite(err)
}

// Resume goes on with a paused crawl, because somebody wants it to: from then on at any time of the day.
func (r *Runner) Resume(ctx context.Context, rec record.Crawl) (record.Crawl, error) {
	if err := r.open(); err != nil {
		return rec, err
	}
	if err := r.store.AnyTime(ctx, rec.ID); err != nil {
		return rec, err
	}
	return r.Revive(ctx, rec)
}

// Revive goes on with a paused crawl that waited for something.
func (r *Runner) Revive(ctx context.Context, rec record.Crawl) (record.Crawl, error) {
	if err := r.open(); err != nil {
		return rec, err
	}
	ok, err := r.store.ResumeCrawl(ctx, rec.ID)
	if err == nil && !ok {
		err = record.Refuse("crawl %d is %s, not paused", rec.Number, rec.State)
	}
	rec.State, rec.Detail = "running", ""
	return rec, oneASite(err)
}

// Continue goes on with a finished crawl by a plan that allows it more.
func (r *Runner) Continue(ctx context.Context, rec record.Crawl, p plan.Plan) (record.Crawl, error) {
	if err := r.open(); err != nil {
		return rec, err
	}
	if err := r.store.Reopen(ctx, rec.ID, p); err != nil {
		return rec, oneASite(err)
	}
	rec.State, rec.Ending, rec.Detail, rec.Plan, rec.Report, rec.Finished = "running", "", "", p, nil, nil
	return rec, nil
}

// open tells why no crawl is begun now.
func (r *Runner) open() error {
	if r.isClosed() {
		return record.ErrEnding
	}
	return r.Room()
}

// oneASite says of what there may be one only that it is the running crawl of a site.
func oneASite(err error) error {
	if errors.Is(err, record.ErrExists) {
		return record.ErrRunning
	}
	return err
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
	return r.store.Replace(ctx, rec.ID, result, rec.Progress, w.Weighing(result.Sheet), found, by, r.judge.Version())
}

// reread reads a crawl's pages anew, by the facts of today and a plan's fields.
func (r *Runner) reread(ctx context.Context, rec record.Crawl, by plan.Plan) error {
	if rec.Plan.Render.Pages == plan.All {
		return record.Refuse(
			"crawl %d was rendered: what was read of its pages is what a browser built, and that is not "+
				"what is kept as their source; crawl again",
			rec.Number,
		)
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

// RemoveCrawl deletes a crawl that does not run; record.ErrNotFound where there is none.
func (r *Runner) RemoveCrawl(ctx context.Context, id int64) error {
	return r.store.RemoveCrawl(ctx, id)
}

// RemoveSite deletes a site with its crawls.
func (r *Runner) RemoveSite(ctx context.Context, name string) error {
	return r.store.RemoveSite(ctx, name)
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
	a := &attempt{book: booking.New(r.judge.Runner(p, log), layouts), sink: r.store.Sink(rec)}
	a.book.Survey.Source = r.store.Source(r.ctx, rec.ID, a.book.URL)
	config.Book, config.Sink, config.Log = a.book, a.sink, log
	if past {
		config.Past = r.store.Past(rec)
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
func (r *Runner) once(one *run, past bool, log *slog.Logger) (err error) {
	ctx, done := traced(r.ctx, "crawl", one.rec)
	defer func() { done(err) }()
	a, err := r.prepare(one, past, log)
	if err != nil {
		return err
	}
	harvest, err := within(ctx, "fetch", one.rec, a.crawl.Run)
	if err != nil {
		return err
	}
	var w *decide.Weights
	ended := judging.Ended{
		Book: a.book, Harvest: harvest, Sink: a.sink, Further: past, Ends: one.ends,
		Weigh: func(sheet *fixlist.Sheet) (*fixlist.Report, error) {
			var err error
			if w, err = r.weights(ctx, one.rec); err != nil {
				return nil, err
			}
			return sheet.Build(w.Adjustment()), nil
		},
	}
	result, err := within(ctx, "judge", one.rec, ended.Judge)
	if err != nil {
		return err
	}
	progress := a.crawl.Progress()
	progress.Phase, progress.Findings, progress.Waiting, progress.Later = "done", a.book.Places(), 0, 0
	if _, err = within(ctx, "store", one.rec, func(ctx context.Context) (any, error) {
		with, err := r.work.Settle(ctx, one.rec, result)
		if err != nil {
			return nil, err
		}
		return nil, r.store.SaveResult(ctx, one.rec, result, progress, w.Weighing(result.Sheet), with)
	}); err != nil {
		return err
	}
	one.mu.Lock()
	one.stored = true
	one.mu.Unlock()
	r.meter.Crawled(string(result.Ending))
	log.Info("crawl finished", "ending", string(result.Ending), "fetched", progress.Fetched,
		"seconds", int(progress.Seconds), "fixes", len(result.Report.Fixes))
	return nil
}

// conclude deals with an attempt's error. It tells whether that is the end of the run.
func (r *Runner) conclude(one *run, err error, log *slog.Logger) bool {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
	defer cancel()
	var paused *crawl.ErrPaused
	var refusal *record.Refusal
	var mistake *mishap.Panic
	var facts *booking.OldFactsError
	how := "paused"
	switch {
	case one.isLost(), errors.Is(err, record.ErrLost):
		log.Warn("crawl given up: another worker has taken it up")
		r.meter.Crawled("lost")
		return true
	case errors.As(err, &facts):
		log.Warn("crawl paused", "reason", facts.Error())
		err = r.store.PauseCrawl(ctx, one.rec, facts.Error(), "") // what it has is kept for the Harvik that made it
	case errors.As(err, &mistake):
		gear.Tell(log, "crawl paused", err)
		err = r.store.PauseCrawl(ctx, one.rec, err.Error(), "") // what it has is kept
	case r.store.Trouble(err) == record.Full:
		r.full()
		log.Warn("crawl put away", "reason", err.Error())
		err = r.store.PauseCrawl(ctx, one.rec, r.shortage(), waitsForDisk)
	case one.isGivenBack() && errors.As(err, &paused):
		if err = r.store.Release(ctx, one.rec); r.store.Trouble(err) == record.Away {
			return false
		}
		how = "given back"
		log.Info("crawl queues up again behind others")
	case r.isClosed() && (errors.As(err, &paused) || r.ctx.Err() != nil):
		how = "given back"
		log.Info("crawl given back; it goes on with the next worker that is free")
		err = r.store.Release(ctx, one.rec)
	case errors.As(err, &paused), errors.As(err, &refusal):
		why := err.Error()
		if paused != nil {
			why = paused.Reason
		}
		one.mu.Lock()
		waits := one.waits
		one.mu.Unlock()
		switch {
		case why != "":
		case waits == waitsForDisk:
			why = r.shortage()
		case waits == record.WaitsForHours:
			why = "it runs " + one.rec.Hours.Text + " alone, and goes on by itself then"
		}
		log.Info("crawl paused", "reason", why)
		err = r.store.PauseCrawl(ctx, one.rec, why, waits)
	case r.store.Trouble(err) == record.Away:
		return false
	default:
		how = "failed"
		log.Error("crawl failed", "reason", err.Error())
		err = r.store.FailCrawl(ctx, one.rec, err.Error())
	}
	r.meter.Crawled(how)
	if err != nil && !errors.Is(err, record.ErrLost) {
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

// Defer puts a running crawl away until its hours come. It tells whether the crawl was running.
func (r *Runner) Defer(ctx context.Context, id int64) (running bool, err error) {
	return r.wish(ctx, id, record.WaitsForHours, func(one *run) { one.putAwayFor(record.WaitsForHours) })
}

// wish has a running crawl do something, which is stored first: a crash must not forget it.
func (r *Runner) wish(ctx context.Context, id int64, wish string, do func(*run)) (running bool, err error) {
	if running, err = r.store.Wish(ctx, id, wish); running && err == nil {
		r.with(id, do) // otherwise its owner hears of it when it next tells how far it is
	}
	return running, err
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

// putAwayFor puts the crawl away until something is there, unless it waits for something else already.
func (o *run) putAwayFor(what string) {
	if !o.pause {
		o.waits = what
	}
	o.putAway()
}

func (o *run) putAway() {
	o.pause = true
	if o.crawl != nil {
		o.crawl.Pause()
	}
}

// Retune changes the pace of a running crawl, and of the plan that it keeps.
func (r *Runner) Retune(ctx context.Context, id int64, p plan.Plan) (running bool, err error) {
	if running, err = r.store.SetPlanOf(ctx, id, p); running && err == nil {
		r.with(id, func(one *run) { one.retune(p) })
	}
	return running, err
}

func (o *run) retune(p plan.Plan) {
	o.rec.Plan = p
	if o.crawl != nil {
		o.crawl.Retune(p.Parallel, time.Duration(p.Pause), p.PerSecond)
	}
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

// Progress is that of a crawl that is run here. Ended is closed when it has been stored.
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
	idle, unshare := r.idle, r.unshare
	r.mu.Unlock()
	if idle != nil {
		idle(ctx)
	}
	gear.End(ctx, &r.group, r.cancel)
	if unshare != nil {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		unshare(ctx)
	}
}
