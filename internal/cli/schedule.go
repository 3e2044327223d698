package cli

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/schedule"
	numbers "harvik/internal/core/text"
)

func (a *app) scheduleCommand() *cobra.Command {
	return group("schedule", "Have sites crawled by themselves", a.scheduleListCommand(), a.scheduleSetCommand(),
		a.scheduleWeekCommand(),
		a.scheduleDo("run SITE NAME", "Begin at once what a schedule would; when it is due does not change",
			func(c *cobra.Command, cl *api.Client, site, name string) error {
				rec, err := cl.RunSchedule(c.Context(), site, name)
				if err == nil && a.json {
					return writeJSON(c.OutOrStdout(), rec)
				}
				if err == nil {
					fmt.Fprintf(c.OutOrStdout(), "Crawl %d of %s has begun.\n", rec.Number, rec.Site)
				}
				return err
			}),
		a.scheduleDo("remove SITE NAME", "Forget a schedule; what it began stays",
			func(c *cobra.Command, cl *api.Client, site, name string) error {
				err := cl.RemoveSchedule(c.Context(), site, name)
				if err == nil {
					fmt.Fprintf(c.ErrOrStderr(), "The schedule %s of %s is forgotten.\n", name, site)
				}
				return err
			}),
		a.scheduleDo("pause SITE NAME", "Let a schedule begin nothing until it is taken up again", a.pauseSchedule(true)),
		a.scheduleDo("resume SITE NAME", "Take a paused schedule up again", a.pauseSchedule(false)),
		a.scheduleHold("hold", "Let no schedule of any site begin anything", true),
		a.scheduleHold("release", "Let schedules begin crawls again; what came meanwhile passes", false))
}

// scheduleDo does something with a schedule of a site.
func (a *app) scheduleDo(use, short string, do func(c *cobra.Command, cl *api.Client, site, name string) error,
) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			return do(c, cl, in[0], in[1])
		}}
}

func (a *app) scheduleHold(use, short string, hold bool) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.HoldSchedules(c.Context(), api.Held{Held: hold}); err != nil {
				return err
			}
			says := "Schedules begin crawls again."
			if hold {
				says = "No schedule begins anything, until `harvik schedule release`. Crawls that run go on."
			}
			fmt.Fprintln(c.ErrOrStderr(), says)
			return nil
		}}
}

// scheduleNamed is a schedule of a site.
func scheduleNamed(c *cobra.Command, cl *api.Client, site, name string) (one api.Scheduled, found bool, err error) {
	list, err := cl.ListSchedules(c.Context(), &api.ListSchedulesParams{Site: site})
	i := slices.IndexFunc(list.Schedules, func(s api.Scheduled) bool { return s.Name == name })
	if err != nil || i < 0 {
		return one, false, err
	}
	return list.Schedules[i], true, nil
}

func (a *app) pauseSchedule(pause bool) func(c *cobra.Command, cl *api.Client, site, name string) error {
	return func(c *cobra.Command, cl *api.Client, site, name string) error {
		one, found, err := scheduleNamed(c, cl, site, name)
		if err != nil {
			return err
		}
		if !found {
			return fmt.Errorf("there is no schedule %q of %s; `harvik schedule list` shows them", name, site)
		}
		one.Schedule.Paused = pause
		now, err := cl.SetSchedule(c.Context(), site, name, one.Schedule)
		if err != nil {
			return err
		}
		return a.saySchedule(c, now)
	}
}

// saySchedule says how a schedule is now.
func (a *app) saySchedule(c *cobra.Command, s api.Scheduled) error {
	if a.json {
		return writeJSON(c.OutOrStdout(), s)
	}
	says := "it is paused"
	if !s.Next.IsZero() {
		says = "next " + moment(s.Next, time.Now())
	}
	fmt.Fprintf(c.OutOrStdout(), "%s is crawled %s: %s.\n", s.Site, s.Words, says)
	return nil
}

func (a *app) scheduleSetCommand() *cobra.Command {
	var in api.Schedule
	var file string
	name := "usual"
	c := &cobra.Command{
		Use: "set SITE WHEN", Short: "Say when a site is crawled by itself",
		Args: func(c *cobra.Command, in []string) error { return args("SITE", "WHEN")(c, in[:min(len(in), 2)]) },
		Long: "WHEN is one of\n" + forms() + `
A start that nothing was there for is made up for once, however many there were. At the end of the hours that are given
a crawl is put away, and it goes on when they come again. Settings that differ from the site's plan, for a small look
between full crawls, stand in a file like a plan's.`,
		Example: `  harvik schedule set fernhollow weekdays 03:00 --zone Europe/Berlin --jitter 30
  harvik schedule set fernhollow monthly 1 22:00 --name full --hours 22:00-06:00 --overlap replace
  harvik schedule set fernhollow daily 05:00 --name small --plan small.yaml`,
		RunE: func(c *cobra.Command, words []string) error {
			in.When = strings.Join(words[1:], " ")
			if file != "" {
				text, err := readFile(c.InOrStdin(), file)
				if err != nil {
					return err
				}
				in.Plan = string(text)
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			now, err := cl.SetSchedule(c.Context(), words[0], name, in)
			if err != nil {
				return err
			}
			return a.saySchedule(c, now)
		},
	}
	f := c.Flags()
	f.StringVar(&name, "name", name, "name of the schedule; a site can have several")
	f.StringVar(&in.Zone, "zone", "", "time zone, such as Europe/Berlin; UTC without one")
	f.StringVar(&in.Hours, "hours", "", "hours in which alone it runs, such as 22:00-06:00")
	f.IntVar(&in.Jitter, "jitter", 0, "minutes at most by which a start is put off, so that not all begin at once")
	f.StringVar(&in.Overlap, "overlap", schedule.Skip,
		"what becomes of it while another crawl of the site runs: "+strings.Join(schedule.Overlaps, ", "))
	f.StringVar(
		&file,
		"plan",
		"",
		"a file with settings that differ from the site's plan, in YAML; - for standard input",
	)
	return c
}

// forms are the ways to say when.
func forms() string {
	var b strings.Builder
	for _, f := range schedule.Forms {
		fmt.Fprintf(&b, "  %-18s %s\n", f[0], f[1])
	}
	return b.String()
}

func (a *app) scheduleListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list [SITE]", Short: "Show when sites are crawled next, and what came of the last time", Args: args("[SITE]"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListSchedules(c.Context(), &api.ListSchedulesParams{Site: strings.Join(in, "")})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, list)
			}
			if list.Held {
				fmt.Fprintln(w, "All schedules are held: `harvik schedule release` lets them begin crawls again.")
			}
			if len(list.Schedules) == 0 {
				fmt.Fprintln(
					c.ErrOrStderr(),
					"No schedule yet. Set one: harvik schedule set fernhollow weekdays 03:00 --zone Europe/Berlin",
				)
				return nil
			}
			now := time.Now()
			t := newTable(w, []string{"site", "schedule", "when", "next", "last"})
			for _, s := range list.Schedules {
				next := "paused"
				if !s.Next.IsZero() {
					next = moment(s.Next, now)
				}
				t.AppendRow([]any{s.Site, s.Name, s.Words, next, lastWord(s.Last, now)})
			}
			t.Render()
			return nil
		},
	}
	return c
}

// lastWord is what came of a schedule last.
func lastWord(last *api.Turnout, now time.Time) string {
	if last == nil {
		return "not yet"
	}
	out := moment(last.Due, now)
	if last.Crawl > 0 {
		out += fmt.Sprintf(", crawl %d", last.Crawl)
	}
	if last.Says != "" {
		out += ", " + last.Says
	}
	return out
}

// moment is a time as people say it beside now, by the clock of this machine.
func moment(at, now time.Time) string {
	at, now = at.Local(), now.Local()
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, time.UTC) }
	switch days := int(day(at).Sub(day(now)).Hours() / 24); {
	case days == 0:
		return "today " + at.Format("15:04")
	case days == 1:
		return "tomorrow " + at.Format("15:04")
	case days == -1:
		return "yesterday " + at.Format("15:04")
	case days > 1 && days < 7:
		return at.Format("Mon 15:04")
	case at.Year() == now.Year():
		return at.Format("2 Jan 15:04")
	}
	return at.Format("2 Jan 2006")
}

func (a *app) scheduleWeekCommand() *cobra.Command {
	days := 7
	c := &cobra.Command{
		Use: "week [SITE]", Short: "Show what schedules will begin in the coming days, and what that asks of hosts",
		Args: args("[SITE]"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListSchedules(c.Context(), &api.ListSchedulesParams{Site: strings.Join(in, ""), Days: days})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list.Coming)
			}
			printWeek(c.OutOrStdout(), list)
			return nil
		},
	}
	c.Flags().IntVar(&days, "days", days, "how many days, up to 31")
	return c
}

// printWeek shows what is to come, by day.
func printWeek(w io.Writer, list api.ScheduleList) {
	if list.Held {
		fmt.Fprintln(w, "All schedules are held: none of this begins until `harvik schedule release`.")
	}
	if len(list.Coming) == 0 {
		fmt.Fprintln(w, "No schedule begins anything.")
		return
	}
	rows := [][]string{{"when", "until", "site", "schedule", "host", "requests", "a minute"}}
	last := ""
	for _, one := range list.Coming {
		at := one.At.Local()
		day := at.Format("Mon 2 Jan")
		if day == last {
			day = strings.Repeat(" ", len(day))
		} else {
			last = day
		}
		until, requests, each := "not known", "not known", ""
		if took := one.Until.Sub(one.At); took > 0 {
			until, requests = one.Until.Local().Format("15:04"), numbers.Thousands(one.Requests)
			each = strconv.Itoa(int(float64(one.Requests) / max(1, took.Minutes())))
		}
		rows = append(
			rows,
			[]string{day + at.Format(" 15:04"), until, one.Site, one.Schedule, cmp.Or(one.Host, "–"), requests, each},
		)
	}
	printRows(w, rows, 6, 7)
}
