// Package preview looks at a site before it is crawled.
package preview

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/gear"
	"harvik/internal/pace"
	"harvik/internal/record"
)

// Bounds of the sample that a preview takes.
const (
	samplePages = 40
	sampleTime  = 20 * time.Second
)

// Previews are safe for use from several goroutines.
type Previews struct{ gear *gear.Gear }

// New makes previews.
func New(g *gear.Gear) *Previews { return &Previews{g} }

// Preview looks at a site before it is crawled, for somebody: what robots.txt says to the plan's agent, what the
// sitemaps list, and from a small sample of links how big the site is. It stores nothing but that it used the plan's
// secrets.
func (p *Previews) Preview(
	ctx context.Context,
	site record.Site,
	full plan.Plan,
	who string,
) (*record.Preview, error) {
	secrets, err := p.gear.Open(ctx, site.ID, site.Home, full, who, "a preview")
	if err != nil {
		return nil, err
	}
	start, err := weburl.Parse(site.Home)
	if err != nil {
		return nil, err
	}
	full = full.WithDefaults()
	l := &looking{full: full, start: start, scope: scope.New(start, full.Scope),
		book: booking.New(check.NewRunner(nil, full), nil)}
	part := full
	part.Pages, part.Time = min(full.Pages, samplePages), plan.Duration(sampleTime)
	part.Resources, part.Outbound, part.Probes, part.Selection = plan.None, false, plan.No(), plan.Breadth
	part.Render.Pages = plan.None
	config, err := p.gear.Config(part, start, gear.GuardOf(site), secrets)
	if err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	config.Book, config.Sink = l.book, crawl.Nowhere{}
	c, err := crawl.New(config)
	if err != nil {
		return nil, record.Refuse("%s", err.Error())
	}
	started := time.Now()
	out := &record.Preview{Home: start.Key(), Plan: full, Sitemaps: []survey.SitemapFile{}}
	l.got, err = c.Run(ctx)
	var paused *crawl.ErrPaused
	switch {
	case errors.As(err, &paused):
		out.Warnings = append(out.Warnings, paused.Reason)
	case err != nil && ctx.Err() == nil:
		return nil, record.Refuse("%s", err.Error())
	case err != nil:
		return nil, err
	}
	l.tell(out, time.Since(started))
	return out, nil
}

// looking is what a look at a sample of a site gave.
type looking struct {
	full  plan.Plan
	start weburl.URL
	scope *scope.Scope
	book  *booking.Book
	got   *booking.Harvest
}

// tell says what the look gave.
func (l *looking) tell(out *record.Preview, took time.Duration) {
	var rules *robots.File
	out.Robots, rules = l.robots()
	out.Sitemaps = append(out.Sitemaps, l.got.Evidence.Sitemaps...)
	slices.SortFunc(out.Sitemaps, func(a, b survey.SitemapFile) int { return strings.Compare(a.Address, b.Address) })
	out.Listed = l.countListed()
	tempo := crawl.Tempo(&l.full, rules)
	l.estimate(out, tempo, took)
	l.rendering(out)
	l.warn(out, &l.full, tempo)
}

// robots is what the robots.txt of the start says to the plan's agent.
func (l *looking) robots() (out record.PreviewRobots, rules *robots.File) {
	out = record.PreviewRobots{
		Address: booking.RobotsAddress(l.start.Origin() + "/"), As: l.full.RobotsAs, Policy: l.full.Robots,
		Rules: []robots.Line{}, Notes: []robots.Line{}, Detail: "it was not read",
	}
	i := slices.IndexFunc(l.got.Evidence.Robots, func(f survey.RobotsFile) bool { return f.Address == out.Address })
	if i < 0 {
		return out, nil
	}
	f := &l.got.Evidence.Robots[i]
	out.Status, out.Detail = f.Status, f.Detail
	out.Rules = append(out.Rules, f.File.For(l.full.RobotsAs)...)
	out.Notes = append(out.Notes, f.File.Notes...)
	out.Delay, _ = f.File.Delay(l.full.RobotsAs)
	if v := f.File.Decide(l.full.RobotsAs, l.start.PathQuery()); !v.Allowed {
		out.ShutsHome = &v.Rule
	}
	return out, f.File
}

// countListed is how many addresses of the site its sitemaps list.
func (l *looking) countListed() (n int) {
	for _, a := range l.got.Listing.Addresses {
		if origin := l.scope.Origin(a); origin != "" && l.scope.Refuses(a, origin) == "" {
			n++
		}
	}
	return n
}

// What a rendering takes, in seconds, with four at once: as the page comes, and as on a slow phone.
const (
	renderedIn, renderedSlowly = 0.25, 0.8
)

// rendering says what the plan's renderings come to, in words.
func (l *looking) rendering(out *record.Preview) {
	r := &l.full.Render
	if !l.full.Renders() {
		return
	}
	n := min(out.Most, out.Pages())
	switch r.Pages {
	case plan.Sample:
		n = min(n, r.Sample)
	case plan.Templates:
		n = min(n, 12*r.Each) // as many templates as sites usually have, and pages that are like no other
	}
	seconds := 0.0
	for _, device := range r.Devices {
		one := renderedIn
		if device == plan.Phone && r.Throttle == plan.Phones {
			one = renderedSlowly
		}
		seconds += float64(n) * one
	}
	out.Basis += fmt.Sprintf("; rendering %s on %s adds some %s (%s, and what they load)",
		text.Count(n, "page", "pages"), strings.Join(r.Devices, " and "),
		text.Count(max(1, int(seconds/60+0.5)), "minute", "minutes"), text.Count(n*len(r.Devices), "request", "requests"))
}

// estimate says how many addresses the site has: at least those known, and at most what the
// sample lets expect.
func (l *looking) estimate(out *record.Preview, tempo pace.Tempo, took time.Duration) {
	known, waiting, fetched, linkedTo, listedToo := 0, 0, 0, 0, 0
	for i := range l.got.Addresses {
		a := &l.got.Addresses[i]
		if a.Role != page.AsPage || a.State != survey.Waiting && a.State != survey.Fetched {
			continue
		}
		known++
		if a.State == survey.Fetched {
			fetched++
		} else {
			waiting++
		}
		if a.Found != survey.BySitemap {
			linkedTo++
			if a.InSitemap {
				listedToo++
			}
		}
	}
	out.Sampled, out.Known = fetched, known
	union := out.Listed + linkedTo - listedToo
	out.Least, out.Most = max(known, union), max(known, union)
	switch {
	case waiting == 0:
		out.Basis = "every link was followed"
	case listedToo*10 >= linkedTo*3:
		// Capture and recapture: of the addresses that links name, this share is listed.
		out.Most = max(out.Most, int(math.Round(float64(out.Listed)*float64(linkedTo)/float64(listedToo))))
		out.Basis = fmt.Sprintf("the sitemaps list %s, and %d of %d linked addresses are among them",
			text.Thousands(out.Listed), listedToo, linkedTo)
	default:
		// What still waits brings as much as the second half of the sample did, and that again.
		fresh := l.freshRate()
		out.Most = max(out.Most, known+int(math.Ceil(float64(waiting)*fresh*(1+min(fresh, 3)))))
		out.Basis = fmt.Sprintf(
			"%d pages were looked at, and each of the later ones named %.1f addresses that were new",
			fetched,
			fresh,
		)
	}
	out.Least, out.Most = round2(out.Least), round2(out.Most)
	out.PerSecond = speed(fetched, tempo.Gap, took)
	if out.PerSecond > 0 {
		n := float64(min(out.Most, out.Pages()))
		out.Shortest, out.Longest = float64(min(out.Least, out.Pages()))/out.PerSecond, n/out.PerSecond
	}
}

// freshRate is how many new addresses a page of the sample's second half named.
func (l *looking) freshRate() float64 {
	var ids []int32
	for i := range l.book.Survey.Pages {
		ids = append(ids, l.book.Survey.Pages[i].ID)
	}
	if len(ids) < 4 {
		return 1
	}
	late := map[int32]bool{}
	for _, id := range ids[len(ids)/2:] {
		late[id] = true
	}
	fresh := 0
	for i := range l.got.Addresses {
		if a := &l.got.Addresses[i]; a.Role == page.AsPage && a.State == survey.Waiting && late[a.FoundOn] {
			fresh++
		}
	}
	return float64(fresh) / float64(len(late))
}

// round2 leaves two digits that mean something, above a hundred.
func round2(n int) int {
	step := 1
	for n/step >= 1000 {
		step *= 10
	}
	return (n + step/2) / step * step
}

// speed is the pace, in addresses a second, that the sample kept and that the plan allows on longer runs.
func speed(fetched int, gap, took time.Duration) float64 {
	out := float64(fetched) / max(took.Seconds(), 0.05)
	if gap > 0 {
		out = min(out, 1/gap.Seconds())
	}
	return out
}

// warn says what in the plan does not fit the site.
func (l *looking) warn(out *record.Preview, p *plan.Plan, tempo pace.Tempo) {
	warn := func(format string, args ...any) { out.Warnings = append(out.Warnings, fmt.Sprintf(format, args...)) }
	if out.Robots.ShutsHome != nil && p.Robots != plan.Disregard {
		warn("robots.txt shuts the home page out: %s", strings.TrimSpace(out.Robots.ShutsHome.Text))
	}
	if delay := out.Robots.Delay; delay > 0 {
		asked := time.Duration(min(delay, 1e9) * float64(time.Second))
		switch {
		case p.Robots == plan.Disregard:
			warn("robots.txt asks for %s between requests, and this plan disregards it", asked)
		case tempo.Gap < asked:
			warn("robots.txt asks for %s between requests; the crawl will keep to %s", asked, tempo.Gap)
		case tempo.Why != "":
			warn("robots.txt asks for %s between requests; the crawl will keep to that, slower than the plan's pace",
				asked)
		}
	}
	if p.Robots == plan.Disregard {
		warn("robots.txt is disregarded: %s", p.Permission)
	}
	if out.Least > p.Pages {
		warn(
			"the plan stops at %s addresses, and the site has %s or more: health will be an estimate; raise pages, or choose selection: spread",
			text.Thousands(p.Pages),
			text.Thousands(out.Least),
		)
	}
	if p.Parallel > 8 && p.Pause == 0 && p.PerSecond == 0 {
		warn("%d requests at once without a pause is more than many servers bear", p.Parallel)
	}
	for _, s := range out.Sitemaps {
		if s.Status == 200 && s.Form == "" {
			warn("%s is no sitemap: %s", s.Address, s.Detail)
		} else if s.Status != 200 && len(p.Sources.SitemapAt) > 0 {
			warn("the sitemap %s cannot be had (%s)", s.Address, statusWord(s.Status, s.Detail))
		}
	}
	if home := l.book.Survey.Pages; len(home) == 0 {
		warn("the home page could not be fetched")
	} else if first := home[0]; first.Failed() {
		warn("the home page does not answer as a page (%s)", statusWord(first.Status, string(first.Outcome)))
	}
}

func statusWord(status int, detail string) string {
	if status > 0 {
		return fmt.Sprintf("status %d", status)
	}
	return detail
}
