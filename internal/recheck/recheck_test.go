package recheck

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/booking"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	"harvik/internal/decide"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// bare is a store that has no crawl, and one recheck at most.
type bare struct {
	Store
	rec     record.Recheck
	try     int
	trouble record.Trouble
	err     error // of reading the crawl
}

func (b *bare) Crawl(context.Context, string, int) (record.Crawl, error) {
	return record.Crawl{}, record.ErrNotFound
}

func (b *bare) CrawlOf(context.Context, int64) (record.Crawl, error) { return record.Crawl{}, b.err }

func (b *bare) TakeRecheck(_ context.Context, _ int64, number, try int) (record.Recheck, error) {
	if number != b.rec.Number || b.rec.State != "running" || try < b.try {
		return record.Recheck{}, record.ErrLost
	}
	b.try = try
	return b.rec, nil
}

func (b *bare) SaveRecheck(_ context.Context, _ int64, r *record.Recheck, try int) error {
	if try != b.try {
		return record.ErrLost
	}
	b.rec = *r
	return nil
}

func (b *bare) Trouble(err error) record.Trouble {
	if err != nil {
		return b.trouble
	}
	return 0
}

type undecided struct{}

func (undecided) Weights(context.Context, record.Site) (*decide.Weights, error) {
	return nil, errors.New("nothing is decided")
}

// TestDo: a recheck that fails says so; one that the database, or the end of the process, keeps from it is done again;
// one that has ended, or that somebody else is at, is left alone.
func TestDo(t *testing.T) {
	away := errors.New("the database went away")
	for name, one := range map[string]struct {
		b      bare
		ending bool
		again  bool
		state  string
		try    int
	}{
		"fails":             {b: bare{err: errors.New("no such crawl")}, state: "failed", try: 1},
		"database away":     {b: bare{err: away, trouble: record.Away}, again: true, state: "running", try: 1},
		"process ends":      {b: bare{err: context.Canceled}, ending: true, again: true, state: "running", try: 1},
		"somebody is at it": {b: bare{err: away, try: 3}, state: "running", try: 2},
	} {
		b := &one.b
		b.rec = record.Recheck{Number: 4, State: "running", Started: time.Now()}
		r := New(b, testkit.Catalogue, nil, undecided{}, nil, func() error { return nil }, testkit.Quiet)
		ctx, cancel := context.WithCancelCause(t.Context())
		if one.ending {
			cancel(record.ErrEnding)
		}
		err := r.Do(ctx, 1, 4, one.try)
		if (err != nil) != one.again || b.rec.State != one.state {
			t.Errorf("%s: %v; it is %s", name, err, b.rec.State)
		}
		if err := r.Do(ctx, 1, 5, 1); err != nil {
			t.Errorf("%s: what is not there: %v", name, err)
		}
		cancel(nil)
	}
}

// TestWithout refuses rechecks of sites without crawls, and passes on that there is no room.
func TestWithout(t *testing.T) {
	r := New(&bare{}, testkit.Catalogue, nil, undecided{}, nil, func() error { return nil }, testkit.Quiet)
	if _, err := r.Recheck(t.Context(), record.Site{}, []string{"x"}, "ash"); err == nil ||
		!strings.Contains(err.Error(), "nothing to look at again") {
		t.Errorf("without a crawl: %v", err)
	}
	full := New(&bare{}, testkit.Catalogue, nil, undecided{}, nil, func() error { return record.ErrDisk },
		testkit.Quiet)
	if _, err := full.Recheck(t.Context(), record.Site{}, []string{"x"}, "ash"); !errors.Is(err, record.ErrDisk) {
		t.Errorf("without room: %v", err)
	}
}

// TestSeenNow says of a fix that it is still there, or gone, by what was seen now alone: a site that lets nobody in,
// fails or does not answer shows neither.
func TestSeenNow(t *testing.T) {
	home := "http://" + testkit.Serve(t, &testkit.Generated{Pages: 6, Seed: 2}) + "/"
	first, memory := testkit.Crawl(t, home, plan.Plan{Probes: plan.No()})
	fix := &first.Report.Fixes[0]
	pages := first.Sheet.Addresses(fix)
	fresh := func(status int) map[string]*booking.Record {
		out := map[string]*booking.Record{}
		for i := range memory.Records {
			one := memory.Records[i]
			facts := *one.Facts
			facts.Status = status
			one.Facts = &facts
			out[facts.Address] = &one
		}
		return out
	}
	mended := first.Sheet.Trial(func(string, int32) bool { return true }, nil)
	for name, one := range map[string]struct {
		sheet   *fixlist.Sheet
		records map[string]*booking.Record
		want    task.Sight
	}{
		"failing as before":      {first.Sheet, fresh(200), task.There},
		"mended":                 {mended, fresh(200), task.Gone},
		"not let in":             {first.Sheet, map[string]*booking.Record{}, task.Unseen},
		"mended, but refused":    {mended, fresh(403), task.Unseen},
		"no answer":              {mended, fresh(0), task.Unseen},
		"out of order":           {mended, fresh(503), task.Unseen},
		"failing by its answer":  {first.Sheet, fresh(503), task.There}, // as where the fault is that it does
		"failing by its silence": {first.Sheet, fresh(0), task.There},
	} {
		l := &looking{
			of: &Rechecks{}, checks: testkit.Catalogue, records: one.records,
			members: map[string][]string{fix.ID: pages},
			sampled: map[string]bool{}, lines: map[string]bool{fix.ID: true},
		}
		l.seen = drift.NewSight(one.sheet, nil, l.isShown, l.listed)
		sight, still, missed := l.sight(fix)
		if sight != one.want || (sight == task.There) != (len(still) == len(pages)) ||
			(sight == task.Unseen) != (len(missed) == len(pages)) {
			t.Errorf("%s: %d, still on %d, missed %d of %d", name, sight, len(still), len(missed), len(pages))
		}
	}
}

// TestSample takes the first, the last and others evenly of what one change mends, and all of what it does not.
func TestSample(t *testing.T) {
	var all []string
	for i := range 100 {
		all = append(all, strings.Repeat("x", i))
	}
	l := &looking{members: map[string][]string{"layout": all, "alone": all}, sampled: map[string]bool{"layout": true}}
	some := l.sample(&fixlist.Fix{ID: "layout"})
	if len(some) != sampleSize || some[0] != all[0] || some[sampleSize-1] != all[99] || len(some[6])-len(some[5]) != 9 {
		t.Errorf("a sample of %d: %d first, %d last", len(some), len(some[0]), len(some[len(some)-1]))
	}
	if got := l.sample(&fixlist.Fix{ID: "alone"}); len(got) != 100 {
		t.Errorf("%d of 100 pages that are mended one by one", len(got))
	}
	for _, one := range []struct {
		fix fixlist.Fix
		is  bool
	}{
		{fixlist.Fix{Kind: fixlist.Layout}, true}, {fixlist.Fix{Kind: fixlist.Section}, true},
		{fixlist.Fix{Kind: fixlist.Pages}, false},
		{fixlist.Fix{Kind: fixlist.Target, Where: "in the layout of 412 pages, footer"}, true},
		{fixlist.Fix{Kind: fixlist.Target, Where: "on 3 pages"}, false},
	} {
		if isOfTemplate(&one.fix) != one.is {
			t.Errorf("%s %q is of a template: %v", one.fix.Kind, one.fix.Where, !one.is)
		}
	}
}
