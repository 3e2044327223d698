package snippet

import (
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

var made = []*check.Check{
	{
		ID: "description-pattern", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByValue,
		Effort: check.Hours, OneChange: true,
		Title:  "descriptions are one sentence with names put in",
		Line:   "{n} pages have one description in which only names change: “{value}”",
		What:   "Five or more pages have descriptions that are the same but for words that stand in the page's title or heading.",
		Why:    "A results page shows the same sentence again and again, and none says what is special about its page.",
		How:    "Let the template take a sentence from the page's own text, and write the descriptions of important pages by hand.",
		Source: aboutSource, Site: aboutPattern,
	},
	{
		ID: "title-suffix-long", Group: group, Severity: check.Notice, Free: true, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes, OneChange: true,
		Title:  "what the template adds makes titles too long",
		Line:   "{n} titles are too long for a results page only by what the template adds: “{value}”",
		What:   "Five or more titles end in the same words, behind a dash or a bar, and would fit into a results page without them.",
		Why:    "The end is cut off, and it is the same on every page.",
		How:    "Shorten what the template adds, or leave it away where a title is long.",
		Source: titleSource, Limits: []string{"title-pixels"}, Site: suffixLong, Explains: []string{"title-long"},
	},
	{
		ID: "mark-unfilled", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title:  "mark that a build should have filled in",
		Line:   "Mark of a template or build stands unfilled in the head",
		What:   "Title, description, canonical, sharing text or main heading holds a mark such as {{name}}, __NAME__, @@NAME@@ or ${name}.",
		Why:    "Search engines and people who share the page see the mark.",
		How:    "Correct the name of the field, or see why the step that fills it in does not run.",
		Source: titleSource, Page: unfilled,
	},
}

func suffixLong(p *check.SitePass) error {
	groups := map[string][]*survey.Page{}
	for i := range p.Pages {
		g := &p.Pages[i]
		most := p.LimitsAt(g).TitlePixels
		if !g.Indexable || int(text.Width(g.Title.Text, titlePixels)+0.5) <= most {
			continue
		}
		if own, suffix := parted(g.Title.Text); suffix != "" && int(text.Width(own, titlePixels)+0.5) <= most {
			groups[suffix] = append(groups[suffix], g)
		}
	}
	for _, suffix := range slices.Sorted(maps.Keys(groups)) {
		group := groups[suffix]
		if len(group) < leastAlike {
			continue
		}
		for _, g := range group {
			p.Report(g.ID, check.Place{
				Note: fmt.Sprintf("“%s” would fit without “%s”, which ends %d titles that are too long", g.Title.Text,
					suffix, len(group)),
				Value: suffix, Line: g.Title.Line, Col: g.Title.Col, Others: p.Others(group, g.ID), Of: len(group),
			})
		}
	}
	return nil
}

// parted is a title in two at the last sign that templates put between a page's name and the site's.
func parted(title string) (own, suffix string) {
	at, wide := -1, 0
	for _, sign := range []string{" – ", " — ", " - ", " | ", " · ", " :: ", " » "} {
		if i := strings.LastIndex(title, sign); i > at {
			at, wide = i, len(sign)
		}
	}
	if at <= 0 {
		return title, ""
	}
	return title[:at], title[at+wide:]
}

// leastAlike is how many descriptions of one pattern are no chance.
const leastAlike = 5

func aboutPattern(p *check.SitePass) error {
	groups := map[string][]*survey.Page{}
	for i := range p.Pages {
		g := &p.Pages[i]
		if !p.Judged(g) || g.About.Text == "" {
			continue
		}
		if pattern := patternOf(g.About.Text, g.Title.Text+" "+g.H1.Text); pattern != "" {
			groups[pattern] = append(groups[pattern], g)
		}
	}
	for _, pattern := range slices.Sorted(maps.Keys(groups)) {
		group := groups[pattern]
		if len(group) < leastAlike || alike(group) {
			continue
		}
		for _, g := range group {
			p.Report(g.ID, check.Place{
				Note:  fmt.Sprintf("%d pages have this description with other names in it", len(group)),
				Value: pattern, Group: pattern, Line: g.About.Line, Col: g.About.Col, Others: p.Others(group, g.ID),
				Of: len(group),
			})
		}
	}
	return nil
}

// alike tells descriptions that are the very same, which description-duplicate has.
func alike(group []*survey.Page) bool {
	first := text.Key(group[0].About.Text)
	return !slices.ContainsFunc(group, func(g *survey.Page) bool { return text.Key(g.About.Text) != first })
}

// patternOf is a description with … for the words that title or heading have; "" where there is none of
// them, or little else.
func patternOf(description, names string) string {
	own := map[string]bool{}
	text.EachWord(names, func(w string) { own[strings.ToLower(w)] = true })
	var out []string
	kept, put := 0, 0
	for _, word := range strings.Fields(description) {
		if isOwn(word, own) {
			if put++; len(out) == 0 || out[len(out)-1] != "…" {
				out = append(out, "…")
			}
			continue
		}
		kept++
		out = append(out, word)
	}
	if put == 0 || kept < 4 || kept < put {
		return ""
	}
	return strings.Join(out, " ")
}

// isOwn tells a word, or one put together from several, that title or heading have.
func isOwn(word string, own map[string]bool) bool {
	n, all := 0, true
	text.EachWord(word, func(w string) {
		w = strings.ToLower(w)
		n++
		all = all && own[w] && !text.IsCommon("en", w)
	})
	return n > 0 && all
}

var marks = regexp.MustCompile(`\{\{[^{}]{1,60}\}\}|\{%[^%]{1,60}%\}|\$\{[\w.]{1,40}\}|__[A-Z][A-Z0-9_]{2,40}__|@@[A-Z][A-Z0-9_]{1,40}@@|%%[A-Z_]{3,40}%%`)

// unfilled leaves pages about such marks alone: those that show them in their text as well.
func unfilled(p *check.PagePass) {
	look := func(what, value string, pos page.Pos) {
		if !strings.ContainsAny(value, "{_@%") {
			return
		}
		if found := marks.FindString(value); found != "" && !strings.Contains(p.Doc.MainText, found) {
			p.Report(check.Place{Note: fmt.Sprintf("%s in the %s", found, what), Value: value, Line: pos.Line,
				Col: pos.Col})
		}
	}
	for _, t := range p.Doc.Titles {
		look("title", t.Text, t.Pos)
	}
	for _, t := range p.Doc.Descriptions {
		look("description", t.Text, t.Pos)
	}
	for _, c := range p.Doc.Canonicals {
		look("canonical", c.Href, c.Pos)
	}
	for _, c := range p.Doc.Cards {
		look(c.Name, c.Value, c.Pos)
	}
}
