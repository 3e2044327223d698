package e2e

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/drift"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// crawl crawls the garden once more, to the end.
func (h *harvik) crawl(t *testing.T) api.Crawl {
	t.Helper()
	return h.crawlOf(t, "fernhollow")
}

func (h *harvik) crawlOf(t *testing.T, site string) api.Crawl {
	t.Helper()
	cr, err := h.StartCrawl(t.Context(), site, api.NewCrawl{})
	if err != nil {
		t.Fatal(err)
	}
	if cr, err = h.Watch(t.Context(), site, api.Numbered(cr.Number), func(api.Progress) {}); err != nil ||
		cr.State != "finished" {
		t.Fatalf("the crawl is %s (%v)", cr.State, err)
	}
	return cr
}

// lineAbout is the line of the newest fix list that contains some words.
func (h *harvik) lineAbout(t *testing.T, words string) api.Fix {
	t.Helper()
	list, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &api.ListFixesParams{State: "all", Limit: 10_000})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range list.Fixes {
		if strings.Contains(f.Line, words) {
			return f
		}
	}
	t.Fatalf("no line about %q", words)
	return api.Fix{}
}

// recheck runs a recheck to its end.
func (h *harvik) recheck(t *testing.T, fixes ...string) api.Recheck {
	t.Helper()
	return h.recheckOf(t, "fernhollow", fixes...)
}

func (h *harvik) recheckOf(t *testing.T, site string, fixes ...string) api.Recheck {
	t.Helper()
	rec, err := h.StartRecheck(t.Context(), site, api.NewRecheck{Fixes: fixes})
	for err == nil && rec.State == "running" {
		time.Sleep(50 * time.Millisecond)
		rec, err = h.ShowRecheck(t.Context(), site, api.Numbered(rec.Crawl), rec.Number)
	}
	if err != nil || rec.State != "done" {
		t.Fatalf("recheck %+v (%v)", rec, err)
	}
	return rec
}

// weigh has the service weigh what is due, as it does after midnight.
func (h *harvik) weigh(t *testing.T) {
	t.Helper()
	if err := h.rooms.WeighDue(t.Context()); err != nil {
		t.Fatal(err)
	}
}

// execute changes the database behind the service's back.
func (h *harvik) execute(t *testing.T, sql string) {
	t.Helper()
	db, err := pgx.Connect(t.Context(), h.database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	if _, err := db.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
}

func (h *harvik) stateOf(t *testing.T, fix string) string {
	t.Helper()
	now, err := h.ShowTask(t.Context(), "fernhollow", fix)
	if err != nil {
		t.Fatal(err)
	}
	return now.Task.State
}

// TestSeasons works the list from spring to summer and back: what drift, rechecks and states tell is what
// was planted.
func TestSeasons(t *testing.T) {
	t.Parallel()
	garden := demo.NewSeasons(demo.Spring)
	h := startBeside(t, garden)
	h.addGarden(t)
	spring := h.crawl(t)
	footer := h.lineAbout(t, "Footer link to /old-shop/").ID
	twice := h.lineAbout(t, "A heading stands twice").ID
	unmended := h.lineAbout(t, "Order from the Fernhollow shop").ID
	if r := h.recheck(t, footer); r.Results[0].Verdict != record.IsThere || r.Results[0].Looked != 12 ||
		r.After != r.Health {
		t.Errorf("in spring the footer link is %+v; health %v, projected %v", r.Results[0], r.Health, r.After)
	}
	testRefusedMoves(t, h, footer)
	testWaivers(t, h, spring)

	garden.Turn()
	r := h.recheck(t, footer, twice, unmended)
	want := map[string]string{footer: record.IsConfirmed, twice: record.IsConfirmed, unmended: record.IsThere}
	for _, one := range r.Results {
		if one.Verdict != want[one.Fix] {
			t.Errorf("in summer %q is %s, want %s: %s", one.Line, one.Verdict, want[one.Fix], one.Says)
		}
	}
	if r.After < r.Health+7 {
		t.Errorf("health %v is projected to %v without the footer link", r.Health, r.After)
	}
	if cr, err := h.ShowCrawl(t.Context(), "fernhollow", api.Numbered(1)); err != nil ||
		cr.Report.Unwaived != spring.Report.Health {
		t.Errorf("after a recheck the crawl has %v, before %v (%v)", cr.Report.Unwaived, spring.Report.Health, err)
	}
	summer := h.crawl(t)
	for fix, want := range map[string]string{footer: "confirmed", twice: "confirmed", unmended: "open"} {
		if got := h.stateOf(t, fix); got != want {
			t.Errorf("after the crawl of summer %s is %s, want %s", fix, got, want)
		}
	}
	d := testDrift(t, h, spring, summer)
	testGate(t, h, d)
	testTrend(t, h)

	garden.Turn() // spring again: what was mended is back
	back := h.crawl(t)
	for _, fix := range []string{footer, twice} {
		if got := h.stateOf(t, fix); got != "returned" {
			t.Errorf("in spring again %s is %s", fix, got)
		}
	}
	again, err := h.ShowDrift(t.Context(), "fernhollow", api.Numbered(back.Number), &api.ShowDriftParams{})
	if err != nil || !slices.ContainsFunc(again.Drift.Returned, func(f api.Fix) bool { return f.ID == footer }) {
		t.Errorf("the footer link is not among %d returned (%v)", len(again.Drift.Returned), err)
	}
	if sum := sumOf(again.Drift.Step); math.Abs(sum-(again.Drift.Step.After-again.Drift.Step.Before)) > 1e-9 {
		t.Errorf("parts add up to %v, the step is %v", sum, again.Drift.Step.After-again.Drift.Step.Before)
	}
	testOtherRules(t, h, back)
}

// testOtherRules judges the newest crawl by other thresholds: the whole line of the trend is by those, so
// that no step comes from rules; drift tells what they made of it.
func testOtherRules(t *testing.T, h *harvik, newest api.Crawl) {
	t.Helper()
	before, err := h.ShowTrend(t.Context(), "fernhollow", &api.ShowTrendParams{Limit: 10})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.ChangePlan(t.Context(), "fernhollow", "application/yaml",
		strings.NewReader("limits: {title-least: 40, thin-words: 400}")); err != nil {
		t.Fatal(err)
	}
	if _, err := h.JudgeCrawl(t.Context(), "fernhollow", api.Numbered(newest.Number), nil); err != nil {
		t.Fatal(err)
	}
	after, err := h.ShowTrend(t.Context(), "fernhollow", &api.ShowTrendParams{Limit: 10})
	if err != nil || len(after.Points) != 3 {
		t.Fatalf("%d points (%v)", len(after.Points), err)
	}
	for i, p := range after.Points {
		if p.Health >= before.Points[i].Health || p.Note != "" {
			t.Errorf("crawl %d has %v by the new thresholds, %v by the old ones (%s)", p.Crawl, p.Health,
				before.Points[i].Health, p.Note)
		}
		for _, part := range p.Parts {
			if part.By == drift.ByRules {
				t.Errorf("the step to crawl %d comes from rules: %+v", p.Crawl, part)
			}
		}
	}
	d, err := h.ShowDrift(t.Context(), "fernhollow", api.Numbered(newest.Number), &api.ShowDriftParams{})
	if err != nil || !slices.ContainsFunc(d.Drift.Step.Parts,
		func(p api.StepPart) bool { return p.By == drift.ByRules && p.Points < 0 }) {
		t.Errorf("drift does not tell what the rules took: %+v (%v)", d.Drift.Step.Parts, err)
	}
}

func testRefusedMoves(t *testing.T, h *harvik, fix string) {
	t.Helper()
	for to, why := range map[string]string{"confirmed": "only a recheck", "returned": "by itself",
		"waived": "needs a reason"} {
		m, err := h.MoveFixes(t.Context(), "fernhollow", api.Wish{Fixes: []api.FixAt{{Fix: fix}}, To: to})
		if err != nil || len(m.Refused) != 1 || !strings.Contains(m.Refused[0].Why, why) {
			t.Errorf("to %s: %+v (%v)", to, m, err)
		}
	}
	m, err := h.MoveFixes(t.Context(), "fernhollow", api.Wish{Fixes: []api.FixAt{{Fix: "nosuch"}}, To: "taken"})
	if err != nil || len(m.Refused) != 1 || !strings.Contains(m.Refused[0].Why, "no such fix") {
		t.Errorf("an unknown fix: %+v (%v)", m, err)
	}
	who, due, note := "ash", "2027-03-31", "with the new footer"
	m, err = h.MoveFixes(t.Context(), "fernhollow",
		api.Wish{Fixes: []api.FixAt{{Fix: fix}}, To: "taken", Assignee: &who, Due: &due, Note: &note})
	if err != nil || len(m.Moved) != 1 || m.Moved[0].Assignee != who || m.Moved[0].Due.String() != due {
		t.Fatalf("taking: %+v (%v)", m, err)
	}
	if m, err = h.Undo(t.Context(), "fernhollow", api.Undo{Batch: m.Batch}); err != nil ||
		len(m.Moved) != 1 || m.Moved[0].State != "open" || m.Moved[0].Assignee != "" {
		t.Errorf("undone: %+v (%v)", m, err)
	}
	work, err := h.ShowTask(t.Context(), "fernhollow", fix)
	if err != nil || len(work.History) < 2 || work.History[1].Who != "rowan" ||
		!strings.Contains(work.History[1].Says, "open → taken; for ash; due 2027-03-31; with the new footer") {
		t.Errorf("history %+v (%v)", work.History, err)
	}
}

func testWaivers(t *testing.T, h *harvik, spring api.Crawl) {
	t.Helper()
	ctx := t.Context()
	past := time.Now().AddDate(0, 0, -2).Format(time.DateOnly)
	for _, c := range []struct {
		w   api.NewWaiver
		why string
	}{
		{api.NewWaiver{Scope: "check", Check: "title-missing"}, "needs a reason"},
		{api.NewWaiver{Scope: "check", Check: "title-mising", Reason: "x"}, "no check"},
		{api.NewWaiver{Scope: "section", On: "shop", Reason: "x"}, "begins and ends with a slash"},
		{api.NewWaiver{Scope: "layout", On: "nosuch", Reason: "x"}, "no layout"},
		{api.NewWaiver{Scope: "fix", On: "nosuch", Reason: "x"}, "no fix"},
		{api.NewWaiver{Scope: "everything", Reason: "x"}, "scope is"},
		{api.NewWaiver{Scope: "check", Check: "title-missing", Reason: "x", Until: past}, "is over"},
	} {
		var refused *api.Error
		if _, err := h.AddWaiver(ctx, "fernhollow", c.w); !errors.As(err, &refused) ||
			!strings.Contains(refused.Detail, c.why) {
			t.Errorf("%+v is answered with %v, want %q", c.w, err, c.why)
		}
	}
	w, err := h.AddWaiver(ctx, "fernhollow",
		api.NewWaiver{Scope: "check", Check: "robots-blocks-linked", Reason: "the calendar is meant to be blocked"})
	if err != nil || w.Findings != 82 || w.Pages != 82 || w.State != "holds" {
		t.Fatalf("waiver %+v (%v)", w, err)
	}
	cr, err := h.ShowCrawl(ctx, "fernhollow", api.Latest)
	if err != nil || cr.Report.Health <= spring.Report.Health || cr.Report.Unwaived != spring.Report.Health ||
		cr.Report.Waived != 82 {
		t.Errorf("waived: health %v of %v, %d findings (%v)", cr.Report.Health, spring.Report.Health, cr.Report.Waived,
			err)
	}
	sum := 100.0
	for _, l := range cr.Report.Ledger {
		sum -= l.Points
		if l.Check == "robots-blocks-linked" {
			t.Errorf("what is waived still takes %v", l.Points)
		}
	}
	if math.Abs(sum-cr.Report.Health) > 1e-9 {
		t.Errorf("the ledger explains %v, health is %v", sum, cr.Report.Health)
	}
	list, err := h.ListFixes(ctx, "fernhollow", api.Latest,
		&api.ListFixesParams{Check: "robots-blocks-linked", Limit: 10})
	if err != nil || len(list.Fixes) != 0 || list.Waived != 2 {
		t.Errorf("the list still shows %d waived lines, and says that %d are left out (%v)", len(list.Fixes),
			list.Waived, err)
	}
	shut := h.lineAbout(t, "shuts out addresses that pages link to").ID
	if m, err := h.MoveFixes(ctx, "fernhollow", api.Wish{Fixes: []api.FixAt{{Fix: shut}}, To: "taken"}); err != nil ||
		len(m.Refused) != 1 || !strings.Contains(m.Refused[0].Why, "end the waiver first") {
		t.Errorf("taking what is waived: %+v (%v)", m, err)
	}
	h.execute(t, "update waiver set until = current_date - 1")
	h.weigh(t)
	if sites, err := h.ListSites(ctx); err != nil || *sites.Sites[0].Health != spring.Report.Health {
		t.Errorf("after the waiver's last day the list of sites shows health %v, want %v (%v)", *sites.Sites[0].Health,
			spring.Report.Health, err)
	}
	if all, err := h.ListWaivers(ctx, "fernhollow"); err != nil || all.Waivers[0].State != "expired" {
		t.Errorf("waivers %+v (%v)", all, err)
	}
	h.execute(t, "update waiver set until = null")
	h.weigh(t)
	if cr, err := h.ShowCrawl(ctx, "fernhollow", api.Latest); err != nil || cr.Report.Waived != 82 {
		t.Errorf("the waiver holds again, and %d findings are waived (%v)", cr.Report.Waived, err)
	}
	none, err := h.AddWaiver(ctx, "fernhollow",
		api.NewWaiver{Scope: "section", On: "/nothing-here/", Reason: "for later"})
	if err != nil || none.State != "holds, matches nothing" {
		t.Errorf("a waiver of nothing %q (%v)", none.State, err)
	}
	if _, err := h.EndWaiver(ctx, "fernhollow", none.ID); err != nil {
		t.Error(err)
	}
	if all, err := h.ListWaivers(ctx, "fernhollow"); err != nil || len(all.Waivers) != 2 ||
		all.Waivers[0].State != "ended" || all.Waivers[0].EndedBy != "rowan" {
		t.Errorf("waivers %+v (%v)", all, err)
	}
}

// testDrift holds what drift tells to what the two editions were made with.
func testDrift(t *testing.T, h *harvik, spring, summer api.Crawl) *api.Drift {
	t.Helper()
	out, err := h.ShowDrift(t.Context(), "fernhollow", api.Numbered(summer.Number),
		&api.ShowDriftParams{From: new(spring.Number)})
	if err != nil {
		t.Fatal(err)
	}
	d := &out.Drift
	before, after := demo.New(demo.Spring), demo.New(demo.Summer)
	var told []demo.Change
	path := func(address string) string { return strings.Replace(address, demo.Home, "/", 1) }
	for _, s := range d.Appeared {
		told = append(told, demo.Change{What: "appeared", Page: path(s.Address)})
	}
	for _, s := range d.Vanished {
		told = append(told, demo.Change{What: "vanished", Page: path(s.Address)})
	}
	for _, m := range d.Moved {
		told = append(told, demo.Change{What: "moved", Page: path(m.From), To: path(m.To)})
	}
	for _, c := range d.Changes {
		if c.What == "indexable" || c.What == "canonical" {
			told = append(told, demo.Change{What: c.What, Page: path(c.Address), To: path(c.After)})
		}
	}
	sameSet(t, "changes", told, append(slices.Clone(demo.Changes),
		demo.Change{What: "appeared", Page: "/visit/tea-garden/"}, demo.Change{What: "appeared",
			Page: "/visit/echo-bank/"}))
	testPageChanges(t, d, before, after, path)
	testFindings(t, d, before, after, path)
	if !slices.ContainsFunc(d.Files, func(f api.FileChange) bool {
		return f.Kind == "robots" && len(f.Gone) == 0 && slices.Equal(f.New, []string{demo.SummerRobots})
	}) {
		t.Errorf("files %+v", d.Files)
	}
	if d.Step.Before != h.health(t, spring.Number) || d.Step.After != h.health(t, summer.Number) {
		t.Errorf("step %v → %v", d.Step.Before, d.Step.After)
	}
	if sum := sumOf(d.Step); math.Abs(sum-(d.Step.After-d.Step.Before)) > 1e-9 {
		t.Errorf("parts add up to %v, the step is %v", sum, d.Step.After-d.Step.Before)
	}
	shown := 0.0
	for _, p := range d.Step.Parts {
		shown += p.Shown
	}
	if want := math.Round(100*d.Step.After) - math.Round(100*d.Step.Before); math.Round(100*shown) != want {
		t.Errorf("parts as shown add up to %v, want %v hundredths", shown, want)
	}
	return d
}

func (h *harvik) health(t *testing.T, number int) float64 {
	t.Helper()
	cr, err := h.ShowCrawl(t.Context(), "fernhollow", api.Numbered(number))
	if err != nil {
		t.Fatal(err)
	}
	return cr.Report.Health
}

func sumOf(s api.DriftStep) (sum float64) {
	for _, p := range s.Parts {
		sum += p.Points
	}
	return sum
}

func sameSet[T comparable](t *testing.T, what string, got, want []T) {
	t.Helper()
	for _, w := range want {
		if !slices.Contains(got, w) {
			t.Errorf("%s: %v is not told", what, w)
		}
	}
	for _, g := range got {
		if !slices.Contains(want, g) {
			t.Errorf("%s: %v is told, and was not planted", what, g)
		}
	}
}

// testPageChanges compares titles, descriptions, headings and texts as the editions were made.
func testPageChanges(t *testing.T, d *api.Drift, before, after *demo.Site, path func(string) string) {
	t.Helper()
	told := map[string][]string{}
	for _, c := range d.Changes {
		told[c.What] = append(told[c.What], path(c.Address))
	}
	made := map[string][]string{}
	for _, old := range before.Pages {
		if after.Render(old.Path) == "" {
			continue
		}
		now := after.Page(old.Path)
		for what, f := range map[string]func(*demo.Page) string{
			"title": func(p *demo.Page) string {
				return strings.Join(strings.Fields(map[bool]string{false: p.Title}[p.NoTitle]), " ")
			},
			"description": func(p *demo.Page) string { return map[bool]string{false: p.Description}[p.NoDescription] },
			"h1":          func(p *demo.Page) string { return p.H1 },
		} {
			if f(old) != f(now) {
				made[what] = append(made[what], old.Path)
			}
		}
	}
	for _, what := range []string{"title", "description", "h1"} {
		sameSet(t, what, told[what], made[what])
	}
	for _, p := range told["text"] {
		if mainOf(before, p) == mainOf(after, p) {
			t.Errorf("the text of %s is said to have changed", p)
		}
	}
	if len(told["text"]) < 60 {
		t.Errorf("%d texts changed", len(told["text"]))
	}
}

var tags = regexp.MustCompile(`(?s)<main.*</main>`)

// mainOf is what an edition has between <main> and </main> of a page.
func mainOf(s *demo.Site, path string) string { return tags.FindString(s.Render(path)) }

// testFindings compares the findings that came and went with those planted, on the pages of both.
func testFindings(t *testing.T, d *api.Drift, before, after *demo.Site, path func(string) string) {
	t.Helper()
	told := map[string]bool{}
	for _, c := range d.Findings.Checks {
		for _, a := range c.NewOn {
			told["new "+c.Check+" "+path(a)] = true
		}
		for _, a := range c.GoneOn {
			told["gone "+c.Check+" "+path(a)] = true
		}
	}
	has := func(s *demo.Site, f demo.Finding) bool {
		return slices.ContainsFunc(s.Planted,
			func(o demo.Finding) bool { return o.Check == f.Check && o.Page == f.Page })
	}
	planted := map[string]bool{}
	for _, f := range before.Planted {
		if !has(after, f) {
			planted["gone "+f.Check+" "+f.Page] = true
		}
	}
	for _, f := range after.Planted {
		if !has(before, f) {
			planted["new "+f.Check+" "+f.Page] = true
		}
	}
	sameSet(t, "findings", slices.Collect(maps.Keys(told)), slices.Collect(maps.Keys(planted)))
	if d.Findings.Gone+d.Findings.New != len(planted) {
		t.Errorf("%d gone and %d new, planted %d", d.Findings.Gone, d.Findings.New, len(planted))
	}
}

func testGate(t *testing.T, h *harvik, d *api.Drift) {
	t.Helper()
	severity := func(s api.Severity) *api.Severity { return &s }
	for _, c := range []struct {
		in     api.GateConditions
		passed bool
		says   string
	}{
		{api.GateConditions{MinHealth: 80}, true, "at least 80 is asked for"},
		{api.GateConditions{MinHealth: 99}, false, "less than the 99"},
		{api.GateConditions{NoNew: severity("error")}, false, "4 new findings of severity error"},
		{api.GateConditions{Max: map[string]int{"link-broken-inside": 0}}, false, "link-broken-inside has"},
		{api.GateConditions{Max: map[string]int{"robots-blocks-linked": 0}}, true, "0 findings"}, // waived
	} {
		v, err := h.PassGate(t.Context(), "fernhollow", api.Numbered(2), &api.PassGateParams{From: new(1)}, c.in)
		if err != nil || v.Passed != c.passed || len(v.Reasons) != 1 || !strings.Contains(v.Reasons[0].Says, c.says) {
			t.Errorf("%+v: %+v (%v)", c.in, v, err)
		}
	}
	for _, in := range []api.GateConditions{{}, {MinHealth: 101}, {Max: map[string]int{"nosuch": 1}}} {
		if v, err := h.PassGate(t.Context(), "fernhollow", api.Numbered(2), &api.PassGateParams{From: new(1)},
			in); err == nil {
			t.Errorf("%+v is taken: %+v", in, v)
		}
	}
}

func testTrend(t *testing.T, h *harvik) {
	t.Helper()
	trend, err := h.ShowTrend(t.Context(), "fernhollow", &api.ShowTrendParams{Limit: 10})
	if err != nil || len(trend.Points) != 2 {
		t.Fatalf("%d points (%v)", len(trend.Points), err)
	}
	points := trend.Points
	if points[0].Crawl != 1 || points[1].Crawl != 2 || points[0].Health != h.health(t, 1) ||
		points[1].Health != h.health(t, 2) {
		t.Errorf("points %+v", points)
	}
	if parts := points[1].Parts; len(parts) == 0 || !strings.Contains(parts[0].Line, "/old-shop/") {
		t.Errorf("the step comes from %+v", parts)
	}
}

// TestTogether lets several people work at once: nothing is lost, and who comes last is told.
func TestTogether(t *testing.T) {
	t.Parallel()
	h := crawled(t)
	ctx := t.Context()
	list, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 20})
	if err != nil {
		t.Fatal(err)
	}
	fix := list.Fixes[0].ID
	first, err := h.MoveFixes(ctx, "fernhollow", api.Wish{Fixes: []api.FixAt{{Fix: fix}}, To: "taken"})
	if err != nil || len(first.Moved) != 1 {
		t.Fatalf("%+v (%v)", first, err)
	}
	version := first.Moved[0].Version
	var wg sync.WaitGroup
	outcomes := make([]api.Moves, 8)
	for i := range outcomes {
		wg.Go(func() {
			note := fmt.Sprintf("note %d", i)
			outcomes[i], _ = h.MoveFixes(ctx, "fernhollow",
				api.Wish{Fixes: []api.FixAt{{Fix: fix, Version: &version}}, Note: &note})
		})
	}
	wg.Wait()
	won, told := 0, 0
	for _, o := range outcomes {
		won += len(o.Moved)
		for _, r := range o.Refused {
			if strings.Contains(r.Why, "changed meanwhile") && r.Task != nil {
				told++
			}
		}
	}
	if won != 1 || told != len(outcomes)-1 {
		t.Errorf("%d won, %d were told", won, told)
	}
	// The first move on a fix has a version, too.
	untouched := 0
	outcomes = make([]api.Moves, 8)
	for i := range outcomes {
		wg.Go(func() {
			who := fmt.Sprintf("person %d", i)
			outcomes[i], _ = h.MoveFixes(ctx, "fernhollow",
				api.Wish{Fixes: []api.FixAt{{Fix: list.Fixes[len(list.Fixes)-1].ID, Version: &untouched}}, To: "taken",
					Assignee: &who})
		})
	}
	wg.Wait()
	won = 0
	for _, o := range outcomes {
		won += len(o.Moved)
	}
	if won != 1 {
		t.Errorf("%d people won the first move on a fix", won)
	}
	if m, err := h.MoveFixes(ctx, "fernhollow", api.Wish{Fixes: []api.FixAt{{Fix: list.Fixes[len(list.Fixes)-1].ID}},
		To: "open"}); err != nil || len(m.Moved) != 1 {
		t.Errorf("putting it back: %+v (%v)", m, err)
	}
	// A batch is one: all of it or nothing, each fix once.
	batch := api.Wish{To: "taken"}
	for _, f := range append(slices.Clone(list.Fixes[2:len(list.Fixes)-1]), list.Fixes[2]) {
		batch.Fixes = append(batch.Fixes, api.FixAt{Fix: f.ID})
	}
	many, err := h.MoveFixes(ctx, "fernhollow", batch)
	if err != nil || len(many.Moved) != len(list.Fixes)-3 || len(many.Refused) != 1 ||
		!strings.Contains(many.Refused[0].Why, "named twice") {
		t.Errorf("a batch: %d moved, refused %+v (%v)", len(many.Moved), many.Refused, err)
	}
	if back, err := h.Undo(ctx, "fernhollow", api.Undo{Batch: many.Batch}); err != nil ||
		len(back.Moved) != len(many.Moved) {
		t.Errorf("undone: %d of %d (%v)", len(back.Moved), len(many.Moved), err)
	}
	if m, err := h.Undo(ctx, "fernhollow", api.Undo{Batch: first.Batch}); err != nil || len(m.Moved) != 0 ||
		len(m.Refused) != 1 {
		t.Errorf("undoing what somebody has gone on from: %+v (%v)", m, err)
	}

	// A crawl that finishes while people waive and take: all of it holds afterwards.
	cr, err := h.StartCrawl(ctx, "fernhollow", api.NewCrawl{})
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	var waived, taken int
	wg.Go(func() {
		for i := 0; ; i++ {
			select {
			case <-done:
				return
			case <-time.After(300 * time.Millisecond):
			}
			if _, err := h.AddWaiver(ctx, "fernhollow",
				api.NewWaiver{Scope: "page", On: fmt.Sprintf("%sevents/%d/", demo.Home, i), Reason: "for the test"}); err != nil {
				t.Errorf("waiving while a crawl runs: %v", err)
			}
			waived++
			if taken < len(list.Fixes)-1 {
				taken++
				if m, err := h.MoveFixes(ctx, "fernhollow",
					api.Wish{Fixes: []api.FixAt{{Fix: list.Fixes[taken].ID}}, To: "taken"}); err != nil ||
					len(m.Moved) != 1 {
					t.Errorf("taking while a crawl runs: %+v (%v)", m, err)
				}
			}
		}
	})
	if _, err := h.Watch(ctx, "fernhollow", api.Numbered(cr.Number), func(api.Progress) {}); err != nil {
		t.Fatal(err)
	}
	close(done)
	wg.Wait()
	if all, err := h.ListWaivers(ctx, "fernhollow"); err != nil || len(all.Waivers) != waived {
		t.Errorf("%d waivers of %d (%v)", len(all.Waivers), waived, err)
	}
	for i := 1; i <= taken; i++ {
		if s := h.stateOf(t, list.Fixes[i].ID); s != "taken" {
			t.Errorf("fix %s was taken, and is %s", list.Fixes[i].ID, s)
		}
	}
}

// TestFolderAfterFolder crawls a site in six languages, each with a link to a page that is in none: one fix,
// whose evidence is of that link alone, and whose recheck looks at all its targets.
func TestFolderAfterFolder(t *testing.T) {
	t.Parallel()
	h := startBeside(t, http.NotFoundHandler())
	languages := []string{"de", "en", "es", "fr", "it", "pl"}
	mended := false
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		var folder string
		switch fmt.Sscanf(strings.Trim(r.URL.Path, "/"), "%s", &folder); {
		case r.URL.Path == "/":
			for _, l := range languages {
				fmt.Fprintf(w, `<a href="/%s/">%s</a> `, l, l)
			}
		case len(folder) == 2:
			fmt.Fprintf(w, `<title>Beds in %s</title><p><a href="map.html">Map</a> <a href="/gone-%s">gone</a>`, folder,
				folder)
		case mended && strings.HasSuffix(r.URL.Path, "/map.html"):
			fmt.Fprint(w, "<title>Map</title>")
		default:
			http.NotFound(w, r)
		}
	}))
	h.addSite(t, "beds", "http://beds.example/",
		plan.Plan{Hosts: map[string]string{"beds.example": host}, Probes: plan.No()})
	if _, err := h.StartCrawl(t.Context(), "beds", api.NewCrawl{}); err != nil {
		t.Fatal(err)
	}
	if _, err := h.Watch(t.Context(), "beds", api.Numbered(1), func(api.Progress) {}); err != nil {
		t.Fatal(err)
	}
	list, err := h.ListFixes(t.Context(), "beds", api.Numbered(1),
		&api.ListFixesParams{Check: "link-broken-inside", Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(list.Fixes,
		func(f api.Fix) bool { return strings.Contains(f.Line, "link “Map”, on 6 pages") })
	if i < 0 || len(list.Fixes) != 2 {
		t.Fatalf("%d fixes: %+v", len(list.Fixes), list.Fixes)
	}
	status, _, answer := h.ask(t, "GET", "/sites/beds/crawls/1/fixes/"+list.Fixes[i].ID+"/pages", "")
	if status != http.StatusOK || strings.Count(answer, "/map.html answers status 404") != 6 ||
		strings.Contains(answer, "gone-") {
		t.Errorf("%d %s", status, answer)
	}
	mended = true
	if rec := h.recheckOf(t, "beds", list.Fixes[i].ID); len(rec.Results) != 1 ||
		rec.Results[0].Verdict != record.IsConfirmed {
		t.Errorf("mended, the recheck gives %+v", rec.Results)
	}
}

// TestEntries works at single targets of lines for several: each has a state, a recheck and evidence of its own,
// whatever becomes of its line.
func TestEntries(t *testing.T) {
	t.Parallel()
	garden := demo.NewSeasons(demo.Spring)
	h := startBeside(t, garden)
	h.addGarden(t)
	h.crawl(t)
	ctx := t.Context()
	var lines map[string]bool
	entries := func() map[string]api.FixEntry {
		lines = map[string]bool{}
		list, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 1000})
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]api.FixEntry{}
		for _, line := range list.Fixes {
			if line.Entries != nil {
				t.Errorf("the list carries the entries of %s", line.ID)
			}
			if lines[line.ID] = true; line.Cases < 2 {
				continue
			}
			d, err := h.ShowFix(ctx, "fernhollow", api.Latest, line.ID)
			if err != nil {
				t.Fatal(err)
			}
			if one := d.Fix.Kind; one != "target" && one != "value" && len(d.Fix.Entries) != min(line.Cases, 300) {
				t.Errorf("%q has %d entries", line.Line, len(d.Fix.Entries))
			}
			for _, e := range d.Fix.Entries {
				out[e.ID] = e
			}
		}
		return out
	}
	spring := entries()
	if len(spring) < 5 {
		t.Fatalf("%d entries", len(spring))
	}
	var all []api.FixAt
	one := ""
	for id, e := range spring {
		if all = append(all, api.FixAt{Fix: id}); strings.HasSuffix(e.Target, "/plants/betula-pendla/") {
			one = id
		}
	}
	moves, err := h.MoveFixes(ctx, "fernhollow", api.Wish{Fixes: append(all, api.FixAt{Fix: "zzzzzzzz"}), To: "claimed"})
	if err != nil || len(moves.Moved) != len(all) || len(moves.Refused) != 1 {
		t.Fatalf("moved %d, refused %+v (%v)", len(moves.Moved), moves.Refused, err)
	}
	d, err := h.ShowFix(ctx, "fernhollow", api.Latest, one)
	if err != nil || d.Fix.State != "claimed" || d.Fix.Of == "" || d.Fix.Kind != "target" {
		t.Errorf("an entry is shown as %+v (%v)", d.Fix, err)
	}
	pages, err := h.FixPages(ctx, "fernhollow", api.Latest, one, &api.FixPagesParams{Limit: 100})
	if err != nil || len(pages.Pages) != 1 || len(pages.Pages[0].Places) != 1 ||
		pages.Pages[0].Address != demo.Home+"plants/betula-nigra/" {
		t.Errorf("its pages are %+v (%v)", pages, err)
	}
	if r := h.recheck(t, one); r.Results[0].Verdict != record.IsThere || r.Results[0].State != "taken" {
		t.Errorf("rechecked, it is %+v", r.Results[0])
	}
	garden.Turn()
	h.crawl(t)
	summer := entries()
	gone := 0
	for id, e := range spring {
		want := "confirmed"
		if _, there := summer[id]; there || lines[id] {
			want = "taken" // claimed, and still there, be it in a line of its own
		} else {
			gone++
		}
		if got := h.stateOf(t, id); got != want {
			t.Errorf("in summer %q is %s, want %s", e.Line, got, want)
		}
	}
	if gone == 0 || gone == len(spring) {
		t.Errorf("%d of %d are gone", gone, len(spring))
	}
	for id, e := range summer {
		if _, before := spring[id]; before && e.State != string("taken") {
			t.Errorf("its line says that %q is %s", e.Line, e.State)
		}
	}
}
