package rendered_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
)

// read reads a document as a crawl does.
func read(t *testing.T, html string) *page.Document {
	t.Helper()
	u, err := weburl.Parse("https://fernhollow.example/beds/")
	if err != nil {
		t.Fatal(err)
	}
	return new(page.Reader).Read(page.Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8",
		Body: []byte(html)})
}

const bed = `<!doctype html><html lang=en><title>Beds of moss</title><meta name=description content="Moss in beds.">
	<link rel=canonical href=/beds/><h1>Beds</h1><main><p>Moss grows in beds.</p><a href=/a>a</a> <a href=/b>b</a>
	<img src=/m.png alt=moss></main>`

// TestCompare: each kind of difference is told by what stands on one side alone, and nothing else is.
func TestCompare(t *testing.T) {
	for _, c := range []struct {
		name, old, new string // replaced in what the browser built
		want           string // kind: source | built
	}{
		{"nothing", "", "", ""},
		{"order of attributes and white space", `<link rel=canonical href=/beds/>`, "<link  href='/beds/'\n rel=\"canonical\">", ""},
		{"upper case in language", "lang=en", "lang=EN", ""},
		{"title", "Beds of moss", "Beds, grown", "title: Beds of moss | Beds, grown"},
		{"title gone", "<title>Beds of moss</title>", "", "title: Beds of moss | "},
		{"description", "Moss in beds.", "More.", "description: Moss in beds. | More."},
		{"canonical", "href=/beds/", "href=/x", "canonical: https://fernhollow.example/beds/ | https://fernhollow.example/x"},
		{"robots", "<h1>", "<meta name=robots content='NOINDEX , follow'><h1>", "robots:  | follow, noindex"},
		{"language", "lang=en", "lang=de", "language: en | de"},
		{"heading", "<h1>Beds</h1>", "<h1>Beds</h1><h2>More</h2>", "headings:  | h2 More"},
		{"level of a heading", "<h1>Beds</h1>", "<h2>Beds</h2>", "headings: h1 Beds | h2 Beds"},
		{"text", "Moss grows in beds.", "Moss grew.", "text: Moss grows in beds. | Moss grew."},
		{"a link more", "<a href=/b>b</a>", "<a href=/b>b</a> <a href=/c>b</a>", "text: a b | a b b; links:  | https://fernhollow.example/c"},
		{"a link less", "<a href=/b>b</a>", "b", "links: https://fernhollow.example/b | "},
		{"image", "/m.png", "/n.png", "images: https://fernhollow.example/m.png | https://fernhollow.example/n.png"},
		{"alternate", "<h1>", "<link rel=alternate hreflang=DE href=/de/><h1>", "alternates:  | de https://fernhollow.example/de/"},
		{"structured data", "<h1>", `<script type="application/ld+json">{"@context":"https://schema.org","@type":"Product","name":"Moss"}</script><h1>`,
			"data:  | Product (name: Moss)"},
	} {
		built := bed
		if c.old != "" {
			if built = strings.Replace(bed, c.old, c.new, 1); built == bed {
				t.Fatalf("%s: nothing is replaced", c.name)
			}
		}
		var p rendered.Page
		p.Compare(read(t, bed), read(t, built))
		var got []string
		for _, d := range p.Differs {
			got = append(got, fmt.Sprintf("%s: %s | %s", d.What, strings.Join(d.Source, ", "), strings.Join(d.Built, ", ")))
		}
		if s := strings.Join(got, "; "); s != c.want {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, s, c.want)
		}
	}
}

// TestCompareBounds: what is kept of very many differences is bounded, and the rest counted.
func TestCompareBounds(t *testing.T) {
	var b strings.Builder
	for i := range 500 {
		fmt.Fprintf(&b, "<p><a href=/%d>%s</a>", i, strings.Repeat("x", 900))
	}
	var p rendered.Page
	p.Compare(read(t, bed), read(t, strings.Replace(bed, "</main>", b.String()+"</main>", 1)))
	d := p.Differ("links")
	if d == nil || len(d.Built) != rendered.MostListed || d.More != 500-rendered.MostListed || p.Links != 500 {
		t.Fatalf("%d links; %+v", p.Links, d)
	}
	for _, one := range p.Differ("text").Built {
		if n := len([]rune(one)); n > rendered.MostLong {
			t.Errorf("%d characters are kept", n)
		}
	}
}

// TestWorstWindow: shifts add up within a session, which ends after a second without one, or after five.
func TestWorstWindow(t *testing.T) {
	for _, c := range []struct {
		at, values []float64
		want       float64
	}{
		{nil, nil, 0},
		{[]float64{100}, []float64{0.2}, 0.2},
		{[]float64{100, 900, 1800}, []float64{0.1, 0.1, 0.1}, 0.3},
		{[]float64{100, 1200}, []float64{0.1, 0.25}, 0.25},
		{[]float64{0, 900, 1800, 2700, 3600, 4500, 5400}, []float64{0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.5}, 0.6},
	} {
		if got := rendered.WorstWindow(c.at, c.values); got != c.want {
			t.Errorf("%v at %v: %g, want %g", c.values, c.at, got, c.want)
		}
	}
}

// TestOutcomes: each is said in words.
func TestOutcomes(t *testing.T) {
	said := map[string]bool{}
	for _, o := range []rendered.Outcome{rendered.Rendered, rendered.Failed, rendered.Moved, rendered.Stuck,
		rendered.Crashed, rendered.TooLarge} {
		if s := o.Says(); s == "" || said[s] {
			t.Errorf("%s is said as %q", o, s)
		} else {
			said[s] = true
		}
	}
	if !slices.Contains(plan.Devices, plan.Phone) {
		t.Error("phones are no device")
	}
}
