// Package demo is Fernhollow Botanic Garden: a made-up site that Harvik is shown and tested
// on. Its defects are planted as data, in planted.go; a crawl of it has to find these and
// nothing else.
package demo

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"hash/fnv"
	"html"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// Host is the site's name. It resolves nowhere: crawls of it need a host override.
const Host = "fernhollow.example"

// Home is its home address.
const Home = "https://" + Host + "/"

// Consent is the snippet that each of the garden's pages is to have.
const Consent = "garden-consent"

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
	NoCanonical, NoConsent      bool
	NoCard                      bool                // no picture and texts for sharing
	CardImage, CardAddress      string              // in place of the usual ones
	NoSitemap                   bool                // left out of the sitemap
	NoNear                      bool                // nothing links to its neighbours in the list
	Plain                       bool                // answers over http, too
	Slow                        time.Duration       // until the first byte
	Header                      map[string]string   // of the response; "-" takes one away
	Markup                      func(string) string // what a broken template makes of the whole page
	Cut, Stumbles, NoGzip       bool                // ends early; fails at the first try; is sent as it is
}

// File is something that the site serves besides its pages.
type File struct {
	Type   string
	Body   string
	Header map[string]string
	Status int // 200 if zero
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
	Hanging   map[string]bool   // never answer
	Moved     map[string]string // redirects for now
	Files     map[string]File
	Listed    []string // further addresses in the sitemap
	Planted   []Finding
	Causes    []Cause
	byPath    map[string]*Page
	near      map[string][2]*Page                           // neighbours of a page in its list
	names     map[string]string                             // what lists call a page
	tried     sync.Map                                      // how often pages that stumble were asked for
	answers   func(http.ResponseWriter, *http.Request) bool // a mood's; true where it has answered
	steady    bool
	bare      bool // without protective headers
}

// Cause is a defect with all the pages that it was planted on: what one change would mend.
type Cause struct {
	Check, Why string
	Pages      []string
}

// Finding is a planted defect at one page: what a crawl has to find there.
type Finding struct {
	Check string
	Page  string // path; "" for the site
	Why   string
}

// New builds an edition.
func New(e Edition) *Site {
	s := &Site{
		Edition: e, Redirects: map[string]string{}, Errors: map[string]int{}, Hanging: map[string]bool{},
		byPath: map[string]*Page{},
		Moved:  map[string]string{}, Files: map[string]File{}, near: map[string][2]*Page{}, names: map[string]string{},
	}
	s.build()
	s.linkEndless()
	s.neighbours()
	s.plant()
	return s
}

// neighbours notes which pages stand beside which in the lists.
func (s *Site) neighbours() {
	lists := map[string][]*Page{}
	var order []string
	for _, p := range s.Pages {
		if p.Layout != "list" {
			continue
		}
		base, _, _ := strings.Cut(p.Path, "page/")
		if lists[base] == nil {
			order = append(order, base)
		}
		for _, r := range p.List {
			if to := s.byPath[r.Path]; to != nil && to.Crumb != nil && to.Crumb.Path == base {
				lists[base] = append(lists[base], to)
				s.names[r.Path] = r.Words
			}
		}
	}
	for _, base := range order {
		l := lists[base]
		for i, p := range l {
			if len(l) > 2 {
				s.near[p.Path] = [2]*Page{l[(i+len(l)-1)%len(l)], l[(i+1)%len(l)]}
			}
		}
	}
}

func (s *Site) add(p *Page) *Page {
	if p.Lang == "" {
		p.Lang = "en-GB"
	}
	if s.byPath[p.Path] != nil {
		panic("two pages at " + p.Path)
	}
	if p.Description != "" && len(p.Description) < 140 && !strings.HasSuffix(p.Description, ")") {
		p.Description += number(p)
	}
	s.Pages = append(s.Pages, p)
	s.byPath[p.Path] = p
	return p
}

// number is that of a page's sheet in the garden's card index, which ends its description, so that no
// two of them differ in names alone.
func number(p *Page) string {
	h := fnv.New32a()
	h.Write([]byte(p.Path))
	return fmt.Sprintf(" (%d)", 100+h.Sum32()%9900)
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

// Steady makes the pages that fail at every other try always answer, so that what a crawl finds does
// not depend on when it asks.
func (s *Site) Steady() *Site {
	s.steady = true
	return s
}

// protective are the headers that the site sends with everything.
var protective = map[string]string{
	"Strict-Transport-Security": "max-age=31536000", "X-Content-Type-Options": "nosniff",
	"Content-Security-Policy": "frame-ancestors 'self'", "Referrer-Policy": "strict-origin-when-cross-origin",
}

// ServeHTTP answers like Fernhollow's server, whatever the Host header says; over http it sends
// visitors on to https.
func (s *Site) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Host == Neighbours {
		Neighbour(w, r)
		return
	}
	path := keyOf(r.URL)
	// where a visitor comes from changes nothing
	if strings.HasPrefix(r.URL.RawQuery, "utm_") || strings.HasPrefix(r.URL.RawQuery, "from=") {
		to, _, _ := strings.Cut(path, "?")
		http.Redirect(w, r, to, http.StatusMovedPermanently)
		return
	}
	p := s.byPath[path]
	if s.answers != nil && s.answers(w, r) {
		return
	}
	if r.TLS == nil && (p == nil || !p.Plain) {
		http.Redirect(w, r, Home+strings.TrimPrefix(r.URL.RequestURI(), "/"), http.StatusMovedPermanently)
		return
	}
	if !s.bare {
		for name, value := range protective {
			w.Header().Set(name, value)
		}
	}
	switch file, isFile := s.Files[path]; {
	case s.Hanging[path]:
		select {
		case <-r.Context().Done():
		case <-time.After(time.Minute):
		}
	case s.Errors[path] != 0:
		http.Error(w, "The ticket system is away.", s.Errors[path])
	case s.Redirects[path] != "":
		http.Redirect(w, r, s.Redirects[path], http.StatusMovedPermanently)
	case s.Moved[path] != "":
		http.Redirect(w, r, s.Moved[path], http.StatusFound)
	case p != nil:
		s.page(w, r, p)
	case isFile:
		s.file(w, r, file)
	case path == "/robots.txt":
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		fmt.Fprint(w, s.robots())
	case path == "/style.css":
		s.file(w, r, File{Type: "text/css; charset=utf-8", Body: style})
	case strings.HasPrefix(path, "/pictures/"):
		s.file(w, r, File{Type: "image/png", Body: picture(path)})
	case s.endless(w, r):
	default:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, "<!doctype html><html lang=en-GB><title>Not here – Fernhollow</title><h1>This path is overgrown</h1>")
	}
}

// page answers with a page of the site.
func (s *Site) page(w http.ResponseWriter, r *http.Request, p *Page) {
	time.Sleep(p.Slow)
	if p.Stumbles && !s.steady {
		count, _ := s.tried.LoadOrStore(p.Path, new(atomic.Int32))
		if count.(*atomic.Int32).Add(1)%2 == 1 {
			http.Error(w, "Too many visitors", http.StatusServiceUnavailable)
			return
		}
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	for name, value := range p.Header {
		if w.Header().Set(name, value); value == "-" {
			w.Header()[name] = nil
		}
	}
	body := s.render(p)
	switch {
	case p.Cut:
		w.Header().Set("Content-Length", fmt.Sprint(len(body)+5000))
		fmt.Fprint(w, body)
	case p.NoGzip:
		fmt.Fprint(w, body)
	default:
		pack(w, r, body)
	}
}

// pack sends a text with content coding to those who accept it.
func pack(w http.ResponseWriter, r *http.Request, body string) {
	if !strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		fmt.Fprint(w, body)
		return
	}
	w.Header().Set("Content-Encoding", "gzip")
	z := packers.Get().(*gzip.Writer)
	defer packers.Put(z)
	z.Reset(w)
	fmt.Fprint(z, body)
	z.Close()
}

var packers = sync.Pool{New: func() any {
	z, err := gzip.NewWriterLevel(nil, gzip.BestSpeed)
	if err != nil {
		panic(err) // the level is one
	}
	return z
}}

func (s *Site) file(w http.ResponseWriter, r *http.Request, f File) {
	w.Header().Set("Content-Type", f.Type)
	w.Header().Set("Cache-Control", "max-age=86400")
	bare := false
	for name, value := range f.Header {
		bare = bare || name == "Content-Encoding"
		if w.Header().Set(name, value); value == "-" {
			w.Header()[name] = nil
		}
	}
	if f.Status != 0 {
		w.WriteHeader(f.Status)
	}
	if strings.HasPrefix(f.Type, "text/") && !bare {
		pack(w, r, f.Body)
		return
	}
	w.Header().Set("Content-Length", fmt.Sprint(len(f.Body)))
	fmt.Fprint(w, f.Body)
}

func (s *Site) robots() string {
	if s.Edition == Summer {
		return strings.Replace(robots, "\nSitemap:", SummerRobots+"\n\nSitemap:", 1)
	}
	return robots
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
		if (!p.NoIndex || s.advertised(p.Path)) && p.Canonical == "" && !p.NoSitemap && part(p.Path) {
			fmt.Fprintf(&b, "<url><loc>%s</loc></url>\n", html.EscapeString(Home+p.Path[1:]))
		}
	}
	for _, path := range s.Listed {
		if part(path) {
			fmt.Fprintf(&b, "<url><loc>%s</loc></url>\n", html.EscapeString(Home+path[1:]))
		}
	}
	b.WriteString("</urlset>")
	return b.String()
}

// advertised tells whether a noindex page stands in the sitemap by mistake.
func (s *Site) advertised(path string) bool {
	return slices.ContainsFunc(s.Planted,
		func(f Finding) bool { return f.Check == "index-noindex-linked" && f.Page == path })
}

// pictures are those painted so far, by name.
var pictures sync.Map

// picture paints a small landscape in the colours of its name, once.
func picture(name string) string {
	if known, ok := pictures.Load(name); ok {
		return known.(string)
	}
	painted, _ := pictures.LoadOrStore(name, string(paint(name)))
	return painted.(string)
}

func paint(name string) []byte {
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
