package sitemap

import (
	"slices"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for _, c := range []struct {
		name, xml       string
		pages, sitemaps []string
		broken          bool
	}{
		{"pages", `<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc> http://a/?x&amp;y </loc><lastmod>2026</lastmod></url><url><loc>http://b/</loc></url></urlset>`, []string{"http://a/?x&y", "http://b/"}, nil, false},
		{"an index", `<sitemapindex><sitemap><loc>http://a/s.xml</loc></sitemap></sitemapindex>`, nil, []string{"http://a/s.xml"}, false},
		{"a picture's loc is no page", `<urlset><url><loc>http://a/</loc><image:image><image:loc>http://a/x.png</image:loc></image:image></url></urlset>`, []string{"http://a/"}, nil, false},
		{"cut off", `<urlset><url><loc>http://a/</loc></url><url><loc>http://b`, []string{"http://a/"}, nil, true},
		{"not XML", `<html><p>no`, nil, nil, true},
		{"an entity that is not declared", `<urlset><url><loc>http://a/&bomb;</loc></url></urlset>`, nil, nil, true},
		{"empty", ``, nil, nil, false},
		{"text", "\xef\xbb\xbfhttp://a/\r\n\r\n https://b/x \n", []string{"http://a/", "https://b/x"}, nil, false},
		{"text with a stray line", "http://a/\n/b\n", []string{"http://a/"}, nil, true},
		{"text without addresses", "Not found", nil, nil, true},
		{"RSS", `<rss version="2.0"><channel><link>http://a/</link><item><title>x</title><link>http://a/1</link></item></channel></rss>`, []string{"http://a/1"}, nil, false},
		{"Atom", `<feed xmlns="http://www.w3.org/2005/Atom"><link href="http://a/"/><entry><link rel="edit" href="http://a/e"/><link href="http://a/1"/></entry></feed>`, []string{"http://a/1"}, nil, false},
		{"pages in an index", `<sitemapindex><url><loc>http://a/</loc></url><sitemap><loc>http://a/s</loc></sitemap></sitemapindex>`, nil, []string{"http://a/s"}, false},
		{"latin-1", "<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><urlset><url><loc>http://a/\xe9</loc></url></urlset>", []string{"http://a/é"}, nil, false},
		{"an entity bomb", `<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><urlset><url><loc>http://a/&b;</loc></url></urlset>`, nil, nil, true},
		{"too deep", strings.Repeat("<urlset>", 100), nil, nil, true},
	} {
		f, err := Parse([]byte(c.xml))
		if !slices.Equal(f.Pages, c.pages) || !slices.Equal(f.Sitemaps, c.sitemaps) || (err != nil) != c.broken {
			t.Errorf("%s: %+v, %v", c.name, f, err)
		}
	}
}

func TestTooMany(t *testing.T) {
	one := "<url><loc>http://a/</loc></url>"
	f, err := Parse([]byte("<urlset>" + strings.Repeat(one, MaxAddresses+1) + "</urlset>"))
	if err == nil || len(f.Pages) != MaxAddresses {
		t.Errorf("%d pages, %v", len(f.Pages), err)
	}
	if f, err := Parse([]byte("<urlset>" + strings.Repeat(one, MaxAddresses) + "</urlset>")); err != nil || len(f.Pages) != MaxAddresses {
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

// TestOthers: versions in other languages belong to the address of their entry, on whichever side
// of it they stand.
func TestOthers(t *testing.T) {
	f, err := Parse([]byte(`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:xhtml="http://www.w3.org/1999/xhtml">
		<url><loc>http://a/</loc><xhtml:link rel="alternate" hreflang="de" href="http://a/de/"/><xhtml:link rel="amphtml" href="http://a/amp"/></url>
		<url><xhtml:link rel="alternate" hreflang="x-default" href="http://a/b"/><loc>http://a/b</loc></url></urlset>`))
	want := []Other{{0, "de", "http://a/de/"}, {1, "x-default", "http://a/b"}}
	if err != nil || !slices.Equal(f.Others, want) || len(f.Pages) != 2 || len(f.Faults) > 0 {
		t.Errorf("%+v, %v", f, err)
	}
}
