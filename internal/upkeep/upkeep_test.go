package upkeep

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

// TestAttend does at once what came before, then what is asked for, what midnight brings, and again what failed or
// panicked, after longer and longer pauses that end with the trouble.
func TestAttend(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var mu sync.Mutex
		done, trouble := 0, func() error { return nil }
		now := func(next func() error) {
			mu.Lock()
			defer mu.Unlock()
			trouble = next
		}
		var log bytes.Buffer
		c := New("the beds could not be weeded", func(context.Context) error {
			mu.Lock()
			defer mu.Unlock()
			done++
			return trouble()
		}, slog.New(slog.NewTextHandler(&log, nil)))
		ctx, cancel := context.WithCancel(t.Context())
		ended := make(chan struct{})
		go func() {
			c.Attend(ctx)
			close(ended)
		}()
		after := func(d time.Duration, want int) {
			t.Helper()
			time.Sleep(d)
			synctest.Wait()
			mu.Lock()
			defer mu.Unlock()
			if done != want {
				t.Errorf("done %d times, want %d", done, want)
			}
		}
		after(0, 1)
		after(23*time.Hour, 1)
		after(time.Hour+2*time.Second, 2)
		c.Soon()
		c.Soon() // what is asked for meanwhile may be due since
		c.Soon()
		after(0, 4)
		now(func() error { return errors.New("it rains") })
		c.Soon()
		after(0, 5)
		if !strings.Contains(log.String(), "the beds could not be weeded; it is tried again") ||
			!strings.Contains(log.String(), "it rains") {
			t.Errorf("it says %s", log.String())
		}
		after(firstRetry-time.Second, 5)
		after(2*time.Second, 6)
		after(2*firstRetry, 7)
		now(func() error { panic("a mole") })
		after(4*firstRetry, 8)
		now(func() error { return nil })
		after(8*firstRetry, 9)
		after(10*time.Hour, 9)
		cancel()
		<-ended
	})
}
