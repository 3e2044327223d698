package e2e

import (
	"bytes"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"harvik/internal/testkit"
)

// TestSecrets puts secrets of every kind to use, makes the site misbehave with them, and then
// searches everything that left the process: its log, the answers of the API, the exports, the
// requests to other hosts, the data folder with its database.
func TestSecrets(t *testing.T) {
	t.Parallel()
	secrets := map[string]string{"staging": "zinnia-in-the-fog-71", "members": "heron&moss=19",
		"token": "tk-4f9e02c7d1aa"}
	var mu sync.Mutex
	var abroad bytes.Buffer
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		fmt.Fprintln(&abroad, r.Method, r.RequestURI, r.Header)
	}))
	defer other.Close()
	abroadAt := strings.TrimPrefix(other.URL, "http://")
	var passed, sessions int
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		w.Header().Set("Content-Type", "text/html")
		host, _, _ := strings.Cut(r.Host, ":")
		switch {
		case r.URL.Path == "/robots.txt" || r.URL.Path == "/sitemap.xml":
			http.NotFound(w, r)
		case host == "api.fernhollow.example":
			if r.Header.Get("Authorization") == "Bearer "+secrets["token"] {
				passed++
			}
			fmt.Fprint(w, "<title>The garden's records</title>")
		case r.URL.Path == "/login" && r.Method == http.MethodPost:
			if r.FormValue("pass") == secrets["members"] {
				sessions++
				http.SetCookie(w, &http.Cookie{Name: "session", Value: "s-8c1f77e0b4"})
				w.Header().Set("X-Debug", "you sent a password") // it is not echoed: a page's content is the site's own
			}
			http.Redirect(w, r, "/", http.StatusSeeOther)
		case r.URL.Path == "/login":
			fmt.Fprint(w, `<form method=post><input name=user><input type=password name=pass></form>`)
		case r.URL.Path == "/away":
			http.Redirect(w, r, "http://other.example/landing", http.StatusFound)
		default:
			_, pass, _ := r.BasicAuth()
			if pass == secrets["staging"] {
				passed++
			}
			if k, err := r.Cookie("session"); err == nil && k.Value == "s-8c1f77e0b4" {
				fmt.Fprint(w, `<title>Members</title>Hello Anna <a href="/away">a</a> <a href="http://other.example/x">b</a> <a href="/logout">log out</a> <a href="http://api.fernhollow.example/">c</a> <img src="http://other.example/i.png">`)
				return
			}
			http.Redirect(w, r, "/login", http.StatusFound)
		}
	}))
	s := newShell(t)
	log := s.startVerbose()
	s.ok("site add fernhollow http://fernhollow.example/ --allow 127.0.0.0/8")
	s.ok("watch front fernhollow --off") // which uses secrets, too
	// A secret holds for the network that it is given under.
	s.ok("plan set fernhollow --host fernhollow.example=" + garden + " --host api.fernhollow.example=" + garden +
		" --host other.example=" + abroadAt)
	var out bytes.Buffer
	keep := func(text string) { out.WriteString(text) }
	for name, value := range secrets {
		args := []string{"--data", s.data, "secret", "set", "fernhollow", name}
		if name == "token" {
			args = append(args, "--host", "api.fernhollow.example")
		}
		c := exec.Command(s.binary, args...)
		c.Stdin = strings.NewReader(value + "\n")
		answer, err := c.CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %v", answer, err)
		}
		keep(string(answer))
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	if err := os.WriteFile(plan, []byte(`
outbound: true
scope: {hosts: [api.fernhollow.example]}
hosts: {fernhollow.example: "`+garden+`", api.fernhollow.example: "`+garden+`", other.example: "`+abroadAt+`"}
gates:
  - {kind: basic, user: anna, secret: staging}
  - {kind: form, address: /login, fields: {user: anna, pass: "secret:members"}, proof: Hello Anna}
  - {kind: bearer, host: api.fernhollow.example, secret: token}
`), 0o600); err != nil {
		t.Fatal(err)
	}
	keep(s.ok("plan set fernhollow -f "+plan, "secret:members"))
	keep(s.ok("plan preview fernhollow"))
	keep(s.ok("crawl fernhollow", "health"))
	for _, command := range []string{
		"secret list fernhollow", "plan show fernhollow --json", "crawl list fernhollow --json",
		"pages fernhollow --json", "pages fernhollow --csv",
		"resources fernhollow --json", "fixes fernhollow --json", "page fernhollow / --json",
		"page fernhollow /away --json", "crawl left fernhollow --json",
		"crawl left fernhollow --state left-out --json", "health fernhollow --json", "site show fernhollow --json",
	} {
		keep(s.ok(command))
	}
	// The plan leads the host elsewhere than when its secrets were given: a crawl, and a preview of such a
	// plan, do not open them.
	thief := testkit.Serve(t, http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("the thief was reached") }))
	for _, other := range []string{"hosts: {fernhollow.example: \"" + thief + "\"}", "proxy: http://" + thief + "/"} {
		changed := filepath.Join(t.TempDir(), "plan.yaml")
		if err := os.WriteFile(changed, []byte(other+"\ngates: [{kind: basic, user: anna, secret: staging}]\n"),
			0o600); err != nil {
			t.Fatal(err)
		}
		for _, command := range []string{"plan preview fernhollow -f " + changed} {
			_, talk, code := s.run(strings.Fields(command)...)
			if code == 0 || !strings.Contains(talk, "give it again") {
				t.Errorf("harvik %s, with %s: %d %s", command, other, code, talk)
			}
			keep(talk)
		}
	}
	keep(s.ok("secret uses fernhollow staging", "crawl 1", "a preview", "owner"))
	keep(s.ok("secret list fernhollow", "crawl 1"))
	// The plan sends a secret to the wrong host, and then to one where it does not work.
	s.ok(`plan set fernhollow gates=[{"kind":"bearer","secret":"token"}]`)
	_, talk, code := s.run("crawl", "fernhollow")
	if code == 0 || !strings.Contains(talk, "is for api.fernhollow.example") {
		t.Errorf("a secret for another host: %d %s", code, talk)
	}
	keep(talk)
	s.ok(`plan set fernhollow gates=[{"kind":"form","address":"/login","fields":{"pass":"secret:staging"},"proof":"Hello"}]`)
	_, talk, code = s.run("crawl", "fernhollow")
	if code == 0 || !strings.Contains(talk, "did not work") {
		t.Errorf("a wrong password: %d %s", code, talk)
	}
	keep(talk)
	if passed < 3 || sessions == 0 {
		t.Errorf("the gates were passed %d times, %d sessions", passed, sessions)
	}
	if !strings.Contains(out.String(), "it would log the crawl out") {
		t.Error("the log-out link is not named among what was left out")
	}
	s.stop(15)
	mu.Lock()
	defer mu.Unlock()
	if !strings.Contains(abroad.String(), "/x") {
		t.Error("the other host was not asked at all")
	}
	left := map[string][]byte{"the commands": out.Bytes(), "the log": log.Bytes(),
		"requests to another host": abroad.Bytes()}
	err := filepath.WalkDir(s.data, func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			left[path], err = os.ReadFile(path)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for where, data := range left {
		for name, secret := range secrets {
			for _, form := range []string{secret, "YW5uYTp6aW5uaWEtaW4tdGhlLWZvZy03MQ", "heron%26moss%3D19",
				"s-8c1f77e0b4"} {
				if bytes.Contains(data, []byte(form)) {
					t.Errorf("the secret %s stands in %s as %q", name, where, form)
				}
			}
		}
	}
}
