package render

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"sync/atomic"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/cdp/jsonv2"
	"github.com/chromedp/cdproto/target"

	"harvik/internal/core/mishap"
)

// A wire carries the protocol of the browser's tools over two pipes, so that no port is open to the machine. The
// browser ends when the pipes do.
type wire struct {
	to     io.WriteCloser
	writes sync.Mutex
	last   atomic.Int64
	closed chan struct{}

	mu       sync.Mutex
	waiting  map[int64]chan *cdproto.Message
	sessions map[target.SessionID]func(method string, params jsonv2.Value)
	ended    bool
}

// mostMessage bounds one message of the browser.
const mostMessage = 256 << 20

var errGone = errors.New("the browser is gone")

func newWire(from io.Reader, to io.WriteCloser) *wire {
	w := &wire{to: to, closed: make(chan struct{}), waiting: map[int64]chan *cdproto.Message{},
		sessions: map[target.SessionID]func(string, jsonv2.Value){}}
	go w.read(from)
	return w
}

// read hands messages to whom they are for, until there are no more.
func (w *wire) read(from io.Reader) {
	defer w.end()
	lines := bufio.NewScanner(from)
	lines.Buffer(make([]byte, 64<<10), mostMessage)
	lines.Split(func(data []byte, _ bool) (int, []byte, error) { // messages end with NUL
		if i := bytes.IndexByte(data, 0); i >= 0 {
			return i + 1, data[:i], nil
		}
		return 0, nil, nil
	})
	for lines.Scan() {
		m := new(cdproto.Message)
		if err := jsonv2.Unmarshal(lines.Bytes(), m); err != nil {
			continue
		}
		w.mu.Lock()
		if m.ID != 0 {
			answer := w.waiting[m.ID]
			delete(w.waiting, m.ID)
			w.mu.Unlock()
			if answer != nil {
				answer <- m
			}
			continue
		}
		hear := w.sessions[m.SessionID]
		w.mu.Unlock()
		if hear == nil {
			continue
		}
		err := mishap.Catch(func() error {
			hear(string(m.Method), m.Params)
			return nil
		})
		if p := (*mishap.Panic)(nil); errors.As(err, &p) { // this browser is given up; the service is not
			slog.Error("what a browser told was not understood", "reason", fmt.Sprint(p.Value), "stack", string(p.Stack))
			return
		}
	}
}

// end tells all who wait that nothing more comes.
func (w *wire) end() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.ended {
		return
	}
	w.ended = true
	close(w.closed)
	w.to.Close()
}

// A session is one target of the browser, or the browser itself. What it tells is heard in the order in which it comes,
// by one function that must not wait.
type session struct {
	wire *wire
	id   target.SessionID
}

// listen says who hears what a session tells; nil for nobody.
func (s *session) listen(hear func(method string, params jsonv2.Value)) {
	s.wire.mu.Lock()
	defer s.wire.mu.Unlock()
	if hear == nil {
		delete(s.wire.sessions, s.id)
		return
	}
	s.wire.sessions[s.id] = hear
}

// Call implements cdp.Session.
func (s *session) Call(ctx context.Context, method string, params, result any) error {
	raw, err := jsonv2.Marshal(params)
	if err != nil {
		return err
	}
	m := &cdproto.Message{ID: s.wire.last.Add(1), SessionID: s.id, Method: cdproto.MethodType(method), Params: raw}
	text, err := jsonv2.Marshal(m)
	if err != nil {
		return err
	}
	answer := make(chan *cdproto.Message, 1)
	s.wire.mu.Lock()
	if s.wire.ended {
		s.wire.mu.Unlock()
		return errGone
	}
	s.wire.waiting[m.ID] = answer
	s.wire.mu.Unlock()
	s.wire.writes.Lock()
	_, err = s.wire.to.Write(append(text, 0))
	s.wire.writes.Unlock()
	if err != nil {
		return errGone
	}
	select {
	case a := <-answer:
		switch {
		case a.Error != nil:
			return fmt.Errorf("%s: %w", method, a.Error)
		case result == nil || len(a.Result) == 0:
			return nil
		}
		return jsonv2.Unmarshal(a.Result, result)
	case <-ctx.Done():
		s.wire.mu.Lock()
		delete(s.wire.waiting, m.ID)
		s.wire.mu.Unlock()
		return ctx.Err()
	case <-s.wire.closed:
		return errGone
	}
}

// Subscribe implements cdp.Session; nothing here asks for it.
func (s *session) Subscribe(string) (<-chan jsonv2.Value, func()) {
	none := make(chan jsonv2.Value)
	close(none)
	return none, func() {}
}

// do is a command whose result is of no use.
func do[P, R any](ctx context.Context, s *session, c cdp.Command[P, R], params P) error {
	_, err := cdp.Call(ctx, s, c, params)
	return err
}
