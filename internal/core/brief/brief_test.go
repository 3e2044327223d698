package brief

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
)

// facts are those of a site with so many fixes, the first half of them errors, the rest notices.
func facts(fixes int) Facts {
	f := Facts{
		Home:    "https://fernhollow.example/",
		Crawl:   3,
		Day:     "30 November 2026",
		Fetched: 40,
		Ending:  "complete",
		Report: &fixlist.Report{Health: 81.25, Scored: true, Assessed: 30, Expected: 30, Ledger: []fixlist.LedgerLine{
			{Check: "title-missing", Group: "snippet", Points: 10.75}, {Check: "link-dead", Group: "links", Points: 6},
			{Check: "title-long", Group: "snippet", Points: 2}}},
		Check: func(id string) *check.Check {
			return &check.Check{ID: id, What: "what of " + id, Why: "why", How: "how"}
		},
	}
	for i := range fixes {
		one := fixlist.Fix{
			ID:      fmt.Sprintf("fix%d", i),
			Check:   "title-missing",
			Line:    fmt.Sprintf("Line %d & <b>", i),
			Pages:   i + 1,
			Gain:    0.5,
			Effort:  "small",
			State:   "open",
			Example: "https://fernhollow.example/?a=1&b=2",
		}
		if i >= (fixes+1)/2 {
			one.Severity, one.Check = check.Notice, "sharing-title"
		} else {
			one.Severity = check.Error
		}
		f.Fixes = append(f.Fixes, one)
	}
	return f
}

func written(t *testing.T, c Choices, f Facts) string {
	t.Helper()
	var out bytes.Buffer
	if err := HTML(&out, c, f); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// words are those that a reader sees, in order.
func words(t *testing.T, page string) string {
	t.Helper()
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for n := range root.Descendants() {
		if n.Type == html.TextNode && n.Parent.Data != "style" {
			out = append(out, strings.Fields(n.Data)...)
		}
	}
	return strings.Join(out, " ")
}

func says(t *testing.T, page string, wanted ...string) {
	t.Helper()
	text := words(t, page)
	for _, w := range wanted {
		if !strings.Contains(text, w) {
			t.Errorf("it does not say %q: %s", w, text)
		}
	}
}

func saysNot(t *testing.T, page string, unwanted ...string) {
	t.Helper()
	text := words(t, page)
	for _, w := range unwanted {
		if strings.Contains(text, w) {
			t.Errorf("it says %q: %s", w, text)
		}
	}
}

// TestUsual: a first report says how the site stands, what to do first, and nothing of an earlier crawl.
func TestUsual(t *testing.T) {
	page := written(t, Choices{}, facts(30))
	says(
		t,
		page,
		"How https://fernhollow.example/ stands",
		"Health 81.2 of 100",
		"Of 100 points, 18.8 are lost",
		"snippet 12.8 2",
		"links 6.0 1",
		"Line 0 & <b>",
		"what of title-missing",
		"20 more fixes stand in the fix list",
		"everything fetched",
		"robots.txt asks was kept to",
	)
	saysNot(t, page, "What has changed", "since crawl", "Line 10 ")
	if n := strings.Count(page, "<article"); n != usualFixes {
		t.Errorf("%d fixes in full", n)
	}
	for _, far := range []string{"<script", "<link", "src=", "@import", "url("} {
		if strings.Contains(page, far) {
			t.Errorf("it asks for something elsewhere: %s", far)
		}
	}
}

// TestChosen: parts, their order, how many fixes, comments and what is left out.
func TestChosen(t *testing.T) {
	c := Choices{
		Title:  "The garden",
		Client: "Fernhollow <Garden>",
		By:     "Ash",
		Words:  "Thank *you*.",
		Parts:  []string{"fixes", "summary"},
		Fixes:  2,
		Comments: map[string]string{
			"summary": "In **short**",
			"fix1":    "mind <script>alert(1)</script> [it](javascript:alert(1)) | this",
		},
		LeaveOut: LeaveOut{Severities: []check.Severity{check.Notice}},
	}
	page := written(t, c, facts(7))
	says(
		t,
		page,
		"for Fernhollow <Garden>",
		"The garden",
		"by Ash",
		"Thank you",
		"In short",
		"mind",
		"2 more fixes stand",
	)
	saysNot(t, page, "Line 4", "How this was looked at", "What takes health")
	if strings.Index(page, `id="fixes"`) > strings.Index(page, `id="summary"`) {
		t.Error("the parts are not in the order that was asked for")
	}
	for _, bad := range []string{"<script", "javascript:"} {
		if strings.Contains(page, bad) {
			t.Errorf("a comment brings in %s", bad)
		}
	}
	saysNot(t, written(t, Choices{LeaveOut: LeaveOut{Checks: []string{"sharing-*"}}}, facts(7)), "Line 5")
	says(t, written(t, Choices{}, facts(0)), "There is nothing to put right")
}

// TestMoved: what came and went since an earlier crawl, and how health moved.
func TestMoved(t *testing.T) {
	f := facts(2)
	gone := make([]fixlist.Fix, 8)
	for i := range gone {
		gone[i] = fixlist.Fix{Line: fmt.Sprintf("Gone %d", i), Severity: check.Error}
	}
	gone[7].Severity = check.Notice
	d := &drift.Comparison{Gone: gone, New: []fixlist.Fix{{Line: "Fresh"}}, Returned: []fixlist.Fix{{Line: "Back"}},
		Step: drift.Step{
			Before: 70,
			After:  81.25,
			Parts:  []drift.Part{{By: drift.ByFix, Line: "Gone 0", Shown: 9.5}, {By: drift.ByAppeared, Shown: -0.25}},
		}}
	f.Before = &Before{Crawl: 2, Day: "2 November 2026", Drift: d}
	f.Past = []Point{{2, "2 November 2026", 70}, {3, "30 November 2026", 81.25}}
	page := written(t, Choices{}, f)
	says(
		t,
		page,
		"Health rose by 11.2, from 70.0 to 81.2, since crawl 2 of 2 November 2026",
		"8 fixes are done, 1 is new, 1 has come back",
		"Gone 5",
		"and 2 more",
		"Wrong since then, or again Back Fresh",
		"Gone 0 +9.50",
		"pages that are new −0.25",
		"2 2 November 2026 70.0",
	)
	saysNot(t, page, "Gone 6")
	says(t, written(t, Choices{LeaveOut: LeaveOut{Severities: []check.Severity{check.Notice}}}, f), "7 fixes are done")
	d.Step = drift.Step{Before: 81.25, After: 70}
	says(t, written(t, Choices{}, f), "Health fell by 11.2")
	d.Step = drift.Step{Before: 70, After: 70.01}
	says(t, written(t, Choices{}, f), "Health is as it was")
	f.Before = nil
	says(t, written(t, Choices{Parts: []string{"progress"}}, f), "nothing to compare it with")
}

// TestUnscored: what could not be looked at has no health, and an estimate says that it is one.
func TestUnscored(t *testing.T) {
	f := facts(0)
	f.Report = &fixlist.Report{}
	page := written(t, Choices{}, f)
	says(t, page, "there is no health to tell")
	saysNot(t, page, "of 100 At")
	f.Report = &fixlist.Report{
		Health:    50,
		Scored:    true,
		HalfWidth: 2.5,
		Assessed:  30,
		Expected:  900,
		Unfound:   "Half of them cannot be found.",
	}
	says(
		t,
		written(t, Choices{}, f),
		"it may be 2.5 more or less",
		"Half of them cannot be found",
		"30 of about 900 pages",
	)
}

// TestFaults: what cannot be is said, all of it.
func TestFaults(t *testing.T) {
	c := Choices{
		Parts:    []string{"sumary", "words", "words"},
		Fixes:    501,
		Comments: map[string]string{"words": strings.Repeat("x", mostWords+1)},
		Words:    strings.Repeat("x", mostWords+1),
	}
	got := c.Faults().Error()
	for _, want := range []string{`no part "sumary", did you mean "summary"?`, "words stands there twice", "1 to 500 fixes", "comment of words has", "they have"} {
		if !strings.Contains(got, want) {
			t.Errorf("it does not say %q: %s", want, got)
		}
	}
	if faults := new(Choices).Faults(); faults != nil {
		t.Errorf("%v", faults)
	}
}
