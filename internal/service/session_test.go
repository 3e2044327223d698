package service

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"harvik/internal/core/rights"
	"harvik/internal/record"
	"harvik/internal/store"
)

// door is a store of which nothing is asked but who may come in.
type door struct {
	Store
	kind    string // of the credential that everybody has
	revoked []int64
}

func (d *door) Redeem(_ context.Context, link, kind string) (int64, error) {
	if link != "good" || kind != store.Link {
		return 0, record.ErrNotFound
	}
	return 1, nil
}

func (d *door) MayTry(context.Context, string, string) (bool, error) { return true, nil }

func (d *door) Tried(context.Context, string, string, bool) error { return nil }

func (d *door) Note(context.Context, record.TrailStep) error { return nil }

func (d *door) Person(context.Context, int64) (record.Person, error) {
	return record.Person{ID: 1}, nil
}

func (d *door) IssueSession(context.Context, string, int64, string, string) (string, error) {
	return "key", nil
}

func (d *door) Known(_ context.Context, _, kind string) (record.Caller, error) {
	if kind != d.kind {
		return record.Caller{}, record.ErrNotFound
	}
	return record.Caller{
		Credential: record.Credential{ID: 7, Kind: kind},
		Somebody:   rights.Somebody{Role: rights.Owner},
	}, nil
}

func (d *door) Revoke(_ context.Context, id, _ int64) error {
	d.revoked = append(d.revoked, id)
	return nil
}

// send is what a service that goes by these names answers.
func send(d *door, names []string, r *http.Request) *http.Response {
	h := New(d, nil, Config{Names: names, Log: slog.New(slog.DiscardHandler)}).Handler()
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w.Result()
}

// TestSignIn: the cookie of a session is for its host alone and no script, and where browsers come by https, for that.
func TestSignIn(t *testing.T) {
	for _, c := range []struct {
		name, host string
		names      []string
		secure     bool
	}{
		{"at home", "127.0.0.1:8420", nil, false},
		{"behind a proxy that speaks https", "harvik.example", []string{"https://harvik.example"}, true},
		{"by a name, without", "harvik.example", []string{"harvik.example"}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := httptest.NewRequest("POST", "/api/v1/session", strings.NewReader(`{"link":"good"}`))
			r.Host = c.host
			resp := send(&door{}, c.names, r)
			set := resp.Cookies()
			if resp.StatusCode != http.StatusOK || len(set) != 1 {
				t.Fatalf("%d, cookies %v", resp.StatusCode, set)
			}
			got := set[0]
			if got.Secure != c.secure || !got.HttpOnly || got.SameSite != http.SameSiteStrictMode || got.Domain != "" ||
				got.MaxAge != int(store.SessionLife.Seconds()) || len(got.Value) < 20 {
				t.Errorf("the cookie is %v", got)
			}
		})
	}
	r := newRequest("POST", "/api/v1/session")
	r.Body = http.NoBody
	if got := send(&door{}, nil, r); got.StatusCode != http.StatusUnprocessableEntity || len(got.Cookies()) > 0 {
		t.Errorf("no body signs in: %d", got.StatusCode)
	}
}

// TestSignOut: a session ends with its cookie; a token, which others may use, stays.
func TestSignOut(t *testing.T) {
	for kind, want := range map[string]int{store.Session: 1, store.Token: 0} {
		d := &door{kind: kind}
		r := newRequest("DELETE", "/api/v1/session")
		r.Header.Set("Origin", "http://"+r.Host)
		if kind == store.Token {
			r.Header.Set("Authorization", "Bearer secret")
		} else {
			r.AddCookie(&http.Cookie{Name: cookie, Value: "half"})
			r.Header.Set(keyHeader, "key")
		}
		resp := send(d, nil, r)
		if resp.StatusCode != http.StatusNoContent || len(d.revoked) != want {
			t.Errorf("%s: %d, revoked %v", kind, resp.StatusCode, d.revoked)
		}
		if set := resp.Cookies(); len(set) != 1 || set[0].MaxAge >= 0 || set[0].Value != "" {
			t.Errorf("%s: the cookie stays: %v", kind, set)
		}
	}
}
