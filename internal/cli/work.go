package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/oapi-codegen/runtime/types"
	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/task"
	numbers "harvik/internal/core/text"
	"harvik/internal/core/waive"
	"harvik/internal/record"
)

// chooser picks fixes: those named, or those of a filter.
type chooser struct{ filter api.ListFixesParams }

func (ch *chooser) flags(c *cobra.Command) {
	c.Flags().StringVar(&ch.filter.Check, "check", "", "all fixes of this check")
	c.Flags().StringVar(&ch.filter.Group, "group", "", "all fixes of this group of checks")
	c.Flags().StringVar(&ch.filter.Severity, "severity", "",
		"all errors, warnings or notices: error, warning or notice")
	c.Flags().StringVar(&ch.filter.Section, "section", "", "all fixes with a page in this folder, such as /plants/")
	c.Flags().StringVar(&ch.filter.Assignee, "assigned", "", "all fixes of this person")
	c.Flags().StringVar(&ch.filter.State, "in", "", "all fixes in this state, such as claimed")
}

// fixes are those that the arguments after the site name, or that the filter gives.
func (ch *chooser) fixes(c *cobra.Command, cl *api.Client, site string, named []string) ([]api.FixAt, error) {
	var out []api.FixAt
	for _, id := range named {
		out = append(out, api.FixAt{Fix: id})
	}
	f := ch.filter
	filtered := f != api.ListFixesParams{}
	switch {
	case filtered && len(named) > 0:
		return nil, usage(c, errors.New("name fixes, or choose them by options, not both"))
	case !filtered && len(named) == 0:
		return nil, usage(c, errors.New("which fixes? Name them, or choose them by options such as --check"))
	case filtered:
		f.Limit = 10_000
		list, err := cl.ListFixes(c.Context(), site, api.Latest, &f)
		if err != nil {
			return nil, err
		}
		for _, one := range list.Fixes {
			out = append(out, api.FixAt{Fix: one.ID, Version: &one.Version})
		}
		if len(out) == 0 {
			return nil, errors.New("no fix of the newest crawl is like that")
		}
	}
	return out, nil
}

// moveCommand makes one of the commands that move fixes to a state.
func (a *app) moveCommand(name string, to task.State, short, long string) *cobra.Command {
	var ch chooser
	var assignee, due, note string
	c := &cobra.Command{
		Use: name + " SITE FIX…", Short: short, Long: long, Args: atLeastArgs("SITE"),
		Example: fmt.Sprintf("  harvik %[1]s fernhollow k7q2m4xa\n  harvik %[1]s fernhollow --check image-alt-missing --note \"with the next release\"", name),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			wish := api.Wish{To: string(to)}
			if wish.Fixes, err = ch.fixes(c, cl, in[0], in[1:]); err != nil {
				return err
			}
			for flag, into := range map[string]**string{"for": &wish.Assignee, "due": &wish.Due, "note": &wish.Note} {
				if c.Flags().Changed(flag) {
					*into = map[string]*string{"for": &assignee, "due": &due, "note": &note}[flag]
				}
			}
			moves, err := cl.MoveFixes(c.Context(), in[0], wish)
			if err != nil {
				return err
			}
			return a.tellMoves(c, in[0], moves)
		},
	}
	ch.flags(c)
	c.Flags().StringVar(&assignee, "for", "", "who works on it; \"\" for nobody")
	c.Flags().StringVar(&due, "due", "", "by which day, such as 2027-03-31; \"\" for none")
	c.Flags().StringVar(&note, "note", "", "a note, kept in the fix's history")
	return c
}

// tellMoves says what became of a wish; that some were refused is an error, told at the end.
func (a *app) tellMoves(c *cobra.Command, site string, m api.Moves) error {
	w := c.OutOrStdout()
	if a.json {
		if err := writeJSON(w, m); err != nil {
			return err
		}
	} else {
		for _, t := range m.Moved {
			fmt.Fprintf(w, "%s  %s  %s%s\n", t.Fix, t.State, t.Line, assigned(t.Assignee, t.Due))
		}
		if len(m.Moved) > 0 && m.Batch > 0 {
			fmt.Fprintf(c.ErrOrStderr(), "Take back with `harvik undo %s %d`.\n", site, m.Batch)
		}
		for _, r := range m.Refused {
			fmt.Fprintf(c.ErrOrStderr(), "%s stays as it is: %s.\n", r.Fix, r.Why)
		}
	}
	if n := len(m.Refused); n > 0 {
		return fmt.Errorf("%s of %s could not be moved", numbers.Count(n, "fix", "fixes"),
			numbers.Thousands(n+len(m.Moved)))
	}
	return nil
}

func assigned(assignee string, due types.Date) string {
	out := ""
	if assignee != "" {
		out += " · for " + assignee
	}
	if day := dayText(due); day != "" {
		out += " · due " + day
	}
	return out
}

func (a *app) undoCommand() *cobra.Command {
	return &cobra.Command{
		Use: "undo SITE NUMBER", Short: "Take back what was done at once, where nobody has gone on from it",
		Args: args("SITE", "NUMBER"),
		RunE: func(c *cobra.Command, in []string) error {
			n, err := strconv.ParseInt(in[1], 10, 64)
			if err != nil || n < 1 {
				return usage(c, fmt.Errorf("%q is no number of something done; the command that did it told it", in[1]))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			moves, err := cl.Undo(c.Context(), in[0], api.Undo{Batch: n})
			if err != nil {
				return err
			}
			return a.tellMoves(c, in[0], moves)
		},
	}
}

func (a *app) waiveCommand() *cobra.Command {
	var w api.NewWaiver
	var pageAt, pattern, section, layout, until string
	c := &cobra.Command{
		Use: "waive SITE [FIX…]", Short: "Leave something as it is: it stops counting, the reason is kept",
		Args: atLeastArgs("SITE"),
		Long: `Leaves something as it is: fixes by their names, a whole check, or what is found on a page, the
addresses of a pattern, a section or the pages of a layout, all checks of it or those of --check.
A reason is required. It takes effect at once on health, ledger and list, for good or until the end
of a day; then it counts again by itself.`,
		Example: `  harvik waive fernhollow k7q2m4xa --reason "the old shop comes back in May" --until 2027-05-01
  harvik waive fernhollow --check copy-thin --section /glossary/ --reason "entries are meant to be short"
  harvik waive fernhollow --check address-long --reason "the client keeps these addresses"`,
		RunE: func(c *cobra.Command, in []string) error {
			var wanted []api.NewWaiver
			for scope, on := range map[waive.Scope]string{waive.Page: pageAt, waive.Pattern: pattern,
				waive.Section: section, waive.Layout: layout} {
				if on != "" {
					one := w
					one.Scope, one.On = string(scope), on
					wanted = append(wanted, one)
				}
			}
			for _, id := range in[1:] {
				one := w
				one.Scope, one.On = string(waive.Fix), id
				wanted = append(wanted, one)
			}
			switch {
			case len(wanted) > 1 && len(wanted) != len(in)-1:
				return usage(c, errors.New("fixes, --page, --pattern, --section and --layout are waived one kind at a time"))
			case len(wanted) == 0 && w.Check == "":
				return usage(c, errors.New("what is to be waived? Name fixes, or say --check, --page, --pattern, --section or --layout"))
			case len(wanted) == 0:
				one := w
				one.Scope = string(waive.Check)
				wanted = append(wanted, one)
			case len(in) > 1 && w.Check != "":
				return usage(c, errors.New("a fix is of one check already; leave --check out"))
			}
			if strings.TrimSpace(w.Reason) == "" {
				return usage(c, errors.New("a waiver needs a --reason: why is this fine as it is?"))
			}
			if until != "" {
				day, err := record.ParseDay(until)
				if err != nil {
					return usage(c, fmt.Errorf("--until: %w", err))
				}
				for i := range wanted {
					wanted[i].Until = day.String()
				}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			made := make([]api.Waiver, len(wanted))
			for i := range wanted {
				if made[i], err = cl.AddWaiver(c.Context(), in[0], wanted[i]); err != nil {
					return err
				}
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]any{"waivers": made})
			}
			for _, one := range made {
				fmt.Fprintf(c.OutOrStdout(), "Waiver %d leaves %s: %s on %s.\n", one.ID, waived(one),
					numbers.Count(one.Findings, "finding", "findings"), numbers.Count(one.Pages, "page", "pages"))
			}
			return a.tellHealth(c, cl, in[0])
		},
	}
	c.Flags().StringVar(&w.Check, "check", "", "this check, or a pattern of checks such as copy-*")
	c.Flags().StringVar(&pageAt, "page", "", "what is found on this address")
	c.Flags().StringVar(&pattern, "pattern", "", "what is found on addresses of this pattern, as in a plan: /archive/*")
	c.Flags().StringVar(&section, "section", "", "what is found in this folder and below: /glossary/")
	c.Flags().StringVar(&layout, "layout", "",
		"what is found on pages of this layout, by its name as harvik layouts shows it")
	c.Flags().StringVar(&w.Reason, "reason", "", "why this is fine as it is")
	c.Flags().StringVar(&until, "until", "", "the last day on which it holds, such as 2027-03-31; for good if left out")
	return c
}

// waived says in words what a waiver is about.
func waived(w api.Waiver) string {
	what := cmp.Or(w.Check, "all checks")
	switch waive.Scope(w.Scope) {
	case waive.Check:
		return what + " everywhere"
	case waive.Fix:
		return "fix " + w.On
	case waive.Section:
		return what + " below " + w.On
	case waive.Layout:
		return what + " on pages of layout " + w.On
	}
	return what + " on " + w.On
}

// tellHealth shows a site's health with and without what is waived.
func (a *app) tellHealth(c *cobra.Command, cl *api.Client, site string) error {
	cr, err := cl.ShowCrawl(c.Context(), site, api.Latest)
	if err != nil {
		var refused *api.Error
		if errors.As(err, &refused) {
			return nil // there is no finished crawl yet
		}
		return err
	}
	fmt.Fprintf(c.OutOrStdout(), "Health is %s%s.\n", healthText(cr), unwaivedText(cr))
	return nil
}

// unwaivedText is what health would be without waivers, where that differs.
func unwaivedText(cr api.Crawl) string {
	r := cr.Report
	if r == nil || r.Waived == 0 {
		return ""
	}
	return fmt.Sprintf("; %s with %s that %s waived", points(r.Unwaived),
		numbers.Count(r.Waived, "finding", "findings"), verb(r.Waived))
}

func verb(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func (a *app) waiversCommand() *cobra.Command {
	var all bool
	c := &cobra.Command{
		Use: "waivers SITE", Short: "List what was decided to be left, and what each decision covers",
		Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			waivers, err := cl.ListWaivers(c.Context(), in[0])
			if err != nil {
				return err
			}
			list := waivers.Waivers
			if !all {
				list = slices.DeleteFunc(list, func(w api.Waiver) bool { return w.State == "ended" })
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"waivers": list})
			}
			rows := [][]string{{"waiver", "what is left", "reason", "by", "until", "findings", "pages", "state"}}
			for _, one := range list {
				until := cmp.Or(dayText(one.Until), "for good")
				rows = append(rows, []string{strconv.FormatInt(one.ID, 10), waived(one), one.Reason, one.By, until,
					numbers.Thousands(one.Findings), numbers.Thousands(one.Pages), one.State})
			}
			if a.csv {
				return writeCSV(w, rows)
			}
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing is waived.")
				return nil
			}
			room := max(20, (columns(w)-60)/2)
			for _, r := range rows[1:] {
				r[1], r[2] = text.WrapSoft(r[1], room), text.WrapSoft(r[2], room)
			}
			printRows(w, rows, 6, 7)
			for _, one := range list {
				if one.Broken != "" {
					fmt.Fprintf(c.ErrOrStderr(), "Waiver %d covers nothing: %s. End it with `harvik unwaive %s %d`.\n",
						one.ID, one.Broken, in[0], one.ID)
				}
			}
			return nil
		},
	}
	c.Flags().BoolVar(&all, "all", false, "with those that were ended")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func (a *app) unwaiveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "unwaive SITE WAIVER…", Short: "Let what waivers cover count again", Args: atLeastArgs("SITE", "WAIVER"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var ended []api.Waiver
			for _, name := range in[1:] {
				id, err := strconv.ParseInt(name, 10, 64)
				if err != nil {
					return usage(c, fmt.Errorf("%q is no number of a waiver; `harvik waivers %s` shows them", name,
						in[0]))
				}
				one, err := cl.EndWaiver(c.Context(), in[0], id)
				if err != nil {
					return err
				}
				ended = append(ended, one)
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]any{"waivers": ended})
			}
			for _, one := range ended {
				fmt.Fprintf(c.OutOrStdout(), "Waiver %d is ended; %s counts again.\n", one.ID, waived(one))
			}
			return a.tellHealth(c, cl, in[0])
		},
	}
}

func (a *app) tasksCommand() *cobra.Command {
	var state string
	c := &cobra.Command{
		Use: "work SITE", Short: "List the fixes that anyone has touched, gone ones too", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			tasks, err := cl.ListTasks(c.Context(), in[0], &api.ListTasksParams{State: state})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"tasks": tasks.Tasks})
			}
			rows := [][]string{{"fix", "state", "what and where", "for", "due", "changed"}}
			for _, t := range tasks.Tasks {
				rows = append(rows, []string{t.Fix, t.State, t.Line, t.Assignee, dayText(t.Due),
					t.Changed.Format("2006-01-02 15:04")})
			}
			if a.csv {
				return writeCSV(w, rows)
			}
			if len(tasks.Tasks) == 0 {
				fmt.Fprintln(w, "Nobody has touched a fix yet.")
				return nil
			}
			for _, r := range rows[1:] {
				r[2] = text.WrapSoft(r[2], max(30, columns(w)-66))
			}
			printRows(w, rows)
			return nil
		},
	}
	c.Flags().StringVar(&state, "in", "", "only this state, such as claimed or returned")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

// printHistory shows what happened to a fix, the newest first.
func printHistory(w io.Writer, events []api.TaskEvent) {
	if len(events) == 0 {
		return
	}
	fmt.Fprintf(w, "\n  %s\n", bold(w, "History"))
	for _, e := range events {
		fmt.Fprintf(w, "  %s  %s  %s\n", e.At.Local().Format("2006-01-02 15:04"), e.Who, e.Says)
	}
}
