package record

import "time"

// A Todo is work that waits in the queue beside crawls. It looks for itself what there is to do, so that it can be cut
// off, and done twice, without harm.
type Todo struct {
	What   string // ToTidy, ToWeigh, …
	Site   string // that it is for; "" for all
	Crawl  int64
	Number int    // of a recheck of the crawl
	Cause  string // made it necessary: for one cause it is left to the queue once
}

// What there is to do beside crawls.
const (
	ToTidy    = "tidy"    // tells the database what a crawl that has ended brought; deletes older ones that are not kept
	ToWeigh   = "weigh"   // weighs newest crawls by what is decided now
	ToJudge   = "judge"   // judges older crawls by the rules of the newest
	ToPack    = "pack"    // packs the source that crawls keep, and lets old source go
	ToSweep   = "sweep"   // drops what crawls that are gone have left
	ToRecheck = "recheck" // looks again at what fixes concern
	ToBegin   = "begin"   // begins crawls that are due by their schedules, and keeps them to their hours
	ToWatch   = "watch"   // looks at watched addresses that are due
	ToFront   = "front"   // looks at what sites show besides their pages, where that is due
	ToNews    = "news"    // holds a crawl against the rules of its site
	ToTell    = "tell"    // holds what was watched against rules, and makes messages of what is to be told
	ToSend    = "send"    // sends a message
)

// ByTheClock are those that are left each minute: where one cannot be done, the next does it.
var ByTheClock = []string{ToBegin, ToWatch, ToFront, ToTell}

// Hanging is what hangs on which crawl of a site, "" for all, is its newest.
func Hanging(site, cause string) []Todo {
	return []Todo{{What: ToWeigh, Site: site, Cause: cause}, {What: ToJudge, Site: site, Cause: cause},
		{What: ToPack, Cause: cause}}
}

// Hands are how much a process does at once of what waits in the queue.
type Hands struct {
	Crawls   int
	Judgings int // what hangs on crawls that have ended
	Rechecks int
	Watches  int // what is done by the clock
	Messages int // that are sent
}

// None tells of a process that leaves all of it to others.
func (h Hands) None() bool { return h == Hands{} }

// A Job is a Todo as it stands in the queue.
type Job struct {
	ID     int64
	What   string
	Site   string
	Crawl  int       // its number; 0 for none
	Number int       // of a recheck
	State  string    // Waits, Runs, …
	Place  string    // where it runs
	Since  time.Time // it has been in this state
	Next   time.Time // when it is tried next, if it waits for that
	Tries  int
	Error  string // of the last try
}

// A QueueLength is how much of the queue is in one state.
type QueueLength struct {
	Queue  string // crawl, judge, recheck, watch, message
	State  string // Waits, Runs, …
	Jobs   int
	Oldest time.Duration // that the oldest has been in it
}

// How a job stands.
const (
	Waits     = "waits"
	Runs      = "runs"
	Again     = "tried again" // after it failed
	GivenUp   = "given up"
	Cancelled = "cancelled"
)
