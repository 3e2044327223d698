// Package care puts the sites under care into the order in which they need somebody. Time is an argument: it has no
// clock.
package care

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/text"
)

// A Site is how a site under care stands.
type Site struct {
	Name      string
	Home      string
	Groups    []string
	Health    *float64  // of the newest finished crawl
	Course    []float64 // of the last finished crawls, as it was told then, the oldest first
	Before    int       // the crawl that the newest is compared with; 0 for none
	Change    float64   // of health since then
	Cause     string    // what took or brought most of it
	Latest    int       // the newest finished crawl; 0 for none
	At        time.Time // it finished
	Errors    int       // checks of that severity that fail in it
	Lost      float64   // points that these take
	Returned  int       // fixes that were confirmed, and are there again
	Looks     int       // at its watched addresses in the last 30 days
	Missed    int       // of these, at which one was not to be had
	Down      []string  // watched addresses that are down now
	Alerts    int       // that are new
	Urgent    int       // of these
	Says      string    // the newest of them, an urgent one first
	Next      time.Time // a schedule begins a crawl; zero for none
	Running   int       // number of the crawl that runs; 0 for none
	State     string    // of the newest crawl
	Detail    string    // why that failed or was put away
	Assignees []string  // who is on its fixes and alerts
}

// Available is the share of looks at which all was to be had, in hundredths; ok is false where nothing is watched.
func (s *Site) Available() (share float64, ok bool) {
	if s.Looks == 0 {
		return 0, false
	}
	return 100 * float64(s.Looks-s.Missed) / float64(s.Looks), true
}

// Bounds of what counts as a need.
const (
	fell = 1.0                 // points
	old  = 45 * 24 * time.Hour // since the newest crawl
)

// Need says why a site needs somebody, and how much: the greater the more. It is "" where it does not.
func (s *Site) Need(now time.Time) (why string, weight float64) {
	lost := s.Lost
	switch {
	case len(s.Down) > 0:
		return strings.Join(s.Down, ", ") + " is down", 1e6 + float64(len(s.Down))
	case s.Urgent > 0:
		return s.Says, 1e5 + float64(s.Urgent)
	case s.State == "failed" || s.State == "paused" && s.Detail != "":
		return "the last crawl came to nothing: " + s.Detail, 5e4
	case s.Returned > 0:
		return text.Count(s.Returned, "fix came back", "fixes came back"), 2e4 + 100*float64(s.Returned) + lost
	case s.Before > 0 && s.Change <= -fell:
		return fmt.Sprintf("health fell by %.1f", -s.Change), 1e4 - 100*s.Change
	case s.Alerts > 0:
		return s.Says, 5e3 + float64(s.Alerts) + lost
	case s.Latest == 0:
		return "it has not been crawled", 2e3
	case now.Sub(s.At) > old && s.Next.IsZero() && s.Running == 0:
		return fmt.Sprintf("not crawled for %d days, and no schedule", int(now.Sub(s.At).Hours()/24)), 1e3 + lost
	case s.Errors > 0:
		return text.Count(s.Errors, "kind of error", "kinds of errors"), lost
	}
	return "", 0
}

// Sort puts sites into order, those that need somebody most first.
func Sort(sites []Site, now time.Time) {
	slices.SortStableFunc(sites, func(a, b Site) int {
		_, x := a.Need(now)
		_, y := b.Need(now)
		return cmp.Or(cmp.Compare(y, x), strings.Compare(a.Name, b.Name))
	})
}
