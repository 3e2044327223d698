// Package own makes checks of questions: a check of one's own fails wherever its question holds.
package own

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/field"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
)

var shape = regexp.MustCompile(`^` + check.OwnPrefix + `[a-z0-9][a-z0-9-]{0,58}$`)

// With is a catalogue with the checks of a plan's own. Those that cannot be understood, since facts are called
// otherwise today, are left out; the error says which.
func With(c *check.Catalogue, p plan.Plan) (*check.Catalogue, error) {
	if len(p.Own) == 0 {
		return c, nil
	}
	var made []*check.Check
	var faults []error
	for i := range p.Own {
		one, err := compile(&p.Own[i])
		switch {
		case err != nil:
			faults = append(faults, fmt.Errorf("%s: %w", p.Own[i].ID, err))
		case !slices.ContainsFunc(made, func(m *check.Check) bool { return m.ID == one.of.ID }):
			made = append(made, one.check())
		}
	}
	return check.NewCatalogue(c.Version, c.Checks, made), errors.Join(faults...)
}

// Known is what plans may name: of the catalogue, and of what their own checks may say.
func Known(c *check.Catalogue) plan.Known {
	k := c.Known()
	k.Field = field.Faults
	k.Own = func(o *plan.OwnCheck) []plan.Fault { return Faults(o, c.Groups) }
	return k
}

// An asker is a check made from a question.
type asker struct {
	of    *plan.OwnCheck
	asked *query.Question
	value query.Pick // what is shown as what is wrong; nothing where nothing is
	told  []int      // the facts whose values are the evidence
}

// only are the tables that can be judged while a crawl is.
var only = []string{"pages", "resources", "links", "redirects", "renderings"}

// later are facts that only judging tells, or that change without a crawl.
var later = map[string]string{
	"health": "which checks make", "importance": "which judging works out", "errors": "which checks make",
	"warnings": "which checks make", "notices": "which checks make", "figures": "which change between crawls",
	query.Fails: "which checks make", query.Fixes: "which checks make",
	query.LinkedBy: "which only asking goes through", "source": "which is read only where it is asked for",
}

func compile(o *plan.OwnCheck) (*asker, error) {
	a := &asker{of: o, value: query.Nothing}
	t := query.TableOf(cmp.Or(o.Of, only[0]))
	if t == nil || !slices.Contains(only, t.Name) {
		return nil, fmt.Errorf("there are no checks of %q; there are of %s", o.Of, strings.Join(only, ", "))
	}
	var err error
	if a.asked, err = t.Compile(o.Question); err != nil {
		return nil, err
	}
	uses := slices.Clone(a.asked.Uses)
	if o.Value != "" {
		picked, err := t.Chosen(o.Value)
		if err != nil {
			return nil, fmt.Errorf("value: %w", err)
		}
		a.value = picked[0]
		uses = append(uses, a.value.Fact)
	}
	for _, at := range uses {
		name := t.Facts[at].Name
		if why := later[name[strings.LastIndexByte(name, '.')+1:]]; why != "" || strings.HasPrefix(name, query.Before) {
			return nil, fmt.Errorf("a check cannot be about %s, %s", name, cmp.Or(why, "which is of another crawl"))
		}
	}
	a.told = a.asked.Telling()
	if device := t.Fact("device"); device >= 0 && !slices.Contains(a.told, device) {
		a.told = append([]int{device}, a.told...) // without it nobody knows where to look
	}
	return a, nil
}

// Faults are what is wrong with a check of one's own, by its fields. Groups are those there are.
func Faults(o *plan.OwnCheck, groups []string) (out []plan.Fault) {
	fault := func(field, format string, args ...any) {
		out = append(out, plan.Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
	}
	if !shape.MatchString(o.ID) {
		fault(
			"id",
			"%q is no name for a check of one's own: it begins with own-, and has small letters, digits and hyphens",
			o.ID,
		)
	}
	if !slices.Contains(groups, o.Group) {
		fault("group", "there is no group %q of checks%s; there are %s", o.Group, plan.Meant(o.Group, groups),
			strings.Join(groups, ", "))
	}
	for _, text := range [][2]string{{"title", o.Title}, {"why", o.Why}, {"how", o.How}} {
		if len(strings.TrimSpace(text[1])) < 5 {
			fault(text[0], "is missing: whoever reads the fix list is to know %s", map[string]string{
				"title": "what is wrong", "why": "why it matters", "how": "what to do"}[text[0]])
		}
	}
	if strings.TrimSpace(o.Question) == "" {
		fault("question", "is missing; such as words < 50 && kind == \"product\"")
		return out
	}
	if o.Cause == "value" && o.Value == "" {
		fault("value", "say which fact those have in common that one change mends")
	}
	a, err := compile(o)
	var mistakes query.Mistakes
	switch {
	case errors.As(err, &mistakes):
		for _, m := range mistakes {
			where := fmt.Sprintf("at character %d: ", m.Column)
			if m.Line > 1 {
				where = fmt.Sprintf("line %d, character %d: ", m.Line, m.Column)
			}
			fault("question", "%s%s", where, m.Says)
		}
		return out
	case err != nil:
		fault("question", "%s", err)
		return out
	}
	return append(out, a.examples()...)
}

// examples holds the question to what its examples say of it.
func (a *asker) examples() (out []plan.Fault) {
	for _, side := range []struct {
		field    string
		examples []map[string]any
		holds    bool
	}{{"fires", a.of.Fires, true}, {"passes", a.of.Passes, false}} {
		if len(side.examples) == 0 {
			out = append(out, plan.Fault{Field: side.field,
				Reason: "an example is missing: some facts with their values, such as [{words: 20, kind: product}]"})
		}
		for i, example := range side.examples {
			field := fmt.Sprintf("%s[%d]", side.field, i)
			row, err := a.row(example)
			if err != nil {
				out = append(out, plan.Fault{Field: field, Reason: err.Error()})
				continue
			}
			holds, err := a.asked.Holds(row)
			switch {
			case err != nil:
				out = append(out, plan.Fault{Field: field, Reason: err.Error()})
			case holds != side.holds:
				out = append(out, plan.Fault{Field: field, Reason: fmt.Sprintf(
					"the question %s of this example%s", map[bool]string{true: "holds", false: "does not hold"}[holds],
					a.missing(example, holds))})
			}
		}
	}
	return out
}

// missing names what a question asks that an example does not say, where that may be why it does not hold.
func (a *asker) missing(example map[string]any, holds bool) string {
	var names []string
	for _, at := range a.asked.Uses {
		name := a.asked.Of.Facts[at].Name
		if _, ok := example[name]; !ok && a.asked.Of.Facts[at].OfAddress == nil {
			names = append(names, name)
		}
	}
	if holds || len(names) == 0 {
		return ""
	}
	return ": it says nothing of " + strings.Join(names, ", ")
}

// row are the facts of an example. What its address tells need not be said.
func (a *asker) row(example map[string]any) ([]any, error) {
	t := a.asked.Of
	row := make([]any, len(t.Facts))
	all := make([]int, len(t.Facts))
	for at := range all {
		all[at] = at
	}
	told := map[int]any{}
	for name, v := range example {
		picked, err := t.Chosen(name)
		if err != nil {
			return nil, err
		}
		at := picked[0].Fact
		if figure := picked[0].Figure; figure != "" { // fields.price
			taken, _ := row[at].(map[string]any)
			if taken == nil {
				taken = map[string]any{}
			}
			if taken[figure] = v; !isPlain(v) {
				return nil, fmt.Errorf("%s: a text, a number, or a list of either is wanted", name)
			}
			row[at], told[at] = taken, taken
			continue
		}
		value, err := t.Facts[at].Take(v)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		row[at], told[at] = value, value
	}
	t.Complete(row, all)
	for at, v := range told {
		row[at] = v
	}
	return row, nil
}

// isPlain tells what a field can be.
func isPlain(v any) bool {
	switch v := v.(type) {
	case string, int, float64:
		return true
	case []any:
		return !slices.ContainsFunc(v, func(one any) bool { return !isPlain(one) })
	}
	return false
}

// check is the check itself.
func (a *asker) check() *check.Check {
	o := a.of
	c := &check.Check{
		ID: o.ID, Group: o.Group, Severity: check.Warning, Factor: o.Factor, Scope: check.WholeSite, Title: o.Title,
		Line: cmp.Or(o.Line, sentence(o.Title)), What: cmp.Or(o.What, "The question "+o.Question+" holds."), Why: o.Why,
		How: o.How, Site: a.judge, Rendered: a.asked.Of.Name == "renderings",
	}
	if o.Severity != "" {
		_ = c.Severity.UnmarshalText([]byte(o.Severity)) // a valid plan names one of three
	}
	c.Effort = map[string]check.Effort{"hours": check.Hours, "days": check.Days}[o.Effort]
	c.Gather = map[string]check.Gather{"target": check.ByTarget, "value": check.ByValue, "page": check.Alone,
		"place": check.ByPlace}[cmp.Or(o.Cause, usualCause[a.asked.Of.Name])]
	return c
}

// usualCause is what one change mends, where nothing is said.
var usualCause = map[string]string{"pages": "place", "resources": "target", "links": "target", "redirects": "target",
	"renderings": "place"}

// sentence begins with a capital.
func sentence(s string) string {
	r := []rune(s)
	if len(r) == 0 {
		return s
	}
	return strings.ToUpper(string(r[0])) + string(r[1:])
}
