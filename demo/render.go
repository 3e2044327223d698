package demo

import (
	"fmt"
	"html"
	"strings"
)

var menus = map[string][]Ref{
	"en": {{"/", "Home"}, {"/plants/", "Plants"}, {"/visit/", "Visit"}, {"/events/", "What’s on"}, {"/shop/", "Shop"},
		{"/research/", "Research"}, {"/journal/", "Journal"}, {"/members/", "Members"}, {"/de/", "Deutsch"},
		{"/cy/", "Cymraeg"}},
	"de": {{"/de/", "Start"}, {"/de/gaerten/", "Gärten"}, {"/", "English"}, {"/cy/", "Cymraeg"}},
	"cy": {{"/cy/", "Cartref"}, {"/cy/gerddi/", "Gerddi"}, {"/", "English"}, {"/de/", "Deutsch"}},
}

var footerMenu = []Ref{{"/contact/", "Contact"}, {"/privacy/", "Privacy"}, {"/accessibility/", "Accessibility"},
	{"/gallery/", "Gallery"}, {"/search/", "Search"}}

func esc(s string) string { return html.EscapeString(s) }

// render writes a page as the garden's templates do.
func (s *Site) render(p *Page) string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	language := p.Lang[:2]
	line("<!doctype html>")
	if p.NoLang {
		line("<html>")
	} else {
		line("<html lang=%q>", p.Lang)
	}
	line("<head>\n<meta charset=\"utf-8\">")
	if !p.NoViewport {
		line(`<meta name="viewport" content="width=device-width, initial-scale=1">`)
	}
	if !p.NoTitle {
		line("<title>%s</title>", esc(p.Title))
	}
	if !p.NoDescription {
		line("<meta name=\"description\" content=\"%s\">", esc(p.Description))
	}
	canonical := p.Canonical
	if canonical == "" {
		canonical = p.Path
	}
	if !p.NoCanonical {
		line(`<link rel="canonical" href="%s">`, esc(Home+canonical[1:]))
	}
	if p.NoIndex {
		line(`<meta name="robots" content="noindex, follow">`)
	}
	if !p.NoCard {
		s.card(line, p, canonical)
	}
	if !p.NoConsent {
		line(`<meta name="` + Consent + `" content="asked">`)
	}
	line(`<link rel="icon" href="/pictures/icon.png">`)
	line(`<link rel="stylesheet" href="/style.css">`)
	for _, raw := range p.RawHead {
		line("%s", raw)
	}
	line("</head>\n<body class=%q>", p.Layout)
	line("<header>\n<a href=\"%s\"><img src=\"/pictures/leaf.png\" alt=\"Fernhollow Botanic Garden\" width=\"96\" height=\"64\"></a>", menus[language][0].Path)
	line("<nav><ul>")
	for _, m := range menus[language] {
		line(`<li><a href="%s">%s</a></li>`, m.Path, esc(m.Words))
	}
	line("</ul></nav>")
	if p.Layout == "product" {
		line(`<a class="basket" href="/shop/basket/">Your basket</a>`)
	}
	line("</header>\n<main>")
	for _, raw := range p.RawBefore {
		line("%s", raw)
	}
	if p.Crumb != nil {
		line(`<p class="crumb"><a href="%s">%s</a></p>`, p.Crumb.Path, esc(p.Crumb.Words))
	}
	if !p.NoH1 {
		line("<h1>%s</h1>", p.H1)
	}
	for _, pic := range p.Pictures {
		if pic.NoAlt {
			line(`<p><img src="/pictures/%s.png" width="96" height="64"></p>`, pic.Name)
		} else {
			line(`<p><img src="/pictures/%s.png" alt="%s" width="96" height="64"></p>`, pic.Name, esc(pic.Alt))
		}
	}
	for _, sec := range p.Sections {
		if sec.Heading != "" {
			line("<h%d>%s</h%d>", sec.Level, sec.Heading, sec.Level)
		}
		for _, t := range sec.Text {
			line("<p>%s</p>", t)
		}
	}
	if len(p.List) > 0 {
		line(`<ul class="list">`)
		for _, r := range p.List {
			line(`<li><a href="%s">%s</a></li>`, r.Path, esc(r.Words))
		}
		line("</ul>")
	}
	if near := s.near[p.Path]; near[0] != nil {
		line(`<aside class="near"><p>Beside it: <a href="%s">%s</a>, <a href="%s">%s</a></p></aside>`, near[0].Path,
			esc(s.nameOf(near[0])), near[1].Path, esc(s.nameOf(near[1])))
	}
	if len(p.Pager) > 0 {
		line(`<p class="pager">`)
		for _, r := range p.Pager {
			line(`<a href="%s">%s</a>`, r.Path, esc(r.Words))
		}
		line("</p>")
	}
	if p.Layout == "product" {
		s.order(&b, p)
	}
	for _, raw := range p.RawMain {
		line("%s", raw)
	}
	line("</main>\n<footer>\n<ul>")
	for _, r := range footerMenu {
		line(`<li><a href="%s">%s</a></li>`, r.Path, r.Words)
	}
	for _, r := range s.footerExtra(p) {
		line(`<li><a href="%s">%s</a></li>`, r.Path, r.Words)
	}
	line("</ul>\n<p>Fernhollow Botanic Garden, Hollow Lane, Fernhollow</p>\n</footer>")
	for _, raw := range p.RawBody {
		line("%s", raw)
	}
	line("</body>\n</html>")
	if p.Markup != nil {
		return p.Markup(b.String())
	}
	return b.String()
}

// card writes what is shown where the page's address is shared.
func (s *Site) card(line func(string, ...any), p *Page, canonical string) {
	image, address := "/pictures/leaf.png", Home+canonical[1:]
	if p.CardImage != "" {
		image = p.CardImage
	}
	if p.CardAddress != "" {
		address = p.CardAddress
	}
	line(`<meta property="og:title" content="%s">`, esc(words(p.H1)))
	line(`<meta property="og:description" content="%s">`, esc(p.Path))
	line(`<meta property="og:image" content="%s">`, esc(image))
	line(`<meta property="og:url" content="%s">`, esc(address))
}

// words is a heading without its markup.
func words(h string) string {
	if strings.Contains(h, "<") {
		return "Fernhollow"
	}
	return h
}

// nameOf is what links call a page.
func (s *Site) nameOf(p *Page) string {
	if name := s.names[p.Path]; name != "" {
		return name
	}
	return p.Path
}

// order is the order box of the shop's template. In spring it writes the product's name as
// a heading once more.
func (s *Site) order(b *strings.Builder, p *Page) {
	label := "Order"
	if s.Edition == Spring {
		label = p.H1
	}
	fmt.Fprintf(b, "<form class=\"order\" action=\"/shop/basket/\" method=\"post\">\n<h2>%s</h2>\n", label)
	fmt.Fprint(b, "<label>How many? <input type=\"number\" name=\"n\" value=\"1\"></label> <button>Put into the basket</button>\n</form>\n")
}

// footerExtra is what the footer's template adds: a page that has not been there for years. What
// is made up as it is asked for has a template of its own.
func (s *Site) footerExtra(p *Page) []Ref {
	if s.byPath[p.Path] == p && s.Edition == Spring && p.Layout != "corner" {
		return []Ref{{"/old-shop/", "Seed shop"}}
	}
	return nil
}

// Render is a page as it is served; "" if there is none.
func (s *Site) Render(path string) string {
	if p := s.byPath[path]; p != nil {
		return s.render(p)
	}
	return ""
}
