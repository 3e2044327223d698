package alert

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
)

const home = "https://fernhollow.example/"

var start = time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)

// news is of a crawl that is compared with the one before it.
func news(d *drift.Comparison, listed ...string) *News {
	n := &News{Number: 12, Before: 11, Home: home, Drift: d, Listed: map[string]bool{},
		Cause: func(p drift.Part) string { return p.Line }}
	for _, id := range listed {
		n.Listed[id] = true
	}
	return n
}

// says is what a verdict tells, in words.
func says(v Verdict) (out []string) {
	for _, t := range v.Told {
		out = append(out, t.Says)
	}
	for _, o := range v.Over {
		out = append(out, "over: "+o.Says)
	}
	return out
}

func seen(n int, section string) (out []drift.Seen) {
	for i := range n {
		out = append(out, drift.Seen{Address: fmt.Sprintf("%s%s/%d", home, section, i), Why: "status 404"})
	}
	return out
}

func TestOfCrawl(t *testing.T) {
	closed := &drift.Comparison{}
	for i := range 400 {
		closed.Changes = append(
			closed.Changes,
			drift.Change{Address: fmt.Sprintf("%splants/%d", home, i), What: "indexable", Before: "yes", After: "no"},
		)
	}
	fell := &drift.Comparison{
		Step: drift.Step{Before: 88.2, After: 81.9, Parts: []drift.Part{{Line: "Footer link is dead", Points: -5.1},
			{Line: "Title is missing", Points: -1.9}, {Line: "Text is longer", Points: 0.7}}},
	}
	errs := &drift.Comparison{New: []fixlist.Fix{
		{ID: "a", Severity: check.Error, Line: "Footer link to /old is dead", Pages: 400, Gain: 4},
		{ID: "b", Severity: check.Notice, Line: "Alt text is short", Pages: 3},
		{ID: "c", Severity: check.Error, Line: "Page /x is gone", Pages: 1, Gain: 0.1, Example: home + "shop/x"}}}
	back := &drift.Comparison{
		Returned: []fixlist.Fix{{ID: "a", Severity: check.Warning, Line: "Title is missing on 3 pages", Pages: 3}},
	}
	blocked := &drift.Comparison{
		NotSeen: []drift.Seen{{Address: home + "a", Why: "now: blocked"}, {Address: home + "b", Why: "before: blocked"}},
	}
	for _, c := range []struct {
		name string
		r    Rule
		n    *News
		want []string
	}{
		{"400 pages closed are one line", Rule{What: Closed}, news(closed), []string{"400 pages can no longer be found in search"}},
		{"not so many", Rule{What: Closed, Least: 500}, news(closed), nil},
		{"not there", Rule{What: Closed, Section: "/shop/"}, news(closed), nil},
		{"there", Rule{What: Closed, Section: "/plants/"}, news(closed), []string{"400 pages can no longer be found in search in /plants/"}},
		{"health fell", Rule{What: HealthFell}, news(fell), []string{"Health fell by 6.3 to 81.9 since crawl 11"}},
		{"health fell less", Rule{What: HealthFell, Least: 6.4}, news(fell), nil},
		{"new errors", Rule{What: NewFindings}, news(errs), []string{"2 new errors since crawl 11"}},
		{"new errors on many pages", Rule{What: NewFindings, Least: 10}, news(errs), []string{"Footer link to /old is dead"}},
		{"new errors in a section", Rule{What: NewFindings, Section: "/shop/"}, news(errs), []string{"Page /x is gone"}},
		{"new findings of all kinds", Rule{What: NewFindings, Severity: "notice"}, news(errs), []string{"3 new findings since crawl 11"}},
		{"returned", Rule{What: FixReturned}, news(back), []string{"There again: Title is missing on 3 pages"}},
		{"shut", Rule{What: Shut}, news(blocked), []string{"1 page is shut out by robots.txt"}},
		{"vanished, too few", Rule{What: Vanished}, news(&drift.Comparison{Vanished: seen(4, "x")}), nil},
		{"vanished", Rule{What: Vanished}, news(&drift.Comparison{Vanished: seen(9, "x")}), []string{"9 pages are no more"}},
		{"the first crawl", Rule{What: Vanished}, news(nil), nil},
		{"nothing", Rule{What: HealthFell}, news(&drift.Comparison{}), nil},
	} {
		v, err := c.r.OfCrawl(c.n, nil)
		if got := says(v); err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, not %q (%v)", c.name, got, c.want, err)
		}
	}
	v, _ := (&Rule{What: Closed}).OfCrawl(news(closed), nil)
	if one := v.Told[0]; len(one.Lines) != mostLines || one.More != 392 || !one.Urgent || one.Lines[0] != "/plants/0" ||
		one.Link != "/12/drift" {
		t.Errorf("%+v", one)
	}
	v, _ = (&Rule{What: HealthFell}).OfCrawl(news(fell), nil)
	if one := v.Told[0]; !slices.Equal(one.Lines, []string{"−5.1: Footer link is dead", "−1.9: Title is missing"}) {
		t.Errorf("%q", one.Lines)
	}
	v, _ = (&Rule{What: NewFindings}).OfCrawl(news(errs), nil)
	if one := v.Told[0]; !slices.Equal(one.Fixes, []string{"a", "c"}) || one.Link != "/12/fixes?fix=a" {
		t.Errorf("%+v", one)
	}
}

// TestLasts: what lasts is told when it begins, not again, and once more when it is over.
func TestLasts(t *testing.T) {
	r := Rule{What: NewFindings}
	open := []Open{{Subject: "crawl 10", Fixes: []string{"a", "b"}}}
	if v, _ := r.OfCrawl(news(&drift.Comparison{}, "b", "z"), open); len(says(v)) != 0 {
		t.Errorf("while one of them is left: %q", says(v))
	}
	if v, _ := r.OfCrawl(news(&drift.Comparison{}, "z"), open); !slices.Equal(
		says(v),
		[]string{"over: Crawl 12 found none of it any more"},
	) {
		t.Errorf("%q", says(v))
	}
	failing := Rule{What: CrawlFailed}
	bad := &News{Number: 12, Failed: "the disk is full"}
	v, _ := failing.OfCrawl(bad, nil)
	if !slices.Equal(says(v), []string{"Crawl 12 came to nothing: the disk is full"}) {
		t.Errorf("%q", says(v))
	}
	last := []Open{{Subject: "crawls"}}
	if v, _ = failing.OfCrawl(bad, last); len(says(v)) != 0 {
		t.Errorf("told again: %q", says(v))
	}
	if v, _ = failing.OfCrawl(news(nil), last); !slices.Equal(says(v), []string{"over: Crawl 12 has finished"}) {
		t.Errorf("%q", says(v))
	}
	if v, _ = (&Rule{What: HealthFell}).OfCrawl(bad, nil); len(says(v)) != 0 {
		t.Errorf("a rule about finished crawls tells of one that failed: %q", says(v))
	}
	gated := Rule{What: GateShut, Gate: gate.Conditions{MinHealth: 90}}
	n := news(nil)
	passed := false
	n.Gate = func(c gate.Conditions) (gate.Verdict, error) {
		return gate.Verdict{
			Passed:  passed,
			Reasons: []gate.Reason{{Says: fmt.Sprintf("health is below %v", c.MinHealth), Passed: passed}},
		}, nil
	}
	if v, _ = gated.OfCrawl(n, nil); len(v.Told) != 1 ||
		!slices.Equal(v.Told[0].Lines, []string{"health is below 90"}) {
		t.Errorf("%+v", v)
	}
	if passed = true; true {
		if v, _ = gated.OfCrawl(n, []Open{{Subject: "gate"}}); !slices.Equal(
			says(v),
			[]string{"over: Crawl 12 passes the gate"},
		) {
			t.Errorf("%q", says(v))
		}
	}
	asked := Rule{What: Asked, Question: "kind == 'product' && !hasPrice"}
	answers := []string{home + "shop/a", home + "shop/b"}
	n.Ask = func(string) ([]string, int, error) { return answers, len(answers), nil }
	if v, _ = asked.OfCrawl(n, nil); len(v.Told) != 1 || !strings.HasPrefix(v.Told[0].Says, "2 pages answer “kind") {
		t.Errorf("%+v", v)
	}
	if answers = nil; answers == nil {
		if v, _ = asked.OfCrawl(n, []Open{{Subject: "answers"}}); len(v.Over) != 1 || len(v.Told) != 0 {
			t.Errorf("%+v", v)
		}
	}
}

func TestOutages(t *testing.T) {
	at := func(minute int) time.Time { return start.Add(time.Duration(minute) * time.Minute) }
	down := func(spans ...int) (out []Down) {
		for i := 0; i+1 < len(spans); i += 2 {
			d := Down{Began: at(spans[i]), Reason: "status 503"}
			if spans[i+1] > 0 {
				d.Ended = at(spans[i+1])
			}
			out = append(out, d)
		}
		return out
	}
	r := Rule{What: Outage}
	var open []Open
	var told []string
	// It goes down, comes back for a moment, goes down again, and is up for good after that.
	for minute := range 60 {
		var so []Down
		switch {
		case minute < 5:
		case minute < 12:
			so = down(5, 0)
		case minute < 15:
			so = down(5, 12)
		case minute < 20:
			so = down(5, 12, 15, 0)
		default:
			so = down(5, 12, 15, 20)
		}
		v := r.OfAddresses([]Address{{Name: "home", Address: home, Every: 1, Down: so}}, open, at(minute))
		for _, one := range v.Told {
			open = append(open, Open{Subject: one.Subject, Began: one.Since})
			told = append(told, fmt.Sprintf("%d: %s", minute, one.Says))
		}
		for _, one := range v.Over {
			open = nil
			told = append(told, fmt.Sprintf("%d: over: %s", minute, one.Says))
		}
	}
	if want := []string{"5: home is down since 06:05 UTC: status 503", "30: over: home is up again, after 12 min in 2 outages"}; !slices.Equal(
		told,
		want,
	) {
		t.Errorf("%q", told)
	}
	long := Rule{What: Outage, Least: 10}
	if v := long.OfAddresses([]Address{{Name: "home", Down: down(0, 0)}}, nil, at(9)); len(v.Told) != 0 {
		t.Errorf("after 9 minutes: %q", says(v))
	}
	if v := long.OfAddresses([]Address{{Name: "home", Down: down(0, 0)}}, nil, at(10)); len(v.Told) != 1 {
		t.Errorf("after 10 minutes: %q", says(v))
	}
	if v := long.OfAddresses([]Address{{Name: "home", Down: down(0, 3)}}, nil, at(4)); len(v.Told) != 0 {
		t.Errorf("one of 3 minutes: %q", says(v))
	}
	slow := Rule{What: Slow}
	a := Address{
		Name:  "home",
		Every: 5,
		State: watch.State{SlowFor: 3, Last: &watch.Look{Timing: page.Timing{Whole: 4200}}},
	}
	if v := slow.OfAddresses([]Address{a}, nil, at(60)); !slices.Equal(
		says(v),
		[]string{"home has been slow for 15 min: the last look took 4\u202f200 ms"},
	) {
		t.Errorf("%q", says(v))
	}
	a.State.SlowFor = 0
	if v := slow.OfAddresses([]Address{a}, []Open{{Subject: "home"}}, at(70)); !slices.Equal(
		says(v),
		[]string{"over: home is no longer slow"},
	) {
		t.Errorf("%q", says(v))
	}
}

func TestCertificates(t *testing.T) {
	r := Rule{What: Certificate}
	ends := start.AddDate(0, 0, 20)
	var open []Open
	var told []string
	for day := range 40 {
		if day == 18 {
			ends = ends.AddDate(0, 0, 90)
		}
		v := r.OfCertificates([]Ending{{"fernhollow.example", ends}}, open, start.AddDate(0, 0, day))
		for _, one := range v.Told {
			open = append(open, Open{Subject: one.Subject})
		}
		if len(v.Over) > 0 {
			open = nil
		}
		for _, s := range says(v) {
			told = append(told, fmt.Sprintf("%d: %s", day, s))
		}
	}
	if want := []string{"6: The certificate of fernhollow.example ends in 14 days, on 22 March 2026",
		"18: over: The certificate of fernhollow.example now lasts until 20 June 2026"}; !slices.Equal(told, want) {
		t.Errorf("%q", told)
	}
}

func TestDifferences(t *testing.T) {
	var pages []string
	for i := range 50 {
		pages = append(pages, fmt.Sprintf("%sshop/%d", home, i), fmt.Sprintf("%splants/%d", home, i))
	}
	front := func(what, was, now string) Different {
		return Different{At: start, Change: watch.Change{What: what, Was: was, Now: now}}
	}
	robots := front(
		watch.RobotsTxt,
		"User-agent: *\nDisallow: /cart/\n",
		"User-agent: *\nDisallow: /cart/\nDisallow: /shop/\n",
	)
	harmless := front(watch.RobotsTxt, "none: status 404", "User-agent: *\nDisallow: /tmp/\n")
	home := func(what, was, now string) Different {
		return Different{At: start, Name: "home", Change: watch.Change{What: what, Was: was, Now: now}}
	}
	for _, c := range []struct {
		name string
		r    Rule
		all  []Different
		want []string
	}{
		{"robots.txt shuts the shop", Rule{What: Shut}, []Different{robots}, []string{"robots.txt now shuts out 50 of 100 pages that were open"}},
		{"which is told once", Rule{What: FrontOther}, []Different{robots}, nil},
		{"not enough pages", Rule{What: Shut, Least: 51}, []Different{robots}, nil},
		{"another section", Rule{What: Shut, Section: "/plants/"}, []Different{robots}, nil},
		{"a line that does nothing", Rule{What: Shut}, []Different{harmless}, nil},
		{"is told as such", Rule{What: FrontOther}, []Different{harmless}, []string{"Changed: robots.txt: 2 lines are new; no known page is shut out by it"}},
		{"sitemap shrank", Rule{What: Shrank}, []Different{front(watch.Sitemaps, "/s.xml: 400 entries", "/s.xml: 12 entries")},
			[]string{"The sitemaps list 79 of a hundred addresses fewer: 100 in place of 488"}},
		{"by a little", Rule{What: Shrank}, []Different{front(watch.Sitemaps, "/s.xml: 400 entries", "/s.xml: 390 entries")}, nil},
		{"grew", Rule{What: Shrank}, []Different{front(watch.Sitemaps, "/s.xml: 12 entries", "/s.xml: 390 entries")}, nil},
		{"a watched page", Rule{What: Otherwise}, []Different{home(watch.Title, "Ferns", "Moss"), home(watch.RobotsMeta, "", "noindex in meta"), robots},
			[]string{"home changed: title, robots"}},
		{"is no matter of the front", Rule{What: FrontOther}, []Different{home(watch.Title, "Ferns", "Moss")}, nil},
	} {
		if got := says(c.r.OfDifferences(c.all, pages, "Googlebot", 100)); !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, not %q", c.name, got, c.want)
		}
	}
}

func TestRules(t *testing.T) {
	if len(Defaults()) < 8 {
		t.Errorf("%d defaults", len(Defaults()))
	}
	joined := Joined([]Rule{{Name: Outage, What: Outage, Off: true}, {Name: "prices", What: Asked, Question: "true"}})
	if len(joined) != len(Defaults())+1 || joined[0].Name != Outage || !joined[0].Off {
		t.Errorf("%+v", joined)
	}
	known := func(id string) bool { return id == "title-missing" }
	for field, r := range map[string]Rule{
		"what": {What: "helth-fell"}, "least": {What: HealthFell, Least: -1}, "question": {What: Asked}, "gate": {What: GateShut},
		"section": {What: Vanished, Section: "shop"}, "severity": {What: NewFindings, Severity: "awful"},
		"group": {What: NewFindings, Group: "titles"}, "check": {What: NewFindings, Check: "nosuch"}, "every": {What: HealthFell, Every: -1},
	} {
		var faults plan.Faults
		if err := r.Examine([]string{"snippet"}, known); !errors.As(err, &faults) || faults[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	for _, r := range append(Defaults(), Rule{What: NewFindings, Severity: "warning", Group: "snippet", Check: "title-missing", Section: "/shop/"},
		Rule{What: Asked, Question: "words < 3", Least: 2}) {
		if err := r.Examine([]string{"snippet"}, known); err != nil {
			t.Errorf("%+v: %v", r, err)
		}
	}
	if r := (Rule{What: NewFindings, Question: "x"}); r.Examine(nil, known) == nil {
		t.Error("a question where none is asked")
	}
}

// TestJoin: a fall of health is told with what explains it, once.
func TestJoin(t *testing.T) {
	told := Told{
		Says:  "2 new errors since crawl 11",
		Lines: []string{"Footer link is dead", "Title is missing"},
		More:  1,
	}
	told.Join(Told{Says: "Health fell by 6.3 to 81.9 since crawl 11", More: 2,
		Lines: []string{"−5.1: Footer link is dead", "−1.0: Text is thin: on 3 pages"}})
	if got := strings.Join(append(told.Lines, told.Says), "; "); told.More != 3 ||
		got != "Footer link is dead; Title is missing; −1.0: Text is thin: on 3 pages; "+
			"2 new errors since crawl 11; health fell by 6.3 to 81.9 since crawl 11" {
		t.Errorf("%s, and %d more", got, told.More)
	}
	fall := &Told{Says: "Health fell by 6.3", Lines: []string{"−5.1: Footer link is dead"}}
	none, names := &Told{}, &Told{Lines: []string{"Title is missing", "Footer link is dead"}}
	if none.Leads(Closed, fall) >= none.Leads(NewFindings, fall) || none.Leads(HealthFell, fall) >= 0 ||
		none.Leads(Outage, fall) >= 0 ||
		names.Leads(FixReturned, fall) >= none.Leads(Closed, fall) ||
		(&Told{Says: "Footer link is dead"}).Leads(NewFindings, fall) >= none.Leads(Closed, fall) {
		t.Error(
			"what names the cause explains a fall of health before what closes pages, that before what is new, and a fall nothing",
		)
	}
}
