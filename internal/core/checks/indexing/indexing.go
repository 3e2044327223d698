// Package indexing holds the checks of what a page tells search engines about itself.
package indexing

import (
	"fmt"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/graph"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

const group = "indexing"

// Suite is the group's checks.
var Suite = slices.Concat(closed, first, directives, canonicals, variants)

var first = []*check.Check{
	{
		ID: "canonical-several", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Minutes,
		Title: "page names more than one canonical", Line: "More than one canonical, not the same",
		What:   "The page names several canonical addresses that are not the same.",
		Why:    "Search engines then disregard all of them and choose by themselves.",
		How:    "Keep one. Two often come from a template and an extension, or from the head and an HTTP header.",
		Source: "RFC 6596 (the canonical link relation)", Page: canonicalSeveral,
	},
	{
		ID: "index-noindex-linked", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title:  "noindex page is in the sitemap or the navigation",
		Line:   "Page is noindex, yet offered to search engines",
		What:   "The page forbids search engines to show it, yet it stands in a sitemap or in the navigation of the site.",
		Why:    "One of the two is an accident: either a page that should be found is hidden, or a hidden page is advertised.",
		How:    "If the page should be found, take the noindex away. If it should not, take it out of the sitemap; a link in the navigation may stay: then waive this.",
		Source: "search engines' public guidance on noindex; sitemaps.org protocol", Site: noindexLinked,
	},
}

func canonicalSeveral(p *check.PagePass) {
	var first *page.Ref
	for i := range p.Doc.Canonicals {
		c := &p.Doc.Canonicals[i]
		if !c.InHead && !c.Header {
			continue
		}
		if first == nil {
			first = c
			continue
		}
		if c.Address != first.Address || c.Address == "" && c.Href != first.Href {
			p.Report(check.Place{
				Note:   fmt.Sprintf("names %s besides %s", check.Short(c.Href), check.Short(first.Href)),
				Value:  c.Href,
				Target: c.Address, Line: c.Line, Col: c.Col,
			})
		}
	}
}

// navigationPages is how many pages must link from navigation for it to be the layout's.
const navigationPages = 5

func noindexLinked(p *check.SitePass) error {
	inNavigation := map[int32]int{}
	p.Graph.Each(func(_ int32, to []int32, marks []graph.Mark) {
		seen := map[int32]bool{}
		for i, t := range to {
			if marks[i]&graph.Navigation == 0 || seen[t] {
				continue
			}
			if g := p.Page(t); g != nil && g.NoIndex != "" {
				seen[t] = true
				inNavigation[t]++
			}
		}
	})
	for i := range p.Pages {
		g := &p.Pages[i]
		if g.NoIndex == "" || g.Status != 200 {
			continue
		}
		n := inNavigation[g.ID]
		inSitemap := p.Addresses[g.ID].InSitemap
		note := ""
		switch {
		case inSitemap && n >= navigationPages:
			note = fmt.Sprintf("it is in the sitemap and in the navigation of %d pages", n)
		case inSitemap:
			note = "it is in the sitemap"
		case n >= navigationPages:
			note = fmt.Sprintf("it is in the navigation of %d pages", n)
		default:
			continue
		}
		p.Report(g.ID, check.Place{Note: "noindex in " + source(g) + ", yet " + note, Value: g.NoIndex})
	}
	return nil
}

func source(g *survey.Page) string {
	if g.NoIndex == "header" {
		return "the X-Robots-Tag header"
	}
	return "the robots meta element"
}
