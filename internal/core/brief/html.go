package brief

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
)

//go:embed brief.css
var style string

//go:embed brief.html
var page string

// signs are those of severities: one shape, filled by how bad it is.
var signs = [...]string{check.Error: "◆", check.Warning: "◈", check.Notice: "◇"}

var document = template.Must(template.New("brief").Funcs(template.FuncMap{
	"points": points,
	"count":  text.Count,
	"whole":  text.Thousands,
	"sign":   func(s check.Severity) string { return signs[s] },
	"most":   func(n int) bool { return n < mostShown },
	"says":   func(p drift.Part) string { return vocabulary.Part(&p) },
	"signed": func(p float64) string { return strings.Replace(fmt.Sprintf("%+.2f", p), "-", "−", 1) },
	"width":  func(part, whole float64) float64 { return 100 * part / max(whole, 1e-9) },
}).Parse(page))

// view is what the template shows.
type view struct {
	Choices
	*Facts
	Style    template.CSS
	Cover    template.HTML
	Order    []chapter
	Meaning  string
	Moved    string
	First    []fixlist.Fix // of those that are told, the first three
	Told     []told        // in full
	Rest     int           // fixes that are not
	Groups   []group
	Lost     float64
	How      []string
	Better   []fixlist.Fix
	MoreGone int
	Worse    []fixlist.Fix // new and returned
	MoreNew  int
	Gone     int
	New      int
	Again    int
	Parts    []drift.Part // the largest of the step
}

// chapter is a part as it stands in the report.
type chapter struct {
	PartKind
	Comment template.HTML
}

type told struct {
	fixlist.Fix
	Check   *check.Check
	Comment template.HTML
}

// group is what a group of checks takes.
type group struct {
	Name   string
	Points float64
	Checks int
}

// HTML writes a report as one file that needs nothing else.
func HTML(w io.Writer, c Choices, f Facts) error {
	v := view{
		Choices: c,
		Facts:   &f,
		Style:   template.CSS(style),
		Cover:   markdown(c.Words),
		Meaning: meaning(f.Report),
		How:     f.how(),
	}
	if v.Title == "" {
		v.Title = "How " + f.Home + " stands"
	}
	order := c.Parts
	if len(order) == 0 {
		for _, k := range PartKinds {
			if k.Name != "progress" || f.Before != nil {
				order = append(order, k.Name)
			}
		}
	}
	for _, name := range order {
		v.Order = append(v.Order, chapter{PartKind{name, titleOf(name)}, markdown(c.Comments[name])})
	}
	full := c.Fixes
	if full == 0 {
		full = usualFixes
	}
	for i := range f.Fixes {
		one := f.Fixes[i]
		if !c.told(&one) {
			continue
		}
		if len(v.First) < 3 {
			v.First = append(v.First, one)
		}
		if len(v.Told) == full {
			v.Rest++
			continue
		}
		v.Told = append(v.Told, told{one, f.Check(one.Check), markdown(c.Comments[one.ID])})
	}
	v.Groups, v.Lost = groups(f.Report.Ledger)
	if f.Before != nil {
		d := f.Before.Drift
		v.Moved = moved(f.Before)
		v.Better, v.MoreGone = some(&c, d.Gone)
		v.Worse, v.MoreNew = some(&c, slices.Concat(d.Returned, d.New))
		v.Gone, v.New, v.Again = c.count(d.Gone), c.count(d.New), c.count(d.Returned)
		v.Parts = d.Step.Parts[:min(len(d.Step.Parts), mostShown)]
	}
	return document.Execute(w, &v)
}

// some are the first of those fixes that are told, and how many more there are.
func some(c *Choices, all []fixlist.Fix) (out []fixlist.Fix, more int) {
	for i := range all {
		switch {
		case !c.told(&all[i]):
		case len(out) < mostShown:
			out = append(out, all[i])
		default:
			more++
		}
	}
	return out, more
}

// count is how many of some fixes are told.
func (c *Choices) count(all []fixlist.Fix) (n int) {
	for i := range all {
		if c.told(&all[i]) {
			n++
		}
	}
	return n
}

// groups sums up what groups of checks take, the most first.
func groups(ledger []fixlist.LedgerLine) (out []group, lost float64) {
	at := map[string]int{}
	for _, l := range ledger {
		i, known := at[l.Group]
		if !known {
			i = len(out)
			at[l.Group] = i
			out = append(out, group{Name: l.Group})
		}
		out[i].Points += l.Points
		out[i].Checks++
		lost += l.Points
	}
	slices.SortStableFunc(out, func(a, b group) int {
		switch {
		case a.Points > b.Points:
			return -1
		case a.Points < b.Points:
			return 1
		}
		return 0
	})
	return out, lost
}

var markdownOf = goldmark.New(goldmark.WithExtensions(extension.Table))

// markdown is a comment as HTML. Tags in it stay text, and addresses that run scripts lead nowhere.
func markdown(words string) template.HTML {
	var out bytes.Buffer
	if words == "" || markdownOf.Convert([]byte(words), &out) != nil { // it writes into memory
		return ""
	}
	return template.HTML(out.String())
}
