// Package fetch is the HTTP client: one request, one named outcome. It follows no redirect,
// keeps no cookie but those of a form's log-in, and connects only where its Guard permits.
package fetch

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"io"
	"mime"
	"net"
	"net/http"
	"net/http/httptrace"
	"net/netip"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// Settings of a Client.
type Settings struct {
	Agent    string            // User-Agent
	Language string            // Accept-Language; none if empty
	Headers  map[string]string // further ones, for inside addresses
	Timeout  time.Duration     // of a whole request, body included
	Timeouts Timeouts
	MaxBytes int               // of a body, unpacked
	Parallel int               // connections kept open to a host
	Fresh    bool              // a connection for each request, so that what it takes to make one is seen
	Hosts    map[string]string // host name → "address" or "address:port" to connect to
	// of inside addresses, and of what Hosts and Proxy name; others reach what is public
	Guard  Guard
	Inside func(address string) bool // tells the site's own addresses; nil means all are
	Gates  *Gates                    // nil for none

	CA             string  // further authorities for inside addresses, PEM
	Certificate    string  // of the client, with its key, PEM
	CertificateFor Bound   // who alone is shown it
	Large          *Large  // shared with other clients; nil for its own
	IP             string  // "4", "6", or any other text for both
	Network        Network // nil for that of the machine
	Proxy          string  // address of an HTTP proxy
}

// A Network resolves names and connects to addresses.
type Network interface {
	Resolve(ctx context.Context, network, host string) ([]netip.Addr, error)
	Dial(ctx context.Context, address string) (net.Conn, error)
}

// Timeouts of the phases of a request; 0 leaves a phase to the whole.
type Timeouts struct{ Resolve, Connect, TLS, FirstByte time.Duration }

// A Client is safe for use from several goroutines.
type Client struct {
	settings Settings
	inside   *http.Transport
	outside  *http.Transport
	shown    *http.Transport // shows the client certificate; nil without one
	dialer   *dialer
}

// maxHeaderBytes is how much header a response may have.
const maxHeaderBytes = 256 << 10

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
	Length      int64 // as announced, −1 if it was not
	TLS         *tls.ConnectionState
	RetryAfter  time.Duration // asked for by the server; 0 if it was not
}

// A Request is what to fetch of an address.
type Request struct {
	Method   string                                  // GET if empty
	Agent    string                                  // User-Agent; that of the settings if empty
	Want     func(status int, mediaType string) bool // whose body is read
	MaxBytes int                                     // of the body; that of the settings if 0
	// keeps the turn of a large body; nil gives it back once it is read
	Hold *Hold
	// a name of the site's own that is not inside, such as its host's number
	Own bool
}

// Do fetches an address. The body is read into buf where the request wants it. It never
// fails: what went wrong is the answer's outcome.
func (c *Client) Do(ctx context.Context, u *weburl.URL, buf *bytes.Buffer, r Request) Answer {
	g := c.settings.Gates.on(u)
	if g == nil {
		return c.send(ctx, u, buf, r, nil, "")
	}
	return g.pass(ctx, c, u, buf, r)
}

// request takes addresses that browsers send and the library's parser refuses, such as one with a % that
// begins no escape: their path and query go out as they are.
func request(ctx context.Context, method string, u *weburl.URL, body io.Reader) (*http.Request, error) {
	req, err := http.NewRequestWithContext(ctx, method, u.Key(), body)
	if err == nil {
		return req, nil
	}
	if req, err = http.NewRequestWithContext(ctx, method, u.Origin()+"/", body); err != nil {
		return nil, err
	}
	if req.URL.Opaque = u.PathQuery(); strings.HasPrefix(req.URL.Opaque, "//") {
		req.URL.Opaque = "//" + u.Host() + req.URL.Opaque
	}
	return req, nil
}

// send makes one request. Header comes on top of the usual; a body makes it a form's POST.
func (c *Client) send(ctx context.Context, u *weburl.URL, buf *bytes.Buffer, r Request, header http.Header,
	form string) Answer {
	clock := newClock(ctx, c.settings.Timeout)
	defer clock.end()
	if r.Hold == nil {
		r.Hold = new(Hold)
		defer r.Hold.Release()
	}
	var t trace
	method := r.Method
	var body io.Reader
	if form != "" {
		method, body = http.MethodPost, strings.NewReader(form)
	}
	req, err := request(httptrace.WithClientTrace(clock, t.hooks()), method, u, body)
	if err != nil {
		return Answer{Outcome: page.BadResponse, Detail: err.Error(), Length: -1}
	}
	c.dress(req, u)
	if r.Agent != "" {
		req.Header.Set("User-Agent", r.Agent)
	}
	for name, values := range header {
		req.Header[name] = values
	}
	if form != "" {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	t.start = time.Now()
	resp, err := c.transport(u, r.Own).RoundTrip(req)
	if err != nil {
		a := failure(err, t.stuck())
		a.Timing = t.timing()
		return a
	}
	defer resp.Body.Close()
	a := Answer{
		Outcome: page.Answered, Status: resp.StatusCode, Header: resp.Header, Protocol: resp.Proto,
		Length:     resp.ContentLength,
		Coding:     mediaType(resp.Header.Get("Content-Encoding")),
		RetryAfter: retryAfter(resp.Header.Get("Retry-After"), t.start), TLS: resp.TLS,
	}
	if method != http.MethodHead {
		c.body(clock, &a, resp, buf, r)
	} else {
		a.Type = mediaType(resp.Header.Get("Content-Type"))
	}
	a.Timing = t.timing()
	return a
}

// dress gives a request its usual headers.
func (c *Client) dress(req *http.Request, u *weburl.URL) {
	h := req.Header
	h.Set("User-Agent", c.settings.Agent)
	h.Set("Accept", "text/html,application/xhtml+xml,*/*;q=0.5")
	h.Set("Accept-Encoding", "gzip, br, zstd, deflate")
	if c.settings.Language != "" {
		h.Set("Accept-Language", c.settings.Language)
	}
	if c.isInside(u) {
		for name, value := range c.settings.Headers {
			h.Set(name, value)
		}
	}
}

func (c *Client) isInside(u *weburl.URL) bool {
	return c.settings.Inside == nil || c.settings.Inside(u.Key())
}

// drain is how much of an unwanted body is read so that the connection can be used again.
const drain = 64 << 10

func (c *Client) body(clock *clock, a *Answer, resp *http.Response, buf *bytes.Buffer, r Request) {
	most := r.MaxBytes
	if most == 0 {
		most = c.settings.MaxBytes
	}
	declared := resp.Header.Get("Content-Type")
	a.Type = mediaType(declared)
	if declared != "" && !r.Want(a.Status, a.Type) {
		n, _ := io.CopyN(io.Discard, resp.Body, drain)
		a.Transferred = int(n)
		return
	}
	counted := &counter{r: resp.Body}
	length := 0 // as it is announced, unpacked
	if a.Coding == "" || a.Coding == "identity" {
		length = int(min(max(a.Length, 0), int64(most)))
	}
	err := c.take(clock, a.Coding, counted, buf, most, length, r.Hold)
	a.Body, a.Transferred = buf.Bytes(), counted.n
	switch {
	case len(a.Body) > most:
		a.Body = a.Body[:most]
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

// take reads a body, unpacked, up to one byte more than it may have. What is larger than small waits for a
// turn. Codings that need much memory to be undone are undone a few at a time, once all has come: a host
// that sends slowly then keeps nobody from it.
func (c *Client) take(clock *clock, coding string, from io.Reader, buf *bytes.Buffer, most, length int,
	hold *Hold) error {
	buf.Reset()
	if coding == "br" || coding == "zstd" {
		var packed bytes.Buffer
		if err := c.fill(clock, &packed, from, most, 0, hold); err != nil {
			return err
		}
		select {
		case c.settings.Large.unpack <- struct{}{}:
			defer func() { <-c.settings.Large.unpack }()
		case <-clock.Done():
			return clock.Err()
		}
		from = &packed
	}
	unpacked, err := unpack(coding, from)
	if err != nil {
		return err
	}
	defer unpacked.Close()
	return c.fill(clock, buf, unpacked, most, length, hold)
}

// fill reads into buf, up to most and one byte more.
func (c *Client) fill(clock *clock, buf *bytes.Buffer, from io.Reader, most, length int, hold *Hold) error {
	_, err := buf.ReadFrom(io.LimitReader(from, int64(min(most, smallBytes))+1))
	if err != nil || buf.Len() <= smallBytes || most <= smallBytes {
		return err
	}
	if err := hold.take(c.settings.Large, clock); err != nil {
		return err
	}
	if left := length + bytes.MinRead - buf.Len(); left > 0 {
		buf.Grow(left) // it would grow by doubling
	}
	_, err = buf.ReadFrom(io.LimitReader(from, int64(most)+1-int64(buf.Len())))
	return err
}

func mediaType(header string) string {
	t, _, err := mime.ParseMediaType(header)
	if err != nil {
		t, _, _ = strings.Cut(header, ";")
		t = strings.ToLower(strings.TrimSpace(t))
	}
	return t[:min(len(t), maxType)]
}

// maxType is the longest media type that is kept, in bytes.
const maxType = 120

type counter struct {
	r io.Reader
	n int
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += n
	return n, err
}
