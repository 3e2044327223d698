package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/column"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	numbers "harvik/internal/core/text"
	"harvik/internal/report"
)

var columnsHelp = "these columns, in this order: " + strings.Join(column.Keys(), ", ")

func (a *app) pagesCommand() *cobra.Command {
	q := api.ListPagesParams{}
	var names []string
	c := &cobra.Command{
		Use: "pages SITE[@N]", Short: "List what was fetched", Args: args("SITE"),
		Example: "  harvik pages fernhollow --indexable no\n  harvik pages fernhollow --columns address,canonical,robots --csv",
		RunE: func(c *cobra.Command, in []string) error {
			chosen, err := columnsNamed(names)
			if err != nil {
				return err
			}
			if len(chosen) == 0 && !a.csv {
				chosen = columnsFor(&q)
			}
			return a.listPages(c, in[0], q, chosen, printPages)
		},
	}
	c.Flags().StringSliceVar(&names, "columns", nil, columnsHelp)
	c.Flags().StringVar(&q.Indexable, "indexable", "", "yes or no: only pages that search engines may show, or may not")
	c.Flags().StringVar(&q.Reachable, "reachable", "", "yes or no: only pages that links from home lead to, or do not")
	c.Flags().StringVar(&q.Why, "why", "",
		"only pages that search engines may not show for a reason with these words, such as noindex")
	c.Flags().StringVar(&q.Search, "search", "", "only where address or title contain this")
	c.Flags().StringVar(&q.Status, "status", "", "only this status: 200, 4xx, none")
	c.Flags().StringVar(&q.Kind, "kind", "", "only html, other, or a kind of page such as list or contact")
	c.Flags().StringVar(&q.Check, "check", "", "only pages on which this check fails")
	c.Flags().StringVar(&q.Fix, "fix", "", "only pages of this fix")
	c.Flags().StringVar(&q.Section, "section", "",
		"only below this folder, such as /plants/; / alone for the pages at the top")
	c.Flags().StringVar(&q.Having, "having", "", "only where a figure of your own is like this: \"visits>=100\"")
	c.Flags().StringVar(&q.Sort, "sort", "",
		"fact to sort by, - before it for falling, such as words or figures.visits; found for the order found")
	c.Flags().IntVar(&q.Limit, "limit", 40, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	return c
}

// columnsFor are the columns that answer what a query asks; none if it asks nothing that has columns of its own.
func columnsFor(q *api.ListPagesParams) []column.Column {
	switch {
	case q.Indexable == "no" || q.Why != "":
		return column.Named("address", "why", "canonical", "robots", "links in", "clicks")
	case q.Reachable == "no":
		return column.Named("address", "title", "found by", "in sitemap", "links in")
	}
	return nil
}

// columnsNamed finds the columns that somebody named.
func columnsNamed(names []string) ([]column.Column, error) {
	for _, n := range names {
		if len(column.Named(n)) > 0 {
			continue
		}
		return nil, fmt.Errorf("there is no column %q%s; there are %s", n, plan.Meant(n, column.Keys()),
			strings.Join(column.Keys(), ", "))
	}
	return column.Named(names...), nil
}

// listPages writes what a query gives, for people by print unless they chose columns.
func (a *app) listPages(c *cobra.Command, name string, q api.ListPagesParams, chosen []column.Column,
	print func(io.Writer, api.Crawl, api.PageList)) error {
	cl, cr, err := a.crawlAndClient(c, name)
	if err != nil {
		return err
	}
	if (a.json || a.csv) && !c.Flags().Changed("limit") {
		return a.allPages(c, cl, cr, q, chosen)
	}
	list, err := cl.ListPages(c.Context(), cr.Site, api.Numbered(cr.Number), &q)
	if err != nil {
		return err
	}
	switch {
	case a.json:
		return writeJSON(c.OutOrStdout(), list)
	case a.csv:
		return writeCSV(c.OutOrStdout(), pageRows(list.Pages, chosen))
	}
	if len(chosen) > 0 {
		printColumns(c.OutOrStdout(), cr, list, chosen)
	} else {
		print(c.OutOrStdout(), cr, list)
	}
	if list.Question != "" {
		fmt.Fprintln(c.OutOrStdout(), "\n"+faint(c.OutOrStdout(), "As a question: "+askedAs(name, &list)))
	}
	return nil
}

// askedAs is the command that asks what a list shows.
func askedAs(name string, list *api.PageList) string {
	out := fmt.Sprintf("harvik ask %s '%s'", name, strings.ReplaceAll(list.Question, "'", `'\''`))
	if list.Of != query.Tables[0].Name {
		out += " --of " + list.Of
	}
	if list.Order != "" {
		out += fmt.Sprintf(" --order '%s'", list.Order)
	}
	return out
}

// allPages writes every page, list by list.
func (a *app) allPages(c *cobra.Command, cl *api.Client, cr api.Crawl, q api.ListPagesParams,
	chosen []column.Column) error {
	q.Limit = 5000
	all := api.PageList{Pages: []api.Page{}}
	for {
		list, err := cl.ListPages(c.Context(), cr.Site, api.Numbered(cr.Number), &q)
		if err != nil {
			return err
		}
		all.Pages = append(all.Pages, list.Pages...)
		all.Total = list.Total
		if q.After = list.Next; q.After == "" {
			break
		}
	}
	if a.json {
		return writeJSON(c.OutOrStdout(), all)
	}
	return writeCSV(c.OutOrStdout(), pageRows(all.Pages, chosen))
}

// pageRows are pages as lines of CSV: all columns, or those chosen, and the own figures.
func pageRows(pages []api.Page, chosen []column.Column) [][]string {
	if len(chosen) == 0 {
		chosen = column.All
	}
	head := make([]string, 0, len(chosen))
	for _, c := range chosen {
		head = append(head, c.Name)
	}
	names := figureNames(pages)
	rows := [][]string{append(head, names...)}
	for i := range pages {
		var line []string
		for _, c := range chosen {
			line = append(line, plainCell(c, pages[i]))
		}
		for _, n := range names {
			line = append(line, report.Plain(figuresOf(pages[i])[n]))
		}
		rows = append(rows, line)
	}
	return rows
}

// figureNames are the own figures that any of the pages has.
func figureNames(pages []api.Page) []string {
	have := map[string]bool{}
	for i := range pages {
		for n := range figuresOf(pages[i]) {
			have[n] = true
		}
	}
	return slices.Sorted(maps.Keys(have))
}

func statusWord(p api.Page) string {
	if status := wholeIn(p, "status"); status > 0 {
		return strconv.Itoa(status)
	}
	return textIn(p, "outcome")
}

// textIn is a cell with words; "" for none.
func textIn(p api.Page, key string) string {
	text, _ := p[key].(string)
	return text
}

// wholeIn is a cell with a number; 0 for none.
func wholeIn(p api.Page, key string) int {
	n, _ := p[key].(float64)
	return int(n)
}

// figuresOf are the own figures of a page by name.
func figuresOf(p api.Page) map[string]any {
	figures, _ := p["figures"].(map[string]any)
	return figures
}

// plainCell is a cell as a file has it; "" for none.
func plainCell(c column.Column, p api.Page) string {
	if c.Kind == column.Whole && p[c.Key] != nil {
		return strconv.Itoa(wholeIn(p, c.Key))
	}
	return report.Plain(p[c.Key])
}

func printPages(w io.Writer, cr api.Crawl, list api.PageList) {
	if len(list.Pages) == 0 {
		fmt.Fprintln(w, "No page like that.")
		return
	}
	fmt.Fprintf(w, "%s, crawl %d of %s\n\n", bold(w, cr.Site), cr.Number, cr.Home)
	names := figureNames(list.Pages)
	names = names[:min(4, len(names))]
	wide := columns(w) - 56 - 12*len(names)
	room := max(24, wide*6/10)
	right := []int{2, 4, 5, 6, 7, 8, 9, 10}
	for i := range names {
		right = append(right, 11+i)
	}
	t := newTable(w, append([]string{"address", "status", "title", "words", "clicks", "links in", "health", "◆", "◈",
		"◇"}, names...), right...)
	for _, p := range list.Pages {
		health := "–"
		if n, ok := p["health"].(float64); ok {
			health = points(n)
		}
		clicks := cmp.Or(plainCell(column.Named("clicks")[0], p), "–")
		row := []any{
			middle(fixlist.PathOf(textIn(p, "address")), room), statusWord(p),
			end(textIn(p, "title"), max(16, wide-room)), wholeIn(p, "words"), clicks,
			wholeIn(p, "linksIn"), health, zero(wholeIn(p, "errors")), zero(wholeIn(p, "warnings")),
			zero(wholeIn(p, "notices")),
		}
		for _, n := range names {
			row = append(row, end(report.Plain(figuresOf(p)[n]), 10))
		}
		t.AppendRow(row)
	}
	t.Render()
	printMore(w, len(list.Pages), list.Total)
}

// printColumns writes a table of the columns that somebody chose, as wide as they need and there is room.
func printColumns(w io.Writer, cr api.Crawl, list api.PageList, chosen []column.Column) {
	if len(list.Pages) == 0 {
		fmt.Fprintln(w, "No page like that.")
		return
	}
	rows := make([][]string, len(list.Pages))
	for i := range list.Pages {
		for _, c := range chosen {
			rows[i] = append(rows[i], cellOf(c, list.Pages[i], cr.Home))
		}
	}
	var heads []string
	var right []int
	var addresses []bool
	for i, c := range chosen {
		if heads = append(heads, c.Name); c.Kind == column.Whole || c.Kind == column.Decimal {
			right = append(right, i+1)
		}
		addresses = append(addresses, c.Key == "address")
	}
	printWide(w, heads, rows, addresses, right...)
	printMore(w, len(list.Pages), list.Total)
}

// printWide writes a table as wide as its columns need and there is room; addresses are shortened in their middle.
func printWide(w io.Writer, heads []string, rows [][]string, addresses []bool, right ...int) {
	room := shares(heads, rows, columns(w))
	t := newTable(w, heads, right...)
	for _, cells := range rows {
		row := make([]any, len(cells))
		for i, cell := range cells {
			if row[i] = end(cell, room[i]); i < len(addresses) && addresses[i] {
				row[i] = middle(cell, room[i])
			}
		}
		t.AppendRow(row)
	}
	t.Render()
}

// cellOf is a cell for people: addresses of the site without its host, and a dash for nothing.
func cellOf(c column.Column, p api.Page, home string) string {
	cell := p[c.Key]
	switch text, ok := cell.(string); {
	case cell == nil:
		return "–"
	case ok && strings.HasPrefix(text, home):
		return fixlist.PathOf(text)
	case ok:
		return text
	}
	return plainCell(c, p)
}

// shares divides a width between columns: each has what it needs, as long as that is no more than its part of
// what the narrower ones leave.
func shares(heads []string, rows [][]string, width int) []int {
	need := make([]int, len(heads))
	for i := range heads {
		need[i] = utf8.RuneCountInString(heads[i])
		for _, r := range rows {
			need[i] = max(need[i], utf8.RuneCountInString(r[i]))
		}
	}
	order := make([]int, len(heads))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(need[a], need[b]) })
	left := width - 2*len(heads)
	for n, i := range order {
		need[i] = min(need[i], max(8, left/(len(order)-n)))
		left -= need[i]
	}
	return need
}

func zero(n int) string {
	if n == 0 {
		return "·"
	}
	return strconv.Itoa(n)
}

func (a *app) pageCommand() *cobra.Command {
	return &cobra.Command{
		Use: "page SITE[@N] ADDRESS", Short: "Show all about one page", Args: args("SITE", "ADDRESS"),
		Example: "  harvik page fernhollow /plants/",
		RunE: func(c *cobra.Command, in []string) error {
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			d, err := cl.ShowPage(c.Context(), cr.Site, api.Numbered(cr.Number), &api.ShowPageParams{Address: in[1]})
			if err != nil {
				return err
			}
			into, err := cl.LinksIn(c.Context(), cr.Site, api.Numbered(cr.Number),
				&api.LinksInParams{Address: in[1], Limit: 10})
			if err != nil {
				return err
			}
			built, err := cl.ShowRenderings(c.Context(), cr.Site, api.Numbered(cr.Number),
				&api.ShowRenderingsParams{Address: in[1]})
			var none *api.Error
			if errors.As(err, &none) && none.Status == http.StatusNotFound { // known, and not fetched
				err = nil
			}
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]any{"page": d, "linksIn": into,
					"renderings": built.Renderings})
			}
			catalogue, err := cl.ListChecks(c.Context(), &api.ListChecksParams{Site: cr.Site})
			if err != nil {
				return err
			}
			printPage(c.OutOrStdout(), d, into, catalogue.Checks)
			printRenderings(c.OutOrStdout(), built.Renderings)
			return nil
		},
	}
}

func printPage(w io.Writer, d api.PageDetail, into api.LinksInto, catalogue []api.Check) {
	fmt.Fprintln(w, bold(w, d.Address))
	if d.Page == nil {
		fmt.Fprintf(w, "  %s: not fetched\n", d.State)
		if d.Rule != "" {
			fmt.Fprintf(w, "  %s\n", ruleWord(d))
		}
		printInto(w, into)
		return
	}
	f, row := d.Facts, *d.Page
	fmt.Fprintf(w, "  %s · %s · %s bytes · first byte after %d ms · %s\n", statusWord(row), textIn(row, "type"),
		numbers.Thousands(wholeIn(row, "bytes")), wholeIn(row, "firstByte"), f.Protocol)
	if f.Detail != "" {
		fmt.Fprintf(w, "  %s\n", f.Detail)
	}
	if f.Redirect != "" {
		fmt.Fprintf(w, "  leads on to %s\n", f.Redirect)
	}
	if doc := f.Document; doc != nil {
		fmt.Fprintln(w)
		for _, part := range [][2]string{{"title", textIn(row, "title")}, {"description", textIn(row, "description")},
			{"canonical", textIn(row, "canonical")}, {"language", doc.Lang}} {
			if part[1] == "" {
				part[1] = faint(w, "none")
			}
			fmt.Fprintf(w, "  %-12s %s\n", part[0], part[1])
		}
		search := "search engines may show it"
		if may, _ := row["indexable"].(bool); !may {
			search = "search engines may not show it: " + textIn(row, "why")
		}
		fmt.Fprintf(w, "  %-12s %s\n  %-12s %s of main text", "indexing", search, "words",
			numbers.Thousands(wholeIn(row, "words")))
		if doc.Kind != string(page.Ordinary) {
			fmt.Fprintf(w, "; taken for a %s page: %s", doc.Kind, doc.KindReason)
		}
		if fmt.Fprintln(w); row["health"] != nil {
			fmt.Fprintf(w, "  %-12s %.1f, importance %.2f\n", "health", row["health"], row["importance"])
		}
		if len(doc.Headings) > 0 {
			fmt.Fprintf(w, "\n  %s\n", bold(w, "Headings in order"))
			printOutline(w, "  ", doc.Headings)
		}
	}
	if textIn(row, "role") != page.AsPage.String() { // no page is judged, and none of its links are kept
		printInto(w, into)
		return
	}
	fmt.Fprintf(w, "\n  %s\n", bold(w, "Findings"))
	if len(d.Findings) == 0 {
		fmt.Fprintln(w, "  none")
	}
	printFindings(w, d.Findings, catalogue)
	printInto(w, into)
	fmt.Fprintf(w, "\n  %s, %s loaded\n", numbers.Count(len(d.Links), "link out", "links out"),
		numbers.Count(len(d.Loads), "resource", "resources"))
	for _, l := range d.Loads {
		if l.Status < 200 || l.Status >= 400 {
			fmt.Fprintf(w, "  %s %s: %s\n", l.Role, middle(l.Address, columns(w)-30), statusOrWord(l.Status, l.Outcome))
		}
	}
}

func statusOrWord(status int, word string) string {
	if status > 0 {
		return "status " + strconv.Itoa(status)
	}
	return word
}

// ruleWord says what shuts an address out; without a line it is robots.txt as a whole.
func ruleWord(d api.PageDetail) string {
	if d.RuleLine == 0 {
		return d.Rule
	}
	return fmt.Sprintf("shut out by line %d of robots.txt: %s", d.RuleLine, d.Rule)
}

// printFindings lists what fails on a page.
func printFindings(w io.Writer, findings []api.PageFinding, catalogue []api.Check) {
	of := map[string]api.Check{}
	for _, ch := range catalogue {
		of[ch.ID] = ch
	}
	for _, f := range findings {
		fmt.Fprintf(w, "  %s %s (%s)\n", sign(w, f.Severity), of[f.Check].Title, f.Check)
		printPlaces(w, "    ", f.Places)
	}
}

func printInto(w io.Writer, into api.LinksInto) {
	fmt.Fprintf(w, "\n  %s\n", bold(w, "Linked or loaded from "+numbers.Count(into.Pages, "page", "pages")))
	for i, l := range into.Links {
		if i == 10 {
			break
		}
		words := placeOr(l.Place)
		if l.Words != "" || !strings.HasPrefix(l.Place, "loaded by") {
			words = fmt.Sprintf("“%s”, %s", end(l.Words, 40), words)
		}
		fmt.Fprintf(w, "  %s  %s\n", middle(l.From, columns(w)/2), words)
	}
}

func placeOr(s string) string {
	if s == "" {
		return "content"
	}
	return s
}

// maxShown bounds the places shown for one page.
const maxShown = 8

func printPlaces(w io.Writer, indent string, places []api.Place) {
	for i, p := range places {
		if i == maxShown {
			fmt.Fprintf(w, "%s… and %s\n", indent, numbers.Count(len(places)-i, "place", "places")+" more")
			return
		}
		line := p.Note
		if p.Words != "" {
			line += fmt.Sprintf(", link “%s”", end(p.Words, 60))
		}
		if p.At != "" {
			line += ", in " + p.At
		}
		if p.Line > 0 {
			line += fmt.Sprintf(", line %d", p.Line)
		}
		wrap(w, indent, line)
		if p.Value != "" && !strings.Contains(p.Note, p.Value) {
			fmt.Fprintf(w, "%s  “%s”\n", indent, end(p.Value, columns(w)-len(indent)-8))
		}
		for k, h := range p.Hops {
			if len(p.Hops) > 1 {
				fmt.Fprintf(w, "%s  %d. %s %s\n", indent, k+1, h.Address, faint(w, statusOr(h.Status)))
			}
		}
		for k, o := range p.Others {
			if k == 5 {
				fmt.Fprintf(w, "%s  … and %d more\n", indent, p.Of-1-k)
				break
			}
			fmt.Fprintf(w, "%s  also %s\n", indent, o)
		}
	}
}

func statusOr(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func printOutline(w io.Writer, indent string, headings []api.Heading) {
	for _, h := range headings {
		words := h.Text
		if words == "" {
			words = faint(w, "(empty)")
		}
		fmt.Fprintf(w, "%s%sh%d  %s\n", indent, strings.Repeat("  ", h.Level-1), h.Level, end(words, 90))
	}
}
