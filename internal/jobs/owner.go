package jobs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/weburl"
	"harvik/internal/gear"
	"harvik/internal/record"
)

// A crawl is run by whoever owns it. The owner tells every half second that it lives and how far it is, and hears what
// the crawl is to do. One who is not heard of for ten seconds is thought dead, and the crawl is taken up elsewhere,
// from what is stored of it; what such an owner still writes is refused.
const (
	beatEvery   = 500 * time.Millisecond
	patience    = 10 * time.Second
	rescueEvery = 2 * time.Second
	// Who has not been heard for that long begins no more requests: others are about to take the crawl up.
	silence = 7 * time.Second
	oneBeat = 3 * time.Second // at most
)

// What a crawl's being taken up without its having got further counts against it: after the third end of a worker that
// was killed it is put away, after the second of one that crashed.
const (
	killCounts  = 4
	crashCounts = 6
	mostCounted = 12
)

const whyAway = "the service ended again and again while this crawl ran, and it got no further: it is put away, so that the service can go on; " +
	"the service's log and the files crash-*.log of its data folder say more, `harvik crawl resume` tries once more"

// Recover takes up what was left when the service last ended, and takes crawls from the queue from then on. Crashed
// tells that it ended by a fault of its own.
func (r *Runner) Recover(ctx context.Context, hands record.Hands, crashed bool) error {
	if err := r.gear.BindSecrets(ctx); err != nil {
		return err
	}
	if err := r.rescue(ctx, r.seat, crashed); err != nil {
		return err
	}
	// What came while nobody was there, or an older Harvik was.
	cause := "start of " + r.name
	due := append(record.Hanging("", cause), record.Todo{What: record.ToSweep, Cause: cause})
	if err := r.store.Leave(ctx, due...); err != nil {
		return err
	}
	return r.Work(ctx, hands)
}

// Work takes from the queue, so much at once, until the runner is shut down.
func (r *Runner) Work(ctx context.Context, hands record.Hands) error {
	host, _ := os.Hostname() // for people
	me := record.Worker{Name: r.name, Place: fmt.Sprintf("%s, process %d", host, os.Getpid()), Hands: hands}
	sharing, stop := context.WithCancel(context.Background())
	var group sync.WaitGroup
	group.Go(func() { r.gear.ShareHosts(sharing, me, r.store) })
	r.mu.Lock()
	r.unshare = func(ctx context.Context) {
		stop()
		group.Wait()
		_ = r.store.Unshare(ctx, r.name) // otherwise it is forgotten by itself
	}
	r.mu.Unlock()
	if hands.None() {
		return nil
	}
	idle, err := r.store.Work(context.WithoutCancel(ctx), r.name, hands, r.do, r.todo, r.log)
	if err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.idle = idle
	if !r.closed {
		r.group.Go(r.watchOthers)
		r.group.Go(func() { r.takeTurns(hands.Crawls) })
	}
	return nil
}

// watchOthers takes crawls back whose owners are not heard of any more.
func (r *Runner) watchOthers() {
	r.every(rescueEvery, func() {
		err := mishap.Catch(func() error { return r.rescue(r.ctx, "", false) })
		if err != nil && r.ctx.Err() == nil && r.store.Trouble(err) != record.Away {
			gear.Tell(r.log, "crawls of workers that ended could not be taken back", err)
		}
	})
}

// rescue takes crawls back from owners who are no more: those that are not heard of, and earlier ones of a seat.
func (r *Runner) rescue(ctx context.Context, seat string, crashed bool) error {
	counts := killCounts
	if crashed {
		counts = crashCounts
	}
	crawls, err := r.store.Unheard(ctx, patience, seat)
	if err != nil {
		return err
	}
	if taken, err := r.store.TakeBack(ctx, patience, seat); err != nil {
		return err
	} else if taken > 0 {
		r.log.Info("work taken back from workers that ended", "jobs", taken)
	}
	for _, rec := range crawls {
		log := r.log.With("site", rec.Site, "crawl", rec.Number)
		reclaimed, away, err := r.store.Reclaim(ctx, rec, counts, mostCounted, whyAway)
		switch {
		case err != nil:
			return err
		case away:
			log.Error("crawl put away", "reason", whyAway)
		case reclaimed:
			log.Info("crawl taken back from a worker that ended")
		}
	}
	return nil
}

// do runs a crawl that waits, until it has ended, is put away, or is given back.
func (r *Runner) do(ctx context.Context, job record.CrawlJob) error {
	if r.isClosed() {
		return record.ErrEnding
	}
	if others, err := r.isForOthers(ctx, job.Crawl); err != nil || others {
		return cmp.Or(err, error(record.ErrBusy))
	}
	rec, ok, err := r.store.Own(ctx, job.Crawl, job.Epoch, r.name)
	if err != nil || !ok {
		return err
	}
	one := &run{
		rec:   rec,
		begun: time.Now(),
		heard: time.Now(),
		ended: make(chan struct{}),
		stop:  rec.Wish == record.WishStop,
		pause: rec.Wish == record.WishPause,
	}
	if rec.Wish == record.WaitsForHours {
		one.putAwayFor(rec.Wish)
	}
	if one.start, err = weburl.Parse(rec.Home); err != nil {
		r.log.Error("crawl cannot be taken up", "site", rec.Site, "crawl", rec.Number, "reason", err.Error())
		return r.store.PauseCrawl(ctx, rec, err.Error(), "") // one crawl may not keep others from running
	}
	r.mu.Lock()
	r.live[rec.ID] = one
	r.group.Add(1)
	switch { // meanwhile: it is put away as soon as it begins
	case r.closed:
		one.pause = true
	case r.short != "":
		one.pause, one.waits = true, waitsForDisk
	}
	r.mu.Unlock()
	defer func() {
		r.mu.Lock()
		if r.live[rec.ID] == one {
			delete(r.live, rec.ID)
		}
		r.mu.Unlock()
		close(one.ended)
		r.group.Done()
	}()
	beating, still := context.WithCancel(r.ctx)
	defer still()
	go r.beat(beating, one)
	r.run(one, rec.Epoch > 1) // what somebody owned before has a past
	return nil
}

// isForOthers tells of a crawl whose secrets cannot be opened here, while another worker that is heard of has the key.
func (r *Runner) isForOthers(ctx context.Context, id int64) (bool, error) {
	rec, err := r.store.CrawlOf(ctx, id)
	if err != nil {
		return false, record.UnlessGone(err)
	}
	opens := true
	err = mishap.Catch(func() (err error) { opens, err = r.gear.Opens(ctx, rec.SiteID, rec.Plan); return err })
	if err != nil || opens {
		return false, nil //nolint:nilerr // who takes it up meets the same, and says so of the crawl
	}
	seal, err := r.store.Seal(ctx)
	if err != nil {
		return false, err
	}
	workers, err := r.store.Workers(ctx)
	for _, w := range workers {
		if w.Name != r.name && w.Hands.Crawls > 0 && slices.Contains(w.Keys, seal) {
			r.lacks.Do(func() {
				r.log.Warn("crawls that need a secret are left to other workers: this one lacks the key", "site", rec.Site)
			})
			return true, nil
		}
	}
	return false, err
}

// beat tells that a crawl's owner lives, until ctx ends, and does what the crawl is to do.
func (r *Runner) beat(ctx context.Context, one *run) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		var lost bool
		_ = mishap.Catch(
			func() error { lost = r.beatOnce(ctx, one); return nil },
		) // the next one tells, or another takes it up
		if lost {
			return
		}
	}
}

// beatOnce tells once that the owner lives. It tells whether another owns the crawl.
func (r *Runner) beatOnce(ctx context.Context, one *run) (lost bool) {
	one.mu.Lock()
	rec, running := one.rec, one.crawl
	one.mu.Unlock()
	p := record.Progress{Phase: "starting"}
	if running != nil {
		p = running.Progress()
	}
	begun := time.Now()
	telling, cancel := context.WithTimeout(ctx, oneBeat)
	now, err := r.store.Beat(telling, rec, p)
	cancel()
	one.mu.Lock()
	defer one.mu.Unlock()
	if err == nil {
		one.heard = begun
	}
	if p.Phase == fetching && one.at.IsZero() {
		one.at = time.Now()
	}
	switch {
	case errors.Is(err, record.ErrLost) && !one.stored:
		one.lost = true
		one.putAway()
		return true
	case err != nil:
		if !one.silent && ctx.Err() == nil && time.Since(one.heard) > silence {
			one.silent = true
			one.putAway()
			r.log.Warn("the database is not heard of: the site is asked nothing more", "site", rec.Site,
				"crawl", rec.Number)
		}
		return false
	}
	if now.Wish == record.WishPause && !one.pause {
		one.putAway()
	}
	if now.Wish == record.WaitsForHours && !one.pause {
		one.putAwayFor(now.Wish)
	}
	if now.Wish == record.WishStop && !one.stop {
		one.stop = true
		if one.crawl != nil {
			one.crawl.Stop()
		}
	}
	was, is := rec.Plan.WithDefaults(), now.Pace.WithDefaults()
	if was.Parallel != is.Parallel || was.Pause != is.Pause || was.PerSecond != is.PerSecond {
		was.Parallel, was.Pause, was.PerSecond = is.Parallel, is.Pause, is.PerSecond
		one.retune(was)
	}
	return false
}

// isGivenBack tells that the crawl is put away to be taken up again: so that others have their turn, or because its
// owner was not heard.
func (o *run) isGivenBack() bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.yields || o.silent
}

// isLost tells that another owns the crawl.
func (o *run) isLost() bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.lost
}
