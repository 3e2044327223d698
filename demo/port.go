package demo

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"sync"
	"time"
)

// Protocols are what the garden's server speaks over TLS, the better first.
var Protocols = []string{"h2", "http/1.1"}

// OnePort serves TLS and plain connections on one port, told apart by their first byte.
func OnePort(l net.Listener, config *tls.Config) net.Listener {
	b := &onePort{Listener: l, config: config, ready: make(chan net.Conn), ended: make(chan struct{})}
	go b.accept()
	return b
}

type onePort struct {
	net.Listener
	config *tls.Config
	ready  chan net.Conn
	ended  chan struct{}
	once   sync.Once
	err    error
}

func (b *onePort) accept() {
	for {
		conn, err := b.Listener.Accept()
		if err != nil {
			b.err = err
			b.once.Do(func() { close(b.ended) })
			return
		}
		go b.sort(conn)
	}
}

// sort waits for the first byte of a connection; a TLS handshake begins with 22.
func (b *onePort) sort(conn net.Conn) {
	first := make([]byte, 1)
	if _, err := io.ReadFull(conn, first); err != nil {
		conn.Close()
		return
	}
	var sorted net.Conn = &peeked{conn, first}
	if first[0] == 22 {
		sorted = tls.Server(sorted, b.config)
	}
	select {
	case b.ready <- sorted:
	case <-b.ended:
		conn.Close()
	}
}

func (b *onePort) Accept() (net.Conn, error) {
	select {
	case conn := <-b.ready:
		return conn, nil
	case <-b.ended:
		return nil, b.err
	}
}

// peeked gives its first byte again.
type peeked struct {
	net.Conn
	first []byte
}

func (p *peeked) Read(b []byte) (int, error) {
	if len(p.first) > 0 && len(b) > 0 {
		b[0] = p.first[0]
		p.first = nil
		return 1, nil
	}
	return p.Conn.Read(b)
}

// Certificate makes a certificate for some host names that is its own authority, valid for a number
// of days, and that authority as PEM.
func Certificate(days int, names ...string) (tls.Certificate, string, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, "", err
	}
	return CertificateOf(key, days, names...)
}

// CertificateOf is a Certificate with a key of one's own.
func CertificateOf(key crypto.Signer, days int, names ...string) (tls.Certificate, string, error) {
	now := time.Now()
	template := &x509.Certificate{
		SerialNumber: big.NewInt(now.UnixNano()), Subject: pkix.Name{CommonName: "Fernhollow authority"},
		DNSNames:  names,
		NotBefore: now.AddDate(0, 0, -30), NotAfter: now.AddDate(0, 0, days).Add(time.Hour), IsCA: true,
		BasicConstraintsValid: true,
		KeyUsage:              x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
		ExtKeyUsage:           []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	if err != nil {
		return tls.Certificate{}, "", err
	}
	authority := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}, string(authority), nil
}
