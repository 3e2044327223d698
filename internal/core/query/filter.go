package query

import (
	"cmp"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/text"
)

// A Filter narrows a list of fetched addresses by what is asked most: each part that is not empty is a condition, and
// all of them together are a question.
type Filter struct {
	Role    string // pages if empty; "resources" for all others, or the role of some of them
	Search  string // part of the address or title, in any case
	Status  string // "200", a class such as "4xx", or "none"
	Kind    string // "html", "other", or a kind of page
	Check   string // that fails on it
	Fix     string // that is about it
	Section string // a folder with all below it, such as "/plants/"; "/" for what lies in none
	Having  string // a condition with an own figure: "visits>=100"
	// Indexable and Reachable narrow pages to those that search engines may show, and that links from home lead to:
	// "yes" or "no". Why narrows them to those kept out for a reason with these words.
	Indexable, Reachable, Why string
	// Sort is a fact, with - before it for falling; by default the order in which they were found.
	Sort string
}

// View is the question that a filter is, of a site that has these figures of its own. The error is a Fault.
func (f *Filter) View(figures []string) (v View, err error) {
	v.Of = "pages"
	var all []string
	and := func(format string, values ...any) { all = append(all, fmt.Sprintf(format, values...)) }
	role, known := page.RoleOf(f.Role)
	switch {
	case f.Role == "", known && role == page.AsPage:
	case f.Role == "resources":
		v.Of = f.Role
	case known:
		v.Of = "resources"
		and("role == %s", strconv.Quote(f.Role))
	default:
		return v, &Fault{"role", fmt.Sprintf("there is no role %q; there are %s, and resources for all but page", f.Role,
			strings.Join(page.RoleNames(), ", "))}
	}
	if f.Search != "" {
		words := strconv.Quote(strings.ToLower(f.Search))
		and("(address.lower().contains(%[1]s) || title.lower().contains(%[1]s))", words)
	}
	if f.Status != "" {
		one, err := ofStatus(f.Status)
		if err != nil {
			return v, err
		}
		and("%s", one)
	}
	switch f.Kind {
	case "":
	case "html":
		and("known(indexable)")
	case "other":
		and("!known(indexable)")
	default:
		and("kind == %s", strconv.Quote(f.Kind))
	}
	for _, half := range []struct{ name, wish, yes, no string }{
		{"indexable", f.Indexable, "indexable", "!indexable"},
		{"reachable", f.Reachable, "known(indexable) && known(clicks)", "known(indexable) && !known(clicks)"},
	} {
		switch half.wish {
		case "":
		case "yes":
			and("%s", half.yes)
		case "no":
			and("%s", half.no)
		default:
			return v, &Fault{half.name, fmt.Sprintf("it is yes or no, not %q", half.wish)}
		}
	}
	if f.Why != "" {
		and("why.lower().contains(%s)", strconv.Quote(strings.ToLower(f.Why)))
	}
	if f.Check != "" {
		and("%s in fails", strconv.Quote(f.Check))
	}
	if f.Fix != "" {
		and("%s in fixes", strconv.Quote(f.Fix))
	}
	switch f.Section {
	case "":
	case "/":
		and(`section == "/"`)
	default:
		and("path.startsWith(%s)", strconv.Quote(f.Section))
	}
	if f.Having != "" {
		one, err := ofFigure(f.Having, figures)
		if err != nil {
			return v, err
		}
		and("%s", one)
	}
	v.Question = strings.Join(all, " && ")
	v.Order, err = TableOf(v.Of).sorted(f.Sort, figures)
	return v, err
}

// ofStatus is the condition that an answer has a status, or one of a class.
func ofStatus(status string) (string, error) {
	if status == "none" {
		return "!known(status)", nil
	}
	if class, ok := strings.CutSuffix(status, "xx"); ok && len(class) == 1 && class >= "1" && class <= "5" {
		return fmt.Sprintf("status >= %[1]s00 && status <= %[1]s99", class), nil
	}
	n, err := strconv.ParseInt(status, 10, 32)
	if err != nil {
		return "", &Fault{"status", fmt.Sprintf("it is a number, a class such as 4xx, or none, not %q", status)}
	}
	return fmt.Sprintf("status == %d", n), nil
}

// having is a condition with an own figure: name, comparison, number.
var having = regexp.MustCompile(`^\s*(.+?)\s*(>=|<=|>|<|=)\s*(-?[0-9]{1,100}(?:\.[0-9]{1,100})?)\s*$`)

// ofFigure is the condition that an own figure is like this.
func ofFigure(condition string, figures []string) (string, error) {
	m := having.FindStringSubmatch(condition)
	if m == nil {
		return "", &Fault{"having", fmt.Sprintf("%q is no condition with a figure; write NAME, one of > >= = <= <, and "+
			"a number, such as visits>=100", text.Shorten(condition, 60, 60, 0))}
	}
	name, err := spelled(m[1], figures)
	if err != nil {
		return "", &Fault{"having", err.Error()}
	}
	number := m[3]
	if !strings.Contains(number, ".") {
		number += ".0" // however large
	}
	is := m[2]
	if is == "=" {
		is = "=="
	}
	return fmt.Sprintf("figures[%s] %s %s", strconv.Quote(name), is, number), nil
}

// sorted is what a list goes by, with the figure that it may name as it is spelled.
func (t *Table) sorted(by string, figures []string) (string, error) {
	name, falling := strings.CutPrefix(by, "-")
	if figure, ok := strings.CutPrefix(name, "figures."); ok {
		exact, err := spelled(figure, figures)
		if err != nil {
			return "", &Fault{"sort", err.Error()}
		}
		name = "figures." + exact
	}
	switch {
	case name == "found" && falling:
		return "", &Fault{"sort", "the order in which they were found cannot be turned round"}
	case name == "found" || name == "":
		return "", nil
	}
	if _, err := t.goneBy(name, false); err != nil {
		return "", &Fault{"sort", err.Error()}
	}
	if falling {
		name = "-" + name
	}
	return name, nil
}

// spelled is the exact name of an own figure.
func spelled(name string, figures []string) (string, error) {
	for _, exact := range figures {
		if strings.EqualFold(exact, name) {
			return exact, nil
		}
	}
	return "", fmt.Errorf("the site has no figure %q; it has %s%s", name, cmp.Or(strings.Join(figures, ", "), "none"),
		plan.Meant(name, figures))
}
