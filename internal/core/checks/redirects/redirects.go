// Package redirects holds the checks of redirects. A redirecting address is no page, so the
// pages that link to it carry the finding.
package redirects

import (
	"fmt"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/graph"
	"harvik/internal/core/survey"
)

const (
	group  = "redirects"
	source = "RFC 9110, 15.4 (redirection)"
)

// Suite is the group's checks.
var Suite = slices.Concat(chains, kinds, odd)

var chains = []*check.Check{
	{
		ID: "redirect-chain", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "redirect that leads to another redirect", Line: "{link} to {target} goes through a chain of redirects",
		What: "A linked address redirects to an address that redirects again.",
		Why:  "It works in a browser, so nobody notices; but each hop costs time, and search engines stop after a few.",
		How:  "Let the first address redirect straight to the last one, and link to that.", Source: source, Site: chain,
	},
	{
		ID: "redirect-loop", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Hours,
		Title:  "redirect that never ends", Line: "{link} to {target} runs in a circle of redirects",
		What: "A linked address redirects, by way of others or straight, back to itself.",
		Why:  "Nobody can reach anything there: browsers give up with an error.",
		How:  "Decide which address holds the page and take the redirect off that one.", Source: source, Site: loop,
	},
}

func chain(p *check.SitePass) error {
	return each(p, func(c graph.Chain) bool { return c.End >= 0 && len(c.Hops) > 2 }, func(c graph.Chain) string {
		return fmt.Sprintf("%d redirects in a row, ending at %s", len(c.Hops)-1, p.URL(c.End))
	})
}

func loop(p *check.SitePass) error {
	return each(p, func(c graph.Chain) bool { return c.End < 0 }, func(c graph.Chain) string {
		return fmt.Sprintf("after %d redirects back at %s", len(c.Hops)-1, p.URL(c.Hops[len(c.Hops)-1]))
	})
}

func each(p *check.SitePass, wanted func(graph.Chain) bool, note func(graph.Chain) string) error {
	bad := func(t int32) bool { return p.Next[t] >= 0 && wanted(graph.Follow(t, p.Next)) }
	return p.Ways(bad, func(t int32, w survey.Way) {
		c := graph.Follow(t, p.Next)
		p.Report(w.Page, along(p, t, w, c, note(c)))
	})
}

// along is the evidence of a link that is redirected: where it stands, and the way that it takes.
func along(p *check.SitePass, t int32, w survey.Way, c graph.Chain, note string) check.Place {
	place := links.Place(w)
	place.Note, place.Target = note, p.URL(t)
	for _, h := range c.Hops {
		hop := check.Hop{Address: p.URL(h)}
		if g := p.Page(h); g != nil {
			hop.Status = g.Status
		}
		place.Hops = append(place.Hops, hop)
	}
	return place
}
