package e2e

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// TestAskedBothWays asks questions made up at random: what the database answers together with the core is what the core
// answers alone, of rows that were read in another way. HARVIK_QUESTIONS asks for more of them.
func TestAskedBothWays(t *testing.T) {
	t.Parallel()
	n, err := strconv.Atoi(cmp.Or(os.Getenv("HARVIK_QUESTIONS"), "1000"))
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
	figures := "address,visits\n"
	for i, row := range h.rowsOf(t, rec.ID, site.ID, "") {
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
			role := map[string]string{"resources": "resources"}[table.Name]
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
		})
	}
}

// linkRows are the facts of all links, put together from lists of pages and the links of each.
func (h *harvik) linkRows(t *testing.T, links *query.Table, crawl, site int64) (out [][]any) {
	t.Helper()
	pages := query.TableOf("pages")
	html := h.rowsOf(t, crawl, site, "")
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
	q := record.PageQuery{Role: role, Site: site, Limit: 500}
	for {
		list, err := h.store.Pages(t.Context(), crawl, q)
		if err != nil {
			t.Fatal(err)
		}
		rows = append(rows, list.Pages...)
		if q.After = list.Next; q.After == "" {
			return rows
		}
	}
}
