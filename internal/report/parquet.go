package report

import (
	"context"
	"fmt"
	"io"
	"time"

	"harvik/internal/core/column"

	"github.com/parquet-go/parquet-go"
)

// groupRows are the rows of a group of a Parquet file: so many are in memory at once.
const groupRows = 1 << 16

// Parquet writes one sheet as an Apache Parquet file: a column each under its name, all of them optional,
// compressed by Zstandard. Words stand once in a dictionary; moments are UTC, in milliseconds. Texts are as they
// are: no program takes one for a formula here.
func Parquet(ctx context.Context, w io.Writer, s Sheet) error {
	return writeParquet(ctx, w, s, groupRows)
}

func writeParquet(ctx context.Context, w io.Writer, s Sheet, rows int64) error {
	out := parquet.NewGenericWriter[any](w, schemaOf(s), parquet.MaxRowsPerRowGroup(rows))
	line := make(parquet.Row, len(s.Columns))
	err := s.Each(ctx, func(cells []any) error {
		for i, c := range cells {
			value, err := parquetValue(s.Columns[i].Kind, c)
			if err != nil {
				return fmt.Errorf("column %q: %w", s.Columns[i].Name, err)
			}
			line[i] = value.Level(0, 1, i)
			if c == nil {
				line[i] = value.Level(0, 0, i)
			}
		}
		_, err := out.WriteRows([]parquet.Row{line})
		return err
	})
	if err != nil {
		return err
	}
	return out.Close()
}

// inOrder is a group whose columns stand as they do in the sheet; the library sorts them by name.
type inOrder struct {
	parquet.Group
	fields []parquet.Field
}

func (g *inOrder) Fields() []parquet.Field { return g.fields }

func schemaOf(s Sheet) *parquet.Schema {
	group := parquet.Group{}
	for _, c := range s.Columns {
		group[c.Name] = parquet.Optional(parquet.Compressed(nodeOf(c.Kind), &parquet.Zstd))
	}
	fields := map[string]parquet.Field{}
	for _, f := range group.Fields() {
		fields[f.Name()] = f
	}
	root := &inOrder{Group: group}
	for _, c := range s.Columns {
		root.fields = append(root.fields, fields[c.Name])
	}
	return parquet.NewSchema(s.Name, root)
}

func nodeOf(kind column.Kind) parquet.Node {
	switch kind {
	case column.Whole:
		return parquet.Int(64)
	case column.Decimal:
		return parquet.Leaf(parquet.DoubleType)
	case column.Moment:
		return parquet.Timestamp(parquet.Millisecond)
	case column.YesNo:
		return parquet.Leaf(parquet.BooleanType)
	}
	return parquet.Encoded(parquet.String(), &parquet.RLEDictionary)
}

// parquetValue is a cell of a column of a kind.
func parquetValue(kind column.Kind, cell any) (parquet.Value, error) {
	switch v := cell.(type) {
	case nil:
		return parquet.NullValue(), nil
	case int:
		switch kind {
		case column.Whole:
			return parquet.Int64Value(int64(v)), nil
		case column.Decimal:
			return parquet.DoubleValue(float64(v)), nil
		}
	case float64:
		if kind == column.Decimal {
			return parquet.DoubleValue(v), nil
		}
	case time.Time:
		if kind == column.Moment {
			return parquet.Int64Value(v.UnixMilli()), nil
		}
	case bool:
		if kind == column.YesNo {
			return parquet.BooleanValue(v), nil
		}
	case string:
		if kind == column.Words || kind == column.Address {
			return parquet.ByteArrayValue([]byte(v)), nil
		}
	}
	if kind == column.Words { // of a column of several kinds
		return parquet.ByteArrayValue([]byte(plain(cell))), nil
	}
	return parquet.Value{}, fmt.Errorf("%v (%T) where cells of the kind %s stand", cell, cell, kind)
}
