package jobs

import (
	"context"
	"errors"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/gear"
	"harvik/internal/judging"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// hanging is a store whose database does not answer those who start crawls until it is let go.
type hanging struct {
	Store
	asked chan int64
	free  chan error
}

func (h *hanging) StartCrawl(_ context.Context, site record.Site, _ plan.Plan, _ int) (record.Crawl, error) {
	h.asked <- site.ID
	return record.Crawl{}, <-h.free
}

func (h *hanging) WaitingFor(context.Context, string) ([]record.Crawl, error) { return nil, nil }

func (h *hanging) Ping(context.Context) error { return nil }

// TestHangingStore: while one start waits for the database, the same site is refused a second crawl, another site's
// start comes as far, what runs can be asked for, and the service can end. Whatever the database says, the place is
// given back.
func TestHangingStore(t *testing.T) {
	h := &hanging{asked: make(chan int64), free: make(chan error)}
	r := New(Parts{Store: h, Gear: gear.New(nil, nil, testkit.Quiet),
		Judge: judging.New(nil, testkit.Catalogue, testkit.Quiet), Disk: Disk{}, Log: testkit.Quiet})
	home := "http://fernhollow.invalid/"
	ended := make(chan error, 3)
	start := func(id int64) {
		_, err := r.Start(t.Context(), record.Site{ID: id, Name: "fernhollow", Home: home}, plan.Plan{}.WithDefaults())
		ended <- err
	}
	go start(1)
	<-h.asked
	if _, err := r.Start(t.Context(), record.Site{ID: 1, Home: home}, plan.Plan{}.WithDefaults()); !errors.Is(err,
		record.ErrRunning) {
		t.Errorf("a second crawl of the site: %v", err)
	}
	go start(2)
	if other := <-h.asked; other != 2 {
		t.Errorf("site %d asks", other)
	}
	if _, _, running := r.Progress(1); running {
		t.Error("a crawl without a number runs")
	}
	if running, err := r.Stop(t.Context(), 1); running || err != nil {
		t.Errorf("stopping what does not run: %v, %v", running, err)
	}
	for _, says := range []error{errors.New("the database went away"), record.ErrExists} {
		h.free <- says
		err := <-ended
		if says == record.ErrExists && !errors.Is(err, record.ErrRunning) || says != record.ErrExists &&
			!errors.Is(err, says) {
			t.Errorf("the database says %v, and it is told as %v", says, err)
		}
	}
	go start(1)
	<-h.asked // the place was given back
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	time.AfterFunc(60*time.Millisecond, func() { h.free <- errors.New("too late") })
	r.Shutdown(ctx)
	if err := <-ended; err == nil || err.Error() != "too late" {
		t.Errorf("a start that the end overtook: %v", err)
	}
	if _, err := r.Start(t.Context(), record.Site{ID: 3, Home: home}, plan.Plan{}.WithDefaults()); !errors.Is(err,
		record.ErrEnding) {
		t.Errorf("a start after the end: %v", err)
	}
}
