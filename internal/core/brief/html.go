package brief

import (
	"bytes"
	"cmp"
	_ "embed"
	"html/template"
	"io"
	"slices"

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

var document = template.Must(template.New("brief").Funcs(template.FuncMap{
	"points": points,
	"count":  text.Count,
	"whole":  text.Thousands,
	"few":    func(n int) int { return min(n, mostShown) },
	"beyond": func(n int) int { return max(0, n-mostShown) },
	"says":   func(p drift.Part) string { return vocabulary.Part(&p) },
	"signed": text.Signed,
	"width":  func(part, whole float64) float64 { return 100 * part / max(whole, 1e-9) },
}).Parse(page))

// view is what the template shows.
type view struct {
	Choices
	*Facts
	Style   template.CSS
	Cover   template.HTML
	Order   []chapter
	Meaning string
	Moved   string
	First   []fixlist.Fix // of those that are told, the first three
	Told    []told        // in full
	Rest    int           // fixes that are not
	Groups  []group
	Lost    float64
	How     []string
	Gone    []fixlist.Fix
	New     []fixlist.Fix
	Again   []fixlist.Fix
	Worse   []fixlist.Fix // again and new
	Parts   []drift.Part  // the largest of the step
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
	full := cmp.Or(c.Fixes, usualFixes)
	all := c.told(f.Fixes)
	v.First, v.Rest = all[:min(len(all), 3)], max(0, len(all)-full)
	for _, one := range all[:len(all)-v.Rest] {
		v.Told = append(v.Told, told{one, f.Check(one.Check), markdown(c.Comments[one.ID])})
	}
	v.Groups, v.Lost = groups(f.Report.Ledger)
	if f.Before != nil {
		d := f.Before.Drift
		v.Moved = moved(f.Before)
		v.Gone, v.New, v.Again = c.told(d.Gone), c.told(d.New), c.told(d.Returned)
		v.Worse = slices.Concat(v.Again, v.New)
		v.Parts = d.Step.Parts[:min(len(d.Step.Parts), mostShown)]
	}
	return document.Execute(w, &v)
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
	slices.SortStableFunc(out, func(a, b group) int { return cmp.Compare(b.Points, a.Points) })
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
