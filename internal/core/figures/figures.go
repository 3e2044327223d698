// Package figures reads the consultant's own figures by address (visits, revenue, rank …) from CSV:
// any columns, in the forms in which spreadsheets and statistics write them.
package figures

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"harvik/internal/core/weburl"
)

// Kind of a column.
type Kind string

const (
	Number  Kind = "number"
	Percent Kind = "percent" // as a number from 0 to 100
	Text    Kind = "text"
)

// A Column is one figure.
type Column struct {
	Name string `json:"name"`
	Kind Kind   `json:"kind"`
	Rows int    `json:"rows"` // that have a value
}

// A Table is what was read.
type Table struct {
	Address string   // heading of the column with the addresses
	Columns []Column // the others
	Rows    []Row
	Faults  []Fault // lines that were left out
}

// A Row is an address with its values, one for each column.
type Row struct {
	Line    int
	Address string // absolute, normalised
	Values  []Value
}

// A Value is a figure. Known is false where the cell was empty.
type Value struct {
	Known  bool
	Number float64
	Text   string
}

// Fault is a line that could not be used.
type Fault struct {
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// MaxColumns bounds the figures of one file.
const MaxColumns = 64

// names are headings that mean the address.
var names = []string{"address", "url", "page", "link", "landing page", "page path", "path", "page address", "adresse", "seite"}

// Read reads a table whose addresses are absolute or relative to the home page. The first line holds
// the headings; cells are parted by commas, semicolons or tabs.
func Read(in io.Reader, home weburl.URL) (*Table, error) {
	b := bufio.NewReader(in)
	if mark, _ := b.Peek(3); bytes.Equal(mark, []byte("\xEF\xBB\xBF")) {
		_, _ = b.Discard(3)
	}
	first, err := b.Peek(4096)
	if len(first) == 0 {
		return nil, fmt.Errorf("the file is empty: it needs a line of headings, one of them for the address")
	}
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, err
	}
	r := csv.NewReader(b)
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = comma(first), -1, true
	heads, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("the line of headings cannot be read: %w", err)
	}
	var records [][]string
	var lines []int
	t := new(Table)
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := r.FieldPos(0)
		if err != nil {
			t.Faults = append(t.Faults, Fault{line, err.Error()})
			continue
		}
		records, lines = append(records, record), append(lines, line)
	}
	at, err := t.layOut(heads, records)
	if err != nil {
		return nil, err
	}
	for i, record := range records {
		t.row(record, lines[i], at, len(heads), home)
	}
	return t, nil
}

// comma is what most likely parts the cells of a file that begins like this.
func comma(first []byte) rune {
	line, _, _ := bytes.Cut(first, []byte("\n"))
	best, most := ',', bytes.Count(line, []byte(","))
	for _, c := range ";\t" {
		if n := bytes.Count(line, []byte(string(c))); n > most {
			best, most = c, n
		}
	}
	return best
}

// layOut finds the column of addresses and the kinds of the others.
func (t *Table) layOut(heads []string, records [][]string) (address int, err error) {
	address = -1
	for i, h := range heads {
		heads[i] = strings.Join(strings.Fields(h), " ")
		if address < 0 && slices.Contains(names, strings.ToLower(heads[i])) {
			address = i
		}
	}
	for i := 0; address < 0 && i < len(heads); i++ {
		if len(records) > 0 && i < len(records[0]) && looksLikeAddress(records[0][i]) {
			address = i
		}
	}
	if address < 0 {
		return 0, fmt.Errorf("no column holds addresses: the headings are %s; name the right one \"address\"", strings.Join(heads, ", "))
	}
	t.Address = heads[address]
	seen := map[string]bool{}
	for i, h := range heads {
		if i == address {
			continue
		}
		name := strings.ToLower(h)
		if name == "" || seen[name] {
			return 0, fmt.Errorf("column %d has the heading %q, which is empty or taken: give each figure a name of its own", i+1, h)
		}
		seen[name] = true
		t.Columns = append(t.Columns, Column{Name: name, Kind: kindOf(records, i)})
	}
	if len(t.Columns) == 0 {
		return 0, fmt.Errorf("there is no column besides %q, so there are no figures", t.Address)
	}
	if len(t.Columns) > MaxColumns {
		return 0, fmt.Errorf("there are %d figures, and at most %d at once can be taken", len(t.Columns), MaxColumns)
	}
	return address, nil
}

func looksLikeAddress(s string) bool {
	return strings.HasPrefix(s, "/") || strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://")
}

// kindOf is what all cells of a column can be read as.
func kindOf(records [][]string, column int) Kind {
	kind := Kind("")
	for _, r := range records {
		if column >= len(r) || strings.TrimSpace(r[column]) == "" {
			continue
		}
		_, percent, ok := ParseNumber(r[column])
		switch {
		case !ok:
			return Text
		case percent:
			kind = Percent
		case kind == "":
			kind = Number
		}
	}
	if kind == "" {
		return Text
	}
	return kind
}

func (t *Table) row(record []string, line, address, width int, home weburl.URL) {
	if len(record) == 1 && strings.TrimSpace(record[0]) == "" {
		return
	}
	if address >= len(record) {
		t.Faults = append(t.Faults, Fault{line, fmt.Sprintf("has %d cells, and the address would be in number %d", len(record), address+1)})
		return
	}
	u, err := home.Parse(strings.TrimSpace(record[address]))
	if err != nil || !u.IsHTTP() || strings.TrimSpace(record[address]) == "" {
		t.Faults = append(t.Faults, Fault{line, fmt.Sprintf("%q is no address", record[address])})
		return
	}
	row := Row{Line: line, Address: u.Key()}
	k := 0
	for i := range width {
		if i == address {
			continue
		}
		v := Value{}
		if i < len(record) {
			v = valueOf(record[i], t.Columns[k].Kind)
		}
		if v.Known {
			t.Columns[k].Rows++
		}
		row.Values = append(row.Values, v)
		k++
	}
	t.Rows = append(t.Rows, row)
}

func valueOf(cell string, kind Kind) Value {
	cell = strings.TrimSpace(cell)
	switch {
	case cell == "":
		return Value{}
	case kind == Text:
		return Value{Known: true, Text: cell}
	}
	n, _, _ := ParseNumber(cell)
	return Value{Known: true, Number: n}
}

// ParseNumber reads a number as people write it: "1,234.5", "1 234,5", "12 %", "€ 9.90", "(5)" for −5.
// Where one comma or point parts the digits, three digits after a comma make it one of thousands, and
// a point is always one of decimals.
func ParseNumber(s string) (n float64, percent, ok bool) {
	s = strings.TrimSpace(s)
	if inner, cut := strings.CutPrefix(s, "("); cut {
		s = "-" + strings.TrimSuffix(inner, ")")
	}
	if rest, cut := strings.CutSuffix(s, "%"); cut {
		s, percent = rest, true
	}
	s = strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) || r == '\'' || r == '\u2019' || unicode.Is(unicode.Sc, r) {
			return -1
		}
		if r == '\u2212' {
			return '-'
		}
		return r
	}, s)
	if s == "" || strings.Trim(s, "0123456789.,-+eE") != "" || strings.IndexFunc(s, unicode.IsDigit) < 0 {
		return 0, false, false
	}
	comma, point := strings.LastIndexByte(s, ','), strings.LastIndexByte(s, '.')
	switch {
	case comma >= 0 && point >= 0 && comma > point:
		s = strings.ReplaceAll(strings.ReplaceAll(s, ".", ""), ",", ".")
	case comma >= 0 && point < 0 && (strings.Count(s, ",") > 1 || len(s)-comma-1 == 3):
		s = strings.ReplaceAll(s, ",", "")
	case comma >= 0 && point < 0:
		s = strings.ReplaceAll(s, ",", ".")
	case strings.Count(s, ".") > 1:
		s = strings.ReplaceAll(s, ".", "")
	default:
		s = strings.ReplaceAll(s, ",", "")
	}
	n, err := strconv.ParseFloat(s, 64)
	return n, percent, err == nil
}

// Loose is an address without what differs between tools for the same page: scheme, www. and a slash
// at the end.
func Loose(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	rest = strings.TrimPrefix(rest, "www.")
	path, query, has := strings.Cut(rest, "?")
	path = strings.TrimSuffix(path, "/")
	if has {
		return path + "?" + query
	}
	return path
}
