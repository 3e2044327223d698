package cli

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/fixlist"
	numbers "harvik/internal/core/text"
)

// between is the client, and the site and crawls that a name of two crawls means.
func (a *app) between(name string) (cl *api.Client, site string, from, to int, err error) {
	if site, from, to, err = driftName(name); err == nil {
		cl, err = a.client()
	}
	return cl, site, from, to, err
}

// driftName takes SITE, SITE@N and SITE@N..M apart; N is the earlier crawl where both are named.
func driftName(s string) (site string, from, to int, err error) {
	site, span, _ := strings.Cut(s, "@")
	first, last, both := strings.Cut(span, "..")
	if !both {
		site, to, err = crawlName(s)
		return site, 0, to, err
	}
	from, err = strconv.Atoi(first)
	if err == nil {
		to, err = strconv.Atoi(last)
	}
	if err != nil || from < 1 || to < 1 || from == to {
		return "", 0, 0, usageError{fmt.Errorf("%q names no two crawls; write SITE@N..M, such as fernhollow@3..5", s)}
	}
	return site, min(from, to), max(from, to), nil
}

func (a *app) driftCommand() *cobra.Command {
	limit := 15
	c := &cobra.Command{
		Use: "drift SITE[@N[..M]]", Short: "Show what changed between two crawls, and how health got from one value to the other", Args: args("SITE"),
		Long: `Sets two crawls side by side, both by the rules of the newer one: fixes gone, new, returned and
still there; pages that appeared, vanished, moved or changed; robots.txt and sitemaps; and the step
in health, split into parts that add up to it. SITE@N compares crawl N with the one before,
SITE@N..M two crawls of your choice.`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, site, from, to, err := a.between(in[0])
			if err != nil {
				return err
			}
			d, err := cl.ShowDrift(c.Context(), site, api.Numbered(to), &api.ShowDriftParams{From: given(from)})
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), d)
			}
			printDrift(c.OutOrStdout(), site, d, limit)
			s, err := cl.ShowSpeed(c.Context(), site, api.Numbered(d.After),
				&api.ShowSpeedParams{From: given(d.Before)})
			if err != nil {
				return err
			}
			printSpeedStep(c.OutOrStdout(), s, limit)
			return nil
		},
	}
	c.Flags().IntVar(&limit, "limit", limit, "lines of each list at most")
	return c
}

func printDrift(w io.Writer, site string, d api.DriftBetween, limit int) {
	r := &d.Drift
	fmt.Fprintf(w, "%s, crawl %d compared with crawl %d\n", bold(w, site), d.After, d.Before)
	for _, n := range r.Notes {
		wrap(w, "  ", "Mind: "+n)
	}
	printStep(w, r.Step, limit)
	fmt.Fprintf(w, "\n%s  %d gone · %d new · %d returned · %d still there · %d changed shape · %d not seen\n",
		bold(w, "Fixes"),
		len(r.Gone), len(r.New), len(r.Returned), r.Still, len(r.Became), len(r.Unseen))
	fmt.Fprintf(w, "  findings on pages that both crawls saw: %s gone, %s new, %s still there\n",
		numbers.Thousands(r.Findings.Gone), numbers.Thousands(r.Findings.New), numbers.Thousands(r.Findings.Still))
	printCheckChanges(w, r.Findings.Checks, limit)
	printFixChange(w, "Returned, though confirmed to be gone once", r.Returned, limit)
	printFixChange(w, "New", r.New, limit)
	printFixChange(w, "Gone", r.Gone, limit)
	became := make([]api.Fix, len(r.Became))
	for i, b := range r.Became {
		became[i] = b.Fix
	}
	printFixChange(w, "Their pages still fail the check, as part of other lines", became, limit)
	printFixChange(w, "Not on the list, but not everything concerned was looked at", r.Unseen, limit)
	printSeen(w, "Pages that appeared", r.Appeared, limit)
	printSeen(w, "Pages that vanished", r.Vanished, limit)
	if len(r.Moved) > 0 {
		heading(w, "Pages that moved", len(r.Moved))
		for _, m := range r.Moved[:min(limit, len(r.Moved))] {
			fmt.Fprintf(w, "  %s → %s (%s)\n", path(w, m.From, 3), path(w, m.To, 3), m.How)
		}
		more(w, len(r.Moved), limit)
	}
	printChanges(w, r.Changes, limit)
	printSeen(w, "Pages that only one of the crawls could see; nothing is said of them", r.NotSeen, limit)
	for _, f := range r.Files {
		fmt.Fprintf(w, "\n%s\n", bold(w, f.Kind+" "+f.Address))
		for _, l := range f.Gone[:min(limit, len(f.Gone))] {
			fmt.Fprintf(w, "  − %s\n", end(l, columns(w)-6))
		}
		more(w, len(f.Gone), limit)
		for _, l := range f.New[:min(limit, len(f.New))] {
			fmt.Fprintf(w, "  + %s\n", end(l, columns(w)-6))
		}
		more(w, len(f.New), limit)
	}
}

// printCheckChanges shows which checks fail on more or fewer pages, those with new ones first.
func printCheckChanges(w io.Writer, list []api.CheckChange, limit int) {
	if len(list) == 0 {
		return
	}
	list = slices.SortedStableFunc(slices.Values(list), func(a, b api.CheckChange) int {
		return cmp.Or(cmp.Compare(b.New, a.New), cmp.Compare(b.Gone, a.Gone))
	})
	t := newTable(w, []string{"  check", "new on", "gone from", "such as"}, 2, 3)
	for _, c := range list[:min(limit, len(list))] {
		such := append(slices.Clone(c.NewOn), c.GoneOn...)[0]
		if such == "" {
			such = "the site"
		} else {
			such = path(w, such, 2)
		}
		t.AppendRow([]any{"  " + c.Check, zero(c.New), zero(c.Gone), such})
	}
	t.Render()
	more(w, len(list), limit)
}

func heading(w io.Writer, what string, n int) {
	fmt.Fprintf(w, "\n%s  %s\n", bold(w, what), faint(w, numbers.Thousands(n)))
}

func more(w io.Writer, n, limit int) {
	if n > limit {
		fmt.Fprintf(w, "  %s\n", faint(w, numbers.Thousands(n-limit)+" more; --limit shows them"))
	}
}

// path is an address without its host, in a share of the width.
func path(w io.Writer, address string, share int) string {
	return middle(fixlist.PathOf(address), max(24, columns(w)/share))
}

func printStep(w io.Writer, s api.DriftStep, limit int) {
	change := math.Round(100*s.After)/100 - math.Round(100*s.Before)/100
	fmt.Fprintf(w, "\n%s  %s → %s (%s)\n", bold(w, "Health"), exactly(s.Before), exactly(s.After), signed(change))
	t := newTable(w, []string{"points", "by", "pages"}, 1, 3)
	rest, left := 0.0, 0
	for i, p := range s.Parts {
		if i >= limit {
			rest += p.Shown
			left++
			continue
		}
		t.AppendRow([]any{signed(p.Shown), text.WrapSoft(p.Says, max(40, columns(w)-20)), zero(p.Pages)})
	}
	if left > 0 {
		t.AppendRow([]any{signed(rest), numbers.Count(left, "more part", "more parts") + "; --limit shows them", ""})
	}
	if len(s.Parts) > 0 {
		t.Render()
	}
}

func printFixChange(w io.Writer, what string, fixes []api.Fix, limit int) {
	if len(fixes) == 0 {
		return
	}
	heading(w, what, len(fixes))
	t := newTable(w, []string{"", "fix", "what and where", "pages", "gain"}, 4, 5)
	for _, f := range fixes[:min(limit, len(fixes))] {
		t.AppendRow([]any{sign(w, f.Severity), f.ID, text.WrapSoft(f.Line, max(30, columns(w)-40)),
			numbers.Thousands(f.Pages), gain(f.Gain)})
	}
	t.Render()
	more(w, len(fixes), limit)
}

func printSeen(w io.Writer, what string, list []api.SeenAddress, limit int) {
	if len(list) == 0 {
		return
	}
	heading(w, what, len(list))
	for _, s := range list[:min(limit, len(list))] {
		fmt.Fprintf(w, "  %s  %s\n", path(w, s.Address, 2), faint(w, s.Why))
	}
	more(w, len(list), limit)
}

func printChanges(w io.Writer, changes []api.PageChange, limit int) {
	byWhat := map[string][]api.PageChange{}
	var order []string
	for _, c := range changes {
		if byWhat[c.What] == nil {
			order = append(order, c.What)
		}
		byWhat[c.What] = append(byWhat[c.What], c)
	}
	for _, what := range order {
		list := byWhat[what]
		heading(w, "Changed: "+what, len(list))
		for _, c := range list[:min(limit, len(list))] {
			room := max(16, (columns(w)-columns(w)/3-10)/2)
			if what == "canonical" {
				c.Before, c.After = fixlist.PathOf(c.Before), fixlist.PathOf(c.After)
			}
			fmt.Fprintf(w, "  %s  %s → %s\n", path(w, c.Address, 3), end(cmp.Or(c.Before, "none"), room),
				end(cmp.Or(c.After, "none"), room))
		}
		more(w, len(list), limit)
	}
}

func (a *app) trendCommand() *cobra.Command {
	limit := 24
	c := &cobra.Command{
		Use: "trend SITE", Short: "Show health, pages and findings over the crawls, by today's rules",
		Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ShowTrend(c.Context(), in[0], &api.ShowTrendParams{Limit: limit})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, map[string]any{"site": in[0], "points": list.Points})
			}
			if a.csv {
				return writeCSV(w, trendRows(list.Points))
			}
			printTrend(w, in[0], list.Points)
			return nil
		},
	}
	c.Flags().IntVar(&limit, "limit", limit, "crawls at most, the newest")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

func trendRows(list []api.TrendPoint) [][]string {
	rows := [][]string{{"crawl", "started", "health", "health as told", "pages", "errors", "warnings", "notices",
		"note"}}
	for _, p := range list {
		health := ""
		if p.Scored {
			health = exactly(p.Health)
		}
		rows = append(rows, []string{strconv.Itoa(p.Crawl), p.Started.Format("2006-01-02 15:04"), health,
			exactly(p.Told), strconv.Itoa(p.Pages),
			strconv.Itoa(p.Findings[0]), strconv.Itoa(p.Findings[1]), strconv.Itoa(p.Findings[2]), p.Note})
	}
	return rows
}

func printTrend(w io.Writer, site string, list []api.TrendPoint) {
	if len(list) == 0 {
		fmt.Fprintf(w, "No finished crawl yet. Start one: harvik crawl %s\n", site)
		return
	}
	fmt.Fprintf(w, "%s, by the rules of crawl %d and the waivers of today\n\n", bold(w, site), list[len(list)-1].Crawl)
	t := newTable(w, []string{"crawl", "started", "health", "", "pages", "◆", "◈", "◇", "largest causes of the step"},
		1, 3, 5, 6, 7, 8)
	for i, p := range list {
		health, bar, step := "–", "", p.Note
		if p.Scored {
			health = points(p.Health)
			bar = paint(w, pine, strings.Repeat("▬", int(math.Round(p.Health/5))))
		}
		if i > 0 && step == "" {
			var parts []string
			for _, part := range p.Parts[:min(2, len(p.Parts))] {
				parts = append(parts, signed(part.Shown)+" "+part.Says)
			}
			step = strings.Join(parts, "\n")
		}
		t.AppendRow([]any{p.Crawl, p.Started.Format("2006-01-02 15:04"), health, fmt.Sprintf("%-20s", bar),
			numbers.Thousands(p.Pages),
			numbers.Thousands(p.Findings[0]), numbers.Thousands(p.Findings[1]), numbers.Thousands(p.Findings[2]),
			text.WrapSoft(step, max(30, columns(w)-80))})
	}
	t.Render()
}
