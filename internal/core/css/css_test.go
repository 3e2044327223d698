package css

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

func TestRules(t *testing.T) {
	for css, want := range map[string]string{
		`.a, .b { background: url(x.png) }`:                                   "x.png [.a, .b] []",
		`.a { cursor: url(x.png), auto }`:                                     "x.png [] [.a]",
		`@media screen { .a { list-style: url(x.png) } }`:                     "x.png [.a] []",
		`@MEDIA (width > 9em) { .a { background: url(x.png) } }`:              "x.png [] [.a]",
		`@supports (a: b) { .a { background: url(x.png) } }`:                  "x.png [] [.a]",
		`@layer base { .a { background: url(x.png) } }`:                       "x.png [.a] []",
		`.a { & .b { background: url(x.png) } }`:                              "x.png [] [.a]",
		`.a { @media print { background: url(x.png) } }`:                      "x.png [] [.a]",
		`@keyframes k { from { background: url(x.png) } }`:                    "x.png [] [*]",
		`@page { background: url(x.png) }`:                                    "x.png [] [*]",
		strings.Repeat(".long-name, ", 100) + `.a { background: url(x.png) }`: "x.png [] [*]",
		`/* .no */ .a /* { */ > .b { -webkit-mask: url(x.png) }`:              "x.png [.a   > .b] []",
		`@import "a.css";`:                            "a.css [] []",
		`@import url(a.css) screen;`:                  "a.css [] []",
		`@import url(a.css) layer(base);`:             "a.css [] []",
		`@import url(a.css) print;`:                   "a.css [] [*]",
		`@import "a.css" layer(base) supports(a: b);`: "a.css [] [*]",
		`.a{color:red}.b{background:url(x.png)}@media all{.c{background:url(y.png)}`: "x.png [.b] []; y.png [.c] []",
	} {
		var got []string
		for _, r := range Sheet(css) {
			got = append(got, fmt.Sprintf("%s [%s] [%s]", r.Address, r.Rules, r.Under))
		}
		if strings.Join(got, "; ") != want {
			t.Errorf("%s: %q, want %q", css, got, want)
		}
	}
}

// outlined is html > body#top.home > (main > div.bed.wet > p*2, footer > a.md:link, ul > li#part-n*9 > b, aside#left,
// aside#right).
func outlined() *Outline {
	var o Outliner
	o.Begin()
	html := o.Enter(-1, "html", "", "")
	o.Enter(html, "head", "", "")
	body := o.Enter(html, "body", "top", "home")
	bed := o.Enter(o.Enter(body, "main", "", ""), "div", "", " bed\twet ")
	if a, b := o.Enter(bed, "p", "", ""), o.Enter(bed, "p", "", ""); a != b {
		panic("two elements that stand alike are two nodes")
	}
	o.Enter(o.Enter(body, "footer", "", ""), "a", "", "md:link")
	list := o.Enter(body, "ul", "", "")
	for i := range 9 {
		o.Enter(o.Enter(list, "li", fmt.Sprint("part-", i), ""), "b", "", "")
	}
	o.Enter(body, "aside", "left", "")
	o.Enter(body, "aside", "right", "")
	return o.Outline()
}

func TestMatch(t *testing.T) {
	packed, err := Unpack(outlined().Pack())
	if err != nil {
		t.Fatal(err)
	}
	for selectors, want := range map[string]Answer{
		"p": Yes, "P": Yes, "*": Yes, ".bed": Yes, ".bed.wet": Yes, "div.wet": Yes, "#top": Yes, "body#top.home": Yes,
		":root": Yes, "p::before": Yes, "p:after": Yes, "main p": Yes, "body .bed>p": Yes, "main > .bed > p": Yes,
		`.md\:link`: Yes, `.md\3a link`: Yes,
		".frame, p": Yes, "html body main div p": Yes, "body * p": Yes, "h1, \n h2, footer   a": Yes,
		".Bed": No, ".frame": No, "p.bed": No, "body#home": No, "main > p": No, "footer p": No, "p .bed": No,
		".bed .bed": No, "a:hover p": No, "html > p": No,
		".frame:hover": No, "a > *": No, ".frame, .more": No, "main + p": No, "body > .bed > p": No,
		".frame:not(.x, p)": No, ".bed::before p::after a": No,
		// one of the list's parts, whose ids are not kept, may have it
		"#gone": Perhaps, "aside#gone": No, "div#top": No,
		"#left": Perhaps, "#part-1 b": Perhaps, // several elements stand so
		"p:hover": Perhaps, "p:first-child": Perhaps, "a[href]": Perhaps, `a[title="a, b] .frame"]`: Perhaps,
		"main + footer": Perhaps, "main ~ footer a": Perhaps,
		".bed:not(.dry)": Perhaps, ":is(.bed, .frame)": Perhaps, "svg|a": Perhaps, "": Perhaps, ">": Perhaps,
		"p >": Perhaps, "p > > p": Perhaps, ".": Perhaps, "p:": Perhaps,
		"p:not(": Perhaps, "a[": Perhaps, "& p": Perhaps, "50%": Perhaps, ".9a": Perhaps,
		strings.Repeat("p ", 60): Perhaps,
	} {
		for name, o := range map[string]*Outline{"as built": outlined(), "packed": packed} {
			if got := o.Match(selectors); got != want {
				t.Errorf("%q matches %s: %d, want %d", selectors, name, got, want)
			}
		}
	}
	if a := new(Outline).Match("p"); a != Perhaps {
		t.Errorf("a page of which nothing is known is matched: %d", a)
	}
	for _, c := range []struct {
		rules, under string
		want         Answer
	}{{"p", "", Yes}, {"", "p", Perhaps}, {"h1", "p", Perhaps}, {"p", "h1", Yes}, {"h1", "h2", No}, {"", "",
		Perhaps}, {"p:hover", "h1", Perhaps}} {
		if got := packed.Applies(c.rules, c.under); got != c.want {
			t.Errorf("rules %q, under conditions %q: %d, want %d", c.rules, c.under, got, c.want)
		}
	}
}

func TestOutlineBounds(t *testing.T) {
	var o Outliner
	o.Begin()
	at := int32(-1)
	for i := range 3 * mostNodes {
		at = o.Enter(at, "div", "", fmt.Sprintf("c%d", i))
	}
	packed, err := Unpack(o.Outline().Pack())
	if err != nil || !packed.Cut || len(packed.nodes) != mostNodes {
		t.Fatalf("%d nodes, cut %v: %v", len(packed.nodes), packed.Cut, err)
	}
	if a, b := packed.Match(".c7"), packed.Match(".never"); a != Yes || b != Perhaps {
		t.Errorf("a page that was cut: what is there %d, what may be there %d", a, b)
	}
	if got := packed.Match(strings.TrimSuffix(strings.Repeat("div > div ", 20), " ")); got != Yes {
		t.Errorf("a long selector on a deep page: %d", got)
	}
	o.Begin()
	if o.Enter(-1, "p", "", manyClasses(9*mostTokens)); !o.Outline().Cut {
		t.Error("an element's classes have no bound")
	}
}

// TestWorkBound: a page that is asked for more than any stylesheet holds answers soon, and claims nothing.
func TestWorkBound(t *testing.T) {
	o := outlined()
	for asked := 0; o.Match(strings.Repeat(".frame p, ", 500)+".frame") == No; asked++ {
		if asked > mostWork {
			t.Fatal("what is asked of a page has no bound")
		}
	}
	if a, b := o.Match("p"), o.Match(".frame"); a != Perhaps || b != Perhaps {
		t.Errorf("beyond the bound: %d and %d", a, b)
	}
	if a := outlined().Match("p"); a != Yes {
		t.Errorf("another page pays for it: %d", a)
	}
}

func manyClasses(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "c%d ", i)
	}
	return b.String()
}

func FuzzUnpack(f *testing.F) {
	f.Add(outlined().Pack(), "main > p")
	f.Add([]byte{0, 1, 1, 2, 3, 4, 1, 1, 0}, "a, b")
	f.Fuzz(func(t *testing.T, data []byte, selectors string) {
		o, err := Unpack(data)
		if err != nil {
			return
		}
		o.Match(selectors)
		again, err := Unpack(o.Pack())
		if err != nil || !slices.Equal(again.nodes, o.nodes) || !slices.Equal(again.tokens, o.tokens) ||
			!slices.Equal(again.names, o.names) || !slices.Equal(again.ids, o.ids) {
			t.Errorf("packed anew it is another: %v", err)
		}
	})
}

func FuzzSheet(f *testing.F) {
	f.Add(`@import "a.css" layer(x); @media print { .a { background: url(x.png) } }`)
	f.Fuzz(func(t *testing.T, css string) {
		for _, r := range Sheet(css) {
			if r.Address == "" || r.Line < 1 || r.Rules != "" && r.Under != "" {
				t.Errorf("%+v", r)
			}
			outlined().Applies(r.Rules, r.Under)
		}
		Declarations(css)
	})
}
