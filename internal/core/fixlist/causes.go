package fixlist

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// A cause takes this many pages, and this share of a layout or section, to be more than
// separate slips.
const (
	leastPages = 5
	leastShare = 0.8
)

// gathered is a cause with the entries it explains, in their sorted order.
type gathered struct {
	fix     Fix
	entries []int
}

// groupKey tells causes of one kind apart.
type groupKey struct {
	check  int32
	number int32 // of the target, value or layout
	spot   string
	folder string
}

// gather finds causes by the first rule that holds: target or value (joined where many are alike), the whole site, layout, section,
// separate pages. The whole site comes before its layouts where nothing on the pages has a place: a
// header or a setting of the server is one change, however many templates there are.
func (b *builder) gather() []gathered {
	var out []gathered
	var rest []int
	known := map[groupKey]*gathered{}
	var order []*gathered
	for i, e := range b.entries {
		if e.cause < 0 {
			rest = append(rest, i)
			continue
		}
		k := groupKey{check: e.check, number: e.cause}
		g := known[k]
		if g == nil {
			g = &gathered{fix: b.shared(e)}
			known[k] = g
			order = append(order, g)
		}
		g.entries = append(g.entries, i)
	}
	for _, g := range fold(b, b.alike(order)) {
		b.locate(g)
		out = append(out, *g)
	}
	bySite, rest := b.concentrated(rest, Section, b.siteKey, b.totals(func(int32) groupKey { return groupKey{folder: "/"} },
		func(k groupKey) groupKey { return groupKey{folder: k.folder} }))
	byLayout, rest := b.concentrated(rest, Layout, b.layoutKey, b.layoutTotals())
	bySection, rest := b.concentrated(rest, Section, b.sectionKey, b.sectionTotals())
	return slices.Concat(out, bySite, byLayout, bySection, b.separate(rest))
}

// A check with more causes by target or value than mostCauses keeps a line of its own for the
// largest, causesKept of them; the others become one line, so that the list stays one that a person
// can work through.
const (
	mostCauses = 60
	causesKept = 50
)

// fold joins the many small causes of a check.
func fold(b *builder, causes []*gathered) []*gathered {
	byCheck := map[int32][]*gathered{}
	of := func(g *gathered) int32 { return b.entries[g.entries[0]].check }
	for _, g := range causes {
		byCheck[of(g)] = append(byCheck[of(g)], g)
	}
	folded := map[*gathered]bool{}
	rests := map[*gathered]*gathered{} // in place of the first that is folded
	for c, all := range byCheck {
		if len(all) <= mostCauses {
			continue
		}
		bySize := slices.Clone(all)
		slices.SortStableFunc(bySize, func(x, y *gathered) int { return cmp.Compare(len(y.entries), len(x.entries)) })
		for _, g := range bySize[causesKept:] {
			folded[g] = true
		}
		rest := &gathered{fix: Fix{Kind: Rest, ID: identify(b.Checks[c], Rest, ""), Where: text.Thousands(len(all)-causesKept) + " smaller cases"}}
		for _, g := range all {
			if folded[g] {
				if len(rest.entries) == 0 {
					rests[g] = rest
				}
				rest.entries = append(rest.entries, g.entries...)
			}
		}
		slices.Sort(rest.entries)
	}
	var out []*gathered
	for _, g := range causes {
		switch {
		case rests[g] != nil:
			out = append(out, rests[g])
		case !folded[g]:
			out = append(out, g)
		}
	}
	return out
}

// shared starts the fix of a target or value cause.
func (b *builder) shared(e entry) Fix {
	c, cause := b.Checks[e.check], b.causes[e.cause]
	f := Fix{Kind: Value, Target: cause.target, Value: cause.value}
	if c.Gather == check.ByTarget {
		f.Kind = Target
	}
	f.ID = identify(c, f.Kind, cause.key)
	return f
}

// locate says where a target cause stands: in the layouts of which at least five pages each
// hold it at the same place.
func (b *builder) locate(g *gathered) {
	if g.fix.Kind != Target {
		return
	}
	counts := map[groupKey]int{}
	regions := map[string]int{}
	for _, i := range g.entries {
		e := b.entries[i]
		counts[groupKey{number: b.layout(e.page), spot: b.spots[e.spot]}]++
		regions[regionWord(e.region)]++
	}
	bySpot := map[string]int{}
	for k, n := range counts {
		if k.number >= 0 && n >= leastPages {
			bySpot[landmark(k.spot)] += n
		}
	}
	best := ""
	for spot, n := range bySpot {
		if n > bySpot[best] || n == bySpot[best] && spot < best {
			best = spot
		}
	}
	if n := bySpot[best]; n > 0 {
		g.fix.Where = inLayout(n, best)
	}
	if len(regions) == 1 {
		for word := range regions {
			g.fix.Line = word
		}
	}
}

func inLayout(pages int, landmark string) string {
	where := "in the layout of " + text.Thousands(pages) + " pages"
	if landmark != "" {
		where += ", " + landmark
	}
	return where
}

// landmark is the part of a page that a place belongs to, in a word; "" for what has no place, such as a
// file that the head names.
func landmark(spot string) string {
	first, _, _ := strings.Cut(spot, " > ")
	switch first {
	case "":
		return ""
	case "nav":
		return "navigation"
	case "header", "footer", "aside":
		return first
	}
	return "content"
}

func (b *builder) layout(id int32) int32 {
	if p := b.page(id); p != nil {
		return p.Layout
	}
	return -1
}

// layoutName is that of a page's layout, "" for none.
func (b *builder) layoutName(id int32) string {
	if l := b.layout(id); l >= 0 {
		return b.Layouts[l]
	}
	return ""
}

// concentrated finds the groups that hold enough pages, and enough of their layout or
// section, and returns what is left over.
func (b *builder) concentrated(entries []int, kind Kind, key func(entry) (groupKey, bool), totals func(check int32, k groupKey) int) (out []gathered, rest []int) {
	groups := map[groupKey][]int{}
	for _, i := range entries {
		if k, ok := key(b.entries[i]); ok && b.counts(b.entries[i]) {
			groups[k] = append(groups[k], i)
		}
	}
	taken := make([]bool, len(b.entries))
	for k, members := range groups {
		if len(members) < leastPages || float64(len(members)) < leastShare*float64(totals(k.check, k)) {
			continue
		}
		g := gathered{entries: members}
		first := b.entries[members[0]]
		g.fix.Kind = kind
		switch kind {
		case Layout:
			g.fix.Where = inLayout(len(members), landmark(k.spot))
			g.fix.ID = identify(b.Checks[k.check], kind, b.layoutName(first.page)+" "+k.spot)
		case Section:
			if g.fix.Where = "on most pages under " + k.folder; k.folder == "/" {
				g.fix.Where = "on " + text.Thousands(len(members)) + " pages, nearly all of the site"
			}
			g.fix.ID = identify(b.Checks[k.check], kind, k.folder)
		}
		for _, i := range members {
			taken[i] = true
		}
		out = append(out, g)
	}
	slices.SortFunc(out, func(x, y gathered) int { return cmp.Compare(x.entries[0], y.entries[0]) })
	for _, i := range entries {
		if !taken[i] {
			rest = append(rest, i)
		}
	}
	return out, rest
}

// siteKey takes part where the site has several layouts and the finding has no place on the page.
func (b *builder) siteKey(e entry) (groupKey, bool) {
	return groupKey{check: e.check, folder: "/"}, e.page >= 0 && b.spots[e.spot] == "" && len(b.Layouts) > 1
}

// layoutKey takes no part in what is said of addresses: no template writes them.
func (b *builder) layoutKey(e entry) (groupKey, bool) {
	l := b.layout(e.page)
	return groupKey{check: e.check, number: l, spot: b.spots[e.spot]}, l >= 0 && b.Checks[e.check].Group != "addresses"
}

func (b *builder) sectionKey(e entry) (groupKey, bool) {
	if e.page < 0 {
		return groupKey{}, false
	}
	folder := b.sections.of(b.address(e.page))
	return groupKey{check: e.check, folder: folder}, folder != "/"
}

func (b *builder) layoutTotals() func(int32, groupKey) int {
	return b.totals(func(id int32) groupKey { return groupKey{number: b.layout(id)} },
		func(k groupKey) groupKey { return groupKey{number: k.number} })
}

func (b *builder) sectionTotals() func(int32, groupKey) int {
	return b.totals(func(id int32) groupKey { return groupKey{folder: b.sections.of(b.address(id))} },
		func(k groupKey) groupKey { return groupKey{folder: k.folder} })
}

// totals counts the pages of a layout or section that a check looks at.
func (b *builder) totals(of func(int32) groupKey, reduce func(groupKey) groupKey) func(int32, groupKey) int {
	all, indexable := map[groupKey]int{}, map[groupKey]int{}
	for _, p := range b.assessed {
		if !p.HTML {
			continue
		}
		k := of(p.ID)
		all[k]++
		if p.Indexable {
			indexable[k]++
		}
	}
	return func(c int32, k groupKey) int {
		if b.Checks[c].Scope == check.Documents {
			return all[reduce(k)]
		}
		return indexable[reduce(k)]
	}
}

// separate makes one line a check of what is left, and one of what is about the whole site.
func (b *builder) separate(entries []int) []gathered {
	type part struct {
		check int32
		site  bool
	}
	parts := map[part]*gathered{}
	for _, i := range entries {
		e := b.entries[i]
		p := part{e.check, e.page < 0}
		g := parts[p]
		if g == nil {
			kind := Pages
			if p.site {
				kind = Whole
			}
			g = &gathered{fix: Fix{Kind: kind, ID: identify(b.Checks[e.check], kind, "")}}
			parts[p] = g
		}
		g.entries = append(g.entries, i)
	}
	var out []gathered
	for _, p := range slices.SortedFunc(maps.Keys(parts), func(x, y part) int { return cmp.Or(cmp.Compare(x.check, y.check), boolFirst(x.site, y.site)) }) {
		out = append(out, *parts[p])
	}
	return out
}

// word fills in the check's sentence.
func (f *Fix) word(c *check.Check) {
	link := f.Line
	if link == "" {
		link = "Link"
	}
	f.Line = strings.NewReplacer(
		"{link}", link,
		"{target}", PathOf(f.Target),
		"{value}", shorten(f.Value),
		"{example}", PathOf(f.Example),
		"{n}", text.Thousands(f.Pages),
	).Replace(c.Line)
	switch {
	case f.Kind == Rest || f.Kind == Alike:
		f.Line = strings.ToUpper(c.Title[:1]) + c.Title[1:] + ": " + f.Where + ", on " + text.Thousands(f.Pages) + " pages"
	case f.Kind == Pages && f.Pages == 1:
		f.Line += " on " + PathOf(f.Example)
	case f.Kind == Pages:
		f.Line += " on " + text.Thousands(f.Pages) + " separate pages"
	case f.Where != "":
		f.Line += ", " + f.Where
	case f.Kind == Target && f.Pages == 1:
		f.Line += ", on " + PathOf(f.Example)
	case f.Kind == Target:
		f.Line += ", on " + text.Thousands(f.Pages) + " pages"
	}
}

// PathOf is an address without its origin, shortened in the middle.
func PathOf(address string) string {
	u, err := weburl.Parse(address)
	if err != nil || !u.IsHTTP() {
		return shorten(address)
	}
	return shorten(u.PathQuery())
}

func shorten(s string) string {
	return text.Shorten(s, 72, 44, 24)
}
