package cli

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) siteCommand() *cobra.Command {
	var profile, allow string
	var monthly, try bool
	add := &cobra.Command{
		Use: "add NAME ADDRESS", Short: "Take a site under care", Args: args("NAME", "ADDRESS"),
		Example: "  harvik site add fernhollow https://fernhollow.example/ --profile publisher",
		RunE: func(c *cobra.Command, in []string) error {
			if strings.Contains(in[0], "://") {
				return usage(c, fmt.Errorf("the name comes first: harvik site add %s %s", middle(in[1], 40), in[0]))
			}
			if found, _, err := c.Root().Find([]string{"crawl", in[0]}); err == nil && found.Name() != "crawl" {
				return usage(c, fmt.Errorf("%q is a command of `harvik crawl`; choose another name", in[0]))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.AddSite(c.Context(), api.NewSite{Name: in[0], Home: in[1], Profile: profile})
			if err != nil {
				return err
			}
			if allow != "" {
				if site, err = cl.Allow(c.Context(), site.Name, api.Allowance{Range: allow}); err != nil {
					return fmt.Errorf("the site is added, but nothing is allowed to it: %w", err)
				}
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			if !strings.Contains(in[1], "://") {
				fmt.Fprintf(c.ErrOrStderr(), "No scheme was given; it is taken as %s.\n", site.Home)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is under care: %s\n", site.Name, site.Home)
			fmt.Fprintf(c.ErrOrStderr(), "See what a crawl would be like with `harvik plan preview %s`, then `harvik crawl %s`.\n", site.Name, site.Name)
			return nil
		},
	}
	add.Flags().StringVar(&profile, "profile", "", "start from this profile's plan; harvik plan profiles lists them")
	add.Flags().StringVar(&allow, "allow", "",
		"range of addresses, not public, that the site's hosts may be in, such as 127.0.0.0/8")
	permit := &cobra.Command{
		Use: "allow NAME RANGE", Short: "Let a site's hosts be in a private range, which crawls reach no other way",
		Args: args("NAME", "RANGE"),
		Long: `Crawls reach public addresses only. This lets the hosts of one site, those in its plan's scope and
those that its plan has an address for, be in a range that is not public. What else its pages name
stays out of reach there.`,
		Example: "  harvik site allow fernhollow 10.20.0.0/16",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.Allow(c.Context(), in[0], api.Allowance{Range: in[1]})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			fmt.Fprintf(c.ErrOrStderr(), "The hosts of %s may be in %s.\n", site.Name, strings.Join(site.Allowed, ", "))
			return nil
		},
	}
	forbid := &cobra.Command{
		Use: "disallow NAME RANGE", Short: "Take such an allowance back", Args: args("NAME", "RANGE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.Disallow(c.Context(), in[0], &api.DisallowParams{Range: in[1]}); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The hosts of %s may no longer be in %s, from the next crawl on.\n", in[0],
				in[1])
			return nil
		},
	}
	keep := &cobra.Command{
		Use: "keep NAME CRAWLS", Short: "Say how many crawls a site keeps, such as 12, or all; --try shows what would go",
		Args: args("NAME", "CRAWLS"),
		Long: `When a crawl of the site ends, older ones than so many go, with their pages and findings. Those that are marked
("harvik crawl mark") stay beside them, and with --monthly the first of each month. The work at fixes, waivers and figures belong to the site and stay.`,
		Example: "  harvik site keep fernhollow 12 --monthly --try\n  harvik site keep fernhollow 12\n  harvik site keep fernhollow all",
		RunE: func(c *cobra.Command, in []string) error {
			n := 0
			if in[1] != "all" {
				var err error
				if n, err = strconv.Atoi(in[1]); err != nil || n < 1 {
					return usage(c, fmt.Errorf("%q is no number of crawls; write one, such as 12, or all", in[1]))
				}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			going, err := cl.ListGoing(c.Context(), in[0], &api.ListGoingParams{Crawls: &n, Monthly: monthly})
			if err != nil {
				return err
			}
			if try {
				return a.showGoing(c, going)
			}
			site, err := cl.SetKeep(c.Context(), in[0], api.Keep{Crawls: n, Monthly: monthly})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s keeps %s.\n", site.Name, kept(site))
			if n := len(going.Crawls); n > 0 {
				fmt.Fprintf(c.ErrOrStderr(), "When a crawl ends, %s: %s.\n",
					numbers.Count(n, "older one goes", "older ones go"), numbersOf(going.Crawls))
			}
			return nil
		},
	}
	keep.Flags().BoolVar(&monthly, "monthly", false, "keep the first finished crawl of each month, too")
	keep.Flags().BoolVar(&try, "try", false, "show which crawls would go, and change nothing")
	var none bool
	groups := &cobra.Command{
		Use: "groups NAME GROUP...", Short: "Say which groups a site is in, such as gardens",
		Args: func(c *cobra.Command, in []string) error {
			if len(in) == 0 || len(in) == 1 && !none {
				return usage(c, errors.New("name a site and the groups that it is in, or --none"))
			}
			return nil
		},
		Example: "  harvik site groups fernhollow gardens north\n  harvik sites --group gardens",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.SetGroups(c.Context(), in[0], api.Groups{Groups: append([]string{}, in[1:]...)})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s is %s.\n", site.Name, grouped(site.Groups))
			return nil
		},
	}
	groups.Flags().BoolVar(&none, "none", false, "it is in no group any more")
	list := &cobra.Command{Use: "list", Short: "List the sites", Args: args(), RunE: a.listSites}
	list.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	show := &cobra.Command{
		Use: "show NAME", Short: "Show a site", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, err := cl.ShowSite(c.Context(), in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), site)
			}
			w := c.OutOrStdout()
			fmt.Fprintf(w, "%s  %s\n", bold(w, site.Name), site.Home)
			fmt.Fprintf(w, "since %s, %s", site.Created.Format("2 January 2006"),
				numbers.Count(site.Crawls, "crawl", "crawls"))
			if site.Health != nil {
				fmt.Fprintf(w, ", health %s", points(*site.Health))
			}
			fmt.Fprintln(w)
			if len(site.Allowed) > 0 {
				fmt.Fprintf(w, "its hosts may be in %s\n", strings.Join(site.Allowed, ", "))
			}
			if len(site.Groups) > 0 {
				fmt.Fprintf(w, "it is %s\n", grouped(site.Groups))
			}
			if site.Keep > 0 {
				fmt.Fprintf(w, "keeps %s\n", kept(site))
			}
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
	return group("site", "Add, list, show and remove sites, and say where they may be", add, list, show, permit, forbid,
		keep, groups, remove)
}

// grouped words which groups a site is in.
func grouped(groups []string) string {
	if len(groups) == 0 {
		return "in no group"
	}
	return "in " + strings.Join(groups, ", ")
}

// kept words how many crawls a site keeps.
func kept(site api.Site) string {
	switch {
	case site.Keep == 0:
		return "all its crawls"
	case site.KeepMonthly:
		return fmt.Sprintf("the newest %d crawls, the first of each month, and those that are marked", site.Keep)
	}
	return fmt.Sprintf("the newest %d crawls, and those that are marked", site.Keep)
}

// numbersOf are the numbers of crawls.
func numbersOf(crawls []api.Crawl) string {
	var out []string
	for _, one := range crawls {
		out = append(out, strconv.Itoa(one.Number))
	}
	return strings.Join(out, ", ")
}

// showGoing shows which crawls would go.
func (a *app) showGoing(c *cobra.Command, going api.CrawlList) error {
	w := c.OutOrStdout()
	if a.json {
		return writeJSON(w, going)
	}
	if len(going.Crawls) == 0 {
		fmt.Fprintln(w, "No crawl would go.")
		return nil
	}
	t := newTable(w, []string{"crawl", "of", "state", "fetched"}, 1, 4)
	for _, one := range going.Crawls {
		t.AppendRow([]any{one.Number, one.Started.Local().Format("2 Jan 2006 15:04"), one.State,
			numbers.Thousands(one.Progress.Fetched)})
	}
	t.Render()
	fmt.Fprintf(c.ErrOrStderr(), "%s would go when the next crawl ends.\n", numbers.Count(len(going.Crawls), "crawl", "crawls"))
	return nil
}

func (a *app) listSites(c *cobra.Command, _ []string) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	sites, err := cl.ListSites(c.Context())
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	switch {
	case a.json:
		return writeJSON(w, map[string]any{"sites": sites.Sites})
	case a.csv:
		rows := [][]string{{"name", "home", "crawls", "health"}}
		for _, s := range sites.Sites {
			rows = append(rows, []string{s.Name, s.Home, strconv.Itoa(s.Crawls), healthWord(s, "")})
		}
		return writeCSV(w, rows)
	case len(sites.Sites) == 0:
		fmt.Fprintln(c.ErrOrStderr(), "No site yet. Add one: harvik site add fernhollow https://fernhollow.example/")
		return nil
	}
	t := newTable(w, []string{"site", "home", "crawls", "health"}, 3, 4)
	for _, s := range sites.Sites {
		t.AppendRow([]any{s.Name, middle(s.Home, 60), s.Crawls, healthWord(s, "–")})
	}
	t.Render()
	return nil
}

func healthWord(s api.Site, none string) string {
	if s.Health == nil {
		return none
	}
	return points(*s.Health)
}
