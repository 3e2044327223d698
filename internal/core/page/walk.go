package page

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/net/html/atom"

	"harvik/internal/core/css"
	"harvik/internal/core/dom"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// place is where the walk stands, handed down by value.
type place struct {
	path     string
	region   Region
	inHead   bool
	inMain   bool
	inner    bool // inside sectioning content: a header or footer there is not the page's
	silent   bool // not part of the main text
	labelled bool // inside a label
	code     bool // inside code
	naming   bool // inside a link or heading: alternative texts count as text
	titling  bool // inside a heading
	sizes    bool // inside a picture element, which offers its image in several forms
	depth    int  // below body
	level    int  // below the document
	tables   int  // around
	feature  uint32
	node     int32 // of the outline
}

type walker struct {
	doc                *Document
	tree               *dom.Tree
	address            weburl.URL
	base               weburl.URL
	hasBase            bool
	placed             []placed
	named              []byte // text of links and headings so far, with alternative texts
	mark               string // of a heading, left out of its text
	main               []byte // main text, taken from main elements if there are any
	rest               []byte // main text of a page without main
	hasMain            bool
	mainCode, restCode []span // where code stands in main and rest
	forms              formSigns
	listed             int             // bytes of main text inside links
	ids                map[string]bool // names of places; true for ids
	labels             map[string]bool // ids that labels speak of
	fields             []field
	items              bool        // some element carries Microdata or RDFa
	data               []*dom.Node // scripts of JSON-LD
	outline            *css.Outliner
}

func (w *walker) walk(n *dom.Node, p place) {
	lists, children := 0, 0
	p.level++
	for id := n.First; id != 0; {
		c := &w.tree.Nodes[id]
		id = c.Next
		if c.Kind == dom.Text {
			w.text(w.tree.Data(c), p)
			continue
		}
		if c.Class&dom.Phrasing == 0 {
			children++
		}
		if c.Name == atom.Li || c.Name == atom.Tr || c.Name == atom.Td || c.Name == atom.P {
			lists++
		}
		w.element(c, p, lists)
	}
	w.children(n, children)
}

func (w *walker) text(s string, p place) {
	if p.inHead {
		return
	}
	w.doc.Shape.Text += len(s)
	if p.naming {
		w.named = append(w.named, s...)
	}
	if p.silent || p.region != Content {
		return
	}
	if p.inMain {
		w.main = append(w.main, s...)
	} else if !w.hasMain {
		w.rest = append(w.rest, s...)
	}
}

// gap separates words that stand in different blocks.
func (w *walker) gap(p place) {
	w.text(text.Gap, p)
	w.doc.Shape.Text--
}

// children notes the element that has most, runs of text apart.
func (w *walker) children(n *dom.Node, count int) {
	if s := &w.doc.Shape; count > s.Children && n.Kind == dom.Element {
		s.Children, s.Parent = count, strings.Clone(w.tree.Data(n))
		if class := strings.Fields(w.attr(n, "class")); len(class) > 0 && len(class[0]) < 60 {
			s.Parent += "." + class[0]
		}
	}
}

func (w *walker) element(n *dom.Node, p place, nth int) {
	s := &w.doc.Shape
	s.Elements++
	s.Depth = max(s.Depth, p.level)
	p.node = w.attributes(n, p.node)
	if n.Space != dom.HTML {
		p.silent = true // text of SVG and MathML names a link, but is no main text
		w.walk(n, p)
		return
	}
	a := n.Name
	switch a {
	case atom.Script, atom.Style, atom.Template, atom.Noscript, atom.Noframes, atom.Noembed, atom.Iframe, atom.Object:
		w.loads(n, a)
		w.sign(a, n)
		w.unread(n, a, p)
		return
	case atom.Table:
		p.tables++
		s.TableDepth = max(s.TableDepth, p.tables)
	case atom.Head:
		p.inHead = true
	case atom.Body:
		p.depth, p.feature = 1, 2166136261 // frames begin here: the classes of body are mostly about the one page
	}
	block := n.Class&dom.Block != 0
	if block {
		w.gap(p)
	}
	p = w.enter(n, a, p, nth)
	w.loads(n, a)
	start := len(w.named)
	switch a {
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		w.heading(n, a, p, start)
	case atom.A, atom.Area:
		w.link(n, a, p, start)
	case atom.Title:
		w.fact(n, a, p)
	case atom.Div:
		if !w.isListing(n) {
			w.walk(n, p)
			break
		}
		fallthrough
	case atom.Code, atom.Pre, atom.Samp, atom.Kbd, atom.Tt:
		p.code = true
		main, rest := len(w.main), len(w.rest)
		w.walk(n, p)
		w.mainCode, w.restCode = codeTo(w.mainCode, main, len(w.main)), codeTo(w.restCode, rest, len(w.rest))
	default:
		w.fact(n, a, p)
		w.walk(n, p)
	}
	if block {
		w.gap(p)
	}
}

// listings are class names that generators of documentation give to blocks of code.
var listings = map[string]bool{"fragment": true, "highlight": true, "programlisting": true, "sourcecode": true,
	"codehilite": true, "listing": true, "code": true}

func (w *walker) isListing(n *dom.Node) bool {
	class := w.attr(n, "class")
	if class == "" || len(class) > 200 {
		return false
	}
	for one := range strings.FieldsSeq(class) {
		if listings[strings.ToLower(one)] {
			return true
		}
	}
	return false
}

// codeTo adds a stretch of code, which takes in those inside it.
func codeTo(code []span, from, to int) []span {
	for len(code) > 0 && int(code[len(code)-1].from) >= from {
		code = code[:len(code)-1]
	}
	if to > from {
		code = append(code, span{int32(from), int32(to)})
	}
	return code
}

// enter works out the place of what stands inside n.
func (w *walker) enter(n *dom.Node, a atom.Atom, p place, nth int) place {
	role := w.attr(n, "role")
	switch {
	case a == atom.Nav || role == "navigation":
		p = p.landmark(Navigation, "nav")
	case (a == atom.Header && !p.inner) || role == "banner":
		p = p.landmark(Banner, "header")
	case (a == atom.Footer && !p.inner) || role == "contentinfo":
		p = p.landmark(Footer, "footer")
	case a == atom.Aside || role == "complementary":
		p = p.landmark(Aside, "aside")
	case a == atom.Main || role == "main":
		p.path, p.inMain, p.inner = "main", true, true
		w.hasMain = true
	case a == atom.Article || a == atom.Section:
		p.inner = true
		p = p.step(a.String(), 0)
	case a == atom.Ul || a == atom.Ol || a == atom.Table || a == atom.Form || a == atom.Figure || a == atom.Dl:
		p = p.step(a.String(), 0)
	case a == atom.Li || a == atom.Tr || a == atom.Td || a == atom.P:
		p = p.step(a.String(), nth)
	case a == atom.Label:
		p.labelled = true
	case a == atom.Picture:
		p.sizes = true
	case a == atom.Select || a == atom.Textarea || a == atom.Option || w.hasAttr(n, "hidden"):
		p.silent = true
	}
	if p.depth > 0 && p.depth < 6 {
		kind := kindOf(w.attr(n, "class"))
		p.feature = hash(hash(hash(p.feature, w.tree.Data(n)), kind), role)
		if p.depth < 5 && a != atom.A && a != atom.P && a != atom.Li && (kind+role != "" || builds[a]) {
			w.doc.Frame = append(w.doc.Frame, p.feature)
		}
		p.depth++
	}
	return p
}

// builds are elements that templates are made of; others without a class of their own are what authors write.
var builds = map[atom.Atom]bool{
	atom.Body: true, atom.Div: true, atom.Section: true, atom.Article: true, atom.Main: true, atom.Nav: true,
	atom.Header: true, atom.Footer: true,
	atom.Aside: true, atom.Form: true, atom.Table: true, atom.Tbody: true, atom.Tr: true, atom.Td: true,
	atom.Center: true, atom.Address: true, atom.Hr: true,
}

// kindOf is the first of an element's classes that is not about this one page: content systems number posts,
// and name their subjects behind it.
func kindOf(class string) string {
	for one := range strings.FieldsSeq(class) {
		if !strings.ContainsAny(one, "0123456789") {
			return one
		}
	}
	return ""
}

func (p place) landmark(r Region, name string) place {
	switch {
	case p.region == Content && !p.inMain:
		p.path = name
	case p.path != name:
		p = p.step(name, 0)
	}
	if p.region == Content {
		p.region = r
	}
	return p
}

// step lengthens the path: "nav > ul > li 3". Deep paths stop growing.
func (p place) step(name string, nth int) place {
	if len(p.path) > 64 {
		return p
	}
	if p.path != "" {
		name = p.path + " > " + name
	}
	if nth > 0 {
		name += " " + strconv.Itoa(nth)
	}
	p.path = name
	return p
}

// hash is FNV-1a over a string, continued from h.
func hash(h uint32, s string) uint32 {
	for i := 0; i < len(s); i++ {
		h = (h ^ uint32(s[i])) * 16777619
	}
	return (h ^ 0xff) * 16777619
}

func (w *walker) heading(n *dom.Node, a atom.Atom, p place, start int) {
	level, _ := strconv.Atoi(a.String()[1:])
	i := len(w.doc.Headings)
	if !w.room(i, maxHeadings) {
		w.walk(n, p)
		return
	}
	w.doc.Headings = append(w.doc.Headings, Heading{Level: level, Place: p.path})
	w.place(n, posHeading, i)
	p.naming, p.titling = true, true
	w.mark = ""
	w.walk(n, p)
	w.doc.Headings[i].Text = cmp.Or(folded(w.named[start:], maxWords), w.mark)
}

func (w *walker) link(n *dom.Node, a atom.Atom, p place, start int) {
	p.naming = true
	href, ok := w.findAttr(n, "href")
	if !ok {
		if a == atom.A && w.hasAttr(n, "onclick") {
			if w.doc.Shape.ClickOnly++; w.doc.Shape.ClickPlace == "" {
				w.doc.Shape.ClickPlace = p.path
			}
		}
		w.walk(n, p)
		return
	}
	i, images := len(w.doc.Links), len(w.doc.Images)
	if !w.room(i, maxLinks) {
		w.walk(n, p)
		return
	}
	w.doc.Links = append(w.doc.Links, Link{
		Href: cut(href, maxHref), Place: p.path, Region: p.region,
		NoFollow: hasToken(w.attr(n, "rel"), "nofollow"),
		Hidden:   w.attr(n, "aria-hidden") == "true",
		Code:     p.code,
	})
	w.place(n, posLink, i)
	before := len(w.main) + len(w.rest)
	if a == atom.Area {
		w.named = append(w.named, w.attr(n, "alt")...)
	}
	w.walk(n, p)
	w.listed += len(w.main) + len(w.rest) - before
	l := &w.doc.Links[i]
	if l.Words = folded(w.named[start:], maxWords); l.Words == "" {
		for _, name := range [...]string{"aria-label", "aria-labelledby", "title"} {
			if l.Label = folded([]byte(w.attr(n, name)), maxWords); l.Label != "" {
				break
			}
		}
		if len(w.doc.Images) == images+1 {
			w.doc.Images[images].Alone = l.Label == ""
		}
	} else if p.titling && strings.HasPrefix(href, "#") && !strings.ContainsFunc(l.Words, isWordy) {
		w.named, w.mark = w.named[:start], l.Words // what only links to the heading itself is none of its words
	}
	w.forms.address(href)
}

func isWordy(r rune) bool { return unicode.IsLetter(r) || unicode.IsNumber(r) }

// fact notes what an element other than a link or heading tells.
func (w *walker) fact(n *dom.Node, a atom.Atom, p place) {
	d := w.doc
	switch a {
	case atom.Html:
		d.Lang, d.HasLang = w.findAttr(n, "lang")
		d.XMLLang = w.attr(n, "xml:lang")
		w.place(n, posLang, 0)
	case atom.Base:
		if href, ok := w.findAttr(n, "href"); ok && !w.hasBase {
			w.hasBase = true
			if u, err := w.address.Parse(href); err == nil && u.IsHTTP() {
				w.base, d.Base = u, u.Key()
			}
		}
	case atom.Title:
		if w.room(len(d.Titles), maxFew) {
			w.place(n, posTitle, len(d.Titles))
			d.Titles = append(d.Titles, Text{Text: folded([]byte(w.tree.Content(n)), maxContent), InHead: p.inHead})
		}
	case atom.Meta:
		w.meta(n, p)
	case atom.Link:
		w.linkElement(n, p)
	case atom.Img:
		w.image(n, p)
	case atom.Br:
		w.gap(p)
	case atom.Form:
		if w.room(len(w.doc.Forms), maxFew) {
			w.doc.Forms = append(w.doc.Forms,
				Form{Action: cut(w.attr(n, "action"), maxHref), Post: !isGet(w.attr(n, "method")), Place: p.path})
		}
	case atom.Label:
		if id := w.attr(n, "for"); id != "" {
			w.labels[id] = true
		}
	case atom.Select, atom.Textarea:
		w.field(n, p)
	case atom.Input, atom.Video, atom.Button:
		w.sign(a, n)
		if a == atom.Input {
			w.field(n, p)
		}
		if a == atom.Input && len(w.doc.Forms) > 0 && strings.EqualFold(w.attr(n, "type"), "password") {
			w.doc.Forms[len(w.doc.Forms)-1].Password = true
		}
	}
}

// A field waits for a label that may follow it.
type field struct {
	id   string
	name string
	at   int32
}

// field notes one that people fill in and that nothing names so far.
func (w *walker) field(n *dom.Node, p place) {
	switch strings.ToLower(w.attr(n, "type")) {
	case "hidden", "submit", "reset", "button", "image":
		return
	}
	named := p.labelled || p.silent && n.Name == atom.Input
	for _, name := range [...]string{"aria-label", "aria-labelledby", "title"} {
		named = named || strings.TrimSpace(w.attr(n, name)) != ""
	}
	if !named && !w.hasAttr(n, "hidden") && w.attr(n, "aria-hidden") != "true" && n.At >= 0 &&
		len(w.fields) < maxFaults {
		w.fields = append(w.fields, field{w.attr(n, "id"), clip(w.attr(n, "name")), n.At})
	}
}

// bareFields keeps those that no label speaks of.
func (w *walker) bareFields() {
	d := w.doc
	for _, f := range w.fields {
		if !w.labels[f.id] {
			w.placeAt(f.at, posBareField, len(d.BareFields))
			d.BareFields = append(d.BareFields, Element{Name: "field", Type: f.name})
		}
	}
}

func (w *walker) meta(n *dom.Node, p place) {
	d := w.doc
	value := cut(w.attr(n, "content"), maxContent)
	t := Text{Text: text.Fold([]byte(value)), InHead: p.inHead}
	var list *[]Text
	var pos func(*Document, int32) *Pos
	name := strings.ToLower(strings.TrimSpace(w.attr(n, "name")))
	switch name {
	case "description":
		list, pos = &d.Descriptions, posDescription
	case "keywords":
		list, pos = &d.Keywords, posKeywords
	case "viewport":
		list, pos = &d.Viewports, posViewport
	case "robots":
		d.Robots.read(value, "meta")
		list, pos = &d.Robots.Said, posRobots
	}
	if list == nil {
		w.otherMeta(n, name, t.Text)
		return
	}
	if w.room(len(*list), maxFew) {
		w.place(n, pos, len(*list))
		*list = append(*list, t)
	}
}

// maxCards bounds the values for sharing that are kept.
const maxCards = 40

func (w *walker) otherMeta(n *dom.Node, name, value string) {
	d := w.doc
	property := strings.ToLower(strings.TrimSpace(w.attr(n, "property")))
	switch {
	case (strings.HasPrefix(property, "og:") || strings.HasPrefix(name, "og:") || strings.HasPrefix(name, "twitter:") ||
		strings.HasPrefix(property, "twitter:")) && len(d.Cards) < maxCards:
		w.place(n, posCard, len(d.Cards))
		d.Cards = append(d.Cards, Meta{Name: cmp.Or(property, name), Value: value})
		return
	case strings.EqualFold(w.attr(n, "http-equiv"), "refresh") && d.Refresh == "":
		d.Refresh = value
	case d.Charsets.Meta != "":
	case w.hasAttr(n, "charset"):
		d.Charsets.Meta = strings.ToLower(strings.TrimSpace(w.attr(n, "charset")))
	case strings.EqualFold(w.attr(n, "http-equiv"), "content-type"):
		if _, label, ok := strings.Cut(strings.ToLower(value), "charset="); ok {
			d.Charsets.Meta = strings.Trim(label, ` "';`)
		}
	}
}

func (w *walker) linkElement(n *dom.Node, p place) {
	rel := w.attr(n, "rel")
	href, ok := w.findAttr(n, "href")
	lang, foreign := w.findAttr(n, "hreflang")
	href, lang = cut(href, maxHref), cut(lang, maxFew)
	switch {
	case ok && hasToken(rel, "canonical"):
		if w.room(len(w.doc.Canonicals), maxFew) {
			w.place(n, posCanonical, len(w.doc.Canonicals))
			w.doc.Canonicals = append(w.doc.Canonicals, Ref{Href: href, InHead: p.inHead})
		}
		return
	case ok && foreign && hasToken(rel, "alternate") && len(w.doc.Alternates) < maxAlternates:
		w.place(n, posAlternate, len(w.doc.Alternates))
		w.doc.Alternates = append(w.doc.Alternates,
			Alternate{strings.TrimSpace(lang), Ref{Href: href, InHead: p.inHead}})
		return
	case hasToken(rel, "next"), hasToken(rel, "prev"):
		w.forms.paged = true
	}
}

// maxAlternates bounds the languages of one page.
const maxAlternates = 300

// unread notes what stands in elements whose content is no part of the page.
func (w *walker) unread(n *dom.Node, a atom.Atom, p place) {
	d := w.doc
	switch a {
	case atom.Style:
		d.Shape.Styles += len(w.tree.Content(n))
	case atom.Script:
		src, ok := w.findAttr(n, "src")
		switch classic, module := w.scriptKind(n); {
		case !classic && !module:
		case !ok:
			d.Shape.Scripts += len(w.tree.Content(n))
		case len(d.Scripts) < maxUses:
			d.Scripts = append(d.Scripts, Script{
				Address: cut(src, maxHref), Integrity: w.hasAttr(n, "integrity"),
				Blocking: p.inHead && classic && !w.hasAttr(n, "async") && !w.hasAttr(n, "defer"),
			})
		}
	case atom.Iframe:
		if src := w.attr(n, "src"); src != "" && len(d.Frames) < maxAlternates {
			d.Frames = append(d.Frames, cut(src, maxHref))
			if strings.TrimSpace(w.attr(n, "title")) == "" && w.attr(n, "aria-label") == "" &&
				w.attr(n, "aria-hidden") != "true" && !w.hasAttr(n, "hidden") && len(d.BareFrames) < maxFaults {
				w.place(n, posBareFrame, len(d.BareFrames))
				d.BareFrames = append(d.BareFrames, Element{Name: "iframe", Type: clip(src)})
			}
		}
	}
}

// scriptKind tells what browsers take a script element for; neither: it holds data, and they load nothing for it (HTML
// standard, 4.12.1.1).
func (w *walker) scriptKind(n *dom.Node) (classic, module bool) {
	kind := strings.ToLower(strings.TrimSpace(w.attr(n, "type")))
	for _, name := range [...]string{"javascript", "ecmascript", "jscript", "livescript"} {
		classic = classic || strings.Contains(kind, name)
	}
	return classic || kind == "", kind == "module"
}

// maxIDs bounds the anchors of one page.
const maxIDs = 20_000

// attributes notes those that any element can carry, and gives its node of the outline.
func (w *walker) attributes(n *dom.Node, parent int32) int32 {
	d := w.doc
	id, class := "", ""
	w.tree.Attributes(n, func(name, value string) {
		switch name {
		case "id":
			id = value
			w.id(value, true)
		case "class":
			class = value
		case "name":
			if n.Name == atom.A {
				w.id(value, false)
			}
		case "style":
			d.Shape.StyleAttrs++
			d.Shape.Styles += len(value)
		case "itemscope", "typeof":
			w.items = true
		}
	})
	return w.outline.Enter(parent, w.tree.Data(n), id, class)
}

// id notes a name of a place; only ids have to be different, what a name attribute says may be an id, too.
func (w *walker) id(id string, isID bool) {
	d := w.doc
	if id == "" || len(w.ids) >= maxIDs {
		return
	}
	if known, met := w.ids[id]; met && !isID {
		return
	} else if known {
		if len(d.TwiceIDs) < maxFaults && !slices.Contains(d.TwiceIDs, id) && len(id) < 200 {
			d.TwiceIDs = append(d.TwiceIDs, id)
		}
		return
	}
	w.ids[id] = isID
}

// Anchor is the hash under which a document keeps the name of a place in it.
func Anchor(name string) uint32 { return uint32(xxhash.Sum64String(name)) }

func (w *walker) image(n *dom.Node, p place) {
	alt, has := w.findAttr(n, "alt")
	if !w.room(len(w.doc.Images), maxImages) {
		return
	}
	w.place(n, posImage, len(w.doc.Images))
	w.doc.Images = append(w.doc.Images, Image{
		Src: cut(w.attr(n, "src"), maxHref), Alt: folded([]byte(alt), maxWords), HasAlt: has, Place: p.path,
		HasSize: w.hasAttr(n, "width") && w.hasAttr(n, "height") ||
			strings.Contains(w.attr(n, "style"), "aspect-ratio") || p.silent || isUnseen(w.attr(n, "style")),
		Lazy: strings.EqualFold(w.attr(n, "loading"), "lazy"), Sizes: p.sizes ||
			len(candidates(w.attr(n, "srcset"))) > 0,
		Early: (p.region == Content || p.region == Banner) && len(w.main)+len(w.rest) < earlyText && !w.isSmall(n),
	})
	if p.naming && alt != "" {
		w.named = append(append(append(w.named, ' '), alt...), ' ')
	}
	if p.region == Content {
		w.forms.pictures++
	}
}

// earlyText is how many bytes of main text, a paragraph, may stand above the first pictures that are seen.
const earlyText = 600

// isSmall tells signs and portraits by the width that they declare.
func (w *walker) isSmall(n *dom.Node) bool {
	const small = 150
	width, err := strconv.Atoi(strings.TrimSuffix(w.attr(n, "width"), "px"))
	return err == nil && width < small
}

// isGet tells forms that only ask, so that their address can be asked for alone.
func isGet(method string) bool { return method == "" || strings.EqualFold(method, "get") }

// isUnseen tells a style by which nothing is shown, so that it takes no room.
func isUnseen(style string) bool {
	style = strings.ReplaceAll(strings.ToLower(style), " ", "")
	return strings.Contains(style, "display:none") || strings.Contains(style, "position:absolute")
}

// read adds the directives of one robots meta or X-Robots-Tag value for all agents.
func (r *Robots) read(value, source string) {
	for part := range strings.SplitSeq(value, ",") {
		switch strings.ToLower(strings.TrimSpace(part)) {
		case "noindex":
			r.NoIndex = source
		case "nofollow":
			r.NoFollow = source
		case "none":
			r.NoIndex, r.NoFollow = source, source
		}
	}
}

func posHeading(d *Document, i int32) *Pos     { return &d.Headings[i].Pos }
func posLink(d *Document, i int32) *Pos        { return &d.Links[i].Pos }
func posImage(d *Document, i int32) *Pos       { return &d.Images[i].Pos }
func posTitle(d *Document, i int32) *Pos       { return &d.Titles[i].Pos }
func posDescription(d *Document, i int32) *Pos { return &d.Descriptions[i].Pos }
func posKeywords(d *Document, i int32) *Pos    { return &d.Keywords[i].Pos }
func posViewport(d *Document, i int32) *Pos    { return &d.Viewports[i].Pos }
func posRobots(d *Document, i int32) *Pos      { return &d.Robots.Said[i].Pos }
func posCard(d *Document, i int32) *Pos        { return &d.Cards[i].Pos }
func posAlternate(d *Document, i int32) *Pos   { return &d.Alternates[i].Pos }
func posCanonical(d *Document, i int32) *Pos   { return &d.Canonicals[i].Pos }
func posLang(d *Document, _ int32) *Pos        { return &d.LangPos }
func posBareFrame(d *Document, i int32) *Pos   { return &d.BareFrames[i].Pos }
func posBareField(d *Document, i int32) *Pos   { return &d.BareFields[i].Pos }

func (w *walker) findAttr(n *dom.Node, name string) (string, bool) { return w.tree.Attr(n, name) }

func (w *walker) attr(n *dom.Node, name string) string {
	v, _ := w.tree.Attr(n, name)
	return v
}

func (w *walker) hasAttr(n *dom.Node, name string) bool {
	_, ok := w.tree.Attr(n, name)
	return ok
}

// hasToken looks for a word in a space-separated list, case ignored.
func hasToken(list, token string) bool {
	if len(list) < len(token) {
		return false
	}
	for f := range strings.FieldsSeq(list) {
		if strings.EqualFold(f, token) {
			return true
		}
	}
	return false
}
