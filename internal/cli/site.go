package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) siteCommand() *cobra.Command {
	var profile string
	add := &cobra.Command{
		Use: "add NAME ADDRESS", Short: "Take a site under care", Args: args("NAME", "ADDRESS"),
		Example: "  harvik site add fernhollow https://fernhollow.example/ --profile publisher",
		RunE: func(c *cobra.Command, in []string) error {
			if found, _, err := c.Root().Find([]string{"crawl", in[0]}); err == nil && found.Name() != "crawl" {
				return usage(c, fmt.Errorf("%q is a command of `harvik crawl`; choose another name", in[0]))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.AddSite(c.Context(), in[0], in[1], profile)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is under care: %s\n", site.Name, site.Home)
			fmt.Fprintf(c.ErrOrStderr(), "See what a crawl would be like with `harvik plan preview %s`, then `harvik crawl %s`.\n", site.Name, site.Name)
			return nil
		},
	}
	add.Flags().StringVar(&profile, "profile", "", "start from this profile's plan; harvik plan profiles lists them")
	list := &cobra.Command{Use: "list", Short: "List the sites", Args: args(), RunE: a.listSites}
	list.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	show := &cobra.Command{
		Use: "show NAME", Short: "Show a site", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.Site(c.Context(), in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			w := c.OutOrStdout()
			fmt.Fprintf(w, "%s  %s\n", bold(w, site.Name), site.Home)
			fmt.Fprintf(w, "since %s, %s", site.Created.Format("2 January 2006"), numbers.Count(site.Crawls, "crawl", "crawls"))
			if site.Health != nil {
				fmt.Fprintf(w, ", health %s", points(*site.Health))
			}
			fmt.Fprintln(w)
			return nil
		},
	}
	remove := &cobra.Command{
		Use: "remove NAME", Short: "Delete a site with all its crawls", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveSite(c.Context(), in[0]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s and its crawls are deleted.\n", in[0])
			return nil
		},
	}
	return group("site", "Add, list, show and remove sites", add, list, show, remove)
}

func (a *app) listSites(c *cobra.Command, _ []string) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	sites, err := cl.Sites(c.Context())
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	switch {
	case a.json:
		return writeJSON(w, map[string]any{"sites": sites})
	case a.csv:
		rows := [][]string{{"name", "home", "crawls", "health"}}
		for _, s := range sites {
			rows = append(rows, []string{s.Name, s.Home, strconv.Itoa(s.Crawls), healthWord(s, "")})
		}
		return writeCSV(w, rows)
	case len(sites) == 0:
		fmt.Fprintln(c.ErrOrStderr(), "No site yet. Add one: harvik site add fernhollow https://fernhollow.example/")
		return nil
	}
	t := newTable(w, []string{"site", "home", "crawls", "health"}, 3, 4)
	for _, s := range sites {
		t.AppendRow([]any{s.Name, middle(s.Home, 60), s.Crawls, healthWord(s, "–")})
	}
	t.Render()
	return nil
}

func healthWord(s record.Site, none string) string {
	if s.Health == nil {
		return none
	}
	return points(*s.Health)
}
