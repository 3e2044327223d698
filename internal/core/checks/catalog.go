// Package checks joins the groups of checks into the catalogue.
package checks

import (
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
	"harvik/internal/core/checks/rendering"
	"harvik/internal/core/checks/safety"
	"harvik/internal/core/checks/sharing"
	"harvik/internal/core/checks/snippet"
	"harvik/internal/core/checks/weight"
)

// Version of the catalogue, see check.Catalogue.
const Version = 11

// New is every check.
func New() *check.Catalogue {
	return check.NewCatalogue(Version,
		reach.Suite, indexing.Suite, snippet.Suite, headings.Suite, copy.Suite, links.Suite, redirects.Suite,
		languages.Suite,
		media.Suite, weight.Suite, safety.Suite, markup.Suite, data.Suite, sharing.Suite, addresses.Suite,
		rendering.Suite,
	)
}
