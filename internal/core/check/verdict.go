package check

import (
	"fmt"
	"slices"

	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
)

// States of a verdict.
const (
	Failed    = "failed"
	Passed    = "passed"
	NotJudged = "not-judged"
)

// A Verdict is what one check says of one page, and how it came to it.
type Verdict struct {
	Check    string
	Group    string
	Severity Severity
	Title    string
	State    string   // "failed", "passed" or "not-judged"
	Steps    []string // in order, each a sentence
	Places   []Place
}

// Explain judges a single page by every check, the site unseen; by those of what a browser makes of it where it was
// rendered.
func (r *Runner) Explain(f *page.Facts, on []rendered.Page) []Verdict {
	r.SetKind(f)
	found := map[string]Finding{}
	for _, x := range Told(r.Page(0, f)) {
		found[x.Check.ID] = x
	}
	var out []Verdict
	for _, c := range r.Checks {
		if _, places := r.rendering(c, f.Address, on); len(on) > 0 && len(places) > 0 {
			found[c.ID] = Finding{Check: c, Places: places}
		}
		if c.Judges() {
			out = append(out, r.verdict(c, f, found, len(on) > 0))
		}
	}
	return out
}

func (r *Runner) verdict(c *Check, f *page.Facts, found map[string]Finding, built bool) Verdict {
	v := Verdict{Check: c.ID, Group: c.Group, Severity: c.Severity, Title: c.Title, State: NotJudged}
	say := func(format string, args ...any) { v.Steps = append(v.Steps, fmt.Sprintf(format, args...)) }
	if c.Site != nil {
		say("It is judged over the whole site after a crawl: one page is not enough to know.")
		return v
	}
	if c.Rendering != nil && !built {
		say("It is judged of what a browser makes of the page, and none has made it.")
		return v
	}
	if f.Status == 0 {
		say("There was no answer (%s), so there is no page to judge.", f.Outcome)
		return v
	}
	say("The address answered with status %d and type %q.", f.Status, f.Type)
	if !f.IsPage() {
		say("That is no HTML page with status 200, and this check looks at nothing else.")
		return v
	}
	if f.Outcome == page.Truncated {
		say("The body was cut: what stands behind the cut is not seen.")
	}
	if c.Scope == Indexable {
		ok, why := f.Indexable()
		if !ok {
			say("The check looks only at pages that search engines may show, and this is none: %s.", why)
			return v
		}
		say("Search engines may show the page, so the check looks at it.")
	} else {
		say("The check looks at every HTML page.")
	}
	limits := r.LimitsAt(c, f.Address)
	if limits == nil {
		say("The plan switches the check off here.")
		return v
	}
	for _, l := range AllLimits {
		if slices.Contains(c.Limits, l.Name) {
			say("Its threshold %s is %d %s.", l.Name, l.Of(limits), l.Unit)
		}
	}
	x, failed := found[c.ID]
	if !failed {
		v.State = Passed
		say("It found nothing: %s is not the case.", c.Title)
		return v
	}
	v.State, v.Places, v.Severity = Failed, x.Places, x.Check.Severity
	places := "at one place"
	if len(x.Places) > 1 {
		places = fmt.Sprintf("at %d places", len(x.Places))
	}
	say("It fails %s.", places)
	for _, p := range x.Places[:min(len(x.Places), 20)] {
		where := ""
		if p.Line > 0 {
			where = fmt.Sprintf("Line %d, column %d: ", p.Line, p.Col)
		}
		say("%s%s.", where, p.Note)
	}
	return v
}
