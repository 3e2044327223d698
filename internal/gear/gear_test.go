package gear_test

import (
	"context"
	"errors"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

const home = "https://fernhollow.example/"

// safe is a store of secrets in memory.
type safe struct {
	secrets map[string]record.Sealed
	unbound []record.Unbound
	uses    []string
	away    error
}

func (s *safe) SealedSecret(_ context.Context, _ int64, name string) (record.Sealed, error) {
	if s.away != nil {
		return record.Sealed{}, s.away
	}
	if kept, ok := s.secrets[name]; ok {
		return kept, nil
	}
	return record.Sealed{}, record.ErrNotFound
}

func (s *safe) NoteUse(_ context.Context, _ int64, name, who, what string) error {
	s.uses = append(s.uses, who+" used "+name+" for "+what)
	return s.away
}

func (s *safe) UnboundSecrets(context.Context) ([]record.Unbound, error) { return s.unbound, s.away }

func (s *safe) BindSecret(_ context.Context, _ int64, name, network string) error {
	kept := s.secrets[name]
	kept.Network = &network
	s.secrets[name] = kept
	return nil
}

// plain opens seals that say for what they are.
type plain struct{}

func (plain) Prints() []string { return nil }

func (plain) Unseal(sealed []byte, purpose string) (string, error) {
	secret, ok := strings.CutPrefix(string(sealed), purpose+":")
	if !ok {
		return "", errors.New("the seal is broken")
	}
	return secret, nil
}

// members is a plan whose members' area needs a password.
func members() plan.Plan {
	return plan.Plan{Gates: []plan.Gate{{Kind: "basic", User: "ash", Secret: "door"}}}
}

func sealed(host string, p plan.Plan) record.Sealed {
	network := p.Network("fernhollow.example")
	return record.Sealed{Host: host, Network: &network, Sealed: []byte("1/door:leaf mould")}
}

// TestSecrets opens a secret for the host and the way to it that it was given for, and for no other; each refusal says
// what to do.
func TestSecrets(t *testing.T) {
	elsewhere := members()
	elsewhere.Hosts = map[string]string{"fernhollow.example": "127.0.0.1:9"}
	forged := sealed("fernhollow.example", members())
	forged.Sealed = []byte("2/door:of another site")
	unbound := sealed("fernhollow.example", members())
	unbound.Network = nil
	for name, one := range map[string]struct {
		kept map[string]record.Sealed
		p    plan.Plan
		says string
	}{
		"as it was given": {map[string]record.Sealed{"door": sealed("Fernhollow.Example", members())}, members(),
			""},
		"not set": {nil, members(), "harvik secret set SITE door"},
		"for another host": {map[string]record.Sealed{"door": sealed("shop.example", members())}, members(),
			"is for shop.example"},
		"by another way": {map[string]record.Sealed{"door": sealed("fernhollow.example", members())}, elsewhere,
			"at 127.0.0.1:9"},
		"of an earlier Harvik":   {map[string]record.Sealed{"door": unbound}, members(), "give it again"},
		"sealed for another use": {map[string]record.Sealed{"door": forged}, members(), "the seal is broken"},
		"not needed":             {nil, plan.Plan{}, ""},
	} {
		s := &safe{secrets: one.kept}
		g := gear.New(s, plain{}, testkit.Quiet)
		got, err := g.Open(t.Context(), 1, home, one.p, "rowan", "crawl 3")
		var refusal *record.Refusal
		switch {
		case one.says != "":
			if !errors.As(err, &refusal) || !strings.Contains(refusal.Reason, one.says) || len(s.uses) != 0 {
				t.Errorf("%s: %v, %v", name, err, s.uses)
			}
		case err != nil:
			t.Errorf("%s: %v", name, err)
		case len(one.kept) > 0 && (got["door"] != "leaf mould" || len(s.uses) != 1 ||
			s.uses[0] != "rowan used door for crawl 3"):
			t.Errorf("%s: %d secrets, %v", name, len(got), s.uses)
		}
	}
	away := errors.New("the database went away")
	g := gear.New(&safe{away: away}, plain{}, testkit.Quiet)
	if _, err := g.Open(t.Context(), 1, home, members(), "rowan", "crawl 3"); !errors.Is(err, away) {
		t.Errorf("without a database: %v", err)
	}
}

// TestBindSecrets lets secrets of an earlier Harvik hold for what their sites' plans say now.
func TestBindSecrets(t *testing.T) {
	old := sealed("fernhollow.example", members())
	old.Network = nil
	s := &safe{
		secrets: map[string]record.Sealed{"door": old},
		unbound: []record.Unbound{{SiteID: 1, Plan: members(), Name: "door", Host: "fernhollow.example"}},
	}
	g := gear.New(s, plain{}, testkit.Quiet)
	if err := g.BindSecrets(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got, err := g.Secrets(t.Context(), 1, home, members()); err != nil || got["door"] != "leaf mould" {
		t.Errorf("after binding: %v", err)
	}
}

// TestConfig makes a client for a plan, and refuses certificates and gates that are of no use.
func TestConfig(t *testing.T) {
	g := gear.New(&safe{}, plain{}, testkit.Quiet)
	start, err := weburl.Parse(home)
	if err != nil {
		t.Fatal(err)
	}
	if c, err := g.Config(plan.Plan{}.WithDefaults(), start, fetch.Guard{}, nil); err != nil || c.Fetcher == nil ||
		c.Paces == nil || c.ReadPDF == nil {
		t.Errorf("a plain plan: %v", err)
	}
	for name, p := range map[string]plan.Plan{
		"an authority that is none": {CA: "no certificate"}, "a certificate that is none": {Certificate: "leaf"},
	} {
		if _, err := g.Config(p.WithDefaults(), start, fetch.Guard{}, map[string]string{"leaf": "x"}); err == nil ||
			!strings.Contains(err.Error(), "PEM") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestGuardOf lets a site's hosts be where its owner allows them to.
func TestGuardOf(t *testing.T) {
	g := gear.GuardOf(record.Site{Allowed: []string{"127.0.0.0/8", "nonsense"}})
	if !g.Permits(netip.MustParseAddr("127.0.0.1")) || g.Permits(netip.MustParseAddr("10.0.0.1")) {
		t.Error("other private addresses are reached than were allowed")
	}
}

// TestEnd waits for a group that ends by itself, and cuts one off that does not.
func TestEnd(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		for work, want := range map[time.Duration]time.Duration{time.Second: time.Second, time.Hour: time.Minute} {
			ctx, cancel := context.WithCancel(t.Context())
			var group sync.WaitGroup
			group.Go(func() {
				select {
				case <-time.After(work):
				case <-ctx.Done():
				}
			})
			closing, stop := context.WithTimeout(t.Context(), time.Minute)
			begun := time.Now()
			gear.End(closing, &group, cancel)
			if took := time.Since(begun); took != want || ctx.Err() == nil {
				t.Errorf("work of %s ends after %s", work, took)
			}
			stop()
		}
	})
}
