// Package addresses holds the checks of how pages' addresses are written.
package addresses

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

const (
	group  = "addresses"
	source = "search engines' public guidance on URL structure"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "url-long", Group: group, Severity: check.Notice, Scope: check.Documents, Gather: check.Alone,
		Effort: check.Hours,
		Title:  "address is long", Line: "Long address",
		What:   "The address has more characters than the threshold.",
		Why:    "It is cut in mails and results, cannot be read out, and often says how the site is built instead of what the page is about.",
		How:    "Shorten the names of folders and pages for new pages; old addresses are best left, or redirected.",
		Source: source, Limits: []string{"url-characters"}, Page: long,
	},
	{
		ID: "url-uppercase", Group: group, Severity: check.Notice, Free: true, Scope: check.Documents,
		Gather: check.Alone, Effort: check.Hours,
		Title: "capital letters in the address", Line: "Capital letters in the address",
		What:   "The path of the address has capital letters.",
		Why:    "To servers and search engines /Roses and /roses are two addresses; people mix them up.",
		How:    "Use small letters for new pages, and redirect the old form if you change one.",
		Source: source + "; RFC 3986, 6.2.2.1", Page: uppercase,
	},
	{
		ID: "url-underscore", Group: group, Severity: check.Notice, Free: true, Scope: check.Documents,
		Gather: check.Alone, Effort: check.Hours,
		Title: "underscores in the address", Line: "Underscores in the address",
		What: "The path of the address has underscores.",
		Why:  "Search engines read words parted by hyphens as words, and words parted by underscores as one.",
		How:  "Use hyphens for new pages.", Source: source, Page: underscore,
	},
	{
		ID: "url-non-ascii", Group: group, Severity: check.Notice, Free: true, Scope: check.Documents,
		Gather: check.Alone, Effort: check.Hours,
		Title: "letters outside ASCII in the address", Line: "Letters outside ASCII in the address",
		What:   "The path of the address has accented letters or another script.",
		Why:    "Copied, it turns into percent signs and numbers that nobody can read.",
		How:    "Write new addresses in plain letters, unless readers of the script are well served by theirs.",
		Source: source + "; RFC 3987 (IRIs)", Page: nonASCII,
	},
	{
		ID: "url-double-slash", Group: group, Severity: check.Notice, Scope: check.Documents, Gather: check.Alone,
		Effort: check.Minutes,
		Title:  "doubled slash in the address", Line: "Doubled slash in the address",
		What: "The path of the address has two slashes in a row.",
		Why:  "It is another address than the one with a single slash, and nearly always a slip in a template.",
		How:  "Correct the template that writes the link, and redirect to the single slash.", Source: source,
		Page: doubleSlash,
	},
	{
		ID: "url-space", Group: group, Severity: check.Warning, Scope: check.Documents, Gather: check.Alone,
		Effort: check.Hours,
		Title:  "space in the address", Line: "Space in the address",
		What: "The path of the address has a space, written as %20 or +.",
		Why:  "Mails and messages cut the address there.",
		How:  "Use hyphens between words, and redirect the old form.", Source: source + "; RFC 3986, 2", Page: space,
	},
	{
		ID: "url-parameters", Group: group, Severity: check.Notice, Free: true, Scope: check.Documents,
		Gather: check.Alone, Effort: check.Days,
		Title: "many parameters in the address", Line: "Many parameters in the address",
		What: "The address has more parameters than the threshold.",
		Why:  "Every combination and order is an address of its own, and search engines meet the same page many times.",
		How:  "Name the canonical, keep sorting and tracking out of links, and shut out combinations that nobody searches for.", Source: source, Limits: []string{"url-parameters"}, Page: parameters,
	},
	{
		ID: "url-session", Group: group, Severity: check.Warning, Scope: check.Documents, Gather: check.Alone,
		Effort: check.Days,
		Title:  "session id in the address", Line: "Session id in the address",
		What: "The path or query of the address holds the id of a session.",
		Why:  "Every visit makes new addresses of the same pages, and whoever is sent one may find himself in another's session.",
		How:  "Keep sessions in cookies.", Source: source + "; RFC 6265, 8.4", Page: session,
	},
	{
		ID: "url-placeholder", Group: group, Severity: check.Notice, Scope: check.Indexable, Gather: check.Alone,
		Effort: check.Hours,
		Title:  "address says nothing", Line: "Address says nothing about the page",
		What: "The last part of the address is one that says nothing, such as “page-2-copy”, “untitled” or a bare number, although the page has a title.",
		Why:  "The address is shown in results and shared; it could say what the page is about.",
		How:  "Name new pages after their title. Change an old address only with a redirect.", Source: source,
		Page: placeholder,
	},
	{
		ID: "tag-missing", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "expected snippet is missing", Line: "A snippet that every page should have is missing",
		What: "The plan lists snippets that every page is to contain, such as a measuring tag or a consent script, and this page lacks one.",
		Why:  "What is not measured is missing from every report; what asks for consent has to be on every page.",
		How:  "Add the snippet to the template of these pages.", Source: "house rule of the site, from its plan",
		Page: snippets,
	},
}

// snippets judges only what the crawl looked for.
func snippets(p *check.PagePass) {
	for _, s := range p.Doc.Snippets {
		if !s.Found {
			p.Reportf(page.Pos{}, s.Name, "no %s", s.Name)
		}
	}
}

// parts are the path and query of an address, as sent.
func parts(address string) (path, query string) {
	_, rest, _ := strings.Cut(address, "://")
	i := strings.IndexByte(rest, '/')
	if i < 0 {
		return "/", ""
	}
	path, query, _ = strings.Cut(rest[i:], "?")
	return path, query
}

func report(p *check.PagePass, note string, args ...any) {
	p.Reportf(page.Pos{}, "", note, args...)
}

func long(p *check.PagePass) {
	if n := utf8.RuneCountInString(p.Facts.Address); n > p.Limits.URLCharacters {
		report(p, "%d characters, more than %d", n, p.Limits.URLCharacters)
	}
}

var escaped = regexp.MustCompile(`%[0-9A-Fa-f]{2}`)

// uppercase and underscore leave pages alone that explain code: their addresses are the names of things.
func uppercase(p *check.PagePass) {
	if p.Doc.CodeShare > 0 {
		return
	}
	path, _ := parts(p.Facts.Address)
	for _, part := range strings.Split(escaped.ReplaceAllString(path, ""), "/") {
		if part, _, _ = strings.Cut(part, ";"); part != strings.ToLower(part) {
			report(p, "in “%s”", check.Short(part))
			return
		}
	}
}

func underscore(p *check.PagePass) {
	if p.Doc.CodeShare > 0 {
		return
	}
	path, _ := parts(p.Facts.Address)
	for _, part := range strings.Split(path, "/") {
		if strings.Contains(part, "_") {
			report(p, "in “%s”", check.Short(part))
			return
		}
	}
}

var beyondASCII = regexp.MustCompile(`%[89A-Fa-f][0-9A-Fa-f]`)

func nonASCII(p *check.PagePass) {
	path, _ := parts(p.Facts.Address)
	if found := beyondASCII.FindString(path); found != "" {
		report(p, "written as %s in the path", found)
	}
}

func doubleSlash(p *check.PagePass) {
	if path, _ := parts(p.Facts.Address); strings.Contains(path, "//") {
		report(p, "in %s", check.Short(path))
	}
}

func space(p *check.PagePass) {
	if path, _ := parts(p.Facts.Address); strings.Contains(path, "%20") || strings.Contains(path, "+") &&
		strings.Contains(path, "++") {
		report(p, "in %s", check.Short(path))
	}
}

func parameters(p *check.PagePass) {
	_, query := parts(p.Facts.Address)
	n := 0
	for part := range strings.SplitSeq(query, "&") {
		if part != "" {
			n++
		}
	}
	if n > p.Limits.URLParameters {
		report(p, "%d parameters, more than %d", n, p.Limits.URLParameters)
	}
}

var sessions = regexp.MustCompile(`(?i)(?:^|[?&;/(])(jsessionid|phpsessid|aspsessionid\w*|sessionid|session_id|sessid|cfid|cftoken|osCsid|zenid|sid|sess)=([A-Za-z0-9_.!-]{12,})|/\(S\([a-z0-9]{20,}\)\)`)

func session(p *check.PagePass) {
	_, rest, _ := strings.Cut(p.Facts.Address, "://")
	if !strings.ContainsAny(rest, "=(") {
		return
	}
	if found := sessions.FindStringSubmatch(rest); found != nil {
		name := found[1]
		if name == "" {
			name = "a session in the path"
		}
		report(p, "%s", name)
	}
}

var saysNothing = regexp.MustCompile(`(?i)^(?:untitled|unnamed|new|new-?page|page|copy|test|temp|tmp|default|draft|case|item|entry|post|article|document|blank|sample|example)?[-_]*\d*(?:[-_]*(?:copy|kopie|final|new|old|draft|test|v))*[-_]*\d*$`)

func placeholder(p *check.PagePass) {
	path, query := parts(p.Facts.Address)
	last := strings.TrimSuffix(path, "/")
	last = last[strings.LastIndexByte(last, '/')+1:]
	if i := strings.LastIndexByte(last, '.'); i > 0 {
		last = last[:i]
	}
	if last == "" || query != "" || p.Doc.Title() == "" || p.Doc.Kind == page.List || !saysNothing.MatchString(last) ||
		isWord(last) || isDate(path) || says(p.Doc.Title()+" "+p.Doc.H1(), last) {
		return
	}
	p.Reportf(page.Pos{}, last, "“%s”, although the title is “%s”", last, p.Doc.Title())
}

// says tells whether a text has what an address says as a word of its own, or a number with leading
// zeros: then it means something.
func says(title, last string) bool {
	last = strings.TrimLeft(strings.ToLower(last), "0")
	bare := func(s string) string {
		return strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				return unicode.ToLower(r)
			}
			return -1
		}, s)
	}
	if b := bare(last); b == "" || len(b) > 1 && strings.Contains(bare(title), b) && strings.ContainsAny(last, "-_.") {
		return true
	}
	return slices.Contains(strings.FieldsFunc(strings.ToLower(title),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }), last)
}

// isWord lets plain words pass that are short names of real pages.
func isWord(last string) bool {
	if len(last) <= 3 && (last[0]|0x20) == 'v' {
		return true // a version
	}
	switch strings.ToLower(last) {
	case "new", "article", "sample", "example", "entry", "post", "draft", "document", "final", "old", "test", "item",
		"case", "copy", "default", "page":
		return true
	}
	return false
}

var dated = regexp.MustCompile(`/(?:19|20)\d\d(?:/\d{1,2}){0,2}/?$`)

// isDate tells archives by date, whose last part rightly is a number.
func isDate(path string) bool { return dated.MatchString(path) }
