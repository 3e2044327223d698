package snippet

import (
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

var subject = []*check.Check{
	{
		ID: "title-language", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "title is in another language than the page", Line: "Title is in another language than the text",
		What:   "The title's words are those of another language than the page's text.",
		Why:    "People who search in the page's language do not recognise it, and those who click meet a language they did not expect.",
		How:    "Translate the title.",
		Source: titleSource, Site: titleLanguage,
	},
	{
		ID: "snippet-off-topic", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title:  "title and description miss the page's subject",
		Line:   "Title and description do not say what the page is about",
		What:   "None of the page's five strongest terms, the words it uses often and other pages seldom, stands in its title or description.",
		Why:    "People search for what a page is about; title and description are where they look for it.",
		How:    "Say in the title or the description what the text is about. If the terms in the evidence are beside the point, the text may be.",
		Source: titleSource + "; " + aboutSource, Site: offTopic,
	},
}

// titleLanguage judges by the commonest words of the two languages, and only where at least three
// of the title's words are sure: titles are too short for anything else.
func titleLanguage(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		if !p.Judged(g) || g.TextLang == "" || g.Title.Text == "" {
			continue
		}
		own, others, met := false, map[string]int{}, map[string]bool{}
		text.EachWord(g.Title.Text, func(word string) {
			if word = strings.ToLower(word); met[word] || len(word) < 2 {
				return
			}
			met[word] = true
			own = own || text.IsCommon(g.TextLang, word)
			for _, code := range text.WithCommonWords {
				if code != g.TextLang && text.IsCommon(code, word) && !text.IsCommon(g.TextLang, word) {
					others[code]++
				}
			}
		})
		for _, code := range text.WithCommonWords {
			if others[code] >= 3 && !own && !text.SameLanguage(code, g.TextLang) {
				p.Report(g.ID, check.Place{
					Note: "the title reads as " + text.LanguageName(code) + ", the text as " +
						text.LanguageName(g.TextLang), Value: g.Title.Text, Line: g.Title.Line, Col: g.Title.Col,
				})
				break
			}
		}
	}
	return nil
}

// leastForTerms is the number of words from which on a text's terms say what it is about.
const leastForTerms = 100

// mostOffTopic is the share of pages, in percent, beyond which missing the subject is how the site writes its titles.
const mostOffTopic, fewOffTopic = 15, 5

// offTopic leaves references alone, whose titles are the names of things, and lists, which have no subject.
func offTopic(p *check.SitePass) error {
	if p.IsReference() {
		return nil
	}
	type miss struct {
		page  *survey.Page
		terms string
	}
	var missed []miss
	judged, stems := 0, stemmer{}
	for i := range p.Pages {
		g := &p.Pages[i]
		terms := p.Terms[g.ID]
		if !g.Indexable || !g.Kind.HasText() || g.Words < leastForTerms || len(terms) < survey.TermsShown ||
			g.Title.Text+g.About.Text == "" ||
			g.Kind == page.List || g.Kind == page.Home || g.Flags&(survey.MostlyLinks|survey.MostlyCode) != 0 {
			continue
		}
		judged++
		if !says(g, terms, stems) {
			missed = append(missed, miss{g, strings.Join(terms, ", ")})
		}
	}
	if len(missed) >= fewOffTopic && 100*len(missed) > mostOffTopic*judged {
		return nil
	}
	for _, m := range missed {
		p.Report(m.page.ID, check.Place{Note: "the text's strongest terms are " + m.terms, Value: m.terms,
			Line: m.page.Title.Line, Col: m.page.Title.Col})
	}
	return nil
}

// A stemmer remembers the stems of words, by language.
type stemmer map[string]map[string]string

func (s stemmer) stem(code, word string) string {
	known := s[code]
	if known == nil {
		known = map[string]string{}
		s[code] = known
	}
	stem, ok := known[word]
	if !ok {
		stem = text.Stem(code, word)
		known[word] = stem
	}
	return stem
}

// says tells whether a page's title or description has one of some terms, in whatever form. Stems are made only
// where no term stands there as it is.
func says(g *survey.Page, terms []string, stems stemmer) bool {
	var words []string
	text.EachWord(g.Title.Text+" "+g.About.Text, func(word string) { words = append(words, strings.ToLower(word)) })
	if slices.ContainsFunc(terms, func(t string) bool { return slices.Contains(words, t) }) {
		return true
	}
	code, _, _ := strings.Cut(strings.ToLower(g.TextLang), "-")
	for i, word := range words {
		words[i] = stems.stem(code, word)
	}
	return slices.ContainsFunc(terms, func(t string) bool { return slices.Contains(words, stems.stem(code, t)) })
}
