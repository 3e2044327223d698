package jobs

import (
	"context"
	"errors"
	"testing"

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

func (h *hanging) StartTurn(
	_ context.Context,
	site record.Site,
	_ plan.Plan,
	_ int,
	_ *record.Turn,
) (record.Crawl, error) {
	h.asked <- site.ID
	return record.Crawl{}, <-h.free
}

func (h *hanging) WaitingFor(context.Context, string) ([]record.Crawl, error) { return nil, nil }

func (h *hanging) Ping(context.Context) error { return nil }

// TestHangingStore: while one start waits for the database, another site's start comes as far, what runs can be asked
// for, and the service can end. What the database says is told.
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
	go start(2)
	if other := <-h.asked; other != 2 {
		t.Errorf("site %d asks", other)
	}
	if _, _, running := r.Progress(1); running {
		t.Error("a crawl without a number runs")
	}
	for _, says := range []error{errors.New("the database went away"), record.ErrExists} {
		h.free <- says
		err := <-ended
		if says == record.ErrExists && !errors.Is(err, record.ErrRunning) || says != record.ErrExists &&
			!errors.Is(err, says) {
			t.Errorf("the database says %v, and it is told as %v", says, err)
		}
	}
	r.Shutdown(t.Context())
	if _, err := r.Start(t.Context(), record.Site{ID: 3, Home: home}, plan.Plan{}.WithDefaults()); !errors.Is(err,
		record.ErrEnding) {
		t.Errorf("a start after the end: %v", err)
	}
}
