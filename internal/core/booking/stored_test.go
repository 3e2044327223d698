package booking_test

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"harvik/demo"
	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/testkit"
)

// told is what a judgement says, as lines.
func told(r *booking.Result, findings []check.Finding) (out []string) {
	report := r.Sheet.Build(fixlist.Adjustment{})
	out = append(out, fmt.Sprintf("%s %q %v ±%v of %d", r.Ending, r.Detail, report.Health, report.HalfWidth,
		report.Expected))
	for _, f := range findings {
		out = append(out, fmt.Sprintf("%s of %d: %v", f.Check.ID, f.Page, f.Places))
	}
	for _, f := range report.Fixes {
		out = append(out, fmt.Sprintf("%d %s %s %v", f.Rank, f.ID, f.Line, f.Gain))
	}
	for i := range r.Survey.Pages {
		p := &r.Survey.Pages[i]
		out = append(out, fmt.Sprintf("%d: %d, %d, layout %d, %d in", p.ID, p.Redirect, p.Canonical, p.Layout,
			r.Survey.In[p.ID]))
	}
	for _, f := range r.Survey.Sitemaps {
		out = append(out, fmt.Sprintf("%+v", f))
	}
	slices.Sort(out)
	return out
}

// TestStored judges stored crawls anew by the rules that they were judged by: nothing that is said of them changes,
// however their addresses were chosen and whatever ended them.
func TestStored(t *testing.T) {
	t.Parallel()
	garden := demo.New(demo.Spring).Steady()
	trap := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, `<title>Days</title><p>No events.</p><a href="%s">later</a><a href="/">home</a>`,
			"/day/"+strings.Repeat("1", len(r.URL.Path)%90+1))
		fmt.Fprintf(w, `<meta http-equiv=refresh content="5;url=/now">`)
	})
	shut := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(http.StatusServiceUnavailable)
	})
	for name, one := range map[string]struct {
		h http.Handler
		p plan.Plan
	}{
		"whole":   {&testkit.Generated{Pages: 60, Seed: 4}, plan.Plan{}},
		"part":    {&testkit.Generated{Pages: 150, Seed: 4}, plan.Plan{Pages: 60}},
		"spread":  {&testkit.Generated{Pages: 200, Seed: 3}, plan.Plan{Pages: 80, Selection: plan.Spread}},
		"endless": {trap, plan.Plan{Pages: 100}},
		"shut":    {shut, plan.Plan{Retries: -1}},
		"garden":  {garden, plan.Plan{Hosts: map[string]string{}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			testkit.Bubble(t, func(t *testing.T) { judgedAgain(t, one.h, one.p) })
		})
	}
}

// judgedAgain crawls a handler, or Fernhollow where the plan names hosts, and judges that anew.
func judgedAgain(t *testing.T, h http.Handler, p plan.Plan) {
	t.Helper()
	start := demo.Home
	if p.Hosts != nil {
		p = testkit.Garden(t, h)
	} else {
		start = "http://" + testkit.Serve(t, h) + "/"
	}
	first, memory := testkit.Crawl(t, start, p)
	want := told(first, memory.Findings)
	stored := memory.Stored(t, start, p, first)
	before := maps.Clone(stored.Weights)
	again, pages, err := stored.Judge(check.NewRunner(testkit.Catalogue.Checks, stored.Plan))
	if err != nil {
		t.Fatal(err)
	}
	counts := map[string]int{}
	for _, line := range want {
		counts[line]++
	}
	for _, line := range told(again, append(pages, again.Findings...)) {
		counts[line]--
	}
	for line, n := range counts {
		if n != 0 {
			t.Errorf("%d times more than judged anew: %s", n, line)
		}
	}
	if !maps.Equal(before, stored.Weights) {
		t.Error("the weights of the stored crawl were changed")
	}
}

// TestStoredByOthers refuses facts that another Harvik wrote, and passes on what cannot be read.
func TestStoredByOthers(t *testing.T) {
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 5, Seed: 1}) + "/"
	first, memory := testkit.Crawl(t, home, plan.Plan{})
	stored := memory.Stored(t, home, plan.Plan{}, first)
	memory.Records[2].Facts.Version = page.Version + 1
	_, _, err := stored.Judge(check.NewRunner(testkit.Catalogue.Checks, stored.Plan))
	if old, ok := errors.AsType[*booking.OldFactsError](err); !ok || old.Version != page.Version+1 ||
		!strings.Contains(err.Error(), "newer Harvik") {
		t.Errorf("newer facts: %v", err)
	}
	memory.Records[2].Facts.Version = page.Oldest - 1
	if _, _, err = stored.Judge(check.NewRunner(testkit.Catalogue.Checks, stored.Plan)); err == nil ||
		!strings.Contains(err.Error(), "crawl again") {
		t.Errorf("older facts: %v", err)
	}
	memory.Records[2].Facts.Version = page.Version
	gone := errors.New("the file is gone")
	stored.Body = func(string) ([]byte, error) { return nil, gone }
	stored.Files = append(stored.Files, booking.File{Kind: booking.Sitemap, Address: home + "sitemap.xml", Status: 200})
	if _, _, err = stored.Judge(check.NewRunner(testkit.Catalogue.Checks, stored.Plan)); !errors.Is(err, gone) {
		t.Errorf("a sitemap that is gone: %v", err)
	}
}

// TestKinds: a crawl judged anew takes kinds of pages from its plan.
func TestKinds(t *testing.T) {
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 4, Seed: 1}) + "/"
	first, memory := testkit.Crawl(t, home, plan.Plan{})
	p := plan.Plan{Kinds: []plan.KindRule{{Pages: "/*", Kind: "article"}}}
	stored := memory.Stored(t, home, p, first)
	result, _, err := stored.Judge(check.NewRunner(testkit.Catalogue.Checks, stored.Plan))
	if err != nil {
		t.Fatal(err)
	}
	if report := result.Sheet.Build(fixlist.Adjustment{}); report.Expected == 0 {
		t.Error("nothing is judged")
	}
	again := booking.Again{Stored: memory.Stored(t, home, p, first), Harvest: &booking.Harvest{}}
	for _, r := range memory.Records {
		check.NewRunner(nil, plan.Plan{}.WithDefaults()).SetKind(r.Facts)
	}
	if _, err := again.Judge(check.NewRunner(testkit.Catalogue.Checks, again.Stored.Plan)); err != nil {
		t.Fatal(err)
	}
	for _, r := range memory.Records {
		if r.Facts.Document != nil && r.Facts.Document.Kind != page.Article {
			t.Errorf("%s is of kind %s", r.Facts.Address, r.Facts.Document.Kind)
		}
	}
}

// TestRefresh: where a page sends its visitors on to is reached with as many clicks as the page.
func TestRefresh(t *testing.T) {
	book := booking.New(check.NewRunner(nil, plan.Plan{}.WithDefaults()), nil)
	harvest := &booking.Harvest{Ending: survey.Complete}
	for id, to := range []int32{-1, 0, -1} {
		address := fmt.Sprintf("http://fernhollow.example/%d", id)
		harvest.Addresses = append(harvest.Addresses, survey.Address{URL: address, State: survey.Fetched})
		numbers := booking.Nothing()
		numbers.Refresh = to
		book.Add(&booking.Record{ID: int32(id), Facts: &page.Facts{Address: address, Status: 200,
			Outcome: page.Answered, Document: &page.Document{}}}, numbers)
	}
	book.Survey.Start = 1
	r, err := book.Judge(harvest, func([]check.Finding) error { return nil })
	if err != nil || fmt.Sprint(r.Survey.Depth) != "[0 0 -1]" {
		t.Errorf("clicks are %v (%v)", r.Survey.Depth, err)
	}
}
