package page

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"harvik/internal/core/dom"
	"harvik/internal/core/weburl"
)

func read(t testing.TB, address, body string) *Document {
	t.Helper()
	u, err := weburl.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	return Read(Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8", Body: []byte(body)})
}

func at(line, col int) Pos { return Pos{Line: line, Col: col} }

func TestPositions(t *testing.T) {
	d := read(t, "http://fernhollow.example/",
		"<title>ü</title>\n<h1>é <a href=x>y</a></h1><h2>z</h2>\n\n<!-- <h3> --><h3 title='>'>w</h3>")
	want := []Pos{at(2, 1), at(2, 27), at(4, 14)}
	for i, h := range d.Headings {
		if h.Pos != want[i] {
			t.Errorf("heading %q at %v, want %v", h.Text, h.Pos, want[i])
		}
	}
	if l := d.Links[0]; l.Pos != at(2, 7) {
		t.Errorf("link at %v", l.Pos)
	}
	if d.Titles[0].Pos != at(1, 1) {
		t.Errorf("title at %v", d.Titles[0].Pos)
	}
}

// TestPositionsOfCopies: a link that is opened once more has the place of its only tag.
func TestPositionsOfCopies(t *testing.T) {
	d := read(t, "http://fernhollow.example/",
		"<p><a href=1>x<p>the parser opens the link once more</p></a><h2>yes</h2>")
	if len(d.Links) != 2 || d.Links[0].Pos != at(1, 4) || d.Links[1].Pos != at(1, 4) {
		t.Errorf("links %+v, want two at one place", d.Links)
	}
	if h := d.Headings[0]; h.Pos != at(1, 61) {
		t.Errorf("heading %+v", h)
	}
}

// TestLongLine is a page of one line: time was once quadratic in its length.
func TestLongLine(t *testing.T) {
	const n = 20_000
	d := read(t, "http://fernhollow.example/", strings.Repeat("<a href=/x>é</a>", n))
	if last := d.Links[n-1].Pos; last != at(1, (n-1)*16+1) {
		t.Errorf("last link at %v", last)
	}
}

// TestDeep is deeper than browsers go: what is deeper stands side by side.
func TestDeep(t *testing.T) {
	d := read(t, "http://fernhollow.example/",
		"<title>deep</title>"+strings.Repeat("<div>", 50_000)+"<h1>bottom</h1><a href=/x>y</a>"+strings.Repeat("</div>",
			50_000)+"<h2>after</h2>")
	if !d.Flattened || d.Title() != "deep" || d.H1() != "bottom" || len(d.Headings) != 2 || len(d.Links) != 1 {
		t.Errorf("read %+v, %d headings, %d links, flattened %v", d.Titles, len(d.Headings), len(d.Links), d.Flattened)
	}
}

func TestPlaces(t *testing.T) {
	d := read(t, "http://fernhollow.example/", `<header><a href=1>a</a><nav><ul><li><a href=2>b</a><li><a href=3>c</a></ul></nav></header>
		<main><article><header><p><a href=4>d</a></p></header></article><aside><a href=5>e</a></aside></main>
		<div role=contentinfo><a href=6>f</a></div><p><a href=7>g</a>`)
	want := []string{
		"header: header", "header: header > nav > ul > li 1", "header: header > nav > ul > li 2",
		"content: main > article > p 1", "aside: main > aside", "footer: footer", "content: p 1",
	}
	for i, l := range d.Links {
		if got := fmt.Sprintf("%s: %s", l.Region, l.Place); got != want[i] {
			t.Errorf("link %d stands in %q, want %q", i+1, got, want[i])
		}
	}
}

func TestCharsets(t *testing.T) {
	u, _ := weburl.Parse("http://fernhollow.example/")
	for _, c := range []struct{ contentType, body, title, charset string }{
		{"text/html", "<title>caf\xe9 \x93x\x94</title>", "café “x”", "windows-1252"},
		{"text/html; charset=iso-8859-1", "<title>\x80</title>", "€", "windows-1252"},
		{"text/html", "<meta charset=koi8-r><title>\xc6</title>", "ф", "koi8-r"},
		{"text/html; charset=utf-8", "<meta charset=koi8-r><title>ф</title>", "ф", "utf-8"},
		{"text/html; charset=koi8-r", "\xef\xbb\xbf<title>ф</title>", "ф", "utf-8"},
		{"text/html", "\xff\xfe<\x00t\x00i\x00t\x00l\x00e\x00>\x00a\x00", "a", "utf-16le"},
		{"text/html", strings.Repeat(" ", 1100) + "<title>ф</title>", "ф", "utf-8"},
		{"text/html; charset=utf-8", "<title>a\x00b\xffc</title>", "ab\uFFFDc", "utf-8"},
	} {
		d := Read(Response{Address: u, Status: 200, ContentType: c.contentType, Body: []byte(c.body)})
		if d.Title() != c.title || d.Charset != c.charset {
			t.Errorf("%s %q: title %q in %s, want %q in %s", c.contentType, c.body, d.Title(), d.Charset, c.title,
				c.charset)
		}
	}
}

// TestQueryEncoding: in a legacy encoding the query, and only the query, is written in it.
func TestQueryEncoding(t *testing.T) {
	u, _ := weburl.Parse("http://fernhollow.example/")
	d := Read(Response{Address: u, Status: 200, ContentType: "text/html; charset=windows-1252",
		Body: []byte("<a href='/caf\xe9?q=\xe9&x=&#26085;#\xe9'>a</a>")})
	if got, want := d.Links[0].Address, "http://fernhollow.example/caf%C3%A9?q=%E9&x=%26%2326085%3B"; got != want {
		t.Errorf("address %q, want %q", got, want)
	}
	if d := read(t, "http://fernhollow.example/",
		"<a href='?q=é'>a</a>"); d.Links[0].Address != "http://fernhollow.example/?q=%C3%A9" {
		t.Errorf("in UTF-8: %q", d.Links[0].Address)
	}
}

func TestMainText(t *testing.T) {
	d := read(t, "http://fernhollow.example/", `<title>no</title><nav>no</nav><h1>Ferns&nbsp;of</h1><p>the <b>de</b>ll<br>and</p><script>no</script>
		<ul><li>moss</li><li>stone</li></ul><div hidden>no</div><select><option>no</select><aside>no</aside><footer>no</footer>`)
	if want := "Ferns of\nthe dell\nand\nmoss\nstone"; d.MainText != want {
		t.Errorf("main text %q, want %q", d.MainText, want)
	}
	if d.Words != 7 {
		t.Errorf("%d words", d.Words)
	}
	with := read(t, "http://fernhollow.example/", `<p>before</p><main><p>in</p></main><p>after</p>`)
	if with.MainText != "in" {
		t.Errorf("beside a main element the text is %q", with.MainText)
	}
}

func TestIndexable(t *testing.T) {
	const self = "http://fernhollow.example/a"
	for head, want := range map[string]bool{
		"":                                 true,
		`<link rel=canonical href="/a#x">`: true,
		`<link rel=canonical href="/b">`:   false,
		`<link rel=canonical href="/b"><link rel=canonical href="/a">`: true, // they void each other
		`<p><link rel=canonical href="/b">`:                            true, // in the body: disregarded
		`<meta name=robots content="index,follow">`:                    true,
		`<meta name=ROBOTS content="follow, NOINDEX">`:                 false,
		`<meta name=robots content=none>`:                              false,
	} {
		f := Facts{Address: self, Status: 200, Document: read(t, self, head)}
		if got, why := f.Indexable(); got != want {
			t.Errorf("%s: indexable %v (%s), want %v", head, got, why, want)
		}
	}
	if ok, _ := (&Facts{Status: 404, Document: &Document{}}).Indexable(); ok {
		t.Error("a 404 is indexable")
	}
}

func TestHashesRoundTrip(t *testing.T) {
	h := Hashes{0, 1, 1 << 31, ^uint32(0)}
	text, err := h.MarshalText()
	if err != nil {
		t.Fatal(err)
	}
	var back Hashes
	if err := back.UnmarshalText(text); err != nil || !slices.Equal(h, back) {
		t.Errorf("%v became %v (%v)", h, back, err)
	}
	if err := back.UnmarshalText([]byte("A")); err == nil {
		t.Error("damaged hashes are read without an error")
	}
}

// sample is a page of about 20 KB with 80 links.
func sample() []byte {
	var b strings.Builder
	b.WriteString(`<!doctype html><html lang=en><head><meta charset=utf-8><title>Ferns of the dell</title><meta name=description content="x"></head><body><header><nav><ul>`)
	for i := range 40 {
		fmt.Fprintf(&b, `<li class="item"><a href="/section-%d/page-%d/">Section number %d</a></li>`, i%7, i, i)
	}
	b.WriteString(`</ul></nav></header><main><h1>Ferns</h1>`)
	for i := range 40 {
		fmt.Fprintf(&b, `<section class="part"><h2>Part %d</h2><p>A fern of the dell number %d wants deep shade and a moist soil, <a href="../fern-%d/">see there</a>, and nothing more than that; the gardeners leave it alone for years, then divide it into %d pieces and plant them out again in the spring.</p></section>`, i, i, i, i)
	}
	b.WriteString(`</main><footer><p>Fernhollow</p></footer></body></html>`)
	return []byte(b.String())
}

func BenchmarkRead(b *testing.B) {
	body := sample()
	u, err := weburl.Parse("http://fernhollow.example/plants/ferns/")
	if err != nil {
		b.Fatal(err)
	}
	b.Run("library's parser", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			if _, err := html.Parse(bytes.NewReader(body)); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("facts", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			Read(Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8", Body: body})
		}
	})
}

// TestDeepMarkup: nesting without end is not followed: each tag would look through all that is open.
func TestDeepMarkup(t *testing.T) {
	d := read(t, "http://fernhollow.example/",
		"<!doctype html><title>Deep</title>"+strings.Repeat("<div><b>", 50_000)+"<p>fern</p></p>")
	if d.Title() != "Deep" || len(d.Markup.Faults) > maxFaults {
		t.Errorf("%q, %d faults", d.Title(), len(d.Markup.Faults))
	}
	if d := read(t, "http://fernhollow.example/", strings.Repeat("<div>", 400_000)); len(d.Markup.Faults) > 0 ||
		d.Shape.Depth > dom.MaxDepth {
		t.Errorf("%d levels, %d faults", d.Shape.Depth, len(d.Markup.Faults))
	}
}

// TestClimbs: a link that goes up more folders than there are keeps how it is written; others do not.
func TestClimbs(t *testing.T) {
	for href, kept := range map[string]bool{"../../../a.html": true, "../../a.html": true, "../a.html": false,
		"a/../../b": false, "/../a": false} {
		d := read(t, "http://fernhollow.example/x/y.html", `<p><a href="`+href+`">a</a>`)
		if got := d.Links[0].Href != ""; got != kept {
			t.Errorf("%s from /x/y.html: kept as written %v, want %v; it leads to %s", href, got, kept,
				d.Links[0].Address)
		}
	}
}

// TestImages: where a picture stands and in which forms it is offered.
func TestImages(t *testing.T) {
	d := read(t, "http://fernhollow.example/", `<body><main><img src=a loading=lazy><picture><source srcset=b2><img src=b></picture>
		<img src=c srcset="c 1x, c2 2x"><img src=d width=40><p>`+strings.Repeat("word ", 200)+`</p><img src=e></main>`)
	for i, want := range []Image{{Early: true, Lazy: true}, {Early: true, Sizes: true}, {Early: true, Sizes: true}, {},
		{}} {
		if got := d.Images[i]; got.Early != want.Early || got.Lazy != want.Lazy || got.Sizes != want.Sizes {
			t.Errorf("%s is %+v, want %+v", got.Src, got, want)
		}
	}
}

// TestUsable: facts of a few versions back can be judged, older and newer ones cannot.
func TestUsable(t *testing.T) {
	for version, want := range map[int]bool{Oldest - 1: false, Oldest: true, Version: true, Version + 1: false} {
		if got := (&Facts{Version: version}).Usable(); got != want {
			t.Errorf("facts of version %d: %v", version, got)
		}
	}
}
