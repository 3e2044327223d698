package report

import (
	"bytes"
	"context"
	"errors"
	"io"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/column"

	"github.com/parquet-go/parquet-go"
)

// rowsOf reads a Parquet file as a program would.
func rowsOf(t *testing.T, data []byte) (*parquet.File, []parquet.Row) {
	t.Helper()
	f, err := parquet.OpenFile(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var out []parquet.Row
	for _, g := range f.RowGroups() {
		rows := g.Rows()
		defer rows.Close()
		for {
			batch := make([]parquet.Row, 1000)
			n, err := rows.ReadRows(batch)
			for _, r := range batch[:n] {
				out = append(out, r.Clone())
			}
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	return f, out
}

func TestParquet(t *testing.T) {
	var b bytes.Buffer
	if err := writeParquet(t.Context(), &b, hostile(20), 8); err != nil {
		t.Fatal(err)
	}
	f, rows := rowsOf(t, b.Bytes())
	var names []string
	for _, c := range f.Root().Columns() {
		names = append(names, c.Name()+" "+c.Type().String())
	}
	want := "text STRING, address STRING, points DOUBLE, count INT(64,true), yes BOOLEAN, " +
		"at TIMESTAMP(isAdjustedToUTC=true,unit=MILLIS)"
	if got := strings.Join(names, ", "); got != want {
		t.Errorf("columns %s\nwant    %s", got, want)
	}
	if len(rows) != 20 || len(f.RowGroups()) != 3 {
		t.Fatalf("%d rows in %d groups", len(rows), len(f.RowGroups()))
	}
	first := rows[0]
	if first[0].String() != "=1+1" || first[2].Double() != 1.5 || first[3].Int64() != 0 || !first[4].Boolean() ||
		first[5].Int64() != 0 {
		t.Errorf("the first row is %v", first)
	}
	if last := rows[len(rows)-1]; last[3].Int64() != 19 {
		t.Errorf("the last row is %v", last)
	}
}

func TestParquetCells(t *testing.T) {
	moment := time.Date(2026, 3, 1, 12, 0, 0, 5e6, time.FixedZone("", 3600))
	sheet := func(kind column.Kind, cells ...any) Sheet {
		return Sheet{Name: "one", Columns: []Column{{"health, after", kind, 8}},
			Each: func(_ context.Context, row func([]any) error) error {
				for _, c := range cells {
					if err := row([]any{c}); err != nil {
						return err
					}
				}
				return nil
			}}
	}
	for _, test := range []struct {
		kind  column.Kind
		cells []any
		want  string
	}{
		{column.Words, []any{"=x", nil, "", 7, 1.25, true}, "=x,<null>,,7,1.25,yes"},
		{column.Whole, []any{1, nil, -2}, "1,<null>,-2"},
		{column.Decimal, []any{1, nil, 0.5}, "1,<null>,0.5"},
		{column.YesNo, []any{false, nil, true}, "false,<null>,true"},
		{column.Moment, []any{moment, nil}, "1772362800005,<null>"},
	} {
		var b bytes.Buffer
		if err := Parquet(t.Context(), &b, sheet(test.kind, test.cells...)); err != nil {
			t.Errorf("%v: %v", test.cells, err)
			continue
		}
		_, rows := rowsOf(t, b.Bytes())
		var got []string
		for _, r := range rows {
			got = append(got, r[0].String())
		}
		if strings.Join(got, ",") != test.want {
			t.Errorf("%s %v came back as %v", test.kind, test.cells, got)
		}
	}
	err := Parquet(t.Context(), io.Discard, sheet(column.Whole, "seven"))
	if err == nil || !strings.Contains(err.Error(), `column "health, after": seven (string) where cells of the kind whole`) {
		t.Errorf("a text among numbers: %v", err)
	}
}
