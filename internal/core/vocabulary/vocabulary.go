// Package vocabulary words what the core names, once: every face shows these words and has none of its own for them.
package vocabulary

import (
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/task"
)

// A Word is a name with what it says to people.
type Word struct{ Name, Says string }

// Severities are those of checks, the gravest first.
var Severities = []Word{{"error", "errors"}, {"warning", "warnings"}, {"notice", "notices"}}

// States are the working states of fixes, in the order in which work goes.
var States = []Word{
	{string(task.Open), "open"}, {string(task.Taken), "taken"}, {string(task.Claimed), "claimed"},
	{string(task.Confirmed), "confirmed to be gone"}, {string(task.Returned), "returned"},
	{string(task.Waived), "waived"},
}

// Orders are those of fix lists; the first is their own, in which the running total of health holds.
var Orders = []Word{
	{"severity", "most severe first"}, {"gain", "most gained first"}, {"quick", "most gained for the effort"},
	{"pages", "most pages first"},
}

// Endings are why crawls end.
var Endings = []Word{
	{"complete", "everything fetched"}, {"page-limit", "page limit reached"}, {"time-limit", "time limit reached"},
	{"stopped", "stopped early"}, {"shut-out", "shut out by robots.txt"},
}

// LeftOut are the states of addresses that a crawl knew and did not fetch, with the reason.
var LeftOut = []Word{
	{survey.Blocked.String(), "shut out by robots.txt"},
	{survey.LeftOut.String(), "not wanted by the plan"},
	{survey.Trapped.String(), "of a pattern that never ends"},
	{survey.OverLimit.String(), "over the plan's limit for its part of the site"},
	{survey.TooDeep.String(), "deeper than the plan goes"},
	{survey.Waiting.String(), "known, and not fetched when the crawl ended, or only named where links are not to be followed"},
	{survey.Unlinked.String(), "only listed in a sitemap, and not fetched when the crawl ended"},
	{survey.TooLong.String(), "longer than servers take"},
	{survey.Outside.String(), "of another site"},
	{survey.NotWeb.String(), "no web address"},
}

// Steps are what parts of a step in health come from, besides fixes, which speak for themselves.
var Steps = []Word{
	{drift.ByWaivers, "waivers and weights as they are today"},
	{drift.ByRules, "checks, thresholds or ways of counting that changed"},
	{drift.ByVanished, "pages that are no more"},
	{drift.ByAppeared, "pages that are new"},
	{drift.ByUnseen, "pages that only one of the crawls saw"},
	{drift.BySample, "pages standing for other numbers of pages"},
}

// Kinds are the kinds of pages.
func Kinds() []Word { return plain(page.KindNames()) }

// Roles are what addresses are to a site.
func Roles() []Word { return plain(page.RoleNames()) }

func plain(names []string) []Word {
	out := make([]Word, len(names))
	for i, n := range names {
		out[i] = Word{n, n}
	}
	return out
}

// Of is what a name says in a list of words; the name itself where it is none of them.
func Of(list []Word, name string) string {
	if i := slices.IndexFunc(list, func(w Word) bool { return w.Name == name }); i >= 0 {
		return list[i].Says
	}
	return name
}

// Part says what a part of a step in health comes from.
func Part(p *drift.Part) string {
	if p.By == drift.ByFix {
		return p.Line
	}
	return Of(Steps, p.By)
}

// Graver is the graver of two severities.
func Graver(a, b string) string {
	for _, s := range check.Severities() {
		if a == s || b == s {
			return s
		}
	}
	return a
}
