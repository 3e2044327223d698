package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"harvik/internal/core/dom"
)

// browserTrees writes the trees that a browser's parser builds as lines: an element with its attributes,
// or a text, indented by its depth.
const browserTrees = `docs => docs.map(html => {
	const out = [];
	const space = {'http://www.w3.org/2000/svg': 'svg ', 'http://www.w3.org/1998/Math/MathML': 'math '};
	const walk = (n, depth) => {
		let text = '';
		const flush = () => { if (text) out.push(' '.repeat(depth) + JSON.stringify(text)); text = '' };
		for (const c of n.childNodes) {
			if (c.nodeType === 3 || c.nodeType === 4) text += c.data;
			if (c.nodeType !== 1) continue;
			flush();
			const attrs = [...c.attributes].map(a => ' ' + a.name.toLowerCase() + '=' + JSON.stringify(a.value)).sort().join('');
			out.push(' '.repeat(depth) + '<' + (space[c.namespaceURI] || '') + c.localName.toLowerCase() + attrs + '>');
			walk(c, depth + 1);
		}
		flush();
	};
	walk(new DOMParser().parseFromString(html, 'text/html'), 0);
	return out.join('\n');
})`

// treeOf writes a tree in the same way.
func treeOf(t *dom.Tree) string {
	var lines []string
	quoted := func(s string) string {
		out, _ := json.Marshal(s)
		return strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&").Replace(string(out))
	}
	var walk func(id dom.ID, depth int)
	walk = func(id dom.ID, depth int) {
		text := ""
		flush := func() {
			if text != "" {
				lines = append(lines, strings.Repeat(" ", depth)+quoted(text))
			}
			text = ""
		}
		for c := t.Nodes[id].First; c != 0; c = t.Nodes[c].Next {
			n := &t.Nodes[c]
			if n.Kind == dom.Text {
				text += t.Data(n)
				continue
			}
			flush()
			var attrs []string
			t.Attributes(n, func(name, value string) { attrs = append(attrs, " "+name+"="+quoted(value)) })
			slices.Sort(attrs)
			lines = append(lines, strings.Repeat(" ", depth)+"<"+[...]string{"", "svg ",
				"math "}[n.Space]+t.Data(n)+strings.Join(attrs, "")+">")
			walk(c, depth+1)
		}
		flush()
	}
	walk(0, 0)
	return strings.Join(lines, "\n")
}

// parts are what documents are put together from, so that tags meet others that they do not fit. Templates
// are left out: no fact comes from them, and the browser takes forms in them otherwise than the standard.
var parts = strings.Fields(`<a> </a> <b> </b> <i> </i> <p> </p> <div> </div> <span> </span> <table> </table> <tr> </tr> <td> </td> <th>
	<tbody> <caption> </caption> <col> <colgroup> <ul> </ul> <li> <dl> <dt> <dd> <h1> </h1> <h2> <form> </form> <button> </button> <svg> </svg>
	<math> <mi> <foreignObject> <desc> <object> </object> <nobr> </nobr> <font> <br> </br> <hr> <img> <input> <title> </title>
	<textarea> </textarea> <style> </style> <script> </script> <head> </head> <body> </body> <html> </html> <base> <meta> <link> <frameset> <frame>
	<pre> <option> <optgroup> <ruby> <rt> <rp> <center> <main> <aside> <em> </em> <code> <applet> <iframe> </iframe> <plaintext> <x-y> </x-y>
	x y &amp; &lt &copy &notit; <!--c--> <? <! </ < > <a/b> </a/b> <p/> <svg/>`)

// TestTreesAgainstBrowser builds documents of parts in any order, and holds the trees to those of the browser.
func TestTreesAgainstBrowser(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	r := rand.New(rand.NewPCG(20, 26))
	var docs []string
	for n := range 4000 {
		var s strings.Builder
		if n%4 > 0 {
			s.WriteString("<!doctype html>")
		}
		for range 2 + r.IntN(9) {
			s.WriteString(parts[r.IntN(len(parts))])
			if r.IntN(4) == 0 {
				s.WriteString([]string{" ", "x", "\n"}[r.IntN(3)])
			}
		}
		docs = append(docs, s.String())
	}
	in, err := json.Marshal(docs)
	if err != nil {
		t.Fatal(err)
	}
	theirs, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](fmt.Sprintf("(%s)(%s)", browserTrees, in)))
	if err != nil {
		t.Fatal(err)
	}
	var p dom.Parser
	differ := 0
	for i, doc := range docs {
		if ours := treeOf(p.Parse([]byte(doc))); ours != theirs[i] {
			if differ++; differ < 20 {
				t.Errorf("%q\n%s\nthe browser's\n%s", doc, ours, theirs[i])
			}
		}
	}
	if differ > 0 {
		t.Errorf("%d of %d trees differ", differ, len(docs))
	}
}
