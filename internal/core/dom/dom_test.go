package dom

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/net/html"
)

// outline writes a tree as lines, neighbouring texts as one.
func outline(t *Tree) string {
	var b strings.Builder
	var walk func(id ID, depth int)
	walk = func(id ID, depth int) {
		text := ""
		flush := func() {
			if text != "" {
				fmt.Fprintf(&b, "%*s%q\n", depth, "", text)
			}
			text = ""
		}
		for c := t.Nodes[id].First; c != 0; c = t.Nodes[c].Next {
			n := &t.Nodes[c]
			if n.Kind == Text {
				text += t.Data(n)
				continue
			}
			flush()
			var attrs []string
			t.Attributes(n, func(name, value string) { attrs = append(attrs, fmt.Sprintf(" %s=%q", name, value)) })
			slices.Sort(attrs)
			fmt.Fprintf(&b, "%*s<%s%s%s>\n", depth, "", [...]string{"", "svg ", "math "}[n.Space], t.Data(n),
				strings.Join(attrs, ""))
			walk(c, depth+1)
		}
		flush()
	}
	walk(0, 0)
	return b.String()
}

// outlineOf writes the library's tree in the same way.
func outlineOf(root *html.Node) string {
	var b strings.Builder
	var walk func(n *html.Node, depth int)
	walk = func(n *html.Node, depth int) {
		text := ""
		flush := func() {
			if text != "" {
				fmt.Fprintf(&b, "%*s%q\n", depth, "", text)
			}
			text = ""
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			switch c.Type {
			case html.TextNode:
				text += c.Data
			case html.ElementNode:
				flush()
				var attrs []string
				for _, a := range c.Attr {
					if a.Namespace != "" {
						a.Key = a.Namespace + ":" + a.Key
					}
					attrs = append(attrs, fmt.Sprintf(" %s=%q", lowerASCII(a.Key), a.Val))
				}
				slices.Sort(attrs)
				space := c.Namespace
				if space != "" {
					space += " "
				}
				fmt.Fprintf(&b, "%*s<%s%s%s>\n", depth, "", space, lowerASCII(c.Data), strings.Join(attrs, ""))
				walk(c, depth+1)
			}
		}
		flush()
	}
	walk(root, 0)
	return b.String()
}

func lowerASCII(s string) string {
	return strings.Map(func(r rune) rune {
		if 'A' <= r && r <= 'Z' {
			r += 'a' - 'A'
		}
		return r
	}, s)
}

// clean makes bytes a source as Parse wants it.
func clean(src []byte) []byte {
	src = bytes.ToValidUTF8(src, []byte("\ufffd"))
	src = bytes.ReplaceAll(src, []byte("\r\n"), []byte("\n"))
	src = bytes.ReplaceAll(src, []byte("\r"), []byte("\n"))
	return bytes.ReplaceAll(src, []byte{0}, nil)
}

func module(t testing.TB) string {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "golang.org/x/net").Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(out))
}

// cases are the documents of the standard's own test suite, as the library carries it.
func cases(t testing.TB) (out [][]byte) {
	files, _ := filepath.Glob(filepath.Join(module(t), "html", "testdata", "html5lib-tests", "tree-construction",
		"*.dat"))
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, part := range strings.Split("\n"+string(data), "\n#data\n")[1:] {
			src, rest, ok := strings.Cut(part, "\n#errors\n")
			if ok && !strings.Contains(rest, "#document-fragment") {
				out = append(out, clean([]byte(src)))
			}
		}
	}
	return out
}

func TestLikeLibrary(t *testing.T) {
	var p Parser
	failed := 0
	all := cases(t)
	for _, src := range all {
		root, err := html.Parse(bytes.NewReader(src))
		if err != nil {
			continue
		}
		want := outlineOf(root)
		if got := outline(p.Parse(src)); got != want {
			if failed++; failed < 30 {
				t.Errorf("%q\n%s\nwant\n%s", src, got, want)
			}
		}
	}
	if len(all) < 1000 {
		t.Errorf("only %d cases", len(all))
	}
}

// TestFaults reads the documents of testdata/faults.txt.
func TestFaults(t *testing.T) {
	data, err := os.ReadFile("testdata/faults.txt")
	if err != nil {
		t.Fatal(err)
	}
	var p Parser
	src, want := "", []string(nil)
	cases := 0
	end := func() {
		if src == "" {
			return
		}
		cases++
		tree := p.Parse([]byte(src))
		var got []string
		for _, f := range tree.Faults {
			got = append(got, fmt.Sprintf("  %s %s: %s", f.Kind, f.Name, src[f.At:]))
		}
		if b := tree.Breaker; b != nil {
			got = append(got, fmt.Sprintf("  breaker %s: %s", b.Name, src[b.At:]))
		}
		if !slices.Equal(got, want) {
			t.Errorf("%s\n%s\nwant\n%s", src, strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
	}
	for line := range strings.Lines(string(data)) {
		line = strings.ReplaceAll(strings.TrimSuffix(line, "\n"), `\n`, "\n")
		switch {
		case strings.HasPrefix(line, "#"):
		case strings.HasPrefix(line, " "):
			want = append(want, line)
		default:
			end()
			src, want = line, nil
		}
	}
	end()
	if cases < 30 {
		t.Errorf("only %d documents", cases)
	}
}

// TestNothingPiles: what is open, or waits to be opened again, stays bounded, so that time does not grow
// with the square of a hostile page.
func TestNothingPiles(t *testing.T) {
	var p Parser
	for _, part := range []string{"<object>", "<td><table>", "<template>", "<template><td><li>", "<b><object>",
		"<p><b c=%d></p>", "<a><div>", "<caption><table>", "<h1><b>"} {
		var src strings.Builder
		for i := range 20_000 {
			src.WriteString(strings.ReplaceAll(part, "%d", strconv.Itoa(i)))
		}
		p.Parse([]byte(src.String()))
		if len(p.open) > MaxDepth || len(p.active) > 2*MaxDepth {
			t.Errorf("%s: %d open, %d active", part, len(p.open), len(p.active))
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, src := range cases(f) {
		f.Add(src)
	}
	var p Parser
	f.Fuzz(func(t *testing.T, src []byte) {
		src = clean(src)
		low := bytes.ToLower(src)
		has := func(s string) bool { return bytes.Contains(low, []byte(s)) }
		switch { // where the library does otherwise than the standard
		case has("<!doctype"), has("<!--") && has("script"), has("template") && (has("<svg") || has("<math")),
			// that is ignored, and no raw text begins
			has("<frameset") && has("<plaintext"),
			// that is one text with what stands before it
			bytes.HasSuffix(src, []byte("</")),
			// a th ends a caption as a td does
			has("<caption") && has("<th"),
			// just a line feed at once is left out
			(has("<pre") || has("<listing") || has("<textarea")) && (has("\n") || has("&#")):
			return
		}
		if len(src)%2 == 0 {
			src = append([]byte("<!doctype html>"), src...)
		}
		got := outline(p.Parse(src))
		root, err := html.Parse(bytes.NewReader(src))
		if err != nil || p.tree.TooDeep {
			return
		}
		if want := outlineOf(root); got != want {
			t.Errorf("%q\n%s\nwant\n%s", src, got, want)
		}
	})
}
