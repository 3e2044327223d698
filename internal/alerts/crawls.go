package alerts

import (
	"context"
	"errors"
	"math"
	"slices"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/drift"
	"harvik/internal/core/gate"
	"harvik/internal/core/query"
	"harvik/internal/core/vocabulary"
	"harvik/internal/record"
)

// News holds a crawl that has ended, or was put away, against the rules of its site.
func (a *Alerts) News(ctx context.Context, crawl int64) error {
	rec, err := a.store.CrawlOf(ctx, crawl)
	if err != nil {
		return record.UnlessGone(err)
	}
	site, err := a.store.Site(ctx, rec.Site)
	if err != nil {
		return record.UnlessGone(err)
	}
	news, err := a.newsOf(ctx, site, rec, nil)
	if err != nil || news == nil {
		return err
	}
	if news.Drift != nil {
		if err := a.store.KeepStep(ctx, rec.ID, stepOf(news)); err != nil {
			return err
		}
	}
	in, err := a.setting(ctx)
	if err != nil {
		return err
	}
	t, err := a.telling(ctx, site, in)
	if err != nil {
		return err
	}
	if err := t.each(func(r *alert.Rule, open []alert.Open) (alert.Verdict, error) {
		return ofCrawl(r, news, open)
	}); err != nil {
		return err
	}
	t.join()
	return t.save(ctx)
}

// join makes one event of a fall of health and what else the crawl brought, where the same people are told: a deploy
// that closes pages, and lets health fall by that, is one line.
func (t *telling) join() {
	all := t.out.Alerts
	fall := slices.IndexFunc(all, func(a record.Alert) bool {
		return a.What == alert.HealthFell && a.State == record.AlertNew && !t.every(a.Rule)
	})
	if fall < 0 {
		return
	}
	best, first := -1, 0
	for i := range all {
		place := all[i].Told.Leads(all[i].What, &all[fall].Told)
		if place < 0 || all[i].State != record.AlertNew ||
			!slices.Equal(t.out.To[all[i].Rule], t.out.To[all[fall].Rule]) {
			continue
		}
		if best < 0 || place < first {
			best, first = i, place
		}
	}
	if best >= 0 {
		all[best].Told.Join(all[fall].Told)
		t.out.Alerts = slices.Delete(all, fall, fall+1)
	}
}

// every tells whether a rule tells at most once in so many hours.
func (t *telling) every(rule string) bool {
	return slices.ContainsFunc(t.rules, func(r alert.Rule) bool { return r.Name == rule && r.Every > 0 })
}

// stepOf is how health changed, with what took or brought most of it.
func stepOf(n *alert.News) record.Step {
	s := n.Drift.Step
	out := record.Step{Before: n.Before, Change: s.After - s.Before}
	most := 0.05
	for _, p := range s.Parts {
		if same := p.Points < 0 == (out.Change < 0); same && math.Abs(p.Points) > most {
			most, out.Cause = math.Abs(p.Points), n.Cause(p)
		}
	}
	return out
}

// ofCrawl is what a rule makes of a crawl; one that cannot be held against it is told by nobody, and keeps no other
// rule from telling.
func ofCrawl(r *alert.Rule, news *alert.News, open []alert.Open) (alert.Verdict, error) {
	v, err := r.OfCrawl(news, open)
	var refusal *record.Refusal
	var fault *query.Fault
	var mistakes query.Mistakes
	if errors.As(err, &refusal) || errors.As(err, &fault) || errors.As(err, &mistakes) {
		return alert.Verdict{}, nil
	}
	return v, err
}

// mostBack is how many crawls are looked at for one to compare with.
const mostBack = 60

// newsOf is what a crawl brought; nil where that is nothing to speak of, such as one that a person put away. Finished
// are the crawls of the site, the oldest first, nil where they are to be read.
func (a *Alerts) newsOf(
	ctx context.Context,
	site record.Site,
	rec record.Crawl,
	finished []record.Crawl,
) (*alert.News, error) {
	n := &alert.News{Number: rec.Number, Home: rec.Home}
	switch {
	case rec.State == "failed", rec.State == "paused" && rec.Detail != "":
		n.Failed = rec.Detail
		return n, nil
	case rec.State != "finished" || rec.Report == nil:
		return nil, nil
	case rec.Ending == "shut-out":
		n.Failed = "robots.txt shuts all of it out"
		return n, nil
	}
	var err error
	if n.Listed, err = a.store.FixIDs(ctx, rec.ID); err != nil {
		return nil, err
	}
	n.Cause = func(p drift.Part) string { return vocabulary.Part(&p) }
	n.Gate = func(c gate.Conditions) (gate.Verdict, error) { return a.compare.Gate(ctx, site, rec, nil, c) }
	n.Ask = func(question string) ([]string, int, error) { return a.ask(ctx, site, rec.ID, question) }
	if finished == nil {
		if finished, err = a.store.FinishedCrawls(ctx, site.ID, mostBack); err != nil {
			return nil, err
		}
	}
	before, ok := like(rec, finished)
	if !ok {
		return n, nil
	}
	n.Before = before.Number
	if n.Drift, err = a.compare.Drift(ctx, site, before, rec); err != nil {
		return nil, err
	}
	important, err := a.important(ctx, site, rec.ID)
	n.Important = func(address string) bool { return important[address] }
	return n, err
}

// like is the newest crawl before one that was as large, of some that are in order, the oldest first: a small look
// between full ones is compared with small looks.
func like(rec record.Crawl, finished []record.Crawl) (record.Crawl, bool) {
	p := rec.Plan.WithDefaults()
	for _, one := range slices.Backward(finished) {
		q := one.Plan.WithDefaults()
		if one.Number < rec.Number && one.Report != nil && p.Pages == q.Pages && p.Depth == q.Depth &&
			p.Selection == q.Selection && p.Render.Pages == q.Render.Pages {
			return one, true
		}
	}
	return record.Crawl{}, false
}

// asking reads a question of pages.
func asking(question string) (record.Asking, error) {
	asked, err := (&query.View{Question: question, Columns: []string{"address"}}).Understand()
	return record.Asking{Asked: asked, Limit: 20}, err
}

func (a *Alerts) ask(ctx context.Context, site record.Site, crawl int64, question string) ([]string, int, error) {
	asked, err := asking(question)
	if err != nil {
		return nil, 0, err
	}
	asked.Site = site.ID
	answer, err := a.store.Ask(ctx, crawl, asked)
	return texts(answer.Rows), answer.Total, err
}

// texts are the first columns of rows.
func texts(rows [][]any) (out []string) {
	for _, row := range rows {
		if s, ok := row[0].(string); ok {
			out = append(out, s)
		}
	}
	return out
}

// mostImportant is how many pages count as important: those with the most authority.
const mostImportant = 20

// important are the pages of a crawl that matter most.
func (a *Alerts) important(ctx context.Context, site record.Site, crawl int64) (map[string]bool, error) {
	asked, err := (&query.View{Columns: []string{"address"}, Order: "-authority"}).Understand()
	if err != nil {
		return nil, err
	}
	answer, err := a.store.Ask(ctx, crawl, record.Asking{Asked: asked, Site: site.ID, Limit: mostImportant})
	out := map[string]bool{}
	for _, address := range texts(answer.Rows) {
		out[address] = true
	}
	return out, err
}

// pagesOf are the pages of the newest finished crawl of a site.
func (a *Alerts) pagesOf(ctx context.Context, site record.Site) ([]string, error) {
	finished, err := a.store.FinishedCrawls(ctx, site.ID, 1) // the newest
	if err != nil || len(finished) == 0 {
		return nil, err
	}
	asked, err := (&query.View{Columns: []string{"address"}}).Understand()
	if err != nil {
		return nil, err
	}
	answer, err := a.store.Ask(ctx, finished[0].ID, record.Asking{Asked: asked, Site: site.ID, Limit: mostPages})
	return texts(answer.Rows), err
}

// mostPages is how many pages a robots.txt is held against.
const mostPages = 100_000

// mostTried is how many crawls a rule is tried on.
const mostTried = 12

// TryRule tells what a rule would have told of the last crawls of a site, and of what was watched in the last days.
func (a *Alerts) TryRule(ctx context.Context, site record.Site, r alert.Rule) (out record.TriedRule, err error) {
	if err := a.examine(r); err != nil {
		return out, err
	}
	switch r.What {
	case alert.Outage, alert.Slow, alert.Certificate, alert.Otherwise, alert.FrontOther, alert.Shrank:
		return a.tryWatched(ctx, site, r)
	}
	finished, err := a.store.FinishedCrawls(ctx, site.ID, mostBack)
	if err != nil {
		return out, err
	}
	var open []alert.Open
	for _, rec := range finished[max(0, len(finished)-mostTried):] {
		news, err := a.newsOf(ctx, site, rec, finished)
		if err != nil {
			return out, err
		}
		if news == nil {
			continue
		}
		v, err := r.OfCrawl(news, open)
		if err != nil {
			return out, err
		}
		out.Crawls++
		for _, t := range v.Told {
			out.Told = append(out.Told, record.TriedTold{Crawl: rec.Number, At: rec.Started, Says: t.Says})
			if alert.KindOf(r.What).Lasts {
				open = append(open, alert.Open{Subject: t.Subject, Count: t.Count, Fixes: t.Fixes, Began: rec.Started})
			}
		}
		for _, o := range v.Over {
			out.Told = append(out.Told, record.TriedTold{Crawl: rec.Number, At: rec.Started, Says: o.Says, Over: true})
			for j := range open {
				if open[j].Subject == o.Subject {
					open = append(open[:j], open[j+1:]...)
					break
				}
			}
		}
	}
	return out, nil
}

// How far back what was watched is looked at, and how closely.
const (
	triedBack = 30 * 24 * time.Hour
	triedStep = 10 * time.Minute
)

// tryWatched tells what a rule would have told of what was watched.
func (a *Alerts) tryWatched(ctx context.Context, site record.Site, r alert.Rule) (out record.TriedRule, err error) {
	now := a.now()
	out.Days = int(triedBack.Hours() / 24)
	add := func(at time.Time, v alert.Verdict) {
		for _, t := range v.Told {
			out.Told = append(out.Told, record.TriedTold{At: at, Says: t.Says})
		}
		for _, o := range v.Over {
			out.Told = append(out.Told, record.TriedTold{At: at, Says: o.Says, Over: true})
		}
	}
	switch r.What {
	case alert.Slow, alert.Certificate: // of these the past is not kept as it would have to be
		s, err := a.signs(ctx)
		if err != nil {
			return out, err
		}
		one := s.of(site)
		add(now, r.OfAddresses(one.Addresses, nil, now))
		add(now, r.OfCertificates(one.Certificates, nil, now))
		out.Days = 0
		return out, nil
	case alert.Outage:
		all, err := a.store.Outages(ctx, site.Name, 0, now.Add(-triedBack), mostOutages)
		if err != nil {
			return out, err
		}
		watches, err := a.store.Watches(ctx, site.Name)
		if err != nil {
			return out, err
		}
		tryOutages(&r, watches, all, now, add)
		return out, nil
	}
	changes, err := a.store.Changes(ctx, site.ID, 0, now.Add(-triedBack), mostChanges)
	if err != nil {
		return out, err
	}
	pages, err := a.pagesOf(ctx, site)
	if err != nil {
		return out, err
	}
	fronts, err := a.store.Fronts(ctx, site.Name)
	if err != nil {
		return out, err
	}
	listed := 0
	if len(fronts) > 0 && fronts[0].Now != nil {
		listed = fronts[0].Now.Entries()
	}
	for i := len(changes); i > 0; {
		j := i - 1
		for j > 0 && changes[j-1].At.Equal(changes[i-1].At) {
			j--
		}
		var some []alert.Different
		for _, c := range changes[j:i] {
			some = append(some, alert.Different{At: c.At, Name: c.Name, Change: c.Change})
		}
		add(changes[j].At, r.OfDifferences(some, pages, site.Plan.WithDefaults().RobotsAs, listed))
		i = j
	}
	return out, nil
}

// tryOutages plays outages to a rule, in steps of time.
func tryOutages(r *alert.Rule, watches []record.Watched, all []record.Outage, now time.Time,
	add func(time.Time, alert.Verdict)) {
	for _, w := range watches {
		var open []alert.Open
		for at := now.Add(-triedBack); at.Before(now); at = at.Add(triedStep) {
			one := alert.Address{Name: w.Name, Address: w.Address, Every: w.Every}
			one.Down = downs(all, w.ID, at)
			v := r.OfAddresses([]alert.Address{one}, open, at)
			for _, t := range v.Told {
				open = append(open, alert.Open{Subject: t.Subject, Began: t.Since})
			}
			if len(v.Over) > 0 {
				open = nil
			}
			add(at, v)
		}
	}
}
