package fetch

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"sync/atomic"
	"testing"
	"time"

	"golang.org/x/net/dns/dnsmessage"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// names is a name server on loopback that answers each question for an IPv4 address with what answer
// gives for its number, from 0.
func names(t *testing.T, answer func(n int) []netip.Addr) (address string, asked *atomic.Int32) {
	t.Helper()
	conn, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	asked = new(atomic.Int32)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		buf := make([]byte, 1500)
		for {
			n, from, err := conn.ReadFrom(buf)
			if err != nil {
				return
			}
			var m dnsmessage.Message
			if m.Unpack(buf[:n]) != nil {
				continue
			}
			m.Response = true
			m.Additionals = nil
			if q := m.Questions[0]; q.Type == dnsmessage.TypeA {
				for _, a := range answer(int(asked.Add(1)) - 1) {
					m.Answers = append(m.Answers, dnsmessage.Resource{
						Header: dnsmessage.ResourceHeader{Name: q.Name, Type: q.Type, Class: q.Class},
						Body:   &dnsmessage.AResource{A: a.As4()},
					})
				}
			}
			if out, err := m.Pack(); err == nil {
				conn.WriteTo(out, from)
			}
		}
	}()
	t.Cleanup(func() {
		conn.Close()
		<-ended
	})
	return conn.LocalAddr().String(), asked
}

// TestRebinding: a name that resolves to a permitted address when it is looked at, and to a forbidden
// one when it is connected to, or to both at once, reaches nothing that is forbidden.
func TestRebinding(t *testing.T) {
	open, shut := netip.MustParseAddr("127.0.0.2"), netip.MustParseAddr("127.0.0.3")
	listener, err := net.Listen("tcp", net.JoinHostPort(open.String(), "0"))
	if err != nil {
		t.Fatal(err)
	}
	port := fmt.Sprint(listener.Addr().(*net.TCPAddr).Port)
	private, err := net.Listen("tcp", net.JoinHostPort(shut.String(), port))
	if err != nil {
		t.Fatal(err)
	}
	var reached atomic.Int32
	serve := func(l net.Listener, h http.HandlerFunc) {
		s := httptest.NewUnstartedServer(h)
		s.Listener.Close()
		s.Listener = l
		s.Start()
		t.Cleanup(s.Close)
	}
	serve(listener, func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("Connection", "close") })
	serve(private, func(http.ResponseWriter, *http.Request) { reached.Add(1) })

	for name, c := range map[string]struct {
		answer func(n int) []netip.Addr
		want   func(request int) page.Outcome
	}{
		"by turns": {
			func(n int) []netip.Addr { return [][]netip.Addr{{open}, {shut}}[n%2] },
			func(request int) page.Outcome { return []page.Outcome{page.Answered, page.Forbidden}[request%2] },
		},
		"both at once": {
			func(int) []netip.Addr { return []netip.Addr{shut, open} },
			func(int) page.Outcome { return page.Answered },
		},
		"the forbidden one alone": {
			func(int) []netip.Addr { return []netip.Addr{shut} },
			func(int) page.Outcome { return page.Forbidden },
		},
	} {
		server, asked := names(t, c.answer)
		client, err := New(Settings{Timeout: 2 * time.Second, MaxBytes: 1 << 10, IP: "4",
			Guard: Guard{Allow: []netip.Prefix{netip.PrefixFrom(open, 32)}}})
		if err != nil {
			t.Fatal(err)
		}
		client.dialer.resolver = net.Resolver{PreferGo: true,
			Dial: func(ctx context.Context, _, _ string) (net.Conn, error) {
				return new(net.Dialer).DialContext(ctx, "udp", server)
			}}
		u, err := weburl.Parse("http://turncoat.fernhollow.example:" + port + "/")
		if err != nil {
			t.Fatal(err)
		}
		for request := range 6 {
			var buf bytes.Buffer
			if a := client.Do(t.Context(), &u, &buf, everything); a.Outcome != c.want(request) {
				t.Errorf("%s, request %d: %s (%s), want %s", name, request, a.Outcome, a.Detail, c.want(request))
			}
			if n := int(asked.Load()); n != request+1 {
				t.Errorf("%s: the name was looked up %d times for %d requests", name, n, request+1)
			}
		}
		client.Close()
	}
	if n := reached.Load(); n > 0 {
		t.Errorf("%d requests reached the forbidden address", n)
	}
}

// TestInvalid: names below .invalid never exist (RFC 6761), so nobody is asked for them.
func TestInvalid(t *testing.T) {
	d := &dialer{settings: &Settings{Timeout: time.Second}}
	d.resolver = net.Resolver{PreferGo: true, Dial: func(context.Context, string, string) (net.Conn, error) {
		t.Error("a resolver was asked")
		return nil, errors.New("no resolver here")
	}}
	for _, name := range []string{"invalid", "other.invalid", "OTHER.Invalid."} {
		_, err := d.resolve(t.Context(), name)
		if dns, ok := errors.AsType[*net.DNSError](err); !ok || !dns.IsNotFound {
			t.Errorf("%s: %v", name, err)
		}
	}
}
