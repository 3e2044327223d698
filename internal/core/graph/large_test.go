package graph

import (
	"os"
	"runtime"
	"testing"
	"time"
)

// TestLarge builds and answers a graph of a million pages with fifty million links, and says what
// that takes. It runs where HARVIK_LARGE is set: `make million` does.
func TestLarge(t *testing.T) {
	if os.Getenv("HARVIK_LARGE") == "" {
		t.Skip("HARVIK_LARGE is not set")
	}
	const pages, links = 1_000_000, 50
	begun := time.Now()
	var g Graph
	marks := make([]Mark, links)
	to := make([]int32, links)
	for p := range int32(pages) {
		for k := range int32(links) {
			to[k] = (p*31 + k*k*7919 + k) % pages
			if to[k] < 0 {
				to[k] += pages
			}
		}
		g.Add(p, to, marks)
	}
	next := make([]int32, pages)
	member := make([]bool, pages)
	for i := range next {
		next[i], member[i] = -1, true
	}
	in := g.In(pages)
	depths := g.Depths(pages, 0, next)
	authority := g.Authority(member, next)
	took := time.Since(begun)
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	t.Logf("%d links: %v, %d MiB from the system", g.Links(), took.Round(time.Millisecond), m.Sys>>20)
	linked, reached, sum := 0, 0, 0.0
	for i := range in {
		if in[i] > 0 {
			linked++
		}
		if depths[i] >= 0 {
			reached++
		}
	}
	for _, a := range authority {
		sum += a
	}
	if took > time.Minute || m.Sys > 3<<30 || sum < 0.999 || sum > 1.001 || linked < pages/2 || reached < pages/2 {
		t.Errorf("%v, %d MiB, %d linked, %d reached, authority sums up to %v", took, m.Sys>>20, linked, reached, sum)
	}
}
