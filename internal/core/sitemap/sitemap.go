// Package sitemap reads lists of addresses that a site publishes: XML sitemaps and sitemap
// indexes, plain text (both https://www.sitemaps.org/protocol.html), RSS 2.0 and Atom (RFC 4287).
package sitemap

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"
)

// MaxAddresses is how many addresses one file may list by the protocol; more are not read.
const MaxAddresses = 50_000

// An Entry is one thing that a sitemap lists, as written: a page with its versions in other languages, or
// another sitemap.
type Entry struct {
	Page    string
	Others  []Version
	Sitemap string
}

// Version is a version of a page in a language, from an xhtml:link element beside its address.
type Version struct {
	Lang string
	Href string
}

// A Head is what a sitemap is, apart from what it lists.
type Head struct {
	Form     string  // "urlset", "index", "text", "rss", "atom"; "" if it is none of these
	Pages    int     // listed
	Sitemaps int     // likewise
	Faults   []Fault // what the protocol does not allow, at most maxFaults
}

// A File is what one sitemap lists, as written.
type File struct {
	Form     string   // as in Head
	Pages    []string // addresses of pages
	Sitemaps []string // of an index
	Others   []Other  // versions in other languages that pages are listed with
	Faults   []Fault  // as in Head
}

// Fault is one thing that the protocol does not allow, and the line it stands on, 0 for the whole
// file.
type Fault struct {
	Line int
	Text string
}

const maxFaults = 50

// Other is a version of a page of a File.
type Other struct {
	Page int // index in Pages
	Lang string
	Href string
}

// maxOthers bounds the versions that are read of one file.
const maxOthers = 500_000

// namespace is that of the protocol.
const namespace = "http://www.sitemaps.org/schemas/sitemap/0.9"

func (f *reading) fault(line int, format string, args ...any) {
	if len(f.Faults) < maxFaults {
		f.Faults = append(f.Faults, Fault{line, fmt.Sprintf(format, args...)})
	}
}

var isDate = regexp.MustCompile(`^\d{4}(-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01])(T\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d))?)?)?$`)

// value holds the text of an element that is no address against the protocol.
func (f *reading) value(name, value string, line int) {
	switch name {
	case "lastmod":
		if !isDate.MatchString(value) {
			f.fault(line, "the date %q is not in the W3C format, such as 2026-05-04", short(value))
		}
	case "priority":
		if p, err := strconv.ParseFloat(value, 64); err != nil || !(p >= 0 && p <= 1) {
			f.fault(line, "the priority %q is not between 0.0 and 1.0", short(value))
		}
	case "changefreq":
		switch value {
		case "always", "hourly", "daily", "weekly", "monthly", "yearly", "never":
		default:
			f.fault(line, "the change frequency %q is none of the protocol", short(value))
		}
	case "loc":
		if u, err := url.Parse(value); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			f.fault(line, "%q is no absolute address", short(value))
		}
	}
}

func short(s string) string {
	if len(s) > 80 {
		return strings.ToValidUTF8(s[:80], "") + "…"
	}
	return s
}

// reading is a file that is being read.
type reading struct {
	Head
	each   func(Entry)
	others int
	in     []string // open elements
	entry  Entry
}

// Parse reads as much as it can: on an error, what stood before it is in the file.
func Parse(data []byte) (File, error) {
	var f File
	head, err := Read(bytes.NewReader(data), func(e Entry) {
		if e.Sitemap != "" {
			f.Sitemaps = append(f.Sitemaps, e.Sitemap)
			return
		}
		for _, o := range e.Others {
			f.Others = append(f.Others, Other{len(f.Pages), o.Lang, o.Href})
		}
		f.Pages = append(f.Pages, e.Page)
	})
	f.Form, f.Faults = head.Form, head.Faults
	return f, err
}

// Read reads as much as it can, and calls each with every entry as it comes; what it is given is its own.
// On an error, what stood before it has been given.
func Read(r io.Reader, each func(Entry)) (Head, error) {
	f := reading{each: each}
	b := bufio.NewReaderSize(r, 64<<10)
	if mark, _ := b.Peek(3); bytes.Equal(mark, []byte("\xef\xbb\xbf")) {
		_, _ = b.Discard(3)
	}
	for {
		c, err := b.ReadByte()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = nil // nothing is no list, and breaks no rule of one
			}
			return f.Head, err
		}
		if strings.IndexByte(" \t\r\n\v\f", c) >= 0 {
			continue
		}
		_ = b.UnreadByte()
		if start, _ := b.Peek(2); c != '<' && !bytes.Equal(start, []byte("\xff\xfe")) &&
			!bytes.Equal(start, []byte("\xfe\xff")) {
			err = f.text(b)
		} else {
			err = f.xml(b)
		}
		return f.Head, err
	}
}

var errNeither = errors.New("neither XML nor a list of addresses")

// text reads one address a line. A file without any is no sitemap.
func (f *reading) text(r io.Reader) error {
	strange := 0
	lines := bufio.NewScanner(r)
	lines.Buffer(nil, maxLine)
	for lines.Scan() {
		line := strings.TrimSpace(lines.Text())
		switch {
		case line == "":
		case f.Pages == MaxAddresses:
			return errTooMany
		case utf8.ValidString(line) && (strings.HasPrefix(line, "http://") || strings.HasPrefix(line, "https://")):
			f.Form = "text"
			f.Pages++
			f.each(Entry{Page: line})
		default:
			strange++
		}
	}
	switch {
	case f.Pages == 0:
		return errNeither
	case lines.Err() != nil:
		return fmt.Errorf("a line is longer than %d bytes", maxLine)
	case strange > 0:
		return fmt.Errorf("%d lines are no addresses", strange)
	}
	return nil
}

// maxLine is the longest line of a text that is read.
const maxLine = 1 << 20

var errTooMany = fmt.Errorf("more than %d addresses", MaxAddresses)

// forms by the name of the root element.
var forms = map[string]string{"urlset": "urlset", "sitemapindex": "index", "rss": "rss", "RDF": "rss", "feed": "atom"}

func (f *reading) xml(r io.Reader) error {
	d := xml.NewDecoder(r)
	d.Strict = true
	d.CharsetReader = charset.NewReaderLabel
	space := "" // namespace of the root
	var text strings.Builder
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if len(f.in) == 0 {
				if f.Form = forms[t.Name.Local]; f.Form == "" {
					return fmt.Errorf("the root element is %q, which no sitemap has", short(t.Name.Local))
				}
				space = t.Name.Space
				if (f.Form == "urlset" || f.Form == "index") && t.Name.Space != namespace {
					line, _ := d.InputPos()
					f.fault(line, "the namespace is %q, not %s", short(t.Name.Space), namespace)
				}
			}
			if len(f.in) >= maxDepth {
				return fmt.Errorf("elements are nested more than %d deep", maxDepth)
			}
			f.in = append(f.in, t.Name.Local)
			text.Reset()
			f.begin(&t)
		case xml.CharData:
			if text.Len()+len(t) < maxAddress {
				text.Write(t)
			}
		case xml.EndElement:
			if len(f.in) == 3 && (f.Form == "urlset" || f.Form == "index") && t.Name.Space == space {
				line, _ := d.InputPos()
				f.value(t.Name.Local, strings.TrimSpace(text.String()), line)
			}
			if n := len(f.in); n >= 3 && t.Name.Local == names[f.in[n-2]] {
				f.add(f.in[n-2], strings.TrimSpace(text.String()))
			}
			if len(f.in) == 2 {
				f.hand()
			}
			f.in = f.in[:max(0, len(f.in)-1)]
		}
		if f.Pages+f.Sitemaps >= MaxAddresses && len(f.in) == 2 && f.entry.Page+f.entry.Sitemap != "" {
			return errTooMany
		}
	}
}

// begin takes in what a start tag tells.
func (f *reading) begin(t *xml.StartElement) {
	if t.Name.Local != "link" || len(f.in) != 3 {
		return
	}
	switch {
	case f.Form == "urlset" && f.in[1] == "url" && f.others < maxOthers:
		if lang, href := otherOf(t.Attr); lang != "" && href != "" {
			f.others++
			f.entry.Others = append(f.entry.Others, Version{lang, href})
		}
	case f.Form == "atom" && f.in[1] == "entry":
		f.add("entry", alternate(t.Attr))
	}
}

// add takes in an address of the entry at hand. One that has an address already is handed on first.
func (f *reading) add(parent, address string) {
	if address == "" {
		return
	}
	isSitemap := parent == "sitemap" && f.Form == "index"
	isPage := parent == "url" && f.Form == "urlset" || parent == "item" || parent == "entry"
	if !isSitemap && !isPage {
		return
	}
	if f.entry.Page != "" || f.entry.Sitemap != "" {
		others := f.entry.Others
		f.entry.Others = nil
		f.hand()
		f.entry.Others = others
	}
	if isSitemap {
		f.entry.Sitemap = address
	} else {
		f.entry.Page = address
	}
}

// hand gives the entry at hand, whose address may stand before or behind its versions.
func (f *reading) hand() {
	e := f.entry
	f.entry = Entry{}
	switch {
	case e.Sitemap != "":
		f.Sitemaps++
		f.each(Entry{Sitemap: e.Sitemap})
	case e.Page != "":
		f.Pages++
		f.each(e)
	}
}

// Bounds that no honest sitemap meets.
const (
	maxDepth   = 64
	maxAddress = 16 << 10
)

// names of the element that holds the address, by the one around it.
var names = map[string]string{"url": "loc", "sitemap": "loc", "item": "link"}

// otherOf reads an xhtml:link element that names a version in another language.
func otherOf(attrs []xml.Attr) (lang, href string) {
	rel := ""
	for _, a := range attrs {
		switch a.Name.Local {
		case "rel":
			rel = a.Value
		case "hreflang":
			lang = strings.TrimSpace(a.Value)
		case "href":
			href = strings.TrimSpace(a.Value)
		}
	}
	if rel != "alternate" {
		return "", ""
	}
	return lang, href
}

func alternate(attrs []xml.Attr) (href string) {
	rel := "alternate"
	for _, a := range attrs {
		switch a.Name.Local {
		case "href":
			href = a.Value
		case "rel":
			rel = a.Value
		}
	}
	if rel != "alternate" {
		return ""
	}
	return strings.TrimSpace(href)
}
