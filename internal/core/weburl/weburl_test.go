package weburl

import (
	"bufio"
	"os"
	"regexp"
	"strings"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
)

func TestResolve(t *testing.T) {
	f, err := os.Open("testdata/resolve.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	for n := 1; lines.Scan(); n++ {
		if strings.HasPrefix(lines.Text(), "#") {
			continue
		}
		parts := strings.SplitN(lines.Text(), " | ", 3)
		if len(parts) == 2 { // an empty input
			parts = []string{parts[0], "", strings.TrimPrefix(parts[1], "| ")}
		}
		base, err := Parse(parts[0])
		if err != nil {
			t.Fatal(err)
		}
		got := "!"
		if u, err := base.Parse(parts[1]); err == nil {
			got = u.String()
		}
		if got != parts[2] {
			t.Errorf("line %d: %q on %q = %q, want %q", n, parts[1], parts[0], got, parts[2])
		}
	}
}

func TestIsHTTP(t *testing.T) {
	for in, want := range map[string]bool{"https://a.example/": true, "mailto:a@b.example": false, "data:,x": false} {
		if u, err := Parse(in); err != nil || u.IsHTTP() != want {
			t.Errorf("%q is of the web: %v (%v), want %v", in, u.IsHTTP(), err, want)
		}
	}
	if new(URL).IsHTTP() {
		t.Error("no address is one of the web")
	}
}

func TestParts(t *testing.T) {
	for _, c := range []struct{ in, host, name, port, path, query, pathQuery, fragment string }{
		{"http://a.example/x/y?q=1#f", "a.example", "a.example", "80", "/x/y", "q=1", "/x/y?q=1", "f"},
		{"https://a.example", "a.example", "a.example", "443", "/", "", "/", ""},
		{"http://a.example:81/?", "a.example:81", "a.example", "81", "/", "", "/?", ""},
		{"http://[::1]:81/", "[::1]:81", "::1", "81", "/", "", "/", ""},
		{"http://[::1]/", "[::1]", "::1", "80", "/", "", "/", ""},
	} {
		u, err := Parse(c.in)
		if err != nil {
			t.Errorf("Parse(%q): %v", c.in, err)
			continue
		}
		got := []string{u.Host(), u.Hostname(), u.Port(), u.Path(), u.Query(), u.PathQuery(), u.Fragment()}
		want := []string{c.host, c.name, c.port, c.path, c.query, c.pathQuery, c.fragment}
		for i := range got {
			if got[i] != want[i] {
				t.Errorf("%q: part %d is %q, want %q", c.in, i, got[i], want[i])
			}
		}
	}
	if _, err := Parse("no scheme"); err == nil || !strings.Contains(err.Error(), "https://") {
		t.Errorf("an address without scheme gives %v, want an error that names one", err)
	}
}

// FuzzParse holds the parser to the agreement with an independent implementation of the
// standard, and to parsing its own output as itself.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"", "../x", "//h:80/a/../b?c#d", "http:\\\\h\\p", "http://[::1]/%2e%2E", "http://0x7f.1/", "http://bücher.example/ü", "\tjavascript:x", "http:a", "?q'", "#`"} {
		f.Add(s)
	}
	const home = "http://example.org/a/b?c"
	base, err := Parse(home)
	if err != nil {
		f.Fatal(err)
	}
	oracle := whatwg.NewParser()
	f.Fuzz(func(t *testing.T, in string) {
		u, err := base.Parse(in)
		if err != nil || !u.IsHTTP() {
			return
		}
		again, err := Parse(u.String())
		if err != nil || again.String() != u.String() {
			t.Fatalf("%q becomes %q, which becomes %q (%v)", in, u.String(), again.String(), err)
		}
		if again.Host() != u.Host() || again.PathQuery() != u.PathQuery() {
			t.Fatalf("%q: parts differ after a round trip", in)
		}
		other, err := oracle.ParseRef(home, in)
		if err != nil || !isPlain(in) || signed.MatchString(u.Hostname()) {
			return // the other one is stricter in places; host names follow tables of their own
		}
		if want := other.Href(false); want != u.String() {
			t.Fatalf("%q = %q, the other parser says %q", in, u.String(), want)
		}
	})
}

// TestEdges puts every byte into every part of an address, alone and beside others, and numbers within and beyond
// their bounds into ports and hosts: an independent implementation of the standard says the same.
func TestEdges(t *testing.T) {
	const home = "http://example.org/a/b?c"
	base, err := Parse(home)
	if err != nil {
		t.Fatal(err)
	}
	oracle := whatwg.NewParser()
	var in []string
	for c := range 0x80 {
		b := string(rune(c))
		for _, frame := range []string{
			"*", "*x", "x*", "*/x", "/x*y", "//h*/x", "//*h/x", "?q*q", "#f*f", "http:*//h/", "h*tp://h/", "*ttp://h/", "http://h/*",
			"http://h*", "http://h:8*/", "http://[::*]/", "http:*", "http:/*", "x*:y", " *x", "x* ", "http://1.2.3.*/", "//h/./*", "//h/..*",
		} {
			in = append(in, strings.ReplaceAll(frame, "*", b))
		}
	}
	for _, port := range []string{"", "0", "00", "1", "79", "80", "080", "81", "443", "65535", "65536", "065535", "99999999999999999999", "8:8"} {
		in = append(in, "http://h:"+port+"/", "https://h:"+port+"/", "http://[::1]:"+port+"/")
	}
	numbers := []string{"0", "1", "255", "256", "65535", "65536", "16777215", "16777216", "4294967295", "4294967296", "18446744073709551616",
		"0x", "0x0", "0xff", "0x100", "0xffffffff", "0x100000000", "0xg", "00", "07", "08", "010", "0377", "0400", "1a", "a1"}
	for _, n := range numbers {
		in = append(in, "http://"+n+"/", "http://1."+n+"/", "http://1.2."+n+"/", "http://1.2.3."+n+"/", "http://1.2.3.4."+n+"/",
			"http://"+n+".2/", "http://"+n+"./", "http://x."+n+"/")
	}
	for _, dots := range []string{".", "..", "...", "%2e", "%2E%2e", ".%2e", "%2e.", "%2e%2e%2e", "%2", "%2f", ".%2", "%2e%2"} {
		in = append(in, dots, dots+"/", "/x/"+dots, "/x/"+dots+"/y", "//h/x/"+dots+"/"+dots+"/y")
	}
	for _, text := range in {
		got := "!"
		if u, err := base.Parse(text); err == nil {
			if got = u.String(); !u.IsHTTP() {
				continue // others are kept as they are written
			}
			if signed.MatchString(u.Hostname()) {
				continue
			}
		}
		if strings.ContainsAny(text, "@^") || strings.HasPrefix(text, "http://[::[") || strings.HasPrefix(text, "http://[::]]") {
			continue // the other one drops brackets that the standard fails for
		}
		want := "!"
		if u, err := oracle.ParseRef(home, text); err == nil {
			want = u.Href(false)
		}
		if got != want {
			t.Errorf("%q is %q, by the other parser %q", text, got, want)
		}
	}
}

// TestShorten keeps what an error quotes short, with beginning and end.
func TestShorten(t *testing.T) {
	for n, cut := range map[int]bool{120: false, 121: true} {
		_, err := Parse(strings.Repeat("a", n-1) + "z")
		if err == nil || strings.Contains(err.Error(), "…") != cut || !strings.Contains(err.Error(), "z") {
			t.Errorf("%d bytes: %v", n, err)
		}
	}
}

// isPlain leaves out inputs on which the two are known to differ: user names, which are
// dropped here; "^" in paths, encoded since 2023; bytes that are not UTF-8; and host names
// outside ASCII, whose tables differ by Unicode version.
func isPlain(s string) bool {
	if strings.ContainsAny(s, "@^%") || strings.Contains(strings.ToLower(s), "xn--") {
		return false
	}
	for _, r := range s {
		if r >= 0x80 {
			return false
		}
	}
	return true
}

// signed are host names that the other parser takes for numbers of an IPv4 address.
var signed = regexp.MustCompile(`[+-][0-9a-f]`)

func BenchmarkParse(b *testing.B) {
	base, err := Parse("https://example.org/plants/ferns/")
	if err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	for b.Loop() {
		if _, err := base.Parse("../../visit/opening-hours/?lang=en#summer"); err != nil {
			b.Fatal(err)
		}
	}
}
