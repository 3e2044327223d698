package cli

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"harvik/internal/api"

	"github.com/spf13/cobra"
)

func (a *app) doorsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "doors SITE[@N]", Short: "Show what the site's front doors, odd addresses and certificate answer",
		Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cr, err := a.crawl(c, in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			switch {
			case a.json:
				return writeJSON(w, cr.Probes)
			case cr.Probes == nil:
				fmt.Fprintln(w, "The front doors were not asked: the plan has probes switched off.")
				return nil
			}
			printDoors(w, cr.Probes)
			return nil
		},
	}
}

func printDoors(w io.Writer, p *api.Probes) {
	part := func(title string, probes []api.Probe) {
		if len(probes) == 0 {
			return
		}
		fmt.Fprintf(w, "%s\n", bold(w, title))
		rows := [][]string{{"address", "answer", "leads to", "title"}}
		for _, one := range probes {
			answer := strconv.Itoa(one.Status)
			if one.Status == 0 {
				answer = one.Detail
			}
			rows = append(rows, []string{middle(one.Address, 60), answer, strings.Join(one.Hops, " → "),
				end(one.Title, 50)})
		}
		printRows(w, rows)
		fmt.Fprintln(w)
	}
	part("Front doors", p.Doors)
	part("Made-up addresses", p.Missing)
	if p.Browser != nil {
		part("The home page, asked for as a browser does", []api.Probe{*p.Browser})
	}
	if p.Numeric != nil {
		part("The bare IP address", []api.Probe{*p.Numeric})
	}
	if p.Favicon != nil {
		part("Icon at its usual place", []api.Probe{*p.Favicon})
	}
	if c := p.Certificate; c != nil {
		fmt.Fprintf(w, "%s\n%s\nissued by %s, valid until %s; %s, %s\n", bold(w, "Certificate"),
			strings.Join(c.Names, ", "), c.Issuer,
			c.Until[:min(10, len(c.Until))], c.Version, c.Protocol)
	}
}
