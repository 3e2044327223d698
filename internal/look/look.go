// Package look fetches one page, or takes the HTML of one, and judges it at once.
package look

import (
	"context"
	"slices"
	"strings"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/record"
)

// Store tells which sites may be where.
type Store interface {
	Sites(ctx context.Context) ([]record.Site, error)
}

// Looks are safe for use from several goroutines.
type Looks struct {
	store     Store
	catalogue *check.Catalogue
	gear      *gear.Gear
}

// New makes looks.
func New(s Store, c *check.Catalogue, g *gear.Gear) *Looks { return &Looks{s, c, g} }

// Widths of an entry in a list of results, in pixels of the common sans-serif: one line of title at
// 20 px and two of description at 14 px on a desktop, two lines of title and three of description
// in a column of 340 px on a telephone.
const (
	desktopTitle, desktopAbout = 580, 990
	phoneTitle, phoneAbout     = 2 * 330, 3 * 330
	titleSize, aboutSize       = 20, 14
	phoneTitleSize             = 18
)

// Look fetches one page, or takes the HTML that is given, and judges it at once.
func (l *Looks) Look(ctx context.Context, in record.LookRequest) (*record.Look, error) {
	address := in.Address
	if address == "" {
		address = "http://page.invalid/"
	}
	u, err := weburl.Parse(address)
	if err != nil || !u.IsHTTP() {
		return nil, record.Mistaken("%q is no web address; it begins with http:// or https://", in.Address)
	}
	catalog := l.catalogue.Checks
	if in.Check != "" {
		c := l.catalogue.Find(in.Check)
		if c == nil {
			return nil, record.Mistaken("there is no check %q; `harvik check list` shows them", in.Check)
		}
		catalog = []*check.Check{c}
	}
	out := &record.Look{Address: u.Key(), Links: []record.LinkRow{}, Loads: []record.LoadRow{}}
	if in.HTML != "" {
		out.Facts = &page.Facts{Version: page.Version, Address: u.Key(), Outcome: page.Answered, Status: 200,
			Type: "text/html", Bytes: len(in.HTML)}
		out.Facts.Document = l.gear.Read(page.Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8",
			Body: []byte(in.HTML)})
	} else if err := l.fetchOne(ctx, u, out, in.Render); err != nil {
		return nil, err
	}
	if out.Facts == nil {
		return out, nil
	}
	out.Verdicts = check.NewRunner(catalog, plan.Plan{}).Explain(out.Facts, out.Rendered)
	out.Indexable, out.Why = out.Facts.Indexable()
	if d := out.Facts.Document; d != nil {
		describe(out, d)
	}
	return out, nil
}

// fetchOne is a crawl of one page, with the redirects that lead to it.
func (l *Looks) fetchOne(ctx context.Context, u weburl.URL, out *record.Look, renders bool) error {
	guard, err := l.guardFor(ctx, u)
	if err != nil {
		return err
	}
	p := plan.Plan{
		Pages: 8, Retries: -1, Resources: plan.None, Probes: plan.No(),
		Sources: plan.Sources{Links: plan.No(), Sitemaps: plan.No()},
	}
	if renders {
		p.Render = plan.Render{Pages: plan.All, Throttle: plan.Phones}
	}
	p = p.WithDefaults()
	config, err := l.gear.Config(p, u, guard, nil)
	if err != nil {
		return record.Refuse("%s", err.Error())
	}
	sink := new(crawl.Kept)
	config.Sink, config.Book = sink, booking.New(check.NewRunner(nil, p), nil)
	c, err := crawl.New(config)
	if err != nil {
		return record.Refuse("%s", err.Error())
	}
	harvest, err := c.Run(ctx)
	if err != nil {
		return record.Refuse("%s", err.Error())
	}
	result, err := config.Book.Judge(harvest, func([]check.Finding) error { return nil })
	if err != nil {
		return err
	}
	for _, rec := range sink.Records {
		out.Facts = rec.Facts
		if rec.Facts.Redirect == "" {
			break
		}
		out.Hops = append(out.Hops, rec.Facts.Redirect)
	}
	for _, r := range sink.Renderings {
		if out.Facts != nil && r.ID == sink.Records[len(sink.Records)-1].ID {
			out.Rendered, out.Pictures = r.Pages, r.Pictures
		}
	}
	out.Detail = result.Detail
	return nil
}

// guardFor is the guard of the site that an address belongs to; of no site's where none has it.
func (l *Looks) guardFor(ctx context.Context, u weburl.URL) (fetch.Guard, error) {
	sites, err := l.store.Sites(ctx)
	if err != nil {
		return fetch.Guard{}, err
	}
	for _, site := range sites {
		if len(site.Allowed) == 0 {
			continue
		}
		if home, err := weburl.Parse(site.Home); err == nil && scope.New(home, site.Plan.Scope).Inside(u.Key()) {
			return gear.GuardOf(site), nil
		}
	}
	return fetch.Guard{}, nil
}

func describe(out *record.Look, d *page.Document) {
	for i := range d.Links {
		link := &d.Links[i]
		out.Links = append(out.Links, record.LinkRow{
			To: link.Address, Words: link.Words, Place: link.Place, Region: link.Region.String(),
			NoFollow: link.NoFollow, Line: link.Line, Href: link.Href,
		})
	}
	for _, use := range d.Uses {
		out.Loads = append(out.Loads, record.LoadRow{Address: use.Address, Role: use.Role.String(), By: use.By})
	}
	address := out.Facts.Address
	if c := out.Facts.Canonical(); c != "" {
		address = c
	}
	_, address, _ = strings.Cut(address, "://")
	address = strings.ReplaceAll(strings.TrimSuffix(address, "/"), "/", " › ")
	entry := func(titleWidth, titlePixels, aboutPixels int) record.Entry {
		e := record.Entry{Address: address}
		e.Title, e.TitleCut = text.Cut(d.Title(), float64(titleWidth), titlePixels)
		e.About, e.AboutCut = text.Cut(d.Description(), aboutSize, aboutPixels)
		return e
	}
	out.Desktop = entry(titleSize, desktopTitle, desktopAbout)
	out.Phone = entry(phoneTitleSize, phoneTitle, phoneAbout)
	slices.SortStableFunc(out.Verdicts, func(a, b check.Verdict) int {
		return order(a) - order(b)
	})
}

// order puts what failed first, by severity, and what was not judged last.
func order(v check.Verdict) int {
	switch v.State {
	case check.Failed:
		return int(v.Severity)
	case check.Passed:
		return 10
	}
	return 20
}
