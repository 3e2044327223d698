// Package report turns a crawl's results into files to hand over: a workbook, CSV, JSON Lines, Parquet,
// SARIF and JUnit XML. Everything is streamed: what is in memory at once does not grow with the site,
// but for the links of the workbook's first rows.
package report

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/column"
	"harvik/internal/core/plan"
)

// A Column of a sheet.
type Column struct {
	Name  string
	Kind  column.Kind
	Width float64 // in characters, for the workbook
}

// A Sheet is one table to hand over.
type Sheet struct {
	Name    string
	Title   string // what its rows are, in a sentence
	Columns []Column
	// Each gives the rows one by one, as many cells as there are columns; a nil cell is empty.
	Each func(ctx context.Context, row func(cells []any) error) error
}

// Pick leaves only the columns named, in that order.
func (s Sheet) Pick(names []string) (Sheet, error) {
	if len(names) == 0 {
		return s, nil
	}
	have := make([]string, len(s.Columns))
	for i, c := range s.Columns {
		have[i] = c.Name
	}
	picked := make([]int, len(names))
	out := s
	out.Columns = nil
	for i, n := range names {
		at := slices.IndexFunc(have, func(name string) bool { return column.SameName(name, n) })
		if at < 0 {
			return s, fmt.Errorf("the sheet %q has no column %q%s; it has %s", s.Name, n,
				plan.Meant(strings.TrimSpace(n), have), strings.Join(have, ", "))
		}
		picked[i] = at
		out.Columns = append(out.Columns, s.Columns[at])
	}
	out.Each = func(ctx context.Context, row func([]any) error) error {
		cells := make([]any, len(picked))
		return s.Each(ctx, func(all []any) error {
			for i, at := range picked {
				cells[i] = all[at]
			}
			return row(cells)
		})
	}
	return out, nil
}

// Choose finds sheets by name, all of usual if none is named.
func Choose(all []Sheet, names, usual []string) ([]Sheet, error) {
	if len(names) == 0 {
		names = usual
	}
	var out []Sheet
	for _, n := range names {
		at := slices.IndexFunc(all, func(s Sheet) bool { return s.Name == strings.TrimSpace(n) })
		if at < 0 {
			have := make([]string, len(all))
			for i := range all {
				have[i] = all[i].Name
			}
			return nil, fmt.Errorf("there is no sheet %q%s; there are %s", n, plan.Meant(strings.TrimSpace(n), have),
				strings.Join(have, ", "))
		}
		out = append(out, all[at])
	}
	return out, nil
}
