package record

import (
	"time"

	"harvik/internal/core/watch"
)

// A Watched is a watch of a site, with how it stands.
type Watched struct {
	ID     int64
	SiteID int64
	Site   string
	watch.Watch
	Due   *time.Time // nil where it is paused
	State watch.State
}

// A Seen is a look at a watched address, as it is stored.
type Seen struct {
	Watch   int64
	At      time.Time
	Status  int
	Down    bool
	Planned bool
	Tries   int
	Timing  [5]int // milliseconds to resolve, connect, shake hands, the first byte, the end
}

// A Round is what looks at watched addresses came to, to be stored at once.
type Round struct {
	Looks   []Seen
	States  map[int64]watch.State // by watch
	Outages []Outage
	Changes []Noticed
}

// An Outage is a time in which a watched address was not to be had.
type Outage struct {
	ID      int64
	Watch   int64
	Site    string
	Name    string // of the watch
	Address string
	Began   time.Time
	Ended   *time.Time // nil while it lasts
	Reason  string
	Planned bool // in maintenance
}

// A Noticed is something that was otherwise than before.
type Noticed struct {
	ID     int64
	SiteID int64
	Watch  int64 // 0 for what a site shows besides its pages
	Name   string
	At     time.Time
	watch.Change
}

// A Maintenance is a time in which a site is worked at, and looks count for nothing.
type Maintenance struct {
	ID     int64
	SiteID int64
	Began  time.Time
	Ends   time.Time
	Reason string
}

// Planned are the sites that are worked at at a time, by ID, with why, of some maintenances.
func Planned(all []Maintenance, at time.Time) map[int64]string {
	out := map[int64]string{}
	for _, m := range all {
		if _, known := out[m.SiteID]; !known && !m.Began.After(at) && m.Ends.After(at) {
			out[m.SiteID] = m.Reason
		}
	}
	return out
}

// A Course is how a watched address did over some time.
type Course struct {
	From, Until time.Time
	Whole       watch.Course
	Bins        []watch.Course
	Phases      [5]int // the medians of the phases, in milliseconds, where every look is kept
	Outages     []Outage
}

// A Front is what a site shows besides its pages, as it was last seen.
type Front struct {
	Site string
	Home string
	Due  *time.Time // nil where it is not looked at
	Now  *watch.Front
}

// LooksKept is for how many days looks at watched addresses are kept one by one, and by hour; by day they stay.
type LooksKept struct {
	Days  int
	Hours int
}

// LooksSetting is the name under which that is set.
const LooksSetting = "looks"

// UsualLooks is what holds where nothing is set.
var UsualLooks = LooksKept{Days: 14, Hours: 400}
