package recheck

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/task"
	"harvik/internal/crawl"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/record"
)

// looking is the work of a recheck.
type looking struct {
	of     *Rechecks
	checks *check.Catalogue // with those of the crawl's plan
	site   record.Site
	crawl  record.Crawl
	sheet  *fixlist.Sheet
	adjust fixlist.Adjustment
	report *fixlist.Report
	fixes  []*fixlist.Fix
	show   *recheck

	lines   map[string]bool            // fixes that have a line of their own on the crawl's list
	members map[string][]string        // of each fix
	sampled map[string]bool            // fixes of which only a sample is looked at
	numbers map[string]int32           // of the sheet's pages
	stored  *booking.Stored            // the crawl; what rechecks want otherwise is in copies of it
	records map[string]*booking.Record // what was fetched, by address
	// of checks on the whole site, with what was fetched in the place of what the crawl had
	found []check.Finding
	trial *fixlist.Sheet
	seen  *drift.Sight
	after []fixlist.Fix // the list with what was seen; made when first asked for
}

func (l *looking) run(ctx context.Context) error {
	l.lines, l.members, l.sampled, l.numbers = map[string]bool{}, map[string][]string{}, map[string]bool{},
		map[string]int32{}
	for i := range l.report.Fixes {
		l.lines[l.report.Fixes[i].ID] = true
	}
	for i := range l.sheet.Pages {
		l.numbers[l.sheet.Pages[i].Address] = l.sheet.Pages[i].ID
	}
	for _, f := range l.fixes {
		l.members[f.ID] = l.sheet.Addresses(f)
		l.sampled[f.ID] = isOfTemplate(f) && f.Pages > 2*sampleSize
	}
	var err error
	if l.stored, err = l.of.store.LoadSurvey(ctx, l.crawl); err != nil {
		return err
	}
	if err := l.look(ctx); err != nil {
		return err
	}
	if l.grow() {
		if err := l.look(ctx); err != nil {
			return err
		}
	}
	return l.conclude(ctx)
}

// isOfTemplate tells a cause that one change mends on all its pages.
func isOfTemplate(f *fixlist.Fix) bool {
	switch f.Kind {
	case fixlist.Layout, fixlist.Section, fixlist.Carrier:
		return true
	}
	return f.Kind == fixlist.Target &&
		(strings.HasPrefix(f.Where, "in the layout") || strings.HasPrefix(f.Where, "named by"))
}

// sample is what is looked at of a fix.
func (l *looking) sample(f *fixlist.Fix) []string {
	all := l.members[f.ID]
	if !l.sampled[f.ID] {
		return all
	}
	var out []string
	for i := range sampleSize {
		out = append(out, all[i*(len(all)-1)/(sampleSize-1)])
	}
	return slices.Compact(out)
}

// look fetches what is concerned, and judges the crawl with it.
func (l *looking) look(ctx context.Context) error {
	wanted, listed, err := l.concerned(ctx)
	if err != nil {
		return err
	}
	ids, evidence := l.siteChecks()
	stored := *l.stored
	p := stored.Plan
	p.Sources.Addresses = listed
	if !evidence {
		p.Sources.Sitemaps, p.Probes = plan.No(), plan.No()
	}
	p.Pages, p.Selection, p.Depth, p.Time = 2*mostRechecked, plan.Breadth, 1<<20, 0
	renders := l.checks.Only(func(c *check.Check) bool { return c.OfRenderings() && ids[c.ID] })
	if len(renders.Checks) == 0 && p.Render.Pages != plan.All {
		p.Render.Pages = plan.None
	}
	stored.Plan = p
	again, err := l.fetch(ctx, &stored, wanted)
	if err != nil {
		return err
	}
	again.Evidence, l.found = evidence, nil
	if len(ids) > 0 {
		some := l.checks.Only(func(c *check.Check) bool { return ids[c.ID] })
		if l.found, err = again.Judge(judging.Watched(check.NewRunner(some.Checks, p), l.of.log)); err != nil {
			return err
		}
	}
	l.judge(ids)
	return nil
}

// fetch fetches what is wanted, by the plan of a stored crawl.
func (l *looking) fetch(ctx context.Context, stored *booking.Stored, wanted map[string]bool) (*booking.Again, error) {
	const what = "recheck %d of crawl %d"
	secrets, err := l.of.gear.Open(ctx, l.site.ID, l.site.Home, stored.Plan, cmp.Or(l.show.rec.By, "somebody"),
		fmt.Sprintf(what, l.show.rec.Number, l.crawl.Number))
	if err != nil {
		return nil, err
	}
	config, err := l.of.gear.Config(stored.Plan, stored.Start, gear.GuardOf(l.site), secrets)
	if err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	known := map[string]bool{}
	for i := range stored.Addresses {
		known[stored.Addresses[i].URL] = true
	}
	fresh := 0
	config.Only = func(address string) bool {
		if wanted[address] || known[address] {
			return wanted[address]
		}
		fresh++ // what a repair links to that the crawl did not know is part of the repair
		return fresh <= mostFresh
	}
	seen := new(crawl.Kept)
	config.Sink, config.Book = seen,
		booking.New(judging.Watched(check.NewRunner(l.checks.Checks, stored.Plan), l.of.log), stored.Layouts)
	c, err := crawl.New(config)
	if err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	l.show.mu.Lock()
	l.show.now, l.show.rec.Of = c, len(wanted)
	l.show.mu.Unlock()
	harvest, err := c.Run(ctx)
	if err != nil {
		return nil, err
	}
	l.show.mu.Lock()
	l.show.now, l.show.rec.Fetched = nil, len(seen.Records)
	l.show.mu.Unlock()
	l.records = map[string]*booking.Record{}
	for i := range seen.Records {
		l.records[seen.Records[i].Facts.Address] = &seen.Records[i]
	}
	if harvest.Unrendered != "" {
		return nil, record.Refuse("pages could not be rendered: %s", harvest.Unrendered)
	}
	built := map[string][]rendered.Page{}
	for _, r := range seen.Renderings {
		built[harvest.Addresses[r.ID].URL] = r.Pages
	}
	return &booking.Again{Stored: stored, Fresh: seen.Records, Harvest: harvest, Rendered: built}, nil
}

// mostFresh bounds the addresses of which the crawl knew nothing that one recheck fetches.
const mostFresh = 200

// concerned are the addresses that the fixes are about: those to begin with, and all that may be
// fetched: link targets, the others of a group, the steps of a redirect.
func (l *looking) concerned(ctx context.Context) (wanted map[string]bool, listed []string, err error) {
	wanted = map[string]bool{}
	for _, f := range l.fixes {
		some := l.sample(f)
		looked := map[string]bool{}
		for _, a := range some {
			if len(listed) == mostRechecked {
				l.warn(fmt.Sprintf("only %d pages are looked at at once; crawl again to see the rest", mostRechecked))
				break
			}
			looked[a] = true
			if a != "" && !wanted[a] {
				wanted[a] = true
				listed = append(listed, a)
			}
		}
		for _, target := range slices.Concat(f.Targets, []string{f.Target}) {
			if target != "" {
				wanted[target] = true
			}
		}
		after := ""
		for {
			rows, err := l.of.store.FixPages(ctx, l.crawl.ID, *f, after, 500)
			if err != nil {
				return nil, nil, err
			}
			for _, row := range rows {
				if looked[row.Address] {
					l.related(row.Places, wanted)
				}
			}
			if len(rows) < 500 {
				break
			}
			after = rows[len(rows)-1].Address
		}
	}
	if len(listed) == 0 {
		wanted[l.crawl.Home] = true
		listed = append(listed, l.crawl.Home)
	}
	return wanted, listed, nil
}

// related adds what the evidence names.
func (l *looking) related(places []check.Place, wanted map[string]bool) {
	add := func(address string) {
		if len(wanted) < 2*mostRechecked &&
			(strings.HasPrefix(address, "http://") || strings.HasPrefix(address, "https://")) {
			wanted[address] = true
		}
	}
	for _, p := range places {
		add(p.Target)
		for _, o := range p.Others {
			add(o)
		}
		for _, h := range p.Hops {
			add(h.Address)
		}
	}
}

func (l *looking) warn(what string) {
	l.show.mu.Lock()
	defer l.show.mu.Unlock()
	if !slices.Contains(l.show.rec.Warnings, what) {
		l.show.rec.Warnings = append(l.show.rec.Warnings, what)
	}
}

// siteChecks are those of the fixes that look at the whole site, and whether they need to know what
// is beside pages.
func (l *looking) siteChecks() (ids map[string]bool, evidence bool) {
	ids = map[string]bool{}
	for _, f := range l.fixes {
		c := l.checks.Find(f.Check)
		if c == nil || c.Page != nil || c.OfCrawl {
			continue
		}
		ids[c.ID] = true
		// robots.txt, sitemaps, front doors
		if c.OfRenderings() {
			continue
		}
		if f.Kind == fixlist.Whole || c.Gather == check.ByPlace || c.Gather == check.Alone || c.Group == "reach" {
			evidence = true
		}
	}
	return ids, evidence
}

// judge puts what was seen in the place of what the crawl had.
func (l *looking) judge(site map[string]bool) {
	looked := map[int32]bool{}
	var found []check.Finding
	for address, r := range l.records {
		id, known := l.numbers[address]
		if !known || r.Role != page.AsPage {
			continue
		}
		looked[id] = true
		for _, f := range r.Findings {
			f.Page = id
			found = append(found, f)
		}
	}
	slices.SortStableFunc(found, func(a, b check.Finding) int { return int(a.Page - b.Page) })
	found = append(found, l.found...)
	ofPages := map[string]bool{}
	for _, c := range l.checks.Checks {
		ofPages[c.ID] = c.Page != nil
	}
	l.trial = l.sheet.Trial(func(id string, page int32) bool { return site[id] || ofPages[id] && looked[page] }, found)
	l.after = nil
	l.seen = drift.NewSight(l.trial, nil, l.isShown, l.listed)
}

func (l *looking) listed(fix string) bool { return l.lines[fix] }

// sight is what the look says of a fix, over what was to be looked at.
func (l *looking) sight(f *fixlist.Fix) (sight task.Sight, still, missed []string) {
	if l.ofCrawl(f) {
		return task.Unseen, nil, l.sample(f)
	}
	var asked, unasked []string
	for _, a := range l.sample(f) { // of what nobody asked for, the crawl's own findings stand in the trial
		if a == "" || l.records[a] != nil {
			asked = append(asked, a)
		} else {
			unasked = append(unasked, a)
		}
	}
	sight, still, missed = l.seen.At(f, asked)
	if missed = append(unasked, missed...); sight == task.Gone && len(missed) > 0 {
		sight = task.Unseen
	}
	return sight, still, missed
}

// isShown tells whether it was seen now what is at an address.
func (l *looking) isShown(address string) bool {
	r := l.records[address]
	return r != nil && drift.Shows(r.Facts.Status)
}

// ofCrawl tells a fix that only a whole crawl can confirm.
func (l *looking) ofCrawl(f *fixlist.Fix) bool {
	c := l.checks.Find(f.Check)
	return c != nil && c.OfCrawl
}

// grow widens samples that disagree to all pages. It tells whether any did.
func (l *looking) grow() bool {
	grown := false
	for _, f := range l.fixes {
		if !l.sampled[f.ID] {
			continue
		}
		if _, still, _ := l.sight(f); len(still) > 0 && len(still) < len(l.sample(f)) {
			l.sampled[f.ID] = false
			grown = true
		}
	}
	return grown
}
