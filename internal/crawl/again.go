package crawl

import (
	"context"
	"fmt"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// Again is a look at some addresses of a finished crawl once more.
type Again struct {
	Records  map[string]*Record // what was fetched, by address
	Findings []check.Finding    // of the checks that look at the whole site, with what was fetched in its place
}

// A Finished is a crawl to look at again.
type Finished struct {
	Addresses []survey.Address
	Records   func(ctx context.Context, f func(Record) error) error // in the order in which they were made
	Source    survey.Source
	Runner    *check.Runner // of the checks on the whole site that are asked for; nil for none
	Evidence  bool          // these need to know what robots.txt, sitemaps and front doors say now
}

// Again fetches what the crawl's configuration wants only, and judges the finished crawl with that in
// the place of what it had. The finished crawl itself stays as it is.
func (c *Crawl) Again(ctx context.Context, of Finished) (*Again, error) {
	defer c.client.Close()
	defer c.paces.leave(c)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	kept := &kept{records: map[string]*Record{}}
	c.sink = kept
	defer c.beginAsking(ctx)()
	begin := func(context.Context) error { return c.begin() }
	if _, err := c.fetch(ctx, cancel, begin, func() {}); err != nil {
		return nil, err
	}
	out := &Again{Records: kept.records}
	if of.Runner == nil {
		return out, nil
	}
	c.progress.phase("judging")
	var err error
	out.Findings, err = c.judgeAgain(ctx, of, kept)
	return out, err
}

// judgeAgain runs the checks on the whole site over the finished crawl with some records replaced.
func (c *Crawl) judgeAgain(ctx context.Context, of Finished, kept *kept) ([]check.Finding, error) {
	o := &overlay{
		survey:  &survey.Survey{Addresses: append([]survey.Address(nil), of.Addresses...), Source: mixed{of.Source, kept}, Known: c.survey.Known},
		numbers: make(map[string]int32, len(of.Addresses)), frontier: c.frontier,
	}
	for i := range o.survey.Addresses {
		o.numbers[o.survey.Addresses[i].URL] = int32(i)
	}
	kept.byNumber = map[int32]*Record{}
	if of.Evidence {
		probes, err := c.probeUnlessEnding()
		if err != nil {
			return nil, err
		}
		o.survey.Evidence = c.learned(probes)
	}
	o.relearn(of.Evidence && *c.plan.Sources.Sitemaps)
	placed := map[string]bool{}
	err := of.Records(ctx, func(r Record) error {
		if !r.Facts.Usable() {
			return &OldFactsError{r.Facts.Version}
		}
		if r.Role == page.AsPage {
			of.Runner.SetKind(r.Facts)
		}
		if now := kept.records[r.Facts.Address]; now != nil {
			placed[r.Facts.Address] = true
			kept.byNumber[r.ID] = now
			o.place(r.ID, r.Role, now)
			return nil
		}
		o.place(r.ID, r.Role, &r)
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("reading what was stored: %w", err)
	}
	for _, address := range kept.order {
		if !placed[address] {
			now := kept.records[address]
			id := o.number(address)
			kept.byNumber[id] = now
			o.survey.Addresses[id].State = survey.Fetched
			o.place(id, now.Role, now)
		}
	}
	if err := o.survey.Finish(); err != nil {
		return nil, err
	}
	var all []check.Finding
	err = of.Runner.Site(o.survey, func(found []check.Finding) error {
		all = append(all, found...)
		return nil
	})
	return all, err
}

// overlay builds the survey of a finished crawl with some records replaced.
type overlay struct {
	survey   *survey.Survey
	numbers  map[string]int32
	frontier *frontier // of the new look: it knows what became of new addresses
}

// relearn takes over what robots.txt says now of the addresses that the look is about, and, if they were
// read, what the sitemaps list.
func (o *overlay) relearn(sitemaps bool) {
	for i := range o.survey.Addresses {
		a := &o.survey.Addresses[i]
		if sitemaps {
			a.InSitemap = o.frontier.inSitemap[a.URL]
		}
		id, known := o.frontier.numbers[a.URL]
		if !known {
			continue
		}
		switch now := &o.frontier.addresses[id]; {
		case now.State == survey.Blocked:
			a.State, a.Rule = now.State, now.Rule
		case a.State == survey.Blocked && now.State == survey.Waiting: // or fetched: that is told by its record
			a.State, a.Rule = survey.Waiting, now.Rule
		}
	}
}

// number is that of an address, which becomes known if it is not yet.
func (o *overlay) number(address string) int32 {
	if id, ok := o.numbers[address]; ok {
		return id
	}
	a := survey.Address{URL: address, State: survey.LeftOut, FoundOn: -1}
	if id, ok := o.frontier.numbers[address]; ok {
		a = o.frontier.addresses[id]
		a.FoundOn = -1
	}
	id := int32(len(o.survey.Addresses))
	o.survey.Addresses = append(o.survey.Addresses, a)
	o.numbers[address] = id
	return id
}

// known is the number of an address, −1 for none.
func (o *overlay) known(address string) int32 {
	if id, ok := o.numbers[address]; ok && address != "" {
		return id
	}
	return -1
}

// place adds a record under a number of the finished crawl; what it names gets such numbers, too.
func (o *overlay) place(id int32, role page.Role, now *Record) {
	r := Record{ID: id, Role: role, Facts: now.Facts}
	for _, to := range []string{now.Facts.Redirect, now.Facts.Canonical()} {
		if to != "" {
			o.number(to)
		}
	}
	if d := now.Facts.Document; d != nil {
		r.Links = make([]int32, len(d.Links))
		for i := range d.Links {
			if r.Links[i] = -1; d.Links[i].Address != "" {
				r.Links[i] = o.number(d.Links[i].Address)
			}
		}
	}
	loads := now.Facts.Loads()
	if len(loads) > 0 && o.frontier.plan.Resources != plan.None {
		r.Uses = make([]int32, len(loads))
		for i, u := range loads {
			r.Uses[i] = o.number(u.Address)
		}
	}
	if role == page.AsPage {
		o.survey.Add(id, r.Facts, o.known(r.Facts.Redirect), o.known(r.Facts.Canonical()), r.Links)
	} else {
		o.survey.AddLoaded(id, r.Facts, o.known(r.Facts.Redirect))
	}
	o.survey.Use(id, loads, r.Uses)
}

// kept is a sink in memory.
type kept struct {
	records  map[string]*Record
	order    []string
	byNumber map[int32]*Record // numbers of the finished crawl
}

// Save implements Sink.
func (k *kept) Save(_ context.Context, b Batch) error {
	for i := range b.Records {
		a := b.Records[i].Facts.Address
		k.records[a] = &b.Records[i]
		k.order = append(k.order, a)
	}
	return nil
}

// mixed reads what was fetched again from memory, and the rest where it is stored.
type mixed struct {
	stored survey.Source
	kept   *kept
}

func (m mixed) each(pages []int32, stored func(rest []int32) error, f func(id int32, d *page.Facts)) error {
	var rest []int32
	for _, id := range pages {
		if r := m.kept.byNumber[id]; r != nil {
			f(id, r.Facts)
		} else {
			rest = append(rest, id)
		}
	}
	return stored(rest)
}

// EachFacts implements survey.Source.
func (m mixed) EachFacts(pages []int32, f func(int32, *page.Facts)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachFacts(rest, f) }, f)
}

// EachLinks implements survey.Source.
func (m mixed) EachLinks(pages []int32, f func(int32, []page.Link)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachLinks(rest, f) }, func(id int32, facts *page.Facts) {
		if facts.Document != nil {
			f(id, facts.Document.Links)
		}
	})
}

// EachText implements survey.Source.
func (m mixed) EachText(pages []int32, f func(int32, string)) error {
	return m.each(pages, func(rest []int32) error { return m.stored.EachText(rest, f) }, func(id int32, facts *page.Facts) {
		if facts.Document != nil {
			f(id, facts.Document.MainText)
		}
	})
}
