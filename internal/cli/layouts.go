package cli

import (
	"cmp"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) layoutsCommand() *cobra.Command {
	limit := 30
	c := &cobra.Command{
		Use: "layouts SITE[@N]", Short: "Show the templates that pages are built from, each with an example",
		Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			answer, err := cl.ListLayouts(c.Context(), cr.Site, api.Numbered(cr.Number))
			if err != nil {
				return err
			}
			list := answer.Layouts
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"layouts": list})
			}
			rows := [][]string{{"layout", "pages", "health", "errors", "example"}}
			for _, l := range list {
				health := points(l.Health)
				if l.Health < 0 {
					health = "–"
				}
				rows = append(rows, []string{cmp.Or(l.Name, strconv.Itoa(l.Layout)), numbers.Thousands(l.Pages), health,
					numbers.Thousands(l.Errors), l.Example})
			}
			if a.csv {
				return writeCSV(w, rows)
			}
			fmt.Fprintf(w, "%s, crawl %d: %d layouts\n\n", bold(w, cr.Site), cr.Number, len(list))
			rows = rows[:min(len(rows), limit+1)]
			for _, r := range rows[1:] {
				r[4] = middle(r[4], 80)
			}
			printRows(w, rows)
			printMore(w, len(rows)-1, len(list))
			return nil
		},
	}
	c.Flags().IntVar(&limit, "limit", limit, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}
