package page

import (
	"testing"
	"unicode/utf8"

	"harvik/internal/core/weburl"
)

// FuzzRead holds that any bytes give facts: valid text, positions inside the source,
// resolved addresses, and the same facts every time.
func FuzzRead(f *testing.F) {
	for _, s := range []string{
		"<!doctype html><html lang=en><title>a</title><h1>b</h1><a href='../c#d'>e<img alt=f></a>",
		"<title>a<h1>b</title><svg><title>c</title></svg><table><a href=x><tr><td><a href=y>",
		"<base href='//x/'><a href=z rel='NOFOLLOW x'><template><h1>t</h1></template><noscript><h1>n</h1></noscript>",
		"<meta name=robots content='NoIndex,nofollow'><link rel=canonical href=/c><meta name=description content=' x  y '>",
		"\xff\xfe<\x00h\x001\x00>\x00", "<!--><h1>a</h1>--><h1 title='>'>b",
		"<script></scrip><h1>no</h1></script><h1>yes",
		"<meta charset=windows-1252>\x93x\x94", "<div><p><b><a href=1><b><p><a href=2></div><i></b>",
	} {
		f.Add([]byte(s), "text/html")
	}
	address, err := weburl.Parse("http://example.org/a/b")
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, body []byte, contentType string) {
		d := Read(Response{Address: address, Status: 200, ContentType: contentType, Body: body})
		if !utf8.ValidString(d.MainText) || !utf8.ValidString(d.Title()) || !utf8.ValidString(d.H1()) {
			t.Fatal("text is not valid UTF-8")
		}
		for _, h := range d.Headings {
			if h.Level < 1 || h.Level > 6 || h.Line < 0 || h.Col < 0 || h.Line > len(body)+1 {
				t.Fatalf("heading %+v", h)
			}
		}
		for _, l := range d.Links {
			if l.Address != "" {
				if u, err := weburl.Parse(l.Address); err == nil && u.IsHTTP() && u.Key() != l.Address {
					t.Fatalf("link address %q is not in normal form", l.Address)
				}
			}
		}
		again := Read(Response{Address: address, Status: 200, ContentType: contentType, Body: body})
		if again.TextHash != d.TextHash || len(again.Links) != len(d.Links) || again.Words != d.Words {
			t.Fatal("the same bytes gave other facts")
		}
	})
}
