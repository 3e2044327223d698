package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// BenchmarkConsole times views of a large crawl in a browser: from the request until the first paint, and until their
// lists stand.
func BenchmarkConsole(b *testing.B) {
	h := large(b)
	w := openBrowser(b)
	w.visit(h.signInLink(b))
	w.see("large")
	for name, path := range map[string]string{"fixes": "", "pages": "/pages"} {
		b.Run(name, func(b *testing.B) {
			var paint, list fastest
			for b.Loop() {
				w.visit(h.url + "/sites/large/1" + path)
				w.wait("a list", "document.querySelectorAll('[role=row]').length > 5")
				took := func(script string) (ms float64) {
					ms, err := chromedp.Run(w.ctx, chromedp.Evaluate[float64](script))
					if err != nil {
						b.Fatal(err)
					}
					return ms
				}
				list.took(milliseconds(took("performance.now()")))
				paint.took(milliseconds(took("performance.getEntriesByName('first-contentful-paint')[0].startTime")))
			}
			b.ReportMetric(float64(paint.Milliseconds()), "first-paint-ms")
			b.ReportMetric(float64(list.Milliseconds()), "list-ms")
		})
	}
}

func milliseconds(ms float64) time.Duration { return time.Duration(ms * float64(time.Millisecond)) }
