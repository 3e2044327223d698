package fixlist

import (
	"cmp"
	"slices"
	"strings"

	"harvik/internal/core/text"
)

// A check's list is cut at so many lines that are worth one each; and its lines that together change no
// more than tail, in points, are joined anyway.
const (
	mostLines = 12
	linesKept = 10
	tail      = 0.05
	masked    = 0.1 // of what a line lost it brings less alone: others on the same pages hide what it would bring
)

// joinTails makes one line a check of those that change next to nothing, and of those beyond the first
// ones of a check with dozens; together with what is separate anyway. What waivers say makes no difference.
func (b *builder) joinTails(found []gathered) []gathered {
	b.cells = b.makeCells(nil)
	book := b.book(b.cells)
	byCheck := map[int32][]int{}
	gains := make([]float64, len(found))
	for k := range found {
		gains[k], _ = book.Gain(b.removals(found[k].entries), func(int) float64 { return 1 })
		byCheck[found[k].check] = append(byCheck[found[k].check], k)
	}
	lost := b.lost(found, book.Shares())
	gone := make([]bool, len(found))
	for _, lines := range byCheck {
		slices.SortStableFunc(lines, func(x, y int) int {
			return cmp.Or(cmp.Compare(gains[x], gains[y]), strings.Compare(found[x].fix.ID, found[y].fix.ID))
		})
		sum, n := 0.0, 0
		for n < len(lines) && sum+gains[lines[n]] < tail {
			sum += gains[lines[n]]
			n++
		}
		if len(lines)-n > mostLines {
			n = len(lines) - linesKept
		}
		joined := lines[:n:n]
		for _, k := range lines[n:] {
			if gains[k] < masked*lost[k] {
				joined = append(joined, k)
			}
		}
		n = len(joined)
		into := slices.IndexFunc(lines, func(k int) bool { return found[k].fix.Kind == Pages })
		if into >= 0 && n > 0 && !slices.Contains(joined, lines[into]) {
			joined = append(joined, lines[into])
		}
		if len(joined) < 2 {
			continue
		}
		b.join(found, joined, gone)
	}
	out := found[:0]
	for k := range found {
		if !gone[k] {
			out = append(out, found[k])
		}
	}
	return out
}

// lost is what the ledger books to each line.
func (b *builder) lost(found []gathered, shares []float64) []float64 {
	out := make([]float64, len(found))
	for k := range found {
		for _, r := range b.removals(found[k].entries) {
			out[k] += shares[r.Cell] * float64(r.Places) / float64(b.cells[r.Cell].Places)
		}
	}
	return out
}

// join puts lines of a check together in the first of them.
func (b *builder) join(found []gathered, lines []int, gone []bool) {
	c := found[lines[0]].check
	g := gathered{check: c, fix: Fix{Kind: Pages, ID: identify(b.Checks[c], Pages, ""), Where: b.reasons(found, lines)}}
	for k, line := range lines {
		g.entries = append(g.entries, found[line].entries...)
		gone[line] = k > 0
	}
	slices.Sort(g.entries)
	b.describe(&g)
	found[lines[0]] = g
}

// reasons says which rules lines told that are now one, the widest first.
func (b *builder) reasons(found []gathered, lines []int) string {
	var rules []int
	for _, k := range lines {
		if f := &found[k].fix; f.Kind == Rule && f.Targets != nil {
			rules = append(rules, k)
		}
	}
	if len(rules) == 0 {
		return ""
	}
	slices.SortStableFunc(rules, func(x, y int) int {
		return cmp.Or(cmp.Compare(len(found[y].entries), len(found[x].entries)),
			strings.Compare(found[x].fix.ID, found[y].fix.ID))
	})
	first := found[rules[0]].fix.Where
	if len(rules) == 1 {
		return first
	}
	if at, ok := strings.CutPrefix(first, nothingUnder); ok { // several folders that are not there
		folders := []string{at}
		for _, k := range rules[1:] {
			if at, ok := strings.CutPrefix(found[k].fix.Where, nothingUnder); ok {
				folders = append(folders, at)
			}
		}
		if len(folders) > 1 {
			return nothingUnder + someFolders(folders)
		}
	}
	return first + "; and " + text.Count(len(rules)-1, "more such rule", "more such rules")
}
