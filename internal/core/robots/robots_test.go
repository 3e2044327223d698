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
