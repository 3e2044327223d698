package cli

import (
	"fmt"

	"github.com/spf13/cobra"
)

func (a *app) checkCommand() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "List the checks", Args: args(), RunE: a.listChecks}
	list.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	show := &cobra.Command{
		Use: "show ID", Short: "Show a check: what, why, how to fix, thresholds", Args: args("ID"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			ch, err := cl.ShowCheck(c.Context(), in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, ch)
			}
			fmt.Fprintf(w, "%s %s: %s\n", sign(w, ch.Severity), bold(w, ch.ID), ch.Title)
			fmt.Fprintf(w, "  %s, factor %g, group %s, looks at %s; a repair takes %s\n\n", ch.Severity, ch.Factor,
				ch.Group, ch.Scope, ch.Effort)
			for _, part := range [][2]string{{"What", ch.What}, {"Why", ch.Why}, {"How to fix", ch.How}} {
				fmt.Fprintln(w, "  "+bold(w, part[0]))
				wrap(w, "  ", part[1])
				fmt.Fprintln(w)
			}
			for _, l := range ch.Limits {
				fmt.Fprintf(w, "  threshold %s: %d %s\n", l.Name, l.Default, l.Unit)
				wrap(w, "    ", l.Doc)
			}
			if ch.Source != "" {
				wrap(w, "  ", "Rests on: "+ch.Source)
			}
			return nil
		},
	}
	return group("check", "List, show and try the checks", list, show, a.tryCommand())
}

func (a *app) listChecks(c *cobra.Command, _ []string) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	list, err := cl.ListChecks(c.Context())
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	switch {
	case a.json:
		return writeJSON(w, map[string]any{"checks": list.Checks})
	case a.csv:
		rows := [][]string{{"check", "group", "severity", "title"}}
		for _, ch := range list.Checks {
			rows = append(rows, []string{ch.ID, ch.Group, ch.Severity, ch.Title})
		}
		return writeCSV(w, rows)
	}
	t := newTable(w, []string{"", "check", "group", "fires when"})
	for _, ch := range list.Checks {
		t.AppendRow([]any{sign(w, ch.Severity), ch.ID, ch.Group, ch.Title})
	}
	t.Render()
	return nil
}
