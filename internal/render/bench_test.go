package render_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/fetch"
)

// BenchmarkRender renders pages of Fernhollow, several at once: pages a second, without throttling, and the memory of
// all processes of the browser.
func BenchmarkRender(b *testing.B) {
	garden := demo.New(demo.Summer)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, garden.Render("/plants/betula-nigra/"))
	}))
	defer s.Close()
	for _, atOnce := range []int{1, 2, 4, 8} {
		b.Run(fmt.Sprintf("%d at once", atOnce), func(b *testing.B) {
			p := pool(b, atOnce)
			tr := traffic(b, fetch.Settings{})
			set := settings()
			visit := func(i int) {
				if got, err := p.Render(b.Context(), fmt.Sprintf("%s/%d", s.URL, i), plan.Phone, tr, set); err != nil ||
					got.Outcome != rendered.Rendered || !strings.Contains(string(got.HTML), "Betula") {
					b.Fatalf("%+v (%v)", got.Page, err)
				}
			}
			visit(0)
			const pages = 80
			for b.Loop() {
				begun := time.Now()
				var group sync.WaitGroup
				next := make(chan int)
				for range atOnce {
					group.Go(func() {
						for i := range next {
							visit(i)
						}
					})
				}
				for i := range pages {
					next <- i
				}
				close(next)
				group.Wait()
				b.ReportMetric(pages/time.Since(begun).Seconds(), "pages/s")
				b.ReportMetric(float64(p.Memory()>>20), "MB")
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}
