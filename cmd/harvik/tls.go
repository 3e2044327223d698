package main

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/crypto/acme"
	"golang.org/x/crypto/acme/autocert"

	"harvik/internal/cli"
)

// certificates are those of a file, read anew when it has changed, so that one that was renewed is shown without a
// restart.
type certificates struct {
	cert, key string

	mu   sync.Mutex
	now  *tls.Certificate
	read time.Time // the files' time when they were read
}

// tlsOf is how a service speaks TLS by a certificate and a key in files.
func tlsOf(cert, key string) (*tls.Config, error) {
	c := &certificates{cert: cert, key: key}
	if _, err := c.get(nil); err != nil {
		return nil, err
	}
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: c.get, NextProtos: []string{"h2", "http/1.1"}}, nil
}

// get is the certificate as it is now. While new files cannot be read, the last that could be is shown.
func (c *certificates) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	changed, err := newest(c.cert, c.key)
	if err == nil && (c.now == nil || changed.After(c.read)) {
		var pair tls.Certificate
		if pair, err = tls.LoadX509KeyPair(c.cert, c.key); err == nil {
			c.now, c.read = &pair, changed
		}
	}
	if c.now == nil {
		return nil, fmt.Errorf("--tls-cert and --tls-key: %w", err)
	}
	return c.now, nil
}

// newest is when the later of files was changed.
func newest(names ...string) (out time.Time, err error) {
	for _, name := range names {
		info, err := os.Stat(name)
		if err != nil {
			return out, err
		}
		if info.ModTime().After(out) {
			out = info.ModTime()
		}
	}
	return out, nil
}

// doors are where a service is reached: by others, and by commands on this machine, which by TLS could not tell by its
// address whether it is the one.
type doors struct {
	listener net.Listener
	local    net.Listener // nil where the listener is for all
}

// open opens them. Where TLS is spoken, the address of this machine's own door is one that nobody else reaches.
func open(o cli.ServeOptions) (doors, error) {
	listener, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return doors{}, fmt.Errorf("%w; choose another address with --listen", err)
	}
	var config *tls.Config
	switch {
	case o.ACME.Wanted:
		config, err = tlsByACME(o)
	case o.Cert != "":
		config, err = tlsOf(o.Cert, o.CertKey)
	default:
		return doors{listener: listener}, nil
	}
	var local net.Listener
	if err == nil {
		local, err = net.Listen("tcp", "127.0.0.1:0")
	}
	if err != nil {
		listener.Close()
		return doors{}, err
	}
	return doors{tls.NewListener(listener, config), local}, nil
}

// tlsByACME is how a service speaks TLS by certificates that it gets, and renews, itself: from an authority that asks
// on the same port whether the names are its own (RFC 8555, RFC 8737). They are kept in the data folder.
func tlsByACME(o cli.ServeOptions) (*tls.Config, error) {
	client := &acme.Client{DirectoryURL: o.ACME.Directory, UserAgent: "Harvik"}
	if o.ACME.Root != "" {
		text, err := os.ReadFile(o.ACME.Root)
		pool := x509.NewCertPool()
		if err == nil && !pool.AppendCertsFromPEM(text) {
			err = fmt.Errorf("%s holds no certificate", o.ACME.Root)
		}
		if err != nil {
			return nil, fmt.Errorf("--acme-root: %w", err)
		}
		client.HTTPClient = &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	}
	m := &autocert.Manager{
		Prompt:     autocert.AcceptTOS,
		Cache:      autocert.DirCache(filepath.Join(o.Data, "certificates")),
		HostPolicy: autocert.HostWhitelist(cli.HostsOf(o.Names)...),
		Client:     client,
		Email:      o.ACME.Mail,
	}
	config := m.TLSConfig()
	config.MinVersion = tls.VersionTLS12
	return config, nil
}

// close closes them.
func (d doors) close() {
	for _, one := range d.all() {
		one.Close()
	}
}

// address is where commands on this machine reach the service.
func (d doors) address() string {
	if d.local != nil {
		return "http://" + d.local.Addr().String()
	}
	return "http://" + reachable(d.listener.Addr())
}

// all are the doors.
func (d doors) all() []net.Listener {
	if d.local != nil {
		return []net.Listener{d.listener, d.local}
	}
	return []net.Listener{d.listener}
}
