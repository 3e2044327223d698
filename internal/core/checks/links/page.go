package links

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

// ofPage are the checks that one page is enough for.
var ofPage = []*check.Check{
	{
		ID: "link-malformed", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Minutes,
		Title: "link whose address cannot be meant", Line: "Link with a malformed address",
		What:   "A link's address is one that no parser accepts, or has unfilled marks of a template, or slips such as “http:/x”.",
		Why:    "Browsers guess at what was meant, and often end at an address that is not there.",
		How:    "Write the address as it should be; the evidence shows it as it stands.",
		Source: "URL standard (WHATWG), 4.3 (valid URL strings); RFC 3986, 2", Page: malformed,
	},
	{
		ID: "link-unescaped", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title:  "link whose address has characters that have to be escaped",
		Line:   "Link with spaces or brackets in its address",
		What:   "A link's address has spaces, line breaks, backslashes or angle brackets in it.",
		Why:    "Browsers put it right as well as they can; other programs stop reading at the first such character.",
		How:    "Write the character escaped (%20 for a space), or leave it out where it is a slip.",
		Source: "URL standard (WHATWG), 4.3 (valid URL strings); RFC 3986, 2", Page: unescaped,
	},
	{
		ID: "link-to-private", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "link to a private address", Line: "Link to an address that only insiders reach",
		What:   "A link leads to localhost, to an address of a private network, to a file on somebody's disk, or to a host that the plan names as staging.",
		Why:    "It works for the person who wrote it and for nobody else, and tells how things look inside.",
		How:    "Link to the public address.",
		Source: "RFC 1918 and RFC 6761 (private addresses and special names); RFC 8089 (file addresses)", Page: private,
	},
	{
		ID: "link-insecure", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "link from https to an http address of the site", Line: "Links lead from https to http",
		What:   "A page served over https links to an address of the same host over http.",
		Why:    "At best the visitor is redirected back; at worst the next page can be read and changed on the way.",
		How:    "Write https, or leave scheme and host away.",
		Source: "search engines' public guidance on https; RFC 9110, 4.2.2", Page: insecure,
	},
	{
		ID: "link-nofollow-inside", Group: group, Severity: check.Warning, Scope: check.Documents,
		Effort: check.Minutes,
		Title:  "link inside the site is nofollow", Line: "Links inside the site are nofollow",
		What:   "A link to another page of the same site is marked rel=nofollow.",
		Why:    "It says that the site does not vouch for its own page, and keeps search engines from finding it that way.",
		How:    "Take the nofollow away. If the page is not to be found, say noindex there.",
		Source: "search engines' public guidance on qualifying outbound links", Page: nofollowInside,
	},
	{
		ID: "link-nofollow-outside", Group: group, Severity: check.Notice, Scope: check.Documents,
		Effort: check.Minutes,
		Title:  "all outbound links are nofollow", Line: "All outbound links are nofollow",
		What:   "Each link of the page to another site is marked rel=nofollow, sponsored or user-generated ones or not.",
		Why:    "A page that vouches for none of its sources is trusted less than one that does.",
		How:    "Keep nofollow for advertising and for what users wrote.",
		Source: "search engines' public guidance on qualifying outbound links", Page: nofollowOutside,
	},
	{
		ID: "link-vague", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "link words say nothing", Line: "Link words say nothing about the target",
		What:   "The whole text of a link to another page is “click here”, “read more” or the like.",
		Why:    "Somebody who hears or skims only the links learns nothing, and neither does a search engine.",
		How:    "Let the words say what is behind the link: “opening hours” instead of “here”.",
		Source: "WCAG 2.2, 2.4.4; search engines' public guidance on link text", Page: vague,
	},
	{
		ID: "link-many", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "page has very many links", Line: "Very many links on one page",
		What:   "The page has more links to other pages than the threshold. Pages that are lists are left aside.",
		Why:    "Nobody chooses among as many, and what each passes on is next to nothing.",
		How:    "Leave out what is linked elsewhere, or divide the list.",
		Source: "search engines' public guidance on links", Limits: []string{"links-most"}, Page: many,
	},
	{
		ID: "link-script-only", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "link that works only with a script", Line: "Links that only a script follows",
		What:   "A link's address is a javascript: one, or it has none and only a handler for clicks.",
		Why:    "Search engines do not follow it, it cannot be opened in a new tab, and without the script it is dead.",
		How:    "Write the address into href and let the script take the click over. For an action, use a button.",
		Source: "search engines' public guidance on crawlable links; HTML standard, 4.5.1", Page: scriptOnly,
	},
}

// at is the evidence of a link on its page.
func at(l *page.Link, note string, args ...any) check.Place {
	return check.Place{
		Note: fmt.Sprintf(note, args...), Target: l.Address, Words: cmp.Or(l.Words, l.Label), At: l.Place,
		Region: l.Region, Line: l.Line, Col: l.Col,
	}
}

func malformed(p *check.PagePass) {
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		if l.Href == "" {
			continue
		}
		if why := whatIsOdd(l); why != "" {
			p.Report(written(l, why))
		}
	}
}

func unescaped(p *check.PagePass) {
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		if l.Href == "" || l.Address == "" || whatIsOdd(l) != "" {
			continue
		}
		if why := whatIsRaw(l); why != "" {
			p.Report(written(l, why))
		}
	}
}

// written is the evidence of an address as it is written.
func written(l *page.Link, why string) check.Place {
	place := at(l, "“%s” %s", check.Short(l.Href), why)
	place.Value = l.Href
	return place
}

// whatIsRaw says which characters of an address had to be escaped.
func whatIsRaw(l *page.Link) string {
	href := before(strings.Trim(l.Href, " \t\r\n\f"), "#")
	switch _, kind := schemeOf(href); {
	case kind == ofOthers:
		return ""
	case strings.ContainsAny(href, "\t\r\n"):
		return "has line breaks or tabs in it"
	case strings.Contains(href, " "):
		return "has spaces in it"
	case strings.Contains(href, `\`):
		return "has backslashes"
	case strings.ContainsAny(href, "<>"):
		return "has angle brackets"
	}
	return ""
}

// whatIsOdd says what is wrong with an address as it is written.
func whatIsOdd(l *page.Link) string {
	href := strings.Trim(l.Href, " \t\r\n\f")
	switch rest, kind := schemeOf(href); {
	case strings.Contains(href, "{{") || strings.Contains(href, "<%") || strings.Contains(href, "{%") ||
		strings.Contains(href, "${"):
		return "has unfilled marks of a template"
	case l.Address == "":
		return "is no address that a browser can read"
	case kind == ofOthers:
		return ""
	case kind == ofWeb && !strings.HasPrefix(rest, "//"):
		return "lacks a slash after its scheme"
	case kind == ofWeb && strings.HasPrefix(rest, "///"):
		return "has a slash too many after its scheme"
	case strings.HasPrefix(href, "http//") || strings.HasPrefix(href, "https//"):
		return "lacks the colon after its scheme"
	case page.HasWholeBehind(href):
		return "has a whole address behind a path, so it is taken for a file of the site"
	case strings.HasPrefix(href, "www."):
		return "lacks its scheme, so it is taken for a file in this folder"
	}
	return ""
}

// What an address begins with.
type schemeKind uint8

const (
	ofNone   schemeKind = iota
	ofWeb               // http or https
	ofOthers            // mailto, tel, javascript and the like, which have rules of their own
)

// schemeOf parts an address behind its scheme.
func schemeOf(href string) (rest string, kind schemeKind) {
	scheme, rest, ok := strings.Cut(href, ":")
	switch scheme = strings.ToLower(scheme); {
	case ok && (scheme == "http" || scheme == "https"):
		return rest, ofWeb
	case ok && isScheme(scheme):
		return rest, ofOthers
	}
	return href, ofNone
}

// before is what stands before a mark. What is odd about a fragment does not keep a link from arriving.
func before(s, mark string) string {
	s, _, _ = strings.Cut(s, mark)
	return s
}

// isScheme tells whether a text can be the scheme of an address (URL standard, 4.4).
func isScheme(s string) bool {
	if s == "" || s[0] < 'a' || s[0] > 'z' {
		return false
	}
	return !strings.ContainsFunc(s, func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r != '+' && r != '-' && r != '.'
	})
}

func private(p *check.PagePass) {
	here := check.HostOf(p.Facts.Address)
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		host := check.HostOf(l.Address)
		if host == here {
			continue
		}
		why := check.IsPrivate(l.Address)
		if why == "" && slices.ContainsFunc(p.Staging, func(s string) bool {
			name, all := strings.CutPrefix(s, "*")
			return host == s || all && strings.HasSuffix(host, name)
		}) {
			why = "on a host that the plan names as staging"
		}
		if why != "" && !showsItself(l, host) {
			p.Report(at(l, "%s is %s", check.Short(l.Address), why))
		}
	}
}

// showsItself tells a link whose words are the address: such a text tells readers what to open on their
// own machine.
func showsItself(l *page.Link, host string) bool {
	return host != "" && strings.Contains(strings.ToLower(l.Words), host)
}

// same tells whether two addresses are of one host, with and without www taken as one.
func same(a, b string) bool {
	return a != "" && strings.TrimPrefix(a, "www.") == strings.TrimPrefix(b, "www.")
}

func insecure(p *check.PagePass) {
	if !strings.HasPrefix(p.Facts.Address, "https:") {
		return
	}
	here := check.HostOf(p.Facts.Address)
	for i := range p.Doc.Links {
		if l := &p.Doc.Links[i]; strings.HasPrefix(l.Address, "http:") && same(check.HostOf(l.Address), here) {
			p.Report(at(l, "to %s", check.Short(l.Address)))
		}
	}
}

// nofollowInside has nothing to say of pages that are kept out of search: none of their links counts.
func nofollowInside(p *check.PagePass) {
	if p.Doc.Robots.NoIndex != "" {
		return
	}
	here := check.HostOf(p.Facts.Address)
	for i := range p.Doc.Links {
		if l := &p.Doc.Links[i]; l.NoFollow && same(check.HostOf(l.Address), here) && !isFile(l.Address) &&
			!stays(p, l) {
			p.Report(at(l, "rel=nofollow on a link to %s", check.Short(l.Address)))
		}
	}
}

// longestEnding is how long endings of files are at most, with their dot; what is longer is part of a name.
const longestEnding = 6

// isFile tells an address of something that is no page, by its ending.
func isFile(address string) bool {
	switch ending := strings.ToLower(path.Ext(before(address, "?"))); ending {
	case "", ".html", ".htm", ".xhtml", ".php", ".asp", ".aspx", ".jsp", ".cgi", ".shtml":
		return false
	default:
		return len(ending) <= longestEnding
	}
}

func nofollowOutside(p *check.PagePass) {
	here := check.HostOf(p.Facts.Address)
	n := 0
	var first *page.Link
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		host := check.HostOf(l.Address)
		if host == "" || same(host, here) {
			continue
		}
		if !l.NoFollow {
			return
		}
		if n++; first == nil {
			first = l
		}
	}
	if n > 0 {
		p.Report(at(first, "all %d outbound links, the first to %s", n, check.Short(first.Address)))
	}
}

// vagueWords say nothing about a target, by language.
var vagueWords = map[string][]string{
	"en": {"click here", "here", "read more", "more", "learn more", "link", "this link", "this", "this page", "click",
		"continue", "continue reading", "details", "more info", "more information", "find out more", "go", "see more",
		"view more", "download"},
	"de": {"hier", "hier klicken", "klicken sie hier", "mehr", "mehr lesen", "weiterlesen", "mehr erfahren", "weiter",
		"link", "details", "mehr dazu"},
	"fr": {"ici", "cliquez ici", "lire la suite", "en savoir plus", "plus", "suite", "lien"},
	"es": {"aquí", "haga clic aquí", "leer más", "más", "ver más", "más información", "enlace"},
	"it": {"qui", "clicca qui", "leggi tutto", "scopri di più", "continua"},
	"nl": {"hier", "klik hier", "lees meer", "meer", "lees verder"},
	"cy": {"yma", "cliciwch yma", "mwy", "darllen mwy", "darllenwch fwy"},
	"pt": {"aqui", "clique aqui", "leia mais", "saiba mais", "mais"},
}

func vague(p *check.PagePass) {
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		if !stays(p, l) && !l.Code && isVague(p, l) {
			p.Report(at(l, "“%s” leads to %s", l.Words, check.Short(l.Address)))
		}
	}
}

// isVague tells words that say nothing, in the page's language, unless they are what the target is called.
func isVague(p *check.PagePass, l *page.Link) bool {
	code, _, _ := strings.Cut(strings.ToLower(p.Doc.Lang), "-")
	words := vagueWords[code]
	if words == nil {
		words = vagueWords["en"]
	}
	said := strings.ToLower(strings.Trim(l.Words, " .…»›→>!:[]()"))
	if !slices.Contains(words, said) {
		return false
	}
	name := nameOf(l.Address)
	return said != name && said+"s" != name && said != strings.ToLower(l.Fragment)
}

// nameOf is what an address calls its page: the last part without its ending.
func nameOf(address string) string {
	whole := strings.TrimSuffix(before(address, "?"), "/")
	name := path.Base(whole)
	if strings.HasPrefix(name, "index.") {
		name = path.Base(path.Dir(whole))
	}
	if i := strings.IndexByte(name, '.'); i > 0 {
		name = name[:i]
	}
	return strings.ToLower(spaced.Replace(name))
}

var spaced = strings.NewReplacer("-", " ", "_", " ")

func many(p *check.PagePass) {
	if p.Doc.Kind == page.List {
		return // an index is there for its links
	}
	n := 0
	for i := range p.Doc.Links {
		if !stays(p, &p.Doc.Links[i]) {
			n++
		}
	}
	if n > p.Limits.LinksMost {
		p.Reportf(page.Pos{}, fmt.Sprint(n), "%s links, more than %s", text.Thousands(n),
			text.Thousands(p.Limits.LinksMost))
	}
}

func scriptOnly(p *check.PagePass) {
	for i := range p.Doc.Links {
		if l := &p.Doc.Links[i]; strings.HasPrefix(strings.ToLower(l.Address), "javascript:") &&
			strings.ContainsFunc(l.Words+l.Label, unicode.IsLetter) {
			p.Report(at(l, "“%s” leads to %s", cmp.Or(l.Words, l.Label), check.Short(l.Address)))
		}
	}
	if n := p.Doc.Shape.ClickOnly; n > 0 {
		p.Report(check.Place{Note: fmt.Sprintf("%d a elements without href that only answer clicks", n),
			At: p.Doc.Shape.ClickPlace})
	}
}
