package markup

import (
	"fmt"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

const source = "HTML standard"

var frame = []*check.Check{
	{
		ID: "doctype-missing", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "no doctype, or an outdated one", Line: "No doctype, or one that means quirks mode",
		What: "The document does not begin with <!DOCTYPE html>, or with one that makes browsers lay it out as in the nineties.",
		Why:  "In quirks mode sizes, tables and line heights differ from what styles say.",
		How:  "Begin every page with <!DOCTYPE html>.", Source: source + ", 13.1.1 (the DOCTYPE)", Page: doctype,
	},
	{
		ID: "charset-missing", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "encoding is declared nowhere", Line: "The encoding is not declared",
		What:   "Neither the Content-Type header, nor a byte order mark, nor a meta element in the first 1,024 bytes says which encoding the document is in.",
		Why:    "Browsers guess, and guess wrong with accents, quotation marks and other scripts.",
		How:    "Write <meta charset=\"utf-8\"> as the first element of the head.",
		Source: source + ", 4.2.5.4 (specifying the encoding)", Page: charsetMissing,
	},
	{
		ID: "charset-clash", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "header and document name different encodings", Line: "Header and document name different encodings",
		What: "The Content-Type header names one encoding, a meta element another.",
		Why:  "The header wins; if the meta element was right, letters come out wrong.",
		How:  "Let both say utf-8, and save the file so.", Source: source + ", 13.2.3.2 (determining the encoding)",
		Page: charsetClash,
	},
	{
		ID: "viewport-locked", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "zooming is switched off", Line: "Zooming is switched off",
		What: "The meta viewport says user-scalable=no, or a maximum-scale below 2.",
		Why:  "People who need larger letters cannot have them.",
		How:  "Take user-scalable and maximum-scale out.", Source: "WCAG 2.2, 1.4.4 (resize text)",
		Page: viewportLocked,
	},
	{
		ID: "head-broken", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Minutes,
		Title: "an element ends the head early", Line: "An element ends the head early",
		What:   "An element, or text, that may not stand in the head ends it before its end tag, so that what follows lands in the body: title, description, canonical, robots or languages.",
		Why:    "Search engines disregard canonical, languages and robots directives in the body.",
		How:    "Move the element that the evidence names into the body.",
		Source: source + ", 13.2.6.4.4 (the “in head” insertion mode)", Page: headBroken,
	},
	{
		ID: "element-obsolete", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "elements that HTML no longer has", Line: "Elements that HTML no longer has",
		What:   "The document has elements that were removed from the HTML standard, such as applet or marquee. Those that only set type, such as tt or center, are left aside.",
		Why:    "Browsers still bear with them, but nobody maintains what they do.",
		How:    "Use styles, or the element that has taken their place.",
		Source: source + ", 16.2 (non-conforming features)", Page: obsolete,
	},
	{
		ID: "frames", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Days,
		Title: "page is made of frames", Line: "Page is made of frames",
		What: "The document has frameset or frame elements.",
		Why:  "Search engines index the parts, not the whole; addresses do not name what one sees; telephones cannot show it.",
		How:  "Make a page of its own of each part.", Source: source + ", 16.2 (non-conforming features)", Page: frames,
		Explains: []string{"h1-missing", "heading-none", "copy", "link-dead-end", "element-obsolete", "doctype-missing",
			"snippet-off-topic"},
	},
	{
		ID: "tables-nested", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Days,
		Title: "tables inside tables", Line: "Tables inside tables",
		What: "Tables stand in one another three deep, which is layout and no data.",
		Why:  "Such pages do not fit telephones, and screen readers read out rows and columns that mean nothing.",
		How:  "Lay the page out with styles.", Source: source + ", 4.9.1 (the table element); WCAG 2.2, 1.3.1",
		Page: tables,
	},
	{
		ID: "id-duplicate", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "the same id twice", Line: "The same id on more than one element",
		What: "More than one element of the page has this id.",
		Why:  "Links to a part of the page, labels and scripts reach only the first.",
		How:  "Give each element an id of its own, or use a class.", Source: source + ", 3.2.6 (the id attribute)",
		Page: twice,
	},
	{
		ID: "parse-errors", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "tags that do not fit together", Line: "Tags that do not fit together",
		What:   "Elements are not closed, wrongly nested or closed without having been opened, attributes stand twice in a tag, or something follows the end.",
		Why:    "Browsers mend it, each page anew and not always as meant; now and then half a page lands in the wrong place.",
		How:    "Correct the tags that the evidence names by line and column.",
		Source: source + ", 13.2.2 (parse errors)", Page: faults,
	},
	{
		ID: "base-several", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "several base elements, or one that comes late", Line: "Several base elements, or one that comes late",
		What:   "There is more than one base element with an address, or one stands behind the first element that has an address.",
		Why:    "Only the first counts, and some programs read what stands before it against another base.",
		How:    "Keep one, as the first element of the head that has an address.",
		Source: source + ", 4.2.3 (the base element)", Page: bases,
	},
}

func doctype(p *check.PagePass) {
	switch m := &p.Doc.Markup; {
	case !m.Doctype:
		p.Reportf(page.Pos{Line: 1, Col: 1}, "", "there is no doctype")
	case m.Quirks:
		p.Reportf(page.Pos{Line: 1, Col: 1}, "", "the doctype is one that means quirks mode")
	}
}

func charsetMissing(p *check.PagePass) {
	c := &p.Doc.Charsets
	switch {
	case c.Header != "" || c.BOM:
	case c.Meta == "":
		p.Reportf(page.Pos{}, p.Doc.Charset, "neither header, byte order mark nor meta element; read as %s",
			p.Doc.Charset)
	case c.Late:
		p.Reportf(page.Pos{}, c.Meta, "the meta element that names %s stands behind the first 1,024 bytes", c.Meta)
	}
}

// label brings the names of one encoding together (Encoding standard, 4.2).
func label(s string) string {
	switch s {
	case "utf8", "unicode-1-1-utf-8", "x-unicode20utf8":
		return "utf-8"
	case "iso-8859-1", "iso8859-1", "iso_8859-1", "latin1", "l1", "ascii", "us-ascii", "cp1252", "x-cp1252":
		return "windows-1252"
	}
	return s
}

func charsetClash(p *check.PagePass) {
	c := &p.Doc.Charsets
	if c.Header != "" && c.Meta != "" && label(c.Header) != label(c.Meta) {
		p.Reportf(page.Pos{}, c.Meta, "the header says %s, the meta element %s", c.Header, c.Meta)
	}
}

func viewportLocked(p *check.PagePass) {
	for _, v := range p.Doc.Viewports {
		for part := range strings.FieldsFuncSeq(strings.ToLower(v.Text),
			func(r rune) bool { return r == ',' || r == ';' }) {
			key, value, _ := strings.Cut(part, "=")
			value = strings.TrimSpace(value)
			switch strings.TrimSpace(key) {
			case "user-scalable":
				if value == "no" || value == "0" {
					p.Reportf(v.Pos, v.Text, "user-scalable=%s", value)
				}
			case "maximum-scale":
				var most float64
				_, err := fmt.Sscan(value, &most)
				if err == nil && most < 2 && most > 0 {
					p.Reportf(v.Pos, v.Text, "maximum-scale=%s", value)
				}
			}
		}
	}
}

// headBroken fires where something that counts only in the head landed in the body behind the
// breaker.
func headBroken(p *check.PagePass) {
	b := p.Doc.Markup.Breaker
	if b == nil {
		return
	}
	var lost []string
	add := func(name string, counts bool) {
		if !counts {
			lost = append(lost, name)
		}
	}
	for _, t := range p.Doc.Titles {
		add("title", t.InHead)
	}
	for _, t := range p.Doc.Descriptions {
		add("description", t.InHead)
	}
	for _, c := range p.Doc.Canonicals {
		add("canonical", c.InHead || c.Header)
	}
	for _, a := range p.Doc.Alternates {
		add("hreflang", a.InHead || a.Header)
	}
	for _, r := range p.Doc.Robots.Said {
		add("robots", r.InHead || r.Line == 0) // what has no line is a header
	}
	if len(lost) == 0 {
		return
	}
	name := "text"
	if b.Name != "text" {
		name = "a " + b.Name + " element"
	}
	p.Reportf(b.Pos, b.Name, "%s ends the head; %s land in the body", name, strings.Join(lost, ", "))
}

// typographic are obsolete elements that do nothing but set type, and that every browser shows.
var typographic = map[string]bool{"tt": true, "big": true, "strike": true, "center": true, "font": true, "nobr": true,
	"basefont": true, "acronym": true}

func obsolete(p *check.PagePass) {
	for _, e := range p.Doc.Markup.Obsolete {
		if typographic[e.Name] {
			continue
		}
		p.Reportf(e.Pos, e.Name, "%d × %s, first here", e.Count, e.Name)
	}
}

func frames(p *check.PagePass) {
	for _, e := range p.Doc.Markup.Frames {
		p.Reportf(e.Pos, e.Name, "%d × %s, first here", e.Count, e.Name)
	}
}

// deepTables is from how many tables in one another on it is layout.
const deepTables = 3

func tables(p *check.PagePass) {
	if n := p.Doc.Shape.TableDepth; n >= deepTables {
		p.Reportf(page.Pos{}, "", "tables stand %d deep in one another", n)
	}
}

func twice(p *check.PagePass) {
	for _, id := range p.Doc.TwiceIDs {
		p.Reportf(page.Pos{}, id, "id “%s” stands more than once", id)
	}
}

func faults(p *check.PagePass) {
	if p.Facts.Outcome == page.Truncated {
		return // what seems unclosed is what was cut
	}
	m := &p.Doc.Markup
	for _, f := range m.Faults {
		if f.Kind == "unclosed" && f.Name == "a" {
			continue // link-nested says more
		}
		p.Reportf(f.Pos, f.Name, "%s: %s", f.Kind, f.Name)
	}
	if m.More > 0 {
		p.Reportf(page.Pos{}, "", "and %d more", m.More)
	}
}

func bases(p *check.PagePass) {
	m := &p.Doc.Markup
	withHref := 0
	for _, b := range m.Bases {
		if b.Type == "" {
			continue
		}
		if withHref++; withHref > 1 {
			p.Reportf(b.Pos, b.Type, "a further base element, for %s", check.Short(b.Type))
		}
	}
	if withHref > 0 && m.FirstURL != nil {
		p.Reportf(m.Bases[0].Pos, m.Bases[0].Type, "it stands behind the first element with an address, on line %d",
			m.FirstURL.Line)
	}
}
