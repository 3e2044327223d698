package alerts

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/schedule"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// year is a post of many sites, each crawled by its own schedule.
type year struct {
	*post
	tables []*schedule.Timetable
	due    []time.Time
	crawls []int
	newest map[int64][]record.Crawl // by site
}

// Site finds one of the many.
func (y *year) Site(_ context.Context, name string) (record.Site, error) {
	for _, s := range y.sites {
		if s.Name == name {
			return s, nil
		}
	}
	return record.Site{}, record.ErrNotFound
}

// CrawlOf is the one of a number that counts through all sites.
func (y *year) CrawlOf(_ context.Context, id int64) (record.Crawl, error) {
	return y.post.crawls[id-1], nil
}

// FinishedCrawls are the newest of a site, the oldest first.
func (y *year) FinishedCrawls(_ context.Context, site int64, _ int) ([]record.Crawl, error) {
	return y.newest[site], nil
}

// Drift is what was planted for a site and a number of its crawls.
func (y *year) Drift(_ context.Context, site record.Site, _, after record.Crawl) (*drift.Comparison, error) {
	if d := y.drifts[int(site.ID)*10_000+after.Number]; d != nil {
		return d, nil
	}
	return &drift.Comparison{}, nil
}

// TestYear: a year of fifty sites, with schedules, deploys, outages, flapping, a certificate, fixes that come back and
// a relaunch that was expected. Each is told once, to whom it is for; nothing else is.
func TestYear(t *testing.T) {
	const sites = 50
	y := &year{post: newPost(t, "2026-01-01T00:00:00Z"), newest: map[int64][]record.Crawl{}}
	begin := y.now
	y.Alerts = New(y, y, nil, func(string) bool { return true }, func() time.Time { return y.now })
	y.sites, y.ways = nil, []record.Way{
		{ID: 1, Name: "ash", Kind: record.ByMail, Quiet: "22:00-07:00", Zone: "Europe/Berlin", Wake: true},
		{ID: 2, Name: "rowan", Kind: record.ByMail, Sites: []string{"site05"}},
	}
	for n := range sites {
		site := record.Site{
			ID:   int64(n + 1),
			Name: fmt.Sprintf("site%02d", n+1),
			Home: fmt.Sprintf("https://site%02d.example/", n+1),
		}
		when := schedule.Schedule{
			Name: "usual",
			When: []string{"daily 02:30", "mon 03:00", "monthly last 23:00"}[n%3],
			Zone: "Europe/Berlin",
		}
		table, err := when.Read(site.Name)
		if err != nil {
			t.Fatal(err)
		}
		y.sites, y.tables = append(y.sites, site), append(y.tables, table)
		y.due, y.crawls = append(y.due, table.Next(y.now)), append(y.crawls, 0)
		y.watches = append(y.watches, record.Watched{ID: site.ID, SiteID: site.ID, Site: site.Name,
			Watch: watch.Watch{Name: "home", Address: site.Home, Every: 5}})
		y.fronts = append(y.fronts, record.Front{Site: site.Name, Home: site.Home, Now: &watch.Front{At: y.now,
			Ends: begin.AddDate(2, 0, 0)}})
	}
	day := func(n int) time.Time { return begin.AddDate(0, 0, n).Add(12 * time.Hour) }
	down := func(site int, from time.Time, long time.Duration) {
		end := from.Add(long)
		y.outages = append(
			y.outages,
			record.Outage{Watch: int64(site), Site: fmt.Sprintf("site%02d", site), Name: "home", Began: from, Ended: &end,
				Reason: "status 503"},
		)
	}
	// Planted: a deploy that closes 400 pages; an outage, and one that comes and goes; a certificate; robots.txt; a fix
	// that comes back and goes again; a relaunch that was said before, and one that was not.
	closed := &drift.Comparison{}
	for n := range 400 {
		closed.Changes = append(
			closed.Changes,
			drift.Change{Address: fmt.Sprintf("https://site01.example/%d", n), What: "indexable", After: "no"},
		)
	}
	y.drifts[1*10_000+40] = closed // the 40th day: it is crawled daily
	down(2, day(100), 5*time.Hour)
	for n := range 5 {
		down(3, day(120).Add(time.Duration(n)*20*time.Minute), 15*time.Minute)
	}
	y.drifts[5*10_000+9] = &drift.Comparison{Returned: []fixlist.Fix{{ID: "a", Line: "Footer link is dead", Pages: 9}}}
	y.drifts[6*10_000+3] = &drift.Comparison{Step: drift.Step{Before: 90, After: 70}} // the end of March
	y.drifts[7*10_000+200] = &drift.Comparison{Step: drift.Step{Before: 90, After: 82}}
	y.maintenances = []record.Maintenance{{SiteID: 6, Began: day(88), Ends: day(92), Reason: "a relaunch"}}
	crawls := 0
	for y.now.Before(begin.AddDate(1, 0, 0)) {
		// In steps of three hours, and more closely where something comes and goes.
		step := 3 * time.Hour
		if n := int(y.now.Sub(begin).Hours() / 24); n == 100 || n == 120 {
			step = 5 * time.Minute
		}
		y.now = y.now.Add(step)
		for n := range y.sites {
			for !y.due[n].After(y.now) {
				crawls++
				y.crawls[n]++
				number := y.crawls[n]
				id := int64(len(y.post.crawls) + 1)
				one := record.Crawl{ID: id, SiteID: int64(n + 1), Site: y.sites[n].Name, Number: number,
					State: "finished", Home: y.sites[n].Home, Started: y.now, Report: &record.Summary{Report: &fixlist.Report{}}}
				y.post.crawls = append(y.post.crawls, one)
				y.newest[one.SiteID] = append(y.newest[one.SiteID], one)
				y.newest[one.SiteID] = y.newest[one.SiteID][max(0, len(y.newest[one.SiteID])-3):]
				if n+1 == 5 && number >= 9 && number < 12 {
					y.listed[id] = []string{"a"}
				}
				if err := y.News(t.Context(), id); err != nil {
					t.Fatal(err)
				}
				y.due[n] = y.tables[n].Next(y.due[n])
			}
		}
		switch d := y.now.Sub(begin); {
		case d == 150*24*time.Hour:
			y.changes = append(y.changes, record.Noticed{ID: 1, SiteID: 4, At: y.now,
				Change: watch.Change{What: watch.RobotsTxt, Was: "", Now: "User-agent: *\nDisallow: /shop/\n"}})
		case d == 170*24*time.Hour:
			y.fronts[7].Now.Ends = begin.AddDate(0, 0, 200)
		case d == 190*24*time.Hour:
			y.fronts[7].Now.Ends = begin.AddDate(0, 0, 290)
		case d == 300*24*time.Hour:
			y.fronts[7].Now.Ends = begin.AddDate(0, 0, 900)
		}
		if err := y.Alerts.Tell(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	// 17 sites daily, 17 on 52 Mondays, 16 at the ends of 12 months; the hour that summer time leaves out costs none.
	if want := 17*365 + 17*52 + 16*12; crawls < want-17 || crawls > want+17 {
		t.Errorf("%d crawls were begun, not about %d", crawls, want)
	}
	var got []string
	for _, m := range y.messages {
		_, says, _ := strings.Cut(m, " ")
		_, says, _ = strings.Cut(says, " ")
		got = append(got, says)
	}
	slices.Sort(got)
	want := []string{
		"site01: 400 pages can no longer be found in search",
		"site02: home is down since 12:00 UTC: status 503", "site02: over: home is up again, after 5.0 h",
		"site03: home is down since 12:00 UTC: status 503", "site03: over: home is up again, after 75 min in 5 outages",
		"site04: robots.txt now shuts out 1 of 2 pages that were open",
		"site05: There again: Footer link is dead", "site05: There again: Footer link is dead",
		"site05: over: Crawl 12 found none of it any more", "site05: over: Crawl 12 found none of it any more",
		"site07: Health fell by 8.0 to 82.0 since crawl 199",
		"site08: The certificate of site08.example ends in 14 days, on 20 July 2026",
		"site08: over: The certificate of site08.example now lasts until 18 October 2026",
		"site08: The certificate of site08.example ends in 14 days, on 18 October 2026",
		"site08: over: The certificate of site08.example now lasts until 19 June 2028",
	}
	slices.Sort(want)
	if !slices.Equal(got, want) {
		t.Errorf("told:\n%s\nnot:\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	silent := slices.IndexFunc(y.alerts, func(a record.Alert) bool { return a.State == record.AlertSilent })
	if silent < 0 || y.alerts[silent].Site != "site06" {
		t.Error("the relaunch that was expected is not kept")
	}
}
