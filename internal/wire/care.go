package wire

import (
	"time"

	"harvik/internal/api"
	"harvik/internal/core/care"
)

// CareSite is how a site stands at a time.
func CareSite(in *care.Site, now time.Time) api.CareSite {
	out := api.CareSite{
		Name:      in.Name,
		Home:      in.Home,
		Groups:    List(in.Groups),
		Health:    in.Health,
		Course:    List(in.Course),
		Change:    in.Change,
		Before:    in.Before,
		Cause:     in.Cause,
		Latest:    in.Latest,
		At:        in.At,
		Errors:    in.Errors,
		Lost:      in.Lost,
		Returned:  in.Returned,
		Down:      List(in.Down),
		Alerts:    in.Alerts,
		Urgent:    in.Urgent,
		Next:      in.Next,
		Running:   in.Running,
		State:     in.State,
		Assignees: List(in.Assignees),
	}
	out.Need, _ = in.Need(now)
	if share, ok := in.Available(); ok {
		out.Available = &share
	}
	return out
}
