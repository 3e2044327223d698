// Package alert knows what is worth telling: rules, which are values like checks, and what each makes of a crawl, of a
// watched address and of what a site shows besides its pages. Time is an argument: it has no clock.
package alert

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"harvik/internal/core/check"
	"harvik/internal/core/gate"
	"harvik/internal/core/plan"
)

// A Rule says what is to be told.
type Rule struct {
	Name     string
	What     string  // the name of a Kind
	Least    float64 // from which number on, in the unit of the kind; 0 for the kind's own
	Severity string  // of findings, this or a graver one; "" for errors
	Group    string  // of checks; "" for all
	Check    string  // "" for all
	Section  string  // pages whose path begins so; "" for all
	Question string  // in CEL, of pages
	Gate     gate.Conditions
	To       []string // names of ways; nil for all that are for the site
	Every    int      // hours in which it tells at most once; 0 for no such bound
	Off      bool
}

// A Kind is something that a rule can tell of.
type Kind struct {
	Name   string
	Says   string // what is told, in words
	Unit   string // of the threshold; "" where it has none
	Least  float64
	On     bool // it is told of a new site, without anybody having asked for it
	Lasts  bool // it is told when it begins and when it is over
	Urgent bool // it is told in quiet hours, too, where somebody wants that
	takes  []string
}

// The kinds of what can be told.
const (
	HealthFell  = "health-fell"
	NewFindings = "new-findings"
	Vanished    = "pages-vanished"
	Appeared    = "pages-appeared"
	Moved       = "pages-moved"
	Closed      = "pages-closed"
	Retitled    = "pages-changed"
	Shut        = "robots-shut"
	Shrank      = "sitemap-shrank"
	Certificate = "certificate-ends"
	Outage      = "outage"
	Slow        = "slow"
	Otherwise   = "watched-changed"
	FrontOther  = "front-changed"
	CrawlFailed = "crawl-failed"
	FixReturned = "fix-returned"
	GateShut    = "gate-shut"
	Asked       = "question-answered"
)

// Kinds are all, what matters most first.
var Kinds = []Kind{
	{Name: Outage, Says: "a watched address is not to be had", Unit: "minutes", On: true, Lasts: true, Urgent: true},
	{Name: Shut, Says: "robots.txt shuts pages out that were open", Unit: "pages", Least: 1, On: true, Urgent: true,
		takes: []string{"section"}},
	{Name: Closed, Says: "pages can no longer be found in search", Unit: "pages", Least: 1, On: true, Urgent: true,
		takes: []string{"section"}},
	{Name: Certificate, Says: "a certificate ends soon", Unit: "days", Least: 14, On: true, Lasts: true, Urgent: true},
	{Name: CrawlFailed, Says: "a crawl failed, was refused or was put away", On: true, Lasts: true},
	{Name: HealthFell, Says: "health fell", Unit: "points", Least: 3, On: true},
	{Name: NewFindings, Says: "there are new findings", Unit: "pages", Least: 1, On: true, Lasts: true,
		takes: []string{"severity", "group", "check", "section"}},
	{Name: FixReturned, Says: "a fix that was confirmed is there again", On: true, Lasts: true,
		takes: []string{"severity", "group", "check", "section"}},
	{Name: Vanished, Says: "pages are no more", Unit: "pages", Least: 5, On: true, takes: []string{"section"}},
	{Name: Shrank, Says: "the sitemaps list fewer addresses", Unit: "hundredths", Least: 20, On: true},
	{Name: Otherwise, Says: "a watched address shows something else", On: true},
	{Name: FrontOther, Says: "robots.txt, DNS, headers or the certificate changed", On: true},
	{Name: Retitled, Says: "important pages have another title, heading or canonical", Unit: "pages", Least: 1,
		takes: []string{"section"}},
	{Name: Slow, Says: "a watched address is slow", Unit: "minutes", Least: 15, Lasts: true},
	{Name: Moved, Says: "pages have moved", Unit: "pages", Least: 5, takes: []string{"section"}},
	{Name: Appeared, Says: "there are new pages", Unit: "pages", Least: 5, takes: []string{"section"}},
	{Name: GateShut, Says: "a crawl does not pass a gate", Lasts: true, takes: []string{"gate"}},
	{Name: Asked, Says: "a question of your own has answers", Unit: "pages", Least: 1, Lasts: true, takes: []string{"question"}},
}

// KindOf is the kind of a name; nil where there is none.
func KindOf(name string) *Kind {
	if i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.Name == name }); i >= 0 {
		return &Kinds[i]
	}
	return nil
}

// defaults are the rules of a site for which nobody has made any, in the order of their kinds.
var defaults = sync.OnceValue(func() (out []Rule) {
	for _, k := range Kinds {
		if k.On {
			out = append(out, Rule{Name: k.Name, What: k.Name})
		}
	}
	return out
})

// Defaults are the rules of a site for which nobody has made any: each is named after its kind.
func Defaults() []Rule { return slices.Clone(defaults()) }

// Joined are the rules of a site: those of its own, and the defaults that none of them has the name of.
func Joined(own []Rule) []Rule {
	if len(own) == 0 {
		return Defaults()
	}
	out := slices.Clone(own)
	for _, r := range defaults() {
		if !slices.ContainsFunc(own, func(o Rule) bool { return o.Name == r.Name }) {
			out = append(out, r)
		}
	}
	place := func(r Rule) int {
		return slices.IndexFunc(Kinds, func(k Kind) bool { return k.Name == r.What })
	}
	slices.SortStableFunc(out, func(a, b Rule) int { return place(a) - place(b) })
	return out
}

// From is the threshold.
func (r *Rule) From() float64 {
	if k := KindOf(r.What); r.Least == 0 && k != nil {
		return k.Least
	}
	return r.Least
}

// Takes are what of a rule, besides its threshold, means anything to the kind.
func (k *Kind) Takes(what string) bool { return slices.Contains(k.takes, what) }

// severityOf reads a severity; errors without one.
func severityOf(name string) (s check.Severity, err error) {
	s = check.Error
	if name != "" {
		err = s.UnmarshalText([]byte(name))
	}
	return s, err
}

// Examine says what is wrong with a rule; the error is plan.Faults. Groups are those of checks, known their names.
func (r *Rule) Examine(groups []string, known func(id string) bool) error {
	var faults plan.Faults
	add := func(field, format string, args ...any) {
		faults = append(faults, plan.Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
	}
	k := KindOf(r.What)
	if k == nil {
		var names []string
		for _, k := range Kinds {
			names = append(names, k.Name)
		}
		reason := fmt.Sprintf("%q is nothing that can be told; there are %s", r.What, strings.Join(names, ", "))
		if near := plan.Nearest(r.What, names); near != "" {
			reason = fmt.Sprintf("%q is nothing that can be told; did you mean %q?", r.What, near)
		}
		return plan.Faults{{Field: "what", Reason: reason}}
	}
	if r.Least < 0 || r.Least > 1e9 {
		add("least", "a threshold is not below 0")
	}
	if r.Least > 0 && k.Unit == "" {
		add("least", "%s has no threshold", k.Name)
	}
	for _, p := range []struct {
		field string
		given bool
	}{
		{"severity", r.Severity != ""}, {"group", r.Group != ""}, {"check", r.Check != ""}, {"section", r.Section != ""},
		{"question", r.Question != ""},
		{"gate", r.Gate.MinHealth > 0 || r.Gate.NoNew != nil || len(r.Gate.Max) > 0},
	} {
		switch needs := k.Takes(p.field); {
		case p.given && !needs:
			add(p.field, "%s is told without regard to it", k.Name)
		case !p.given && needs && (p.field == "question" || p.field == "gate"):
			add(p.field, "%s needs one", k.Name)
		}
	}
	if _, err := severityOf(r.Severity); err != nil {
		add("severity", "%v", err)
	}
	if r.Group != "" && !slices.Contains(groups, r.Group) {
		add("group", "%q is no group of checks; there are %s", r.Group, strings.Join(groups, ", "))
	}
	if r.Check != "" && !known(r.Check) {
		add("check", "there is no check %q", r.Check)
	}
	if r.Section != "" && !strings.HasPrefix(r.Section, "/") {
		add("section", "%q is no beginning of a path; write one such as /shop/", r.Section)
	}
	if r.Every < 0 || r.Every > 24*31 {
		add("every", "it is told at most once in 0 to 744 hours")
	}
	if faults != nil {
		return faults
	}
	return nil
}
