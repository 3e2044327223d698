// Package fetch is the HTTP client: one request, one named outcome. It follows no redirect,
// keeps no cookie, and connects only where its Guard permits.
package fetch

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"io"
	"mime"
	"net"
	"net/http"
	"net/http/httptrace"
	"strings"
	"sync"
	"syscall"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// Settings of a Client.
type Settings struct {
	Agent    string            // User-Agent
	Language string            // Accept-Language; none if empty
	Timeout  time.Duration     // of a whole request, body included
	MaxBytes int               // of a body, unpacked
	Parallel int               // connections kept open to a host
	Hosts    map[string]string // host name → "address" or "address:port" to connect to
	Guard    Guard
}

// A Client is safe for use from several goroutines.
type Client struct {
	settings  Settings
	transport *http.Transport
}

// maxHeaderBytes is how much header a response may have.
const maxHeaderBytes = 256 << 10

// New makes a client. Close it after use.
func New(s Settings) *Client {
	dialer := &net.Dialer{Timeout: s.Timeout, KeepAlive: 30 * time.Second, Control: s.Guard.control}
	hosts := make(map[string]string, len(s.Hosts))
	for name, to := range s.Hosts {
		hosts[strings.ToLower(name)] = to
	}
	return &Client{s, &http.Transport{
		DialContext: func(ctx context.Context, network, address string) (net.Conn, error) {
			host, port, err := net.SplitHostPort(address)
			if err != nil {
				return nil, err
			}
			if to, ok := hosts[host]; ok {
				if address = to; net.ParseIP(to) != nil {
					address = net.JoinHostPort(to, port)
				}
			}
			return dialer.DialContext(ctx, network, address)
		},
		ForceAttemptHTTP2:      true,
		DisableCompression:     true, // undone here, so that the coding is known
		MaxIdleConnsPerHost:    max(2, s.Parallel),
		IdleConnTimeout:        60 * time.Second,
		TLSHandshakeTimeout:    s.Timeout,
		MaxResponseHeaderBytes: maxHeaderBytes,
	}}
}

// Close drops the connections kept open.
func (c *Client) Close() { c.transport.CloseIdleConnections() }

// An Answer is how a request ended.
type Answer struct {
	Outcome     page.Outcome
	Detail      string // of an outcome other than an answer, in words
	Status      int
	Header      http.Header
	Type        string // media type, from the header or, without one, from the first bytes
	Coding      string
	Protocol    string
	Body        []byte // unpacked; shares the caller's buffer
	Transferred int
	Timing      page.Timing
	RetryAfter  time.Duration // asked for by the server; 0 if it was not
}

// Get fetches an address. The body is read into buf where want says so by status and media
// type. It never fails: what went wrong is the answer's outcome.
func (c *Client) Get(ctx context.Context, u *weburl.URL, buf *bytes.Buffer, want func(status int, mediaType string) bool) Answer {
	ctx, cancel := context.WithTimeout(ctx, c.settings.Timeout)
	defer cancel()
	var t trace
	req, err := http.NewRequestWithContext(httptrace.WithClientTrace(ctx, t.hooks()), http.MethodGet, u.Key(), nil)
	if err != nil {
		return Answer{Outcome: page.BadResponse, Detail: err.Error()}
	}
	req.Header.Set("User-Agent", c.settings.Agent)
	req.Header.Set("Accept", "text/html,application/xhtml+xml,*/*;q=0.5")
	req.Header.Set("Accept-Encoding", "gzip, br, zstd, deflate")
	if c.settings.Language != "" {
		req.Header.Set("Accept-Language", c.settings.Language)
	}
	t.start = time.Now()
	resp, err := c.transport.RoundTrip(req)
	if err != nil {
		a := failure(err)
		a.Timing = t.timing()
		return a
	}
	defer resp.Body.Close()
	a := Answer{
		Outcome: page.Answered, Status: resp.StatusCode, Header: resp.Header, Protocol: resp.Proto,
		Coding:     strings.ToLower(strings.TrimSpace(resp.Header.Get("Content-Encoding"))),
		RetryAfter: retryAfter(resp.Header.Get("Retry-After"), t.start),
	}
	c.body(&a, resp, buf, want)
	a.Timing = t.timing()
	return a
}

// drain is how much of an unwanted body is read so that the connection can be used again.
const drain = 64 << 10

func (c *Client) body(a *Answer, resp *http.Response, buf *bytes.Buffer, want func(int, string) bool) {
	declared := resp.Header.Get("Content-Type")
	a.Type = mediaType(declared)
	if declared != "" && !want(a.Status, a.Type) {
		n, _ := io.CopyN(io.Discard, resp.Body, drain)
		a.Transferred = int(n)
		return
	}
	counted := &counter{r: resp.Body}
	unpacked, err := unpack(a.Coding, counted)
	if err == nil {
		buf.Reset()
		_, err = buf.ReadFrom(io.LimitReader(unpacked, int64(c.settings.MaxBytes)+1))
		unpacked.Close()
	}
	a.Body, a.Transferred = buf.Bytes(), counted.n
	switch {
	case len(a.Body) > c.settings.MaxBytes:
		a.Body = a.Body[:c.settings.MaxBytes]
		a.Outcome, a.Detail = page.Truncated, "the body is longer than the plan's byte limit"
	case errors.Is(err, errCoding):
		a.Outcome, a.Detail = page.BadCoding, err.Error()
		a.Body = nil
	case err != nil && isTimeout(err):
		a.Outcome, a.Detail = page.TimedOut, "the body did not arrive in time"
	case err != nil:
		a.Outcome, a.Detail = page.Truncated, "the body ended early: "+plain(err)
	}
	if declared == "" {
		a.Type = mediaType(http.DetectContentType(a.Body))
	}
}

func mediaType(header string) string {
	t, _, err := mime.ParseMediaType(header)
	if err != nil {
		t, _, _ = strings.Cut(header, ";")
		t = strings.ToLower(strings.TrimSpace(t))
	}
	return t
}

type counter struct {
	r io.Reader
	n int
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += n
	return n, err
}

// failure names an error of the transport.
func failure(err error) Answer {
	a := Answer{Outcome: page.BadResponse, Detail: plain(err)}
	var forbidden *ForbiddenError
	var dns *net.DNSError
	var certificate *tls.CertificateVerificationError
	var record tls.RecordHeaderError
	var unknown x509.UnknownAuthorityError
	switch {
	case errors.As(err, &forbidden):
		a.Outcome, a.Detail = page.Forbidden, forbidden.Error()
	case errors.As(err, &dns) && !dns.IsTimeout:
		a.Outcome, a.Detail = page.NoDNS, "the host name "+dns.Name+" does not resolve"
	case isTimeout(err):
		a.Outcome, a.Detail = page.TimedOut, "no answer in time"
	case errors.Is(err, syscall.ECONNREFUSED):
		a.Outcome, a.Detail = page.Refused, "the host refuses the connection"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		a.Outcome, a.Detail = page.Unreachable, "there is no route to the host"
	case errors.As(err, &certificate), errors.As(err, &unknown), errors.As(err, &record), strings.Contains(err.Error(), "tls:"):
		a.Outcome = page.TLSFailed
	case errors.Is(err, syscall.ECONNRESET), errors.Is(err, syscall.EPIPE), errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		a.Outcome, a.Detail = page.Reset, "the connection broke"
	}
	return a
}

func isTimeout(err error) bool {
	var timeout interface{ Timeout() bool }
	return errors.Is(err, context.DeadlineExceeded) || errors.As(err, &timeout) && timeout.Timeout()
}

// plain is an error's text cut to what a person can read.
func plain(err error) string {
	s := strings.ToValidUTF8(strings.ReplaceAll(err.Error(), "\x00", ""), "\uFFFD")
	if r := []rune(s); len(r) > 300 {
		return string(r[:300]) + "…"
	}
	return s
}

// trace notes how long the phases of a request took. The transport may dial on after a
// request has ended, hence the lock.
type trace struct {
	start time.Time

	mu    sync.Mutex
	begun [3]time.Time
	took  [4]time.Duration
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

func (t *trace) end(phase int) {
	t.mu.Lock()
	t.took[phase] = time.Since(t.begun[phase])
	t.mu.Unlock()
}

func (t *trace) hooks() *httptrace.ClientTrace {
	return &httptrace.ClientTrace{
		DNSStart:          func(httptrace.DNSStartInfo) { t.begin(resolving) },
		DNSDone:           func(httptrace.DNSDoneInfo) { t.end(resolving) },
		ConnectStart:      func(string, string) { t.begin(connecting) },
		ConnectDone:       func(string, string, error) { t.end(connecting) },
		TLSHandshakeStart: func() { t.begin(handshaking) },
		TLSHandshakeDone:  func(tls.ConnectionState, error) { t.end(handshaking) },
		GotFirstResponseByte: func() {
			t.mu.Lock()
			t.took[waiting] = time.Since(t.start)
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

// retryAfter reads both forms of the header (RFC 9110, 10.2.3).
func retryAfter(value string, now time.Time) time.Duration {
	if value == "" {
		return 0
	}
	if seconds, err := time.ParseDuration(value + "s"); err == nil {
		return max(0, seconds)
	}
	if at, err := http.ParseTime(value); err == nil {
		return max(0, at.Sub(now))
	}
	return 0
}
