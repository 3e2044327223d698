package e2e

import (
	"net/http"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

const benchPages, benchParallel = 10_000, 4

// BenchmarkCrawl compares a crawl, with facts, checks, links and storing, with the floor:
// the same pages fetched and parsed over the same number of connections, and nothing else: by the
// library's parser, and by Harvik's own, which is a floor much lower. Server, all of them and the
// database share the machine.
func BenchmarkCrawl(b *testing.B) {
	g := &testkit.Generated{Pages: benchPages, Seed: 11, Mixed: true, Keep: true}
	host := testkit.Serve(b, g)
	var addresses []string
	for n := range g.Pages { // written before anything is timed
		at := parsePath(b, n)
		g.ServeHTTP(discard{}, &http.Request{URL: at})
		addresses = append(addresses, "http://"+host+at.Path)
	}
	var floor, own, full time.Duration
	for b.Loop() {
		floor += fetchAll(b, addresses, benchParallel, byLibrary)
		own += fetchAll(b, addresses, benchParallel, byOurs)
		full += crawlAndStore(b, host)
	}
	b.ReportMetric(float64(benchPages*b.N)/floor.Seconds(), "floor-pages/s")
	b.ReportMetric(float64(benchPages*b.N)/full.Seconds(), "crawl-pages/s")
	b.ReportMetric(floor.Seconds()/full.Seconds(), "ratio")
	b.ReportMetric(own.Seconds()/full.Seconds(), "ratio-to-own-parser")
}

func crawlAndStore(b *testing.B, host string) time.Duration {
	b.StopTimer()
	defer b.StartTimer()
	s := testkit.Store(b)
	p := plan.Plan{Pages: benchPages + 10, Parallel: benchParallel}.WithDefaults()
	r, _, judged := crawlOnce(b, s, benchSite(b, s, "http://"+host+"/"), p)
	if r.Report.Assessed != benchPages {
		b.Fatalf("%d pages crawled", r.Report.Assessed)
	}
	return judged
}
