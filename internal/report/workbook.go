package report

import (
	"context"
	"fmt"
	"io"
	"time"

	"harvik/internal/core/column"

	"github.com/klauspost/compress/zip"
	"github.com/xuri/excelize/v2"
)

// Bounds of the workbook. The first two are the file format's (ECMA-376 as Excel reads it).
const (
	maxRows    = 1 << 20 // of a sheet, its heading included
	maxAddress = 2079    // characters of what a link leads to
	maxLinks   = 5_000   // addresses of a sheet that are links; beyond, they are text
)

// Workbook writes sheets as an Office Open XML workbook. A sheet with more rows than the format allows
// goes on in another.
func Workbook(ctx context.Context, w io.Writer, sheets []Sheet) error {
	return workbook(ctx, w, sheets, maxRows)
}

func workbook(ctx context.Context, w io.Writer, sheets []Sheet, rows int) (err error) {
	f := excelize.NewFile()
	defer func() {
		if closed := f.Close(); err == nil {
			err = closed
		}
	}()
	b := &book{file: f, rows: rows}
	if err := b.styles(); err != nil {
		return err
	}
	for _, s := range sheets {
		if err := b.sheet(ctx, s); err != nil {
			return fmt.Errorf("sheet %q: %w", s.Name, err)
		}
	}
	// as it comes: the library would make the whole file in memory first
	f.SetZipWriter(func(io.Writer) excelize.ZipWriter { return zip.NewWriter(w) })
	_, err = f.WriteTo(io.Discard)
	return err
}

type book struct {
	file  *excelize.File
	rows  int
	count int // sheets made
	head  int
	style [column.YesNo + 1]int
	link  int

	// of the sheet being written
	out   *excelize.StreamWriter
	name  string
	part  int
	row   int
	links int
}

// Colours of the workbook: those of Harvik's light ground.
const (
	inkPine   = "1F4D3F"
	groundRow = "EFEAE0"
)

func (b *book) styles() (err error) {
	add := func(s *excelize.Style) int {
		var id int
		if err == nil {
			id, err = b.file.NewStyle(s)
		}
		return id
	}
	top := &excelize.Alignment{Vertical: "top"}
	number, decimal, moment := "#,##0", "#,##0.00", "yyyy-mm-dd hh:mm"
	b.head = add(&excelize.Style{
		Font:      &excelize.Font{Bold: true, Color: inkPine},
		Fill:      excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{groundRow}},
		Border:    []excelize.Border{{Type: "bottom", Style: 1, Color: inkPine}},
		Alignment: &excelize.Alignment{Vertical: "center", WrapText: true},
	})
	b.style[column.Words] = add(&excelize.Style{Alignment: top})
	b.style[column.Whole] = add(&excelize.Style{Alignment: top, CustomNumFmt: &number})
	b.style[column.Decimal] = add(&excelize.Style{Alignment: top, CustomNumFmt: &decimal})
	b.style[column.Moment] = add(&excelize.Style{Alignment: top, CustomNumFmt: &moment})
	b.style[column.Address], b.style[column.YesNo] = b.style[column.Words], b.style[column.Words]
	b.link = add(&excelize.Style{Alignment: top, Font: &excelize.Font{Color: inkPine, Underline: "single"}})
	return err
}

func (b *book) sheet(ctx context.Context, s Sheet) error {
	b.part = 0
	if err := b.begin(s); err != nil {
		return err
	}
	line := make([]any, len(s.Columns))
	err := s.Each(ctx, func(cells []any) error {
		if b.row == b.rows {
			if err := b.end(s); err != nil {
				return err
			}
			if err := b.begin(s); err != nil {
				return err
			}
		}
		b.row++
		for i, c := range cells {
			line[i] = b.cell(i, s.Columns[i].Kind, c)
		}
		return b.out.SetRow(fmt.Sprintf("A%d", b.row), line)
	})
	if err != nil {
		return err
	}
	return b.end(s)
}

// begin opens a sheet, or the next part of one.
func (b *book) begin(s Sheet) (err error) {
	b.part++
	b.name = s.Name
	if b.part > 1 {
		b.name = fmt.Sprintf("%s %d", s.Name, b.part)
	}
	if b.count++; b.count == 1 {
		err = b.file.SetSheetName("Sheet1", b.name)
	} else {
		_, err = b.file.NewSheet(b.name)
	}
	if err != nil {
		return err
	}
	b.links = 0
	if b.out, err = b.file.NewStreamWriter(b.name); err != nil {
		return err
	}
	for i, c := range s.Columns {
		if err := b.out.SetColWidth(i+1, i+1, c.Width); err != nil {
			return err
		}
	}
	if err := b.out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	head := make([]any, len(s.Columns))
	for i, c := range s.Columns {
		head[i] = excelize.Cell{StyleID: b.head, Value: c.Name}
	}
	b.row = 1
	return b.out.SetRow("A1", head, excelize.RowOpts{Height: 20})
}

// end closes it.
func (b *book) end(s Sheet) error {
	last, err := excelize.CoordinatesToCellName(len(s.Columns), b.row)
	if err != nil {
		return err
	}
	if err := b.file.AutoFilter(b.name, "A1:"+last, nil); err != nil {
		return err
	}
	return b.out.Flush()
}

// cell is a value as it is written. Text is always text, whatever it begins with.
func (b *book) cell(at int, kind column.Kind, value any) any {
	switch v := value.(type) {
	case nil:
		return nil
	case int:
		return excelize.Cell{StyleID: b.style[column.Whole], Value: v}
	case float64:
		return excelize.Cell{StyleID: b.style[column.Decimal], Value: v}
	case bool:
		value = Plain(v)
	case time.Time:
		value = v.UTC()
	case string:
		if kind == column.Address && v != "" && len(v) <= maxAddress && b.links < maxLinks {
			name, err := excelize.CoordinatesToCellName(at+1, b.row)
			if err == nil && b.file.SetCellHyperLink(b.name, name, v, "External") == nil {
				b.links++
				return excelize.Cell{StyleID: b.link, Value: value}
			}
		}
		return excelize.Cell{StyleID: b.style[column.Words], Value: value}
	}
	return excelize.Cell{StyleID: b.style[kind], Value: value}
}
