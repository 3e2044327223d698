// Package e2e tests Harvik as its users meet it: the console in a browser, the command line
// as a process, the API through its client, all on Fernhollow.
package e2e

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/gin-gonic/gin"

	"harvik/console"
	"harvik/demo"
	"harvik/internal/client"
	"harvik/internal/core/plan"
	"harvik/internal/jobs"
	"harvik/internal/service"
	"harvik/internal/store"
	"harvik/internal/testkit"
	"harvik/internal/vault"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// harvik is a service in this process, with Fernhollow beside it.
type harvik struct {
	*client.Client
	url      string
	token    string
	store    *store.Store
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
	database := testkit.Database(t)
	s, err := store.Open(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	runner := jobs.New(s, v, testkit.Loopback, testkit.Quiet)
	closing := make(chan struct{})
	engine := service.New(s, runner, v, console.Files(), testkit.Quiet, closing).Handler()
	server := httptest.NewServer(engine)
	t.Cleanup(func() {
		close(closing)
		runner.Shutdown(context.Background())
		server.Close()
	})
	token, err := s.Issue(t.Context(), store.Token, "test", 0)
	if err != nil {
		t.Fatal(err)
	}
	h := &harvik{
		Client: client.New(server.URL, token), url: server.URL, token: token, store: s, routes: engine.Routes, database: database,
	}
	h.plan = testkit.Garden(t, garden)
	h.garden = h.plan.Hosts[demo.Host]
	return h
}

// addGarden takes Fernhollow under care.
func (h *harvik) addGarden(t *testing.T) {
	t.Helper()
	if err := h.store.AddSite(t.Context(), "fernhollow", demo.Home, h.plan); err != nil {
		t.Fatal(err)
	}
}

// signInLink is what `harvik link` prints.
func (h *harvik) signInLink(t *testing.T) string {
	t.Helper()
	secret, err := h.store.Issue(t.Context(), store.Link, "test", 0)
	if err != nil {
		t.Fatal(err)
	}
	return h.url + "/sign-in#" + secret
}
