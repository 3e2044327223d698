// Package sharing holds the checks of what a page shows when its address is shared.
package sharing

import (
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

const (
	group  = "sharing"
	source = "The Open Graph protocol (ogp.me); public guidance of services that show cards"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "card-missing", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Hours,
		Title: "page has no card for sharing", Line: "No title, text or picture for sharing",
		What:   "One or more of og:title, og:description and og:image are missing, and so is the twitter: name that would stand for it.",
		Why:    "Where people share the address, services choose a title and picture by themselves, or show none.",
		How:    "Write the missing values into the head; title and description may be the page's own.",
		Source: source, Page: missing,
	},
	{
		ID: "card-image-broken", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "picture for sharing is not there", Line: "The picture for sharing, {target}, is not there",
		What:   "The picture that the page names for sharing answers with an error, not at all, or with something that is no image.",
		Why:    "Shared addresses show a gap.",
		How:    "Correct the address, or bring the file back.",
		Source: source, Site: imageBroken,
	},
	{
		ID: "card-address", Group: group, Severity: check.Notice, Scope: check.Indexable, Effort: check.Minutes,
		Title: "address for sharing is not the canonical", Line: "The address for sharing is not the canonical",
		What:   "The og:url value is another address than the page's canonical, or, without one, its own.",
		Why:    "Services count what is shared under one address, search engines what is linked under another.",
		How:    "Let og:url and the canonical be the same.",
		Source: source + "; RFC 6596", Page: address,
	},
}

func missing(p *check.PagePass) {
	have := map[string]bool{}
	for _, c := range p.Doc.Cards {
		if c.Value != "" {
			_, name, _ := strings.Cut(c.Name, ":")
			have[strings.TrimSuffix(strings.TrimSuffix(name, ":secure_url"), ":url")] = true
		}
	}
	var none []string
	for _, name := range []string{"title", "description", "image"} {
		if !have[name] && !(name == "image" && have["image:src"]) {
			none = append(none, "og:"+name)
		}
	}
	if len(none) > 0 {
		p.Reportf(page.Pos{}, strings.Join(none, ", "), "no %s", strings.Join(none, ", "))
	}
}

// imageOf is the picture of a page's card.
func imageOf(d *page.Document) page.Meta {
	for _, name := range []string{"og:image", "og:image:url", "twitter:image"} {
		for _, c := range d.Cards {
			if c.Name == name && c.Value != "" {
				return c
			}
		}
	}
	return page.Meta{}
}

func imageBroken(p *check.SitePass) error {
	return p.EachFacts(func(g *survey.Page) bool { return g.Indexable && g.Flags&survey.HasCards != 0 },
		func(g *survey.Page, f *page.Facts) {
			c := imageOf(f.Document)
			base, err := weburl.Parse(f.Address)
			if c.Value == "" || err != nil {
				return
			}
			u, err := base.Parse(c.Value)
			if err != nil {
				return
			}
			_, to, _ := p.Target(u.Key())
			if to == nil {
				return
			}
			note := ""
			switch {
			case to.Failed() && (to.Status == 404 || to.Status == 410 || to.Status == 0 || to.Status >= 500 ||
				p.Inside(u.Key())):
				note = "gives no picture"
			case to.Status == 200 && to.Type != "" && !strings.HasPrefix(to.Type, "image/") &&
				!strings.HasSuffix(to.Type, "octet-stream"):
				note = "is no image, but " + to.Type
			default:
				return
			}
			p.Report(g.ID, check.Place{Note: c.Name + ": " + u.Key() + " " + note, Value: c.Value, Target: u.Key(),
				Line: c.Line, Col: c.Col})
		})
}

func address(p *check.PagePass) {
	want := p.Facts.Canonical()
	if want == "" {
		want = p.Facts.Address
	}
	for _, c := range p.Doc.Cards {
		if c.Name != "og:url" || c.Value == "" {
			continue
		}
		base, err := weburl.Parse(p.Facts.Address)
		if err != nil {
			return
		}
		if u, err := base.Parse(c.Value); err != nil || u.Key() != want {
			p.Report(check.Place{Note: "og:url is " + check.Short(c.Value) + ", the canonical " + check.Short(want),
				Value: c.Value, Target: want, Line: c.Line, Col: c.Col})
		}
		return
	}
}
