package wire

import (
	"fmt"

	"harvik/internal/api"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/task"
	"harvik/internal/record"
)

// Fix is a line of the fix list with the work at it.
func Fix(in *record.FixLine) api.Fix {
	out := fixOf(&in.Fix)
	out.Assignee, out.Due, out.Note, out.Version = in.Assignee, day(value(in.Due)), in.Note, in.Version
	return out
}

func fixOf(in *fixlist.Fix) api.Fix {
	return api.Fix{
		ID: in.ID, Rank: in.Rank, Check: in.Check, Group: in.Group,
		Severity: in.Severity.String(), Kind: string(in.Kind), Line: in.Line,
		Where: in.Where, Target: in.Target, Targets: in.Targets, Value: in.Value, Example: in.Example,
		Cases: in.Cases, Pages: in.Pages, Places: in.Places, Gain: in.Gain, Lost: in.Lost,
		Effort: in.Effort, HealthAfter: in.HealthAfter, State: in.State,
		Waived: in.Waived, Follows: some(in.Follows, follow), Entries: some(in.Entries, fixEntry), Of: in.Of,
	}
}

func fixEntry(in *fixlist.Entry) api.FixEntry {
	return api.FixEntry{
		ID: in.ID, Line: in.Line, Target: in.Target, Value: in.Value, Example: in.Example, Pages: in.Pages,
		Places: in.Places, State: in.State, Version: in.Version,
	}
}

func follow(in *fixlist.Follow) api.Follow {
	return api.Follow{Check: in.Check, Pages: in.Pages}
}

// FixList is a part of a fix list, whose lines are told so.
func FixList(in *record.FixList, line func(*record.FixLine) api.Fix) api.FixList {
	return api.FixList{
		Fixes: Each(in.Fixes, line), Total: in.Total, Findings: in.Findings, Waived: in.Waived, Next: in.Next,
	}
}

// Task is the work at a fix.
func Task(in *record.Task) api.Task {
	return api.Task{
		Fix: in.Fix, Check: in.Check, Line: in.Line, State: string(in.State), Assignee: in.Assignee,
		Due: day(value(in.Due)), Note: in.Note, Seen: in.Seen, Version: in.Version, Changed: in.Changed,
	}
}

// TaskEvent is one entry of a task's history.
func TaskEvent(in *record.TaskEvent) api.TaskEvent {
	return api.TaskEvent{At: in.At, Who: in.Who, State: string(in.State), Says: in.Says, Batch: in.Batch}
}

// Moves is what became of a wish.
func Moves(in *record.Moves) api.Moves {
	return api.Moves{Batch: in.Batch, Moved: Each(in.Moved, Task), Refused: Each(in.Refused, refusedFix)}
}

func refusedFix(in *record.Refused) api.RefusedFix {
	return api.RefusedFix{Fix: in.Fix, Why: in.Why, Task: maybe(in.Task, Task)}
}

// Waiver is a decision to leave something as it is.
func Waiver(in *record.Waiver) api.Waiver {
	return api.Waiver{
		ID: in.ID, Scope: string(in.Scope), Check: in.Check, On: in.On, Reason: in.Reason,
		By: in.By, Created: in.Created, Until: day(value(in.Until)), Ended: value(in.Ended),
		EndedBy: in.EndedBy, Findings: in.Findings, Pages: in.Pages, State: in.State,
		Broken: in.Broken,
	}
}

// Recheck is a look at what some fixes concern.
func Recheck(in *record.Recheck) api.Recheck {
	return api.Recheck{
		Number: in.Number, Crawl: in.Crawl, State: in.State, Detail: in.Detail,
		Phase: in.Phase, Fetched: in.Fetched, Of: in.Of, By: in.By, Started: in.Started, Seconds: in.Seconds,
		Results: Each(in.Results, recheckResult), Health: in.Health, After: in.After, Warnings: in.Warnings,
		Pages: Each(in.Pages, recheckedPage),
	}
}

func recheckResult(in *record.RecheckResult) api.RecheckResult {
	return api.RecheckResult{
		Fix: in.Fix, Line: in.Line, Check: in.Check, Verdict: in.Verdict,
		Says: in.Says, Pages: in.Pages, Looked: in.Looked, Still: in.Still, Missed: in.Missed, Into: in.Into,
		State: string(in.State),
	}
}

func recheckedPage(in *record.RecheckedPage) api.RecheckedPage {
	return api.RecheckedPage{Address: in.Address, Status: in.Status, Outcome: in.Outcome, Redirect: in.Redirect}
}

// WishOf reads what is to be done with fixes.
func WishOf(in *api.Wish, by string) record.Wish {
	return record.Wish{
		Fixes: some(in.Fixes, func(f *api.FixAt) record.FixAt { return record.FixAt{Fix: f.Fix, Version: f.Version} }),
		To:    task.State(in.To), Assignee: in.Assignee, Due: in.Due, Note: in.Note, By: by,
	}
}

// ConditionsOf reads the conditions of a gate; the error names a severity that there is not.
func ConditionsOf(in *api.GateConditions) (gate.Conditions, error) {
	out := gate.Conditions{MinHealth: in.MinHealth, Max: in.Max}
	if in.NoNew != nil {
		out.NoNew = new(check.Severity)
		if err := out.NoNew.UnmarshalText([]byte(*in.NoNew)); err != nil {
			return out, fmt.Errorf("noNew: %w", err)
		}
	}
	return out, nil
}
