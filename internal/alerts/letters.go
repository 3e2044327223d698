package alerts

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"harvik/internal/core/text"
	"harvik/internal/record"
)

// A letter tells of so many days, and of so many next things to do at each site.
const (
	letterDays = 7
	mostNext   = 3
)

// letters sends those of ways that are due.
func (a *Alerts) letters(ctx context.Context, ways []record.Way) error {
	now := a.now()
	var failed error
	for _, w := range ways {
		if w.Off || w.Letter == "" || w.Next == nil || w.Next.After(now) {
			continue
		}
		body, err := a.letter(ctx, w, now)
		if err == nil {
			// Who sets the next one sends this one, also where several processes are at it.
			err = a.store.PostLetter(ctx, w, w.NextLetter(now), body)
		}
		failed = errors.Join(failed, err)
	}
	return failed
}

// letter is what the last week brought to the sites of a way, those first to which it brought most.
func (a *Alerts) letter(ctx context.Context, w record.Way, now time.Time) (out record.MessageBody, err error) {
	sites, err := a.store.Sites(ctx)
	if err != nil {
		return out, err
	}
	l := &record.Letter{From: now.AddDate(0, 0, -letterDays), Until: now}
	for _, site := range sites {
		if w.Sites != nil && !slices.Contains(w.Sites, site.Name) {
			continue
		}
		one, err := a.store.Week(ctx, site, l.From, l.Until)
		if err != nil {
			return out, err
		}
		if one.Next, err = a.next(ctx, site, one.Latest); err != nil {
			return out, err
		}
		l.Sites = append(l.Sites, one)
	}
	slices.SortStableFunc(l.Sites, func(x, y record.LetterSite) int { return weight(y) - weight(x) })
	out.Letter, out.Subject = l, letterSubject(l)
	return out, nil
}

// weight is how much there is to tell of a site.
func weight(s record.LetterSite) int {
	n := 3*len(s.Returned) + 2*len(s.Alerts) + 2*len(s.Down) + len(s.Confirmed)
	if s.Health != nil && s.Before != nil && *s.Health < *s.Before {
		n += int(*s.Before - *s.Health)
	}
	return n
}

// next are the next things to do at a site.
func (a *Alerts) next(ctx context.Context, site record.Site, crawl int) (out []record.LetterFix, err error) {
	if crawl == 0 {
		return nil, nil
	}
	rec, err := a.store.Crawl(ctx, site.Name, crawl)
	if err != nil {
		return nil, record.UnlessGone(err)
	}
	list, err := a.store.Fixes(ctx, rec.ID, record.FixQuery{Limit: mostNext})
	for i := range list.Fixes {
		f := &list.Fixes[i]
		out = append(out, record.LetterFix{Line: f.Line, Gain: f.Gain, Pages: f.Pages,
			Link: fmt.Sprintf("/sites/%s/%d/fixes?fix=%s", site.Name, crawl, f.ID)})
	}
	return out, err
}

func letterSubject(l *record.Letter) string {
	if len(l.Sites) == 1 {
		s := l.Sites[0]
		switch {
		case s.Health != nil && s.Before != nil:
			return fmt.Sprintf("%s: the week, health %.1f (%+.1f)", s.Site, *s.Health, *s.Health-*s.Before)
		case s.Health != nil:
			return fmt.Sprintf("%s: the week, health %.1f", s.Site, *s.Health)
		}
		return s.Site + ": the week"
	}
	return "The week at " + text.Count(len(l.Sites), "site", "sites")
}
