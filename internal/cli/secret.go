package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"harvik/internal/api"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

func (a *app) secretCommand() *cobra.Command {
	var host string
	var raw bool
	set := &cobra.Command{
		Use: "set SITE NAME", Short: "Keep a secret that a plan's gates use", Args: args("SITE", "NAME"),
		Long: `Reads a secret from standard input (asked for on a terminal) and keeps it encrypted. It is
sent to its one host only, and never comes out of the service again. A plan names it:
gates: [{kind: basic, user: anna, secret: NAME}].

A secret holds for the way in which the plan reaches that host when it is given: set hosts, ca and
proxy first. When they change, it has to be given again.`,
		Example: "  harvik secret set fernhollow staging --host staging.fernhollow.example < password.txt",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			value, err := readSecret(c, raw)
			if err != nil {
				return err
			}
			if err := cl.SetSecret(c.Context(), in[0], in[1], api.NewSecret{Host: host, Value: value}); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The secret %s is kept.\n", in[1])
			return nil
		},
	}
	set.Flags().StringVar(&host, "host", "", "the one host that it is for; by default the home page's")
	set.Flags().BoolVar(&raw, "raw", false, "keep line ends at the end")
	list := &cobra.Command{
		Use: "list SITE", Short: "List a site's secrets, by name and host", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			secrets, err := cl.ListSecrets(c.Context(), in[0])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"secrets": secrets.Secrets})
			}
			if len(secrets.Secrets) == 0 {
				fmt.Fprintf(c.ErrOrStderr(), "No secret yet. Set one: harvik secret set %s NAME\n", in[0])
				return nil
			}
			t := newTable(w, []string{"secret", "for host", "set on", "last used", "for", "by"})
			for _, s := range secrets.Secrets {
				t.AppendRow([]any{s.Name, s.Host, minute(s.Changed, ""), minute(s.Used, "never"), s.UsedFor, s.UsedBy})
			}
			t.Render()
			return nil
		},
	}
	uses := &cobra.Command{
		Use: "uses SITE NAME", Short: "Show what a secret was used for, and by whom", Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			uses, err := cl.ListUses(c.Context(), in[0], in[1])
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"uses": uses.Uses})
			}
			if len(uses.Uses) == 0 {
				fmt.Fprintf(c.ErrOrStderr(), "The secret %s has not been used.\n", in[1])
				return nil
			}
			t := newTable(w, []string{"when", "for", "by"})
			for _, u := range uses.Uses {
				t.AppendRow([]any{minute(u.At, ""), u.What, u.Who})
			}
			t.Render()
			return nil
		},
	}
	remove := &cobra.Command{
		Use: "remove SITE NAME", Short: "Delete a secret", Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveSecret(c.Context(), in[0], in[1]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The secret %s is deleted.\n", in[1])
			return nil
		},
	}
	return group("secret", "Keep the secrets that a plan's gates use", set, list, uses, remove)
}

func readSecret(c *cobra.Command, raw bool) (string, error) {
	if f, ok := c.InOrStdin().(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(c.ErrOrStderr(), "Secret: ")
		text, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(c.ErrOrStderr())
		return string(text), err
	}
	data, err := io.ReadAll(c.InOrStdin())
	if err != nil {
		return "", err
	}
	value := string(data)
	if !raw {
		value = strings.TrimRight(value, "\r\n")
	}
	if value == "" {
		return "", errors.New("standard input is empty; give the secret there")
	}
	return value, nil
}
