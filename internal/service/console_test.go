package service

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
)

// none is a store of which nothing is asked, but whether it is there.
type none struct {
	Store
	down bool
}

func (n none) Ping(context.Context) error {
	if n.down {
		return errors.New("away")
	}
	return nil
}

func request(t *testing.T, s Store, files fstest.MapFS, method, path string) *http.Response {
	t.Helper()
	h := New(s, nil, Config{Console: files, Log: slog.New(slog.DiscardHandler)}).Handler()
	w := httptest.NewRecorder()
	h.ServeHTTP(w, newRequest(method, path))
	return w.Result()
}

func newRequest(method, path string) *http.Request {
	r := httptest.NewRequest(method, path, nil)
	r.Host = "127.0.0.1:8420"
	return r
}

func TestConsoleFiles(t *testing.T) {
	files := fstest.MapFS{
		"index.html": {Data: []byte("<p>console")}, "assets/app-1a2b.js": {Data: []byte("1")},
		"placeholder.html": {Data: []byte("<p>not built")},
	}
	for _, c := range []struct {
		method, path string
		status       int
		body, cache  string
	}{
		{"GET", "/", 200, "<p>console", "no-cache"},
		{"GET", "/sites/fernhollow/3/pages", 200, "<p>console", "no-cache"},
		{"GET", "/sites/fern.hollow", 200, "<p>console", "no-cache"},
		{"GET", "/assets/app-1a2b.js", 200, "1", "public, max-age=31536000, immutable"},
		{"GET", "/assets/gone.js", 404, "no such file", "no-store"},
		{"GET", "/assets/../../etc/passwd", 200, "<p>console", "no-cache"},
		{"GET", "/api/v1/nothing", 404, "openapi.yaml", "no-store"},
		{"POST", "/sites", 405, "not possible here", "no-store"},
		{"PUT", "/healthz", 405, "not possible here", "no-store"},
	} {
		r := request(t, none{}, files, c.method, c.path)
		body, _ := io.ReadAll(r.Body)
		if r.StatusCode != c.status || !strings.Contains(string(body), c.body) ||
			r.Header.Get("Cache-Control") != c.cache {
			t.Errorf("%s %s: %d %q, cached %q", c.method, c.path, r.StatusCode, body, r.Header.Get("Cache-Control"))
		}
		if r.Header.Get("X-Content-Type-Options") != "nosniff" ||
			!strings.Contains(r.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'") {
			t.Errorf("%s lacks its security headers", c.path)
		}
	}
	delete(files, "index.html")
	if body, _ := io.ReadAll(request(t, none{}, files, "GET", "/").Body); !strings.Contains(string(body), "not built") {
		t.Errorf("without a console: %q", body)
	}
}

func TestHealthz(t *testing.T) {
	if r := request(t, none{}, nil, "GET", "/healthz"); r.StatusCode != http.StatusOK {
		t.Errorf("status %d", r.StatusCode)
	}
	if r := request(t, none{down: true}, nil, "GET", "/healthz"); r.StatusCode != http.StatusOK {
		t.Errorf("without its database it does not live: %d", r.StatusCode)
	}
	if r := request(t, none{}, nil, "GET", "/readyz"); r.StatusCode != http.StatusOK {
		t.Errorf("it is not ready: %d", r.StatusCode)
	}
	if r := request(t, none{down: true}, nil, "GET", "/readyz"); r.StatusCode != http.StatusServiceUnavailable ||
		r.Header.Get("Content-Type") != "application/problem+json" {
		t.Errorf("without its database: %d", r.StatusCode)
	}
}

// TestPanic holds that a handler's panic is an answer, and the service goes on.
func TestPanic(t *testing.T) {
	// a nil store panics
	h := New(nil, nil, Config{Console: fstest.MapFS{}, Log: slog.New(slog.DiscardHandler)}).Handler()
	for range 2 {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, newRequest("GET", "/readyz"))
		if w.Code != http.StatusInternalServerError || !strings.Contains(w.Body.String(), "its log says why") {
			t.Errorf("%d %s", w.Code, w.Body)
		}
	}
}
