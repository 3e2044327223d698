// Package page reads a response into facts: what stands in it, where, and nothing
// about whether that is good. Reading is total: any bytes give facts, in one walk over
// the tree that the HTML standard's parser builds (https://html.spec.whatwg.org/).
package page

import (
	"cmp"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"harvik/internal/core/dom"
	"harvik/internal/core/structured"
	"harvik/internal/core/weburl"
)

// Version of the facts; it grows when their meaning changes, so that stored facts of an
// older version can be told apart.
const Version = 8

// Oldest is the version of the oldest facts that can be judged: before it texts were hashed otherwise.
const Oldest = 4

// Outcome names how the attempt to fetch an address ended.
type Outcome string

const (
	Answered     Outcome = "answered"       // a complete HTTP response, whatever its status
	Truncated    Outcome = "truncated"      // a response whose body was cut: byte limit, or it ended early
	Refused      Outcome = "refused"        // the host refused the connection
	Reset        Outcome = "reset"          // the connection broke
	Unreachable  Outcome = "unreachable"    // no route to the host
	NoDNS        Outcome = "no-dns"         // the host name does not resolve
	TimedOut     Outcome = "timeout"        // no complete answer in the plan's time
	TLSFailed    Outcome = "tls"            // certificate or handshake
	BadCoding    Outcome = "bad-coding"     // the content coding could not be undone
	BadResponse  Outcome = "bad-response"   // not HTTP
	Forbidden    Outcome = "forbidden-host" // an address range that the service does not allow
	RobotsBlocks Outcome = "robots"         // robots.txt shuts it out; not fetched
	NotRead      Outcome = "not-read"       // Harvik itself failed at reading it: nothing is said of the site
)

// Facts is all that is known about one fetched address. Plain data, safe to share once built.
type Facts struct {
	Version     int
	Address     string
	Outcome     Outcome
	Detail      string // in words: the error, or the robots.txt line
	Status      int
	Type        string // media type, lower case, without parameters
	Bytes       int
	Transferred int // bytes of body on the wire
	Coding      string
	Protocol    string
	Header      []Field
	Redirect    string // resolved target of a 3xx answer
	Tries       int
	Earlier     []string // how the tries before the last ended: "503", "reset"
	Timing      Timing
	Opaque      bool      // a PNG image without transparency
	Spare       int       // bytes of a script or stylesheet that minifying would save
	Uses        []Use     // of a stylesheet; a document has its own
	PDF         *PDF      // nil unless one was read
	Document    *Document // nil unless an HTML body was read
	// Fields are facts of the consultant's own, by name: texts, numbers, or lists of either.
	Fields map[string]any
}

// Usable tells whether facts can be judged by this Harvik: they grow additively from Oldest on, so that what an older
// crawl did not read is unknown to the checks that need it (check.Check.Since), and they do not judge it.
func (f *Facts) Usable() bool { return f.Version >= Oldest && f.Version <= Version }

// ReadForms tells whether it was read where forms lead and how they send.
func (f *Facts) ReadForms() bool { return f.Version >= 5 }

// Field is one header line.
type Field struct {
	Name  string
	Value string
}

// Timing of the last try, in milliseconds.
type Timing struct {
	Resolve   int
	Connect   int
	TLS       int
	FirstByte int // from the request's start
	Whole     int
}

// Pos is a place in the decoded source.
type Pos = dom.Pos

// Text is a piece of text and where it stands.
type Text struct {
	Text   string
	InHead bool
	Pos
}

// Heading is one h1 to h6, in document order.
type Heading struct {
	Level int
	Text  string // an image's alternative text counts
	Place string
	Pos
}

// Ref is an address that an element names.
type Ref struct {
	Href    string // as written
	Address string // resolved, without fragment; "" if it is no address
	InHead  bool
	Header  bool // from a Link header
	Pos
}

// Image is one img element.
type Image struct {
	Src     string
	Address string
	Alt     string
	HasAlt  bool
	HasSize bool // width and height, or an aspect ratio in its style
	Alone   bool // the only content of a link
	Lazy    bool // loading="lazy"
	Sizes   bool // offered in several sizes or formats: srcset, or within a picture element
	Early   bool // little stands before it, so that it is likely to be seen without scrolling
	Place   string
	Pos
}

// Region is the part of a page that something stands in.
type Region uint8

const (
	Content Region = iota
	Navigation
	Banner
	Footer
	Aside
)

var regionNames = [...]string{"content", "navigation", "header", "footer", "aside"}

func (r Region) String() string { return regionNames[r] }

// Link is one a or area element with an href.
type Link struct {
	Address  string // resolved, without fragment; "" if no parser accepts the href
	Href     string // as written, kept only where Address is "", or where it is written oddly
	Fragment string
	Words    string // text and alternative texts
	Label    string // aria-label or title, kept only where Words is ""
	Place    string
	Region   Region
	NoFollow bool
	Hidden   bool // aria-hidden
	Code     bool // in code, where words are names
	Scripted bool // only scripts make it
	Pos
}

// Robots are the directives for all agents, each with where it was said.
type Robots struct {
	NoIndex  string // "meta", "header" or ""
	NoFollow string // likewise
	Said     []Text // each value as written; InHead: a meta element
}

// Alternate is one address of the page in another language.
type Alternate struct {
	Lang string // as written
	Ref
}

// Meta is a named value in the head: an Open Graph property or a twitter: name.
type Meta struct {
	Name  string
	Value string
	Pos
}

// Form is one form element.
type Form struct {
	Action   string // resolved; the page itself where there is none
	Post     bool
	Password bool
	Place    string
}

// Script is one external script.
type Script struct {
	Address   string
	Integrity bool
	Blocking  bool // in the head, neither async nor deferred: nothing shows before it has run
}

// Snippet is a text that was looked for in the source.
type Snippet struct {
	Name  string
	Found bool
}

// Shape is how large a document is, in elements and bytes.
type Shape struct {
	Elements   int
	Depth      int
	Children   int    // of the element with most, elements of running text not counted
	Parent     string // that element: "ul.menu"
	Text       int    // bytes of visible text
	Scripts    int    // bytes of inline scripts
	Styles     int    // bytes of style elements and attributes
	StyleAttrs int
	TableDepth int
	ClickOnly  int // a elements without href that a script makes links of
	ClickPlace string
}

// Document is what was read from an HTML body.
type Document struct {
	Charset      string
	Charsets     Charsets
	HasLang      bool
	Lang         string
	LangPos      Pos
	XMLLang      string // what HTML takes no notice of
	Base         string
	Titles       []Text // of the HTML namespace: an SVG's title is none
	Descriptions []Text
	Keywords     []Text
	Viewports    []Text
	Canonicals   []Ref
	Robots       Robots
	Refresh      string // content of a meta refresh or Refresh header
	RefreshTo    string // the other address that it leads to
	Alternates   []Alternate
	Cards        []Meta
	Data         []structured.Item
	DataFaults   []structured.Fault
	Forms        []Form
	Frames       []string // addresses of iframes
	Scripts      []Script
	BareFrames   []Element // iframes without a title
	BareFields   []Element // fields of forms without a label
	IDs          Hashes    // of elements and named anchors, hashed, sorted
	TwiceIDs     []string
	Markup       Markup
	Shape        Shape
	Headings     []Heading
	Images       []Image
	Links        []Link // stored apart, packed
	Uses         []Use  // likewise; what the document loads, each once
	Icon         string // address of the icon that is declared
	MainText     string // stored apart; blocks stand on lines of their own
	Words        int
	CodeShare    int       // percent of the main text that stands in code
	TextHash     uint64    // of the main text, white space and case folded
	Sketch       Hashes    // see package neardup
	Frame        Hashes    // structure, see package neardup
	Outline      []byte    // what stands in what, see package css; empty where it is not known
	TextLang     string    // language of the main text (ISO 639-1), where that is sure
	Blocks       Hashes    // of the main text's lines, hashed, in order
	Fillers      []string  // what looks like a template's marks or filler text, code left aside
	Mails        []string  // mail addresses in the main text, code left aside
	Replaced     []string  // words with replacement characters, likewise
	Misread      []string  // words with UTF-8 that was read as windows-1252, likewise
	Snippets     []Snippet // that the plan looked for
	Kind         Kind
	KindReason   string
	KindRead     Kind // what the page itself looked like, where a plan overrules it
	Flattened    bool // nested deeper than browsers nest; read flattened
	Cut          bool // more elements than any page has; only the first were read
	Left         int  // links, headings and the like beyond what is kept of a page
}

// Charsets are the encodings that the document claims, lower case, as written.
type Charsets struct {
	Header string
	Meta   string
	Late   bool // the meta element ends behind the first 1,024 bytes
	BOM    bool
}

// Hashes are written in JSON as the base64 of their little-endian bytes.
type Hashes []uint32

// MarshalText packs.
func (h Hashes) MarshalText() ([]byte, error) {
	raw := make([]byte, 0, 4*len(h))
	for _, v := range h {
		raw = binary.LittleEndian.AppendUint32(raw, v)
	}
	return base64.RawStdEncoding.AppendEncode(nil, raw), nil
}

// UnmarshalText unpacks.
func (h *Hashes) UnmarshalText(text []byte) error {
	raw, err := base64.RawStdEncoding.AppendDecode(nil, text)
	if err != nil || len(raw)%4 != 0 {
		return fmt.Errorf("hashes: %d bytes of base64 expected in fours: %w", len(text), err)
	}
	*h = make(Hashes, 0, len(raw)/4)
	for ; len(raw) > 0; raw = raw[4:] {
		*h = append(*h, binary.LittleEndian.Uint32(raw))
	}
	return nil
}

// A Skeleton is what checks on a whole site ask of very many documents: where links can arrive, and what stands in
// what.
type Skeleton struct {
	IDs       Hashes
	Flattened bool
	Outline   []byte
}

// Skeleton is the document's.
func (d *Document) Skeleton() Skeleton { return Skeleton{d.IDs, d.Flattened, d.Outline} }

// MarkScripted marks the links that the source of the document does not have.
func (d *Document) MarkScripted(source *Document) {
	have := map[string]bool{}
	for i := range source.Links {
		have[source.Links[i].Address] = true
	}
	for i := range d.Links {
		d.Links[i].Scripted = !have[d.Links[i].Address]
	}
}

// Title is the document's title by the HTML standard: its first title element.
func (d *Document) Title() string {
	if len(d.Titles) == 0 {
		return ""
	}
	return d.Titles[0].Text
}

// Description is the first meta description that has a text.
func (d *Document) Description() string {
	for _, t := range d.Descriptions {
		if t.Text != "" {
			return t.Text
		}
	}
	return ""
}

// H1 is the first h1 that has a text.
func (d *Document) H1() string {
	for _, h := range d.Headings {
		if h.Level == 1 && h.Text != "" {
			return h.Text
		}
	}
	return ""
}

// Mentions are addresses that the document names besides its links: other languages, where a
// refresh leads, pages in its structured data.
func (d *Document) Mentions() (out []string) {
	for i := range d.Alternates {
		out = append(out, d.Alternates[i].Address)
	}
	out = append(out, d.RefreshTo)
	for _, address := range structured.Pages(d.Data) {
		if u, err := weburl.Parse(address); err == nil && u.IsHTTP() {
			out = append(out, u.Key())
		}
	}
	return slices.DeleteFunc(out, func(a string) bool { return a == "" })
}

// IsCacheable tells whether caches may keep the response for some time, or have it confirmed by
// asking with a validator (RFC 9111).
func (f *Facts) IsCacheable() bool {
	control := strings.ToLower(f.HeaderValue("Cache-Control"))
	switch {
	case strings.Contains(control, "no-store"):
		return false
	case f.HeaderValue("ETag") != "", f.HeaderValue("Last-Modified") != "", f.HeaderValue("Expires") != "":
		return true
	}
	return strings.Contains(control, "max-age=") && !strings.Contains(control, "max-age=0") ||
		strings.Contains(control, "immutable")
}

// CacheSeconds is for how long caches may keep the response without asking, by its Cache-Control header
// (RFC 9111, 5.2.2); told is false where that does not say.
func (f *Facts) CacheSeconds() (seconds int, told bool) {
	for part := range strings.SplitSeq(strings.ToLower(f.HeaderValue("Cache-Control")), ",") {
		switch name, value, _ := strings.Cut(strings.TrimSpace(part), "="); name {
		case "no-store", "no-cache":
			return 0, true
		case "max-age":
			if n, err := strconv.Atoi(strings.Trim(value, `"`)); err == nil && n >= 0 {
				return n, true
			}
		}
	}
	return 0, false
}

// IsPage tells whether this is an HTML document that was served with status 200.
func (f *Facts) IsPage() bool { return f.Status == 200 && f.Document != nil }

// Loads is what the page or stylesheet loads.
func (f *Facts) Loads() []Use {
	if f.Document != nil {
		return f.Document.Uses
	}
	return f.Uses
}

// SetLoads replaces it.
func (f *Facts) SetLoads(uses []Use) {
	if f.Document != nil {
		f.Document.Uses = uses
	} else {
		f.Uses = uses
	}
}

// Canonical is the one other-or-same address that the page names as canonical, "" when it
// names none, or several that contradict each other. Link elements in the body do not
// count: search engines disregard them.
func (f *Facts) Canonical() string {
	if f.Document == nil {
		return ""
	}
	found := ""
	for _, c := range f.Document.Canonicals {
		if c.Address == "" || !c.InHead && !c.Header {
			continue
		}
		if found != "" && found != c.Address {
			return ""
		}
		found = c.Address
	}
	return found
}

// CanonicalSaid is the canonical that the page names, for people to read: as it is written where it is no address,
// and the first of several that contradict each other.
func (f *Facts) CanonicalSaid() string {
	if address := f.Canonical(); address != "" || f.Document == nil {
		return address
	}
	for _, c := range f.Document.Canonicals {
		if c.InHead || c.Header {
			return cmp.Or(c.Address, c.Href)
		}
	}
	return ""
}

// Closed tells a page that cannot be found in search: it may not be shown, and no page of its own host is
// named to be shown in its place.
func (f *Facts) Closed() bool {
	if ok, _ := f.Indexable(); ok || !f.IsPage() {
		return false
	}
	to := f.Canonical()
	if to == "" || to == f.Address {
		return true
	}
	here, err := weburl.Parse(f.Address)
	if err != nil {
		return true
	}
	there, err := weburl.Parse(to)
	return err != nil || strings.TrimPrefix(there.Host(), "www.") != strings.TrimPrefix(here.Host(), "www.")
}

// Indexable tells whether a search engine may show the page, and why not otherwise.
func (f *Facts) Indexable() (ok bool, why string) {
	switch {
	case f.Status != 200:
		return false, "status is not 200"
	case f.Document == nil:
		return false, "not HTML"
	case f.Document.Robots.NoIndex != "":
		return false, "noindex in " + f.Document.Robots.NoIndex
	}
	if c := f.Canonical(); c != "" && c != f.Address {
		return false, "canonical names another address"
	}
	return true, ""
}

// HeaderValues are all values of a header.
func (f *Facts) HeaderValues(name string) (out []string) {
	for _, h := range f.Header {
		if strings.EqualFold(h.Name, name) {
			out = append(out, h.Value)
		}
	}
	return out
}

// HeaderValue is the first value of a header, or "".
func (f *Facts) HeaderValue(name string) string {
	for _, h := range f.Header {
		if strings.EqualFold(h.Name, name) {
			return h.Value
		}
	}
	return ""
}

// A Response is what Read needs of an HTTP answer.
type Response struct {
	Address     weburl.URL
	Status      int
	ContentType string   // the header, whole
	RobotsTag   []string // X-Robots-Tag headers
	Link        []string // Link headers
	Refresh     string   // the Refresh header
	Body        []byte   // content coding undone; not kept
}
