package cli

import (
	"bytes"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

// TestRoundAll holds that the ledger's shown points add up to the shown loss, whatever their
// remainders.
func TestRoundAll(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 500 {
		s := &api.Report{Health: 100}
		for range 1 + r.IntN(30) {
			p := r.ExpFloat64()
			s.Ledger = append(s.Ledger, api.LedgerLine{Points: p})
			s.Health -= p
		}
		sum := 0
		for i, text := range roundAll(s) {
			f, err := strconv.ParseFloat(strings.TrimPrefix(text, "<"), 64)
			if err != nil {
				t.Fatal(err)
			}
			if text != "<0.1" {
				sum += int(math.Round(f * 10))
			}
			if math.Abs(f-s.Ledger[i].Points) > 0.11 {
				t.Errorf("%v is shown as %s", s.Ledger[i].Points, text)
			}
		}
		if want := int(math.Round((100 - roundTo(s.Health, 1)) * 10)); sum != want {
			t.Errorf("shown are %d tenths, lost %d", sum, want)
		}
	}
}

func TestLedgerBar(t *testing.T) {
	bar := ledgerBar(new(bytes.Buffer), 60, []groupPart{{name: "links", points: 30}, {name: "copy", points: 9.6},
		{name: "media", points: 0.4}})
	first, legend, _ := strings.Cut(bar, "\n")
	if n := utf8.RuneCountInString(strings.TrimSpace(first)); n != 96 {
		t.Errorf("the bar is %d wide: %s", n, first)
	}
	if got := strings.Count(first, "█"); got != 58 {
		t.Errorf("%d of 96 are kept, want 58", got)
	}
	for _, part := range []string{"kept 60.0", "links 30.0", "copy 9.6", "media 0.4"} {
		if !strings.Contains(legend, part) {
			t.Errorf("the legend lacks %q: %s", part, legend)
		}
	}
}

func TestShortening(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{middle("http://fernhollow.example/plants/ferns/", 20), "http://fernho…ferns/"},
		{middle("short", 20), "short"},
		{end("Führungen im Garten", 8), "Führung…"},
		{gain(0.004), "<0.01"}, {gain(0.005), "+0.01"}, {gain(12.345), "+12.35"}, {gain(0), "+0.00"},
		{numbers.Count(1, "page", "pages"), "1 page"}, {numbers.Count(1200, "page", "pages"), "1\u202f200 pages"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
}

func TestCSV(t *testing.T) {
	var b bytes.Buffer
	if err := writeCSV(&b, [][]string{{"a,b", "=1+1", "-3.5", "+x", "@y", "say \"hi\"", ""}}); err != nil {
		t.Fatal(err)
	}
	if want := "\"a,b\",'=1+1,-3.5,'+x,'@y,\"say \"\"hi\"\"\",\r\n"; b.String() != want {
		t.Errorf("%q, want %q", b.String(), want)
	}
}

func TestCrawlName(t *testing.T) {
	for in, want := range map[string]int{"fernhollow": 0, "fernhollow@3": 3, "fernhollow@": -1, "fernhollow@x": -1,
		"fernhollow@0": -1} {
		site, n, err := crawlName(in)
		if err != nil {
			n = -1
		} else if site != "fernhollow" {
			t.Errorf("%q names the site %q", in, site)
		}
		if n != want {
			t.Errorf("%q names crawl %d, want %d", in, n, want)
		}
	}
}
