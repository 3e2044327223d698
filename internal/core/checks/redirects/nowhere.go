package redirects

import (
	"fmt"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/survey"
)

var odd = []*check.Check{
	{
		ID: "redirect-nowhere", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "redirect without a target", Line: "{link} to {target} is redirected to nowhere",
		What:   "A linked address answers with a redirecting status, and names no address to go to, or none that can be read.",
		Why:    "Browsers show an empty page; search engines count it as an error.",
		How:    "Let the server name the target in a Location header, or answer with the page itself.",
		Source: source + "; RFC 9110, 10.2.2 (Location)", Site: nowhere,
	},
	{
		ID: "redirect-outside", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "link that is redirected to another site", Line: "{link} to {target} is redirected to another site",
		What: "A link to an address of this site is redirected to another site.",
		Why:  "Visitors leave without having chosen to, and the link does not say where it leads.",
		How:  "If that is meant, link to the other site by its own address.", Source: source, Site: outside,
	},
}

func nowhere(p *check.SitePass) error {
	lost := func(t int32) bool {
		g := p.Page(t)
		if g == nil || p.Next[t] >= 0 {
			return false
		}
		switch g.Status {
		case 301, 302, 303, 307, 308:
			return true
		}
		return false
	}
	return linked(p, lost, func(t int32) string {
		return fmt.Sprintf("%s answers with status %d and no address to go to", p.URL(t), p.Page(t).Status)
	})
}

func outside(p *check.SitePass) error {
	leaves := func(t int32) bool {
		next := p.Next[t]
		return p.Page(t) != nil && next >= 0 && p.Page(next) == nil && !p.Inside(p.URL(next))
	}
	return linked(p, leaves, func(t int32) string { return p.URL(t) + " leads to " + p.URL(p.Next[t]) })
}

// linked reports the links to wanted addresses.
func linked(p *check.SitePass, wanted func(int32) bool, note func(int32) string) error {
	return p.Ways(wanted, func(t int32, w survey.Way) {
		place := links.Place(w)
		place.Note, place.Target = note(t), p.URL(t)
		place.Hops = []check.Hop{{Address: p.URL(t), Status: p.Page(t).Status}}
		p.Report(w.Page, place)
	})
}
