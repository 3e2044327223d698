// Package markup holds the checks of the document's technical frame.
package markup

import (
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

const group = "markup"

// Suite is the group's checks.
var Suite = slices.Concat(phones, frame, named)

var phones = []*check.Check{{
	ID: "viewport-missing", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
	Title: "page has no meta viewport", Line: "No viewport is declared for phones",
	What:     "The page has no meta viewport element.",
	Why:      "Phones then show a shrunk desktop page that has to be zoomed.",
	How:      "Put <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"> into the template, and see that the layout follows.",
	Source:   "CSS Viewport Module Level 1; search engines' public guidance on mobile pages",
	Explains: []string{"page-sideways", "tap-small", "text-small"}, Page: viewportMissing,
}}

func viewportMissing(p *check.PagePass) {
	if len(p.Doc.Viewports) == 0 {
		p.Reportf(page.Pos{}, "", "there is no meta viewport")
	}
}
