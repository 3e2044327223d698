// Package booking puts what was fetched together to a survey and verdicts: what comes in while a crawl runs, what is
// read back from where it was stored, and what was fetched later in the place of that.
package booking

import (
	"fmt"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// A Record is a fetched address with its facts. Links and Uses are the numbers of what the document links to and loads,
// in order, −1 for what is no address.
type Record struct {
	ID       int32
	Role     page.Role
	Facts    *page.Facts
	Links    []int32
	Uses     []int32
	Findings []check.Finding
	Source   []byte // as it came, content coding undone, packed by S2; nil where it is not to be kept
}

// A Harvest is what a crawl brought besides its records.
type Harvest struct {
	Ending    survey.Ending
	Addresses []survey.Address // by number
	Changed   map[int32]bool   // addresses that changed after they were handed to be stored
	Beyond    int              // mentions of addresses that were not taken up
	Most      int              // pages that the plan allowed
	Listing   *Listing         // what the sitemaps list
	Evidence  survey.Evidence
	Weights   map[int32]float64 // of a spread crawl, see survey.Survey
	Size      int               // likewise
	// Unrendered is why pages were not rendered although the plan has it so, "" where they were.
	Unrendered string
}

// MostKnown is how many addresses are known at most, fetched or not: as many as a site of the plan's number of pages
// can have any use for. A hostile page names hundreds of thousands, each of which would be held, stored and shown.
func MostKnown(pages int) int { return 50_000 + 50*pages }

// OldFactsError says that a stored crawl was read by another version of Harvik, whose facts the present checks cannot
// judge.
type OldFactsError struct{ Version int }

func (e *OldFactsError) Error() string {
	if e.Version > page.Version {
		return fmt.Sprintf(
			"its pages were read by a newer Harvik (facts of version %d; this one knows %d): run that one, or crawl again",
			e.Version,
			page.Version,
		)
	}
	return fmt.Sprintf(
		"its pages were read as facts of version %d, and the checks of today need version %d: crawl again",
		e.Version,
		page.Oldest,
	)
}
