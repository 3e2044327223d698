package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) resourcesCommand() *cobra.Command {
	q := record.PageQuery{}
	c := &cobra.Command{
		Use: "resources SITE[@N]", Short: "List what the pages load, and outbound links that were checked", Args: args("SITE"),
		Example: "  harvik resources fernhollow --role image --sort -bytes\n  harvik resources fernhollow --status 4xx",
		RunE: func(c *cobra.Command, in []string) error {
			cr, err := a.crawl(c, in[0])
			if err != nil {
				return err
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if (a.json || a.csv) && !c.Flags().Changed("limit") {
				return a.allPages(c, cl, cr, q)
			}
			list, err := cl.Pages(c.Context(), cr.Site, cr.Number, q)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			switch {
			case a.json:
				return writeJSON(w, list)
			case a.csv:
				return writeCSV(w, pageRows(list.Pages))
			case len(list.Pages) == 0:
				fmt.Fprintln(w, "Nothing like that.")
				return nil
			}
			t := newTable(w, []string{"address", "role", "status", "type", "bytes"}, 5)
			for _, p := range list.Pages {
				size := "–"
				if p.Bytes > 0 {
					size = numbers.Thousands(p.Bytes)
				}
				t.AppendRow([]any{middle(p.Address, max(30, columns(w)-60)), p.Role, statusWord(p), p.Type, size})
			}
			t.Render()
			if n := list.Total - len(list.Pages); n > 0 {
				fmt.Fprintf(w, "\n%s more; --limit %s shows them all.\n", numbers.Thousands(n), strconv.Itoa(list.Total))
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&q.Role, "role", "resources", "only image, stylesheet, script, font, media, other or outbound")
	f.StringVar(&q.Search, "search", "", "only where the address contains this")
	f.StringVar(&q.Status, "status", "", "only this status: 200, 4xx, none")
	f.StringVar(&q.Sort, "sort", "", "column to sort by, - before it for falling: address, status, bytes, wait")
	f.IntVar(&q.Limit, "limit", 40, "lines at most")
	f.BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}
