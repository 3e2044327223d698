package page

import (
	"bytes"
	"cmp"
	"errors"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"

	"harvik/internal/core/css"
	"harvik/internal/core/dom"
	"harvik/internal/core/neardup"
	"harvik/internal/core/structured"
	"harvik/internal/core/text"
)

// A reader has the memory that reading one page after the other needs.
type reader struct {
	parser                    dom.Parser
	main, rest, named, folded []byte
	words                     []uint64
	outline                   css.Outliner
}

// A Reader reads documents, several at once. Those who share one share its memory, and the turns for large documents.
// The zero value is ready.
type Reader struct {
	readers sync.Pool
	// large is held while a large document is read: its tree can take thirty times what its source does, so one is read
	// after the other, and their memory is not kept.
	large sync.Mutex
}

const largeBytes = 1 << 20

// Read turns an HTML response into facts about the document. It never fails.
func (d *Reader) Read(r Response) *Document {
	if len(r.Body) > largeBytes {
		d.large.Lock()
		defer d.large.Unlock()
		return Read(r)
	}
	with, ok := d.readers.Get().(*reader)
	if !ok {
		with = new(reader)
	}
	defer d.readers.Put(with)
	return with.read(r)
}

// Read is Reader.Read for one document.
func Read(r Response) *Document { return new(reader).read(r) }

func (with *reader) read(r Response) *Document {
	body, name := decode(r.Body, r.ContentType)
	tree := with.parser.Parse(body)
	w := walker{
		doc: &Document{Charset: name, Flattened: tree.TooDeep, Cut: tree.Cut}, tree: tree, base: r.Address,
		address: r.Address,
		main:    with.main[:0], rest: with.rest[:0], named: with.named[:0], ids: map[string]bool{},
		labels:  map[string]bool{},
		outline: &with.outline,
	}
	w.outline.Begin()
	w.markup()
	w.walk(&tree.Nodes[0], place{node: -1})
	w.rules()
	w.doc.Outline = w.outline.Outline().Pack()
	w.bareFields()
	w.structured()
	w.resolve()
	w.headers(r)
	w.charsets(r)
	w.fill(body)
	w.finishText(with)
	w.doc.own()
	with.main, with.rest, with.named = w.main, w.rest, w.named
	return w.doc
}

// structured reads the structured data.
func (w *walker) structured() {
	d := w.doc
	for _, n := range w.data {
		script := w.tree.Content(n)
		offset, first := 0, len(d.Data)
		from := n.At
		if n.First != 0 {
			from = w.tree.Nodes[n.First].At
		}
		items, err := structured.JSON([]byte(script))
		var syntax *structured.SyntaxError
		if errors.As(err, &syntax) && len(d.DataFaults) < maxFaults {
			offset = min(syntax.Offset, len(script))
			w.placeAt(from+int32(offset), posDataFault, len(d.DataFaults))
			d.DataFaults = append(d.DataFaults, structured.Fault{Note: strings.ToValidUTF8(syntax.Text, "\uFFFD")})
		}
		d.Data = append(d.Data, items...)
		for i := range items {
			w.placeAt(from+int32(offset), posData, first+i)
		}
	}
	if w.items {
		items, at := structured.Elements(w.tree,
			func(href string) string { return cmp.Or(resolve(&w.base, href), href) })
		for i := range items {
			w.placeAt(at[i], posData, len(d.Data)+i)
		}
		d.Data = append(d.Data, items...)
	}
	for _, c := range d.Cards {
		if c.Value != "" && (c.Name == "og:image" || c.Name == "og:image:url" || c.Name == "twitter:image") {
			w.use(AsImage, c.Value, ByCard)
		}
	}
	for _, address := range structured.Pictures(d.Data) {
		w.use(AsImage, address, ByData)
	}
}

// charsets notes which encodings are claimed, and where.
func (w *walker) charsets(r Response) {
	c := &w.doc.Charsets
	if _, label, ok := strings.Cut(strings.ToLower(r.ContentType), "charset="); ok {
		c.Header, _, _ = strings.Cut(strings.Trim(label, ` "'`), ";")
		c.Header = strings.Trim(c.Header, ` "'`)
	}
	c.BOM = bytes.HasPrefix(r.Body, []byte("\xef\xbb\xbf")) || bytes.HasPrefix(r.Body, []byte("\xff\xfe")) ||
		bytes.HasPrefix(r.Body, []byte("\xfe\xff"))
	if c.Meta != "" {
		at := bytes.Index(bytes.ToLower(r.Body[:min(len(r.Body), 1024)]), []byte("charset="))
		c.Late = at < 0
	}
}

// decode turns the body into UTF-8 by the HTML standard's encoding sniffing (byte order
// mark, header, meta in the first 1,024 bytes, then UTF-8 if it is that, else
// windows-1252), takes NUL bytes out and makes line ends line feeds (13.2.3.5).
func decode(body []byte, contentType string) (out []byte, name string) {
	enc, name, certain := charset.DetermineEncoding(body, contentType)
	if !certain && name != "utf-8" && utf8.Valid(body) {
		name = "utf-8" // the library judges by the first 1,024 bytes alone
	}
	return decodeAs(body, enc, name), name
}

// Decode turns a body into UTF-8 by the name of its encoding, as Document.Charset has it.
func Decode(body []byte, name string) string {
	enc, known := charset.Lookup(name)
	if enc == nil {
		known = "utf-8"
	}
	return string(decodeAs(body, enc, known))
}

func decodeAs(body []byte, enc encoding.Encoding, name string) (out []byte) {
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
	if bytes.IndexByte(out, '\r') >= 0 {
		out = bytes.ReplaceAll(bytes.ReplaceAll(out, []byte("\r\n"), []byte("\n")), []byte("\r"), []byte("\n"))
	}
	return out
}

func (w *walker) finishText(with *reader) {
	d := w.doc
	main, code := w.main, w.mainCode
	if !w.hasMain {
		main, code = w.rest, w.restCode
	}
	with.folded = text.AppendFolded(with.folded[:0], main, '\n')
	d.MainText = string(with.folded)
	shingled := text.ShingleIn(with.words, d.MainText, fillerWords...)
	with.words = shingled.Shingles
	w.prose(main, code, shingled.Watched)
	inCode := 0
	for _, c := range code {
		inCode += int(c.to - c.from)
	}
	d.CodeShare = 100 * inCode / max(1, len(main))
	d.Words, d.TextHash = shingled.Words, shingled.Hash
	d.Sketch = neardup.Sketch(shingled.Shingles)
	d.Frame = neardup.Frame(d.Frame)
	d.Blocks = blocks(d.MainText)
	if !d.IsMostlyCode() {
		d.TextLang = text.Language(d.MainText, d.Lang)
	}
	d.IDs = anchors(w.ids)
	d.Kind, d.KindReason = w.kind()
}

// IsMostlyCode tells a main text that is in no language, as at least half of it stands in code.
func (d *Document) IsMostlyCode() bool { return d.CodeShare >= 50 }

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
