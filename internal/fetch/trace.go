package fetch

import (
	"crypto/tls"
	"net/http/httptrace"
	"sync"
	"time"

	"harvik/internal/core/page"
)

// trace notes how long the phases of a request took. The transport may dial on after a
// request has ended, hence the lock.
type trace struct {
	start time.Time

	mu    sync.Mutex
	begun [4]time.Time
	took  [4]time.Duration
	ended [4]bool
}

// Phases of a request.
const (
	resolving = iota
	connecting
	handshaking
	waiting
)

func (t *trace) begin(phase int) {
	t.mu.Lock()
	t.begun[phase] = time.Now()
	t.mu.Unlock()
}

func (t *trace) end(phase int, err error) {
	t.mu.Lock()
	t.took[phase] = time.Since(t.begun[phase])
	t.ended[phase] = err == nil
	t.mu.Unlock()
}

// stuck is the phase that did not end, in words.
func (t *trace) stuck() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	for phase, words := range [...]string{
		resolving:   "the host name was not resolved in time",
		connecting:  "no connection was made in time",
		handshaking: "the TLS handshake did not end in time",
		waiting:     "the answer's header did not come in time",
	} {
		if !t.begun[phase].IsZero() && !t.ended[phase] {
			return words
		}
	}
	return "no answer in time"
}

func (t *trace) hooks() *httptrace.ClientTrace {
	return &httptrace.ClientTrace{
		DNSStart:          func(httptrace.DNSStartInfo) { t.begin(resolving) },
		DNSDone:           func(i httptrace.DNSDoneInfo) { t.end(resolving, i.Err) },
		ConnectStart:      func(string, string) { t.begin(connecting) },
		ConnectDone:       func(_, _ string, err error) { t.end(connecting, err) },
		TLSHandshakeStart: func() { t.begin(handshaking) },
		TLSHandshakeDone:  func(_ tls.ConnectionState, err error) { t.end(handshaking, err) },
		WroteRequest:      func(httptrace.WroteRequestInfo) { t.begin(waiting) },
		GotFirstResponseByte: func() {
			t.mu.Lock()
			t.took[waiting], t.ended[waiting] = time.Since(t.start), true
			t.mu.Unlock()
		},
	}
}

func (t *trace) timing() page.Timing {
	t.mu.Lock()
	defer t.mu.Unlock()
	ms := func(phase int) int { return int(t.took[phase].Milliseconds()) }
	return page.Timing{
		Resolve: ms(resolving), Connect: ms(connecting), TLS: ms(handshaking),
		FirstByte: ms(waiting), Whole: int(time.Since(t.start).Milliseconds()),
	}
}
