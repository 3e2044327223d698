package testkit

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http/httptest"
	"net/netip"
	"sync"
	"syscall"
	"testing"
	"testing/synctest"
	"time"

	"harvik/internal/pdf"
)

// Bubble runs a test whose servers and crawls have a network in memory, and a clock that goes on only when everybody
// waits: what waits costs no time, and no machine is too busy for a deadline. What the test serves and crawls has to be
// made by this package, and inside; databases and child processes that outlive it do not belong there.
func Bubble(t *testing.T, f func(t *testing.T)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		n := &network{listeners: map[string]*listener{}}
		networks.Store(t, n)
		t.Cleanup(func() { // after all others, who still want to use it
			n.documents.Close()
			networks.Delete(t)
			time.Sleep(time.Second) // the clock stands once a test has ended, and ends of pipes wait for each other
		})
		f(t)
	})
}

// networks are those of the bubbles, by their tests.
var networks sync.Map

// networkOf is the network of a test, nil for that of the machine.
func networkOf(t testing.TB) *network {
	n, _ := networks.Load(t)
	of, _ := n.(*network)
	return of
}

// network is one in memory.
type network struct {
	mu        sync.Mutex
	listeners map[string]*listener
	documents pdf.Reader
}

// listen gives a listener with an address of its own on the loopback network.
func (n *network) listen() net.Listener {
	n.mu.Lock()
	defer n.mu.Unlock()
	l := &listener{addr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 20_000 + len(n.listeners)},
		conns: make(chan net.Conn), closed: make(chan struct{})}
	n.listeners[l.addr.String()] = l
	return l
}

// Resolve implements fetch.Network: no name is known.
func (n *network) Resolve(_ context.Context, _, host string) ([]netip.Addr, error) {
	return nil, &net.DNSError{Err: "no such host", Name: host, IsNotFound: true}
}

// Dial implements fetch.Network: where nobody listens, it is refused.
func (n *network) Dial(ctx context.Context, address string) (net.Conn, error) {
	n.mu.Lock()
	l := n.listeners[address]
	n.mu.Unlock()
	refused := &net.OpError{Op: "dial", Net: "tcp", Err: fmt.Errorf("connect: %w", syscall.ECONNREFUSED)}
	if l == nil {
		return nil, refused
	}
	near, far := net.Pipe()
	select {
	case l.conns <- newEnd(far, l.addr):
		return newEnd(near, l.addr), nil
	case <-l.closed:
		return nil, refused
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

type listener struct {
	addr   *net.TCPAddr
	conns  chan net.Conn
	closed chan struct{}
	once   sync.Once
}

// Accept implements net.Listener.
func (l *listener) Accept() (net.Conn, error) {
	select {
	case c := <-l.conns:
		return c, nil
	case <-l.closed:
		return nil, net.ErrClosed
	}
}

// Close implements net.Listener.
func (l *listener) Close() error {
	l.once.Do(func() { close(l.closed) })
	return nil
}

// Addr implements net.Listener.
func (l *listener) Addr() net.Addr { return l.addr }

// end is one of a pipe's, with an address, and with a buffer as those have that go over a network: who writes does not
// wait for who reads.
type end struct {
	net.Conn
	addr *net.TCPAddr

	mu      sync.Mutex
	waiting []byte
	closed  bool
	err     error
	more    chan struct{} // something is waiting, or it was closed
}

func newEnd(c net.Conn, addr *net.TCPAddr) *end {
	e := &end{Conn: c, addr: addr, more: make(chan struct{}, 1)}
	go e.pump()
	return e
}

// pump passes on what was written, and closes the pipe after that.
func (e *end) pump() {
	defer e.Conn.Close()
	for range e.more {
		e.mu.Lock()
		out, closed := e.waiting, e.closed
		e.waiting = nil
		e.mu.Unlock()
		var err error
		if len(out) > 0 {
			_, err = e.Conn.Write(out)
		}
		if err != nil {
			e.mu.Lock()
			e.err = err
			e.mu.Unlock()
		}
		if err != nil || closed {
			return
		}
	}
}

// Write implements net.Conn.
func (e *end) Write(b []byte) (int, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.closed {
		return 0, net.ErrClosed
	}
	if e.err != nil {
		return 0, e.err
	}
	e.waiting = append(e.waiting, b...)
	e.wake()
	return len(b), nil
}

// Close implements net.Conn.
func (e *end) Close() error {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.closed = true
	e.wake()
	now := time.Now()
	// Whoever does not read any more is not waited for, be it by what the pump is writing already.
	return errors.Join(e.Conn.SetReadDeadline(now), e.Conn.SetWriteDeadline(now.Add(time.Millisecond)))
}

func (e *end) wake() {
	select {
	case e.more <- struct{}{}:
	default:
	}
}

// SetWriteDeadline implements net.Conn; nobody waits for writing.
func (e *end) SetWriteDeadline(time.Time) error { return nil }

// SetDeadline implements net.Conn.
func (e *end) SetDeadline(t time.Time) error { return e.SetReadDeadline(t) }

// RemoteAddr implements net.Conn.
func (e *end) RemoteAddr() net.Addr { return e.addr }

// LocalAddr implements net.Conn.
func (e *end) LocalAddr() net.Addr { return e.addr }

// newServer is an unstarted server on the network of a test.
func newServer(t testing.TB) *httptest.Server {
	s := httptest.NewUnstartedServer(nil)
	if n := networkOf(t); n != nil {
		s.Listener.Close()
		s.Listener = n.listen()
	}
	return s
}
