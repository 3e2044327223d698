package snippet

import (
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

// about is the description that counts, and whether there is one.
func about(p *check.PagePass) (t page.Text, ok bool) {
	for _, t := range p.Doc.Descriptions {
		if t.Text != "" {
			return t, true
		}
	}
	return page.Text{}, false
}

func aboutMissing(p *check.PagePass) {
	if _, ok := about(p); ok {
		return
	}
	if len(p.Doc.Descriptions) > 0 {
		p.Reportf(p.Doc.Descriptions[0].Pos, "", "the meta description is empty")
		return
	}
	p.Reportf(page.Pos{}, "", "there is no meta description")
}

func aboutDuplicate(p *check.SitePass) error {
	value := func(g *survey.Page) page.Text { return g.About }
	for _, g := range p.Share(ifJudged(p, value)) {
		p.ReportShared(g, "description", value)
	}
	return nil
}

func aboutSeveral(p *check.PagePass) {
	if n := len(p.Doc.Descriptions); n > 1 {
		for i, t := range p.Doc.Descriptions[1:] {
			p.Reportf(t.Pos, t.Text, "description %d of %d", i+2, n)
		}
	}
}

func aboutLong(p *check.PagePass) {
	t, _ := about(p)
	n, px := utf8.RuneCountInString(t.Text), int(text.Width(t.Text, aboutPixels)+0.5)
	if n > p.Limits.DescriptionCharacters || px > p.Limits.DescriptionPixels {
		p.Reportf(t.Pos, t.Text, "%d characters and %d px; there is room for about %d and %d",
			n, px, p.Limits.DescriptionCharacters, p.Limits.DescriptionPixels)
	}
}

func aboutShort(p *check.PagePass) {
	t, ok := about(p)
	if n := utf8.RuneCountInString(t.Text); ok && n < p.Limits.DescriptionLeast {
		p.Reportf(t.Pos, t.Text, "%d characters, fewer than %d", n, p.Limits.DescriptionLeast)
	}
}

func aboutIsTitle(p *check.PagePass) {
	if t, ok := about(p); ok && text.Key(t.Text) == text.Key(p.Doc.Title()) {
		p.Reportf(t.Pos, t.Text, "the same text as the title")
	}
}

func keywords(p *check.PagePass) {
	if len(p.Doc.Keywords) > 0 {
		k := p.Doc.Keywords[0]
		p.Reportf(k.Pos, k.Text, "the page has a meta keywords element")
	}
}
