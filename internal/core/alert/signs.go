package alert

import (
	"fmt"
	"strings"
	"time"

	"harvik/internal/core/robots"
	"harvik/internal/core/text"
	"harvik/internal/core/watch"
)

// An Address is how a watched address does, for rules.
type Address struct {
	Name    string
	Address string
	Every   int
	State   watch.State
	Down    []Down // that last, or are not long over, the oldest first
}

// A Down is an outage.
type Down struct {
	Began  time.Time
	Ended  time.Time // zero while it lasts
	Reason string
}

// A Different is something that is otherwise at a watched address, or of what a site shows.
type Different struct {
	At   time.Time
	Name string // of the watch; "" for what the site shows
	watch.Change
}

// settled is for how long an address has to be up before an outage is over: one that comes and goes is one.
const settled = 10 * time.Minute

// OfAddresses is what a rule about outages or slowness makes of the watched addresses of a site at a time. Open is what
// it has told that lasts.
func (r *Rule) OfAddresses(all []Address, open []Open, now time.Time) Verdict {
	var told []Told
	over := map[string]string{}
	for i := range all {
		a := &all[i]
		switch r.What {
		case Outage:
			if t, ok := r.outage(a, isOpen(open, a.Name), now); ok {
				told = append(told, t)
			} else if n := len(a.Down); n > 0 {
				over[a.Name] = fmt.Sprintf("%s is up again, after %s", a.Name, lasted(a.Down, isOpen(open, a.Name)))
			}
		case Slow:
			if t, ok := r.slow(a, now); ok {
				told = append(told, t)
			}
		}
	}
	return lasting(told, open, func(o Open) string {
		if says, ok := over[o.Subject]; ok {
			return says
		}
		if r.What == Slow {
			return o.Subject + " is no longer slow"
		}
		return o.Subject + " is up again"
	})
}

// slow tells of an address that has been slow for long enough.
func (r *Rule) slow(a *Address, now time.Time) (t Told, ok bool) {
	long := time.Duration(a.State.SlowFor*a.Every) * time.Minute
	if a.State.SlowFor == 0 || a.State.Last == nil || long.Minutes() < r.From() {
		return t, false
	}
	return Told{Subject: a.Name, Count: int(long.Minutes()), Since: now.Add(-long), Link: "/watch?watch=" + a.Name,
		Says: fmt.Sprintf("%s has been slow for %s: the last look took %s ms", a.Name, spoken(long),
			text.Thousands(a.State.Last.Timing.Whole)),
		First: "See which phase takes the time."}, true
}

// isOpen is since when something is open; the zero time where it is not.
func isOpen(open []Open, subject string) time.Time {
	for _, o := range open {
		if o.Subject == subject {
			return o.Began
		}
	}
	return time.Time{}
}

// outage tells of an address that is down, or was until just now.
func (r *Rule) outage(a *Address, since time.Time, now time.Time) (t Told, ok bool) {
	for i := len(a.Down) - 1; i >= 0; i-- {
		d := &a.Down[i]
		end := d.Ended
		if end.IsZero() {
			end = now
		}
		long := end.Sub(d.Began)
		lasts := d.Ended.IsZero() || now.Sub(d.Ended) < settled
		if !lasts || since.IsZero() && long.Minutes() < r.From() {
			continue
		}
		t = Told{Subject: a.Name, Count: int(long.Minutes()), Since: d.Began, Urgent: true, Link: "/watch?watch=" + a.Name,
			Says:  fmt.Sprintf("%s is down since %s: %s", a.Name, d.Began.UTC().Format("15:04 UTC"), d.Reason),
			Lines: []string{a.Address}, First: "Open the address; if it is down for you, too, call whoever hosts it."}
		if !d.Ended.IsZero() {
			t.Says = fmt.Sprintf("%s was down for %s: %s", a.Name, spoken(long), d.Reason)
			t.First = ""
		}
		return t, true
	}
	return t, false
}

// lasted says how long an address was down since a time, and how often.
func lasted(all []Down, since time.Time) string {
	var long time.Duration
	n := 0
	for _, d := range all {
		if !d.Ended.IsZero() && d.Ended.After(since) {
			long += d.Ended.Sub(d.Began)
			n++
		}
	}
	out := spoken(long)
	if n > 1 {
		out += fmt.Sprintf(" in %d outages", n)
	}
	return out
}

// spoken is a time as people say it.
func spoken(d time.Duration) string {
	switch {
	case d < 90*time.Second:
		return fmt.Sprintf("%.0f s", d.Seconds())
	case d < 90*time.Minute:
		return fmt.Sprintf("%.0f min", d.Minutes())
	case d < 48*time.Hour:
		return fmt.Sprintf("%.1f h", d.Hours())
	}
	return fmt.Sprintf("%.0f days", d.Hours()/24)
}

// Ending is a certificate that ends.
type Ending struct {
	Host string
	Ends time.Time
}

// OfCertificates is what a rule makes of certificates at a time.
func (r *Rule) OfCertificates(all []Ending, open []Open, now time.Time) Verdict {
	if r.What != Certificate {
		return Verdict{}
	}
	var told []Told
	over := map[string]string{}
	for _, e := range all {
		left := e.Ends.Sub(now)
		days := left.Hours() / 24
		if days > r.From() {
			over[e.Host] = fmt.Sprintf("The certificate of %s now lasts until %s", e.Host, e.Ends.UTC().Format("2 January 2006"))
			continue
		}
		says := fmt.Sprintf("The certificate of %s ends in %s, on %s", e.Host, spoken(left), e.Ends.UTC().Format("2 January 2006"))
		if left < 0 {
			says = fmt.Sprintf("The certificate of %s ended on %s", e.Host, e.Ends.UTC().Format("2 January 2006"))
		}
		told = append(told, Told{Subject: e.Host, Count: int(max(0, days)), Says: says, Link: "/watch", Urgent: days < 3,
			First: "Have it renewed; browsers refuse the site from then on."})
	}
	return lasting(told, open, func(o Open) string { return over[o.Subject] })
}

// OfDifferences is what a rule makes of what was otherwise than before. Pages are the addresses of the newest crawl,
// agent is whose rules of robots.txt count, listed is how many addresses all sitemaps list now.
func (r *Rule) OfDifferences(all []Different, pages []string, agent string, listed int) (v Verdict) {
	switch r.What {
	case Otherwise:
		v.Told = otherwise(all)
	case FrontOther:
		v.Told = frontOther(all, pages, agent)
	case Shut:
		for _, d := range all {
			if t, ok := r.shut(d, pages, agent); ok {
				v.Told = append(v.Told, t)
			}
		}
	case Shrank:
		v.Told = r.shrank(all, listed)
	}
	return v
}

// otherwise tells of changes at watched addresses, those of one look as one.
func otherwise(all []Different) (out []Told) {
	at := map[string]int{}
	for _, d := range all {
		if d.Name == "" {
			continue
		}
		subject := d.Name + " at " + d.At.UTC().Format(time.RFC3339)
		i, ok := at[subject]
		if !ok {
			i = len(out)
			at[subject] = i
			out = append(out, Told{Subject: subject, Since: d.At, Link: "/watch?watch=" + d.Name})
		}
		t := &out[i]
		t.Count++
		if d.What == watch.Text {
			t.line("the main text changed")
		} else {
			t.line(fmt.Sprintf("%s: %s → %s", d.What, quoted(d.Was), quoted(d.Now)))
		}
		if d.What == watch.RobotsMeta && strings.Contains(d.Now, "noindex") {
			t.Urgent, t.First = true, "It can no longer be found in search; if that is not meant, have it taken out."
		}
		t.Says = fmt.Sprintf("%s changed: %s", d.Name, strings.Join(kinds(all, d), ", "))
	}
	return out
}

// kinds are what changed at one look.
func kinds(all []Different, of Different) (out []string) {
	for _, d := range all {
		if d.Name == of.Name && d.At.Equal(of.At) {
			out = append(out, d.What)
		}
	}
	return out
}

func quoted(s string) string {
	if s == "" {
		return "nothing"
	}
	return "“" + text.Shorten(strings.Join(strings.Fields(s), " "), 80, 50, 29) + "”"
}

// frontOther tells of what else a site shows otherwise, as one.
func frontOther(all []Different, pages []string, agent string) []Told {
	t := Told{Link: "/watch"}
	for _, d := range all {
		if d.Name != "" || d.What == watch.Sitemaps {
			continue
		}
		if d.What == watch.RobotsTxt {
			if shut, _ := flips(d, pages, agent); len(shut) > 0 {
				continue // that is told by its effect
			}
			gone, added := text.DifferLines(rulesOf(d.Was), rulesOf(d.Now))
			t.line("robots.txt: " + linesWord(len(gone), len(added)) + "; no known page is shut out by it")
		} else {
			t.line(fmt.Sprintf("%s: %s → %s", d.What, quoted(d.Was), quoted(d.Now)))
		}
		t.Count++
		t.Since, t.Subject = d.At, "front at "+d.At.UTC().Format(time.RFC3339)
	}
	if t.Count == 0 {
		return nil
	}
	if t.Says = text.Count(t.Count, "change", "changes") + " of what the site shows besides its pages"; t.Count == 1 {
		t.Says, t.Lines = "Changed: "+t.Lines[0], nil
	}
	return []Told{t}
}

// linesWord says how many lines of a file went and came.
func linesWord(gone, added int) string {
	switch {
	case added == 0:
		return text.Count(gone, "line is gone", "lines are gone")
	case gone == 0:
		return text.Count(added, "line is new", "lines are new")
	}
	return text.Count(gone, "line", "lines") + " gone, " + text.Thousands(added) + " new"
}

// rulesOf is the text of a robots.txt: nothing where there was none.
func rulesOf(body string) string {
	if strings.HasPrefix(body, "none: ") {
		return ""
	}
	return body
}

// flips are the pages that a robots.txt shuts out which the one before did not, and the other way round.
func flips(d Different, pages []string, agent string) (shut, opened []string) {
	files := [2]*robots.File{}
	for i, body := range []string{d.Was, d.Now} {
		files[i] = robots.Parse([]byte(rulesOf(body)))
	}
	for _, p := range pages {
		path := "/"
		if _, rest, ok := strings.Cut(p, "://"); ok {
			if i := strings.IndexByte(rest, '/'); i >= 0 {
				path = rest[i:]
			}
		}
		was, is := files[0].Decide(agent, path).Allowed, files[1].Decide(agent, path).Allowed
		switch {
		case was && !is:
			shut = append(shut, p)
		case !was && is:
			opened = append(opened, p)
		}
	}
	return shut, opened
}

// shut tells of pages that robots.txt has come to shut out.
func (r *Rule) shut(d Different, pages []string, agent string) (t Told, ok bool) {
	if d.What != watch.RobotsTxt || d.Name != "" {
		return t, false
	}
	shut, _ := flips(d, pages, agent)
	t = Told{Subject: "robots.txt at " + d.At.UTC().Format(time.RFC3339), Since: d.At, Link: "/watch", Urgent: true,
		First: "Look at the new lines, and have taken out what is not meant."}
	_, added := text.DifferLines(rulesOf(d.Was), rulesOf(d.Now))
	for _, l := range added {
		if strings.TrimSpace(l) != "" {
			t.line("+ " + l)
		}
	}
	for _, p := range shut {
		if inSection(p, r.Section) {
			t.Count++
			t.line(p)
		}
	}
	if t.Count == 0 || float64(t.Count) < r.From() {
		return t, false
	}
	t.Says = fmt.Sprintf("robots.txt now shuts out %s of %s that were open",
		text.Thousands(t.Count), text.Count(len(pages), "page", "pages"))
	return t, true
}

// shrank tells that the sitemaps list fewer addresses than they did, all of them together.
func (r *Rule) shrank(all []Different, listed int) (out []Told) {
	was, is := listed, listed
	t := Told{Link: "/watch"}
	for _, d := range all {
		if d.What != watch.Sitemaps || d.Name != "" {
			continue
		}
		b, a := entries(d.Was), entries(d.Now)
		was += b - a
		if a < b {
			t.line(d.Now + " (there were " + text.Thousands(b) + ")")
		}
		t.Since, t.Subject = d.At, "sitemaps at "+d.At.UTC().Format(time.RFC3339)
	}
	if was == 0 || float64(was-is)*100/float64(was) < r.From() || is >= was {
		return nil
	}
	t.Count = (was - is) * 100 / was
	t.Says = fmt.Sprintf("The sitemaps list %d of a hundred addresses fewer: %s in place of %s", t.Count, text.Thousands(is), text.Thousands(was))
	t.First = "See whether the pages are still there; search engines learn of them from here."
	return []Told{t}
}

// entries reads how many a sitemap lists of what is told of it.
func entries(says string) (n int) {
	if i := strings.LastIndex(says, ": "); i >= 0 {
		fmt.Sscanf(says[i+2:], "%d entries", &n)
	}
	return n
}
