package render_test

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// at serves on an address of loopback, on a port of its own choice where that is 0.
func at(t *testing.T, ip string, port int, h http.HandlerFunc) (chosen int) {
	t.Helper()
	l, err := net.Listen("tcp", fmt.Sprintf("%s:%d", ip, port))
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewUnstartedServer(h)
	s.Listener.Close()
	s.Listener = l
	s.Start()
	t.Cleanup(s.Close)
	return l.Addr().(*net.TCPAddr).Port
}

// spellings are hosts that lead to this machine, as pages write them.
var spellings = []string{
	"127.0.0.3",
	"127.3",
	"127.0.3",
	"0x7f.0.0.3",
	"0x7f000003",
	"2130706435",
	"0177.0.0.3",
	"017700000003",
	"127.0.0.3.",
	"%31%32%37.0.0.3",
	"１２７.0.0.3",
	"127。0。0。3",
	"user:word@127.0.0.3",
	"[::ffff:127.0.0.3]",
	"[::ffff:7f00:3]",
	"0.0.0.0",
	"0",
	"[::]",
	"localhost",
	"LocalHost.",
	"sub.localhost",
	"inner.example",
	"INNER.example.",
}

// ways are those by which a page asks for an address.
var ways = []string{
	`<img src="%s">`, `<iframe src="%s"></iframe>`, `<script src="%s"></script>`, `<link rel=stylesheet href="%s">`,
	`<link rel=prefetch href="%s">`, `<video src="%s"></video>`, `<object data="%s"></object>`,
	`<style>@import url("%s")</style>`, `<iframe srcdoc='<meta http-equiv=refresh content="0;url=%s">'></iframe>`,
	`<script>fetch("%s", { mode: "no-cors" }).catch(() => {})</script>`, `<script>navigator.sendBeacon("%s", "x")</script>`,
	`<script>new EventSource("%s")</script>`, `<script>new WebSocket("%s".replace("http", "ws"))</script>`,
	`<script>new Worker(URL.createObjectURL(new Blob(['fetch("%s", { mode: "no-cors" })'])))</script>`,
	`<form target=f action="%s"></form>`, `<img src="/away?to=%s">`,
}

// TestAddresses: however a page spells an address that its plan may not reach, and by whatever way it asks for it,
// nothing comes there; where the plan may, it does.
func TestAddresses(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	reached := map[string]int{}
	note := func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		reached[r.URL.Query().Get("n")]++
		w.Header().Set("Access-Control-Allow-Origin", "*")
	}
	port := at(t, "127.0.0.3", 0, note)
	at(t, "127.0.0.1", port, note) // what localhost and 0.0.0.0 lead to
	var page strings.Builder
	page.WriteString("<!doctype html><title>x</title><iframe name=f></iframe>")
	for i, host := range spellings {
		for k, way := range ways {
			fmt.Fprintf(&page, way, fmt.Sprintf("http://%s:%d/?n=%d-%d", host, port, i, k))
		}
	}
	page.WriteString("<script>for (const f of document.forms) f.submit()</script>")
	home := at(t, "127.0.0.2", 0, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/away" {
			to := r.URL.RawQuery[len("to="):]
			w.Header().Set("Location", to)
			w.WriteHeader(http.StatusFound)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, page.String())
	})
	own := fmt.Sprintf("127.0.0.2:%d", home)
	p, set := pool(t, 1), settings()
	set.Within, set.Screen = 20*time.Second, false
	render := func(allowed string) {
		t.Helper()
		tr := traffic(t, fetch.Settings{Hosts: map[string]string{"fernhollow.example": own,
			"inner.example": fmt.Sprintf(
				"127.0.0.3:%d",
				port,
			)}, Guard: fetch.Guard{Allow: []netip.Prefix{netip.MustParsePrefix(allowed)}}})
		tr.Inside = func(a string) bool { return strings.HasPrefix(a, "http://fernhollow.example/") }
		got, err := p.Render(t.Context(), "http://fernhollow.example/", plan.Desktop, tr, set)
		if err != nil || got.Outcome != rendered.Rendered {
			t.Fatalf("%+v (%v)", got.Page, err)
		}
	}
	render("127.0.0.2/32")
	if len(reached) > 0 {
		t.Errorf("what may not be reached was reached by %v", reached)
	}
	render("127.0.0.0/8") // the same page, so that it is known to ask
	open := map[string]bool{}
	for n := range reached {
		var i, k int
		fmt.Sscanf(n, "%d-%d", &i, &k)
		open[spellings[i]], open[ways[k]] = true, true
	}
	for _, one := range []string{"127.0.0.3", "2130706435", "inner.example", ways[0], ways[1], ways[9], ways[13], ways[15]} {
		if !open[one] {
			t.Errorf("where it may be, nothing is reached by %s: %v", one, reached)
		}
	}
}

// TestGatesOpen: gates that answer a challenge, and those behind a form, open to what a page asks of its host too.
func TestGatesOpen(t *testing.T) {
	t.Parallel()
	const secret = "moss-pass"
	sum := func(parts ...string) string {
		h := sha256.Sum256([]byte(strings.Join(parts, ":")))
		return hex.EncodeToString(h[:])
	}
	said := regexp.MustCompile(`(\w+)="?([^",]*)"?`)
	for _, c := range []struct {
		name string
		gate plan.Gate
		open func(w http.ResponseWriter, r *http.Request) bool
	}{
		{"digest", plan.Gate{Kind: "digest", User: "anna", Secret: "members"}, func(w http.ResponseWriter, r *http.Request) bool {
			p := map[string]string{}
			for _, m := range said.FindAllStringSubmatch(strings.TrimPrefix(r.Header.Get("Authorization"), "Digest "), -1) {
				p[m[1]] = m[2]
			}
			if p["response"] == sum(sum("anna", "fern", secret), "n1", p["nc"], p["cnonce"], "auth", sum(r.Method, r.RequestURI)) {
				return true
			}
			w.Header().Set("WWW-Authenticate", `Digest realm="fern", qop="auth", algorithm=SHA-256, nonce="n1", opaque="o"`)
			w.WriteHeader(http.StatusUnauthorized)
			return false
		}},
		{"form", plan.Gate{Kind: "form", Address: "/login", Fields: map[string]string{"user": "anna", "pass": "secret:members"},
			Proof: "Hello Anna"}, func(w http.ResponseWriter, r *http.Request) bool {
			w.Header().Set("Content-Type", "text/html")
			switch cookie, err := r.Cookie("session"); {
			case r.URL.Path == "/login":
				fmt.Fprint(w, `<form method=post action=/in><input name=user><input type=password name=pass></form>`)
			case r.URL.Path == "/in" && r.FormValue("pass") == secret:
				http.SetCookie(w, &http.Cookie{Name: "session", Value: "moss-session", Path: "/", HttpOnly: true})
				fmt.Fprint(w, "Hello Anna")
			case err == nil && cookie.Value == "moss-session":
				return true
			default:
				w.WriteHeader(http.StatusForbidden)
			}
			return false
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			var mu sync.Mutex
			var inner, elsewhere []string
			other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
				mu.Lock()
				defer mu.Unlock()
				elsewhere = append(elsewhere, fmt.Sprint(r.URL.Path, r.Header))
			}))
			defer other.Close()
			s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if !c.open(w, r) {
					return
				}
				mu.Lock()
				inner = append(inner, r.URL.Path)
				mu.Unlock()
				if r.URL.Path == "/" {
					w.Header().Set("Content-Type", "text/html")
					fmt.Fprint(
						w,
						`<!doctype html><title>x</title><h1>Members</h1><img src=/own.png><img src=http://other.example/away.png>
						<script>fetch("/asked").then(r => { document.title = r.status + document.cookie })</script>`,
					)
				}
			}))
			defer s.Close()
			home, err := weburl.Parse("http://fernhollow.example/")
			if err != nil {
				t.Fatal(err)
			}
			gates, err := fetch.NewGates([]plan.Gate{c.gate}, home, map[string]string{"members": secret})
			if err != nil {
				t.Fatal(err)
			}
			tr := traffic(t, fetch.Settings{Gates: gates, Hosts: map[string]string{
				"fernhollow.example": strings.TrimPrefix(
					s.URL,
					"http://",
				), "other.example": strings.TrimPrefix(other.URL, "http://")}})
			if err := tr.Carrier.(*fetch.Client).LogIn(t.Context()); err != nil {
				t.Fatal(err)
			}
			got, err := pool(t, 1).Render(t.Context(), home.Key(), plan.Desktop, tr, settings())
			if err != nil || !got.Found() || !strings.Contains(string(got.HTML), "<title>200</title>") {
				t.Fatalf("%+v (%v)\n%s", got.Page, err, got.HTML)
			}
			mu.Lock()
			defer mu.Unlock()
			for _, path := range []string{"/", "/own.png", "/asked"} {
				if !slices.Contains(inner, path) {
					t.Errorf("the gate stays shut to %s: %v", path, inner)
				}
			}
			if all := strings.Join(elsewhere, "\n"); len(elsewhere) == 0 || strings.Contains(all, "moss") ||
				strings.Contains(all, "Authorization") {
				t.Errorf("another host was told %s", all)
			}
		})
	}
}
