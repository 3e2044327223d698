package cli

import (
	"cmp"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

func (a *app) trailCommand() *cobra.Command {
	var q api.ListTrailParams
	c := &cobra.Command{
		Use: "trail", Short: "Show who changed what, when and from where, the newest first", Args: args(),
		Example: "  harvik trail --site fernhollow --limit 20\n  harvik trail --who ash --csv > ash.csv",
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListTrail(c.Context(), &q)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			rows := [][]string{{"at", "who", "by", "from", "what", "site", "of"}}
			switch {
			case a.json:
				return writeJSON(w, list)
			case a.csv:
				rows[0] = append(rows[0], "before", "after")
				for _, s := range list.Steps {
					rows = append(
						rows,
						[]string{s.At.UTC().Format(time.RFC3339), s.Who, s.Kind, s.Place, s.What, s.Site, s.Subject,
							string(s.Before), string(s.After)},
					)
				}
				return writeCSV(w, rows)
			case len(list.Steps) == 0:
				fmt.Fprintln(c.ErrOrStderr(), "Nothing was changed that is so.")
				return nil
			}
			for _, s := range list.Steps {
				rows = append(
					rows,
					[]string{minute(s.At.Local(), ""), s.Who, s.Place, cmp.Or(s.Says, s.What), s.Site, s.Subject},
				)
			}
			printRows(w, rows)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&q.Site, "site", "", "what was done to this site")
	f.StringVar(&q.Who, "who", "", "what this person did, by programs, too")
	f.StringVar(&q.What, "what", "", "operations of this name, such as setPlan")
	f.IntVar(&q.Limit, "limit", 50, "steps at most")
	f.BoolVar(&a.csv, "csv", false, "write CSV, with how each thing was before and after")
	return c
}
