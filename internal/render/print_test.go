package render_test

import (
	"bytes"
	"context"
	"net/http"
	"sync/atomic"
	"testing"

	"harvik/internal/render"
	"harvik/internal/testkit"
)

// TestPrint: a page is printed on the paper that is wanted, runs no script and asks nobody for anything; who waits no
// longer gets nothing.
func TestPrint(t *testing.T) {
	var asked atomic.Int32
	host := testkit.Serve(t, http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked.Add(1) }))
	p := render.NewPool(t.TempDir(), 1)
	t.Cleanup(p.Close)
	page := []byte(`<!doctype html><html lang="en"><title>Beds</title><link rel="stylesheet" href="http://` + host + `/a.css">
		<h1>Beds</h1><img src="http://` + host + `/b.png" alt=""><iframe src="http://` + host + `/c"></iframe>
		<script>fetch("http://` + host + `/d"); document.body.innerHTML = ""; while (true) {}</script><p>Ferns</p>`)
	for name, box := range map[string]string{"a4": "[0 0 595", "letter": "[0 0 612"} {
		pdf, err := p.Print(t.Context(), page, render.Papers[name])
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.HasPrefix(pdf, []byte("%PDF-")) || !bytes.Contains(pdf, []byte(box)) || !bytes.Contains(pdf, []byte("/StructTreeRoot")) {
			t.Errorf("%s: %d bytes, not tagged or not of its size", name, len(pdf))
		}
	}
	if n := asked.Load(); n != 0 {
		t.Errorf("printing asks elsewhere %d times", n)
	}
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	if pdf, err := p.Print(gone, page, render.Papers["a4"]); err == nil || pdf != nil {
		t.Errorf("%d bytes for nobody", len(pdf))
	}
}
