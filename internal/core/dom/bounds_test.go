package dom

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// element is the first of a name.
func element(t *testing.T, tree *Tree, name atom.Atom) *Node {
	t.Helper()
	i := slices.IndexFunc(tree.Nodes, func(n Node) bool { return n.Kind == Element && n.Name == name })
	if i < 0 {
		t.Fatalf("there is no %s", name)
	}
	return &tree.Nodes[i]
}

func count(tree *Tree, name atom.Atom) (n int) {
	for i := range tree.Nodes {
		if tree.Nodes[i].Kind == Element && tree.Nodes[i].Name == name {
			n++
		}
	}
	return n
}

// TestAttr reads attributes by name, and what stands directly in an element.
func TestAttr(t *testing.T) {
	var p Parser
	tree := p.Parse(
		[]byte(`<title>Ferns &amp; moss</title><p class="a" ID = 'b' hidden title=x&y CLASS=no><i><b>x</b></i><u></u>`),
	)
	at := element(t, tree, atom.P)
	for name, want := range map[string]string{"class": "a", "id": "b", "title": "x&y", "hidden": ""} {
		if got, ok := tree.Attr(at, name); !ok || got != want {
			t.Errorf("%s: %q, %v", name, got, ok)
		}
	}
	for _, name := range []string{"ID", "x", ""} {
		if got, ok := tree.Attr(at, name); ok {
			t.Errorf("%q: %q", name, got)
		}
	}
	if _, ok := tree.Attr(element(t, tree, atom.I), "class"); ok {
		t.Error("an element has the attributes of another")
	}
	for name, want := range map[atom.Atom]string{atom.Title: "Ferns & moss", atom.B: "x", atom.I: "", atom.U: ""} {
		if got := tree.Content(element(t, tree, name)); got != want {
			t.Errorf("in %s stands %q", name, got)
		}
	}
}

// TestAttributeBound takes so many attributes of an element, and no more from a second body tag.
func TestAttributeBound(t *testing.T) {
	var p Parser
	attrs := func(name string, n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, " %s%d=x", name, i)
		}
		return b.String()
	}
	for n, want := range map[int]int{maxAttributes: maxAttributes, maxAttributes + 1: maxAttributes} {
		tree := p.Parse([]byte("<p" + attrs("a", n) + ">"))
		if p := element(t, tree, atom.P); int(p.attrsEnd-p.attrs) != want {
			t.Errorf("%d attributes are %d", n, p.attrsEnd-p.attrs)
		}
		tree = p.Parse(
			[]byte("<body" + attrs("a", maxAttributes-4) + "><body" + attrs("b", n-maxAttributes+4) + attrs("a", 9) + ">"),
		)
		if body := element(t, tree, atom.Body); int(body.attrsEnd-body.attrs) != want {
			t.Errorf("%d attributes of two tags are %d", n, body.attrsEnd-body.attrs)
		}
	}
	if tree := p.Parse([]byte(`<html lang=en><body class=a><p>x<html lang=de id=b><body class=c hidden>`)); true {
		body, root := element(t, tree, atom.Body), element(t, tree, atom.Html)
		class, _ := tree.Attr(body, "class")
		_, hidden := tree.Attr(body, "hidden")
		lang, _ := tree.Attr(root, "lang")
		id, _ := tree.Attr(root, "id")
		if class != "a" || !hidden || lang != "en" || id != "b" {
			t.Errorf("class %q, hidden %v, lang %q, id %q", class, hidden, lang, id)
		}
	}
}

// TestFaultBound keeps so many faults and counts the others; likewise frames that browsers pass over.
func TestFaultBound(t *testing.T) {
	var p Parser
	for n, more := range map[int]int{MaxFaults: 0, MaxFaults + 1: 1, MaxFaults + 7: 7} {
		tree := p.Parse([]byte("<!doctype html><title>x</title><p>x</p>" + strings.Repeat("</i>", n)))
		if len(tree.Faults) != min(n, MaxFaults) || tree.More != more {
			t.Errorf("%d faults: %d and %d more", n, len(tree.Faults), tree.More)
		}
	}
	for n, want := range map[int]int{1: 1, MaxFaults: MaxFaults, MaxFaults + 1: MaxFaults} {
		if tree := p.Parse([]byte("<body><p>x" + strings.Repeat("<frame>", n))); len(tree.Frames) != want {
			t.Errorf("%d frames that are passed over: %d", n, len(tree.Frames))
		}
	}
	long := p.Parse([]byte("<p>x</p></" + strings.Repeat("A", 60) + ">"))
	if len(long.Faults) != 1 || long.Faults[0].Name != strings.Repeat("a", 40) {
		t.Errorf("a long name: %+v", long.Faults)
	}
	src := "<!doctype html><title>x</title><body>x</body></html>\n  late"
	if tree := p.Parse([]byte(src)); len(tree.Faults) != 1 || src[tree.Faults[0].At:] != "late" {
		t.Errorf("text behind the end: %+v", tree.Faults)
	}
}

// TestDepth: elements beyond the deepest stand beside it, whose end tags close nothing else; up to it all is as
// written.
func TestDepth(t *testing.T) {
	var p Parser
	nested := func(n int, inner string) string {
		return "<!doctype html><title>x</title><body>" + strings.Repeat(
			"<div>",
			n,
		) + inner + strings.Repeat(
			"</div>",
			n,
		) + "<main>x</main>"
	}
	most := MaxDepth - 2 // besides html and body
	tree := p.Parse([]byte(nested(most, "x")))
	if tree.TooDeep || len(tree.Faults) > 0 {
		t.Errorf("as deep as can be: too deep %v, faults %v", tree.TooDeep, tree.Faults)
	}
	for _, extra := range []int{1, 2, 30} {
		tree = p.Parse([]byte(nested(most+extra, "<b>y</b>")))
		if !tree.TooDeep || len(tree.Faults) > 0 {
			t.Errorf("%d deeper: too deep %v, faults %v", extra, tree.TooDeep, tree.Faults)
		}
		if at := element(t, tree, atom.Main); tree.Nodes[at.Parent].Name != atom.Body {
			t.Errorf("%d deeper: what follows stands in %s", extra, tree.Nodes[at.Parent].Name)
		}
		if got := count(tree, atom.Div); got != most+extra {
			t.Errorf("%d deeper: %d elements", extra, got)
		}
	}
	// formatting elements that were closed for it are not opened again by what follows
	tree = p.Parse([]byte(nested(most-1, "<b><i>x</i></b>")))
	if b, i := count(tree, atom.B), count(tree, atom.I); b != 1 || i != 1 {
		t.Errorf("%d and %d formatting elements of one each", b, i)
	}
	tree = p.Parse([]byte(nested(most+1, "<title>no</div></title>")))
	if got := tree.Content(&tree.Nodes[slices.IndexFunc(tree.Nodes[9:],
		func(n Node) bool { return n.Name == atom.Title })+9]); got != "no</div>" {
		t.Errorf("the text of an element too deep: %q", got)
	}
}

// TestUnended: what the source ends in is what the library makes of it.
func TestUnended(t *testing.T) {
	var p Parser
	for _, src := range []string{
		"<title>a &amp; b", "<textarea>a &amp; b", "<style>a &amp; b", "<script>a &amp; b", "<xmp>a</xm", "<title>a</", "<title>a</title", "<title>a</title ",
		"<p a", "<p a=", "<p a =", "<p a = ", "<p a = b", "<p a= \n b>x", "<p a=b", "<p a='b", "<p a=\"b", "<p a=b/>x", "<p/a>x", "<p =a>x", "<p a==b>x",
		"<!", "<!x", "<!--", "<!--a", "<!--a-", "<!--a--", "<!--a--!", "<!--a--!>b", "<!-->b", "<!--->b", "<!--a-!>b-->c", "<?x", "<?x>y", "</>x", "</ x>y", "<", "a<", "<1>",
		"<p a=&amp>x", "<p a=&ampx>x", "<p a=&amp=x>x", "<p a=&amp;x>x", "<p a=&notit;>x", "<p a=&not=x>x", "<p a='&nbsp;&quot;'>x", "<p a=&#65>x", "<p a=&#65;=x>x", "<p a=&x;>x",
		"<p a=&copy1>x", "<p a=&copy;1>x", "<p a=&notin;>x", "&notit; &amp &copy", "<p a=&>x", "<p a=&#>x",
		"<pre>\nx</pre>", "<pre>\n\nx", "<textarea>\nx", "<pre>x", "<listing>\n", "a\n<b>b\nc</b>\nd",
		"<table>x<tr>y<td>z</table>w", "<table><b>x<tr><td>y</table>z", "<table> <tr> x</table>", "<template><tr><td>x</template>y", "<table><template>x</template></table>",
		"<frameset><frame></frameset> x <frame>", "<frameset></frameset></html> <noframes>x</noframes> y", "<html><frameset><frameset><frame></frameset>x</frameset>",
		"<select><option>a<select>b", "<ruby>a<rt>b<rp>c<rtc>d<rb>e", "<button>a<button>b", "<nobr>a<nobr>b", "<a>b<a>c<div>d</a>e", "<b><p><i>x</b>y</p>z",
		"<h1>a<h2>b</h1>c", "<li>a<li>b<ul><li>c</ul>d", "<dd>a<dt>b<div><dd>c</div>", "</p>a</br>b", "<form>a<form>b</form>c</form>d", "<template><form></form></template>",
		"<x-a>a<x-b>b</x-a>c</x-b>d", "<x-a>a</x-b>b", "a</body>b</body>c</html>d", "a</html> <p>b", "<template></body>a", "<p>a</body><!-- --></html><html lang=x>b",
		"<b><b><b><b><b><p>a</b>b</p>", "<b>a<i>b<u>c<p>d</b>e</i>f</p>g", "<a><b><i><div>x</a>y</div>z", "<font><p>a</font>b<font>c", "<b c=1><b c=1><b c=1><b c=1><p></p></b>x",
		"<i><table><td>a</i>b</table>c", "<object><b>a</object>b", "<td><b>a</td>b", "<p><b><i><u>a<p>b</u></i></b>c",
		"<svg><p>x", "<svg><title>a<p>b</svg>c", "<math><mi>a<p>b", "<svg></p>x", "<svg><![CDATA[a]]>b", "<p><table><td></p>x", "<body><table><caption>a<tr><td>b",
		"<table><colgroup><col>x</table>", "<table><td>a</th>b<th>c</td>d", "<table></tr></tbody></td>x", "<table><tr></table>x</tr>", "<p>a</sarcasm>b", "<marquee>a</b></marquee>b",
	} {
		root, err := html.Parse(strings.NewReader(src))
		if err != nil {
			t.Fatal(err)
		}
		if got, want := outline(p.Parse([]byte(src))), outlineOf(root); got != want {
			t.Errorf("%q\n%s\nwant\n%s", src, got, want)
		}
	}
}

// TestQuirks: a doctype that is not as it should be, or of the nineties, makes browsers lay out as they did then.
func TestQuirks(t *testing.T) {
	var p Parser
	strict := `"-//W3C//DTD HTML 4.01//EN"`
	for src, want := range map[string]bool{
		"": true, "<!doctype html>": false, "<!DOCTYPE HTML>": false, "<!doctype\nhtml\n>": false, "<!doctype html >": false, "<!doctype>": true,
		"<!doctype xml>": true, "<!doctype html x>": true, "<!doctype html public>": true, "<!doctype html system>": true, "<!doctype html publi>": true,
		"<!doctype html public " + strict + ">": false, "<!doctype html public" + strict + ">": false, "<!doctype html PUBLIC " + strict + " >": false,
		"<!doctype html public '-//W3C//DTD HTML 4.01//EN'>": false, "<!doctype html public " + strict + " x>": true, "<!doctype html public x>": true,
		"<!doctype html public \"x>": true, "<!doctype html public " + strict + " \"a\">": false, "<!doctype html public " + strict + " 'a>": true,
		"<!doctype html system \"about:legacy-compat\">": false, "<!doctype html system 'a'>": false, "<!doctype html system a>": true,
		`<!doctype html public "-//W3C//DTD HTML 3.2//EN">`: true, `<!doctype html public "HTML">`: true,
		`<!doctype html public "-//W3C//DTD HTML 4.01 Transitional//EN">`: true, `<!doctype html public "-//W3C//DTD HTML 4.01 Transitional//EN" "a">`: false,
		`<!doctype html public "-//W3C//DTD HTML 4.01 Frameset//EN">`: true, `<!doctype html public "-//W3C//DTD HTML 4.01 Frameset//EN" ''>`: false,
		`<!doctype html public "-//W3C//DTD XHTML 1.0 Strict//EN" "http://www.w3.org/TR/xhtml1/DTD/xhtml1-strict.dtd">`: false,
		`<!doctype html system "http://www.ibm.com/data/dtd/v11/ibmxhtml1-transitional.dtd">`:                           true,
	} {
		if tree := p.Parse([]byte(src + "<p>x")); tree.Quirks != want {
			t.Errorf("%s: quirks %v", src, tree.Quirks)
		}
	}
}

// TestHeadEnd tells what ends a head before its end tag, and nothing where it ends there.
func TestHeadEnd(t *testing.T) {
	var p Parser
	for src, want := range map[string]string{
		"<head><title>x</title></head><body>y":   "",
		"<head><title>x</title><p>y</p></head>z": "p",
		"<head>text</head>z":                     "text",
		"<head><title>x</title>":                 "", "<title>x</title><p>y</p></head>": "",
		"<head></head><p>x</p></head>":    "",
		"<head><div></div><p></p></head>": "div",
	} {
		got := ""
		if b := p.Parse([]byte(src)).Breaker; b != nil {
			got = b.Name
		}
		if got != want {
			t.Errorf("%s: ended by %q, want %q", src, got, want)
		}
	}
}

// TestOneText: what stands together in the source is one text, and what a reference or a tag parts is not lost.
func TestOneText(t *testing.T) {
	var p Parser
	for src, want := range map[string]string{
		"abc":         "abc",
		"a &amp; b c": "a & b c",
		"a<!-- -->b":  "a|b",
		"a</i>b":      "a|b",
		"a<b>c</b>d":  "a|c|d",
		"<p>a b":      "a b",
	} {
		tree := p.Parse([]byte(src))
		var texts []string
		for i := range tree.Nodes {
			if n := &tree.Nodes[i]; n.Kind == Text {
				texts = append(texts, tree.Data(n))
			}
		}
		if got := strings.Join(texts, "|"); strings.ReplaceAll(got, "|", "") != strings.ReplaceAll(want, "|", "") ||
			len(texts) > 3 {
			t.Errorf("%q is %q", src, got)
		}
	}
	// however many tokens a text comes in, it does not become as many nodes
	if tree := p.Parse([]byte("<p>" + strings.Repeat("a< b ", 1000))); len(tree.Nodes) > 50 {
		t.Errorf("%d nodes of one text", len(tree.Nodes))
	}
}
