package crawl

import (
	"slices"
	"strings"

	"harvik/internal/core/booking"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// partings are what links say that end a session, in address or words.
var partings = []string{
	"logout", "log-out", "log_out", "log out", "logoff", "log-off", "log off", "signout", "sign-out", "sign_out",
	"sign out",
	"abmelden", "allgofnodi", "déconnexion", "deconnexion", "cerrar-sesion", "cerrar sesión", "uitloggen",
}

// endsSession tells a link that would log the crawl out.
func endsSession(l *page.Link) bool {
	_, path, _ := strings.Cut(l.Address, "://")
	_, path, _ = strings.Cut(strings.ToLower(path), "/")
	words := strings.ToLower(l.Words + l.Label)
	return slices.ContainsFunc(partings, func(p string) bool {
		return strings.Contains(path, p) || len(words) < 40 && strings.Contains(words, p)
	})
}

// takeDone is take, with what a browser made of the page.
func (c *Crawl) takeDone(d *done) {
	c.take(&d.Record, d.said)
	if d.rendering != nil {
		c.batch.Renderings = append(c.batch.Renderings, *d.rendering)
	}
}

// take makes one result part of the crawl: its links become known addresses, its facts go to the book and the next
// batch. What its page says is told by said, if that is known.
func (c *Crawl) take(d *booking.Record, said *gist) {
	f := c.frontier
	a := f.addresses[d.ID]
	f.addresses[d.ID].State = survey.Fetched
	d.Role = a.Role
	if a.Role == page.AsPage {
		c.takePage(d, a, said)
	} else {
		c.takeLoaded(d, a)
	}
	c.batch.Records = append(c.batch.Records, *d)
	c.taken++
	c.progress.booked(f, d, c.book.Places())
}

func (c *Crawl) takePage(d *booking.Record, a survey.Address, said *gist) {
	f := c.frontier
	obeys := c.plan.Robots != plan.Disregard
	to := booking.Nothing()
	f.traps.begin(a.URL)
	if d.Facts.Redirect != "" {
		to.Redirect = c.know(d.Facts.Redirect,
			mention{from: d.ID, depth: a.Depth, found: survey.ByRedirect, follow: true})
	}
	doc := d.Facts.Document
	if doc != nil {
		follow := doc.Robots.NoFollow == "" || !obeys
		if address := d.Facts.Canonical(); address != "" {
			to.Canonical = c.know(address,
				mention{from: d.ID, depth: a.Depth + 1, found: survey.ByCanonical, follow: true})
		}
		c.takeLinks(d, doc, a.Depth+1, follow)
	}
	if doc != nil {
		for _, address := range doc.Mentions() {
			if !f.scope.Inside(address) {
				continue
			}
			id := c.know(f.scope.Rewrite(address),
				mention{from: d.ID, depth: a.Depth + 1, found: survey.ByMention, follow: true})
			if address == doc.RefreshTo {
				to.Refresh = id
			}
		}
	}
	c.takeForms(d, doc, a.Depth+1)
	d.Uses = c.uses(d)
	c.book.Add(d, to)
	f.traps.note(a.URL, a.Depth, d.Facts, said)
}

// takeForms makes known where the forms of a document lead that only ask. The bare address is asked for, once
// all pages are in, to see whether anything is there.
func (c *Crawl) takeForms(d *booking.Record, doc *page.Document, depth int32) {
	if doc == nil || c.plan.Resources == plan.None || !d.Facts.ReadForms() {
		return
	}
	for i := range doc.Forms {
		if form := &doc.Forms[i]; !form.Post && form.Action != "" && form.Action != d.Facts.Address &&
			c.frontier.scope.Inside(form.Action) {
			c.know(c.frontier.scope.Rewrite(form.Action),
				mention{from: d.ID, depth: depth, found: survey.ByUse, role: page.AsForm})
		}
	}
}

// Links that a crawl holds at most: so many, and so many for each page of the plan. Beyond that a page has no
// more than the last number says.
const (
	someLinks    = 10_000_000
	linksForPage = 500
	fewLinks     = 2000
)

// takeLinks makes what a document links to known. Links to addresses that are not taken up, since the crawl
// knows as many as its plan can have any use for, are left out of the document and counted.
func (c *Crawl) takeLinks(d *booking.Record, doc *page.Document, depth int32, follow bool) {
	f := c.frontier
	if most := max(fewLinks, someLinks+linksForPage*c.plan.Pages-c.links); len(doc.Links) > most {
		f.beyond += len(doc.Links) - most
		doc.Links = doc.Links[:most:most]
	}
	d.Links = make([]int32, len(doc.Links))
	dropped := false
	for i := range doc.Links {
		l := &doc.Links[i]
		d.Links[i] = -1
		if l.Address == "" {
			continue
		}
		m := mention{from: d.ID, depth: depth, found: survey.ByLink, follow: follow}
		if c.loggedIn && endsSession(l) {
			m.avoid = "it would log the crawl out"
		}
		if d.Links[i] = c.know(l.Address, m); d.Links[i] < 0 {
			d.Links[i], dropped = notTaken, true
		}
	}
	if dropped {
		doc.Links, d.Links = taken(doc.Links, d.Links)
	}
	c.links += len(doc.Links)
}

// notTaken marks an address that was not taken up, among numbers of addresses.
const notTaken = -2

// taken leaves what has a number, or has no address.
func taken[T any](what []T, numbers []int32) ([]T, []int32) {
	n := 0
	for i, number := range numbers {
		if number != notTaken {
			what[n], numbers[n] = what[i], number
			n++
		}
	}
	return what[:n], numbers[:n]
}

func (c *Crawl) takeLoaded(d *booking.Record, a survey.Address) {
	to := booking.Nothing()
	if d.Facts.Redirect != "" {
		to.Redirect = c.know(d.Facts.Redirect,
			mention{from: d.ID, depth: a.Depth + 1, found: survey.ByRedirect, role: a.Role})
	}
	d.Uses = c.uses(d)
	c.book.Add(d, to)
}

// uses makes what a document or stylesheet loads known.
func (c *Crawl) uses(d *booking.Record) []int32 {
	loads := d.Facts.Loads()
	if len(loads) == 0 || c.plan.Resources == plan.None {
		return nil
	}
	out := make([]int32, len(loads))
	dropped := false
	for i := range loads {
		if out[i] = c.know(loads[i].Address,
			mention{from: d.ID, found: survey.ByUse, role: loads[i].Role}); out[i] < 0 {
			out[i], dropped = notTaken, true
		}
	}
	if dropped {
		loads, out = taken(loads, out)
		d.Facts.SetLoads(loads)
	}
	return out
}

// know gives an address its number, queueing it if it is new, inside and wanted.
func (c *Crawl) know(address string, m mention) int32 {
	id, wanted := c.frontier.add(address, m)
	if wanted {
		c.rulesFor(address)
		c.frontier.admit(id)
	}
	return id
}

// listUnlinked adds what only the sitemaps list and the crawl's end left unfetched.
func (c *Crawl) listUnlinked() {
	f := c.frontier
	for _, address := range f.listing.Addresses {
		if len(f.addresses) >= 2*booking.MostKnown(f.plan.Pages) {
			f.beyond++
			continue
		}
		if _, known := f.numbers[address]; known || f.scope.Origin(address) == "" {
			continue
		}
		a := survey.Address{URL: address, FoundOn: -1, Found: survey.BySitemap, InSitemap: true}
		if f.decide(&a); a.State == survey.Waiting {
			a.State = survey.Unlinked
			if v := f.verdict(address); !v.Allowed {
				a.State, a.Rule = survey.Blocked, v.Rule
			}
		}
		f.append(a)
	}
}
