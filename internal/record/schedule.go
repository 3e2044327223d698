package record

import (
	"time"

	"harvik/internal/core/schedule"
)

// A Scheduled is a schedule of a site, with what came of it.
type Scheduled struct {
	ID   int64
	Site string
	Home string
	schedule.Schedule
	Due  *time.Time // nil where it is paused
	Last *Turnout   // nil where it has never come
}

// A Turnout is what came of a schedule when it was due.
type Turnout struct {
	Due     time.Time
	At      time.Time
	Crawl   int    // that was begun; 0 for none
	Detail  string // why none was
	Refused bool   // it could not be begun: that is not as the schedule wants it
	Missed  int    // times before it at which nobody was there to begin one
}

// A Turn has a crawl begin as a schedule's, in the transaction that sets when it is due next.
type Turn struct {
	Schedule int64
	Name     string
	Due      time.Time // as it was when it was read: another process may have been quicker
	Next     *time.Time
	Hours    Hours
	Last     Turnout // its crawl is filled in
}

// Hours are when a crawl may run, as its schedule had them when it began.
type Hours struct {
	Text string // "22:00-06:00"; "" for any time
	Zone string
}

// Of makes sense of them.
func (h Hours) Of() (schedule.Hours, error) {
	zone, err := time.LoadLocation(h.Zone)
	if err != nil {
		return schedule.Hours{}, err
	}
	return schedule.ReadHours(h.Text, zone)
}

// A Coming is a start that is to be expected.
type Coming struct {
	Site     string
	Schedule string
	Host     string
	At       time.Time
	Until    time.Time // as long as the last crawl took; the same as At where there was none
	Requests int       // as many as the last crawl made; 0 where there was none
}

// A Retention says which crawls of a site stay beside those that are marked.
type Retention struct {
	Crawls  int  // the newest finished ones; 0 for all
	Monthly bool // the first finished one of each month, too
}
