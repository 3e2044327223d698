package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) resourcesCommand() *cobra.Command {
	q := record.PageQuery{}
	var names []string
	c := &cobra.Command{
		Use: "resources SITE[@N]", Short: "List what the pages load, and outbound links that were checked", Args: args("SITE"),
		Example: "  harvik resources fernhollow --role image --sort -bytes\n  harvik resources fernhollow --status 4xx",
		RunE: func(c *cobra.Command, in []string) error {
			chosen, err := columnsNamed(names)
			if err != nil {
				return err
			}
			return a.listPages(c, in[0], q, chosen, printResources)
		},
	}
	f := c.Flags()
	f.StringSliceVar(&names, "columns", nil, columnsHelp)
	f.StringVar(&q.Role, "role", "resources", "only image, stylesheet, script, font, media, other, outbound or form")
	f.StringVar(&q.Search, "search", "", "only where the address contains this")
	f.StringVar(&q.Status, "status", "", "only this status: 200, 4xx, none")
	f.StringVar(&q.Sort, "sort", "", "column to sort by, - before it for falling: address, status, type, bytes, firstByte")
	f.IntVar(&q.Limit, "limit", 40, "lines at most")
	f.BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func printResources(w io.Writer, _ record.Crawl, list record.PageList) {
	if len(list.Pages) == 0 {
		fmt.Fprintln(w, "Nothing like that.")
		return
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
	printMore(w, len(list.Pages), list.Total)
}
