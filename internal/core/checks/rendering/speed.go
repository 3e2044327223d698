package rendering

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// seconds are milliseconds as people read them.
func seconds(ms float64) string { return fmt.Sprintf("%.1f s", ms/1000) }

// worst is the device on which a measure is worst, where it is of a grade there: what is poor on one device is told as
// poor, and once.
func worst(
	o devices,
	of func(*rendered.Speed) float64,
	bounds rendered.Bounds,
	grade rendered.Grade,
) (p *rendered.Page) {
	for i := range o {
		if o[i].Found() && (p == nil || of(&o[i].Speed) > of(&p.Speed)) {
			p = &o[i]
		}
	}
	if p == nil || bounds.Grade(of(&p.Speed)) != grade {
		return nil
	}
	return p
}

func paint(grade rendered.Grade) func(o devices) []check.Place {
	return func(o devices) []check.Place {
		p := worst(o, func(s *rendered.Speed) float64 { return s.LargestAt }, rendered.LargestBounds, grade)
		if p == nil {
			return nil
		}
		return []check.Place{{Note: fmt.Sprintf("painted after %s on a %s: %s", seconds(p.Speed.LargestAt), as(p),
			p.Speed.Largest), At: p.Speed.Largest}}
	}
}

// as is the device as it was measured.
func as(p *rendered.Page) string {
	if p.Speed.Throttled {
		return "slow " + p.Device
	}
	return p.Device
}

func shift(grade rendered.Grade) func(o devices) []check.Place {
	return func(o devices) []check.Place {
		p := worst(o, func(s *rendered.Speed) float64 { return s.Shift }, rendered.ShiftBounds, grade)
		if p == nil {
			return nil
		}
		place := check.Place{Note: fmt.Sprintf("moves by %.2f on a %s", p.Speed.Shift, p.Device)}
		if len(p.Speed.Shifts) > 0 {
			place.At = p.Speed.Shifts[0].Element
			place.Note += ", most of all " + place.At
		}
		return []check.Place{place}
	}
}

func blocked(grade rendered.Grade) func(o devices) []check.Place {
	return func(o devices) []check.Place {
		p := worst(o, func(s *rendered.Speed) float64 { return s.Blocked }, rendered.BlockedBounds, grade)
		if p == nil {
			return nil
		}
		return []check.Place{{Note: fmt.Sprintf("does not answer for %.0f ms on a %s", p.Speed.Blocked, as(p))}}
	}
}

// unused makes a check of files of one kind that pages load for more than they use.
func unused(id, kind, noun, what, how string) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Hours,
		Title:  "most of a " + noun + " goes unused", Line: "Most of the " + noun + " {target} goes unused",
		What: fmt.Sprintf(
			"At least half of a %s, and 30 kB of what is transferred, are %s until the page is done.",
			noun,
			what,
		) + lab,
		Why: "Visitors load, and their phones read, what the page does not need.",
		How: how, Source: "",
		Rendering: func(o devices) (out []check.Place) {
			seen := map[string]bool{}
			for i := range o {
				for _, u := range o[i].Unused {
					if u.Kind != kind || u.Spare < leastUnused || 2*u.Spare < u.Bytes || seen[u.Address] {
						continue
					}
					seen[u.Address] = true
					out = append(out, check.Place{Note: fmt.Sprintf("of %s kB about %s are not used on a %s",
						text.Thousands(u.Bytes/1000), text.Thousands(u.Spare/1000), o[i].Device), Target: u.Address})
				}
			}
			return out
		},
	}
}

// leastUnused is how many bytes are worth a file of their own.
const leastUnused = 30_000

func tapped(o devices) (out []check.Place) {
	for i := range o {
		for _, t := range o[i].Taps {
			if rendered.TapBounds.Grade(t.Took) != rendered.Good {
				out = append(
					out,
					check.Place{Note: fmt.Sprintf("answers after %.0f ms on a %s", t.Took, as(&o[i])), At: t.Element},
				)
			}
		}
		if len(out) > 0 {
			return out
		}
	}
	return nil
}

func holds(o devices) (out []check.Place) {
	for i := range o {
		if !o[i].Found() {
			continue
		}
		for _, t := range o[i].Speed.Tasks {
			if t.Blocked > 150 && strings.Contains(t.By, "://") {
				note := fmt.Sprintf("for %.0f ms on a %s", t.Blocked, as(&o[i]))
				if at, err := weburl.Parse(t.By); err == nil && isOthers(&o[i], at.Host()) {
					note += ", and comes from another site"
				}
				out = append(out, check.Place{Note: note, Target: t.By})
			}
		}
		if len(out) > 0 {
			return out
		}
	}
	return nil
}

// isOthers tells a host that is not the site's own.
func isOthers(p *rendered.Page, host string) bool {
	return slices.ContainsFunc(p.Hosts, func(h rendered.Host) bool { return h.Name == host })
}
