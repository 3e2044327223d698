package service

import (
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"

	"harvik/internal/store"
)

// TestOften: who asks too often is refused on every route, from one place whoever they are, from everywhere who is one;
// nobody is refused for what others do.
func TestOften(t *testing.T) {
	const slowly = 1e-9
	ask := func(h http.Handler, path, from, forwarded string, signed bool) *httptest.ResponseRecorder {
		r := httptest.NewRequest("GET", path, nil)
		r.RemoteAddr, r.Host = from, "127.0.0.1"
		if forwarded != "" {
			r.Header.Set("X-Forwarded-For", forwarded)
		}
		if signed {
			r.Header.Set("Authorization", "Bearer x")
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	of := func(r Rates) http.Handler {
		return New(&door{kind: store.Token}, nil, Config{Log: slog.New(slog.DiscardHandler), Rates: r}).Handler()
	}
	places := of(Rates{Place: Rate{slowly, 3}, Person: Rate{slowly, 100}})
	for i, path := range []string{"/healthz", "/api/v1/session", "/sign-in", "/healthz", "/api/v1/sites", "/assets/a.js", "/nowhere"} {
		w := ask(places, path, "192.0.2.1:"+strconv.Itoa(4000+i), "198.51.100."+strconv.Itoa(i), false)
		if refused := w.Code == http.StatusTooManyRequests; refused != (i >= 3) {
			t.Errorf("%d. %s: %d", i, path, w.Code)
		} else if refused && (w.Header().Get("Retry-After") == "" || !strings.Contains(w.Body.String(), "too many requests")) {
			t.Errorf("%d. %s: %v %s", i, path, w.Header(), w.Body)
		}
	}
	if w := ask(places, "/healthz", "192.0.2.2:4000", "", false); w.Code != http.StatusOK {
		t.Errorf("somebody else: %d", w.Code)
	}
	for i, from := range []string{"[2001:db8:0:1::1]:9", "[2001:db8:0:1::2]:9", "[2001:db8:0:1:ffff::]:9", "[2001:db8:0:1::3]:9"} {
		if w := ask(places, "/healthz", from, "", false); (w.Code == http.StatusTooManyRequests) != (i >= 3) {
			t.Errorf("%s: %d", from, w.Code)
		}
	}
	if w := ask(places, "/healthz", "[2001:db8:0:2::1]:9", "", false); w.Code != http.StatusOK {
		t.Errorf("another network: %d", w.Code)
	}
	persons := of(Rates{Place: Rate{slowly, 100}, Person: Rate{slowly, 2}})
	for i := range 4 {
		w := ask(persons, "/api/v1/session", "192.0.2."+strconv.Itoa(i)+":9", "", true)
		if (w.Code == http.StatusTooManyRequests) != (i >= 2) {
			t.Errorf("%d. of a person: %d", i, w.Code)
		}
	}
	if w := ask(persons, "/healthz", "192.0.2.9:9", "", false); w.Code != http.StatusOK {
		t.Errorf("for all: %d", w.Code)
	}
}

// TestOftenForgets: it is not kept of how many there are that ask.
func TestOftenForgets(t *testing.T) {
	o := newOften(Rate{1e-9, 1})
	for i := range 2 * mostCounted {
		o.may(strconv.Itoa(i))
		o.may("one that goes on")
	}
	if o.of.Len() != mostCounted || o.may("one that goes on") {
		t.Errorf("%d are counted", o.of.Len())
	}
}
