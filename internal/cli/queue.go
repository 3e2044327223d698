package cli

import (
	"cmp"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) queueCommand() *cobra.Command {
	return &cobra.Command{
		Use: "queue", Short: "Show who works, which crawls run where, and which wait for a worker", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			q, err := cl.ShowQueue(c.Context())
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), q)
			}
			printQueue(c.OutOrStdout(), q, time.Now())
			return nil
		},
	}
}

func printQueue(w io.Writer, q api.Queue, now time.Time) {
	fmt.Fprintf(w, "%s\n", bold(w, numbers.Count(len(q.Workers), "worker", "workers")))
	if len(q.Workers) > 0 {
		rows := [][]string{{"  where", "runs", "at most", "for", "heard of"}}
		for _, one := range q.Workers {
			most := strconv.Itoa(one.Crawls)
			if one.Crawls == 0 {
				most = "none" // a service that leaves crawls to others
			}
			rows = append(rows, []string{"  " + one.Place, strconv.Itoa(one.Runs), most,
				lasting(now.Sub(one.Started)), lasting(now.Sub(one.Seen)) + " ago"})
		}
		printRows(w, rows, 2, 3)
	}
	fmt.Fprintf(w, "\n%s\n", bold(w, numbers.Count(len(q.Crawls), "crawl runs or waits", "crawls run or wait")))
	if len(q.Crawls) == 0 {
		return
	}
	rows := [][]string{{"  crawl", "where", "for", "fetched", "taken up"}}
	for _, one := range q.Crawls {
		where := one.Place
		if one.Waits {
			where = "waits for a worker"
		}
		rows = append(rows, []string{fmt.Sprintf("  %s@%d", one.Site, one.Number), cmp.Or(where, "a worker that is missed"),
			lasting(now.Sub(one.Since)), numbers.Thousands(one.Fetched), numbers.Count(one.Taken, "time", "times")})
	}
	printRows(w, rows, 4)
	for _, one := range q.Crawls {
		if one.Error != "" {
			wrap(w, "  ", fmt.Sprintf("%s@%d could not be taken up: %s", one.Site, one.Number, one.Error))
		}
	}
}

// lasting is a time as people say it, of one unit.
func lasting(d time.Duration) string {
	switch d = max(0, d); {
	case d < time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	case d < time.Hour:
		return fmt.Sprintf("%.0f min", d.Minutes())
	case d < 48*time.Hour:
		return fmt.Sprintf("%.0f h", d.Hours())
	}
	return fmt.Sprintf("%.0f days", d.Hours()/24)
}
