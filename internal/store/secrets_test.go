package store_test

import (
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// A secret that an earlier Harvik kept is bound once, by its site's plan; others are left alone.
func TestUnboundSecrets(t *testing.T) {
	database := testkit.Database(t)
	s := testkit.Open(t, database)
	if err := s.AddSite(t.Context(), "fernhollow", "https://fernhollow.example/", plan.Plan{Pages: 7}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"old", "new"} {
		if err := s.SetSecret(t.Context(), site.ID, name, "fernhollow.example", "as given",
			[]byte("sealed")); err != nil {
			t.Fatal(err)
		}
	}
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	if _, err := conn.Exec(t.Context(), "update secret set network = null where name = 'old'"); err != nil {
		t.Fatal(err)
	}
	unbound, err := s.UnboundSecrets(t.Context())
	if err != nil || len(unbound) != 1 {
		t.Fatalf("%+v, %v", unbound, err)
	}
	one := unbound[0]
	if one.SiteID != site.ID || one.Name != "old" || one.Host != "fernhollow.example" || one.Plan.Pages != 7 {
		t.Errorf("%+v", one)
	}
	if err := s.BindSecret(t.Context(), site.ID, "old", "as the plan says"); err != nil {
		t.Fatal(err)
	}
	if err := s.BindSecret(t.Context(), site.ID, "new", "as the plan says"); err != nil {
		t.Fatal(err)
	}
	for name, network := range map[string]string{"old": "as the plan says", "new": "as given"} {
		kept, err := s.SealedSecret(t.Context(), site.ID, name)
		if err != nil || kept.Network == nil || *kept.Network != network {
			t.Errorf("%s: %+v, %v", name, kept, err)
		}
	}
	if unbound, err = s.UnboundSecrets(t.Context()); err != nil || len(unbound) != 0 {
		t.Errorf("still unbound: %+v, %v", unbound, err)
	}
}
