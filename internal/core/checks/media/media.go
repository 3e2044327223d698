// Package media holds the checks of images.
package media

import (
	"slices"

	"harvik/internal/core/check"
)

const group = "media"

// Suite is the group's checks.
var Suite = slices.Concat(alternatives, more, delivery)

var alternatives = []*check.Check{{
	ID: "image-alt-missing", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
	Title: "image without an alt attribute", Line: "Image without an alt attribute",
	What:   "An img element has no alt attribute at all.",
	Why:    "Screen readers read out the file name instead, and image search has nothing to go by.",
	How:    "Say what the picture shows in one phrase. For a picture that only decorates, write alt=\"\".",
	Source: "HTML standard, 4.8.4.4; WCAG 2.2, 1.1.1", Page: altMissing,
}}

func altMissing(p *check.PagePass) {
	for _, i := range p.Doc.Images {
		if !i.HasAlt {
			p.Report(check.Place{
				Note: "no alt attribute on " + check.Short(i.Src), Value: i.Src,
				At: i.Place, Line: i.Line, Col: i.Col,
			})
		}
	}
}
