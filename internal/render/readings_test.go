package render_test

import (
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/fetch"
)

// served serves one page with two files of a known size.
func served(t *testing.T, html string) string {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/":
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, html)
		case "/app.js": // three quarters of it never run
			w.Header().Set("Content-Type", "text/javascript")
			w.Header().Set("Cache-Control", "public, max-age=604800")
			fmt.Fprintf(
				w,
				"function used() { /*%s*/ return 1 }\nfunction idle() { /*%s*/ function more() { return 2 } }\nused();",
				strings.Repeat("u", 10_000),
				strings.Repeat("i", 30_000),
			)
		case "/look.css": // half of it matches nothing
			w.Header().Set("Content-Type", "text/css")
			w.Header().Set("Cache-Control", "max-age=60")
			for i := range 400 {
				fmt.Fprintf(w, "p { --moss-%03d: 1px; color: green }\n.idle-%03d { --m: 1px; color: red }\n", i, i)
			}
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(s.Close)
	return s.URL + "/"
}

// TestUnused: of scripts and stylesheets it is told how much a page does not use, and how much of all a browser may
// keep.
func TestUnused(t *testing.T) {
	t.Parallel()
	at := served(
		t,
		`<!doctype html><title>x</title><link rel=stylesheet href=/look.css><link rel=icon href=data:,><p>x</p>
		<script src=/app.js></script>`,
	)
	got, err := pool(t, 1).Render(t.Context(), at, plan.Desktop, traffic(t, fetch.Settings{}), settings())
	if err != nil || len(got.Unused) != 2 {
		t.Fatalf("%+v (%v)", got.Page, err)
	}
	for i, want := range []struct {
		path, kind string
		share      float64
	}{{"app.js", rendered.Script, 0.75}, {"look.css", rendered.Style, 0.5}} {
		u := got.Unused[i]
		if share := float64(u.Spare) / float64(u.Bytes); u.Address != at+want.path || u.Kind != want.kind ||
			math.Abs(share-want.share) > 0.02 {
			t.Errorf("%+v is unused by %.2f, want %+v", u, share, want)
		}
	}
	if got.Speed.Kept != got.Unused[0].Bytes || got.Speed.Kept == 0 {
		t.Errorf("%d bytes may be kept", got.Speed.Kept)
	}
}

// TestShadow: what components keep in shadow trees stands in the reading where it is shown, and what is slotted in
// there stands in its slot.
func TestShadow(t *testing.T) {
	t.Parallel()
	at := served(
		t,
		`<!doctype html><title>x</title><fern-card><b slot=name>Royal fern</b><i>by the pond</i></fern-card><p>after</p>
		<template><u>not shown</u></template><script>customElements.define("fern-card", class extends HTMLElement {
		constructor() { super(); this.attachShadow({ mode: "open" }).innerHTML =
			"<h2><slot name=name>none</slot></h2><a href=/royal>more of it</a><slot></slot><fern-leaf></fern-leaf>" } });
		customElements.define("fern-leaf", class extends HTMLElement { connectedCallback() {
			this.attachShadow({ mode: "open" }).innerHTML = "<em>a leaf</em>"; } })</script>`,
	)
	got, err := pool(t, 1).Render(t.Context(), at, plan.Desktop, traffic(t, fetch.Settings{}), settings())
	if err != nil {
		t.Fatal(err)
	}
	want := `<fern-card><h2><slot name="name"><b slot="name">Royal fern</b></slot></h2><a href="/royal">more of it</a>` +
		`<slot><i>by the pond</i></slot><fern-leaf><em>a leaf</em></fern-leaf></fern-card><p>after</p>`
	if html := string(got.HTML); !strings.Contains(html, want) ||
		!strings.Contains(html, "<template><u>not shown</u></template>") ||
		!strings.HasPrefix(html, "<!DOCTYPE html><html><head><title>x</title>") {
		t.Errorf("the reading is %s", html)
	}
}

// TestTaps: what the plan taps is answered as soon as the page does, and what is not there is told as such. Where a tap
// leads makes nothing else of the page.
func TestTaps(t *testing.T) {
	t.Parallel()
	at := served(t, `<!doctype html><title>x</title><style>body{margin:0}.far{margin-top:3000px}</style><p>x</p>
		<button id=quick onclick="this.textContent = 'do' + 'ne'">quick</button>
		<button id=slow class=far onclick="const e = performance.now() + 400; while (performance.now() < e); this.textContent = 'do' + 'ne'">slow</button>
		<div style="position:relative"><button id=under>under</button><i style="position:absolute;inset:0;background:#fff"></i></div>
		<button id=throws onclick="thorn()">throws</button><a id=away href=/elsewhere>away</a>`)
	set := settings()
	set.Tap = []string{"#quick", "#slow", "#none", "#under", "#throws", "%%", "#away", "#quick"}
	for _, device := range plan.Devices {
		got, err := pool(t, 1).Render(t.Context(), at, device, traffic(t, fetch.Settings{}), set)
		if err != nil || !got.Found() || len(got.Taps) < 5 || strings.Contains(string(got.HTML), "done") ||
			len(got.Console) > 0 {
			t.Fatalf("%s: %+v (%v)", device, got.Page, err)
		}
		if q, s := got.Taps[0], got.Taps[1]; !strings.HasSuffix(q.Element, "button#quick") || q.Took <= 0 ||
			s.Took < 390 || s.Took < q.Took {
			t.Errorf("%s: taps are answered as %+v", device, got.Taps)
		}
		if last := got.Taps[len(got.Taps)-1]; last.Selector != "#away" || len(got.Taps) != 7 {
			t.Errorf("%s: tapped after a tap has led away: %+v", device, got.Taps)
		}
		for _, n := range append(got.Taps[2:4:4], got.Taps[5]) {
			if n.Element != "" || n.Took != 0 {
				t.Errorf("%s: what cannot be tapped is told as %+v", device, n)
			}
		}
	}
}

// TestSeen: texts that are to be seen are those of the content that nothing hides.
func TestSeen(t *testing.T) {
	t.Parallel()
	at := served(t, `<!doctype html><title>x</title><meta name=viewport content="width=device-width">
		<style>@media (max-width: 600px) { .wide { display: none } }</style><nav><p>The menu of the garden</p></nav>
		<main><h1>Moss</h1><p>Seen on   each <b>device</b> there is</p><p class=wide>Seen on a desktop alone, as it is</p>
		<details><summary>More</summary><p>Folded on both of the devices</p></details></main>`)
	p, seen := pool(t, 1), map[string][]string{}
	for _, device := range plan.Devices {
		got, err := p.Render(t.Context(), at, device, traffic(t, fetch.Settings{}), settings())
		if err != nil {
			t.Fatal(err)
		}
		seen[device] = got.Seen
	}
	if fmt.Sprintf("%q", seen[plan.Phone]) != `["Moss" "Seen on each device there is"]` ||
		fmt.Sprintf(
			"%q",
			seen[plan.Desktop],
		) != `["Moss" "Seen on each device there is" "Seen on a desktop alone, as it is"]` {
		t.Errorf("seen are %q", seen)
	}
	var page rendered.Page
	page.Hide(seen[plan.Phone], seen[plan.Desktop])
	if page.Hidden != 8 || len(page.Hides) != 1 {
		t.Errorf("a phone hides %d words, %q", page.Hidden, page.Hides)
	}
}
