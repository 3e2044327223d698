// Package copy holds the checks of a page's main text: the text without navigation,
// header, footer and asides.
package copy

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/neardup"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const (
	group    = "copy"
	guidance = "search engines' public guidance on duplicate and helpful content"
)

// Suite is the group's checks.
var Suite = slices.Concat(amount, wording)

var amount = []*check.Check{
	{
		ID: "copy-thin", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page has little text", Line: "Very little text",
		What: "The main text is short. Lists, contact, login, search, cart, legal, gallery and calculator pages are rightly short and left out.",
		Why:  "There is little for a reader to stay for and little for a search engine to understand.",
		How:  "Answer the questions a visitor brings, or join the page with another. If it is rightly short, waive this.", Source: guidance, Limits: []string{"thin-words"}, Site: thin,
	},
	{
		ID: "copy-duplicate", Explains: []string{"title-duplicate", "h1-duplicate", "description-duplicate"},
		Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByValue, Effort: check.Hours,
		Title: "several pages have the same text", Line: "{n} pages have the same text, among them {example}",
		What: "The main text is the same as that of another page; white space and upper or lower case make no difference.",
		Why:  "Search engines show one of the pages, not always the right one, and spend their visits on copies.",
		How:  "Keep one page and redirect the others to it, or name it as their canonical. If they were meant to differ, write the text that is missing.", Source: guidance, Limits: []string{"duplicate-words"}, Site: duplicate,
	},
	{
		ID: "copy-near-duplicate", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByValue,
		Effort: check.Hours,
		Title:  "several pages have nearly the same text",
		Line:   "{n} pages have nearly the same text, among them {example}",
		What:   "The main text is nearly that of another page. The percentage is the share of five-word runs that the two have in common.",
		Why:    "Pages that differ in a few words compete with each other; often a template was filled in with only a name changed.",
		How:    "Say on each page what is particular to it, or join them.",
		Source: guidance + "; Broder 1997 for the measure", Limits: []string{"near-words", "near-percent"},
		Site: nearDuplicate,
	},
}

// leastEntries is how many short pages of one layout are the entries of a reference.
const leastEntries = 20

// thin lets pages be that are there for their links or code, and, on a site that explains code, the
// entries of a reference: pages of a layout most of whose pages are short. Where short pages are the custom, a
// quarter of the threshold is, but of one that somebody has set, which is kept to.
func thin(p *check.SitePass) error {
	reference := p.IsReference()
	short, all := map[int32]int{}, map[int32]int{}
	for i := range p.Pages {
		g := &p.Pages[i]
		if all[g.Layout]++; g.Words < p.LimitsAt(g).ThinWords {
			short[g.Layout]++
		}
	}
	var found []*survey.Page
	for i := range p.Pages {
		g := &p.Pages[i]
		switch {
		case !p.Judged(g) || !g.Kind.HasText() || g.Words >= p.LimitsAt(g).ThinWords || g.Outcome == page.Truncated:
		case g.Flags&(survey.MostlyCode|survey.MostlyLinks) != 0:
		case reference && (g.Flags&survey.HasCode != 0 || g.Layout >= 0 && short[g.Layout] >= leastEntries &&
			3*short[g.Layout] >= all[g.Layout]):
		default:
			found = append(found, g)
		}
	}
	usual := reference || len(found) >= leastEntries && 10*len(found) >= 3*p.Documents()
	for _, g := range found {
		limits := p.LimitsAt(g)
		least := limits.ThinWords
		// Short pages are how the site is written; what has next to nothing is told all the same.
		if usual && !limits.Chosen("thin-words") {
			least /= 4
		}
		if g.Words < least {
			p.Report(g.ID, check.Place{Note: fmt.Sprintf("%d words of main text, fewer than %d", g.Words, least)})
		}
	}
	return nil
}

func duplicate(p *check.SitePass) error {
	for _, all := range sameText(p, p.Judged) {
		g := p.Told(all, func(*survey.Page) check.Place { return check.Place{Group: p.URL(all[0].ID)} })
		if len(g) == 0 {
			continue
		}
		why := reason(p, g)
		for _, m := range g {
			p.Report(m.ID, check.Place{
				Note:  fmt.Sprintf("%d pages have this text of %d words: %s", len(g), m.Words, why),
				Group: p.URL(g[0].ID), Others: p.Others(g, m.ID), Of: len(g),
			})
		}
	}
	return nil
}

// templateWords is up to how many words of text a template brings by itself.
const templateWords = 60

// reason says how the copies probably came about, as far as their addresses and languages tell.
func reason(p *check.SitePass, g []*survey.Page) string {
	paths, forms, langs := map[string]bool{}, map[string]bool{}, map[string]bool{}
	numbered := true
	for _, m := range g {
		address := p.URL(m.ID)
		path, query, _ := strings.Cut(address, "?")
		paths[path] = true
		form := strings.TrimSuffix(strings.ToLower(path), "/")
		forms[strings.TrimSuffix(strings.TrimSuffix(form, "/index.html"), "/index.php")] = true
		langs[strings.ToLower(m.Lang)] = true
		numbered = numbered && (paging.MatchString(path) || paging.MatchString(query))
	}
	switch {
	case numbered:
		return "pages of one list"
	case len(paths) == 1:
		return "one page under several parameters"
	case len(forms) == 1:
		return "one page under several forms of its address"
	case len(langs) > 1:
		return "probably a translation that was left in the source language"
	case g[0].Words <= templateWords:
		return "probably a template with nothing filled in"
	}
	return "a copy"
}

var paging = regexp.MustCompile(`(?i)(?:/page/\d+|[?&]?(?:page|p|start|offset)=\d+)`)

func sameText(p *check.SitePass, judged func(*survey.Page) bool) [][]*survey.Page {
	return p.ShareHash(func(g *survey.Page) uint64 {
		if !judged(g) || g.Words < p.Limits.DuplicateWords {
			return 0
		}
		return g.TextHash
	})
}

// nearDuplicate compares one page of each text; pages with the very same text have
// copy-duplicate, which says more.
func nearDuplicate(p *check.SitePass) error {
	same := map[int32][]*survey.Page{}
	skip := map[int32]bool{}
	for _, g := range sameText(p, func(g *survey.Page) bool { return g.Indexable }) {
		same[g[0].ID] = g
		for _, m := range g[1:] {
			skip[m.ID] = true
		}
	}
	reference := p.IsReference() // where what differs is a name in the code
	var texts []neardup.Text
	for i := range p.Pages {
		if g := &p.Pages[i]; g.Indexable && g.Words >= p.Limits.NearWords && !skip[g.ID] &&
			(!reference || g.Flags&survey.HasCode == 0) {
			texts = append(texts, neardup.Text{ID: g.ID, Sketch: g.Sketch})
		}
	}
	var readErr error
	pairs := neardup.Pairs(texts, float64(p.Limits.NearPercent)/100, func(ids []int32) map[int32][]uint64 {
		out := make(map[int32][]uint64, len(ids))
		err := p.Texts(ids, func(id int32, main string) { out[id] = text.Shingle(main).Shingles })
		readErr = cmp.Or(readErr, err)
		return out
	})
	if readErr != nil {
		return readErr
	}
	nearest := map[int32]neardup.Pair{}
	for _, pair := range pairs {
		for _, id := range []int32{pair.A, pair.B} {
			if best, ok := nearest[id]; !ok || pair.Likeness > best.Likeness {
				nearest[id] = pair
			}
		}
	}
	for _, ids := range neardup.Groups(pairs) {
		reportNear(p, ids, nearest, same)
	}
	return nil
}

func reportNear(p *check.SitePass, ids []int32, nearest map[int32]neardup.Pair, same map[int32][]*survey.Page) {
	var members []*survey.Page
	for _, id := range ids {
		members = append(members, p.Page(id))
	}
	slices.SortFunc(members, func(a, b *survey.Page) int { return cmp.Compare(p.URL(a.ID), p.URL(b.ID)) })
	for _, m := range members {
		if same[m.ID] != nil {
			continue
		}
		pair := nearest[m.ID]
		other := pair.A
		if other == m.ID {
			other = pair.B
		}
		p.Report(m.ID, check.Place{
			Note:  fmt.Sprintf("%d %% like %s", int(math.Floor(pair.Likeness*100)), p.URL(other)),
			Group: p.URL(members[0].ID), Others: p.Others(members, m.ID), Of: len(members), Likeness: pair.Likeness,
		})
	}
}
