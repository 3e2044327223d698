// Package drift sets two crawls of a site side by side: what was mended, what came, what came back,
// what changed without anyone saying so, and how health got from one value to the other.
package drift

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/sitemap"
	"harvik/internal/core/task"
	"harvik/internal/core/text"
)

// A Side is one of the two crawls.
type Side struct {
	Health   float64             // as it was told at the time
	Then     *fixlist.Adjustment // by which it was told; nil where that is not known
	Judged   *fixlist.Sheet      // of the older crawl: as it was judged, where that was by other rules
	Sheet    *fixlist.Sheet      // by the rules by which both are compared
	Adjust   fixlist.Adjustment
	Complete bool              // nothing was left unfetched
	Pages    map[string]Page   // that were fetched, by address
	Known    map[string]string // others: address → its state, such as "blocked"
	Files    []File
}

// Page is what is compared of a page.
type Page struct {
	Status      int // 0 if there was no answer
	Outcome     string
	HTML        bool
	Indexable   bool
	Title       string
	Description string
	H1          string
	Canonical   string
	Redirect    string // where it leads
	TextHash    uint64 // of the main text; 0 for none, or one that an earlier version hashed otherwise
	LinksIn     int
}

// File is a robots.txt or a sitemap.
type File struct{ Kind, Address, Body string }

// A Comparison is what changed between two crawls.
type Comparison struct {
	New      []fixlist.Fix // lines of the fix list that were not there
	Returned []fixlist.Fix // likewise, and confirmed to be gone once
	Gone     []fixlist.Fix // everything concerned was looked at, and none fails any more
	Still    int           // lines on both lists
	Became   []Became      // lines whose pages now fail as part of others
	Unseen   []fixlist.Fix // not on the new list, but not everything concerned was looked at
	Findings Findings
	Appeared []Seen
	Vanished []Seen
	Moved    []Moved
	NotSeen  []Seen // pages that one crawl could not see, so that nothing is said of them
	Changes  []Change
	Files    []FileChange
	Step     Step
	Notes    []string // how the crawls differ in what they could see
}

// Findings counts checks failing on pages that both crawls saw.
type Findings struct {
	New    int
	Gone   int
	Still  int
	Checks []CheckChange // that fail on more or fewer of these pages, by ID
}

// CheckChange is a check that fails on other pages than before.
type CheckChange struct {
	Check  string
	New    int
	Gone   int
	NewOn  []string // at most MaxNamed, "" for the site
	GoneOn []string
}

// MaxNamed bounds the pages that a CheckChange names.
const MaxNamed = 1000

// Became is a fix whose pages fail the same check still, as part of other lines.
type Became struct {
	Fix   fixlist.Fix
	Still int // of its pages
}

// Seen is an address with why it stands in a list.
type Seen struct {
	Address string
	Why     string
}

// Moved is a page found at another address.
type Moved struct {
	From string
	To   string
	How  string // "redirect" or "same text"
}

// Change is a property of a page that changed.
type Change struct {
	Address string
	What    string // status, indexable, title, description, h1, canonical, text, links in
	Before  string
	After   string
}

// Text is what a Change of the main text is called. Before and after are not in it, as a comparison does
// not hold texts; who has them puts passages in.
const Text = "text"

// FileChange is a robots.txt or sitemap that changed: of a robots.txt the lines, of a sitemap the addresses
// that went and came.
type FileChange struct {
	Kind    string
	Address string
	Gone    []string
	New     []string
}

// Compare sets two sides together. Confirmed tells whether a fix was once confirmed to be gone.
func Compare(before, after Side, confirmed func(fix string) bool) *Comparison {
	r := &Comparison{
		New: []fixlist.Fix{}, Returned: []fixlist.Fix{}, Gone: []fixlist.Fix{}, Unseen: []fixlist.Fix{},
		Became:   []Became{},
		Appeared: []Seen{}, Vanished: []Seen{}, NotSeen: []Seen{}, Moved: []Moved{}, Changes: []Change{},
		Files: []FileChange{}, Notes: []string{},
	}
	c := comparison{before: before, after: after, out: r}
	c.pages()
	c.fixes(confirmed)
	c.findings()
	c.files()
	r.Step = c.step()
	return r
}

// Between is the step of Compare alone.
func Between(before, after Side) Step {
	c := comparison{before: before, after: after, out: &Comparison{}}
	c.pages()
	return c.step()
}

// step needs to know which pages only one side could see.
func (c *comparison) step() Step {
	old := c.before.Sheet.Tab(c.before.Adjust)
	judged := old
	if c.before.Judged != nil {
		judged = c.before.Judged.Tab(c.before.Adjust)
	}
	var then *fixlist.Tab
	if c.before.Then != nil {
		sheet := c.before.Judged
		if sheet == nil {
			sheet = c.before.Sheet
		}
		then = sheet.Tab(*c.before.Then)
	}
	return step(sides{
		told: c.before.Health, toldAfter: c.after.Health, then: then, judged: judged, before: old,
		after:       c.after.Sheet.Tab(c.after.Adjust),
		notSeen:     func(a string) bool { return c.unseen[a] },
		notSeenThen: func(a string) bool { return c.unseenThen[a] },
	})
}

type comparison struct {
	before, after      Side
	out                *Comparison
	unseen, unseenThen map[string]bool // pages that the newer crawl could not see; that the older could not
}

// sight says whether a crawl that does not have a page could have seen it, and if not, why.
func (s *Side) sight(address string) (could bool, why string) {
	if state, known := s.Known[address]; known {
		return false, state
	}
	if !s.Complete {
		return false, "the crawl ended before it had seen everything"
	}
	return true, ""
}

func (c *comparison) pages() {
	c.unseen, c.unseenThen = map[string]bool{}, map[string]bool{}
	texts := map[uint64][]string{} // of pages that appeared
	var gone []string
	for _, a := range slices.Sorted(maps.Keys(c.after.Pages)) {
		now := c.after.Pages[a]
		old, both := c.before.Pages[a]
		switch could, why := c.before.sight(a); {
		case both:
			c.changes(a, old, now)
			if sound(now) && !sound(old) && now.TextHash != 0 {
				texts[now.TextHash] = append(texts[now.TextHash], a)
			}
		case !could:
			c.unseenThen[a] = true
			c.out.NotSeen = append(c.out.NotSeen, Seen{a, "before: " + why})
		case sound(now):
			c.out.Appeared = append(c.out.Appeared, Seen{a, statusWord(now)})
			if now.TextHash != 0 {
				texts[now.TextHash] = append(texts[now.TextHash], a)
			}
		}
	}
	for _, a := range slices.Sorted(maps.Keys(c.before.Pages)) {
		old := c.before.Pages[a]
		now, both := c.after.Pages[a]
		switch could, why := c.after.sight(a); {
		case both && sound(old) && !sound(now):
			gone = append(gone, a)
		case both || !sound(old):
		case !could:
			c.unseen[a] = true
			c.out.NotSeen = append(c.out.NotSeen, Seen{a, "now: " + why})
		default:
			gone = append(gone, a)
		}
	}
	for _, a := range gone {
		old, now := c.before.Pages[a], c.after.Pages[a]
		same := texts[old.TextHash]
		switch {
		case now.Redirect != "":
			c.out.Moved = append(c.out.Moved, Moved{a, now.Redirect, "redirect"})
		case len(same) == 1:
			c.out.Moved = append(c.out.Moved, Moved{a, same[0], "same text"})
		case now.Outcome != "":
			c.out.Vanished = append(c.out.Vanished, Seen{a, statusWord(now)})
		default:
			c.out.Vanished = append(c.out.Vanished, Seen{a, "nothing leads there any more"})
		}
	}
}

// Shows tells whether a status is of an answer that shows what is at an address: a page, where it has gone, or that it
// is no more. One that refuses or fails, and none at all (0), show nothing: no fault is gone because of that.
func Shows(status int) bool {
	switch status {
	case 0, 401, 403, 429:
		return false
	}
	return status < 500
}

// sound tells a page that can be read.
func sound(p Page) bool { return p.Status == 200 }

func statusWord(p Page) string {
	if p.Status == 0 {
		return p.Outcome
	}
	return fmt.Sprintf("status %d", p.Status)
}

func (c *comparison) changes(address string, old, now Page) {
	add := func(what, before, after string) {
		if before != after {
			c.out.Changes = append(c.out.Changes, Change{address, what, before, after})
		}
	}
	add("status", statusWord(old), statusWord(now))
	if !old.HTML || !now.HTML {
		return
	}
	add("indexable", text.YesNo(old.Indexable), text.YesNo(now.Indexable))
	add("title", old.Title, now.Title)
	add("description", old.Description, now.Description)
	add("h1", old.H1, now.H1)
	add("canonical", old.Canonical, now.Canonical)
	if old.TextHash != now.TextHash && old.TextHash != 0 && now.TextHash != 0 {
		add(Text, "as it was", "changed")
	}
	if c.before.Complete && c.after.Complete { // else fewer links were seen, not made
		add("links in", fmt.Sprint(old.LinksIn), fmt.Sprint(now.LinksIn))
	}
}

func (c *comparison) fixes(confirmed func(string) bool) {
	// As it is worked with: what is waived keeps its line.
	old, now := c.before.Sheet.Build(c.before.Adjust), c.after.Sheet.Build(c.after.Adjust)
	have, had := map[string]bool{}, map[string]bool{}
	for i := range now.Fixes {
		have[now.Fixes[i].ID] = true
	}
	for i := range old.Fixes {
		had[old.Fixes[i].ID] = true
	}
	look := NewSight(c.after.Sheet, nil, func(a string) bool { return Shows(c.after.Pages[a].Status) },
		func(fix string) bool { return had[fix] })
	for i := range old.Fixes {
		f := &old.Fixes[i]
		if have[f.ID] {
			c.out.Still++
			continue
		}
		sight, still, _ := look.At(f, c.before.Sheet.Addresses(f))
		switch {
		case sight == task.Gone:
			c.out.Gone = append(c.out.Gone, *f)
		case sight == task.There:
			c.out.Became = append(c.out.Became, Became{*f, len(still)})
		default:
			c.out.Unseen = append(c.out.Unseen, *f)
		}
	}
	c.inside(had, look, confirmed)
	fresh := c.fresh()
	for i := range now.Fixes {
		switch f := &now.Fixes[i]; {
		case had[f.ID]:
		case !fresh[f.ID] && !confirmed(f.ID): // all of it was found before, as part of other lines
			c.out.Still++
		case confirmed(f.ID):
			c.out.Returned = append(c.out.Returned, *f)
		default:
			c.out.New = append(c.out.New, *f)
		}
	}
}

// inside tells of targets and values that came or went inside lines for many.
func (c *comparison) inside(had map[string]bool, look *Sight, confirmed func(string) bool) {
	of := func(s *fixlist.Sheet) map[string]string { // line by cause
		out := map[string]string{}
		s.EachFinding(func(f fixlist.Found) {
			if f.Cause != "" && f.Cause != f.Fix {
				out[f.Cause] = f.Fix
			} else if f.Cause != "" {
				out[f.Cause] = ""
			}
		})
		return out
	}
	before, after := of(c.before.Sheet), of(c.after.Sheet)
	came, went := map[string]bool{}, map[string]bool{}
	for cause, line := range after {
		if _, met := before[cause]; !met && line != "" && had[line] {
			came[cause] = true
		}
	}
	for cause, line := range before {
		if _, met := after[cause]; !met && line != "" {
			went[cause] = true
		}
	}
	for _, f := range c.after.Sheet.Lines(c.after.Adjust, came) {
		if confirmed(f.ID) {
			c.out.Returned = append(c.out.Returned, f)
		} else {
			c.out.New = append(c.out.New, f)
		}
	}
	for _, f := range c.before.Sheet.Lines(c.before.Adjust, went) {
		if sight, _, _ := look.At(&f, c.before.Sheet.Addresses(&f)); sight == task.Gone {
			c.out.Gone = append(c.out.Gone, f)
		}
	}
}

// fresh are the lines of the newer crawl with anything that the older one did not have: a check failing
// on a page for a target or value.
func (c *comparison) fresh() map[string]bool {
	type reason struct{ check, address, cause string }
	had := map[reason]bool{}
	c.before.Sheet.EachFinding(func(f fixlist.Found) { had[reason{f.Check, f.Address, f.Cause}] = true })
	out := map[string]bool{}
	c.after.Sheet.EachFinding(func(f fixlist.Found) {
		if !had[reason{f.Check, f.Address, f.Cause}] {
			out[f.Fix] = true
		}
	})
	return out
}

func (c *comparison) findings() {
	old, now := c.before.Sheet.Failing(), c.after.Sheet.Failing()
	seen := func(side *Side, a string) bool { return a == "" || Shows(side.Pages[a].Status) }
	changes := map[string]*CheckChange{}
	of := func(id string) *CheckChange {
		if changes[id] == nil {
			changes[id] = &CheckChange{Check: id, NewOn: []string{}, GoneOn: []string{}}
		}
		return changes[id]
	}
	for _, a := range slices.Sorted(maps.Keys(old)) {
		if !seen(&c.after, a) {
			continue
		}
		for id := range old[a] {
			if now[a][id] {
				c.out.Findings.Still++
				continue
			}
			c.out.Findings.Gone++
			ch := of(id)
			if ch.Gone++; ch.Gone <= MaxNamed {
				ch.GoneOn = append(ch.GoneOn, a)
			}
		}
	}
	for _, a := range slices.Sorted(maps.Keys(now)) {
		if !seen(&c.before, a) {
			continue
		}
		for id := range now[a] {
			if old[a][id] {
				continue
			}
			c.out.Findings.New++
			ch := of(id)
			if ch.New++; ch.New <= MaxNamed {
				ch.NewOn = append(ch.NewOn, a)
			}
		}
	}
	c.out.Findings.Checks = []CheckChange{}
	for _, id := range slices.Sorted(maps.Keys(changes)) {
		c.out.Findings.Checks = append(c.out.Findings.Checks, *changes[id])
	}
}

func (c *comparison) files() {
	type pair struct{ before, after *File }
	pairs := map[string]*pair{}
	key := func(f *File) string { return f.Kind + " " + f.Address }
	for i := range c.before.Files {
		pairs[key(&c.before.Files[i])] = &pair{before: &c.before.Files[i]}
	}
	for i := range c.after.Files {
		k := key(&c.after.Files[i])
		if pairs[k] == nil {
			pairs[k] = new(pair)
		}
		pairs[k].after = &c.after.Files[i]
	}
	for _, k := range slices.Sorted(maps.Keys(pairs)) {
		p := pairs[k]
		one := cmp.Or(p.after, p.before)
		body := func(f *File) string {
			if f == nil {
				return ""
			}
			if f.Kind == "sitemap" {
				return listed(f.Body)
			}
			return f.Body
		}
		if gone, added := text.DifferLines(body(p.before), body(p.after)); len(gone)+len(added) > 0 {
			change := FileChange{one.Kind, one.Address, gone, added}
			if !slices.ContainsFunc(c.out.Files, change.repeats) {
				c.out.Files = append(c.out.Files, change)
			}
		}
	}
}

// repeats tells a file that is the same over http and https.
func (f FileChange) repeats(o FileChange) bool {
	bare := func(address string) string { return strings.TrimPrefix(strings.TrimPrefix(address, "https"), "http") }
	return f.Kind == o.Kind && bare(f.Address) == bare(o.Address) && slices.Equal(f.Gone, o.Gone) &&
		slices.Equal(f.New, o.New)
}

// listed is what a sitemap lists, an address a line, so that dates that change each day are not told;
// what is no sitemap is left as it is.
func listed(body string) string {
	f, _ := sitemap.Parse([]byte(body)) // what stands before an error counts
	if len(f.Pages)+len(f.Sitemaps) == 0 {
		return body
	}
	return strings.Join(slices.Concat(f.Sitemaps, f.Pages), "\n") + "\n"
}

// A Sight tells what a crawl saw of fixes of an earlier list.
type Sight struct {
	lines  map[spot][]string // the lines that a check failing on a page is part of
	kinds  map[string]fixlist.Kind
	causes map[string]map[string]bool // where each target or value is found: addresses by fix
	rules  map[string]*check.Check
	shown  func(address string) bool
	listed func(fix string) bool
}

// place is a check failing on a page.
type spot struct{ check, address string }

// NewSight prepares to ask what a crawl saw of some checks, all of them where none is named. Shown tells whether it got
// an answer from an address that shows what is there, listed whether a fix had a line of its own on the earlier list.
func NewSight(s *fixlist.Sheet, checks map[string]bool, shown, listed func(string) bool) *Sight {
	l := &Sight{
		lines: map[spot][]string{}, kinds: map[string]fixlist.Kind{}, causes: map[string]map[string]bool{},
		rules: s.Rules(),
		shown: shown, listed: listed,
	}
	s.EachFinding(func(f fixlist.Found) {
		if len(checks) > 0 && !checks[f.Check] {
			return
		}
		l.kinds[f.Fix] = f.Kind
		at := spot{f.Check, f.Address}
		if !slices.Contains(l.lines[at], f.Fix) {
			l.lines[at] = append(l.lines[at], f.Fix)
		}
		if f.Cause != "" {
			if l.causes[f.Cause] == nil {
				l.causes[f.Cause] = map[string]bool{}
			}
			l.causes[f.Cause][f.Address] = true
		}
	})
	return l
}

// fails tells whether a page fails for a fix: for its target or value, whatever line that is part of
// now; for a line of several targets one of them; for other fixes in any way that was not a line of its
// own before.
func (l *Sight) fails(f *fixlist.Fix, address string) bool {
	if ofCause(f.Kind) {
		return l.causes[f.ID][address]
	}
	if len(f.Targets) > 0 {
		return slices.ContainsFunc(f.Targets,
			func(t string) bool { return l.causes[fixlist.TargetID(f.Check, t)][address] })
	}
	for _, id := range l.lines[spot{f.Check, address}] {
		if id == f.ID || !ofCause(l.kinds[id]) || !l.listed(id) {
			return true
		}
	}
	return false
}

// ofCause tells a fix that is about one target or value, which names it.
func ofCause(k fixlist.Kind) bool { return k == fixlist.Target || k == fixlist.Value }

// At tells what was seen of a fix on some pages, "" for the site: There if any still fails for it, Gone if
// all were looked at and none does, Unseen otherwise. Still are the pages on which it fails, missed those
// that were not looked at. A page that answers without being a page any more, such as with a redirect,
// was looked at.
func (l *Sight) At(f *fixlist.Fix, addresses []string) (sight task.Sight, still, missed []string) {
	for _, a := range addresses {
		switch {
		case l.fails(f, a):
			still = append(still, a)
		case a != "" && !l.shown(a) || l.rules[f.Check] == nil:
			missed = append(missed, a)
		}
	}
	switch {
	case len(still) > 0:
		return task.There, still, missed
	case len(missed) > 0:
		return task.Unseen, nil, missed
	}
	return task.Gone, nil, nil
}

// Lines are the lines that a check failing on a page is part of.
func (l *Sight) Lines(check, address string) []string { return l.lines[spot{check, address}] }

// Short is a list of addresses in a few words.
func Short(addresses []string) string {
	if len(addresses) <= 3 {
		return strings.Join(addresses, ", ")
	}
	return strings.Join(addresses[:3], ", ") + fmt.Sprintf(" and %d more", len(addresses)-3)
}
