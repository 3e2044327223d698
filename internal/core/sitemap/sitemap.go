// Package sitemap reads lists of addresses that a site publishes: XML sitemaps and sitemap
// indexes, plain text (both https://www.sitemaps.org/protocol.html), RSS 2.0 and Atom (RFC 4287).
package sitemap

import (
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

// A File is what one sitemap lists, as written.
type File struct {
	Form     string   // "urlset", "index", "text", "rss", "atom"; "" if it is none of these
	Pages    []string // addresses of pages
	Sitemaps []string // of an index
	Others   []Other  // versions in other languages that pages are listed with
	Faults   []Fault  // what the protocol does not allow, at most maxFaults
}

// Fault is one thing that the protocol does not allow, and the line it stands on, 0 for the whole
// file.
type Fault struct {
	Line int
	Text string
}

const maxFaults = 50

// Other is a version of a page in a language, from an xhtml:link element beside its address.
type Other struct {
	Page int // index in Pages
	Lang string
	Href string
}

// maxOthers bounds the versions that are read of one file.
const maxOthers = 500_000

// namespace is that of the protocol.
const namespace = "http://www.sitemaps.org/schemas/sitemap/0.9"

func (f *File) fault(line int, format string, args ...any) {
	if len(f.Faults) < maxFaults {
		f.Faults = append(f.Faults, Fault{line, fmt.Sprintf(format, args...)})
	}
}

var isDate = regexp.MustCompile(`^\d{4}(-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01])(T\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d))?)?)?$`)

// value holds the text of an element that is no address against the protocol.
func (f *File) value(name, value string, line int) {
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

// Parse reads as much as it can: on an error, what stood before it is in the file.
func Parse(data []byte) (File, error) {
	data = bytes.TrimSpace(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")))
	if len(data) > 0 && data[0] != '<' && !bytes.HasPrefix(data, []byte("\xff\xfe")) && !bytes.HasPrefix(data, []byte("\xfe\xff")) {
		return parseText(data)
	}
	return parseXML(data)
}

// parseText reads one address a line. A file without any is no sitemap.
func parseText(data []byte) (File, error) {
	f := File{Form: "text"}
	strange := 0
	for line := range bytes.Lines(data) {
		text := string(bytes.TrimSpace(line))
		switch {
		case text == "":
		case len(f.Pages) == MaxAddresses:
			return f, errTooMany
		case utf8.ValidString(text) && (strings.HasPrefix(text, "http://") || strings.HasPrefix(text, "https://")):
			f.Pages = append(f.Pages, text)
		default:
			strange++
		}
	}
	switch {
	case len(f.Pages) == 0:
		return File{}, errors.New("neither XML nor a list of addresses")
	case strange > 0:
		return f, fmt.Errorf("%d lines are no addresses", strange)
	}
	return f, nil
}

var errTooMany = fmt.Errorf("more than %d addresses", MaxAddresses)

// forms by the name of the root element.
var forms = map[string]string{"urlset": "urlset", "sitemapindex": "index", "rss": "rss", "RDF": "rss", "feed": "atom"}

func parseXML(data []byte) (File, error) {
	var f File
	d := xml.NewDecoder(bytes.NewReader(data))
	d.Strict = true
	d.CharsetReader = charset.NewReaderLabel
	var in []string
	space := ""         // namespace of the root
	var pending []Other // of the entry at hand
	before := 0         // pages before it
	var text strings.Builder
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return f, nil
		}
		if err != nil {
			return f, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if len(in) == 0 {
				if f.Form = forms[t.Name.Local]; f.Form == "" {
					return f, fmt.Errorf("the root element is %q, which no sitemap has", t.Name.Local)
				}
				space = t.Name.Space
				if (f.Form == "urlset" || f.Form == "index") && t.Name.Space != namespace {
					line, _ := d.InputPos()
					f.fault(line, "the namespace is %q, not %s", short(t.Name.Space), namespace)
				}
			}
			if len(in) >= maxDepth {
				return f, fmt.Errorf("elements are nested more than %d deep", maxDepth)
			}
			in = append(in, t.Name.Local)
			text.Reset()
			if len(in) == 2 {
				pending, before = pending[:0], len(f.Pages)
			}
			if f.Form == "urlset" && t.Name.Local == "link" && len(in) == 3 && in[1] == "url" {
				if lang, href := otherOf(t.Attr); lang != "" && href != "" && len(f.Others)+len(pending) < maxOthers {
					pending = append(pending, Other{Lang: lang, Href: href})
				}
			}
			if f.Form == "atom" && t.Name.Local == "link" && len(in) == 3 && in[1] == "entry" {
				f.add("entry", alternate(t.Attr))
			}
		case xml.CharData:
			if text.Len()+len(t) < maxAddress {
				text.Write(t)
			}
		case xml.EndElement:
			if len(in) == 3 && (f.Form == "urlset" || f.Form == "index") && t.Name.Space == space {
				line, _ := d.InputPos()
				f.value(t.Name.Local, strings.TrimSpace(text.String()), line)
			}
			if len(in) >= 3 && t.Name.Local == names[in[len(in)-2]] {
				f.add(in[len(in)-2], strings.TrimSpace(text.String()))
			}
			if len(in) == 2 && len(f.Pages) > before { // the address may stand before or behind its versions
				for _, o := range pending {
					o.Page = len(f.Pages) - 1
					f.Others = append(f.Others, o)
				}
			}
			in = in[:max(0, len(in)-1)]
		}
		if len(f.Pages)+len(f.Sitemaps) > MaxAddresses {
			f.Pages, f.Sitemaps = f.Pages[:min(len(f.Pages), MaxAddresses)], f.Sitemaps[:min(len(f.Sitemaps), MaxAddresses)]
			return f, errTooMany
		}
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

func (f *File) add(parent, address string) {
	switch {
	case address == "":
	case parent == "sitemap" && f.Form == "index":
		f.Sitemaps = append(f.Sitemaps, address)
	case parent == "url" && f.Form == "urlset", parent == "item", parent == "entry":
		f.Pages = append(f.Pages, address)
	}
}
