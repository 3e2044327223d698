package crawl

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// Bounds of the sample that a preview takes.
const (
	samplePages = 40
	sampleTime  = 20 * time.Second
)

// nowhere is a sink that keeps nothing.
type nowhere struct{}

func (nowhere) Save(context.Context, Batch) error { return nil }

// Preview looks at a site before it is crawled: what robots.txt says to this agent, what the
// sitemaps list, and from a small sample of links how big it is. Nothing is stored.
func Preview(ctx context.Context, config Config) (*record.Preview, error) {
	full := config.Plan
	no := false
	config.Plan.Pages, config.Plan.Time = min(full.Pages, samplePages), plan.Duration(sampleTime)
	config.Plan.Resources, config.Plan.Outbound, config.Plan.Probes, config.Plan.Selection = plan.None, false, &no, plan.Breadth
	config.Sink, config.Past = nowhere{}, nil
	c, err := New(config)
	if err != nil {
		return nil, err
	}
	started := time.Now()
	out := &record.Preview{Home: config.Start.Key(), Plan: full}
	if err := c.sample(ctx); err != nil {
		var paused *ErrPaused
		if !errors.As(err, &paused) {
			return nil, err
		}
		out.Warnings = append(out.Warnings, paused.Reason)
	}
	out.Robots = c.previewRobots()
	out.Sitemaps = c.previewSitemaps()
	out.Listed = c.countListed()
	c.estimate(out, time.Since(started))
	c.warn(out, &full)
	return out, nil
}

// sample is Run without a verdict.
func (c *Crawl) sample(ctx context.Context) error {
	defer c.client.Close()
	defer c.paces.leave(c)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	defer c.beginAsking(ctx)()
	_, err := c.fetch(ctx, cancel, c.resume, func() {})
	return err
}

func (c *Crawl) previewRobots() record.PreviewRobots {
	origin := c.start.Origin() + "/"
	file, got := c.rules.of(c.ctx, origin)
	out := record.PreviewRobots{Address: got.Address, Status: got.Status, Detail: got.Detail, As: c.plan.RobotsAs, Policy: c.plan.Robots, Rules: []robots.Line{}, Notes: []robots.Line{}}
	out.Rules = append(out.Rules, file.For(c.plan.RobotsAs)...)
	out.Notes = append(out.Notes, file.Notes...)
	out.Delay, _ = file.Delay(c.plan.RobotsAs)
	if v := file.Decide(c.plan.RobotsAs, c.start.PathQuery()); !v.Allowed {
		out.ShutsHome = &v.Rule
	}
	return out
}

// previewSitemaps tells what each sitemap that was asked for gave.
func (c *Crawl) previewSitemaps() []record.PreviewSitemap {
	out := append([]record.PreviewSitemap{}, c.maps...)
	slices.SortFunc(out, func(a, b record.PreviewSitemap) int { return strings.Compare(a.Address, b.Address) })
	return out
}

// countListed is how many addresses of the site its sitemaps list.
func (c *Crawl) countListed() (n int) {
	for _, a := range c.frontier.listed {
		if origin := c.frontier.scope.Origin(a); origin != "" && c.frontier.scope.Refuses(a, origin) == "" {
			n++
		}
	}
	return n
}

// estimate says how many addresses the site has: at least those known, and at most what the
// sample lets expect.
func (c *Crawl) estimate(out *record.Preview, took time.Duration) {
	known, waiting, fetched, linkedTo, listedToo := 0, 0, 0, 0, 0
	for i := range c.frontier.addresses {
		a := &c.frontier.addresses[i]
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
		out.Basis = fmt.Sprintf("the sitemaps list %s, and %d of %d linked addresses are among them", text.Thousands(out.Listed), listedToo, linkedTo)
	default:
		// What still waits brings as much as the second half of the sample did, and that again.
		fresh := c.freshRate()
		out.Most = max(out.Most, known+int(math.Ceil(float64(waiting)*fresh*(1+min(fresh, 3)))))
		out.Basis = fmt.Sprintf("%d pages were looked at, and each of the later ones named %.1f addresses that were new", fetched, fresh)
	}
	out.Least, out.Most = round2(out.Least), round2(out.Most)
	out.PerSecond = c.speed(fetched, took)
	if out.PerSecond > 0 {
		n := float64(min(out.Most, out.Pages()))
		out.Shortest, out.Longest = float64(min(out.Least, out.Pages()))/out.PerSecond, n/out.PerSecond
	}
}

// freshRate is how many new addresses a page of the sample's second half named.
func (c *Crawl) freshRate() float64 {
	var ids []int32
	for i := range c.survey.Pages {
		ids = append(ids, c.survey.Pages[i].ID)
	}
	if len(ids) < 4 {
		return 1
	}
	late := map[int32]bool{}
	for _, id := range ids[len(ids)/2:] {
		late[id] = true
	}
	fresh := 0
	for i := range c.frontier.addresses {
		if a := &c.frontier.addresses[i]; a.Role == page.AsPage && a.State == survey.Waiting && late[a.FoundOn] {
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

// speed is the pace that the sample kept, and that the plan allows on longer runs.
func (c *Crawl) speed(fetched int, took time.Duration) float64 {
	t := c.tempoOf(&c.start, page.AsPage)
	speed := float64(fetched) / max(took.Seconds(), 0.05)
	if t.Gap > 0 {
		speed = min(speed, 1/t.Gap.Seconds())
	}
	return speed
}

// warn says what in the plan does not fit the site.
func (c *Crawl) warn(out *record.Preview, p *plan.Plan) {
	warn := func(format string, args ...any) { out.Warnings = append(out.Warnings, fmt.Sprintf(format, args...)) }
	if out.Robots.ShutsHome != nil && p.Robots != plan.Disregard {
		warn("robots.txt shuts the home page out: %s", strings.TrimSpace(out.Robots.ShutsHome.Text))
	}
	if delay := out.Robots.Delay; delay > 0 {
		asked := time.Duration(delay * float64(time.Second))
		switch {
		case p.Robots == plan.Disregard:
			warn("robots.txt asks for %s between requests, and this plan disregards it", asked)
		case time.Duration(p.Pause) < asked:
			warn("robots.txt asks for %s between requests; the crawl will keep to that, slower than the plan's pace", asked)
		}
	}
	if p.Robots == plan.Disregard {
		warn("robots.txt is disregarded: %s", p.Permission)
	}
	if out.Least > p.Pages {
		warn("the plan stops at %s addresses, and the site has %s or more: health will be an estimate; raise pages, or choose selection: spread", text.Thousands(p.Pages), text.Thousands(out.Least))
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
	if home := c.survey.Pages; len(home) == 0 {
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
