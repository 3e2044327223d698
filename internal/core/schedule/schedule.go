// Package schedule says when a site is crawled by itself. Time is an argument: it has no clock.
package schedule

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
	_ "time/tzdata" // zones, on machines that have none

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/plan"
)

// What becomes of a crawl that is due while another of the site runs.
const (
	Skip    = "skip"    // it is left out
	Queue   = "queue"   // it begins when the other has ended
	Replace = "replace" // the other is stopped, judged by what it has, and this one begins
)

// Overlaps are all of them.
var Overlaps = []string{Skip, Queue, Replace}

// A Schedule says when a site is crawled, and how that crawl differs from its plan.
type Schedule struct {
	Name    string
	When    string // "daily 03:00", …; see Forms
	Zone    string // of the IANA database, such as Europe/Berlin; "" for UTC
	Hours   string // "22:00-06:00": when it may run; "" for any time
	Jitter  int    // minutes at most by which a start is put off, so that not all begin at once
	Overlap string // Skip (or ""), Queue or Replace
	Plan    string // settings that differ from the site's plan, in YAML; "" for none
	Paused  bool
}

// Forms are how When is written, with an example each.
var Forms = [][2]string{
	{"daily 03:00", "every day"},
	{"weekdays 03:00", "Monday to Friday"},
	{"mon,thu 03:00", "on these days of the week"},
	{"monthly 1 03:00", "on this day of the month; on its last day where it has no such day"},
	{"monthly last 03:00", "on the last day of the month"},
	{"0 3 * * 1-5", "cron: minute, hour, day of the month, month, day of the week"},
}

// A Timetable is a schedule that was read. The zero value never comes.
type Timetable struct {
	zone   *time.Location
	step   stepper
	hours  Hours
	jitter time.Duration
	seed   string
	words  string
}

// A stepper tells the next wall-clock time after another, both written as if they were UTC; the zero time for never.
type stepper interface {
	Next(wall time.Time) time.Time
}

// closest is how near to each other two starts may be. What is to be known sooner is a watch's work.
const closest = 15 * time.Minute

// Read makes sense of a schedule of a site. The error is plan.Faults.
func (s *Schedule) Read(site string) (*Timetable, error) {
	t := &Timetable{zone: time.UTC, seed: site + "\x00" + s.Name}
	var faults plan.Faults
	add := func(field string, err error) {
		if err != nil {
			faults = append(faults, plan.Fault{Field: field, Reason: err.Error()})
		}
	}
	var err error
	t.step, t.words, err = readWhen(s.When)
	add("when", err)
	if s.Zone != "" {
		zone, err := zoneNamed(s.Zone)
		add("zone", err)
		if err == nil {
			t.zone = zone
		}
	}
	t.hours, err = ReadHours(s.Hours, t.zone)
	add("hours", err)
	if s.Jitter < 0 || s.Jitter > 12*60 {
		add("jitter", fmt.Errorf("a start is put off by 0 to 720 minutes, not by %d", s.Jitter))
	}
	t.jitter = time.Duration(s.Jitter) * time.Minute
	if s.Overlap != "" && !slices.Contains(Overlaps, s.Overlap) {
		add("overlap", fmt.Errorf("%q is none of %s", s.Overlap, strings.Join(Overlaps, ", ")))
	}
	if faults == nil {
		faults = t.examine()
	}
	if faults != nil {
		return nil, faults
	}
	return t, nil
}

// examine looks at what the parts come to together.
func (t *Timetable) examine() plan.Faults {
	at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	inside, last := false, time.Time{}
	least := time.Duration(-1)
	for range 400 {
		next := t.base(at)
		if next.IsZero() {
			break
		}
		if !last.IsZero() && (least < 0 || next.Sub(last) < least) {
			least = next.Sub(last)
		}
		inside = inside || t.hours.Open(next)
		at, last = next, next
	}
	switch {
	case last.IsZero():
		return plan.Faults{{Field: "when", Reason: "there is no such day: it would never come"}}
	case !inside:
		return plan.Faults{{Field: "when", Reason: fmt.Sprintf("it would begin outside of its hours, %s", t.hours)}}
	case least >= 0 && least < closest:
		return plan.Faults{{Field: "when", Reason: fmt.Sprintf(
			"starts are at least %d minutes apart; a watch looks at single addresses more often", closest/time.Minute)}}
	case least >= 0 && least <= t.jitter:
		return plan.Faults{{Field: "jitter", Reason: fmt.Sprintf(
			"a start may be put off by less than the %s to the next one", spoken(least))}}
	}
	return nil
}

// Next is when the schedule comes first after a time; the zero time for never. Where that would be outside of its
// hours, it comes when they begin.
func (t *Timetable) Next(after time.Time) time.Time {
	for base := t.base(after.Add(-t.jitter - 24*time.Hour)); !base.IsZero(); base = t.base(base) {
		if at := t.put(base); at.After(after) {
			return at
		}
	}
	return time.Time{}
}

// put is when a crawl begins that is due at a time.
func (t *Timetable) put(base time.Time) time.Time {
	if !t.hours.Open(base) {
		return t.hours.Opens(base)
	}
	if t.jitter == 0 {
		return base
	}
	h := xxhash.Sum64String(fmt.Sprintf("%s\x00%d", t.seed, base.Unix()))
	at := base.Add(time.Duration(h%uint64(t.jitter/time.Second+1)) * time.Second)
	if !t.hours.Open(at) {
		return base
	}
	return at
}

// Between are the times after one and up to another at which it comes, at most so many.
func (t *Timetable) Between(after, until time.Time, most int) (out []time.Time) {
	for at := t.Next(after); !at.IsZero() && !at.After(until) && len(out) < most; at = t.Next(at) {
		out = append(out, at)
	}
	return out
}

// Hours are when its crawls may run.
func (t *Timetable) Hours() Hours { return t.hours }

// Zone is where its clock hangs.
func (t *Timetable) Zone() *time.Location { return t.zone }

// String says it as people do: "every day at 03:00 (Europe/Berlin)".
func (t *Timetable) String() string { return fmt.Sprintf("%s (%s)", t.words, t.zone) }

// base is when it is due next by its clock. An hour that summer time leaves out is as much later; in one that comes
// twice, the first counts.
func (t *Timetable) base(after time.Time) time.Time {
	local := after.In(t.zone)
	wall := time.Date(
		local.Year(),
		local.Month(),
		local.Day(),
		local.Hour(),
		local.Minute(),
		local.Second(),
		0,
		time.UTC,
	)
	for range 1000 {
		if wall = t.step.Next(wall); wall.IsZero() {
			break
		}
		if at := instant(wall, t.zone); at.After(after) {
			return at
		}
	}
	return time.Time{}
}

// instant is when clocks of a zone show a time, which is written as if it were UTC.
func instant(wall time.Time, zone *time.Location) time.Time {
	offset := func(at time.Time) time.Duration {
		_, seconds := at.In(zone).Zone()
		return time.Duration(seconds) * time.Second
	}
	before, after := offset(wall.Add(-36*time.Hour)), offset(wall.Add(36*time.Hour))
	first, second := wall.Add(-before), wall.Add(-after)
	if offset(first) != before && offset(second) == after {
		return second
	}
	return first
}

// zoneNamed is a zone of the IANA database.
func zoneNamed(name string) (*time.Location, error) {
	zone, err := time.LoadLocation(name)
	if err != nil || strings.EqualFold(name, "local") {
		return nil, fmt.Errorf("%q is no time zone; write one such as Europe/Berlin, or UTC", name)
	}
	return zone, nil
}

// spoken is a time as people say it.
func spoken(d time.Duration) string {
	if d%time.Hour == 0 {
		return fmt.Sprintf("%d h", d/time.Hour)
	}
	return fmt.Sprintf("%d min", d/time.Minute)
}

// Missed is how often it came after one time and up to another, one of them being the one that is begun now.
func (t *Timetable) Missed(due, now time.Time) int { return len(t.Between(due, now, 1000)) }

// OverlapOf is what it does, with the default filled in.
func (s *Schedule) OverlapOf() string { return cmp.Or(s.Overlap, Skip) }
