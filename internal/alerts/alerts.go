// Package alerts holds crawls and what was watched against the rules of their sites, and decides what is told to whom,
// and when. How it is sent is no matter of it.
package alerts

import (
	"context"
	"errors"
	"slices"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/drift"
	"harvik/internal/core/gate"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// Store is where alerts and what they are made of are kept.
type Store interface {
	Sites(ctx context.Context) ([]record.Site, error)
	Site(ctx context.Context, name string) (record.Site, error)
	CrawlOf(ctx context.Context, id int64) (record.Crawl, error)
	FinishedCrawls(ctx context.Context, site int64, limit int) ([]record.Crawl, error)
	FixIDs(ctx context.Context, crawl int64) (map[string]bool, error)
	Ask(ctx context.Context, crawl int64, a record.Asking) (record.Answer, error)
	Rules(ctx context.Context, site int64) ([]alert.Rule, error)
	PutRule(ctx context.Context, site int64, r alert.Rule) error
	RemoveRule(ctx context.Context, site int64, name string) error
	OpenAlerts(ctx context.Context, site int64) (map[string][]alert.Open, error)
	LastTold(ctx context.Context, site int64) (map[string]time.Time, error)
	Tell(ctx context.Context, site int64, n record.News) error
	UntoldChanges(ctx context.Context, most int) ([]record.Noticed, error)
	Watches(ctx context.Context, site string) ([]record.Watched, error)
	Outages(ctx context.Context, site string, watchID int64, since time.Time, most int) ([]record.Outage, error)
	Changes(ctx context.Context, site, watchID int64, since time.Time, most int) ([]record.Noticed, error)
	Fronts(ctx context.Context, site string) ([]record.Front, error)
	Schedules(ctx context.Context, site string) ([]record.Scheduled, error)
	Maintenances(ctx context.Context, site int64, at time.Time) ([]record.Maintenance, error)
	Ways(ctx context.Context) ([]record.Way, error)
	Tellings(ctx context.Context, way int64) ([]record.Telling, error)
	Decide(ctx context.Context, way int64, of []record.Telling,
		say func(began, over []record.Alert) (record.MessageBody, error)) error
	Week(ctx context.Context, site record.Site, from, until time.Time) (record.LetterSite, error)
	Crawl(ctx context.Context, site string, number int) (record.Crawl, error)
	Fixes(ctx context.Context, crawl int64, q record.FixQuery) (record.FixList, error)
	PostLetter(ctx context.Context, w record.Way, next *time.Time, body record.MessageBody) error
	KeepStep(ctx context.Context, crawl int64, step record.Step) error
	ForgetMessages(ctx context.Context, now time.Time) error
}

// Comparisons set crawls side by side.
type Comparisons interface {
	Drift(ctx context.Context, site record.Site, before, after record.Crawl) (*drift.Comparison, error)
	Gate(ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl,
		c gate.Conditions) (gate.Verdict, error)
}

// Alerts are safe for use from several goroutines.
type Alerts struct {
	store   Store
	compare Comparisons
	groups  []string
	known   func(check string) bool
	now     func() time.Time
}

// New makes them; groups are those of checks, known tells the names of checks, now is the clock.
func New(s Store, c Comparisons, groups []string, known func(string) bool, now func() time.Time) *Alerts {
	return &Alerts{store: s, compare: c, groups: groups, known: known, now: now}
}

// RulesOf are the rules of a site.
func (a *Alerts) RulesOf(ctx context.Context, site record.Site) ([]record.SiteRule, error) {
	own, err := a.store.Rules(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	var out []record.SiteRule
	for _, r := range alert.Joined(own) {
		out = append(out, record.SiteRule{Site: site.Name, Rule: r,
			Own: slices.ContainsFunc(own, func(o alert.Rule) bool { return o.Name == r.Name })})
	}
	return out, nil
}

// SetRule keeps a rule of a site, in place of what had its name. The error is plan.Faults where it cannot be.
func (a *Alerts) SetRule(ctx context.Context, site record.Site, r alert.Rule) error {
	if err := a.examine(r); err != nil {
		return err
	}
	return a.store.PutRule(ctx, site.ID, r)
}

func (a *Alerts) examine(r alert.Rule) error {
	if err := r.Examine(a.groups, a.known); err != nil {
		return err
	}
	if r.Question != "" {
		if _, err := asking(r.Question); err != nil {
			return err
		}
	}
	return nil
}

// RemoveRule forgets a rule of a site, which then has the usual one of that name, if there is one; record.ErrNotFound
// where it has none of its own.
func (a *Alerts) RemoveRule(ctx context.Context, site record.Site, name string) error {
	return a.store.RemoveRule(ctx, site.ID, name)
}

// A setting is what is the same for all sites.
type setting struct {
	at      time.Time
	ways    []record.Way
	planned map[int64]string // the sites that are worked at, by ID, and why: what happens there is expected
}

func (a *Alerts) setting(ctx context.Context) (out setting, err error) {
	out.at = a.now()
	if out.ways, err = a.store.Ways(ctx); err != nil {
		return out, err
	}
	all, err := a.store.Maintenances(ctx, 0, out.at)
	out.planned = record.Planned(all, out.at)
	return out, err
}

// A telling collects what rules make of a site.
type telling struct {
	setting
	of    *Alerts
	site  record.Site
	rules []alert.Rule
	open  map[string][]alert.Open
	last  map[string]time.Time // that a rule told of something, where one is to tell seldom
	out   record.News
}

func (a *Alerts) telling(ctx context.Context, site record.Site, in setting) (*telling, error) {
	own, err := a.store.Rules(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	t := &telling{setting: in, of: a, site: site, rules: alert.Joined(own), out: record.News{To: map[string][]int64{}}}
	if t.open, err = a.store.OpenAlerts(ctx, site.ID); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(own, func(r alert.Rule) bool { return r.Every > 0 }) {
		t.last, err = a.store.LastTold(ctx, site.ID)
	}
	return t, err
}

// each holds every rule that is on against something.
func (t *telling) each(do func(r *alert.Rule, open []alert.Open) (alert.Verdict, error)) error {
	for i := range t.rules {
		r := &t.rules[i]
		open := t.open[r.Name]
		if r.Off {
			t.over(r, offOver(open))
			continue
		}
		v, err := do(r, open)
		if err != nil {
			return err
		}
		t.take(r, v)
	}
	return nil
}

// offOver ends what a rule told of that is off now.
func offOver(open []alert.Open) (out []alert.Over) {
	for _, o := range open {
		out = append(out, alert.Over{Subject: o.Subject, Says: "the rule was switched off"})
	}
	return out
}

// take takes into account what a rule makes of something.
func (t *telling) take(r *alert.Rule, v alert.Verdict) {
	kind := alert.KindOf(r.What)
	why, expected := t.planned[t.site.ID]
	for _, one := range v.Told {
		a := record.Alert{
			Rule:    r.Name,
			What:    r.What,
			Subject: one.Subject,
			Lasts:   kind.Lasts,
			Began:   one.Since,
			Told:    one,
			State:   record.AlertNew,
		}
		if a.Began.IsZero() {
			a.Began = t.at
		}
		switch {
		case expected:
			a.State, a.Reason = record.AlertSilent, why
		case r.Every > 0 && t.at.Sub(t.last[r.Name]) < time.Duration(r.Every)*time.Hour:
			a.State, a.Reason = record.AlertSilent, "the rule tells at most once in so many hours"
		}
		t.out.Alerts = append(t.out.Alerts, a)
	}
	if len(v.Told) > 0 {
		t.out.To[r.Name] = t.waysOf(r)
	}
	t.over(r, v.Over)
}

func (t *telling) over(r *alert.Rule, all []alert.Over) {
	for _, o := range all {
		t.out.Over = append(t.out.Over, record.AlertOver{Rule: r.Name, Subject: o.Subject, Says: o.Says, At: t.at})
	}
}

// waysOf are the ways by which a rule tells.
func (t *telling) waysOf(r *alert.Rule) []int64 {
	var out []int64
	for _, w := range t.ways {
		named := r.To == nil || slices.Contains(r.To, w.Name)
		if named && !w.Off && (w.Sites == nil || slices.Contains(w.Sites, t.site.Name)) {
			out = append(out, w.ID)
		}
	}
	return out
}

// save stores it.
func (t *telling) save(ctx context.Context) error {
	if len(t.out.Alerts)+len(t.out.Over)+len(t.out.Told) == 0 {
		return nil
	}
	return t.of.store.Tell(ctx, t.site.ID, t.out)
}

// Tell holds what was watched at all sites against their rules, and makes messages of what is to be told.
func (a *Alerts) Tell(ctx context.Context) error {
	sites, err := a.store.Sites(ctx)
	if err != nil {
		return err
	}
	signs, err := a.signs(ctx)
	if err != nil {
		return err
	}
	in, err := a.setting(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, site := range sites {
		if err := a.tellOf(ctx, site, signs, in); err != nil {
			failed = errors.Join(failed, err)
		}
	}
	ways, err := a.store.Ways(ctx) // with what waits now
	if err != nil {
		return errors.Join(failed, err)
	}
	return errors.Join(failed, a.gather(ctx, ways), a.letters(ctx, ways), a.store.ForgetMessages(ctx, a.now()))
}

// tellOf holds what was watched at a site against its rules.
func (a *Alerts) tellOf(ctx context.Context, site record.Site, s *signs, in setting) error {
	one := s.of(site)
	t, err := a.telling(ctx, site, in)
	if err != nil {
		return err
	}
	var pages []string
	if slices.ContainsFunc(one.Different, func(d alert.Different) bool { return d.What == watch.RobotsTxt }) {
		if pages, err = a.pagesOf(ctx, site); err != nil {
			return err
		}
	}
	agent := site.Plan.WithDefaults().RobotsAs
	if err := t.each(func(r *alert.Rule, open []alert.Open) (v alert.Verdict, err error) {
		switch r.What {
		case alert.Outage, alert.Slow:
			v = r.OfAddresses(one.Addresses, open, t.at)
		case alert.Certificate:
			v = r.OfCertificates(one.Certificates, open, t.at)
		case alert.CrawlFailed:
			if one.Refused != "" {
				v, err = r.OfCrawl(&alert.News{Failed: one.Refused}, open)
			}
		default:
			v = r.OfDifferences(one.Different, pages, agent, one.Listed)
		}
		return v, err
	}); err != nil {
		return err
	}
	t.out.Told = one.Noticed
	return t.save(ctx)
}
