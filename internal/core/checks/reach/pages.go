package reach

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/neardup"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

// Pages are the checks of single addresses.
var pages = []*check.Check{
	{
		ID: "reach-no-dns", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "host name does not resolve", Line: "Host name does not resolve",
		What:   "The host of an address of this site has no entry in the domain name system.",
		Why:    "Nobody can reach anything there, and every link to it is dead.",
		How:    "Correct the host name where it is linked, or add the missing DNS record.",
		Source: "RFC 1035 (domain names); RFC 9110, 4.3 (reaching an origin)", Site: outcome(page.NoDNS),
	},
	{
		ID: "reach-no-connection", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "no connection to the page's host", Line: "No connection to the host",
		What:   "The connection was refused, broke, or found no route, also when tried again.",
		Why:    "Visitors see a browser's error page. If it lasts, search engines drop the page.",
		How:    "See whether the server, its firewall or a network between refuses the crawl, and whether visitors meet the same.",
		Source: "RFC 9110, 4.3 (reaching an origin)",
		Site:   outcome(page.Refused, page.Reset, page.Unreachable, page.BadResponse),
	},
	{
		ID: "reach-client-error", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "address of a sitemap or list answers with an error", Line: "Listed address is not there",
		What:   "An address that a sitemap, the plan's list or the plan's start names answers with a status of 400 to 499.",
		Why:    "It was meant to be there: search engines are sent to it, and visitors may be.",
		How:    "Bring the page back, redirect its address to the one that has taken its place, or take it off the list.",
		Source: "RFC 9110, 15.5 (client errors)", Site: clientError,
	},
	{
		ID: "reach-soft-missing", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page says it is missing, with status 200", Line: "Missing page answers with status 200",
		What:   "The page was served as if all were well, but its title or heading says that it is missing, or it is what the site answers to a made-up address in the same folder.",
		Why:    "Search engines keep addresses that hold nothing, and spend their visits on them.",
		How:    "Let the server answer with status 404 or 410, whatever the page looks like.",
		Source: "RFC 9110, 15.5.5; search engines' public guidance on soft 404 errors", Site: softMissing,
		Explains: []string{"snippet", "headings", "copy", "data", "sharing", "canonical-missing", "sitemap-omits"},
	},
	{
		ID: "reach-truncated", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "response is cut off", Line: "Response is cut off",
		What:   "The body is longer than the plan's byte limit, or it ended before its announced length. What stands behind the cut was not judged.",
		Why:    "Search engines read only so much of a page, and a response that ends early may show visitors half a page.",
		How:    "If the server ends early, look for time limits and proxies. If the page is that large, divide it.",
		Source: "RFC 9112, 8 (incomplete messages); search engines' public guidance on size limits", Site: truncated,
	},
	{
		ID: "reach-uneven", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page answers one way, then another", Line: "Answers change from one try to the next",
		What:   "A first try failed and a later one, moments after, did not.",
		Why:    "Visitors and search engines meet the failure, too, now and then.",
		How:    "Look into the server's log at the time of the crawl: overload, a sick server among several, or a limit on requests.",
		Source: "RFC 9110, 15.6 (server errors)", Site: uneven,
	},
	{
		ID: "reach-agent-refused", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "the crawl's agent is refused where a browser is served", Line: "The site refuses the crawl's agent",
		What:   "The home page answers the plan's agent with 403, 406 or 429, and a browser's with the page.",
		Why:    "Search engines and other services may be refused in the same way without anybody noticing.",
		How:    "Look at the rules of the firewall or content network, and let wanted agents through.",
		Source: "RFC 9110, 10.1.5 (User-Agent) and 15.5.4", Site: agentRefused,
	},
	{
		ID: "page-orphan", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByValue,
		OneChange: true, Effort: check.Minutes,
		Title: "page that cannot be reached from home", Line: "No way leads here from home",
		What:   "The page is known from a sitemap, a list or the like, and answered, but no links lead to it from the home page. Pages that only link to one another are an island, told with its size and its entry.",
		Why:    "Visitors cannot find it by browsing, and a page that its own site does not link to counts for little.",
		How:    "Link to it where its subject is treated, or take it down if nobody needs it.",
		Source: "search engines' public guidance on crawlable links", Site: orphan,
	},
	{
		ID: "page-deep", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.Alone,
		Effort: check.Hours,
		Title:  "page is many clicks from home", Line: "Page is far from home",
		What:   "The page may be shown by search engines, and the shortest way to it from the home page takes more clicks than the threshold allows.",
		Why:    "Pages far from home are visited seldom, by people as by search engines.",
		How:    "Link to important ones from a page nearer to home: a list, a hub page, related pages.",
		Source: "search engines' public guidance on site structure", Limits: []string{"depth-clicks"}, Site: deep,
	},
	{
		ID: "crawl-trap", OneChange: true, OfCrawl: true, Group: group, Severity: check.Notice, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Hours,
		Title: "addresses that never end", Line: "Addresses of the pattern {value} never end",
		What:   "A pattern of addresses leads to ever new ones that bring nothing new: a calendar without end, filters in every combination, growing paths.",
		Why:    "Search engines spend their visits there instead of on pages that matter.",
		How:    "Do not link beyond what there is, shut the pattern out in robots.txt, or let its pages name one canonical.",
		Source: "search engines' public guidance about crawl budget and faceted navigation", Site: trap,
	},
}

// outcome reports the pages that ended in a way, and the addresses of hosts whose robots.txt
// already did: those are not asked for further.
func outcome(wanted ...page.Outcome) func(*check.SitePass) error {
	return func(p *check.SitePass) error {
		for i := range p.Pages {
			if g := &p.Pages[i]; slices.Contains(wanted, g.Outcome) && p.Assessed(g) {
				p.Report(g.ID, check.Place{Note: links.Answer(g), Value: string(g.Outcome)})
			}
		}
		for _, r := range p.Robots {
			if r.Status != 0 || !slices.Contains(wanted, r.Outcome) {
				continue
			}
			origin := strings.TrimSuffix(r.Address, "robots.txt")
			for id := range p.Addresses {
				if a := &p.Addresses[id]; a.State == survey.Blocked && a.Role == page.AsPage &&
					strings.HasPrefix(a.URL, origin) {
					p.Report(int32(id), check.Place{Note: r.Detail, Value: string(r.Outcome)})
				}
			}
		}
		return nil
	}
}

func clientError(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		a := &p.Addresses[g.ID]
		if g.Status < 400 || g.Status >= 500 {
			continue
		}
		from := ""
		switch {
		case a.Found == survey.ByStart:
			from = "the start address"
		case a.Found == survey.ByList:
			from = "on the plan's list"
		case a.InSitemap:
			from = "in a sitemap"
		default:
			continue
		}
		p.Report(g.ID, check.Place{Note: fmt.Sprintf("%s, and answers with status %d", from, g.Status),
			Value: fmt.Sprint(g.Status)})
	}
	return nil
}

// missingWords say that a page is not there, as its title or heading.
var missingWords = []string{
	"page not found", "404", "not found", "error 404", "404 error", "404 not found", "file not found",
	"this page does not exist", "page does not exist",
	"page cannot be found", "the page cannot be found", "seite nicht gefunden", "nicht gefunden", "fehler 404",
	"page introuvable", "página no encontrada",
	"pagina non trovata", "pagina niet gevonden", "página não encontrada", "heb ei ganfod",
	"ni chafwyd hyd i'r dudalen",
}

func saysMissing(s string) bool {
	s = strings.ToLower(s)
	for _, sep := range []string{" – ", " - ", " | ", " — ", ": "} {
		s, _, _ = strings.Cut(s, sep)
	}
	return slices.Contains(missingWords, strings.Trim(s, " .!?"))
}

func softMissing(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		if g.Status != 200 || !g.HTML || g.ID == p.Start {
			continue
		}
		switch {
		case saysMissing(g.Title.Text):
			p.Report(g.ID, check.Place{Note: "status 200, but the title says “" + g.Title.Text + "”",
				Value: g.Title.Text, Line: g.Title.Line, Col: g.Title.Col})
		case saysMissing(g.H1.Text):
			p.Report(g.ID, check.Place{Note: "status 200, but the heading says “" + g.H1.Text + "”", Value: g.H1.Text,
				Line: g.H1.Line, Col: g.H1.Col})
		default:
			if m := likeMissing(p, g); m != nil {
				p.Report(g.ID, check.Place{Note: "it is what the made-up address " + m.Address + " answers, too",
					Value: m.Address})
			}
		}
	}
	return nil
}

// likeMissing is the made-up address of the page's folder that was answered with status 200 and
// the same page.
func likeMissing(p *check.SitePass, g *survey.Page) *survey.Probe {
	if p.Probes == nil {
		return nil
	}
	for i := range p.Probes.Missing {
		m := &p.Probes.Missing[i]
		folder := m.Address[:strings.LastIndexByte(m.Address, '/')+1]
		if m.Status != 200 || len(m.Hops) > 0 || m.Words < 5 || !strings.HasPrefix(p.URL(g.ID), folder) ||
			p.URL(g.ID) == folder {
			continue
		}
		if m.Text == g.TextHash || m.Title == g.Title.Text && neardup.Agreement(m.Sketch, g.Sketch) >= 0.9 &&
			!g.Trimmed {
			return m
		}
	}
	return nil
}

func truncated(p *check.SitePass) error {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.Outcome == page.Truncated && g.Status == 200 {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("cut after %s bytes", text.Thousands(g.Bytes))})
		}
	}
	return nil
}

func uneven(p *check.SitePass) error {
	return p.EachFacts(func(g *survey.Page) bool { return g.Tries > 1 && g.Status == 200 },
		func(g *survey.Page, f *page.Facts) {
			if len(f.Earlier) > 0 {
				p.Report(g.ID, check.Place{Note: "first " + strings.Join(f.Earlier, ", then ") + "; then status 200",
					Value: f.Earlier[0]})
			}
		})
}

func agentRefused(p *check.SitePass) error {
	if p.Probes == nil || p.Probes.Browser == nil || p.Probes.Browser.Status != 200 {
		return nil
	}
	if home := p.Page(p.Start); home != nil {
		p.Report(-1, check.Place{Note: fmt.Sprintf("status %d for the plan's agent, status 200 for a browser's",
			home.Status), Target: p.URL(p.Start)})
	}
	return nil
}

// orphan finds what a visitor cannot click to from home, and parts it into islands: pages that lead to one
// another. Of an island the pages that nothing on it links to, or else the first, are its entries.
func orphan(p *check.SitePass) error {
	var lost []int32
	isLost := map[int32]bool{}
	for i := range p.Pages {
		g := &p.Pages[i]
		if g.HTML && g.Status == 200 && g.ID != p.Start && p.Depth[g.ID] < 0 {
			lost = append(lost, g.ID)
			isLost[g.ID] = true
		}
	}
	if len(lost) == 0 {
		return nil
	}
	island := map[int32]int32{} // page → the one that stands for its island
	root := func(id int32) int32 {
		for island[id] != id {
			island[id] = island[island[id]]
			id = island[id]
		}
		return id
	}
	for _, id := range lost {
		island[id] = id
	}
	linked := map[int32]bool{}
	p.EachLinking(func(from int32, to []int32) {
		if !isLost[from] {
			return
		}
		for _, t := range to {
			if isLost[t] && t != from {
				linked[t] = true
				if a, b := root(from), root(t); a != b {
					island[max(a, b)] = min(a, b)
				}
			}
		}
	})
	sizes, entries := map[int32]int{}, map[int32]int32{}
	for _, id := range lost { // in order of address
		r := root(id)
		sizes[r]++
		if have, ok := entries[r]; !ok || linked[have] && !linked[id] {
			entries[r] = id
		}
	}
	for _, id := range lost {
		r := root(id)
		note := "known from " + knownFrom(p, id) + " only"
		if n := sizes[r]; n > 1 {
			note = fmt.Sprintf("one of %s that lead to one another and that nothing leads to from home; the entry is %s, known from %s", text.Count(n, "page", "pages"), p.URL(entries[r]), knownFrom(p, entries[r]))
		}
		p.Report(id, check.Place{Note: note, Value: p.URL(entries[r]), Group: p.URL(entries[r]), Of: sizes[r]})
	}
	return nil
}

// knownFrom says how the crawl came by an address that no link from home leads to.
func knownFrom(p *check.SitePass, id int32) string {
	switch a := &p.Addresses[id]; {
	case a.Found == survey.ByList:
		return "the plan's list"
	case a.Found == survey.BySitemap || a.InSitemap:
		return "a sitemap"
	case a.Found == survey.ByCanonical:
		return "a canonical"
	case a.Found == survey.ByRedirect:
		return "a redirect"
	}
	return "a page that is itself not reachable"
}

func deep(p *check.SitePass) error {
	usual := p.BySize(3, 4, 5)
	for i := range p.Pages {
		g := &p.Pages[i]
		most := cmp.Or(p.LimitsAt(g).DepthClicks, usual)
		if d := int(p.Depth[g.ID]); p.Judged(g) && d > most {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("%d clicks from home, more than %d", d, most),
				Value: fmt.Sprint(d)})
		}
	}
	return nil
}

// trap reports at the page that leads into the pattern: the first, from the example up the way it
// was found, that is not of the pattern itself.
func trap(p *check.SitePass) error {
	for _, t := range p.Traps {
		at := p.Home()
		of, _, _ := strings.Cut(t.Pattern, "*")
		if id, ok := p.Find(t.Example); ok {
			for at = id; p.Addresses[at].FoundOn >= 0 && strings.Contains(p.URL(at), of); at = p.Addresses[at].FoundOn {
			}
		}
		p.Report(at, check.Place{
			Note: fmt.Sprintf("%s: %s addresses fetched, %s more left, such as %s", t.Pattern,
				text.Thousands(t.Fetched), text.Thousands(t.Left), t.Example),
			Value: t.Pattern, Target: t.Example,
		})
	}
	return nil
}
