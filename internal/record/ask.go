package record

import "harvik/internal/core/query"

// An Asking is a question of a crawl, with what its answer is to have.
type Asking struct {
	Question *query.Question
	Site     int64 // whose figures are meant
	Columns  []int // facts, by their places in the question's table
	Order    int   // a fact; −1 for the order in which rows were found
	Falling  bool
	Skip     int // rows of the answer
	Limit    int
	By       int // a fact by which answers are grouped; −1 for none, and rows are wanted
	Measure  int // a fact that is measured in each group; −1 for none
}

// An Answer is what of a crawl a question holds of.
type Answer struct {
	Rows     [][]any // values of the columns, nil for what is not known
	Groups   []query.Group
	Total    int    // answers
	Unjudged int    // rows of which the question cannot be answered
	Fault    string // why not, of the first of them
}
