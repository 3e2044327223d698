package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/client"
	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) crawlCommand() *cobra.Command {
	var pages int
	var detach bool
	list := &cobra.Command{Use: "list SITE", Short: "List a site's crawls, newest first", Args: args("SITE"), RunE: a.listCrawls}
	list.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	stop := &cobra.Command{
		Use: "stop SITE[@N]", Short: "End a running crawl early; what it has is kept and judged", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site, number, err := crawlName(in[0])
			if err != nil {
				return err
			}
			if number == 0 {
				if number, err = runningCrawl(c.Context(), cl, site); err != nil {
					return err
				}
			}
			if err := cl.StopCrawl(c.Context(), site, number); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is ending; what it has will be judged.\n", number, site)
			return nil
		},
	}
	c := &cobra.Command{
		Use: "crawl SITE", Short: "Crawl a site by its plan, and follow the crawl", Args: args("SITE"),
		Long: `Starts a crawl of a site by its plan and follows it until it has been judged. Ctrl-C stops
following, not the crawl; "harvik crawl stop SITE" ends that.`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			cr, err := cl.StartCrawl(c.Context(), in[0], pages)
			if err != nil {
				return err
			}
			if detach {
				if a.json {
					return writeJSON(c.OutOrStdout(), cr)
				}
				fmt.Fprintf(c.OutOrStdout(), "%s@%d\n", cr.Site, cr.Number)
				return nil
			}
			return a.follow(c, cl, cr)
		},
	}
	c.Flags().IntVar(&pages, "pages", 0, "fetch at most this many addresses, this once")
	c.Flags().BoolVar(&detach, "detach", false, "start the crawl and return at once")
	c.AddCommand(list, stop)
	return c
}

func runningCrawl(ctx context.Context, cl *client.Client, site string) (int, error) {
	crawls, err := cl.Crawls(ctx, site)
	if err != nil {
		return 0, err
	}
	for _, cr := range crawls {
		if cr.State == "running" {
			return cr.Number, nil
		}
	}
	return 0, fmt.Errorf("no crawl of %s is running", site)
}

// follow shows a crawl's progress on standard error until it ends, then its result.
func (a *app) follow(c *cobra.Command, cl *client.Client, cr record.Crawl) error {
	ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt)
	defer stop()
	talk := c.ErrOrStderr()
	fmt.Fprintf(talk, "Crawl %d of %s, at most %s addresses.\n", cr.Number, cr.Home, numbers.Thousands(cr.Plan.Pages))
	live := newLive(talk)
	ended, err := cl.Watch(ctx, cr.Site, cr.Number, live.show)
	live.close()
	if ctx.Err() != nil && c.Context().Err() == nil {
		fmt.Fprintf(talk, "The crawl goes on. See it with `harvik crawl list %s`, end it with `harvik crawl stop %s`.\n", cr.Site, cr.Site)
		return nil
	}
	if err != nil {
		return err
	}
	if ended.State == "failed" {
		return errors.New(ended.Detail)
	}
	if a.json {
		return writeJSON(c.OutOrStdout(), ended)
	}
	if ended.Detail != "" {
		fmt.Fprintln(talk, ended.Detail)
	}
	printHealth(c.OutOrStdout(), ended, 10)
	return nil
}

// live shows progress: one line that changes on a terminal, a line now and then elsewhere.
type live struct {
	w        io.Writer
	terminal bool
	last     time.Time
	phase    string
}

func newLive(w io.Writer) *live { return &live{w: w, terminal: isTerminal(w)} }

// plainEvery is how often progress is told where there is no terminal.
const plainEvery = 2 * time.Second

func (l *live) show(p record.Progress) {
	line := progressLine(p)
	if l.terminal {
		fmt.Fprintf(l.w, "\r\033[K%s", end(line, columns(l.w)-1))
		return
	}
	if time.Since(l.last) >= plainEvery || p.Phase != l.phase && p.Phase != "starting" {
		fmt.Fprintln(l.w, line)
		l.last, l.phase = time.Now(), p.Phase
	}
}

func (l *live) close() {
	if l.terminal {
		fmt.Fprint(l.w, "\r\033[K")
	}
}

func progressLine(p record.Progress) string {
	switch p.Phase {
	case "starting":
		return "reading robots.txt and sitemaps"
	case "judging":
		return fmt.Sprintf("%s fetched; judging the whole site", numbers.Thousands(p.Fetched))
	}
	line := fmt.Sprintf("%s fetched · %s waiting · %.0f a second · %s · %s", numbers.Thousands(p.Fetched), numbers.Thousands(p.Waiting), p.Rate,
		count(p.Failures, "failure", "failures"), count(p.Findings, "finding", "findings"))
	if p.Left > 5 {
		line += " · about " + (time.Duration(p.Left) * time.Second).Round(time.Second).String() + " for those waiting"
	}
	return line
}

func (a *app) listCrawls(c *cobra.Command, in []string) error {
	cl, err := a.client()
	if err != nil {
		return err
	}
	crawls, err := cl.Crawls(c.Context(), in[0])
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	rows := [][]string{{"crawl", "state", "ended by", "started", "fetched", "health", "fixes"}}
	for _, cr := range crawls {
		row := []string{cr.Site + "@" + strconv.Itoa(cr.Number), cr.State, cr.Ending, cr.Started.Format("2006-01-02 15:04"), strconv.Itoa(cr.Progress.Fetched), "", ""}
		if cr.Report != nil && cr.Report.Scored {
			row[5], row[6] = points(cr.Report.Health), strconv.Itoa(cr.Report.Fixes)
		}
		rows = append(rows, row)
	}
	switch {
	case a.json:
		return writeJSON(w, map[string]any{"crawls": crawls})
	case a.csv:
		return writeCSV(w, rows)
	case len(crawls) == 0:
		fmt.Fprintf(c.ErrOrStderr(), "No crawl yet. Start one: harvik crawl %s\n", in[0])
		return nil
	}
	printRows(w, rows, 5, 6, 7)
	return nil
}

// printRows renders a table whose first row holds the headings.
func printRows(w io.Writer, rows [][]string, right ...int) {
	t := newTable(w, rows[0], right...)
	for _, r := range rows[1:] {
		row := make([]any, len(r))
		for i, cell := range r {
			row[i] = cell
		}
		t.AppendRow(row)
	}
	t.Render()
}
