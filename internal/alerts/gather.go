package alerts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// gather makes messages of what waits to be told by ways.
func (a *Alerts) gather(ctx context.Context, ways []record.Way) error {
	var failed error
	for _, w := range ways {
		if w.Waiting == 0 || w.Kind == record.ByFeed || w.Off {
			continue // a feed is read, not sent
		}
		waits, err := a.store.Tellings(ctx, w.ID)
		if err == nil {
			if some := due(w, waits, a.now()); len(some) > 0 {
				err = a.store.Decide(ctx, w.ID, some, say)
			}
		}
		failed = errors.Join(failed, err)
	}
	return failed
}

// due are the tellings of a way that may be sent at a time: in its quiet hours, and too soon after the last message,
// what is urgent alone, where that is wanted.
func due(w record.Way, waits []record.Telling, now time.Time) []record.Telling {
	soon := w.Gap > 0 && w.Last != nil && now.Sub(*w.Last) < time.Duration(w.Gap)*time.Minute
	if !quiet(w, now) && !soon {
		return waits
	}
	if !w.Wake {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(waits), func(t record.Telling) bool { return !t.Urgent })
}

// quiet tells of a way's quiet hours.
func quiet(w record.Way, now time.Time) bool {
	hours, err := record.Hours{Text: w.Quiet, Zone: w.Zone}.Of()
	return w.Quiet != "" && err == nil && hours.Open(now)
}

// mostItems is how many things a message tells; of a storm the rest is summed up.
const mostItems = 12

// say words a message about alerts that began, and such that are over.
func say(began, over []record.Alert) (out record.MessageBody, err error) {
	slices.SortStableFunc(began, func(x, y record.Alert) int {
		return cmp.Or(
			cmp.Compare(urgency(y), urgency(x)),
			cmp.Compare(place(x), place(y)),
			strings.Compare(x.Site, y.Site),
		)
	})
	for _, a := range began {
		t := &a.Told
		out.Items = append(
			out.Items,
			record.MessageItem{Alert: a.ID, Site: a.Site, Rule: a.Rule, What: a.What, Says: t.Says,
				Lines: t.Lines, More: t.More, Count: t.Count, First: t.First, Since: a.Began, Link: Link(a)},
		)
	}
	for _, a := range over {
		item := record.MessageItem{
			Alert: a.ID,
			Site:  a.Site,
			Rule:  a.Rule,
			What:  a.What,
			Says:  a.Over,
			Over:  true,
			Since: a.Began,
			Link:  Link(a),
		}
		out.Items = append(out.Items, item)
	}
	out.Subject = subject(out.Items)
	if n := len(out.Items); n > mostItems {
		out.Items, out.More = out.Items[:mostItems], n-mostItems
	}
	return out, nil
}

func urgency(a record.Alert) int {
	if a.Told.Urgent {
		return 1
	}
	return 0
}

func place(a record.Alert) int {
	return slices.IndexFunc(alert.Kinds, func(k alert.Kind) bool { return k.Name == a.What })
}

// Link is the place of the console that shows exactly what an alert tells of.
func Link(a record.Alert) string { return "/sites/" + a.Site + a.Told.Link }

// subject says in a line what a message is about.
func subject(items []record.MessageItem) string {
	var sites []string
	for _, i := range items {
		if !slices.Contains(sites, i.Site) {
			sites = append(sites, i.Site)
		}
	}
	first := items[0]
	says := first.Says
	if first.Over {
		says = "over: " + says
	}
	switch {
	case len(items) == 1:
		return first.Site + ": " + says
	case len(sites) == 1:
		return fmt.Sprintf("%s: %s, and %d more", first.Site, says, len(items)-1)
	}
	return fmt.Sprintf("%s at %s, first: %s: %s", text.Count(len(items), "thing", "things"),
		text.Count(len(sites), "site", "sites"), first.Site, says)
}
