package check

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// few is a catalogue of three checks: one by a threshold, one of pages that may be shown, and one of what hides them.
func few() []*Check {
	return []*Check{
		{ID: "title-long", Group: "snippet", Severity: Warning, Title: "Title is long", Scope: Documents,
			Limits: []string{"title-characters"}, Page: func(p *PagePass) {
				if t := p.Doc.Title(); len(t) > p.Limits.TitleCharacters {
					p.Report(Place{Note: fmt.Sprintf("%d letters", len(t)), Line: 3, Col: 1})
					p.Report(Place{Note: "again"})
				}
			}},
		{ID: "title-bare", Group: "snippet", Severity: Error, Title: "Title is bare", Scope: Indexable,
			Page: func(p *PagePass) { p.Report(Place{Note: "bare"}) }},
		{ID: Hiding, Group: "indexing", Severity: Error, Title: "Page is hidden", Scope: Documents,
			Page: func(p *PagePass) {
				if p.Doc.Robots.NoIndex != "" {
					p.Report(Place{Note: "noindex"})
				}
			}},
		{
			ID:       "twins",
			Group:    "copy",
			Severity: Notice,
			Title:    "Twins",
			Scope:    WholeSite,
			Site:     func(*SitePass) error { return nil },
		},
	}
}

func facts(path, title string, change ...func(*page.Facts)) *page.Facts {
	f := &page.Facts{
		Version:  page.Version,
		Address:  "https://fernhollow.example" + path,
		Status:   200,
		Type:     "text/html",
		Outcome:  page.Answered,
		Document: &page.Document{Titles: []page.Text{{Text: title}}},
	}
	for _, c := range change {
		c(f)
	}
	return f
}

func found(list []Finding) string {
	var out []string
	for _, f := range list {
		silent := ""
		if f.Silent {
			silent = " silent"
		}
		out = append(out, fmt.Sprintf("%s %s %v%s", f.Check.ID, f.Check.Severity, f.Check.Factor, silent))
	}
	return strings.Join(out, ", ")
}

// TestRulesOfPlans changes checks everywhere and on some pages: off, severity, factor and thresholds.
func TestRulesOfPlans(t *testing.T) {
	long := strings.Repeat("x", 200)
	rule := func(r plan.CheckRule) []plan.CheckRule { r.Check = "title-*"; return []plan.CheckRule{r} }
	for name, c := range map[string]struct {
		p         plan.Plan
		shop      string // what is found below /shop/
		elsewhere string
		checks    int
	}{
		"none":               {plan.Plan{}, "title-long warning 0, title-bare error 0", "title-long warning 0, title-bare error 0", 4},
		"off":                {plan.Plan{Checks: rule(plan.CheckRule{Off: true})}, "", "", 2},
		"off in the shop":    {plan.Plan{Checks: rule(plan.CheckRule{Off: true, On: "/shop/*"})}, "", "title-long warning 0, title-bare error 0", 4},
		"notice":             {plan.Plan{Checks: rule(plan.CheckRule{Severity: "notice"})}, "title-long notice 0, title-bare notice 0", "title-long notice 0, title-bare notice 0", 4},
		"notice in the shop": {plan.Plan{Checks: rule(plan.CheckRule{Severity: "notice", On: "/shop/*"})}, "title-long notice 0, title-bare notice 0", "title-long warning 0, title-bare error 0", 6},
		"twice":              {plan.Plan{Checks: rule(plan.CheckRule{Factor: 2})}, "title-long warning 2, title-bare error 2", "title-long warning 2, title-bare error 2", 4},
		"twice in the shop":  {plan.Plan{Checks: rule(plan.CheckRule{Factor: 2, On: "/shop/*"})}, "title-long warning 2, title-bare error 2", "title-long warning 0, title-bare error 0", 6},
		"a threshold":        {plan.Plan{Limits: map[string]int{"title-characters": 300}}, "title-bare error 0", "title-bare error 0", 4},
		"a threshold of one": {plan.Plan{Checks: rule(plan.CheckRule{Limits: map[string]int{"title-characters": 300}})}, "title-bare error 0", "title-bare error 0", 4},
		"and of the shop":    {plan.Plan{Checks: rule(plan.CheckRule{On: "/shop/*", Limits: map[string]int{"title-characters": 300}})}, "title-bare error 0", "title-long warning 0, title-bare error 0", 4},
		"of all, but in shop": {plan.Plan{Limits: map[string]int{"title-characters": 300},
			Checks: rule(plan.CheckRule{On: "/shop/*", Limits: map[string]int{"title-characters": 30}})}, "title-long warning 0, title-bare error 0", "title-bare error 0", 4},
	} {
		r := NewRunner(few(), c.p)
		if got := found(r.Page(0, facts("/shop/fern", long))); got != c.shop {
			t.Errorf("%s, in the shop: %q, want %q", name, got, c.shop)
		}
		if got := found(r.Page(0, facts("/plants/fern", long))); got != c.elsewhere {
			t.Errorf("%s, elsewhere: %q, want %q", name, got, c.elsewhere)
		}
		if len(r.Checks) != c.checks {
			t.Errorf("%s: %d checks, with variants", name, len(r.Checks))
		}
	}
	if Covers("title-[", "title-[") || !Covers("title-*", "title-long") || Covers("title-*", "h1-long") {
		t.Error("patterns name the wrong checks")
	}
	r := NewRunner(few(), plan.Plan{Checks: []plan.CheckRule{{Check: "title-long", Off: true, On: "/shop/*"}}})
	title := r.Checks[0]
	if r.LimitsAt(title, "https://fernhollow.example/shop/x") != nil ||
		r.LimitsAt(title, "https://fernhollow.example/x") != r.Limits {
		t.Error("thresholds of where a check is off, and of where it is not")
	}
}

// TestHidden: on pages that are kept out of search the checks of what is shown say nothing, but count; not where
// the plan means them to be hidden.
func TestHidden(t *testing.T) {
	hidden := facts("/x", "Fern", func(f *page.Facts) { f.Document.Robots.NoIndex = "meta" })
	for name, c := range map[string]struct {
		p    plan.Plan
		want string
	}{
		"hidden":          {plan.Plan{}, "title-bare error 0 silent, index-noindex error 0"},
		"meant":           {plan.Plan{Checks: []plan.CheckRule{{Check: Hiding, Off: true}}}, ""},
		"meant there":     {plan.Plan{Checks: []plan.CheckRule{{Check: Hiding, Off: true, On: "/x"}}}, ""},
		"meant elsewhere": {plan.Plan{Checks: []plan.CheckRule{{Check: Hiding, Off: true, On: "/y"}}}, "title-bare error 0 silent, index-noindex error 0"},
	} {
		if got := found(NewRunner(few(), c.p).Page(0, hidden)); got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	for name, f := range map[string]*page.Facts{
		"a file": facts("/x", "", func(f *page.Facts) { f.Document = nil }), "a missing page": facts("/x", "", func(f *page.Facts) { f.Status = 404 }),
	} {
		if got := NewRunner(few(), plan.Plan{}).Page(0, f); got != nil {
			t.Errorf("%s: %q", name, found(got))
		}
	}
	since := few()
	since[1].Since = page.Version
	if got := found(NewRunner(since, plan.Plan{}).Page(0, facts("/x", "Fern"))); got != "title-bare error 0" {
		t.Errorf("a check of these facts: %q", got)
	}
	since[1].Since = page.Version + 1
	if got := found(NewRunner(since, plan.Plan{}).Page(0, facts("/x", "Fern"))); got != "" {
		t.Errorf("a check of facts to come: %q", got)
	}
}

// TestSetKind overrules what a page was taken for, and takes that back where the plan says so no more.
func TestSetKind(t *testing.T) {
	f := facts("/x", "Fern", func(f *page.Facts) { f.Document.Kind, f.Document.KindReason = page.List, "links" })
	r := NewRunner(
		nil,
		plan.Plan{
			Kinds: []plan.KindRule{
				{Pages: "/y", Kind: "cart"},
				{Pages: "/x", Kind: "article"},
				{Pages: "*", Kind: "legal"},
			},
		},
	)
	r.SetKind(f)
	if d := f.Document; d.Kind != page.Article || d.KindRead != page.List || d.KindReason != "the plan says so of /x" {
		t.Errorf("%s for %q, read as %s", d.Kind, d.KindReason, d.KindRead)
	}
	r.SetKind(f)
	if d := f.Document; d.Kind != page.Article || d.KindRead != page.List {
		t.Errorf("once more: %s, read as %s", d.Kind, d.KindRead)
	}
	NewRunner(nil, plan.Plan{}).SetKind(f)
	if d := f.Document; d.Kind != page.List || d.KindRead != "" {
		t.Errorf("no more: %s, read as %s", d.Kind, d.KindRead)
	}
	r.SetKind(facts("/x", "", func(f *page.Facts) { f.Document = nil })) // says nothing of a file
}

// TestExplain says of one page how each check came to its verdict.
func TestExplain(t *testing.T) {
	long := strings.Repeat("x", 200)
	for name, c := range map[string]struct {
		f    *page.Facts
		p    plan.Plan
		want map[string]string // check → state and a part of its steps
	}{
		"a long title": {facts("/x", long), plan.Plan{}, map[string]string{
			"title-long": "failed: It fails at 2 places. Line 3, column 1: 200 letters. again.", "title-bare": "failed: It fails at one place. bare.",
			"twins": "not-judged: It is judged over the whole site", Hiding: "passed: It found nothing: Page is hidden is not the case."}},
		"its threshold": {facts("/x", long), plan.Plan{Limits: map[string]int{"title-characters": 300}}, map[string]string{
			"title-long": "passed: Its threshold title-characters is 300 characters."}},
		"hidden": {facts("/x", "Fern", func(f *page.Facts) { f.Document.Robots.NoIndex = "meta" }), plan.Plan{}, map[string]string{
			"title-bare": "not-judged: The check looks only at pages that search engines may show, and this is none: noindex in meta."}},
		"cut": {facts("/x", "Fern", func(f *page.Facts) { f.Outcome = page.Truncated }), plan.Plan{}, map[string]string{
			"title-bare": "failed: The body was cut: what stands behind the cut is not seen."}},
		"whole":   {facts("/x", "Fern"), plan.Plan{}, map[string]string{"title-bare": "failed: Search engines may show the page", "title-long": "passed: The check looks at every HTML page."}},
		"missing": {facts("/x", "Fern", func(f *page.Facts) { f.Status = 404 }), plan.Plan{}, map[string]string{"title-long": "not-judged: That is no HTML page with status 200"}},
		"no answer": {facts("/x", "", func(f *page.Facts) { f.Status, f.Outcome, f.Document = 0, page.TimedOut, nil }),
			plan.Plan{}, map[string]string{"title-long": "not-judged: There was no answer (timeout)"}},
		"off there": {facts("/x", long), plan.Plan{Checks: []plan.CheckRule{{Check: "title-long", Off: true, On: "/x"}, {Check: "title-bare", Severity: "notice", On: "/x"}}},
			map[string]string{"title-long": "not-judged: The plan switches the check off here."}},
	} {
		verdicts := NewRunner(few(), c.p).Explain(c.f, nil)
		if len(verdicts) != 4 {
			t.Errorf("%s: %d verdicts", name, len(verdicts))
		}
		for id, want := range c.want {
			i := slices.IndexFunc(verdicts, func(v Verdict) bool { return v.Check == id })
			v := verdicts[i]
			state, step, _ := strings.Cut(want, ": ")
			if got := strings.Join(v.Steps, " "); v.State != state || !strings.Contains(got, step) ||
				len(v.Places) > 0 != (state == Failed) {
				t.Errorf("%s: %s is %s (%d places): %s\nwant %s", name, id, v.State, len(v.Places), got, want)
			}
			if cut := strings.Contains(strings.Join(v.Steps, " "), "The body was cut"); cut != (name == "cut") {
				t.Errorf("%s: %s says that the body was cut: %v", name, id, cut)
			}
		}
	}
}

// TestSeverities reads their names.
func TestSeverities(t *testing.T) {
	for name, want := range map[string]Severity{"error": Error, "warning": Warning, "notice": Notice} {
		var s Severity
		if err := s.UnmarshalText([]byte(name)); err != nil || s != want || s.String() != name {
			t.Errorf("%s is %v (%v)", name, s, err)
		}
	}
	var s Severity
	if err := s.UnmarshalText([]byte("fatal")); err == nil || !strings.Contains(err.Error(), "fatal") {
		t.Errorf("fatal: %v", err)
	}
	if !KnownLimit("title-characters") || KnownLimit("title-charcters") || KnownLimit("") {
		t.Error("names of thresholds are known wrongly")
	}
}

// TestPlaces keeps so many places of a finding and counts the rest; of what is about targets or values, all.
func TestPlaces(t *testing.T) {
	for gather, want := range map[Gather]int{
		ByPlace: MaxPlaces, Alone: MaxPlaces, ByTarget: MaxPlaces + 2, ByValue: MaxPlaces + 2,
	} {
		f := Finding{Check: &Check{Gather: gather}}
		for range MaxPlaces + 2 {
			f.add(Place{})
		}
		if len(f.Places) != want || f.Count() != MaxPlaces+2 {
			t.Errorf("gathered by %d: %d places are kept, %d counted", gather, len(f.Places), f.Count())
		}
	}
	s := &survey.Survey{
		Addresses: []survey.Address{
			{URL: "https://fernhollow.example/"},
			{URL: "https://fernhollow.example/shut", State: survey.Blocked},
		},
	}
	s.Add(0, facts("/", "Fern"), -1, -1, nil)
	if err := s.Finish(); err != nil {
		t.Fatal(err)
	}
	p := &SitePass{Survey: s}
	for address, want := range map[string]string{"https://fernhollow.example/": "0 true false", "https://fernhollow.example/shut": "1 false true",
		"https://fernhollow.example/x": "-1 false false", "": "-1 false false"} {
		id, g, blocked := p.Target(address)
		if got := fmt.Sprint(id, g != nil, blocked); got != want {
			t.Errorf("%q is %s, want %s", address, got, want)
		}
	}
	group := make([]*survey.Page, MaxOthers+3)
	for i := range group {
		group[i] = &survey.Page{ID: 0}
	}
	group[1] = &survey.Page{ID: 1}
	if got := p.Others(group, 1); len(got) != MaxOthers || got[0] != "https://fernhollow.example/" {
		t.Errorf("%d others", len(got))
	}
	if got := p.Others(group[:3], 0); len(got) != 1 || got[0] != "https://fernhollow.example/shut" {
		t.Errorf("others %q", got)
	}
}
