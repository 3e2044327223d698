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

// TestBounds holds what is kept of a file to its bounds, and no less: faults, the length of what they quote, depth.
func TestBounds(t *testing.T) {
	entry := func(inside string) string {
		return `<urlset xmlns="` + namespace + `"><url><loc>https://fernhollow.example/</loc>` + inside +
			`</url></urlset>`
	}
	for n, want := range map[int]int{maxFaults - 1: maxFaults - 1, maxFaults: maxFaults, maxFaults + 5: maxFaults} {
		f, _ := Parse([]byte(entry(strings.Repeat("<priority>2</priority>", n))))
		if len(f.Faults) != want {
			t.Errorf("%d faults are told as %d", n, len(f.Faults))
		}
	}
	for n, cut := range map[int]bool{80: false, 81: true} {
		f, _ := Parse([]byte(entry("<changefreq>" + strings.Repeat("x", n) + "</changefreq>")))
		if len(f.Faults) != 1 || strings.Contains(f.Faults[0].Text, "…") != cut {
			t.Errorf("a value of %d bytes: %v", n, f.Faults)
		}
	}
	for value, fine := range map[string]bool{"0.0": true, "1.0": true, "1.01": false, "-0.1": false, "NaN": false,
		"much": false} {
		f, _ := Parse([]byte(entry("<priority>" + value + "</priority>")))
		if (len(f.Faults) == 0) != fine {
			t.Errorf("priority %s: %v", value, f.Faults)
		}
	}
	for depth, fine := range map[int]bool{maxDepth: true, maxDepth + 1: false} {
		inner := depth - 3 // besides urlset, url and the element below
		body := entry("<x>" + strings.Repeat("<y>", inner) + strings.Repeat("</y>", inner) + "</x>")
		if _, err := Parse([]byte(body)); (err == nil) != fine {
			t.Errorf("nested %d deep: %v", depth, err)
		}
	}
}

// TestCounts counts what a file lists, whatever its form, while it is read.
func TestCounts(t *testing.T) {
	for name, one := range map[string]struct {
		body            string
		form            string
		pages, sitemaps int
	}{
		"urlset": {`<urlset xmlns="` + namespace +
			`"><url><loc>https://a/1</loc></url><url><loc>https://a/2</loc></url><url/></urlset>`, "urlset", 2, 0},
		"index": {`<sitemapindex xmlns="` + namespace + `"><sitemap><loc>https://a/1</loc></sitemap></sitemapindex>`,
			"index", 0, 1},
		"text": {"https://a/1\nhttps://a/2\n\nhttps://a/3\n", "text", 3, 0},
	} {
		var pages, sitemaps int
		head, err := Read(strings.NewReader(one.body), func(e Entry) {
			if e.Page != "" {
				pages++
			}
			if e.Sitemap != "" {
				sitemaps++
			}
		})
		if err != nil || head.Form != one.form || head.Pages != one.pages || head.Sitemaps != one.sitemaps ||
			pages != one.pages || sitemaps != one.sitemaps {
			t.Errorf("%s: %+v, %d pages, %d sitemaps (%v)", name, head, pages, sitemaps, err)
		}
	}
}

// TestEntries: each address of an entry counts, with the versions that stand with it, and no more of them than
// bounds allow.
func TestEntries(t *testing.T) {
	const begin = `<urlset xmlns="` + namespace + `" xmlns:x="http://www.w3.org/1999/xhtml">`
	version := `<x:link rel="alternate" hreflang="de" href="https://a/de"/>`
	for name, one := range map[string]struct{ body, want string }{
		"two addresses in one": {begin + "<url><loc>https://a/1</loc>" + version + "<loc>https://a/2</loc></url></urlset>",
			"form urlset\npage https://a/1\npage https://a/2\nother 1 de https://a/de"},
		"two sitemaps in one": {`<sitemapindex xmlns="` + namespace +
			`"><sitemap><loc>https://a/1</loc><loc>https://a/2</loc></sitemap></sitemapindex>`,
			"form index\nsitemap https://a/1\nsitemap https://a/2"},
		"blanks before": {" \n" + begin + "<url><loc>https://a/1</loc></url></urlset>", "form urlset\npage https://a/1"},
		"a bad date in a feed": {"<rss><channel><item><link>https://a/1</link></item><lastmod>soon</lastmod></channel></rss>",
			"form rss\npage https://a/1"},
		"a bad date in an index": {`<sitemapindex xmlns="` + namespace +
			`"><sitemap><loc>https://a/1</loc><lastmod>soon</lastmod></sitemap></sitemapindex>`,
			"form index\nsitemap https://a/1\nfault 1"},
	} {
		f, err := Parse([]byte(one.body))
		if got := told(f, err); got != one.want {
			t.Errorf("%s:\n%s\nwant\n%s", name, got, one.want)
		}
	}
	many := begin + "<url><loc>https://a/</loc>" + strings.Repeat(version, maxOthers+1) + "</url></urlset>"
	if f, err := Parse([]byte(many)); err != nil || len(f.Others) != maxOthers {
		t.Errorf("%d versions (%v)", len(f.Others), err)
	}
}

// TestMost: a file may hold so many addresses of either kind, and an entry without one counts for nothing.
func TestMost(t *testing.T) {
	one := "<sitemap><loc>https://a/</loc></sitemap>"
	for n, fine := range map[int]bool{MaxAddresses: true, MaxAddresses + 1: false} {
		f, err := Parse([]byte("<sitemapindex>" + strings.Repeat(one, n) + "</sitemapindex>"))
		if (err == nil) != fine || len(f.Sitemaps) != MaxAddresses {
			t.Errorf("%d sitemaps are told as %d (%v)", n, len(f.Sitemaps), err)
		}
	}
	full := "<urlset>" + strings.Repeat("<url><loc>https://a/</loc></url>", MaxAddresses)
	if f, err := Parse([]byte(full + "<url><priority>1</priority></url></urlset>")); err != nil ||
		len(f.Pages) != MaxAddresses {
		t.Errorf("an empty entry behind the last: %d pages (%v)", len(f.Pages), err)
	}
}

// TestLongAddress leaves out what goes on beyond any address.
func TestLongAddress(t *testing.T) {
	long := "https://a/" + strings.Repeat("x", maxAddress-20)
	f, err := Parse([]byte("<urlset><url><loc>" + long + "<!-- -->123456789<!-- -->0<!-- -->1</loc></url></urlset>"))
	if want := long + "123456789"; err != nil || len(f.Pages) != 1 || f.Pages[0] != want {
		t.Errorf("%d bytes of %d (%v)", len(f.Pages[0]), len(want), err)
	}
}
