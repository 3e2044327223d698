package report

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

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
		var line bytes.Buffer
		values := json.NewEncoder(&line)
		values.SetEscapeHTML(false)
		err := s.Each(ctx, func(cells []any) error {
			line.Reset()
			line.WriteByte('{')
			if len(sheets) > 1 {
				fmt.Fprintf(&line, `"sheet":%q,`, s.Name)
			}
			for i, c := range cells {
				if i > 0 {
					line.WriteByte(',')
				}
				line.Write(keys[i])
				line.WriteByte(':')
				if err := values.Encode(c); err != nil {
					return err
				}
				line.Truncate(line.Len() - 1) // the newline that Encode adds
			}
			line.WriteString("}\n")
			_, err := out.Write(line.Bytes())
			return err
		})
		if err != nil {
			return err
		}
	}
	return out.Flush()
}
