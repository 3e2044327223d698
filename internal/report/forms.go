package report

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"harvik/internal/core/plan"
)

// Takes says what a form is made of.
type Takes string

const (
	Several  Takes = "several"  // sheets
	One      Takes = "one"      // sheet
	Findings Takes = "findings" // and no sheets
)

// A Form is a kind of file in which results are handed over. One that is new needs a value in Forms.
type Form struct {
	Name  string // by which it is asked for, and the ending of its files
	Says  string // what it is
	Type  string // media type
	Takes Takes
	Usual []string // sheets, unless others are named
	Write func(ctx context.Context, w io.Writer, h *Handover) error
}

// A Handover is what of a crawl is handed over: sheets, or findings.
type Handover struct {
	From   Source
	Run    Run
	Sheets []Sheet
}

// Forms are all, in the order in which lists show them.
var Forms = []Form{
	{
		Name: "xlsx", Says: "Workbook (.xlsx), a sheet each", Takes: Several, Usual: usual,
		Type:  "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		Write: func(ctx context.Context, w io.Writer, h *Handover) error { return Workbook(ctx, w, h.Sheets) },
	},
	{
		Name: "csv", Says: "CSV, one sheet", Takes: One, Usual: []string{"fixes"}, Type: "text/csv; charset=utf-8",
		Write: func(ctx context.Context, w io.Writer, h *Handover) error { return CSV(ctx, w, h.Sheets[0]) },
	},
	{
		Name: "jsonl", Says: "JSON Lines, for programs", Takes: Several, Usual: []string{"fixes"}, Type: "application/jsonl",
		Write: func(ctx context.Context, w io.Writer, h *Handover) error { return JSONLines(ctx, w, h.Sheets) },
	},
	{
		Name: "parquet", Says: "Parquet, one sheet, for notebooks", Takes: One, Usual: []string{"pages"},
		Type:  "application/vnd.apache.parquet",
		Write: func(ctx context.Context, w io.Writer, h *Handover) error { return Parquet(ctx, w, h.Sheets[0]) },
	},
	{
		Name: "sarif", Says: "SARIF 2.1.0, for development tools", Takes: Findings, Type: "application/sarif+json",
		Write: func(ctx context.Context, w io.Writer, h *Handover) error { return SARIF(ctx, w, h.From, h.Run) },
	},
}

// FormNames are the names of all forms.
func FormNames() []string {
	out := make([]string, len(Forms))
	for i := range Forms {
		out[i] = Forms[i].Name
	}
	return out
}

// FormOf is the form of a name. Its error says which there are.
func FormOf(name string) (*Form, error) {
	i := slices.IndexFunc(Forms, func(f Form) bool { return f.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("there is no form to export in %q%s; there are %s", name, plan.Meant(name, FormNames()),
			strings.Join(FormNames(), ", "))
	}
	return &Forms[i], nil
}

// Sheets chooses those to hand over by name, and of one alone the columns; what is not named is as usual.
func (f *Form) Sheets(all []Sheet, names, columns []string) ([]Sheet, error) {
	sheets, err := Choose(all, names, f.Usual)
	switch {
	case err != nil:
		return nil, err
	case f.Takes == One && len(sheets) > 1:
		return nil, fmt.Errorf("%s holds one sheet; name one, such as fixes", strings.ToUpper(f.Name))
	case len(columns) == 0:
		return sheets, nil
	case len(sheets) > 1:
		return nil, errors.New("columns are chosen of one sheet; name it by sheets, such as pages")
	}
	sheets[0], err = sheets[0].Pick(columns)
	return sheets, err
}
