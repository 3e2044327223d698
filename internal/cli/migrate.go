package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"
)

func (a *app) migrateCommand() *cobra.Command {
	var database, file string
	c := &cobra.Command{
		Use: "migrate", Short: "Bring the tables of a database of your own up to date, before the service runs on it",
		Args: args(),
		Long: `Brings the tables of an existing PostgreSQL database up to date, for those who want to choose when. The
service does the same when it starts, and one process at a time takes the steps.

The database is named as for harvik start: by HARVIK_DATABASE, --database-file or --database.`,
		RunE: func(c *cobra.Command, _ []string) error {
			named, err := databaseNamed(database, file)
			if err != nil {
				return usage(c, err)
			}
			if named == "" {
				return usage(c, errors.New("which database? Harvik's own is brought up to date by harvik start; name another by HARVIK_DATABASE, --database-file or --database"))
			}
			before, now, err := a.service.Migrate(c.Context(), named)
			if err != nil {
				return fmt.Errorf("bringing the database up to date: %w", err)
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]int64{"before": before, "now": now})
			}
			if before == now {
				fmt.Fprintf(c.OutOrStdout(), "The database is up to date (step %d).\n", now)
				return nil
			}
			fmt.Fprintf(c.OutOrStdout(), "The database is up to date: step %d, before %d.\n", now, before)
			return nil
		},
	}
	c.Flags().StringVar(&database, "database", "", "the PostgreSQL server (HARVIK_DATABASE), without a password")
	c.Flags().StringVar(&file, "database-file", "", "a file whose first line names it, its password included")
	return c
}
