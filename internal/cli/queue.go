package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) queueCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "queue", Short: "Show who works and at what, and what waits for a worker", Args: args(),
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
	c.AddCommand(
		a.jobCommand("cancel", "Take work from the queue that is no crawl; where it runs it is broken off", "cancelled",
			(*api.Client).CancelJob),
		a.jobCommand("again", "Have work be tried at once that waits for its next try, was given up, or was cancelled",
			"is tried again", (*api.Client).RetryJob))
	return c
}

// jobCommand does something with a job of the queue.
func (a *app) jobCommand(
	name, short, done string,
	do func(*api.Client, context.Context, int64) error,
) *cobra.Command {
	return &cobra.Command{
		Use: name + " JOB", Short: short, Args: args("JOB"), Example: "  harvik queue " + name + " 12",
		RunE: func(c *cobra.Command, given []string) error {
			id, err := strconv.ParseInt(given[0], 10, 64)
			if err != nil {
				return usage(c, fmt.Errorf("%q is not the number of a job; `harvik queue` shows them", given[0]))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := do(cl, c.Context(), id); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Job %d %s.\n", id, done)
			return nil
		},
	}
}

func printQueue(w io.Writer, q api.Queue, now time.Time) {
	fmt.Fprintf(w, "%s\n", bold(w, numbers.Count(len(q.Workers), "worker", "workers")))
	if len(q.Workers) > 0 {
		rows := [][]string{
			{"  where", "crawls", "at most", "judgings", "rechecks", "watches", "messages", "for", "heard of"},
		}
		for _, one := range q.Workers {
			rows = append(rows, []string{"  " + one.Place, strconv.Itoa(one.Runs), most(one.Crawls), most(one.Judgings),
				most(
					one.Rechecks,
				), most(one.Watches), most(one.Messages), lasting(now.Sub(one.Started)), lasting(now.Sub(one.Seen)) + " ago"})
		}
		printRows(w, rows, 2, 3, 4, 5, 6, 7)
		for _, one := range q.Workers {
			if !one.Opens {
				wrap(w, "  ", one.Place+" lacks the key of secrets: it leaves crawls that need one to others")
			}
		}
	}
	fmt.Fprintf(w, "\n%s\n", bold(w, numbers.Count(len(q.Crawls), "crawl runs or waits", "crawls run or wait")))
	printCrawls(w, q.Crawls, now)
	fmt.Fprintf(w, "\n%s\n", bold(w, numbers.Count(len(q.Jobs), "other job", "other jobs")))
	printJobs(w, q.Jobs, now)
}

// most is how much a process does at once: a service may leave it to others.
func most(n int) string {
	if n == 0 {
		return "none"
	}
	return strconv.Itoa(n)
}

func printCrawls(w io.Writer, crawls []api.QueuedCrawl, now time.Time) {
	if len(crawls) == 0 {
		return
	}
	rows := [][]string{{"  crawl", "where", "for", "fetched", "taken up"}}
	for _, one := range crawls {
		where := one.Place
		if one.Waits {
			where = "waits for a worker"
		}
		taken := numbers.Count(one.Taken, "time", "times")
		if one.Taken == 0 {
			taken = "not yet"
		}
		rows = append(
			rows,
			[]string{fmt.Sprintf("  %s@%d", one.Site, one.Number), cmp.Or(where, "a worker that is missed"),
				lasting(now.Sub(one.Since)), numbers.Thousands(one.Fetched), taken},
		)
	}
	printRows(w, rows, 4)
	for _, one := range crawls {
		if one.Error != "" {
			wrap(w, "  ", fmt.Sprintf("%s@%d could not be taken up: %s", one.Site, one.Number, one.Error))
		}
	}
}

func printJobs(w io.Writer, jobs []api.Job, now time.Time) {
	if len(jobs) == 0 {
		return
	}
	rows := [][]string{{"  job", "what", "of", "state", "where", "for", "tries"}}
	for _, one := range jobs {
		of := one.Site
		if one.Crawl > 0 {
			of += fmt.Sprintf("@%d", one.Crawl)
		}
		if one.Number > 0 {
			of += fmt.Sprintf(", recheck %d", one.Number)
		}
		rows = append(rows, []string{fmt.Sprintf("  %d", one.ID), one.Label, of, one.State, one.Place,
			lasting(now.Sub(one.Since)), strconv.Itoa(one.Tries)})
	}
	printRows(w, rows, 1, 7)
	for _, one := range jobs {
		if one.Error != "" {
			wrap(w, "  ", fmt.Sprintf("%d: %s", one.ID, one.Error))
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
