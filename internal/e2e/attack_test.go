package e2e

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"

	"harvik/demo"
	"harvik/internal/testkit"
)

// memoryOf is the most that a process has had resident, in bytes.
func memoryOf(t *testing.T, pid int) int64 {
	t.Helper()
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(data)) {
		if text, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			n, err := strconv.ParseInt(strings.Fields(text)[0], 10, 64)
			if err != nil {
				t.Fatal(err)
			}
			return n << 10
		}
	}
	t.Fatal("the process tells no peak")
	return 0
}

// repeated is a document of about a size, made of a piece; %d in it is its number.
func repeated(begin, piece, end string, size int) []byte {
	var b bytes.Buffer
	b.WriteString(begin)
	for i := 0; b.Len() < size; i++ {
		b.WriteString(strings.ReplaceAll(piece, "%d", strconv.Itoa(i)))
	}
	b.WriteString(end)
	return b.Bytes()
}

// heavy are documents that are made to cost as much as they can.
var heavy = map[string][3]string{
	"anchors": {"", "<a>", ""}, "links": {"", "<a href=/l/%d>x</a>", ""},
	"headings in headings": {strings.Repeat("<h1><div>", 250), "many words ", ""},
	"links around all":     {strings.Repeat("<a href=/x><table><td>", 120), "many words ", ""},
	"paragraphs":           {"", "<p>", ""}, "one attribute": {"<p class='", "word ", "'>x"},
	"title": {"<title>", "word%d ", "</title>"}, "pictures": {"", "<img src=/i/%d.png>", ""},
	"tables in cells": {"", "<td><table>", ""},
	"misnested":       {"", "<b><i><p></b>", ""}, "character references": {"<p>", "&amp;&notit;", ""},
	"structured items": {`<script type="application/ld+json">[`, `{"@type":"Thing","name":"%d"},`, `{}]</script>`},
	"descriptions":     {"", "<meta name=description content=%d>", ""},
	"canonicals":       {"", "<link rel=canonical href=/c/%d>", ""}, "words": {"<p>", "a%d b ", ""},
	"options": {"<select>", "<option>%d", ""}, "styles": {"<style>", "a{background:url(/s/%d.png)}", "</style>"},
	"mail addresses": {"<p>", "a%d@fernhollow.example ", ""},
	"comments":       {"", "<!--%d-->", ""},
}

const megabytes = 1 << 20

// heavySite serves what is heavy, each document as an address of its own, and other large things.
func heavySite(t *testing.T) http.Handler {
	bodies := map[string][]byte{}
	var home strings.Builder
	home.WriteString("<!doctype html><title>Heavy</title>")
	for name, parts := range heavy {
		path := "/heavy/" + strings.ReplaceAll(name, " ", "-")
		bodies[path] = repeated("<!doctype html>"+parts[0], parts[1], parts[2], 20*megabytes)
		fmt.Fprintf(&home, "<a href=%s>%s</a>", path, name)
	}
	zeros := make([]byte, 400*megabytes)
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	z.Write(zeros)
	z.Close()
	var br bytes.Buffer
	w := brotli.NewWriterOptions(&br, brotli.WriterOptions{Quality: 5, LGWin: 24})
	w.Write(zeros[:100*megabytes])
	w.Close()
	var zs bytes.Buffer
	e, err := zstd.NewWriter(&zs, zstd.WithWindowSize(zstd.MaxWindowSize))
	if err != nil {
		t.Fatal(err)
	}
	e.Write(zeros[:100*megabytes])
	e.Close()
	coded := map[string]string{}
	for i := range 30 {
		for coding, data := range map[string][]byte{"gzip": packed.Bytes(), "br": br.Bytes(), "zstd": zs.Bytes()} {
			path := fmt.Sprintf("/bomb/%s-%d", coding, i)
			bodies[path], coded[path] = data, coding
			fmt.Fprintf(&home, "<a href=%s>%s</a>", path, path)
		}
	}
	for i := range 6 {
		path := fmt.Sprintf("/doc/%d.pdf", i)
		bodies[path] = pdfBomb(i)
		fmt.Fprintf(&home, "<a href=%s>%s</a>", path, path)
	}
	for _, path := range []string{"/s.css", "/s.js"} {
		bodies[path] = repeated("", "/* %d */ a{background:url(/r/%d.png)}\n", "", 20*megabytes)
	}
	home.WriteString("<link rel=stylesheet href=/s.css><script src=/s.js></script>")
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		data, known := bodies[r.URL.Path]
		switch {
		case r.URL.Path == "/":
			w.Header().Set("Content-Type", "text/html")
			io.WriteString(w, home.String())
			return
		case !known:
			http.NotFound(w, r)
			return
		case strings.HasSuffix(r.URL.Path, ".pdf"):
			w.Header().Set("Content-Type", "application/pdf")
		case strings.HasSuffix(r.URL.Path, ".css"):
			w.Header().Set("Content-Type", "text/css")
		case strings.HasSuffix(r.URL.Path, ".js"):
			w.Header().Set("Content-Type", "text/javascript")
		default:
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
		}
		if coding := coded[r.URL.Path]; coding != "" {
			w.Header().Set("Content-Encoding", coding)
		}
		w.Write(data)
	})
}

// pdfBomb is a document whose tables claim, or unpack to, more than there is memory for.
func pdfBomb(i int) []byte {
	if i%2 == 0 {
		good := demo.PDF("Map", 3)
		return bytes.Replace(good, []byte("/Size "), []byte("/Size 200000000"), 1)
	}
	return append([]byte("%PDF-1.7\n1 0 obj\n"),
		append(bytes.Repeat([]byte("[<<"), 300_000),
			"\nendobj\ntrailer\n<</Size 3/Root 1 0 R>>\nstartxref\n0\n%%EOF\n"...)...)
}

// needsAttack keeps long proofs to `make attack`.
func needsAttack(t *testing.T) {
	t.Helper()
	if os.Getenv("HARVIK_ATTACK") == "" {
		t.Skip("long: `make attack` runs it")
	}
}

// startWithin is start under a limit of memory, in bytes, that the service's data may take.
func (s *shell) startWithin(limit int64) {
	s.t.Helper()
	s.limit = limit
	s.start()
}

// TestHeavySites: a service that may have a gibibyte crawls what was made to take more, and has most of it left.
func TestHeavySites(t *testing.T) {
	needsAttack(t)
	s := newShell(t)
	s.startWithin(1 << 30)
	pid := s.service.Process.Pid
	crawl := func(name string, h http.Handler, settings string, most int64) {
		t.Run(name, func(t *testing.T) {
			s.t = t
			host := testkit.Serve(t, h)
			s.ok("site add " + name + " http://" + host + "/ --allow 127.0.0.0/8")
			s.ok("plan set " + name + " " + settings)
			begun := time.Now()
			_, talk, code := s.run("crawl", name)
			if s.hasEnded() {
				t.Fatalf("the service ended: %s", s.logTail())
			}
			if peak := memoryOf(t, pid); peak > most {
				t.Errorf("%d MiB were resident", peak>>20)
			}
			t.Logf("exit code %d after %s, peak so far %d MiB; %s", code, time.Since(begun).Round(time.Second),
				memoryOf(t, pid)>>20, lastLine(talk))
		})
	}
	crawl("documents", heavySite(t), "pages=300 pageBytes=20971520 parallel=19 timeout=120s", 600*megabytes)
	crawl("addresses", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		n, _ := strconv.Atoi(strings.Trim(r.URL.Path, "/p"))
		if !strings.HasPrefix(r.URL.Path, "/p") && r.URL.Path != "/" {
			http.NotFound(w, r)
			return
		}
		fmt.Fprintf(w, "<title>%d</title><a href=/p%d>next</a>", n, n+1)
		for i := range 250_000 {
			fmt.Fprintf(w, "<a href=/%d-%d>x</a>", n, i)
		}
	}), "pages=5 resources=none probes=false pageBytes=20971520", 700*megabytes)
	t.Run("addresses are counted and told", func(t *testing.T) {
		s.t = t
		if out := s.ok("crawl list addresses --json"); !strings.Contains(out, `"beyond"`) ||
			!strings.Contains(out, "were not taken up") {
			t.Errorf("nothing is said of what was not taken up: %.2000s", out)
		}
	})
	crawl("outbound-addresses", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		for i := range 100_000 {
			fmt.Fprintf(w, "<a href=http://h%d.invalid/>x</a><img src=//i%d.invalid/>", i, i)
		}
	}), "pages=3 resources=inside probes=false", 700*megabytes)
	sitemaps := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/robots.txt":
			for i := range 40 {
				fmt.Fprintf(w, "Sitemap: http://%s/map%d.xml\n", r.Host, i)
			}
		case strings.HasPrefix(r.URL.Path, "/map"):
			w.Header().Set("Content-Type", "application/xml")
			io.WriteString(w, `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:xhtml="http://www.w3.org/1999/xhtml">`)
			for i := range 1000 {
				fmt.Fprintf(w, "<url><loc>http://%s%s-%d</loc>", r.Host, r.URL.Path, i)
				for l := range 200 {
					fmt.Fprintf(w, `<xhtml:link rel="alternate" hreflang="x%d" href="http://%s/%d"/>`, l, r.Host, l)
				}
				io.WriteString(w, "</url>")
			}
			io.WriteString(w, "</urlset>")
		case r.URL.Path == "/":
			w.Header().Set("Content-Type", "text/html")
			io.WriteString(w, "<title>Home</title>")
		default:
			http.NotFound(w, r)
		}
	})
	crawl("sitemaps", sitemaps, "pages=20 probes=false resources=none parallel=8", 700*megabytes)
	crawl("robots", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			w.Write(repeated("User-agent: *\n", "Disallow: /a*b*c*%d$\n", "", 60*megabytes))
			return
		}
		w.Header().Set("Content-Type", "text/html")
		io.WriteString(w, "<title>x</title><a href=/"+strings.Repeat("ab", 3000)+">x</a>")
	}), "pages=20 probes=false", 700*megabytes)
	crawl("types", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/" {
			w.Header().Set("Content-Type", "text/html")
			w.Write(repeated("<title>x</title>", "<img src=/i%d>", "", 60_000))
			return
		}
		w.Header().Set("Content-Type", "image/"+strings.Repeat("x", 50_000)+r.URL.Path[1:])
		w.Header().Set("X-Long", strings.Repeat("y", 100_000))
		w.WriteHeader(200)
	}), "pages=5 probes=false parallel=8", 700*megabytes)
	crawl("findings", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		n, _ := strconv.Atoi(strings.Trim(r.URL.Path, "/p"))
		w.Write(repeated(fmt.Sprintf("<title>x</title><a href=/p%d>n</a>", n+1),
			"<img src=/gone%d.png><a href=/x></a><h1></h1><p style='a:b' id=x>", "", 4*megabytes))
	}), "pages=60 probes=false resources=none parallel=16", 750*megabytes)
	t.Run("and it still answers", func(t *testing.T) {
		s.t = t
		s.ok("site list", "documents", "findings")
		s.ok("fixes documents --limit 5")
		s.ok("pages documents --limit 5")
	})
}

func lastLine(s string) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return lines[len(lines)-1]
}

// TestStalledClients: callers who ask for files and do not read them, who send a body and do not go on, or who
// open connections and say nothing, keep nobody from anything.
func TestStalledClients(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 400, Seed: 3})
	s.ok("site add big http://big.example/ --allow 127.0.0.0/8")
	s.ok("plan set big pages=350 probes=false --host big.example=" + garden)
	s.ok("crawl big")
	address, token := s.address(), s.token()
	var stalled []net.Conn
	defer func() {
		for _, c := range stalled {
			c.Close()
		}
	}()
	stall := func(head string) net.Conn {
		t.Helper()
		c, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		if tcp, ok := c.(*net.TCPConn); ok {
			_ = tcp.SetReadBuffer(1024) // so that little is taken in
		}
		stalled = append(stalled, c)
		io.WriteString(c, head)
		return c
	}
	get := func(path string) string {
		return "GET /api/v1" + path + " HTTP/1.1\r\nHost: " + address + "\r\nAuthorization: Bearer " + token +
			"\r\n\r\n"
	}
	for range 40 {
		stall(get("/sites/big/crawls/1/export?as=jsonl&sheets=pages,findings,every%20link%20in"))
		stall(get("/sites/big/crawls/1/fixes?limit=10000"))
	}
	for range 60 {
		stall("")
		stall("GET / HTTP/1.1\r\nHost: ")
		stall("POST /api/v1/sites/big/figures HTTP/1.1\r\nHost: " + address + "\r\nAuthorization: Bearer " + token +
			"\r\nContent-Length: 1000000\r\n\r\naddress,visits\n")
	}
	for _, command := range []string{"site list", "fixes big --limit 3", "pages big --limit 3", "health big",
		"site add more http://more.example/", "crawl list big"} {
		done := make(chan struct{})
		go func() {
			defer close(done)
			s.ok(command)
		}()
		select {
		case <-done:
		case <-time.After(25 * time.Second):
			t.Fatalf("harvik %s waits for those who do not read", command)
		}
	}
	// Too much at once is refused with a reason, not queued for ever.
	_, talk, code := s.run("export", "big", "--as", "csv", "--out", "-")
	if code == 0 || !strings.Contains(talk, "not done at once") {
		t.Errorf("another export beside those that nobody reads: %d %s", code, talk)
	}
}

// TestTwoServices: two services with data folders of their own work on one database, each with an owner's token of its
// own, if they seal secrets by the same key; what one is told, the other knows; one that is killed is no loss.
func TestTwoServices(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	first, second := newShell(t), newShell(t)
	first.env = append(os.Environ(), "HARVIK_DATABASE="+database)
	second.env = first.env
	first.start()
	first.until("the first is heard of", func() bool { return strings.Contains(first.ok("queue"), "1 worker\n") })
	out, talk, code := second.run("start", "--listen", "127.0.0.1:0")
	if code != 1 || !strings.Contains(talk, "sealed by another key") || out != "" {
		t.Errorf("a second service with another key: exit code %d, %q %q", code, out, talk)
	}
	second.startWith(new(bytes.Buffer), "--key-file", filepath.Join(first.data, "secrets.key"))
	garden := testkit.Serve(t, &testkit.Generated{Pages: 30, Seed: 1})
	first.ok("site add both http://both.example/ --allow 127.0.0.0/8")
	second.ok("plan set both probes=false --host both.example=" + garden)
	second.ok("crawl both")
	first.ok("site list", "both")
	first.ok("waive both --reason both.know --check title-*")
	second.ok("waivers both", "both.know")
	out, talk, code = second.run("recheck", "both", "--severity", "warning")
	if code != 3 || !strings.Contains(out+talk, "still there") {
		t.Errorf("a recheck: exit code %d, %s%s", code, out, talk)
	}
	first.stop(syscall.SIGKILL)
	second.ok("site list", "both")
	first.start()
	first.ok("site list", "both")
	second.ok("crawl both")
	if line := commandLine(t, first.service.Process.Pid); strings.Contains(line, "postgres://") {
		t.Errorf("the database stands in the list of processes: %s", line)
	}
}

func commandLine(t *testing.T, pid int) string {
	t.Helper()
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil {
		t.Fatal(err)
	}
	return string(bytes.ReplaceAll(data, []byte{0}, []byte{' '}))
}

// TestCrashes: a service that crashes keeps a report, and the second time the crawl that was running is put
// away; a service that was killed takes it up.
func TestCrashes(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	held := make(chan struct{})
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		select {
		case <-held:
		case <-r.Context().Done():
		}
	}))
	defer close(held)
	s.ok("site add slow http://slow.example/ --allow 127.0.0.0/8")
	s.ok("plan set slow probes=false timeout=9m --host slow.example=" + garden)
	s.ok("crawl slow --detach")
	time.Sleep(300 * time.Millisecond)
	s.stop(syscall.SIGKILL)
	s.start()
	s.ok("crawl list slow", "running")
	for range 2 {
		s.until("the crawl is taken up", func() bool { return s.crawlOf("slow", 1).Progress.Phase != "waiting" })
		s.stop(syscall.SIGABRT) // the runtime ends as for a fault of its own
		s.start()
	}
	s.ok("crawl list slow", "paused")
	if out := s.ok("crawl list slow --json"); !strings.Contains(out, "again and again") {
		t.Errorf("nothing says why it is paused: %s", out)
	}
	reports, _ := filepath.Glob(filepath.Join(s.data, "crash-*.log"))
	if len(reports) != 2 {
		t.Errorf("%d reports of crashes", len(reports))
	}
	s.ok("site list", "slow")
	if link := s.ok("link"); !strings.Contains(link, "/sign-in#") {
		t.Errorf("no link: %s", link)
	}
}

// TestLinkStaysPrivate: where standard output goes into a journal, no link that lets in goes with it.
func TestLinkStaysPrivate(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	log := s.startVerbose()
	if strings.Contains(s.said, "sign-in#") || !strings.Contains(s.said, "harvik link") {
		t.Errorf("it says %q", s.said)
	}
	s.ok("site list")
	s.stop(syscall.SIGTERM)
	if strings.Contains(log.String(), s.token()) {
		t.Error("the token stands in the log")
	}
}

// TestTokenStaysHome: the token of a data folder goes to the service of that folder and to no other, not even
// where that sends it on.
func TestTokenStaysHome(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	var got atomic.Value
	thief := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got.Store(r.Header.Get("Authorization"))
		io.WriteString(w, `{"sites": []}`)
	}))
	s.fails("--server http://"+thief+" site list", 1, "is not for the service at")
	sends := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "http://"+thief+r.URL.Path, http.StatusTemporaryRedirect)
	}))
	s.env = append(os.Environ(), "HARVIK_TOKEN="+s.token())
	s.fails("--server http://"+sends+" site list", 1, "is no Harvik service")
	if v := got.Load(); v != nil {
		t.Errorf("the thief was sent %q", v)
	}
	s.env = nil
	s.ok("--server http://" + s.address() + " site list")
}

// TestTerminal runs every command over a crawl whose site says what terminals obey, and looks for anything of
// it in what people read.
func TestTerminal(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	const evil = "\x1b[2J\x1b]52;c;aGFydmlr\x07\u009b31m\u202eevil\u2066\x7f"
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("X-Evil", "\x1b[2J"[1:])
		switch r.URL.Path {
		case "/robots.txt":
			io.WriteString(w, "User-agent: *\nDisallow: /"+evil+"\nNonsense "+evil+"\nSitemap: /map"+evil+".xml\n")
		case "/":
			fmt.Fprintf(w, "<title>%[1]s home of the garden</title><meta name=description content='%[1]s'><h1>%[1]s</h1><p>%[1]s <a href='/one'>%[1]s</a><a href='/two?%[1]s'>two</a><a href='/gone%[1]s'>%[1]s</a><a href='http://%[1]s/'>x</a><img src='/%[1]s.png' alt='%[1]s'>", evil)
		case "/one":
			fmt.Fprintf(w, "<title>%[1]s home of the garden</title><h1>%[1]s</h1><p class='%[1]s'>%[1]s", evil)
		case "/two":
			w.Header().Set("Location", "/one#"+"%1b[2J")
			w.WriteHeader(301)
		default:
			http.NotFound(w, r)
		}
	}))
	s.ok("site add evil http://evil.example/ --allow 127.0.0.0/8")
	s.ok("plan set evil --host evil.example=" + garden)
	for range 2 {
		s.run("crawl", "evil")
	}
	figures := filepath.Join(t.TempDir(), "figures.csv")
	if err := os.WriteFile(figures, []byte("address,visits,note\n/one,3,"+evil+"\n/"+evil+",4,x\n"+evil+",5,y\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	var fix string
	for line := range strings.Lines(s.ok("fixes evil --json")) {
		if text, ok := strings.CutPrefix(strings.TrimSpace(line), `"id": "`); ok && fix == "" {
			fix = strings.TrimSuffix(strings.TrimSuffix(text, ","), `"`)
		}
	}
	commands := []string{
		"site list", "site show evil", "plan show evil", "plan preview evil", "crawl list evil", "crawl left evil",
		"crawl left evil --state outside", "crawl left evil --state not-web",
		"health evil", "fixes evil", "fixes evil --order pages", "fix evil " + fix, "map evil", "pages evil",
		"pages evil --search garden", "page evil /", "page evil /one", "page evil /two",
		"resources evil", "doors evil", "layouts evil", "compare evil / /one", "look http://evil.example/",
		"take evil " + fix + " --note x", "work evil", "claim evil " + fix,
		"waive evil " + fix + " --reason fine", "waivers evil", "recheck evil " + fix, "drift evil", "trend evil",
		"gate evil --min-health 10", "metrics import evil " + figures,
		"metrics list evil", "pages evil --sort figures.visits", "secret list evil", "token list", "check list",
		"crawl evil", "judge evil", "undo evil 1",
	}
	for _, command := range commands {
		out, talk, _ := s.run(strings.Fields(command)...)
		if at := strings.IndexFunc(out+talk, func(r rune) bool {
			return r < ' ' && r != '\n' && r != '\t' || r >= 0x7f && r < 0xa0 || r >= 0x202a && r <= 0x202e ||
				r >= 0x2066 && r <= 0x2069
		}); at >= 0 {
			both := out + talk
			t.Errorf("harvik %s writes %q", command, both[max(0, at-40):min(len(both), at+40)])
		}
	}
	for _, args := range [][]string{{"fixes", evil}, {"crawl", "evil@" + evil}, {evil},
		{"plan", "set", "evil", evil + "=1"}, {"look", evil}} {
		_, talk, _ := s.run(args...)
		if strings.ContainsAny(talk, "\x1b\x07\u009b\u202e") {
			t.Errorf("a mistake with such characters is answered by %q", talk)
		}
	}
	s.ok("page evil /", "␛") // shown, not left out
}

// TestPhases: a crawl stops, pauses, ends in time and lets the service end while it reads sitemaps, which it
// asks for at the host's pace.
func TestPhases(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	var mu sync.Mutex
	var asked []time.Time
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/robots.txt":
			for i := range 500 {
				fmt.Fprintf(w, "Sitemap: http://maps.example/map%d.xml\n", i)
			}
		case strings.HasPrefix(r.URL.Path, "/map"):
			mu.Lock()
			asked = append(asked, time.Now())
			mu.Unlock()
			select {
			case <-time.After(30 * time.Millisecond):
			case <-r.Context().Done():
			}
			io.WriteString(w, "http://maps.example/a\n")
		default:
			w.Header().Set("Content-Type", "text/html")
			io.WriteString(w, "<title>The home of the maps</title>")
		}
	}))
	s.ok("site add maps http://maps.example/ --allow 127.0.0.0/8")
	s.ok("plan set maps probes=false --pause 100ms --host maps.example=" + garden)
	t.Run("at the host's pace", func(t *testing.T) {
		s.ok("crawl maps --detach")
		time.Sleep(1500 * time.Millisecond)
		mu.Lock()
		defer mu.Unlock()
		if len(asked) < 3 || len(asked) > 20 {
			t.Errorf("%d sitemaps were asked for in 1.5 s with a pause of 0.1 s", len(asked))
		}
	})
	t.Run("pause", func(t *testing.T) {
		s.ok("crawl pause maps")
		s.await("maps", "paused")
	})
	t.Run("resume, and the service ends", func(t *testing.T) {
		s.ok("crawl resume maps --detach")
		time.Sleep(300 * time.Millisecond)
		s.stop(syscall.SIGTERM) // fails where it takes a minute
		s.start()
		s.ok("crawl list maps", "running")
	})
	t.Run("stop", func(t *testing.T) {
		s.ok("crawl stop maps")
		s.await("maps", "finished")
		s.ok("crawl list maps", "stopped")
	})
	t.Run("time", func(t *testing.T) {
		s.ok("plan set maps time=1s")
		s.ok("crawl maps --detach")
		for deadline := time.Now().Add(30 * time.Second); !strings.Contains(s.ok("crawl list maps"),
			"time-limit"); time.Sleep(100 * time.Millisecond) {
			if time.Now().After(deadline) {
				t.Fatalf("it does not end: %s", s.ok("crawl list maps"))
			}
		}
	})
}

// TestAbroad: of the sitemaps that a site names on other people's hosts, a few are asked for, gently.
func TestAbroad(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	var abroad atomic.Int32
	other := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/map") {
			abroad.Add(1)
		}
		http.NotFound(w, r)
	}))
	garden := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			for i := range 200 {
				fmt.Fprintf(w, "Sitemap: http://other.example/map%d.xml\n", i)
			}
			return
		}
		w.Header().Set("Content-Type", "text/html")
		io.WriteString(w, "<title>The home of the maps</title>")
	}))
	s.ok("site add near http://near.example/ --allow 127.0.0.0/8")
	s.ok("plan set near probes=false resources=none --host near.example=" + garden + " --host other.example=" + other)
	s.ok("crawl near")
	if n := abroad.Load(); n == 0 || n > 10 {
		t.Errorf("another host was asked for %d sitemaps", n)
	}
}

// address is host:port of the service.
func (s *shell) address() string {
	s.t.Helper()
	data, err := os.ReadFile(filepath.Join(s.data, "service.address"))
	if err != nil {
		s.t.Fatal(err)
	}
	return strings.TrimPrefix(strings.TrimSpace(string(data)), "http://")
}

// token is the owner's.
func (s *shell) token() string {
	s.t.Helper()
	data, err := os.ReadFile(filepath.Join(s.data, "owner.token"))
	if err != nil {
		s.t.Fatal(err)
	}
	return strings.TrimSpace(string(data))
}

// hasEnded tells whether the service's process is gone.
func (s *shell) hasEnded() bool {
	select {
	case <-s.ended:
		return true
	default:
		return false
	}
}

func (s *shell) logTail() string {
	out := s.log.String()
	return out[max(0, len(out)-3000):]
}
