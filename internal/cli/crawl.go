package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	numbers "harvik/internal/core/text"
)

func (a *app) crawlCommand() *cobra.Command {
	var pages int
	var detach bool
	list := &cobra.Command{Use: "list SITE", Short: "List a site's crawls, newest first", Args: args("SITE"),
		RunE: a.listCrawls}
	list.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	stop := a.forCrawl("stop", "End a running crawl early; what it has is kept and judged", "running",
		func(c *cobra.Command, cl *api.Client, site string, number int) error {
			if err := cl.StopCrawl(c.Context(), site, api.Numbered(number)); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is ending; what it has will be judged.\n", number, site)
			return nil
		})
	pause := a.forCrawl("pause", "Put a running crawl away until it is resumed", "running",
		func(c *cobra.Command, cl *api.Client, site string, number int) error {
			if err := cl.PauseCrawl(c.Context(), site, api.Numbered(number)); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is pausing. Go on with `harvik crawl resume %s`.\n", number, site,
				site)
			return nil
		})
	resume := a.forCrawl("resume", "Go on with a paused crawl, and follow it", "paused",
		func(c *cobra.Command, cl *api.Client, site string, number int) error {
			cr, err := cl.ResumeCrawl(c.Context(), site, api.Numbered(number))
			if err != nil {
				return err
			}
			return a.begun(c, cl, cr, detach)
		})
	detached(resume, &detach)
	c := &cobra.Command{
		Use: "crawl SITE", Short: "Crawl a site by its plan, and follow the crawl", Args: args("SITE"),
		Long: `Starts a crawl of a site by its plan and follows it until it has been judged. Ctrl-C stops
following, not the crawl; "harvik crawl stop SITE" ends that.`,
		RunE: func(c *cobra.Command, in []string) error {
			if c.Flags().Changed("pages") && pages < 1 {
				return usage(c, fmt.Errorf("--pages is at least 1, not %d; without it, the plan's number holds", pages))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			cr, err := cl.StartCrawl(c.Context(), in[0], api.NewCrawl{Pages: pages})
			if err != nil {
				return err
			}
			return a.begun(c, cl, cr, detach)
		},
	}
	c.Flags().IntVar(&pages, "pages", 0, "fetch at most this many addresses, this once")
	detached(c, &detach)
	c.AddCommand(list, stop, pause, resume, a.continueCommand(), a.paceCommand(), a.leftCommand(), a.markCommand(),
		a.removeCrawlCommand())
	return c
}

func (a *app) removeCrawlCommand() *cobra.Command {
	return a.forNumbered("remove", "Delete a crawl with all that it found", `Deletes a crawl with its pages, findings and fix list. What was said of fixes, and what is waived, belongs
to the site and stays. The number of the crawl is not given to another one.`, func(c *cobra.Command, cl *api.Client, site string, number int) error {
		if err := cl.RemoveCrawl(c.Context(), site, api.Numbered(number)); err != nil {
			return err
		}
		fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is deleted.\n", number, site)
		return nil
	})
}

func (a *app) markCommand() *cobra.Command {
	var off bool
	mark := a.forNumbered("mark", "Let a crawl stay when older ones go", `Marks a crawl, such as the one before a move, so that it stays however many the site keeps
("harvik site keep"). With --off the mark is taken off, and the crawl goes with others of its age.`, func(c *cobra.Command, cl *api.Client, site string, number int) error {
		if err := cl.MarkCrawl(c.Context(), site, api.Numbered(number), api.Mark{Marked: !off}); err != nil {
			return err
		}
		if off {
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is not marked.\n", number, site)
		} else {
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s is marked, and stays.\n", number, site)
		}
		return nil
	})
	mark.Flags().BoolVar(&off, "off", false, "take the mark off")
	return mark
}

// forNumbered is a command on a crawl that has to be named by its number.
func (a *app) forNumbered(name, short, long string,
	do func(*cobra.Command, *api.Client, string, int) error) *cobra.Command {
	return &cobra.Command{
		Use: name + " SITE@N", Short: short, Long: long, Args: args("SITE@N"),
		RunE: func(c *cobra.Command, in []string) error {
			site, number, err := crawlName(in[0])
			if err != nil {
				return err
			}
			if number == 0 {
				return usage(c, fmt.Errorf("say which crawl, as %s@N; `harvik crawl list %s` shows them", site, site))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			return do(c, cl, site, number)
		},
	}
}

func detached(c *cobra.Command, detach *bool) {
	c.Flags().BoolVar(detach, "detach", false, "return at once and let it run")
}

// begun follows a crawl that runs, or only names it.
func (a *app) begun(c *cobra.Command, cl *api.Client, cr api.Crawl, detach bool) error {
	switch {
	case !detach:
		return a.follow(c, cl, cr)
	case a.json:
		return writeJSON(c.OutOrStdout(), cr)
	}
	fmt.Fprintf(c.OutOrStdout(), "%s@%d\n", cr.Site, cr.Number)
	return nil
}

// forCrawl is a command on a crawl of a state: the one that is named, or the site's newest such.
func (a *app) forCrawl(name, short, state string,
	do func(*cobra.Command, *api.Client, string, int) error) *cobra.Command {
	return &cobra.Command{
		Use: name + " SITE[@N]", Short: short, Args: args("SITE"),
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
				if number, err = crawlIn(c.Context(), cl, site, state); err != nil {
					return err
				}
			}
			return do(c, cl, site, number)
		},
	}
}

// crawlIn is the newest crawl of a site that is in a state.
func crawlIn(ctx context.Context, cl *api.Client, site, state string) (int, error) {
	crawls, err := cl.ListCrawls(ctx, site, &api.ListCrawlsParams{Limit: 500})
	if err != nil {
		return 0, err
	}
	for _, cr := range crawls.Crawls {
		if cr.State == state {
			return cr.Number, nil
		}
	}
	return 0, fmt.Errorf("no crawl of %s is %s", site, state)
}

func (a *app) continueCommand() *cobra.Command {
	var pages int
	var detach bool
	c := a.forCrawl("continue", "Let a crawl that its number of pages ended go on to a higher one", "finished",
		func(c *cobra.Command, cl *api.Client, site string, number int) error {
			if pages == 0 {
				return usage(c, errors.New("say how far with --pages"))
			}
			cr, err := cl.ContinueCrawl(c.Context(), site, api.Numbered(number), api.MorePages{Pages: pages})
			if err != nil {
				return err
			}
			return a.begun(c, cl, cr, detach)
		})
	c.Flags().IntVar(&pages, "pages", 0, "addresses fetched at most, with those it has")
	detached(c, &detach)
	return c
}

func (a *app) paceCommand() *cobra.Command {
	var parallel int
	var pause string
	var perSecond float64
	c := a.forCrawl("pace", "Change the pace of a running crawl", "running",
		func(c *cobra.Command, cl *api.Client, site string, number int) error {
			var pace api.PaceChange
			if c.Flags().Changed("parallel") {
				pace.Parallel = &parallel
			}
			if c.Flags().Changed("per-second") {
				pace.PerSecond = &perSecond
			}
			if c.Flags().Changed("pause") {
				pace.Pause = new(plan.Duration)
				if err := pace.Pause.UnmarshalJSON([]byte(strconv.Quote(pause))); err != nil {
					return usage(c, fmt.Errorf("--pause: %w", err))
				}
			}
			if pace == (api.PaceChange{}) {
				return usage(c, errors.New("say what to change: --parallel, --pause or --per-second"))
			}
			if _, err := cl.SetPace(c.Context(), site, api.Numbered(number), pace); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Crawl %d of %s goes on at that pace.\n", number, site)
			return nil
		})
	c.Flags().IntVar(&parallel, "parallel", 0, "requests at once")
	c.Flags().StringVar(&pause, "pause", "", "time between the starts of two requests, such as 200ms")
	c.Flags().Float64Var(&perSecond, "per-second", 0, "requests a second at most; 0 is no ceiling")
	return c
}

// follow shows a crawl's progress on standard error until it ends, then its result.
func (a *app) follow(c *cobra.Command, cl *api.Client, cr api.Crawl) error {
	ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt)
	defer stop()
	talk := c.ErrOrStderr()
	fmt.Fprintf(talk, "Crawl %d of %s, at most %s addresses.\n", cr.Number, cr.Home, numbers.Thousands(cr.Plan.Pages))
	live := newLive(talk)
	ended, err := cl.Watch(ctx, cr.Site, api.Numbered(cr.Number), live.show)
	live.close()
	if ctx.Err() != nil && c.Context().Err() == nil {
		fmt.Fprintf(talk, "The crawl goes on. See it with `harvik crawl list %s`, end it with `harvik crawl stop %s`.\n", cr.Site, cr.Site)
		return nil
	}
	if err != nil {
		return err
	}
	switch ended.State {
	case "failed":
		return errors.New(ended.Detail)
	case "running": // the service was ended, and goes on with it when it starts
		fmt.Fprintln(talk, "The service ended. The crawl goes on when it starts again.")
		return nil
	case "paused":
		fmt.Fprintf(talk, "Crawl %d of %s is paused after %s. Go on with `harvik crawl resume %s`.\n", cr.Number,
			cr.Site, numbers.Count(ended.Progress.Fetched, "address", "addresses"), cr.Site)
		if ended.Detail != "" {
			return errors.New(ended.Detail)
		}
		return nil
	}
	if a.json {
		return cmp.Or(writeJSON(c.OutOrStdout(), ended), unscored(ended))
	}
	if err := unscored(ended); err != nil {
		printHealth(c.OutOrStdout(), ended, 10)
		return err
	}
	if ended.Detail != "" {
		fmt.Fprintln(talk, ended.Detail)
	}
	switch ended.Plan.Robots {
	case plan.Report:
		if err := a.tellShutOut(c, cl, ended); err != nil {
			return err
		}
	case plan.Disregard:
		fmt.Fprintf(talk, "robots.txt was disregarded: %s\n", ended.Plan.Permission)
	}
	printHealth(c.OutOrStdout(), ended, 10)
	return tellWork(c, cl, ended)
}

// unscored is the error of a crawl that saw no page that could be judged.
func unscored(cr api.Crawl) error {
	if cr.Report == nil || cr.Report.Scored {
		return nil
	}
	return errors.New(cmp.Or(cr.Detail, "no page could be assessed"))
}

// tellWork says what a crawl made of the work at the list: what is confirmed, and loudly, what came back.
func tellWork(c *cobra.Command, cl *api.Client, cr api.Crawl) error {
	tasks, err := cl.ListTasks(c.Context(), cr.Site, &api.ListTasksParams{})
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	confirmed := 0
	var returned []api.Task
	for _, t := range tasks.Tasks {
		switch {
		case t.State == string(task.Confirmed) && t.Changed.After(cr.Started):
			confirmed++
		case t.State == string(task.Returned) && t.Seen == cr.Number:
			returned = append(returned, t)
		}
	}
	if confirmed > 0 {
		fmt.Fprintf(w, "\nConfirmed to be gone: %s. `harvik work %s --in confirmed` lists what ever was.\n",
			numbers.Count(confirmed, "fix", "fixes"), cr.Site)
	}
	if len(returned) > 0 {
		fmt.Fprintf(w, "\n%s\n", bold(w,
			"RETURNED: "+numbers.Count(len(returned), "fix", "fixes")+", confirmed to be gone once, there again"))
		for _, t := range returned[:min(5, len(returned))] {
			fmt.Fprintf(w, "  %s  %s\n", t.Fix, t.Line)
		}
		if len(returned) > 5 {
			fmt.Fprintf(w, "  and %d more; `harvik fixes %s --state returned` shows them\n", len(returned)-5, cr.Site)
		}
	}
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

func (l *live) show(p api.Progress) {
	line := progressLine(p)
	if l.terminal {
		fmt.Fprint(l.w, overwrite(), end(line, columns(l.w)-1))
		return
	}
	if time.Since(l.last) >= plainEvery || p.Phase != l.phase && p.Phase != "starting" {
		fmt.Fprintln(l.w, line)
		l.last, l.phase = time.Now(), p.Phase
	}
}

func (l *live) close() {
	if l.terminal {
		fmt.Fprint(l.w, overwrite())
	}
}

func progressLine(p api.Progress) string {
	switch p.Phase {
	case "waiting":
		return "waiting for a worker"
	case "starting":
		return "reading robots.txt and sitemaps"
	case "resuming":
		return fmt.Sprintf("taking up again: %s read back", numbers.Thousands(p.Fetched))
	case "probing":
		return fmt.Sprintf("%s fetched; asking the front doors and some made-up addresses",
			numbers.Thousands(p.Fetched))
	case "judging":
		return fmt.Sprintf("%s fetched; judging the whole site", numbers.Thousands(p.Fetched))
	}
	line := fmt.Sprintf("%s fetched · %s waiting · %.0f a second · %s · %s", numbers.Thousands(p.Fetched),
		numbers.Thousands(p.Waiting), p.Rate,
		numbers.Count(p.Failures, "failure", "failures"), numbers.Count(p.Findings, "finding", "findings"))
	if what := map[string]string{"sitemaps": "sitemaps", "resources": "resources",
		"outbound": "outbound links"}[p.Lane]; what != "" {
		line = what + ": " + line
	}
	if p.Pace != nil && p.Pace.Reason != "" {
		line += " · slower: " + p.Pace.Reason
	}
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
	list, err := cl.ListCrawls(c.Context(), in[0], &api.ListCrawlsParams{Limit: 500})
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	rows := [][]string{{"crawl", "state", "ended by", "started", "fetched", "health", "fixes", "marked"}}
	for _, cr := range list.Crawls {
		row := []string{cr.Site + "@" + strconv.Itoa(cr.Number), cr.State, cr.Ending,
			cr.Started.Format("2006-01-02 15:04"), strconv.Itoa(cr.Progress.Fetched), "", "", ""}
		if cr.Report != nil && cr.Report.Scored {
			row[5], row[6] = points(cr.Report.Health), strconv.Itoa(cr.Report.Fixes)
		}
		if cr.Marked {
			row[7] = "marked"
		}
		rows = append(rows, row)
	}
	switch {
	case a.json:
		return writeJSON(w, map[string]any{"crawls": list.Crawls})
	case a.csv:
		return writeCSV(w, rows)
	case len(list.Crawls) == 0:
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
