package crawl_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/render"
	"harvik/internal/testkit"
)

// builder is a browser that makes of each page what it is told to.
type builder struct {
	html func(address string) string
	err  error
	made atomic.Int32
}

// Render implements crawl.Browser.
func (b *builder) Render(
	_ context.Context,
	address, device string,
	_ *render.Traffic,
	_ render.Settings,
) (render.Result, error) {
	if b.err != nil {
		return render.Result{}, b.err
	}
	b.made.Add(1)
	return render.Result{
		Page: rendered.Page{Device: device, Outcome: rendered.Rendered},
		HTML: []byte(b.html(address)),
	}, nil
}

// beds serves ten pages of two templates, each linked from the home page.
func beds(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html")
	fmt.Fprintf(w, "<!doctype html><title>Bed %s</title><h1>Bed</h1>", r.URL.Path)
	if r.URL.Path == "/" {
		for i := range 10 {
			fmt.Fprintf(w, "<p><a href=/%d/>bed %d</a>", i, i)
		}
		return
	}
	if r.URL.Path > "/5" {
		fmt.Fprint(w, "<table><tr><td>moss<td>fern</table><section><article><ul><li>one<li>two</ul></article></section>")
	}
	fmt.Fprint(w, "<main><p>Moss grows here.</p></main>")
}

func built(address string) string {
	return "<!doctype html><title>Built</title><h1>Bed</h1><main><p>Moss grows here.</p></main><a href=/scripted/>more</a>"
}

// TestRenderPlans: what a plan has rendered is rendered, once on each device, and judged as it says.
func TestRenderPlans(t *testing.T) {
	address := "http://" + testkit.Serve(t, http.HandlerFunc(beds)) + "/"
	for _, c := range []struct {
		how      plan.Render
		pages    int // that are rendered
		fetched  int
		scripted bool // pages are judged as they were built
	}{
		{plan.Render{}, 0, 11, false},
		{plan.Render{Pages: plan.Sample, Sample: 4}, 4, 11, false},
		{plan.Render{Pages: plan.All}, 2, 2, true}, // what browsers build leads to one other page
		{plan.Render{Pages: plan.All, Devices: []string{"desktop"}}, 2, 2, true},
	} {
		b := &builder{html: built}
		m := &testkit.Memory{Browser: b}
		r := m.Crawl(t, address, plan.Plan{Render: c.how, Probes: plan.No(), Resources: plan.None})
		devices := max(1, len(c.how.Devices))
		if len(c.how.Devices) == 0 {
			devices = 2
		}
		if len(m.Renderings) != c.pages || int(b.made.Load()) != c.pages*devices {
			t.Errorf("%+v: %d pages are rendered, %d times", c.how, len(m.Renderings), b.made.Load())
		}
		titles := 0
		for _, one := range m.Records {
			if d := one.Facts.Document; d != nil && d.Title() == "Built" {
				titles++
			}
		}
		if len(m.Records) != c.fetched || (titles > 0) != c.scripted || r.Detail != "" {
			t.Errorf("%+v: %d are fetched, %d as they were built; %q", c.how, len(m.Records), titles, r.Detail)
		}
	}
}

// TestTemplatesChosen: of each template as many are rendered as the plan says.
func TestTemplatesChosen(t *testing.T) {
	m := &testkit.Memory{Browser: &builder{html: built}}
	m.Crawl(t, "http://"+testkit.Serve(t, http.HandlerFunc(beds))+"/", plan.Plan{Probes: plan.No(),
		Resources: plan.None, Render: plan.Render{Pages: plan.Templates, Each: 2}})
	if n := len(m.Renderings); n < 4 || n > 8 {
		t.Errorf("%d pages are rendered", n)
	}
	for _, r := range m.Renderings {
		for _, p := range r.Pages {
			if p.Differ("title") == nil || p.Links == 0 {
				t.Errorf("page %d on a %s differs in %+v", r.ID, p.Device, p.Differs)
			}
		}
	}
}

// steady is a browser that needs another time for each load, and shows less on a phone.
type steady struct {
	mu    sync.Mutex
	loads map[string][]render.Settings // by device
}

// Render implements crawl.Browser.
func (b *steady) Render(
	_ context.Context,
	_, device string,
	_ *render.Traffic,
	s render.Settings,
) (render.Result, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	n := len(b.loads[device])
	b.loads[device] = append(b.loads[device], s)
	seen := []string{"Moss grows on the north wall"}
	if device == plan.Desktop {
		seen = append(seen, "Ferns grow by the old pond")
	}
	p := rendered.Page{
		Device:  device,
		Outcome: rendered.Rendered,
		Speed:   rendered.Speed{LargestAt: []float64{900, 700, 800, 0}[n%4]},
	}
	if n%4 == 3 { // which says nothing of the page
		p.Outcome = rendered.Crashed
	}
	return render.Result{Page: p, HTML: []byte(built("")), Seen: seen}, nil
}

// TestTimes: a page is loaded as often as the plan says and its medians count, it is read and tapped once, and what a
// phone does not show is told of the phone alone.
func TestTimes(t *testing.T) {
	b := &steady{loads: map[string][]render.Settings{}}
	m := &testkit.Memory{Browser: b}
	address := "http://" + testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!doctype html><title>Bed</title><h1>Bed</h1>")
	})) + "/"
	m.Crawl(t, address, plan.Plan{Probes: plan.No(), Resources: plan.None,
		Render: plan.Render{Pages: plan.Sample, Times: 4, Tap: []string{".menu"}}})
	if len(m.Renderings) != 1 || len(m.Renderings[0].Pages) != 2 {
		t.Fatalf("rendered are %+v", m.Renderings)
	}
	for _, p := range m.Renderings[0].Pages {
		if p.Speed.LargestAt != 800 || p.Speed.Runs != 3 || len(b.loads[p.Device]) != 4 {
			t.Errorf("on a %s: %+v of %d loads", p.Device, p.Speed, len(b.loads[p.Device]))
		}
		if want := map[string]int{plan.Phone: 6}[p.Device]; p.Hidden != want {
			t.Errorf("a %s hides %d words, want %d", p.Device, p.Hidden, want)
		}
		for i, s := range b.loads[p.Device] {
			if (len(s.Tap) > 0) != (i == 0) || s.Screen != (i == 0) {
				t.Errorf("on a %s, load %d is made with %+v", p.Device, i, s)
			}
		}
	}
}

// TestNoBrowser: without a browser the crawl goes on, by the source, and says why.
func TestNoBrowser(t *testing.T) {
	for _, pages := range []string{plan.All, plan.Sample} {
		m := &testkit.Memory{Browser: &builder{err: render.ErrNoBrowser}}
		r := m.Crawl(t, "http://"+testkit.Serve(t, http.HandlerFunc(beds))+"/", plan.Plan{Probes: plan.No(),
			Resources: plan.None, Render: plan.Render{Pages: pages}})
		if len(m.Records) != 11 || !strings.Contains(r.Detail, "apt-get install chromium-headless-shell") {
			t.Errorf("%s: %d are fetched; %q", pages, len(m.Records), r.Detail)
		}
	}
	if _, err := render.Program(); err != nil && !errors.Is(err, render.ErrNoBrowser) {
		t.Error(err)
	}
}
