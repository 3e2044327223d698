package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) resourcesCommand() *cobra.Command {
	q := api.ListPagesParams{}
	var names []string
	c := &cobra.Command{
		Use: "resources SITE[@N]", Short: "List what the pages load, and outbound links that were checked",
		Args:    args("SITE"),
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
	f.StringVar(&q.Sort, "sort", "",
		"column to sort by, - before it for falling: address, status, type, bytes, firstByte")
	f.IntVar(&q.Limit, "limit", 40, "lines at most")
	f.BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func printResources(w io.Writer, _ api.Crawl, list api.PageList) {
	if len(list.Pages) == 0 {
		fmt.Fprintln(w, "Nothing like that.")
		return
	}
	t := newTable(w, []string{"address", "role", "status", "type", "bytes"}, 5)
	for _, p := range list.Pages {
		size := "–"
		if wholeIn(p, "bytes") > 0 {
			size = numbers.Thousands(wholeIn(p, "bytes"))
		}
		t.AppendRow([]any{middle(textIn(p, "address"), max(30, columns(w)-60)), textIn(p, "role"), statusWord(p),
			textIn(p, "type"), size})
	}
	t.Render()
	printMore(w, len(list.Pages), list.Total)
}
