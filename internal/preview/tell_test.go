package preview

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

const garden = "https://fernhollow.example"

// sample is a look at fernhollow.example, as far as a test says what came of it.
func sample(p plan.Plan) *looking {
	start, err := weburl.Parse(garden + "/")
	if err != nil {
		panic(err)
	}
	p = p.WithDefaults()
	s := scope.New(start, p.Scope)
	l := &looking{full: p, start: start, scope: s, book: booking.New(check.NewRunner(nil, p), nil),
		got: &booking.Harvest{Listing: booking.NewListing(start, s, 1000)}}
	l.book.Survey.Pages = []survey.Page{{ID: 0, Status: 200, Outcome: page.Answered}}
	return l
}

// add adds addresses of one kind and returns the number of the first.
func (l *looking) add(n int, like survey.Address) int32 {
	first := len(l.got.Addresses)
	for i := range n {
		like.URL = fmt.Sprintf("%s/%d", garden, first+i)
		l.got.Addresses = append(l.got.Addresses, like)
	}
	return int32(first)
}

// tells is what a look says, by the side of robots.txt.
func (l *looking) tells(rules string) *record.Preview {
	if rules != "" {
		l.got.Evidence.Robots = append(l.got.Evidence.Robots, survey.RobotsFile{
			Address: garden + "/robots.txt", Status: 200, File: robots.Parse([]byte(rules))})
	}
	out := &record.Preview{Plan: l.full}
	l.tell(out, 10*time.Second)
	return out
}

// TestEstimate: what is known is the least; what the sample and the sitemaps let expect is the most, and in which way
// it was reckoned is said.
func TestEstimate(t *testing.T) {
	fetched := survey.Address{State: survey.Fetched, Found: survey.ByLink, FoundOn: 0}
	waiting := survey.Address{State: survey.Waiting, Found: survey.ByLink, FoundOn: 0}
	for name, c := range map[string]struct {
		make func(l *looking)
		want string
	}{
		"all of it seen": {func(l *looking) { l.add(7, fetched) }, "7 of 7, 7 to 7: every link was followed"},
		"what is no page, or was left out, does not count": {func(l *looking) {
			l.add(7, fetched)
			l.add(3, survey.Address{State: survey.Fetched, Role: page.AsImage})
			l.add(3, survey.Address{State: survey.Waiting, Role: page.AsImage})
			l.add(3, survey.Address{State: survey.Blocked})
		}, "7 of 7, 7 to 7: every link was followed"},
		"listed, and not linked to": {func(l *looking) {
			l.add(7, fetched)
			l.got.Listing.Addresses = []string{garden + "/a", garden + "/b", "https://elsewhere.example/a",
				"https://fernhollow.example.elsewhere.example/"}
		}, "7 of 7, 9 to 9: every link was followed"},
		"three of ten are listed: each list tells of the other": {func(l *looking) {
			l.add(7, fetched)
			l.add(3, survey.Address{State: survey.Waiting, InSitemap: true, Found: survey.ByLink})
			for i := range 60 {
				l.got.Listing.Addresses = append(l.got.Listing.Addresses, fmt.Sprint(garden, "/listed-", i))
			}
		}, "7 of 10, 67 to 200: the sitemaps list 60, and 3 of 10 linked addresses are among them"},
		"fewer are: what the later pages named goes on": {func(l *looking) {
			l.add(8, fetched)
			l.add(2, survey.Address{State: survey.Waiting, InSitemap: true, Found: survey.ByLink, FoundOn: 1})
			l.add(6, survey.Address{State: survey.Waiting, Found: survey.ByLink, FoundOn: 5})
			l.add(1, survey.Address{State: survey.Waiting, Found: survey.BySitemap, InSitemap: true, FoundOn: -1})
			l.add(2, survey.Address{State: survey.Waiting, Role: page.AsImage, FoundOn: 5})
			l.add(2, survey.Address{State: survey.Blocked, FoundOn: 5})
			l.book.Survey.Pages = nil
			for id := range int32(8) {
				l.book.Survey.Pages = append(l.book.Survey.Pages, survey.Page{ID: id, Status: 200})
			}
			// Six of four pages are 1.5 each: 17 are known, of 9 that wait come 9 × 1.5 × 2.5 more.
		}, "8 of 17, 17 to 51: 8 pages were looked at, and each of the later ones named 1.5 addresses that were new"},
		"hardly a sample": {func(l *looking) {
			l.add(3, fetched)
			l.add(10, waiting)
			l.book.Survey.Pages = l.book.Survey.Pages[:1]
		}, "3 of 13, 13 to 33: 3 pages were looked at, and each of the later ones named 1.0 addresses that were new"},
	} {
		l := sample(plan.Plan{})
		c.make(l)
		out := l.tells("")
		got := fmt.Sprintf("%d of %d, %d to %d: %s", out.Sampled, out.Known, out.Least, out.Most, out.Basis)
		if got != c.want {
			t.Errorf("%s: it says %s\nwant %s", name, got, c.want)
		}
	}
}

// TestFour: four pages are enough to tell a second half from the first.
func TestFour(t *testing.T) {
	l := sample(plan.Plan{})
	l.book.Survey.Pages = []survey.Page{{ID: 0}, {ID: 1}, {ID: 2}, {ID: 3}}
	l.add(5, survey.Address{State: survey.Waiting, FoundOn: 2})
	if got := l.freshRate(); got != 2.5 {
		t.Errorf("two later pages that name five addresses name %v each", got)
	}
	l.book.Survey.Pages = l.book.Survey.Pages[:3]
	if got := l.freshRate(); got != 1 {
		t.Errorf("of three pages the rate is %v", got)
	}
}

// TestRound leaves a number as it is below a thousand, and three digits of it above.
func TestRound(t *testing.T) {
	for n, want := range map[int]int{0: 0, 7: 7, 999: 999, 1000: 1000, 1004: 1000, 1005: 1010, 9994: 9990, 9995: 10000,
		12345: 12300, 12350: 12400, 1234567: 1230000} {
		if got := round2(n); got != want {
			t.Errorf("%d is told as %d, want %d", n, got, want)
		}
	}
}

// TestDuration: how long a crawl takes follows from the sample's pace or the plan's, whichever is slower, and from as
// many pages as the plan allows.
func TestDuration(t *testing.T) {
	for _, c := range []struct {
		plan plan.Plan
		want string
	}{
		{plan.Plan{}, "2.0 a second: 10 s to 10 s"},
		{plan.Plan{Pages: 10}, "2.0 a second: 5 s to 5 s"},
		{plan.Plan{Pause: plan.Duration(time.Second)}, "1.0 a second: 20 s to 20 s"},
		{plan.Plan{Pause: plan.Duration(time.Millisecond)}, "2.0 a second: 10 s to 10 s"},
	} {
		l := sample(c.plan)
		l.add(20, survey.Address{State: survey.Fetched})
		out := l.tells("")
		if got := fmt.Sprintf("%.1f a second: %.0f s to %.0f s", out.PerSecond, out.Shortest, out.Longest); got != c.want {
			t.Errorf("%+v: %s, want %s", c.plan, got, c.want)
		}
	}
	if out := sample(plan.Plan{}).tells(""); out.PerSecond != 0 || out.Longest != 0 {
		t.Errorf("where nothing was fetched it is %v a second and %v s", out.PerSecond, out.Longest)
	}
	if got := speed(10, 0, time.Nanosecond); got != 200 {
		t.Errorf("ten in no time are %v a second", got)
	}
}

// TestWarnings says what does not fit, in words, and nothing where it fits.
func TestWarnings(t *testing.T) {
	second := plan.Duration(time.Second)
	sitemap := func(s survey.SitemapFile) func(*looking) {
		return func(l *looking) { l.got.Evidence.Sitemaps = append(l.got.Evidence.Sitemaps, s) }
	}
	home := func(pages ...survey.Page) func(*looking) { return func(l *looking) { l.book.Survey.Pages = pages } }
	listed := plan.Plan{Sources: plan.Sources{SitemapAt: []string{garden + "/map.xml"}}}
	ignoring := plan.Plan{Robots: plan.Disregard, Permission: "the owner asked for it"}
	for name, c := range map[string]struct {
		plan  plan.Plan
		rules string
		make  func(*looking)
		want  string
	}{
		"all is well":               {},
		"the plan is as slow":       {plan: plan.Plan{Pause: second}, rules: "User-agent: *\nCrawl-delay: 1\n"},
		"the plan is slow per unit": {plan: plan.Plan{PerSecond: 0.5}, rules: "User-agent: *\nCrawl-delay: 1\n"},
		"the plan is too quick": {plan: plan.Plan{Pause: second - 1}, rules: "User-agent: *\nCrawl-delay: 1\n",
			want: "robots.txt asks for 1s between requests; the crawl will keep to that, slower than the plan's pace"},
		"an hour": {rules: "User-agent: *\nCrawl-delay: 3600\n",
			want: "robots.txt asks for 1h0m0s between requests; the crawl will keep to 5m0s"},
		"for ever": {rules: "User-agent: *\nCrawl-delay: 99999999999999999999\n",
			want: "robots.txt asks for 277777h46m40s between requests; the crawl will keep to 5m0s"},
		"an hour, and robots.txt does not matter": {plan: ignoring,
			rules: "User-agent: *\nCrawl-delay: 3600\nDisallow: /\n",
			want: "robots.txt asks for 1h0m0s between requests, and this plan disregards it\n" +
				"robots.txt is disregarded: the owner asked for it"},
		"robots.txt asks for nothing, and does not matter": {plan: ignoring, rules: "User-agent: *\nDisallow: /beds\n",
			want: "robots.txt is disregarded: the owner asked for it"},
		"shut out": {rules: "User-agent: *\nDisallow: /\n", want: "robots.txt shuts the home page out: Disallow: /"},
		"as many as the plan allows": {plan: plan.Plan{Pages: 20},
			make: func(l *looking) { l.add(20, survey.Address{State: survey.Fetched}) }},
		"more than the plan allows": {plan: plan.Plan{Pages: 19},
			make: func(l *looking) { l.add(20, survey.Address{State: survey.Fetched}) },
			want: "the plan stops at 19 addresses, and the site has 20 or more: health will be an estimate; raise pages, " +
				"or choose selection: spread"},
		"eight at once":               {plan: plan.Plan{Parallel: 8}},
		"nine at once":                {plan: plan.Plan{Parallel: 9}, want: "9 requests at once without a pause is more than many servers bear"},
		"nine at once, with pauses":   {plan: plan.Plan{Parallel: 9, Pause: second}},
		"nine at once, four a second": {plan: plan.Plan{Parallel: 9, PerSecond: 4}},
		"a sitemap":                   {make: sitemap(survey.SitemapFile{Address: "/map.xml", Status: 200, Form: "urlset"})},
		"a page in a sitemap's place": {make: sitemap(survey.SitemapFile{Address: "/map.xml", Status: 200,
			Detail: "it is a page"}), want: "/map.xml is no sitemap: it is a page"},
		"no sitemap where none is named": {make: sitemap(survey.SitemapFile{Address: "/map.xml", Status: 404})},
		"no sitemap where one is named": {plan: listed, make: sitemap(survey.SitemapFile{Address: "/map.xml", Status: 404}),
			want: "the sitemap /map.xml cannot be had (status 404)"},
		"no answer where one is named": {plan: listed,
			make: sitemap(survey.SitemapFile{Address: "/map.xml", Detail: "the connection was refused"}),
			want: "the sitemap /map.xml cannot be had (the connection was refused)"},
		"no home page":    {make: home(), want: "the home page could not be fetched"},
		"a broken one":    {make: home(survey.Page{Status: 500, Outcome: page.Answered}), want: "the home page does not answer as a page (status 500)"},
		"a silent server": {make: home(survey.Page{Outcome: page.TimedOut}), want: "the home page does not answer as a page (timeout)"},
	} {
		l := sample(c.plan)
		if c.make != nil {
			c.make(l)
		}
		if got := strings.Join(l.tells(c.rules).Warnings, "\n"); got != c.want {
			t.Errorf("%s: it warns\n%s\nwant\n%s", name, got, c.want)
		}
	}
}

// TestRobotsFile tells what the file of the start says, and that there is none; that of another host is not meant.
func TestRobotsFile(t *testing.T) {
	l := sample(plan.Plan{})
	l.got.Evidence.Robots = []survey.RobotsFile{{Address: "https://shop.fernhollow.example/robots.txt", Status: 200,
		File: robots.Parse([]byte("User-agent: *\nDisallow: /\n"))}}
	if r := l.tells("").Robots; r.ShutsHome != nil || r.Detail != "it was not read" || r.Status != 0 {
		t.Errorf("without a file of its own: %+v", r)
	}
	r := l.tells("User-agent: *\nDisallow: /beds\nCrawl-delay: 2\n").Robots
	if r.ShutsHome != nil || r.Status != 200 || r.Delay != 2 || len(r.Rules) != 1 || r.Detail != "" {
		t.Errorf("with one: %+v", r)
	}
}
