package e2e

import (
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"encoding/pem"
	"fmt"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"harvik/demo"
	"harvik/internal/testkit"
)

// certified writes a certificate for localhost and its key into files.
func certified(t *testing.T, folder string) (cert, key string, authority *x509.CertPool, print string) {
	t.Helper()
	pair, text, err := demo.Certificate(9, "localhost")
	if err != nil {
		t.Fatal(err)
	}
	der, err := x509.MarshalPKCS8PrivateKey(pair.PrivateKey)
	if err != nil {
		t.Fatal(err)
	}
	cert, key = filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	block := pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der})
	for name, text := range map[string][]byte{cert: []byte(text), key: block} {
		if err := os.WriteFile(name, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	authority = x509.NewCertPool()
	authority.AppendCertsFromPEM([]byte(text))
	leaf, err := x509.ParseCertificate(pair.Certificate[0])
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256(leaf.RawSubjectPublicKeyInfo)
	return cert, key, authority, base64.StdEncoding.EncodeToString(sum[:])
}

// TestTLS: a service that others reach speaks TLS: a browser signs in, its cookie is for this host alone; commands of
// the machine go on; a certificate that is renewed is shown without a restart; without one, it does not listen for
// others.
func TestTLS(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	folder := t.TempDir()
	cert, key, authority, print := certified(t, folder)
	s.fails("start --listen 0.0.0.0:0", 2, "everybody in between would read passwords")
	s.fails("start --listen [::]:0", 2, "everybody in between would read passwords")
	s.fails("start --tls-cert "+cert, 2, "belong together")
	s.fails("start --proxy everywhere", 2, "write an address or a range")
	s.fails("start --listen 127.0.0.1:0 --tls-cert "+key+" --tls-key "+key, 1, "--tls-cert")
	port := freePort(t)
	s.startWith(new(bytes.Buffer), "--listen", "127.0.0.1:"+port, "--tls-cert", cert, "--tls-key", key, "--name",
		"https://localhost:"+port)
	s.ok("site list")
	link := strings.TrimSpace(s.ok("link"))
	if !strings.HasPrefix(link, "https://localhost:"+port+"/sign-in#") {
		t.Fatalf("the link leads to %s", link)
	}
	b := openBrowser(t, chromedp.Flag("ignore-certificate-errors-spki-list", print))
	b.visit(link)
	b.see("No site yet")
	b.keepsToPolicy("the first page")
	at := "https://localhost:" + port
	client := &http.Client{
		Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: authority}},
		Timeout:   time.Minute,
	}
	resp, err := client.Get(at + "/")
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	policy := resp.Header.Get("Content-Security-Policy")
	if resp.Header.Get("Strict-Transport-Security") == "" || strings.Contains(policy, "unsafe") ||
		!strings.Contains(policy, "frame-ancestors 'none'") {
		t.Errorf("headers %v", resp.Header)
	}
	fresh := strings.TrimSpace(s.ok("link"))
	req, _ := http.NewRequest(
		"POST",
		at+"/api/v1/session",
		strings.NewReader(`{"link":"`+fresh[strings.Index(fresh, "#")+1:]+`"}`),
	)
	if resp, err = client.Do(req); err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	cookies := resp.Cookies()
	if len(cookies) != 1 || cookies[0].Name != "__Host-harvik_session" || !cookies[0].Secure || !cookies[0].HttpOnly ||
		cookies[0].Path != "/" || cookies[0].Domain != "" || cookies[0].SameSite != http.SameSiteStrictMode {
		t.Errorf("cookies %v", cookies)
	}
	if conn, err := tls.Dial("tcp", "127.0.0.1:"+port, &tls.Config{RootCAs: authority, ServerName: "localhost",
		MaxVersion: tls.VersionTLS11}); err == nil {
		conn.Close()
		t.Error("it speaks TLS 1.1")
	}
	if resp, err := http.Get("http://localhost:" + port + "/"); err == nil && resp.StatusCode == http.StatusOK {
		t.Error("it answers without TLS where TLS is spoken")
	}
	// The certificate is renewed.
	_, _, authority, _ = certified(t, folder)
	later := time.Now().Add(2 * time.Second)
	for _, name := range []string{cert, key} {
		if err := os.Chtimes(name, later, later); err != nil {
			t.Fatal(err)
		}
	}
	renewed := &http.Client{
		Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: authority}},
		Timeout:   time.Minute,
	}
	if resp, err = renewed.Get(at + "/healthz"); err != nil {
		t.Errorf("the new certificate is not shown: %v", err)
	} else {
		resp.Body.Close()
	}
}

func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	_, port, _ := net.SplitHostPort(l.Addr().String())
	return port
}

// TestBehindProxy: a proxy that is named is believed about who asks and by which scheme; one that is not is a stranger
// like any other.
func TestBehindProxy(t *testing.T) {
	t.Parallel()
	for _, believed := range []bool{true, false} {
		t.Run(fmt.Sprint("believed: ", believed), func(t *testing.T) {
			t.Parallel()
			s := newShell(t)
			named := "192.0.2.7/32"
			if believed {
				named = "127.0.0.1"
			}
			s.startWith(new(bytes.Buffer), "--proxy", named)
			data, err := os.ReadFile(filepath.Join(s.data, "service.address"))
			if err != nil {
				t.Fatal(err)
			}
			target, _ := url.Parse(strings.TrimSpace(string(data)))
			front := testkit.Serve(t, &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
				r.SetURL(target)
				r.Out.Header.Set("X-Forwarded-For", "198.51.100.23")
				r.Out.Header.Set("X-Forwarded-Proto", "https")
			}})
			link := strings.TrimSpace(s.ok("link"))
			resp, err := http.Post("http://"+front+"/api/v1/session", "application/json",
				strings.NewReader(`{"link":"`+link[strings.Index(link, "#")+1:]+`"}`))
			if err != nil {
				t.Fatal(err)
			}
			resp.Body.Close()
			if got := resp.Cookies(); len(got) != 1 || got[0].Secure != believed ||
				strings.HasPrefix(got[0].Name, "__Host-") != believed {
				t.Errorf("cookies %v", got)
			}
			if (resp.Header.Get("Strict-Transport-Security") != "") != believed {
				t.Errorf("headers %v", resp.Header)
			}
			from := regexp.MustCompile(`from (\S+)`).FindStringSubmatch(s.ok("token list"))
			want := map[bool]string{true: "198.51.100.23", false: "127.0.0.1"}[believed]
			if from == nil || from[1] != want {
				t.Errorf("the session is from %v, not %s", from, want)
			}
		})
	}
}

// TestACME: a service gets its certificate itself, for its own name alone, keeps it over a restart, and goes on for
// commands of the machine while it has none.
func TestACME(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	const name = "harvik.fernhollow.example"
	s.fails("start --acme", 2, "--name https://harvik.example")
	s.fails("start --acme --name localhost", 2, "no authority certifies localhost")
	s.fails("start --acme --name 192.0.2.7", 2, "no authority certifies 192.0.2.7")
	s.fails("start --acme --tls-cert a --tls-key b --name "+name, 2, "either --acme or --tls-cert")
	s.fails("start --acme-mail ash@fernhollow.example", 2, "belong to --acme")
	s.fails("start --listen 127.0.0.1:0 --acme --acme-root /nowhere --name "+name, 1, "--acme-root")
	port := freePort(t)
	at := "127.0.0.1:" + port
	authority := testkit.NewAuthority(t, at)
	start := func() {
		s.startWith(new(bytes.Buffer), "--listen", at, "--name", "https://"+name, "--acme", "--acme-directory",
			authority.Directory)
	}
	shown := func(name string) (*x509.Certificate, error) {
		conn, err := tls.Dial("tcp", at, &tls.Config{RootCAs: authority.Roots, ServerName: name})
		if err != nil {
			return nil, err
		}
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0], nil
	}
	start()
	s.ok("site list") // there is no certificate yet
	if link := s.ok("link"); !strings.HasPrefix(link, "https://"+name+"/sign-in#") {
		t.Errorf("the link is %s", link)
	}
	first, err := shown(name)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := shown("elsewhere.example"); err == nil {
		t.Error("it has a certificate for another name")
	}
	if n, orders := authority.Certified(), authority.Orders(); n != 1 || orders != 1 {
		t.Errorf("%d certificates, %d orders", n, orders)
	}
	client := &http.Client{Timeout: time.Minute, Transport: &http.Transport{
		TLSClientConfig: &tls.Config{RootCAs: authority.Roots},
		DialContext: func(ctx context.Context, network, _ string) (net.Conn, error) {
			return new(net.Dialer).DialContext(ctx, network, at)
		}}}
	resp, err := client.Get("https://" + name + "/healthz")
	if err != nil || resp.StatusCode != http.StatusOK || resp.Header.Get("Strict-Transport-Security") == "" {
		t.Fatalf("%+v (%v)", resp, err)
	}
	resp.Body.Close()
	s.stop(syscall.SIGTERM)
	start()
	again, err := shown(name)
	if err != nil || again.SerialNumber.Cmp(first.SerialNumber) != 0 || authority.Certified() != 1 {
		t.Errorf("after a restart it shows %v, %d given out (%v)", again.SerialNumber, authority.Certified(), err)
	}
	kept, err := filepath.Glob(filepath.Join(s.data, "certificates", "*"))
	if err != nil || len(kept) < 2 {
		t.Errorf("kept are %v (%v)", kept, err)
	}
	for _, file := range kept {
		if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v (%v)", file, info.Mode(), err)
		}
	}
}
