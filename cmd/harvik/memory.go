package main

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"runtime/debug"
	"runtime/metrics"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// collectAt is how much the heap grows, in percent, before it is collected: the larger what is live,
// the less of it may be wasted. Reading pages makes much that is soon garbage, so a small heap is
// let grow.
func collectAt(live uint64) int {
	switch {
	case live < 64<<20:
		return 200
	case live < 192<<20:
		return 100
	case live < 1<<30:
		return 50
	}
	return 33
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

// watchOver keeps the process within the memory that it may have, unless the environment says how, until end is called.
func watchOver() (end func()) {
	if os.Getenv("GOMEMLIMIT") == "" {
		keepWithin()
	}
	if os.Getenv("GOGC") != "" {
		return func() {}
	}
	watching, stop := context.WithCancel(context.Background())
	var watch sync.WaitGroup
	watch.Go(func() { watchMemory(watching) })
	return func() {
		stop()
		watch.Wait()
	}
}

// keepWithin has the heap collected as often as it takes to stay within what the service may have, as far as
// that is set: by its control group, or by a limit of its data.
func keepWithin() {
	if most := memoryLimit(); most > 0 {
		debug.SetMemoryLimit(most * 2 / 5) // the rest is for stacks, what is mapped, and the moment of a peak
	}
}

// memoryLimit is what the service may have, in bytes; 0 if nothing says so.
func memoryLimit() int64 {
	most := int64(math.MaxInt64)
	var data syscall.Rlimit
	if syscall.Getrlimit(syscall.RLIMIT_DATA, &data) == nil && data.Cur < math.MaxInt64 {
		most = int64(data.Cur)
	}
	groups, _ := os.ReadFile("/proc/self/cgroup")
	for line := range strings.Lines(string(groups)) {
		name, ok := strings.CutPrefix(strings.TrimSpace(line), "0::")
		if !ok {
			continue
		}
		text, err := os.ReadFile(filepath.Join("/sys/fs/cgroup", name, "memory.max"))
		if n, bad := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err == nil && bad == nil {
			most = min(most, n)
		}
	}
	if most == math.MaxInt64 {
		return 0
	}
	return most
}
