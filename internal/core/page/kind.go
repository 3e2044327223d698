package page

import (
	"strconv"
	"strings"

	"golang.org/x/net/html/atom"

	"harvik/internal/core/dom"
	"harvik/internal/core/text"
)

// Kind is what sort of page this is, as far as that can be told from the page alone.
// Pages of most kinds are rightly short.
type Kind string

const (
	Ordinary   Kind = "page"
	Home       Kind = "home"
	Article    Kind = "article"
	Product    Kind = "product"
	List       Kind = "list"
	Contact    Kind = "contact"
	Login      Kind = "login"
	Search     Kind = "search"
	Cart       Kind = "cart"
	Legal      Kind = "legal"
	Gallery    Kind = "gallery"
	Calculator Kind = "calculator"
	ErrorPage  Kind = "error"
)

var kindNames = []string{"page", "home", "article", "product", "list", "contact", "login", "search", "cart", "legal",
	"gallery", "calculator", "error"}

// KindNames are all kinds of pages.
func KindNames() []string { return kindNames }

// HasText tells whether pages of a kind are there for their text; the others are rightly short.
func (k Kind) HasText() bool {
	switch k {
	case Ordinary, Home, Article, Product:
		return true
	}
	return false
}

// formSigns gathers what tells a page's kind during the walk.
type formSigns struct {
	password, mailOrTel, paged bool
	numbers, pictures, videos  int
}

// sign takes in an element that can tell the page's kind.
func (w *walker) sign(a atom.Atom, n *dom.Node) {
	s := &w.forms
	switch a {
	case atom.Video, atom.Iframe:
		s.videos++
	case atom.Input:
		switch strings.ToLower(w.attr(n, "type")) {
		case "password":
			s.password = true
		case "number", "range":
			s.numbers++
		}
	}
}

func (s *formSigns) address(href string) {
	if strings.HasPrefix(href, "mailto:") || strings.HasPrefix(href, "tel:") {
		s.mailOrTel = true
	}
}

// words that name a kind, in the last folder of an address or in the first heading.
var kindWords = []struct {
	kind  Kind
	words []string
}{
	{Contact, []string{"contact", "contact us", "contacts", "kontakt", "cysylltu", "contacto", "contatti", "find us",
		"how to find us", "imprint", "impressum"}},
	{Login, []string{"login", "log in", "sign in", "signin", "register", "anmelden", "mewngofnodi"}},
	{Cart, []string{"cart", "basket", "checkout", "shopping basket", "your basket", "warenkorb", "basged"}},
	{Legal, []string{"privacy", "privacy policy", "privacy notice", "terms", "terms and conditions", "legal",
		"legal notice", "cookies", "cookie policy", "disclaimer", "datenschutz", "agb", "preifatrwydd"}},
	{Search, []string{"search", "search results", "suche", "chwilio"}},
	{Gallery, []string{"gallery", "galerie", "oriel", "photos", "videos"}},
	{Calculator, []string{"calculator", "rechner", "cyfrifiannell"}},
}

// kind decides by the strongest sign: what the page asks for, then what it calls itself,
// then what it is made of.
func (w *walker) kind() (Kind, string) {
	s, d := &w.forms, w.doc
	words := d.Words
	if s.password && words < 400 {
		return Login, "it asks for a password"
	}
	folder := lastFolder(w.address.Path())
	heading := strings.ToLower(d.H1())
	for _, k := range kindWords {
		for _, word := range k.words {
			if folder == word || strings.ReplaceAll(folder, "-", " ") == word {
				return k.kind, "its address ends in " + strconv.Quote(folder)
			}
			if heading == word {
				return k.kind, "its heading is " + strconv.Quote(d.H1())
			}
		}
	}
	switch query := w.address.Query(); {
	case strings.Contains(w.address.Path(), "/page/") || hasParameter(query, "page"):
		return List, "its address numbers it as a page of a list"
	case hasParameter(query, "q") || hasParameter(query, "s"):
		return Search, "its address carries a search"
	case s.numbers >= 2 && words < 300:
		return Calculator, "it asks for figures"
	}
	inContent := 0
	for i := range d.Links {
		if d.Links[i].Region == Content {
			inContent++
		}
	}
	linked := text.CountIn(w.listed, len(d.MainText), words)
	switch {
	case s.paged && inContent >= 8 && linked*4 >= words: // books name next pages too
		return List, "it names a next or previous page, and much of its text is links"
	case inContent >= 8 && linked*2 >= words:
		return List, strconv.Itoa(inContent) + " links make up most of its text"
	case s.pictures >= 6 && words < 30*s.pictures:
		return Gallery, strconv.Itoa(s.pictures) + " pictures and little text"
	case s.videos >= 1 && words < 200:
		return Gallery, "it shows a video"
	case s.mailOrTel && words < 200 && strings.Contains(heading, "contact"):
		return Contact, "it gives a mail address or telephone number"
	}
	return w.byData()
}

// byData tells kinds of pages with text of their own by structured data, cards and address.
func (w *walker) byData() (Kind, string) {
	d := w.doc
	for i := range d.Data {
		switch item := &d.Data[i]; {
		case item.Other:
		case item.Is("Product"):
			return Product, "its structured data describes a product"
		case item.Is("Article"):
			return Article, "its structured data describes an article"
		}
	}
	for _, c := range d.Cards {
		switch {
		case c.Name == "og:type" && c.Value == "article":
			return Article, "its card says so"
		case c.Name == "og:type" && strings.HasPrefix(c.Value, "product"):
			return Product, "its card says so"
		}
	}
	if w.address.Path() == "/" && w.address.Query() == "" {
		return Home, "it is the home page of its host"
	}
	return Ordinary, ""
}

func lastFolder(path string) string {
	path = strings.TrimSuffix(path, "/")
	path = path[strings.LastIndexByte(path, '/')+1:]
	if i := strings.LastIndexByte(path, '.'); i > 0 {
		path = path[:i]
	}
	return strings.ToLower(path)
}

func hasParameter(query, name string) bool {
	for part := range strings.SplitSeq(query, "&") {
		if key, _, _ := strings.Cut(part, "="); key == name {
			return true
		}
	}
	return false
}
