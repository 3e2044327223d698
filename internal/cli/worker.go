package cli

import (
	"cmp"

	"github.com/spf13/cobra"
)

func (a *app) workerCommand() *cobra.Command {
	o := WorkOptions{}
	var database, file string
	c := &cobra.Command{
		Use: "worker", Short: "Take crawls from the queue of a service, on this machine or another",
		Long: `Takes crawls from the queue of a service until Ctrl-C or SIGTERM, then gives back those that it runs:
they go on with the next worker that is free, from what is stored of them. Any number of workers on
any number of machines can work for one service. One that is killed, or cannot be reached any more,
is missed after ten seconds; what it still writes then is refused.

It needs the service's database, named as for ` + "`harvik start`" + `, or by the data folder of a service on
this machine; and the key by which the service seals secrets, the file secrets.key of its data
folder.`,
		Example: "  harvik worker --database-file db.url --key-file secrets.key --crawls 4",
		Args:    args(),
		RunE: func(c *cobra.Command, _ []string) error {
			var err error
			if o.Database, err = databaseNamed(database, file); err != nil {
				return usage(c, err)
			}
			if err := cmp.Or(within("crawls", o.Crawls, 1), within("connections", o.Connections, 4)); err != nil {
				return usage(c, err)
			}
			o.Data = a.dataFolder()
			return a.service.Work(c.Context(), o)
		},
	}
	f := c.Flags()
	f.StringVar(&database, "database", "", "the service's PostgreSQL server (HARVIK_DATABASE), without a password")
	f.StringVar(&file, "database-file", "", "a file whose first line names it, its password included")
	f.StringVar(&o.KeyFile, "key-file", "", "the service's key of secrets; that of the data folder unless it is named")
	f.IntVar(&o.Crawls, "crawls", 4, "crawls that are run at once")
	f.IntVar(&o.Connections, "connections", 16, "connections to the database at most")
	f.BoolVarP(&o.Verbose, "verbose", "v", false, "log more")
	return c
}
