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
		What:   "A mail address stands in the text without being a link.",
		Why:    "On a telephone it cannot be used with a tap, and programs that collect addresses find it all the same.",
		How:    "Make it a mailto link, or use a form.",
		Source: "RFC 6068 (the mailto scheme)", Page: email,
	},
	{
		ID: "copy-encoding", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "text has wrongly decoded characters", Line: "Wrongly decoded characters in the text",
		What:   "The text has replacement characters, or runs of letters that come about when UTF-8 is read as another encoding.",
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

// fillers are what stands for a text that is not written yet.
var fillers = regexp.MustCompile(`(?i)lorem ipsum|dolor sit amet|consectetur adipiscing|your text here|insert (?:your )?text here|text goes here|placeholder text|` +
	`\{\{[^{}\n]{1,60}\}\}|\{%[^%\n]{1,60}%\}|<%=?[^%\n]{1,60}%>|\[(?:name|first ?name|last ?name|your name|company|company name|city|town|product|product name|title|date|insert [a-z ]{1,30}|add [a-z ]{1,30} here)\]|` +
	`\$\{[A-Za-z_][\w.]{0,40}\}|%%[A-Z_]{3,40}%%`)

func placeholder(p *check.PagePass) {
	main := p.Doc.MainText
	if !strings.ContainsAny(main, "{[<$%") && !mayFill(main) {
		return
	}
	seen := map[string]bool{}
	for _, at := range fillers.FindAllStringIndex(main, 20) {
		found := main[at[0]:at[1]]
		if !seen[found] {
			seen[found] = true
			p.Report(check.Place{Note: "“" + around(main, at[0], at[1]) + "”", Value: found})
		}
	}
}

// mayFill saves the search on the many pages where it cannot find anything.
func mayFill(main string) bool {
	for _, word := range []string{"psum", "amet", "scing", "ext here", "goes here", "laceholder"} {
		if strings.Contains(main, word) || strings.Contains(main, strings.ToUpper(word)) {
			return true
		}
	}
	return false
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

var mail = regexp.MustCompile(`[A-Za-z0-9][A-Za-z0-9._%+-]{0,63}@(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)+[A-Za-z]{2,24}\b`)

func email(p *check.PagePass) {
	if !strings.Contains(p.Doc.MainText, "@") {
		return
	}
	linked := map[string]bool{}
	for _, l := range p.Doc.Links {
		for _, m := range mail.FindAllString(l.Words+" "+strings.TrimPrefix(l.Address, "mailto:"), 20) {
			linked[strings.ToLower(m)] = true
		}
	}
	for _, m := range mail.FindAllString(p.Doc.MainText, 50) {
		if low := strings.ToLower(m); !linked[low] {
			linked[low] = true
			p.Report(check.Place{Note: m + " is no link", Value: m})
		}
	}
}

// mojibake are two letters that a character of UTF-8 becomes when it is read as windows-1252.
var mojibake = regexp.MustCompile("Ã[\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]|â€[\u0080-\u00bf\u0153\u2122\u02dc\u201c\u201d\u2013\u2014¦¢]|Â[\u00a0-\u00bf]|ï¿½")

func encoding(p *check.PagePass) {
	main := p.Doc.MainText
	if n := strings.Count(main, "\uFFFD"); n > 0 {
		at := strings.Index(main, "\uFFFD")
		p.Report(check.Place{Note: fmt.Sprintf("%d replacement characters, such as in “%s”", n, around(main, at, at+3)), Value: "\uFFFD"})
	}
	if !strings.ContainsAny(main, "ÃâÂï") {
		return
	}
	if found := mojibake.FindAllStringIndex(main, 100); len(found) > 0 {
		at := found[0]
		p.Report(check.Place{Note: fmt.Sprintf("%d wrongly decoded characters, such as in “%s”", len(found), around(main, at[0], at[1])), Value: main[at[0]:at[1]]})
	}
}
