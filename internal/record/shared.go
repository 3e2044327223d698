package record

import (
	"errors"
	"fmt"

	"harvik/internal/core/plan"
)

// Errors of what is kept, that callers ask for.
var (
	ErrNotFound = errors.New("not found")
	ErrExists   = errors.New("exists already")
)

// Errors of what cannot be done at the moment.
var (
	ErrRunning = errors.New("a crawl of this site is running")
	ErrEnding  = errors.New("the service is ending")
	ErrBusy    = errors.New("another process is at it")
	ErrLost    = errors.New("another worker has taken the crawl up")
	ErrDisk    = errors.New("the disk is nearly full")
)

// UnlessGone is nil for what was removed meanwhile, ErrNotFound.
func UnlessGone(err error) error {
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	return err
}

// A Refusal says why something cannot be done as things are.
type Refusal struct{ Reason string }

func (r *Refusal) Error() string { return r.Reason }

// Refuse words a Refusal.
func Refuse(format string, args ...any) error { return &Refusal{fmt.Sprintf(format, args...)} }

// A Mistake says what is wrong with what was asked for, however things are.
type Mistake struct{ Reason string }

func (m *Mistake) Error() string { return m.Reason }

// Mistaken words a Mistake.
func Mistaken(format string, args ...any) error { return &Mistake{fmt.Sprintf(format, args...)} }

// A Change is what is to be done with the work at a fix: First is the task where there is none yet. Make gets
// the task as it is and says what it becomes and what happened; an error of it leaves the task as it was.
type Change struct {
	First Task
	Make  func(now Task) (after Task, says string, err error)
}

// ErrNothing is the error of a Change that leaves the task as it is.
var ErrNothing = errors.New("nothing to change")

// A Settling is what a crawl makes of the work at the fixes of its site.
type Settling struct {
	Who     string   // says so
	Seen    []string // fixes that stand in its list
	Changes []Change
}

// A Changed is what became of a Change: the task as it is after it, or the error of its Make.
type Changed struct {
	Task Task
	Err  error
}

// ConflictError says that a task was changed by somebody else meanwhile.
type ConflictError struct{ Now Task }

func (e *ConflictError) Error() string {
	if e.Now.Version == 0 {
		return "nobody has touched it, so it has no such version"
	}
	return fmt.Sprintf("it was changed meanwhile: it is %s since %s", e.Now.State,
		e.Now.Changed.UTC().Format("15:04:05 on 2 January (MST)"))
}

// UnknownFigureError refuses a figure that the site does not have in numbers, with those that it has.
type UnknownFigureError struct {
	Figure string
	Names  []string
}

func (e *UnknownFigureError) Error() string {
	return fmt.Sprintf("there is no figure in numbers %q", e.Figure)
}

// An Unbound is a secret that an earlier Harvik kept, with its site's plan.
type Unbound struct {
	SiteID int64
	Plan   plan.Plan
	Name   string
	Host   string
}

// Trouble is what is the matter with where things are kept.
type Trouble uint8

const (
	NoTrouble Trouble = iota // it failed for another reason, or not at all
	Away                     // it cannot be reached at the moment; the same will work once it can
	Full                     // there is no space on its disk
	Contested                // two did the same at the same moment: one of them can try again
	Unfit                    // it cannot take a value: what a caller got wrong, whatever let it through
)

// A Sealed is a secret as it was stored.
type Sealed struct {
	Host    string  // that it is for
	Network *string // under which it was given; nil for one that an earlier Harvik kept
	Sealed  []byte
}
