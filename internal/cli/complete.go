package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/core/query"
)

// completeAsking completes what a question is made of: sites, facts where a word of the question is begun, tables, and
// facts by which answers are shown.
func (a *app) completeAsking(c *cobra.Command) {
	c.ValidArgsFunction = func(c *cobra.Command, in []string, begun string) ([]string, cobra.ShellCompDirective) {
		if len(in) == 0 {
			return a.siteNames(c, begun), cobra.ShellCompDirectiveNoFileComp
		}
		return inQuestion(tableOf(c), begun), cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
	a.completeFacts(c)
}

// completeFacts completes the options that name tables and facts.
func (a *app) completeFacts(c *cobra.Command) {
	_ = c.RegisterFlagCompletionFunc("of", cobra.FixedCompletions(query.Names(), cobra.ShellCompDirectiveNoFileComp))
	for _, name := range []string{"columns", "order", "by", "measure"} {
		_ = c.RegisterFlagCompletionFunc(name, func(c *cobra.Command, _ []string, begun string,
		) ([]string, cobra.ShellCompDirective) {
			at := strings.LastIndexAny(begun, ",-") + 1
			var out []string
			for _, fact := range factsFrom(tableOf(c), begun[at:]) {
				out = append(out, begun[:at]+fact)
			}
			return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		})
	}
}

// tableOf is the table that a command line names, pages where it names none there is.
func tableOf(c *cobra.Command) *query.Table {
	of, _ := c.Flags().GetString("of")
	if t := query.TableOf(of); t != nil {
		return t
	}
	return query.Tables[0]
}

// inQuestion completes the word at the end of a question.
func inQuestion(t *query.Table, begun string) (out []string) {
	at := strings.LastIndexFunc(begun, func(r rune) bool {
		return r != '.' && (r < '0' || r > '9') && (r < 'A' || r > 'Z') && (r < 'a' || r > 'z')
	}) + 1
	if strings.Count(begun[:at], `"`)%2 == 1 {
		return nil // within words
	}
	for _, fact := range factsFrom(t, begun[at:]) {
		out = append(out, begun[:at]+fact)
	}
	return out
}

// factsFrom are the facts whose names begin with a word, each with what it tells.
func factsFrom(t *query.Table, begun string) (out []string) {
	for i := range t.Facts {
		if f := &t.Facts[i]; strings.HasPrefix(f.Name, begun) {
			out = append(out, f.Name+"\t"+f.Say)
		}
	}
	return out
}

// siteNames are those that begin with a word; none where the service cannot be asked.
func (a *app) siteNames(c *cobra.Command, begun string) (out []string) {
	cl, err := a.client()
	if err != nil {
		return nil
	}
	list, err := cl.ListSites(c.Context())
	if err != nil {
		return nil
	}
	for _, s := range list.Sites {
		if strings.HasPrefix(s.Name, begun) {
			out = append(out, s.Name+"\t"+s.Home)
		}
	}
	return out
}
