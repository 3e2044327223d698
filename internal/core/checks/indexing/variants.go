package indexing

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/survey"
)

var variants = []*check.Check{
	{
		ID: "variant-hosts-open", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "home page answers under several host names", Line: "The home page answers under several front doors",
		What:   "More than one of http and https, with and without www, answers with the home page instead of redirecting.",
		Why:    "The whole site then exists several times, and links to it are split.",
		How:    "Choose one and let the server redirect the other three to it, permanently.",
		Source: "search engines' public guidance on canonical addresses; RFC 9110, 15.4.2", Site: hostsOpen,
	},
	{
		ID: "variant-paths-open", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByValue,
		Effort: check.Hours,
		Title:  "one page at addresses that differ by a trifle",
		Line:   "{n} addresses lead to one page, among them {example}",
		What:   "Addresses that differ only by a trailing slash, upper and lower case, an index file or a doubled slash answer with the same text, and no canonical joins them.",
		Why:    "Search engines see copies, and links to the page are split.",
		How:    "Redirect all forms to one, or let the page name that one as its canonical; and write links in that form.",
		Source: "search engines' public guidance on canonical addresses; RFC 3986, 6", Site: pathsOpen,
		Explains: []string{"title-duplicate", "description-duplicate", "h1-duplicate", "copy-duplicate",
			"copy-near-duplicate", "canonical-missing"},
	},
	{
		ID: "variant-ip-open", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "site answers at its bare IP address", Line: "The site answers at its bare IP address",
		What:   "The home page is served at the server's IP address as well.",
		Why:    "Search engines can come to know the site under the number, and certificates do not hold there.",
		How:    "Let the server redirect requests without a known host name to the site, or refuse them.",
		Source: "RFC 9110, 7.4 (rejecting misdirected requests)", Site: ipOpen,
	},
}

func hostsOpen(p *check.SitePass) error {
	if p.Probes == nil {
		return nil
	}
	var open []string
	for _, d := range p.Probes.Doors {
		if d.Status == 200 && len(d.Hops) == 0 {
			open = append(open, d.Address)
		}
	}
	if len(open) > 1 {
		p.Report(-1, check.Place{Note: fmt.Sprintf("%s answer without redirecting", strings.Join(open, ", ")),
			Others: open, Of: len(open)})
	}
	return nil
}

func pathsOpen(p *check.SitePass) error {
	groups := map[string][]*survey.Page{}
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 && g.Words > 0 {
			key := fmt.Sprintf("%s %x", variantKey(p.URL(g.ID)), g.TextHash)
			groups[key] = append(groups[key], g)
		}
	}
	for _, group := range groups {
		if len(group) < 2 || joined(p, group) {
			continue
		}
		slices.SortFunc(group, func(a, b *survey.Page) int { return strings.Compare(p.URL(a.ID), p.URL(b.ID)) })
		for _, g := range group {
			p.Report(g.ID, check.Place{
				Note: "the same page as " + strings.Join(p.Others(group, g.ID), ", "), Group: p.URL(group[0].ID),
				Others: p.Others(group, g.ID), Of: len(group),
			})
		}
	}
	return nil
}

// joined tells whether canonicals, or a noindex, leave one of the addresses.
func joined(p *check.SitePass, group []*survey.Page) bool {
	open := 0
	for _, g := range group {
		if g.Indexable {
			open++
		}
	}
	return open < 2
}

// variantKey is an address without what makes variants of one page.
func variantKey(address string) string {
	origin, path := address, ""
	if _, rest, ok := strings.Cut(address, "://"); ok {
		if i := strings.IndexByte(rest, '/'); i >= 0 {
			origin, path = address[:len(address)-len(rest)+i], rest[i:]
		}
	}
	path, query, hasQuery := strings.Cut(path, "?")
	for strings.Contains(path, "//") {
		path = strings.ReplaceAll(path, "//", "/")
	}
	path = strings.ToLower(path)
	for _, index := range []string{"/index.html", "/index.htm", "/index.php", "/default.aspx", "/default.html"} {
		path = strings.TrimSuffix(path, index[1:])
	}
	path = strings.TrimSuffix(path, "/")
	if hasQuery {
		path += "?" + query
	}
	return origin + path
}

func ipOpen(p *check.SitePass) error {
	if p.Probes == nil || p.Probes.Numeric == nil {
		return nil
	}
	if len(p.Pages) == 0 {
		return nil
	}
	n, home := p.Probes.Numeric, p.Page(p.Home())
	if n.Status == 200 && len(n.Hops) == 0 && home != nil && home.HTML && n.Title == home.Title.Text && n.Title != "" {
		p.Report(-1, check.Place{Note: n.Address + " answers with the home page", Target: n.Address})
	}
	return nil
}
