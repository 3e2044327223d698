package query_test

import (
	"strings"
	"testing"

	"harvik/internal/core/query"
)

// TestFilters: each filter is the question that says the same.
func TestFilters(t *testing.T) {
	figures := []string{"visits", "bounce rate"}
	for _, c := range []struct {
		filter              query.Filter
		of, question, order string
	}{
		{query.Filter{}, "pages", "", ""},
		{query.Filter{Role: "page", Sort: "found"}, "pages", "", ""},
		{query.Filter{Role: "resources", Sort: "-bytes"}, "resources", "", "-bytes"},
		{query.Filter{Role: "image"}, "resources", `role == "image"`, ""},
		{query.Filter{Search: `Bird "Table"`}, "pages",
			`(address.lower().contains("bird \"table\"") || title.lower().contains("bird \"table\""))`, ""},
		{query.Filter{Status: "404"}, "pages", "status == 404", ""},
		{query.Filter{Status: "4xx"}, "pages", "status >= 400 && status <= 499", ""},
		{query.Filter{Status: "none", Kind: "other"}, "pages", "!known(status) && !known(indexable)", ""},
		{query.Filter{Kind: "html"}, "pages", "known(indexable)", ""},
		{query.Filter{Kind: "gallery", Indexable: "no"}, "pages", `kind == "gallery" && !indexable`, ""},
		{query.Filter{Indexable: "yes", Reachable: "yes"}, "pages", "indexable && known(indexable) && known(clicks)", ""},
		{query.Filter{Reachable: "no"}, "pages", "known(indexable) && !known(clicks)", ""},
		{query.Filter{Why: "NoIndex"}, "pages", `why.lower().contains("noindex")`, ""},
		{query.Filter{Check: "title-missing"}, "pages", `"title-missing" in fails`, ""},
		{query.Filter{Fix: "f1"}, "pages", `"f1" in fixes`, ""},
		{query.Filter{Section: "/"}, "pages", `section == "/"`, ""},
		{query.Filter{Section: "/visit/gardens/"}, "pages", `path.startsWith("/visit/gardens/")`, ""},
		{query.Filter{Having: "Visits >= 100", Sort: "-figures.VISITS"}, "pages", `figures["visits"] >= 100.0`,
			"-figures.visits"},
		{query.Filter{Having: "bounce rate=-0.5"}, "pages", `figures["bounce rate"] == -0.5`, ""},
		{query.Filter{Having: "visits<" + strings.Repeat("9", 30)}, "pages",
			`figures["visits"] < ` + strings.Repeat("9", 30) + ".0", ""},
	} {
		got, err := c.filter.View(figures)
		if err != nil || got.Of != c.of || got.Question != c.question || got.Order != c.order {
			t.Errorf("%+v is %q of %s by %q, want %q of %s by %q (%v)", c.filter, got.Question, got.Of, got.Order,
				c.question, c.of, c.order, err)
		}
		if _, err := got.Understand(); err != nil {
			t.Errorf("%s is not understood: %v", got.Question, err)
		}
	}
	for part, f := range map[string]query.Filter{
		"role: ":      {Role: "hat"},
		"status: ":    {Status: "many"},
		"indexable: ": {Indexable: "perhaps"},
		"reachable: ": {Reachable: "YES"},
		"having: ":    {Having: "visits"},
		`having: the site has no figure "vists"; it has visits, bounce rate, did you mean "visits"?`: {Having: "vists>1"},
		`sort: the site has no figure "revenue"`:                                                     {Sort: "figures.revenue"},
		`sort: pages have no fact colour`:                                                            {Sort: "-colour"},
		"sort: the order in which":                                                                   {Sort: "-found"},
	} {
		if _, err := f.View(figures); err == nil || !strings.HasPrefix(err.Error(), part) {
			t.Errorf("%+v gives %v, want %s…", f, err, part)
		}
	}
}
