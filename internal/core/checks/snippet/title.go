// Package snippet holds the checks of title and meta description: what a results page shows.
package snippet

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

const (
	group        = "snippet"
	titleSource  = "HTML standard, 4.2.2 (the title element); search engines' public guidance on title links"
	aboutSource  = "search engines' public guidance on snippets"
	titlePixels  = 20 // size of a result's title
	aboutPixels  = 14 // size of a result's description
	titleExample = "Opening hours and prices – Fernhollow Botanic Garden"
)

// Suite is the group's checks.
var Suite = slices.Concat(lines, subject, made)

var lines = []*check.Check{
	{
		ID: "title-missing", Group: group, Severity: check.Error, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has no title", Line: "Title is missing",
		What: "The page has no title element in its head, or an empty one.",
		Why:  "The title is the line people click in a results page, the name of the browser tab and the strongest short statement of what a page is about. Without it a search engine makes one up.",
		How: "Give the page a title of its own that says what it offers, in about ten words, for example “" +
			titleExample + "”.",
		Source: titleSource, Page: titleMissing,
	},
	{
		ID: "title-duplicate", Explains: []string{"h1-duplicate"}, Group: group, Severity: check.Error,
		Scope: check.WholeSite, Gather: check.ByValue, Effort: check.Minutes,
		Title: "several pages share a title", Line: "{n} pages share the title “{value}”",
		What:   "More than one page has this title. White space and upper or lower case make no difference.",
		Why:    "People and search engines cannot tell such pages apart; in results they compete with each other.",
		How:    "Say in each title what only that page offers. If the pages really are the same, keep one and redirect the others to it or name it as their canonical.",
		Source: titleSource, Site: titleDuplicate,
	},
	{
		ID: "title-several", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has more than one title element", Line: "More than one title element",
		What:   "The document holds more than one title element. The title inside an SVG picture is not counted.",
		Why:    "Only the first one counts in a browser; which one a search engine takes is left to chance.",
		How:    "Keep one title element in the head. Two often come from a template and an extension that both write one.",
		Source: titleSource, Page: titleSeveral,
	},
	{
		ID: "title-outside-head", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "the only title stands in the body", Line: "Title stands in the body instead of the head",
		What:   "The page's only title element ended up in the body.",
		Why:    "A title belongs in the head. Often something in the head that may not stand there ended the head early, and canonical and robots elements fell out with it.",
		How:    "Move the title into the head, and look at what stands just before it: an element such as div or img in the head ends it.",
		Source: titleSource, Page: titleOutsideHead,
	},
	{
		ID: "title-long", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "title is likely to be cut", Line: "Title is too long for a results page",
		What:   "The title is longer than a results page shows, in characters or in pixels of the usual typeface.",
		Why:    "The end is cut off; if the important words stand there, nobody reads them.",
		How:    "Put the words that matter first and shorten the rest. The name of the site can go.",
		Source: titleSource, Limits: []string{"title-characters", "title-pixels"}, Page: titleLong,
	},
	{
		ID: "title-short", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "title says little", Line: "Title is very short",
		What:   "The title is very short or a single word.",
		Why:    "There is room for about ten words that could say why this page is the right one.",
		How:    "Add what the reader looks for: the subject, the place, the offer.",
		Source: titleSource, Limits: []string{"title-least"}, Page: titleShort,
	},
	{
		ID: "title-placeholder", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "title is a placeholder", Line: "Title is a placeholder",
		What:   "The title is one that software or a template writes when nobody has: “Untitled”, “Home”, a file name, the host name alone.",
		Why:    "It says nothing about the page, and many other sites have the very same.",
		How:    "Write a title that says what the page offers.",
		Source: titleSource, Page: titlePlaceholder,
	},
	{
		ID: "title-is-h1", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "title and main heading are the same", Line: "Title and main heading are the same, letter for letter",
		What:   "The title and the first h1 are the same, letter for letter.",
		Why:    "Nothing is broken, but a chance is missed: the title speaks to people who are not on the site yet and need the context that the heading can leave out.",
		How:    "Let the title add what the heading leaves out: place, kind, name of the site.",
		Source: titleSource, Site: titleIsH1,
	},
	{
		ID: "description-missing", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has no description", Line: "Meta description is missing",
		What:   "The page has no meta description, or an empty one.",
		Why:    "Search engines then pick a passage by themselves, often one that does not invite anybody.",
		How:    "Write one or two sentences that say what the reader finds here, up to about 155 characters.",
		Source: aboutSource, Page: aboutMissing,
	},
	{
		ID: "description-duplicate", Group: group, Severity: check.Warning, Factor: 0.8, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes,
		Title: "several pages share a description", Line: "{n} pages share the description “{value}”",
		What:   "More than one page has this meta description.",
		Why:    "A description that fits several pages describes none of them; search engines tend to disregard it.",
		How:    "Write one for each page, or leave it out where nothing particular can be said.",
		Source: aboutSource, Site: aboutDuplicate,
	},
	{
		ID: "description-several", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has more than one description", Line: "More than one meta description",
		What:   "The document holds more than one meta description.",
		Why:    "Which one is shown is left to chance.",
		How:    "Keep one. Two often come from a template and an extension that both write one.",
		Source: aboutSource, Page: aboutSeveral,
	},
	{
		ID: "description-long", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "description is likely to be cut", Line: "Meta description is too long for a results page",
		What:   "The description is longer than a results page shows, in characters or in pixels of the usual typeface.",
		Why:    "Its end is cut off.",
		How:    "Put what matters into the first 150 characters.",
		Source: aboutSource, Limits: []string{"description-characters", "description-pixels"}, Page: aboutLong,
	},
	{
		ID: "description-short", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "description is short", Line: "Meta description is very short",
		What:   "The description uses less than half of the room it has.",
		Why:    "A fuller one gives more reasons to choose this page.",
		How:    "Add a second sentence: what is special here, what to do next.",
		Source: aboutSource, Limits: []string{"description-least"}, Page: aboutShort,
	},
	{
		ID: "description-is-title", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "description repeats the title", Line: "Meta description repeats the title",
		What:   "The description is the same text as the title.",
		Why:    "In a results page the same words stand twice, and the room for a reason to click is lost.",
		How:    "Write what the title leaves out.",
		Source: aboutSource, Page: aboutIsTitle, Explains: []string{"description-short"},
	},
	{
		ID: "keywords-meta", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "page has a meta keywords element", Line: "Meta keywords element, which no search engine reads",
		What:   "The page has a meta keywords element.",
		Why:    "The large search engines have disregarded it for many years. It only tells rivals what one aims at.",
		How:    "Take it out of the template.",
		Source: "search engines' public guidance on supported meta elements", Page: keywords,
	},
}

func titleMissing(p *check.PagePass) {
	if p.Doc.Title() != "" || onlyInBody(p.Doc) {
		return // a title in the body is title-outside-head
	}
	if len(p.Doc.Titles) > 0 {
		p.Reportf(p.Doc.Titles[0].Pos, "", "the title element is empty")
		return
	}
	p.Reportf(page.Pos{}, "", "there is no title element")
}

func onlyInBody(d *page.Document) bool {
	return len(d.Titles) > 0 && !d.Titles[0].InHead && d.Titles[0].Text != ""
}

func titleDuplicate(p *check.SitePass) error {
	title := func(g *survey.Page) page.Text { return g.Title }
	for _, g := range p.Share(ifJudged(p, title)) {
		if !p.OneList(g) {
			p.ReportShared(g, "title", title)
		}
	}
	return nil
}

// ifJudged leaves out pages that search engines may not show, and rightly so.
func ifJudged(p *check.SitePass, value func(*survey.Page) page.Text) func(*survey.Page) string {
	return func(g *survey.Page) string {
		if !p.Judged(g) {
			return ""
		}
		return value(g).Text
	}
}

func titleSeveral(p *check.PagePass) {
	if n := len(p.Doc.Titles); n > 1 {
		for i, t := range p.Doc.Titles[1:] {
			p.Reportf(t.Pos, t.Text, "title %d of %d", i+2, n)
		}
	}
}

func titleOutsideHead(p *check.PagePass) {
	if onlyInBody(p.Doc) {
		t := p.Doc.Titles[0]
		p.Reportf(t.Pos, t.Text, "the title element stands in the body")
	}
}

func titleLong(p *check.PagePass) {
	t := p.Doc.Title()
	n, px := utf8.RuneCountInString(t), int(text.Width(t, titlePixels)+0.5)
	switch {
	case text.HasLongName(t):
		// what it names is called so
	case px > p.Limits.TitlePixels:
		p.Reportf(p.Doc.Titles[0].Pos, t, "%d characters, %d px wide; there is room for about %d px", n, px,
			p.Limits.TitlePixels)
	case n > p.Limits.TitleCharacters:
		p.Reportf(p.Doc.Titles[0].Pos, t, "%d characters, more than %d", n, p.Limits.TitleCharacters)
	}
}

func titleShort(p *check.PagePass) {
	t := p.Doc.Title()
	own, _ := parted(t)
	if t == "" || isPlaceholder(p) || text.IsName(own) || text.IsName(p.Doc.H1()) || namesItself(p, t) {
		return // title-missing and title-placeholder say more; what code calls a thing is its name
	}
	if n := letters(t); n < p.Limits.TitleLeast {
		p.Reportf(p.Doc.Titles[0].Pos, t, "%d characters, fewer than %d", n, p.Limits.TitleLeast)
	} else if !strings.Contains(t, " ") && text.Shingle(t).Words == 1 {
		p.Reportf(p.Doc.Titles[0].Pos, t, "a single word")
	}
}

// letters counts characters, those of scripts without spaces as two, since they say as much.
func letters(t string) (n int) {
	for _, r := range t {
		if n++; unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul) {
			n++
		}
	}
	return n
}

// namesItself tells a title that says all that the page calls itself, on a page of a reference: several words, and
// all of its heading among them.
func namesItself(p *check.PagePass, title string) bool {
	const numbers = "0123456789. "
	said, h1 := strings.TrimLeft(text.Key(title), numbers), strings.TrimLeft(text.Key(p.Doc.H1()), numbers)
	return p.Doc.CodeShare > 0 && h1 != "" && strings.Contains(said, " ") &&
		(strings.Contains(said, h1) || strings.Contains(h1, said))
}

func titlePlaceholder(p *check.PagePass) {
	if isPlaceholder(p) {
		p.Reportf(p.Doc.Titles[0].Pos, p.Doc.Title(), "“%s” says nothing about the page", p.Doc.Title())
	}
}

var placeholders = map[string]bool{
	"untitled": true, "untitled document": true, "untitled page": true, "untitled-1": true, "home": true,
	"homepage": true, "home page": true, "new page": true, "new document": true, "page": true, "page title": true,
	"index": true, "welcome": true, "document": true, "default": true, "default page": true, "title": true,
	"no title": true, "website": true, "my site": true, "test": true, "test page": true, "sample page": true,
	"startseite": true, "unbenannt": true, "neue seite": true, "hafan": true, "accueil": true, "inicio": true,
}

var fileName = regexp.MustCompile(`^[^\s/]+\.(html?|php\d?|aspx?|jsp|docx?|pdf|indd|odt)$`)

func isPlaceholder(p *check.PagePass) bool {
	t := strings.ToLower(p.Doc.Title())
	isFile := strings.Count(t, ".") == 1 && fileName.MatchString(t) && text.Key(p.Doc.H1()) != t &&
		!strings.Contains(p.Facts.Address, t+".")
	if placeholders[t] && !isSubject(p, t) || isFile {
		return true
	}
	if t == "" || strings.Contains(t, " ") {
		return false
	}
	u, err := weburl.Parse(p.Facts.Address)
	return err == nil && strings.TrimPrefix(t, "www.") == strings.TrimPrefix(u.Hostname(), "www.")
}

// isSubject tells a page that is about what its title, which might be a placeholder, says: heading and
// address say so, too.
func isSubject(p *check.PagePass, title string) bool {
	if text.Key(p.Doc.H1()) != title || strings.HasPrefix(title, "untitled") || strings.HasPrefix(title, "new ") ||
		title == "home" || title == "index" && p.Doc.Kind != page.List {
		return false
	}
	u, err := weburl.Parse(p.Facts.Address)
	return err == nil && strings.Contains(strings.ToLower(u.Path()), strings.ReplaceAll(title, " ", "-"))
}

// titleIsH1 asks for more in the title only where the site's titles have more: where most of them say
// something besides the heading, such as the name of the site.
func titleIsH1(p *check.SitePass) error {
	var same []*survey.Page
	more := 0
	for i := range p.Pages {
		g := &p.Pages[i]
		switch {
		case !p.Judged(g) || g.Title.Text == "" || g.H1.Text == "":
		case g.Title.Text == g.H1.Text:
			same = append(same, g)
		case strings.Contains(g.Title.Text, g.H1.Text):
			more++
		}
	}
	if more <= len(same) {
		return nil
	}
	for _, g := range same {
		const note = "title and h1 are both “%s”, while %d titles of the site say more than the heading"
		title := g.Title
		p.Report(g.ID, check.Place{
			Note: fmt.Sprintf(note, title.Text, more), Value: title.Text, Line: title.Line, Col: title.Col,
		})
	}
	return nil
}
