package query

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A Panel is a part of the overview of a crawl: rows counted by a fact, each count a way to its rows.
type Panel struct {
	View
	Lacks string    // what it means that there is nothing
	Bins  []float64 // where a number is counted by size: the lower bounds of all but the first bin, rising
}

// Overview is what a crawl found, in numbers.
var Overview = []Panel{
	{View: View{Name: "answers", Say: "Answers of pages", Of: "pages", By: "status"}, Lacks: "no answer"},
	{View: View{Name: "shown", Say: "In search or not, and why", Of: "pages",
		Question: `status == 200 && type.contains("html")`, By: "why"}, Lacks: "may be shown"},
	{
		View: View{
			Name:     "kinds",
			Say:      "Kinds of pages",
			Of:       "pages",
			Question: `status == 200 && kind != ""`,
			By:       "kind",
		},
	},
	{View: View{Name: "sections", Say: "Sections", Of: "pages", Question: `status == 200`, By: "section"}},
	{
		View:  View{Name: "clicks", Say: "Clicks from the home page", Of: "pages", Question: `indexable`, By: "clicks"},
		Lacks: "no way there",
	},
	{
		View:  View{Name: "languages", Say: "Languages", Of: "pages", Question: `indexable`, By: "language"},
		Lacks: "none declared",
	},
	{View: View{Name: "words", Say: "Words on a page", Of: "pages", Question: `indexable`, By: "words"},
		Bins: []float64{50, 100, 200, 400, 800, 1600}},
	{View: View{Name: "sizes", Say: "Size of a page's HTML", Of: "pages", Question: `status == 200`, By: "bytes"},
		Bins: []float64{10_000, 20_000, 50_000, 100_000, 200_000, 500_000}},
	{View: View{Name: "times", Say: "Time to the first byte", Of: "pages", Question: `status != 0`, By: "firstByte"},
		Bins: []float64{50, 100, 200, 500, 1000, 3000}},
	{View: View{Name: "links", Say: "Pages that link to a page", Of: "pages", Question: `indexable`, By: "linksIn"},
		Bins: []float64{1, 2, 5, 10, 50, 200}},
	{View: View{Name: "loaded", Say: "What pages load", Of: "resources", By: "role"}},
	{
		View:  View{Name: "loadedAnswers", Say: "Answers of what they load", Of: "resources", By: "status"},
		Lacks: "no answer",
	},
}

// BinOf is the bin that a number falls in, by its place: 0 for what lies below all bounds; nil for what is no number.
func BinOf(v any, bins []float64) any {
	n, ok := NumberOf(v)
	if !ok {
		return nil
	}
	at, found := slices.BinarySearch(bins, n)
	if found {
		at++
	}
	return at
}

// BinSays is a bin in words: "50 to 99", "3 000 and more".
func BinSays(at int, bins []float64, write func(float64) string) string {
	switch {
	case at == 0 && bins[0] == 1:
		return write(0)
	case at == 0:
		return "under " + write(bins[0])
	case at == len(bins):
		return write(bins[at-1]) + " and more"
	case bins[at-1]+1 == bins[at]:
		return write(bins[at-1])
	}
	return write(bins[at-1]) + " to " + write(bins[at]-1)
}

// Narrowed is a question of those of its rows that have a value in a fact: one that rows have there, nil for what is
// not known.
func (t *Table) Narrowed(question string, p Pick, value any) string {
	f := t.Picked(p)
	name := f.Name
	if p.Figure != "" {
		name = t.Facts[p.Fact].Name + "[" + strconv.Quote(p.Figure) + "]"
	}
	var condition string
	switch v := value.(type) {
	case nil:
		if condition = "!known(" + name + ")"; p.Figure != "" {
			condition = "!(" + strconv.Quote(p.Figure) + " in " + t.Facts[p.Fact].Name + ")"
		}
	case bool:
		if condition = name; !v {
			condition = "!" + name
		}
	case string:
		if condition = name + " == " + strconv.Quote(v); f.Kind == List {
			condition = strconv.Quote(v) + " in " + name
		}
	case float64:
		condition = name + " == " + decimal(v)
	default:
		condition = fmt.Sprintf("%s == %v", name, v)
	}
	return and(question, condition)
}

// decimal is a number as CEL takes it for one with decimals.
func decimal(v float64) string {
	s := strconv.FormatFloat(v, 'f', -1, 64)
	if !strings.Contains(s, ".") {
		s += ".0"
	}
	return s
}

// NarrowedTo is Narrowed for a bin.
func (t *Table) NarrowedTo(question string, p Pick, at int, bins []float64) string {
	name := t.Facts[p.Fact].Name
	bound := func(v float64) string {
		if t.Facts[p.Fact].Kind == Decimal {
			return decimal(v)
		}
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	var conditions []string
	if at > 0 {
		conditions = append(conditions, name+" >= "+bound(bins[at-1]))
	}
	if at < len(bins) {
		conditions = append(conditions, name+" < "+bound(bins[at]))
	}
	return and(question, strings.Join(conditions, " && "))
}

// and joins a question and a further condition.
func and(question, condition string) string {
	question = strings.TrimSpace(question)
	switch {
	case question == "":
		return condition
	case strings.Contains(question, "//"): // it may end in a remark, which would take in what follows
		question = "(" + question + "\n)"
	case strings.Contains(question, "||") || strings.Contains(question, "?"):
		question = "(" + question + ")"
	}
	return question + " && " + condition
}
