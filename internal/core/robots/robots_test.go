package robots

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
)

func TestDecide(t *testing.T) {
	data, err := os.ReadFile("testdata/decide.txt")
	if err != nil {
		t.Fatal(err)
	}
	_, text, _ := strings.Cut(string(data), "\nfile: ")
	for _, c := range strings.Split(text, "\n---\nfile: ") {
		title, rest, _ := strings.Cut(c, "\n")
		body, verdicts, _ := strings.Cut(rest, "\nverdicts:\n")
		for _, ending := range []string{"\n", "\r\n", "\r"} {
			f := Parse([]byte("\xef\xbb\xbf" + strings.ReplaceAll(body, "\n", ending)))
			for _, line := range strings.Split(strings.TrimSpace(verdicts), "\n") {
				want := strings.Fields(line)
				v := f.Decide(want[0], want[1])
				got := []string{"disallow", fmt.Sprint(v.Rule.Number)}
				if v.Allowed {
					got[0] = "allow"
				}
				if got[0] != want[2] || len(want) > 3 && got[1] != want[3] {
					t.Errorf("%s (%q): %s %s gives %v, want %v", title, ending, want[0], want[1], got, want[2:])
				}
			}
		}
	}
}

func TestNotes(t *testing.T) {
	f := Parse([]byte("Disallow: /early\nUser-agent: *\nDisalow: /x\n<html>\n\xff\xfe\nSitemap: https://example.org/s.xml\n"))
	var got []int
	for _, n := range f.Notes {
		got = append(got, n.Number)
	}
	if want := []int{1, 3, 4, 5, 5}; !slices.Equal(got, want) {
		t.Errorf("notes on lines %v, want %v: %v", got, want, f.Notes)
	}
	if len(f.Sitemaps) != 1 || f.Sitemaps[0] != (Line{6, "https://example.org/s.xml"}) {
		t.Errorf("sitemaps %v", f.Sitemaps)
	}
	long := Parse(append([]byte("User-agent: *\nDisallow: /x\n"), make([]byte, MaxBytes)...))
	if v := long.Decide("harvik", "/x"); v.Allowed {
		t.Error("a rule at the start of a file that is too long is not read")
	}
	if v := Forbid("away").Decide("harvik", "/x"); v.Allowed || v.Rule.Text != "away" {
		t.Errorf("Forbid gives %v", v)
	}
}

func TestDelay(t *testing.T) {
	f := Parse([]byte("User-agent: *\nCrawl-delay: 10\n\nUser-agent: Harvik\nCrawl-delay: 0.5\nDisallow: /x\n\nUser-agent: harvik/1\nCrawl-delay: 2\nCrawl-delay: soon\nCrawl-delay: NaN\n"))
	for token, want := range map[string]float64{"harvik": 2, "other": 10} {
		if got, line := f.Delay(token); got != want || line.Number == 0 {
			t.Errorf("%s: %v (%v), want %v", token, got, line, want)
		}
	}
	if len(f.Notes) != 2 {
		t.Errorf("notes %v", f.Notes)
	}
	if got, line := Parse([]byte("Crawl-delay: 3\nUser-agent: x\nAllow: /\n")).Delay("x"); got != 0 ||
		line.Number != 0 {
		t.Errorf("a delay of no group gives %v %v", got, line)
	}
}

// FuzzDecide holds that any bytes can be read, and that a verdict that forbids names the rule.
func FuzzDecide(f *testing.F) {
	f.Add([]byte("User-agent: *\nDisallow: /*a*b$\nAllow: /%41"), "/xaxb")
	f.Add([]byte("user-agent:harvik\r\rdisallow:*\n"), "/")
	f.Fuzz(func(t *testing.T, data []byte, path string) {
		v := Parse(data).Decide("harvik", path)
		if !v.Allowed && (v.Rule.Text == "" || v.Rule.Number == 0) {
			t.Fatalf("%q forbids %q without a rule", data, path)
		}
	})
}

// TestPatterns matches paths as RFC 9309, 2.2.2 and 2.2.3 have it: what is between stars in its order and without
// overlap, an anchor at the end, and octets escaped or not alike.
func TestPatterns(t *testing.T) {
	for _, c := range []struct {
		pattern string
		matches []string
		others  []string
	}{
		{"/a*b*c$", []string{"/abc", "/a1b2c", "/abbc", "/abcc"}, []string{"/ac", "/acb", "/ab", "/abcd"}},
		{"/x*ab*ba", []string{"/xabba", "/xab/ba"}, []string{"/xaba", "/xba-ab"}}, // the b cannot be of both
		{"/*ba*ab$", []string{"/baab", "/ba-ab"}, []string{"/bab"}},
		{"/a*a$", []string{"/aa", "/aba"}, []string{"/a", "/ab"}},
		{"/fern$", []string{"/fern"}, []string{"/fern/", "/ferns"}},
		{"/fern", []string{"/fern", "/ferns"}, []string{"/Fern", "/fer"}},
		{"/caf%C3%A9", []string{"/café", "/caf%C3%A9", "/caf%c3%a9s"}, []string{"/cafe"}},
		{"/a b", []string{"/a%20b", "/a b"}, []string{"/ab", "/a+b"}},
		{"/%7Eash-%2e_9%30Zz", []string{"/~ash-._90Zz", "/%7eash-._90Zz"}, []string{"/~ash-._9"}},
		{"/%2F%40%5B%60%7B%3A", []string{"/%2F%40%5B%60%7B%3A", "/%2f%40%5b%60%7b%3a"}, []string{"//%40%5B%60%7B%3A", "/%2F@[`{:"}},
		{"/\u007f%7F", []string{"/%7F%7F", "/\u007f\u007f"}, []string{"/"}},
		{"/100%", []string{"/100%", "/100%2"}, []string{"/100"}},
		{"/%4", []string{"/%4", "/%4g"}, []string{"/%"}},
		{"/%g0%0g", []string{"/%g0%0g"}, []string{"/%00"}},
	} {
		f := Parse([]byte("User-agent: *\nDisallow: " + c.pattern + "\n"))
		for _, path := range c.matches {
			if f.Decide("harvik", path).Allowed {
				t.Errorf("%s does not match %s", c.pattern, path)
			}
		}
		for _, path := range c.others {
			if !f.Decide("harvik", path).Allowed {
				t.Errorf("%s matches %s", c.pattern, path)
			}
		}
	}
}

// TestEdges reads files of just the largest size whole, lines however they end, and delays at their bounds.
func TestEdges(t *testing.T) {
	const rules = "User-agent: *\nDisallow: /x\n"
	full := Parse([]byte(rules + strings.Repeat("\n", MaxBytes-len(rules))))
	if len(full.Notes) != 0 {
		t.Errorf("a file of the largest size: %v", full.Notes)
	}
	over := Parse([]byte(rules + strings.Repeat("\n", MaxBytes-len(rules)+1)))
	if len(over.Notes) != 1 || over.Notes[0].Number != 0 {
		t.Errorf("a file over it: %v", over.Notes)
	}
	for text, numbers := range map[string][]int{
		"User-agent: *\r\rDisallow: /x\r": {3}, "User-agent: *\n\r\nDisallow: /x": {3}, "User-agent: *\rDisallow: /x\r": {2},
		"User-agent: *\r\n\rDisallow: /x\r\n": {3},
	} {
		if v := Parse([]byte(text)).Decide("harvik", "/x"); v.Allowed || v.Rule.Number != numbers[0] {
			t.Errorf("%q: %+v", text, v)
		}
	}
	zero := Parse([]byte("User-agent: *\nCrawl-delay: 0\nCrawl-delay: -1\n"))
	if seconds, line := zero.Delay("harvik"); seconds != 0 || line.Number != 0 || len(zero.Notes) != 1 {
		t.Errorf("no delay: %v by %v, notes %v", seconds, line, zero.Notes)
	}
	same := Parse([]byte("User-agent: *\nCrawl-delay: 2\nCrawl-delay: 2\n"))
	if _, line := same.Delay("harvik"); line.Number != 2 {
		t.Errorf("of two like delays the first counts, not that of line %d", line.Number)
	}
	for agent, token := range map[string]string{"zeal-a_b/2": "zeal-a_b", "azure9": "azure", "{x": ""} {
		if got := productToken(agent); got != token {
			t.Errorf("the product token of %q is %q, want %q", agent, got, token)
		}
	}
}
