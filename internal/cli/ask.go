package cli

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/query"
	numbers "harvik/internal/core/text"
	"harvik/internal/report"
	"harvik/internal/wire"
)

func (a *app) askCommand() *cobra.Command {
	q := api.AskParams{}
	var shown []string
	facts := false
	c := &cobra.Command{
		Use: "ask SITE[@N] [QUESTION]", Short: "Ask what you like about a crawl",
		Args: func(c *cobra.Command, in []string) error {
			switch {
			case facts && len(in) > 1:
				return usage(c, errors.New("--facts takes one word at most"))
			case !facts && len(in) == 0:
				return usage(
					c,
					errors.New("say which site, and what is asked of it, as in: harvik ask fernhollow 'words < 100'"),
				)
			case !facts && len(in) > 2:
				return usage(c, errors.New(
					"write the question in one pair of quotation marks, as in: harvik ask fernhollow 'words < 100 && clicks > 2'",
				))
			}
			return nil
		},
		Long: `Lists the rows of a crawl that a question holds of: the pages, unless --of names another table.
A question is an expression in CEL (cel.dev) over facts; harvik ask --facts lists them.

  bytes > 15000 && description == ""      compare: == != < <= > >=   join: && || !
  section == "/shop/" && linksIn < 10
  kind in ["product", "service"]
  title.contains("2024") || title.lower().startsWith("draft")
  h1.matches("(?i)^welcome")              a regular expression (RE2)
  size(title) > 60                        how many characters
  text.contains("0161 496 0000")          the main text
  known(clicks)                           clicks are known: links lead there from home
  figures.visits > 100 && status == 404   figures of your own

What is not known of a row makes what is asked about it neither true nor false: a page without clicks
is no answer to clicks > 3, nor to !(clicks > 3).`,
		Example: "  harvik ask fernhollow 'linksIn < 3 && indexable' --columns address,title,linksIn --order linksIn\n" +
			"  harvik ask fernhollow --by section --measure words\n" +
			"  harvik ask fernhollow 'bytes > 500000' --of resources\n  harvik ask --facts links",
		RunE: func(c *cobra.Command, in []string) error {
			if facts {
				return a.printFacts(c.OutOrStdout(), strings.Join(in, ""))
			}
			if q.Columns = strings.Join(shown, ","); len(in) > 1 {
				q.Question = in[1]
			}
			return a.ask(c, in[0], q)
		},
	}
	c.Flags().BoolVar(&facts, "facts", false, "list what can be asked, all of it or what has a word in it")
	c.Flags().StringVar(&q.Of, "of", query.Tables[0].Name, "what is asked about: "+strings.Join(query.Names(), ", "))
	c.Flags().StringSliceVar(&shown, "columns", nil, "show these facts, in this order")
	c.Flags().StringVar(&q.Order, "order", "", "a fact to sort by, - before it for falling")
	c.Flags().StringVar(&q.By, "by", "", "group the answers by this fact, and count them")
	c.Flags().StringVar(&q.Measure, "measure", "", "a number that is added up, with its mean and bounds, in each group")
	c.Flags().IntVar(&q.Limit, "limit", 40, "lines at most")
	c.Flags().BoolVar(&a.csv, "csv", false, "write CSV")
	a.completeAsking(c)
	return c
}

func (a *app) ask(c *cobra.Command, name string, q api.AskParams) error {
	cl, cr, err := a.crawlAndClient(c, name)
	if err != nil {
		return err
	}
	limit := q.Limit
	if (a.json || a.csv) && !c.Flags().Changed("limit") {
		limit = math.MaxInt
	}
	q.Limit = min(limit, 10_000)
	answer, err := cl.Ask(c.Context(), cr.Site, api.Numbered(cr.Number), &q)
	if err != nil {
		return pointedAt(q.Question, err)
	}
	for answer.Next > 0 && len(answer.Rows) < limit {
		q.After, q.Limit = answer.Next, min(q.Limit, limit-len(answer.Rows))
		more, err := cl.Ask(c.Context(), cr.Site, api.Numbered(cr.Number), &q)
		if err != nil {
			return err
		}
		answer.Rows = append(answer.Rows, more.Rows...)
		answer.Next = more.Next
	}
	if answer.Unjudged > 0 {
		fmt.Fprintf(
			c.ErrOrStderr(),
			"harvik: of %s rows this cannot be told: %s\n",
			numbers.Thousands(answer.Unjudged),
			answer.Fault,
		)
	}
	w := c.OutOrStdout()
	switch {
	case a.json:
		return writeJSON(w, answer)
	case a.csv:
		return writeCSV(w, answerRows(&answer, plainValue))
	case answer.By.Name != "":
		printGroups(w, cr, &answer, limit)
		return nil
	}
	printAnswer(w, cr, &answer)
	return nil
}

// pointedAt adds to what is wrong with a question where it is, below its text.
func pointedAt(question string, err error) error {
	refusal, ok := errors.AsType[*api.Error](err)
	if !ok || len(refusal.Faults) == 0 {
		return err
	}
	lines := strings.Split(question, "\n")
	var b strings.Builder
	b.WriteString("the question cannot be understood")
	for _, m := range refusal.Faults {
		line := ""
		if m.Line >= 1 && m.Line <= len(lines) {
			line = strings.ReplaceAll(lines[m.Line-1], "\t", " ")
		}
		from := max(0, m.Column-60) // of a long line the part that counts
		if r := []rune(line); len(r) > 100 {
			line = string(r[from:min(len(r), from+100)])
		} else {
			from = 0
		}
		fmt.Fprintf(&b, "\n\n    %s\n    %s^\n  %s", line, strings.Repeat(" ", max(0, m.Column-1-from)), m.Reason)
	}
	return errors.New(b.String())
}

// answerRows are an answer as lines of a file or table.
func answerRows(answer *api.Answer, cell func(api.Fact, any) string) [][]string {
	var head []string
	if answer.By.Name != "" {
		head = append(head, answer.By.Label, answer.Of, "share")
		if answer.Measure.Name != "" {
			head = append(head, "known", "sum", "least", "most", "mean", "median")
		}
		rows := [][]string{head}
		for _, g := range answer.Groups {
			row := []string{cell(answer.By, g.Value), report.Plain(g.Count), report.Plain(g.Share)}
			if m := g.Measured; answer.Measure.Name != "" {
				row = append(row, report.Plain(m.Count))
				plain := func(v float64) string { return report.Plain(v) }
				row = append(row, measured(m, "", plain, m.Sum, m.Least, m.Most, m.Mean, m.Median)...)
			}
			rows = append(rows, row)
		}
		return rows
	}
	for _, f := range answer.Columns {
		head = append(head, f.Label)
	}
	rows := [][]string{head}
	for _, r := range answer.Rows {
		row := make([]string, len(r))
		for i := range r {
			row[i] = cell(answer.Columns[i], r[i])
		}
		rows = append(rows, row)
	}
	return rows
}

// measured are cells of what was measured in a group, none where nothing was.
func measured(m api.Measured, none string, write func(float64) string, values ...float64) (cells []string) {
	for _, v := range values {
		cell := none
		if m.Count > 0 {
			cell = write(v)
		}
		cells = append(cells, cell)
	}
	return cells
}

// plainValue is a value as a file has it; "" for what is not known.
func plainValue(f api.Fact, v any) string {
	switch v := v.(type) {
	case float64:
		if f.Kind == query.Whole.String() {
			return report.Plain(int(v))
		}
	case []any:
		var words []string
		for _, one := range v {
			words = append(words, report.Plain(one))
		}
		return strings.Join(words, ", ")
	case map[string]any:
		var words []string
		for _, name := range slices.Sorted(maps.Keys(v)) {
			words = append(words, name+" "+report.Plain(v[name]))
		}
		return strings.Join(words, ", ")
	}
	return report.Plain(v)
}

// shownValue is a value for people: addresses of the site without its host, and a dash for what is not known.
func shownValue(cr api.Crawl, f api.Fact, v any) string {
	text, ok := v.(string)
	if number, is := v.(float64); is && f.Kind == query.Decimal.String() {
		text = report.Plain(math.Round(number*1e4) / 1e4)
	} else if !ok {
		text = plainValue(f, v)
	}
	switch {
	case text == "":
		return "–"
	case strings.HasPrefix(text, cr.Home) && !strings.Contains(text, " "): // an address, and no sentence about one
		return fixlist.PathOf(text)
	}
	return text
}

func printAnswer(w io.Writer, cr api.Crawl, answer *api.Answer) {
	if answer.Total == 0 {
		fmt.Fprintf(w, "None of the %s of %s, crawl %d.\n", answer.Of, cr.Site, cr.Number)
		return
	}
	rows := answerRows(answer, func(f api.Fact, v any) string { return shownValue(cr, f, v) })
	var right []int
	var addresses []bool
	for i, f := range answer.Columns {
		if f.Kind == query.Whole.String() || f.Kind == query.Decimal.String() {
			right = append(right, i+1)
		}
		addresses = append(addresses, strings.HasSuffix(f.Name, "address"))
	}
	noun := answer.Of
	if t := query.TableOf(answer.Of); t != nil && answer.Total == 1 {
		noun = t.One
	}
	fmt.Fprintf(w, "%s %s of %s, crawl %d\n\n", bold(w, numbers.Thousands(answer.Total)), noun, cr.Site, cr.Number)
	printWide(w, rows[0], rows[1:], addresses, right...)
	printMore(w, len(answer.Rows), answer.Total)
}

func printGroups(w io.Writer, cr api.Crawl, answer *api.Answer, limit int) {
	if answer.Total == 0 {
		fmt.Fprintf(w, "None of the %s of %s, crawl %d.\n", answer.Of, cr.Site, cr.Number)
		return
	}
	heads := []string{answer.By.Label, answer.Of, "share", ""}
	right := []int{2, 3}
	if answer.Measure.Name != "" {
		heads = append(heads, answer.Measure.Label+", sum", "mean", "median", "least", "most")
		right = append(right, 5, 6, 7, 8, 9)
	}
	const bar = 20
	shown := answer.Groups[:min(limit, len(answer.Groups))]
	var rows [][]string
	for _, g := range shown {
		value := shownValue(cr, answer.By, g.Value)
		most := answer.Groups[0].Count
		row := []string{value, numbers.Thousands(g.Count), fmt.Sprintf("%.1f %%", 100*g.Share),
			strings.Repeat("▪", (bar*g.Count+most-1)/most)}
		if m := g.Measured; answer.Measure.Name != "" {
			row = append(row, measured(m, "–", numbers.Figure, m.Sum, m.Mean, m.Median, m.Least, m.Most)...)
		}
		rows = append(rows, row)
	}
	printWide(w, heads, rows, nil, right...)
	printMore(w, len(shown), len(answer.Groups))
}

// printFacts lists what can be asked, all of it or what has a word in it.
func (a *app) printFacts(w io.Writer, word string) error {
	var tables []api.FactTable
	for _, one := range wire.Each(query.Tables, wire.FactTable) {
		one.Facts = slices.DeleteFunc(one.Facts, func(f api.Fact) bool { return !has(word, f.Name, f.Label, f.Say) })
		if len(one.Facts) > 0 {
			tables = append(tables, one)
		}
	}
	if a.json {
		return writeJSON(w, api.FactTables{Tables: tables})
	}
	if len(tables) == 0 {
		return fmt.Errorf("no fact has %q in its name, or in what it tells", word)
	}
	for i := range tables {
		t := &tables[i]
		fmt.Fprintf(w, "%s: %s\n\n", bold(w, t.Name), t.Say)
		var rows [][]string
		for _, f := range t.Facts {
			say := f.Say
			if f.None != "" {
				say += "; not known where " + f.None
			}
			kind := f.Kind
			if f.Unit != "" {
				kind += ", " + f.Unit
			}
			rows = append(rows, []string{f.Name, kind, say})
		}
		printWide(w, []string{"fact", "kind", "what it tells"}, rows, nil)
		fmt.Fprintln(w)
	}
	return nil
}

// has tells whether a word stands in any of some texts, whatever its case.
func has(word string, in ...string) bool {
	for _, text := range in {
		if strings.Contains(strings.ToLower(text), strings.ToLower(word)) {
			return true
		}
	}
	return false
}
