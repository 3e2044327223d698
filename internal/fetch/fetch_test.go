package fetch

import (
	"bufio"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"encoding/pem"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

var loopback = Guard{Allow: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}

var everything = Request{Want: func(int, string) bool { return true }}

func get(t *testing.T, s Settings, address string) Answer {
	t.Helper()
	if s.Timeout == 0 {
		s.Timeout = time.Second
	}
	if s.MaxBytes == 0 {
		s.MaxBytes = 1 << 20
	}
	if s.Guard.Allow == nil {
		s.Guard = loopback
	}
	c, err := New(s)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	u, err := weburl.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	var buf bytes.Buffer
	a := c.Do(t.Context(), &u, &buf, everything)
	a.Body = bytes.Clone(a.Body)
	return a
}

func pack(coding string, text []byte) []byte {
	var b bytes.Buffer
	var w io.WriteCloser
	switch coding {
	case "gzip":
		w = gzip.NewWriter(&b)
	case "br":
		w = brotli.NewWriter(&b)
	case "zstd":
		w, _ = zstd.NewWriter(&b)
	case "deflate":
		w = zlib.NewWriter(&b)
	case "bare-deflate":
		w, _ = flate.NewWriter(&b, 5)
	default:
		return text
	}
	w.Write(text)
	w.Close()
	return b.Bytes()
}

func TestCodings(t *testing.T) {
	text := []byte(strings.Repeat("fern and moss ", 500))
	for _, coding := range []string{"", "identity", "gzip", "br", "zstd", "deflate", "bare-deflate"} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Encoding", strings.TrimPrefix(coding, "bare-"))
			w.Write(pack(coding, text))
		}))
		a := get(t, Settings{}, server.URL)
		if a.Outcome != page.Answered || !bytes.Equal(a.Body, text) {
			t.Errorf("%q: %s %s, %d bytes", coding, a.Outcome, a.Detail, len(a.Body))
		}
		if coding != "" && coding != "identity" && a.Transferred >= len(text) {
			t.Errorf("%q: %d bytes on the wire", coding, a.Transferred)
		}
		server.Close()
	}
}

// TestOutcomes is a server that misbehaves: every case ends with its named outcome.
func TestOutcomes(t *testing.T) {
	bomb := pack("gzip", make([]byte, 64<<20))
	raw := func(text string) func(net.Conn) { return func(c net.Conn) { io.WriteString(c, text) } }
	for _, c := range []struct {
		name   string
		serve  func(net.Conn)
		want   page.Outcome
		status int
	}{
		{"sound", raw("HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nhi"), page.Answered, 200},
		{"body ends early", raw("HTTP/1.1 200 OK\r\nContent-Length: 20\r\n\r\nhi"), page.Truncated, 200},
		{"not HTTP", raw("SSH-2.0-OpenSSH\r\n\r\n"), page.BadResponse, 0},
		{"closed at once", func(net.Conn) {}, page.Reset, 0},
		{"closed in the headers", raw("HTTP/1.1 200 OK\r\nContent-"), page.BadResponse, 0},
		{"silent", func(c net.Conn) { time.Sleep(4 * time.Second) }, page.TimedOut, 0},
		{"drips headers", func(c net.Conn) { drip(c, "HTTP/1.1 200 OK\r\nX: ") }, page.TimedOut, 0},
		{"drips the body", func(c net.Conn) { drip(c, "HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n") },
			page.TimedOut, 200},
		{"a header too large", raw("HTTP/1.1 200 OK\r\nX: " + strings.Repeat("x", 300<<10) + "\r\n\r\n"),
			page.BadResponse, 0},
		{"ten thousand headers", raw("HTTP/1.1 200 OK\r\n" + strings.Repeat("X-Header: some value\r\n", 20_000) +
			"\r\n"), page.BadResponse, 0},
		{"a lying coding", raw("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: 34\r\n\r\nplain text that is no gzip at all.."), page.BadCoding, 200},
		{"an unknown coding", raw("HTTP/1.1 200 OK\r\nContent-Encoding: rot13\r\nContent-Length: 2\r\n\r\nhi"),
			page.BadCoding, 200},
		{"a bomb", raw("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: " + fmt.Sprint(len(bomb)) +
			"\r\n\r\n" + string(bomb)), page.Truncated, 200},
		{"gzip that ends early", raw("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nConnection: close\r\n\r\n" +
			string(bomb[:900])), page.Truncated, 200},
		{"endless", func(c net.Conn) {
			io.WriteString(c, "HTTP/1.1 200 OK\r\n\r\n")
			for block := make([]byte, 64<<10); ; {
				if _, err := c.Write(block); err != nil {
					return
				}
			}
		}, page.Truncated, 200},
		{"early hints first", raw("HTTP/1.1 103 Early Hints\r\nLink: </x>\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nhi"), page.Answered, 200},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			a := get(t, Settings{}, "http://"+listen(t, c.serve)+"/")
			if a.Outcome != c.want || a.Status != c.status {
				t.Errorf("%s (%s) with status %d, want %s with %d", a.Outcome, a.Detail, a.Status, c.want, c.status)
			}
			if len(a.Body) > 1<<20 {
				t.Errorf("%d bytes were kept", len(a.Body))
			}
			if c.want != page.Answered && a.Detail == "" {
				t.Error("no word about what happened")
			}
		})
	}
}

func drip(c net.Conn, start string) {
	io.WriteString(c, start)
	for range 80 {
		if _, err := io.WriteString(c, "x"); err != nil {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// listen serves connections by a function until the test ends.
func listen(t *testing.T, serve func(net.Conn)) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				c.Read(make([]byte, 4096))
				serve(c)
			}()
		}
	}()
	return l.Addr().String()
}

func TestNoConnection(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	closed := l.Addr().String()
	l.Close()
	if a := get(t, Settings{}, "http://"+closed+"/"); a.Outcome != page.Refused {
		t.Errorf("a closed port: %s (%s)", a.Outcome, a.Detail)
	}
	plain := httptest.NewServer(http.NotFoundHandler())
	defer plain.Close()
	if a := get(t, Settings{}, strings.Replace(plain.URL, "http:", "https:", 1)); a.Outcome != page.TLSFailed {
		t.Errorf("https to an http port: %s (%s)", a.Outcome, a.Detail)
	}
	secure := httptest.NewTLSServer(http.NotFoundHandler())
	defer secure.Close()
	if a := get(t, Settings{}, secure.URL); a.Outcome != page.TLSFailed || !strings.Contains(a.Detail, "certificate") {
		t.Errorf("an unknown certificate: %s (%s)", a.Outcome, a.Detail)
	}
}

// TestGuard holds that no address outside the public ranges is reached unless it is
// allowed: not by number, not by name, not by override.
func TestGuard(t *testing.T) {
	reached := false
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached = true }))
	defer server.Close()
	_, port, _ := net.SplitHostPort(strings.TrimPrefix(server.URL, "http://"))
	closed := Guard{Allow: []netip.Prefix{netip.MustParsePrefix("10.9.8.0/24")}}
	for _, address := range []string{"http://127.0.0.1:" + port + "/", "http://localhost:" + port + "/",
		"http://0x7f000001:" + port + "/", "http://[::ffff:127.0.0.1]:" + port + "/"} {
		if a := get(t, Settings{Guard: closed}, address); a.Outcome != page.Forbidden ||
			!strings.Contains(a.Detail, "harvik site allow SITE 127.0.0.0/8") {
			t.Errorf("%s: %s (%s)", address, a.Outcome, a.Detail)
		}
	}
	hosts := map[string]string{"fernhollow.example": "127.0.0.1:" + port}
	if a := get(t, Settings{Guard: closed, Hosts: hosts}, "http://fernhollow.example/"); a.Outcome != page.Forbidden {
		t.Errorf("by override: %s", a.Outcome)
	}
	if reached {
		t.Error("the server was reached")
	}
	if a := get(t, Settings{Hosts: hosts}, "http://fernhollow.example/"); a.Outcome != page.Answered || !reached {
		t.Errorf("allowed, by override: %s (%s)", a.Outcome, a.Detail)
	}
	for text, want := range map[string]bool{
		"8.8.8.8": true, "2606:4700::1": true, "10.0.0.1": false, "172.16.3.4": false, "192.168.1.1": false,
		"169.254.169.254": false,
		"127.0.0.1":       false, "0.0.0.0": false, "100.64.1.1": false, "224.0.0.1": false, "255.255.255.255": false,
		"::1":     false,
		"fe80::1": false, "fc00::1": false, "::ffff:10.0.0.1": false, "64:ff9b::a00:1": false, "10.9.8.7": true,
		"2002:a00:1::": false,
		// Of IPv6 only what is given out as public, less what the registry takes out of it.
		"::": false, "::a00:1": false, "::808:808": false, "::ffff:0:a00:1": false, "64:ff9b:1::1": false,
		"100::1": false, "100:0:0:1::1": false,
		"1fff::1": false, "2000::1": true, "2001::1": false, "2001:1::1": false, "2001:1ff::1": false,
		"2001:200::1": true, "2001:db8::1": false,
		"2001:db9::1": true, "3ffe:ffff::1": true, "3fff::1": false, "3fff:fff::1": false, "3fff:1000::1": true,
		"4000::1": false, "5f00::1": false,
		"fec0::1": false, "ff02::1": false, "fe80::1%eth0": false,
		"192.88.99.1": false, "192.88.98.255": true, "168.63.129.16": false, "168.63.129.17": true, "192.0.0.9": false,
		"198.19.255.255": false,
		"240.0.0.1":      false, "0.1.2.3": false, "100.127.255.255": false, "100.128.0.0": true, "172.32.0.0": true,
		"::ffff:192.88.99.1": false,
	} {
		if got := closed.Permits(netip.MustParseAddr(text)); got != want {
			t.Errorf("%s is permitted: %v, want %v", text, got, want)
		}
	}
}

func TestRetryAfter(t *testing.T) {
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	for value, want := range map[string]time.Duration{
		"": 0, "3": 3 * time.Second, "-3": 0, "Mon, 23 Nov 2026 12:00:30 GMT": 30 * time.Second,
		"Mon, 23 Nov 2026 11:00:00 GMT": 0, "soon": 0,
	} {
		if got := retryAfter(value, now); got != want {
			t.Errorf("Retry-After %q is %s, want %s", value, got, want)
		}
	}
}

func TestHTTP2(t *testing.T) {
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprint(w,
			r.Proto)
	}))
	server.EnableHTTP2 = true
	server.StartTLS()
	defer server.Close()
	ca := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})
	c, err := New(Settings{Timeout: time.Second, MaxBytes: 100, Guard: loopback, CA: string(ca)})
	if err != nil {
		t.Fatal(err)
	}
	u, _ := weburl.Parse(server.URL)
	var buf bytes.Buffer
	if a := c.Do(t.Context(), &u, &buf, everything); a.Protocol != "HTTP/2.0" || string(a.Body) != "HTTP/2.0" {
		t.Errorf("%s %s: %s %q", a.Outcome, a.Detail, a.Protocol, a.Body)
	}
}

// TestSecurePhases closes encrypted connections at every phase, in HTTP/1.1 and HTTP/2.
func TestSecurePhases(t *testing.T) {
	abort := func(path string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			if path == "body" {
				w.Header().Set("Content-Type", "text/html")
				fmt.Fprint(w, "<title>Fern</title>")
				w.(http.Flusher).Flush()
			}
			panic(http.ErrAbortHandler) // a RST_STREAM in HTTP/2
		}
	}
	for _, two := range []bool{false, true} {
		for path, want := range map[string]page.Outcome{"head": page.Reset, "body": page.Truncated} {
			server := httptest.NewUnstartedServer(abort(path))
			server.EnableHTTP2 = two
			server.StartTLS()
			ca := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})
			if a := get(t, Settings{CA: string(ca)}, server.URL); a.Outcome != want || a.Detail == "" {
				t.Errorf("HTTP/2 %v, in the %s: %s (%s), want %s", two, path, a.Outcome, a.Detail, want)
			}
			server.Close()
		}
	}
	for name, serve := range map[string]func(net.Conn){
		"at once": func(net.Conn) {},
		// an alert: handshake failure
		"after nonsense": func(c net.Conn) { io.WriteString(c, "\x15\x03\x01\x00\x02\x02\x28") },
	} {
		if a := get(t, Settings{}, "https://"+listen(t, serve)+"/"); a.Outcome != page.Reset &&
			a.Outcome != page.TLSFailed || a.Detail == "" {
			t.Errorf("closed %s: %s (%s)", name, a.Outcome, a.Detail)
		}
	}
}

// TestAllowance: what is allowed to a site holds for its own hosts and for those that its plan has an
// address for, not for whatever else its pages name.
func TestAllowance(t *testing.T) {
	var reached atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached.Add(1) }))
	defer server.Close()
	neighbour := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached.Add(100) }))
	defer neighbour.Close()
	s := Settings{
		Inside: func(address string) bool { return strings.HasPrefix(address, server.URL+"/") },
		Hosts:  map[string]string{"partner.example": strings.TrimPrefix(server.URL, "http://")},
	}
	for address, want := range map[string]page.Outcome{
		server.URL + "/": page.Answered, "http://partner.example/": page.Answered, neighbour.URL + "/": page.Forbidden,
		strings.Replace(neighbour.URL, "127.0.0.1", "localhost", 1) + "/": page.Forbidden,
	} {
		if a := get(t, s, address); a.Outcome != want {
			t.Errorf("%s: %s (%s), want %s", address, a.Outcome, a.Detail, want)
		}
	}
	if n := reached.Load(); n != 2 {
		t.Errorf("servers were reached %d times", n)
	}
}

// TestLonePercent sends addresses as browsers do that the library's parser refuses.
func TestLonePercent(t *testing.T) {
	for _, path := range []string{"/100%", "/a%zz/b?c=%", "/sound%20one", "//two%"} {
		lines := make(chan string, 1)
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		host := l.Addr().String()
		go func() {
			defer l.Close()
			c, err := l.Accept()
			if err != nil {
				return
			}
			defer c.Close()
			line, _ := bufio.NewReader(c).ReadString('\n')
			lines <- line
			io.WriteString(c, "HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nhi")
		}()
		if a := get(t, Settings{}, "http://"+host+path); a.Outcome != page.Answered {
			t.Errorf("%s: %s (%s)", path, a.Outcome, a.Detail)
			continue
		}
		line := strings.TrimPrefix(<-lines, "GET ")
		if !strings.HasPrefix(strings.TrimPrefix(line, "http://"+host), path+" HTTP/") {
			t.Errorf("%s is asked for as %q", path, line)
		}
	}
}
