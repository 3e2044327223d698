package alerts

import (
	"context"
	"errors"
	"slices"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// signs are how all sites stand, read at once.
type signs struct {
	now       time.Time
	watches   []record.Watched
	outages   []record.Outage
	changes   []record.Noticed
	fronts    []record.Front
	schedules []record.Scheduled
}

// Bounds of what is looked at each time.
const (
	mostChanges = 2000
	mostOutages = 5000
	outagesBack = 3 * time.Hour // that are over, which may still be told of
	refusedBack = 24 * time.Hour
)

func (a *Alerts) signs(ctx context.Context) (*signs, error) {
	s := &signs{now: a.now()}
	var errs [5]error
	s.watches, errs[0] = a.store.Watches(ctx, "")
	s.outages, errs[1] = a.store.Outages(ctx, "", 0, s.now.Add(-outagesBack), mostOutages)
	s.changes, errs[2] = a.store.UntoldChanges(ctx, mostChanges)
	s.fronts, errs[3] = a.store.Fronts(ctx, "")
	s.schedules, errs[4] = a.store.Schedules(ctx, "")
	return s, errors.Join(errs[:]...)
}

// of are those of a site.
func (s *signs) of(site record.Site) (out record.AlertSight) {
	for _, w := range s.watches {
		if w.Site != site.Name {
			continue
		}
		one := alert.Address{Name: w.Name, Address: w.Address, Every: w.Every, State: w.State}
		if w.Paused {
			one.State.SlowFor = 0
		}
		if !w.Paused {
			one.Down = downs(s.outages, w.ID, s.now)
		}
		out.Addresses = append(out.Addresses, one)
		if l := w.State.Last; l != nil && !l.Ends.IsZero() {
			certificate(&out, w.Address, l.Ends)
		}
	}
	for _, f := range s.fronts {
		if f.Site == site.Name && f.Now != nil {
			out.Listed = f.Now.Entries()
			if !f.Now.Ends.IsZero() {
				certificate(&out, f.Home, f.Now.Ends)
			}
		}
	}
	for _, c := range s.changes {
		if c.SiteID == site.ID {
			out.Noticed = append(out.Noticed, c.ID)
			out.Different = append(out.Different, alert.Different{At: c.At, Name: c.Name, Change: c.Change})
		}
	}
	for _, c := range s.schedules {
		// One that was left out because another ran is as its schedule wants it.
		if c.Site == site.Name && c.Last != nil && c.Last.Refused && s.now.Sub(c.Last.At) < refusedBack {
			out.Refused = c.Last.Detail
		}
	}
	return out
}

// downs are the outages of a watch as they stand at a time, those that are over for long left out, the oldest first.
// All are the newest first.
func downs(all []record.Outage, watch int64, at time.Time) (out []alert.Down) {
	for _, o := range slices.Backward(all) {
		if o.Watch != watch || o.Planned || o.Began.After(at) || o.Ended != nil && at.Sub(*o.Ended) > outagesBack {
			continue
		}
		d := alert.Down{Began: o.Began, Reason: o.Reason}
		if o.Ended != nil && !o.Ended.After(at) {
			d.Ended = *o.Ended
		}
		out = append(out, d)
	}
	return out
}

// certificate adds the certificate of an address's host; of those of one host the one that ends first counts.
func certificate(out *record.AlertSight, address string, ends time.Time) {
	u, err := weburl.Parse(address)
	if err != nil {
		return
	}
	for i := range out.Certificates {
		if c := &out.Certificates[i]; c.Host == u.Hostname() {
			if ends.Before(c.Ends) {
				c.Ends = ends
			}
			return
		}
	}
	out.Certificates = append(out.Certificates, alert.Ending{Host: u.Hostname(), Ends: ends})
}
