package page

import (
	"bytes"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"

	"harvik/internal/core/neardup"
	"harvik/internal/core/text"
)

// Read turns an HTML response into facts about the document. It never fails.
func Read(r Response) *Document {
	body, name := decode(r.Body, r.ContentType)
	root, flattened := parse(body)
	w := walker{
		doc: &Document{Charset: name, Flattened: flattened}, base: r.Address, address: r.Address, locator: newLocator(body),
		main: make([]byte, 0, len(body)/3),
	}
	w.doc.Links = make([]Link, 0, w.locator.tags(atom.A)+w.locator.tags(atom.Area))
	w.doc.Images = make([]Image, 0, w.locator.tags(atom.Img))
	w.walk(root, place{})
	w.resolve()
	w.headers(r)
	w.locator.fill(w.doc, body)
	w.finishText()
	return w.doc
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
			keep := open < 200 || locatedIndex[a] > 0 || rawText[a]
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
			if a := atom.Lookup(name); !dropped || rawText[a] || locatedIndex[a] > 0 {
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
	main := w.main
	if !w.hasMain {
		main = w.rest
	}
	d.MainText = text.Fold(main)
	shingled := text.Shingle(d.MainText)
	d.Words, d.TextHash = shingled.Words, shingled.Hash
	d.Sketch = neardup.Sketch(shingled.Shingles)
	d.Frame = neardup.Frame(d.Frame)
	d.Kind, d.KindReason = w.kind()
}
