// Package render makes pages in a real browser. The browser reaches nothing by itself: every request goes through a
// proxy of ours on loopback, is read there, and is answered as the crawl's own requests are, by the same guard, gates
// and pace. What pages do to the browser ends with them.
package render

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"sync"
	"time"

	"harvik/internal/core/rendered"
)

// A Pool renders pages, several at once. It starts the browser when it is needed. Close it after use.
type Pool struct {
	folder string
	turns  chan *door // doors that nobody uses; nil for one that is not made yet

	mu      sync.Mutex
	gate    *gateway
	browser *running
	old     []*running
	closed  bool
	idle    *time.Timer
}

// mostTries is how often a browser is begun, and a page tried, again.
const mostTries = 4

// idleFor is how long a browser that has nothing to do is kept.
const idleFor = 30 * time.Second

// NewPool makes a pool that renders so many pages at once. Profiles stand in the folder, and those of an earlier run
// that was killed are taken away.
func NewPool(folder string, atOnce int) *Pool {
	p := &Pool{folder: folder, turns: make(chan *door, atOnce)}
	for range atOnce {
		p.turns <- nil
	}
	for _, left := range leftovers(folder) {
		os.RemoveAll(left)
	}
	return p
}

// leftovers are profiles that nobody uses.
func leftovers(folder string) (out []string) {
	all, _ := filepath.Glob(filepath.Join(folder, "profile-*"))
	for _, one := range all {
		if len(processesOf(one)) == 0 {
			out = append(out, one)
		}
	}
	return out
}

// ErrClosed is that of a pool that is closed.
var ErrClosed = errors.New("rendering has ended")

// Close ends the browser.
func (p *Pool) Close() {
	p.mu.Lock()
	p.closed = true
	all := p.old
	if p.browser != nil {
		all = append(all, p.browser)
	}
	gate := p.gate
	p.mu.Unlock()
	for _, b := range all {
		b.kill("rendering has ended")
	}
	for range cap(p.turns) {
		if d := <-p.turns; d != nil {
			d.close()
		}
	}
	if gate != nil {
		gate.Close()
	}
}

// Render makes a page on a device. What becomes of it is the result's outcome; the error tells that there is no
// browser, or that ctx has ended.
func (p *Pool) Render(ctx context.Context, address, device string, t *Traffic, s Settings) (Result, error) {
	d, err := p.turn(ctx)
	if err != nil {
		return Result{}, err
	}
	defer func() { p.turns <- d }()
	for try := 0; ; try++ {
		b, err := p.browserBy(ctx, &d)
		if err != nil {
			return Result{}, err
		}
		out := visitOnce(ctx, b, d, address, device, t, &s)
		p.give(b)
		if ctx.Err() != nil {
			return Result{}, ctx.Err()
		}
		// Another page may have taken the browser with it, or somebody ended it.
		if out.Outcome == rendered.Crashed && b.isGone() && (try == 0 || try < mostTries && b.ended() == "") {
			continue
		}
		return out, nil
	}
}

// turn waits for one: the door that it had before, nil where it had none. It is to be given back.
func (p *Pool) turn(ctx context.Context) (*door, error) {
	select {
	case d := <-p.turns:
		return d, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// browserBy gives a browser that runs, and makes the door of a turn that has none.
func (p *Pool) browserBy(ctx context.Context, d **door) (*running, error) {
	b, err := p.take(ctx)
	if err == nil && *d == nil {
		if *d, err = p.gate.door(); err != nil {
			p.give(b)
		}
	}
	return b, err
}

func visitOnce(ctx context.Context, b *running, d *door, address, device string, t *Traffic, s *Settings) Result {
	ctx, cancel := context.WithTimeout(ctx, s.Within)
	defer cancel()
	v := newVisit(ctx, t, address)
	d.let(v)
	defer d.let(nil)
	page, err := b.open(ctx, d.address())
	if err != nil {
		return Result{Page: rendered.Page{Device: device, Outcome: rendered.Crashed, Detail: err.Error()}}
	}
	defer page.close()
	return see(ctx, page, v, s, device)
}

// take gives a browser that runs.
func (p *Pool) take(ctx context.Context) (*running, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed {
		return nil, ErrClosed
	}
	if p.idle != nil {
		p.idle.Stop()
	}
	if p.gate == nil {
		gate, err := newGateway()
		if err != nil {
			return nil, err
		}
		p.gate = gate
	}
	if b := p.browser; b != nil && (b.isGone() || b.visits >= mostVisits) {
		p.retire()
	}
	for try := 0; p.browser == nil; try++ {
		if err := os.MkdirAll(p.folder, 0o700); err != nil {
			return nil, err
		}
		b, err := start(ctx, p.folder, p.gate.Pin)
		if err == nil {
			p.browser = b
		} else if try >= mostTries || errors.Is(err, ErrNoBrowser) || ctx.Err() != nil {
			return nil, err
		}
	}
	p.browser.visits++
	p.browser.users++
	return p.browser, nil
}

// give gives a browser back. One that is old ends with its last page.
func (p *Pool) give(b *running) {
	p.mu.Lock()
	defer p.mu.Unlock()
	b.users--
	switch {
	case b != p.browser:
		if b.users == 0 {
			for i, one := range p.old {
				if one == b {
					p.old = append(p.old[:i], p.old[i+1:]...)
					break
				}
			}
			go b.kill("it is old")
		}
	case b.users == 0 && !p.closed:
		p.idle = time.AfterFunc(idleFor, func() {
			p.mu.Lock()
			defer p.mu.Unlock()
			if p.browser == b && b.users == 0 && !p.closed {
				p.browser = nil
				go b.kill("it has nothing to do")
			}
		})
	}
}

// retire lets the browser go once its pages are done. The lock is held.
func (p *Pool) retire() {
	b := p.browser
	p.browser = nil
	if b.users == 0 {
		go b.kill("it is old")
		return
	}
	p.old = append(p.old, b)
}

// Memory is what the browser takes now, in bytes, with its part of what its processes share; 0 where none runs.
func (p *Pool) Memory() int {
	p.mu.Lock()
	b := p.browser
	p.mu.Unlock()
	if b == nil {
		return 0
	}
	return memoryOf(b.folder)
}
