package cli

import (
	"cmp"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/task"
	numbers "harvik/internal/core/text"
)

func (a *app) fixesCommand() *cobra.Command {
	f := api.ListFixesParams{}
	c := &cobra.Command{
		Use: "fixes SITE[@N]", Short: "Show the fix list: what to change first", Args: args("SITE"),
		Long: `Shows a crawl's fix list. Errors come first, then warnings, then notices; inside each, what
brings the most comes first. "health after" is the score with the line and all before it done.

  ◆ error   ◈ warning   ◇ notice`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			all := a.json || a.csv
			if all && !c.Flags().Changed("limit") {
				f.Limit = 10_000
			}
			list, err := cl.ListFixes(c.Context(), cr.Site, api.Numbered(cr.Number), &f)
			if err != nil {
				return err
			}
			switch {
			case a.json:
				return writeJSON(c.OutOrStdout(), list)
			case a.csv:
				return fixesCSV(c.OutOrStdout(), list.Fixes)
			}
			printFixes(c.OutOrStdout(), cr, list, f.Order == "severity")
			return nil
		},
	}
	c.Flags().StringVar(&f.Severity, "severity", "", "only errors, warnings or notices: error, warning or notice")
	c.Flags().StringVar(&f.Group, "group", "", "only checks of this group, such as snippet or links")
	c.Flags().StringVar(&f.Check, "check", "", "only this check")
	c.Flags().StringVar(&f.Section, "section", "", "only fixes with a page in this folder, such as /plants/")
	c.Flags().StringVar(&f.State, "state", "",
		"only open, taken, claimed, returned or waived ones, or all; all but waived by default")
	c.Flags().StringVar(&f.Assignee, "for", "", "only fixes of this person")
	c.Flags().StringVar(&f.Order, "order", "severity", "severity, gain, quick (gain for effort) or pages")
	c.Flags().IntVar(&f.Limit, "limit", 30, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

// printFixes shows the running total of health only in the order that it was made for.
func printFixes(w io.Writer, cr api.Crawl, list api.FixList, running bool) {
	fmt.Fprintf(w, "%s, crawl %d, health %s%s\n\n", bold(w, cr.Site), cr.Number, healthText(cr), unwaivedText(cr))
	if len(list.Fixes) == 0 {
		fmt.Fprintln(w, cmp.Or(cr.Detail, "Nothing to fix here."))
		return
	}
	room := max(30, columns(w)-64)
	heads := []string{"", "fix", "what and where", "pages", "gain", "effort", "state", "health after"}
	if !running {
		heads = heads[:7]
	}
	t := newTable(w, heads, 4, 5, 8)
	for _, f := range list.Fixes {
		row := []any{sign(w, f.Severity), f.ID, text.WrapSoft(f.Line, room), numbers.Thousands(f.Pages), gain(f.Gain),
			f.Effort, stateText(w, f), points(f.HealthAfter)}
		t.AppendRow(row[:len(heads)])
	}
	t.Render()
	printMore(w, len(list.Fixes), list.Total)
	if list.Waived > 0 {
		fmt.Fprintf(w, "\n%s waived and left out; --state waived shows them.\n",
			numbers.Count(list.Waived, "line is", "lines are"))
	}
}

// stateText is a fix's state and who is on it; what came back is said loudly.
func stateText(w io.Writer, f api.Fix) string {
	out := f.State
	if f.State == string(task.Returned) {
		out = bold(w, "RETURNED")
	}
	if f.Assignee != "" {
		out += "\n" + f.Assignee
	}
	if due := dayText(f.Due); due != "" {
		out += "\nby " + due
	}
	return out
}

func fixesCSV(w io.Writer, fixes []api.Fix) error {
	rows := [][]string{{"rank", "fix", "severity", "group", "check", "what", "target", "value", "pages", "places",
		"gain", "effort", "health after", "state", "for", "due", "note", "example"}}
	for _, f := range fixes {
		rows = append(rows, []string{
			strconv.Itoa(f.Rank), f.ID, f.Severity, f.Group, f.Check, f.Line, f.Target, f.Value,
			strconv.Itoa(f.Pages), strconv.Itoa(f.Places), strconv.FormatFloat(f.Gain, 'f', 4, 64), f.Effort,
			strconv.FormatFloat(f.HealthAfter, 'f', 2, 64), f.State, f.Assignee, dayText(f.Due), f.Note, f.Example,
		})
	}
	return writeCSV(w, rows)
}

func (a *app) fixCommand() *cobra.Command {
	limit := 20
	c := &cobra.Command{
		Use: "fix SITE[@N] ID", Short: "Show one fix: what, why, how, evidence and pages", Args: args("SITE", "ID"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			d, err := cl.ShowFix(c.Context(), cr.Site, api.Numbered(cr.Number), in[1])
			if err != nil {
				return err
			}
			pages, err := cl.FixPages(c.Context(), cr.Site, api.Numbered(cr.Number), in[1],
				&api.FixPagesParams{Limit: limit})
			if err != nil {
				return err
			}
			work, err := cl.ShowTask(c.Context(), cr.Site, in[1])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(),
					map[string]any{"fix": d.Fix, "check": d.Check, "pages": pages.Pages, "history": work.History})
			}
			printFix(c.OutOrStdout(), d, pages.Pages)
			printHistory(c.OutOrStdout(), work.History)
			return nil
		},
	}
	c.Flags().IntVar(&limit, "limit", limit, "pages at most")
	return c
}

// entriesShown are the entries of a line that are listed with it.
const entriesShown = 25

// printEntries lists what a line for several is made of, each with the work at it.
func printEntries(w io.Writer, f api.Fix) {
	if len(f.Entries) == 0 {
		return
	}
	fmt.Fprintf(w, "  %s\n", bold(w,
		numbers.Count(f.Cases, "case", "cases")+", each of which can be claimed and rechecked by its ID"))
	shown := f.Entries[:min(len(f.Entries), entriesShown)]
	for i := range shown {
		e := &shown[i]
		fmt.Fprintf(w, "  %s  %-9s  %s\n", e.ID, e.State, end(e.Line, columns(w)-24))
	}
	if n := f.Cases - len(shown); n > 0 {
		fmt.Fprintf(w, "  and %s more; --json has them\n", numbers.Thousands(n))
	}
	fmt.Fprintln(w)
}

func printFix(w io.Writer, d api.FixDetail, pages []api.PageFinding) {
	f := d.Fix
	fmt.Fprintf(w, "%s %s\n", sign(w, f.Severity), bold(w, f.Line))
	fmt.Fprintf(w, "  %s, %s · gain %s · effort %s · rank %d · %s\n\n", f.Severity, f.Check, gain(f.Gain), f.Effort,
		f.Rank, f.State+assigned(f.Assignee, f.Due))
	if f.Note != "" {
		wrap(w, "  ", "Note: "+f.Note)
		fmt.Fprintln(w)
	}
	for _, part := range [][2]string{{"What", d.Check.What}, {"Why", d.Check.Why}, {"How to fix", d.Check.How}} {
		fmt.Fprintln(w, "  "+bold(w, part[0]))
		wrap(w, "  ", part[1])
		fmt.Fprintln(w)
	}
	if d.Check.Source != "" {
		wrap(w, "  ", "Rests on: "+d.Check.Source)
		fmt.Fprintln(w)
	}
	if len(f.Follows) > 0 {
		var parts []string
		for _, one := range f.Follows {
			parts = append(parts, fmt.Sprintf("%s (%s)", one.Check, numbers.Count(one.Pages, "page", "pages")))
		}
		wrap(w, "  ", "What comes of it, and goes with it: "+strings.Join(parts, ", ")+".")
		fmt.Fprintln(w)
	}
	printEntries(w, f)
	fmt.Fprintf(w, "  %s\n", bold(w, numbers.Count(f.Pages, "page", "pages")))
	for _, p := range pages {
		fmt.Fprintf(w, "\n  %s\n", p.Address)
		printPlaces(w, "    ", p.Places)
		if len(p.Outline) > 0 {
			printOutline(w, "    ", p.Outline)
		}
	}
	if n := f.Pages - len(pages); n > 0 {
		fmt.Fprintf(w, "\n  %s more; --limit %d shows them all.\n", numbers.Thousands(n), f.Pages)
	}
}
