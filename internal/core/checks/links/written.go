package links

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

var worded = []*check.Check{
	{
		ID: "link-same-words", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "the same words lead to different pages", Line: "Links with the same words lead to different pages",
		What:   "Two links in the text of a page have the same words and lead to different addresses, other than to parts of one other site.",
		Why:    "Whoever reads only the links cannot tell them apart, and neither can a search engine.",
		How:    "Let the words of each say what is special about its target.",
		Source: "WCAG 2.2, 2.4.4 and 2.4.9; search engines' public guidance on link text", Page: sameWords,
	},
	{
		ID: "link-tracking", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title:  "link of the site with parameters for measuring",
		Line:   "Links of the site carry parameters for measuring campaigns",
		What:   "A link to a page of the same site has parameters that tell campaigns apart, such as utm_source.",
		Why:    "They overwrite where the visitor came from, and make a second address of the page.",
		How:    "Take them out of the site's own links; measure clicks by events.",
		Source: "search engines' public guidance on URL structure", Page: tracking,
	},
}

// sameWords looks at what authors write, not at navigation, and leaves words that say nothing to
// link-vague. A single word may be the name of several things.
func sameWords(p *check.PagePass) {
	byWords := map[string][]*page.Link{}
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		if !isAuthored(p, l) || isVague(p, l) {
			continue
		}
		key := text.Key(l.Words)
		byWords[key] = append(byWords[key], l)
	}
	for _, key := range slices.Sorted(maps.Keys(byWords)) {
		group := byWords[key]
		first := group[0]
		for _, l := range group[1:] {
			if bareAddress(l.Address) != bareAddress(first.Address) && !isSameOutside(p, l, first) {
				p.Report(at(l, "“%s” leads here to %s, and before to %s", l.Words, check.Short(l.Address),
					check.Short(first.Address)))
				break
			}
		}
	}
}

// isSameOutside tells two links to one other site, whose words name what is read there: a standard, a work.
func isSameOutside(p *check.PagePass, a, b *page.Link) bool {
	host := check.HostOf(a.Address)
	return host == check.HostOf(b.Address) && !same(host, check.HostOf(p.Facts.Address))
}

// isAuthored tells a link that an author wrote into running text: of several words, to a page elsewhere.
func isAuthored(p *check.PagePass, l *page.Link) bool {
	switch {
	case l.Region != page.Content, l.Code, p.Doc.IsMostlyCode(), !strings.Contains(l.Words, " "):
		return false
	case !isWeb(l.Address), isFile(l.Address), stays(p, l):
		return false
	}
	return !strings.Contains(l.Place, "table") && !strings.Contains(l.Place, "ul") && !strings.Contains(l.Place, "ol")
}

func isWeb(address string) bool {
	return strings.HasPrefix(address, "http:") || strings.HasPrefix(address, "https:")
}

func bareAddress(address string) string {
	address, _, _ = strings.Cut(address, "?")
	return strings.TrimSuffix(address, "/")
}

// campaign are parameters that only tell visits apart.
var campaign = []string{"utm_source", "utm_medium", "utm_campaign", "utm_term", "utm_content", "gclid", "fbclid",
	"msclkid", "mc_cid", "mtm_campaign", "pk_campaign"}

func tracking(p *check.PagePass) {
	here := check.HostOf(p.Facts.Address)
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		_, query, has := strings.Cut(l.Address, "?")
		if !has || !same(check.HostOf(l.Address), here) {
			continue
		}
		values, _ := url.ParseQuery(query) // what cannot be read is left out
		for _, name := range campaign {
			if values.Has(name) {
				p.Report(at(l, fmt.Sprintf("%s in %%s", name), check.Short(l.Address)))
				break
			}
		}
	}
}
