package page

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"

	"harvik/internal/core/weburl"
)

// headers adds what the response's headers say about the document.
func (w *walker) headers(r Response) {
	for _, v := range r.RobotsTag {
		if agent, _, ok := strings.Cut(v, ":"); ok && !strings.Contains(agent, ",") &&
			!strings.HasPrefix(strings.TrimSpace(agent), "unavailable_after") {
			continue // for one named agent only
		}
		w.doc.Robots.read(v, "header")
	}
	for _, v := range r.Link {
		target, params, ok := strings.Cut(v, ">")
		if !ok || !strings.Contains(params, "canonical") {
			continue
		}
		ref := Ref{Href: strings.TrimLeft(strings.TrimSpace(target), "<"), Header: true}
		ref.Address = resolve(&r.Address, ref.Href)
		w.doc.Canonicals = append(w.doc.Canonicals, ref)
	}
}

// encodeQuery writes the query of an address in the document's own encoding, as browsers do
// (URL Standard, "percent-encode after encoding"; HTML standard, 2.4.2). Documents in UTF-8
// need nothing.
func (w *walker) encodeQuery(href string) string {
	name := w.doc.Charset
	at := strings.IndexByte(href, '?')
	if at < 0 || name == "utf-8" || strings.HasPrefix(name, "utf-16") || isASCII(href[at:]) {
		return href
	}
	enc, _ := charset.Lookup(name)
	if enc == nil {
		return href
	}
	query, fragment, hasFragment := strings.Cut(href[at:], "#")
	var b strings.Builder
	b.WriteString(href[:at])
	encoder := enc.NewEncoder()
	for _, r := range query {
		if r < utf8.RuneSelf {
			b.WriteRune(r)
			continue
		}
		encoded, err := encoder.String(string(r))
		if err != nil || strings.HasPrefix(encoded, "&#") { // not in this encoding
			fmt.Fprintf(&b, "%%26%%23%d%%3B", r)
			continue
		}
		for i := range len(encoded) {
			fmt.Fprintf(&b, "%%%02X", encoded[i])
		}
	}
	if hasFragment {
		b.WriteString("#" + fragment)
	}
	return b.String()
}

func isASCII(s string) bool {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// resolve works out all addresses, at the end, because a base element may come late.
func (w *walker) resolve() {
	d := w.doc
	for i := range d.Links {
		l := &d.Links[i]
		if u, err := w.base.Parse(w.encodeQuery(l.Href)); err == nil {
			l.Address, l.Fragment, l.Href = u.Key(), u.Fragment(), ""
		}
	}
	d.Uses = resolveUses(d.Uses, &w.base, w.encodeQuery)
	for i := range d.Canonicals {
		d.Canonicals[i].Address = resolve(&w.base, d.Canonicals[i].Href)
	}
	for i := range d.Images {
		if d.Images[i].Src != "" {
			d.Images[i].Address = resolve(&w.base, d.Images[i].Src)
		}
		if len(d.Images[i].Src) > 2000 {
			d.Images[i].Src, d.Images[i].Address = d.Images[i].Src[:100]+"…", ""
		}
	}
}

func resolve(base *weburl.URL, href string) string {
	u, err := base.Parse(href)
	if err != nil || !u.IsHTTP() {
		return ""
	}
	return u.Key()
}
