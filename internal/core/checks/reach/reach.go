// Package reach holds the checks of whether pages can be had at all.
package reach

import (
	"fmt"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

const group = "reach"

// Suite is the group's checks.
var Suite = slices.Concat(answers, pages, files)

var answers = []*check.Check{
	{
		ID: "reach-server-error", Group: group, Severity: check.Error, Factor: 4, Scope: check.WholeSite,
		Effort: check.Hours,
		Title:  "page answers with a server error", Line: "Server error instead of a page",
		What:   "The address answered with a status of 500 or above, also when asked again.",
		Why:    "Visitors see an error. If it lasts, search engines drop the page, and slow down for the whole site.",
		How:    "Look for the time and address in the server's error log. The evidence names the status.",
		Source: "RFC 9110, 15.6 (server errors)", Site: serverError,
	},
	{
		ID: "reach-timeout", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page does not answer in time", Line: "No answer in time",
		What:   "There was no complete answer within the plan's time, also when asked again.",
		Why:    "Visitors leave, and search engines count it as an error.",
		How:    "Find what keeps the server: a slow query, a missing cache, an outside service. If the page answers for others, slow the crawl down.",
		Source: "search engines' public guidance on pages that do not answer", Site: timeout,
	},
	{
		ID: "robots-blocks-linked", OneChange: true, Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes,
		Title:  "robots.txt shuts out a page that the site links to",
		Line:   "robots.txt ({value}) shuts out addresses that pages link to, such as {target}",
		What:   "A page of the site links to an address that robots.txt forbids to fetch. The evidence names the line.",
		Why:    "The links lead search engines to a closed door. The address can still show up in results, without a description.",
		How:    "If the page should be found, open the line. If not, that is fine: waive this, or let the page itself say noindex.",
		Source: "RFC 9309 (Robots Exclusion Protocol), 2.2", Site: blocksLinked,
	},
}

func serverError(p *check.SitePass) error {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.Status >= 500 && p.Assessed(g) {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("status %d", g.Status), Value: fmt.Sprint(g.Status)})
		}
	}
	return nil
}

func timeout(p *check.SitePass) error {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.Outcome == page.TimedOut && p.Assessed(g) {
			p.Report(g.ID, check.Place{Note: "no complete answer in the plan's time"})
		}
	}
	return nil
}

func blocksLinked(p *check.SitePass) error {
	blocked := func(t int32) bool { return p.Addresses[t].State == survey.Blocked }
	return p.Ways(blocked, func(t int32, w survey.Way) {
		place := links.Place(w)
		rule := p.Addresses[t].Rule
		place.Target = p.URL(t)
		place.Value, place.Group = rule.Text, fmt.Sprintf("%d %s", rule.Number, rule.Text)
		if place.Note = rule.Text; rule.Number > 0 {
			place.Note = fmt.Sprintf("shut out by line %d of robots.txt: %s", rule.Number, rule.Text)
		}
		p.Report(w.Page, place)
	})
}
