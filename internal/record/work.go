package record

import (
	"encoding/json"
	"fmt"
	"time"

	"harvik/internal/core/drift"
	"harvik/internal/core/figures"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/task"
	"harvik/internal/core/waive"
)

// A Day is a date without a time, "2026-11-23".
type Day struct{ time.Time }

// ParseDay reads one.
func ParseDay(s string) (Day, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return Day{}, fmt.Errorf("%q is no day; write it as year-month-day, such as 2027-03-31", s)
	}
	return Day{t}, nil
}

func (d Day) String() string { return d.Format(time.DateOnly) }

// MarshalText writes it.
func (d Day) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// MarshalJSON writes it, too: without it that of the time within would be used.
func (d Day) MarshalJSON() ([]byte, error) { return json.Marshal(d.String()) }

// UnmarshalJSON reads it.
func (d *Day) UnmarshalJSON(b []byte) error {
	var s string
	err := json.Unmarshal(b, &s)
	if err == nil {
		*d, err = ParseDay(s)
	}
	return err
}

// Scan reads a date column.
func (d *Day) Scan(src any) error {
	t, ok := src.(time.Time)
	if !ok {
		return fmt.Errorf("date column holds %T", src)
	}
	d.Time = t
	return nil
}

// A Task is the work at a fix.
type Task struct {
	Fix      string
	Check    string
	Line     string
	State    task.State
	Assignee string
	Due      *Day
	Note     string
	Seen     int // number of the last crawl in whose list it stood
	Version  int // 0 for a task that nobody has touched
	Changed  time.Time
}

// A TaskEvent is one entry of a task's history.
type TaskEvent struct {
	At    time.Time
	Who   string
	State task.State
	Says  string
	Batch *int64
}

// A FixLine is a line of the fix list with the work at it.
type FixLine struct {
	fixlist.Fix
	Assignee string
	Due      *Day
	Note     string
	Version  int
}

// A Wish is what is to be done with fixes: what is not named stays.
type Wish struct {
	Fixes    []FixAt
	To       task.State
	Assignee *string
	Due      *string // a day; "" for none
	Note     *string
	By       string // who says so
}

// FixAt names a fix, and which version of its task the wish was made at: 0 for one that nobody had touched,
// nil for any.
type FixAt struct {
	Fix     string
	Version *int
}

// Moves is what became of a wish.
type Moves struct {
	Batch   int64 // to undo it by
	Moved   []Task
	Refused []Refused
}

// Refused is a fix that stays as it is, and why.
type Refused struct {
	Fix  string
	Why  string
	Task *Task // as it is now, where somebody else changed it
}

// A Waiver is a decision to leave something as it is.
type Waiver struct {
	ID       int64
	Scope    waive.Scope
	Check    string
	On       string
	Reason   string
	By       string
	Created  time.Time
	Until    *Day // the last day on which it holds
	Ended    *time.Time
	EndedBy  string
	Findings int // that it covers in the newest crawl
	Pages    int
	State    string // "holds", "holds, matches nothing", "cannot be read", "expired", "ended"
	Broken   string // why it cannot be read; it covers nothing then
}

// Holds tells whether the waiver is in force on a day.
func (w *Waiver) Holds(today time.Time) bool {
	return w.Ended == nil && (w.Until == nil || !today.After(w.Until.AddDate(0, 0, 1).Add(-time.Nanosecond)))
}

// Name fills State in.
func (w *Waiver) Name(today time.Time) {
	switch {
	case w.Ended != nil:
		w.State = "ended"
	case !w.Holds(today):
		w.State = "expired"
	case w.Broken != "":
		w.State = "cannot be read"
	case w.Findings == 0:
		w.State = "holds, matches nothing"
	default:
		w.State = "holds"
	}
}

// A Weighing says by what a crawl's report was weighed.
type Weighing struct {
	Signature string // of the waivers that held and the figure that weighed; "" for none
	Matches   map[int64]Matched
}

// Matched is what a waiver covers.
type Matched struct{ Findings, Pages int }

// A FigureSet is one of the consultant's own figures as of a day.
type FigureSet struct {
	Name     string
	Taken    Day
	Kind     string // number, percent or text
	Imported time.Time
	Rows     int
}

// An Import is what became of a table of figures.
type Import struct {
	Columns   []figures.Column
	Rows      int
	Matched   int             // rows whose page is known
	Unmatched []string        // addresses that the newest crawl does not have, at most 1,000
	Faults    []figures.Fault // lines that were left out
}

// A Recheck is a look at what some fixes concern, after a crawl. The crawl stays as it was.
type Recheck struct {
	Number   int
	Crawl    int
	State    string // running, done, failed
	Detail   string
	Phase    string // while it runs
	Fetched  int    // addresses
	Of       int
	By       string
	Fixes    []string // that it looks at
	Started  time.Time
	Seconds  float64
	Results  []RecheckResult
	Health   float64         // of the crawl
	After    float64         // projected: the crawl with what was seen now in its place
	Warnings []string        // what stood in the way
	Pages    []RecheckedPage // that were looked at, at most 500
}

// Verdicts of a recheck on a fix.
const (
	IsConfirmed = "confirmed"   // gone from everything concerned
	IsThere     = "still there" // on some pages
	IsChanged   = "changed"     // gone as it was, but the same pages fail the check in another way
	IsUnseen    = "not seen"    // not everything concerned could be looked at
)

// RecheckResult is what a recheck says of one fix.
type RecheckResult struct {
	Fix     string
	Line    string
	Check   string
	Verdict string
	Says    string   // in a sentence
	Pages   int      // of the fix
	Looked  int      // of these, looked at
	Still   []string // pages on which it is still there, at most 100
	Missed  []string
	Into    []string   // what it changed into
	State   task.State // of the fix afterwards
}

// RecheckedPage is one page that was looked at, and what it answered.
type RecheckedPage struct {
	Address  string
	Status   int
	Outcome  string
	Redirect string
}

// A TrendPoint is one crawl in the course of a site, by the rules of the newest crawl and the
// waivers of today.
type TrendPoint struct {
	Crawl     int
	Started   time.Time
	Ending    string
	Scored    bool
	Health    float64
	HalfWidth float64
	Told      float64 // health as it was told at the time
	Pages     int
	Findings  [3]int       // checks failing on pages, by severity
	Parts     []drift.Part // the largest of the step from the crawl before
	Note      string       // why it is not comparable
}

// Redirect is an address that leads on.
type Redirect struct {
	Address string
	Status  int
	To      string
	LinksIn int
}

// Listed is an address that a sitemap lists.
type Listed struct {
	Address   string
	State     string
	Status    int
	Indexable bool
	Depth     int // −1 if no link leads there
	LinksIn   int
}

// FileRow is a robots.txt or a sitemap as it was read.
type FileRow struct {
	Kind    string
	Address string
	Status  int
	Detail  string
	Bytes   int
}

// A Mention is what somebody was told by others at their work.
type Mention struct {
	ID    int64
	At    time.Time
	Who   string // who told them
	Why   string // ByNote or ByGiving
	Site  string
	Fix   string // the first of the fixes that it is about
	Fixes int    // how many those are
	Line  string // of the first
	Note  string // of the first; "" for none
	Read  *time.Time
}

// Why somebody is told.
const (
	ByNote   = "note"  // a note names them
	ByGiving = "given" // they were given fixes
)
