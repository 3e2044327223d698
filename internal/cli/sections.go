package cli

import (
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) mapCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "map SITE[@N]", Short: "Show where the sore spots are: sections by group of checks", Args: args("SITE"),
		Long: `Counts, for each section (a folder) and group of checks, the checks that fail on its pages: for
a hundred pages, so that large and small sections can be compared.`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			m, err := cl.ShowMap(c.Context(), cr.Site, api.Numbered(cr.Number))
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, m)
			}
			fmt.Fprintf(w, "%s, crawl %d: checks failing for every hundred pages\n\n", bold(w, cr.Site), cr.Number)
			printMap(w, m)
			return nil
		},
	}
	return c
}

// printMap shows sections down and groups across; groups without findings are left out.
func printMap(w io.Writer, m api.Map) {
	sums := map[string]map[string]int{}
	used := map[string]bool{}
	for _, cell := range m.Cells {
		if sums[cell.Section] == nil {
			sums[cell.Section] = map[string]int{}
		}
		n := cell.Findings[0] + cell.Findings[1] + cell.Findings[2]
		sums[cell.Section][cell.Group] += n
		used[cell.Group] = used[cell.Group] || n > 0
	}
	groups := slices.DeleteFunc(slices.Clone(m.Groups), func(g string) bool { return !used[g] })
	heads := append([]string{"section", "pages", "health"}, groups...)
	rows := [][]string{heads}
	var right []int
	for i := range heads[1:] {
		right = append(right, i+2)
	}
	for i, s := range m.Sections {
		if i == 30 {
			break
		}
		health := "–"
		if s.Health >= 0 {
			health = points(s.Health)
		}
		row := []string{middle(s.Section, 30), numbers.Thousands(s.Pages), health}
		for _, g := range groups {
			n := sums[s.Section][g]
			switch {
			case n == 0:
				row = append(row, "·")
			default:
				row = append(row, strconv.Itoa(max(1, (100*n+s.Pages/2)/max(1, s.Pages))))
			}
		}
		rows = append(rows, row)
	}
	printRows(w, rows, right...)
	printMore(w, len(rows)-1, len(m.Sections))
}
