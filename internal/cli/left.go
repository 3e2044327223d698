package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
)

func (a *app) leftCommand() *cobra.Command {
	var state string
	var limit int
	c := &cobra.Command{
		Use: "left SITE[@N]", Short: "Show what a crawl left out, and why", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if state == "" {
				return a.leftSummary(c, cl, cr)
			}
			list, err := cl.ListAddresses(c.Context(), cr.Site, api.Numbered(cr.Number),
				&api.ListAddressesParams{State: state, Limit: limit})
			switch {
			case err != nil:
				return err
			case a.json:
				return writeJSON(w, list)
			}
			rows := [][]string{{"address", "found on", "rule"}}
			for _, r := range list.Addresses {
				rows = append(rows, []string{r.Address, r.FoundOn, ruleWords(r)})
			}
			if a.csv {
				return writeCSV(w, rows)
			}
			for _, r := range rows[1:] {
				r[0], r[1] = middle(r[0], 60), middle(r[1], 40)
			}
			printRows(w, rows)
			printMore(w, len(list.Addresses), list.Total)
			return nil
		},
	}
	c.Flags().StringVar(&state, "state", "",
		"list the addresses of one state: blocked, left-out, trapped, over-limit, too-deep, waiting, unlinked, too-long, outside, not-web")
	c.Flags().IntVar(&limit, "limit", 40, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func ruleWords(r api.KnownAddress) string {
	if r.RuleLine > 0 {
		return fmt.Sprintf("robots.txt line %d: %s", r.RuleLine, r.Rule)
	}
	return r.Rule
}

func (a *app) leftSummary(c *cobra.Command, cl *api.Client, cr api.Crawl) error {
	t, err := cl.Tally(c.Context(), cr.Site, api.Numbered(cr.Number))
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	if a.json {
		return writeJSON(w, map[string]any{"states": t.States, "traps": cr.Traps})
	}
	counts := map[string]int{}
	for _, s := range t.States {
		counts[s.Name] = s.Count
	}
	rows := [][]string{{"addresses", "state", "why"}}
	for _, r := range vocabulary.LeftOut {
		if n := counts[r.Name]; n > 0 {
			rows = append(rows, []string{numbers.Thousands(n), r.Name, r.Says})
		}
	}
	if a.csv {
		return writeCSV(w, rows)
	}
	if len(rows) == 1 {
		fmt.Fprintln(w, "Nothing was left out.")
		return nil
	}
	printRows(w, rows, 1)
	for _, trap := range cr.Traps {
		fmt.Fprintf(w, "\nNever ends: %s, %s fetched, %s left. An example: %s\n", trap.Pattern,
			numbers.Thousands(trap.Fetched), numbers.Thousands(trap.Left), trap.Example)
	}
	fmt.Fprintf(w, "\nList them: harvik crawl left %s@%d --state %s\n", cr.Site, cr.Number, rows[1][1])
	return nil
}

// tellShutOut says how much robots.txt kept from the crawl, for a plan that wants it reported.
func (a *app) tellShutOut(c *cobra.Command, cl *api.Client, cr api.Crawl) error {
	list, err := cl.ListAddresses(c.Context(), cr.Site, api.Numbered(cr.Number),
		&api.ListAddressesParams{State: "blocked", Limit: 1})
	if err != nil {
		return err
	}
	if list.Total == 0 {
		fmt.Fprintln(c.ErrOrStderr(), "robots.txt shut nothing out.")
		return nil
	}
	fmt.Fprintf(c.ErrOrStderr(), "robots.txt shut out %s; `harvik crawl left %s@%d --state blocked` lists them with their lines.\n",
		numbers.Count(list.Total, "address", "addresses"), cr.Site, cr.Number)
	return nil
}
