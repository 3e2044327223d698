package watching

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/record"
)

// Fronts looks at what sites show besides their pages, where that is due.
func (w *Watching) Fronts(ctx context.Context) error {
	due, err := w.store.TakeFronts(ctx, w.now(), mostFront)
	if err != nil {
		return err
	}
	var group sync.WaitGroup
	free := make(chan struct{}, standAtOnce)
	for _, one := range due {
		free <- struct{}{}
		group.Go(func() {
			defer func() { <-free }()
			err := mishap.Catch(func() error { return w.stand(ctx, one) })
			if err != nil && ctx.Err() == nil {
				gear.Tell(w.log.With("site", one.Site), "what the site shows could not be looked at", err)
			}
		})
	}
	group.Wait()
	return ctx.Err()
}

// LookAtFront looks at what a site shows besides its pages at once.
func (w *Watching) LookAtFront(ctx context.Context, site record.Site) error {
	all, err := w.store.Fronts(ctx, site.Name)
	if err != nil {
		return err
	}
	one := record.Front{Site: site.Name, Home: site.Home}
	if len(all) > 0 {
		one = all[0]
	}
	return w.stand(ctx, one)
}

// stand looks at what a site shows, and stores what is otherwise than before. A site that does not answer at all
// changes nothing: that is an outage.
func (w *Watching) stand(ctx context.Context, one record.Front) error {
	site, err := w.store.Site(ctx, one.Site)
	if err != nil {
		return record.UnlessGone(err)
	}
	c, home, p, err := w.client(ctx, one.Site)
	if err != nil {
		return err
	}
	now := &watch.Front{At: w.now()}
	a := ask(ctx, c.Client, home)
	if a.Outcome != page.Answered && a.Outcome != page.Truncated {
		return nil
	}
	now.Headers = map[string]string{}
	for _, name := range watch.Kept {
		now.Headers[name] = watch.Headline(strings.Join(a.Header.Values(http.CanonicalHeaderKey(name)), ", "))
	}
	now.Ends, now.Issuer = shown(&a)
	if err := w.files(ctx, c.Client, home, p, site, now); err != nil {
		return err
	}
	if addrs, err := c.Resolve(ctx, home.Hostname()); err == nil {
		for _, a := range addrs {
			now.Addresses = append(now.Addresses, a.String())
		}
		slices.Sort(now.Addresses)
	}
	var changes []record.Noticed
	for _, d := range now.Differences(one.Now) {
		changes = append(changes, record.Noticed{SiteID: site.ID, At: now.At, Change: d})
	}
	return w.store.SaveFront(ctx, site.ID, now, changes)
}

func ask(ctx context.Context, c *fetch.Client, u weburl.URL) fetch.Answer {
	return c.Do(ctx, &u, new(bytes.Buffer), fetch.Request{Want: func(int, string) bool { return true }})
}

// readingTime is how long the sitemaps of a site are read.
const readingTime = 2 * time.Minute

// files reads robots.txt and the sitemaps.
func (w *Watching) files(ctx context.Context, c *fetch.Client, home weburl.URL, p plan.Plan, site record.Site,
	now *watch.Front) error {
	at, err := weburl.Parse(booking.RobotsAddress(home.Origin() + "/"))
	if err != nil {
		return err
	}
	switch a := ask(ctx, c, at); {
	case a.Outcome == page.Answered && a.Status == http.StatusOK && a.Type != "text/html":
		now.HasRobots, now.Robots = true, string(a.Body)
	case a.Outcome == page.Answered && a.Status == http.StatusOK:
		now.RobotsSay = "a page came in its place"
	case a.Outcome == page.Answered:
		now.RobotsSay = fmt.Sprintf("status %d", a.Status)
	default:
		now.RobotsSay = string(a.Outcome)
	}
	p.Pages, p.Time, p.Resources, p.Outbound, p.Probes = 1, plan.Duration(readingTime), plan.None, false, plan.No()
	p.Sources.Links, p.Sources.Addresses, p.Render.Pages = plan.No(), nil, plan.None
	secrets, err := w.gear.Secrets(ctx, site.ID, site.Home, p)
	if err != nil {
		return err
	}
	config, err := w.gear.Config(p, home, gear.GuardOf(site), secrets)
	if err != nil {
		return err
	}
	config.Book, config.Sink = booking.New(check.NewRunner(nil, p), nil), crawl.Nowhere{}
	reader, err := crawl.New(config)
	if err != nil {
		return err
	}
	got, err := reader.Run(ctx)
	if err != nil {
		return err
	}
	for _, f := range got.Evidence.Sitemaps {
		one := watch.Sitemap{Address: f.Address, Entries: f.Pages + f.Sitemaps}
		switch {
		case f.Form != "":
		case f.Detail != "":
			one.Fault = f.Detail
		default:
			one.Fault = fmt.Sprintf("status %d", f.Status)
		}
		now.Sitemaps = append(now.Sitemaps, one)
	}
	slices.SortFunc(now.Sitemaps, func(a, b watch.Sitemap) int { return strings.Compare(a.Address, b.Address) })
	return nil
}
