package record

import "time"

// A Worker is a process that takes crawls from the queue.
type Worker struct {
	Name    string
	Place   string // host and process, for people
	Hands   Hands
	Keys    []string // prints of those by which it opens secrets
	Started time.Time
	Seen    time.Time // when it was last heard of
}

// A Queued is a crawl that runs, or waits for a worker.
type Queued struct {
	Site   string
	Number int
	Owner  string // "" for one that waits
	Place  string // where it runs
	Since  time.Time
	Epoch  int // changes when it is taken up, and when it is given back
	Error  string
	Now    Progress
}

// A Queue is who works, and at what.
type Queue struct {
	Workers []Worker
	Crawls  []Queued // those that run, then those that wait, the longest first
	Seal    string   // print of the key by which secrets are sealed
	Jobs    []Job    // other work that runs, waits or was given up, the oldest first
}

// A HostUse is a host that a worker asks, and how fast at most its crawls have it asked.
type HostUse struct {
	Host     string
	Gap      time.Duration // between the starts of two requests
	Parallel int
	Asked    time.Time // until when the host has asked to be left alone; zero if it has not
}

// A HostShare is what others ask of a host that a worker asks.
type HostShare struct {
	Host     string
	Others   int // workers
	Before   int // of these, those that stand before this one in the order of all
	Gap      time.Duration
	Parallel int           // the gentlest of theirs
	Wait     time.Duration // for which the host has asked one of them to leave it alone
}
