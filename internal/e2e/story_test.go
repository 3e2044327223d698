package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/report"
	"harvik/internal/testkit"
)

// TestStory works the list from the command line, from the first crawl to the hand-over.
func TestStory(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	s.ok("people name rowan")
	garden := demo.NewSeasons(demo.Spring)
	p := testkit.Garden(t, garden)
	s.ok("site add fernhollow " + demo.Home + " --allow 127.0.0.0/8")
	s.ok("plan set fernhollow steady=true --timeout 3s --retries 1 --parallel 8 --host fernhollow.example=" + p.Hosts[demo.Host] +
		" ca=" + strings.ReplaceAll(strconv.Quote(p.CA), " ", "\\x20") +
		` snippets=[{"name":"consent","contains":"` + demo.Consent + `"}]`)
	s.ok("work fernhollow", "Nobody has touched a fix yet")
	s.fails("trend nowhere", 1, `there is no site "nowhere"`)
	s.ok("trend fernhollow", "No finished crawl yet")
	s.fails("take fernhollow k7q2m4xa", 1, "no finished crawl")
	s.ok("crawl fernhollow", "health 85.")
	s.fails("drift fernhollow", 1, "no earlier crawl")
	s.fails("gate fernhollow --no-new error", 1, "first of this site")

	fix := func(words string) string {
		t.Helper()
		out, _, _ := s.run("fixes", "fernhollow", "--state", "all", "--json")
		var list struct{ Fixes []struct{ ID, Line string } }
		if err := json.Unmarshal([]byte(out), &list); err != nil {
			t.Fatal(err)
		}
		for _, f := range list.Fixes {
			if strings.Contains(f.Line, words) {
				return f.ID
			}
		}
		t.Fatalf("no line about %q", words)
		return ""
	}
	footer := fix("Footer link to /old-shop/")
	s.ok("take fernhollow "+footer+" --due 2027-03-31 --note footer", footer+"  taken", "for rowan · due 2027-03-31",
		"harvik undo fernhollow 1")
	s.ok("undo fernhollow 1", footer+"  open")
	s.ok("take fernhollow "+footer+" --for ash", "for ash")
	s.ok("claim fernhollow --check title-missing --note by-hand", "claimed  Title is missing")
	s.ok("fixes fernhollow --state claimed", "Title is missing", "claimed")
	s.ok("fixes fernhollow --for ash", "Footer link")
	s.fails("take fernhollow", 2, "which fixes?")
	s.fails("take fernhollow "+footer+" --check title-missing", 2, "not both")
	s.fails("take fernhollow "+footer+" --due soon", 1, `"soon" is no day`)
	s.fails("undo fernhollow x", 2, "no number")
	s.fails("waive fernhollow --check robots-blocks-linked", 2, "needs a --reason")
	s.fails("waive fernhollow --reason fine", 2, "what is to be waived?")
	s.ok("waive fernhollow --check robots-blocks-linked --reason meant",
		"Waiver 1 leaves robots-blocks-linked everywhere: 82 findings on 82 pages.", "with 82 findings that are waived")
	s.ok("waivers fernhollow", "meant", "for good", "holds")
	s.ok("fixes fernhollow --limit 1", "2 lines are waived and left out")
	s.ok("unwaive fernhollow 1", "counts again")
	s.ok("waive fernhollow --check robots-blocks-linked --reason meant")
	s.ok("claim fernhollow " + footer)

	out, _, code := s.run("recheck", "fernhollow", footer)
	if code != 3 || !strings.Contains(out, "✗ still there") || !strings.Contains(out, "a sample of 43") {
		t.Errorf("recheck in spring: exit code %d\n%s", code, out)
	}
	garden.Turn()
	s.ok("recheck fernhollow "+footer, "✓ confirmed", "with what was seen now in its place (+7",
		"Crawl 1 stays as it was.")
	s.ok("fix fernhollow "+footer+" --limit 1", "History", "recheck 2 of crawl 1  gone",
		"open → taken; for rowan; due 2027-03-31; footer")
	s.ok("crawl fernhollow", "health 9", "Confirmed to be gone: ")
	s.ok("drift fernhollow", "crawl 2 compared with crawl 1", "Footer link to /old-shop/", " gone · ",
		" new · 0 returned", "/visit/tea-lawn/ → /visit/tea-garden/ (redirect)",
		"+ Disallow: /visit/after-dark/", "Changed: title", "Field notes on moss")
	s.ok("drift fernhollow@1..2 --limit 2", "more; --limit")
	s.fails("drift fernhollow@2..2", 2, "no two crawls")
	s.ok("trend fernhollow", "Footer link to")
	s.ok("work fernhollow", "confirmed", "taken")
	s.ok("map fernhollow", "/plants/", "links")

	s.ok("gate fernhollow --min-health 80 --max robots-blocks-linked=0", "fernhollow@2 passes.", "✓ health is 9")
	out, talk, code := s.run("gate", "fernhollow", "--min-health", "80", "--no-new", "error", "--max",
		"link-broken-inside=0", "--against", "fernhollow@1")
	if code != 3 || !strings.Contains(out, "✗ there are 4 new findings of severity error") ||
		!strings.Contains(out, "/visit/moon-gate/") || !strings.Contains(talk, "the gate is shut") {
		t.Errorf("gate: exit code %d\n%s%s", code, out, talk)
	}
	s.fails("gate fernhollow", 2, "needs a condition")
	s.fails("gate fernhollow --max link", 2, "no limit")
	s.fails("gate fernhollow --max nosuch=0", 1, "no check")
	s.fails("gate fernhollow --min-health 80 --as pdf", 2, "sarif or junit")
	junit := s.ok("gate fernhollow --min-health 80 --as junit")
	var suite struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
	}
	if err := xml.Unmarshal([]byte(junit), &suite); err != nil || suite.Tests != 1 || suite.Failures != 0 {
		t.Errorf("JUnit %+v (%v)", suite, err)
	}
	testFigures(t, s)
	testExports(t, s)
	for _, command := range []string{"work fernhollow", "waivers fernhollow", "drift fernhollow", "trend fernhollow",
		"map fernhollow", "gate fernhollow --min-health 1", "metrics list fernhollow"} {
		if out := s.ok(command + " --json"); !json.Valid([]byte(out)) {
			t.Errorf("harvik %s --json writes no JSON: %.200s", command, out)
		}
	}
	garden.Turn()
	s.ok("crawl fernhollow", "RETURNED: ", footer+"  Footer link")
	s.ok("fixes fernhollow --state returned", "RETURNED")
}

// testFigures takes figures, weighs and sorts by them, and forgets them.
func testFigures(t *testing.T, s *shell) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "figures.csv")
	if err := os.WriteFile(file, []byte("Page;Visits;Owner\r\n/;12 400;Ash\r\nhttps://www.fernhollow.example/shop;4 100;Rowan\r\n/nowhere/;4;=HYPERLINK(1)\r\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	s.ok("metrics list fernhollow", "No figures yet")
	s.ok("metrics import fernhollow "+file+" --taken 2026-11-01", "3 rows read, 2 of pages", "visits: number, 3 values",
		"owner: text", "/nowhere/")
	s.ok("metrics list fernhollow", "2026-11-01", "by authority.")
	s.fails("metrics use fernhollow owner", 1, "no figure in numbers")
	s.ok("metrics use fernhollow visits", "by authority and visits")
	s.ok("pages fernhollow --having Visits>=4000 --sort -figures.visits", "12400", "4100", "Rowan",
		`harvik ask fernhollow 'figures["visits"] >= 4000.0' --order '-figures.visits'`)
	s.fails("pages fernhollow --sort figures.revenue", 1, "has no figure")
	s.fails("pages fernhollow --having visits", 1, "such as visits>=100")
	s.ok("metrics use fernhollow --none", "by authority.")
	s.fails("metrics import fernhollow /nowhere.csv", 1, "reading the figures")
}

// testExports writes the results in every form, and reads them back.
func testExports(t *testing.T, s *shell) {
	t.Helper()
	book := filepath.Join(t.TempDir(), "book.xlsx")
	s.ok("export fernhollow --as xlsx --out "+book, "book.xlsx written")
	s.in = "client: Fernhollow Botanic Garden\nfixes: 3\n"
	told := s.ok("report fernhollow -f - -o -")
	s.in = ""
	if strings.Count(told, "<article") != 3 || !strings.Contains(told, "for Fernhollow Botanic Garden") {
		t.Errorf("the report is %.600s", told)
	}
	f, err := excelize.OpenFile(book)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if have := strings.Join(f.GetSheetList(),
		", "); have != "overview, fixes, pages, broken links, redirects, duplicates, images, resources, links in, sitemaps, sitemap addresses" {
		t.Errorf("sheets %s", have)
	}
	for sheet, want := range map[string][]string{
		"overview": {"lost in all"}, "fixes": {"Title is missing on 3 separate pages"},
		"pages":        {"https://fernhollow.example/visit/tea-garden/"},
		"broken links": {"https://fernhollow.example/visit/moon-gate/", "the moon gate"},
		"redirects":    {"(301) → https://fernhollow.example/visit/map-room", "goes in a circle"},
		"duplicates":   {"Guided walk among snowdrops – Fernhollow"}, "links in": {"tea on the lawn"},
		"sitemaps":  {"https://fernhollow.example/sitemap.xml"},
		"images":    {"https://fernhollow.example/pictures/sponsor.png"},
		"resources": {"https://fernhollow.example/style.css"}, "sitemap addresses": {"blocked"},
	} {
		rows, err := f.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		var all strings.Builder
		for _, r := range rows {
			all.WriteString(strings.Join(r, "\t") + "\n")
		}
		for _, w := range want {
			if !strings.Contains(all.String(), w) {
				t.Errorf("sheet %s has no %q in %d rows", sheet, w, len(rows))
			}
		}
		if panes, err := f.GetPanes(sheet); err != nil || !panes.Freeze || panes.YSplit != 1 {
			t.Errorf("sheet %s: panes %+v (%v)", sheet, panes, err)
		}
	}
	if linked, to, err := f.GetCellHyperLink("pages", "A2"); err != nil || !linked || to != demo.Home {
		t.Errorf("the first page's link: %v %s (%v)", linked, to, err)
	}
	rows, err := csv.NewReader(strings.NewReader(s.ok("export fernhollow --as csv --sheets pages --columns address,owner --section /shop/ --out -"))).ReadAll()
	if err != nil || len(rows) < 100 || len(rows[0]) != 2 || rows[1][1] != "Rowan" {
		t.Errorf("pages as CSV: %d rows, %q (%v)", len(rows), rows[:2], err)
	}
	sheet := func(name string) [][]string {
		out, talk, _ := s.run("export", "fernhollow", "--as", "csv", "--sheets", name, "--out", "-")
		rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
		if err != nil || len(rows) < 1000 {
			t.Fatalf("%s as CSV: %d rows (%v)\n%s", name, len(rows), err, talk)
		}
		return rows
	}
	ways, every := sheet("links in"), sheet("every link in")
	summed := 0
	for _, w := range ways[1:] {
		n, err := strconv.Atoi(w[slices.Index(ways[0], "links")])
		if err != nil {
			t.Fatal(err)
		}
		summed += n
	}
	if summed != len(every)-1 {
		t.Errorf("links in sum up %d links of %d", summed, len(every)-1)
	}
	for _, name := range report.SheetNames { // each in columns of one kind
		file, talk, _ := s.run("export", "fernhollow", "--as", "parquet", "--sheets", name, "--out", "-")
		if !strings.HasPrefix(file, "PAR1") || !strings.HasSuffix(file, "PAR1") {
			t.Errorf("%s as Parquet: %.100q\n%s", name, file, talk)
		}
	}
	lines := strings.Split(strings.TrimSpace(s.ok("export fernhollow --as jsonl --sheets findings --severity error --out -")), "\n")
	for _, l := range lines {
		var one struct{ Page, Check, Severity string }
		if err := json.Unmarshal([]byte(l), &one); err != nil || one.Severity != "error" || one.Check == "" {
			t.Fatalf("a line of JSON: %s (%v)", l, err)
		}
	}
	var sarif struct {
		Runs []struct {
			Results []struct {
				RuleID       string `json:"ruleId"`
				Suppressions []struct{ Justification string }
			}
		}
	}
	if err := json.Unmarshal([]byte(s.ok("export fernhollow --as sarif --out -")), &sarif); err != nil ||
		len(sarif.Runs) != 1 {
		t.Fatalf("SARIF: %v", err)
	}
	suppressed := 0
	for _, r := range sarif.Runs[0].Results {
		if len(r.Suppressions) > 0 {
			suppressed++
			if r.RuleID != "robots-blocks-linked" || r.Suppressions[0].Justification != "meant" {
				t.Errorf("suppressed: %+v", r)
			}
		}
	}
	if suppressed != 82 || len(sarif.Runs[0].Results) < 400 {
		t.Errorf("%d of %d results are suppressed", suppressed, len(sarif.Runs[0].Results))
	}
	s.fails("export fernhollow", 2, "which form?")
	s.fails("export fernhollow --as pdf", 1, "no form to export in")
	s.fails("export fernhollow --as csv --sheets pages,fixes", 1, "CSV holds one sheet")
	s.fails("export fernhollow --as csv --sheets pagse", 1, "there is no sheet")
	s.fails("export fernhollow --as csv --sheets pages --columns titel", 1, "has no column")
	s.fails("export fernhollow --as xlsx --section plants", 1, "begins and ends with a slash")
}

// TestWorklist is the same story in a browser: keys, selection, undo, waiving, rechecks, drift, map,
// figures, hand-over.
func TestWorklist(t *testing.T) {
	t.Parallel()
	garden := demo.NewSeasons(demo.Spring)
	h := startBeside(t, garden)
	h.addGarden(t)
	h.crawl(t)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow/latest/fixes")
	b.see("Footer link to /old-shop/ is dead")

	b.eval(`document.querySelector('[data-index="0"] button').focus()`)
	b.keys("t")
	b.see("1 fix taken.")
	b.wait("the state in the row",
		`document.querySelector('[data-index="0"]').innerText.includes('taken') && document.querySelector('[data-index="0"]').innerText.includes('rowan')`)
	b.keys("u")
	b.see("Taken back: 1 fix changed.")
	b.wait("the state put back", `document.querySelector('[data-index="0"]').innerText.includes('open')`)
	b.keys("x")
	b.keys("j")
	b.keys("j")
	b.keys("x")
	b.see("2 fixes chosen")
	b.click("button", "Claim")
	b.see("2 fixes claimed.")
	b.wait("both states", `[0, 2].every(i => document.querySelector('[data-index="' + i + '"]').innerText.includes('claimed'))`)
	b.click("button", "Choose none")
	all, err := h.ListFixes(t.Context(), "fernhollow", api.Numbered(1), &api.ListFixesParams{Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	// more than are loaded at once
	b.eval(`document.querySelector('[aria-label="Choose all that are listed"]').click()`)
	b.see(fmt.Sprintf("%d fixes chosen", all.Total))
	b.click("button", "Choose none")
	b.click("button", "Footer link to /old-shop/ is dead")
	b.see("How to fix it")
	b.click("button", "Recheck")
	b.see("✗ still there")
	b.see("a sample of 436")
	b.see("The crawl stays as it was.")
	b.picture("worklist")

	b.visit(h.url + "/sites/fernhollow/latest?check=link-broken-inside")
	b.click("button", "Link to a page of the site that is not there")
	b.see("8 cases")
	b.click("button", "Claim: Link to /plants/betula-pendla/ is dead")
	b.see("1 fix claimed.")
	b.click("button", "Recheck: Link to /plants/betula-pendla/ is dead")
	b.see("still there on its page")
	b.wait("the state of the entry", `document.querySelector('[aria-label=Cases]').innerText.includes('taken')`)
	b.picture("entries")

	b.visit(h.url + "/sites/fernhollow/latest?check=robots-blocks-linked")
	b.click("button", "shuts out addresses that pages link to, such as /shop/basket/")
	b.click("button", "Waive…")
	b.choose("What is to be left", "layout")
	b.see("pages, such as /")
	b.choose("What is to be left", "check")
	b.fill("Why this is fine as it is", "the basket is meant to be shut")
	b.picture("waive")
	b.click("button", "Waive")
	b.see("82 findings count no more")
	b.see("No fix like that")
	b.click("button", "Undo")
	b.see("Taken back: it counts again.")
	b.visit(h.url + "/sites/fernhollow/latest?check=robots-blocks-linked") // whether its panel is still open or not
	b.click("button", "shuts out addresses that pages link to, such as /shop/basket/")
	b.click("button", "Waive…")
	b.choose("What is to be left", "check")
	b.fill("Why this is fine as it is", "the basket is meant to be shut")
	b.click("button", "Waive")
	b.see("82 findings count no more")
	b.visit(h.url + "/sites/fernhollow/waivers")
	b.see("the basket is meant to be shut")
	b.see("robots-blocks-linked, everywhere")

	garden.Turn()
	b.visit(h.url + "/sites/fernhollow/latest/fixes")
	b.click("button", "Footer link to /old-shop/ is dead")
	b.see("How to fix it")
	b.click("button", "Recheck")
	b.see("✓ confirmed")
	b.see("with what was seen now in its place")
	h.crawl(t)
	b.visit(h.url + "/sites/fernhollow/latest/drift")
	b.see("How health got there")
	b.see("Link to /visit/moon-gate/ is dead")
	b.see("/visit/tea-lawn/ → /visit/tea-garden/")
	b.see("+ Disallow: /visit/after-dark/")
	b.picture("drift")
	b.visit(h.url + "/sites/fernhollow")
	b.see("Health, by the rules and waivers of today")
	b.see("Footer link to /old-shop/")
	b.wait("the line of the trend", `document.querySelectorAll('.recharts-line-dot').length === 2`)
	b.picture("trend")
	b.visit(h.url + "/sites/fernhollow/latest/map")
	b.see("the sorer; a cell leads to its fixes")
	b.see("built alike, and so probably from one template")
	b.picture("map")
	b.click("link", "97")
	b.wait("the fixes of a section",
		`location.search.includes('section=%2Fresearch%2F') && location.search.includes('group=snippet')`)
	b.see("only /research/")

	if _, err := h.ImportFigures(t.Context(), "fernhollow", &api.ImportFiguresParams{}, "text/csv",
		strings.NewReader("page,visits\n/,12400\n/shop/,4100\n")); err != nil {
		t.Fatal(err)
	}
	b.visit(h.url + "/sites/fernhollow/figures")
	b.see("visits")
	b.choose("Pages weigh by authority and", "visits")
	b.wait("the choice to be kept", `document.querySelector('select').value === 'visits'`)
	b.visit(h.url + "/sites/fernhollow/latest/pages?having=visits>=4000&sort=-figure:visits&columns=address,status,figure:visits")
	b.see("2 pages")
	b.wait("the column of the figure and no other",
		`document.querySelectorAll('[role=columnheader]').length === 4 && document.body.innerText.includes('4\u202f100')`)
	b.visit(h.url + "/sites/fernhollow/latest/export")
	b.see("Hand over")
	b.wait("the sheets that a workbook usually has, and no more", `(() => {
		const on = name => [...document.querySelectorAll('label')].find(l => l.innerText.trim() === name).querySelector('input').checked;
		return on('links in') && !on('every link in') && !on('findings');
	})()`)
	if file := b.fetch("Fetch the file"); !bytes.HasPrefix(file, []byte("PK")) {
		t.Errorf("the workbook begins with %q", file[:min(len(file), 40)])
	}
	b.choose("Form", "csv")
	b.see("Sheet")
	if file := b.fetch("Fetch the file"); !bytes.HasPrefix(file, []byte("rank,severity,what and where")) {
		t.Errorf("the sheet begins with %q", file[:min(len(file), 80)])
	}
	b.picture("hand-over")

	b.size(390, 844)
	b.visit(h.url + "/sites/fernhollow/latest/drift")
	b.see("How health got there")
	b.wait("a drift page that fits a telephone", `document.documentElement.scrollWidth <= 390`)
	b.visit(h.url + "/sites/fernhollow/latest/fixes")
	b.see("Link to a page of the site that is not there: ")
	b.wait("a list that fits a telephone", `document.documentElement.scrollWidth <= 390`)
}
