package report

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/xuri/excelize/v2"

	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/gate"
	"harvik/internal/record"
)

// hostile is a sheet of cells that could do harm.
func hostile(rows int) Sheet {
	return Sheet{
		Name: "cells", Columns: []Column{words("text", 20), address("address", 30), decimal("points"), whole("count"),
			{"yes", column.YesNo, 8}, {"at", column.Moment, 18}},
		Each: func(_ context.Context, row func([]any) error) error {
			for i := range rows {
				text := []string{"=1+1", "+44", "-x", "@SUM(A1)", "\tx", "a\x00\x0b\"<&>,\n",
					strings.Repeat("long ", 10_000), ""}[i%8]
				if err := row([]any{text, fmt.Sprintf("https://fernhollow.example/%d?a=1&b=\"", i), 1.5, i, i%2 == 0,
					time.Unix(0, 0)}); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

func TestWorkbook(t *testing.T) {
	var b bytes.Buffer
	if err := workbook(t.Context(), &b, []Sheet{hostile(20)}, 8); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if got := strings.Join(f.GetSheetList(), ","); got != "cells,cells 2,cells 3" {
		t.Fatalf("sheets %s", got)
	}
	total := 0
	for _, name := range f.GetSheetList() {
		rows, err := f.GetRows(name)
		if err != nil || rows[0][0] != "text" {
			t.Fatalf("%s begins with %q (%v)", name, rows[0], err)
		}
		total += len(rows) - 1
	}
	if total != 20 {
		t.Errorf("%d rows", total)
	}
	for i, want := range []string{"=1+1", "+44", "-x", "@SUM(A1)"} {
		at := fmt.Sprintf("A%d", i+2)
		value, _ := f.GetCellValue("cells", at)
		formula, _ := f.GetCellFormula("cells", at)
		if kind, _ := f.GetCellType("cells", at); value != want || formula != "" || kind == excelize.CellTypeFormula {
			t.Errorf("%s holds %q, formula %q, of type %v", at, value, formula, kind)
		}
	}
	if long, err := f.GetCellValue("cells", "A8"); err != nil || len(long) != excelize.TotalCellChars {
		t.Errorf("a long text has %d characters (%v)", len(long), err)
	}
	if linked, to, _ := f.GetCellHyperLink("cells", "B2"); !linked || to != "https://fernhollow.example/0?a=1&b=\"" {
		t.Errorf("link %v %s", linked, to)
	}
}

// TestWorkbookStreams writes many rows and looks at what is in memory meanwhile.
func TestWorkbookStreams(t *testing.T) {
	most := uint64(0)
	s := Sheet{Name: "many", Columns: []Column{words("a", 10), address("b", 10)},
		Each: func(_ context.Context, row func([]any) error) error {
			for i := range 300_000 {
				if err := row([]any{"some words of a link",
					fmt.Sprintf("https://fernhollow.example/plants/%d/", i)}); err != nil {
					return err
				}
				if i%50_000 == 0 {
					var m runtime.MemStats
					runtime.GC()
					runtime.ReadMemStats(&m)
					most = max(most, m.HeapAlloc)
				}
			}
			return nil
		}}
	var size counter
	if err := Workbook(t.Context(), &size, []Sheet{s}); err != nil {
		t.Fatal(err)
	}
	if most > 100<<20 || size < 1<<20 {
		t.Errorf("%d MB in memory for a file of %d kB", most>>20, size>>10)
	}
}

type counter int

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

func TestLines(t *testing.T) {
	var b bytes.Buffer
	if err := CSV(t.Context(), &b, hostile(6)); err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{"'=1+1", "+44", "'-x", "'@SUM(A1)", "'\tx"} {
		if line := strings.Split(b.String(), "\r\n")[i+1]; !strings.HasPrefix(line, want+",") {
			t.Errorf("line %d is %q", i+1, line)
		}
	}
	b.Reset()
	if err := JSONLines(t.Context(), &b, []Sheet{hostile(7), hostile(1)}); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(b.String()), "\n")
	var last struct {
		Sheet, Text string
		Count       int
		Yes         bool
	}
	if err := json.Unmarshal([]byte(lines[5]), &last); err != nil || len(lines) != 8 || last.Sheet != "cells" ||
		last.Count != 5 || last.Yes || !strings.HasPrefix(last.Text, "a\x00") {
		t.Errorf("%d lines, %+v (%v)", len(lines), last, err)
	}
}

func TestPick(t *testing.T) {
	s, err := hostile(2).Pick([]string{"count", "text"})
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := CSV(t.Context(), &b, s); err != nil || b.String() != "count,text\r\n0,'=1+1\r\n1,+44\r\n" {
		t.Errorf("%q (%v)", b.String(), err)
	}
	if _, err := s.Pick([]string{"colour"}); err == nil || !strings.Contains(err.Error(), "it has count, text") {
		t.Error(err)
	}
	if _, err := Choose([]Sheet{s}, []string{"pages"}, nil); err == nil {
		t.Error("an unknown sheet is taken")
	}
}

// findings are a Source of nothing but findings.
type findings struct {
	Source
	list []record.PageFinding
}

func (f findings) EachFinding(_ context.Context, _ int64, _ []string, each func(*record.PageFinding) error) error {
	for i := range f.list {
		if err := each(&f.list[i]); err != nil {
			return err
		}
	}
	return nil
}

func (findings) Answers(context.Context, int64) (map[string]string, error) { return nil, nil }

func (findings) FigureSets(context.Context, int64) ([]record.FigureSet, error) { return nil, nil }

// TestBrokenLinks: of what is missing on each of many pages the usual sheet names a hundred places, and those of
// what is missing elsewhere all the same; the whole one names all.
func TestBrokenLinks(t *testing.T) {
	var from findings
	for i := range 150 {
		places := []check.Place{{Target: "https://fernhollow.example/logo.png"}}
		if i%50 == 49 {
			places = append(places, check.Place{Target: "https://fernhollow.example/map.png"})
		}
		from.list = append(from.list, record.PageFinding{
			Address: fmt.Sprintf("https://fernhollow.example/%d", i), Check: "image-broken", Places: places,
		})
	}
	all, err := Sheets(t.Context(), from, record.Site{}, record.Crawl{}, nil, Selection{})
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]int{"broken links": 103, "every broken link": 153} {
		chosen, err := Choose(all, []string{name}, nil)
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		if err := chosen[0].Each(t.Context(), func([]any) error { n++; return nil }); err != nil || n != want {
			t.Errorf("%s has %d rows, want %d (%v)", name, n, want, err)
		}
	}
}

// TestSARIF holds what is written to the schema of the OASIS standard.
func TestSARIF(t *testing.T) {
	catalog := []*check.Check{
		{ID: "title-long", Group: "snippet", Severity: check.Warning, Title: "title is long", What: "What.",
			Why: "Why.", How: "How."},
		{ID: "dead", Group: "links", Severity: check.Error, Title: "link is dead", What: "What.", Why: "Why.",
			How: "How."},
	}
	places := make([]check.Place, 9)
	for i := range places {
		places[i] = check.Place{Note: fmt.Sprintf("“note” %d <b>", i), Line: i + 1, Col: 3}
	}
	grave := check.Error // as the plan has it on that page
	from := findings{list: []record.PageFinding{
		{Address: "", Check: "dead", Count: 1,
			Places: []check.Place{{Note: "a sitemap", Target: "https://fernhollow.example/sitemap.xml", Line: 4}}},
		{Address: "https://fernhollow.example/a", Check: "dead", Count: 12, Places: places},
		{Address: "https://fernhollow.example/a", Check: "title-long", Count: 1, Places: []check.Place{{Note: "long"}}},
		{Address: "https://fernhollow.example/b", Check: "title-long", Severity: &grave, Count: 1},
		{Address: "https://fernhollow.example/b", Check: "unknown", Count: 1},
	}}
	run := Run{
		Crawl: record.Crawl{Site: "fernhollow", Number: 3, Home: "https://fernhollow.example/"}, Catalog: catalog,
		Waived: func(check, address string) (string, bool) {
			return "meant", check == "title-long" && strings.HasSuffix(address, "/a")
		},
		Failed: func(check, _ string) bool { return check == "dead" },
	}
	var b bytes.Buffer
	if err := SARIF(t.Context(), &b, from, run); err != nil {
		t.Fatal(err)
	}
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(b.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	if err := sarifSchema(t).Validate(value); err != nil {
		t.Errorf("the schema of SARIF says: %v", err)
	}
	log, err := sarif.FromBytes(b.Bytes())
	if err != nil || len(log.Runs) != 1 || len(log.Runs[0].Results) != 4 {
		t.Fatalf("%+v (%v)", log, err)
	}
	results := log.Runs[0].Results
	if uri := results[0].Locations[0].PhysicalLocation.ArtifactLocation.URI; *uri != "https://fernhollow.example/sitemap.xml" {
		t.Errorf("a finding about the site stands at %s", *uri)
	}
	if r := results[1]; len(r.Locations) != 5 || *r.OccurrenceCount != 12 ||
		!strings.HasSuffix(*r.Message.Text, "; and 7 more places") || r.Level != "error" ||
		*r.BaselineState != "unchanged" {
		t.Errorf("%d locations, %s", len(r.Locations), *r.Message.Text)
	}
	if r := results[2]; len(r.Suppressions) != 1 || *r.Suppressions[0].Justification != "meant" ||
		*r.BaselineState != "new" {
		t.Errorf("%+v", r)
	}
	if r := results[3]; r.Level != "error" || results[2].Level == "error" {
		t.Errorf("a title that the plan calls an error is of level %s, another %s", r.Level, results[2].Level)
	}
	run.Only = Selection{Severities: []check.Severity{check.Error}, Sections: []string{"/a"}}
	b.Reset()
	if err := SARIF(t.Context(), &b, from, run); err != nil || strings.Count(b.String(), `"ruleId"`) != 1 {
		t.Errorf("%s (%v)", b.String(), err)
	}
}

// sarifSchema takes the standard's schema from the source of a library that carries it.
func sarifSchema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/owenrumney/go-sarif/v3").Output()
	if err != nil {
		t.Fatal(err)
	}
	file, err := parser.ParseFile(token.NewFileSet(),
		filepath.Join(strings.TrimSpace(string(dir)), "pkg/report/v210/sarif/schema.go"), nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	text, err := strconv.Unquote(file.Decls[0].(*ast.GenDecl).Specs[0].(*ast.ValueSpec).Values[0].(*ast.BasicLit).Value)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("sarif.json", doc); err != nil {
		t.Fatal(err)
	}
	return c.MustCompile("sarif.json")
}

func TestJUnit(t *testing.T) {
	var b bytes.Buffer
	v := gate.Verdict{Reasons: []gate.Reason{{Name: "health", Passed: true, Says: "fine"},
		{Name: "dead & gone", Says: "3 > 0", Fixes: []string{"one", "two"}}}}
	if err := JUnit(&b, "fernhollow@3", v); err != nil {
		t.Fatal(err)
	}
	for _, part := range []string{`tests="2" failures="1"`, `<failure message="3 &gt; 0" type="condition">one`,
		`name="dead &amp; gone"`, "<system-out>fine</system-out>"} {
		if !strings.Contains(b.String(), part) {
			t.Errorf("no %s in %s", part, b.String())
		}
	}
}
