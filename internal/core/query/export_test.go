package query

// ByCEL is Holds by CEL alone.
func (q *Question) ByCEL(row []any) (bool, error) { return q.byCEL(row) }
