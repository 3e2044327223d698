package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

func (a *app) peopleProviderCommand() *cobra.Command {
	var in api.NewProvider
	var file string
	var remove bool
	c := &cobra.Command{
		Use: "provider", Short: "Show or set the identity provider (OpenID Connect) by which people can sign in", Args: args(),
		Long: `Who signs in by an identity provider is known by the mail address that it vouches for: it has to be
that of somebody who was let in. From then on they are known by the provider's own name for them.`,
		Example: `  harvik people provider --name "Fernhollow accounts" --issuer https://id.fernhollow.example --client harvik --secret-file -
  harvik people provider --remove`,
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if remove {
				if in.Issuer != "" {
					return usage(c, errors.New("give either --issuer or --remove"))
				}
				return cl.RemoveProvider(c.Context())
			}
			var now api.Provider
			if in.Issuer == "" {
				now, err = cl.ShowProvider(c.Context())
			} else {
				if in.Secret, err = secretIn(c, file); err != nil {
					return err
				}
				now, err = cl.SetProvider(c.Context(), in)
			}
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), now)
			}
			tellProvider(c, now)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&in.Name, "name", "", "how people call it")
	f.StringVar(&in.Issuer, "issuer", "", "its address, such as https://id.fernhollow.example")
	f.StringVar(&in.Client, "client", "", "by what name it knows Harvik")
	f.StringVar(&file, "secret-file", "", "a file with the secret for that; - for standard input")
	f.BoolVar(&remove, "remove", false, "let nobody in by it any more")
	return c
}

func tellProvider(c *cobra.Command, p api.Provider) {
	if p.Issuer == "" {
		fmt.Fprintln(c.OutOrStdout(), "No identity provider is set: people sign in by passwords and passkeys.")
		return
	}
	secret := "without a secret"
	if p.Secret {
		secret = "with a secret"
	}
	fmt.Fprintf(c.OutOrStdout(), "People sign in by %s (%s), which knows Harvik as %s, %s.\n", p.Name, p.Issuer, p.Client, secret)
	fmt.Fprintf(c.ErrOrStderr(), "Where it is told of Harvik, browsers are sent back to %s, or to /back at any other address that people use.\n", p.Back)
}
