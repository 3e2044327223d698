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
	"unicode/utf8"

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
	Name string
	Kind Kind
	Rows int // that have a value
}

// A Table is a file that has been looked through once: its columns and what kind each is. Its rows are read
// again, one by one, so that it need not be held.
type Table struct {
	Address string   // heading of the column with the addresses
	Columns []Column // the others
	Faults  []Fault  // lines that were left out, the first MaxFaults of them
	More    int      // how many others were

	in      io.ReadSeeker
	home    weburl.URL
	address int // its column
	width   int
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
	Line   int
	Reason string
}

// Bounds of a file.
const (
	MaxColumns = 64      // figures
	MaxFaults  = 1000    // that are told apart
	maxLine    = 1 << 20 // bytes of a line
	maxCell    = 2000    // bytes of a text that is kept
	maxAddress = 8000    // bytes: longer addresses are not crawled
)

// names are headings that mean the address.
var names = []string{"address", "url", "page", "link", "landing page", "page path", "path", "page address", "adresse",
	"seite"}

// Read looks through a table whose addresses are absolute or relative to the home page. The first line holds
// the headings; cells are parted by commas, semicolons or tabs.
func Read(in io.ReadSeeker, home weburl.URL) (*Table, error) {
	t := &Table{in: in, home: home}
	var kinds []kindOf
	err := t.records(func(heads []string) error {
		kinds = make([]kindOf, len(heads))
		for i, h := range heads {
			heads[i] = strings.Join(strings.Fields(h), " ")
		}
		t.width = len(heads)
		return t.layOut(heads)
	}, func(_ int, record []string) error {
		for i := range kinds {
			if i < len(record) {
				kinds[i].take(record[i])
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	k := 0
	for i := range kinds {
		if i != t.address {
			t.Columns[k].Kind = kinds[i].kind()
			k++
		}
	}
	t.Faults, t.More = nil, 0 // Each tells them
	return t, nil
}

// Each calls f with every row, and counts what columns have and which lines are left out.
func (t *Table) Each(f func(Row) error) error {
	t.Faults, t.More = nil, 0
	for i := range t.Columns {
		t.Columns[i].Rows = 0
	}
	return t.records(func([]string) error { return nil }, func(line int, record []string) error {
		row, ok := t.row(record, line)
		if !ok {
			return nil
		}
		return f(row)
	})
}

// errLong is a line without end.
var errLong = fmt.Errorf("a line is longer than %d bytes: is a quotation mark missing?", maxLine)

// records reads the file from its beginning: the headings, then line after line. What is given is read over
// by the next.
func (t *Table) records(head func([]string) error, each func(line int, record []string) error) error {
	if _, err := t.in.Seek(0, io.SeekStart); err != nil {
		return err
	}
	lines := &measured{r: t.in}
	b := bufio.NewReader(lines)
	if mark, _ := b.Peek(3); bytes.Equal(mark, []byte("\xEF\xBB\xBF")) {
		_, _ = b.Discard(3)
	}
	first, err := b.Peek(4096)
	if len(first) == 0 {
		return fmt.Errorf("the file is empty: it needs a line of headings, one of them for the address")
	}
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return err
	}
	r := csv.NewReader(b)
	r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.ReuseRecord = comma(first), -1, true, true
	for heads := true; ; heads = false {
		lines.since = 0
		record, err := r.Read()
		var syntax *csv.ParseError
		switch {
		case heads && err != nil:
			return fmt.Errorf("the line of headings cannot be read: %w", err)
		case errors.Is(err, io.EOF):
			return nil
		case errors.As(err, &syntax) && !errors.Is(err, errLong):
			t.fault(syntax.StartLine, err.Error())
			continue
		case err != nil:
			return err
		}
		line, _ := r.FieldPos(0)
		if heads {
			err = head(slices.Clone(record))
		} else {
			err = each(line, record)
		}
		if err != nil {
			return err
		}
	}
}

// measured is a reader that fails where too much is read at a stretch.
type measured struct {
	r     io.Reader
	since int
}

func (m *measured) Read(p []byte) (int, error) {
	if m.since > maxLine {
		return 0, errLong
	}
	n, err := m.r.Read(p)
	m.since += n
	return n, err
}

func (t *Table) fault(line int, reason string) {
	if len(t.Faults) < MaxFaults {
		t.Faults = append(t.Faults, Fault{line, reason})
	} else {
		t.More++
	}
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

// layOut finds the column of addresses by its heading, or else by what the first line holds.
func (t *Table) layOut(heads []string) (err error) {
	t.address = -1
	for i, h := range heads {
		if slices.Contains(names, strings.ToLower(h)) {
			t.address = i
			break
		}
	}
	if t.address < 0 {
		t.address = t.lookForAddress()
	}
	if t.address < 0 {
		return fmt.Errorf("no column holds addresses: the headings are %s; name the right one \"address\"",
			shown(strings.Join(heads, ", ")))
	}
	t.Address = heads[t.address]
	seen := map[string]bool{}
	for i, h := range heads {
		if i == t.address {
			continue
		}
		name := strings.ToLower(h)
		if name == "" || seen[name] {
			return fmt.Errorf("column %d has the heading %q, which is empty or taken: give each figure a name of its own", i+1, shown(h))
		}
		if len(name) > 100 || strings.IndexFunc(name, unicode.IsControl) >= 0 || !utf8.ValidString(name) {
			return fmt.Errorf("column %d has the heading %q: give it a name of at most 100 characters, all of them readable", i+1, shown(h))
		}
		seen[name] = true
		t.Columns = append(t.Columns, Column{Name: name})
		if len(t.Columns) > MaxColumns {
			return fmt.Errorf("there are %d figures, and at most %d at once can be taken", len(heads)-1, MaxColumns)
		}
	}
	if len(t.Columns) == 0 {
		return fmt.Errorf("there is no column besides %q, so there are no figures", shown(t.Address))
	}
	return nil
}

// lookForAddress is the first column whose first value looks like an address, −1 for none. The file is read
// on from where it stands.
func (t *Table) lookForAddress() int {
	at := -1
	found := errors.New("found")
	here, err := t.in.Seek(0, io.SeekCurrent)
	if err != nil {
		return -1
	}
	second := *t
	_ = second.records(func([]string) error { return nil }, func(_ int, record []string) error {
		at = slices.IndexFunc(record[:min(len(record), t.width)], looksLikeAddress)
		return found
	}) // a file that cannot be read is told of when it is read on
	if _, err := t.in.Seek(here, io.SeekStart); err != nil {
		return -1
	}
	return at
}

func shown(s string) string {
	if len(s) > 200 {
		s = s[:200] + "…"
	}
	return strings.ToValidUTF8(s, "\uFFFD")
}

func looksLikeAddress(s string) bool {
	return strings.HasPrefix(s, "/") || strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://")
}

// kindOf is what all cells of a column so far can be read as.
type kindOf struct{ text, percent, number bool }

func (k *kindOf) take(cell string) {
	if k.text || strings.TrimSpace(cell) == "" {
		return
	}
	switch _, percent, ok := ParseNumber(cell); {
	case !ok:
		k.text = true
	case percent:
		k.percent = true
	default:
		k.number = true
	}
}

func (k *kindOf) kind() Kind {
	switch {
	case k.text, !k.percent && !k.number:
		return Text
	case k.percent:
		return Percent
	}
	return Number
}

// row is a line as a row; ok is false for one that is left out.
func (t *Table) row(record []string, line int) (row Row, ok bool) {
	if len(record) == 1 && strings.TrimSpace(record[0]) == "" {
		return row, false
	}
	if t.address >= len(record) {
		t.fault(line, fmt.Sprintf("has %d cells, and the address would be in number %d", len(record), t.address+1))
		return row, false
	}
	text := strings.TrimSpace(record[t.address])
	u, err := t.home.Parse(text)
	if err != nil || !u.IsHTTP() || text == "" || len(text) > maxAddress || !utf8.ValidString(text) {
		t.fault(line, fmt.Sprintf("%q is no address", shown(text)))
		return row, false
	}
	row = Row{Line: line, Address: u.Key(), Values: make([]Value, 0, len(t.Columns))}
	k := 0
	for i := range t.width {
		if i == t.address {
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
	return row, true
}

func valueOf(cell string, kind Kind) Value {
	cell = strings.TrimSpace(cell)
	switch {
	case cell == "":
		return Value{}
	case kind == Text:
		return Value{Known: true, Text: strings.ToValidUTF8(cell[:min(len(cell), maxCell)], "")}
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
	case comma < 0 && strings.Count(s, ".") > 1:
		s = strings.ReplaceAll(s, ".", "")
	case comma < point, point < 0 && comma > 0 && (strings.Count(s, ",") > 1 || len(s)-comma-1 == 3):
		s = strings.ReplaceAll(s, ",", "")
	default: // the comma, if there is one, is that of decimals
		s = strings.ReplaceAll(strings.ReplaceAll(s, ".", ""), ",", ".")
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
