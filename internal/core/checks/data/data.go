// Package data holds the checks of structured data.
package data

import (
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/structured"
	"harvik/internal/core/survey"
)

const (
	group      = "data"
	vocabulary = "schema.org"
	guidance   = "search engines' public guidance on structured data"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "data-unparsable", Group: group, Severity: check.Error, Scope: check.Indexable, Effort: check.Minutes,
		Title: "JSON-LD cannot be read", Line: "JSON-LD that cannot be read",
		What:   "A script of type application/ld+json does not hold valid JSON. The evidence names line and column.",
		Why:    "Search engines pass the whole block over.",
		How:    "Correct the place that the evidence names: often a comma too many or too few, or quotation marks in a text.",
		Source: "RFC 8259 (JSON); JSON-LD 1.1 (W3C)", Page: unparsable,
	},
	{
		ID: "data-unknown", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title:  "type or property that the vocabulary does not have",
		Line:   "Structured data uses names that schema.org does not have",
		What:   "Structured data has a type that schema.org does not have, or a property that the type does not have.",
		Why:    "Search engines disregard what they do not know.",
		How:    "Correct the name; the evidence says which was probably meant. Upper and lower case matter.",
		Source: vocabulary, Page: of(structured.Unknown),
	},
	{
		ID: "data-incomplete", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Hours,
		Title: "structured data lacks what is required", Line: "Structured data lacks what is required",
		What:   "An item lacks properties that search engines require before they show more than a plain result for its type.",
		Why:    "Without them the result stays plain: no stars, no price, no date.",
		How:    "Add what the evidence names, as far as it is true and shown on the page.",
		Source: guidance, Page: of(structured.Incomplete),
	},
	{
		ID: "data-value", Group: group, Severity: check.Warning, Scope: check.Indexable, Effort: check.Minutes,
		Title: "structured data has values of the wrong kind", Line: "Structured data has values of the wrong kind",
		What:   "A property holds a text where only a date, number, address, duration or one of a list of words may stand.",
		Why:    "Search engines disregard the value, and may disregard the item.",
		How:    "Write the value in the form that the evidence names.",
		Source: vocabulary + "; ISO 8601 (dates and durations); ISO 4217 (currencies)", Page: of(structured.Values),
	},
	{
		ID: "data-broken-link", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "structured data names a page that is not there",
		Line:   "Structured data names {target}, which is not there",
		What:   "An address of the site in structured data answers with an error, or not at all.",
		Why:    "Search engines follow these addresses, for pictures and breadcrumbs among others.",
		How:    "Correct the address, or bring the page or file back.",
		Source: guidance, Site: brokenLink,
	},
}

func unparsable(p *check.PagePass) {
	for _, f := range p.Doc.DataFaults {
		p.Reportf(page.Pos{Line: f.Line, Col: f.Col}, "", "%s", f.Note)
	}
}

func of(judge func([]structured.Item) []structured.Problem) func(*check.PagePass) {
	return func(p *check.PagePass) {
		if len(p.Doc.Data) == 0 {
			return
		}
		for _, problem := range judge(p.Doc.Data) {
			p.Report(check.Place{
				Note: problem.Path + ": " + problem.Note, Value: problem.At.Format, At: problem.Path,
				Line: problem.At.Line, Col: problem.At.Col,
			})
		}
	}
}

func brokenLink(p *check.SitePass) error {
	return p.EachFacts(func(g *survey.Page) bool { return g.Indexable && g.Flags&survey.HasData != 0 },
		func(g *survey.Page, f *page.Facts) {
			seen := map[string]bool{}
			for _, address := range append(structured.Pages(f.Document.Data), structured.Pictures(f.Document.Data)...) {
				_, to, _ := p.Target(address)
				if to == nil || seen[address] || !p.Inside(address) {
					continue
				}
				seen[address] = true
				switch {
				case to.Status >= 400:
					p.Report(g.ID, check.Place{Note: address + " answers with an error", Target: address})
				case to.Failed():
					p.Report(g.ID, check.Place{Note: address + " gives no answer", Target: address})
				}
			}
		})
}
