package indexing

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

const (
	canonicalSource = "RFC 6596 (the canonical link relation); search engines' public guidance on canonical addresses"
	robotsSource    = "search engines' public guidance on the robots meta element and X-Robots-Tag"
)

var directives = []*check.Check{
	{
		ID: "index-nofollow-page", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "whole page is nofollow", Line: "The whole page is nofollow",
		What: "A robots meta element or header says nofollow for all links of the page.",
		Why:  "Search engines then disregard every link on it, to the site's own pages as well.",
		How:  "Take the nofollow away, unless the page's links really are to count for nothing.", Source: robotsSource,
		Page: nofollowPage,
	},
	{
		ID: "index-conflict", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "robots directives contradict one another", Line: "Robots directives contradict one another",
		What:   "Robots meta elements, or one and the X-Robots-Tag header, say different things about indexing or following.",
		Why:    "Search engines take the strictest, which may not be what was meant.",
		How:    "Say it once. Two often come from the template and an extension, or from the page and the server.",
		Source: robotsSource, Page: conflict,
	},
	{
		ID: "index-noindex-canonical", Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "noindex page names another as canonical", Line: "Page is noindex and names another as canonical",
		What:   "The page forbids search engines to show it, and says that it stands for another page.",
		Why:    "The two contradict one another: the noindex may be taken over by the page that is named.",
		How:    "Keep the canonical if the pages are the same; keep the noindex if they are not.",
		Source: canonicalSource, Site: noindexCanonical,
	},
}

var canonicals = []*check.Check{
	{
		ID: "canonical-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "page with several addresses names no canonical",
		Line:  "No canonical, although the page has several addresses",
		What:  "The page names no canonical address, and the crawl knows the same page under other addresses: with parameters, another case, or another slash.",
		Why:   "Search engines then choose which of the addresses they show, and split what links to them bring.",
		How:   "Let the page name its own address, without parameters, as its canonical.", Source: canonicalSource,
		Site: canonicalMissing,
	},
	{
		ID: "canonical-outside-head", Group: group, Severity: check.Error, Scope: check.Documents,
		Effort: check.Minutes,
		Title:  "canonical stands outside the head", Line: "Canonical stands outside the head",
		What: "The link element that names the canonical address ended up in the body.",
		Why:  "Search engines disregard it there, since users could put it into a page.",
		How:  "Write it into the head. If it is there in the source, an element before it ended the head early: see head-broken.", Source: canonicalSource, Page: canonicalOutsideHead,
	},
	{
		ID: "canonical-relative", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "canonical is no absolute address", Line: "Canonical is not an absolute address",
		What: "The canonical is written without scheme and host.",
		Why:  "Under another host name, or with a base element, it names something else.",
		How:  "Write it in full, from https on.", Source: canonicalSource, Page: canonicalRelative,
	},
	{
		ID: "canonical-fragment", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "canonical has a fragment", Line: "Canonical has a fragment",
		What: "The canonical address ends in a part behind a # sign.",
		Why:  "Search engines know no fragments; the canonical may be passed over.",
		How:  "Leave the # and what follows away.", Source: canonicalSource, Page: canonicalFragment,
	},
	{
		ID: "canonical-insecure", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "https page names an http canonical", Line: "Canonical of an https page is an http address",
		What: "The page was served over https, and its canonical begins with http.",
		Why:  "It asks search engines to show the insecure address, which at best redirects back.",
		How:  "Write https into the template that makes the canonical.", Source: canonicalSource,
		Page: canonicalInsecure,
	},
	explaining(canonicalTo("canonical-broken", check.Error, "canonical target is not there",
		"Canonical {target} is not there", func(p *check.SitePass, g *survey.Page, _ bool) string {
			if g == nil || !g.Failed() {
				return ""
			}
			return "answers " + answers(g)
		}), "canonical-relative"), // where that is what is wrong with it, the address says so
	canonicalTo("canonical-redirects", check.Warning, "canonical target redirects", "Canonical {target} redirects",
		func(p *check.SitePass, g *survey.Page, _ bool) string {
			if g == nil || g.Redirect < 0 {
				return ""
			}
			return "redirects to " + p.URL(g.Redirect)
		}),
	canonicalTo("canonical-noindex", check.Error, "canonical target is noindex", "Canonical {target} is noindex",
		func(_ *check.SitePass, g *survey.Page, _ bool) string {
			if g == nil || g.Status != 200 || g.NoIndex == "" {
				return ""
			}
			return "is noindex in its " + g.NoIndex
		}),
	canonicalTo("canonical-blocked", check.Warning, "canonical target is shut out",
		"Canonical {target} is shut out by robots.txt", func(_ *check.SitePass, _ *survey.Page, blocked bool) string {
			if !blocked {
				return ""
			}
			return "is shut out by robots.txt"
		}),
	canonicalTo("canonical-chain", check.Warning, "canonical target names yet another",
		"Canonical {target} names yet another", func(p *check.SitePass, g *survey.Page, _ bool) string {
			if g == nil || g.Status != 200 || g.Canonical < 0 || g.Canonical == g.ID {
				return ""
			}
			return "names " + p.URL(g.Canonical) + " in turn"
		}),
	{
		ID: "canonical-unlinked", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "no page links to the canonical", Line: "No page links to the canonical {target}",
		What: "A page names another address as canonical, and no page of the site links to that one.",
		Why:  "The site itself uses the address that it says is not the right one; search engines may then believe its links.",
		How:  "Let links lead to the canonical address.", Source: canonicalSource, Site: canonicalUnlinked,
	},
}

// canonicalTo makes a check of what a canonical leads to.
func canonicalTo(id string, severity check.Severity, title, line string,
	fault func(*check.SitePass, *survey.Page, bool) string) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: severity, Scope: check.WholeSite, Gather: check.ByTarget, Effort: check.Minutes,
		Title: title, Line: line,
		What: "The page names as canonical an address that cannot stand for it: " + title[len("canonical target "):] +
			".",
		Why:    "Search engines then disregard the canonical, or lose the page.",
		How:    "Name the final address of a page that answers with status 200 and may be shown; for most pages that is the page itself.",
		Source: canonicalSource, Site: func(p *check.SitePass) error {
			for i := range p.Pages {
				g := &p.Pages[i]
				if g.Status != 200 || g.Canonical < 0 || g.Canonical == g.ID {
					continue
				}
				to := g.Canonical
				if note := fault(p, p.Page(to), p.Addresses[to].State == survey.Blocked); note != "" {
					p.Report(g.ID, check.Place{Note: p.URL(to) + " " + note, Target: p.URL(to)})
				}
			}
			return nil
		},
	}
}

func explaining(c *check.Check, ids ...string) *check.Check {
	c.Explains = ids
	return c
}

func answers(g *survey.Page) string {
	if g.Status > 0 {
		return fmt.Sprintf("status %d", g.Status)
	}
	return "nothing (" + string(g.Outcome) + ")"
}

func nofollowPage(p *check.PagePass) {
	if s := p.Doc.Robots.NoFollow; s != "" {
		p.Reportf(saidWhere(p, "nofollow", "none"), s, "nofollow in the %s", sourceName(s))
	}
}

func sourceName(s string) string {
	if s == "header" {
		return "X-Robots-Tag header"
	}
	return "robots meta element"
}

func saidWhere(p *check.PagePass, words ...string) page.Pos {
	for _, s := range p.Doc.Robots.Said {
		for part := range strings.SplitSeq(strings.ToLower(s.Text), ",") {
			if slices.Contains(words, strings.TrimSpace(part)) {
				return s.Pos
			}
		}
	}
	return page.Pos{}
}

// conflict compares what each value says about indexing and about following. A value that says
// nothing about one of them agrees with all.
func conflict(p *check.PagePass) {
	said := p.Doc.Robots.Said
	for _, pair := range [][2]string{{"index", "noindex"}, {"follow", "nofollow"}} {
		yes, no := -1, -1
		for i, s := range said {
			for part := range strings.SplitSeq(strings.ToLower(s.Text), ",") {
				switch strings.TrimSpace(part) {
				case pair[0], "all":
					yes = i
				case pair[1], "none":
					no = i
				}
			}
		}
		if yes >= 0 && no >= 0 {
			p.Reportf(said[no].Pos, said[no].Text, "%s says “%s”, %s says “%s”", where(said[yes]), said[yes].Text,
				where(said[no]), said[no].Text)
			return
		}
	}
}

func where(t page.Text) string {
	switch {
	case t.Line > 0:
		return fmt.Sprintf("the robots meta element on line %d", t.Line)
	case t.InHead:
		return "a robots meta element"
	}
	return "the X-Robots-Tag header"
}

func noindexCanonical(p *check.SitePass) error {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.Status == 200 && g.NoIndex != "" && g.Canonical >= 0 && g.Canonical != g.ID &&
			!withParameters(p, g) {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("noindex in %s, and its canonical is %s", source(g),
				p.URL(g.Canonical)), Target: p.URL(g.Canonical)})
		}
	}
	return nil
}

// withParameters tells a page that is its canonical with parameters: hidden twice over, and rightly.
func withParameters(p *check.SitePass, g *survey.Page) bool {
	bare, _, has := strings.Cut(p.URL(g.ID), "?")
	return has && bare == p.URL(g.Canonical)
}

func canonicalOutsideHead(p *check.PagePass) {
	for _, c := range p.Doc.Canonicals {
		if !c.InHead && !c.Header {
			p.Reportf(c.Pos, c.Href, "the canonical %s stands in the body", check.Short(c.Href))
		}
	}
}

func canonicalRelative(p *check.PagePass) {
	for _, c := range p.Doc.Canonicals {
		href := strings.TrimSpace(c.Href)
		// what has a scheme is absolute, whichever it is
		if _, err := weburl.Parse(href); err != nil && c.InHead && href != "" {
			p.Reportf(c.Pos, c.Href, "written as “%s”", check.Short(c.Href))
		}
	}
}

func canonicalFragment(p *check.PagePass) {
	for _, c := range p.Doc.Canonicals {
		if _, fragment, ok := strings.Cut(c.Href, "#"); ok && fragment != "" && (c.InHead || c.Header) {
			p.Reportf(c.Pos, c.Href, "ends in #%s", fragment)
		}
	}
}

func canonicalInsecure(p *check.PagePass) {
	if !strings.HasPrefix(p.Facts.Address, "https:") {
		return
	}
	for _, c := range p.Doc.Canonicals {
		if (c.InHead || c.Header) && strings.HasPrefix(c.Address, "http:") {
			p.Reportf(c.Pos, c.Href, "the canonical is %s", check.Short(c.Address))
		}
	}
}

// canonicalMissing knows variants of a page by its text.
func canonicalMissing(p *check.SitePass) error {
	variants := map[string][]*survey.Page{}
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 && g.NoIndex == "" {
			key := bare(p.URL(g.ID))
			variants[key] = append(variants[key], g)
		}
	}
	for _, group := range variants {
		for _, g := range group {
			if g.Canonical >= 0 || !g.Indexable {
				continue
			}
			for _, other := range group {
				if other != g && other.TextHash == g.TextHash && other.Words > 0 {
					p.Report(g.ID, check.Place{Note: "the same page stands at " + p.URL(other.ID),
						Target: p.URL(other.ID)})
					break
				}
			}
		}
	}
	return nil
}

// bare is an address without what makes variants of it: query, case, index file, doubled and last
// slash.
func bare(address string) string {
	address, _, _ = strings.Cut(address, "?")
	return variantKey(address)
}

func canonicalUnlinked(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		if g.Status != 200 || g.Canonical < 0 || g.Canonical == g.ID || g.Canonical == p.Start {
			continue
		}
		to := p.Page(g.Canonical)
		if to != nil && to.Status == 200 && p.In[to.ID] == 0 {
			p.Report(g.ID, check.Place{Note: "nothing links to " + p.URL(to.ID), Target: p.URL(to.ID)})
		}
	}
	return nil
}
