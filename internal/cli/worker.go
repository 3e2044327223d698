package cli

import (
	"cmp"
	"errors"

	"github.com/spf13/cobra"
)

func (a *app) workerCommand() *cobra.Command {
	o := WorkOptions{}
	var database, file string
	c := &cobra.Command{
		Use: "worker", Short: "Take work from the queue of a service, on this machine or another",
		Long: `Takes crawls and other work from the queue of a service until Ctrl-C or SIGTERM, then gives back what it
is at: it goes on with the next worker that is free, crawls from what is stored of them. Any number
of workers on any number of machines can work for one service. One that is killed, or cannot be
reached any more, is missed after ten seconds; what it still writes then is refused.

It needs the service's database, named as for ` + "`harvik start`" + `, or by the data folder of a service on
this machine; and the key by which the service seals secrets, the file secrets.key of its data folder
(or its text in HARVIK_KEY). Without the key it leaves crawls that need a secret to others.`,
		Example: "  harvik worker --database-file db.url --key-file secrets.key --crawls 4",
		Args:    args(),
		RunE: func(c *cobra.Command, _ []string) error {
			var err error
			if o.Database, err = databaseNamed(database, file); err != nil {
				return usage(c, err)
			}
			if err := cmp.Or(within("connections", o.Connections, 4), o.Hands.check()); err != nil {
				return usage(c, err)
			}
			if o.Hands == (Hands{}) {
				return usage(c, errors.New("a worker that may do nothing is none: --crawls, --judgings or --rechecks"))
			}
			o.Data = a.dataFolder()
			return a.service.Work(c.Context(), o)
		},
	}
	f := c.Flags()
	f.StringVar(&database, "database", "", "the service's PostgreSQL server (HARVIK_DATABASE), without a password")
	f.StringVar(&file, "database-file", "", "a file whose first line names it, its password included")
	f.StringVar(&o.KeyFile, "key-file", "", "the service's key of secrets; that of the data folder unless it is named")
	o.Hands.flags(f, 4)
	f.IntVar(&o.Connections, "connections", 16, "connections to the database at most")
	f.StringVar(&o.Metrics, "metrics", "", "address and port to serve /metrics, /healthz and /readyz on, such as 127.0.0.1:9420; for whoever can reach it")
	f.BoolVar(&o.JSON, "log-json", false, "log as JSON")
	f.BoolVarP(&o.Verbose, "verbose", "v", false, "log more")
	return c
}
