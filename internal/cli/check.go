package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

func (a *app) checkCommand() *cobra.Command {
	site := ""
	show := &cobra.Command{
		Use: "show ID", Short: "Show a check: what, why, how to fix, thresholds", Args: args("ID"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			ch, err := cl.ShowCheck(c.Context(), in[0], &api.ShowCheckParams{Site: site})
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
	show.Flags().StringVar(&site, "site", "", "the site whose own check it is")
	return group("check", "List, show, try and add checks", a.checkListCommand(), show, a.tryCommand(),
		a.checkAddCommand(), a.checkRemoveCommand(), a.checkSchemaCommand())
}

func (a *app) checkListCommand() *cobra.Command {
	own := false
	c := &cobra.Command{
		Use: "list [SITE]", Short: "List the checks, with the own ones of a site", Args: args("[SITE]"),
		RunE: func(c *cobra.Command, in []string) error {
			if own && len(in) == 0 {
				return usage(c, errors.New("say whose own checks, as in: harvik check list fernhollow --own"))
			}
			return a.listChecks(c, strings.Join(in, ""), own)
		},
	}
	c.Flags().BoolVar(&own, "own", false, "only those that were made from questions")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func (a *app) listChecks(c *cobra.Command, site string, own bool) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	list, err := cl.ListChecks(c.Context(), &api.ListChecksParams{Site: site})
	if err != nil {
		return err
	}
	list.Checks = slices.DeleteFunc(list.Checks, func(ch api.Check) bool { return own && !ch.Own })
	if own && len(list.Checks) == 0 && !a.json && !a.csv {
		fmt.Fprintf(c.ErrOrStderr(), "No check of its own yet. Add some: harvik check add %s -f FILE\n", site)
		return nil
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
