package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/column"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// crawled is a service that has crawled Fernhollow.
func crawled(t *testing.T) *harvik {
	t.Helper()
	h := start(t, demo.Spring)
	h.addGarden(t)
	cr, err := h.StartCrawl(t.Context(), "fernhollow", api.NewCrawl{})
	if err != nil {
		t.Fatal(err)
	}
	seen := api.Progress{}
	end, err := h.Watch(t.Context(), "fernhollow", api.Numbered(cr.Number), func(p api.Progress) {
		if p.Fetched < seen.Fetched {
			t.Errorf("progress falls from %d to %d", seen.Fetched, p.Fetched)
		}
		seen = p
	})
	if err != nil || end.State != "finished" || end.Ending != "complete" || seen.Fetched == 0 {
		t.Fatalf("crawl ended as %+v (%v), last progress %+v", end, err, seen)
	}
	return h
}

// TestAPI reads a crawl back through the client: the same pages, findings, health and fixes
// as judged in memory.
func TestAPI(t *testing.T) {
	t.Parallel()
	h := crawled(t)
	ctx := t.Context()
	want, _ := testkit.Crawl(t, demo.Home, h.plan)
	cr, err := h.ShowCrawl(ctx, "fernhollow", api.Latest)
	if err != nil {
		t.Fatal(err)
	}
	if cr.Report.Health != want.Report.Health || cr.Report.Assessed != want.Report.Assessed ||
		cr.Report.Findings != want.Report.Findings {
		t.Errorf("stored health %v of %d pages, in memory %v of %d", cr.Report.Health, cr.Report.Assessed,
			want.Report.Health, want.Report.Assessed)
	}
	list, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 10_000})
	if err != nil {
		t.Fatal(err)
	}
	for i, f := range list.Fixes {
		w := want.Report.Fixes[i]
		w.Members = nil
		if f.ID != w.ID || f.Line != w.Line || f.Gain != w.Gain || f.Pages != w.Pages {
			t.Fatalf("fix %d is stored as %+v, in memory %+v", i, f, w)
		}
		pages, err := h.FixPages(ctx, "fernhollow", api.Latest, f.ID, &api.FixPagesParams{Limit: 1000})
		if err != nil || len(pages.Pages) != f.Pages {
			t.Errorf("fix %q has %d pages, the list says %d (%v)", f.Line, len(pages.Pages), f.Pages, err)
		}
	}
	if len(list.Fixes) != len(want.Report.Fixes) || list.Total != len(list.Fixes) {
		t.Errorf("%d fixes of %d, in memory %d", len(list.Fixes), list.Total, len(want.Report.Fixes))
	}
	footer := list.Fixes[0]
	places, err := h.FixPages(ctx, "fernhollow", api.Latest, footer.ID, &api.FixPagesParams{Limit: 1})
	if err != nil || places.Pages[0].Places[0].Words != "Seed shop" ||
		!strings.HasPrefix(places.Pages[0].Places[0].At, "footer > ul > li") || places.Pages[0].Places[0].Line == 0 {
		t.Errorf("evidence of the footer link: %+v (%v)", places, err)
	}
	tally, err := h.Tally(ctx, "fernhollow", api.Latest)
	if err != nil || !slices.Contains(tally.States, api.Tally{Name: "fetched", Count: 1068}) ||
		!slices.Contains(tally.States, api.Tally{Name: "blocked", Count: 4}) {
		t.Errorf("states %+v (%v)", tally.States, err)
	}
	if i := slices.IndexFunc(tally.States, func(s api.Tally) bool { return s.Name == "waiting" }); i >= 0 {
		t.Errorf("after a complete crawl %d wait", tally.States[i].Count)
	}
	testCrawlList(t, h)
	testFilters(t, h, list.Fixes)
	testPages(t, h)
	testOnePage(t, h)
	testParts(t, h, footer)
	testOrders(t, h)
	testJudge(t, h, want.Report.Health)
}

// testOrders holds the other orders of the fix list to what they are called.
func testOrders(t *testing.T, h *harvik) {
	t.Helper()
	minutes := map[string]float64{"small": 10, "medium": 60, "large": 400}
	for order, by := range map[string]func(api.Fix) float64{
		"severity": func(f api.Fix) float64 { return -float64(f.Rank) },
		"gain":     func(f api.Fix) float64 { return f.Gain },
		"pages":    func(f api.Fix) float64 { return float64(f.Pages) },
		"quick":    func(f api.Fix) float64 { return f.Gain / minutes[f.Effort] },
	} {
		whole, err := h.ListFixes(t.Context(), "fernhollow", api.Latest,
			&api.ListFixesParams{Order: order, Limit: 1000})
		if err != nil || len(whole.Fixes) < 100 || whole.Next != 0 {
			t.Fatalf("%s: %d lines, next %d (%v)", order, len(whole.Fixes), whole.Next, err)
		}
		for i := 1; i < len(whole.Fixes); i++ {
			if by(whole.Fixes[i-1]) < by(whole.Fixes[i]) {
				t.Errorf("%s: line %d comes too late", order, i)
			}
		}
		var parts []api.Fix
		for after := 0; ; {
			list, err := h.ListFixes(t.Context(), "fernhollow", api.Latest,
				&api.ListFixesParams{Order: order, Limit: 37, After: after})
			if err != nil {
				t.Fatal(err)
			}
			parts = append(parts, list.Fixes...)
			if after = list.Next; after == 0 {
				break
			}
		}
		if !slices.EqualFunc(parts, whole.Fixes, func(a, b api.Fix) bool { return a.ID == b.ID }) {
			t.Errorf("%s: %d lines in parts are not the %d of the whole", order, len(parts), len(whole.Fixes))
		}
	}
	if _, err := h.ListFixes(t.Context(), "fernhollow", api.Latest,
		&api.ListFixesParams{Order: "size", Limit: 1}); err == nil || !strings.Contains(err.Error(), "order of fixes") {
		t.Errorf("an unknown order gives %v", err)
	}
}

// testJudge judges the stored crawl again: by the same rules to the same result, by rules that
// switch a check off without it, and back.
func testJudge(t *testing.T, h *harvik, health float64) {
	t.Helper()
	ctx := t.Context()
	before, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 10_000})
	if err != nil {
		t.Fatal(err)
	}
	again, err := h.JudgeCrawl(ctx, "fernhollow", api.Numbered(1), nil)
	if err != nil || again.Report.Health != health {
		t.Fatalf("judged again: %v, want %v (%v)", again.Report, health, err)
	}
	after, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 10_000})
	if err != nil || !slices.EqualFunc(before.Fixes, after.Fixes,
		func(a, b api.Fix) bool { return a.ID == b.ID && a.Gain == b.Gain && a.Line == b.Line }) {
		t.Errorf("the fix list differs: %d lines, then %d (%v)", len(before.Fixes), len(after.Fixes), err)
	}
	rules := `checks:
  - {check: link-broken-inside, off: true, because: the shop comes back next week}
  - {check: heading-repeated, on: /shop/*, severity: warning, because: the order box is read aloud}
kinds:
  - {pages: /research/graft-unions/, kind: list}
scope: {staging: [` + demo.Neighbours + `]}
`
	if _, err := h.ChangePlan(ctx, "fernhollow", "application/yaml", strings.NewReader(string(rules))); err != nil {
		t.Fatal(err)
	}
	changed, err := h.JudgeCrawl(ctx, "fernhollow", api.Numbered(1), nil)
	if err != nil || changed.Report.Health < health+5 {
		t.Errorf("without the dead footer link health is %v (%v)", changed.Report.Health, err)
	}
	list, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Limit: 10_000})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range list.Fixes {
		if f.Check == "link-broken-inside" {
			t.Errorf("a check that is off has the line %q", f.Line)
		}
		if f.Check == "heading-repeated" && strings.Contains(f.Line, "layout") &&
			strings.Contains(f.Example, "/shop/") && f.Severity != "warning" {
			t.Errorf("%q is a %s, want a warning", f.Line, f.Severity)
		}
	}
	shop, err := h.ShowPage(ctx, "fernhollow", api.Latest, &api.ShowPageParams{Address: "/shop/cedar-lawn-bird-table/"})
	if err != nil || !slices.ContainsFunc(shop.Findings, func(f api.PageFinding) bool {
		return f.Check == "heading-repeated" && f.Severity == "warning"
	}) {
		t.Errorf("the page does not show its repeated heading as the warning that the plan makes it: %+v (%v)",
			shop.Findings, err)
	}
	page, err := h.ShowPage(ctx, "fernhollow", api.Latest, &api.ShowPageParams{Address: "/research/"})
	if err != nil || !slices.ContainsFunc(page.Findings,
		func(f api.PageFinding) bool { return f.Check == "link-to-private" }) {
		t.Errorf("a link to a host that the plan now names as staging is not found: %+v (%v)", page.Findings, err)
	}
	page, err = h.ShowPage(ctx, "fernhollow", api.Latest, &api.ShowPageParams{Address: "/research/graft-unions/"})
	if err != nil || slices.ContainsFunc(page.Findings,
		func(f api.PageFinding) bool { return f.Check == "copy-thin" }) {
		t.Errorf("a page that the plan calls a list is thin: %+v (%v)", page.Findings, err)
	}
}

// TestLook judges one page without a site.
func TestLook(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	host := testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		switch r.URL.Path {
		case "/old":
			http.Redirect(w, r, "/fern", http.StatusMovedPermanently)
		case "/fern":
			fmt.Fprint(w, "<!doctype html><html lang=en><head><title>Fern</title></head><h1>Fern</h1><a href=/old>here</a>")
		default:
			http.NotFound(w, r)
		}
	}))
	state := func(l api.Look, id string) string {
		for _, v := range l.Verdicts {
			if v.Check == id {
				return v.State
			}
		}
		return "missing"
	}
	l, err := h.Look(t.Context(), api.LookRequest{Address: "http://" + host + "/old"})
	if err != nil || l.Facts != nil || !strings.Contains(l.Detail, "harvik site allow") {
		t.Errorf("a page on this machine, of no site: %+v (%v)", l, err)
	}
	h.addSite(t, "near", "http://"+host+"/", plan.Plan{})
	if l, err = h.Look(t.Context(), api.LookRequest{Address: "http://" + host + "/old"}); err != nil {
		t.Fatal(err)
	}
	if len(l.Hops) != 1 || l.Facts.Status != 200 || !l.Indexable || l.Desktop.Title != "Fern" || len(l.Links) != 1 {
		t.Errorf("%+v", l)
	}
	for id, want := range map[string]string{"title-short": "failed", "link-vague": "failed", "h1-missing": "passed",
		"title-duplicate": "not-judged"} {
		if got := state(l, id); got != want {
			t.Errorf("%s: %s, want %s", id, got, want)
		}
	}
	long := "A title that goes on for so long that no list of results can show the whole of it in one line"
	l, err = h.Look(t.Context(), api.LookRequest{HTML: "<title>" + long + "</title>", Check: "title-long"})
	if err != nil || len(l.Verdicts) != 1 || l.Verdicts[0].State != "failed" || !l.Desktop.TitleCut ||
		len(l.Verdicts[0].Steps) < 4 {
		t.Errorf("%+v (%v)", l, err)
	}
	l, err = h.Look(t.Context(), api.LookRequest{HTML: "<title>Long</title><p>" + strings.Repeat("fern ", 600_000),
		Check: "html-very-heavy"})
	if err != nil || l.Verdicts[0].State != "failed" {
		t.Errorf("a page of 3 MB: %+v (%v)", l.Verdicts, err)
	}
	for _, bad := range []api.LookRequest{{}, {Address: "ftp://x/"}, {HTML: "x", Check: "title-log"}} {
		if _, err := h.Look(t.Context(), bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

func testFilters(t *testing.T, h *harvik, all []api.Fix) {
	t.Helper()
	for _, c := range []struct {
		filter api.ListFixesParams
		keep   func(api.Fix) bool
	}{
		{api.ListFixesParams{Severity: "warning"}, func(f api.Fix) bool { return f.Severity == "warning" }},
		{api.ListFixesParams{Group: "headings"}, func(f api.Fix) bool { return f.Group == "headings" }},
		{api.ListFixesParams{Check: "title-missing", Severity: "error"},
			func(f api.Fix) bool { return f.Check == "title-missing" }},
	} {
		c.filter.Limit = 1000
		got, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &c.filter)
		if err != nil {
			t.Fatal(err)
		}
		want := slices.DeleteFunc(slices.Clone(all), func(f api.Fix) bool { return !c.keep(f) })
		if len(got.Fixes) != len(want) || len(want) == 0 || got.Fixes[0].ID != want[0].ID {
			t.Errorf("%+v gives %d fixes, want %d", c.filter, len(got.Fixes), len(want))
		}
	}
	_, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &api.ListFixesParams{Group: "heading", Limit: 1})
	if err == nil || !strings.Contains(err.Error(), `did you mean "headings"?`) {
		t.Errorf("a wrong group gives %v", err)
	}
}

// testPages walks the list page by page in every order and finds the same addresses.
func testPages(t *testing.T, h *harvik) {
	t.Helper()
	var first []string
	for _, sort := range append([]string{"", "found", "-address", "-words", "-errors", "-health", "-bytes"},
		column.Keys()...) {
		q := api.ListPagesParams{Sort: sort, Limit: 37}
		var got []string
		var last string
		for {
			list, err := h.ListPages(t.Context(), "fernhollow", api.Latest, &q)
			if err != nil {
				t.Fatalf("sort %q: %v", sort, err)
			}
			for _, p := range list.Pages {
				address := p["address"].(string)
				if sort == "-address" && last != "" && address >= last && strings.ToLower(address) != address {
					t.Errorf("%q comes after %q", address, last)
				}
				last = address
				got = append(got, address)
			}
			if q.After = list.Next; q.After == "" {
				if len(got) != list.Total {
					t.Errorf("sort %q: %d of %d", sort, len(got), list.Total)
				}
				break
			}
		}
		slices.Sort(got)
		if first == nil {
			first = got
		}
		if !slices.Equal(first, got) {
			t.Errorf("sort %q gives other addresses", sort)
		}
	}
	for query, want := range map[api.ListPagesParams]int{
		{Status: "5xx"}: 3, {Status: "404"}: 7, {Section: "/visit/gardens/"}: 12,
		{Section: "/visit/gardens/", Status: "3xx"}: 0, {Status: "none"}: 3, {Status: "3xx"}: 36,
		{Kind: "html"}: 582, {Kind: "gallery"}: 3,
		{Search: "bird-table"}: 10, {Indexable: "no"}: 94, {Reachable: "no"}: 2, {Why: "noindex"}: 37,
		{Indexable: "yes", Reachable: "yes"}: 486, {Search: "50%_"}: 0, {Check: "title-missing"}: 4,
	} {
		query.Limit = 1
		list, err := h.ListPages(t.Context(), "fernhollow", api.Latest, &query)
		if err != nil || list.Total != want {
			t.Errorf("%+v gives %d pages, want %d (%v)", query, list.Total, want, err)
		}
	}
	h.testListed(t)
	for _, q := range []api.ListPagesParams{{Sort: "colour", Limit: 1}, {Status: "many", Limit: 1},
		{After: "x", Limit: 1}, {Indexable: "perhaps", Limit: 1}} {
		var refused *api.Error
		if _, err := h.ListPages(t.Context(), "fernhollow", api.Latest, &q); !errors.As(err, &refused) ||
			refused.Status != http.StatusUnprocessableEntity {
			t.Errorf("%+v gives %v", q, err)
		}
	}
}

// testListed: what lists of checks and fixes have is the same where the database says it, and where only the question
// itself does.
func (h *harvik) testListed(t *testing.T) {
	t.Helper()
	total := func(question string) int {
		t.Helper()
		a, err := h.Ask(t.Context(), "fernhollow", api.Latest, &api.AskParams{Question: question, Limit: 1})
		if err != nil {
			t.Fatalf("%s: %v", question, err)
		}
		return a.Total
	}
	fixes, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &api.ListFixesParams{Limit: 60})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range fixes.Fixes {
		for list, name := range map[string]string{"fails": f.Check, "fixes": f.ID} {
			plain, judged := fmt.Sprintf("%q in %s", name, list), fmt.Sprintf("%s.exists(x, x == %q)", list, name)
			if x, y := total(plain), total(judged); x != y || list == "fixes" && f.Pages > 0 && x == 0 {
				t.Errorf("%s holds of %d pages, %s of %d", plain, x, judged, y)
			}
			if x, y := total("!("+plain+") && indexable"), total("indexable && !"+judged); x != y || x == 0 {
				t.Errorf("!(%s) holds of %d pages, with exists of %d", plain, x, y)
			}
		}
	}
}

// testParts walks the pages of the largest fix, and the links into the home page, part by part.
func testParts(t *testing.T, h *harvik, f api.Fix) {
	t.Helper()
	at := "/sites/fernhollow/crawls/latest/"
	seen, after := map[string]bool{}, ""
	for {
		var part struct {
			Pages []api.PageFinding
			Total int
			Next  string
		}
		if err := json.Unmarshal(h.raw(t, "GET", at+"fixes/"+f.ID+"/pages?limit=100&after="+url.QueryEscape(after)),
			&part); err != nil {
			t.Fatal(err)
		}
		for _, p := range part.Pages {
			seen[p.Address] = true
		}
		if after = part.Next; after == "" {
			break
		}
	}
	if len(seen) != f.Pages {
		t.Errorf("part by part the fix has %d pages, at once %d", len(seen), f.Pages)
	}
	from, sources := int32(0), map[string]bool{}
	for {
		var in api.LinksInto
		if err := json.Unmarshal(h.raw(t, "GET", fmt.Sprintf("%slinks-in?address=/&limit=70&after=%d", at, from)),
			&in); err != nil {
			t.Fatal(err)
		}
		for _, l := range in.Links {
			sources[l.From] = true
		}
		if from = in.Next; from == 0 {
			if len(sources) != in.Pages {
				t.Errorf("%d pages link to the home page, the parts have %d", in.Pages, len(sources))
			}
			return
		}
	}
}

func testOnePage(t *testing.T, h *harvik) {
	t.Helper()
	d, err := h.ShowPage(t.Context(), "fernhollow", api.Latest, &api.ShowPageParams{Address: "/plants/betula-nigra/"})
	if err != nil {
		t.Fatal(err)
	}
	for key, want := range map[string]any{
		"clicks": 3.0, "canonical": demo.Home + "plants/betula-nigra/", "encoding": "utf-8", "foundBy": "link",
		"h1": "Betula nigra, the river birch", "linksIn": 3.0,
	} {
		if got := (*d.Page)[key]; got != want {
			t.Errorf("%s of the page is %v, want %v", key, got, want)
		}
	}
	i := slices.IndexFunc(d.Links, func(l api.Link) bool { return l.Words == "silver birch" })
	if i < 0 || *d.Links[i].Status != 404 || d.Links[i].Region != "content" || d.Links[i].Line == 0 {
		t.Errorf("the broken link is stored as %+v", d.Links)
	}
	into, err := h.LinksIn(t.Context(), "fernhollow", api.Latest,
		&api.LinksInParams{Address: "/plants/betula-pendla/", Limit: 10})
	if err != nil || into.Pages != 1 || len(into.Links) != 1 ||
		into.Links[0].From != demo.Home+"plants/betula-nigra/" || into.Links[0].Words != "silver birch" {
		t.Errorf("links to the missing page: %+v (%v)", into, err)
	}
	blocked, err := h.ShowPage(t.Context(), "fernhollow", api.Latest, &api.ShowPageParams{Address: "/shop/basket/"})
	if err != nil || blocked.State != "blocked" || blocked.RuleLine != 3 || blocked.Page != nil {
		t.Errorf("the basket: %+v (%v)", blocked, err)
	}
	if _, err := h.ShowPage(t.Context(), "fernhollow", api.Latest,
		&api.ShowPageParams{Address: "/nowhere"}); err == nil ||
		!strings.Contains(err.Error(), "does not know the address") {
		t.Errorf("an unknown address gives %v", err)
	}
}

// TestAccess holds that nobody gets in without a credential, and that refusals say what to do.
func TestAccess(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	for _, path := range []string{"/sites", "/checks", "/openapi.yaml", "/session", "/sites/x/crawls/latest/fixes"} {
		resp, err := http.Get(h.url + "/api/v1" + path)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != http.StatusUnauthorized || resp.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s without a credential: %d %s", path, resp.StatusCode, resp.Header.Get("Content-Type"))
		}
	}
	if _, err := api.New(h.url, "wrong").ListSites(t.Context()); err == nil ||
		!strings.Contains(err.Error(), "sign in first") {
		t.Errorf("a wrong token gives %v", err)
	}
	earlier, err := h.store.IssueLink(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	secret, err := h.store.IssueLink(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.SignIn(t.Context(), api.SignIn{Link: earlier}); err == nil ||
		!strings.Contains(err.Error(), "a newer one was printed") {
		t.Errorf("a link that a newer one has ended gives %v", err)
	}
	if key, err := h.SignIn(t.Context(), api.SignIn{Link: secret}); err != nil || key.Key == "" {
		t.Errorf("the link does not sign in: %v", err)
	}
	if _, err := h.SignIn(t.Context(), api.SignIn{Link: secret}); err == nil ||
		!strings.Contains(err.Error(), "has been used") {
		t.Errorf("the link used twice gives %v", err)
	}
	if _, err := api.New(h.url, secret).ListSites(t.Context()); err == nil {
		t.Error("a link's secret is taken for a token")
	}
	// A browser that is signed in must not be made to act by another site's page.
	const half = "one-half"
	key, err := h.store.IssueSession(t.Context(), half, 1, "127.0.0.1", "")
	if err != nil {
		t.Fatal(err)
	}
	for origin, want := range map[string]int{
		"": 401, "http://elsewhere.example": 401, strings.Replace(h.url, "http:", "https:", 1): 401, "null": 401,
		h.url + "1": 401, h.url: 201,
	} {
		req, _ := http.NewRequest("POST", h.url+"/api/v1/sites",
			strings.NewReader(`{"name":"x","home":"http://fernhollow.example/"}`))
		req.AddCookie(&http.Cookie{Name: "harvik_session", Value: half})
		req.Header.Set("Harvik-Session", key)
		if origin != "" {
			req.Header.Set("Origin", origin)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != want {
			t.Errorf("with origin %q: %d, want %d", origin, resp.StatusCode, want)
		}
	}
}

func TestRefusals(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	ctx := t.Context()
	if _, err := h.AddSite(ctx, api.NewSite{Name: "Not A Name", Home: "ftp://x"}); err == nil ||
		!strings.Contains(err.Error(), "name: ") || !strings.Contains(err.Error(), "home: ") {
		t.Errorf("a wrong site gives %v", err)
	}
	h.addGarden(t)
	if _, err := h.AddSite(ctx, api.NewSite{Name: "fernhollow", Home: demo.Home}); err == nil ||
		!strings.Contains(err.Error(), "exists already") {
		t.Errorf("a second site of the name gives %v", err)
	}
	if _, err := h.ChangePlan(ctx, "fernhollow", "application/yaml", strings.NewReader("pagse: 3")); err == nil ||
		!strings.Contains(err.Error(), `did you mean "pages"?`) {
		t.Errorf("a mistyped setting gives %v", err)
	}
	if p, err := h.CheckPlan(ctx, "application/yaml", strings.NewReader(`{"pages": 7, "depth": 1000}`)); err != nil ||
		p.Plan.Pages != 7 || strings.TrimSpace(p.Text) != "pages: 7" {
		t.Errorf("a plan comes to %+v, in short %q (%v)", p.Plan, p.Text, err)
	}
	if _, err := h.CheckPlan(ctx, "application/yaml", strings.NewReader("pages: -7")); err == nil ||
		!strings.Contains(err.Error(), "pages") {
		t.Errorf("a plan that cannot be gives %v", err)
	}
	if _, err := h.ShowCrawl(ctx, "fernhollow", api.Latest); err == nil ||
		!strings.Contains(err.Error(), "does not exist") {
		t.Errorf("the newest crawl of none gives %v", err)
	}
	if _, err := h.StartCrawl(ctx, "fernhollow", api.NewCrawl{}); err != nil {
		t.Fatal(err)
	}
	if _, err := h.StartCrawl(ctx, "fernhollow", api.NewCrawl{}); err == nil ||
		!strings.Contains(err.Error(), "is running") {
		t.Errorf("a second crawl beside the first gives %v", err)
	}
	if err := h.RemoveSite(ctx, "fernhollow"); err == nil || !strings.Contains(err.Error(), "stop it first") {
		t.Errorf("removing a site while it is crawled gives %v", err)
	}
	if err := h.StopCrawl(ctx, "fernhollow", api.Numbered(1)); err != nil {
		t.Fatal(err)
	}
	end, err := h.Watch(ctx, "fernhollow", api.Numbered(1), func(api.Progress) {})
	if err != nil || end.Ending != "stopped" || end.Report == nil {
		t.Errorf("stopped, the crawl is %+v (%v)", end, err)
	}
	if err := h.StopCrawl(ctx, "fernhollow", api.Numbered(1)); err == nil ||
		!strings.Contains(err.Error(), "is not running") {
		t.Errorf("stopping it again gives %v", err)
	}
	if err := h.RemoveSite(ctx, "fernhollow"); err != nil {
		t.Errorf("removing the site: %v", err)
	}
	resp, err := http.Post(h.url+"/api/v1/session", "application/json", strings.NewReader(`{"link": 3, "x": `))
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a body that is no JSON gives %d", resp.StatusCode)
	}
}

func (h *harvik) raw(t *testing.T, method, path string) []byte {
	t.Helper()
	req, err := http.NewRequest(method, h.url+"/api/v1"+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+h.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		t.Fatalf("%s: %d %s (%v)", path, resp.StatusCode, bytes.TrimSpace(data), err)
	}
	return data
}

// testCrawlList: a list of crawls has what it shows, and none of what takes room; a crawl has it all.
func testCrawlList(t *testing.T, h *harvik) {
	t.Helper()
	list, err := h.ListCrawls(t.Context(), "fernhollow", &api.ListCrawlsParams{Limit: 500})
	if err != nil || len(list.Crawls) == 0 {
		t.Fatalf("%d crawls (%v)", len(list.Crawls), err)
	}
	crawls := list.Crawls
	own, err := h.ShowCrawl(t.Context(), "fernhollow", api.Numbered(crawls[0].Number))
	if err != nil {
		t.Fatal(err)
	}
	in := crawls[0].Report
	if in == nil || in.Health != own.Report.Health || in.Fixes != own.Report.Fixes || len(in.Ledger) > 0 ||
		crawls[0].Probes != nil || len(crawls[0].Traps) > 0 {
		t.Errorf("in the list: %+v, probes %v, %d traps", in, crawls[0].Probes != nil, len(crawls[0].Traps))
	}
	if len(own.Report.Ledger) == 0 || own.Probes == nil {
		t.Error("the crawl itself lacks its ledger, or its probes")
	}
}
