package render_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// TestSecretsStay: gates are passed by whatever a page asks of the host and port that they are for; nothing else that
// it asks has them, and its scripts do not see them.
func TestSecretsStay(t *testing.T) {
	t.Parallel()
	p := pool(t, 1)
	var mu sync.Mutex
	seen := map[string]http.Header{} // by host and path
	note := func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		seen[r.Host+r.URL.Path] = r.Header.Clone()
		mu.Unlock()
		w.Header().Set("Access-Control-Allow-Origin", "*")
	}
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		note(w, r)
		if r.URL.Path == "/away" {
			http.Redirect(w, r, "http://other.example/redirected", http.StatusFound)
			return
		}
		if r.URL.Path == "/" {
			w.Header().Set("Content-Type", "text/html")
			w.Header().Set("Set-Cookie", "own=1")
			fmt.Fprint(w, `<!doctype html><title>x</title><img src=/own><img src=/away><img src=http://other.example/image>
				<img src=http://fernhollow.example:8081/port><script>fetch("http://other.example/fetch", {mode: "no-cors"});
				fetch("/said").then(r => { document.title = [...r.headers.keys()].join() + "|" + document.cookie });
				new Worker(URL.createObjectURL(new Blob(['fetch("http://other.example/worker", {mode: "no-cors"})'])))</script>`)
		}
	}))
	defer site.Close()
	other := httptest.NewServer(http.HandlerFunc(note))
	defer other.Close()
	home, err := weburl.Parse("http://fernhollow.example/")
	if err != nil {
		t.Fatal(err)
	}
	gates, err := fetch.NewGates([]plan.Gate{{Kind: "basic", User: "rowan", Secret: "pass"},
		{Kind: "cookie", Name: "member", Secret: "badge"}, {Kind: "header", Name: "X-Key", Secret: "key"}}, home,
		map[string]string{"pass": "moss-pass", "badge": "moss-badge", "key": "moss-key"})
	if err != nil {
		t.Fatal(err)
	}
	inside := func(a string) bool { return strings.HasPrefix(a, "http://fernhollow.example") }
	tr := traffic(t, fetch.Settings{Gates: gates, Inside: inside, Headers: map[string]string{"X-Own": "moss-own"},
		Hosts: map[string]string{"fernhollow.example": strings.TrimPrefix(site.URL, "http://"),
			"other.example": strings.TrimPrefix(other.URL, "http://")}})
	tr.Inside = inside
	got, err := p.Render(t.Context(), home.Key(), plan.Desktop, tr, settings())
	if err != nil || got.Outcome != rendered.Rendered {
		t.Fatalf("%+v (%v)", got.Page, err)
	}
	mu.Lock()
	defer mu.Unlock()
	for at, has := range map[string]bool{"fernhollow.example/": true, "fernhollow.example/own": true,
		"fernhollow.example/said": true, "fernhollow.example/away": true, "other.example/image": false,
		"other.example/redirected": false, "other.example/fetch": false, "other.example/worker": false,
		"fernhollow.example:8081/port": false} {
		h, asked := seen[at]
		if !asked {
			t.Errorf("%s was not asked for", at)
			continue
		}
		all := fmt.Sprint(h)
		passed := h.Get("Authorization") != "" && strings.Contains(h.Get("Cookie"), "member=moss-badge") &&
			h.Get("X-Key") == "moss-key"
		if has && !passed || !has && (h.Get("Authorization") != "" || strings.Contains(all, "moss-badge") ||
			strings.Contains(all, "moss-key")) {
			t.Errorf("%s was asked with %v", at, h)
		}
		if strings.HasPrefix(at, "other") && strings.Contains(all, "moss") {
			t.Errorf("%s was told %v", at, h)
		}
	}
	if h := seen["fernhollow.example/said"]; !strings.Contains(h.Get("Cookie"), "own=1") {
		t.Errorf("the page's own cookie is not sent: %v", h)
	}
	for _, secret := range []string{"moss-pass", "moss-badge", "moss-key"} {
		if strings.Contains(string(got.HTML), secret) {
			t.Errorf("the page knows %s", secret)
		}
	}
}
