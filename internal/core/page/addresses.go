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
		if w.room(len(w.doc.Robots.Said), maxFew) {
			w.doc.Robots.Said = append(w.doc.Robots.Said, Text{Text: folded([]byte(v), maxContent)})
		}
	}
	for _, v := range r.Link {
		for v != "" {
			var one string
			one, v = cutLink(v)
			w.linkHeader(&r.Address, one)
		}
	}
	if r.Refresh != "" && w.doc.Refresh == "" {
		w.doc.Refresh = cut(r.Refresh, maxHref)
	}
	w.doc.RefreshTo = w.refreshTo()
}

// cutLink takes the first link off a Link header, at a comma that stands neither in an address nor
// in quotes (RFC 8288, 3).
func cutLink(v string) (one, rest string) {
	inAddress, quoted := false, false
	for i := range len(v) {
		switch v[i] {
		case '<':
			inAddress = !quoted
		case '>':
			inAddress = false
		case '"':
			quoted = !quoted && !inAddress
		case ',':
			if !inAddress && !quoted {
				return v[:i], v[i+1:]
			}
		}
	}
	return v, ""
}

// linkHeader takes in a canonical or another language of a Link header.
func (w *walker) linkHeader(at *weburl.URL, v string) {
	target, params, ok := strings.Cut(v, ">")
	if !ok {
		return
	}
	ref := Ref{Href: strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(target), "<")), Header: true}
	ref.Address = resolve(at, ref.Href)
	rel, lang := "", ""
	for p := range strings.SplitSeq(params, ";") {
		key, value, _ := strings.Cut(p, "=")
		value = strings.Trim(strings.TrimSpace(value), `"`)
		switch strings.ToLower(strings.TrimSpace(key)) {
		case "rel":
			rel = value
		case "hreflang":
			lang = value
		}
	}
	switch {
	case hasToken(rel, "canonical") && w.room(len(w.doc.Canonicals), maxFew):
		w.doc.Canonicals = append(w.doc.Canonicals, ref)
	case lang != "" && hasToken(rel, "alternate") && len(w.doc.Alternates) < maxAlternates:
		w.doc.Alternates = append(w.doc.Alternates, Alternate{lang, ref})
	}
}

// refreshTo is the other address that a refresh leads to (HTML standard, "shared declarative
// refresh steps").
func (w *walker) refreshTo() string {
	at := strings.IndexAny(w.doc.Refresh, ";,")
	if at < 0 {
		return ""
	}
	to := strings.TrimSpace(w.doc.Refresh[at+1:])
	if len(to) >= 3 && strings.EqualFold(to[:3], "url") {
		if _, after, ok := strings.Cut(to, "="); ok {
			to = strings.TrimSpace(after)
		}
	}
	if address := resolve(&w.base, strings.Trim(to, `"' `)); address != w.address.Key() {
		return address
	}
	return ""
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
			l.Address, l.Fragment = u.Key(), u.Fragment()
			if !odd(l.Href) && !climbs(l.Href, &w.base) {
				l.Href = ""
			}
		}
	}
	d.Uses = resolveUses(d.Uses, &w.base, w.encodeQuery)
	if d.Icon != "" && !strings.HasPrefix(d.Icon, "data:") {
		d.Icon = resolve(&w.base, d.Icon)
	}
	for i := range d.Canonicals {
		d.Canonicals[i].Address = resolve(&w.base, d.Canonicals[i].Href)
	}
	for i := range d.Alternates {
		d.Alternates[i].Address = resolve(&w.base, d.Alternates[i].Href)
	}
	for i := range d.Forms {
		d.Forms[i].Action = resolve(&w.base, d.Forms[i].Action)
	}
	scripts := d.Scripts[:0]
	for _, s := range d.Scripts {
		if s.Address = resolve(&w.base, s.Address); s.Address != "" {
			scripts = append(scripts, s)
		}
	}
	d.Scripts = scripts
	frames := d.Frames[:0]
	for _, f := range d.Frames {
		if f = resolve(&w.base, f); f != "" {
			frames = append(frames, f)
		}
	}
	d.Frames = frames
	for i := range d.Images {
		if d.Images[i].Src != "" {
			d.Images[i].Address = resolve(&w.base, d.Images[i].Src)
		}
		if len(d.Images[i].Src) > 2000 {
			d.Images[i].Src, d.Images[i].Address = d.Images[i].Src[:100]+"…", ""
		}
	}
}

// climbs tells an address that goes up more folders than there are above its base: parsers stop at the root
// (URL standard, 4.4), authors meant another place.
func climbs(href string, base *weburl.URL) bool {
	if !strings.HasPrefix(href, "../") {
		return false
	}
	ups := 0
	for ; strings.HasPrefix(href, "../"); href = href[3:] {
		ups++
	}
	return ups >= strings.Count(base.Path(), "/")
}

// own copies what was taken from the source as it stands, so that no fact keeps the source in memory.
func (d *Document) own() {
	d.Lang, d.XMLLang, d.Charsets.Meta = strings.Clone(d.Lang), strings.Clone(d.XMLLang), strings.Clone(d.Charsets.Meta)
	for i := range d.Links {
		l := &d.Links[i]
		l.Href, l.Fragment = strings.Clone(l.Href), strings.Clone(l.Fragment)
		if !strings.HasPrefix(l.Address, "http") { // "mailto:" and the like
			l.Address = strings.Clone(l.Address)
		}
	}
	for i := range d.Canonicals {
		d.Canonicals[i].Href = strings.Clone(d.Canonicals[i].Href)
	}
	for i := range d.Alternates {
		a := &d.Alternates[i]
		a.Lang, a.Href = strings.Clone(a.Lang), strings.Clone(a.Href)
	}
	for i := range d.Images {
		d.Images[i].Src = strings.Clone(d.Images[i].Src)
	}
	for i := range d.Cards {
		d.Cards[i].Name = strings.Clone(d.Cards[i].Name)
	}
	for i := range d.TwiceIDs {
		d.TwiceIDs[i] = strings.Clone(d.TwiceIDs[i])
	}
}

// odd tells whether an address is written in a way that parsers accept and nobody means.
func odd(href string) bool {
	if strings.ContainsAny(strings.TrimSpace(href), " \t\r\n\\{}<>") || strings.Contains(href, "%7B%7B") {
		return true
	}
	scheme, rest, ok := strings.Cut(href, ":")
	if ok && (strings.EqualFold(scheme, "http") || strings.EqualFold(scheme, "https")) &&
		!strings.HasPrefix(rest, "//") {
		return true
	}
	return ok && strings.HasPrefix(rest, "//") && len(rest) > 2 && rest[2] == '/' ||
		strings.HasPrefix(href, "http//") || strings.HasPrefix(href, "https//") ||
		strings.HasPrefix(href, "www.") || HasWholeBehind(href)
}

// HasWholeBehind tells a relative path that goes on with another address: "./https://…".
func HasWholeBehind(href string) bool {
	rest := strings.TrimLeft(href, "./")
	if len(rest) == len(href) {
		return false
	}
	scheme, _, ok := strings.Cut(rest, "://")
	return ok && (strings.EqualFold(scheme, "http") || strings.EqualFold(scheme, "https"))
}

func resolve(base *weburl.URL, href string) string {
	u, err := base.Parse(href)
	if err != nil || !u.IsHTTP() {
		return ""
	}
	return u.Key()
}
