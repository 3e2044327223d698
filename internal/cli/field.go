package cli

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/report"
)

func (a *app) fieldCommand() *cobra.Command {
	return group("field", "Take facts of your own from pages: prices, authors, templates", a.fieldAddCommand(),
		a.fieldTryCommand(), a.fieldListCommand(), a.fieldRemoveCommand())
}

// fieldFlags are the ways in which a field is found.
func fieldFlags(c *cobra.Command, f *plan.Field) {
	flags := c.Flags()
	flags.StringVar(&f.CSS, "css", "", "selector of the elements that it stands in")
	flags.StringVar(&f.XPath, "xpath", "", "XPath 1.0 expression")
	flags.StringVar(&f.JSON, "pointer", "", "JSON Pointer into the structured data, such as /offers/price")
	flags.StringVar(&f.Header, "header", "", "name of a response header")
	flags.StringVar(&f.Pattern, "pattern", "", "regular expression (RE2) over the source; its first group counts")
	flags.StringVar(&f.Attribute, "attribute", "", "attribute of what the selector finds; its text without one")
	flags.StringVar(&f.Take, "take", "", "text, number or count; the text by default")
	flags.BoolVar(&f.All, "all", false, "all matches, as a list; the first one otherwise")
}

func (a *app) fieldAddCommand() *cobra.Command {
	var f plan.Field
	c := &cobra.Command{
		Use: "add SITE NAME", Short: "Take a fact of your own from the pages of a site", Args: args("SITE", "NAME"),
		Long: `Adds a field to a site's plan, in place of the one of its name. Crawls take it from then on, and
"harvik judge SITE --read" takes it from the pages of a crawl that there is. Questions and checks
know it as fields.NAME.`,
		Example: "  harvik field try fernhollow /shop/lupins --css '.price' --take number\n" +
			"  harvik field add fernhollow price --css '.price' --take number\n" +
			"  harvik judge fernhollow --read\n  harvik ask fernhollow 'fields.price > 20' --order -fields.price",
		RunE: func(c *cobra.Command, in []string) error {
			f.Name = in[1]
			return a.changeFields(c, in[0], func(list []plan.Field) ([]plan.Field, error) {
				list = slices.DeleteFunc(list, func(one plan.Field) bool { return one.Name == f.Name })
				return append(list, f), nil
			}, "The next crawl takes "+f.Name+"; from the pages of one that there is: harvik judge "+in[0]+" --read")
		},
	}
	fieldFlags(c, &f)
	return c
}

func (a *app) fieldRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove SITE NAME", Short: "Take a field no more", Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			return a.changeFields(c, in[0], func(list []plan.Field) ([]plan.Field, error) {
				var names []string
				for _, one := range list {
					names = append(names, one.Name)
				}
				at := slices.Index(names, in[1])
				if at < 0 {
					return nil, fmt.Errorf("%s has no field %q%s", in[0], in[1], plan.Meant(in[1], names))
				}
				return slices.Delete(list, at, at+1), nil
			}, "The next crawl does without "+in[1]+".")
		},
	}
}

// changeFields changes the fields of a site's plan, and says what that means.
func (a *app) changeFields(
	c *cobra.Command,
	site string,
	change func([]plan.Field) ([]plan.Field, error),
	done string,
) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	p, err := cl.ShowPlan(c.Context(), site)
	if err != nil {
		return err
	}
	list, err := change(p.Fields)
	if err != nil {
		return err
	}
	text, err := json.Marshal(map[string]any{"fields": list})
	if err != nil {
		return err
	}
	if p, err = cl.ChangePlan(c.Context(), site, planType, bytes.NewReader(text)); err != nil {
		return withoutPlaces(err)
	}
	if a.json {
		return writeJSON(c.OutOrStdout(), map[string]any{"fields": p.Fields})
	}
	fmt.Fprintln(c.ErrOrStderr(), done)
	return nil
}

func (a *app) fieldListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list SITE", Short: "List the fields of a site", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			p, err := cl.ShowPlan(c.Context(), in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			switch {
			case a.json:
				return writeJSON(w, map[string]any{"fields": append([]plan.Field{}, p.Fields...)})
			case len(p.Fields) == 0:
				fmt.Fprintf(c.ErrOrStderr(), "No field yet. Add one: harvik field add %s NAME --css SELECTOR\n", in[0])
				return nil
			}
			var rows [][]string
			for _, f := range p.Fields {
				way, from := fieldWay(&f)
				taken := cmp.Or(f.Take, "text")
				if f.All {
					taken = "all, as " + taken
				}
				rows = append(rows, []string{f.Name, way, from, f.Attribute, taken})
			}
			printWide(w, []string{"field", "by", "from", "attribute", "takes"}, rows, nil)
			return nil
		},
	}
}

// fieldWay is how a field is found.
func fieldWay(f *plan.Field) (way, from string) {
	for _, one := range [][2]string{{"css", f.CSS}, {"xpath", f.XPath}, {"pointer", f.JSON}, {"header", f.Header},
		{"pattern", f.Pattern}} {
		if one[1] != "" {
			return one[0], one[1]
		}
	}
	return "", ""
}

func (a *app) fieldTryCommand() *cobra.Command {
	var f plan.Field
	c := &cobra.Command{
		Use: "try SITE[@N] ADDRESS [NAME]", Short: "Show what a field would be on a page",
		Args: args("SITE[@N]", "ADDRESS", "[NAME]"),
		Long: `Takes a field from one page of a crawl, as its source was kept: one that the plan has, by its name,
or one that is given by its options. Nothing is kept.`,
		Example: "  harvik field try fernhollow /shop/lupins --css '.price' --take number",
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			if len(in) == 3 {
				p, err := cl.ShowPlan(c.Context(), cr.Site)
				if err != nil {
					return err
				}
				at := slices.IndexFunc(p.Fields, func(one plan.Field) bool { return one.Name == in[2] })
				if at < 0 {
					return fmt.Errorf("%s has no field %q; harvik field list %s shows them", cr.Site, in[2], cr.Site)
				}
				f = p.Fields[at]
			}
			if way, _ := fieldWay(&f); way == "" {
				return usage(c, errors.New("say how it is found: by --css, --xpath, --pointer, --header or --pattern"))
			}
			at := api.TryFieldParams{Address: in[1]}
			value, err := cl.TryField(c.Context(), cr.Site, api.Numbered(cr.Number), &at, api.Field{Name: f.Name,
				CSS: f.CSS, XPath: f.XPath, JSON: f.JSON, Header: f.Header, Pattern: f.Pattern, Attribute: f.Attribute,
				Take: f.Take, All: f.All})
			if err != nil {
				return withoutPlaces(err)
			}
			w := c.OutOrStdout()
			list, isList := value.Value.([]any)
			switch {
			case a.json:
				return writeJSON(w, value)
			case !value.Known:
				fmt.Fprintln(c.ErrOrStderr(), "Nothing of the kind is on "+in[1]+".")
			case isList:
				for _, one := range list {
					fmt.Fprintln(w, report.Plain(one))
				}
			default:
				fmt.Fprintln(w, strings.TrimSpace(report.Plain(value.Value)))
			}
			return nil
		},
	}
	fieldFlags(c, &f)
	return c
}
