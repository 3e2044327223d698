// Package brief writes what a client reads of a crawl: how the site stands, what to do first, what has got better. It
// computes from what it is given, and says nothing that the fix list does not say.
package brief

import (
	"fmt"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
)

// Choices are what the consultant says of a report.
type Choices struct {
	Title    string            // of the cover; "" for the usual
	Client   string            // for whom it is
	By       string            // by whom
	Words    string            // of the cover, as Markdown
	Parts    []string          // by name, in order; none for all
	Fixes    int               // that are told in full; 0 for usualFixes
	Comments map[string]string // as Markdown, under a part or a fix, by name
	LeaveOut LeaveOut
}

// LeaveOut is what a report does not tell.
type LeaveOut struct {
	Severities []check.Severity
	Checks     []string // or patterns, such as "sharing-*"
}

// Bounds of a report.
const (
	usualFixes = 10
	mostFixes  = 500
	mostWords  = 20_000 // of a comment, in bytes
	mostShown  = 6      // cases of a fix, fixes of a list
)

// A PartKind is a part that a report can have.
type PartKind struct{ Name, Title string }

// PartKinds are all parts, in their usual order.
var PartKinds = []PartKind{
	{"summary", "In short"},
	{"health", "What takes health"},
	{"fixes", "What to do first"},
	{"progress", "What has changed"},
	{"crawl", "How this was looked at"},
	{"words", "Words"},
}

func titleOf(part string) string {
	for _, k := range PartKinds {
		if k.Name == part {
			return k.Title
		}
	}
	return ""
}

// Faults says what of the choices cannot be; nil where all can.
func (c *Choices) Faults() (faults plan.Faults) {
	add := func(field, format string, args ...any) {
		faults = append(faults, plan.Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
	}
	var names []string
	for _, k := range PartKinds {
		names = append(names, k.Name)
	}
	for i, part := range c.Parts {
		switch {
		case titleOf(part) == "":
			add("parts", "there is no part %q%s", part, plan.Meant(part, names))
		case slices.Contains(c.Parts[:i], part):
			add("parts", "%s stands there twice", part)
		}
	}
	if c.Fixes < 0 || c.Fixes > mostFixes {
		add("fixes", "a report tells 1 to %d fixes in full", mostFixes)
	}
	for name, words := range c.Comments {
		if len(words) > mostWords {
			add("comments", "the comment of %s has %d bytes; at most %d are printed", name, len(words), mostWords)
		}
	}
	if len(c.Words) > mostWords {
		add("words", "they have %d bytes; at most %d are printed", len(c.Words), mostWords)
	}
	return faults
}

// Facts are what a report is made of.
type Facts struct {
	Home    string
	Crawl   int
	Day     string // of the crawl, as it is to be read
	Fetched int
	Ending  string // of the crawl, by name
	Plan    plan.Plan
	Report  *fixlist.Report
	Fixes   []fixlist.Fix // not waived, in order of rank
	Check   func(id string) *check.Check
	Before  *Before // nil for a first crawl
	Past    []Point // health over time, the oldest first, with this crawl
}

// Before is what a crawl is compared with.
type Before struct {
	Crawl int
	Day   string
	Drift *drift.Comparison
}

// A Point is the health of a crawl.
type Point struct {
	Crawl  int
	Day    string
	Health float64
}

// told are those of fixes that are told, by what is left out.
func (c *Choices) told(all []fixlist.Fix) (out []fixlist.Fix) {
	for i := range all {
		f := &all[i]
		covers := func(pattern string) bool { return check.Covers(pattern, f.Check) }
		if !slices.Contains(c.LeaveOut.Severities, f.Severity) && !slices.ContainsFunc(c.LeaveOut.Checks, covers) {
			out = append(out, *f)
		}
	}
	return out
}

// points words points of health.
func points(p float64) string {
	if p > 0 && p < 0.05 {
		return "less than 0.1"
	}
	return fmt.Sprintf("%.1f", p)
}

// meaning says what a health means, for somebody who has not seen one before.
func meaning(r *fixlist.Report) string {
	if !r.Scored {
		return "No page could be looked at, so there is no health to tell."
	}
	out := "Health goes from 0 to 100. At 100 nothing that was looked for is wrong on any page; what is wrong takes points, by how bad it is, on how many pages, and how much these pages matter."
	if r.HalfWidth > 0.05 {
		out += fmt.Sprintf(" Only a part of the site was looked at, so it may be %s more or less.", points(r.HalfWidth))
	}
	if r.Unfound != "" {
		out += " " + r.Unfound
	}
	return out
}

// moved says how health moved since an earlier crawl.
func moved(b *Before) string {
	step := b.Drift.Step
	by := step.After - step.Before
	switch {
	case by >= 0.05:
		return fmt.Sprintf("Health rose by %s, from %.1f to %.1f, since crawl %d of %s.", points(by), step.Before, step.After, b.Crawl, b.Day)
	case by <= -0.05:
		return fmt.Sprintf("Health fell by %s, from %.1f to %.1f, since crawl %d of %s.", points(-by), step.Before, step.After, b.Crawl, b.Day)
	}
	return fmt.Sprintf("Health is as it was at crawl %d of %s: %.1f.", b.Crawl, b.Day, step.After)
}

// how says how the crawl was done.
func (f *Facts) how() []string {
	p := f.Plan.WithDefaults()
	out := []string{
		fmt.Sprintf("Crawl %d of %s looked at %s from %s on.", f.Crawl, f.Day, text.Count(f.Fetched, "address", "addresses"), f.Home),
		fmt.Sprintf("It came as “%s”, with at most %s at once.", p.Agent, text.Count(p.Parallel, "request", "requests")),
	}
	if f.Ending != "" {
		out = append(out, "How it ended: "+vocabulary.Of(vocabulary.Endings, f.Ending)+".")
	}
	if r := f.Report; r.Expected > r.Assessed {
		out = append(out, fmt.Sprintf("%s of about %s were looked at, spread over the site; what is said of all is worked out from these.",
			text.Thousands(r.Assessed), text.Count(r.Expected, "page", "pages")))
	}
	if p.Robots == plan.Disregard {
		out = append(out, "What robots.txt asks was left aside, by permission: "+p.Permission+".")
	} else {
		out = append(out, "What robots.txt asks was kept to.")
	}
	return out
}
