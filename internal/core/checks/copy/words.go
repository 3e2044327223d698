package copy

import (
	"fmt"
	"regexp"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

var wording = []*check.Check{
	{
		ID: "copy-ratio", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "page is nearly all markup", Line: "Little of the HTML is text",
		What:   "The visible text is a small part of the HTML's bytes.",
		Why:    "Visitors wait for markup, styles and scripts that they do not see, and there is little left to read.",
		How:    "Move styles and scripts into files that are kept by browsers, and take out wrappers that hold nothing.",
		Source: guidance, Limits: []string{"ratio-percent"}, Page: ratio,
	},
	{
		ID: "copy-placeholder", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "text has filler or unfilled marks", Line: "Filler text or unfilled marks of a template",
		What:   "The text has words that only fill a place, such as “lorem ipsum”, or marks that a template should have filled in.",
		Why:    "It looks unfinished, because it is; and search engines show it.",
		How:    "Write the text that belongs there, or correct the name of the field in the template.",
		Source: guidance, Page: placeholder,
	},
	{
		ID: "copy-language", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "text is not in the declared language", Line: "Text is not in the declared language",
		What:   "The text is in another language than the lang attribute says. Only texts whose language is sure are judged.",
		Why:    "Search engines offer the page to the wrong readers, and screen readers read it out with the wrong voice.",
		How:    "Correct the lang attribute, or translate the text.",
		Source: "HTML standard, 3.2.6.2 (the lang attribute); WCAG 2.2, 3.1.1", Page: otherLanguage,
	},
	{
		ID: "copy-long", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Hours,
		Title: "page is very long", Line: "Very long text",
		What:   "The main text has more words than the threshold.",
		Why:    "Few people read as far, and no one title can say what is in it.",
		How:    "Divide it into pages of one subject each, with a page that leads to them.",
		Source: guidance, Limits: []string{"long-words"}, Page: long,
	},
	{
		ID: "copy-email", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "plain mail address in the text", Line: "Mail address in the text is no link",
		What:   "A mail address stands in the text, outside code and examples of code, without being a link.",
		Why:    "On a telephone it cannot be used with a tap, and programs that collect addresses find it all the same.",
		How:    "Make it a mailto link, or use a form.",
		Source: "RFC 6068 (the mailto scheme)", Page: email,
	},
	{
		ID: "copy-encoding", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "text has wrongly decoded characters", Line: "Wrongly decoded characters in the text",
		What:   "The text has replacement characters inside words, or runs of letters that come about when UTF-8 is read as another encoding.",
		Why:    "Words with such characters are not found, and readers lose trust.",
		How:    "See where along the way the encoding changes: database, file, template, or the declared charset.",
		Source: "Encoding standard (WHATWG), 4.2; HTML standard, 4.2.5.4", Page: encoding,
	},
}

func ratio(p *check.PagePass) {
	size, visible := p.Facts.Bytes, p.Doc.Shape.Text
	if p.Facts.Outcome == page.Truncated || size < 2000 || visible*100 >= p.Limits.RatioPercent*size {
		return
	}
	p.Reportf(page.Pos{}, "", "%s of %s bytes are text: %.1f %%", text.Thousands(visible), text.Thousands(size), 100*float64(visible)/float64(size))
}

func placeholder(p *check.PagePass) {
	for _, found := range p.Doc.Fillers {
		note := "“" + found + "”"
		if at := strings.Index(p.Doc.MainText, found); at >= 0 {
			note = "“" + around(p.Doc.MainText, at, at+len(found)) + "”"
		}
		p.Report(check.Place{Note: note, Value: found})
	}
}

// around is a found text with a few words before and behind it.
func around(main string, from, to int) string {
	const room = 30
	start, end := max(0, from-room), min(len(main), to+room)
	s := strings.ToValidUTF8(main[start:end], "")
	if start > 0 {
		s = "…" + s
	}
	if end < len(main) {
		s += "…"
	}
	return strings.ReplaceAll(s, "\n", " ")
}

func otherLanguage(p *check.PagePass) {
	d := p.Doc
	if d.TextLang == "" || d.Lang == "" || text.SameLanguage(d.TextLang, d.Lang) {
		return
	}
	p.Reportf(d.LangPos, d.TextLang, "the text is in %s, the page declares lang=“%s”", text.LanguageName(d.TextLang), d.Lang)
}

func long(p *check.PagePass) {
	if p.Doc.Words > p.Limits.LongWords {
		p.Reportf(page.Pos{}, "", "%s words, more than %s", text.Thousands(p.Doc.Words), text.Thousands(p.Limits.LongWords))
	}
}

func email(p *check.PagePass) {
	if len(p.Doc.Mails) == 0 {
		return
	}
	var linked strings.Builder
	for _, l := range p.Doc.Links {
		if strings.Contains(l.Words, "@") || strings.HasPrefix(l.Address, "mailto:") {
			linked.WriteString(strings.ToLower(l.Words + " " + l.Address + " "))
		}
	}
	said := linked.String()
	for _, m := range p.Doc.Mails {
		if !strings.Contains(said, strings.ToLower(m)) {
			p.Report(check.Place{Note: m + " is no link", Value: m})
		}
	}
}

// replaced is a replacement character inside a word or at its end; one that stands alone, or in
// quotation marks, may be what the text is about.
var replaced = regexp.MustCompile(`\p{L}\x{FFFD}`)

// mojibake are two letters that a character of UTF-8 becomes when it is read as windows-1252.
var mojibake = regexp.MustCompile("Ã[\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]|â€[\u0080-\u00bf\u0153\u2122\u02dc\u201c\u201d\u2013\u2014¦¢]|Â[\u00a0-\u00bf]|ï¿½")

func encoding(p *check.PagePass) {
	main := p.Doc.MainText
	var found [][]int
	if strings.Contains(main, "\uFFFD") {
		found = replaced.FindAllStringIndex(main, 100)
	}
	if len(found) > 0 {
		at := found[0]
		p.Report(check.Place{Note: fmt.Sprintf("%d replacement characters inside words, such as in “%s”", len(found), around(main, at[0], at[1])), Value: "\uFFFD"})
	}
	if !strings.Contains(main, "Ã") && !strings.Contains(main, "â€") && !strings.Contains(main, "Â") && !strings.Contains(main, "ï¿½") {
		return
	}
	if found := mojibake.FindAllStringIndex(main, 100); len(found) > 0 {
		at := found[0]
		p.Report(check.Place{Note: fmt.Sprintf("%d wrongly decoded characters, such as in “%s”", len(found), around(main, at[0], at[1])), Value: main[at[0]:at[1]]})
	}
}
