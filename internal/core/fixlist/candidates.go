package fixlist

import (
	"math"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

// candidates are the changes that could explain a check's entries.
func (b *builder) candidates(c int32, entries []int32) []*candidate {
	switch b.Checks[c].Gather {
	case check.Alone:
		return nil
	case check.ByPlace:
		return slices.Concat(b.byLayout(c, entries), b.byWords(c, entries, false))
	}
	return slices.Concat(b.byCause(c, entries), b.bySet(c, entries), b.byWords(c, entries, true),
		b.byCarrier(c, entries), b.byRule(c, entries), b.byPage(c, entries))
}

// byCause proposes each target or value that enough pages have.
func (b *builder) byCause(c int32, entries []int32) (out []*candidate) {
	for _, members := range group(entries, func(i int32) int32 { return b.entries[i].cause }) {
		if len(members) >= leastPages {
			out = append(out, b.causeCandidate(c, members))
		}
	}
	return out
}

// causeCandidate is the change of one target or value.
func (b *builder) causeCandidate(c int32, members []int32) *candidate {
	cause := b.causes[b.entries[members[0]].cause]
	one := &candidate{fix: Fix{Kind: Value, Target: cause.target, Value: cause.value}, key: cause.key, members: members,
		work: 1}
	switch ch := b.Checks[c]; {
	case ch.Gather == check.ByTarget:
		one.fix.Kind = Target
		one.work = b.targetWork(members)
	case !ch.OneChange:
		one.work = max(1, len(members)-1)
	}
	one.fix.ID = identify(b.Checks[c], one.fix.Kind, cause.key)
	return one
}

// targetWork is how many edits mend a target: one for each place of a layout or carrier, and one for each
// page else, but never more than putting the target itself right and telling everybody.
func (b *builder) targetWork(members []int32) int {
	const atMost = 2
	places := map[groupKey]int{}
	for _, i := range members {
		e := &b.entries[i]
		places[groupKey{number: b.layout(e.page), spot: e.spot, carrier: e.carrier}]++
	}
	work := 0
	for k, n := range places {
		if n >= leastPages && k.number >= 0 || k.carrier >= 0 {
			work++
		} else {
			work += n
		}
	}
	return min(work, atMost)
}

// groupKey tells groups of entries apart.
type groupKey struct {
	number  int32 // of a layout or page
	spot    int32
	words   int32
	carrier int32
}

// group sorts entries by what they have in common, in order of the first of each group.
func group[K comparable](entries []int32, key func(int32) K) [][]int32 {
	at := map[K]int32{}
	of := make([]int32, len(entries)) // by entry: its group
	var sizes []int
	for n, i := range entries {
		k := key(i)
		g, ok := at[k]
		if !ok {
			g = int32(len(sizes))
			at[k] = g
			sizes = append(sizes, 0)
		}
		of[n] = g
		sizes[g]++
	}
	all := make([]int32, len(entries)) // those of one group after those of another
	out := make([][]int32, len(sizes))
	for g, size := range sizes {
		out[g], all = all[:0:size], all[size:]
	}
	for n, i := range entries {
		out[of[n]] = append(out[of[n]], i)
	}
	return out
}

// byLayout proposes places of layouts, and all of the site, for what no target or value explains. Layouts
// that fail alike in one place are one candidate, as they are one template; so is what nearly the whole
// site fails.
func (b *builder) byLayout(c int32, entries []int32) (out []*candidate) {
	var counted []int32
	for _, i := range entries {
		if e := &b.entries[i]; e.page >= 0 && b.counts(*e) {
			counted = append(counted, i)
		}
	}
	all := b.countPages(c, nil)
	everywhere := b.pagesOf(counted) >= max(b.least(c), int(math.Ceil(leastShare*float64(all))))
	if everywhere {
		share := "nearly all"
		if b.pagesOf(counted) >= all {
			share = "all"
		}
		where := "on " + text.Count(b.pagesOf(counted), "page", "pages") + ", " + share + " of the site"
		if b.inBrowser(c) && all < b.sitePages.html {
			where = "on " + share + " of the " + text.Count(all, "page that was", "pages that were") + " rendered"
		}
		one := &candidate{fix: Fix{Kind: Section, Where: where}, key: "/", members: counted, work: 1}
		one.fix.ID = identify(b.Checks[c], Section, "/")
		out = append(out, one)
	}
	bySpot := group(counted, func(i int32) int32 { return b.entries[i].spot })
	for _, members := range bySpot {
		spot := b.spots[b.entries[members[0]].spot]
		if everywhere && spot == "" {
			continue // a header or a setting, however many templates there are
		}
		var all []int32
		name := ""
		for _, of := range group(members, func(i int32) int32 { return b.layout(b.entries[i].page) }) {
			layout := b.layout(b.entries[of[0]].page)
			if layout < 0 || float64(len(of)) < leastShare*float64(b.countPages(c, &layout)) {
				continue
			}
			if n := b.Layouts[layout]; name == "" || n < name {
				name = n
			}
			all = append(all, of...)
		}
		if len(all) < b.least(c) {
			continue
		}
		if slices.Sort(all); float64(len(all)) >= leastShare*float64(len(members)) {
			all = members // the few pages of other layouts have it from the same template
		}
		one := &candidate{fix: Fix{Kind: Layout, Where: b.inLayouts(c, all, landmark(spot))}, key: name + " " + spot,
			members: all, work: 1}
		one.fix.ID = identify(b.Checks[c], Layout, one.key)
		out = append(out, one)
	}
	return out
}

// byWords proposes places that a template writes, told by the same words of a link in the same place of
// enough pages, whatever it leads to. Within the content of pages, where authors write, that takes most
// of a layout for links that lead to different addresses.
func (b *builder) byWords(c int32, entries []int32, targets bool) (out []*candidate) {
	for _, members := range group(entries, func(i int32) groupKey {
		e := &b.entries[i]
		k := groupKey{spot: e.spot, words: e.words, number: -1}
		if targets && e.region == page.Content {
			k.number = b.layout(e.page)
		}
		return k
	}) {
		first := &b.entries[members[0]]
		words := b.spots[first.words]
		if words == "" || b.spots[first.spot] == "" || len(members) < leastPages {
			continue
		}
		if targets && (b.oneCause(members) || first.region == page.Content && !b.fills(c, members)) {
			continue
		}
		key := b.spots[first.spot] + " " + words
		one := &candidate{fix: Fix{Kind: Layout, Value: words, Line: linkWord(first.region, words),
			Where: "on " + text.Thousands(b.pagesOf(members)) + " pages"}, key: key, members: members, work: 1}
		if targets {
			one.fix.Targets = b.targetsOf(members)
		}
		one.fix.ID = identify(b.Checks[c], Layout, key)
		out = append(out, one)
	}
	return out
}

// fills tells whether entries are on most pages of their layout.
func (b *builder) fills(c int32, members []int32) bool {
	layout := b.layout(b.entries[members[0]].page)
	return layout >= 0 && float64(b.pagesOf(members)) >= leastShare*float64(b.countPages(c, &layout))
}

func (b *builder) oneCause(members []int32) bool {
	first := b.entries[members[0]].cause
	return !slices.ContainsFunc(members, func(i int32) bool { return b.entries[i].cause != first })
}

// byCarrier proposes the stylesheets, scripts and frames that name what is wrong.
func (b *builder) byCarrier(c int32, entries []int32) (out []*candidate) {
	for _, members := range group(entries, func(i int32) int32 { return b.entries[i].carrier }) {
		carrier := b.entries[members[0]].carrier
		if carrier < 0 || b.oneCause(members) {
			continue
		}
		address := b.spots[carrier]
		one := &candidate{fix: Fix{Kind: Carrier, Target: address, Targets: b.targetsOf(members)}, key: address,
			members: members, work: 1}
		one.fix.ID = identify(b.Checks[c], Carrier, address)
		out = append(out, one)
	}
	return out
}

// bySet proposes files of one folder that the very same pages load: a template names them together, and
// together they were left out.
func (b *builder) bySet(c int32, entries []int32) (out []*candidate) {
	if b.Checks[c].Gather != check.ByTarget {
		return nil
	}
	type set struct {
		pages  uint64 // a hash of their numbers
		count  int
		folder string
	}
	var sets [][]int32
	at := map[set]int{}
	causes := map[set]int{}
	for _, members := range group(entries, func(i int32) int32 { return b.entries[i].cause }) {
		e := &b.entries[members[0]]
		if e.carrier >= 0 || b.spots[e.spot] != "" || len(members) < leastPages || !b.causes[e.cause].away {
			continue
		}
		target := b.causes[e.cause].target
		k := set{14695981039346656037, len(members), target[:strings.LastIndexByte(target, '/')+1]}
		for _, i := range members {
			k.pages = (k.pages ^ uint64(uint32(b.entries[i].page))) * 1099511628211
		}
		n, known := at[k]
		if !known {
			n = len(sets)
			at[k] = n
			sets = append(sets, nil)
		}
		sets[n] = append(sets[n], members...)
		causes[k]++
	}
	for k, n := range at {
		if causes[k] < 2 {
			continue
		}
		members := sets[n]
		slices.Sort(members)
		targets := b.targetsOf(members)
		key := "files such as " + targets[0]
		one := &candidate{fix: Fix{Kind: Rule, Value: key,
			Where: "files of " + PathOf(k.folder) + " that one template names", Targets: targets}, key: "0 " + key,
			members: members, work: 1}
		one.fix.ID = identify(b.Checks[c], Rule, key)
		out = append(out, one)
	}
	slices.SortFunc(out, func(x, y *candidate) int { return strings.Compare(x.key, y.key) })
	return out
}

// byPage proposes pages that hold many cases of their own.
func (b *builder) byPage(c int32, entries []int32) (out []*candidate) {
	for start := 0; start < len(entries); {
		on := b.entries[entries[start]].page
		end := start + 1
		for end < len(entries) && b.entries[entries[end]].page == on { // they follow on each other
			end++
		}
		members := entries[start:end:end]
		start = end
		if on < 0 || len(members) < leastPages {
			continue
		}
		address := b.address(on)
		one := &candidate{fix: Fix{Kind: OnePage, Example: address, Targets: b.targetsOf(members)}, key: address,
			members: members, work: 1}
		one.fix.ID = identify(b.Checks[c], OnePage, address)
		out = append(out, one)
	}
	return out
}

// targetsOf are the addresses concerned, each once, sorted.
func (b *builder) targetsOf(members []int32) []string {
	var out []string
	seen := map[int32]bool{}
	for _, i := range members {
		if cause := b.entries[i].cause; cause >= 0 && !seen[cause] {
			seen[cause] = true
			if t := b.causes[cause].target; t != "" {
				out = append(out, t)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// inLayouts is where what is in layouts stands: on as many pages as it was found on; and where only some of them were
// rendered, on all that are built so.
func (b *builder) inLayouts(c int32, members []int32, landmark string) string {
	seen, all, partly := len(members), 0, false
	if b.inBrowser(c) {
		layouts := map[int32]bool{}
		for _, i := range members {
			if l := b.layout(b.entries[i].page); l >= 0 && !layouts[l] {
				layouts[l] = true
				all += b.layoutPages[l].html
				partly = partly || b.layoutPages[l].rendered < b.layoutPages[l].html
			}
		}
	}
	if !partly {
		return inLayout(seen, landmark)
	}
	return inLayout(all, landmark) + ", seen on " + text.Thousands(seen) + " that were rendered"
}

func inLayout(pages int, landmark string) string {
	where := "in the layout of " + text.Thousands(pages) + " pages"
	if landmark != "" {
		where += ", " + landmark
	}
	return where
}

// linkWord begins a sentence about a link of a template.
func linkWord(r page.Region, words string) string {
	return regionWord(r) + " “" + text.Shorten(words, 40, 26, 10) + "”"
}

// A tally counts HTML pages, those of them that are indexable, and those that were rendered.
type tally struct{ html, indexable, rendered int }

func (t tally) with(p *Page) tally {
	if p.HTML {
		t.html++
		if p.Indexable {
			t.indexable++
		}
		if p.Rendered {
			t.rendered++
		}
	}
	return t
}

// of is how many of the pages a check looks at: all documents, or only those that search engines may show.
func (t tally) of(documents bool) int {
	if documents {
		return t.html
	}
	return t.indexable
}

// tallyPages counts the pages assessed by what candidates are held against.
func (b *builder) tallyPages() {
	b.layoutPages, b.folderPages = map[int32]tally{}, map[string]tally{}
	for _, p := range b.assessed {
		folder := b.sections.of(p.Address)
		b.layoutPages[p.Layout] = b.layoutPages[p.Layout].with(p)
		b.folderPages[folder] = b.folderPages[folder].with(p)
		b.sitePages = b.sitePages.with(p)
	}
	// Checks on the whole site are of either kind, as what they find tells.
	b.documents = make([]bool, len(b.Checks))
	for i, c := range b.Checks {
		b.documents[i] = c.Scope == check.Documents
	}
	for i := range b.entries {
		if e := &b.entries[i]; b.Checks[e.check].Scope == check.WholeSite && e.page >= 0 && b.counts(*e) {
			b.documents[e.check] = b.documents[e.check] || !b.page(e.page).Indexable
		}
	}
}

// countPages is how many pages of a layout, or of the site, a check looks at.
func (b *builder) countPages(c int32, layout *int32) int {
	n := b.sitePages
	if layout != nil {
		n = b.layoutPages[*layout]
	}
	return b.seenOf(c, n)
}

// seenOf is how many pages of a tally a check looks at.
func (b *builder) seenOf(c int32, n tally) int {
	if b.inBrowser(c) {
		return n.rendered
	}
	return n.of(b.documents[c])
}

// least is on how many pages of a layout a check has to fail for the layout to be why. Of pages that were rendered to
// stand for others fewer do.
func (b *builder) least(c int32) int {
	if b.inBrowser(c) && b.sitePages.rendered < b.sitePages.html {
		return leastRendered
	}
	return leastPages
}

// inBrowser tells a check that knows of some pages only, which a browser made.
func (b *builder) inBrowser(c int32) bool {
	return b.Checks[c].OfRenderings() && b.sitePages.rendered > 0
}

// bySection finds folders in which nearly all pages fail, among what nothing better explains. Three or
// more of them are one line: what fails so widely has one reason.
func (b *builder) bySection(c int32, entries []int32) []gathered {
	if b.Checks[c].Gather != check.ByPlace {
		return nil
	}
	var all []int32
	var folders []string
	failing := map[string][]int32{}
	for _, members := range group(entries,
		func(i int32) string { return b.sections.of(b.address(b.entries[i].page)) }) {
		first := b.entries[members[0]]
		folder := b.sections.of(b.address(first.page))
		if first.page < 0 || folder == "/" || !b.counts(first) {
			continue
		}
		if n := b.pagesOf(members); n < leastPages || float64(n) < leastShare*float64(b.sectionPages(c, folder)) {
			continue
		}
		folders, failing[folder] = append(folders, folder), members
		all = append(all, members...)
	}
	const many = 3
	var out []gathered
	add := func(key, where string, members []int32) {
		slices.Sort(members)
		fix := Fix{Kind: Section, Where: where, ID: identify(b.Checks[c], Section, key)}
		g := gathered{check: c, fix: fix, entries: members}
		for _, i := range members {
			b.explained[i] = true
		}
		out = append(out, g)
	}
	slices.Sort(folders)
	if len(folders) >= many {
		add("*", "on most pages under "+someFolders(folders), all)
		return out
	}
	for _, folder := range folders {
		add(folder, "on most pages under "+folder, failing[folder])
	}
	return out
}

// someFolders names up to three folders, or two and how many more there are.
func someFolders(folders []string) string {
	if len(folders) > 3 {
		folders = append(folders[:2:2], text.Count(len(folders)-2, "more folder", "more folders"))
	}
	last := len(folders) - 1
	return strings.Join(folders[:last], ", ") + " and " + folders[last]
}

// sectionPages is how many pages of a folder a check looks at.
func (b *builder) sectionPages(c int32, folder string) int {
	return b.seenOf(c, b.folderPages[folder])
}
