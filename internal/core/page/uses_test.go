package page

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/weburl"
)

func listed(uses []Use) (out []string) {
	for _, u := range uses {
		out = append(out, fmt.Sprintf("%s %s %s", u.Role, strings.TrimPrefix(u.Address, "https://fernhollow.example"),
			u.By))
	}
	return out
}

func TestUses(t *testing.T) {
	at, err := weburl.Parse("https://fernhollow.example/visit/")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name, html string
		want       []string
	}{
		{"an image", `<img src="a.png">`, []string{"image /visit/a.png img"}},
		{"an image twice", `<img src="a.png"><img src="./a.png#x">`, []string{"image /visit/a.png img"}},
		{"a srcset with commas", `<img srcset="a.png, b.png 2x,c,d.png 300w,, e.png">`,
			[]string{"image /visit/a.png srcset", "image /visit/b.png srcset", "image /visit/c,d.png srcset",
				"image /visit/e.png srcset"}},
		{"a picture", `<picture><source srcset="w.webp"><img src="w.png"></picture>`,
			[]string{"image /visit/w.webp srcset", "image /visit/w.png img"}},
		{"video", `<video src="v.mp4" poster="p.jpg"><source src="v.webm"><track src="t.vtt"></video>`,
			[]string{"media /visit/v.mp4 video", "image /visit/p.jpg poster", "media /visit/v.webm source",
				"other /visit/t.vtt track"}},
		{"the head", `<head><base href="/x/"><link rel="stylesheet" href="s.css"><script src="s.js"></script><link rel="shortcut icon" href="i.ico"><link rel="preload" as="font" href="f.woff2"><link rel="preload" href="n"><link rel="canonical" href="c"></head>`,
			[]string{"stylesheet /x/s.css link", "script /x/s.js script", "image /x/i.ico icon",
				"font /x/f.woff2 preload"}},
		{"an inline style", `<div style="background: url('b(1).png')"><p style="color: red">`,
			[]string{"image /visit/b(1).png style"}},
		{"a style element", `<style>@font-face { src: url(f.woff) } /* url(no.png) */ a { background: url( "b.png" ) }</style><p><a>`,
			[]string{"font /visit/f.woff style", "image /visit/b.png style"}},
		{"a style element whose rule is for nothing here",
			`<style>.no { background: url(a.png) } p, .no { background: url(b.png) }</style><p>`,
			[]string{"image /visit/a.png rule", "image /visit/b.png style"}},
		{"a rule for nothing, and an image",
			`<style>.no { background: url(a.png) }</style><link rel=icon href=b.png><img src=a.png><img src=b.png>`,
			[]string{"image /visit/a.png img", "image /visit/b.png img"}},
		{"stylesheets for some", `<link rel=stylesheet href=a.css media=print><link rel=stylesheet href=b.css media="screen"><link rel="alternate stylesheet" href=c.css><link rel=stylesheet href=d.css media=print><link rel=stylesheet href=d.css>`,
			[]string{"stylesheet /visit/a.css link for some media", "stylesheet /visit/b.css link",
				"stylesheet /visit/c.css link for some media", "stylesheet /visit/d.css link"}},
		{"nothing to load", `<img src=""><img src="data:image/png;base64,AAAA"><script>var x = "a.js"</script><noscript><img src="n.png"></noscript>`, nil},
		{"another scheme", `<img src="ftp://fernhollow.example/a.png"><img src="http://[bad/">`, nil},
	} {
		doc := Read(Response{Address: at, Status: 200, ContentType: "text/html; charset=utf-8", Body: []byte(c.html)})
		if got := listed(doc.Uses); !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestStylesheet(t *testing.T) {
	at, _ := weburl.Parse("https://fernhollow.example/css/main.css")
	for css, want := range map[string][]string{
		`@import "a.css"; @import url(b.css) print; b { background: url(c.png) }`: {"stylesheet /css/a.css css",
			"stylesheet /css/b.css css", "image /css/c.png css"},
		`a::before { content: "url(no.png)" } /* url(no.png)`: nil,
		`@FONT-FACE { src: URL("x.woff2") format("woff2"), url(y.woff) } .a { background: url(z.svg#part) }`: {
			"font /css/x.woff2 css", "font /css/y.woff css", "image /css/z.svg css"},
		`a { b: url(`: nil,
		`a { background: url(x.png) !ie; *background: url(y.png); _background: url(z.png); background: url(w.png) !important }`: {"image /css/w.png css"},
		"/* " + strings.Repeat("a licence ", 50) +
			`*/ @import url(a.css);`: {"stylesheet /css/a.css css"},
		`@nonsense { a { background: url(x.png) } } @media print { a { background: url(y.png) } }`: {"image /css/y.png css"},
		`a { background: url(x.png) } @import "late.css"; @font-face { src: url(f.woff) }`:         {"image /css/x.png css", "font /css/f.woff css"},
		`@charset "utf-8"; @layer base; @import "a.css" layer(base); a { content: "no end
			; background: url(x.png) } b { background: url(y.png) }`: {"stylesheet /css/a.css css", "image /css/x.png css", "image /css/y.png css"},
		`a { color: red; &:hover { background: url(x.png) } @media (width > 9em) { background: url(y.png) } }`:      {"image /css/x.png css", "image /css/y.png css"},
		`@-webkit-keyframes k { from { background: url(x.png) } } a { behavior: url(y.htc); background: url(z.png)`: {"image /css/x.png css", "image /css/z.png css"},
		`a { b: myurl(x.png); c: url(#id) }`: nil,
	} {
		if got := listed(Stylesheet(&at, []byte(css))); !slices.Equal(got, want) {
			t.Errorf("%s: %q, want %q", css, got, want)
		}
	}
}
