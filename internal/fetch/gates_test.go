package fetch

import (
	"bytes"
	"crypto/md5"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

const secret = "correct-horse-battery"

// client makes a client for two hosts that both lead to one server.
func client(t *testing.T, server *httptest.Server, gates ...plan.Gate) *Client {
	t.Helper()
	address := server.Listener.Addr().String()
	home, err := weburl.Parse("http://fernhollow.example/")
	if err != nil {
		t.Fatal(err)
	}
	g, err := NewGates(gates, home, map[string]string{"members": secret})
	if err != nil {
		t.Fatal(err)
	}
	c, err := New(Settings{
		Timeout: 2 * time.Second, MaxBytes: 1 << 20, Guard: loopback, Gates: g,
		Hosts: map[string]string{"fernhollow.example": address, "other.example": address},
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	return c
}

func fetch(t *testing.T, c *Client, address string) Answer {
	t.Helper()
	u, err := weburl.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	var buf bytes.Buffer
	return c.Do(t.Context(), &u, &buf, everything)
}

// TestGates holds that every kind of gate opens on its own host and that nothing of it goes to
// another one.
func TestGates(t *testing.T) {
	digest := func(algorithm string, h func() hash.Hash) func(http.ResponseWriter, *http.Request) bool {
		sum := func(s string) string {
			x := h()
			x.Write([]byte(s))
			return hex.EncodeToString(x.Sum(nil))
		}
		return func(w http.ResponseWriter, r *http.Request) bool {
			p := parameters(strings.TrimPrefix(r.Header.Get("Authorization"), "Digest "))
			want := sum(strings.Join([]string{sum("anna:fern:" + secret), "n1", p["nc"], p["cnonce"], "auth",
				sum("GET:" + r.RequestURI)}, ":"))
			if p["response"] == want && p["uri"] == r.RequestURI {
				return true
			}
			w.Header().Add("WWW-Authenticate", `Basic realm="x"`)
			w.Header().Add("WWW-Authenticate",
				fmt.Sprintf(`Digest realm="fern", qop="auth,auth-int", algorithm=%s, nonce="n1", opaque="o"`,
					algorithm))
			return false
		}
	}
	for _, c := range []struct {
		name string
		gate plan.Gate
		open func(http.ResponseWriter, *http.Request) bool
	}{
		{"basic", plan.Gate{Kind: "basic", User: "anna", Secret: "members"},
			func(_ http.ResponseWriter, r *http.Request) bool {
				user, pass, _ := r.BasicAuth()
				return user == "anna" && pass == secret
			}},
		{"bearer", plan.Gate{Kind: "bearer", Secret: "members"}, func(_ http.ResponseWriter, r *http.Request) bool {
			return r.Header.Get("Authorization") == "Bearer "+secret
		}},
		{"header", plan.Gate{Kind: "header", Name: "X-Preview", Secret: "members"},
			func(_ http.ResponseWriter, r *http.Request) bool {
				return r.Header.Get("X-Preview") == secret
			}},
		{"cookie", plan.Gate{Kind: "cookie", Name: "pass", Secret: "members"},
			func(_ http.ResponseWriter, r *http.Request) bool {
				k, err := r.Cookie("pass")
				return err == nil && k.Value == secret
			}},
		{"digest MD5", plan.Gate{Kind: "digest", User: "anna", Secret: "members"}, digest("MD5", md5.New)},
		{"digest SHA-256", plan.Gate{Kind: "digest", User: "anna", Secret: "members"}, digest("SHA-256", sha256.New)},
	} {
		t.Run(c.name, func(t *testing.T) {
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if r.Host == "other.example" {
					for name, values := range r.Header {
						if name == "Authorization" || name == "Cookie" ||
							strings.Contains(strings.Join(values, ""), secret) {
							t.Errorf("%s goes to another host", name)
						}
					}
					return
				}
				if !c.open(w, r) {
					w.WriteHeader(http.StatusUnauthorized)
				}
			}))
			defer server.Close()
			cl := client(t, server, c.gate)
			for range 2 {
				if a := fetch(t, cl, "http://fernhollow.example/a?b=1"); a.Status != 200 {
					t.Errorf("the gate stays shut: %d %s", a.Status, a.Detail)
				}
			}
			if a := fetch(t, cl, "http://other.example/"); a.Status != 200 {
				t.Errorf("another host: %d %s", a.Status, a.Detail)
			}
			if a := fetch(t, client(t, server), "http://fernhollow.example/"); a.Status != 401 {
				t.Errorf("without a gate: %d", a.Status)
			}
		})
	}
}

// TestHTTPSOnly holds that a secret of an https site is not sent in the clear.
func TestHTTPSOnly(t *testing.T) {
	home, _ := weburl.Parse("https://fernhollow.example/")
	g, err := NewGates([]plan.Gate{{Kind: "bearer", Secret: "k"}}, home, map[string]string{"k": "x"})
	if err != nil {
		t.Fatal(err)
	}
	for address, want := range map[string]bool{
		"https://fernhollow.example/x": true, "http://fernhollow.example/x": false,
		"https://fernhollow.example:8443/": false,
		"https://www.fernhollow.example/":  false, "https://fernhollow.example.org/": false,
	} {
		u, _ := weburl.Parse(address)
		if got := g.on(&u) != nil; got != want {
			t.Errorf("%s: %v", address, got)
		}
	}
	if _, err := NewGates([]plan.Gate{{Kind: "bearer", Secret: "gone"}}, home, nil); err == nil ||
		!strings.Contains(err.Error(), "harvik secret set") {
		t.Errorf("a secret that is not set: %v", err)
	}
}

// members is an area behind a form with a token against forgery, whose sessions end after some
// requests.
type members struct {
	sessions map[string]int
	logins   atomic.Int32
	lasts    int
	token    string
}

func (m *members) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html")
	switch {
	case r.URL.Path == "/login" && r.Method == http.MethodGet:
		m.token = rand.Text()
		http.SetCookie(w, &http.Cookie{Name: "before", Value: "1", Path: "/"})
		fmt.Fprintf(w, `<form action="/search"><input name=q></form><form method=post action="/do-login"><input type=hidden name=token value=%q><input name=user><input type="password" name=pass></form>`, m.token)
	case r.URL.Path == "/do-login":
		if _, err := r.Cookie("before"); err != nil || r.Method != http.MethodPost || r.FormValue("token") != m.token ||
			r.FormValue("user") != "anna" || r.FormValue("pass") != secret {
			fmt.Fprint(w, "Wrong name or password")
			return
		}
		m.logins.Add(1)
		id := rand.Text()
		m.sessions[id] = m.lasts
		http.SetCookie(w, &http.Cookie{Name: "session", Value: id, Path: "/"})
		http.Redirect(w, r, "/members/", http.StatusSeeOther)
	default:
		k, err := r.Cookie("session")
		if err != nil || m.sessions[k.Value] <= 0 {
			http.Redirect(w, r, "/login?to="+url.QueryEscape(r.URL.Path), http.StatusFound)
			return
		}
		m.sessions[k.Value]--
		fmt.Fprint(w, "<p>Hello Anna, <a href=/logout>log out</a>")
	}
}

func TestFormLogIn(t *testing.T) {
	m := &members{sessions: map[string]int{}, lasts: 4}
	server := httptest.NewServer(m)
	defer server.Close()
	gate := plan.Gate{Kind: "form", Address: "/login",
		Fields: map[string]string{"user": "anna", "pass": "secret:members"}, Proof: "Hello Anna"}
	c := client(t, server, gate)
	if err := c.LogIn(t.Context()); err != nil {
		t.Fatal(err)
	}
	for i := range 10 { // the session ends twice on the way
		if a := fetch(t, c, fmt.Sprintf("http://fernhollow.example/members/%d", i)); a.Status != 200 ||
			!bytes.Contains(a.Body, []byte("Hello")) {
			t.Errorf("page %d: %d %s", i, a.Status, a.Body)
		}
	}
	if n := m.logins.Load(); n < 3 || n > 4 {
		t.Errorf("%d log-ins", n)
	}
	if a := fetch(t, c, "http://other.example/members/"); a.Status != 302 {
		t.Errorf("the session goes to another host: %d", a.Status)
	}
	for name, wrong := range map[string]plan.Gate{
		"the proof": {Kind: "form", Address: "/login",
			Fields: map[string]string{"user": "bert", "pass": "secret:members"}, Proof: "Hello Anna"},
		"no form there has": {Kind: "form", Address: "/login", Fields: map[string]string{"email": "a"}, Proof: "x"},
		"not on its gate's": {Kind: "form", Address: "http://other.example/login",
			Fields: map[string]string{"user": "a"}, Proof: "x"},
		"no form there has  ": {Kind: "form", Address: "/login", Fields: map[string]string{"nothing": "a"}, Proof: "x"},
	} {
		err := client(t, server, wrong).LogIn(t.Context())
		if err == nil || !strings.Contains(err.Error(), strings.TrimSpace(name)) ||
			strings.Contains(err.Error(), secret) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestParameters(t *testing.T) {
	got := parameters(`realm="a, \"b\"", nonce=abc , qop="auth,auth-int",, stale`)
	if got["realm"] != `a, "b"` || got["nonce"] != "abc" || got["qop"] != "auth,auth-int" || len(got) != 3 {
		t.Errorf("%q", got)
	}
}

// TestProxy goes through a proxy, by CONNECT for https, and the proxy itself has to be permitted.
func TestProxy(t *testing.T) {
	var asked []string
	proxy := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Method+" "+r.Host)
		w.WriteHeader(http.StatusTeapot)
	}))
	defer proxy.Close()
	s := Settings{Timeout: time.Second, MaxBytes: 100, Guard: loopback, Proxy: proxy.URL}
	if a := get(t, s, "http://fernhollow.example/x"); a.Status != http.StatusTeapot {
		t.Errorf("%d %s", a.Status, a.Detail)
	}
	get(t, s, "https://fernhollow.example/x")
	if len(asked) != 2 || asked[1] != "CONNECT fernhollow.example:443" {
		t.Errorf("asked for %v", asked)
	}
	s.Guard = Guard{Allow: loopback.Allow[:0:0]}
	c, err := New(s)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if a := fetch(t, c, "http://fernhollow.example/x"); a.Outcome != page.Forbidden {
		t.Errorf("a proxy on a private address: %s", a.Outcome)
	}
	s.Guard = loopback
	before := len(asked)
	for _, address := range []string{"http://10.1.2.3/", "https://10.1.2.3/", "http://[fd00::1]/",
		"http://[::ffff:10.1.2.3]/", "http://0xa010203/", "http://10.66051/"} {
		if a := get(t, s, address); a.Outcome != page.Forbidden {
			t.Errorf("%s, a private address through the proxy: %s %s", address, a.Outcome, a.Detail)
		}
	}
	s.Inside = func(string) bool { return false } // what is allowed is for the site's own hosts
	for _, address := range []string{"http://localhost/", "http://LOCALHOST./", "http://metadata.localhost/",
		"http://127.0.0.1/", "http://127.1/"} {
		if a := get(t, s, address); a.Outcome != page.Forbidden {
			t.Errorf("%s, this machine through the proxy: %s %s", address, a.Outcome, a.Detail)
		}
	}
	if len(asked) != before {
		t.Errorf("the proxy was asked for %v", asked[before:])
	}
}

// TestPhases names the phase in which time ran out.
func TestPhases(t *testing.T) {
	silent := listen(t, func(c net.Conn) { time.Sleep(time.Second) })
	for words, s := range map[string]Settings{
		"the answer's header": {Timeout: 3 * time.Second, Timeouts: Timeouts{FirstByte: 100 * time.Millisecond}},
		"the TLS handshake":   {Timeout: 3 * time.Second, Timeouts: Timeouts{TLS: 100 * time.Millisecond}},
	} {
		scheme := "http"
		if strings.Contains(words, "TLS") {
			scheme = "https"
		}
		begun := time.Now()
		if a := get(t, s, scheme+"://"+silent+"/"); a.Outcome != page.TimedOut || !strings.Contains(a.Detail, words) ||
			time.Since(begun) > time.Second {
			t.Errorf("%s: %s %q after %s", words, a.Outcome, a.Detail, time.Since(begun))
		}
	}
}

// TestIPVersion resolves to one version of IP only.
func TestIPVersion(t *testing.T) {
	v6, err := net.Listen("tcp", "[::1]:0")
	if err != nil {
		t.Skip("this machine has no IPv6 loopback")
	}
	server := httptest.NewUnstartedServer(http.NotFoundHandler())
	server.Listener.Close()
	server.Listener = v6
	server.Start()
	defer server.Close()
	_, port, _ := net.SplitHostPort(v6.Addr().String())
	if a := get(t, Settings{IP: "4"}, "http://localhost:"+port+"/"); a.Status != 0 {
		t.Errorf("by IPv4 a server on IPv6 answers %d", a.Status)
	}
}

// TestBound: a secret goes to its host, on the home page's port, and not over http where that is https.
func TestBound(t *testing.T) {
	for home, list := range map[string]map[string]bool{
		"https://fernhollow.example/": {
			"https://fernhollow.example/x": true, "https://fernhollow.example:443/": true,
			"http://fernhollow.example/":       false,
			"https://fernhollow.example:8443/": false, "https://fernhollow.example:80/": false,
			"http://fernhollow.example:443/":  false,
			"https://www.fernhollow.example/": false, "https://fernhollow.example.evil.example/": false,
			"https://fernhollow.example.:443/": false,
		},
		"http://fernhollow.example/": {
			"http://fernhollow.example/": true, "https://fernhollow.example/": true,
			"http://fernhollow.example:8080/": false, "http://fernhollow.example:443/": false,
		},
		"http://fernhollow.example:8080/": {
			"http://fernhollow.example:8080/": true, "https://fernhollow.example:8080/": true,
			"http://fernhollow.example/":      false,
			"http://fernhollow.example:8081/": false, "https://fernhollow.example/": false,
		},
	} {
		at, err := weburl.Parse(home)
		if err != nil {
			t.Fatal(err)
		}
		for address, want := range list {
			u, err := weburl.Parse(address)
			if err != nil {
				t.Fatal(err)
			}
			if got := BoundTo("", at).covers(&u); got != want {
				t.Errorf("home %s: a secret may go to %s: %v, want %v", home, address, got, want)
			}
		}
	}
	var none Bound
	if u, _ := weburl.Parse("http:///"); none.covers(&u) {
		t.Error("no bound covers something")
	}
}

// TestFormElsewhere: a log-in page that sends its form to another port, host or scheme does not get the
// password there.
func TestFormElsewhere(t *testing.T) {
	var stolen atomic.Int32
	thief := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.ParseForm() == nil && r.Form.Get("password") != "" {
			stolen.Add(1)
		}
	}))
	defer thief.Close()
	_, port, _ := net.SplitHostPort(strings.TrimPrefix(thief.URL, "http://"))
	for _, action := range []string{thief.URL + "/", "http://fernhollow.example:" + port + "/",
		"//fernhollow.example:" + port + "/in", "http://other.example/"} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Method == http.MethodPost && r.ParseForm() == nil && r.Form.Get("password") != "" {
				stolen.Add(1)
			}
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprintf(w, `<form method=post action="%s"><input name=user><input name=password type=password></form>`,
				action)
		}))
		c := client(t, server, plan.Gate{Kind: "form", Address: "/in",
			Fields: map[string]string{"user": "anna", "password": "secret:members"}, Proof: "Signed in"})
		err := c.LogIn(t.Context())
		if err == nil || !strings.Contains(err.Error(), "is not where its secrets are for") {
			t.Errorf("a form that sends to %s: %v", action, err)
		}
		server.Close()
	}
	if n := stolen.Load(); n > 0 {
		t.Errorf("the password went out %d times", n)
	}
}
