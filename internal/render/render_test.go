package render_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/render"
)

// pool is one of the test's own; without a browser there is nothing to test.
func pool(t testing.TB, atOnce int) *render.Pool {
	t.Helper()
	if _, err := render.Program(); err != nil {
		t.Skip(err)
	}
	p := render.NewPool(t.TempDir(), atOnce)
	t.Cleanup(p.Close)
	return p
}

// traffic reaches loopback, and takes what is served there for the site.
func traffic(t testing.TB, s fetch.Settings) *render.Traffic {
	t.Helper()
	if s.Guard.Allow == nil {
		s.Guard = fetch.Guard{Allow: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
	}
	s.Timeout, s.MaxBytes, s.Parallel = 10*time.Second, 5<<20, 6
	c, err := fetch.New(s)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	return &render.Traffic{
		Carrier: c, Inside: func(a string) bool { return strings.Contains(a, "127.0.0.1") },
		Allowed: func(*weburl.URL) string { return "" }, MaxBytes: 5 << 20,
		Turn: func(context.Context, *weburl.URL) (func(*fetch.Answer), error) { return func(*fetch.Answer) {}, nil },
	}
}

func settings() render.Settings {
	return render.Settings{Within: 8 * time.Second, MaxBytes: 5 << 20, Agent: "Harvik", Screen: true}
}

// site serves texts by path.
func site(t testing.TB, pages map[string]string) string {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, ok := pages[r.URL.Path]
		if !ok {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, text)
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// TestBuilt reads what scripts build.
func TestBuilt(t *testing.T) {
	t.Parallel()
	p, at := pool(t, 2), site(t, map[string]string{"/": `<!doctype html><title>Beds</title><h1>Beds</h1><script>
		setTimeout(() => { document.title = "Beds, built"; document.body.insertAdjacentHTML("beforeend",
			"<main><p>Grown by a script</p><a href=/fern>fern</a></main>"); console.error("a thorn"); undefinedThing(); }, 150)
		</script>`})
	for _, device := range plan.Devices {
		begun := time.Now()
		got, err := p.Render(t.Context(), at+"/", device, traffic(t, fetch.Settings{}), settings())
		if err != nil {
			t.Fatal(err)
		}
		html := string(got.HTML)
		t.Logf("%s %v %+v %d bytes, picture %d", device, time.Since(begun), got.Page, len(html), len(got.Picture))
		if got.Outcome != rendered.Rendered || got.Done != rendered.Settled || !strings.Contains(html, "<title>Beds, built</title>") ||
			!strings.Contains(html, "Grown by a script") ||
			len(got.Picture) == 0 {
			t.Errorf("%s: %+v\n%s", device, got.Page, html)
		}
		if len(got.Console) != 2 || got.Console[0].Text != "a thorn" || !got.Console[1].Thrown {
			t.Errorf("the console has %+v", got.Console)
		}
		if got.Speed.FirstPaint <= 0 || got.Speed.Requests == 0 {
			t.Errorf("speed is %+v", got.Speed)
		}
	}
}
