package cli

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
)

func (a *app) healthCommand() *cobra.Command {
	return &cobra.Command{
		Use: "health SITE[@N]", Short: "Show a crawl's health and where its points went", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cr, err := a.crawl(c, in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), cr)
			}
			printHealth(c.OutOrStdout(), cr, 1000)
			return nil
		},
	}
}

// crawl fetches the crawl that SITE[@N] names.
func (a *app) crawl(c *cobra.Command, name string) (api.Crawl, error) {
	_, cr, err := a.crawlAndClient(c, name)
	return cr, err
}

// crawlAndClient is crawl, with the client for what else is to be asked.
func (a *app) crawlAndClient(c *cobra.Command, name string) (*api.Client, api.Crawl, error) {
	site, number, err := crawlName(name)
	if err != nil {
		return nil, api.Crawl{}, err
	}
	cl, err := a.client()
	if err != nil {
		return nil, api.Crawl{}, err
	}
	cr, err := cl.ShowCrawl(c.Context(), site, api.Numbered(number))
	return cl, cr, err
}

// healthText is the score in words: "71.3", or "71.3 ± 2.1 (500 of about 4 170 pages)".
func healthText(cr api.Crawl) string {
	r := cr.Report
	switch {
	case r == nil:
		return "not judged yet"
	case !r.Scored:
		return "none: no page could be assessed"
	case r.Expected > r.Assessed:
		return fmt.Sprintf("%s ± %s (%s of about %s pages)", points(r.Health), points(r.HalfWidth),
			numbers.Thousands(r.Assessed), numbers.Thousands(r.Expected))
	}
	return fmt.Sprintf("%s (%s)", points(r.Health), numbers.Count(r.Assessed, "page", "pages"))
}

// printHealth shows the score, its ledger bar and the ledger's first lines.
func printHealth(w io.Writer, cr api.Crawl, lines int) {
	fmt.Fprintf(w, "%s, crawl %d, %s\n", bold(w, cr.Site), cr.Number, cr.Started.Format("2 January 2006 15:04"))
	fmt.Fprintf(w, "health %s%s\n", bold(w, healthText(cr)), unwaivedText(cr))
	if cr.Report != nil && cr.Report.Unfound != "" {
		fmt.Fprintln(w, bold(w, cr.Report.Unfound))
	}
	if cr.Report != nil && cr.Report.Scored && cr.Detail != "" {
		wrap(w, "", cr.Detail)
	}
	if cr.Report == nil || !cr.Report.Scored {
		return
	}
	if cr.Ending != "" && cr.Ending != "complete" {
		fmt.Fprintf(w, "%s\n", faint(w,
			"How it ended: "+vocabulary.Of(vocabulary.Endings, cr.Ending)+"; more may be known and was not fetched."))
	}
	groups := groupPoints(cr.Report)
	fmt.Fprintf(w, "\n%s\n\n", ledgerBar(w, cr.Report.Health, groups))
	t := newTable(w, []string{"", "", "lost points", "pages", "places"}, 3, 4, 5)
	shown := roundAll(cr.Report)
	for i, l := range cr.Report.Ledger[:min(lines, len(cr.Report.Ledger))] {
		t.AppendRow([]any{sign(w, l.Severity), checkTitle(l.Check, l.Group), shown[i], numbers.Thousands(l.Pages),
			numbers.Thousands(l.Places)})
	}
	if left := cr.Report.Ledger[min(lines, len(cr.Report.Ledger)):]; len(left) > 0 {
		rest := 0.0
		for _, l := range left {
			rest += l.Points
		}
		t.AppendRow([]any{"", numbers.Count(len(left), "more check", "more checks") + "; `harvik health` shows them",
			atLeast(rest), "", ""})
	}
	t.AppendFooter([]any{"", "lost", points(100 - roundTo(cr.Report.Health, 1)), "", ""})
	t.Render()
}

func checkTitle(id, group string) string { return fmt.Sprintf("%s  (%s)", id, group) }

type groupPart struct {
	name   string
	points float64
	worst  api.Severity
}

// groupPoints adds the ledger up by group, most points first.
func groupPoints(r *api.Report) []groupPart {
	at := map[string]int{}
	var out []groupPart
	for _, l := range r.Ledger {
		i, ok := at[l.Group]
		if !ok {
			i = len(out)
			at[l.Group] = i
			out = append(out, groupPart{name: l.Group, worst: l.Severity})
		}
		out[i].points += l.Points
		out[i].worst = vocabulary.Graver(out[i].worst, l.Severity)
	}
	slices.SortStableFunc(out, func(a, b groupPart) int { return cmp.Compare(b.points, a.points) })
	return out
}

// fills tell the bar's segments apart without colour.
var fills = []string{"▓", "▒", "░"}

// ledgerBar draws 100 points as one bar: what is kept, then what each group took.
func ledgerBar(w io.Writer, health float64, groups []groupPart) string {
	width := min(100, columns(w)-4)
	kept := int(math.Round(health / 100 * float64(width)))
	var bar, legend strings.Builder
	bar.WriteString(paint(w, pine, strings.Repeat("█", kept)))
	left := width - kept
	for i, g := range groups {
		n := min(left, int(math.Round(g.points/100*float64(width))))
		left -= n
		fill := fills[i%len(fills)]
		bar.WriteString(paint(w, segmentColours[i%len(segmentColours)], strings.Repeat(fill, n)))
		if i < 6 {
			fmt.Fprintf(&legend, "  %s %s %s", paint(w, segmentColours[i%len(segmentColours)], fill), g.name,
				points(g.points))
		}
	}
	bar.WriteString(strings.Repeat("·", max(0, left)))
	return "  " + bar.String() + "\n  " + paint(w, pine, "█") + " kept " + points(health) + legend.String()
}

var segmentColours = []string{mulberry, ochre, slate}

func paint(w io.Writer, code, s string) string {
	if s == "" || !isTerminal(w) {
		return s
	}
	return painted(code, s)
}

// atLeast shows points; few are not shown as none.
func atLeast(f float64) string {
	if f < 0.05 {
		return "<0.1"
	}
	return points(f)
}

func roundTo(f float64, digits int) float64 {
	p := math.Pow(10, float64(digits))
	return math.Round(f*p) / p
}

// roundAll shows the ledger's points to one digit so that they add up to the shown loss:
// the lines with the largest remainders are rounded up.
func roundAll(r *api.Report) []string {
	total := int(math.Round((100 - roundTo(r.Health, 1)) * 10))
	tenths := make([]int, len(r.Ledger))
	order := make([]int, len(r.Ledger))
	sum := 0
	for i, l := range r.Ledger {
		tenths[i] = int(math.Floor(l.Points * 10))
		sum += tenths[i]
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(r.Ledger[b].Points*10-float64(tenths[b]), r.Ledger[a].Points*10-float64(tenths[a]))
	})
	for k := 0; sum < total && len(order) > 0; k++ {
		tenths[order[k%len(order)]]++
		sum++
	}
	out := make([]string, len(tenths))
	for i, n := range tenths {
		out[i] = fmt.Sprintf("%d.%d", n/10, n%10)
		if n == 0 {
			out[i] = "<0.1"
		}
	}
	return out
}
