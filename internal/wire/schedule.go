package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/schedule"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// ScheduleFrom is a schedule of a name, as it was sent.
func ScheduleFrom(name string, in *api.Schedule) schedule.Schedule {
	return schedule.Schedule{Name: name, When: in.When, Zone: in.Zone, Hours: in.Hours, Jitter: in.Jitter,
		Overlap: in.Overlap, Plan: in.Plan, Paused: in.Paused}
}

// Scheduled is a schedule, with what came of it.
func Scheduled(in *record.Scheduled) api.Scheduled {
	words := in.When
	if table, err := in.Read(in.Site); err == nil {
		words = table.String()
	}
	return api.Scheduled{Site: in.Site, Name: in.Name, Words: words, Next: value(in.Due), Last: maybe(in.Last, turnout),
		Schedule: api.Schedule{When: in.When, Zone: in.Zone, Hours: in.Hours, Jitter: in.Jitter,
			Overlap: in.OverlapOf(), Plan: in.Plan, Paused: in.Paused}}
}

func turnout(in *record.Turnout) api.Turnout {
	out := api.Turnout{Due: in.Due, At: in.At, Crawl: in.Crawl}
	switch {
	case in.Crawl == 0:
		out.Says = "none begun: " + in.Detail
	case in.Missed > 0:
		out.Says = "in place of " + text.Count(in.Missed+1, "start", "starts") + " while nothing ran"
	}
	return out
}

// Coming is a crawl that a schedule will begin.
func Coming(in *record.Coming) api.Coming {
	return api.Coming{Site: in.Site, Schedule: in.Schedule, Host: in.Host, At: in.At, Until: in.Until,
		Requests: in.Requests}
}
