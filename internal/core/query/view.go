package query

import (
	"fmt"
	"slices"
	"strings"
)

// A View is a question with how its answer is shown, under a name.
type View struct {
	Name     string
	Say      string // what it asks, as a person would
	Of       string // the table; pages where there is none
	Question string
	Columns  []string
	Order    string // a fact, with - before it for falling
	By       string
	Measure  string
}

// Asked is a view that was understood.
type Asked struct {
	Question *Question
	Columns  []Pick
	Order    Pick // nothing for the order in which rows were found
	Falling  bool
	By       Pick // by which answers are grouped; nothing where rows are wanted
	Measure  Pick // what is measured in each group
}

// Reads tells whether answering takes a fact, by its name.
func (a *Asked) Reads(name string) bool {
	at := a.Question.Of.place(name)
	return at >= 0 && (slices.Contains(a.Question.Uses, at) || slices.Contains(a.Columns, Pick{Fact: at}))
}

// A Fault is what is wrong with a part of a view, other than its question.
type Fault struct {
	Part string // "columns"
	Says string
}

func (f *Fault) Error() string { return f.Part + ": " + f.Says }

// Understand compiles the view. The error is Mistakes of its question, or a Fault.
func (v *View) Understand() (out Asked, err error) {
	t := Tables[0]
	if v.Of != "" {
		if t = TableOf(v.Of); t == nil {
			return out, &Fault{"of", fmt.Sprintf("there is no table %q; there are %s", v.Of, strings.Join(Names(), ", "))}
		}
	}
	if out.Question, err = t.Compile(v.Question); err != nil {
		return out, err
	}
	order, falling := strings.CutPrefix(v.Order, "-")
	out.Falling = falling
	for _, one := range []struct {
		part, fact string
		into       *Pick
	}{{"order", order, &out.Order}, {"by", v.By, &out.By}, {"measure", v.Measure, &out.Measure}} {
		*one.into = Nothing
		if one.fact == "" {
			continue
		}
		if *one.into, err = t.goneBy(one.fact, one.part == "measure"); err != nil {
			return out, &Fault{one.part, err.Error()}
		}
	}
	if out.Columns = out.Question.Shown(out.Order); len(v.Columns) > 0 {
		if out.Columns, err = t.Chosen(v.Columns...); err != nil {
			return out, &Fault{"columns", err.Error()}
		}
		for _, p := range out.Columns {
			if f := t.Picked(p); f.Kind == Links {
				return out, &Fault{"columns", f.Name + " is gone through in a question, and is too much to show"}
			}
		}
	}
	if out.Measure.Picks() && !out.By.Picks() {
		return out, &Fault{"measure", "it is measured in groups: say by which fact"}
	}
	return out, nil
}

// goneBy is a fact that rows can be sorted or grouped by, or measured.
func (t *Table) goneBy(name string, measured bool) (Pick, error) {
	at, err := t.Chosen(name)
	if err != nil {
		return Nothing, err
	}
	f := t.Picked(at[0])
	isNumber := f.Kind == Whole || f.Kind == Decimal
	if f.Kind >= Figures || f.Long || measured && !isNumber {
		return Nothing, fmt.Errorf("%s is %s, which this cannot go by", f.Name, f.Kind.Says())
	}
	return at[0], nil
}

// Bounds of what is kept with a view.
const (
	maxColumns = 60
	maxSay     = 300 // characters
)

// Check tells whether a view can be kept: understood, and of bearable size. The error is that of Understand.
func (v *View) Check() error {
	switch {
	case len(v.Columns) > maxColumns:
		return &Fault{"columns", fmt.Sprintf("a view has at most %d", maxColumns)}
	case len([]rune(v.Say)) > maxSay:
		return &Fault{"say", fmt.Sprintf("what a view asks is said in at most %d characters", maxSay)}
	case slices.ContainsFunc(Views, func(one View) bool { return one.Name == v.Name }):
		return &Fault{"view", fmt.Sprintf("%s comes with Harvik and stays as it is; choose another name", v.Name)}
	}
	_, err := v.Understand()
	return err
}

// Views come with Harvik: what is asked of every site.
var Views = []View{
	{Name: "thin-pages", Say: "Pages that are to explain or to sell, with little to say", Of: "pages",
		Question: `kind in ["page", "product"] && indexable && words < 150`,
		Columns:  []string{"address", "title", "words", "linksIn", "authority"}, Order: "words"},
	{Name: "images-by-weight", Say: "What the pages' pictures weigh, the heaviest first", Of: "resources",
		Question: `role == "image" && known(bytes)`,
		Columns:  []string{"address", "type", "bytes", "linksIn", "status"}, Order: "-bytes"},
	{Name: "pages-by-links-in", Say: "Pages that can be found, those with the fewest links in first", Of: "pages",
		Question: `indexable`, Columns: []string{"address", "title", "linksIn", "clicks", "authority"}, Order: "linksIn"},
	{Name: "broken-links", Say: "Links to what is not there, with where they stand and what they say", Of: "links",
		Question: `target.status in [404, 410]`,
		Columns:  []string{"target.address", "words", "region", "source.address", "line"}, Order: "target.address"},
	{Name: "redirects-of-two-hops", Say: "Addresses that lead on more than once, or nowhere", Of: "redirects",
		Question: `hops > 1 || circle`, Columns: []string{"address", "hops", "way", "end", "endStatus", "linksIn"},
		Order: "-linksIn"},
	{Name: "undescribed-by-visits", Say: "Pages without a description, the most visited first", Of: "pages",
		Question: `indexable && description == ""`,
		Columns:  []string{"address", "title", "figures.visits", "linksIn", "importance"}, Order: "-figures.visits"},
	{Name: "orphans", Say: "Pages that search engines may show and no link leads to", Of: "pages",
		Question: `indexable && linksIn == 0 && !known(clicks)`,
		Columns:  []string{"address", "title", "foundBy", "inSitemap", "words"}},
	{Name: "noindex-in-navigation", Say: "Where navigation leads to pages that search engines may not show", Of: "links",
		Question: `region in ["navigation", "header", "footer"] && target.status == 200 && target.why.contains("noindex")`,
		By:       "target.address"},
	{Name: "slow-pages", Say: "Pages whose first byte takes over six tenths of a second", Of: "pages",
		Question: `role == "page" && firstByte > 600`,
		Columns:  []string{"address", "firstByte", "bytes", "linksIn", "importance"}, Order: "-firstByte"},
	{Name: "changed-titles", Say: "Pages whose title is not what it was in the crawl before", Of: "pages",
		Question: `before.status == 200 && status == 200 && before.title != title`,
		Columns:  []string{"address", "before.title", "title", "importance"}, Order: "-importance"},
}
