package e2e

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/column"
	"harvik/internal/core/own"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// TestAskedBothWays asks questions made up at random: what the database answers together with the core is what the core
// answers alone, of rows that were read in another way. HARVIK_QUESTIONS asks for more of them. It is also asked what
// the documentation shows.
func TestAskedBothWays(t *testing.T) {
	t.Parallel()
	n, err := strconv.Atoi(cmp.Or(os.Getenv("HARVIK_QUESTIONS"), "600"))
	if err != nil {
		t.Fatal(err)
	}
	h := start(t, demo.Spring)
	h.addGarden(t)
	crawl := h.crawl(t)
	site, err := h.store.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	rec, err := h.store.Crawl(t.Context(), "fernhollow", crawl.Number)
	if err != nil {
		t.Fatal(err)
	}
	t.Run("examples", h.asksExamples)
	t.Run("redirects", h.asksRedirects)
	t.Run("neighbours", h.asksNeighbours)
	t.Run("overview", h.looksOver)
	figures := "address,visits\n"
	for i, row := range h.rowsOf(t, rec.ID, site.ID, "page") {
		if i%3 > 0 {
			figures += fmt.Sprintf("%q,%d\n", row.Address, i%40)
		}
	}
	if status, _, answer := h.ask(t, "POST", "/sites/fernhollow/figures", figures); status != 200 {
		t.Fatalf("%d %s", status, answer)
	}
	for _, name := range []string{"pages", "resources", "links"} {
		table := query.TableOf(name)
		t.Run(table.Name, func(t *testing.T) {
			role := map[string]string{"pages": "page", "resources": "resources"}[table.Name]
			asked := n / 2
			q := &testkit.Questioner{Rand: rand.New(rand.NewPCG(29, 11)), Table: table}
			if name == "links" { // of which there are many, and the core judges all
				asked = n / 20
				q.Rows = h.linkRows(t, table, rec.ID, site.ID)
				q.Tells, _ = table.Chosen("source.address", "line", "place", "words", "target.address", "target.status")
			} else {
				q.Rows = testkit.Facts(table, h.rowsOf(t, rec.ID, site.ID, role))
				q.Tells, _ = table.Chosen("address")
			}
			q.AskBothWays(t, h.store, rec.ID, site.ID, asked)
			if name == "resources" { // which fail where they are used
				return
			}
			var made []string
			for range asked / 3 {
				made = append(made, q.Any(2))
			}
			h.failsAsAsked(t, rec, name, made)
		})
	}
}

// failsAsAsked holds checks made from questions to fail where the same questions hold, asked of the stored crawl.
func (h *harvik) failsAsAsked(t *testing.T, rec record.Crawl, of string, questions []string) {
	t.Helper()
	by := rec.Plan
	by.Own = nil
	asked := map[string]string{}
	for i, q := range questions {
		one := plan.OwnCheck{ID: fmt.Sprintf("own-%d", i), Group: "copy", Of: of, Question: q, Title: q, Why: q, How: q}
		if strings.Contains(strings.Join(faultsOf(&one), " "), "a check cannot be about") {
			continue // of what only judging tells
		}
		by.Own, asked[one.ID] = append(by.Own, one), q
	}
	if len(by.Own) < len(questions)/8 {
		t.Fatalf("only %d of %d questions can be checks", len(by.Own), len(questions))
	}
	result, _, err := judging.New(h.store, testkit.Catalogue, testkit.Quiet).Rejudged(t.Context(), rec, by)
	if err != nil {
		t.Fatal(err)
	}
	found := map[string][]string{}
	for _, f := range result.Findings {
		if f.Check.IsOwn() {
			found[f.Check.ID] = append(found[f.Check.ID], fmt.Sprint(result.Survey.URL(f.Page), " ", f.Count()))
		}
	}
	some := 0
	table := query.TableOf(of)
	column, _ := table.Chosen(map[string]string{"pages": "address", "links": "source.address"}[of])
	for id, q := range asked {
		question, err := table.Compile(q)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := h.store.Ask(
			t.Context(),
			rec.ID,
			record.Asking{Asked: query.Asked{Question: question, Columns: column,
				Order: query.Nothing, By: column[0], Measure: query.Nothing}, Site: rec.SiteID, Limit: 1},
		)
		if err != nil {
			t.Fatal(err)
		}
		var want []string
		for _, g := range answer.Groups {
			want = append(want, fmt.Sprint(g.Value, " ", g.Count))
		}
		slices.Sort(want)
		got := found[id]
		slices.Sort(got)
		if !slices.Equal(got, want) {
			t.Errorf("%s\nfails on %d, holds of %d; %.300q\nwant %.300q", q, len(got), len(want), got, want)
		}
		if len(want) > 0 {
			some++
		}
	}
	t.Logf("%d checks of %s, %d of which fail somewhere", len(asked), of, some)
	if some < len(asked)/10 {
		t.Errorf("only %d of %d checks fail anywhere", some, len(asked))
	}
}

// faultsOf says what is wrong with a check made from a question.
func faultsOf(o *plan.OwnCheck) (out []string) {
	for _, f := range own.Faults(o, testkit.Catalogue.Groups) {
		out = append(out, f.Reason)
	}
	return out
}

// linkRows are the facts of all links, put together from lists of pages and the links of each.
func (h *harvik) linkRows(t *testing.T, links *query.Table, crawl, site int64) (out [][]any) {
	t.Helper()
	pages := query.TableOf("pages")
	html := h.rowsOf(t, crawl, site, "page")
	known := map[string][]any{}
	var ids []int32
	from := map[int32]string{}
	rows := append(slices.Clone(html), h.rowsOf(t, crawl, site, "resources")...)
	for i, facts := range testkit.Facts(pages, rows) {
		known[rows[i].Address] = facts
		if i < len(html) && rows[i].HTML {
			ids, from[rows[i].ID] = append(ids, rows[i].ID), rows[i].Address
		}
	}
	urls := map[int32]string{}
	db, err := pgx.Connect(t.Context(), h.database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	addresses, err := db.Query(t.Context(), "select id, url from address where crawl_id = $1", crawl)
	if err != nil {
		t.Fatal(err)
	}
	for addresses.Next() {
		var id int32
		var url string
		if err := addresses.Scan(&id, &url); err != nil {
			t.Fatal(err)
		}
		urls[id] = url
	}
	source := h.store.Source(t.Context(), crawl, func(id int32) string { return urls[id] })
	places := map[string][]int{}
	for _, prefix := range []string{query.Source, query.Target} {
		for _, f := range pages.Facts {
			places[prefix] = append(places[prefix], links.Fact(prefix+f.Name))
		}
	}
	put := func(row []any, prefix, address string) {
		facts := known[address]
		if facts == nil {
			facts = testkit.Facts(pages, []column.Row{{Address: address}})[0]
			for i, f := range pages.Facts {
				if f.Name != "address" && f.OfAddress == nil {
					facts[i] = nil
				}
			}
		}
		for i, at := range places[prefix] {
			if at >= 0 && address != "" {
				row[at] = facts[i]
			}
		}
	}
	err = source.EachLinks(ids, func(id int32, all []page.Link, _ []int32) {
		for _, l := range all {
			row := make([]any, len(links.Facts))
			for name, v := range map[string]any{"words": cmp.Or(l.Words, l.Label), "place": l.Place, "region": l.Region.String(),
				"follow": !l.NoFollow, "hidden": l.Hidden, "fragment": l.Fragment, "line": l.Line} {
				row[links.Fact(name)] = v
			}
			put(row, query.Source, from[id])
			put(row, query.Target, l.Address)
			out = append(out, row)
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func (h *harvik) rowsOf(t *testing.T, crawl, site int64, role string) (rows []column.Row) {
	t.Helper()
	err := h.store.EachPage(t.Context(), crawl, site, role, func(p *column.Row) error {
		rows = append(rows, *p)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return rows
}

// asksExamples asks what the documentation shows, of Fernhollow: so many answers, this one first.
func (h *harvik) asksExamples(t *testing.T) {
	want := map[string]struct {
		total int
		first string
	}{
		"Pages that search engines may show, with next to nothing on them": {
			6,
			"https://fernhollow.example/search/",
		},
		"Pages over three kilobytes without a description": {
			6,
			"https://fernhollow.example/plants/lilium-martagon/",
		},
		"Shop pages with fewer than ten links in": {
			126,
			"https://fernhollow.example/shop/voucher",
		},
		"Pages that no link leads to": {
			2,
			"https://fernhollow.example/visit/lost-well/",
		},
		"What search engines may not show although the home page leads there in two clicks": {
			15,
			"https://fernhollow.example/gallery/",
		},
		"Titles that still say what they should not": {
			1,
			"https://fernhollow.example/journal/slug-counts/",
		},
		"Pages whose text still speaks of what there is no more": {
			9,
			"https://fernhollow.example/visit/gardens/lake-walk/",
		},
		"How long pages are, section by section": {584, "/plants/ 177"},
		"What stands in the way of showing pages": {
			94,
			"canonical names another address 57",
		},
		"Pictures over a hundred kilobytes, the heaviest first": {
			3,
			"https://fernhollow.example/images/mural.jpg",
		},
		"Every link to a page that is gone, with its words": {
			6,
			"https://fernhollow.example/research/",
		},
		"The same, by where they lead": {
			442,
			"https://fernhollow.example/old-shop/ 436",
		},
		"Links in texts whose words say nothing": {
			2,
			"https://fernhollow.example/plants/digitalis-grandiflora/",
		},
		"Links that search engines may not follow, to pages of one's own": {
			2,
			"https://fernhollow.example/plants/dactylorhiza-incarnata/",
		},
		"Redirects by more than one hop, or that end badly": {8, "https://fernhollow.example/map"},
		"Errors on pages that the home page links to": {
			17,
			"https://fernhollow.example/plants/",
		},
		"Which titles are shared, and by how many pages": {
			9,
			"Guided walk among snowdrops – Fernhollow 3",
		},
		"Images over half a megabyte, with where they stand": {
			4, "https://fernhollow.example/shop/cedar-lawn-plant-label-set/"},
		"Pages that no link in a text leads to, only navigation and the like": {
			2, "https://fernhollow.example/visit/lost-well/"},
		"What the home page's own text sends visitors to": {
			3,
			"https://fernhollow.example/visit/gardens/walled-garden/",
		},
		"Pages that fail both of two checks":               {4, "https://fernhollow.example/visit/picnic/"},
		"Which checks fail on pages that many link to":     {16, "link-broken-inside 15"},
		"Which headings stand on many pages":               {2495, "From the notebook 166"},
		"What sitemaps list that cannot be shown":          {11, "fetched 9"},
		"What kinds of things structured data tells of":    {8, "Event 4"},
		"Languages that pages name no working address for": {4, "cy 2"},
		"Texts that several pages share":                   {9, "3"},
		"thin-pages":                                       {4, "https://fernhollow.example/research/graft-unions/"},
		"images-by-weight":                                 {410, "https://fernhollow.example/images/mural.jpg"},
		"pages-by-links-in":                                {488, "https://fernhollow.example/visit/lost-well/"},
		"broken-links":                                     {442, "http://seed-library.example/closed/"},
		"redirects-of-two-hops":                            {7, "https://fernhollow.example/tickets"},
		"undescribed-by-visits":                            {6, "https://fernhollow.example/visit/gardens/lake-walk/"},
		"orphans":                                          {2, "https://fernhollow.example/visit/lost-well/"},
		"noindex-in-navigation":                            {578, "https://fernhollow.example/gallery/ 578"},
		"slow-pages":                                       {-1, ""}, // four, and more on a busy machine
		"changed-titles":                                   {0, ""},  // there is one crawl only
	}
	for _, e := range slices.Concat(query.Examples, query.Views) {
		answer, err := h.Ask(t.Context(), "fernhollow", api.Latest, &api.AskParams{Of: e.Of, Question: e.Question,
			Columns: strings.Join(e.Columns, ","), Order: e.Order, By: e.By, Measure: e.Measure, Limit: 500})
		if err != nil {
			t.Errorf("%s: %v", e.Say, err)
			continue
		}
		first := ""
		switch {
		case len(answer.Groups) > 0:
			first = fmt.Sprint(answer.Groups[0].Value, " ", answer.Groups[0].Count)
		case len(answer.Rows) > 0:
			first = fmt.Sprint(answer.Rows[0][0])
		}
		w, ok := want[cmp.Or(e.Name, e.Say)]
		if w.total < 0 {
			w.total, w.first = max(answer.Total, 4), first
		}
		if !ok || answer.Total != w.total || first != w.first {
			t.Errorf("%q: {%d, %q}, want %+v", e.Say, answer.Total, first, w)
		}
		if len(answer.Rows) > 0 && len(answer.Rows) != answer.Total {
			t.Errorf("%s: %d rows of %d", e.Say, len(answer.Rows), answer.Total)
		}
	}
}

// TestAskStory asks from the command line: rows, groups, files, and what is wrong with a question.
func TestAskStory(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 300, Seed: 4})
	s.ok("site add big http://big.example/ --allow 127.0.0.0/8")
	s.ok("plan set big pages=250 probes=false " + unhurried + " --host big.example=" + garden)
	s.ok("crawl big")
	ask := func(args ...string) (string, string, int) { return s.run(append([]string{"ask", "big"}, args...)...) }
	out, _, code := ask("words > 0", "--order", "-words", "--limit", "2")
	if code != 0 || !strings.Contains(out, "pages of big, crawl 1") || !strings.Contains(out, "more; --limit") {
		t.Errorf("%d:\n%s", code, out)
	}
	out, _, _ = ask("words > 1000000")
	if out != "None of the pages of big, crawl 1.\n" {
		t.Errorf("%q", out)
	}
	out, _, _ = ask("", "--columns", "address,words", "--csv")
	all := strings.Count(out, "\r\n") - 1
	if !strings.HasPrefix(out, "address,words\r\n") || all < 100 {
		t.Errorf("%d lines: %.200s", all, out)
	}
	out, _, _ = ask("--json", "--by", "status", "--measure", "words")
	var groups api.Answer
	if err := json.Unmarshal([]byte(out), &groups); err != nil || len(groups.Groups) == 0 || groups.Total != all ||
		groups.Groups[0].Measured.Count == 0 {
		t.Errorf("%v: %.500s", err, out)
	}
	out, _, _ = ask("--by", "status", "--measure", "words")
	if !strings.Contains(out, "share") || !strings.Contains(out, "median") ||
		!strings.Contains(out, "▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪") {
		t.Errorf("%s", out)
	}
	out, _, _ = ask("--of", "links", "--by", "region")
	if !strings.Contains(out, "content") {
		t.Errorf("%s", out)
	}
	out, _, _ = ask("--of", "links", "--limit", "10001", "--csv") // one more than is asked for at once
	if n := strings.Count(out, "\r\n") - 1; n != 10_001 {
		t.Errorf("%d links", n)
	}
	out, talk, code := ask("words / linksIn > 2 && linksIn == 0 || words < 0")
	if code != 0 || !strings.HasPrefix(out, "None of") && talk == "" {
		t.Errorf("%d: %s%s", code, out, talk)
	}
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{`words > 3 && tilte == "x"`}, "\n    words > 3 && tilte == \"x\"\n                 ^\n  pages have no fact tilte"},
		{[]string{`words >`}, "the question ends too early"},
		{[]string{`words`, `>`, `3`}, "in one pair of quotation marks"},
		{[]string{"--of", "pics"}, "no table \"pics\""},
		{[]string{"--columns", "adress"}, `did you mean "address"`},
		{[]string{"--order", "wordz"}, `did you mean "words"`},
		{[]string{"--by", "text"}, "text is words, which this cannot go by"},
		{[]string{"--order", "text"}, "text is words, which this cannot go by"},
		{[]string{"--by", "figures"}, "figures is figures by name, which this cannot go by"},
		{[]string{"--by", "status", "--measure", "title"}, "title is words, which this cannot go by"},
		{[]string{"--measure", "words"}, "say by which fact"},
	} {
		if _, talk, code := ask(c.args...); code == 0 || !strings.Contains(talk, c.says) {
			t.Errorf("%q: %d, %s", c.args, code, talk)
		}
	}
	s.ok("view add wordy words>10 --order words --columns address,words --say verbose")
	s.ok("view add wordy words>20 --order -words --columns address,words --site big")
	s.ok("view list", "wordy", "thin-pages", "all, Harvik's", "verbose")
	most, _, _ := s.run("view", "show", "big", "wordy", "--limit", "1", "--csv") // the site's own before that for all
	if asked, _, _ := ask("words > 20", "--order", "-words", "--columns", "address,words", "--limit", "1",
		"--csv"); most != asked || !strings.HasPrefix(most, "address,words\r\n") {
		t.Errorf("the view shows %q, the question %q", most, asked)
	}
	s.ok("view remove wordy --site big")
	s.ok("view show big wordy --limit 1", "more; --limit")
	s.fails("view remove wordy --site big", 1, "does not exist")
	s.ok("view remove wordy")
	s.fails("view remove wordy", 1, "does not exist")
	s.fails("view remove orphans", 1, "comes with Harvik")
	s.fails("view add orphans words>3", 1, "choose another name")
	s.fails("view add Wordy words>3", 1, "small letters")
	s.fails("view add wordy wordz>3", 1, "pages have no fact wordz")
	s.fails("view add wordy --order wordz", 1, "order: ")
	s.fails("view add wordy words>3 --site bog", 1, "did you mean")
	s.fails("view show big wordx", 1, "there is no view")
	for args, want := range map[string]string{
		"ask\x00b":                                 "big\thttp://big.example/",
		"ask\x00big\x00words > 3 && link":          "words > 3 && linksIn\tpages that link to it",
		"ask\x00big\x00title == \"lin":             "!linksIn",
		"ask\x00big\x00--of\x00links\x00target.ti": "target.title\tits title element",
		"ask\x00big\x00--of\x00li":                 "links",
		"ask\x00big\x00--order\x00wor":             "words\tof the main text",
		"ask\x00big\x00--columns\x00address,wo":    "address,words\tof the main text",
		"view\x00add\x00thin\x00--by\x00sec":       "section\tthe first folder",
	} {
		out, _, _ := s.run(append([]string{"__complete"}, strings.Split(args, "\x00")...)...)
		part, not := strings.CutPrefix(want, "!")
		if strings.Contains(out, part) == not {
			t.Errorf("%q is completed by %q, want %q", args, out, want)
		}
	}
	s.ok("ask --facts clicks", "pages: ", "target.clicks", "no links lead there from the home page")
	s.fails("ask --facts hedgehog", 1, "no fact has")
	s.fails("ask", 2, "say which site")
}

// looksOver: every number of the overview leads to as many rows, and so does every group of an answer.
func (h *harvik) looksOver(t *testing.T) {
	over, err := h.ShowOverview(t.Context(), "fernhollow", api.Latest)
	if err != nil || len(over.Panels) != len(query.Overview) {
		t.Fatalf("%d panels (%v)", len(over.Panels), err)
	}
	follows := func(of, name string, groups []api.FactGroup) (all int) {
		t.Helper()
		for _, g := range groups {
			answer, err := h.Ask(t.Context(), "fernhollow", api.Latest, &api.AskParams{Of: of, Question: g.Question, Limit: 1})
			if err != nil || answer.Total != g.Count || g.Count == 0 {
				t.Errorf("%s: %v counts %d, and %s has %d (%v)", name, g.Value, g.Count, g.Question, answer.Total, err)
			}
			all += g.Count
		}
		return all
	}
	for _, p := range over.Panels {
		if all := follows(p.Of, p.Name, p.Groups); all != p.Total || p.Total == 0 {
			t.Errorf("%s counts %d of %d", p.Say, all, p.Total)
		}
	}
	for _, p := range []api.AskParams{{By: "indexable"}, {By: "fields.none"}, {By: "health", Question: "words > 300 || words < 20"},
		{By: "before.title"}, {Of: "findings", By: "severity"}, {Of: "links", By: "target.status", Question: "follow"},
		{Of: "data", By: "types"}, {By: "h1", Question: "indexable && linksIn > 5"}, {Of: "duplicates", By: "likeness"}} {
		p.Limit = 1
		answer, err := h.Ask(t.Context(), "fernhollow", api.Latest, &p)
		if err != nil || len(answer.Groups) == 0 {
			t.Fatalf("%+v: %v", p, err)
		}
		follows(p.Of, p.By, answer.Groups[:min(len(answer.Groups), 12)])
	}
}

// asksNeighbours: what a page's question says of the links to it is what the table of links says.
func (h *harvik) asksNeighbours(t *testing.T) {
	ask := func(p api.AskParams) (out []string) {
		t.Helper()
		p.Limit = 10_000
		answer, err := h.Ask(t.Context(), "fernhollow", api.Latest, &p)
		if err != nil {
			t.Fatalf("%+v: %v", p, err)
		}
		for _, g := range answer.Groups {
			out = append(out, fmt.Sprint(g.Value, " ", g.Count))
		}
		for _, r := range answer.Rows {
			out = append(out, fmt.Sprint(r[0]))
		}
		slices.Sort(out)
		return out
	}
	for of, links := range map[string]string{ // a question about l, and about links
		`l.region == "content" && l.source.kind == "home"`:     `region == "content" && source.kind == "home"`,
		`!l.follow || l.hidden`:                                `!follow || hidden`,
		`l.words.contains("moss") && l.source.words > 100`:     `words.contains("moss") && source.words > 100`,
		`l.source.section == "/shop/" && l.line > 40`:          `source.section == "/shop/" && line > 40`,
		`l.source.clicks >= 3 && l.source.title.contains("a")`: `source.clicks >= 3 && source.title.contains("a")`,
		`l.place.startsWith("main") && !l.source.indexable`:    `place.startsWith("main") && !source.indexable`,
		`"no such term" in l.source.terms || l.fragment != ""`: `"no such term" in source.terms || fragment != ""`,
	} {
		want := ask(
			api.AskParams{Of: "links", Question: `target.role == "page" && target.status == 200 && (` + links + ")",
				By: "target.address"},
		)
		for i := range want {
			want[i], _, _ = strings.Cut(want[i], " ")
		}
		got := ask(api.AskParams{Question: "status == 200 && linkedBy.exists(l, " + of + ")", Columns: "address"})
		if !slices.Equal(got, want) || len(want) == 0 && !strings.Contains(of, "no such term") {
			t.Errorf("%s: %d pages, want %d: %.200q, want %.200q", of, len(got), len(want), got, want)
		}
	}
	for wrong, says := range map[string]string{
		`linkedBy.exists(l, l.regoin == "x")`:        `did you mean "region"`,
		`linkedBy.exists(l, l.source.tilte == "x")`:  `did you mean "title"`,
		`linkedBy.exists(l, l.title == "x")`:         "source.title",
		`linkedBy.exists(l, l.source.before == "x")`: "before",
		`linkedBy == 3`: "",
	} {
		_, err := h.Ask(t.Context(), "fernhollow", api.Latest, &api.AskParams{Question: wrong, Limit: 1})
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", wrong, err)
		}
	}
	for _, p := range []api.AskParams{{Columns: "linkedBy"}, {By: "linkedBy"}, {Order: "linkedBy"}} {
		p.Limit = 1
		if _, err := h.Ask(t.Context(), "fernhollow", api.Latest, &p); err == nil {
			t.Errorf("%+v is answered", p)
		}
	}
	alone := ask(api.AskParams{Question: "linkedBy.size() == 0", Columns: "address"})
	if want := ask(api.AskParams{Question: "linksIn == 0", Columns: "address"}); !slices.Equal(alone, want) ||
		len(alone) == 0 {
		t.Errorf("without links to them: %v, want %v", alone, want)
	}
}

// asksRedirects: the ways of redirects are those of the sheet that is handed over.
func (h *harvik) asksRedirects(t *testing.T) {
	file, err := h.ExportCrawl(
		t.Context(),
		"fernhollow",
		api.Latest,
		&api.ExportCrawlParams{As: "csv", Sheets: "redirects"},
	)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Body.Close()
	sheet, err := csv.NewReader(file.Body).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	answer, err := h.Ask(t.Context(), "fernhollow", api.Latest, &api.AskParams{Of: "redirects", Limit: 500,
		Columns: "address,hops,end,linksIn,circle,endStatus,way"})
	if err != nil || len(sheet) != answer.Total+1 || answer.Total < 20 {
		t.Fatalf("%d rows, %d in the sheet (%v)", answer.Total, len(sheet)-1, err)
	}
	circles := 0
	for i, r := range answer.Rows {
		line := sheet[i+1] // starts at, hops, every hop, ends at, answer at the end, links in
		got := []string{fmt.Sprint(r[0]), fmt.Sprint(r[1]), fmt.Sprint(r[2]), fmt.Sprint(r[3])}
		if want := []string{line[0], line[1], line[3], line[5]}; !slices.Equal(got, want) {
			t.Errorf("%v, in the sheet %v", got, want)
		}
		if r[4] == true {
			circles++
		}
		if inCircle := line[4] == "goes in a circle"; inCircle != (r[4] == true) || !inCircle && r[5] != nil &&
			fmt.Sprint(r[5]) != line[4] {
			t.Errorf("%s ends in %v (%v), in the sheet %q", r[0], r[5], r[4], line[4])
		}
		if way := r[6].([]any); len(way) != int(r[1].(float64))-1 {
			t.Errorf("%s: %v in %v hops", r[0], way, r[1])
		}
	}
	if circles == 0 {
		t.Error("no circle was met")
	}
}

// TestAskedBefore asks what pages were in the crawl before.
func TestAskedBefore(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	var later atomic.Bool
	h.addSite(t, "beds", "http://"+testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		title := "Bed " + r.URL.Path
		switch {
		case later.Load() && r.URL.Path == "/a":
			title = "Border"
		case later.Load() != (r.URL.Path == "/late") && r.URL.Path != "/" && r.URL.Path != "/a" && r.URL.Path != "/b":
			w.WriteHeader(http.StatusNotFound)
		}
		fmt.Fprintf(w, "<html lang=en><title>%s</title><a href=/a>a</a> <a href=/b>b</a> <a href=/late>late</a>", title)
	}))+"/", plan.Plan{Probes: plan.No()})
	answers := func(question string) (out []string) {
		t.Helper()
		answer, err := h.Ask(t.Context(), "beds", api.Latest, &api.AskParams{Question: question,
			Columns: "path,before.title,before.status", Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range answer.Rows {
			out = append(out, fmt.Sprint(r...))
		}
		return out
	}
	h.crawlOf(t, "beds")
	if got := answers("known(before.address) || before.title != \"\""); len(got) > 0 {
		t.Errorf("before the first crawl there was %q", got)
	}
	later.Store(true)
	h.crawlOf(t, "beds")
	if got := answers("before.status == 200 && before.title != title"); !slices.Equal(got, []string{"/aBed /a200"}) {
		t.Errorf("changed titles: %q", got)
	}
	if got := answers("before.status != status"); !slices.Equal(got, []string{"/late404"}) {
		t.Errorf("changed answers: %q", got)
	}
	if got := answers("!(before.words > 100)"); len(got) != 3 {
		t.Errorf("with few words before, where that is known: %q", got)
	}
	view, err := h.Ask(t.Context(), "beds", api.Latest, &api.AskParams{By: "before.status", Limit: 100})
	if err != nil || len(view.Groups) == 0 || view.Total != 4 {
		t.Errorf("by what it was: %+v (%v)", view, err)
	}
}
