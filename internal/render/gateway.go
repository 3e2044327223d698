package render

import (
	"bufio"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"net/netip"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/weburl"
)

// A gateway is the only way out of the browser: a proxy on loopback that opens what the browser has sealed, and hands
// every request to whom it is for. It signs for every host with an authority of its own, which this browser alone
// trusts, and which is gone with the process. What it cannot read as HTTP goes nowhere.
type gateway struct {
	authority *x509.Certificate
	key       *ecdsa.PrivateKey
	Pin       string // of the authority's key, as browsers take it
	inner     *http.Server
	opened    chan net.Conn // connections that were opened

	mu    sync.Mutex
	signs map[string]*tls.Certificate
}

// mostSigned bounds the certificates that are kept.
const mostSigned = 1000

func newGateway() (*gateway, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Harvik, for this browser alone"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(1, 0, 0),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	g := &gateway{key: key, signs: map[string]*tls.Certificate{}, opened: make(chan net.Conn)}
	if g.authority, err = x509.ParseCertificate(der); err != nil {
		return nil, err
	}
	pin := sha256.Sum256(g.authority.RawSubjectPublicKeyInfo)
	g.Pin = base64.StdEncoding.EncodeToString(pin[:])
	protocols := new(http.Protocols)
	protocols.SetHTTP1(true)
	protocols.SetHTTP2(true)
	g.inner = &http.Server{
		Handler: http.HandlerFunc(g.inside), Protocols: protocols, ReadHeaderTimeout: time.Minute,
		MaxHeaderBytes: 256 << 10, ErrorLog: quiet,
		TLSConfig: &tls.Config{GetCertificate: func(h *tls.ClientHelloInfo) (*tls.Certificate, error) {
			return g.sign(h.ServerName, h.Conn)
		}},
		ConnContext: func(ctx context.Context, c net.Conn) context.Context {
			if sealed, ok := c.(*tls.Conn); ok {
				c = sealed.NetConn()
			}
			return context.WithValue(ctx, tunnelKey{}, c)
		},
	}
	go func() { _ = g.inner.ServeTLS(&handed{from: g.opened, ended: make(chan struct{})}, "", "") }() // until it is closed
	return g, nil
}

// Close ends all that is under way.
func (g *gateway) Close() { g.inner.Close() }

// sign is a certificate for a host.
func (g *gateway) sign(host string, conn net.Conn) (*tls.Certificate, error) {
	if host == "" { // an address: browsers name no host then
		if t, ok := conn.(*tunnel); ok {
			host = t.host
		}
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if c := g.signs[host]; c != nil {
		return c, nil
	}
	if len(g.signs) >= mostSigned {
		clear(g.signs)
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: host}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().AddDate(0, 6, 0), KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	if ip := net.ParseIP(strings.Trim(host, "[]")); ip != nil {
		template.IPAddresses = []net.IP{ip}
	} else {
		template.DNSNames = []string{host}
	}
	der, err := x509.CreateCertificate(rand.Reader, template, g.authority, &g.key.PublicKey, g.key)
	if err != nil {
		return nil, err
	}
	c := &tls.Certificate{Certificate: [][]byte{der, g.authority.Raw}, PrivateKey: g.key}
	g.signs[host] = c
	return c, nil
}

// A tunnel is a connection of the browser to a host, as it thinks.
type tunnel struct {
	net.Conn
	read io.Reader
	host string // with its port where that is not 443
	door *door
}

func (t *tunnel) Read(p []byte) (int, error) { return t.read.Read(p) }

type tunnelKey struct{}

// inside answers a request within a tunnel.
func (g *gateway) inside(w http.ResponseWriter, r *http.Request) {
	t, ok := r.Context().Value(tunnelKey{}).(*tunnel)
	if !ok {
		http.Error(w, "no tunnel", http.StatusBadGateway)
		return
	}
	t.door.answer(w, r, "https://"+r.Host+r.URL.RequestURI())
}

// handed is a listener of connections that others hand over.
type handed struct {
	from  chan net.Conn
	ended chan struct{}
	once  sync.Once
}

// Accept implements net.Listener.
func (h *handed) Accept() (net.Conn, error) {
	select {
	case c := <-h.from:
		return c, nil
	case <-h.ended:
		return nil, net.ErrClosed
	}
}

// Close implements net.Listener.
func (h *handed) Close() error {
	h.once.Do(func() { close(h.ended) })
	return nil
}

// Addr implements net.Listener.
func (h *handed) Addr() net.Addr { return &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1)} }

// A door is the gateway as the pages of one browsing context reach it, one after the other: what comes through is
// answered by the page that is being rendered there, and by nobody in between.
type door struct {
	gate     *gateway
	listener net.Listener
	server   *http.Server

	mu  sync.Mutex
	now answerer
}

// An answerer answers what a page asks for.
type answerer interface {
	answer(w http.ResponseWriter, r *http.Request, u *weburl.URL)
}

func (g *gateway) door() (*door, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	d := &door{gate: g, listener: l}
	d.server = &http.Server{Handler: http.HandlerFunc(d.outside), ReadHeaderTimeout: time.Minute, ErrorLog: quiet,
		MaxHeaderBytes: 256 << 10}
	go func() { _ = d.server.Serve(&known{l}) }() // until it is closed
	return d, nil
}

func (d *door) address() string { return "http://" + d.listener.Addr().String() }

func (d *door) close() {
	d.let(nil)
	d.server.Close()
}

// let says who answers from now on.
func (d *door) let(a answerer) {
	d.mu.Lock()
	d.now = a
	d.mu.Unlock()
}

// outside answers the browser as a proxy.
func (d *door) outside(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodConnect {
		if !r.URL.IsAbs() || r.URL.Scheme != "http" {
			http.Error(w, "this is a proxy", http.StatusBadRequest)
			return
		}
		d.answer(w, r, r.RequestURI)
		return
	}
	hijacker, ok := w.(http.Hijacker)
	if !ok {
		http.Error(w, "no tunnel", http.StatusInternalServerError)
		return
	}
	conn, buffered, err := hijacker.Hijack()
	if err != nil {
		return
	}
	if _, err := conn.Write([]byte("HTTP/1.1 200 OK\r\n\r\n")); err != nil {
		conn.Close()
		return
	}
	_ = conn.SetReadDeadline(time.Now().Add(time.Minute))
	first, err := buffered.Peek(1)
	_ = conn.SetReadDeadline(time.Time{})
	if err != nil || first[0] != 0x16 { // no TLS: an open WebSocket, or what nobody knows
		conn.Close()
		return
	}
	host, _, _ := net.SplitHostPort(r.Host)
	select {
	case d.gate.opened <- &tunnel{Conn: conn, read: buffered.Reader, host: host, door: d}:
	case <-time.After(time.Minute):
		conn.Close()
	}
}

// answer hands a request to the page that is being rendered.
func (d *door) answer(w http.ResponseWriter, r *http.Request, address string) {
	d.mu.Lock()
	now := d.now
	d.mu.Unlock()
	u, err := weburl.Parse(address)
	if now == nil || err != nil || !u.IsHTTP() || r.Header.Get("Upgrade") != "" {
		http.Error(w, "not let through", http.StatusForbidden)
		return
	}
	if err := mishap.Catch(func() error { now.answer(w, r, &u); return nil }); err != nil {
		panic(http.ErrAbortHandler) // the connection ends, the service does not
	}
}

// known is a listener that takes connections of processes of this user alone: the door is open to the whole machine.
type known struct{ net.Listener }

// Accept implements net.Listener.
func (k *known) Accept() (net.Conn, error) {
	for {
		c, err := k.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if err := isOwn(c); err != nil {
			c.Close()
			continue
		}
		return c, nil
	}
}

var errStranger = errors.New("the connection is of another user")

// isOwn looks up whose the other end of a connection on loopback is.
func isOwn(c net.Conn) error {
	from, err := netip.ParseAddrPort(c.RemoteAddr().String())
	if err != nil {
		return err
	}
	to, err := netip.ParseAddrPort(c.LocalAddr().String())
	if err != nil {
		return err
	}
	table, err := os.Open("/proc/net/tcp")
	if err != nil {
		return err
	}
	defer table.Close()
	want := [2]string{kernels(from), kernels(to)}
	for lines := bufio.NewScanner(table); lines.Scan(); {
		f := strings.Fields(lines.Text())
		if len(f) > 7 && f[1] == want[0] && f[2] == want[1] {
			if f[7] == strconv.Itoa(os.Getuid()) {
				return nil
			}
			return errStranger
		}
	}
	return errStranger
}

// kernels is an address as the kernel lists it.
func kernels(a netip.AddrPort) string {
	b := a.Addr().Unmap().As4()
	return fmt.Sprintf("%02X%02X%02X%02X:%04X", b[3], b[2], b[1], b[0], a.Port())
}
