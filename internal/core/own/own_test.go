package own_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// short is a check that is as it should be.
func short() plan.OwnCheck {
	return plan.OwnCheck{ID: "own-short", Group: "copy", Question: `section == "/beds/" && words < 20`,
		Title: "bed with few words", Why: "Visitors leave.", How: "Write more.",
		Fires:  []map[string]any{{"address": "http://fernhollow.example/beds/one", "words": 3}},
		Passes: []map[string]any{{"section": "/beds/", "words": 300}, {"section": "/visit/", "words": 3}}}
}

// TestFaults tells what is wrong with a check of one's own, by its field.
func TestFaults(t *testing.T) {
	groups := testkit.Catalogue.Groups
	one := short()
	if faults := own.Faults(&one, groups); len(faults) > 0 {
		t.Fatalf("%+v", faults)
	}
	dear := short()
	dear.Question = `fields.price > 20 && fields["sku"] != "" && section == "/beds/"`
	dear.Fires = []map[string]any{{"fields.price": 30, "fields.sku": "b-1", "section": "/beds/"}}
	dear.Passes = []map[string]any{
		{"fields.price": 3.5, "fields.sku": "b-1", "section": "/beds/"},
		{"section": "/beds/"},
	}
	if faults := own.Faults(&dear, groups); len(faults) > 0 {
		t.Fatalf("%+v", faults)
	}
	for want, change := range map[string]func(*plan.OwnCheck){
		"id: \"short\" is no name":                           func(o *plan.OwnCheck) { o.ID = "short" },
		"id: \"own-Short\" is no name":                       func(o *plan.OwnCheck) { o.ID = "own-Short" },
		"id: \"own-\" is no name":                            func(o *plan.OwnCheck) { o.ID = "own-" },
		"group: there is no group \"coppy\"":                 func(o *plan.OwnCheck) { o.Group = "coppy" },
		"title: is missing: whoever reads the fix list":      func(o *plan.OwnCheck) { o.Title = " " },
		"why: is missing":                                    func(o *plan.OwnCheck) { o.Why = "" },
		"how: is missing":                                    func(o *plan.OwnCheck) { o.How = "x" },
		"question: is missing":                               func(o *plan.OwnCheck) { o.Question = " " },
		"question: at character 1: pages have no fact wordz": func(o *plan.OwnCheck) { o.Question = "wordz < 2" },
		"question: line 2, character 4: pages have no":       func(o *plan.OwnCheck) { o.Question = "words < 3 &&\n   linksInn > 2" },
		"question: a check cannot be about health, which checks make": func(o *plan.OwnCheck) {
			o.Question = "health < 50.0"
		},
		"question: a check cannot be about figures, which change": func(o *plan.OwnCheck) { o.Question = "figures.visits > 3" },
		"question: a check cannot be about before.title, which is of another crawl": func(o *plan.OwnCheck) {
			o.Question = "before.title != title"
		},
		"question: a check cannot be about target.errors": func(o *plan.OwnCheck) {
			o.Of, o.Question = "links", "target.errors > 2"
		},
		"question: there are no checks of \"findings\"": func(o *plan.OwnCheck) { o.Of, o.Question = "findings", "line > 3" },
		"question: value: pages have no fact wordz":     func(o *plan.OwnCheck) { o.Value = "wordz" },
		"value: say which fact those have in common":    func(o *plan.OwnCheck) { o.Cause = "value" },
		"fires: an example is missing":                  func(o *plan.OwnCheck) { o.Fires = nil },
		"passes: an example is missing":                 func(o *plan.OwnCheck) { o.Passes = nil },
		"fires[0]: the question does not hold of this example": func(o *plan.OwnCheck) {
			o.Fires[0] = map[string]any{"section": "/beds/", "words": 20}
		},
		"fires[0]: the question does not hold of this example: it says nothing of words": func(o *plan.OwnCheck) {
			o.Fires[0] = map[string]any{"section": "/beds/"}
		},
		"passes[1]: the question holds of this example": func(o *plan.OwnCheck) {
			o.Passes[1] = map[string]any{"section": "/beds/", "words": 19}
		},
		"fires[0]: pages have no fact wordz": func(o *plan.OwnCheck) { o.Fires[0]["wordz"] = 3 },
		"fires[0]: words: many is not a whole number": func(o *plan.OwnCheck) {
			o.Fires[0]["words"] = "many"
		},
		"fires[0]: words: 3.5 is not a whole number":  func(o *plan.OwnCheck) { o.Fires[0]["words"] = 3.5 },
		"fires[0]: title: 7 is not words":             func(o *plan.OwnCheck) { o.Fires[0]["title"] = 7 },
		"fires[0]: indexable: 1 is not yes or no":     func(o *plan.OwnCheck) { o.Fires[0]["indexable"] = 1 },
		"fires[0]: fields.price: a text, a number":    func(o *plan.OwnCheck) { o.Fires[0]["fields.price"] = true },
		"fires[0]: terms: a list of words is wanted":  func(o *plan.OwnCheck) { o.Fires[0]["terms"] = []any{"a", 1} },
		"fires[0]: authority: x is not a number with": func(o *plan.OwnCheck) { o.Fires[0]["authority"] = "x" },
		"fires[0]: the question cannot be answered": func(o *plan.OwnCheck) {
			o.Question, o.Fires[0]["words"] = "1 / words > 2", 0
		},
	} {
		bad := short()
		change(&bad)
		var says []string
		for _, f := range own.Faults(&bad, groups) {
			says = append(says, f.Field+": "+f.Reason)
		}
		if !slices.ContainsFunc(says, func(s string) bool { return strings.HasPrefix(s, want) }) {
			t.Errorf("%q is not told; told is %q", want, says)
		}
	}
}

// TestWith adds checks to the catalogue, and leaves out what cannot be understood.
func TestWith(t *testing.T) {
	good, bad, twin := short(), short(), short()
	bad.ID, bad.Question = "own-bad", "wordz < 3"
	all, err := own.With(testkit.Catalogue, plan.Plan{Own: []plan.OwnCheck{good, bad, twin}})
	if err == nil || !strings.HasPrefix(err.Error(), "own-bad: ") ||
		len(all.Checks) != len(testkit.Catalogue.Checks)+1 {
		t.Errorf("%d checks (%v)", len(all.Checks), err)
	}
	made := all.Find("own-short")
	if made == nil || !made.IsOwn() || made.Severity != check.Warning || made.Effort != check.Minutes ||
		made.Line != "Bed with few words" || made.Gather != check.ByPlace {
		t.Errorf("%+v", made)
	}
	good.Severity, good.Effort, good.Factor, good.Line, good.Cause, good.Value = "error", "days", 2, "Bed {value}", "value", "words"
	all, err = own.With(testkit.Catalogue, plan.Plan{Own: []plan.OwnCheck{good}})
	if err != nil {
		t.Fatal(err)
	}
	if made = all.Find("own-short"); made.Severity != check.Error || made.Effort != check.Days || made.Weight() != 2 ||
		made.Line != "Bed {value}" || made.Gather != check.ByValue {
		t.Errorf("%+v", made)
	}
	if none, err := own.With(testkit.Catalogue, plan.Plan{}); err != nil || none != testkit.Catalogue {
		t.Error("without checks of one's own the catalogue is another")
	}
}

// garden has a bed with few words that links to a heavy picture's page by way of two redirects.
func garden(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html")
	switch r.URL.Path {
	case "/robots.txt", "/sitemap.xml":
		w.WriteHeader(http.StatusNotFound)
	case "/moss.png":
		w.Header().Set("Content-Type", "image/png")
		w.Write(make([]byte, 3000))
	case "/old":
		http.Redirect(w, r, "/older", http.StatusMovedPermanently)
	case "/older":
		http.Redirect(w, r, "/beds/", http.StatusMovedPermanently)
	case "/round":
		http.Redirect(w, r, "/round/", http.StatusFound)
	case "/round/":
		http.Redirect(w, r, "/round", http.StatusFound)
	case "/lost":
		http.Redirect(w, r, "/gone", http.StatusFound)
	case "/gone":
		w.WriteHeader(http.StatusNotFound)
	case "/beds/":
		fmt.Fprint(w, "<html lang=en><title>Beds</title><main><p>Moss.</p><img src=/moss.png alt=moss></main>",
			`<aside><a href="/round" aria-label="and so on"></a><a href=/lost>lost</a><a href="/">Home</a></aside>`)
	default:
		fmt.Fprint(
			w,
			"<html lang=en><title>Home</title><nav><a href=/beds/>Beds</a></nav><main><p>",
			strings.Repeat("Ferns grow here. ", 30),
			"<a href=/old>the old\nbeds</a></p></main><footer>",
			`<a href="/gone" rel=nofollow>gone</a></footer>`,
		)
	}
}

// statuses are what the stations of a way answered.
func statuses(hops []check.Hop) (out string) {
	for _, h := range hops {
		out += fmt.Sprint(" ", h.Status)
	}
	return out
}

// TestJudge finds pages, links, redirects and what pages load, each with its evidence.
func TestJudge(t *testing.T) {
	ask := func(id, of, question string) plan.OwnCheck {
		return plan.OwnCheck{ID: "own-" + id, Group: "copy", Of: of, Question: question, Title: id, Why: id, How: id}
	}
	short := ask("short", "pages", `kind != "home" && words < 20 && text.contains("Moss")`)
	short.Value = "title"
	toHome := ask("home", "links", `target.clicks == 0`)
	toHome.Value = "source.clicks"
	home := "http://" + testkit.Serve(t, http.HandlerFunc(garden))
	crawled, _ := testkit.Crawl(t, home+"/", plan.Plan{Probes: plan.No(),
		Own: []plan.OwnCheck{short, ask("dead", "links", `target.status == 404 && !follow && source.words > 10`),
			ask("hops", "redirects", "hops > 1 && !circle"), ask("circle", "redirects", `circle && to.endsWith("/round/")`),
			ask("lost", "redirects", `endStatus == 404 && status == 302 && to == end && size(way) == 0 && linksIn == 1`),
			ask("heavy", "resources", `type == "image/png" && bytes > 2000 && linksIn == 1`),
			ask("unfetched", "links", `target.path == "/nowhere"`), ask("divides", "pages", "1 / (words - words) > 2"),
			ask(
				"many",
				"pages",
				"linksOut > 2 && linksIn > 0 && clicks == 0",
			), ask("near", "pages", "clicks == 1 && status == 200"),
			ask("far", "links", "target.clicks == 2 && known(source.layout)"), toHome}})
	got := map[string]string{}
	for _, f := range crawled.Findings {
		for _, p := range f.Places {
			if f.Check.IsOwn() {
				path := func(a string) string {
					if i := strings.Index(a, "://"); i >= 0 {
						return a[strings.IndexByte(a[i+3:], '/')+i+3:]
					}
					return a
				}
				got[f.Check.ID] += fmt.Sprintf("%s %q %q %q %q %s%s;", path(crawled.Survey.URL(f.Page)),
					strings.ReplaceAll(p.Note, home, "HOST"), p.Value, path(p.Target),
					p.Words, p.Region, statuses(p.Hops))
			}
		}
	}
	for id, want := range map[string]string{
		"own-short":  `/beds/ "kind: page, words: 1" "Beds" "" "" content;`,
		"own-dead":   `/ "from: words: 93" "" "/gone" "gone" footer;`,
		"own-hops":   `/ "hops: 2" "" "/old" "the old beds" content 301 301 200;`,
		"own-heavy":  `/beds/ "bytes: 3\u202f000 bytes" "" "/moss.png" "" content;`,
		"own-many":   `/ "links out: 3, links in: 1" "" "" "" content;`,
		"own-circle": `/beds/ "to: HOST/round/" "" "/round" "and so on" aside 302 302 302;`,
		"own-lost":   `/beds/ "to: HOST/gone, way: none, end: HOST/gone" "" "/lost" "lost" aside 302 404;`,
		"own-near":   `/beds/ "" "" "" "" content;`,
		"own-far": `/beds/ "from: layout: 0" "" "/round" "and so on" aside;` +
			`/beds/ "from: layout: 0" "" "/lost" "lost" aside;`,
		"own-home":      `/beds/ "" "1" "/" "Home" aside;`,
		"own-unfetched": "", "own-divides": "",
	} {
		if got[id] != want {
			t.Errorf("%s: %s\nwant %s", id, got[id], want)
		}
	}
}
