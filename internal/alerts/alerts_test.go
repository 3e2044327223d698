package alerts

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// post is a store in memory, with a clock that is set by hand.
type post struct {
	t            *testing.T
	now          time.Time
	sites        []record.Site
	rules        map[int64][]alert.Rule
	watches      []record.Watched
	outages      []record.Outage
	changes      []record.Noticed
	fronts       []record.Front
	maintenances []record.Maintenance
	crawls       []record.Crawl // the oldest first, as the store gives them
	drifts       map[int]*drift.Comparison
	listed       map[int64][]string
	ways         []record.Way

	alerts   []record.Alert
	tellings map[int64][]record.Telling // by way
	told     map[int64][]int64          // by alert, the ways
	messages []string
	*Alerts
}

func newPost(t *testing.T, at string) *post {
	t.Helper()
	now, err := time.Parse(time.RFC3339, at)
	if err != nil {
		t.Fatal(err)
	}
	p := &post{
		t:        t,
		now:      now,
		rules:    map[int64][]alert.Rule{},
		tellings: map[int64][]record.Telling{},
		told:     map[int64][]int64{},
		drifts:   map[int]*drift.Comparison{},
		listed:   map[int64][]string{},
		sites:    []record.Site{{ID: 1, Name: "fernhollow", Home: "https://fernhollow.example/"}},
		ways:     []record.Way{{ID: 1, Name: "ash", Kind: record.ByMail}},
	}
	p.Alerts = New(
		p,
		p,
		[]string{"links"},
		func(string) bool { return true },
		func() time.Time { return p.now },
	)
	return p
}

func (p *post) Sites(context.Context) ([]record.Site, error)              { return p.sites, nil }
func (p *post) Site(context.Context, string) (record.Site, error)         { return p.sites[0], nil }
func (p *post) Rules(_ context.Context, id int64) ([]alert.Rule, error)   { return p.rules[id], nil }
func (p *post) RemoveRule(context.Context, int64, string) error           { return nil }
func (p *post) Watches(context.Context, string) ([]record.Watched, error) { return p.watches, nil }
func (p *post) Fronts(context.Context, string) ([]record.Front, error)    { return p.fronts, nil }
func (p *post) Week(_ context.Context, site record.Site, _, _ time.Time) (record.LetterSite, error) {
	health, before := 81.9, 88.2
	return record.LetterSite{Site: site.Name, Latest: 1, Health: &health, Before: &before}, nil
}

func (p *post) Crawl(context.Context, string, int) (record.Crawl, error) {
	return record.Crawl{ID: 1}, nil
}

func (p *post) Fixes(context.Context, int64, record.FixQuery) (record.FixList, error) {
	return record.FixList{Fixes: []record.FixLine{{Fix: fixlist.Fix{ID: "a", Line: "Footer link is dead"}}}}, nil
}

func (p *post) PostLetter(_ context.Context, w record.Way, next *time.Time, body record.MessageBody) error {
	p.ways[w.ID-1].Next = next
	p.messages = append(
		p.messages,
		fmt.Sprintf("%s %s, next: %s", p.now.Format("02 15:04"), body.Subject, body.Letter.Sites[0].Next[0].Line),
	)
	return nil
}

func (p *post) KeepStep(context.Context, int64, record.Step) error { return nil }
func (p *post) ForgetMessages(context.Context, time.Time) error    { return nil }
func (p *post) Schedules(context.Context, string) ([]record.Scheduled, error) {
	return nil, nil
}

func (p *post) CrawlOf(_ context.Context, id int64) (record.Crawl, error) {
	for _, c := range p.crawls {
		if c.ID == id {
			return c, nil
		}
	}
	return record.Crawl{}, record.ErrNotFound
}

func (p *post) FinishedCrawls(context.Context, int64, int) ([]record.Crawl, error) {
	var out []record.Crawl
	for _, c := range p.crawls {
		if c.State == "finished" {
			out = append(out, c)
		}
	}
	return out, nil
}

func (p *post) FixIDs(_ context.Context, id int64) (map[string]bool, error) {
	out := map[string]bool{}
	for _, f := range p.listed[id] {
		out[f] = true
	}
	return out, nil
}

func (p *post) Ask(context.Context, int64, record.Asking) (record.Answer, error) {
	return record.Answer{
		Rows:  [][]any{{"https://fernhollow.example/"}, {"https://fernhollow.example/shop/"}},
		Total: 2,
	}, nil
}

func (p *post) PutRule(_ context.Context, id int64, r alert.Rule) error {
	p.rules[id] = append(p.rules[id], r)
	return nil
}

func (p *post) OpenAlerts(_ context.Context, id int64) (map[string][]alert.Open, error) {
	out := map[string][]alert.Open{}
	for _, a := range p.alerts {
		if a.SiteID == id && a.Lasts && a.Ended == nil {
			out[a.Rule] = append(out[a.Rule], alert.Open{Subject: a.Subject, Began: a.Began, Fixes: a.Told.Fixes})
		}
	}
	return out, nil
}

func (p *post) LastTold(_ context.Context, id int64) (map[string]time.Time, error) {
	out := map[string]time.Time{}
	for _, a := range p.alerts {
		if a.SiteID == id && a.State != record.AlertSilent {
			out[a.Rule] = a.Began
		}
	}
	return out, nil
}

func (p *post) Tell(_ context.Context, id int64, n record.News) error {
	for _, a := range n.Alerts {
		if slices.ContainsFunc(p.alerts, func(o record.Alert) bool {
			return o.SiteID == id && o.Rule == a.Rule && o.Subject == a.Subject && (!o.Lasts || o.Ended == nil)
		}) {
			continue
		}
		a.ID, a.SiteID, a.Site = int64(len(p.alerts)), id, p.sites[id-1].Name
		p.alerts = append(p.alerts, a)
		if a.State == record.AlertSilent {
			continue
		}
		p.told[a.ID] = n.To[a.Rule]
		for _, w := range n.To[a.Rule] {
			p.tellings[w] = append(p.tellings[w], record.Telling{Alert: a.ID, Created: p.now, Urgent: a.Told.Urgent})
		}
	}
	for _, o := range n.Over {
		for i := range p.alerts {
			a := &p.alerts[i]
			if a.SiteID == id && a.Rule == o.Rule && a.Subject == o.Subject && a.Lasts && a.Ended == nil {
				at := o.At
				a.Ended, a.Over = &at, o.Says
				for _, w := range p.told[a.ID] {
					p.tellings[w] = append(p.tellings[w], record.Telling{Alert: a.ID, Over: true, Created: p.now})
				}
			}
		}
	}
	p.changes = slices.DeleteFunc(p.changes, func(c record.Noticed) bool { return slices.Contains(n.Told, c.ID) })
	return nil
}

func (p *post) UntoldChanges(context.Context, int) ([]record.Noticed, error) { return p.changes, nil }

func (p *post) Outages(context.Context, string, int64, time.Time, int) ([]record.Outage, error) {
	var out []record.Outage
	for _, o := range slices.Backward(p.outages) {
		if o.Began.After(p.now) { // it is planted, and has not come yet
			continue
		}
		if o.Ended != nil && o.Ended.After(p.now) {
			o.Ended = nil
		}
		if o.Ended == nil || p.now.Sub(*o.Ended) < 31*24*time.Hour {
			out = append(out, o)
		}
	}
	return out, nil
}

func (p *post) Changes(context.Context, int64, int64, time.Time, int) ([]record.Noticed, error) {
	return p.changes, nil
}

func (p *post) Maintenances(_ context.Context, _ int64, at time.Time) (out []record.Maintenance, err error) {
	for _, m := range p.maintenances {
		if m.Ends.After(at) {
			out = append(out, m)
		}
	}
	return out, nil
}

func (p *post) Ways(context.Context) ([]record.Way, error) {
	out := slices.Clone(p.ways)
	for i := range out {
		out[i].Waiting = len(p.tellings[out[i].ID])
	}
	return out, nil
}

func (p *post) Tellings(_ context.Context, way int64) ([]record.Telling, error) {
	return slices.Clone(p.tellings[way]), nil
}

func (p *post) Decide(_ context.Context, way int64, of []record.Telling,
	make func(began, over []record.Alert) (record.MessageBody, error)) error {
	var sides [2][]record.Alert
	for _, t := range of {
		side := 0
		if t.Over {
			side = 1
		}
		sides[side] = append(sides[side], p.alerts[t.Alert])
	}
	body, err := make(sides[0], sides[1])
	if err != nil {
		return err
	}
	p.tellings[way] = slices.DeleteFunc(p.tellings[way], func(t record.Telling) bool { return slices.Contains(of, t) })
	now := p.now
	p.ways[way-1].Last = &now
	p.messages = append(p.messages, fmt.Sprintf("%s %s", p.now.Format("02 15:04"), body.Subject))
	return nil
}

func (p *post) Drift(_ context.Context, _ record.Site, _, after record.Crawl) (*drift.Comparison, error) {
	return p.drifts[after.Number], nil
}

func (p *post) Gate(
	context.Context,
	record.Site,
	record.Crawl,
	*record.Crawl,
	gate.Conditions,
) (gate.Verdict, error) {
	return gate.Verdict{Passed: true}, nil
}

// minutes lets time go by, a minute at a step.
func (p *post) minutes(n int) {
	p.t.Helper()
	for range n {
		p.now = p.now.Add(time.Minute)
		if err := p.Alerts.Tell(p.t.Context()); err != nil {
			p.t.Fatal(err)
		}
	}
}

// crawl has a crawl finish that is compared so with the one before.
func (p *post) crawl(d *drift.Comparison, listed ...string) {
	p.t.Helper()
	n := len(p.crawls) + 1
	p.crawls = append(p.crawls, record.Crawl{ID: int64(n), SiteID: 1, Site: "fernhollow", Number: n, State: "finished",
		Home: "https://fernhollow.example/", Started: p.now, Report: &record.Summary{Report: &fixlist.Report{}}},
	)
	p.drifts[n], p.listed[int64(n)] = d, listed
	if err := p.News(p.t.Context(), int64(n)); err != nil {
		p.t.Fatal(err)
	}
}

func (p *post) says() string { return strings.Join(p.messages, "; ") }

func (p *post) down(minutes ...int) {
	p.watches = []record.Watched{
		{
			ID:     1,
			SiteID: 1,
			Site:   "fernhollow",
			Watch:  watch.Watch{Name: "home", Address: "https://fernhollow.example/", Every: 1},
		},
	}
	at := p.now
	for i := 0; i+1 < len(minutes); i += 2 {
		end := at.Add(time.Duration(minutes[i+1]) * time.Minute)
		p.outages = append(
			p.outages,
			record.Outage{
				Watch:  1,
				Site:   "fernhollow",
				Name:   "home",
				Began:  at.Add(time.Duration(minutes[i]) * time.Minute),
				Ended:  &end,
				Reason: "status 503",
			},
		)
	}
}

// TestOneMessage: what comes at once is one message, and a fall of health is told with what explains it; what lasts is
// told when it begins and when it is over.
func TestOneMessage(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	p.crawl(nil)
	closed := &drift.Comparison{New: []fixlist.Fix{{ID: "a", Line: "Footer link is dead", Pages: 400}},
		Step: drift.Step{Before: 90, After: 84}}
	for n := range 400 {
		closed.Changes = append(
			closed.Changes,
			drift.Change{Address: fmt.Sprintf("https://fernhollow.example/%d", n), What: "indexable", After: "no"},
		)
	}
	p.crawl(closed, "a")
	p.minutes(5)
	p.crawl(&drift.Comparison{}, "a")
	p.minutes(5)
	p.crawl(&drift.Comparison{})
	p.minutes(5)
	want := "30 08:01 fernhollow: 400 pages can no longer be found in search; health fell by 6.0 to 84.0 since crawl 1, " +
		"and 1 more; 30 08:11 fernhollow: over: Crawl 4 found none of it any more"
	if got := p.says(); got != want {
		t.Errorf("told: %s", got)
	}
}

// TestQuiet: in quiet hours what is urgent alone is told, where that is wanted; the rest comes as one after them.
func TestQuiet(t *testing.T) {
	p := newPost(t, "2026-11-30T23:00:00Z")
	p.ways[0].Quiet, p.ways[0].Zone = "22:00-07:00", "UTC"
	p.ways = append(
		p.ways,
		record.Way{ID: 2, Name: "board", Kind: record.ByWebhook, Quiet: "22:00-07:00", Zone: "UTC", Wake: true},
	)
	p.crawl(nil)
	p.crawl(&drift.Comparison{Step: drift.Step{Before: 90, After: 80}})
	p.outages = append(
		p.outages,
		record.Outage{
			Watch:  1,
			Site:   "fernhollow",
			Name:   "home",
			Began:  p.now.Add(5 * time.Minute),
			Reason: "status 503",
		},
	)
	p.watches = []record.Watched{{ID: 1, SiteID: 1, Site: "fernhollow", Watch: watch.Watch{Name: "home", Every: 1}}}
	p.outages[0].Began = p.now.Add(time.Minute)
	p.minutes(9 * 60)
	want := []string{
		"30 23:01 fernhollow: home is down since 23:01 UTC: status 503",
		"01 07:00 fernhollow: home is down since 23:01 UTC: status 503, and 1 more",
		"01 07:00 fernhollow: Health fell by 10.0 to 80.0 since crawl 1",
	}
	if !slices.Equal(p.messages, want) {
		t.Errorf("told: %q", p.messages)
	}
}

// TestFlapping: an address that comes and goes is told once, and once more when it is up for good.
func TestFlapping(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	p.watches = []record.Watched{{ID: 1, SiteID: 1, Site: "fernhollow", Watch: watch.Watch{Name: "home", Every: 1}}}
	for n := range 6 { // three minutes down, three up
		p.outages = append(
			p.outages,
			record.Outage{Watch: 1, Site: "fernhollow", Name: "home", Began: p.now, Reason: fmt.Sprintf("status 50%d", n)},
		)
		p.minutes(3)
		end := p.now
		p.outages[n].Ended = &end
		p.minutes(3)
	}
	p.minutes(60)
	if got := p.says(); got != "30 08:01 fernhollow: home is down since 08:00 UTC: status 500; 30 08:43 fernhollow: over: home is up again, after 18 min in 6 outages" {
		t.Errorf("told: %s", got)
	}
}

// TestExpected: what was said to be expected is kept, and told to nobody.
func TestExpected(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	p.maintenances = []record.Maintenance{{SiteID: 1, Began: p.now, Ends: p.now.Add(time.Hour), Reason: "a relaunch"}}
	p.crawl(nil)
	p.crawl(&drift.Comparison{Step: drift.Step{Before: 90, After: 80}})
	p.minutes(90)
	if p.says() != "" || len(p.alerts) != 1 || p.alerts[0].State != record.AlertSilent ||
		p.alerts[0].Reason != "a relaunch" {
		t.Errorf("told: %s, kept %+v", p.says(), p.alerts)
	}
}

// TestBounds: a way has its pause between messages, a rule its own; rules and ways that are off tell nothing, and a way
// that is for other sites neither.
func TestBounds(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	p.ways[0].Gap = 60
	p.ways = append(p.ways, record.Way{ID: 2, Name: "off", Kind: record.ByMail, Off: true},
		record.Way{ID: 3, Name: "elsewhere", Kind: record.ByMail, Sites: []string{"glasshouse"}})
	p.rules[1] = []alert.Rule{
		{Name: alert.HealthFell, What: alert.HealthFell, Every: 24},
		{Name: alert.Closed, What: alert.Closed, Off: true},
	}
	p.crawl(nil)
	fell := func(from float64) *drift.Comparison {
		return &drift.Comparison{
			Step:    drift.Step{Before: from, After: from - 10},
			Changes: []drift.Change{{What: "indexable", After: "no"}},
		}
	}
	p.crawl(fell(90))
	p.minutes(10)
	p.crawl(fell(80)) // within a day
	p.changes = append(
		p.changes,
		record.Noticed{
			ID:     1,
			SiteID: 1,
			At:     p.now,
			Name:   "home",
			Change: watch.Change{What: watch.Title, Was: "a", Now: "b"},
		},
	)
	p.minutes(90)
	p.now = p.now.Add(24 * time.Hour)
	p.crawl(fell(70))
	p.minutes(5)
	want := "30 08:01 fernhollow: Health fell by 10.0 to 80.0 since crawl 1; 30 09:01 fernhollow: home changed: title; " +
		"01 09:41 fernhollow: Health fell by 10.0 to 60.0 since crawl 3"
	if got := p.says(); got != want {
		t.Errorf("told: %s", got)
	}
}

// TestLike: a small look between full crawls is compared with the small look before it.
func TestLike(t *testing.T) {
	sized := func(number, pages int) record.Crawl {
		return record.Crawl{Number: number, Plan: plan.Plan{Pages: pages}, Report: &record.Summary{}}
	}
	finished := []record.Crawl{sized(1, 50), sized(2, 5000), sized(3, 50), sized(4, 5000), sized(5, 50)}
	if before, ok := like(sized(5, 50), finished); !ok || before.Number != 3 {
		t.Errorf("%d, %v", before.Number, ok)
	}
	if before, ok := like(sized(4, 5000), finished); !ok || before.Number != 2 {
		t.Errorf("%d, %v", before.Number, ok)
	}
	if _, ok := like(sized(2, 5000), finished); ok {
		t.Error("the first full crawl is compared with another")
	}
}

// TestStorm: of very many things at once a message tells the gravest, and how many more there are.
func TestStorm(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	for n := range 60 {
		name := fmt.Sprintf("w%02d", n)
		p.watches = append(
			p.watches,
			record.Watched{ID: int64(n + 1), SiteID: 1, Site: "fernhollow", Watch: watch.Watch{Name: name, Every: 1}},
		)
		p.outages = append(
			p.outages,
			record.Outage{Watch: int64(n + 1), Site: "fernhollow", Name: name, Began: p.now, Reason: "status 503"},
		)
	}
	p.minutes(3)
	if got := p.says(); got != "30 08:01 fernhollow: w00 is down since 08:00 UTC: status 503, and 59 more" {
		t.Errorf("told: %s", got)
	}
	began := make([]record.Alert, 60)
	body, err := say(began, nil)
	if err != nil || len(body.Items) != mostItems || body.More != 60-mostItems {
		t.Errorf("%d items, %d more (%v)", len(body.Items), body.More, err)
	}
}

// TestLetters: a letter comes once a week, at its hour.
func TestLetters(t *testing.T) {
	p := newPost(t, "2026-11-30T06:30:00Z") // a Monday
	p.ways[0].Letter, p.ways[0].Zone = "mon 08:00", "Europe/Berlin"
	first := time.Date(2026, 11, 30, 7, 0, 0, 0, time.UTC)
	p.ways[0].Next = &first
	p.minutes(60)
	p.now = p.now.AddDate(0, 0, 7)
	p.minutes(60)
	want := "30 07:00 fernhollow: the week, health 81.9 (-6.3), next: Footer link is dead; 07 07:31 fernhollow: the week, health 81.9 (-6.3), next: Footer link is dead"
	if got := p.says(); got != want {
		t.Errorf("told: %s", got)
	}
}

// TestTry: a rule is held against what has been, and stores nothing.
func TestTry(t *testing.T) {
	p := newPost(t, "2026-11-30T08:00:00Z")
	p.rules[1] = []alert.Rule{{Name: alert.Vanished, What: alert.Vanished, Off: true}}
	p.crawl(nil)
	for n := range 4 {
		d := &drift.Comparison{}
		for i := range n {
			d.Vanished = append(d.Vanished, drift.Seen{Address: fmt.Sprintf("https://fernhollow.example/%d", i)})
		}
		p.crawl(d)
	}
	out, err := p.TryRule(t.Context(), p.sites[0], alert.Rule{Name: "x", What: alert.Vanished, Least: 2})
	if err != nil || out.Crawls != 5 || len(out.Told) != 2 || out.Told[1].Crawl != 5 ||
		out.Told[1].Says != "3 pages are no more" {
		t.Errorf("%+v (%v)", out, err)
	}
	p.down(-600, -590, -300, -100)
	out, err = p.TryRule(t.Context(), p.sites[0], alert.Rule{Name: "x", What: alert.Outage, Least: 60})
	if err != nil || out.Days != 30 || len(out.Told) != 2 || out.Told[0].Over || !out.Told[1].Over {
		t.Errorf("%+v (%v)", out, err)
	}
	if len(p.alerts) != 0 || len(p.messages) != 0 {
		t.Errorf("trying told %v", p.alerts)
	}
	if _, err := p.TryRule(t.Context(), p.sites[0], alert.Rule{What: alert.Asked, Question: "nosuch > 3"}); err == nil {
		t.Error("a question that cannot be read is tried")
	}
}
