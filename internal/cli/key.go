package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	numbers "harvik/internal/core/text"
)

func (a *app) keyCommand() *cobra.Command {
	c := &cobra.Command{Use: "key", Short: "The key by which the service seals secrets"}
	var database, file, from string
	rotate := &cobra.Command{
		Use: "rotate", Short: "Seal all secrets by a new key", Args: args(),
		Long: `Seals all secrets by a new key, while crawls run.

The new key is written into the key file of the data folder first, where it opens and does not seal
yet. The services and workers that read this file have it at once. Where others work that read a copy,
nothing is sealed and they are named: bring the file there, and run this again. One line of the file
is one key; those of earlier days go at the next rotation.`,
		Example: "  harvik key rotate",
		RunE: func(c *cobra.Command, _ []string) error {
			named, err := databaseNamed(database, from)
			if err != nil {
				return usage(c, err)
			}
			done, err := a.service.TurnKey(c.Context(), a.dataFolder(), named, file)
			if err != nil {
				return err
			}
			if len(done.Lacking) > 0 {
				fmt.Fprintf(c.OutOrStdout(), "A new key stands in %s. It does not seal yet, since it is lacking at:\n", done.File)
				for _, place := range done.Lacking {
					fmt.Fprintf(c.OutOrStdout(), "  %s\n", place)
				}
				return fmt.Errorf("nothing is sealed anew: bring the file there, and run `harvik key rotate` again")
			}
			fmt.Fprintf(c.OutOrStdout(), "%s sealed by the new key in %s. Keep a copy of that file apart from copies of the database.\n",
				numbers.Count(done.Secrets, "secret is", "secrets are"), done.File)
			return nil
		},
	}
	f := rotate.Flags()
	f.StringVar(&database, "database", "", "the service's PostgreSQL server (HARVIK_DATABASE), without a password")
	f.StringVar(&from, "database-file", "", "a file whose first line names it, its password included")
	f.StringVar(&file, "key-file", "", "the file that holds the key; that of the data folder unless it is named")
	c.AddCommand(rotate)
	return c
}
