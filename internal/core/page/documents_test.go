package page

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/demo"
	"harvik/internal/core/weburl"
)

// TestReadPDF tells a PDF document's title, pages and language, and of what is none why it cannot be read.
func TestReadPDF(t *testing.T) {
	good := demo.PDF("Map of the garden", 3)
	if p := ReadPDF(good); p.Title != "Map of the garden" || p.Pages != 3 || p.Lang != "en-GB" || p.Fault != "" {
		t.Errorf("read as %+v", p)
	}
	without := bytes.Replace(bytes.Replace(good, []byte("/Lang (en-GB)"), []byte("             "), 1),
		[]byte("/Info 3 0 R"), []byte("           "), 1)
	if p := ReadPDF(without); p.Title != "" || p.Pages != 3 || p.Lang != "" || p.Fault != "" {
		t.Errorf("without title and language: %+v", p)
	}
	odd := bytes.Replace(good, []byte("/Lang (en-GB)"), []byte("/Lang 1234567"), 1)
	if p := ReadPDF(odd); p.Lang != "" || p.Title != "Map of the garden" {
		t.Errorf("with a number for a language: %+v", p)
	}
	for n, want := range map[int]int{300: 300, 301: 301} { // with an ellipsis
		p := ReadPDF(demo.PDF(strings.Repeat("x", n), 1))
		if got := len([]rune(p.Title)); got != want || strings.HasSuffix(p.Title, "…") != (n > 300) {
			t.Errorf("a title of %d letters: %d, %q", n, got, p.Title)
		}
	}
	for _, data := range [][]byte{nil, []byte("<html>"), good[:20]} {
		if p := ReadPDF(data); p.Fault == "" || p.Title != "" {
			t.Errorf("%.20q: %+v", data, p)
		}
	}
}

// TestMentions: pages that a page names beside its links, in their order.
func TestMentions(t *testing.T) {
	d := read(t, "https://fernhollow.example/a", `<link rel=alternate hreflang=de href=/de>
<meta http-equiv=refresh content="3;url=/b"><script type="application/ld+json">{"@context":"https://schema.org",
"@type":"BreadcrumbList","itemListElement":[{"@type":"ListItem","position":1,"item":"https://fernhollow.example/c"},
{"@type":"ListItem","position":2,"item":"mailto:ash@fernhollow.example"}]}</script>`)
	var got []string
	for _, m := range d.Mentions() {
		got = append(got, strings.TrimPrefix(m, "https://fernhollow.example"))
	}
	if want := []string{"/de", "/b", "/c"}; !slices.Equal(got, want) {
		t.Errorf("names %q, want %q", got, want)
	}
	if got := read(t, "https://fernhollow.example/a", "x").Mentions(); len(got) > 0 {
		t.Errorf("nothing names %q", got)
	}
}

// TestRefreshHeader: a header's refresh holds where the page has none of its own.
func TestRefreshHeader(t *testing.T) {
	u, _ := weburl.Parse("https://fernhollow.example/")
	for body, want := range map[string]string{"x": "https://fernhollow.example/header",
		`<meta http-equiv=refresh content="1;url=/meta">`: "https://fernhollow.example/meta"} {
		d := Read(Response{Address: u, Status: 200, ContentType: "text/html", Refresh: "2;url=/header", Body: []byte(body)})
		if d.RefreshTo != want {
			t.Errorf("%q leads to %q, want %q", body, d.RefreshTo, want)
		}
	}
}

// TestListings: text in blocks that generators of documentation call code is code, and of half such a text is code
// mostly.
func TestListings(t *testing.T) {
	const words = "one two three four five six seven eight nine ten "
	for class, want := range map[string]bool{"highlight": true, "big Highlight dark": true, "": false, "high": false,
		strings.Repeat("x", 190) + " highlight": true, strings.Repeat("x", 191) + " highlight": false} {
		d := read(t, "https://fernhollow.example/", "<p>"+words+"<div class='"+class+"'>"+words+"</div>")
		if got := d.CodeShare > 0; got != want {
			t.Errorf("class %.30q: %d %% are code", class, d.CodeShare)
		}
	}
	for share, want := range map[int]bool{49: false, 50: true, 51: true} {
		if got := (&Document{CodeShare: share}).IsMostlyCode(); got != want {
			t.Errorf("with %d %% it is mostly code: %v", share, got)
		}
	}
}

// TestParent is the element with most children, by name and first class.
func TestParent(t *testing.T) {
	for class, want := range map[string]string{"": "ul", "beds wide": "ul.beds",
		strings.Repeat("x", 59): "ul." + strings.Repeat("x", 59), strings.Repeat("x", 60): "ul"} {
		d := read(t, "https://fernhollow.example/", "<body><div class=a><p>x<p>y</div><ul class='"+class+"'>"+
			strings.Repeat("<li>x", 20)+"</ul><ol class=later>"+strings.Repeat("<li>x", 20)+"</ol>")
		if d.Shape.Parent != want || d.Shape.Children != 20 {
			t.Errorf("%.20q: %d children of %s, want %s", class, d.Shape.Children, d.Shape.Parent, want)
		}
	}
}

// TestLateCharset: a meta element counts that stands in the first 1,024 bytes.
func TestLateCharset(t *testing.T) {
	for before, late := range map[int]bool{0: false, 900: false, 1100: true} {
		d := read(t, "https://fernhollow.example/", strings.Repeat(" ", before)+"<meta charset=utf-8><title>x</title>")
		if d.Charsets.Meta != "utf-8" || d.Charsets.Late != late {
			t.Errorf("after %d bytes: %+v", before, d.Charsets)
		}
	}
	begins := Read(Response{Body: []byte("charset=utf-8 <meta charset=utf-8>")})
	if c := begins.Charsets; c.Meta != "utf-8" || c.Late {
		t.Errorf("at the first byte: %+v", c)
	}
	if c := read(t, "https://fernhollow.example/", "<title>x</title>").Charsets; c.Meta != "" || c.Late {
		t.Errorf("without any: %+v", c)
	}
}

// TestLines: lines end with a line feed, however they ended in the source, and zero bytes are no part of a text.
func TestLines(t *testing.T) {
	d := read(t, "https://fernhollow.example/", "\r<title>a</title>\r\n<pre>b\rc\r\nd</pre>\x00")
	if d.MainText != "b\nc\nd" && !strings.Contains(d.MainText, "b c d") {
		t.Errorf("the text is %q", d.MainText)
	}
	if strings.ContainsAny(d.MainText, "\r\x00") {
		t.Errorf("the text is %q", d.MainText)
	}
	if got := read(t, "https://fernhollow.example/", "\x00<title>a\x00b</title>").Title(); got != "ab" {
		t.Errorf("the title is %q", got)
	}
}

// TestMarksAtEnds: what marks fillers, brackets and mail addresses need is found at the first byte and at the last.
func TestMarksAtEnds(t *testing.T) {
	for text, want := range map[string]string{
		"{{ first }} of all":            "[{{ first }}] []",
		"the text ends with lorem":      "[] []",
		"the text ends with {{ last }":  "[] []",
		"@fernhollow.example":           "[] []",
		"a@fernhollow.example":          "[] [a@fernhollow.example]",
		"write to a@fernhollow.example": "[] [a@fernhollow.example]",
		"[your name]":                   "[[your name]] []",
		"lorem ipsum dolor":             "[lorem ipsum dolor] []",
		"insert text her":               "[] []",
	} {
		d := read(t, "https://fernhollow.example/", "<p>"+text)
		if got := fmt.Sprint(d.Fillers, d.Mails); got != want {
			t.Errorf("%q: %s, want %s", text, got, want)
		}
	}
}
