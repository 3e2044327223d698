package markup

import (
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

var named = []*check.Check{
	{
		ID: "viewport-width", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "viewport without the device's width", Line: "Viewport does not go by the width of the device",
		What:     "The meta viewport does not say width=device-width, or names a number of pixels.",
		Why:      "Phones lay the page out for another width and shrink or cut it.",
		How:      "Write width=device-width, initial-scale=1.",
		Source:   "CSS Viewport Module Level 1; search engines' public guidance on mobile pages",
		Explains: []string{"page-sideways", "tap-small", "text-small"}, Page: viewportWidth,
	},
	{
		ID: "viewport-several", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "more than one viewport", Line: "More than one viewport is declared",
		What:   "The page has more than one meta viewport.",
		Why:    "Browsers take the last one, which may not be what the template's author saw.",
		How:    "Keep one. Two often come from a template and an extension.",
		Source: "CSS Viewport Module Level 1", Page: viewportSeveral,
	},
	{
		ID: "frame-title", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "embedded frame without a title", Line: "Embedded frame without a title",
		What:   "An iframe has neither a title nor an aria-label.",
		Why:    "Screen readers announce a frame and cannot say what is in it.",
		How:    "Give the iframe a title that says what it holds: “Map of the garden”.",
		Source: "WCAG 2.2, 4.1.2; HTML standard, 4.8.5 (the iframe element)", Page: frameTitle,
	},
	{
		ID: "field-label", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "field without a label", Line: "Field of a form without a label",
		What:   "A field that people fill in has no label, aria-label or title. A placeholder is none: it goes as soon as one types.",
		Why:    "Whoever cannot see the page does not learn what to write there.",
		How:    "Write a label element with the field's id, or put the field inside it.",
		Source: "WCAG 2.2, 1.3.1 and 3.3.2; HTML standard, 4.10.4 (the label element)", Page: fieldLabel,
	},
	{
		ID: "link-nested", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "link inside a link", Line: "Link inside a link",
		What:   "A link begins while another is still open, because it was not closed or was meant to hold it.",
		Why:    "Browsers end the first link there; what follows leads elsewhere than its author thinks, or nowhere.",
		How:    "Close the first link before the second begins.",
		Source: "HTML standard, 4.5.1 (the a element) and 13.2.6.4.7", Page: linkNested,
		Explains: []string{"link-empty"},
	},
}

func viewportWidth(p *check.PagePass) {
	if len(p.Doc.Viewports) == 0 {
		return
	}
	v := p.Doc.Viewports[len(p.Doc.Viewports)-1]
	if said := strings.ToLower(strings.ReplaceAll(v.Text, " ", "")); !strings.Contains(said, "width=device-width") &&
		!strings.Contains(said, "initial-scale=1") {
		p.Reportf(v.Pos, v.Text, "it says “%s”", check.Short(v.Text))
	}
}

func viewportSeveral(p *check.PagePass) {
	for i, v := range p.Doc.Viewports {
		if i > 0 {
			p.Reportf(v.Pos, v.Text, "viewport %d of %d: “%s”", i+1, len(p.Doc.Viewports), check.Short(v.Text))
		}
	}
}

func frameTitle(p *check.PagePass) {
	for _, f := range p.Doc.BareFrames {
		p.Reportf(f.Pos, f.Type, "the frame of %s", check.Short(f.Type))
	}
}

func fieldLabel(p *check.PagePass) {
	for _, f := range p.Doc.BareFields {
		name := "a field without a name"
		if f.Type != "" {
			name = "the field “" + check.Short(f.Type) + "”"
		}
		p.Reportf(f.Pos, f.Type, "%s has no label", name)
	}
}

func linkNested(p *check.PagePass) {
	if p.Facts.Outcome == page.Truncated {
		return
	}
	for _, f := range p.Doc.Markup.Faults {
		if f.Kind == "unclosed" && f.Name == "a" {
			p.Reportf(f.Pos, "", "this link is still open where the next one begins, or where its part of the page ends")
		}
	}
}
