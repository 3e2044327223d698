// Package checks joins the groups of checks into the catalogue.
package checks

import (
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/checks/addresses"
	"harvik/internal/core/checks/copy"
	"harvik/internal/core/checks/data"
	"harvik/internal/core/checks/headings"
	"harvik/internal/core/checks/indexing"
	"harvik/internal/core/checks/languages"
	"harvik/internal/core/checks/links"
	"harvik/internal/core/checks/markup"
	"harvik/internal/core/checks/media"
	"harvik/internal/core/checks/reach"
	"harvik/internal/core/checks/redirects"
	"harvik/internal/core/checks/safety"
	"harvik/internal/core/checks/sharing"
	"harvik/internal/core/checks/snippet"
	"harvik/internal/core/checks/weight"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
)

// Version of the catalogue; it grows when a check is added or its verdicts change. A crawl
// keeps the version it was judged with.
const Version = 5

// Catalog is every check, group by group in the order in which lists show them.
var Catalog = slices.Concat(
	reach.Suite, indexing.Suite, snippet.Suite, headings.Suite, copy.Suite, links.Suite,
	redirects.Suite, languages.Suite, media.Suite, weight.Suite, safety.Suite, markup.Suite, data.Suite, sharing.Suite, addresses.Suite,
)

// Groups are the groups' names, in the catalogue's order.
var Groups = func() (out []string) {
	for _, c := range Catalog {
		if !slices.Contains(out, c.Group) {
			out = append(out, c.Group)
		}
	}
	return out
}()

// Find is the check of an ID, nil if there is none.
func Find(id string) *check.Check {
	i := slices.IndexFunc(Catalog, func(c *check.Check) bool { return c.ID == id })
	if i < 0 {
		return nil
	}
	return Catalog[i]
}

// Known is what plans may name of the catalogue.
var Known = plan.Known{
	Limit: check.KnownLimit,
	Check: func(pattern string) bool {
		return slices.ContainsFunc(Catalog, func(c *check.Check) bool { return check.Covers(pattern, c.ID) })
	},
	Kinds: page.KindNames(),
}
