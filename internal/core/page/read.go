package page

import (
	"bytes"
	"cmp"
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"

	"harvik/internal/core/neardup"
	"harvik/internal/core/structured"
	"harvik/internal/core/text"
)

// Read turns an HTML response into facts about the document. It never fails.
func Read(r Response) *Document {
	body, name := decode(r.Body, r.ContentType)
	root, flattened := parse(body)
	source := scan(body)
	w := walker{
		doc: &Document{Charset: name, Flattened: flattened, Markup: source.markup}, base: r.Address, address: r.Address, locator: newLocator(source),
		main: make([]byte, 0, len(body)/3), ids: map[string]bool{},
	}
	w.doc.Links = make([]Link, 0, w.locator.tags(atom.A)+w.locator.tags(atom.Area))
	w.doc.Images = make([]Image, 0, w.locator.tags(atom.Img))
	w.walk(root, place{})
	placed := w.structured(root, source, body)
	w.resolve()
	w.headers(r)
	w.charsets(r)
	w.locator.fill(w.doc, body, source.places)
	placed()
	w.finishText()
	return w.doc
}

// structured reads the structured data. What it returns notes the places of JSON-LD in the
// source, once these are known.
func (w *walker) structured(root *html.Node, s *scanner, body []byte) (placed func()) {
	d := w.doc
	var later []func()
	for _, at := range s.data {
		script := body[at.from:at.to]
		offset, first, pos := 0, len(d.Data), new(Pos)
		items, err := structured.JSON(script)
		var syntax *structured.SyntaxError
		if errors.As(err, &syntax) && len(d.DataFaults) < maxFaults {
			offset = min(syntax.Offset, len(script))
			i := len(d.DataFaults)
			d.DataFaults = append(d.DataFaults, structured.Fault{Note: strings.ToValidUTF8(syntax.Text, "\uFFFD")})
			later = append(later, func() { d.DataFaults[i].Line, d.DataFaults[i].Col = pos.Line, pos.Col })
		}
		d.Data = append(d.Data, items...)
		later = append(later, func() {
			for i := range items {
				d.Data[first+i].Line, d.Data[first+i].Col = pos.Line, pos.Col
			}
		})
		s.places = append(s.places, placedMarkup{at.from + int32(offset), func(*Document, int32) *Pos { return pos }})
	}
	if w.items {
		d.Data = append(d.Data, structured.Elements(root, func(href string) string { return cmp.Or(resolve(&w.base, href), href) })...)
	}
	for _, c := range d.Cards {
		if c.Value != "" && (c.Name == "og:image" || c.Name == "og:image:url" || c.Name == "twitter:image") {
			w.use(AsImage, c.Value, ByCard)
		}
	}
	for _, address := range structured.Pictures(d.Data) {
		w.use(AsImage, address, ByData)
	}
	return func() {
		for _, f := range later {
			f()
		}
	}
}

// charsets notes which encodings are claimed, and where.
func (w *walker) charsets(r Response) {
	c := &w.doc.Charsets
	if _, label, ok := strings.Cut(strings.ToLower(r.ContentType), "charset="); ok {
		c.Header, _, _ = strings.Cut(strings.Trim(label, ` "'`), ";")
		c.Header = strings.Trim(c.Header, ` "'`)
	}
	c.BOM = bytes.HasPrefix(r.Body, []byte("\xef\xbb\xbf")) || bytes.HasPrefix(r.Body, []byte("\xff\xfe")) || bytes.HasPrefix(r.Body, []byte("\xfe\xff"))
	if c.Meta != "" {
		at := bytes.Index(bytes.ToLower(r.Body[:min(len(r.Body), 1024)]), []byte("charset="))
		c.Late = at < 0
	}
}

// decode turns the body into UTF-8 by the HTML standard's encoding sniffing (byte order
// mark, header, meta in the first 1,024 bytes, then UTF-8 if it is that, else
// windows-1252) and takes NUL bytes out.
func decode(body []byte, contentType string) (out []byte, name string) {
	enc, name, certain := charset.DetermineEncoding(body, contentType)
	if !certain && name != "utf-8" && utf8.Valid(body) {
		name = "utf-8" // the library judges by the first 1,024 bytes alone
	}
	if name == "utf-8" {
		out = bytes.TrimPrefix(body, []byte("\xef\xbb\xbf"))
		if !utf8.Valid(out) {
			out = bytes.ToValidUTF8(out, []byte("\uFFFD"))
		}
	} else if decoded, err := enc.NewDecoder().Bytes(body); err == nil {
		out = bytes.TrimPrefix(decoded, []byte("\xef\xbb\xbf"))
	} else {
		out = bytes.ToValidUTF8(body, []byte("\uFFFD"))
	}
	if bytes.IndexByte(out, 0) >= 0 {
		out = bytes.ReplaceAll(out, []byte{0}, nil)
	}
	return out, name
}

// parse builds the tree. The parser gives up at 512 open elements, where browsers go on
// with siblings; then the source is parsed again with the surplus containers left out.
func parse(body []byte) (root *html.Node, flattened bool) {
	if root, err := tryParse(body); err == nil {
		return root, false
	}
	root, err := tryParse(flatten(body))
	if err != nil {
		root = &html.Node{Type: html.DocumentNode}
	}
	return root, true
}

func tryParse(body []byte) (root *html.Node, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = &tooDeep{}
		}
	}()
	return html.Parse(bytes.NewReader(body))
}

type tooDeep struct{}

func (*tooDeep) Error() string { return "nested deeper than 512 elements" }

// flatten drops start tags that would stand more than 200 elements deep, and all end tags
// behind the first of them.
func flatten(body []byte) []byte {
	var out bytes.Buffer
	z := html.NewTokenizer(bytes.NewReader(body))
	open, dropped := 0, false
	for {
		switch kind := z.Next(); kind {
		case html.ErrorToken:
			return out.Bytes()
		case html.StartTagToken:
			raw := z.Raw()
			name, _ := z.TagName()
			a := atom.Lookup(name)
			keep := open < 200 || locatedIndex.of(a) > 0 || rawText.of(a)
			if keep && a != atom.A {
				out.Write(raw)
			} else if keep {
				out.WriteString("</a>") // keeps links from piling up
				out.Write(raw)
			}
			dropped = dropped || !keep
			open++
		case html.EndTagToken:
			name, _ := z.TagName()
			if a := atom.Lookup(name); !dropped || rawText.of(a) || locatedIndex.of(a) > 0 {
				out.Write(z.Raw())
			}
			open = max(0, open-1)
		default:
			out.Write(z.Raw())
		}
	}
}

func (w *walker) finishText() {
	d := w.doc
	main, code := w.main, w.mainCode
	if !w.hasMain {
		main, code = w.rest, w.restCode
	}
	w.prose(main, code)
	d.MainText = text.FoldLines(main)
	shingled := text.Shingle(d.MainText)
	d.Words, d.TextHash = shingled.Words, shingled.Hash
	d.Sketch = neardup.Sketch(shingled.Shingles)
	d.Frame = neardup.Frame(d.Frame)
	d.Blocks = blocks(d.MainText)
	d.TextLang = text.Language(d.MainText, d.Lang)
	d.IDs = anchors(w.ids)
	d.Kind, d.KindReason = w.kind()
}

// maxBlocks bounds the blocks of a text that are told apart; a page with more is no template's.
const maxBlocks = 100

// blocks are the hashes of a text's lines.
func blocks(main string) (out Hashes) {
	for line := range strings.SplitSeq(main, "\n") {
		if len(out) == maxBlocks {
			break
		}
		out = append(out, Anchor(line))
	}
	return out
}

func anchors(ids map[string]bool) (out Hashes) {
	for id := range ids {
		out = append(out, Anchor(id))
	}
	slices.Sort(out)
	return out
}
