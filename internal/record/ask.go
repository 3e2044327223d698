package record

import "harvik/internal/core/query"

// An Asking is a question of a crawl, with what its answer is to have.
type Asking struct {
	query.Asked
	Site  int64     // whose figures are meant
	Bins  []float64 // where groups are of numbers by size, as of a query.Panel; their values are bins then
	Skip  int       // rows of the answer
	Limit int
}

// A KeptView is a view that somebody keeps.
type KeptView struct {
	query.View
	Site string // the site that it is for; "" for all
}

// An Answer is what of a crawl a question holds of.
type Answer struct {
	Rows     [][]any // values of the columns, nil for what is not known
	Groups   []query.Group
	Total    int    // answers
	Unjudged int    // rows of which the question cannot be answered
	Fault    string // why not, of the first of them
}
