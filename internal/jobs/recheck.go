package jobs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/record"
	"harvik/internal/store"
)

// A cause of one template is looked at on a sample: the layout's example and others, evenly over its
// pages. Where the sample disagrees, all pages are.
const sampleSize = 12

// mostRechecked bounds the pages of one recheck: beyond it, a crawl is the better tool.
const mostRechecked = 5000

// mostRechecks is how many rechecks run at once: each holds a fix list and asks the site.
const mostRechecks = 8

// recheck is one that runs.
type recheck struct {
	mu  sync.Mutex
	rec record.Recheck
	now *crawl.Crawl
}

// Recheck looks again at what some fixes of a site's newest crawl concern. It returns at once.
func (r *Runner) Recheck(ctx context.Context, site record.Site, fixes []string, by string) (record.Recheck, error) {
	if err := r.room(); err != nil {
		return record.Recheck{}, err
	}
	rec, err := r.store.Crawl(ctx, site.Name, 0)
	if errors.Is(err, store.ErrNotFound) {
		return record.Recheck{}, &Refusal{"the site has no finished crawl, so there is nothing to look at again"}
	}
	if err != nil {
		return record.Recheck{}, err
	}
	w, err := r.weightsOf(ctx, site)
	if err != nil {
		return record.Recheck{}, err
	}
	sheet, err := r.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, store.ErrNotFound) {
		return record.Recheck{}, &Refusal{fmt.Sprintf("crawl %d was made by an earlier Harvik; crawl again first", rec.Number)}
	}
	if err != nil {
		return record.Recheck{}, err
	}
	l := &looking{runner: r, site: site, crawl: rec, sheet: sheet, adjust: w.adjustment(), report: sheet.Build(w.adjustment())}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(fixes))) {
		f := named(l.report.Fixes, id)
		if f == nil {
			return record.Recheck{}, &Mistake{fmt.Sprintf("the newest fix list has no fix %s; `harvik fixes %s` shows them", id, site.Name)}
		}
		l.fixes = append(l.fixes, f)
	}
	if len(l.fixes) == 0 {
		return record.Recheck{}, &Mistake{"a recheck needs at least one fix"}
	}
	one := &recheck{rec: record.Recheck{
		Crawl: rec.Number, State: "running", By: by, Started: time.Now(), Health: l.report.Health, After: l.report.Health,
		Results: []record.RecheckResult{}, Pages: []record.RecheckedPage{},
	}}
	return r.begin(ctx, one, l)
}

// named is the line of an ID, or the entry of one, nil if there is none.
func named(lines []fixlist.Fix, id string) *fixlist.Fix {
	for i := range lines {
		if lines[i].ID == id {
			return &lines[i]
		}
	}
	for i := range lines {
		if one, ok := lines[i].Entry(id); ok {
			return &one
		}
	}
	return nil
}

func (r *Runner) begin(ctx context.Context, one *recheck, l *looking) (record.Recheck, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return record.Recheck{}, ErrEnding
	}
	if len(r.rechecks) >= mostRechecks {
		return record.Recheck{}, &Refusal{fmt.Sprintf("%d rechecks are running, and that is as many as may; wait for one of them to end", mostRechecks)}
	}
	var err error
	if one.rec.Number, err = r.store.AddRecheck(ctx, l.crawl.ID, one.rec); err != nil {
		return record.Recheck{}, err
	}
	key := [2]int64{l.crawl.ID, int64(one.rec.Number)}
	r.rechecks[key] = one
	l.show = one
	r.group.Go(func() {
		defer func() {
			r.mu.Lock()
			delete(r.rechecks, key)
			r.mu.Unlock()
		}()
		err := mishap.Catch(func() error { return l.run(r.ctx) })
		one.mu.Lock()
		defer one.mu.Unlock()
		one.rec.Seconds, one.rec.State, one.rec.Phase = time.Since(one.rec.Started).Seconds(), "done", ""
		if err != nil {
			told(r.log.With("site", l.site.Name, "recheck", one.rec.Number), "recheck failed", err)
			one.rec.State, one.rec.Detail = "failed", err.Error()
		}
		saving, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), 5*time.Second)
		defer cancel()
		if err := r.store.SaveRecheck(saving, l.crawl.ID, &one.rec); err != nil {
			r.log.Error("recheck could not be stored", "reason", err.Error())
		}
	})
	return one.rec, nil
}

// RecheckOf is a recheck of a crawl as it stands.
func (r *Runner) RecheckOf(ctx context.Context, crawlID int64, number int) (record.Recheck, error) {
	r.mu.Lock()
	one := r.rechecks[[2]int64{crawlID, int64(number)}]
	r.mu.Unlock()
	if one != nil {
		one.mu.Lock()
		defer one.mu.Unlock()
		out := one.rec
		if one.now != nil {
			p := one.now.Progress()
			out.Phase, out.Fetched = p.Phase, p.Fetched
		}
		out.Seconds = time.Since(out.Started).Seconds()
		return out, nil
	}
	all, err := r.store.Rechecks(ctx, crawlID)
	if err != nil {
		return record.Recheck{}, err
	}
	i := slices.IndexFunc(all, func(x record.Recheck) bool { return x.Number == number })
	if i < 0 {
		return record.Recheck{}, store.ErrNotFound
	}
	return all[i], nil
}

// looking is the work of a recheck.
type looking struct {
	runner *Runner
	site   record.Site
	crawl  record.Crawl
	sheet  *fixlist.Sheet
	adjust fixlist.Adjustment
	report *fixlist.Report
	fixes  []*fixlist.Fix
	show   *recheck

	lines   map[string]bool     // fixes that have a line of their own on the crawl's list
	members map[string][]string // of each fix
	sampled map[string]bool     // fixes of which only a sample is looked at
	numbers map[string]int32    // of the sheet's pages
	again   *crawl.Again
	trial   *fixlist.Sheet
	seen    *drift.Look
	after   []fixlist.Fix // the list with what was seen; made when first asked for
}

func (l *looking) run(ctx context.Context) error {
	l.lines, l.members, l.sampled, l.numbers = map[string]bool{}, map[string][]string{}, map[string]bool{}, map[string]int32{}
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
	return f.Kind == fixlist.Target && (strings.HasPrefix(f.Where, "in the layout") || strings.HasPrefix(f.Where, "named by"))
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
	p := plan.Plan(l.crawl.Plan).WithDefaults()
	p.Sources.Addresses = listed
	if !evidence {
		p.Sources.Sitemaps, p.Probes = plan.No(), plan.No()
	}
	p.Pages, p.Selection, p.Depth, p.Time = 2*mostRechecked, plan.Breadth, 1<<20, 0
	known := map[string]bool{}
	addresses, err := l.runner.store.AllAddresses(ctx, l.crawl.ID)
	if err != nil {
		return err
	}
	for i := range addresses {
		known[addresses[i].URL] = true
	}
	secrets, err := l.runner.open(ctx, l.site.ID, l.site.Home, p, cmp.Or(l.show.rec.By, "somebody"), fmt.Sprintf("recheck %d of crawl %d", l.show.rec.Number, l.crawl.Number))
	if err != nil {
		return err
	}
	layouts, err := l.runner.store.KnownLayouts(ctx, l.site.ID)
	if err != nil {
		return err
	}
	start, err := weburl.Parse(l.crawl.Home)
	if err != nil {
		return err
	}
	fresh := 0
	config := l.runner.config(p, start, guardOf(l.site), runner(p, l.runner.log))
	config.Secrets, config.Layouts = secrets, layouts
	config.Only = func(address string) bool {
		if wanted[address] || known[address] {
			return wanted[address]
		}
		fresh++ // what a repair links to that the crawl did not know is part of the repair
		return fresh <= mostFresh
	}
	c, err := crawl.New(config)
	if err != nil {
		return &Refusal{err.Error()}
	}
	l.show.mu.Lock()
	l.show.now, l.show.rec.Of = c, len(wanted)
	l.show.mu.Unlock()
	past := l.runner.store.Past(l.crawl.ID)
	urls := make([]string, len(addresses))
	for i := range addresses {
		urls[i] = addresses[i].URL
	}
	of := crawl.Finished{
		Addresses: addresses, Evidence: evidence,
		Records: func(ctx context.Context, f func(crawl.Record) error) error { return past.EachRecord(ctx, urls, f) },
		Source: l.runner.store.Source(ctx, l.crawl.ID, func(id int32) string {
			if id < 0 || int(id) >= len(urls) {
				return ""
			}
			return urls[id]
		}),
	}
	if len(ids) > 0 {
		var catalog []*check.Check
		for _, one := range checks.Catalog {
			if ids[one.ID] {
				catalog = append(catalog, one)
			}
		}
		of.Runner = check.NewRunner(catalog, p)
	}
	if l.again, err = c.Again(ctx, of); err != nil {
		return err
	}
	l.show.mu.Lock()
	l.show.now, l.show.rec.Fetched = nil, len(l.again.Records)
	l.show.mu.Unlock()
	l.judge(ids)
	return nil
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
			rows, err := l.runner.store.FixPages(ctx, l.crawl.ID, *f, after, 500)
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
		if len(wanted) < 2*mostRechecked && (strings.HasPrefix(address, "http://") || strings.HasPrefix(address, "https://")) {
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
		c := checks.Find(f.Check)
		if c == nil || c.Site == nil || c.OfCrawl {
			continue
		}
		ids[c.ID] = true
		if f.Kind == fixlist.Whole || c.Gather == check.ByPlace || c.Gather == check.Alone || c.Group == "reach" { // robots.txt, sitemaps, front doors
			evidence = true
		}
	}
	return ids, evidence
}

// judge puts what was seen in the place of what the crawl had.
func (l *looking) judge(site map[string]bool) {
	looked := map[int32]bool{}
	var found []check.Finding
	for address, r := range l.again.Records {
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
	found = append(found, l.again.Findings...)
	ofPages := map[string]bool{}
	for _, c := range checks.Catalog {
		ofPages[c.ID] = c.Page != nil
	}
	l.trial = l.sheet.Trial(func(id string, page int32) bool { return site[id] || ofPages[id] && looked[page] }, found)
	l.after = nil
	l.seen = drift.NewLook(l.trial, func(a string) bool { return l.again.Records[a] != nil }, l.listed)
}

func (l *looking) listed(fix string) bool { return l.lines[fix] }

// sight is what the look says of a fix, over what was to be looked at.
func (l *looking) sight(f *fixlist.Fix) (sight task.Sight, still, missed []string) {
	if ofCrawl(f) {
		return task.Unseen, nil, l.sample(f)
	}
	return l.seen.At(f, l.sample(f))
}

// ofCrawl tells a fix that only a whole crawl can confirm.
func ofCrawl(f *fixlist.Fix) bool {
	c := checks.Find(f.Check)
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

// conclude words the results, moves the fixes, and projects health.
func (l *looking) conclude(ctx context.Context) error {
	l.show.mu.Lock()
	number, started := l.show.rec.Number, l.show.rec.Started
	l.show.mu.Unlock()
	who := fmt.Sprintf("recheck %d of crawl %d", number, l.crawl.Number)
	at := l.crawl
	at.Started = started
	var results []record.RecheckResult
	mended := map[string]map[int32]bool{} // by check: pages of which a sample spoke
	for _, f := range l.fixes {
		out, sight := l.result(f)
		t := record.Task{Fix: f.ID, Check: f.Check, Line: f.Line, State: task.Open, Seen: l.crawl.Number}
		if err := l.runner.noteAll(ctx, l.site.ID, who, []store.Change{note(at, t, sight, out.Says)}); err != nil {
			return err
		}
		now, err := l.runner.store.Task(ctx, l.site.ID, f.ID)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if out.State = now.State; out.State == "" {
			out.State = task.Open
		}
		results = append(results, out)
		if sight == task.Gone && l.sampled[f.ID] {
			if mended[f.Check] == nil {
				mended[f.Check] = map[int32]bool{}
			}
			for _, page := range f.Members {
				mended[f.Check][page] = true
			}
		}
	}
	projected := l.trial.Trial(func(id string, page int32) bool { return mended[id][page] }, nil).Build(l.adjust)
	l.show.mu.Lock()
	defer l.show.mu.Unlock()
	l.show.rec.Results, l.show.rec.After = results, projected.Health
	l.show.rec.Pages = l.pages()
	return nil
}

// maxListed bounds the addresses that a result names.
const maxListed = 100

func (l *looking) result(f *fixlist.Fix) (record.RecheckResult, task.Sight) {
	sight, still, missed := l.sight(f)
	some := l.sample(f)
	out := record.RecheckResult{
		Fix: f.ID, Line: f.Line, Check: f.Check, Pages: f.Pages, Looked: len(some) - len(missed),
		Still: still[:min(len(still), maxListed)], Missed: missed[:min(len(missed), maxListed)],
	}
	sample := ""
	if l.sampled[f.ID] {
		sample = fmt.Sprintf(", a sample of %d", f.Pages)
	}
	into := l.others(f, some)
	switch {
	case sight == task.Gone && len(into) > 0:
		out.Verdict, out.Into = record.IsChanged, into
		out.Says = "gone as it was, but the pages fail the check in another way: " + drift.Short(into)
	case sight == task.Gone:
		out.Verdict, out.Says = record.IsConfirmed, "gone from "+all(len(some))+sample
		if moved := l.changed(some); len(moved) > 0 {
			out.Into, out.Says = moved, out.Says+"; "+drift.Short(moved)
		}
	case sight == task.There:
		out.Verdict, out.Says = record.IsThere, "still there on "+all(len(some))+sample
		if len(still) < len(some) {
			out.Says = fmt.Sprintf("still there on %d of %d pages%s", len(still), len(some), sample)
		}
	case ofCrawl(f):
		out.Verdict, out.Says = record.IsUnseen, "it is about how a whole crawl goes; crawl again to know"
	default:
		out.Verdict, out.Says = record.IsUnseen, fmt.Sprintf("%d of %s%s could not be looked at: %s", len(missed), text.Count(len(some), "page", "pages"), sample, drift.Short(missed))
	}
	return out, sight
}

// all names so many pages.
func all(n int) string {
	if n == 1 {
		return "its page"
	}
	return fmt.Sprintf("all %s pages looked at", text.Thousands(n))
}

// changed tells which pages are none any more.
func (l *looking) changed(addresses []string) []string {
	var out []string
	for _, a := range addresses {
		r := l.again.Records[a]
		switch {
		case r == nil || r.Facts.Status == 200:
		case r.Facts.Redirect != "":
			out = append(out, a+" now leads to "+r.Facts.Redirect)
		case r.Facts.Status > 0:
			out = append(out, fmt.Sprintf("%s now answers with status %d", a, r.Facts.Status))
		default:
			out = append(out, fmt.Sprintf("%s gives no answer (%s)", a, r.Facts.Outcome))
		}
	}
	return out
}

// others are the lines of the same check that the pages are part of now and were not before.
func (l *looking) others(f *fixlist.Fix, addresses []string) []string {
	fresh := map[string]bool{}
	for _, a := range addresses {
		for _, id := range l.seen.Lines(f.Check, a) {
			if id != f.ID && !l.listed(id) {
				fresh[id] = true
			}
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	if l.after == nil {
		l.after = l.trial.Build(l.adjust).Fixes
	}
	var out []string
	for _, now := range l.after {
		if fresh[now.ID] {
			out = append(out, now.Line)
		}
	}
	return out
}

// maxPages bounds the pages that a recheck lists.
const maxPages = 500

func (l *looking) pages() []record.RecheckedPage {
	out := []record.RecheckedPage{}
	for a, r := range l.again.Records {
		out = append(out, record.RecheckedPage{Address: a, Status: r.Facts.Status, Outcome: string(r.Facts.Outcome), Redirect: r.Facts.Redirect})
	}
	slices.SortFunc(out, func(a, b record.RecheckedPage) int { return strings.Compare(a.Address, b.Address) })
	return out[:min(len(out), maxPages)]
}
