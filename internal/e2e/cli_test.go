package e2e

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/version"
	"harvik/internal/testkit"
)

// shell runs the binary as a process, against a service of its own.
type shell struct {
	t       *testing.T
	binary  string
	data    string
	env     []string // of commands; nil for this process's own
	in      string   // what they read on standard input
	limit   int64    // of the memory that the service's data may take, in bytes; 0 for none
	service *exec.Cmd
	ended   chan struct{}
	log     *bytes.Buffer // of the service that runs, to be read once it has ended
	said    string        // what it said on standard output when it had started
}

// built holds the programs, made once for all tests.
var built struct {
	once   sync.Once
	folder string
	err    error
}

// program is the path of harvik or play, built from what is here.
func program(t *testing.T, name string) string {
	t.Helper()
	built.once.Do(func() {
		if built.folder, built.err = os.MkdirTemp("", "harvik-programs-"); built.err != nil {
			return
		}
		build := exec.Command("go", "build", "-tags", "nomsgpack", "-trimpath", "-ldflags", "-s -w", "-o", built.folder,
			"./cmd/harvik", "./demo/play")
		build.Dir = testkit.Root(t)
		if out, err := build.CombinedOutput(); err != nil {
			built.err = fmt.Errorf("building: %w\n%s", err, out)
		}
	})
	if built.err != nil {
		t.Fatal(built.err)
	}
	return filepath.Join(built.folder, name)
}

func newShell(t *testing.T) *shell {
	t.Helper()
	data, err := os.MkdirTemp("", "harvik-cli-") // where PostgreSQL's account can reach it
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(data, 0o755); err != nil {
		t.Fatal(err)
	}
	s := &shell{t: t, binary: program(t, "harvik"), data: data}
	t.Cleanup(func() {
		s.stop(syscall.SIGTERM)
		os.RemoveAll(data)
	})
	return s
}

// start runs `harvik start` until it prints where to sign in.
func (s *shell) start() {
	s.t.Helper()
	s.startWith(new(bytes.Buffer))
}

// startVerbose is start with all there is to log, which is to be read once the service has ended.
func (s *shell) startVerbose() *bytes.Buffer {
	s.t.Helper()
	log := new(bytes.Buffer)
	s.startWith(log, "--verbose")
	return log
}

func (s *shell) startWith(log *bytes.Buffer, more ...string) {
	s.t.Helper()
	if made, err := os.ReadDir(s.data); err != nil || len(made) == 0 {
		testkit.DataFolder(s.t, s.data)
	}
	args := append([]string{"--data", s.data, "start", "--listen", "127.0.0.1:0"}, more...)
	s.service = exec.Command(s.binary, args...)
	if s.limit > 0 {
		s.service = exec.Command("bash",
			append([]string{"-c", fmt.Sprintf(`ulimit -d %d && exec "$0" "$@"`, s.limit>>10), s.binary}, args...)...)
	}
	s.service.Env, s.log = s.env, log
	s.service.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	s.service.Stderr = log
	out, err := s.service.StdoutPipe()
	if err != nil {
		s.t.Fatal(err)
	}
	if err := s.service.Start(); err != nil {
		s.t.Fatal(err)
	}
	s.ended = make(chan struct{})
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if strings.Contains(lines.Text(), "Harvik runs at") {
			lines.Scan()
			s.said = lines.Text()
			go func() {
				for lines.Scan() {
				}
				s.service.Wait()
				close(s.ended)
			}()
			return
		}
	}
	s.service.Wait()
	s.t.Fatalf("the service did not start:\n%s", log)
}

func (s *shell) stop(signal syscall.Signal) {
	if s.service == nil {
		return
	}
	_ = s.service.Process.Signal(signal)
	select {
	case <-s.ended:
	case <-time.After(60 * time.Second):
		s.t.Error("the service does not end")
		_ = s.service.Process.Kill()
	}
	s.service = nil
}

// run runs a command and gives its output and exit code.
func (s *shell) run(args ...string) (out, talk string, code int) {
	s.t.Helper()
	var stdout, stderr bytes.Buffer
	if s.data != "" {
		args = append([]string{"--data", s.data}, args...)
	}
	c := exec.Command(s.binary, args...)
	c.Env, c.Stdin = s.env, strings.NewReader(s.in)
	c.Stdout, c.Stderr = &stdout, &stderr
	if err := c.Run(); err != nil {
		exit, ok := err.(*exec.ExitError)
		if !ok {
			s.t.Fatal(err)
		}
		code = exit.ExitCode()
	}
	return stdout.String(), stderr.String(), code
}

// ok runs a command that has to succeed, and demands parts of its output.
func (s *shell) ok(command string, parts ...string) string {
	s.t.Helper()
	out, talk, code := s.run(strings.Fields(command)...)
	if code != 0 {
		s.t.Fatalf("harvik %s: exit code %d\n%s%s", command, code, out, talk)
	}
	for _, p := range parts {
		if !strings.Contains(out+talk, p) {
			s.t.Errorf("harvik %s does not say %q:\n%s%s", command, p, out, talk)
		}
	}
	return out
}

// fails runs a command that has to fail with a code and a reason.
func (s *shell) fails(command string, code int, reason string) {
	s.t.Helper()
	out, talk, got := s.run(strings.Fields(command)...)
	if got != code || !strings.Contains(talk, reason) || out != "" {
		s.t.Errorf("harvik %s: exit code %d, want %d; says %q, want %q; prints %q", command, got, code, talk, reason,
			out)
	}
}

// TestCommandLine is the consultant's way through the command line.
func TestCommandLine(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.fails("site list", 1, "start one with `harvik start`")
	s.ok("version", "harvik "+version.Number+", built", " for linux/")
	s.start()
	if info, err := os.Stat(filepath.Join(s.data, "owner.token")); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the owner's token: %v (%v)", info.Mode(), err)
	}
	p := testkit.Calm(t, demo.New(demo.Spring))
	garden := p.Hosts[demo.Host]

	s.ok("site list", "No site yet")
	s.ok("site add fernhollow "+demo.Home+" --allow 127.0.0.0/8", "fernhollow is under care", "harvik crawl fernhollow")
	s.ok("plan set fernhollow steady=true --timeout 3s --retries 1 --parallel 8 --limit title-least=14 --limit first-byte=20000 --limit first-byte-very=20000 --host fernhollow.example="+garden+" ca="+strings.ReplaceAll(strconv.Quote(p.CA), " ", "\\x20"), "timeout: 3s", "title-least: 14")
	s.ok("plan show fernhollow", "retries: 1", "agent: Harvik/")
	s.ok("crawl list fernhollow", "No crawl yet")
	s.ok("crawl fernhollow", "Crawl 1 of https://fernhollow.example/", "(588 pages)", "link-broken-inside",
		"174 more checks", "lost")
	s.ok("crawl list fernhollow", "fernhollow@1", "complete", "85.1")
	s.ok("health fernhollow@1", "kept 85.1", "◆  link-broken-inside  (links)")
	fixes := s.ok("fixes fernhollow --limit 5", "Footer link to /old-shop/ is dead",
		"188 more; --limit 193 shows them all.")
	s.ok("fixes fernhollow --severity notice --group headings", "A heading stands twice on the page")
	id := ""
	for line := range strings.Lines(fixes) {
		if strings.Contains(line, "Footer link") {
			id = strings.Fields(line)[1]
		}
	}
	s.ok("fix fernhollow "+id+" --limit 2", "How to fix",
		"https://fernhollow.example/old-shop/ answers status 404, link “Seed shop”", "434 more")
	for line := range strings.Lines(s.ok("fixes fernhollow --check variant-paths-open")) {
		if strings.Contains(line, "One page at addresses") {
			s.ok("fix fernhollow "+strings.Fields(line)[1], "What comes of it, and goes with it: ",
				"title-duplicate (4 pages)")
		}
	}
	s.ok("pages fernhollow --status 5xx", "/events/box-office/", "/members/renew/", "502")
	s.ok("pages fernhollow --indexable no", "why", "noindex in meta", "canonical names", "/gallery/")
	s.ok("pages fernhollow --reachable no", "found by", "/visit/quarry/", "sitemap")
	s.ok("pages fernhollow --limit 1 --columns address,canonical,links-in --csv", "address,canonical,links in",
		"https://fernhollow.example/,https://fernhollow.example/,")
	s.fails("pages fernhollow --columns adress", 1, `did you mean "address"?`)
	s.fails("pages fernhollow --reachable maybe", 1, "yes or no")
	s.fails("pages fernhollow --sort findings", 1, "findings")
	s.ok("pages fernhollow --sort -errors --limit 3", "630 more")
	s.ok("page fernhollow /shop/orchard-tea-towel/", "Headings in order", "h1 = h2", "after 2 redirects back at",
		"from 3 pages")
	s.ok("page fernhollow /shop/basket/", "blocked", "line 3 of robots.txt")
	s.ok("check list", "title-missing", "page has no title")
	s.ok("check show title-long", "threshold title-pixels: 580 pixels")
	draft := filepath.Join(t.TempDir(), "draft.html")
	if err := os.WriteFile(draft, []byte("<!doctype html><html lang=en><title>Fern</title><h1>Ferns</h1><h3>Care</h3>"),
		0o644); err != nil {
		t.Fatal(err)
	}
	s.ok("look "+draft+" --as https://fernhollow.example/draft/", "In a list of results, on a telephone",
		"fernhollow.example › draft", "title-short", "are not judged")
	latin := filepath.Join(t.TempDir(), "latin.html")
	if err := os.WriteFile(latin, []byte("<meta charset=iso-8859-1><title>Caf\xe9 at the gate of the garden</title>"),
		0o644); err != nil {
		t.Fatal(err)
	}
	s.ok("look "+latin, "Café at the gate of the garden")
	s.ok("check try title-short "+draft, "Its threshold title-least is 15 characters.", "It fails.")
	s.ok("check try title-duplicate "+draft, "one page is not enough to know", "It is not judged.")
	s.ok("layouts fernhollow", "https://fernhollow.example/plants/", "layouts")
	s.ok("compare fernhollow /plants/narcissus-poeticus/ /plants/narcissus-cyclamineus/",
		"% of the five-word runs are in both", "A  ", "poeticus")
	s.ok("judge fernhollow", "judged anew: health 85.")
	s.ok("fixes fernhollow --order pages --limit 2", "more; --limit")
	s.ok("link", "/sign-in#")

	rows, err := csv.NewReader(strings.NewReader(s.ok("fixes fernhollow --csv"))).ReadAll()
	if err != nil || len(rows) != 194 || rows[1][4] != "link-broken-inside" {
		t.Errorf("fixes as CSV: %d rows (%v)", len(rows), err)
	}
	rows, err = csv.NewReader(strings.NewReader(s.ok("pages fernhollow --csv"))).ReadAll()
	if err != nil || len(rows) != 634 {
		t.Errorf("pages as CSV: %d rows (%v)", len(rows), err)
	}
	for _, command := range []string{
		"site list", "site show fernhollow", "plan show fernhollow", "crawl list fernhollow", "health fernhollow",
		"fixes fernhollow",
		"fix fernhollow " + id, "pages fernhollow", "page fernhollow /", "layouts fernhollow", "check list",
		"check show title-long",
	} {
		if out := s.ok(command + " --json"); !json.Valid([]byte(out)) {
			t.Errorf("harvik %s --json writes no JSON: %.200s", command, out)
		}
	}

	s.fails("fxes fernhollow", 2, "Did you mean this?")
	s.fails("site lst", 2, `did you mean "list"?`)
	s.fails("site add fernhollow", 2, "ADDRESS is missing")
	s.fails("site add pause http://fernhollow.example/", 2, "choose another name")
	s.fails("crawl a b", 2, "one word too many")
	s.fails("fixes fernhollow@x", 2, "write SITE or SITE@NUMBER")
	s.fails("fixes fernhollow --colour", 2, "there is no option --colour")
	s.fails("fixes fernhollow@7", 1, "crawl 7 of the site fernhollow does not exist")
	s.fails("health nobody", 1, `there is no site "nobody"`)
	s.fails("compare fernhollow / /shop/basket/", 1, "is no page that was read")
	s.fails("look nowhere.html", 1, "neither an address with http:// or https:// nor a file")
	s.fails("check try title-log "+draft, 1, "there is no check")
	s.fails("fixes fernhollow --order size", 1, "order of fixes")
	s.fails("check show title-log", 1, `did you mean "title-long"?`)
	s.fails("plan set fernhollow --parallel 1000", 1, "parallel: 1000 is outside 1 to 64")
	s.fails("start --listen 127.0.0.1:0", 1, "another service uses the data folder")

	s.ok("crawl remove fernhollow@1", "Crawl 1 of fernhollow is deleted.")
	s.ok("crawl list fernhollow", "No crawl yet")
	s.fails("fixes fernhollow@1", 1, "crawl 1 of the site fernhollow does not exist")
}

// TestDemo runs what `make demo` runs, once through and with mistakes.
func TestDemo(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	play := program(t, "play")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"-edition", "autumn"}, 1, "there is no edition"},
		{[]string{"-harvik", "/bin/false"}, 1, "the service did not start"},
		{[]string{"-harvik", s.binary, "-edition", "summer"}, 0, "shows them all"},
	} {
		out, err := exec.Command(play, append([]string{"-once", "-data", s.data}, c.args...)...).CombinedOutput()
		code := 0
		if exit, ok := err.(*exec.ExitError); ok {
			code = exit.ExitCode()
		}
		if code != c.code || !strings.Contains(string(out), c.says) {
			t.Errorf("play %v: exit code %d, want %d; says\n%s", c.args, code, c.code, out)
		}
	}
}

// TestNothingSeen crawls sites that let nothing be seen: the command fails, and says why.
func TestNothingSeen(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" && r.Host == "closed.example" {
			fmt.Fprint(w, "User-agent: *\nDisallow: /\n")
			return
		}
		http.NotFound(w, r)
	}))
	for name, says := range map[string]string{"closed": "Line 2 of robots.txt shuts the start address out",
		"missing": "status 404"} {
		s.ok("site add " + name + " http://" + name + ".example/ --allow 127.0.0.0/8")
		s.ok("plan set " + name + " probes=false retries=-1 --host " + name + ".example=" + garden)
		out, talk, code := s.run("crawl", name)
		if code != 1 || !strings.Contains(talk, says) ||
			!strings.Contains(out, "health none: no page could be assessed") {
			t.Errorf("crawl %s: exit code %d, says %q, prints %q", name, code, talk, out)
		}
		preview := map[string]string{"closed": "cannot be told: no page answered",
			"missing": "the home page does not answer as a page (status 404)"}
		s.ok("plan preview "+name, "Before you start", preview[name])
		if out, talk, code := s.run("crawl", name, "--json"); code != 1 || !strings.Contains(talk, says) ||
			!json.Valid([]byte(out)) {
			t.Errorf("crawl %s --json: exit code %d, says %q, prints %q", name, code, talk, out)
		}
	}
}
