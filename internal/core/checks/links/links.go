// Package links holds the checks of links and their targets.
package links

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/graph"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

const group = "links"

// Suite is the group's checks.
var Suite = slices.Concat(followed, targets, ofPage, worded)

var followed = []*check.Check{
	{
		ID: "link-broken-inside", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "link to a page of the site that is not there", Line: "{link} to {target} is dead",
		What:   "A link leads to an address of this site that answers with an error (4xx or 5xx) or not at all.",
		Why:    "Visitors end at an error, and whatever the link was to pass on to its target is lost.",
		How:    "Point the link to the right address or take it out. If the target has moved, redirect the old address too, since others may link to it.",
		Source: "RFC 9110, 15.5 and 15.6 (client and server errors)", Site: brokenInside,
	},
	{
		ID: "link-redirects", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "link to an address that redirects", Line: "{link} to {target} goes through a redirect",
		What:   "A link leads to an address of this site that redirects.",
		Why:    "Every visit pays for one more request, and the redirect has to be kept for ever.",
		How:    "Link straight to the final address, which the evidence names.",
		Source: "RFC 9110, 15.4 (redirection)", Site: redirects,
	},
	{
		ID: "link-empty", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "link without words", Line: "Link without words",
		What:   "A link to another page has no text, no alternative text of an image in it, and no other accessible name.",
		Why:    "Screen readers can only read out the address, and search engines learn nothing about the target.",
		How:    "Write what the link leads to. For an icon, give the image an alt text or the link an aria-label.",
		Source: "WCAG 2.2, 2.4.4 and 4.1.2", Page: empty,
	},
}

func brokenInside(p *check.SitePass) error {
	broken := func(t int32) bool {
		g := p.Page(t)
		return g != nil && g.Failed()
	}
	return p.Ways(broken, func(t int32, w survey.Way) {
		if w.Link.Href != "" && whatIsOdd(&w.Link) != "" {
			return // link-malformed tells
		}
		place := Place(w)
		g := p.Page(t)
		place.Note = p.URL(t) + " answers " + Answer(g)
		if strings.HasPrefix(w.Link.Href, "../") {
			place.Note += "; “" + check.Short(w.Link.Href) + "” climbs above the root of the site"
		}
		place.Hops = []check.Hop{{Address: p.URL(t), Status: g.Status}}
		place.Target = p.URL(t)
		p.Report(w.Page, place)
	})
}

// Place is the evidence of a link: its words and where it stands.
func Place(w survey.Way) check.Place {
	return check.Place{
		Words: cmp.Or(w.Link.Words, w.Link.Label), At: w.Link.Place, Region: w.Link.Region,
		Line: w.Link.Line, Col: w.Link.Col,
	}
}

// Answer says in a few words what an address answered.
func Answer(g *survey.Page) string {
	if g.Status > 0 {
		return fmt.Sprintf("status %d", g.Status)
	}
	switch g.Outcome {
	case page.TimedOut:
		return "not in time"
	case page.NoDNS:
		return "nothing: its host name does not resolve"
	case page.Refused:
		return "nothing: the connection is refused"
	}
	return "nothing (" + string(g.Outcome) + ")"
}

// redirects leaves loops and chains that end at an error to their own checks, since there is nothing to link to.
func redirects(p *check.SitePass) error {
	leads := func(t int32) bool {
		if p.Addresses[t].State != survey.Fetched || p.Next[t] < 0 {
			return false
		}
		end := graph.Follow(t, p.Next).End
		return end >= 0 && (p.Page(end) == nil || !p.Page(end).Failed()) // redirect-broken tells of those
	}
	return p.Ways(leads, func(t int32, w survey.Way) {
		place := Place(w)
		end := graph.Follow(t, p.Next).End
		place.Note = "leads on to " + p.URL(end)
		place.Target = p.URL(t)
		place.Value = p.URL(end)
		p.Report(w.Page, place)
	})
}

// stays tells whether a link leads to a place on its own page.
func stays(p *check.PagePass, l *page.Link) bool {
	return l.Fragment != "" && l.Address == p.Facts.Address
}

// empty takes the copies that a browser makes of a link left open for what they are: one link.
func empty(p *check.PagePass) {
	said, met := map[page.Pos]bool{}, map[page.Pos]bool{}
	for i := range p.Doc.Links {
		if l := &p.Doc.Links[i]; l.Words != "" || l.Label != "" {
			said[l.Pos] = true
		}
	}
	for i := range p.Doc.Links {
		l := &p.Doc.Links[i]
		if said[l.Pos] || met[l.Pos] && l.Line > 0 {
			continue
		}
		met[l.Pos] = true
		if l.Words != "" || l.Label != "" || l.Hidden || stays(p, l) {
			continue
		}
		p.Report(check.Place{
			Note: "a link to " + check.Short(cmp.Or(l.Address, l.Href)) + " without words",
			At:   l.Place, Region: l.Region, Line: l.Line, Col: l.Col, Target: l.Address,
		})
	}
}
