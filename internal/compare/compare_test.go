package compare

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/waive"
	"harvik/internal/decide"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// kept are crawls in memory, the oldest first.
type kept struct {
	crawls  []record.Crawl
	results []*booking.Result
	waived  *waive.Set
	refused map[int]string // crawls that cannot be judged anew
	notes   map[int]string // crawls that are judged by rules of their own
	texts   bool           // whether the main texts of pages changed from crawl to crawl
	asked   int            // for how many texts
	failing error
	slower  float64 // by how many ms each crawl paints later than the one before
	urls    []string
}

// URLs, EachRendering and PageLayouts are of pages that every crawl renders alike.
func (k *kept) URLs(context.Context, int64) ([]string, error) { return k.urls, k.failing }
func (k *kept) EachRendering(_ context.Context, crawl int64, _ []int32, f func(int32, []rendered.Page) error) error {
	for i := range k.urls {
		p := rendered.Page{Device: plan.Phone, Outcome: rendered.Rendered,
			Speed: rendered.Speed{LargestAt: 1000 + k.slower*float64(crawl-1)}}
		if err := f(int32(i), []rendered.Page{p}); err != nil {
			return err
		}
	}
	return nil
}
func (k *kept) PageLayouts(context.Context, int64) (map[int32]int32, error) {
	return map[int32]int32{1: 0, 2: 0}, nil
}

func (k *kept) Before(_ context.Context, _ int64, number int) (record.Crawl, error) {
	if number < 2 {
		return record.Crawl{}, record.ErrNotFound
	}
	return k.crawls[number-2], nil
}
func (k *kept) FinishedCrawls(context.Context, int64, int) ([]record.Crawl, error) {
	return k.crawls, nil
}
func (k *kept) Sheet(_ context.Context, crawl int64, _ string) (*fixlist.Sheet, error) {
	if r := k.results[crawl-1]; r != nil {
		return r.Sheet, nil
	}
	return nil, record.ErrNotFound
}
func (k *kept) DriftPages(_ context.Context, crawl int64) (map[string]drift.Page, map[string]string, error) {
	out := map[string]drift.Page{}
	for _, p := range k.results[crawl-1].Sheet.Pages {
		out[p.Address] = drift.Page{Status: 200, HTML: true}
		if k.texts {
			out[p.Address] = drift.Page{Status: 200, HTML: true, TextHash: uint64(crawl)}
		}
	}
	return out, map[string]string{}, nil
}
func (k *kept) DriftFiles(context.Context, int64) ([]drift.File, error) { return nil, nil }
func (k *kept) Texts(_ context.Context, crawl int64, addresses []string) (map[string]string, error) {
	k.asked += len(addresses)
	out := map[string]string{}
	for _, a := range addresses {
		out[a] = []string{"Ferns of the dell", "Ferns of the rockery"}[crawl-1]
	}
	return out, k.failing
}
func (k *kept) WasConfirmed(context.Context, int64, time.Time) (map[string]bool, error) {
	return map[string]bool{}, nil
}
func (k *kept) Version() int { return testkit.Catalogue.Version }
func (k *kept) RulesToday(rec record.Crawl) string {
	return judging.New(nil, testkit.Catalogue, testkit.Quiet).RulesToday(rec)
}
func (k *kept) SheetBy(_ context.Context, rec, _ record.Crawl) (*fixlist.Sheet, string, error) {
	if why := k.refused[rec.Number]; why != "" {
		return nil, "", record.Refuse("%s", why)
	}
	return k.results[rec.ID-1].Sheet, k.notes[rec.Number], nil
}
func (k *kept) Decided(context.Context, record.Site) (*decide.Weights, error) {
	if k.waived == nil {
		return &decide.Weights{Set: waive.NewSet(nil)}, nil
	}
	return &decide.Weights{Set: k.waived, Signature: "waived",
		All: []record.Waiver{{ID: 1, Reason: "as it should be"}}}, nil
}
func (k *kept) Weights(ctx context.Context, site record.Site) (*decide.Weights, error) {
	return k.Decided(ctx, site)
}

// grown is Fernhollow crawled twice: whole at first, and then with a page that lacks its title.
func grown(t *testing.T) (k *kept, home string) {
	t.Helper()
	shop := "<title>The garden's shop</title>"
	mux := http.NewServeMux()
	write := func(w http.ResponseWriter, title, heading string) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		io.WriteString(
			w,
			`<html lang="en"><head>`+title+`</head><body><h1>`+heading+`</h1><p>Green all year. <a href="/shop/">The shop</a> <a href="/">Home of ferns</a></p></body></html>`,
		)
	}
	mux.HandleFunc("/{$}", func(w http.ResponseWriter, _ *http.Request) {
		write(w, "<title>Ferns for every garden</title>", "Ferns")
	})
	mux.HandleFunc("/shop/", func(w http.ResponseWriter, _ *http.Request) { write(w, shop, "Shop") })
	home = "http://" + testkit.Serve(t, mux) + "/"
	k = &kept{refused: map[int]string{}}
	for i := range 2 {
		r, _ := testkit.Crawl(t, home, plan.Plan{Probes: plan.No()})
		k.results = append(k.results, r)
		k.crawls = append(k.crawls, record.Crawl{
			ID: int64(i + 1), Number: i + 1, Site: "fernhollow", Home: home, State: "finished", Ending: "complete",
			Catalogue: testkit.Catalogue.Version,
			Report:    &record.Summary{Report: r.Report, Fixes: len(r.Report.Fixes)},
		})
		shop = ""
	}
	return k, home
}

// TestDrift tells what came, and in what the crawls differ; an unfinished crawl is refused.
func TestDrift(t *testing.T) {
	k, home := grown(t)
	k.crawls[1].Plan.Depth, k.crawls[1].Ending = 3, "stopped"
	c := New(k, k, k)
	out, err := c.Drift(t.Context(), record.Site{}, k.crawls[0], k.crawls[1])
	if err != nil {
		t.Fatal(err)
	}
	came := false
	for _, l := range out.New {
		came = came || l.Check == "title-missing"
	}
	notes := strings.Join(out.Notes, "\n")
	if !came || !strings.Contains(notes, "the limit of depth") ||
		!strings.Contains(notes, "crawl 2 did not see the whole site (stopped)") {
		t.Errorf("title-missing of %s came: %v; notes:\n%s", home, came, notes)
	}
	if strings.Contains(notes, "earlier Harvik") || strings.Contains(notes, "by its own rules") || k.asked > 0 {
		t.Errorf("of crawls of today, whose texts did not change (%d asked for), notes say\n%s", k.asked, notes)
	}
	if out.Step.Before != k.results[0].Report.Health || out.Step.After != k.results[1].Report.Health {
		t.Errorf("health steps from %v to %v", out.Step.Before, out.Step.After)
	}
	k.crawls[0].Catalogue--
	k.notes = map[int]string{1: "crawl 1 is by its own rules"}
	if out, err = c.Drift(t.Context(), record.Site{}, k.crawls[0], k.crawls[1]); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"crawl 1 was judged by an earlier Harvik", "crawl 1 is by its own rules"} {
		if notes = strings.Join(out.Notes, "\n"); !strings.Contains(notes, want) {
			t.Errorf("notes do not say that %s:\n%s", want, notes)
		}
	}
	k.crawls[1].State = "running"
	if _, err := c.Drift(t.Context(), record.Site{}, k.crawls[0], k.crawls[1]); err == nil ||
		!strings.Contains(err.Error(), "crawl 2 is running") {
		t.Errorf("with one that runs: %v", err)
	}
}

// TestSpeed: renderings are told by layout or section beside those of the crawl before, each group with the question
// that finds it, but for pages that are like no other.
func TestSpeed(t *testing.T) {
	k, home := grown(t)
	k.urls, k.slower = []string{home, home + "shop/a", home + "shop/b"}, 3200
	k.results[0].Sheet.Layouts, k.results[1].Sheet.Layouts = []string{"fern"}, []string{"fern"}
	c := New(k, k, k)
	for _, by := range []string{record.ByLayout, record.BySection} {
		got, err := c.Speed(t.Context(), &k.crawls[0], k.crawls[1], by)
		if err != nil || got.By != by || got.Before != 1 || len(got.Groups) != 2 {
			t.Fatalf("by %s: %+v (%v)", by, got, err)
		}
		name := map[string]string{record.ByLayout: "fern", record.BySection: "/shop/"}[by]
		question := map[string]string{record.ByLayout: `page.layout == 0`, record.BySection: `page.section == "/shop/"`}[by]
		g := got.Groups[0]
		if g.Name != name || g.Pages != 2 || g.Address != k.urls[1] || g.Question != `device == "phone" && `+question ||
			g.Slow[0] != g.Question+" && largestPaint > 2500.0" || g.Worst[0] != k.urls[1] || g.Largest.Poor != 2 ||
			g.Before == nil || g.Before.Largest.Upper != 1000 || g.Largest.Upper != 4200 {
			t.Errorf("by %s the first group is %+v", by, g)
		}
		if alone := got.Groups[1]; by == record.ByLayout &&
			(alone.Name != "" || alone.Question != "" || alone.Slow[0] != "") {
			t.Errorf("a page that is like no other is told as %+v", alone)
		}
	}
	if got, err := c.Speed(t.Context(), nil, k.crawls[0], record.ByLayout); err != nil || got.Before != 0 ||
		got.Groups[0].Before != nil {
		t.Errorf("without a crawl before: %+v (%v)", got, err)
	}
	k.failing = errors.New("no room")
	if _, err := c.Speed(t.Context(), nil, k.crawls[0], record.ByLayout); err == nil {
		t.Error("an error is no answer")
	}
}

// TestQuotes: where main texts changed, their first difference stands in the place of them, and an error is no
// comparison.
func TestQuotes(t *testing.T) {
	k, _ := grown(t)
	k.texts = true
	c := New(k, k, k)
	out, err := c.Drift(t.Context(), record.Site{}, k.crawls[0], k.crawls[1])
	if err != nil {
		t.Fatal(err)
	}
	quoted := 0
	for _, change := range out.Changes {
		if change.What == drift.Text {
			quoted++
			if change.Before != "dell" || change.After != "rockery" {
				t.Errorf("a text changed from %q to %q", change.Before, change.After)
			}
		}
	}
	if quoted != 2 || k.asked != 4 {
		t.Errorf("%d texts are quoted, %d were asked for", quoted, k.asked)
	}
	k.failing = errors.New("the disk is gone")
	if _, err := c.Drift(t.Context(), record.Site{}, k.crawls[0], k.crawls[1]); !errors.Is(err, k.failing) {
		t.Errorf("where texts cannot be read: %v", err)
	}
	many := make([]drift.Change, mostQuoted+5)
	for i := range many {
		many[i].What = drift.Text
	}
	k.asked, k.failing = 0, nil
	if err := c.quoteTexts(t.Context(), k.crawls[0], k.crawls[1], many); err != nil || k.asked != 2*mostQuoted {
		t.Errorf("of %d changed texts, %d were asked for (%v)", len(many), k.asked, err)
	}
}

// TestGate fails what is new and not what was there, leaves out what is waived, and refuses where nothing can be new.
func TestGate(t *testing.T) {
	k, home := grown(t)
	c := New(k, k, k)
	worst := check.Error
	asked := gate.Conditions{NoNew: &worst}
	for _, one := range []struct {
		what    string
		before  int
		after   int
		waive   bool
		passes  bool
		refused string
		says    string
	}{
		{"a page lost its title", 0, 1, false, false, "", "there is 1 new finding of severity error or graver, and none may be"},
		{"nothing changed", 0, 0, false, true, "", ""},
		{"mended", 1, 0, false, true, "", ""},
		{"lost it, and it is waived", 0, 1, true, true, "", ""},
		{"the first", -1, 0, false, false, "is the first of this site", ""},
	} {
		k.waived = nil
		if one.waive {
			k.waived = waive.NewSet([]waive.Waiver{{ID: 1, Scope: waive.Page, On: home + "shop/"}})
		}
		var against *record.Crawl
		if one.before >= 0 {
			against = &k.crawls[one.before]
		}
		v, err := c.Gate(t.Context(), record.Site{}, k.crawls[one.after], against, asked)
		switch {
		case one.refused != "":
			if err == nil || !strings.Contains(err.Error(), one.refused) {
				t.Errorf("%s: %v", one.what, err)
			}
		case one.says != "" && (len(v.Reasons) != 1 || v.Reasons[0].Says != one.says || len(v.Reasons[0].Fixes) == 0):
			t.Errorf("%s: %+v", one.what, v.Reasons)
		case err != nil || v.Passed != one.passes:
			t.Errorf("%s: passed %v, %v: %+v", one.what, v.Passed, err, v.Reasons)
		}
	}
	k.results[1] = nil
	if _, err := c.Gate(t.Context(), record.Site{}, k.crawls[1], nil, gate.Conditions{}); err == nil ||
		!strings.Contains(err.Error(), "harvik judge fernhollow@2") {
		t.Errorf("without a sheet: %v", err)
	}
}

// TestTrend has a point for every crawl, with the reason where one cannot be told by today's rules.
func TestTrend(t *testing.T) {
	k, _ := grown(t)
	c := New(k, k, k)
	out, err := c.Trend(t.Context(), record.Site{}, 10)
	if err != nil || len(out) != 2 || out[0].Health <= out[1].Health || len(out[1].Parts) == 0 {
		t.Errorf("the trend is %+v, %v", out, err)
	}
	k.refused[1] = "its facts are of another Harvik"
	out, err = c.Trend(t.Context(), record.Site{}, 10)
	if err != nil || out[0].Note != k.refused[1] || len(out[1].Parts) != 0 {
		t.Errorf("with one that cannot be judged: %+v, %v", out, err)
	}
	if none, err := New(&kept{}, k, k).Trend(t.Context(), record.Site{}, 10); err != nil || none == nil ||
		len(none) != 0 {
		t.Errorf("without crawls: %v, %v", none, err)
	}
}

// TestStanding tells which findings are waived and why, and which another crawl had.
func TestStanding(t *testing.T) {
	k, home := grown(t)
	k.waived = waive.NewSet([]waive.Waiver{{ID: 1, Scope: waive.Page, On: home + "shop/"}})
	waived, failed, err := New(k, k, k).Standing(t.Context(), record.Site{}, k.crawls[1], &k.crawls[0])
	if err != nil {
		t.Fatal(err)
	}
	if why, ok := waived("title-missing", home+"shop/"); !ok || why != "as it should be" {
		t.Errorf("the shop's title is waived: %v, %q", ok, why)
	}
	if _, ok := waived("description-missing", home); ok {
		t.Error("the home page is waived")
	}
	if failed("title-missing", home+"shop/") || !failed("description-missing", home) {
		t.Error("what the crawl before had is told wrongly")
	}
}
