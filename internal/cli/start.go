package cli

import (
	"fmt"

	"github.com/spf13/cobra"
)

func (a *app) startCommand() *cobra.Command {
	o := ServeOptions{}
	c := &cobra.Command{
		Use:   "start",
		Short: "Run the service, and its database unless --database names one",
		Long: `Runs the service until Ctrl-C or SIGTERM, then ends it in good order: running crawls are
stopped, judged with what they have, and stored.

The database is a PostgreSQL server of Harvik's own, on loopback, with its data in the data
folder; Debian's package postgresql has to be installed. --database uses an existing server
instead.

Crawls reach public addresses only. To crawl a site on this machine or in a private network,
allow its range: harvik start --allow 127.0.0.0/8`,
		Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			o.Data = a.dataFolder()
			return a.serve(c.Context(), o)
		},
	}
	c.Flags().StringVar(&o.Listen, "listen", "127.0.0.1:8420", "address and port to serve on")
	c.Flags().StringVar(&o.Database, "database", "", "an existing PostgreSQL server, as a URL")
	c.Flags().StringSliceVar(&o.Allow, "allow", nil, "address range that crawls may reach although it is not public, such as 127.0.0.0/8; can be repeated")
	c.Flags().BoolVarP(&o.Verbose, "verbose", "v", false, "log every request")
	return c
}

func (a *app) linkCommand() *cobra.Command {
	return &cobra.Command{
		Use: "link", Short: "Print a link that signs a browser in to the console, once, within a day", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			link, err := a.link(c.Context(), a.dataFolder())
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]string{"link": link})
			}
			fmt.Fprintln(c.OutOrStdout(), link)
			return nil
		},
	}
}
