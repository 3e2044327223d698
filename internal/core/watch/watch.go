// Package watch says what a look at a watched address or site means: whether it is down, what changed, how often it
// answered and how fast. Time is an argument: it has no clock.
package watch

import (
	"fmt"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

// A Watch is an address that is looked at every few minutes.
type Watch struct {
	Name    string
	Address string
	Every   int    // minutes, from 1 to 1440
	Status  int    // that it has to have; 0 for any from 200 to 399 once redirects are followed
	Must    string // a text that has to stand in what comes
	Never   string // a text that may not
	Slow    int    // milliseconds from which a look counts as slow; 0 for never
	Paused  bool
}

// Bounds of a Watch.
const (
	mostMinutes = 24 * 60
	mostText    = 500
	mostSlow    = 120_000
)

// Check says what is wrong with a watch; the error is plan.Faults. The address becomes whole: a path is one of the home
// address.
func (w *Watch) Check(home string) error {
	var faults plan.Faults
	add := func(field, format string, args ...any) {
		faults = append(faults, plan.Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
	}
	base, err := weburl.Parse(home)
	if err != nil {
		return err
	}
	u, err := base.Parse(strings.TrimSpace(w.Address))
	switch {
	case strings.TrimSpace(w.Address) == "" || err != nil || !u.IsHTTP():
		add("address", "%q is no web address; write one such as %s, or its path", w.Address, base.Key())
	default:
		w.Address = u.Key()
	}
	if w.Every < 1 || w.Every > mostMinutes {
		add("every", "it is looked at every 1 to %d minutes, not every %d", mostMinutes, w.Every)
	}
	if w.Status != 0 && (w.Status < 100 || w.Status > 599) {
		add("status", "%d is no status of HTTP", w.Status)
	}
	for field, text := range map[string]string{"must": w.Must, "never": w.Never} {
		if len(text) > mostText {
			add(field, "the text has at most %d bytes", mostText)
		}
	}
	if w.Slow < 0 || w.Slow > mostSlow {
		add("slow", "it is slow from 1 to %d milliseconds on, or never (0)", mostSlow)
	}
	if faults != nil {
		return faults
	}
	return nil
}

// A Look is what one look at an address saw, redirects followed.
type Look struct {
	At        time.Time
	Outcome   page.Outcome
	Detail    string
	Status    int
	Timing    page.Timing // of the last request, Whole of all
	Target    string      // where redirects led; "" where there were none
	Hops      int
	Ends      time.Time // of the certificate; zero without one
	Issuer    string    // of it
	Tries     int       // 2 where the first failed and it was tried again
	Lacks     string    // the text that has to stand there and does not
	Has       string    // the text that may not stand there and does
	Read      bool      // what follows was read: it is a page
	Title     string
	Canonical string
	Robots    string // all that is said to crawlers, in the page and in headers
	H1        string
	Text      uint64 // of the main text; see page.Document
}

// Down says why an address counts as not to be had; "" where it is to be had.
func (w *Watch) Down(l *Look) string {
	switch {
	case l.Outcome != page.Answered && l.Outcome != page.Truncated:
		if l.Detail != "" {
			return l.Detail
		}
		return string(l.Outcome)
	case w.Status != 0 && l.Status != w.Status:
		return fmt.Sprintf("status %d in place of %d", l.Status, w.Status)
	case w.Status == 0 && (l.Status < 200 || l.Status > 399):
		return fmt.Sprintf("status %d", l.Status)
	case l.Lacks != "":
		return fmt.Sprintf("the text “%s” does not stand there", l.Lacks)
	case l.Has != "":
		return fmt.Sprintf("the text “%s” stands there", l.Has)
	}
	return ""
}

// IsSlow tells of a look that took too long.
func (w *Watch) IsSlow(l *Look) bool { return w.Slow > 0 && l.Timing.Whole >= w.Slow }

// A Change is something that is otherwise than it was.
type Change struct {
	What string // Title, Canonical, …
	Was  string
	Now  string
}

// What can change.
const (
	Status      = "status"
	Target      = "redirect"
	Title       = "title"
	Canonical   = "canonical"
	RobotsMeta  = "robots"
	H1          = "h1"
	Text        = "text"
	RobotsTxt   = "robots.txt"
	Sitemaps    = "sitemap"
	Certificate = "certificate"
	DNS         = "dns"
	Header      = "header"
)

// A State is how a watched address stands.
type State struct {
	Last     *Look // the newest one that was not down
	Down     bool
	Since    time.Time // it has been so
	Reason   string    // why it is down
	SlowFor  int       // looks in a row that were slow
	Restless int       // above 0, changes of its text are not told: it changes by itself
}

// A Step is what a look comes to.
type Step struct {
	State   State
	Began   bool // to be down
	Ended   bool // to be down; Was tells since when
	Was     State
	Changes []Change
}

// How a text comes to be known as restless, and how it stops being so.
const (
	restlessBy   = 3
	mostRestless = 30
)

// Take takes a look into account.
func (s State) Take(w *Watch, l *Look) (out Step) {
	out.Was, out.State = s, s
	down := w.Down(l)
	now := &out.State
	switch {
	case down != "" && !s.Down:
		out.Began = true
		now.Down, now.Since, now.Reason = true, l.At, down
	case down != "":
		now.Reason = down
	case s.Down:
		out.Ended = true
		now.Down, now.Since, now.Reason = false, l.At, ""
	}
	if now.Since.IsZero() {
		now.Since = l.At
	}
	if down != "" {
		return out
	}
	if now.SlowFor++; !w.IsSlow(l) {
		now.SlowFor = 0
	}
	if s.Last != nil {
		out.Changes = changes(s.Last, l)
		changed := false
		for i := len(out.Changes) - 1; i >= 0; i-- {
			if out.Changes[i].What == Text {
				changed = true
				if s.Restless > 0 {
					out.Changes = append(out.Changes[:i], out.Changes[i+1:]...)
				}
			}
		}
		if changed {
			now.Restless = min(s.Restless+restlessBy, mostRestless)
		} else {
			now.Restless = max(s.Restless-1, 0)
		}
	}
	last := *l
	now.Last = &last
	return out
}

// changes are what is otherwise in one look than in the one before; neither was down.
func changes(was, now *Look) (out []Change) {
	add := func(what, before, after string) {
		if before != after {
			out = append(out, Change{what, before, after})
		}
	}
	add(Status, fmt.Sprint(was.Status), fmt.Sprint(now.Status))
	add(Target, was.Target, now.Target)
	if !was.Read || !now.Read {
		return out
	}
	add(Title, was.Title, now.Title)
	add(Canonical, was.Canonical, now.Canonical)
	add(RobotsMeta, was.Robots, now.Robots)
	add(H1, was.H1, now.H1)
	if was.Text != now.Text {
		out = append(out, Change{What: Text})
	}
	return out
}
