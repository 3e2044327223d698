package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// TestDoors sends what nothing behind the door can do anything with: it is refused there, with what and where.
func TestDoors(t *testing.T) {
	t.Parallel()
	h := small(t)
	const crawl = "/sites/small/crawls/2"
	long := strings.Repeat("x", 20_000)
	aliases := "a: &a [x,x,x,x,x,x,x,x,x]\n"
	for i := range 8 {
		aliases += fmt.Sprintf("%c: &%c [*%c,*%c,*%c,*%c,*%c,*%c,*%c,*%c]\n", 'b'+i, 'b'+i, 'a'+i, 'a'+i, 'a'+i, 'a'+i,
			'a'+i, 'a'+i, 'a'+i, 'a'+i)
	}
	fix := h.anyFix(t)
	for _, c := range []struct {
		name, method, path, body string
		status                   int
		says                     string
	}{
		{"NUL in a path", "GET", "/sites/a%00b", "", 400, "NUL"},
		{"no UTF-8 in a path", "GET", "/sites/a%ffb", "", 400, "UTF-8"},
		{"NUL in a query", "GET", crawl + "/fixes?search=%00", "", 400, "NUL"},
		{"no UTF-8 in a query", "GET", crawl + "/pages?search=%ff%fe", "", 400, "UTF-8"},
		{"no UTF-8 in a name", "GET", crawl + "/pages?%ff=1", "", 400, "UTF-8"},
		{"a semicolon", "GET", crawl + "/pages?search=a;limit=5", "", 400, "holds a semicolon"},
		{"a broken escape", "GET", crawl + "/pages?search=%zz", "", 400, "query cannot be read"},
		{"NUL first in a query", "GET", crawl + "/pages?%00=a", "", 400, "NUL"},
		{"a long parameter", "GET", crawl + "/pages?search=" + long, "", 400, "at most"},
		{"a parameter too long by one", "GET", crawl + "/page?address=/" + long[:16<<10], "", 400, "at most 16384"},
		{"a parameter as long as can be", "GET", crawl + "/page?address=/" + long[:16<<10-1], "", 404,
			"does not know"},
		{"a search too long by one", "GET", crawl + "/pages?search=" + long[:501], "", 422, "at most 500"},
		{"a search as long as can be", "GET", crawl + "/pages?search=" + long[:500], "", 200, ""},
		{"a large number of a crawl", "GET", "/sites/small/crawls/99999999999", "", 404, "number"},
		{"a huge number of a crawl", "GET", "/sites/small/crawls/" + strings.Repeat("9", 40), "", 404, "number"},
		{"a large number of a recheck", "GET", crawl + "/rechecks/99999999999", "", 404, "number"},
		{"a large number of a waiver", "DELETE", "/sites/small/waivers/" + strings.Repeat("9", 30), "", 404, "number"},
		{"a waiver that is not there", "DELETE", "/sites/small/waivers/9223372036854775807", "", 404, "no waiver"},
		{"a credential that is not there", "DELETE", "/credentials/9223372036854775807", "", 404, "nobody is let in"},
		{"a large limit", "GET", crawl + "/pages?limit=99999999999999999999", "", 422, "limit"},
		{"a negative after", "GET", crawl + "/addresses?after=-1", "", 422, "after"},
		{"a large after", "GET", crawl + "/addresses?after=2147483648", "", 422, "after"},
		{"a large status", "GET", crawl + "/pages?status=99999999999", "", 422, "status"},
		{"a status with more", "GET", crawl + "/pages?status=200%20or%201=1", "", 422, "status"},
		{"a condition with a number that is none", "GET", crawl + "/pages?having=visits%3E=" + strings.Repeat("9", 500),
			"", 422, ""},
		{"a place in a list that is no number", "GET", crawl + "/pages?after=x", "", 422, "after"},
		{"a place in a list before its start", "GET", crawl + "/pages?after=-1", "", 422, "after"},
		{"a place in a list behind its end", "GET", crawl + "/pages?after=2147483647&sort=title", "", 200, ""},
		{"a filter that is code", "GET", crawl + "/pages?kind=" + url.QueryEscape(`x" || true || "`), "", 200,
			`"total":0`},
		{"a search that is code", "GET", crawl + "/pages?search=" + url.QueryEscape("\\\") || true || (\"\n`'"), "", 200,
			`"total":0`},
		{"an address of no kind", "GET", crawl + "/page?address=http://%5B", "", 422, "address"},
		{"an address with NUL", "GET", crawl + "/page?address=/%00", "", 400, "NUL"},
		{"a long address", "GET", crawl + "/page?address=/" + long[:9000], "", 404, "does not know"},

		{"no UTF-8 in a body", "POST", "/sites", "{\"name\": \"x\xff\"}", 422, "UTF-8"},
		{"NUL in a body", "POST", "/sites/small/waivers", `{"scope":"check","check":"copy-thin","reason":"a\u0000b"}`,
			422, "reason holds a NUL"},
		{"NUL in a name", "POST", "/sites", `{"name":"x\u0000","home":"http://x.example/"}`, 422, "NUL"},
		{"two bodies", "POST", "/sites", `{"name":"x1","home":"http://x.example/"} {}`, 422, "more than one"},
		{"a large body", "POST", "/sites", `{"name":"` + strings.Repeat("x", 2<<20) + `"}`, 413, "at most"},
		{"a deep body", "POST", "/sites", strings.Repeat(`{"plan":`, 20_000), 422, "JSON"},
		{"a number out of range", "POST", "/sites/small/crawls", `{"pages": 1e99}`, 422, "JSON"},
		{"a version out of range", "POST", "/sites/small/fixes",
			`{"fixes":[{"fix":"` + fix + `","version":99999999999999999999}],"to":"taken"}`, 422, "JSON"},
		{"a version of the future", "POST", "/sites/small/fixes",
			`{"fixes":[{"fix":"` + fix + `","version":7}],"to":"taken"}`, 200, "no such version"},
		{"a version of nobody", "POST", "/sites/small/fixes",
			`{"fixes":[{"fix":"` + fix + `","version":-1}],"to":"taken"}`, 200, "no such version"},
		{"a fix with NUL", "POST", "/sites/small/fixes", `{"fixes":[{"fix":"\u0000"}],"to":"taken"}`, 422,
			"fixes[0].fix holds a NUL"},
		{"a name in a body with NUL", "POST", crawl + "/gate", `{"max":{"\u0000":1}}`, 422,
			"max or a name in it holds a NUL"},
		{"a long note", "POST", "/sites/small/fixes", `{"fixes":[{"fix":"` + fix + `"}],"note":"` + long + `"}`, 422,
			"note has"},
		{"a long name", "POST", "/sites/small/fixes", `{"fixes":[{"fix":"` + fix + `"}],"assignee":"` + long + `"}`,
			422, "assignee has"},
		{"a name of who does it", "POST", "/sites/small/rechecks", `{"fixes":["` + fix + `"],"by":"ash"}`, 422, "unknown field"},
		{"a long reason", "POST", "/sites/small/waivers", `{"scope":"check","check":"copy-thin","reason":"` + long +
			`"}`, 422, "reason has"},
		{"a day of no year", "POST", "/sites/small/fixes", `{"fixes":[{"fix":"` + fix + `"}],"due":"99999-01-01"}`, 422,
			"no day"},
		{"a waiver that does not compile", "POST", "/sites/small/waivers",
			`{"scope":"pattern","check":"copy-thin","on":"re:/plants/(a|b","reason":"x"}`, 422,
			"not a regular expression"},
		{"a waiver that is too much", "POST", "/sites/small/waivers",
			`{"scope":"pattern","on":"re:(a{1000}){1000}","reason":"x"}`, 422, "not a regular expression"},
		{"a waiver that matches nothing", "POST", "/sites/small/waivers",
			`{"scope":"pattern","on":"plants","reason":"x"}`, 422, "would match nothing"},
		{"a batch of no fix", "POST", "/sites/small/undo", `{"batch": 9223372036854775807}`, 404, "nothing was done"},

		{"aliases in a plan", "PUT", "/sites/small/plan", aliases, 422, "names a part of the text"},
		{"an alias in a plan", "PATCH", "/sites/small/plan", "headers: {a: &x b, c: *x}", 422, "leave it out"},
		{"a deep plan", "PUT", "/sites/small/plan", strings.Repeat("[", 5000), 422, ""},
		{"a deep plan in lines", "PUT", "/sites/small/plan", strings.Repeat("- ", 3000) + "x", 422, "nested"},
		{"a plan of commas", "PUT", "/sites/small/plan", "scope: {exclude: [" + strings.Repeat("a,", 600_000) + "a]}",
			422, "at most"},
		{"a plan of faults", "PUT", "/sites/small/plan", "scope: {exclude: [" + strings.Repeat("a,", 900) + "a]}", 422,
			"and more that is wrong"},
		{"a plan of unknown settings", "PUT", "/sites/small/plan", repeatedText("s%d: 1\n", 5000), 422,
			"and more that is wrong"},
		{"a plan with a list too long", "PUT", "/sites/small/plan", "scope: {exclude: [" + strings.Repeat("/a,", 1500) +
			"/a]}", 422, "at most 1000"},
		{"a plan with a text too long", "PUT", "/sites/small/plan", "agent: " + strings.Repeat("a", 20_000), 422,
			"at most 10000"},
		{"a plan with NUL", "PUT", "/sites/small/plan", `{"agent":"a\u0000b"}`, 422, "NUL"},
		{"a plan that is no UTF-8", "PUT", "/sites/small/plan", "agent: \xff\xfe", 422, ""},
		{"two plans", "PUT", "/sites/small/plan", "pages: 3\n---\npages: 4", 422, "more than one plan"},
		{"a preview of such a plan", "POST", "/sites/small/plan/preview", aliases, 422, "names a part"},
		{"a nought", "PATCH", "/sites/small/plan", "pages: 0", 422, "leave it out"},

		{"figures with a heading in NUL", "POST", "/sites/small/figures", "address,vis\x00its\n/a,1\n", 422,
			"readable"},
		{"figures with a long heading", "POST", "/sites/small/figures", "address," + long + "\n/a,1\n", 422,
			"at most 100"},
		{"figures without an end of line", "POST", "/sites/small/figures",
			"address,n\n\"" + strings.Repeat("x\n", 1<<20), 422, "quotation mark"},
		{"figures of too many columns", "POST", "/sites/small/figures",
			"address," + repeatedText("n%d,", 100) + "m\n/a,1\n", 422, "at most 64"},
		{"figures that are no text", "POST", "/sites/small/figures", "address,n\n/\xff\xfe,1\n/b,2\n", 200,
			"is no address"},
		{"figures of numbers that are none", "POST", "/sites/small/figures", "address,n\n/a,1e999\n/b,-\n", 200,
			"text"},

		{"an allowance of everything", "POST", "/sites/small/allowances", `{"range":"0.0.0.0/0"}`, 422, "wider than"},
		{"an allowance of everything, too", "POST", "/sites/small/allowances", `{"range":"::/0"}`, 422, "wider than"},
		{"an allowance of an address too many", "POST", "/sites/small/allowances", `{"range":"10.0.0.0/7"}`, 422,
			"wider than"},
		{"an allowance of the largest network", "POST", "/sites/small/allowances", `{"range":"10.0.0.0/8"}`, 200,
			"10.0.0.0/8"},
		{"its end", "DELETE", "/sites/small/allowances?range=10.0.0.0/8", "", 204, ""},
		{"its end once more", "DELETE", "/sites/small/allowances?range=10.0.0.0/8", "", 404, "an allowance of"},
		{"an allowance of the largest network of the sixth version", "POST", "/sites/small/allowances",
			`{"range":"fc00::/7"}`, 200, "fc00::/7"},
		{"an allowance of twice that", "POST", "/sites/small/allowances", `{"range":"fc00::/6"}`, 422, "wider than"},
		{"an allowance of a name", "POST", "/sites/small/allowances", `{"range":"localhost"}`, 422, "no range"},
		{"an allowance of a zone", "POST", "/sites/small/allowances", `{"range":"fe80::1%eth0"}`, 422, "no range"},
		{"a token named as the owner's", "POST", "/credentials", `{"label":"owner"}`, 422, "is not"},
		{"a ticket for elsewhere", "POST", "/tickets", `{"address":"http://elsewhere.example/api/v1/sites"}`, 422,
			"one of this API"},
		{"a ticket for the console", "POST", "/tickets", `{"address":"/sites/small"}`, 422, "one of this API"},
		{"a ticket for a ticket", "POST", "/tickets", `{"address":"/api/v1/sites?ticket=x"}`, 422, "one of this API"},
		{"a look at no address", "POST", "/look", `{"address":"file:///etc/passwd"}`, 422, "no web address"},
		{"a look at a script", "POST", "/look", `{"address":"javascript:alert(1)"}`, 422, "no web address"},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, _, answer := h.ask(t, c.method, c.path, c.body)
			if status != c.status || !strings.Contains(answer, c.says) {
				t.Errorf("%s %.60s: %d %.300q, want %d %q", c.method, c.path, status, answer, c.status, c.says)
			}
		})
	}
	if _, err := h.ListSites(t.Context()); err != nil {
		t.Errorf("after all this the list of sites: %v", err)
	}
}

func repeatedText(piece string, n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.ReplaceAll(piece, "%d", fmt.Sprint(i)))
	}
	return b.String()
}

// anyFix is a fix of the small site.
func (h *harvik) anyFix(t *testing.T) string {
	t.Helper()
	list, err := h.ListFixes(t.Context(), "small", api.Latest, &api.ListFixesParams{Limit: 1})
	if err != nil || len(list.Fixes) == 0 {
		t.Fatalf("no fix (%v)", err)
	}
	return list.Fixes[0].ID
}

// ask makes a request as the owner, to a path as it is written, and gives status, type and body.
func (h *harvik) ask(t *testing.T, method, path, body string) (status int, kind, answer string) {
	t.Helper()
	req, err := http.NewRequest(method, h.url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.URL.Opaque = strings.TrimPrefix(h.url, "http:") + "/api/v1" + path
	req.Header.Set("Authorization", "Bearer "+h.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	out, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, resp.Header.Get("Content-Type"), string(out)
}

// TestSameImport hands the same figures in three times at once, and more: all of it holds, once.
func TestSameImport(t *testing.T) {
	t.Parallel()
	h := small(t)
	var rows strings.Builder
	rows.WriteString("address,visits,=evil\n")
	for i := range 20_000 {
		fmt.Fprintf(&rows, "/page-%d/,%d,x\n", i, i)
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	statuses := map[int]int{}
	for range 6 {
		wg.Go(func() {
			status, _, _ := h.ask(t, "POST", "/sites/small/figures?taken=2026-11-01", rows.String())
			mu.Lock()
			statuses[status]++
			mu.Unlock()
		})
	}
	wg.Wait()
	if statuses[200] < 2 || statuses[200]+statuses[429] != 6 {
		t.Errorf("six imports at once: %v", statuses)
	}
	out, err := h.ImportFigures(t.Context(), "small", &api.ImportFiguresParams{Taken: "2026-11-01"}, "text/csv",
		strings.NewReader(rows.String()))
	if err != nil || out.Rows != 20_000 {
		t.Fatalf("%+v (%v)", out.Rows, err)
	}
	sets, err := h.ListFigures(t.Context(), "small")
	if err != nil || len(sets.Figures) != 2 || sets.Figures[0].Rows != 20_000 {
		t.Errorf("%+v (%v)", sets, err)
	}
	var csv strings.Builder
	file, err := h.ExportCrawl(t.Context(), "small", api.Latest, &api.ExportCrawlParams{As: "csv", Sheets: "pages"})
	if err != nil {
		t.Fatal(err)
	}
	defer file.Body.Close()
	if _, err := io.Copy(&csv, file.Body); err != nil {
		t.Fatal(err)
	}
	if head, _, _ := strings.Cut(csv.String(), "\r\n"); !strings.Contains(head, ",'=evil") {
		t.Errorf("the headings are %s", head)
	}
}

// TestAtOnce: of what takes long, so much is done at once and no more, for each caller.
func TestAtOnce(t *testing.T) {
	t.Parallel()
	h := startBeside(t, http.NotFoundHandler())
	held := make(chan struct{})
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		select {
		case <-held:
		case <-r.Context().Done():
		}
	}))
	h.addSite(t, "slow", "http://"+host+"/", plan.Plan{Timeout: plan.Duration(time.Minute)})
	var wg sync.WaitGroup
	results := make(chan int, 20)
	for range 10 {
		wg.Go(func() {
			status, _, _ := h.ask(t, "POST", "/sites/slow/plan/preview", "")
			results <- status
		})
	}
	for range 8 { // two of one caller are under way
		if status := <-results; status != http.StatusTooManyRequests {
			t.Errorf("a preview beside two others of the same caller: %d", status)
		}
	}
	other, err := h.AddToken(t.Context(), api.TokenWish{Label: "other"})
	if err != nil {
		t.Fatal(err)
	}
	wg.Go(func() { _, _ = api.New(h.url, other.Token).PreviewPlan(t.Context(), "slow", "", http.NoBody) })
	close(held)
	wg.Wait()
}

// TestCredentials: tokens are listed, named and revoked; a stream ends with its credential; a new token of the
// owner's ends the old.
func TestCredentials(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	held := make(chan struct{})
	defer close(held)
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		select {
		case <-held:
		case <-r.Context().Done():
		}
	}))
	h.addSite(t, "slow", "http://"+host+"/", plan.Plan{Timeout: plan.Duration(time.Minute), Probes: plan.No()})
	if _, err := h.StartCrawl(t.Context(), "slow", api.NewCrawl{}); err != nil {
		t.Fatal(err)
	}
	secret, err := h.AddToken(t.Context(), api.TokenWish{Label: "nightly"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.AddToken(t.Context(), api.TokenWish{Label: "nightly"}); err == nil ||
		!strings.Contains(err.Error(), "exists already") {
		t.Errorf("a second token of the name: %v", err)
	}
	nightly := api.New(h.url, secret.Token)
	list, err := nightly.ListCredentials(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	all := list.Credentials
	at := slices.IndexFunc(all, func(c api.Credential) bool { return c.Label == "nightly" })
	if at < 0 || !all[at].Own || all[at].Kind != "token" {
		t.Fatalf("%+v", all)
	}
	req, _ := http.NewRequestWithContext(t.Context(), "GET", h.url+"/api/v1/sites/slow/crawls/1/progress", nil)
	req.Header.Set("Authorization", "Bearer "+secret.Token)
	stream, err := http.DefaultClient.Do(req)
	if err != nil || stream.StatusCode != 200 || stream.Header.Get("Cache-Control") != "no-store" {
		t.Fatalf("%v, %v", stream, err)
	}
	defer stream.Body.Close()
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_, _ = io.Copy(io.Discard, stream.Body)
	}()
	if err := h.Revoke(t.Context(), all[at].ID); err != nil {
		t.Fatal(err)
	}
	select {
	case <-ended:
	case <-time.After(20 * time.Second):
		t.Error("a stream goes on after its token was revoked")
	}
	if _, err := nightly.ListSites(t.Context()); err == nil {
		t.Error("a revoked token is good")
	}
	if err := h.store.KeepOwner(t.Context(), "first", "seat"); err != nil {
		t.Fatal(err)
	}
	if err := h.store.KeepOwner(t.Context(), "second", "seat"); err != nil {
		t.Fatal(err)
	}
	if _, err := api.New(h.url, "first").ListSites(t.Context()); err == nil {
		t.Error("an owner's token that a new one has replaced is good")
	}
	if _, err := api.New(h.url, "second").ListSites(t.Context()); err != nil {
		t.Errorf("the new one is not: %v", err)
	}
}

// TestNames: the service answers to addresses, to localhost and to the names that it was given, and to no other:
// a name that somebody else has lead here would be the origin of that somebody's page.
func TestNames(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	port := h.url[strings.LastIndex(h.url, ":"):]
	for host, want := range map[string]int{
		"127.0.0.1" + port: 200, "localhost" + port: 200, "harvik.localhost" + port: 200, "[::1]" + port: 200,
		"LOCALHOST":           200,
		"evil.example" + port: 421, "127.0.0.1.evil.example" + port: 421, "localhost.evil.example": 421,
		"evil.example": 421, "localhost@evil.example": 421,
		"xn--lcalhost-65a" + port: 421, "": 400,
	} {
		req, err := http.NewRequest("GET", h.url+"/api/v1/sites", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Host = host
		if host == "" {
			continue // net/http's client always sends one
		}
		req.Header.Set("Authorization", "Bearer "+h.token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != want && !(want == 421 && resp.StatusCode == 400) {
			t.Errorf("asked as %q: %d, want %d", host, resp.StatusCode, want)
		}
	}
}

// TestTwoPorts signs a browser in and has it visit another server of the same host, which gets the cookie and
// can do nothing with it.
func TestTwoPorts(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	h.addGarden(t)
	var mu sync.Mutex
	var stolen []string
	thief := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		if c, err := r.Cookie("harvik_session"); err == nil {
			stolen = append(stolen, c.Value)
		}
		mu.Unlock()
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, `<title>Thief</title><p id=out>waiting</p><script>
			const ways = [
				fetch('%[1]s/api/v1/sites', {credentials: 'include'}).then(r => r.text()),
				fetch('%[1]s/api/v1/sites', {credentials: 'include', headers: {'Harvik-Session': 'x'}}).then(r => r.text()),
				fetch('%[1]s/api/v1/sites/fernhollow/crawls', {method: 'POST', credentials: 'include', mode: 'no-cors'}).then(() => 'sent'),
			];
			Promise.allSettled(ways).then(all => { document.getElementById('out').textContent = 'done: ' + all.map(a => a.value || 'refused').join(' | ') });
		</script>`, h.url)
	}))
	defer thief.Close()
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(thief.URL + "/")
	b.see("done: ")
	if text := b.text(); strings.Contains(text, "fernhollow.example") {
		t.Errorf("the page of another port reads: %s", text)
	}
	mu.Lock()
	defer mu.Unlock()
	if len(stolen) == 0 {
		t.Fatal("the other port did not even get the cookie: the test proves nothing")
	}
	for _, header := range []map[string]string{
		{}, {"Harvik-Session": ""}, {"Harvik-Session": stolen[0]}, {"Origin": h.url},
		{"Origin": h.url, "Harvik-Session": "x"}, {"Authorization": "Bearer " + stolen[0]},
	} {
		req, err := http.NewRequest("GET", h.url+"/api/v1/sites", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.AddCookie(&http.Cookie{Name: "harvik_session", Value: stolen[0]})
		for name, value := range header {
			req.Header.Set(name, value)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != http.StatusUnauthorized {
			t.Errorf("half a session with %v: %d", header, resp.StatusCode)
		}
	}
	if crawls, err := h.ListCrawls(t.Context(), "fernhollow", &api.ListCrawlsParams{Limit: 500}); err != nil ||
		len(crawls.Crawls) != 0 {
		t.Errorf("the other port's page started %d crawls (%v)", len(crawls.Crawls), err)
	}
	b.visit(h.url + "/") // and the browser itself is still signed in
	b.see("fernhollow")
}

// TestTickets: a link to a file works once, for that file.
func TestTickets(t *testing.T) {
	t.Parallel()
	h := small(t)
	file := "/api/v1/sites/small/crawls/2/export?as=csv&sheets=pages"
	ticket := func() string {
		t.Helper()
		status, _, answer := h.ask(t, "POST", "/tickets", `{"address":"`+file+`"}`)
		if status != http.StatusCreated {
			t.Fatalf("%d %s", status, answer)
		}
		_, rest, _ := strings.Cut(answer, `"address":"`)
		address, _, _ := strings.Cut(rest, `"`)
		return strings.ReplaceAll(address, `\u0026`, "&")
	}
	get := func(address string) int {
		t.Helper()
		resp, err := http.Get(h.url + address)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		_, _ = io.Copy(io.Discard, resp.Body)
		return resp.StatusCode
	}
	first := ticket()
	if got := get(first); got != 200 {
		t.Errorf("a ticket: %d", got)
	}
	if got := get(first); got != 401 {
		t.Errorf("a ticket used twice: %d", got)
	}
	if got := get(strings.Replace(ticket(), "sheets=pages", "sheets=fixes", 1)); got != 401 {
		t.Errorf("a ticket for another file: %d", got)
	}
	if got := get(strings.Replace(ticket(), "/crawls/2/export", "/crawls", 1)); got != 401 {
		t.Errorf("a ticket for another address: %d", got)
	}
}
