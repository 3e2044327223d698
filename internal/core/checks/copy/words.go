package copy

import (
	"cmp"
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/net/publicsuffix"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

var wording = []*check.Check{
	{
		ID: "copy-ratio", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Hours,
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
		Explains: []string{"html-heavy", "html-very-heavy", "dom-large", "link-many"},
	},
	{
		ID: "copy-email", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "plain mail address in the text", Line: "Mail address in the text is no link",
		What:   "A mail address stands in the text, outside code and examples of code, without being a link. Only addresses at the site's own domain, and those on pages for getting in touch, are judged; others are mentioned more often than offered.",
		Why:    "On a telephone it cannot be used with a tap, and programs that collect addresses find it all the same.",
		How:    "Make it a mailto link, or use a form.",
		Source: "RFC 6068 (the mailto scheme)", Page: email,
	},
	{
		ID: "copy-encoding", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "text has wrongly decoded characters", Line: "Wrongly decoded characters in the text",
		What:   "The text has replacement characters inside words, or runs of letters that come about when UTF-8 is read as another encoding, outside code.",
		Why:    "Words with such characters are not found, and readers lose trust.",
		How:    "See where along the way the encoding changes: database, file, template, or the declared charset.",
		Source: "Encoding standard (WHATWG), 4.2; HTML standard, 4.2.5.4", Page: encoding,
	},
}

// leastRatio is from how many bytes on the markup of a page matters.
const leastRatio = 40_000

func ratio(p *check.PagePass) {
	size, visible := p.Facts.Bytes, p.Doc.Shape.Text
	if p.Facts.Outcome == page.Truncated || size < leastRatio || visible*100 >= p.Limits.RatioPercent*size {
		return
	}
	p.Reportf(page.Pos{}, "", "%s of %s bytes are text: %.1f %%", text.Thousands(visible), text.Thousands(size),
		100*float64(visible)/float64(size))
}

func placeholder(p *check.PagePass) {
	for _, found := range p.Doc.Fillers {
		p.Report(check.Place{Note: quoted(p.Doc.MainText, found), Value: found})
	}
}

// quoted is a found text as it stands among its neighbours.
func quoted(main, found string) string {
	if at := strings.Index(main, found); at >= 0 {
		found = around(main, at, at+len(found))
	}
	return "“" + found + "”"
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
	if d.Words < text.SureWords {
		return
	}
	if d.TextLang == "" || !text.IsSure(d.TextLang) || d.Lang == "" || text.SameLanguage(d.TextLang, d.Lang) {
		return
	}
	p.Reportf(d.LangPos, d.TextLang, "the text is in %s, the page declares lang=“%s”", text.LanguageName(d.TextLang),
		d.Lang)
}

func long(p *check.PagePass) {
	if p.Doc.Words > p.Limits.LongWords && p.Doc.Kind.HasText() && !p.Doc.IsMostlyCode() {
		p.Reportf(page.Pos{}, "", "%s words, more than %s", text.Thousands(p.Doc.Words),
			text.Thousands(p.Limits.LongWords))
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
		if p.Doc.IsMostlyCode() {
			break // a source file
		}
		if !strings.Contains(said, strings.ToLower(m)) && isMail(m, p.Facts.Address) && !reserved(m, p.Facts.Address) &&
			isToBeWrittenTo(p, m) {
			p.Report(check.Place{Note: m + " is no link", Value: m})
		}
	}
}

// isToBeWrittenTo tells an address that the page offers from one that it only mentions: the site's own, or one on
// a page that is there for getting in touch.
func isToBeWrittenTo(p *check.PagePass, address string) bool {
	_, domain, _ := strings.Cut(strings.ToLower(address), "@")
	host := strings.TrimPrefix(check.HostOf(p.Facts.Address), "www.")
	return p.Doc.Kind == page.Contact || p.Doc.Kind == page.Legal || domain == host ||
		strings.HasSuffix(host, "."+domain) || strings.HasSuffix(domain, "."+host)
}

// invented are names in addresses that are made up to show what one looks like.
var invented = regexp.MustCompile(`(?i)^(?:git|svn|you|your|your[-_.]?name|name|user|username|someone|somebody|foo|bar|john\.?doe|jane\.?doe|me|xxx+)@|@(?:[\w-]+\.)*(?:your[-_]?\w+|my[-_]?(?:domain|host|site|company)|domain|foo|bar|baz|email|somewhere|somedomain|host|xxx+|acme|company)\.[a-z.]+$`)

// isMail tells an address that somebody could write to from what only looks like one: names of files and
// packages, words that ran together, and what was made up.
func isMail(address, site string) bool {
	_, domain, _ := strings.Cut(strings.ToLower(address), "@")
	suffix, registered := publicsuffix.PublicSuffix(domain)
	return (registered || strings.HasSuffix(check.HostOf(site), "."+suffix)) && suffix != domain &&
		!fileEnding.MatchString(domain) && !invented.MatchString(address)
}

// fileEnding are endings of files that are also those of countries.
var fileEnding = regexp.MustCompile(`\.(?:py|sh|rs|pl|so|md|cc|zip|mov|ps)$`)

// reserved tells whether a mail address is at a domain kept for examples (RFC 2606, RFC 6761), on a
// site that is not itself there.
func reserved(address, site string) bool {
	_, domain, _ := strings.Cut(strings.ToLower(address), "@")
	for _, d := range []string{"example.com", "example.net", "example.org", "example", "invalid", "test", "localhost"} {
		if domain == d || strings.HasSuffix(domain, "."+d) {
			return !strings.Contains(site, d)
		}
	}
	return false
}

func encoding(p *check.PagePass) {
	for _, found := range []struct {
		words      []string
		what, mark string
	}{
		{p.Doc.Replaced, "replacement characters in", "\uFFFD"},
		{p.Doc.Misread, "letters of another encoding in", ""},
	} {
		if len(found.words) == 0 {
			continue
		}
		first := found.words[0]
		p.Report(check.Place{
			Note: fmt.Sprintf("%s %s, such as in %s", found.what, text.Count(len(found.words), "word", "words"),
				quoted(p.Doc.MainText, first)),
			Value: cmp.Or(found.mark, first),
		})
	}
}
