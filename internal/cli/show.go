package cli

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/oapi-codegen/runtime/types"

	"harvik/internal/api"
	"harvik/internal/core/check"
	numbers "harvik/internal/core/text"
)

// signs are those of severities, by name.
var signs = map[string]string{
	check.Error.String():   check.Error.Sign(),
	check.Warning.String(): check.Warning.Sign(),
	check.Notice.String():  check.Notice.Sign(),
}

// colours of the severities, on a terminal only, besides the sign.
var colours = map[string]string{"error": mulberry, "warning": ochre, "notice": slate}

// The palette, in tones that read on light and dark grounds.
const (
	pine     = "38;5;29"
	mulberry = "38;5;132"
	ochre    = "38;5;136"
	slate    = "38;5;67"
)

func sign(w io.Writer, s api.Severity) string {
	if isTerminal(w) {
		return painted(colours[s], signs[s])
	}
	return signs[s]
}

func bold(w io.Writer, s string) string {
	if isTerminal(w) {
		return painted(codeBold, s)
	}
	return s
}

func faint(w io.Writer, s string) string {
	if isTerminal(w) {
		return painted(codeFaint, s)
	}
	return s
}

// newTable is a table without lines: columns two spaces apart, headings faint. Right names
// the columns that hold numbers, from 1.
func newTable(w io.Writer, heads []string, right ...int) table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(w)
	t.SetStyle(table.Style{
		Box: table.BoxStyle{PaddingRight: "  "}, Format: table.FormatOptions{},
		Options: table.OptionsNoBordersAndSeparators,
	})
	row := make(table.Row, len(heads))
	for i, h := range heads {
		row[i] = faint(w, h)
	}
	t.AppendHeader(row)
	var configs []table.ColumnConfig
	for _, n := range right {
		configs = append(configs, table.ColumnConfig{Number: n, Align: text.AlignRight, AlignHeader: text.AlignRight,
			AlignFooter: text.AlignRight})
	}
	t.SetColumnConfigs(configs)
	t.SuppressTrailingSpaces()
	return t
}

// middle shortens a text in its middle to n characters.
func middle(s string, n int) string {
	if utf8.RuneCountInString(s) <= n || n < 8 {
		return s
	}
	r := []rune(s)
	tail := n / 3
	return string(r[:n-tail-1]) + "…" + string(r[len(r)-tail:])
}

// end shortens a text at its end.
func end(s string, n int) string {
	if r := []rune(s); len(r) > n && n > 1 {
		return string(r[:n-1]) + "…"
	}
	return s
}

// printMore says how many lines a list was cut by, if it was.
func printMore(w io.Writer, shown, total int) {
	if n := total - shown; n > 0 {
		fmt.Fprintf(w, "\n%s more; --limit %d shows them all.\n", numbers.Thousands(n), total)
	}
}

// wrap breaks a text into lines of at most width characters.
func wrap(w io.Writer, indent, s string) {
	fmt.Fprintln(w, indentLines(indent, text.WrapSoft(s, columns(w)-len(indent)-2)))
}

func indentLines(indent, s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		lines[i] = indent + strings.TrimRight(l, " ")
	}
	return strings.Join(lines, "\n")
}

// dayText is a day; "" for none.
func dayText(d types.Date) string {
	if d.IsZero() {
		return ""
	}
	return d.String()
}

func points(f float64) string { return strconv.FormatFloat(f, 'f', 1, 64) }

// gain shows what a fix brings; a small one is not shown as nothing.
func gain(f float64) string {
	if f > 0 && f < 0.005 {
		return "<0.01"
	}
	return "+" + strconv.FormatFloat(f, 'f', 2, 64)
}
