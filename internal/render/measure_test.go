package render_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/fetch"
)

// TestMeasured: delays, shifts and tasks that are known are measured as such. How much longer than known they take is
// held on a quiet machine alone, by HARVIK_MEASURE=1 (make measure).
func TestMeasured(t *testing.T) {
	p := pool(t, 1)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var ms int
		fmt.Sscan(r.URL.Query().Get("ms"), &ms)
		if r.URL.Path == "/wait" {
			time.Sleep(time.Duration(ms) * time.Millisecond)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(
			w,
			`<!doctype html><meta name=viewport content="width=device-width"><style>body{margin:0}p{margin:0;height:2000px;background:#dfd}</style>`,
		)
		switch r.URL.Path {
		case "/paint":
			fmt.Fprintf(w, `<h1>x</h1><div id=d></div><script>fetch("/wait?ms=%d").then(() => { d.innerHTML =
				'<div style="height:400px;font-size:50px">' + "Moss on a wall. ".repeat(9) + "</div>" })</script>`, ms)
		case "/shift": // all that is seen moves by so many pixels
			fmt.Fprintf(
				w,
				`<div id=d></div><p>x</p><script>fetch("/wait?ms=300").then(() => { d.style.height = "%dpx" })</script>`,
				ms,
			)
		case "/task":
			fmt.Fprintf(
				w,
				`<p>x</p><script>requestAnimationFrame(() => setTimeout(() => { const end = performance.now() + %d;
				while (performance.now() < end); }, 150))</script>`,
				ms,
			)
		}
	}))
	defer s.Close()
	tr, set := traffic(t, fetch.Settings{}), settings()
	set.Screen = false
	quiet := os.Getenv("HARVIK_MEASURE") != ""
	about := func(name string, got, want, less, more float64) {
		t.Helper()
		if got < want-less || got > want+more {
			t.Errorf("%s is measured as %g, want %g", name, got, want)
		}
	}
	for _, device := range plan.Devices {
		height := map[string]float64{plan.Phone: 844, plan.Desktop: 940}[device]
		see := func(path string, ms int) rendered.Speed {
			t.Helper()
			got, err := p.Render(t.Context(), fmt.Sprintf("%s%s?ms=%d", s.URL, path, ms), device, tr, set)
			if err != nil || got.Outcome != rendered.Rendered {
				t.Fatalf("%+v (%v)", got.Page, err)
			}
			return got.Speed
		}
		for _, ms := range []int{600, 1200} {
			about(fmt.Sprintf("largest paint after %d ms on a %s", ms, device), see("/paint", ms).LargestAt, float64(ms),
				20, late(quiet, 0.1*float64(ms)+120))
		}
		for _, px := range []int{60, 200, 420} {
			// The whole view moves: all of it is concerned, and the distance is so many pixels of its larger side.
			side := max(height, map[string]float64{plan.Phone: 390, plan.Desktop: 1350}[device])
			about(fmt.Sprintf("a shift by %d px on a %s", px, device), see("/shift", px).Shift, float64(px)/side,
				0.1*float64(px)/side+0.01, 0.1*float64(px)/side+0.01)
		}
		for _, ms := range []int{200, 700} {
			about(fmt.Sprintf("a task of %d ms on a %s", ms, device), see("/task", ms).Blocked, float64(ms-50), 20,
				late(quiet, 0.1*float64(ms)))
		}
	}
}

// late is how much longer something may take: on a machine that others use, as long as it likes.
func late(quiet bool, most float64) float64 {
	if quiet {
		return most
	}
	return 1e9
}
