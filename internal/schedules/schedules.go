// Package schedules has sites crawled when their schedules say, and keeps those crawls to their hours.
package schedules

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/schedule"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// Store is where schedules are kept.
type Store interface {
	Site(ctx context.Context, name string) (record.Site, error)
	Schedules(ctx context.Context, site string) ([]record.Scheduled, error)
	DueSchedules(ctx context.Context, by time.Time) ([]record.Scheduled, error)
	PutSchedule(ctx context.Context, site int64, s schedule.Schedule, due *time.Time) error
	RemoveSchedule(ctx context.Context, site int64, name string) error
	PassOver(ctx context.Context, turn record.Turn) error
	OutOfHours(ctx context.Context) ([]record.Crawl, error)
	Crawls(ctx context.Context, site record.Site, before, limit int) ([]record.Crawl, error)
	Setting(ctx context.Context, name string, into any) error
	Set(ctx context.Context, name string, value any) error
}

// Crawls are begun and put away.
type Crawls interface {
	StartTurn(ctx context.Context, site record.Site, p plan.Plan, turn *record.Turn) (record.Crawl, error)
	Stop(ctx context.Context, id int64) (running bool, err error)
	Defer(ctx context.Context, id int64) (running bool, err error)
	Revive(ctx context.Context, rec record.Crawl) (record.Crawl, error)
}

// Schedules are safe for use from several goroutines.
type Schedules struct {
	store  Store
	crawls Crawls
	known  plan.Known
	now    func() time.Time
	log    *slog.Logger
}

// New makes them; known are the names that plans may use, now is the clock.
func New(s Store, c Crawls, known plan.Known, now func() time.Time, log *slog.Logger) *Schedules {
	return &Schedules{store: s, crawls: c, known: known, now: now, log: log}
}

// held is the setting that no schedule begins anything.
const held = "schedules held"

// HoldSchedules lets no schedule of any site begin anything, or lets them again.
func (s *Schedules) HoldSchedules(ctx context.Context, hold bool) error {
	if err := s.store.Set(ctx, held, hold); err != nil || hold {
		return err
	}
	// What came meanwhile was not missed: somebody wanted it so.
	due, err := s.store.DueSchedules(ctx, s.now())
	if err != nil {
		return err
	}
	for _, one := range due {
		if err := s.passOver(ctx, one, "schedules were held"); err != nil && !errors.Is(err, record.ErrBusy) {
			return err
		}
	}
	return nil
}

// SchedulesHeld tells whether no schedule begins anything.
func (s *Schedules) SchedulesHeld(ctx context.Context) (hold bool, err error) {
	err = s.store.Setting(ctx, held, &hold)
	return hold, err
}

// SetSchedule keeps a schedule of a site, in place of what had its name. The error is plan.Faults where it cannot be
// read.
func (s *Schedules) SetSchedule(ctx context.Context, site record.Site, c schedule.Schedule) error {
	table, err := c.Read(site.Name)
	if err != nil {
		return err
	}
	if _, err := s.planOf(site, c); err != nil {
		return err
	}
	return s.store.PutSchedule(ctx, site.ID, c, dueOf(c, table, s.now()))
}

// planOf is by which plan a schedule crawls.
func (s *Schedules) planOf(site record.Site, c schedule.Schedule) (plan.Plan, error) {
	if c.Plan == "" {
		return site.Plan, nil
	}
	p, err := plan.ReadValid([]byte(c.Plan), site.Plan, s.known)
	var faults plan.Faults
	if errors.As(err, &faults) {
		out := slices.Clone(faults)
		for i := range out {
			out[i].Field = strings.TrimSuffix("plan."+out[i].Field, ".")
		}
		return p, out
	}
	return p, err
}

func dueOf(c schedule.Schedule, table *schedule.Timetable, after time.Time) *time.Time {
	next := table.Next(after)
	if c.Paused || next.IsZero() {
		return nil
	}
	return &next
}

// RemoveSchedule forgets a schedule; record.ErrNotFound where there is none of the name.
func (s *Schedules) RemoveSchedule(ctx context.Context, site record.Site, name string) error {
	return s.store.RemoveSchedule(ctx, site.ID, name)
}

// RunSchedule begins at once what a schedule would, which does not change when it is due; record.ErrNotFound where
// there is none of the name.
func (s *Schedules) RunSchedule(ctx context.Context, site record.Site, name string) (rec record.Crawl, err error) {
	all, err := s.store.Schedules(ctx, site.Name)
	if err != nil {
		return rec, err
	}
	for _, one := range all {
		if one.Name == name {
			p, err := s.planOf(site, one.Schedule)
			if err != nil {
				return rec, err
			}
			return s.crawls.StartTurn(ctx, site, p, nil)
		}
	}
	return rec, record.ErrNotFound
}

// Begin does what is due by the clock: puts crawls away whose hours are over, goes on with those whose hours have come,
// and begins those whose turn it is.
func (s *Schedules) Begin(ctx context.Context) error {
	now := s.now()
	hours := s.keepHours(ctx, now)
	hold, err := s.SchedulesHeld(ctx)
	if err != nil || hold {
		return errors.Join(hours, err)
	}
	due, err := s.store.DueSchedules(ctx, now)
	failed := errors.Join(hours, err)
	for _, one := range due {
		if err := s.begin(ctx, one, now); err != nil {
			failed = errors.Join(failed, fmt.Errorf("schedule %s of %s: %w", one.Name, one.Site, err))
		}
	}
	return failed
}

// keepHours keeps crawls to their hours.
func (s *Schedules) keepHours(ctx context.Context, now time.Time) error {
	crawls, err := s.store.OutOfHours(ctx)
	for _, rec := range crawls {
		hours, bad := rec.Hours.Of()
		open := bad != nil || hours.Open(now)
		switch {
		case !open && rec.State == "running" && rec.Wish == "":
			_, bad = s.crawls.Defer(ctx, rec.ID)
		case open && rec.State == "paused":
			if _, bad = s.crawls.Revive(ctx, rec); errors.Is(bad, record.ErrRunning) {
				bad = nil // in a minute, then
			}
		default:
			continue
		}
		err = errors.Join(err, bad)
	}
	return err
}

// begin begins what is due, or says why not.
func (s *Schedules) begin(ctx context.Context, one record.Scheduled, now time.Time) error {
	site, err := s.store.Site(ctx, one.Site)
	if err != nil {
		return record.UnlessGone(err)
	}
	turn, table, err := s.turnOf(one, now)
	if err != nil {
		return s.passOver(ctx, one, err.Error())
	}
	if !table.Hours().Open(now) { // it comes so late that they are over
		turn.Last.Detail = "it was due while nothing ran, and its hours were over then"
		return unlessTaken(s.store.PassOver(ctx, turn))
	}
	if busy, ok, err := s.running(ctx, site); err != nil {
		return err
	} else if ok {
		switch one.OverlapOf() {
		case schedule.Queue:
			return nil // it stays due
		case schedule.Replace:
			if busy.State != "running" {
				if _, err := s.crawls.Revive(ctx, busy); err != nil {
					return err
				}
			}
			_, err := s.crawls.Stop(ctx, busy.ID) // the minute after it has ended begins the new one
			return err
		}
		turn.Last.Detail = fmt.Sprintf("crawl %d was not over", busy.Number)
		return unlessTaken(s.store.PassOver(ctx, turn))
	}
	p, err := s.planOf(site, one.Schedule)
	if err == nil {
		_, err = s.crawls.StartTurn(ctx, site, p, &turn)
	}
	var refusal *record.Refusal
	var faults plan.Faults
	switch {
	case errors.As(err, &refusal), errors.As(err, &faults):
		s.log.Warn("crawl could not be begun", "site", site.Name, "schedule", one.Name, "reason", err.Error())
		turn.Last.Detail, turn.Last.Refused = err.Error(), true
		return unlessTaken(s.store.PassOver(ctx, turn))
	case errors.Is(err, record.ErrRunning), errors.Is(err, record.ErrDisk):
		return nil // in a minute, then
	case err == nil:
		s.log.Info("crawl begun by its schedule", "site", site.Name, "schedule", one.Name, "missed", turn.Last.Missed)
	}
	return unlessTaken(err)
}

// running is the crawl of a site that is not over: it runs, or waits for its hours.
func (s *Schedules) running(ctx context.Context, site record.Site) (record.Crawl, bool, error) {
	crawls, err := s.store.Crawls(ctx, site, 0, 5)
	for _, rec := range crawls {
		if rec.State == "running" || rec.State == "paused" && rec.Hours.Text != "" {
			return rec, true, err
		}
	}
	return record.Crawl{}, false, err
}

// turnOf is a schedule's turn now.
func (s *Schedules) turnOf(one record.Scheduled, now time.Time) (record.Turn, *schedule.Timetable, error) {
	turn := record.Turn{Schedule: one.ID, Name: one.Name, Due: *one.Due,
		Hours: record.Hours{Text: one.Hours, Zone: cmp.Or(one.Zone, "UTC")}, Last: record.Turnout{Due: *one.Due, At: now}}
	table, err := one.Read(one.Site)
	if err != nil {
		return turn, nil, err
	}
	turn.Next = dueOf(one.Schedule, table, now)
	turn.Last.Missed = table.Missed(*one.Due, now)
	return turn, table, nil
}

// passOver lets a schedule's turn pass.
func (s *Schedules) passOver(ctx context.Context, one record.Scheduled, why string) error {
	turn, _, _ := s.turnOf(one, s.now())
	turn.Last.Detail, turn.Last.Missed = why, 0
	return unlessTaken(s.store.PassOver(ctx, turn))
}

// unlessTaken is nil where another process took the turn.
func unlessTaken(err error) error {
	if errors.Is(err, record.ErrBusy) {
		return nil
	}
	return err
}

// mostComing bounds what is told of one schedule.
const mostComing = 700

// Coming is what schedules of a site, "" for all, will begin within so many days, in order, with what it will ask of
// hosts, by what the site's newest finished crawl did.
func (s *Schedules) Coming(ctx context.Context, site string, days int) ([]record.Coming, error) {
	all, err := s.store.Schedules(ctx, site)
	if err != nil {
		return nil, err
	}
	now := s.now()
	out := []record.Coming{}
	lasts := map[string]record.Progress{}
	for _, one := range all {
		table, err := one.Read(one.Site)
		if err != nil || one.Paused {
			continue
		}
		last, known := lasts[one.Site]
		if !known {
			if last, err = s.lastOf(ctx, one.Site); err != nil {
				return nil, err
			}
			lasts[one.Site] = last
		}
		host := one.Home
		if u, err := weburl.Parse(one.Home); err == nil {
			host = u.Hostname()
		}
		for _, at := range table.Between(now, now.AddDate(0, 0, days), mostComing) {
			out = append(out, record.Coming{Site: one.Site, Schedule: one.Name, Host: host, At: at,
				Until: at.Add(time.Duration(last.Seconds * float64(time.Second))), Requests: last.Fetched})
		}
	}
	slices.SortStableFunc(out, func(a, b record.Coming) int { return a.At.Compare(b.At) })
	return out, nil
}

// lastOf is what the newest finished crawl of a site took.
func (s *Schedules) lastOf(ctx context.Context, name string) (record.Progress, error) {
	site, err := s.store.Site(ctx, name)
	if err != nil {
		return record.Progress{}, record.UnlessGone(err)
	}
	crawls, err := s.store.Crawls(ctx, site, 0, 10)
	for _, rec := range crawls {
		if rec.State == "finished" {
			return rec.Progress, err
		}
	}
	return record.Progress{}, err
}
