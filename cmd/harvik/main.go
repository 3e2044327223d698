// Command harvik is the service, its console and its command line in one binary.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"harvik/internal/cli"
	"harvik/internal/store"
)

func main() {
	// Commands that follow a crawl handle Ctrl-C themselves; for all others it ends them.
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGTERM)
	code := cli.Run(
		ctx,
		cli.Command(cli.Service{Serve: serve, Work: work, Link: oneTimeLink, TurnKey: turnKey, Migrate: store.Migrate}),
	)
	stop()
	os.Exit(code)
}
