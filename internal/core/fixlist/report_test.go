package fixlist

import (
	"bytes"
	"flag"
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

var writeReport = flag.Bool("write-report", false, "write testdata/report.txt anew; read what changed")

// garden is a survey of a site and what was found on it, made by hand, address by address.
type garden struct {
	*survey.Survey
	found []check.Finding
}

// kind is what an address is.
type kind struct {
	frame     uint32 // of its layout
	redirects string // where it leads, an address that is there already
	noIndex   bool
	status    int // 200 for none
	text      uint64
	file      bool
}

const origin = "https://fernhollow.example"

func (g *garden) add(path string, k kind) int32 {
	id := int32(len(g.Addresses))
	at := path
	if strings.HasPrefix(path, "/") {
		at = origin + path
	}
	g.Addresses = append(g.Addresses, survey.Address{URL: at, State: survey.Fetched, FoundOn: -1})
	f := &page.Facts{Version: page.Version, Address: at, Status: 200, Outcome: page.Answered, Type: "text/html"}
	if k.status > 0 {
		f.Status = k.status
	}
	to, noIndex := int32(-1), ""
	if k.noIndex {
		noIndex = "meta"
	}
	switch {
	case k.redirects != "":
		f.Status, f.Redirect = 301, k.redirects
		if to = int32(slices.IndexFunc(g.Addresses,
			func(a survey.Address) bool { return a.URL == k.redirects })); to < 0 {
			panic(k.redirects + " is not there")
		}
	case k.file:
		g.AddLoaded(id, f, -1)
		return id
	default:
		f.Document = &page.Document{TextHash: id64(id) + k.text, Lang: "en", Robots: page.Robots{NoIndex: noIndex}}
		if k.text > 0 {
			f.Document.TextHash = k.text
		}
		for n := range uint32(9) {
			f.Document.Frame = append(f.Document.Frame, k.frame*100+n)
		}
	}
	g.Add(id, f, to, -1, nil)
	return id
}

func id64(id int32) uint64 { return uint64(id) + 1000 }

func (g *garden) fails(c *check.Check, on int32, places ...check.Place) {
	g.found = append(g.found, check.Finding{Check: c, Page: on, Places: places})
}

// to is a place in the content of a page that links to a path.
func to(path string) check.Place {
	if strings.HasPrefix(path, "/") {
		path = origin + path
	}
	return check.Place{Target: path, At: "main > p 1", Region: page.Content}
}

// The checks of the report's story: one of each way to gather, severity and effort.
var (
	detour = &check.Check{
		ID:       "detour",
		Group:    "redirects",
		Severity: check.Warning,
		Gather:   check.ByTarget,
		Scope:    check.Documents,
		Title:    "link goes through a redirect",
		Line:     "{link} to {target} goes through a redirect",
	}
	again = &check.Check{
		ID:       "again",
		Group:    "copy",
		Severity: check.Warning,
		Gather:   check.ByValue,
		Scope:    check.Indexable,
		Title:    "texts are the same",
		Line:     "{n} pages have the text “{value}”",
		Effort:   check.Hours,
	}
	banner = &check.Check{
		ID:        "banner",
		Group:     "media",
		Severity:  check.Notice,
		Gather:    check.ByValue,
		OneChange: true,
		Scope:     check.Documents,
		Title:     "a picture is heavy",
		Line:      "The picture {value} is heavy",
		Effort:    check.Days,
	}
	alone = &check.Check{
		ID:       "alone",
		Group:    "copy",
		Severity: check.Notice,
		Gather:   check.Alone,
		Scope:    check.Documents,
		Title:    "text is short",
		Line:     "Text is short, compared with others",
	}
	whole = &check.Check{
		ID:       "whole",
		Group:    "safety",
		Severity: check.Warning,
		Scope:    check.WholeSite,
		Title:    "no certificate",
		Line:     "The site has no certificate",
	}
	later = &check.Check{
		ID:       "later",
		Group:    "data",
		Severity: check.Notice,
		Scope:    check.Documents,
		Title:    "later",
		Line:     "Later",
		Since:    1 << 20,
	}
	today = &check.Check{
		ID:       "today",
		Group:    "data",
		Severity: check.Notice,
		Scope:    check.WholeSite,
		Title:    "today",
		Line:     "Today",
		Since:    page.Version,
	}
)

var story = []*check.Check{broken, shared, thing, minor, detour, again, banner, alone, whole, later, today}

// story builds a site of some folders on which there is something of everything that a list has to tell apart.
func storyOf() *garden {
	g := &garden{Survey: &survey.Survey{Facts: page.Version}}
	home := g.add("/", kind{frame: 1, text: 7})
	g.add("/index.html", kind{frame: 1, text: 7}) // the same page
	folders := map[string][]int32{}
	for i, folder := range []string{"plants", "shop", "news", "walks", "events"} {
		for n := range []int{40, 20, 8, 8, 8}[i] {
			k := kind{frame: uint32(i) + 2}
			if folder == "plants" {
				k.noIndex = n%4 == 3
			}
			folders[folder] = append(folders[folder], g.add(fmt.Sprintf("/%s/%c/%d.html", folder, 'a'+n%3, n), k))
		}
	}
	for i := range 12 { // what has moved, and what stands without a slash
		now := fmt.Sprintf("/garden/map-%d/", i)
		g.add(now, kind{frame: 9})
		g.add(fmt.Sprintf("/park/map-%d/", i), kind{redirects: origin + now})
		g.add(fmt.Sprintf("/garden/map-%d", i), kind{redirects: origin + now})
	}
	for i := range 12 {
		g.fails(detour, folders["plants"][i], to(fmt.Sprintf("/park/map-%d/", i)))
		g.fails(detour, folders["plants"][i+12], to(fmt.Sprintf("/garden/map-%d", i)))
	}
	for i := range 9 { // folders that are not there
		for _, folder := range []string{"lost", "gone", "old", "past"} {
			g.fails(broken, folders["plants"][4*i], to(fmt.Sprintf("/%s/%c%d/x", folder, 'a'+i, i*i)))
		}
	}
	for _, id := range folders["shop"] { // in the footer of one template
		g.fails(broken, id, check.Place{Target: origin + "/basket-help", At: "footer > ul > li 3", Region: page.Footer})
		g.fails(banner, id, check.Place{Value: "sale.png"})
	}
	for i, folder := range []string{"news", "walks", "events"} { // most of three folders, at places of their own
		for n, id := range folders[folder][:7] {
			g.fails(thing, id, check.Place{At: fmt.Sprintf("main > p > %c%c", 'a'+n, 'k'+i), Region: page.Content})
		}
	}
	for n, id := range folders["plants"] {
		if n < 6 {
			g.fails(again, id, check.Place{Value: "Green all year"})
		}
		if n%9 == 2 {
			g.fails(alone, id, check.Place{Value: fmt.Sprint(n)})
		}
		if n < 3 {
			g.fails(shared, id, check.Place{Value: "Ferns", Group: "ferns"}, check.Place{Value: "ferns", Group: "ferns"})
		}
	}
	for i := range 2 { // pages that health does not count, and a file
		id := g.add(fmt.Sprintf("/missing/%d", i), kind{frame: 1, status: 404})
		g.fails(today, id, check.Place{Note: "a page that is not there is listed"})
	}
	g.fails(today, g.add("/files/map.pdf", kind{file: true}), check.Place{Note: "likewise"})
	g.found = append(
		g.found,
		check.Finding{Check: minor, Page: home, More: 4, Places: []check.Place{{At: "main > p", Region: page.Content}}},
		check.Finding{Check: whole, Page: -1, Places: []check.Place{{Note: "it is missing"}}},
	)
	if err := g.Finish(); err != nil {
		panic(err)
	}
	return g
}

func (g *garden) sheet() *Sheet {
	c := NewCollector(story)
	for _, f := range g.found {
		c.Add(f)
	}
	return c.Sheet(g.Survey)
}

// written is a report as text.
func written(r *Report) string {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		"health %.3f, without waivers %.3f, of %d pages, %d documents, %d closed; %d places, %d waived\n%s\n",
		r.Health,
		r.Unwaived,
		r.Assessed,
		r.Documents,
		r.Closed,
		r.Findings,
		r.Waived,
		r.Unfound,
	)
	for _, f := range r.Fixes {
		fmt.Fprintf(
			&b,
			"\n%d %s %s %s (%s, %s)\n  pages %d, places %d, cases %d, gain %.3f, lost %.3f, health after %.3f, waived on %d, follows %v\n",
			f.Rank,
			f.Severity,
			f.State,
			f.Line,
			f.Kind,
			f.Effort,
			f.Pages,
			f.Places,
			f.Cases,
			f.Gain,
			f.Lost,
			f.HealthAfter,
			f.Waived,
			f.Follows,
		)
		for _, t := range f.Targets[:min(len(f.Targets), 3)] {
			fmt.Fprintf(&b, "  target %s\n", t)
		}
		for _, e := range f.Entries[:min(len(f.Entries), 3)] {
			fmt.Fprintf(&b, "  entry %s: %s, %d pages, %d places\n", e.ID, e.Line, e.Pages, e.Places)
		}
	}
	b.WriteString("\nledger\n")
	for _, l := range r.Ledger {
		fmt.Fprintf(
			&b,
			"  %-8s %-10s %.3f points, %d pages, %d places\n",
			l.Severity,
			l.Check,
			l.Points,
			l.Pages,
			l.Places,
		)
	}
	b.WriteString("\nmap\n")
	for _, s := range r.Map.Sections {
		fmt.Fprintf(&b, "  %-12s %d pages, health %.3f\n", s.Section, s.Pages, s.Health)
	}
	for _, c := range r.Map.Cells {
		fmt.Fprintf(&b, "  %-12s %-10s %v\n", c.Section, c.Group, c.Findings)
	}
	b.WriteString("\npages\n")
	for i, p := range r.Pages {
		if i%9 == 0 {
			fmt.Fprintf(&b, "  %d health %.3f, importance %.3f, %v\n", p.Page, p.Health, p.Importance, p.Counts)
		}
	}
	return b.String()
}

// TestReportText: the whole report of a small site, to be read: each line true, one change, in its place.
func TestReportText(t *testing.T) {
	sheet := storyOf().sheet()
	adjust := Adjustment{
		Waived: func(check, address, layout, fix string) bool {
			return check == "thing" && strings.HasPrefix(address, origin+"/news/")
		},
		Figure: map[string]float64{origin + "/shop/a/0.html": 100, origin + "/shop/b/1.html": 50},
	}
	got := "As it was found\n\n" + written(
		sheet.Build(Adjustment{}),
	) + "\n\nWith what is waived under /news/, and figures\n\n" + written(
		sheet.Build(adjust),
	)
	const file = "testdata/report.txt"
	if *writeReport {
		if err := os.WriteFile(file, []byte(got), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if got != string(want) {
		a, b := strings.Split(got, "\n"), strings.Split(string(want), "\n")
		for i := range min(len(a), len(b)) {
			if a[i] != b[i] {
				t.Errorf("line %d is\n%s\nwas\n%s", i+1, a[i], b[i])
			}
		}
		t.Errorf("%d lines, were %d; -write-report writes it anew", len(a), len(b))
	}
	var packed bytes.Buffer
	if err := sheet.Write(&packed); err != nil {
		t.Fatal(err)
	}
	read, err := ReadSheet(&packed)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(read.Pages, sheet.Pages) {
		t.Error("written and read, its pages are others")
	}
	if written(read.Build(adjust)) != written(sheet.Build(adjust)) {
		t.Error("written and read, it is another report")
	}
	for name, s := range map[string]*Sheet{"as made": sheet, "read": read} {
		if rules := s.Rules(); rules["later"] != nil || rules["thing"] == nil || rules["today"] == nil ||
			len(rules) != len(story)-1 {
			t.Errorf("%s: judged by %d rules", name, len(rules))
		}
	}
}

// TestTakenApart: the tab, the findings and the lines of a sheet agree with its report.
func TestTakenApart(t *testing.T) {
	sheet := storyOf().sheet()
	r := sheet.Build(Adjustment{})
	tab := sheet.Tab(Adjustment{})
	if h := tab.Health(func(string) bool { return true }, nil); math.Abs(h-r.Health) > 1e-9 {
		t.Errorf("health is %v, by the tab %v", r.Health, h)
	}
	places := map[string]int{}
	causes := map[string]bool{}
	lines := map[string]Fix{}
	for _, f := range r.Fixes {
		lines[f.ID] = f
	}
	sheet.EachFinding(func(f Found) {
		places[f.Fix] += f.Places
		if line, ok := lines[f.Fix]; !ok || line.Kind != f.Kind || line.Check != f.Check ||
			line.Severity != f.Severity {
			t.Errorf("%+v is of no line", f)
		}
		if f.Cause != "" {
			causes[f.Cause] = true
		}
		if gathers := f.Check != "thing" && f.Check != "minor" && f.Check != "alone" && f.Check != "whole" &&
			f.Check != "today"; gathers != (f.Cause != "") {
			t.Errorf("%s has the cause %q", f.Check, f.Cause)
		}
	})
	for id, f := range lines {
		if places[id] != f.Places {
			t.Errorf("%s has %d places, of findings %d", f.Line, f.Places, places[id])
		}
	}
	apart := sheet.Lines(Adjustment{}, causes)
	if len(apart) != len(causes) {
		t.Errorf("%d causes make %d lines", len(causes), len(apart))
	}
	for i, f := range apart {
		if i > 0 && apart[i-1].Severity == f.Severity && apart[i-1].Gain < f.Gain {
			t.Errorf("%s brings more than the line before", f.Line)
		}
	}
	if some := sheet.Lines(Adjustment{}, map[string]bool{TargetID("broken", origin+"/basket-help"): true}); len(
		some,
	) != 1 ||
		some[0].Pages != 20 {
		t.Errorf("one line: %+v", some)
	}
	failing := sheet.Failing()
	if !failing[""]["whole"] || !failing[origin+"/"]["minor"] || failing[origin+"/"]["thing"] ||
		len(failing[origin+"/shop/a/0.html"]) != 2 {
		t.Errorf("failing: %v", failing[origin+"/shop/a/0.html"])
	}
}
