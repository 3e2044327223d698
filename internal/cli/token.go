package cli

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"harvik/internal/api"

	"github.com/spf13/cobra"
)

func (a *app) tokenCommand() *cobra.Command {
	var wish api.TokenWish
	add := &cobra.Command{
		Use: "add NAME", Short: "Make a token for a program, and print it this once", Args: args("NAME"),
		Long: `Makes a token for a program and prints it. It is kept nowhere: a lost one is revoked, and another
made. It may what you may, or less: a role, sites, an end. A program sends it as "Authorization: Bearer …"; this command line takes it from HARVIK_TOKEN.`,
		Example: "  HARVIK_TOKEN=$(harvik token add nightly-build --role reader --site fernhollow --days 365)",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			wish.Label = in[0]
			made, err := cl.AddToken(c.Context(), wish)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), made)
			}
			fmt.Fprintln(c.OutOrStdout(), made.Token)
			return nil
		},
	}
	f := add.Flags()
	f.StringVar(&wish.Role, "role", "", "that it is bound to: consultant, reader or client")
	f.StringSliceVar(&wish.Sites, "site", nil, "a site that it is bound to; can be repeated")
	f.IntVar(&wish.Days, "days", 0, "for which it is good; without an end if left out")
	list := &cobra.Command{
		Use: "list", Short: "List who is let in: tokens, browsers that are signed in, links not used yet", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			all, err := cl.ListCredentials(c.Context())
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"credentials": all.Credentials})
			}
			t := newTable(w, []string{"number", "kind", "name", "of", "bound to", "made", "last used", "until"}, 1)
			for _, one := range all.Credentials {
				name := one.Label
				if one.Own {
					name += " (this command)"
				}
				t.AppendRow(
					[]any{one.ID, one.Kind, name, one.Person, boundTo(one), minute(one.Created, ""), minute(one.Used, "never"),
						minute(one.Expires, "revoked")},
				)
			}
			t.Render()
			return nil
		},
	}
	revoke := &cobra.Command{
		Use: "revoke NUMBER", Short: "End a token, a browser's session or a link at once", Args: args("NUMBER"),
		RunE: func(c *cobra.Command, in []string) error {
			id, err := strconv.ParseInt(in[0], 10, 64)
			if err != nil {
				return usage(c, fmt.Errorf("%q is no number; `harvik token list` shows them", in[0]))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.Revoke(c.Context(), id); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Number %d is let in no more.\n", id)
			return nil
		},
	}
	return group("token", "Make, list and revoke what lets programs and browsers in", add, list, revoke)
}

// boundTo words to how little of what its person may a token is bound, or from where a browser came.
func boundTo(one api.Credential) string {
	out := one.Role
	if one.Bound {
		out = strings.TrimPrefix(out+", some sites", ", ")
	}
	if one.Place != "" {
		out = "from " + one.Place
	}
	return out
}

// minute is a moment to the minute, or a word for none.
func minute(t time.Time, none string) string {
	if t.IsZero() {
		return none
	}
	return t.Format("2006-01-02 15:04")
}
