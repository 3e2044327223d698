package own

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/graph"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

// judge reports the rows of which the question holds.
func (a *asker) judge(p *check.SitePass) error {
	switch a.asked.Of.Name {
	case "links":
		return a.links(p)
	case "redirects":
		return a.redirects(p)
	case "resources":
		return a.resources(p)
	case "renderings":
		return a.renderings(p)
	}
	return a.pages(p)
}

// wanted are the facts that rows need.
func (a *asker) wanted() []int {
	out := slices.Concat(a.asked.Uses, a.told)
	if a.value.Picks() {
		out = append(out, a.value.Fact)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// holds tells whether the question holds of a row; where that cannot be told, it does not.
func (a *asker) holds(row []any) bool {
	holds, err := a.asked.Holds(row)
	return err == nil && holds
}

// place is the evidence of a row.
func (a *asker) place(row []any) (out check.Place) {
	if a.value.Picks() {
		out.Value = words(a.value.Of(row))
	}
	var parts []string
	for _, at := range a.told {
		f := &a.asked.Of.Facts[at]
		said := words(row[at])
		switch {
		case said == "" && row[at] != nil:
			said = "none"
		case said == "":
			said = "not known"
		case f.Unit != "":
			said += " " + f.Unit
		}
		parts = append(parts, f.Label+": "+check.Short(said))
	}
	out.Note = strings.Join(parts, ", ")
	return out
}

// words are a value as people read it.
func words(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case bool:
		return text.YesNo(v)
	case int:
		return text.Thousands(v)
	case float64:
		return text.Figure(v)
	case []string:
		return strings.Join(v, ", ")
	}
	return fmt.Sprint(v)
}

// pages reports pages.
func (a *asker) pages(p *check.SitePass) error {
	p.PageByPage()
	return a.rows(p, p.Pages, "", a.wanted(), func(id int32, row []any) {
		if a.holds(row) {
			p.Report(id, a.place(row))
		}
	})
}

// renderings reports pages for what a browser made of them, once for each device.
func (a *asker) renderings(p *check.SitePass) error {
	p.PageByPage()
	t, wanted := a.asked.Of, a.wanted()
	for some := range slices.Chunk(p.Pages, chunk) {
		ids, on := make([]int32, len(some)), map[int32][]rendered.Page{}
		for i := range some {
			ids[i] = some[i].ID
		}
		if err := p.Source.EachRendering(ids, func(id int32, all []rendered.Page) { on[id] = all }); err != nil {
			return err
		}
		built := slices.DeleteFunc(slices.Clone(some), func(g survey.Page) bool { return len(on[g.ID]) == 0 })
		err := a.rows(p, built, query.OfPage, wanted, func(id int32, row []any) {
			for i := range on[id] {
				for _, at := range wanted {
					if name := t.Facts[at].Name; !strings.Contains(name, ".") {
						row[at] = query.OfRendering(name, &on[id][i])
					}
				}
				if a.holds(row) {
					p.Report(id, a.place(row))
				}
			}
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// chunk is how many pages are read at once.
const chunk = 500

// rows makes a row of each of some fetched addresses, in their order; row is used again.
func (a *asker) rows(
	p *check.SitePass,
	of []survey.Page,
	prefix string,
	wanted []int,
	f func(id int32, row []any),
) error {
	t := a.asked.Of
	text, facts, out := -1, false, false
	for _, at := range wanted {
		name := strings.TrimPrefix(t.Facts[at].Name, prefix)
		switch {
		case t.Facts[at].Long:
			text = at
		case name == "linksOut":
			facts, out = true, true
		case prefix == "" || len(name) < len(t.Facts[at].Name):
			facts = facts || !briefly[name]
		}
	}
	var namers func(int32) []int32
	for i := range of {
		if p.Page(of[i].ID) == nil && slices.Contains(wanted, t.Fact(prefix+"linksIn")) {
			namers = p.Namers(p.Graph.Turned(p.In))
			break
		}
	}
	row := make([]any, len(t.Facts))
	for some := range slices.Chunk(of, chunk) {
		ids := make([]int32, len(some))
		var documents []int32
		for i := range some {
			if ids[i] = some[i].ID; some[i].HTML {
				documents = append(documents, ids[i])
			}
		}
		read := map[int32]column.Row{}
		if facts {
			if err := p.Source.EachFacts(ids, func(id int32, f *page.Facts) { read[id] = column.Read(f) }); err != nil {
				return err
			}
		}
		if out {
			count := func(id int32, links []page.Link, _ []int32) {
				if r, ok := read[id]; ok && r.LinksOut != nil {
					*r.LinksOut = len(links) // facts come without them
				}
			}
			if err := p.Source.EachLinks(documents, count); err != nil {
				return err
			}
		}
		texts := map[int32]string{}
		if text >= 0 {
			if err := p.Source.EachText(documents, func(id int32, main string) { texts[id] = main }); err != nil {
				return err
			}
		}
		for i := range some {
			r, ok := read[some[i].ID]
			if !ok {
				r = brief(p, &some[i])
			}
			if stand(p, &some[i], &r); namers != nil {
				r.LinksIn = len(namers(some[i].ID))
			}
			t.Fill(row, prefix, &r, wanted)
			if text >= 0 {
				row[text] = texts[some[i].ID]
			}
			f(some[i].ID, row)
		}
	}
	return nil
}

// briefly are the facts for which a page's brief does.
var briefly = func() map[string]bool {
	out := map[string]bool{}
	for name := range strings.FieldsSeq(`address host path section role status outcome type indexable kind title description
		h1 words language bytes firstByte linksIn clicks foundBy inSitemap layout authority terms text`) {
		out[name] = true
	}
	return out
}()

// brief is a row of a page's brief.
func brief(p *check.SitePass, g *survey.Page) column.Row {
	r := column.Row{Address: p.URL(g.ID), Status: g.Status, Outcome: string(g.Outcome), Type: g.Type, Bytes: g.Bytes,
		FirstByte: g.FirstByte, HTML: g.HTML, Indexable: g.Indexable}
	if g.HTML {
		r.Kind, r.Words, r.Title, r.Description = string(g.Kind), g.Words, g.Title.Text, g.About.Text
		r.H1, r.Language = g.H1.Text, g.Lang
	}
	return r
}

// stand adds what only the whole crawl tells of an address.
func stand(p *check.SitePass, g *survey.Page, r *column.Row) {
	a := &p.Addresses[g.ID]
	r.Role, r.FoundBy, r.InSitemap = a.Role.String(), a.Found.String(), a.InSitemap
	if p.Page(g.ID) == nil { // what pages load
		return
	}
	if g.HTML && g.Words > 0 {
		r.Words = g.Words
	}
	r.LinksIn, r.Authority, r.Terms = int(p.In[g.ID]), p.Authority[g.ID], p.Terms[g.ID]
	if depth := int(p.Depth[g.ID]); depth >= 0 {
		r.Clicks = &depth
	}
	if layout := int(g.Layout); layout >= 0 {
		r.Layout = &layout
	}
}

// resources reports pages that load or link to what the question holds of.
func (a *asker) resources(p *check.SitePass) error {
	found := map[int32]check.Place{}
	err := a.rows(p, p.Loaded, "", a.wanted(), func(id int32, row []any) {
		if a.holds(row) {
			place := a.place(row)
			place.Target = p.URL(id)
			found[id] = place
		}
	})
	if err != nil || len(found) == 0 {
		return err
	}
	wanted := func(t int32) bool {
		_, ok := found[t]
		return ok
	}
	p.Users(wanted, func(l survey.Loading) {
		place := found[l.Target]
		place.Carrier = p.Carrier(l)
		p.Report(l.Page, place)
	})
	return p.Survey.Ways(wanted, func(t int32, w survey.Way) { p.Report(w.Page, at(found[t], &w.Link)) })
}

// at is a place where a link stands.
func at(place check.Place, l *page.Link) check.Place {
	place.Words, place.At, place.Region, place.Line, place.Col = l.Words, l.Place, l.Region, l.Line, l.Col
	if place.Words == "" {
		place.Words = l.Label
	}
	return place
}

// links reports links.
func (a *asker) links(p *check.SitePass) error {
	t := a.asked.Of
	wanted := a.wanted()
	ends := map[string]map[int32][]any{query.Source: {}, query.Target: {}}
	places := map[string][]int{}
	var own []int
	for _, at := range wanted {
		dot := strings.IndexByte(t.Facts[at].Name, '.')
		if dot < 0 {
			own = append(own, at)
			continue
		}
		prefix := t.Facts[at].Name[:dot+1]
		places[prefix] = append(places[prefix], at)
	}
	for prefix, facts := range places {
		known := ends[prefix]
		for _, of := range [][]survey.Page{p.Pages, p.Loaded} {
			keep := func(id int32, row []any) { known[id] = some(row, facts) }
			if err := a.rows(p, of, prefix, facts, keep); err != nil {
				return err
			}
		}
	}
	unfetched := make([]any, len(t.Facts))
	put := func(row []any, prefix string, id int32) {
		facts := places[prefix]
		values, ok := ends[prefix][id]
		if !ok {
			clear(unfetched)
			if id >= 0 {
				unfetched[t.Fact(prefix+"address")] = p.URL(id)
				t.Complete(unfetched, facts)
			}
			values = some(unfetched, facts)
		}
		for i, at := range facts {
			row[at] = values[i]
		}
	}
	var ids []int32
	for i := range p.Pages {
		if p.Pages[i].HTML {
			ids = append(ids, p.Pages[i].ID)
		}
	}
	p.PageByPage()
	row := make([]any, len(t.Facts))
	return p.Source.EachLinks(ids, func(id int32, links []page.Link, to []int32) {
		put(row, query.Source, id)
		for i := range links {
			for _, at := range own {
				row[at] = query.LinkFact(t.Facts[at].Name)(&links[i])
			}
			target := p.LeadsTo(links, to, i)
			put(row, query.Target, target)
			if a.holds(row) {
				place := at(a.place(row), &links[i])
				if place.Target = links[i].Address; target >= 0 {
					place.Target = p.URL(target)
				}
				p.Report(id, place)
			}
		}
	})
}

// some are the values of some facts.
func some(row []any, facts []int) []any {
	out := make([]any, len(facts))
	for i, at := range facts {
		out[i] = row[at]
	}
	return out
}

// redirects reports links to addresses that lead on.
func (a *asker) redirects(p *check.SitePass) error {
	t := a.asked.Of
	wanted := a.wanted()
	found := map[int32]check.Place{}
	row := make([]any, len(t.Facts))
	for i := range p.Pages {
		g := &p.Pages[i]
		if p.Next[g.ID] < 0 {
			continue
		}
		chain := graph.Follow(g.ID, p.Next)
		way := make([]string, len(chain.Hops))
		hops := make([]check.Hop, len(chain.Hops))
		for n, hop := range chain.Hops {
			way[n] = p.URL(hop)
			if hops[n].Address = way[n]; p.Got(hop) != nil {
				hops[n].Status = p.Got(hop).Status
			}
		}
		t.FillRedirect(row, &query.Redirect{Hops: way, Circle: chain.End < 0, Status: g.Status,
			EndStatus: hops[len(hops)-1].Status, LinksIn: int(p.In[g.ID])}, wanted)
		if a.holds(row) {
			place := a.place(row)
			place.Target, place.Hops = p.URL(g.ID), hops
			found[g.ID] = place
		}
	}
	return p.Ways(func(t int32) bool {
		_, ok := found[t]
		return ok
	}, func(t int32, w survey.Way) { p.Report(w.Page, at(found[t], &w.Link)) })
}
