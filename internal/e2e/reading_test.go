package e2e

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"net/http"
	"net/http/httptest"

	"harvik/demo"
	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// reading is what both sides read from a page.
type reading struct {
	Titles, Descriptions, Headings, Links []string
}

// browserReads takes the same facts from the tree that a browser's parser builds. Its
// documents have scripting off, so noscript is left out by hand. A sign in a heading that links to a
// place of the page, such as ¶, is none of its text, unless it is all.
const browserReads = `(html, base) => {
	const d = new DOMParser().parseFromString(html, 'text/html');
	d.querySelectorAll('noscript').forEach(e => e.remove());
	const fold = s => s.replace(/[\s\u0085]+/g, ' ').trim();
	const isSign = n => n.localName === 'a' && (n.getAttribute('href') || '').startsWith('#') && fold(text(n)) && !/[\p{L}\p{N}]/u.test(text(n));
	const text = (e, titling) => {
		let out = '';
		for (const n of e.childNodes) {
			if (n.nodeType === 3) out += n.data;
			else if (titling && n.nodeType === 1 && isSign(n)) continue;
			else if (n.nodeType !== 1 || ['script', 'style', 'template', 'iframe', 'object'].includes(n.localName)) continue;
			else if (n.localName === 'title' && n.namespaceURI.endsWith('xhtml')) continue;
			else if (n.localName === 'img') out += ' ' + (n.getAttribute('alt') || '') + ' ';
			else if (block.has(n.localName) && n.namespaceURI.endsWith('xhtml')) out += ' ' + text(n, titling) + ' ';
			else out += text(n, titling);
		}
		return out;
	};
	const block = new Set(('address article aside blockquote button caption dd details dialog div dl dt fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hr legend li main nav ol option p pre section summary table tbody td tfoot th thead tr ul input br').split(' '));
	const b = d.querySelector('base[href]');
	if (b) { try { base = new URL(b.getAttribute('href'), base).href } catch {} }
	const all = s => [...d.querySelectorAll(s)].filter(e => e.namespaceURI.endsWith('xhtml') && !e.closest('iframe,object'));
	return {
		Titles: all('title').map(e => fold(e.textContent)),
		Descriptions: all('meta[name="description" i]').map(e => fold(e.getAttribute('content') || '')),
		Headings: all('h1,h2,h3,h4,h5,h6').map(e => e.localName + ' ' + (fold(text(e, true)) || fold(text(e)))),
		Links: all('a[href],area[href]').map(e => { try { const u = new URL(e.getAttribute('href'), base); u.hash = ''; u.username = ''; u.password = ''; return /^https?:/.test(u.href) ? u.href : u.protocol } catch { return '!' } }),
	};
}`

func harvikReads(address weburl.URL, body []byte) reading {
	d := page.Read(page.Response{Address: address, Status: 200, ContentType: "text/html; charset=utf-8", Body: body})
	r := reading{[]string{}, []string{}, []string{}, []string{}}
	for _, t := range d.Titles {
		r.Titles = append(r.Titles, t.Text)
	}
	for _, t := range d.Descriptions {
		r.Descriptions = append(r.Descriptions, t.Text)
	}
	for _, h := range d.Headings {
		r.Headings = append(r.Headings, strings.TrimRight(fmt.Sprintf("h%d %s", h.Level, h.Text), ""))
	}
	for _, l := range d.Links {
		address := l.Address
		if address == "" {
			address = "!"
		} else if u, err := weburl.Parse(address); err == nil && !u.IsHTTP() {
			address = u.Scheme() + ":"
		}
		r.Links = append(r.Links, address)
	}
	return r
}

// oddities are documents that parsers get wrong.
var oddities = []string{
	`<title>a</title><body><title>b</title><svg><title>c</title><a href=x>d</a></svg><h1>e<title>f</title></h1>`,
	`<table><h1>a</h1><tr><td><a href=1>b<a href=2>c</table><a href=3>`,
	`<a href=1><div><a href=2><p></a><a href=3></div>x</a>`,
	`<h1>a<h2>b</h1>c</h2><h3>d<h3>e`,
	`<b><p>x<h2>y</b>z</h2><i><a href=4>`,
	`<base href="/deep/er/"><a href="x"></a><base href="/other/"><a href="y?a b'c"></a>`,
	`<head><div></head><title>late</title><meta name=description content="d"><link rel=canonical href=x>`,
	`<select><h1>a</h1><option><a href=1>b</select><h2>c</h2>`,
	`<body><noscript><h1>n</h1></noscript><template><h1>t</h1><a href=t></template><h1>r</h1>`,
	`<textarea><h1>x</h1></textarea><xmp><h2>y</h2></xmp><plaintext><h3>z`,
	`<!-- <h1>a</h1> --><![CDATA[<h1>b</h1>]]><h1>c</h1 x="<h2>">`,
	`<h1>&lt;b&gt; &amp;&nbsp;&copy;&#0;&#x80;&notit; é</h1><a href="?a=1&copy=2&amp;b">x</a>`,
	`<frameset><frame src=x></frameset><h1>no</h1>`,
	`<map><area href=a><area href="http://[bad"><area></map><a href="  /c	d ">c</a><a href>e</a>`,
	`<h1><img alt="one"><img alt="two">three<br>four</h1><h2><span>a</span><span>b</span><div>c</div></h2>`,
	`<math><mi><h1>a</h1></mi></math><svg><foreignObject><h1>b</h1><a href=1></a></foreignObject><h2>c</h2></svg>`,
	`<META NAME=DESCRIPTION CONTENT=" x  y "><meta name="description"><meta property="description" content=z>`,
	`<p><a href="//other.example:443/x">1</a><a href="https:x">2</a><a href="http:\\y\z">3</a><a href="#f">4</a><a href="%2e%2E/q">5</a>`,
}

// TestReadingAgainstBrowser compares what Harvik reads with what a browser reads, on
// Fernhollow, on oddities, and on the HTML files below the folders that HARVIK_CORPUS names.
func TestReadingAgainstBrowser(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	const at = "https://fernhollow.example/a/b/c.html"
	address, err := weburl.Parse(at)
	if err != nil {
		t.Fatal(err)
	}
	compare := func(name string, body []byte) {
		t.Helper()
		in, err := json.Marshal(string(body))
		if err != nil {
			t.Fatal(err)
		}
		theirs, err := chromedp.Run(b.ctx,
			chromedp.Evaluate[reading](fmt.Sprintf("(%s)(%s, %q)", browserReads, in, at)))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		ours := harvikReads(address, body)
		for i := range 4 {
			o, th := reflect.ValueOf(ours).Field(i).Interface().([]string),
				reflect.ValueOf(theirs).Field(i).Interface().([]string)
			if !slices.Equal(o, th) {
				t.Errorf("%s: %s\nharvik  %q\nbrowser %q", name, reflect.TypeOf(ours).Field(i).Name, o, th)
			}
		}
	}
	for i, s := range oddities {
		compare(fmt.Sprintf("oddity %d", i), []byte(s))
	}
	site := demo.New(demo.Spring)
	for i, p := range site.Pages {
		if i%5 == 0 {
			w := httptest.NewRecorder()
			site.ServeHTTP(w, httptest.NewRequest("GET", demo.Home+p.Path[1:], nil))
			if w.Code == http.StatusOK {
				compare(p.Path, w.Body.Bytes())
			}
		}
	}
	for _, folder := range filepath.SplitList(os.Getenv("HARVIK_CORPUS")) {
		n := 0
		folder, err := filepath.EvalSymlinks(folder)
		if err != nil {
			t.Fatal(err)
		}
		err = filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".html") || n >= 400 {
				return err
			}
			n++
			body, err := os.ReadFile(path)
			if err == nil {
				compare(path, []byte(strings.ToValidUTF8(string(body), "\uFFFD")))
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		t.Logf("%s: %d files compared", folder, n)
	}
}
