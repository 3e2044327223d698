package reach

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
)

const (
	rfc9309  = "RFC 9309 (Robots Exclusion Protocol)"
	protocol = "sitemaps.org protocol 0.9"
)

// Files are the checks of robots.txt and sitemaps.
var files = []*check.Check{
	{
		ID: "robots-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "there is no robots.txt", Line: "There is no robots.txt",
		What:   "The address /robots.txt answers with a status of 400 to 499.",
		Why:    "Nothing is shut out then, which may be meant; but there is no place to name the sitemap, and logs fill with errors.",
		How:    "Put a robots.txt there, be it one that allows everything and names the sitemap.",
		Source: rfc9309 + ", 2.3.1.3", Site: robotsMissing,
	},
	{
		ID: "robots-unreachable", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "robots.txt cannot be had", Line: "The robots.txt cannot be had",
		What:   "The address /robots.txt answers with a server error, or not at all.",
		Why:    "Search engines then take the whole site for shut out and stop crawling it.",
		How:    "See why the server fails there. It should answer with the file, or with 404 if there is none.",
		Source: rfc9309 + ", 2.3.1.4", Site: robotsUnreachable,
	},
	{
		ID: "robots-invalid", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "robots.txt has lines that cannot be read", Line: "The robots.txt has lines that cannot be read",
		What:   "Lines that no rule of the protocol reads, rules before any user-agent, a page instead of a text file, bytes that are not UTF-8, or more than 500 KiB.",
		Why:    "What cannot be read is passed over: something meant to be shut out may be open, or the other way round.",
		How:    "Correct the lines that the evidence names.",
		Source: rfc9309 + ", 2.2", Site: robotsInvalid,
	},
	{
		ID: "robots-blocks-resource", Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Gather: check.ByTarget, Effort: check.Minutes,
		Title: "robots.txt shuts out what pages need", Line: "The robots.txt shuts out {target}, which pages load",
		What:   "A stylesheet, script or image of the site that pages load may not be fetched by crawlers.",
		Why:    "Search engines render pages to understand them; without these files they see something else than visitors do.",
		How:    "Allow the files, or the folder they are in.",
		Source: rfc9309 + ", 2.2; search engines' public guidance on rendering", Site: blocksResource,
	},
	{
		ID: "robots-no-sitemap", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "robots.txt names no sitemap", Line: "The robots.txt names no sitemap",
		What:   "There is a robots.txt without a Sitemap line.",
		Why:    "Search engines that nobody has told about the sitemap do not find it.",
		How:    "Add a line with the sitemap's full address: Sitemap: https://…/sitemap.xml.",
		Source: protocol + ", “Informing search engine crawlers”", Site: robotsNoSitemap,
	},
	{
		ID: "outside-unresolved", Group: group, Severity: check.Notice, Free: true, Scope: check.WholeSite,
		Effort: check.Minutes, OfCrawl: true,
		Title:  "no other site could be reached from where the crawl ran",
		Line:   "No other site could be reached from here, so nothing outside was judged",
		What:   "Hosts of other sites were asked for, and the name of none resolved. So links and resources outside the site were not judged.",
		Why:    "It is the crawl's surroundings that are at fault more likely than every other site.",
		How:    "Crawl from where names resolve, or name a proxy in the plan; or leave outside resources and links out of it.",
		Source: "", Site: cutOff,
	},
	{
		ID: "root-refused", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "root of the host answers with an error", Line: "The root of the host answers with an error",
		What:   "The site stands in a folder, and the address above it, the host alone, answers with a status of 400 to 499.",
		Why:    "People shorten addresses to the host's name, and end at an error.",
		How:    "Redirect the root to the site's home page.",
		Source: "search engines' public guidance on site structure", Site: rootRefused,
	},
	{
		ID: "sitemap-missing", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "there is no sitemap", Line: "There is no sitemap",
		What:   "The robots.txt names none, and there is none at /sitemap.xml.",
		Why:    "Search engines learn of new and changed pages only by chance, and nobody can hold what they have against what there is.",
		How:    "Let the system that runs the site write one; most can.",
		Source: protocol, Site: sitemapMissing,
	},
	{
		ID: "sitemap-invalid", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Hours,
		Title:  "sitemap has faults", Line: "The sitemap {target} has faults",
		What:   "A sitemap that is named is not there, is not well-formed, has a wrong root element or namespace, is too large, or lists what the protocol does not allow.",
		Why:    "Search engines stop reading at the fault, or pass the whole file over.",
		How:    "Correct what writes the file; the evidence names line and fault.",
		Source: protocol, Site: sitemapInvalid,
	},
	listed("sitemap-lists-error", check.Error, "sitemap lists an address that fails",
		"Sitemap lists an address that fails",
		"An address in a sitemap answers with an error, or not at all.",
		"Take it out of the sitemap, or bring the page back.", func(p *check.SitePass, g *survey.Page) string {
			if g.Failed() {
				return "it answers " + answer(g)
			}
			return ""
		}),
	listed("sitemap-lists-redirect", check.Warning, "sitemap lists an address that redirects",
		"Sitemap lists an address that redirects",
		"An address in a sitemap redirects to another.",
		"List the final address instead.", func(p *check.SitePass, g *survey.Page) string {
			if g.Redirect >= 0 {
				return "it redirects to " + p.URL(g.Redirect)
			}
			return ""
		}),
	listed("sitemap-lists-noindex", check.Warning, "sitemap lists a page that is noindex",
		"Sitemap lists a page that is noindex",
		"A page in a sitemap forbids search engines to show it.",
		"Take it out of the sitemap, or take the noindex away, whichever was meant.", func(_ *check.SitePass, g *survey.Page) string {
			if g.Status == 200 && g.NoIndex != "" {
				return "noindex stands in its " + g.NoIndex
			}
			return ""
		}),
	listed("sitemap-lists-canonicalised", check.Warning, "sitemap lists a page with another canonical",
		"Sitemap lists a page that names another as canonical",
		"A page in a sitemap names another address as its canonical.",
		"List the canonical address instead.", func(p *check.SitePass, g *survey.Page) string {
			if g.Status == 200 && g.NoIndex == "" && g.Canonical >= 0 && g.Canonical != g.ID {
				return "its canonical is " + p.URL(g.Canonical)
			}
			return ""
		}),
	{
		ID: "sitemap-lists-blocked", Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Gather: check.ByTarget, Effort: check.Minutes,
		Title: "sitemap lists an address that is shut out", Line: "Sitemap lists {target}, which robots.txt shuts out",
		What:   "An address in a sitemap is shut out by robots.txt.",
		Why:    "Search engines are sent to an address and kept from it at once.",
		How:    "Take it out of the sitemap, or allow it in robots.txt.",
		Source: protocol + "; " + rfc9309, Site: sitemapListsBlocked,
	},
	{
		ID: "sitemap-omits", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.Alone,
		Effort: check.Hours,
		Title:  "page is in none of the sitemaps", Line: "Page is in no sitemap",
		What:   "The page may be shown by search engines, and none of the site's sitemaps lists it.",
		Why:    "A sitemap that leaves pages out is no list of the site; such pages are found later, or not at all.",
		How:    "Let the sitemap be written from the same source as the pages.",
		Source: protocol, Site: sitemapOmits,
	},
}

// listed makes a check of pages that a sitemap lists.
func listed(id string, severity check.Severity, title, line, what, how string,
	fault func(*check.SitePass, *survey.Page) string) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: severity, Scope: check.WholeSite, Effort: check.Minutes, Title: title,
		Line: line, What: what,
		Why: "A sitemap is to list pages that can be shown as they are. Search engines trust one less that does not.",
		How: how, Source: protocol,
		Site: func(p *check.SitePass) error {
			for i := range p.Pages {
				g := &p.Pages[i]
				if !p.Addresses[g.ID].InSitemap {
					continue
				}
				if note := fault(p, g); note != "" {
					p.Report(g.ID, check.Place{Note: "listed in a sitemap, but " + note})
				}
			}
			return nil
		},
	}
}

func answer(g *survey.Page) string {
	if g.Status > 0 {
		return fmt.Sprintf("with status %d", g.Status)
	}
	return "nothing (" + string(g.Outcome) + ")"
}

// home is the robots.txt of the start address's origin.
func home(p *check.SitePass) *survey.RobotsFile {
	start := p.URL(p.Start)
	for i := range p.Robots {
		if r := &p.Robots[i]; len(r.Address) > len("robots.txt") &&
			hasPrefix(start, r.Address[:len(r.Address)-len("robots.txt")]) {
			return r
		}
	}
	return nil
}

func hasPrefix(s, prefix string) bool { return len(s) >= len(prefix) && s[:len(prefix)] == prefix }

func robotsMissing(p *check.SitePass) error {
	if r := home(p); r != nil && r.Status >= 400 && r.Status < 500 {
		p.Report(-1, check.Place{Note: fmt.Sprintf("%s answers with status %d", r.Address, r.Status),
			Target: r.Address})
	}
	return nil
}

func robotsUnreachable(p *check.SitePass) error {
	for _, r := range p.Robots {
		switch r.Outcome {
		case page.NoDNS, page.Refused, page.Unreachable, page.TLSFailed, page.Forbidden:
			continue // then nothing can be had there, which other checks say
		}
		if r.Status >= 500 || r.Status == 0 && r.Detail != "" {
			note := r.Address + " gives no answer: " + r.Detail
			if r.Status > 0 {
				note = fmt.Sprintf("%s answers with status %d", r.Address, r.Status)
			}
			p.Report(-1, check.Place{Note: note, Target: r.Address})
		}
	}
	return nil
}

func robotsInvalid(p *check.SitePass) error {
	for _, r := range p.Robots {
		if r.Status != 200 || r.File == nil {
			continue
		}
		if r.HTML {
			p.Report(-1, check.Place{Note: r.Address + " is a page, not a text file", Target: r.Address})
			continue
		}
		for _, n := range r.File.Notes {
			p.Report(-1, check.Place{Note: inLine(n, r.Address), Value: n.Text, Target: r.Address, Line: n.Number})
		}
	}
	return nil
}

func inLine(n robots.Line, file string) string {
	if n.Number == 0 {
		return file + ": " + n.Text
	}
	return fmt.Sprintf("line %d of %s: %s", n.Number, file, n.Text)
}

func blocksResource(p *check.SitePass) error {
	blocked := func(id int32) bool {
		g := p.Got(id)
		if g == nil || g.Outcome != page.RobotsBlocks || p.Addresses[id].State == survey.Outside {
			return false
		}
		switch p.Addresses[id].Role {
		case page.AsImage, page.AsStyle, page.AsScript:
			return p.Inside(p.URL(id))
		}
		return false
	}
	p.Users(blocked, func(l survey.Loading) {
		if g := p.Page(l.Page); g.Status == 200 {
			p.Report(l.Page, check.Place{Note: "needs " + p.URL(l.Target) + ", which robots.txt shuts out",
				Target: p.URL(l.Target), Carrier: p.Carrier(l)})
		}
	})
	return nil
}

func robotsNoSitemap(p *check.SitePass) error {
	r := home(p)
	if r == nil || r.Status != 200 || r.HTML || r.File == nil || len(r.File.Sitemaps) > 0 {
		return nil
	}
	note := "no Sitemap line in " + r.Address
	for _, s := range p.Sitemaps {
		if s.Status == 200 && s.Form != "" {
			note += ", although there is " + s.Address
			break
		}
	}
	p.Report(-1, check.Place{Note: note, Target: r.Address})
	return nil
}

func sitemapMissing(p *check.SitePass) error {
	if len(p.Sitemaps) != 1 || p.Sitemaps[0].Named {
		return nil // some are named; those that are not there are faults of their own
	}
	if s := p.Sitemaps[0]; s.Status >= 400 && s.Status < 500 || s.Status == 200 && s.Form == "" {
		p.Report(-1, check.Place{Note: "robots.txt names none, and there is none at " + s.Address, Target: s.Address})
	}
	return nil
}

// sitemapInvalid reports at the home page, since a sitemap is no page: its faults cost that page's
// health, not that of all.
func sitemapInvalid(p *check.SitePass) error {
	for _, s := range p.Sitemaps {
		report := func(line int, text string) {
			n := robots.Line{Number: line, Text: text}
			p.Report(p.Home(), check.Place{Note: inLine(n, s.Address), Value: text, Target: s.Address, Line: line})
		}
		switch {
		case s.Status != 200 && !s.Named:
		case s.Status == 0:
			report(0, "there is no answer: "+s.Detail)
		case s.Status != 200:
			report(0, fmt.Sprintf("it is named as a sitemap, and answers with status %d", s.Status))
		case s.Form == "" && !s.Named: // a page at the usual place is no sitemap
		case s.Detail != "":
			report(0, s.Detail)
		}
		if s.Status == 200 {
			for _, f := range s.Faults {
				report(f.Number, f.Text)
			}
		}
	}
	return nil
}

func sitemapListsBlocked(p *check.SitePass) error {
	for id := range p.Addresses {
		if a := &p.Addresses[id]; a.InSitemap && a.State == survey.Blocked {
			p.Report(int32(id), check.Place{Note: inRule(a), Target: a.URL})
		}
	}
	return nil
}

func inRule(a *survey.Address) string {
	if a.Rule.Number == 0 {
		return "listed in a sitemap, but " + a.Rule.Text
	}
	return fmt.Sprintf("listed in a sitemap, but shut out by line %d of robots.txt: %s", a.Rule.Number, a.Rule.Text)
}

func sitemapOmits(p *check.SitePass) error {
	read := false
	for _, s := range p.Sitemaps {
		read = read || s.Status == 200 && s.Pages > 0
	}
	if !read {
		return nil // then there is none, which is said once
	}
	for i := range p.Pages {
		g := &p.Pages[i]
		if _, later := survey.FirstOf(p.URL(g.ID)); !later && p.Judged(g) && !p.Addresses[g.ID].InSitemap {
			p.Report(g.ID, check.Place{Note: "no sitemap lists it"})
		}
	}
	return nil
}

func rootRefused(p *check.SitePass) error {
	if p.Probes == nil || p.Probes.Root == nil {
		return nil
	}
	if r := p.Probes.Root; r.Status >= 400 && r.Status < 500 {
		p.Report(-1, check.Place{Note: fmt.Sprintf("%s answers with status %d", r.Address, r.Status),
			Target: r.Address})
	}
	return nil
}

func cutOff(p *check.SitePass) error {
	if !p.CutOff() {
		return nil
	}
	hosts := map[string]bool{}
	for i := range p.Loaded {
		if g := &p.Loaded[i]; g.Outcome == page.NoDNS && !p.Inside(p.URL(g.ID)) {
			hosts[survey.Host(p.URL(g.ID))] = true
		}
	}
	names := slices.Sorted(maps.Keys(hosts))
	shown := strings.Join(names[:min(len(names), 5)], ", ")
	if len(names) > 5 {
		shown += fmt.Sprintf(" and %d more", len(names)-5)
	}
	p.Report(-1, check.Place{Note: "no host of another site resolves: " + shown, Value: shown})
	return nil
}
