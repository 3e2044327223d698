package cli

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) alertCommand() *cobra.Command {
	remove := &cobra.Command{
		Use: "remove SITE NAME", Short: "Forget a rule; the usual one of its name comes back", Args: args("SITE", "NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveRule(c.Context(), in[0], in[1]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The rule %s of %s is forgotten.\n", in[1], in[0])
			return nil
		},
	}
	return group("alert", "Say what is worth telling of a site, and try it on what has been", a.alertListCommand(),
		a.alertSetCommand(), a.alertTryCommand(), remove)
}

func (a *app) alertListCommand() *cobra.Command {
	var kinds bool
	c := &cobra.Command{
		Use: "list SITE", Short: "Show what is told of a site; --kinds shows what could be", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListRules(c.Context(), in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			if kinds {
				printKinds(c.OutOrStdout(), list.Kinds)
				return nil
			}
			printRules(c.OutOrStdout(), list.Rules)
			return nil
		},
	}
	c.Flags().BoolVar(&kinds, "kinds", false, "show what can be told")
	return c
}

func printKinds(w io.Writer, kinds []api.RuleKind) {
	rows := [][]string{{"kind", "tells that", "from", "takes"}}
	for _, k := range kinds {
		rows = append(rows, []string{k.Name, k.Says, fromWord(k.Least, k.Unit), strings.Join(k.Takes, ", ")})
	}
	printRows(w, rows)
}

func printRules(w io.Writer, rules []api.SiteRule) {
	rows := [][]string{{"rule", "tells that", "from", "narrowed to", "by"}}
	for _, r := range rules {
		by := "all ways"
		if len(r.Rule.To) > 0 {
			by = strings.Join(r.Rule.To, ", ")
		}
		if r.Rule.Off {
			by = "off"
		}
		rows = append(rows, []string{r.Name, r.Says, fromWord(r.From, r.Unit), narrowed(r.Rule), by})
	}
	printRows(w, rows)
}

// fromWord is a threshold with its unit.
func fromWord(n float64, unit string) string {
	if unit == "" || n == 0 {
		return ""
	}
	if n == 1 {
		unit = strings.TrimSuffix(unit, "s")
	}
	return strconv.FormatFloat(n, 'f', -1, 64) + " " + unit
}

func narrowed(r api.Rule) string {
	out := slices.DeleteFunc([]string{r.Severity, r.Group, r.Check, r.Section, r.Question},
		func(s string) bool { return s == "" })
	if g := r.Gate; g != nil {
		if g.MinHealth > 0 {
			out = append(out, "health "+strconv.FormatFloat(g.MinHealth, 'f', -1, 64))
		}
		if g.NoNew != nil {
			out = append(out, "no new "+*g.NoNew)
		}
		for _, check := range slices.Sorted(maps.Keys(g.Max)) {
			out = append(out, fmt.Sprintf("%s=%d", check, g.Max[check]))
		}
	}
	return strings.Join(out, ", ")
}

// ruleFlags are those of a rule.
type ruleFlags struct {
	rule      api.Rule
	minHealth float64
	noNew     string
	most      []string
}

func (r *ruleFlags) add(c *cobra.Command) {
	f := c.Flags()
	f.Float64Var(&r.rule.Least, "least", 0, "from which number on, in the unit of the kind")
	f.StringVar(&r.rule.Severity, "severity", "", "of findings, this or a graver one; error without one")
	f.StringVar(&r.rule.Group, "group", "", "of checks")
	f.StringVar(&r.rule.Check, "check", "", "of this check alone")
	f.StringVar(&r.rule.Section, "section", "", "pages whose path begins so, such as /shop/")
	f.StringVar(&r.rule.Question, "question", "", "for question-answered: a question of pages, as in harvik ask")
	f.Float64Var(&r.minHealth, "min-health", 0, "for gate-shut: health that a crawl has to have")
	f.StringVar(&r.noNew, "no-new", "", "for gate-shut: a severity of which nothing may be new")
	f.StringArrayVar(&r.most, "max", nil, "for gate-shut: findings of a check, or of a pattern of checks, at most: title-*=0; can be repeated")
	f.StringSliceVar(&r.rule.To, "to", nil, "names of ways; all that are for the site without any")
	f.IntVar(&r.rule.Every, "every", 0, "hours in which it tells at most once")
}

// of is the rule of a kind.
func (r *ruleFlags) of(c *cobra.Command, what string) (out api.Rule, err error) {
	out = r.rule
	out.What = what
	most, err := mostFindings(c, r.most)
	if r.minHealth > 0 || r.noNew != "" || most != nil {
		out.Gate = &api.GateConditions{MinHealth: r.minHealth, Max: most}
		if r.noNew != "" {
			out.Gate.NoNew = &r.noNew
		}
	}
	return out, err
}

func (a *app) alertSetCommand() *cobra.Command {
	var r ruleFlags
	var name string
	c := &cobra.Command{
		Use: "set SITE KIND", Short: "Make a rule of a site, or change one", Args: args("SITE", "KIND"),
		Long: "`harvik alert list SITE --kinds` shows what can be told. A rule without a name has that of its kind, and takes the place\nof the usual one.",
		Example: `  harvik alert set fernhollow health-fell --least 5
  harvik alert set fernhollow pages-closed --section /shop/ --name shop-closed --to ash
  harvik alert set fernhollow question-answered --question 'path.startsWith("/shop/") && words < 50' --name thin-shop
  harvik alert set fernhollow front-changed --off`,
		RunE: func(c *cobra.Command, in []string) error {
			rule, err := r.of(c, in[1])
			if err != nil {
				return err
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			if name == "" {
				name = in[1]
			}
			now, err := cl.SetRule(c.Context(), in[0], name, rule)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), now)
			}
			printRules(c.OutOrStdout(), []api.SiteRule{now})
			return nil
		},
	}
	r.add(c)
	c.Flags().StringVar(&name, "name", "", "name of the rule")
	c.Flags().BoolVar(&r.rule.Off, "off", false, "tell nothing of it")
	return c
}

func (a *app) alertTryCommand() *cobra.Command {
	var r ruleFlags
	c := &cobra.Command{
		Use: "try SITE KIND", Short: "Show what a rule would have told, before it is made", Args: args("SITE", "KIND"),
		Example: "  harvik alert try fernhollow pages-vanished --least 3 --section /visit/",
		RunE: func(c *cobra.Command, in []string) error {
			rule, err := r.of(c, in[1])
			if err != nil {
				return err
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			out, err := cl.TryRule(c.Context(), in[0], rule)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), out)
			}
			printTried(c.OutOrStdout(), out)
			return nil
		},
	}
	r.add(c)
	return c
}

func printTried(w io.Writer, t api.TriedRule) {
	in := "as things are now"
	switch {
	case t.Crawls > 0:
		in = "in " + numbers.Count(t.Crawls, "crawl", "crawls")
	case t.Days > 0:
		in = "in " + numbers.Count(t.Days, "day", "days")
	}
	told := 0
	for _, one := range t.Told {
		if !one.Over {
			told++
		}
	}
	if told == 0 {
		fmt.Fprintf(w, "It would have told nothing %s.\n", in)
		return
	}
	fmt.Fprintf(w, "It would have told %s %s:\n", numbers.Count(told, "thing", "things"), in)
	for _, one := range t.Told {
		when := one.At.Local().Format("2 Jan 15:04")
		if one.Crawl > 0 {
			when = fmt.Sprintf("crawl %d", one.Crawl)
		}
		says := one.Says
		if one.Over {
			says = "over: " + says
		}
		wrap(w, "  ", when+"  "+says)
	}
}

func (a *app) inboxCommand() *cobra.Command {
	var site, state string
	c := &cobra.Command{
		Use: "inbox", Short: "Show what was told, and deal with it", Args: args(),
		Long: `What is new, lasts, or somebody has, the newest first. The same goes out by the ways that are set ("harvik way list").`,
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListAlerts(c.Context(), &api.ListAlertsParams{Site: site, State: state, Limit: 200})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			told, err := cl.ListMentions(c.Context())
			if err != nil {
				return err
			}
			printMentions(c.OutOrStdout(), told.Mentions, site, time.Now())
			printAlerts(c.OutOrStdout(), list.Alerts, time.Now())
			return nil
		},
	}
	c.Flags().StringVar(&site, "site", "", "of this site alone")
	c.Flags().StringVar(&state, "state", "open", "open, new, read, waved off, expected or all")
	var reason, until, who string
	snooze := a.alertDo("snooze ALERT", "Put an alert out of sight until a time", func() (api.AlertChange, error) {
		at, err := localTime(until)
		return api.AlertChange{Until: at}, err
	})
	snooze.Flags().StringVar(&until, "until", "", "such as \"2026-12-04 06:00\"")
	wave := a.alertDo("wave-off ALERT", "Say that an alert does not matter, with the reason", func() (api.AlertChange, error) {
		return api.AlertChange{State: "waved off", Reason: reason}, nil
	})
	wave.Flags().StringVar(&reason, "reason", "", "why")
	assign := a.alertDo("assign ALERT", "Give an alert to somebody", func() (api.AlertChange, error) {
		return api.AlertChange{Assignee: &who}, nil
	})
	assign.Flags().StringVar(&who, "to", "", "who; nobody without it")
	c.AddCommand(a.alertDo("read ALERT", "Mark an alert as read", func() (api.AlertChange, error) {
		return api.AlertChange{State: "read"}, nil
	}), snooze, wave, assign, a.inboxTakeCommand(), a.inboxSeenCommand())
	return c
}

// alertDo changes an alert.
func (a *app) alertDo(use, short string, change func() (api.AlertChange, error)) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Args: args("ALERT"),
		RunE: func(c *cobra.Command, in []string) error {
			id, err := alertNumber(c, in[0])
			if err != nil {
				return err
			}
			to, err := change()
			if err != nil {
				return usage(c, err)
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			now, err := cl.ChangeAlert(c.Context(), id, to)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), now)
			}
			printAlerts(c.OutOrStdout(), []api.Alert{now}, time.Now())
			return nil
		}}
}

func alertNumber(c *cobra.Command, text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, usage(c, fmt.Errorf("%q is not the number of an alert; `harvik inbox` shows them", text))
	}
	return id, nil
}

func (a *app) inboxTakeCommand() *cobra.Command {
	var who string
	c := &cobra.Command{Use: "take ALERT", Short: "Take the lines of the fix list that an alert is about", Args: args("ALERT"),
		RunE: func(c *cobra.Command, in []string) error {
			id, err := alertNumber(c, in[0])
			if err != nil {
				return err
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			body := api.TakeAlert{}
			if who != "" {
				body.Assignee = &who
			}
			moves, err := cl.TakeAlert(c.Context(), id, body)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), moves)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s taken.\n", numbers.Count(len(moves.Moved), "fix is", "fixes are"))
			for _, r := range moves.Refused {
				fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", r.Fix, r.Why)
			}
			return nil
		}}
	c.Flags().StringVar(&who, "assignee", "", "who is on it")
	return c
}

func printAlerts(w io.Writer, all []api.Alert, now time.Time) {
	if len(all) == 0 {
		fmt.Fprintln(w, "Nothing is waiting.")
		return
	}
	for _, one := range all {
		sign := "·"
		if one.Urgent && one.Ended.IsZero() {
			sign = "!"
		}
		fmt.Fprintf(w, "%s %s  %s\n", sign, bold(w, strconv.FormatInt(one.ID, 10)), bold(w, one.Site+": "+one.Says))
		state := []string{moment(one.Began, now), one.State}
		if one.Lasts && one.Ended.IsZero() {
			state = append(state, "lasts")
		}
		if !one.Ended.IsZero() {
			state = append(state, "over since "+moment(one.Ended, now)+": "+one.Over)
		}
		if one.Assignee != "" {
			state = append(state, "with "+one.Assignee)
		}
		if one.Until.After(now) {
			state = append(state, "out of sight until "+moment(one.Until, now))
		}
		if one.Reason != "" {
			state = append(state, one.Reason)
		}
		wrap(w, "    ", strings.Join(state, ", "))
		for _, l := range one.Lines {
			fmt.Fprintf(w, "    %s\n", middle(l, 100))
		}
		if one.More > 0 {
			fmt.Fprintf(w, "    and %s more\n", numbers.Thousands(one.More))
		}
		if one.First != "" && one.Ended.IsZero() {
			wrap(w, "    ", one.First)
		}
	}
}
