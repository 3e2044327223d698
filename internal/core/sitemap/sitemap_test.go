package sitemap

import (
	"slices"
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
	} {
		f, err := Parse([]byte(c.xml))
		if !slices.Equal(f.Pages, c.pages) || !slices.Equal(f.Sitemaps, c.sitemaps) || (err != nil) != c.broken {
			t.Errorf("%s: %+v, %v", c.name, f, err)
		}
	}
}
