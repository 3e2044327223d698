package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

// sharedShown is how many words of a shared passage are shown at either end.
const sharedShown = 8

func (a *app) compareCommand() *cobra.Command {
	return &cobra.Command{
		Use: "compare SITE[@N] A B", Short: "Set two pages' texts side by side", Args: args("SITE", "A", "B"),
		Example: "  harvik compare fernhollow /plants/crocus-sativus/ /plants/crocus-speciosus/",
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			d, err := cl.ComparePages(c.Context(), cr.Site, api.Numbered(cr.Number),
				&api.ComparePagesParams{A: in[1], B: in[2]})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, d)
			}
			fmt.Fprintf(w, "A  %s, %s words\nB  %s, %s words\n%s\n\n", d.A, numbers.Thousands(d.WordsA), d.B,
				numbers.Thousands(d.WordsB),
				bold(w, fmt.Sprintf("%d %% of the five-word runs are in both", int(100*d.Likeness))))
			for _, p := range d.Passages {
				words := strings.Fields(p.Text)
				switch {
				case p.In != "both":
					wrap(w, "  ", strings.ToUpper(p.In)+"  "+p.Text)
				case len(words) > 2*sharedShown+3:
					wrap(w, "     ", fmt.Sprintf("%s … (%d words) … %s", strings.Join(words[:sharedShown], " "),
						len(words)-2*sharedShown, strings.Join(words[len(words)-sharedShown:], " ")))
				default:
					wrap(w, "     ", p.Text)
				}
			}
			return nil
		},
	}
}
