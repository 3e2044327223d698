package css

import (
	"fmt"
	"strings"
	"testing"
)

// told writes what a stylesheet loads as kind:address@line.
func told(refs []Reference) string {
	var out []string
	for _, r := range refs {
		out = append(
			out,
			fmt.Sprintf("%s:%s@%d", [...]string{Image: "image", Font: "font", Import: "import"}[r.Kind], r.Address, r.Line),
		)
	}
	return strings.Join(out, " ")
}

// TestSheet reads what browsers load and nothing that they do not, each with its line.
func TestSheet(t *testing.T) {
	for css, want := range map[string]string{
		"":                                   "",
		".a { background: url(x.png) }":      "image:x.png@1",
		".a {\n background:\n url(x.png)\n}": "image:x.png@3",
		".a { background: url(x.png), url(y.png); color: red; border-image: url(z.png) }": "image:x.png@1 image:y.png@1 image:z.png@1",
		".a { background: URL(x.png) }":                   "image:x.png@1",
		"url(":                                            "",
		".a { mask: u":                                    "",
		".a { background: curl(x.png) }":                  "",
		".a { background: 0url(x.png) }":                  "",
		".a { background: url( \t\n 'x y.png' ) }":        "image:x y.png@1",
		`.a { background: url("x\".png") }`:               `image:x".png@1`,
		`.a { background: url(x\ y.png) }`:                "image:x y.png@1",
		".a { background: url(x.png":                      "",
		".a { background: url(":                           "",
		".a { background: url(data:image/png;base64,x) }": "",
		".a { background: url(#gradient) }":               "",
		".a { background: url() }":                        "",
		"@font-face { src: url(f.woff2) }":                "font:f.woff2@1",
		"@font-face { src: url(a.woff2), url(b.woff) } .a { background: url(x.png) }":                            "font:a.woff2@1 font:b.woff@1 image:x.png@1",
		"@import 'a.css'; .a { background: url(x.png) }":                                                         "import:a.css@1 image:x.png@1",
		".a { color: red } @import 'a.css';":                                                                     "",
		"@media all { } @import 'a.css';":                                                                        "",
		"@namespace svg url(http://www.w3.org/2000/svg); @import 'a.css';":                                       "",
		"@charset \"utf-8\"; @import 'a.css';":                                                                   "import:a.css@1",
		"@layer a, b; @import 'a.css';":                                                                          "import:a.css@1",
		"/* @import 'no.css'; */\n@import 'a.css';":                                                              "import:a.css@2",
		"/* no end @import 'no.css';":                                                                            "",
		".a { background: 'no end":                                                                               "",
		".a { background: 'no end\\":                                                                             "",
		".a { content: 'no end\n; background: url(x.png) } .b { background: url(y.png) }":                        "image:x.png@2 image:y.png@2",
		".a { background: url(x.png) !important }":                                                               "image:x.png@1",
		".a { background: url(x.png) !ie }":                                                                      "",
		".a { background: url(x!.png) }":                                                                         "image:x!.png@1",
		".a { _background: url(x.png); *background: url(y.png); behavior: url(z.htc) }":                          "",
		".a { : url(x.png); background url(y.png) }":                                                             "",
		"} .a { background: url(x.png) }":                                                                        "image:x.png@1",
		"} } .a { background: url(x.png) } }}} .b { background: url(y.png) }":                                    "image:x.png@1 image:y.png@1",
		"@unknown { .a { background: url(x.png) } } .b { background: url(y.png) }":                               "image:y.png@1",
		"@-moz-document url(x.html) { .a { background: url(x.png) } }":                                           "image:x.png@1",
		".a { background: 'x.png' url(y.png) }":                                                                  "image:y.png@1",
		".zZ-_9\u00e9 { background: url(x.png) }":                                                                "image:x.png@1",
		".a { background-Z: url(x.png); backgroundz0: url(y.png); zA9-_: url(z.png) }":                           "image:x.png@1 image:y.png@1 image:z.png@1",
		".a { background: url(x.png)\n}\n.b { background: url(y.png) }\n@media all {\n.c { mask: url(z.png) } }": "image:x.png@1 image:y.png@3 image:z.png@5",
	} {
		if got := told(Sheet(css)); got != want {
			t.Errorf("%s: %q, want %q", css, got, want)
		}
	}
	for css, want := range map[string]string{
		"background: url(x.png); color: red; mask: url( y.png )": "image:x.png@1 image:y.png@1",
		"background: url('x.png') !important":                    "image:x.png@1",
		"color: red":                                             "",
	} {
		if got := told(Declarations(css)); got != want {
			t.Errorf("style %s: %q, want %q", css, got, want)
		}
	}
}

// TestSheetBounds takes so many addresses of a stylesheet and no more, and keeps selectors up to a length.
func TestSheetBounds(t *testing.T) {
	one := ".a{background:url(x.png)}"
	for _, n := range []int{mostReferences - 1, mostReferences, mostReferences + 1} {
		want := min(n, mostReferences)
		if got := len(Sheet(strings.Repeat(one, n))); got != want {
			t.Errorf("%d addresses are taken as %d", n, got)
		}
		if got := len(Sheet(".a{background:" + strings.Repeat("url(x.png),", n) + "url(y.png)}")); got != min(
			n+1,
			mostReferences,
		) {
			t.Errorf("%d addresses of one declaration are taken as %d", n+1, got)
		}
	}
	long := "." + strings.Repeat("a", longestSelectors-1)
	if got := Sheet(long + "{background:url(x.png)}"); got[0].Rules != long {
		t.Errorf("the longest selector is kept as %q, under %q", got[0].Rules, got[0].Under)
	}
	if got := Sheet(long + "a{background:url(x.png)}"); got[0].Rules != "" || got[0].Under != Anything {
		t.Errorf("a longer one is kept as %q, under %q", got[0].Rules, got[0].Under)
	}
}

// TestEscapes reads names as CSS writes what cannot stand in them.
func TestEscapes(t *testing.T) {
	for in, want := range map[string]string{
		`a`: "a|", `a b`: "a| b", `\31 a`: "1a|", `\000031a`: "1a|", `\0000311`: "11|", `\41`: "A|", `\e9 x`: "éx|", `\E9x`: "éx|",
		`\:x`: ":x|", `a\`: `a|\`, `9a`: "|9a", `a9`: "a9|", `a0`: "a0|", `-9`: "-9|", `\39`: "9|", "\\39\tx": "9x|", `\é`: "é|", `_z`: "_z|",
		`\3a link`: ":link|", `\aF`: "\u00af|",
	} {
		name, rest, ok := identifier(in)
		if got := name + "|" + rest; got != want || ok != (name != "") {
			t.Errorf("%s: %q, %v, want %q", in, got, ok, want)
		}
	}
}

// TestGroups: commas, brackets and quotes within brackets and quotes part nothing.
func TestGroups(t *testing.T) {
	for in, want := range map[string]string{
		`a, b`: "a| b", `a[title="x, y"], b`: `a[title="x, y"]| b`, `a[title="x\", y"], b`: `a[title="x\", y"]| b`,
		`:is(a, :not(b, c)), d`: ":is(a, :not(b, c))| d", `a[x='],'], b`: `a[x='],']| b`, `a\,b, c`: `a\,b| c`,
		`"a, b`: `"a, b`, `(a, b`: `(a, b`, `:is(a\), b), c`: `:is(a\), b)| c`,
	} {
		if got := strings.Join(split(in), "|"); got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
}

// TestFirstElement: what stands at the top, or is met first, is told as surely as the rest.
func TestFirstElement(t *testing.T) {
	var o Outliner
	o.Begin()
	html := o.Enter(-1, "html", "first", "")
	body := o.Enter(html, "body", "", "")
	plain := o.Enter(body, "p", "", "")
	classed := o.Enter(body, "p", "second", "note")
	if plain == classed {
		t.Fatal("an element of a class stands as one without")
	}
	packed, err := Unpack(o.Outline().Pack())
	if err != nil {
		t.Fatal(err)
	}
	for selector, want := range map[string]Answer{
		"html p": Yes, "html > body": Yes, "#first": Yes, "#first p": Yes, "#second": Yes, "p.note#second": Yes, "html#second": No,
		"body#first": No, "p[title] html": No, "a[href].x": No, "p[title].note": Perhaps, "p[title].other": No,
	} {
		if got := packed.Match(selector); got != want {
			t.Errorf("%s: %d, want %d", selector, got, want)
		}
	}
}

// TestIDs: the ids of elements that stand alike are kept up to a number, in whatever order they come, and one that is
// not among them is on none.
func TestIDs(t *testing.T) {
	for n := range manyIDs + 1 {
		var o Outliner
		o.Begin()
		html := o.Enter(-1, "html", "", "")
		o.Enter(html, "p", "", "note")
		o.Enter(html, "div", "", "other")
		o.Enter(html, "h1", "title", "")
		for i := range n {
			o.Enter(html, "p", fmt.Sprint("part-", i), "note")
		}
		packed, err := Unpack(o.Outline().Pack())
		if err != nil {
			t.Fatal(err)
		}
		want := map[string]Answer{
			"#title":    Yes,
			"p#title":   No,
			"p#gone":    No,
			"div.note":  No,
			"p.other":   No,
			"div.other": Yes,
		}
		if n > 0 {
			want["#part-0"] = Perhaps // of several
		}
		if n >= manyIDs {
			want["p#gone"], want["p#title"] = Perhaps, Perhaps
		}
		for selector, answer := range want {
			if got := packed.Match(selector); got != answer {
				t.Errorf("%s beside %d ids: %d, want %d", selector, n, got, answer)
			}
		}
	}
}

// TestManyTokens takes so many names of a page, and the last of them as surely as the first.
func TestManyTokens(t *testing.T) {
	var o Outliner
	o.Begin()
	o.Enter(-1, "p", "", manyClasses(mostTokens-1))
	if out := o.Outline(); out.Cut || out.Match(fmt.Sprintf(".c%d", mostTokens-2)) != Yes {
		t.Errorf("as many as are taken: cut %v", out.Cut)
	}
	o.Begin()
	o.Enter(-1, "p", "", manyClasses(mostTokens))
	if out := o.Outline(); !out.Cut || out.Match(".c0") != Yes {
		t.Errorf("one more: cut %v", out.Cut)
	}
}

// TestBeside asks about neighbours where an element is the first or the last of the page.
func TestBeside(t *testing.T) {
	var o Outliner
	o.Begin()
	o.Enter(o.Enter(o.Enter(-1, "html", "", ""), "body", "", ""), "p", "", "")
	for selector, want := range map[string]Answer{"html + p": No, "body + p": No, "p + p": Perhaps, "html ~ html": Perhaps} {
		if got := o.Outline().Match(selector); got != want {
			t.Errorf("%s: %d, want %d", selector, got, want)
		}
	}
}

// TestDamaged: what is cut or changed on its way is damaged, or read within bounds.
func TestDamaged(t *testing.T) {
	whole := outlined().Pack()
	for n := 1; n < len(whole); n++ {
		if o, err := Unpack(whole[:n]); err == nil && len(o.nodes) >= len(outlined().nodes) {
			t.Errorf("%d bytes of %d hold all", n, len(whole))
		}
	}
	for name, data := range map[string][]byte{
		"more names than bytes":      {0, 9, 1, 2, 3, 4},
		"no nodes":                   {0, 1, 1, 2, 3, 4},
		"a parent before the first":  {0, 1, 1, 2, 3, 4, 1, 1, 0, 0},
		"a name that is not there":   {0, 1, 1, 2, 3, 4, 0, 1, 1, 0},
		"an id that is not there":    {0, 1, 1, 2, 3, 4, 0, 1, 0, 1, 1},
		"too many ids":               {0, 1, 1, 2, 3, 4, 0, 1, 0, 7},
		"more tokens than bytes":     {0, 1, 1, 2, 3, 4, 0, 90, 0, 0},
		"a number that does not end": {0, 0x80, 0x80},
	} {
		if o, err := Unpack(data); err == nil {
			t.Errorf("%s: %+v", name, o)
		}
	}
	if o, err := Unpack([]byte{0, 1, 1, 2, 3, 4, 0, 1, 0, 5}); err != nil || o.nodes[0].ids != manyIDs {
		t.Errorf("an element of many ids: %+v (%v)", o, err)
	}
}
