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
	Fix      string     `db:"fix" json:"fix"`
	Check    string     `db:"check_id" json:"check"`
	Line     string     `db:"line" json:"line"`
	State    task.State `db:"state" json:"state"`
	Assignee string     `db:"assignee" json:"assignee,omitempty"`
	Due      *Day       `db:"due" json:"due,omitempty"`
	Note     string     `db:"note" json:"note,omitempty"`
	Seen     int        `db:"seen" json:"seen"`       // number of the last crawl in whose list it stood
	Version  int        `db:"version" json:"version"` // 0 for a task that nobody has touched
	Changed  time.Time  `db:"changed" json:"changed"`
}

// A TaskEvent is one entry of a task's history.
type TaskEvent struct {
	At    time.Time  `db:"at" json:"at"`
	Who   string     `db:"who" json:"who"`
	State task.State `db:"state" json:"state"`
	Says  string     `db:"says" json:"says"`
	Batch *int64     `db:"batch" json:"batch,omitempty"`
}

// A FixLine is a line of the fix list with the work at it.
type FixLine struct {
	fixlist.Fix
	Assignee string `json:"assignee,omitempty"`
	Due      *Day   `json:"due,omitempty"`
	Note     string `json:"note,omitempty"`
	Version  int    `json:"version"`
}

// A Wish is what is to be done with fixes: what is not named stays.
type Wish struct {
	Fixes    []FixAt    `json:"fixes"`
	To       task.State `json:"to,omitempty"`
	Assignee *string    `json:"assignee,omitempty"`
	Due      *string    `json:"due,omitempty"` // a day; "" for none
	Note     *string    `json:"note,omitempty"`
	By       string     `json:"by,omitempty"` // who says so
}

// FixAt names a fix, and which version of its task the wish was made at: 0 for one that nobody had touched,
// nil for any.
type FixAt struct {
	Fix     string `json:"fix"`
	Version *int   `json:"version,omitempty"`
}

// Moves is what became of a wish.
type Moves struct {
	Batch   int64     `json:"batch,omitempty"` // to undo it by
	Moved   []Task    `json:"moved"`
	Refused []Refused `json:"refused"`
}

// Refused is a fix that stays as it is, and why.
type Refused struct {
	Fix  string `json:"fix"`
	Why  string `json:"why"`
	Task *Task  `json:"task,omitempty"` // as it is now, where somebody else changed it
}

// A Waiver is a decision to leave something as it is.
type Waiver struct {
	ID       int64       `db:"id" json:"id"`
	Scope    waive.Scope `db:"scope" json:"scope"`
	Check    string      `db:"check_id" json:"check,omitempty"`
	On       string      `db:"target" json:"on,omitempty"`
	Reason   string      `db:"reason" json:"reason"`
	By       string      `db:"who" json:"by"`
	Created  time.Time   `db:"created" json:"created"`
	Until    *Day        `db:"until" json:"until,omitempty"` // the last day on which it holds
	Ended    *time.Time  `db:"ended" json:"ended,omitempty"`
	EndedBy  string      `db:"ended_by" json:"endedBy,omitempty"`
	Findings int         `db:"findings" json:"findings"` // that it covers in the newest crawl
	Pages    int         `db:"pages" json:"pages"`
	State    string      `db:"-" json:"state"`            // "holds", "holds, matches nothing", "cannot be read", "expired", "ended"
	Broken   string      `db:"-" json:"broken,omitempty"` // why it cannot be read; it covers nothing then
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
	Name     string    `db:"name" json:"name"`
	Taken    Day       `db:"taken" json:"taken"`
	Kind     string    `db:"kind" json:"kind"` // number, percent or text
	Imported time.Time `db:"imported" json:"imported"`
	Rows     int       `db:"rows" json:"rows"`
}

// An Import is what became of a table of figures.
type Import struct {
	Columns   []figures.Column `json:"columns"`
	Rows      int              `json:"rows"`
	Matched   int              `json:"matched"`   // rows whose page is known
	Unmatched []string         `json:"unmatched"` // addresses that the newest crawl does not have, at most 1,000
	Faults    []figures.Fault  `json:"faults"`    // lines that were left out
}

// A Recheck is a look at what some fixes concern, after a crawl. The crawl stays as it was.
type Recheck struct {
	Number   int             `json:"number"`
	Crawl    int             `json:"crawl"`
	State    string          `json:"state"` // running, done, failed
	Detail   string          `json:"detail,omitempty"`
	Phase    string          `json:"phase,omitempty"` // while it runs
	Fetched  int             `json:"fetched"`         // addresses
	Of       int             `json:"of"`
	By       string          `json:"by"`
	Started  time.Time       `json:"started"`
	Seconds  float64         `json:"seconds"`
	Results  []RecheckResult `json:"results"`
	Health   float64         `json:"health"`             // of the crawl
	After    float64         `json:"after"`              // projected: the crawl with what was seen now in its place
	Warnings []string        `json:"warnings,omitempty"` // what stood in the way
	Pages    []RecheckedPage `json:"pages"`              // that were looked at, at most 500
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
	Fix     string     `json:"fix"`
	Line    string     `json:"line"`
	Check   string     `json:"check"`
	Verdict string     `json:"verdict"`
	Says    string     `json:"says"`            // in a sentence
	Pages   int        `json:"pages"`           // of the fix
	Looked  int        `json:"looked"`          // of these, looked at
	Still   []string   `json:"still,omitempty"` // pages on which it is still there, at most 100
	Missed  []string   `json:"missed,omitempty"`
	Into    []string   `json:"into,omitempty"` // what it changed into
	State   task.State `json:"state"`          // of the fix afterwards
}

// RecheckedPage is one page that was looked at, and what it answered.
type RecheckedPage struct {
	Address  string `json:"address"`
	Status   int    `json:"status"`
	Outcome  string `json:"outcome"`
	Redirect string `json:"redirect,omitempty"`
}

// A TrendPoint is one crawl in the course of a site, by the rules of the newest crawl and the
// waivers of today.
type TrendPoint struct {
	Crawl     int          `json:"crawl"`
	Started   time.Time    `json:"started"`
	Ending    string       `json:"ending"`
	Scored    bool         `json:"scored"`
	Health    float64      `json:"health"`
	HalfWidth float64      `json:"halfWidth,omitempty"`
	Told      float64      `json:"told"` // health as it was told at the time
	Pages     int          `json:"pages"`
	Findings  [3]int       `json:"findings"`        // checks failing on pages, by severity
	Parts     []drift.Part `json:"parts,omitempty"` // the largest of the step from the crawl before
	Note      string       `json:"note,omitempty"`  // why it is not comparable
}

// Redirect is an address that leads on.
type Redirect struct {
	Address string `db:"url"`
	Status  int    `db:"status"`
	To      string `db:"redirect"`
	LinksIn int    `db:"links_in"`
}

// Listed is an address that a sitemap lists.
type Listed struct {
	Address   string `db:"url"`
	State     string `db:"state"`
	Status    int    `db:"status"`
	Indexable bool   `db:"indexable"`
	Depth     int    `db:"depth"` // −1 if no link leads there
	LinksIn   int    `db:"links_in"`
}

// FileRow is a robots.txt or a sitemap as it was read.
type FileRow struct {
	Kind    string `db:"kind"`
	Address string `db:"address"`
	Status  int    `db:"status"`
	Detail  string `db:"detail"`
	Bytes   int    `db:"bytes"`
}
