package fetch

import (
	"context"
	"runtime/debug"
	"sync"
	"time"
)

// Large bounds how many large bodies are held at once, by all clients that share it: each can be as large as
// the plan lets it, and what is read from it takes several times that. Small ones are not counted.
type Large struct {
	turns  chan struct{}
	unpack chan struct{}
}

// Bounds of a Large.
const (
	smallBytes  = 1 << 20 // of a body that needs no turn
	largeTurns  = 3
	largeShare  = 256 << 20 // of memory that one turn may come to, with what is read from it
	unpackTurns = 4         // codings whose windows are large
)

// NewLarge makes one, of fewer turns where the process may have little memory.
func NewLarge() *Large {
	turns := min(largeTurns, max(1, debug.SetMemoryLimit(-1)/largeShare))
	return &Large{make(chan struct{}, turns), make(chan struct{}, unpackTurns)}
}

// A Hold keeps the turn of a large body from when it is read until Release, which may be called when
// there is none. It is for one request at a time.
type Hold struct{ of *Large }

// Release gives the turn back.
func (h *Hold) Release() {
	if h != nil && h.of != nil {
		<-h.of.turns
		h.of = nil
	}
}

// take waits for a turn, unless there is one already. The clock stands still meanwhile.
func (h *Hold) take(l *Large, c *clock) error {
	if h.of != nil {
		return nil
	}
	c.stop()
	defer c.start()
	select {
	case l.turns <- struct{}{}:
		h.of = l
		return nil
	case <-c.Done():
		return c.Err()
	}
}

// A clock is the context of one request. Its time can be made to stand still.
type clock struct {
	context.Context
	cancel context.CancelCauseFunc

	mu       sync.Mutex
	timer    *time.Timer
	deadline time.Time
	left     time.Duration // while it stands still
}

func newClock(parent context.Context, timeout time.Duration) *clock {
	c := &clock{deadline: time.Now().Add(timeout)}
	c.Context, c.cancel = context.WithCancelCause(parent)
	c.timer = time.AfterFunc(timeout, func() { c.cancel(context.DeadlineExceeded) })
	return c
}

// end frees what the clock holds.
func (c *clock) end() {
	c.timer.Stop()
	c.cancel(context.Canceled)
}

func (c *clock) stop() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.timer.Stop() {
		c.left = time.Until(c.deadline)
	}
}

func (c *clock) start() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.left > 0 {
		c.deadline = time.Now().Add(c.left)
		c.timer.Reset(c.left)
		c.left = 0
	}
}

// Deadline implements context.Context.
func (c *clock) Deadline() (time.Time, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if parent, ok := c.Context.Deadline(); ok && parent.Before(c.deadline) {
		return parent, true
	}
	return c.deadline, true
}

// Err implements context.Context: time that has run out is that, not somebody's wish.
func (c *clock) Err() error {
	if err := c.Context.Err(); err == nil {
		return nil
	}
	if cause := context.Cause(c.Context); cause == context.DeadlineExceeded { //nolint:errorlint // what the timer gave
		return cause
	}
	return c.Context.Err()
}
