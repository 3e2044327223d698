package jobs

import (
	"errors"
	"fmt"
	"time"

	"harvik/internal/record"
)

// A Disk is where the database keeps its data.
type Disk struct {
	Keep uint64                 // bytes that are left free
	Free func() (uint64, error) // bytes that are free now; nil where that cannot be told
}

// waitsForDisk marks crawls that were put away for want of space, and go on by themselves.
const waitsForDisk = "disk"

// How often the disk is looked at, how much more than what is kept free has to be there for crawls to go
// on, and how long they wait after the database itself found no space.
const (
	lookEvery = 2 * time.Second
	amends    = 64 << 20
	afterFull = time.Minute
)

// watchDisk puts crawls away while there is too little space, and lets them go on when there is more.
func (r *Runner) watchDisk() {
	r.every(lookEvery, r.lookAtDisk)
}

// every does something again and again, until the runner ends.
func (r *Runner) every(d time.Duration, do func()) {
	tick := time.NewTicker(d)
	defer tick.Stop()
	for {
		select {
		case <-r.ctx.Done():
			return
		case <-r.ending:
			return
		case <-tick.C:
			do()
		}
	}
}

// lookAtDisk brings crawls up to how much space there is.
func (r *Runner) lookAtDisk() {
	r.mu.Lock()
	was := r.short
	short := time.Now().Before(r.fullUntil)
	if r.disk.Free != nil {
		free, err := r.disk.Free()
		if err != nil {
			r.log.Error("the disk cannot be looked at", "reason", err.Error())
		} else if free < r.disk.Keep || was != "" && free < r.disk.Keep+amends {
			short = true
		}
	}
	if r.short = ""; short {
		r.short = r.shortage()
		for _, one := range r.live {
			one.mu.Lock()
			if one.waits == "" {
				r.log.Warn("crawl put away", "site", one.rec.Site, "crawl", one.rec.Number, "reason", r.short)
				one.waits = waitsForDisk
				one.putAway()
			}
			one.mu.Unlock()
		}
	}
	enough := r.short == "" && !r.closed
	r.mu.Unlock()
	if enough {
		r.goOn()
	}
}

func (r *Runner) shortage() string {
	if r.disk.Free == nil {
		return "the database's disk is full: the crawl goes on by itself when there is space again"
	}
	return fmt.Sprintf("less than %.1f GB is free on the disk of the data folder: the crawl goes on by itself when there is more", float64(r.disk.Keep)/1e9)
}

// goOn takes up what was put away for want of space.
func (r *Runner) goOn() {
	crawls, err := r.store.WaitingFor(r.ctx, waitsForDisk)
	if err != nil {
		return // the database is away; there is a next time
	}
	for _, rec := range crawls {
		if _, err := r.Revive(r.ctx, rec); err != nil && !errors.Is(err, record.ErrRunning) &&
			!errors.Is(err, record.ErrEnding) {
			r.log.Error("crawl could not go on", "site", rec.Site, "crawl", rec.Number, "reason", err.Error())
		}
	}
}

// Room refuses to store more where there is no space for it.
func (r *Runner) Room() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.short != "" {
		return fmt.Errorf("%w: free some space, or start the service with a smaller --keep-free", record.ErrDisk)
	}
	return nil
}

// full notes that the database found no space.
func (r *Runner) full() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.fullUntil = time.Now().Add(afterFull)
	if r.short == "" {
		r.short = r.shortage()
	}
}
