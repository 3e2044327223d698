// Package jobs runs crawls inside the service: it owns their goroutines, knows their
// progress, takes them up again after a crash, and puts them away when the service ends.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/pdf"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/vault"
)

// Errors that callers ask for.
var (
	ErrRunning = errors.New("a crawl of this site is running")
	ErrEnding  = errors.New("the service is ending")
)

// A Refusal says why a crawl cannot be started as it is.
type Refusal struct{ Reason string }

func (r *Refusal) Error() string { return r.Reason }

// A Mistake says what is wrong with what was asked for, whatever the state of the site.
type Mistake struct{ Reason string }

func (m *Mistake) Error() string { return m.Reason }

// A Runner is safe for use from several goroutines.
type Runner struct {
	store *store.Store
	vault *vault.Vault
	paces crawl.Paces
	pages page.Reader
	pdfs  pdf.Reader
	large *fetch.Large
	log   *slog.Logger

	ctx    context.Context
	cancel context.CancelFunc
	group  sync.WaitGroup

	weighing sync.Mutex // one crawl is weighed anew at a time

	disk   Disk
	ending chan struct{}

	mu        sync.Mutex
	short     string         // why nothing more can be stored; "" if it can
	fullUntil time.Time      // the database has said that its disk is full
	live      map[int64]*run // by crawl
	bySite    map[int64]int64
	rechecks  map[[2]int64]*recheck // by crawl and number
	closed    bool
}

// run is a crawl that is being run, through as many attempts as that takes.
type run struct {
	rec   record.Crawl
	start weburl.URL
	ended chan struct{}

	mu    sync.Mutex
	crawl *crawl.Crawl // of the present attempt
	stop  bool
	pause bool
	waits string // what it is put away for, if it is to go on by itself
}

// New makes a runner. Shut it down after use.
func New(s *store.Store, v *vault.Vault, disk Disk, log *slog.Logger) *Runner {
	ctx, cancel := context.WithCancel(context.Background())
	r := &Runner{
		store: s, vault: v, large: fetch.NewLarge(), log: log, ctx: ctx, cancel: cancel,
		live: map[int64]*run{}, bySite: map[int64]int64{}, rechecks: map[[2]int64]*recheck{}, disk: disk, ending: make(chan struct{}),
	}
	r.group.Go(r.watchDisk)
	return r
}

// Start begins a crawl of a site by a plan and returns its record at once.
func (r *Runner) Start(ctx context.Context, site record.Site, p plan.Plan) (record.Crawl, error) {
	if err := r.room(); err != nil {
		return record.Crawl{}, err
	}
	return r.launch(site.ID, func() (record.Crawl, error) {
		if _, err := r.secrets(ctx, site.ID, site.Home, p); err != nil {
			return record.Crawl{}, err
		}
		return r.store.StartCrawl(ctx, site, p, checks.Version)
	}, false)
}

// Preview looks at a site by a plan, for somebody. It stores nothing but that it used the plan's secrets.
func (r *Runner) Preview(ctx context.Context, site record.Site, p plan.Plan, who string) (*record.Preview, error) {
	secrets, err := r.open(ctx, site.ID, site.Home, p, who, "a preview")
	if err != nil {
		return nil, err
	}
	start, err := weburl.Parse(site.Home)
	if err != nil {
		return nil, err
	}
	config := r.config(p.WithDefaults(), start, guardOf(site), check.NewRunner(nil, p))
	config.Secrets = secrets
	out, err := crawl.Preview(ctx, config)
	if err != nil && ctx.Err() == nil {
		err = &Refusal{err.Error()}
	}
	return out, err
}

// Resume goes on with a paused crawl.
func (r *Runner) Resume(ctx context.Context, rec record.Crawl) (record.Crawl, error) {
	if err := r.room(); err != nil {
		return rec, err
	}
	return r.launch(rec.SiteID, func() (record.Crawl, error) {
		ok, err := r.store.ResumeCrawl(ctx, rec.ID)
		if err == nil && !ok {
			err = &Refusal{fmt.Sprintf("crawl %d is %s, not paused", rec.Number, rec.State)}
		}
		rec.State, rec.Detail = "running", ""
		return rec, err
	}, true)
}

// Continue goes on with a finished crawl by a plan that allows it more.
func (r *Runner) Continue(ctx context.Context, rec record.Crawl, p plan.Plan) (record.Crawl, error) {
	if err := r.room(); err != nil {
		return rec, err
	}
	return r.launch(rec.SiteID, func() (record.Crawl, error) {
		if err := r.store.Reopen(ctx, rec.ID, p); err != nil {
			return rec, err
		}
		rec.State, rec.Ending, rec.Detail, rec.Plan, rec.Report, rec.Finished = "running", "", "", p, nil, nil
		return rec, nil
	}, true)
}

// Rejudge judges a finished crawl anew, by the checks of today and the thresholds of the site's plan,
// without fetching anything.
func (r *Runner) Rejudge(ctx context.Context, site record.Site, rec record.Crawl) error {
	if rec.State != "finished" {
		return &Refusal{fmt.Sprintf("crawl %d is %s; only a finished one can be judged again", rec.Number, rec.State)}
	}
	if err := r.room(); err != nil {
		return err
	}
	now := site.Plan
	by := rec.Plan
	by.Limits, by.Checks, by.Kinds = now.Limits, now.Checks, now.Kinds
	result, found, err := r.rejudged(ctx, rec, by)
	if err != nil {
		return err
	}
	w, err := r.weigh(ctx, rec, result)
	if err != nil {
		return err
	}
	return r.store.Sink(rec.ID).Replace(ctx, result, rec.Progress, w, found, by, checks.Version)
}

// rejudged is a finished crawl judged by a plan's rules and the checks of today; nothing is stored.
func (r *Runner) rejudged(ctx context.Context, rec record.Crawl, by plan.Plan) (*crawl.Result, []check.Finding, error) {
	rec.Plan = by
	one := &run{rec: rec, ended: make(chan struct{})}
	var err error
	if one.start, err = weburl.Parse(rec.Home); err != nil {
		return nil, nil, err
	}
	c, err := r.prepare(one, true, true, r.log.With("site", rec.Site, "crawl", rec.Number))
	if err != nil {
		return nil, nil, err
	}
	result, found, err := c.Rejudge(ctx, crawl.Ending(rec.Ending), rec.Probes)
	var old *crawl.OldFactsError
	if errors.As(err, &old) {
		return nil, nil, &Refusal{fmt.Sprintf("crawl %d cannot be judged again: %s", rec.Number, old)}
	}
	return result, found, err
}

// weigh makes the report of what is decided about the site now.
func (r *Runner) weigh(ctx context.Context, rec record.Crawl, result *crawl.Result) (record.Weighing, error) {
	site, err := r.store.Site(ctx, rec.Site)
	if err != nil {
		return record.Weighing{}, err
	}
	w, err := r.weightsOf(ctx, site)
	if err != nil {
		return record.Weighing{}, err
	}
	if w.signature != "" {
		result.Report = result.Sheet.Build(w.adjustment())
	}
	return w.weighing(result.Sheet), nil
}

// Recover takes up the crawls that were running when the service last ended. Crashed tells that it ended
// by a fault of its own.
func (r *Runner) Recover(ctx context.Context, crashed bool) error {
	if err := errors.Join(r.store.CutRechecks(ctx), r.bindSecrets(ctx)); err != nil {
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

// RemoveCrawl deletes a crawl that does not run; store.ErrNotFound where there is none.
func (r *Runner) RemoveCrawl(ctx context.Context, id int64) error {
	defer r.sweep()
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
			told(r.log, "what a removed crawl left could not be dropped yet", err)
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
		if store.IsDown(err) || errors.Is(err, ErrEnding) {
			return err
		}
		log.Error("crawl cannot be taken up", "reason", err.Error()) // one crawl may not keep the service from starting
		return r.store.PauseCrawl(ctx, rec.ID, err.Error(), "")
	}
	return nil
}

// launch makes room for a site's crawl, has its record made, and runs it.
func (r *Runner) launch(site int64, begin func() (record.Crawl, error), past bool) (record.Crawl, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return record.Crawl{}, ErrEnding
	}
	if _, running := r.bySite[site]; running {
		return record.Crawl{}, ErrRunning
	}
	rec, err := begin()
	if errors.Is(err, store.ErrExists) {
		err = ErrRunning // started by another process
	}
	if err != nil {
		return record.Crawl{}, err
	}
	one := &run{rec: rec, ended: make(chan struct{}), stop: rec.Wish == record.WishStop, pause: rec.Wish == record.WishPause}
	if one.start, err = weburl.Parse(rec.Home); err != nil {
		return record.Crawl{}, err
	}
	r.live[rec.ID], r.bySite[site] = one, rec.ID
	r.group.Go(func() { r.run(one, past) })
	return rec, nil
}

// guardOf lets the hosts of a site be where its owner allows them to.
func guardOf(site record.Site) (g fetch.Guard) {
	for _, one := range site.Allowed {
		if p, err := netip.ParsePrefix(one); err == nil {
			g.Allow = append(g.Allow, p)
		}
	}
	return g
}

// open is secrets, for those that are going to be sent: it is noted by whom and what for.
func (r *Runner) open(ctx context.Context, site int64, home string, p plan.Plan, who, what string) (map[string]string, error) {
	out, err := r.secrets(ctx, site, home, p)
	if err != nil {
		return nil, err
	}
	for name := range out {
		if err := r.store.NoteUse(ctx, site, name, who, what); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// bindSecrets lets secrets that an earlier Harvik kept hold for what their sites' plans say of the network.
func (r *Runner) bindSecrets(ctx context.Context) error {
	unbound, err := r.store.UnboundSecrets(ctx)
	if err != nil {
		return err
	}
	for _, s := range unbound {
		if err := r.store.BindSecret(ctx, s.SiteID, s.Name, s.Plan.Network(s.Host)); err != nil {
			return err
		}
	}
	return nil
}

// secrets opens those that a plan uses, each for the host and the network that it is bound to.
func (r *Runner) secrets(ctx context.Context, site int64, home string, p plan.Plan) (map[string]string, error) {
	start, err := weburl.Parse(home)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for name, host := range p.Secrets() {
		if host == "" {
			host = start.Hostname()
		}
		kept, err := r.store.SealedSecret(ctx, site, name)
		switch {
		case errors.Is(err, store.ErrNotFound):
			return nil, &Refusal{fmt.Sprintf("the plan uses the secret %q, which is not set; `harvik secret set SITE %s` does that", name, name)}
		case err != nil:
			return nil, err
		case !strings.EqualFold(kept.Host, host):
			return nil, &Refusal{fmt.Sprintf("the secret %q is for %s, and the plan would send it to %s", name, kept.Host, host)}
		case kept.Network == nil || *kept.Network != p.Network(host):
			return nil, &Refusal{fmt.Sprintf("the secret %q was given when the plan reached %s in another way (hosts, ca, proxy); it would now be sent there %s. If that is right, give it again: `harvik secret set SITE %s`",
				name, host, p.Route(host), name)}
		}
		if out[name], err = r.vault.Unseal(kept.Sealed, Purpose(site, name)); err != nil {
			return nil, &Refusal{fmt.Sprintf("%s: %s", name, err)}
		}
	}
	return out, nil
}

// Purpose binds a sealed secret to its site and name.
func Purpose(site int64, name string) string { return fmt.Sprintf("%d/%s", site, name) }

// addresses lets the source name addresses once the crawl, which is made after it, has them.
type addresses struct{ of *crawl.Crawl }

func (a *addresses) url(id int32) string { return a.of.URL(id) }

// config is what crawls of every kind share: the paces of hosts, the readers and bounds of the one service.
func (r *Runner) config(p plan.Plan, start weburl.URL, guard fetch.Guard, checks *check.Runner) crawl.Config {
	return crawl.Config{
		Plan: p, Start: start, Guard: guard, Runner: checks,
		Paces: &r.paces, Pages: &r.pages, ReadPDF: r.pdfs.Read, Large: r.large, Log: r.log,
	}
}

// prepare makes a crawl, or, offline, one that only judges again what it has.
func (r *Runner) prepare(one *run, past, offline bool, log *slog.Logger) (*crawl.Crawl, error) {
	rec := &one.rec
	p := rec.Plan.WithDefaults()
	site, err := r.store.Site(r.ctx, rec.Site)
	if err != nil {
		return nil, err
	}
	var secrets map[string]string
	if !offline {
		what := fmt.Sprintf("crawl %d", rec.Number)
		if secrets, err = r.open(r.ctx, rec.SiteID, rec.Home, p, "the service", what); err != nil {
			return nil, err
		}
	}
	layouts, err := r.store.KnownLayouts(r.ctx, rec.SiteID)
	if err != nil {
		return nil, err
	}
	view := new(addresses)
	config := r.config(p, one.start, guardOf(site), runner(p, log))
	config.Secrets, config.Offline, config.Layouts, config.Log = secrets, offline, layouts, log
	config.Sink, config.Source = r.store.Sink(rec.ID), r.store.Source(r.ctx, rec.ID, view.url)
	if past {
		config.Past = r.store.Past(rec.ID)
	}
	c, err := crawl.New(config)
	if err != nil {
		return nil, &Refusal{err.Error()}
	}
	view.of = c
	one.mu.Lock()
	defer one.mu.Unlock()
	one.crawl = c
	if one.stop {
		c.Stop()
	}
	if one.pause {
		c.Pause()
	}
	return c, nil
}

// runner is the catalogue as a plan wants it.
func runner(p plan.Plan, log *slog.Logger) *check.Runner {
	r := check.NewRunner(checks.Catalog, p)
	r.Panicked = func(c *check.Check, address string, v any) {
		log.Error("check panicked", "check", c.ID, "address", address, "value", fmt.Sprint(v))
	}
	return r
}

func (r *Runner) run(one *run, past bool) {
	log := r.log.With("site", one.rec.Site, "crawl", one.rec.Number)
	defer close(one.ended)
	defer r.forget(one)
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
	c, err := r.prepare(one, past, false, log)
	if err != nil {
		return err
	}
	result, err := c.Run(r.ctx)
	if err != nil {
		return err
	}
	progress := c.Progress()
	w, err := r.weigh(r.ctx, one.rec, result)
	if err != nil {
		return err
	}
	if err := r.store.Sink(one.rec.ID).SaveResult(r.ctx, result, progress, w); err != nil {
		return err
	}
	if err := mishap.Catch(func() error { return r.settle(r.ctx, one.rec, result) }); err != nil {
		// The crawl is stored; that its fixes were not brought up to date must not undo it.
		told(log, "states of fixes could not be brought up to date", err)
	}
	r.group.Go(func() {
		if err := mishap.Catch(func() error { return r.store.Tidy(r.ctx, one.rec.ID) }); err != nil && r.ctx.Err() == nil {
			told(log, "the database could not be tidied", err)
		}
	})
	log.Info("crawl finished", "ending", string(result.Ending), "fetched", progress.Fetched,
		"seconds", int(progress.Seconds), "fixes", len(result.Report.Fixes))
	return nil
}

// told logs an error, with the stack where it was a panic.
func told(log *slog.Logger, what string, err error) {
	var p *mishap.Panic
	if errors.As(err, &p) {
		log = log.With("stack", string(p.Stack))
	}
	log.Error(what, "reason", err.Error())
}

// conclude deals with an attempt's error. It tells whether that is the end of the run.
func (r *Runner) conclude(one *run, err error, log *slog.Logger) bool {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
	defer cancel()
	var paused *crawl.ErrPaused
	var refusal *Refusal
	var mistake *mishap.Panic
	var facts *crawl.OldFactsError
	switch {
	case errors.As(err, &facts):
		log.Warn("crawl paused", "reason", facts.Error())
		err = r.store.PauseCrawl(ctx, one.rec.ID, facts.Error(), "") // what it has is kept for the Harvik that made it
	case errors.As(err, &mistake):
		told(log, "crawl paused", err)
		err = r.store.PauseCrawl(ctx, one.rec.ID, err.Error(), "") // what it has is kept
	case store.IsFull(err):
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
	case store.IsDown(err):
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

func (r *Runner) forget(one *run) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.live, one.rec.ID)
	delete(r.bySite, one.rec.SiteID)
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
	for _, one := range r.rechecks {
		one.mu.Lock()
		if one.now != nil {
			one.now.Pause()
		}
		one.mu.Unlock()
	}
	for _, one := range r.live {
		one.mu.Lock()
		one.putAway()
		one.mu.Unlock()
	}
	r.mu.Unlock()
	ended := make(chan struct{})
	go func() {
		r.group.Wait()
		close(ended)
	}()
	select {
	case <-ended:
	case <-ctx.Done():
		r.cancel()
		<-ended
	}
	r.cancel()
	r.pdfs.Close()
}
