package crawl

import (
	"fmt"
	"os"
	"runtime"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// TestFrontierMemory holds known addresses in under a kibibyte each, as a million in under a gibibyte.
func TestFrontierMemory(t *testing.T) {
	if os.Getenv("HARVIK_SOAK") == "" {
		t.Skip("make soak measures memory")
	}
	start, err := weburl.Parse("https://fernhollow.example/")
	if err != nil {
		t.Fatal(err)
	}
	heap := func() uint64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	const known = 250_000
	for _, selection := range []string{plan.Breadth, plan.Spread} {
		before := heap()
		f := newFrontier(start, plan.Plan{Pages: 1_000_000, Selection: selection}.WithDefaults())
		for i := range known {
			address := fmt.Sprintf("https://fernhollow.example/plants/family-%d/species-%c%c-%d/?colour=%d", i%500,
				'a'+i%26, 'a'+i/26%26, i, i%7)
			id, wanted := f.add(address, mention{from: int32(i / 60), depth: 3, found: survey.ByLink, follow: true})
			if !wanted {
				t.Fatalf("%s is not wanted", address)
			}
			f.admit(id)
		}
		used := heap() - before
		if f.queue.size() != known || used > known<<10 {
			t.Errorf("%s: %d waiting, %d MiB", selection, f.queue.size(), used>>20)
		}
		t.Logf("%s: %d MiB, %d bytes an address", selection, used>>20, used/known)
		runtime.KeepAlive(f)
	}
}
