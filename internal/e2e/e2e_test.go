// Package e2e tests Harvik as its users meet it: the console in a browser, the command line
// as a process, the API through its client, all on Fernhollow.
package e2e

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"testing"

	"github.com/gin-gonic/gin"

	"harvik/console"
	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/house"
	"harvik/internal/jobs"
	"harvik/internal/password"
	"harvik/internal/provider"
	"harvik/internal/render"
	"harvik/internal/service"
	"harvik/internal/store"
	"harvik/internal/testkit"
	"harvik/internal/vault"
)

func TestMain(m *testing.M) {
	testkit.Main(m, func() {
		if built.folder != "" {
			os.RemoveAll(built.folder)
		}
	})
}

// harvik is a service in this process, with Fernhollow beside it.
type harvik struct {
	*api.Client
	url      string
	token    string
	cookie   string // of a browser's session, and its key
	key      string
	store    *store.Store
	rooms    *house.House
	routes   func() gin.RoutesInfo
	garden   string // host:port of Fernhollow
	database string // as a URL
	plan     plan.Plan
}

// start runs a service until the test ends.
func start(t testing.TB, edition demo.Edition) *harvik {
	t.Helper()
	return startBeside(t, demo.New(edition))
}

// startBeside is start with a garden of the test's own.
func startBeside(t testing.TB, garden http.Handler) *harvik {
	t.Helper()
	h := startOn(t, testkit.Tables(t))
	h.plan = testkit.Garden(t, garden)
	h.garden = h.plan.Hosts[demo.Host]
	return h
}

// startOn runs a service on a database until the test ends.
func startOn(t testing.TB, database string) *harvik {
	t.Helper()
	s := testkit.Open(t, database)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	rooms := house.New(s, testkit.Catalogue, v, jobs.Disk{}, render.NewPool(t.TempDir(), 4), "", nil, testkit.Quiet)
	if err := rooms.Work(t.Context(), testkit.Hands); err != nil {
		t.Fatal(err)
	}
	closing := make(chan struct{})
	engine := service.New(s, rooms, service.Config{Checks: testkit.Catalogue, Sealer: v, Providers: provider.New(v),
		Console: console.Files(), Log: testkit.Quiet, Closing: closing, Passwords: password.New(2)}).Handler()
	server := httptest.NewServer(engine)
	t.Cleanup(func() {
		close(closing)
		rooms.Shutdown(context.Background())
		server.Close()
	})
	token := store.NewSecret()
	if err := errors.Join(s.KeepOwner(t.Context(), token, "test"), s.Rename(t.Context(), 1, "rowan")); err != nil {
		t.Fatal(err)
	}
	return &harvik{
		Client: api.New(server.URL, token), url: server.URL, token: token, store: s, rooms: rooms,
		routes: engine.Routes, database: database,
	}
}

// addGarden takes Fernhollow under care.
func (h *harvik) addGarden(t *testing.T) {
	t.Helper()
	h.addSite(t, "fernhollow", demo.Home, h.plan)
}

// addSite takes a site under care whose hosts are on this machine.
func (h *harvik) addSite(t testing.TB, name, home string, p plan.Plan) {
	t.Helper()
	if err := h.store.AddSite(t.Context(), name, home, p); err != nil {
		t.Fatal(err)
	}
	if _, err := h.Allow(t.Context(), name, api.Allowance{Range: "127.0.0.0/8"}); err != nil {
		t.Fatal(err)
	}
}

// signInLink is what `harvik link` prints.
func (h *harvik) signInLink(t testing.TB) string {
	t.Helper()
	secret, err := h.store.IssueLink(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return h.url + "/sign-in#" + secret
}
