package record

import "harvik/internal/core/rendered"

// Speed is how soon the rendered pages of a crawl stand, group by group, beside those of an earlier crawl.
type Speed struct {
	By     string // layout or section
	Before int    // number of the earlier crawl, 0 for none
	Groups []SpeedGroup
}

// By what pages are put into groups.
const (
	ByLayout  = "layout"
	BySection = "section"
)

// SpeedGroup is a group with the addresses that it names by number.
// Worst and Slow are in the order of rendered.Measures.
type SpeedGroup struct {
	rendered.Group
	Address string   // of its example
	Worst   []string // where the largest paint, the shift and the blocking are worst; "" where none is known
	// Question asks for its renderings, Slow for those that are not good by each of these measures; "" of pages that
	// are like no other, which nothing they have in common finds.
	Question string
	Slow     []string
	Before   *rendered.Group // of the same name and device in the earlier crawl, nil for none
}
