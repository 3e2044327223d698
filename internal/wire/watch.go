package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
	"harvik/internal/core/watch"
	"harvik/internal/record"
)

// WatchFrom is a watch of a name, as it was sent.
func WatchFrom(name string, in *api.Watch) watch.Watch {
	return watch.Watch{
		Name:    name,
		Address: in.Address,
		Every:   in.Every,
		Status:  in.Status,
		Must:    in.Must,
		Never:   in.Never,
		Slow:    in.Slow,
		Paused:  in.Paused,
	}
}

// Watched is a watched address, with how it stands; month is how it did in the last 30 days, nil where that is not
// asked.
func Watched(in *record.Watched, month *watch.Course) api.Watched {
	out := api.Watched{Site: in.Site, Name: in.Name, Next: value(in.Due), Down: in.State.Down, Since: in.State.Since,
		Reason: in.State.Reason, Watch: api.Watch{Address: in.Address, Every: in.Every, Status: in.Status,
			Must: in.Must, Never: in.Never, Slow: in.Slow, Paused: in.Paused}}
	if l := in.State.Last; l != nil {
		out.At, out.Status, out.Target, out.Whole = l.At, l.Status, l.Target, l.Timing.Whole
		out.Title, out.Canonical, out.Robots, out.Ends = l.Title, l.Canonical, l.Robots, l.Ends
	}
	if month != nil {
		out.Available, out.Median = available(month), month.Times.Percentile(50)
	}
	return out
}

func available(c *watch.Course) *float64 {
	if share, ok := c.Available(); ok {
		return &share
	}
	return nil
}

// Outage is a time in which a watched address was not to be had.
func Outage(in *record.Outage) api.Outage {
	return api.Outage{
		Site:    in.Site,
		Watch:   in.Name,
		Address: in.Address,
		Began:   in.Began,
		Ended:   value(in.Ended),
		Reason:  in.Reason,
	}
}

// WatchCourse is how a watched address did.
func WatchCourse(w *record.Watched, in *record.Course, changes []record.Noticed) api.WatchCourse {
	out := api.WatchCourse{
		Watched:   Watched(w, nil),
		From:      in.From,
		Until:     in.Until,
		Looks:     in.Whole.Looks,
		Down:      in.Whole.Down,
		Available: available(&in.Whole),
		Median:    in.Whole.Times.Percentile(50),
		P95:       in.Whole.Times.Percentile(95),
		P99:       in.Whole.Times.Percentile(99),
		Bins:      Each(in.Bins, watchBin),
		Outages:   Each(in.Outages, Outage),
		Changes:   Each(changes, Noticed),
		Phases:    []api.WatchPhase{},
	}
	for i, label := range vocabulary.Phases {
		out.Phases = append(out.Phases, api.WatchPhase{Label: label, Median: in.Phases[i]})
	}
	return out
}

func watchBin(in *watch.Course) api.WatchBin {
	return api.WatchBin{At: in.At, Looks: in.Looks, Down: in.Down, Planned: in.Planned, Median: in.Times.Percentile(50),
		Slow: in.Times.Percentile(95)}
}

// mostLines is how many lines of a file that changed are told.
const mostLines = 60

// Noticed is something that was otherwise than before.
func Noticed(in *record.Noticed) api.Noticed {
	out := api.Noticed{
		At:    in.At,
		Watch: in.Name,
		What:  in.What,
		Label: vocabulary.NoticedWord(in.What),
		Was:   in.Was,
		Now:   in.Now,
	}
	if in.What == watch.RobotsTxt {
		gone, added := text.DifferLines(in.Was, in.Now)
		for _, l := range gone {
			out.Lines = append(out.Lines, "− "+l)
		}
		for _, l := range added {
			out.Lines = append(out.Lines, "+ "+l)
		}
		out.Lines = out.Lines[:min(len(out.Lines), mostLines)]
	}
	return out
}

// Front is what a site shows besides its pages.
func Front(in *record.Front, changes []record.Noticed) api.Front {
	out := api.Front{Next: value(in.Due), Changes: Each(changes, Noticed), Sitemaps: []api.FrontSitemap{},
		Addresses: []string{}, Headers: []api.FrontHeader{}}
	now := in.Now
	if now == nil {
		return out
	}
	out.At, out.Robots, out.Ends, out.Issuer = now.At, now.Robots, now.Ends, now.Issuer
	if !now.HasRobots {
		out.NoRobots = now.RobotsSay
	}
	out.Addresses = append(out.Addresses, now.Addresses...)
	for _, s := range now.Sitemaps {
		out.Sitemaps = append(out.Sitemaps, api.FrontSitemap{Address: s.Address, Entries: s.Entries, Fault: s.Fault})
	}
	for _, name := range watch.Kept {
		if v := now.Headers[name]; v != "" {
			out.Headers = append(out.Headers, api.FrontHeader{Name: name, Value: v})
		}
	}
	return out
}

// Maintenance is a time in which a site is worked at.
func Maintenance(in *record.Maintenance) api.Maintenance {
	return api.Maintenance{ID: in.ID, Began: in.Began, Ends: in.Ends, Reason: in.Reason}
}
