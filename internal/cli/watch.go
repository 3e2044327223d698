package cli

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) watchCommand() *cobra.Command {
	return group("watch", "Look at addresses every few minutes, and daily at what sites show besides pages",
		a.watchListCommand(), a.watchSetCommand(), a.watchShowCommand(), a.watchRemoveCommand(), a.watchFrontCommand(),
		a.watchPlannedCommand(), a.watchKeepCommand())
}

func (a *app) watchKeepCommand() *cobra.Command {
	usual := record.UsualLooks
	return &cobra.Command{
		Use: "keep DAYS HOURS", Short: "Say for how many days looks are kept one by one, and by hour", Args: args("DAYS", "HOURS"),
		Long: fmt.Sprintf(`Every look is kept for so many days, what an hour came to for so many, and what a day came to for good.
Without a word it is %d and %d days.`, usual.Days, usual.Hours),
		Example: fmt.Sprintf("  harvik watch keep %d %d", usual.Days, usual.Hours),
		RunE: func(c *cobra.Command, in []string) error {
			var n [2]int
			for i, word := range in {
				var err error
				if n[i], err = strconv.Atoi(word); err != nil {
					return usage(c, fmt.Errorf("%q is no number of days", word))
				}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.KeepLooks(c.Context(), api.LooksKept{Days: n[0], Hours: n[1]}); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Looks are kept one by one for %s, and by hour for %s.\n",
				numbers.Count(n[0], "day", "days"), numbers.Count(n[1], "day", "days"))
			return nil
		},
	}
}

func (a *app) watchSetCommand() *cobra.Command {
	var in api.Watch
	var name, question, order string
	most := 20
	c := &cobra.Command{
		Use: "set SITE [ADDRESS]", Short: "Watch an address, or those that answer a question",
		Args: func(c *cobra.Command, in []string) error { return args("SITE", "[ADDRESS]")(c, in) },
		Long: `Looks at an address again and again: is it to be had, how fast, where does it lead, until when does its
certificate last, what do its title, canonical, first heading and text say, and what does it say to crawlers. An address
that fails is tried again by a fresh connection before it counts as down. A second watch of the same name takes the
place of the first.`,
		Example: `  harvik watch set fernhollow / --every 1 --must "Opening hours"
  harvik watch set fernhollow /shop/ --slow 2000
  harvik watch set fernhollow --question 'visits > 0' --order=-visits --most 20`,
		RunE: func(c *cobra.Command, words []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			site := words[0]
			var addresses []string
			switch {
			case len(words) == 2 && question == "":
				addresses = words[1:]
			case len(words) == 1 && question != "":
				if addresses, err = addressesOf(c, cl, site, question, order, most); err != nil {
					return err
				}
			default:
				return usage(c, fmt.Errorf("give an address, or a question with --question"))
			}
			if len(addresses) == 0 {
				fmt.Fprintln(c.ErrOrStderr(), "No page answers the question that is not watched already.")
				return nil
			}
			for _, address := range addresses {
				one := in
				one.Address = address
				as := name
				if as == "" || len(addresses) > 1 {
					as = watchName(address)
				}
				now, err := cl.SetWatch(c.Context(), site, as, one)
				if err != nil {
					return err
				}
				if a.json {
					if err := writeJSON(c.OutOrStdout(), now); err != nil {
						return err
					}
					continue
				}
				fmt.Fprintf(
					c.OutOrStdout(),
					"%s is watched as %s, %s.\n",
					now.Watch.Address,
					now.Name,
					everyWord(now.Watch.Every),
				)
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&name, "name", "", "name of the watch; made of the address without one")
	f.IntVar(&in.Every, "every", 5, "minutes between two looks, 1 to 1440")
	f.IntVar(&in.Status, "status", 0, "status that it has to have; any from 200 to 399 without one")
	f.StringVar(&in.Must, "must", "", "a text that has to stand there")
	f.StringVar(&in.Never, "never", "", "a text that may not stand there")
	f.IntVar(&in.Slow, "slow", 0, "milliseconds from which a look counts as slow")
	f.BoolVar(&in.Paused, "paused", false, "keep it, and do not look")
	f.StringVar(&question, "question", "", "watch the pages of the newest crawl that answer this question")
	f.StringVar(
		&order,
		"order",
		"",
		"the fact by which those are put in order, with − or - in front for the largest first",
	)
	f.IntVar(&most, "most", most, "how many of them at most")
	return c
}

// addressesOf are the pages of a site's newest crawl that answer a question, and are not watched yet.
func addressesOf(c *cobra.Command, cl *api.Client, site, question, order string, most int) ([]string, error) {
	answer, err := cl.Ask(c.Context(), site, api.Latest, &api.AskParams{Question: question, Columns: "address",
		Order: strings.Replace(order, "−", "-", 1), Limit: most})
	if err != nil {
		return nil, err
	}
	known, err := cl.ListWatches(c.Context(), &api.ListWatchesParams{Site: site})
	if err != nil {
		return nil, err
	}
	var out []string
	for _, row := range answer.Rows {
		address, ok := row[0].(string)
		if ok && !slices.ContainsFunc(known.Watches, func(w api.Watched) bool { return w.Watch.Address == address }) {
			out = append(out, address)
		}
	}
	return out, nil
}

// everyWord says how often.
func everyWord(minutes int) string {
	switch {
	case minutes == 1:
		return "every minute"
	case minutes == 60:
		return "every hour"
	case minutes == 24*60:
		return "once a day"
	}
	return fmt.Sprintf("every %d minutes", minutes)
}

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// watchName makes a name of an address.
func watchName(address string) string {
	if _, rest, ok := strings.Cut(address, "://"); ok {
		if _, path, ok := strings.Cut(rest, "/"); ok {
			address = path
		} else {
			address = ""
		}
	}
	name := strings.Trim(notName.ReplaceAllString(strings.ToLower(address), "-"), "-")
	if name == "" {
		return "home"
	}
	if len(name) > 60 {
		name = strings.Trim(name[len(name)-60:], "-")
	}
	return name
}

func (a *app) watchRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove SITE NAME", Short: "Watch an address no more, and forget what was seen of it", Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveWatch(c.Context(), in[0], in[1]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s of %s is watched no more.\n", in[1], in[0])
			return nil
		},
	}
}

func (a *app) watchListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list [SITE]", Short: "Show how watched addresses stand: what is down first", Args: args("[SITE]"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListWatches(c.Context(), &api.ListWatchesParams{Site: strings.Join(in, "")})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			if len(list.Watches) == 0 {
				fmt.Fprintln(
					c.ErrOrStderr(),
					"Nothing is watched yet. Watch an address: harvik watch set fernhollow / --every 5",
				)
				return nil
			}
			printWatches(c.OutOrStdout(), list.Watches, time.Now())
			return nil
		},
	}
}

func printWatches(w io.Writer, all []api.Watched, now time.Time) {
	rows := [][]string{{"site", "watch", "stands", "for", "available", "median", "every"}}
	for _, down := range []bool{true, false} {
		for _, one := range all {
			if one.Down != down {
				continue
			}
			stands := "up"
			lasts := ""
			switch {
			case one.Watch.Paused:
				stands = "paused"
			case one.Down:
				stands, lasts = "DOWN: "+one.Reason, lasting(now.Sub(one.Since))
			case one.At.IsZero():
				stands = "not looked at yet"
			default:
				lasts = lasting(now.Sub(one.Since))
			}
			rows = append(
				rows,
				[]string{one.Site, one.Name, stands, lasts, availableWord(one.Available), msWord(one.Median),
					strconv.Itoa(one.Watch.Every) + " min"},
			)
		}
	}
	printRows(w, rows, 4, 5, 6, 7)
}

// availableWord says a share of looks; one that is not all is not rounded up to it.
func availableWord(share *float64) string {
	switch {
	case share == nil:
		return "–"
	case *share < 100 && *share > 99.99:
		return "99.99 %"
	case *share == 100:
		return "100 %"
	}
	return strconv.FormatFloat(*share, 'f', 2, 64) + " %"
}

func msWord(ms int) string {
	if ms == 0 {
		return "–"
	}
	return numbers.Thousands(ms) + " ms"
}

func (a *app) watchShowCommand() *cobra.Command {
	days := 1
	c := &cobra.Command{
		Use: "show SITE NAME", Short: "Show how a watched address did: availability, times, outages, changes",
		Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			course, err := cl.ShowWatch(c.Context(), in[0], in[1], &api.ShowWatchParams{Days: days, Bins: 60})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), course)
			}
			printCourse(c.OutOrStdout(), course, days)
			return nil
		},
	}
	c.Flags().IntVar(&days, "days", days, "of how many days, up to 400")
	return c
}

func printCourse(w io.Writer, c api.WatchCourse, days int) {
	one := c.Watched
	fmt.Fprintf(w, "%s  %s\n", bold(w, one.Name), one.Watch.Address)
	now := c.Until
	switch {
	case one.Watch.Paused:
		fmt.Fprintln(w, "paused")
	case one.Down:
		fmt.Fprintf(w, "DOWN for %s: %s\n", lasting(now.Sub(one.Since)), one.Reason)
	case one.At.IsZero():
		fmt.Fprintln(w, "not looked at yet")
	default:
		fmt.Fprintf(w, "up for %s; status %d", lasting(now.Sub(one.Since)), one.Status)
		if one.Target != "" {
			fmt.Fprintf(w, " at %s", middle(one.Target, 60))
		}
		if !one.Ends.IsZero() {
			fmt.Fprintf(w, "; certificate until %s", one.Ends.Local().Format("2 Jan 2006"))
		}
		fmt.Fprintln(w)
	}
	span := "24 hours"
	if days > 1 {
		span = fmt.Sprintf("%d days", days)
	}
	fmt.Fprintf(w, "\n%s  %s available in %s, %s down\n", bold(w, "last "+span), availableWord(c.Available),
		numbers.Count(c.Looks, "look", "looks"), numbers.Thousands(c.Down))
	if c.Median > 0 {
		fmt.Fprintf(w, "median %s, 95 of 100 within %s, 99 within %s\n", msWord(c.Median), msWord(c.P95), msWord(c.P99))
		fmt.Fprintf(w, "%s\n", timeline(c.Bins))
	}
	var phases []string
	for _, p := range c.Phases {
		if p.Median > 0 {
			phases = append(phases, p.Label+" "+msWord(p.Median))
		}
	}
	if len(phases) > 0 {
		fmt.Fprintf(w, "until: %s\n", strings.Join(phases, ", "))
	}
	for i, o := range c.Outages {
		if i == 0 {
			fmt.Fprintf(w, "\n%s\n", bold(w, numbers.Count(len(c.Outages), "outage", "outages")))
		}
		lasts := "lasts"
		if !o.Ended.IsZero() {
			lasts = "for " + lasting(o.Ended.Sub(o.Began))
		}
		fmt.Fprintf(w, "  %s  %s  %s\n", o.Began.Local().Format("2 Jan 15:04"), lasts, o.Reason)
	}
	printNoticed(w, c.Changes)
}

// bars are heights, the lowest first.
var bars = []rune("▁▂▃▄▅▆▇█")

// timeline draws response times, with × where the address was down.
func timeline(bins []api.WatchBin) string {
	most := 1
	for _, b := range bins {
		most = max(most, b.Slow)
	}
	var out strings.Builder
	for _, b := range bins {
		switch {
		case b.Looks == 0:
			out.WriteByte(' ')
		case 2*b.Down >= b.Looks:
			out.WriteRune('×')
		default:
			out.WriteRune(bars[min(len(bars)-1, b.Slow*len(bars)/(most+1))])
		}
	}
	return strings.TrimRight(out.String(), " ") + "  up to " + msWord(most)
}

// printNoticed shows what changed, the newest first.
func printNoticed(w io.Writer, all []api.Noticed) {
	for i, n := range all {
		if i == 0 {
			fmt.Fprintf(w, "\n%s\n", bold(w, numbers.Count(len(all), "change", "changes")))
		}
		what := n.Label
		if n.Watch != "" {
			what = n.Watch + ", " + what
		}
		fmt.Fprintf(w, "  %s  %s", n.At.Local().Format("2 Jan 15:04"), what)
		switch {
		case len(n.Lines) > 0:
			fmt.Fprintln(w)
			for _, l := range n.Lines[:min(len(n.Lines), 10)] {
				fmt.Fprintf(w, "      %s\n", middle(l, 100))
			}
		case n.Was == "" && n.Now == "":
			fmt.Fprintln(w)
		default:
			fmt.Fprintf(w, ": %s → %s\n", orNothing(n.Was), orNothing(n.Now))
		}
	}
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return "“" + middle(strings.Join(strings.Fields(s), " "), 60) + "”"
}

func (a *app) watchFrontCommand() *cobra.Command {
	var now, off, on bool
	c := &cobra.Command{
		Use: "front SITE", Short: "Show what a site shows besides pages: robots.txt, sitemaps, certificate, DNS, headers",
		Args: args("SITE"),
		Long: `Looked at daily for each site, without a crawl: robots.txt, sitemaps, the certificate, what the name of the host
resolves to, and the headers of the home page that matter. What is otherwise than before is told.`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var front api.Front
			switch {
			case now:
				front, err = cl.LookAtFront(c.Context(), in[0])
			case on || off:
				front, err = cl.SetFront(c.Context(), in[0], api.FrontWatched{Watched: on})
			default:
				front, err = cl.ShowFront(c.Context(), in[0])
			}
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), front)
			}
			printFront(c.OutOrStdout(), front)
			return nil
		},
	}
	c.Flags().BoolVar(&now, "now", false, "look at it now")
	c.Flags().BoolVar(&off, "off", false, "do not look at it daily")
	c.Flags().BoolVar(&on, "on", false, "look at it daily again")
	c.MarkFlagsMutuallyExclusive("now", "on", "off")
	return c
}

func printFront(w io.Writer, f api.Front) {
	now := time.Now()
	next := "it is not looked at daily"
	if !f.Next.IsZero() {
		next = "next " + moment(f.Next, now)
	}
	if f.At.IsZero() {
		fmt.Fprintf(w, "Not looked at yet; %s.\n", next)
		return
	}
	fmt.Fprintf(w, "Looked at %s; %s.\n\n", moment(f.At, now), next)
	robots := numbers.Count(len(strings.Split(strings.TrimSpace(f.Robots), "\n")), "line", "lines")
	if f.NoRobots != "" {
		robots = "none, " + f.NoRobots
	}
	rows := [][]string{{"what", "says"}, {"robots.txt", robots}}
	for _, s := range f.Sitemaps {
		says := numbers.Count(s.Entries, "entry", "entries")
		if s.Fault != "" {
			says = s.Fault
		}
		rows = append(rows, []string{"sitemap", says + ", " + middle(s.Address, 60)})
	}
	if !f.Ends.IsZero() {
		rows = append(
			rows,
			[]string{"certificate", "until " + f.Ends.Local().Format("2 Jan 2006") + ", by " + middle(f.Issuer, 60)},
		)
	}
	if len(f.Addresses) > 0 {
		rows = append(rows, []string{"DNS", middle(strings.Join(f.Addresses, ", "), 90)})
	}
	for _, h := range f.Headers {
		rows = append(rows, []string{h.Name, middle(h.Value, 90)})
	}
	printRows(w, rows)
	printNoticed(w, f.Changes)
}

func (a *app) watchPlannedCommand() *cobra.Command {
	var from, until, reason string
	var end int64
	c := &cobra.Command{
		Use: "planned SITE", Short: "Say when a site is worked at: looks count for nothing then, and nobody is told",
		Args: args("SITE"),
		Example: `  harvik watch planned fernhollow
  harvik watch planned fernhollow --until "2026-12-04 06:00" --reason "a new server"`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			switch {
			case end > 0:
				if err := cl.RemoveMaintenance(c.Context(), in[0], end); err != nil {
					return err
				}
			case until != "":
				m := api.NewMaintenance{Reason: reason}
				if m.Ends, err = localTime(until); err != nil {
					return usage(c, fmt.Errorf("--until: %w", err))
				}
				if from != "" {
					if m.Began, err = localTime(from); err != nil {
						return usage(c, fmt.Errorf("--from: %w", err))
					}
				}
				if _, err := cl.AddMaintenance(c.Context(), in[0], m); err != nil {
					return err
				}
			}
			list, err := cl.ListMaintenance(c.Context(), in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			if len(list.Maintenance) == 0 {
				fmt.Fprintf(c.OutOrStdout(), "Nothing is planned for %s.\n", in[0])
				return nil
			}
			rows := [][]string{{"no.", "from", "until", "reason"}}
			for _, m := range list.Maintenance {
				rows = append(rows, []string{strconv.FormatInt(m.ID, 10), m.Began.Local().Format("2 Jan 15:04"),
					m.Ends.Local().Format("2 Jan 15:04"), m.Reason})
			}
			printRows(c.OutOrStdout(), rows, 1)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&from, "from", "", "when it begins, such as \"2026-12-04 02:00\"; now without it")
	f.StringVar(&until, "until", "", "when it ends")
	f.StringVar(&reason, "reason", "", "why")
	f.Int64Var(&end, "end", 0, "number of one that is over, or not to be")
	return c
}

// localTime reads a time by the clock of this machine.
func localTime(text string) (time.Time, error) {
	for _, form := range []string{"2006-01-02 15:04", "2006-01-02T15:04", "15:04", time.RFC3339} {
		if at, err := time.ParseInLocation(form, text, time.Local); err == nil {
			if form == "15:04" {
				now := time.Now()
				at = time.Date(now.Year(), now.Month(), now.Day(), at.Hour(), at.Minute(), 0, 0, time.Local)
			}
			return at, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no time; write one such as \"2026-12-04 06:00\"", text)
}
