package alert

import (
	"cmp"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/gate"
	"harvik/internal/core/text"
)

// News is what a crawl that has ended, or was put away, brought.
type News struct {
	Number    int
	Home      string
	Failed    string                    // why it failed or was put away, where nobody wanted that; "" where it finished
	Before    int                       // number of the crawl that it is compared with; 0 for none
	Drift     *drift.Comparison         // with that; nil for none
	Listed    map[string]bool           // the lines of its fix list, by ID
	Important func(address string) bool // pages that matter
	Cause     func(p drift.Part) string // what a part of a step in health comes from, in words
	Gate      func(gate.Conditions) (gate.Verdict, error)
	Ask       func(question string) (addresses []string, all int, err error)
}

// OfCrawl is what a rule makes of a crawl. Open is what it has told that lasts.
func (r *Rule) OfCrawl(n *News, open []Open) (Verdict, error) {
	if n.Failed != "" || r.What == CrawlFailed {
		return r.failed(n, open), nil
	}
	switch r.What {
	case GateShut:
		return r.gated(n, open)
	case Asked:
		return r.asked(n, open)
	case NewFindings, FixReturned:
		return r.fixes(n, open), nil
	}
	if n.Drift == nil {
		return Verdict{}, nil
	}
	t := Told{Subject: fmt.Sprintf("crawl %d", n.Number), Link: fmt.Sprintf("/%d/drift", n.Number)}
	d := n.Drift
	switch r.What {
	case HealthFell:
		return r.fell(n, t), nil
	case Vanished:
		for _, s := range d.Vanished {
			r.page(&t, n, s.Address, s.Why)
		}
		return r.pages(
			t,
			"page is no more",
			"pages are no more",
			"See where they went, and redirect what is linked or was found.",
		), nil
	case Appeared:
		for _, s := range d.Appeared {
			r.page(&t, n, s.Address, "")
		}
		return r.pages(t, "new page", "new pages", ""), nil
	case Moved:
		for _, m := range d.Moved {
			r.page(&t, n, m.From, "now "+short(m.To, n.Home))
		}
		return r.pages(t, "page has moved", "pages have moved", ""), nil
	case Closed:
		for _, c := range d.Changes {
			if c.What == "indexable" && c.After == "no" {
				r.page(&t, n, c.Address, "")
			}
		}
		return r.pages(t, "page can no longer be found in search", "pages can no longer be found in search",
			"Look at what closes one of them; if it is not meant, have it taken out of the template."), nil
	case Shut:
		for _, s := range d.NotSeen {
			if s.Why == "now: blocked" {
				r.page(&t, n, s.Address, "")
			}
		}
		return r.pages(t, "page is shut out by robots.txt", "pages are shut out by robots.txt",
			"Look at the lines that robots.txt has got, and take out what is not meant."), nil
	case Retitled:
		for _, c := range d.Changes {
			if n.Important != nil && n.Important(c.Address) &&
				(c.What == "title" || c.What == "canonical" || c.What == "h1") {
				r.page(
					&t,
					n,
					c.Address,
					fmt.Sprintf(
						"%s: “%s” → “%s”",
						c.What,
						text.Shorten(c.Before, 60, 40, 19),
						text.Shorten(c.After, 60, 40, 19),
					),
				)
			}
		}
		return r.pages(t, "change of an important page", "changes of important pages", ""), nil
	}
	return Verdict{}, nil
}

// page adds a page to what is told, if it is of the section.
func (r *Rule) page(t *Told, n *News, address, more string) {
	if !inSection(address, r.Section) {
		return
	}
	t.Count++
	line := short(address, n.Home)
	if more != "" {
		line += ": " + more
	}
	t.line(line)
}

func inSection(address, section string) bool {
	if section == "" {
		return true
	}
	u, err := url.Parse(address)
	return err == nil && strings.HasPrefix(u.Path, section)
}

// short is an address without what all have in common.
func short(address, home string) string {
	if rest, ok := strings.CutPrefix(address, strings.TrimSuffix(home, "/")); ok && strings.HasPrefix(rest, "/") {
		return rest
	}
	return address
}

// pages tells of so many pages, if they are enough.
func (r *Rule) pages(t Told, one, many, first string) (v Verdict) {
	if t.Count == 0 || float64(t.Count) < r.From() {
		return v
	}
	t.Says, t.First = text.Count(t.Count, one, many), first
	t.Urgent = KindOf(r.What).Urgent
	if r.Section != "" {
		t.Says += " in " + r.Section
	}
	return Verdict{Told: []Told{t}}
}

// fell tells that health fell, and by what.
func (r *Rule) fell(n *News, t Told) (v Verdict) {
	s := n.Drift.Step
	by := s.Before - s.After
	if math.Round(by*10)/10 < r.From() {
		return v
	}
	t.Count = int(math.Round(by))
	t.Says = fmt.Sprintf("Health fell by %.1f to %.1f since crawl %d", by, s.After, n.Before)
	parts := slices.Clone(s.Parts)
	slices.SortStableFunc(parts, func(a, b drift.Part) int { return cmp.Compare(a.Points, b.Points) })
	for _, p := range parts {
		if p.Points < -0.05 {
			t.line(fmt.Sprintf("−%.1f: %s", -p.Points, n.Cause(p)))
		}
	}
	if len(t.Lines) > 0 {
		t.First = "Begin with what took most."
	}
	return Verdict{Told: []Told{t}}
}

// fixes tells of lines of the fix list that are new, or are there again, all of one crawl as one.
func (r *Rule) fixes(n *News, open []Open) (v Verdict) {
	for _, o := range open {
		if !slices.ContainsFunc(o.Fixes, func(id string) bool { return n.Listed[id] }) {
			v.Over = append(v.Over, Over{o.Subject, fmt.Sprintf("Crawl %d found none of it any more", n.Number)})
		}
	}
	if n.Drift == nil {
		return v
	}
	from, _ := severityOf(r.Severity)
	found := n.Drift.New
	if r.What == FixReturned {
		found = n.Drift.Returned
		if r.Severity == "" {
			from = check.Notice
		}
	}
	t := Told{Subject: fmt.Sprintf("crawl %d", n.Number), Link: fmt.Sprintf("/%d/fixes", n.Number)}
	best := -1.0
	for i := range found {
		f := &found[i]
		if f.Severity > from || r.Group != "" && f.Group != r.Group || r.Check != "" && f.Check != r.Check ||
			float64(f.Pages) < r.From() || !inSection(cmp.Or(f.Example, n.Home), r.Section) {
			continue
		}
		t.Count++
		t.Fixes = append(t.Fixes, f.ID)
		t.line(f.Line)
		if f.Gain > best {
			best, t.First = f.Gain, "Begin with: "+f.Line
			t.Link = fmt.Sprintf("/%d/fixes?fix=%s", n.Number, url.QueryEscape(f.ID))
		}
	}
	if t.Count == 0 {
		return v
	}
	word := findingWord(from)
	if r.What == FixReturned {
		t.Says = text.Count(t.Count, "fix that was confirmed is there again", "fixes that were confirmed are there again")
	} else {
		t.Says = text.Count(t.Count, "new "+word+" since crawl "+strconv.Itoa(n.Before), "new "+word+"s since crawl "+strconv.Itoa(n.Before))
	}
	if t.Count == 1 {
		t.Says, t.Lines, t.First = t.Lines[0], nil, ""
		if r.What == FixReturned {
			t.Says = "There again: " + t.Says
		}
	}
	v.Told = append(v.Told, t)
	return v
}

func findingWord(s check.Severity) string {
	if s == check.Error {
		return "error"
	}
	return "finding"
}

// failed tells of a crawl that came to nothing.
func (r *Rule) failed(n *News, open []Open) (v Verdict) {
	if r.What != CrawlFailed {
		return v
	}
	var now []Told
	if n.Failed != "" {
		t := Told{Subject: "crawls", Count: 1, Says: fmt.Sprintf("Crawl %d came to nothing: %s", n.Number, n.Failed),
			Link: fmt.Sprintf("/%d", n.Number), First: "Look at the reason, and crawl again."}
		if n.Number == 0 {
			t.Says, t.Link = "A crawl could not be begun: "+n.Failed, ""
			t.First = "Put right what stands in the way, and run the schedule."
		}
		now = append(now, t)
	}
	return lasting(now, open, func(Open) string { return fmt.Sprintf("Crawl %d has finished", n.Number) })
}

// gated tells of a crawl that does not pass.
func (r *Rule) gated(n *News, open []Open) (v Verdict, err error) {
	verdict, err := n.Gate(r.Gate)
	if err != nil {
		return v, err
	}
	var now []Told
	if !verdict.Passed {
		t := Told{
			Subject: "gate",
			Says:    fmt.Sprintf("Crawl %d does not pass the gate", n.Number),
			Link:    fmt.Sprintf("/%d/fixes", n.Number),
		}
		for _, reason := range verdict.Reasons {
			if !reason.Passed {
				t.Count++
				t.line(reason.Says)
			}
		}
		now = append(now, t)
	}
	return lasting(now, open, func(Open) string { return fmt.Sprintf("Crawl %d passes the gate", n.Number) }), nil
}

// asked tells that a question has answers.
func (r *Rule) asked(n *News, open []Open) (v Verdict, err error) {
	addresses, all, err := n.Ask(r.Question)
	if err != nil {
		return v, err
	}
	var now []Told
	if all > 0 && float64(all) >= r.From() {
		t := Told{
			Subject: "answers",
			Count:   all,
			Says:    text.Count(all, "page answers", "pages answer") + " “" + r.Question + "”",
			Link:    fmt.Sprintf("/%d/tables?of=pages&question=%s", n.Number, url.QueryEscape(r.Question)),
		}
		for _, a := range addresses {
			t.line(short(a, n.Home))
		}
		t.More = max(0, all-len(t.Lines))
		now = append(now, t)
	}
	return lasting(now, open, func(Open) string {
		return fmt.Sprintf("In crawl %d no page answers “%s” any more", n.Number, r.Question)
	}), nil
}
