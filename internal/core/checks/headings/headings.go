// Package headings holds the checks of a page's headings and their order.
package headings

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const (
	group    = "headings"
	standard = "HTML standard, 4.3.6 and 4.3.11 (headings and outlines); WCAG 2.2, 1.3.1 and 2.4.6"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "h1-missing", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has no main heading", Line: "Main heading (h1) is missing",
		What: "The page has no h1, or only empty ones. An image's alternative text counts as text.",
		Why:  "The main heading tells visitors, screen readers and search engines what they have landed on.",
		How:  "Give the page one h1 that names its subject. Often a line is only styled to look like a heading: make it one.", Source: standard, Page: h1Missing,
	},
	{
		ID: "h1-several", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has more than one main heading", Line: "More than one main heading (h1)",
		What: "The page has more than one h1.",
		Why:  "The standard asks for one at the top level; with several it is less clear what the page is about.",
		How:  "Keep the one that names the page's subject and turn the others into h2.", Source: standard,
		Page:     h1Several,
		Explains: []string{"h1-duplicate"}, // the name of the site before each page's own
	},
	{
		ID: "h1-duplicate", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByValue,
		Effort: check.Minutes,
		Title:  "several pages share a main heading", Line: "{n} pages share the main heading “{value}”",
		What: "More than one page has this first h1.",
		Why:  "Visitors who come from different places cannot tell which of the pages they are on.",
		How:  "Name in each heading what only that page is about.", Source: standard, Site: h1Duplicate,
	},
	{
		ID: "h1-long", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "main heading is long", Line: "Main heading (h1) is very long",
		What: "The first h1 is longer than a heading should be.",
		Why:  "A heading is read at a glance; a sentence is not.",
		How:  "Keep the subject in the heading and move the rest into the first paragraph.", Source: standard,
		Limits: []string{"h1-characters"}, Page: h1Long,
	},
	{
		ID: "heading-repeated", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page repeats a heading", Line: "A heading stands twice on the page",
		What: "Two headings under the same heading have the same text, or one repeats the heading that it stands under. Navigation, main headings, and words that parts customarily share, such as “Example”, dates, and what stands on the page three times and more, are left aside; so are pages that explain code.",
		Why:  "Somebody who jumps from heading to heading cannot tell the parts apart. Often a template writes the page's name once more.",
		How:  "Reword one of them, or take out the one that the template writes.", Source: standard, Page: repeated,
	},
	{
		ID: "heading-empty", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "heading without text", Line: "Heading without text",
		What: "A heading element has no text.",
		Why:  "Screen readers announce a heading and then nothing. It is mostly left over from an editor.",
		How:  "Take it out, or fill it.", Source: standard, Page: empty,
	},
	{
		ID: "heading-skipped", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "heading level left out", Line: "A heading level is left out",
		What: "On the way down a level is left out, for example an h4 straight after an h2.",
		Why:  "The levels are the page's table of contents; a gap looks as if a part were missing.",
		How:  "Choose the level by the place in the outline, and the size by style.", Source: standard, Page: skipped,
	},
	{
		ID: "heading-first", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "first heading is not the main one", Line: "Another heading stands before the main one",
		What: "The first heading with text on the page is not the h1.",
		Why:  "The outline starts with something that is not the page's subject, often a box in the header.",
		How:  "Let the h1 come first, or make the box's label something other than a heading.", Source: standard,
		Page: firstIsOther,
	},
	{
		ID: "heading-none", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "long text without headings", Line: "Long text without subheadings",
		What: "The main text is long, without what the layout writes on its pages, and has no heading below the first level. Contents pages are left aside.",
		Why:  "Nobody finds their way in an unbroken text, and search engines cannot link to a part of it.",
		How:  "Break the text up, with a heading for each thought.", Source: standard,
		Limits: []string{"heading-none-words"}, Site: none,
	},
}

func h1Missing(p *check.PagePass) {
	if p.Doc.H1() != "" {
		return
	}
	for _, h := range p.Doc.Headings {
		if h.Level == 1 {
			report(p, h, "the h1 is empty")
			return
		}
	}
	p.Reportf(page.Pos{}, "", "there is no h1")
}

func report(p *check.PagePass, h page.Heading, format string, args ...any) {
	p.Report(check.Place{
		Note: fmt.Sprintf(format, args...), Value: h.Text, At: h.Place, Line: h.Line, Col: h.Col,
	})
}

func h1Several(p *check.PagePass) {
	n := 0
	for _, h := range p.Doc.Headings {
		if h.Level != 1 {
			continue
		}
		if n++; n > 1 {
			report(p, h, "h1 number %d", n)
		}
	}
}

func h1Duplicate(p *check.SitePass) error {
	key := func(g *survey.Page) string {
		if !p.Judged(g) {
			return ""
		}
		return g.H1.Text
	}
	for _, g := range p.Share(key) {
		if p.OneList(g) {
			continue
		}
		p.ReportShared(g, "h1", func(s *survey.Page) page.Text { return page.Text{Text: s.H1.Text, Pos: s.H1.Pos} })
	}
	return nil
}

func h1Long(p *check.PagePass) {
	for _, h := range p.Doc.Headings {
		if h.Level != 1 || h.Text == "" {
			continue
		}
		if n := utf8.RuneCountInString(h.Text); n > p.Limits.H1Characters && !text.AreNames(h.Text) &&
			!text.HasLongName(h.Text) {
			report(p, h, "%d characters, more than %d", n, p.Limits.H1Characters)
		}
		return
	}
}

// customary are headings that parts of one text rightly share, by language.
var customary = map[string]bool{}

func init() {
	for _, word := range []string{
		"example", "examples", "see also", "note", "notes", "usage", "syntax", "parameters", "arguments", "options",
		"return value", "return values", "returns", "result", "results",
		"description", "summary", "overview", "introduction", "details", "remarks", "synopsis", "errors", "exceptions",
		"requirements", "references", "further reading", "answer", "solution", "exercise", "exercises",
		"ingredients", "method", "warning", "caution", "tip", "important", "header", "headers", "class", "function",
		"functions", "type", "types", "module", "例", "示例", "注意", "예제", "beispiel", "beispiele", "siehe auch",
		"hinweis", "hinweise", "exemple", "exemples", "voir aussi", "ejemplo", "ejemplos", "véase también",
		"esempio", "esempi", "voorbeeld",
	} {
		customary[word] = true
	}
}

// year tells headings that are dates.
var year = regexp.MustCompile(`\b(?:19|20)\d\d\b`)

// manyTimes is how often a heading stands that parts of the page customarily have.
const manyTimes = 3

// repeated reports each heading that repeats the one that it stands under, or one beside it under the
// same, with the levels of the pair.
func repeated(p *check.PagePass) {
	if p.Doc.CodeShare > 0 {
		return // the parts of a reference are called alike
	}
	type open struct {
		heading page.Heading
		key     string
		below   map[string]page.Heading
	}
	stack := []open{{below: map[string]page.Heading{}}}
	times, keys := map[string]int{}, make([]string, len(p.Doc.Headings))
	for i, h := range p.Doc.Headings {
		keys[i] = text.Key(h.Text)
		times[keys[i]]++
	}
	for i, h := range p.Doc.Headings {
		key := keys[i]
		if !strings.ContainsFunc(key, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) ||
			isAround(h) {
			continue
		}
		for len(stack) > 1 && stack[len(stack)-1].heading.Level >= h.Level {
			stack = stack[:len(stack)-1]
		}
		parent := &stack[len(stack)-1]
		before, again := parent.below[key]
		if !again && parent.key == key {
			before, again = parent.heading, true
		}
		if again && h.Level > 1 && times[key] < manyTimes && !isCustomary(key) {
			report(p, h, "h%d = h%d%s", before.Level, h.Level, at(before))
		} else if !again {
			parent.below[key] = h
		}
		stack = append(stack, open{h, key, map[string]page.Heading{}})
	}
}

// isCustomary tells headings that several parts of a page rightly have: words of that sort, labels, dates.
func isCustomary(key string) bool {
	return customary[strings.Trim(key, ":.")] || strings.HasSuffix(key, ":") || year.MatchString(key)
}

func at(h page.Heading) string {
	if h.Line == 0 {
		return ""
	}
	return fmt.Sprintf(" (first on line %d)", h.Line)
}

func empty(p *check.PagePass) {
	for _, h := range p.Doc.Headings {
		if h.Text == "" {
			report(p, h, "h%d without text", h.Level)
		}
	}
}

func skipped(p *check.PagePass) {
	before := 0
	for _, h := range p.Doc.Headings {
		if isAround(h) {
			continue
		}
		if before > 0 && h.Level > before+1 {
			report(p, h, "h%d after h%d", h.Level, before)
		}
		before = h.Level
	}
}

// isAround tells a heading of what stands around the page's own content, such as its navigation.
func isAround(h page.Heading) bool {
	switch first, _, _ := strings.Cut(h.Place, " > "); first {
	case "nav", "footer", "aside":
		return true
	}
	return false
}

func firstIsOther(p *check.PagePass) {
	if p.Doc.H1() == "" {
		return // h1-missing says more
	}
	for _, h := range p.Doc.Headings {
		if h.Text == "" || isAround(h) {
			continue // heading-empty has those
		}
		if h.Level != 1 {
			report(p, h, "the first heading is an h%d: “%s”", h.Level, h.Text)
		}
		return
	}
}

// none goes by the words that are a page's own, and lets contents pages be.
func none(p *check.SitePass) error {
	reference := p.IsReference()
	for i := range p.Pages {
		g := &p.Pages[i]
		if reference && g.Flags&survey.HasCode != 0 {
			continue // an entry: what it explains parts it
		}
		if p.Judged(g) && g.Kind.HasText() &&
			g.Flags&(survey.HasSubheadings|survey.MostlyLinks|survey.MostlyCode) == 0 &&
			g.Words > p.LimitsAt(g).HeadingNoneWords {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("%d words of main text and no h2", g.Words)})
		}
	}
	return nil
}
