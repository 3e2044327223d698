package checks_test

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/html"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/testkit"
)

// BenchmarkPage says what facts and all page checks cost on top of html.Parse, in parts of what that
// costs alone, on documents of mixed sizes with a median of about 16 KB.
func BenchmarkPage(b *testing.B) {
	g := &testkit.Generated{Pages: 300, Seed: 5}
	var bodies [][]byte
	for n := range g.Pages {
		w := httptest.NewRecorder()
		g.ServeHTTP(w, httptest.NewRequestWithContext(b.Context(), http.MethodGet, fmt.Sprintf("/%d", n), nil))
		bodies = append(bodies, bytes.Clone(w.Body.Bytes()))
	}
	u, err := weburl.Parse("http://fernhollow.example/plants/ferns/")
	if err != nil {
		b.Fatal(err)
	}
	runner := check.NewRunner(catalogue.Checks, plan.Plan{})
	var parsing, judging time.Duration
	for b.Loop() {
		for _, body := range bodies { // one after the other, so that noise meets both alike
			begun := time.Now()
			if _, err := html.Parse(bytes.NewReader(body)); err != nil {
				b.Fatal(err)
			}
			parsed := time.Now()
			d := page.Read(page.Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8", Body: body})
			runner.Page(0, &page.Facts{Address: u.Key(), Status: 200, Outcome: page.Answered, Type: "text/html",
				Bytes: len(body), Document: d})
			parsing += parsed.Sub(begun)
			judging += time.Since(parsed)
		}
	}
	b.ReportMetric(judging.Seconds()/parsing.Seconds()-1, "on-top-of-parse")
}

// texts is a source whose pages have a text of 300 words each.
type texts struct{}

func (texts) EachFacts([]int32, func(int32, *page.Facts)) error          { return nil }
func (texts) EachSkeleton([]int32, func(int32, page.Skeleton)) error     { return nil }
func (texts) EachLinks([]int32, func(int32, []page.Link, []int32)) error { return nil }
func (texts) EachText(pages []int32, f func(int32, string)) error {
	for _, id := range pages {
		f(id, textOf(int(id)))
	}
	return nil
}

func textOf(n int) string {
	var b strings.Builder
	for i := range 300 {
		fmt.Fprintf(&b, "w%d ", (n*7919+i*i*31)%20011)
	}
	return b.String()
}

// BenchmarkSite judges whole crawls of 10,000 and 100,000 pages, survey and site checks, and says by
// how much the time grows.
func BenchmarkSite(b *testing.B) {
	u, err := weburl.Parse("http://fernhollow.example/")
	if err != nil {
		b.Fatal(err)
	}
	took := map[int]time.Duration{}
	for b.Loop() {
		for _, n := range []int{10_000, 100_000} {
			s := &survey.Survey{Source: texts{}}
			for i := range n {
				s.Addresses = append(s.Addresses,
					survey.Address{URL: fmt.Sprintf("http://fernhollow.example/part-%d/page-%d", i%40, i),
						State: survey.Fetched})
			}
			for i := range n {
				links, numbers := make([]page.Link, 30), make([]int32, 30)
				for k := range links {
					numbers[k] = int32((i*31 + k*k*97) % n)
				}
				d := page.Read(page.Response{Address: u, Status: 200, ContentType: "text/html; charset=utf-8",
					Body: []byte(fmt.Sprintf(
						"<!doctype html><title>Page %d of the garden</title><meta name=description content='About %d'><h1>Page %d</h1><main>%s</main>",
						i,
						i/3,
						i,
						textOf(i),
					))})
				d.Links = links
				s.Add(int32(i), &page.Facts{Address: s.Addresses[i].URL, Status: 200, Outcome: page.Answered,
					Type: "text/html", Document: d}, -1, -1, numbers)
			}
			begun := time.Now()
			if err := s.Finish(); err != nil {
				b.Fatal(err)
			}
			if err := check.NewRunner(catalogue.Checks, plan.Plan{}).Site(s,
				func([]check.Finding) error { return nil }); err != nil {
				b.Fatal(err)
			}
			took[n] += time.Since(begun)
		}
	}
	b.ReportMetric(took[100_000].Seconds()/float64(b.N), "s/100k-pages")
	b.ReportMetric(took[100_000].Seconds()/took[10_000].Seconds(), "growth-of-10x")
}

// EachRendering implements survey.Source.
func (texts) EachRendering([]int32, func(int32, []rendered.Page)) error { return nil }
