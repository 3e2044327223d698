package redirects

import (
	"fmt"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/graph"
	"harvik/internal/core/survey"
)

var kinds = []*check.Check{
	{
		ID: "redirect-broken", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "redirect that ends at an error", Line: "{link} to {target} redirects to an error",
		What: "A linked address redirects to one that answers with an error, or not at all.",
		Why:  "It looks like a page that has moved, and is one that is gone.",
		How:  "Redirect to a page that is there, or take redirect and links away.", Source: source, Site: broken,
	},
	{
		ID: "redirect-temporary", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "linked address redirects only for now", Line: "{link} to {target} redirects only for now",
		What: "A linked address redirects with status 302, 303 or 307, which says that it will be back.",
		Why:  "Search engines keep the old address and wait; what links bring stays with it.",
		How:  "If the page has moved for good, redirect with 301 or 308; and link to the new address.", Source: source,
		Site: temporary,
	},
	{
		ID: "redirect-refresh", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "page sends visitors on by a refresh", Line: "Page sends visitors on by a refresh",
		What:   "A meta refresh, or a Refresh header, leads to another address.",
		Why:    "The page is loaded and thrown away, the way back does not work, and search engines may take it for a page of its own.",
		How:    "Let the server redirect.",
		Source: "HTML standard, 4.2.5.3; WCAG 2.2, technique H76; search engines' public guidance on redirects",
		Page:   refresh,
		Explains: []string{"snippet", "headings", "copy", "data", "sharing", "markup", "languages", "media",
			"canonical-missing", "link-dead-end", "link-vague", "link-few-in", "page-deep", "sitemap-omits",
			"url-placeholder"},
	},
	{
		ID: "redirect-insecure", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "redirect from https to http", Line: "{link} to {target} redirects from https to http",
		What: "An https address redirects to an http one.",
		Why:  "A protected visit becomes one that can be read and changed on the way.",
		How:  "Redirect to the https address.", Source: source + "; RFC 9110, 4.2.2", Site: toInsecure,
	},
	{
		ID: "redirect-lump", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "many addresses all redirect to the home page", Line: "Many addresses all redirect to the home page",
		What:   "Several addresses that have nothing to do with one another redirect to the home page.",
		Why:    "Visitors do not find what they came for, and search engines take such redirects for missing pages.",
		How:    "Redirect each to the page that has taken its place; where there is none, answer with 404 or 410.",
		Source: "search engines' public guidance on site moves and soft 404 errors", Limits: []string{"lump-addresses"},
		Site: lump,
	},
}

// leading reports the links whose target redirects in a wanted way.
func leading(p *check.SitePass, wanted func(t int32, c graph.Chain) bool,
	note func(t int32, c graph.Chain) string) error {
	memo := map[int32]graph.Chain{}
	bad := func(t int32) bool {
		if p.Next[t] < 0 || p.Addresses[t].State != survey.Fetched {
			return false
		}
		c := graph.Follow(t, p.Next)
		memo[t] = c
		return wanted(t, c)
	}
	return p.Ways(bad, func(t int32, w survey.Way) {
		c := memo[t]
		p.Report(w.Page, along(p, t, w, c, note(t, c)))
	})
}

func broken(p *check.SitePass) error {
	return leading(p, func(_ int32, c graph.Chain) bool {
		if c.End < 0 {
			return false
		}
		g := p.Page(c.End)
		return g != nil && g.Failed()
	}, func(_ int32, c graph.Chain) string {
		return "ends at " + p.URL(c.End) + ", which answers " + links.Answer(p.Page(c.End))
	})
}

func temporary(p *check.SitePass) error {
	return leading(p, func(t int32, _ graph.Chain) bool {
		switch p.Page(t).Status {
		case 302, 303, 307:
			return true
		}
		return false
	}, func(t int32, _ graph.Chain) string {
		return fmt.Sprintf("status %d, to %s", p.Page(t).Status, p.URL(p.Next[t]))
	})
}

func toInsecure(p *check.SitePass) error {
	falls := func(c graph.Chain) (from, to int32, ok bool) {
		for i := 1; i < len(c.Hops); i++ {
			if strings.HasPrefix(p.URL(c.Hops[i-1]), "https:") && strings.HasPrefix(p.URL(c.Hops[i]), "http:") {
				return c.Hops[i-1], c.Hops[i], true
			}
		}
		return 0, 0, false
	}
	return leading(p, func(_ int32, c graph.Chain) bool {
		_, _, ok := falls(c)
		return ok
	}, func(_ int32, c graph.Chain) string {
		from, to, _ := falls(c)
		return p.URL(from) + " redirects to " + p.URL(to)
	})
}

func refresh(p *check.PagePass) {
	if to := p.Doc.RefreshTo; to != "" {
		p.Report(check.Place{Note: "“" + check.Short(p.Doc.Refresh) + "” leads to " + check.Short(to),
			Value: p.Doc.Refresh, Target: to})
	}
}

// lump leaves out addresses that are forms of the home page itself.
func lump(p *check.SitePass) error {
	if len(p.Pages) == 0 {
		return nil
	}
	var from []int32
	home := p.Home()
	for i := range p.Pages {
		g := &p.Pages[i]
		if g.Redirect < 0 || g.ID == p.Start || g.Redirect != p.Start && g.Redirect != home {
			continue
		}
		if path := pathOf(p.URL(g.ID)); path == "/" || strings.HasPrefix(strings.ToLower(path), "/index.") {
			continue
		}
		from = append(from, g.ID)
	}
	if len(from) < p.Limits.LumpAddresses {
		return nil
	}
	place := check.Place{Note: fmt.Sprintf("%d addresses redirect to %s", len(from), p.URL(home)), Target: p.URL(home),
		Of: len(from)}
	for _, id := range from[:min(len(from), check.MaxOthers)] {
		place.Others = append(place.Others, p.URL(id))
	}
	p.Report(home, place)
	return nil
}

func pathOf(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	if i := strings.IndexByte(rest, '/'); i >= 0 {
		return rest[i:]
	}
	return "/"
}
