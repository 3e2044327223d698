package e2e

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"harvik/demo"
	"harvik/internal/core/column"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// TestAskedBothWays asks questions made up at random: what the database answers together with the core is what the core
// answers alone, of rows that were read in another way. HARVIK_QUESTIONS asks for more of them.
func TestAskedBothWays(t *testing.T) {
	t.Parallel()
	n, err := strconv.Atoi(cmp.Or(os.Getenv("HARVIK_QUESTIONS"), "400"))
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
	for _, table := range query.Tables {
		t.Run(table.Name, func(t *testing.T) {
			role := map[string]string{"resources": "resources"}[table.Name]
			rows := testkit.Facts(table, h.rowsOf(t, rec.ID, site.ID, role))
			q := &testkit.Questioner{Rand: rand.New(rand.NewPCG(29, 11)), Table: table, Rows: rows}
			q.AskBothWays(t, h.store, rec.ID, site.ID, n/len(query.Tables))
		})
	}
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
