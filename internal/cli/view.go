package cli

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
)

func (a *app) viewCommand() *cobra.Command {
	return group("view", "Keep questions under names, and ask them again", a.viewListCommand(), a.viewShowCommand(),
		a.viewAddCommand(), a.viewRemoveCommand())
}

func (a *app) viewListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list [SITE]", Short: "List the views: Harvik's, those for all sites, and those of one", Args: args("[SITE]"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListViews(c.Context(), &api.ListViewsParams{Site: strings.Join(in, "")})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, list)
			}
			rows := [][]string{}
			for _, v := range list.Views {
				rows = append(rows, []string{v.Name, v.Of, viewOwner(&v), cmp.Or(v.Say, v.Question)})
			}
			if a.csv {
				return writeCSV(w, append([][]string{{"view", "of", "for", "what it asks"}}, rows...))
			}
			printWide(w, []string{"view", "of", "for", "what it asks"}, rows, nil)
			return nil
		},
	}
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

// viewOwner is whose a view is.
func viewOwner(v *api.View) string {
	if v.Shipped {
		return "all, Harvik's"
	}
	return cmp.Or(v.Site, "all")
}

func (a *app) viewShowCommand() *cobra.Command {
	limit := 40
	c := &cobra.Command{
		Use: "show SITE[@N] NAME", Short: "Show what a view finds in a crawl", Args: args("SITE[@N]", "NAME"),
		Example: "  harvik view show fernhollow thin-pages",
		RunE: func(c *cobra.Command, in []string) error {
			site, _, err := crawlName(in[0])
			if err != nil {
				return err
			}
			v, err := a.view(c, site, in[1])
			if err != nil {
				return err
			}
			return a.ask(c, in[0], api.AskParams{Of: v.Of, Question: v.Question, Columns: strings.Join(v.Columns, ","),
				Order: v.Order, By: v.By, Measure: v.Measure, Limit: limit})
		},
	}
	c.Flags().IntVar(&limit, "limit", limit, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

// view is the one of a name: a site's own before one for all sites.
func (a *app) view(c *cobra.Command, site, name string) (out api.View, err error) {
	cl, err := a.client()
	if err != nil {
		return out, err
	}
	list, err := cl.ListViews(c.Context(), &api.ListViewsParams{Site: site})
	if err != nil {
		return out, err
	}
	var names []string
	for _, v := range slices.Backward(list.Views) {
		if v.Name == name && (out.Name == "" || v.Site != "") {
			out = v
		}
		names = append(names, v.Name)
	}
	if out.Name == "" {
		return out, fmt.Errorf("there is no view %q%s", name, plan.Meant(name, names))
	}
	return out, nil
}

func (a *app) viewAddCommand() *cobra.Command {
	v := api.NewView{}
	site := ""
	c := &cobra.Command{
		Use: "add NAME [QUESTION]", Short: "Keep a question under a name", Args: args("NAME", "[QUESTION]"),
		Long: `Keeps a question, with its columns, order and grouping, under a name: for all sites, or for one.
What had that name before is replaced. The question is as for "harvik ask".`,
		Example: "  harvik view add thin-plants 'section == \"/plants/\" && words < 100' --order words\n" +
			"  harvik view show fernhollow thin-plants",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if len(in) > 1 {
				v.Question = in[1]
			}
			kept, err := cl.KeepView(c.Context(), in[0], &api.KeepViewParams{Site: site}, v)
			if err != nil {
				return pointedAt(v.Question, err)
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), kept)
			}
			fmt.Fprintf(c.ErrOrStderr(), "The view %s is kept for %s: harvik view show %s %s\n", kept.Name,
				cmp.Or(kept.Site, "all sites"), cmp.Or(kept.Site, "SITE"), kept.Name)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&site, "site", "", "for this site alone; by default for all")
	f.StringVar(&v.Say, "say", "", "what it asks, as a person would")
	f.StringVar(&v.Of, "of", query.Tables[0].Name, "what is asked about: "+strings.Join(query.Names(), ", "))
	f.StringSliceVar(&v.Columns, "columns", nil, "show these facts, in this order")
	f.StringVar(&v.Order, "order", "", "a fact to sort by, - before it for falling")
	f.StringVar(&v.By, "by", "", "group the answers by this fact, and count them")
	f.StringVar(&v.Measure, "measure", "", "a number that is added up, with its mean and bounds, in each group")
	a.completeFacts(c)
	return c
}

func (a *app) viewRemoveCommand() *cobra.Command {
	site := ""
	c := &cobra.Command{
		Use: "remove NAME", Short: "Forget a view", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			err = cl.RemoveView(c.Context(), in[0], &api.RemoveViewParams{Site: site})
			if refused, ok := errors.AsType[*api.Error](err); ok && refused.Status == 404 && site == "" {
				return fmt.Errorf("%w; one of a site is removed with --site", err)
			}
			return err
		},
	}
	c.Flags().StringVar(&site, "site", "", "of this site; by default one for all sites")
	return c
}
