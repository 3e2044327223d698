package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) metricsCommand() *cobra.Command {
	return group("metrics", "Figures of your own by address: visits, revenue, external links …",
		a.importCommand(), a.listMetricsCommand(), a.useCommand(), a.forgetCommand())
}

func (a *app) importCommand() *cobra.Command {
	var taken string
	c := &cobra.Command{
		Use: "import SITE FILE", Short: "Take figures from a CSV file (- for standard input)",
		Args: args("SITE", "FILE"),
		Long: `Takes figures by address from CSV: one column holds addresses (or paths), every other column is
a figure under its heading. Separators, types and percent signs are recognised. Addresses are
matched to the newest crawl's after normalising; those that match nothing are listed. Figures are
kept by the day they are of, so that a later import does not overwrite an earlier one.`,
		RunE: func(c *cobra.Command, in []string) error {
			file := c.InOrStdin()
			if in[1] != "-" {
				f, err := os.Open(in[1])
				if err != nil {
					return fmt.Errorf("reading the figures: %w", err)
				}
				defer f.Close()
				file = f
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			out, err := cl.ImportFigures(c.Context(), in[0], &api.ImportFiguresParams{Taken: taken}, "text/csv", file)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), out)
			}
			printImport(c.OutOrStdout(), out)
			return nil
		},
	}
	c.Flags().StringVar(&taken, "taken", "", "the day that the figures are of, such as 2027-03-31; today by default")
	return c
}

func printImport(w io.Writer, out api.FigureImport) {
	fmt.Fprintf(w, "%s read, %s of pages of the newest crawl.\n", numbers.Count(out.Rows, "row", "rows"),
		numbers.Thousands(out.Matched))
	for _, col := range out.Columns {
		fmt.Fprintf(w, "  %s: %s, %s\n", col.Name, col.Kind, numbers.Count(col.Rows, "value", "values"))
	}
	if n := out.Rows - out.Matched; n > 0 {
		fmt.Fprintf(w, "%s no page of the newest crawl; kept all the same:\n",
			numbers.Count(n, "address matches", "addresses match"))
		for i, u := range out.Unmatched {
			if i == 10 {
				fmt.Fprintf(w, "  and %s more; --json lists up to 1,000\n", numbers.Thousands(n-i))
				break
			}
			fmt.Fprintf(w, "  %s\n", u)
		}
	}
	for i, f := range out.Faults {
		if i == 10 {
			fmt.Fprintf(w, "  and %s more faults\n", numbers.Thousands(len(out.Faults)-i))
			break
		}
		fmt.Fprintf(w, "Left out: line %d: %s\n", f.Line, f.Reason)
	}
}

func (a *app) listMetricsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list SITE", Short: "List the figures, and the one that weighs pages", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListFigures(c.Context(), in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, list)
			}
			if len(list.Figures) == 0 {
				fmt.Fprintf(w, "No figures yet. Take some: harvik metrics import %s FILE\n", in[0])
				return nil
			}
			rows := [][]string{{"figure", "of", "kind", "pages", "imported"}}
			for _, s := range list.Figures {
				rows = append(rows, []string{s.Name, s.Taken.String(), s.Kind, numbers.Thousands(s.Rows),
					s.Imported.Format("2006-01-02 15:04")})
			}
			printRows(w, rows, 4)
			fmt.Fprintf(w, "\nPages weigh by authority%s.\n", and(list.Importance))
			return nil
		},
	}
}

// and goes on with a name, if there is one.
func and(name string) string {
	if name == "" {
		return ""
	}
	return " and " + name
}

func (a *app) useCommand() *cobra.Command {
	var none bool
	c := &cobra.Command{
		Use: "use SITE [FIGURE]", Short: "Let a figure weigh pages beside their authority",
		Args: args("SITE", "[FIGURE]"),
		RunE: func(c *cobra.Command, in []string) error {
			name := ""
			if len(in) > 1 {
				name = in[1]
			}
			if (name == "") != none {
				return usage(c, errors.New("name one figure, or say --none"))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if _, err := cl.SetImportance(c.Context(), in[0], api.FigureChoice{Figure: name}); err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]string{"importance": name})
			}
			fmt.Fprintf(c.OutOrStdout(), "Pages weigh by authority%s.\n", and(name))
			return a.tellHealth(c, cl, in[0])
		},
	}
	c.Flags().BoolVar(&none, "none", false, "by authority alone again")
	return c
}

func (a *app) forgetCommand() *cobra.Command {
	return &cobra.Command{
		Use: "forget SITE FIGURE", Short: "Delete a figure, of all days", Args: args("SITE", "FIGURE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveFigure(c.Context(), in[0], in[1]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s is forgotten.\n", cmp.Or(in[1], "The figure"))
			return nil
		},
	}
}
