package page

import (
	"strings"
	"testing"
)

func TestSpare(t *testing.T) {
	for _, c := range []struct {
		source string
		script bool
		least  int
		most   int
	}{
		{"a{color:red}", false, 0, 0},
		{"a {\n  color : red ;\n}\n", false, 8, 12},
		{"/* what it is for */a{}", false, 20, 20},
		{"/*! licence */a{}", false, 0, 0},
		{"a{background:url(http://x/y)}", false, 0, 0},
		{"let a = 1; // one\n", true, 8, 12},
		{"let a='b // c  d';", true, 0, 0},
		{"let a=`b\n  // c`;", true, 0, 0},
		{"return a", true, 0, 0},
		{"'never closed", true, 0, 0},
		{"/* never closed", true, 15, 15},
	} {
		if got := Spare([]byte(c.source), c.script); got < c.least || got > c.most {
			t.Errorf("%q: %d, want %d to %d", c.source, got, c.least, c.most)
		}
	}
}

func TestIsOpaquePNG(t *testing.T) {
	head := func(colour byte, chunks string) []byte {
		return []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08" +
			string([]byte{colour}) + "\x00\x00\x00\x00\x00\x00\x00" + chunks + "IDAT")
	}
	for name, c := range map[string]struct {
		data []byte
		want bool
	}{
		"colours": {head(2, ""), true}, "colours and alpha": {head(6, ""), false},
		"a palette with transparency": {head(3, "tRNS"), false},
		"a palette":                   {head(3, "PLTE"), true}, "nothing": {nil, false}, "a JPEG": {[]byte("\xff\xd8\xff"), false},
		"cut off": {head(2, "")[:20], false},
	} {
		if got := IsOpaquePNG(c.data); got != c.want {
			t.Errorf("%s: %v", name, got)
		}
	}
}

// TestFaults holds the reading of open elements to the standard's rules, kind by kind.
func TestFaults(t *testing.T) {
	for source, want := range map[string]string{
		`<ul><li>a<li>b</ul>`:                             "",
		`<p>a<div>b</div>`:                                "",
		`<p>a<div>b</div></p>`:                            "stray end tag p",
		`<div><p>a</div>`:                                 "",
		`<div><span>a</div>`:                              "unclosed span",
		`<b><p>a</b></p>`:                                 "misnested b",
		`<h2>a</h3>`:                                      "misnested h3",
		`<table><tr><td>a<td>b<tr><td>c</table>`:          "",
		`<table><tr><td><b>a</td></tr></table>`:           "unclosed b",
		`<table><tbody><tr><th>a<tfoot><tr><td>b</table>`: "",
		`<a href=x>a<a href=y>b</a>`:                      "unclosed a",
		`<br></br>`:                                       "stray end tag br",
		`<img src=a SRC=b>`:                               "repeated attribute src",
		`<select><option>a<optgroup><option>b</select>`:   "",
		`<svg><a><path/></a><title>x</title></svg>`:       "",
		`<script>"<p></div>"</script>`:                    "",
		`<!-- <div> --><p>a`:                              "",
		// a p stops the search
		`<custom-part><p>a</custom-part>`:           "stray end tag custom-part, unclosed custom-part",
		`<custom-part><p>a`:                         "unclosed custom-part",
		`<dl><dt>a<dd>b<dt>c</dl>`:                  "",
		`<html><body><p>a</body></html> <!-- b -->`: "",
		`<html><body></body></html><p>`:             "after the end p",
		`<p>1 < 2 and <3</p>`:                       "",
	} {
		d := read(t, "http://fernhollow.example/", source)
		var got []string
		for _, f := range d.Markup.Faults {
			got = append(got, strings.ToLower(f.Kind+" "+f.Name))
			if f.Line != 1 || f.Col < 1 {
				t.Errorf("%s: at %d:%d", source, f.Line, f.Col)
			}
		}
		if s := strings.Join(got, ", "); s != want {
			t.Errorf("%s: %q, want %q", source, s, want)
		}
	}
}
