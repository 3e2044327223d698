package page

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/go-json-experiment/json"

	"harvik/internal/core/weburl"
)

// hostile are documents that are made to take memory: each a piece that is repeated, between a beginning
// and an end.
var hostile = []struct{ name, begin, piece, end string }{
	{"anchors", "", "<a>", ""},
	{"links", "", "<a href=/%d>x</a>", ""},
	{"long links", "", "<a href=/%d/" + strings.Repeat("x", 3000) + ">x</a>", ""},
	{"open links in text", "<a href=/x>", "<a href=/%d>word ", ""},
	{"headings", "", "<h2>%d</h2>", ""},
	{"headings in headings", strings.Repeat("<h1><div>", 250), "many words ", ""},
	{"links around all", strings.Repeat("<a href=/x><table><td>", 120), "many words ", ""},
	{"nested", "", "<div>", ""},
	{"text", "<p>", "word%d ", ""},
	{"paragraphs", "", "<p>", ""},
	{"attributes", "<p ", "a%d=b ", ">"},
	{"one attribute", "<p class='", "word ", "'>x"},
	{"one address", "<a href='/", "abcdefgh", "'>x</a>"},
	{"title", "<title>", "word%d ", "</title>"},
	{"titles", "", "<title>%d</title>", ""},
	{"comments", "", "<!--%d-->", ""},
	{"pictures", "", "<img src=/%d.png alt=a>", ""},
	{"source sets", "<img srcset='", "/%d.png 2x,", "'>"},
	{"tables in cells", "", "<td><table>", ""},
	{"misnested", "", "<b><i><p></b>", ""},
	{"character references", "<p>", "&amp;&notit;", ""},
	{"structured data", `<script type="application/ld+json">`, `{"a":[`, `</script>`},
	{"structured items", `<script type="application/ld+json">[`, `{"@type":"Thing","name":"%d"},`, `{}]</script>`},
	{"microdata", "", "<i itemscope itemtype=http://schema.org/Thing itemprop=a>", ""},
	{"microdata items", "", "<i itemscope itemtype=http://schema.org/Thing><b itemprop=name>%d</b></i>", ""},
	{"styles", "<style>", "a{background:url(/%d.png)}", "</style>"},
	{"style attributes", "", "<i style='background:url(/%d.png)'>", ""},
	{"forms", "", "<form action=/%d><input name=a></form>", ""},
	{"descriptions", "", "<meta name=description content=%d>", ""},
	{"robots", "", "<meta name=robots content=%d>", ""},
	{"cards", "", "<meta property=og:title content=%d>", ""},
	{"canonicals", "", "<link rel=canonical href=/%d>", ""},
	{"languages", "", "<link rel=alternate hreflang=x-%d href=/%d>", ""},
	{"ids", "", "<i id=a%d>", ""},
	{"objects", "", "<object>", ""},
	{"vector", "<svg>", "<g><a href=/%d>", ""},
	{"templates", "", "<template>", ""},
	{"options", "<select>", "<option>%d", ""},
	{"mail addresses", "<p>", "a%d@fernhollow.example ", ""},
	{"frames", "", "<iframe src=/%d></iframe>", ""},
	{"refresh", "<meta http-equiv=refresh content='0; url=/", "%d", "'>"},
}

func repeat(begin, piece, end string, size int) []byte {
	var b strings.Builder
	b.WriteString("<!doctype html>" + begin)
	for i := 0; b.Len() < size; i++ {
		b.WriteString(strings.ReplaceAll(piece, "%d", fmt.Sprint(i)))
	}
	b.WriteString(end)
	return []byte(b.String())
}

// TestHostile: whatever a page is made of, its facts are not many times as large as itself, and no list or
// text of them is without bound.
func TestHostile(t *testing.T) {
	size := 512 << 10
	if n, err := strconv.Atoi(os.Getenv("HARVIK_HOSTILE_MB")); err == nil {
		size = n << 20 // with a watch on the process: see CONTRIBUTING.md
	}
	address, err := weburl.Parse("http://fernhollow.example/")
	if err != nil {
		t.Fatal(err)
	}
	for _, h := range hostile {
		body := repeat(h.begin, h.piece, h.end, size)
		d := Read(Response{Address: address, Status: 200, ContentType: "text/html; charset=utf-8", Body: body})
		short := *d
		short.Links, short.Uses, short.MainText = nil, nil, "" // counted below, or as long as the page
		data, err := json.Marshal(short, json.OmitZeroStructFields(true))
		if err != nil {
			t.Fatalf("%s: %v", h.name, err)
		}
		links := 0
		for i := range d.Links {
			l := &d.Links[i]
			links += len(l.Href) + len(l.Words) + len(l.Label)
			if len(l.Href) > maxHref || len(l.Words) > maxWords || len(l.Label) > maxWords {
				t.Errorf("%s: a link has %d, %d and %d bytes", h.name, len(l.Href), len(l.Words), len(l.Label))
				break
			}
		}
		if len(d.Links) > maxLinks || len(d.Headings) > maxHeadings || len(d.Images) > maxImages ||
			len(d.Titles)+len(d.Canonicals)+len(d.Forms) > 3*maxFew {
			t.Errorf("%s: %d links, %d headings, %d images, %d titles, %d canonicals, %d forms", h.name,
				len(d.Links), len(d.Headings), len(d.Images), len(d.Titles), len(d.Canonicals), len(d.Forms))
		}
		if all := len(data) + links; all > 6*size {
			t.Errorf("%s: %d bytes of facts come of %d", h.name, all, size)
		}
	}
	// What is left out is counted.
	if d := Read(Response{Address: address, Status: 200, ContentType: "text/html",
		Body: repeat("", "<title>%d</title>", "", 64<<10)}); d.Left == 0 || len(d.Titles) != maxFew {
		t.Errorf("of a page with titles without end %d are kept, %d left out", len(d.Titles), d.Left)
	}
	if d := Read(Response{Address: address, Status: 200, ContentType: "text/html",
		Body: repeat("", "<p>", "", 4<<20)}); !d.Cut {
		t.Error("a page with more elements than any has is not told to be cut")
	}
}
