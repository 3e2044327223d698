package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/survey"
	"harvik/internal/core/vocabulary"
	"harvik/internal/record"
)

// Crawl is one run over a site.
func Crawl(in *record.Crawl) api.Crawl {
	return api.Crawl{
		Site: in.Site, Home: in.Home, Number: in.Number, State: in.State, Marked: in.Marked,
		Schedule: in.Schedule, Hours: in.Hours.Text,
		Ending: in.Ending, Detail: in.Detail, Plan: in.Plan.WithDefaults(),
		Started: in.Started, Finished: value(in.Finished), Catalogue: in.Catalogue,
		Progress: Progress(&in.Progress), Report: maybe(in.Report, report), Probes: maybe(in.Probes, probes),
		Traps: some(in.Traps, trap),
	}
}

// Progress is how far a crawl is.
func Progress(in *record.Progress) api.Progress {
	return api.Progress{
		Phase: in.Phase, Lane: in.Lane, Fetched: in.Fetched,
		Pages: in.Pages, Resources: in.Resources, Waiting: in.Waiting, Later: in.Later, Known: in.Known,
		Beyond: in.Beyond, Failures: in.Failures, Findings: in.Findings, Retries: in.Retries,
		Bytes: in.Bytes, Rate: in.Rate, Seconds: in.Seconds, Left: in.Left, Statuses: counts(in.Statuses),
		States: in.States, Types: in.Types, Depths: depths(in.Depths), Sections: in.Sections,
		Last: in.Last, Errors: some(in.Errors, fetchError), Pace: maybe(in.Pace, pace),
	}
}

func pace(in *record.Pace) api.Pace {
	return api.Pace{
		Parallel: in.Parallel, Of: in.Of, Gap: in.Gap, Waits: in.Waits, Reason: in.Reason, Crawls: in.Crawls,
	}
}

func fetchError(in *record.FetchError) api.FetchError {
	return api.FetchError{Address: in.Address, What: in.What, Detail: in.Detail}
}

func report(in *record.Summary) api.Report {
	return api.Report{
		Health: in.Health, Scored: in.Scored, Unwaived: in.Unwaived, Waived: in.Waived,
		HalfWidth: in.HalfWidth, Assessed: in.Assessed, Expected: in.Expected, Documents: in.Documents,
		Closed: in.Closed, Unfound: in.Unfound, Ledger: Each(in.Ledger, ledgerLine), Fixes: in.Fixes,
		Findings: in.Findings,
	}
}

func ledgerLine(in *fixlist.LedgerLine) api.LedgerLine {
	return api.LedgerLine{
		Check: in.Check, Group: in.Group, Severity: in.Severity.String(), Points: in.Points,
		Pages: in.Pages, Places: in.Places,
	}
}

func probes(in *survey.Probes) api.Probes {
	return api.Probes{
		Doors: Each(in.Doors, probe), Missing: some(in.Missing, probe), Favicon: maybe(in.Favicon, probe),
		Certificate: maybe(in.Certificate, certificate), Browser: maybe(in.Browser, probe),
		Open: some(in.Open, probe), Root: maybe(in.Root, probe), Numeric: maybe(in.Numeric, probe),
	}
}

func probe(in *survey.Probe) api.Probe {
	return api.Probe{
		Address: in.Address, Status: in.Status, Detail: in.Detail, Hops: in.Hops, Type: in.Type,
		Title: in.Title, Words: in.Words,
	}
}

func certificate(in *survey.Certificate) api.Certificate {
	return api.Certificate{
		Names: List(in.Names), Issuer: in.Issuer, From: in.From, Until: in.Until, Days: in.Days,
		Version: in.Version, Cipher: in.Cipher, Protocol: in.Protocol, Weak: in.Weak, Old: in.Old,
	}
}

func trap(in *survey.Trap) api.Trap {
	return api.Trap{
		Pattern: in.Pattern, Example: in.Example, Kind: in.Kind, Fetched: in.Fetched,
		Left: in.Left,
	}
}

// Tallies is the counts of a crawl's overview.
func Tallies(in *record.Tallies) api.Tallies {
	return api.Tallies{
		States: Each(in.States, tally), Statuses: Each(in.Statuses, tally), Depths: Each(in.Depths, tally),
		Kinds: Each(in.Kinds, tally), Roles: Each(in.Roles, tally),
	}
}

func tally(in *record.Tally) api.Tally {
	return api.Tally{Name: in.Name, Count: in.Count}
}

// Layout is a set of pages built from one template.
func Layout(in *record.LayoutRow) api.Layout {
	return api.Layout{
		Layout: in.Layout, Name: in.Name, Pages: in.Pages, Example: in.Example, Health: in.Health,
		Errors: in.Errors,
	}
}

// TrendPoint is one crawl in the course of a site.
func TrendPoint(in *record.TrendPoint) api.TrendPoint {
	return api.TrendPoint{
		Crawl: in.Crawl, Started: in.Started, Ending: in.Ending, Scored: in.Scored, Health: in.Health,
		HalfWidth: in.HalfWidth, Told: in.Told, Pages: in.Pages, Findings: in.Findings[:],
		Parts: some(in.Parts, stepPart), Note: in.Note,
	}
}

// GateVerdict is whether a crawl passes, and why.
func GateVerdict(in *gate.Verdict) api.GateVerdict {
	return api.GateVerdict{Passed: in.Passed, Health: in.Health, Reasons: Each(in.Reasons, gateReason)}
}

func gateReason(in *gate.Reason) api.GateReason {
	return api.GateReason{Name: in.Name, Passed: in.Passed, Says: in.Says, Fixes: in.Fixes}
}

// MapSection is a row of the map.
func MapSection(in *fixlist.SectionRow) api.MapSection {
	return api.MapSection{Section: in.Section, Pages: in.Pages, Health: in.Health}
}

// MapCell is a cell of the map.
func MapCell(in *fixlist.MapCell) api.MapCell {
	return api.MapCell{Section: in.Section, Group: in.Group, Findings: in.Findings[:]}
}

// Drift is what changed between two crawls.
func Drift(in *drift.Comparison) api.Drift {
	return api.Drift{
		New: Each(in.New, fixOf), Returned: Each(in.Returned, fixOf), Gone: Each(in.Gone, fixOf),
		Still: in.Still, Became: Each(in.Became, became), Unseen: Each(in.Unseen, fixOf),
		Findings: driftFindings(&in.Findings), Appeared: Each(in.Appeared, seenAddress),
		Vanished: Each(in.Vanished, seenAddress), Moved: Each(in.Moved, movedPage),
		NotSeen: Each(in.NotSeen, seenAddress), Changes: Each(in.Changes, pageChange),
		Files: Each(in.Files, fileChange), Step: driftStep(&in.Step), Notes: List(in.Notes),
	}
}

func driftFindings(in *drift.Findings) api.DriftFindings {
	return api.DriftFindings{New: in.New, Gone: in.Gone, Still: in.Still, Checks: Each(in.Checks, checkChange)}
}

func checkChange(in *drift.CheckChange) api.CheckChange {
	return api.CheckChange{Check: in.Check, New: in.New, Gone: in.Gone, NewOn: List(in.NewOn), GoneOn: List(in.GoneOn)}
}

func became(in *drift.Became) api.Became {
	return api.Became{Fix: fixOf(&in.Fix), Still: in.Still}
}

func seenAddress(in *drift.Seen) api.SeenAddress {
	return api.SeenAddress{Address: in.Address, Why: in.Why}
}

func movedPage(in *drift.Moved) api.MovedPage {
	return api.MovedPage{From: in.From, To: in.To, How: in.How}
}

func pageChange(in *drift.Change) api.PageChange {
	return api.PageChange{Address: in.Address, What: in.What, Before: in.Before, After: in.After}
}

func fileChange(in *drift.FileChange) api.FileChange {
	return api.FileChange{Kind: in.Kind, Address: in.Address, Gone: List(in.Gone), New: List(in.New)}
}

func driftStep(in *drift.Step) api.DriftStep {
	return api.DriftStep{Before: in.Before, After: in.After, Parts: Each(in.Parts, stepPart)}
}

func stepPart(in *drift.Part) api.StepPart {
	return api.StepPart{
		Says: vocabulary.Part(in),
		By:   in.By, Fix: in.Fix, Check: in.Check, Line: in.Line, Pages: in.Pages,
		Points: in.Points, Shown: in.Shown,
	}
}

// Trial is a crawl judged by other rules; title says what a check looks for.
func Trial(in *record.Trial, title func(check string) string) api.Trial {
	verdict := func(v record.TrialSide) api.TrialSide {
		return api.TrialSide{Health: v.Health, Scored: v.Scored, Fixes: v.Fixes, Findings: v.Findings}
	}
	return api.Trial{Was: verdict(in.Was), Now: verdict(in.Now), Checks: Each(in.Checks,
		func(c *record.TrialCheck) api.TrialCheck {
			return api.TrialCheck{Check: c.Check, Title: title(c.Check), Was: failing(c.Was), Now: failing(c.Now)}
		})}
}

func failing(in record.Failing) api.Failing {
	return api.Failing{Points: in.Points, Pages: in.Pages, Places: in.Places}
}
