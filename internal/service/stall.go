package service

import (
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// patience is how long a caller may take.
type patience struct {
	piece time.Duration // to take, or to send, the next piece
	body  time.Duration // to send a whole body
}

// usual is the patience with callers.
var usual = patience{30 * time.Second, 10 * time.Minute}

// piece is how many bytes are written under one deadline.
const piece = 64 << 10

// unstalled ends connections of callers who neither read nor send, however long the work itself takes.
func (s *Service) unstalled(c *gin.Context) {
	control := http.NewResponseController(c.Writer)
	c.Writer = &rolling{c.Writer, control, s.patience.piece}
	if c.Request.Body != nil && c.Request.Body != http.NoBody {
		c.Request.Body = &arriving{c.Request.Body, control, s.patience.piece, time.Now().Add(s.patience.body)}
	}
	defer func() {
		_ = control.SetReadDeadline(time.Now().Add(s.patience.piece))  // the server reads what is left of a body
		_ = control.SetWriteDeadline(time.Now().Add(s.patience.piece)) // for what is still buffered
	}()
	c.Next()
}

// rolling is a writer whose every piece has its own deadline. Where the connection knows no deadlines, as
// in tests without one, there are none.
type rolling struct {
	gin.ResponseWriter
	control *http.ResponseController
	each    time.Duration
}

func (w *rolling) Write(p []byte) (n int, err error) {
	for first := true; first || len(p) > 0; first = false {
		_ = w.control.SetWriteDeadline(time.Now().Add(w.each))
		m, err := w.ResponseWriter.Write(p[:min(len(p), piece)])
		n += m
		if err != nil {
			return n, err
		}
		p = p[m:]
	}
	return n, nil
}

func (w *rolling) WriteString(s string) (int, error) { return w.Write([]byte(s)) }

func (w *rolling) Flush() {
	_ = w.control.SetWriteDeadline(time.Now().Add(w.each))
	w.ResponseWriter.Flush()
}

// Unwrap lets http.ResponseController reach the connection.
func (w *rolling) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// arriving is a body whose every piece has to come in time, and all of it, too.
type arriving struct {
	io.ReadCloser
	control *http.ResponseController
	each    time.Duration
	end     time.Time
}

func (b *arriving) Read(p []byte) (int, error) {
	until := time.Now().Add(b.each)
	if until.After(b.end) {
		until = b.end
	}
	_ = b.control.SetReadDeadline(until)
	n, err := b.ReadCloser.Read(p)
	if err == io.EOF { // the server goes on reading, to see whether the caller leaves
		_ = b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}

// turns bounds how often something that takes long is done at once: by all, and by each caller.
type turns struct {
	what      string // plural: "exports"
	all, each int

	mu   sync.Mutex
	busy map[int64]int
	sum  int
}

// take begins a turn of a caller. Refusal says why it cannot be now.
func (t *turns) take(caller int64) (end func(), refusal string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	switch {
	case t.busy[caller] >= t.each:
		return nil, fmt.Sprintf("%d %s of yours are under way, and more are not done at once; try again when one of them is done", t.each, t.what)
	case t.sum >= t.all:
		return nil, fmt.Sprintf("%d %s are under way, and more are not done at once; try again when one of them is done", t.all, t.what)
	}
	if t.busy == nil {
		t.busy = map[int64]int{}
	}
	t.busy[caller]++
	t.sum++
	return func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		t.sum--
		if t.busy[caller]--; t.busy[caller] == 0 {
			delete(t.busy, caller)
		}
	}, ""
}

// retryLater is the Retry-After of a refusal for too much at once, in seconds.
const retryLater = "5"

// atOnce makes a handler wait its turn by refusing the caller.
func atOnce(t *turns, h gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		end, refusal := t.take(caller(c).Person)
		if refusal != "" {
			c.Header("Retry-After", retryLater)
			problem(c, http.StatusTooManyRequests, refusal)
			return
		}
		defer end()
		h(c)
	}
}
