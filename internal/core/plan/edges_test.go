package plan

import (
	"fmt"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"
)

// TestEdges: what just passes, and what just does not; each fault with its place.
func TestEdges(t *testing.T) {
	entries := func(n int, one string) string {
		return "[" + strings.TrimSuffix(strings.Repeat(one+", ", n), ", ") + "]"
	}
	rule := "checks: [{check: copy-thin, because: cards are short, "
	for _, c := range []struct{ text, fault string }{
		{"robots: disregard\npermission: 1234567890", ""},
		{"robots: disregard\npermission: 123456789", "permission: robots: disregard needs"},
		{"snippets: [{name: consent, contains: abc}]", ""},
		{"snippets: [{name: consent, contains: ab}]", "line 1, column 12: snippets[0]: a snippet has a name"},
		{"snippets: [{name: \" \", contains: abc}]", "snippets[0]: a snippet has a name"},
		{"scope: {folders: " + entries(maxList, "/a") + "}", ""},
		{"scope: {folders: " + entries(maxList+1, "/a") + "}", "scope.folders: has 1001 entries; at most 1000"},
		{"language: " + strings.Repeat("a", maxSetting), ""},
		{"language: " + strings.Repeat("a", maxSetting+1), "language: has 10001 bytes; at most 10000"},
		{"language: \"a\\0b\"", "language: holds a NUL"},
		{"language: \"\\0b\"", "language: holds a NUL"},
		{"ca: " + strings.Repeat("a", maxSetting+1), "no certificate in PEM"},
		{"ca: " + strings.Repeat("a", maxPEM+1), "ca: has 200001 bytes; at most 200000"},
		{"headers: {" + strings.Repeat("a", 90) + ": \"\\0\"}", "headers." + strings.Repeat("a", 90) + ": holds"},
		{"headers: {" + strings.Repeat("a", 92) + ": \"\\0\"}", "headers." + strings.Repeat("a", 92) + ": holds"},
		{"headers: {" + strings.Repeat("a", 93) + ": \"\\0\"}", "headers." + strings.Repeat("a", 92) + "…: holds"},
		{"limits: {title-characters: 0}", ""},
		{rule + "off: true}]", ""},
		{rule + "off: true, severity: notice}]", "checks[0]: a check that is off has no severity"},
		{rule + "off: true, factor: 2}]", "checks[0]: a check that is off has no severity"},
		{rule + "off: true, limits: {title-characters: 3}}]", "checks[0]: a check that is off has no severity"},
		{rule + "limits: {title-characters: 3}}]", ""},
		{rule + "limits: {title-characters: -1}}]", "checks[0].limits.title-characters: -1 is negative"},
		{rule + "factor: 2, on: shop}]", `checks[0].on: "shop" would match nothing`},
		{rule + "factor: 2, on: /shop/*}]", ""},
		{"checks: [{check: copy-thin, off: true, because: abcde}]", ""},
		{"checks: [{check: copy-thin, off: true, because: abcd}]", "checks[0].because"},
		{"pages: 1", ""}, {"pages: 5000000", ""}, {"pages: 5000001", "pages: 5000001 is outside"},
		{"pause: 1h", ""}, {"pause: 1h1s", "pause: 1h0m1s is outside"}, {"pause: 0s", ""},
		{"timeout: 0s", "timeout: 0s is outside"}, {"pages: 0", "pages: 0 is outside 1 to 5000000; leave it out for the default, 1000"},
		{"retries: 0", "retries: 0 would mean the default, "}, {"pages: null", ""}, {"retries: null", ""}, {"perSecond: 0", ""},
		{"sources: {sitemaps: false, sitemapAt: []}", ""},
		{"sources: {links: false, sitemaps: false, addresses: [/]}", ""},
		{"sources: {links: false, sitemapAt: [/s.xml]}", ""},
		{"scope: {atMost: {/shop/*: 1}}", ""},
		{"scope: {atMost: {/shop/*: 0}}", "scope.atMost./shop/*: 0 is less than 1"},
		{"scope: {atMost: {shop: 3}}", `scope.atMost.shop: "shop" would match nothing`},
		{"scope: {parameters: {ignore: [a]}}", ""}, {"scope: {parameters: {keep: [a]}}", ""},
		{"scope: {hosts: [\"*.fernhollow.example\"]}", ""}, {"scope: {hosts: [\"https://fernhollow.example\"]}", "scope.hosts[0]"},
		{"scope: {hosts: [\"fernhollow.example:80\"]}", "scope.hosts[0]"}, {"scope: {staging: [\"a b\"]}", "scope.staging[0]"},
		{"scope: {folders: [plants]}", "scope.folders[0]"},
		{"scope: {exclude: [/" + strings.Repeat("a", maxPattern-1) + "]}", ""},
		{"scope: {exclude: [/" + strings.Repeat("a", maxPattern) + "]}", "scope.exclude[0]: a pattern has at most 2000 characters, and this one has 2001"},
		{"hosts: {a.example: 127.0.0.1}", ""}, {"hosts: {a.example: \"127.0.0.1:1\"}", ""}, {"hosts: {a.example: \"127.0.0.1:65535\"}", ""},
		{"hosts: {a.example: \"127.0.0.1:0\"}", "is no port"}, {"hosts: {a.example: \"127.0.0.1:65536\"}", "is no port"},
		{"hosts: {a.example: \"[::1]:80\"}", ""}, {"hosts: {a.example: \"::1\"}", ""}, {"hosts: {a.example: \":80\"}", "neither an IP address nor"},
		{"hosts: {a.example: \"1:2:80\"}", "neither an IP address nor"}, {"hosts: {a.example: \"b:80\"}", ""},
		{"certificate: client-1", ""}, {"certificate: Client 1", "certificate: "},
		{"proxy: http://10.0.0.1:3128", ""}, {"proxy: socks5://10.0.0.1", "proxy: "},
		{"gates: [{kind: \"\"}]", "gates[0].kind: say what kind"},
		{"gates: [{kind: basic, user: \"a:b\", secret: x}]", "gates[0].user: a user name holds no colon"},
		{"gates: [{kind: header, name: \"a b\", secret: x}]", "gates[0].name: "},
		{"gates: [{kind: bearer, secret: x, host: \"a:80\"}]", "gates[0].host: "},
		{"gates: [{kind: form, address: /in, proof: out, fields: {a: \"secret:B\"}}]", "gates[0].fields.a: "},
		{"gates: [{kind: form, address: /in, proof: out, fields: {a: \"secret:b\", c: d}}]", ""},
		{"headers: {\"a b\": c}", "headers.a b: not a header name"}, {"headers: {Host: x}", "this header is set by hosts"},
		{"headers: {Connection: close}", "this header is set by the crawl itself"}, {"headers: {X-A: b}", ""},
		{"hosts: [a]", "pairs of a name and a value are wanted"}, {"hosts: {a.example: [b]}", "hosts.a.example: a text is wanted"},
		{"pages: [1]", "pages: a whole number is wanted"}, {"scope: 3", "settings are wanted"}, {"pause: [1]", "a duration is wanted"},
		{"null", ""}, {"~", ""}, {"3", "settings are wanted"}, {"a: &x 1", "&x names a part of the text"}, {"pages: *x", "line 1"},
		{"headers: {a: " + strings.Repeat("[", maxNesting-2) + strings.Repeat("]", maxNesting-2) + "}", "a text is wanted"},
		{"headers: {a: " + strings.Repeat("[", maxNesting) + strings.Repeat("]", maxNesting) + "}", "nested more than 20 deep"},
		{"\nscope:\n  staging:\n    - a.example\n    - b c\n", "line 5, column 7: scope.staging[1]"},
		{"\nheaders:\n  x: y\n  Host: z\n", "line 4, column 9: headers.Host"},
		{"kinds: [{pages: x, kind: list}]", `kinds[0].pages: "x" would match nothing`},
		{"scope: {exclude: /" + strings.Repeat("x", 59) + "}", "write [/" + strings.Repeat("x", 59) + "]"},
		{"scope: {exclude: /" + strings.Repeat("x", 60) + "}", "write [/" + strings.Repeat("x", 59) + "…]"},
	} {
		_, err := ReadValid([]byte(c.text), Plan{}, known)
		if got := fmt.Sprint(err); (err == nil) != (c.fault == "") || !strings.Contains(got, c.fault) && err != nil {
			t.Errorf("%.100s: %.300s, want %s", c.text, got, c.fault)
		}
	}
}

// TestManyFaults tells so many of them, and that there are more.
func TestManyFaults(t *testing.T) {
	keys := func(n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "x%d: 1\n", i)
		}
		return b.String()
	}
	hosts := func(n int) string {
		return "scope: {staging: [" + strings.TrimSuffix(strings.Repeat("a b,", n), ",") + "]}"
	}
	for name, text := range map[string]func(int) string{"unknown settings": keys, "bad values": hosts} {
		for n, want := range map[int]int{maxFaults - 1: maxFaults - 1, maxFaults: maxFaults,
			maxFaults + 1: maxFaults + 1, maxFaults + 50: maxFaults + 1} {
			_, err := ReadValid([]byte(text(n)), Plan{}, known)
			faults, ok := err.(Faults)
			if !ok || len(faults) != want || (faults[len(faults)-1].Reason == "and more that is wrong") != (n > maxFaults) {
				t.Errorf("%d %s are told as %d", n, name, len(faults))
			}
		}
	}
}

// TestNearest: a word is near another where less than about half of it would have to change.
func TestNearest(t *testing.T) {
	list := []string{"pages", "parallel", "pause", "depth"}
	for word, want := range map[string]string{
		"pages": "pages", "Pagse": "pages", "pags": "pages", "ppages": "pages", "apges": "pages", "puase": "pause", "xyz": "", "dpeht": "depth", "": "",
		"htped": "", "depthdepth": "depth", strings.Repeat("p", longestWord+1): "", "gapes": "pages", "pares": "pages",
	} {
		if got := Nearest(word, list); got != want {
			t.Errorf("%q is near %q, want %q", word, got, want)
		}
	}
	long := strings.Repeat("p", longestWord)
	if got := Nearest(long, []string{long}); got != long {
		t.Errorf("the longest word is near %q", got)
	}
	if got := Meant("pags", list); got != `, did you mean "pages"?` {
		t.Errorf("meant %q", got)
	}
	if got := Meant("xyz", list); got != "" {
		t.Errorf("meant %q", got)
	}
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"", "abc", 3}, {"abc", "", 3}, {"ab", "ba", 1}, {"abc", "cba", 2}, {"abcd", "acbd", 1}, {"abab", "baba", 2}, {"kitten", "sitting", 3},
		{"ac", "ba", 2}, {"xab", "xbc", 2}} {
		if got := distance(c.a, c.b); got != c.want {
			t.Errorf("from %q to %q: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

// TestRoutes says how a plan leads to a host, and which secrets it needs where.
func TestRoutes(t *testing.T) {
	p := Plan{
		Hosts: map[string]string{
			"A.example": "127.0.0.1:80",
		}, Proxy: "http://10.0.0.1:3128", CA: "x", Certificate: "client",
		Gates: []Gate{
			{Kind: "bearer", Secret: "key", Host: "api.example"},
			{Kind: "form", Fields: map[string]string{"name": "anna", "password": "secret:login"}},
			{Kind: "basic"},
		},
	}
	for host, want := range map[string]string{
		"a.example": "at 127.0.0.1:80, through the proxy http://10.0.0.1:3128, trusting the plan's ca",
		"b.example": "as its name says, through the proxy http://10.0.0.1:3128, trusting the plan's ca",
	} {
		if got := p.Route(host); got != want {
			t.Errorf("to %s: %q", host, got)
		}
	}
	if got := (Plan{}).Route("a.example"); got != "as its name says" {
		t.Errorf("plainly: %q", got)
	}
	other := p
	other.Proxy = ""
	if p.Network("a.example") == p.Network("b.example") || p.Network("b.example") == other.Network("b.example") ||
		p.Network("A.EXAMPLE") != p.Network("a.example") {
		t.Error("networks are told apart wrongly")
	}
	if got := fmt.Sprint(p.Secrets()); got != "map[client: key:api.example login:]" {
		t.Errorf("secrets %s", got)
	}
	if got := (Plan{Gates: []Gate{{Kind: "basic"}}}).Secrets(); len(got) > 0 {
		t.Errorf("secrets of none: %v", got)
	}
	for kind, want := range map[string]bool{"form": true, "cookie": true, "basic": false, "header": false} {
		if got := (Plan{Gates: []Gate{{Kind: kind}}}).HoldsSession(); got != want {
			t.Errorf("a gate of kind %s holds a session: %v", kind, got)
		}
	}
	if !(Plan{Gates: []Gate{{Kind: "header", Name: "cookie"}}}).HoldsSession() {
		t.Error("a header Cookie holds no session")
	}
}

// TestCheckPatterns names the list that holds a pattern which cannot be read.
func TestCheckPatterns(t *testing.T) {
	for field, p := range map[string]Plan{
		"":              {Scope: Scope{Include: []string{"/a", "*b", "https://c/*", "re:^x"}, AtMost: map[string]int{"/d": 1}}},
		"scope.include": {Scope: Scope{Include: []string{"a"}}},
		"scope.exclude": {Scope: Scope{Exclude: []string{"/a", "re:("}}},
		"scope.atMost":  {Scope: Scope{AtMost: map[string]int{"\xff": 1}}},
	} {
		if err := p.CheckPatterns(); (err == nil) != (field == "") ||
			err != nil && !strings.HasPrefix(err.Error(), field+": ") {
			t.Errorf("%s: %v", field, err)
		}
	}
}

// TestDifferences: a plan as text is what it was made from, without what is by default or empty.
func TestDifferences(t *testing.T) {
	text := "pages: 7\nscope:\n  exclude: [/x]\nlimits: {title-characters: 3}\n"
	p, err := Read([]byte(text), Plan{})
	if err != nil {
		t.Fatal(err)
	}
	made, err := yaml.Marshal(Differences(p))
	if err != nil {
		t.Fatal(err)
	}
	if want := "scope:\n    exclude:\n        - /x\npages: 7\nlimits:\n    title-characters: 3\n"; string(
		made,
	) != want {
		t.Errorf("as text:\n%s\nwant\n%s", made, want)
	}
	shown, err := yaml.Marshal(Shown(p))
	if err != nil || !strings.Contains(string(shown), "pages: 7\n") || !strings.Contains(string(shown), "timeout: ") ||
		strings.Contains(string(shown), "include") || strings.Contains(string(shown), "gates") {
		t.Errorf("filled in (%v):\n%s", err, shown)
	}
}

// TestSmallest: texts up to a size are read.
func TestSmallest(t *testing.T) {
	if err := small([]byte(strings.Repeat("x", MaxBytes))); err != nil {
		t.Errorf("the largest text: %v", err)
	}
	if err := small([]byte(strings.Repeat("x", MaxBytes+1))); err == nil {
		t.Error("a larger one is read")
	}
	if err := small([]byte(strings.Repeat("\n", maxPieces))); err != nil {
		t.Errorf("as many lines as are read: %v", err)
	}
	if err := small([]byte(strings.Repeat("\n", maxPieces+1))); err == nil {
		t.Error("more are read")
	}
}
