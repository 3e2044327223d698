package sitemap

import (
	"fmt"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// TestParse reads the files of testdata/parse.txt.
func TestParse(t *testing.T) {
	data, err := os.ReadFile("testdata/parse.txt")
	if err != nil {
		t.Fatal(err)
	}
	cases := strings.Split("\n"+string(data), "\n== ")[1:]
	for _, c := range cases {
		name, rest, _ := strings.Cut(c, "\n")
		body, want, ok := strings.Cut("\n"+rest, "\nwant:")
		if !ok {
			t.Fatalf("%s: what is wanted?", name)
		}
		f, err := Parse([]byte(hexByte.ReplaceAllStringFunc(strings.TrimPrefix(body, "\n"), func(s string) string {
			n, _ := strconv.ParseUint(s[2:], 16, 8)
			return string([]byte{byte(n)})
		})))
		if got := told(f, err); got != strings.TrimSpace(want) {
			t.Errorf("%s:\n%s\nwant\n%s\n(%v, %v)", name, got, strings.TrimSpace(want), f.Faults, err)
		}
	}
	if len(cases) < 30 {
		t.Errorf("%d cases", len(cases))
	}
}

var hexByte = regexp.MustCompile(`\\x[0-9a-f]{2}`)

// told writes what a file lists as testdata/parse.txt does.
func told(f File, err error) string {
	var lines []string
	add := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	if f.Form != "" {
		add("form %s", f.Form)
	}
	for _, p := range f.Pages {
		add("page %s", p)
	}
	for _, s := range f.Sitemaps {
		add("sitemap %s", s)
	}
	for _, o := range f.Others {
		add("other %d %s %s", o.Page, o.Lang, o.Href)
	}
	for _, fault := range f.Faults {
		add("fault %d", fault.Line)
	}
	if err != nil {
		add("broken")
	}
	return strings.Join(lines, "\n")
}

func TestTooDeep(t *testing.T) {
	if f, err := Parse([]byte(strings.Repeat("<urlset>", 100))); err == nil {
		t.Errorf("%+v", f)
	}
}

func TestTooMany(t *testing.T) {
	one := "<url><loc>http://a/</loc></url>"
	f, err := Parse([]byte("<urlset>" + strings.Repeat(one, MaxAddresses+1) + "</urlset>"))
	if err == nil || len(f.Pages) != MaxAddresses {
		t.Errorf("%d pages, %v", len(f.Pages), err)
	}
	if f, err := Parse([]byte("<urlset>" + strings.Repeat(one, MaxAddresses) + "</urlset>")); err != nil ||
		len(f.Pages) != MaxAddresses {
		t.Errorf("%d pages, %v", len(f.Pages), err)
	}
}

// FuzzParse holds that any bytes can be read, within bounds.
func FuzzParse(f *testing.F) {
	f.Add([]byte(`<urlset><url><loc>http://a/</loc></url></urlset>`))
	f.Add([]byte("http://a/\nhttp://b/"))
	f.Add([]byte(`<feed><entry><link href="http://a/1"/></entry></feed>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := Parse(data)
		if len(file.Pages)+len(file.Sitemaps) > MaxAddresses {
			t.Fatalf("%d addresses", len(file.Pages))
		}
		if err == nil && file.Form == "" && len(file.Pages)+len(file.Sitemaps) > 0 {
			t.Fatalf("addresses of no form: %v", file)
		}
	})
}
