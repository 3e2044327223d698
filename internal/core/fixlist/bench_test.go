package fixlist

import (
	"fmt"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

// BenchmarkCauses finds the causes of a million findings, and of a tenth: dead links in templates and
// texts, shared titles, things wrong in places. It grows nearly in proportion.
func BenchmarkCauses(b *testing.B) {
	for _, findings := range []int{100_000, 1_000_000} {
		b.Run(fmt.Sprint(findings), func(b *testing.B) {
			pages := findings / 10
			s := site(pages)
			if err := s.Finish(); err != nil {
				b.Fatal(err)
			}
			c := NewCollector([]*check.Check{broken, shared, thing, minor})
			for i := range int32(pages) {
				var places []check.Place
				for k := range 7 {
					p := target(fmt.Sprintf("http://fernhollow.example/%s/%d", []string{"gone", "old", "x"}[k%3],
						(int(i)*7+k)%(pages/20+k+1)), "main > p 1", page.Content)
					if k == 0 {
						p = target("http://fernhollow.example/old-shop/", "footer > ul > li 3", page.Footer)
					}
					places = append(places, p)
				}
				c.Add(check.Finding{Check: broken, Page: i, Places: places})
				c.Add(check.Finding{Check: shared, Page: i, Places: []check.Place{{Value: fmt.Sprint("title ", i/3)}}})
				c.Add(check.Finding{Check: thing, Page: i, Places: []check.Place{place("main > form", page.Content)}})
				c.Add(check.Finding{Check: minor, Page: i,
					Places: []check.Place{place(fmt.Sprint("main > p ", i%5), page.Content)}})
			}
			sheet := c.Sheet(s)
			b.ResetTimer()
			for b.Loop() {
				if r := sheet.Build(Adjustment{}); len(r.Fixes) == 0 {
					b.Fatal("no lines")
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(findings), "ns/finding")
		})
	}
}
