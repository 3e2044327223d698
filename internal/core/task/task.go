// Package task knows the working states of a fix: which moves a person may make, and what a crawl or
// a recheck makes of a state.
//
//	open ⇄ taken ⇄ claimed          a person moves a fix among these
//	any of them → confirmed         only a crawl or a recheck does, which looked and found it gone
//	confirmed → returned            likewise: it is there again
//	returned → taken, claimed       a person starts over
//	waived                          while a waiver covers all of it; the state below it is kept
package task

import (
	"fmt"
	"slices"
)

// State of a fix.
type State string

const (
	Open      State = "open"
	Taken     State = "taken"     // somebody is on it
	Claimed   State = "claimed"   // said to be fixed
	Confirmed State = "confirmed" // a crawl or a recheck found it gone
	Returned  State = "returned"  // confirmed once, there again
	Waived    State = "waived"    // decided to leave
)

// States are all, in the order in which work goes.
var States = []State{Open, Taken, Claimed, Confirmed, Returned, Waived}

// ParseState reads a name.
func ParseState(s string) (State, error) {
	if slices.Contains(States, State(s)) {
		return State(s), nil
	}
	return "", fmt.Errorf("%q is no state of a fix: open, taken, claimed, confirmed, returned or waived", s)
}

// Move says why a person cannot move a fix from one state to another; nil if they can. To the state
// that it has is fine: the assignee or note may change.
func Move(from, to State) error {
	switch {
	case to == Confirmed:
		return fmt.Errorf("only a recheck or a crawl confirms a repair; claim it, then run a recheck")
	case to == Returned:
		return fmt.Errorf("a fix returns by itself when a crawl or a recheck finds it again")
	case to == Waived:
		return fmt.Errorf("waiving needs a reason and a scope: `harvik waive`")
	case from == Waived:
		return fmt.Errorf("it is waived; end the waiver first")
	case from == Confirmed:
		return fmt.Errorf("it is confirmed to be gone; it returns by itself if a crawl or a recheck finds it again")
	case from == Returned && to == Open:
		return fmt.Errorf("it came back after it was confirmed; take it or claim it")
	}
	return nil
}

// Sight is what a look at the site says of a fix.
type Sight uint8

const (
	There  Sight = iota
	Gone         // everything concerned was looked at, and none of it fails any more
	Unseen       // not everything concerned was looked at, so nobody can tell
)

// After is the state of a fix after a look at the site. A claim made after the look began stands,
// whatever the look saw. Says is what happened, "" for nothing worth telling.
func After(before State, sight Sight, claimedSince bool) (after State, says string) {
	switch sight {
	case Gone:
		if before == Confirmed {
			return Confirmed, ""
		}
		return Confirmed, "gone"
	case Unseen:
		if before == Confirmed {
			return before, ""
		}
		return before, "not seen"
	}
	switch {
	case before == Confirmed:
		return Returned, "there again"
	case before == Claimed && !claimedSince:
		return Taken, "claimed, but still there"
	}
	return before, ""
}
