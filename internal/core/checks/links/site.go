package links

import (
	"cmp"
	"encoding/hex"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

// targets are the checks of what links lead to.
var targets = []*check.Check{
	{
		ID: "link-broken-outside", Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Gather: check.ByTarget, Effort: check.Minutes,
		Title: "link to another site is dead", Line: "{link} to {target} is dead",
		What:   "A link leads to an address of another site that answers with 404 or 410, or whose host name does not resolve. Only judged where the plan checks outbound links; answers that leave a doubt are passed over.",
		Why:    "Visitors end nowhere, and a page whose sources are gone looks neglected.",
		How:    "Find where the content has moved, link to another source, or take the link out.",
		Source: "RFC 9110, 15.5.5 and 15.5.11", Site: brokenOutside,
	},
	{
		ID: "link-broken-fragment", Group: group, Severity: check.Notice, Scope: check.WholeSite,
		Gather: check.ByTarget, Effort: check.Minutes,
		Title:  "link to a place that the page does not have",
		Line:   "{link} to {target}, a part that the page does not have",
		What:   "A link leads to a place within a page of the site, behind a # sign, and the page has no element of that id.",
		Why:    "The visitor ends at the top of the page instead of at what was promised.",
		How:    "Correct the part behind the #, or give the element that is meant its id.",
		Source: "HTML standard, 7.4.6.4 (scrolling to a fragment)", Site: brokenFragment,
	},
	{
		ID: "link-dead-end", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "page has no link into the site", Line: "Page has no link to go on with",
		What:   "No link of the page leads to another page of the site.",
		Why:    "Visitors can only go back or leave, and what links bring to the page ends there.",
		How:    "Give it the site's navigation, and links to what is related.",
		Source: "search engines' public guidance on site structure", Site: deadEnd,
	},
	{
		ID: "form-dead", Group: group, Since: 5, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "form leads nowhere", Line: "The form that leads to {target} is dead",
		What:   "The address that a form of the page asks, such as the search's, answers with an error or not at all. Only forms that ask (method get) and stay on the site are judged.",
		Why:    "Whoever fills the form in gets an error.",
		How:    "Correct the form's action, or bring back what it leads to.",
		Source: "HTML standard, 4.10.18 (attributes for form submission); RFC 9110, 15.5 and 15.6", Site: formDead,
	},
	{
		ID: "link-few-in", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.Alone,
		Effort: check.Minutes,
		Title:  "few pages link to this page", Line: "Few pages link here",
		What:   "Fewer pages of the site link to this page than the threshold asks for, which by default goes by the site's size.",
		Why:    "A page that its own site hardly links to is found late and counts for little.",
		How:    "Link to it from pages on related subjects.",
		Source: "search engines' public guidance on site structure", Limits: []string{"links-in"}, Site: fewIn,
	},
}

func brokenOutside(p *check.SitePass) error {
	if p.CutOff() {
		return nil
	}
	dead := func(t int32) bool {
		if p.Addresses[t].Role != page.AsLink || check.IsPrivate(p.URL(t)) != "" { // those have a check of their own
			return false
		}
		g := p.Got(t)
		return g != nil && (g.Status == 404 || g.Status == 410 || g.Outcome == page.NoDNS)
	}
	return p.Ways(dead, func(t int32, w survey.Way) {
		place := Place(w)
		place.Note, place.Target = p.URL(t)+" answers "+Answer(p.Got(t)), p.URL(t)
		p.Report(w.Page, place)
	})
}

// formDead passes over answers that can mean that the form's fields are missing.
func formDead(p *check.SitePass) error {
	dead := map[string]*survey.Page{}
	for _, address := range p.Asked {
		if t, ok := p.Find(address); ok && p.Inside(address) {
			if to := p.Got(t); to != nil && isNowhere(to) {
				dead[address] = to
			}
		}
	}
	asksTheDead := func(g *survey.Page) bool {
		return g.Status == 200 && slices.ContainsFunc(g.Asks, func(i int32) bool { return dead[p.Asked[i]] != nil })
	}
	return p.EachFacts(asksTheDead, func(g *survey.Page, f *page.Facts) {
		seen := map[string]bool{}
		for i := range f.Document.Forms {
			form := &f.Document.Forms[i]
			to := dead[form.Action]
			if to == nil || form.Post || seen[form.Action] {
				continue
			}
			seen[form.Action] = true
			p.Report(g.ID, check.Place{
				Note: p.URL(to.ID) + " answers " + Answer(to), Target: p.URL(to.ID), At: form.Place,
			})
		}
	})
}

func isNowhere(g *survey.Page) bool {
	return g.Status == 404 || g.Status == 410 || g.Status >= 500 || g.Outcome == page.NoDNS || g.Outcome == page.Refused
}

// A jump is a link to a place on a page: from where to where, and the place's name as written and decoded, as hashes.
type jump struct {
	from, to      int32
	name, decoded uint32
}

// brokenFragment reads the links of pages where some have a fragment, and the anchors of those that they lead to; then
// once more the links of pages from where some lead nowhere. Fragments that scripts and browsers give a meaning of
// their own are left alone.
func brokenFragment(p *check.SitePass) error {
	var pages []int32
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 && g.Flags&survey.HasJumps != 0 {
			pages = append(pages, g.ID)
		}
	}
	var jumps []jump
	wanted := map[int32]bool{}
	err := eachJump(p, pages, func(j jump, _ *page.Link) {
		if n := len(jumps); n == 0 || jumps[n-1] != j {
			jumps = append(jumps, j)
			wanted[j.to] = true
		}
	})
	if err != nil {
		return err
	}
	anchors := map[int32]page.Hashes{}
	cut := map[int32]bool{}
	err = p.Source.EachSkeleton(slices.Sorted(maps.Keys(wanted)), func(id int32, s page.Skeleton) {
		anchors[id], cut[id] = s.IDs, s.Flattened
	})
	if err != nil {
		return err
	}
	arrives := func(j jump) bool {
		return cut[j.to] || has(anchors[j.to], j.name) || has(anchors[j.to], j.decoded)
	}
	var from []int32
	for _, j := range jumps {
		if !arrives(j) {
			from = append(from, j.from)
		}
	}
	slices.Sort(from)
	return eachJump(p, slices.Compact(from), func(j jump, l *page.Link) {
		if arrives(j) {
			return
		}
		place := Place(survey.Way{Page: j.from, Link: *l})
		place.Note, place.Target = fmt.Sprintf("%s has no place #%s", p.URL(j.to), l.Fragment),
			p.URL(j.to)+"#"+l.Fragment
		p.Report(j.from, place)
	})
}

// eachJump calls f with each link from some pages to a place on one that was read in full.
func eachJump(p *check.SitePass, pages []int32, f func(jump, *page.Link)) error {
	return p.Source.EachLinks(pages, func(from int32, links []page.Link, to []int32) {
		for i := range links {
			l := &links[i]
			if l.Fragment == "" || l.Address == "" || isMeant(l.Fragment) {
				continue
			}
			t := p.LeadsTo(links, to, i)
			if g := p.Page(t); g != nil && g.HTML && g.Status == 200 && g.Outcome != page.Truncated {
				f(jump{from, t, page.Anchor(l.Fragment), page.Anchor(unescape(l.Fragment))}, l)
			}
		}
	})
}

// lineRange is how pages of source code are linked to: #12-34, #L12-L34.
var lineRange = regexp.MustCompile(`^L?\d+-L?\d+$`)

// isMeant tells fragments that need no element: the top of the page, text fragments, lines of source
// code, and what scripts read as addresses.
func isMeant(fragment string) bool {
	return strings.ContainsAny(fragment, "/!=&?") || strings.Contains(fragment, ":~:") ||
		strings.EqualFold(fragment, "top") || lineRange.MatchString(fragment)
}

func has(anchors page.Hashes, name uint32) bool {
	_, ok := slices.BinarySearch(anchors, name)
	return ok
}

// unescape puts bytes in the place of their percent codes, and leaves alone what is none (URL standard, 1.3).
func unescape(s string) string {
	first, rest, ok := strings.Cut(s, "%")
	if !ok {
		return s
	}
	var out strings.Builder
	out.WriteString(first)
	for part := range strings.SplitSeq(rest, "%") {
		if code, err := hex.DecodeString(part[:min(2, len(part))]); err == nil && len(code) == 1 {
			out.Write(code)
			out.WriteString(part[2:])
			continue
		}
		out.WriteString("%" + part)
	}
	return out.String()
}

func deadEnd(p *check.SitePass) error {
	leads := map[int32]bool{}
	p.EachLinking(func(from int32, to []int32) {
		for _, t := range to {
			if t != from && p.Addresses[t].State != survey.Outside && p.Addresses[t].State != survey.NotWeb {
				leads[from] = true
				return
			}
		}
	})
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 && g.Outcome != page.Truncated && !leads[g.ID] {
			p.Report(g.ID, check.Place{Note: "none of its links leads to another page of the site"})
		}
	}
	return nil
}

func fewIn(p *check.SitePass) error {
	if p.Partial {
		return nil // what was not fetched may link here
	}
	usual := p.BySize(2, 3, 5)
	if p.IsReference() {
		usual = 1 // entries are reached by index and search
	}
	in := through(p)
	for i := range p.Pages {
		g := &p.Pages[i]
		n, least := in[g.ID], cmp.Or(p.LimitsAt(g).LinksIn, usual)
		if !p.Judged(g) || g.ID == p.Start || n >= least || n == 0 || g.Kind == page.List {
			continue // without any it is an orphan, or known from a redirect
		}
		p.Report(g.ID, check.Place{Note: fmt.Sprintf("%s, fewer than %d",
			text.Count(n, "linking page", "linking pages"), least), Value: fmt.Sprint(n)})
	}
	return nil
}

// through counts the pages that link to each page, straight or by way of redirects.
func through(p *check.SitePass) map[int32]int {
	in := map[int32]int{}
	last := map[int32]int32{}
	p.EachLinking(func(from int32, to []int32) {
		for _, t := range to {
			for hops := 0; hops < 20 && p.Next[t] >= 0; hops++ {
				t = p.Next[t]
			}
			if t != from && last[t] != from+1 {
				last[t] = from + 1
				in[t]++
			}
		}
	})
	return in
}
