package indexing

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// unseen is what is of no account on a page that cannot be found.
var unseen = []string{"snippet", "headings", "copy", "data", "sharing", "link-few-in", "page-deep", "sitemap-omits"}

// closed are the checks of pages that cannot be found in search, whatever else is right about them.
var closed = []*check.Check{
	{
		ID: "index-closed", Group: group, Severity: check.Error, Factor: 4, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "most of the site cannot be found in search", Line: "Most of the site cannot be found in search",
		What: "More than half of the pages are kept out of search for one reason: noindex in a meta element or header, or robots.txt. Checks that look only at pages that can be found are silent on them.",
		Why:  "What is not in the index brings no visitor from search, however good it is.",
		How:  "If it was meant, for a test site for instance, say so in the plan by switching this check off. Otherwise take the directive out of the template or the server's configuration.", Source: robotsSource, Site: mostlyClosed,
	},
	{
		ID: check.Hiding, Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "page cannot be found in search", Line: "Page is kept out of search (noindex)",
		What: "A robots meta element or header says noindex, and the page names no other page of the site to be shown in its place. What else is wrong with the page's snippet, headings, text and data is not told; it costs what it would if the page could be found.",
		Why:  "That can be meant, as for a page of thanks, or an accident, as after a test.",
		How:  "Take the noindex away, or say in the plan that it is meant, by switching this check off for these pages: then nothing is counted.", Source: robotsSource, Page: kept,
		Explains: unseen,
	},
	{
		ID: "canonical-elsewhere", Group: group, Severity: check.Error, Factor: 4, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "canonical leads to another site, or to no address",
		Line:   "Canonical leads to no page of this site",
		What:   "The page names as canonical an address of another site, or one that search engines cannot use: a file, a name without a dot, an address that no parser reads.",
		Why:    "The page asks not to be shown itself, and gives whatever links bring to the address that it names.",
		How:    "Let each page name its own address. Where the content really belongs to the other site, say so in the plan.", Source: canonicalSource, Site: canonicalElsewhere,
		Explains: slices.Concat(unseen, []string{"canonical-broken", "canonical-redirects", "canonical-unlinked",
			"canonical-insecure"}),
	},
	{
		ID: "canonical-list", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Minutes,
		Title:  "later page of a list names the first as canonical",
		Line:   "Later pages of a list name the first as canonical",
		What:   "A page of a list that its address numbers, such as /page/2/, names the first page as its canonical.",
		Why:    "What only the later pages list is then not followed for long, and may be found late or never.",
		How:    "Let each page of the list name itself.",
		Source: canonicalSource + "; search engines' public guidance on pagination", Site: canonicalList,
	},
	{
		ID: "link-to-hidden", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "link to an address that gives its place to another",
		Line:   "{link} to {target}, which names another address as canonical",
		What:   "A link leads to a page that names another address of the site as canonical.",
		Why:    "The site's own links say that this is the address, the page says that it is not.",
		How:    "Link to the canonical address.", Source: canonicalSource, Site: linkToCanonicalised,
	},
	{
		ID: "link-to-noindex", Group: group, Severity: check.Notice, Free: true, Scope: check.WholeSite,
		Gather: check.ByTarget, Effort: check.Minutes,
		Title: "link in the content to a page that search may not show",
		Line:  "{link} to {target}, which is kept out of search",
		What:  "A link in the content leads to a page with noindex. Pages that are usually kept out, such as those for signing in, of legal notes or of search results, are left aside.",
		Why:   "A page worth a link in the text is often worth being found; else the noindex was meant, and nothing is to be done.",
		How:   "If the page is to be found, take its noindex away.", Source: robotsSource, Site: linkToNoIndex,
	},
}

func kept(p *check.PagePass) {
	if by := p.Doc.Robots.NoIndex; by != "" && p.Facts.Closed() {
		p.Reportf(saidWhere(p, "noindex", "none"), by, "noindex in the %s", sourceName(by))
	}
}

// mostlyClosed goes by one reason at a time, and by HTML pages that answered.
func mostlyClosed(p *check.SitePass) error {
	all := 0
	counts := map[string]int{}
	for i := range p.Pages {
		g := &p.Pages[i]
		if !g.HTML || g.Status != 200 {
			continue
		}
		all++
		if g.NoIndex != "" {
			counts[g.NoIndex]++
		}
	}
	for _, by := range []string{"meta", "header"} {
		if n := counts[by]; n >= 2 && 2*n > all {
			p.Report(-1, check.Place{Note: fmt.Sprintf("of %s, %s cannot be found: noindex in %s",
				text.Count(all, "page", "pages"), text.Thousands(n), sourceName(by)), Value: by, Of: n})
		}
	}
	if n, line := shutOut(p); n >= 2 && n > all {
		p.Report(-1, check.Place{Note: fmt.Sprintf("of %s that the site's links and sitemaps name, robots.txt shuts %s out, most of them by “%s”", text.Count(all+n, "page", "pages"), text.Thousands(n), line), Value: "robots.txt", Of: n})
	}
	return nil
}

// shutOut counts the pages of the site that robots.txt shuts out, with the line that shuts most of them out.
// What a parameter makes of an address is no page of its own.
func shutOut(p *check.SitePass) (n int, line string) {
	lines := map[string]int{}
	for i := range p.Addresses {
		if a := &p.Addresses[i]; a.State == survey.Blocked && a.Rule.Number > 0 && a.Role == page.AsPage &&
			!strings.Contains(a.URL, "?") {
			n++
			if lines[a.Rule.Text]++; lines[a.Rule.Text] > lines[line] || lines[a.Rule.Text] == lines[line] &&
				a.Rule.Text < line {
				line = a.Rule.Text
			}
		}
	}
	return n, line
}

// canonicalElsewhere compares hosts by the names that the crawl has met as the site's.
func canonicalElsewhere(p *check.SitePass) error {
	return p.EachFacts(
		func(g *survey.Page) bool {
			return g.HTML && g.Status == 200 && g.Canonical != g.ID && g.Flags&survey.HasCanonicals != 0
		},
		func(g *survey.Page, f *page.Facts) {
			for _, c := range f.Document.Canonicals {
				if !c.InHead && !c.Header || strings.TrimSpace(c.Href) == "" {
					continue
				}
				if why := unusable(p, p.URL(g.ID), c); why != "" {
					p.Report(g.ID, check.Place{Note: fmt.Sprintf("names %s, %s", check.Short(c.Href), why), Value: c.Href,
						Target: c.Address, Line: c.Line, Col: c.Col})
					return
				}
			}
		})
}

func unusable(p *check.SitePass, own string, c page.Ref) string {
	u, err := weburl.Parse(cmp.Or(c.Address, c.Href))
	switch {
	case err != nil:
		return "which is no address"
	case !u.IsHTTP():
		return "which no search engine can fetch"
	case sameSite(p, own, &u):
		return ""
	case !strings.Contains(u.Hostname(), "."):
		return "whose host has no dot, so it means something only at home"
	}
	return "an address of another site"
}

// sameSite tells whether an address is of the page's own host, with or without www, or of another host
// that the crawl took for the site.
func sameSite(p *check.SitePass, own string, u *weburl.URL) bool {
	return p.Inside(u.Key()) || strings.TrimPrefix(check.HostOf(own), "www.") == strings.TrimPrefix(u.Hostname(),
		"www.")
}

// otherScheme tells a page that is its canonical over http.
func otherScheme(p *check.SitePass, g *survey.Page) bool {
	return strings.TrimPrefix(p.URL(g.ID), "http:") == strings.TrimPrefix(p.URL(g.Canonical), "https:")
}

func isShown(g *survey.Page) bool { return g != nil && g.Indexable }

func canonicalList(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		if !g.HTML || g.Status != 200 || g.Canonical < 0 || g.Canonical == g.ID {
			continue
		}
		address, to := p.URL(g.ID), p.URL(g.Canonical)
		if first, ok := survey.FirstOf(address); ok && strings.TrimSuffix(to, "/") == strings.TrimSuffix(first, "/") {
			p.Report(g.ID, check.Place{Note: "names " + to + ", the first page of its list", Target: to})
		}
	}
	return nil
}

func linkToCanonicalised(p *check.SitePass) error {
	hidden := func(t int32) bool {
		g := p.Page(t)
		return g != nil && g.HTML && g.Status == 200 && g.NoIndex == "" && g.Canonical >= 0 && g.Canonical != g.ID &&
			isShown(p.Page(g.Canonical)) && !withParameters(p, g) && !otherScheme(p, g)
	}
	return p.Ways(hidden, func(t int32, w survey.Way) {
		to := p.Page(t).Canonical
		if w.Page == to || w.Page == t {
			return // a page's own variants, such as another order of its list
		}
		place := links.Place(w)
		place.Note, place.Target, place.Value = p.URL(t)+" names "+p.URL(to)+" as canonical", p.URL(t), p.URL(to)
		p.Report(w.Page, place)
	})
}

// keptOut are the kinds of pages that are usually kept out of search.
var keptOut = []page.Kind{page.Login, page.Search, page.Cart, page.Legal, page.Contact, page.ErrorPage}

// manyLinks is from how many pages on no author links to one.
const manyLinks = 10

func linkToNoIndex(p *check.SitePass) error {
	hidden := func(t int32) bool {
		g := p.Page(t)
		return g != nil && g.HTML && g.Status == 200 && g.NoIndex != "" && !slices.Contains(keptOut, g.Kind) &&
			!strings.Contains(p.URL(t), "?") &&
			!p.Addresses[t].InSitemap && p.In[t] <= manyLinks // index-noindex-linked tells, or a template writes them
	}
	return p.Ways(hidden, func(t int32, w survey.Way) {
		if from := p.Page(w.Page); w.Page == t || w.Link.Region != page.Content || !isShown(from) {
			return
		}
		place := links.Place(w)
		place.Note, place.Target = fmt.Sprintf("%s has noindex in the %s", p.URL(t), sourceName(p.Page(t).NoIndex)),
			p.URL(t)
		p.Report(w.Page, place)
	})
}
