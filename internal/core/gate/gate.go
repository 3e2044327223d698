// Package gate passes or fails a crawl by conditions, so that a pipeline can stop.
package gate

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/text"
)

// Conditions that a crawl has to meet. The zero value asks for nothing.
type Conditions struct {
	MinHealth float64         // points; 0 for any
	NoNew     *check.Severity // no finding of this severity or a graver one that the crawl before did not have
	Max       map[string]int  // check, or a pattern of IDs → findings at most
}

// ParseMax reads "link-broken-inside=0".
func ParseMax(s string) (id string, most int, err error) {
	id, n, ok := strings.Cut(s, "=")
	if most, err = strconv.Atoi(strings.TrimSpace(n)); !ok || err != nil || most < 0 {
		return "", 0, fmt.Errorf("%q is no limit; write a check and a number, such as link-broken-inside=0", s)
	}
	return strings.TrimSpace(id), most, nil
}

// A Verdict is what came of it. It passes if all reasons do.
type Verdict struct {
	Passed  bool
	Health  float64
	Reasons []Reason
}

// A Reason is one condition.
type Reason struct {
	Name   string // of the condition: "health", "new findings", or a check
	Passed bool
	Says   string   // in a sentence, both values named
	Fixes  []string // lines that stand in the way
}

// New are the findings that the crawl before did not have; what is waived is left out.
type New struct {
	Pages map[check.Severity]int // how many times a page newly fails a check of a severity, as judged
	Fixes map[string]bool        // the lines that new findings are part of
}

// Judge holds a report against conditions. What is waived does not count.
func Judge(c Conditions, r *fixlist.Report, new New) Verdict {
	v := Verdict{Passed: true, Health: r.Health, Reasons: []Reason{}}
	add := func(reason Reason) {
		v.Passed = v.Passed && reason.Passed
		v.Reasons = append(v.Reasons, reason)
	}
	if c.MinHealth > 0 {
		reason := Reason{Name: "health", Passed: r.Scored && r.Health >= c.MinHealth}
		switch {
		case !r.Scored:
			reason.Says = "there is no health: no page could be assessed"
		case reason.Passed:
			reason.Says = fmt.Sprintf("health is %.2f, and at least %g is asked for", r.Health, c.MinHealth)
		default:
			reason.Says = fmt.Sprintf("health is %.2f, %.2f less than the %g that is asked for", r.Health,
				c.MinHealth-r.Health, c.MinHealth)
		}
		add(reason)
	}
	if c.NoNew != nil {
		total := 0
		reason := Reason{Name: "new findings"}
		for severity, n := range new.Pages {
			if severity <= *c.NoNew {
				total += n
			}
		}
		for _, f := range r.Fixes {
			if new.Fixes[f.ID] && f.Severity <= *c.NoNew && f.State != fixlist.Waived {
				reason.Fixes = append(reason.Fixes, f.Line)
			}
		}
		reason.Passed = total == 0
		switch total {
		case 0:
			reason.Says = fmt.Sprintf("there is no new finding of severity %s or graver", c.NoNew)
		case 1:
			reason.Says = fmt.Sprintf("there is 1 new finding of severity %s or graver, and none may be", c.NoNew)
		default:
			reason.Says = fmt.Sprintf("there are %s new findings of severity %s or graver, and none may be",
				text.Thousands(total), c.NoNew)
		}
		add(reason)
	}
	for _, pattern := range slices.Sorted(maps.Keys(c.Max)) {
		have := 0
		reason := Reason{Name: pattern}
		for _, l := range r.Ledger {
			if check.Covers(pattern, l.Check) {
				have += l.Places
				reason.Fixes = append(reason.Fixes, linesOf(r, l.Check)...)
			}
		}
		most := c.Max[pattern]
		if reason.Passed = have <= most; reason.Passed {
			reason.Fixes = nil
		}
		reason.Says = fmt.Sprintf("%s has %s, and at most %s may be", pattern, text.Count(have, "finding", "findings"),
			text.Thousands(most))
		add(reason)
	}
	return v
}

// linesOf are the lines of the fix list that are about a check and not waived.
func linesOf(r *fixlist.Report, id string) (out []string) {
	for _, f := range r.Fixes {
		if f.Check == id && f.State != fixlist.Waived {
			out = append(out, f.Line)
		}
	}
	return out
}
