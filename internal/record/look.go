package record

import (
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
)

// LookRequest is what to look at: an address that is fetched, or HTML that is given. Check names
// one check to be tried; all are otherwise.
type LookRequest struct {
	Address string
	HTML    string
	Check   string
	Render  bool // make it in a browser, too
}

// Look is one page, fetched and judged at once.
type Look struct {
	Address   string   // as asked for
	Hops      []string // redirects on the way to the page
	Detail    string   // why there is no page
	Facts     *page.Facts
	Indexable bool
	Why       string // it is not
	Desktop   Entry
	Phone     Entry
	Links     []LinkRow
	Loads     []LoadRow
	Verdicts  []check.Verdict
	Rendered  []rendered.Page // by device, where that was asked for
	Pictures  [][]byte        // the first views of these, WebP; nil where there is none
}

// Entry is how the page would stand in a list of results.
type Entry struct {
	Title    string
	TitleCut bool
	About    string
	AboutCut bool
	Address  string
}

// Comparison sets the main texts of two pages side by side.
type Comparison struct {
	A        string
	B        string
	WordsA   int
	WordsB   int
	Likeness float64 // 0 to 1: Jaccard index of five-word shingles
	Passages []text.Passage
}
