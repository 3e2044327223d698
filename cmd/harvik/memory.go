package main

import (
	"context"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// collectAt is how much the heap grows, in percent, before it is collected: the larger what is live,
// the less of it may be wasted. Reading pages makes much that is soon garbage, so a small heap is
// let grow.
func collectAt(live uint64) int {
	switch {
	case live < 64<<20:
		return 200
	case live < 2<<30:
		return 100
	}
	return 50
}

// watchMemory keeps to collectAt until ctx ends.
func watchMemory(ctx context.Context) {
	sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	now := 0
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		metrics.Read(sample)
		if want := collectAt(sample[0].Value.Uint64()); want != now {
			now = want
			debug.SetGCPercent(now)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
