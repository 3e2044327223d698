package report

import (
	"bufio"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"harvik/internal/core/text"
)

// CSV writes one sheet by RFC 4180, in UTF-8. A text that a spreadsheet would take for a formula gets an
// apostrophe before it.
func CSV(ctx context.Context, w io.Writer, s Sheet) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	line := make([]string, len(s.Columns))
	for i, c := range s.Columns {
		line[i] = Safe(c.Name)
	}
	if err := out.Write(line); err != nil {
		return err
	}
	err := s.Each(ctx, func(cells []any) error {
		for i, c := range cells {
			line[i] = Plain(c)
		}
		return out.Write(line)
	})
	out.Flush()
	if err != nil {
		return err
	}
	return out.Error()
}

// Plain is a cell as text that no spreadsheet takes for a formula.
func Plain(cell any) string {
	switch v := cell.(type) {
	case int, float64:
		return plain(v)
	}
	return Safe(plain(cell))
}

// plain is a cell as text.
func plain(cell any) string {
	switch v := cell.(type) {
	case nil:
		return ""
	case string:
		return v
	case int:
		return strconv.Itoa(v)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case bool:
		return text.YesNo(v)
	case time.Time:
		return v.UTC().Format(time.RFC3339)
	}
	return fmt.Sprint(cell)
}

// Safe keeps a spreadsheet from taking a text for a formula.
func Safe(s string) string {
	if s != "" && strings.IndexByte("=+-@\t\r", s[0]) >= 0 {
		if _, err := strconv.ParseFloat(s, 64); err != nil {
			return "'" + s
		}
	}
	return s
}

// JSONLines writes each row as an object of its own, its keys the headings in the order of the
// columns. Where there are several sheets, "sheet" comes first.
func JSONLines(ctx context.Context, w io.Writer, sheets []Sheet) error {
	out := bufio.NewWriterSize(w, 1<<16)
	for _, s := range sheets {
		keys := make([][]byte, len(s.Columns))
		for i, c := range s.Columns {
			keys[i], _ = json.Marshal(c.Name)
		}
		var line []byte
		err := s.Each(ctx, func(cells []any) (err error) {
			line = append(line[:0], '{')
			if len(sheets) > 1 {
				line = fmt.Appendf(line, `"sheet":%q,`, s.Name)
			}
			for i, c := range cells {
				if i > 0 {
					line = append(line, ',')
				}
				line = append(append(line, keys[i]...), ':')
				if line, err = appendJSON(line, c); err != nil {
					return err
				}
			}
			_, err = out.Write(append(line, '}', '\n'))
			return err
		})
		if err != nil {
			return err
		}
	}
	return out.Flush()
}

// appendJSON writes a cell. Most are words, numbers and empty ones, for which there is a shorter way.
func appendJSON(line []byte, cell any) ([]byte, error) {
	switch v := cell.(type) {
	case nil:
		return append(line, "null"...), nil
	case bool:
		return strconv.AppendBool(line, v), nil
	case int:
		return strconv.AppendInt(line, int64(v), 10), nil
	case string:
		if line, err := jsontext.AppendQuote(line, v); err == nil {
			return line, nil
		}
	}
	data, err := json.Marshal(cell) // which takes what is no UTF-8, too
	return append(line, data...), err
}
