package record

import (
	"harvik/internal/core/judge"
	"harvik/internal/core/page"
	"harvik/internal/core/text"
)

// LookRequest is what to look at: an address that is fetched, or HTML that is given. Check names
// one check to be tried; all are otherwise.
type LookRequest struct {
	Address string `json:"address,omitempty"`
	HTML    string `json:"html,omitempty"`
	Check   string `json:"check,omitempty"`
}

// Look is one page, fetched and judged at once.
type Look struct {
	Address   string          `json:"address"`          // as asked for
	Hops      []string        `json:"hops,omitempty"`   // redirects on the way to the page
	Detail    string          `json:"detail,omitempty"` // why there is no page
	Facts     *page.Facts     `json:"facts,omitempty"`
	Indexable bool            `json:"indexable"`
	Why       string          `json:"why,omitempty"` // it is not
	Desktop   Entry           `json:"desktop"`
	Phone     Entry           `json:"phone"`
	Links     []LinkRow       `json:"links"`
	Loads     []LoadRow       `json:"loads"`
	Verdicts  []judge.Verdict `json:"verdicts"`
}

// Entry is how the page would stand in a list of results.
type Entry struct {
	Title    string `json:"title"`
	TitleCut bool   `json:"titleCut"`
	About    string `json:"about"`
	AboutCut bool   `json:"aboutCut"`
	Address  string `json:"address"`
}

// Comparison sets the main texts of two pages side by side.
type Comparison struct {
	A        string         `json:"a"`
	B        string         `json:"b"`
	WordsA   int            `json:"wordsA"`
	WordsB   int            `json:"wordsB"`
	Likeness float64        `json:"likeness"` // 0 to 1: Jaccard index of five-word shingles
	Passages []text.Passage `json:"passages"`
}
