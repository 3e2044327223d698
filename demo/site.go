// Package demo is Fernhollow Botanic Garden: a made-up site that Harvik is shown and tested
// on. Its defects are planted as data, in planted.go; a crawl of it has to find these and
// nothing else.
package demo

import (
	"bytes"
	"fmt"
	"html"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"slices"
	"strings"
	"time"
)

// Host is the site's name. It resolves nowhere: crawls of it need a host override.
const Host = "fernhollow.example"

// Home is its home address.
const Home = "http://" + Host + "/"

// Edition is a state of the site.
type Edition string

const (
	Spring Edition = "spring" // with all defects
	Summer Edition = "summer" // some mended, some new
)

// A Page of the site. Defects change its fields.
type Page struct {
	Path        string
	Lang        string
	Layout      string // plant, event, product, note, visit, list, plain, member
	Title       string
	Description string
	H1          string
	Crumb       *Ref
	Sections    []Section
	List        []Ref // links of a list page
	Pager       []Ref
	Pictures    []Picture
	NoIndex     bool
	Canonical   string // by default the page itself

	// What defects use. Raw is HTML as an editor or a template might leave it.
	NoTitle, NoLang, NoViewport bool
	NoDescription               bool
	RawHead, RawMain, RawBefore []string // at the end of head, at the end of main, before h1
	RawBody                     []string // at the end of body
	NoH1                        bool
}

// Section is a part of a page's text.
type Section struct {
	Level   int
	Heading string
	Text    []string // paragraphs; HTML
}

// Ref is a link.
type Ref struct{ Path, Words string }

// Picture is an image with its alternative text.
type Picture struct {
	Name, Alt string
	NoAlt     bool
}

// Site is one edition of Fernhollow.
type Site struct {
	Edition   Edition
	Pages     []*Page
	Redirects map[string]string
	Errors    map[string]int
	Hanging   map[string]bool // never answer
	Planted   []Finding
	byPath    map[string]*Page
}

// Finding is a planted defect at one page: what a crawl has to find there.
type Finding struct {
	Check string
	Page  string // path
	Why   string
}

// New builds an edition.
func New(e Edition) *Site {
	s := &Site{
		Edition: e, Redirects: map[string]string{}, Errors: map[string]int{}, Hanging: map[string]bool{}, byPath: map[string]*Page{},
	}
	s.build()
	s.linkWild()
	s.plant()
	return s
}

func (s *Site) add(p *Page) *Page {
	if p.Lang == "" {
		p.Lang = "en-GB"
	}
	if s.byPath[p.Path] != nil {
		panic("two pages at " + p.Path)
	}
	s.Pages = append(s.Pages, p)
	s.byPath[p.Path] = p
	return p
}

// Page is the one at a path; a wrong path in the table of defects is a mistake to hear of.
func (s *Site) Page(path string) *Page {
	p := s.byPath[path]
	if p == nil {
		panic("no page at " + path)
	}
	return p
}

// Of lists the paths of the pages of a layout, in order.
func (s *Site) Of(layout string) []string {
	var out []string
	for _, p := range s.Pages {
		if p.Layout == layout {
			out = append(out, p.Path)
		}
	}
	slices.Sort(out)
	return out
}

// ServeHTTP answers like Fernhollow's server, whatever the Host header says.
func (s *Site) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	path := r.URL.Path
	if r.URL.RawQuery != "" {
		path += "?" + r.URL.RawQuery
	}
	switch p := s.byPath[path]; {
	case s.Hanging[path]:
		select {
		case <-r.Context().Done():
		case <-time.After(time.Minute):
		}
	case s.Errors[path] != 0:
		http.Error(w, "The ticket system is away.", s.Errors[path])
	case s.Redirects[path] != "":
		http.Redirect(w, r, s.Redirects[path], http.StatusMovedPermanently)
	case p != nil:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, s.render(p))
	case path == "/robots.txt":
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		fmt.Fprint(w, robots)
	case path == "/style.css":
		w.Header().Set("Content-Type", "text/css; charset=utf-8")
		fmt.Fprint(w, style)
	case strings.HasPrefix(path, "/pictures/"):
		w.Header().Set("Content-Type", "image/png")
		w.Write(picture(path))
	case s.wild(w, r):
	default:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, "<!doctype html><html lang=en-GB><title>Not here – Fernhollow</title><h1>This path is overgrown</h1>")
	}
}

const robots = `# Fernhollow Botanic Garden
User-agent: *
Disallow: /shop/basket/
Disallow: /members/area/
Disallow: /preview/

Sitemap: ` + Home + `sitemap.xml
`

const style = `body { font: 17px/1.6 Georgia, serif; max-width: 60rem; margin: auto; padding: 0 1rem; color: #223 }
header, footer { padding: 1rem 0 } nav ul { display: flex; gap: 1rem; list-style: none; padding: 0; flex-wrap: wrap }
img { max-width: 100% } aside { background: #eef3ea; padding: 1rem }
`

func (s *Site) sitemap(part func(path string) bool) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
	for _, p := range s.Pages {
		if (!p.NoIndex || s.advertised(p.Path)) && p.Canonical == "" && part(p.Path) {
			fmt.Fprintf(&b, "<url><loc>%s</loc></url>\n", html.EscapeString(Home+p.Path[1:]))
		}
	}
	b.WriteString("</urlset>")
	return b.String()
}

// advertised tells whether a noindex page stands in the sitemap by mistake.
func (s *Site) advertised(path string) bool {
	return slices.ContainsFunc(s.Planted, func(f Finding) bool { return f.Check == "index-noindex-linked" && f.Page == path })
}

// picture paints a small landscape in the colours of its name.
func picture(name string) []byte {
	const w, h = 96, 64
	seed := hash(name, 7)
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			hill := uint32(h/2) + (uint32(x)*seed>>8)%9 + seed%11
			c := color.RGBA{190, 214, 222, 255}
			if uint32(y) > hill {
				c = color.RGBA{uint8(60 + seed%60), uint8(110 + y), uint8(50 + seed%40), 255}
			}
			img.Set(x, y, c)
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // into memory
	}
	return b.Bytes()
}

func hash(s string, salt int) uint32 {
	h := uint32(2166136261) ^ uint32(salt)*0x9e3779b9
	for i := range len(s) {
		h = (h ^ uint32(s[i])) * 16777619
	}
	h ^= h >> 15
	h *= 0x85ebca6b
	return h ^ h>>13
}
