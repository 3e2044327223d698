package house

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/waive"
	"harvik/internal/jobs"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
	"harvik/internal/vault"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// slipping opens secrets, until it is told to panic.
type slipping struct {
	*vault.Vault
	slips atomic.Bool
}

func (s *slipping) Unseal(sealed []byte, purpose string) (string, error) {
	if s.slips.Load() {
		panic("the vault slipped")
	}
	return s.Vault.Unseal(sealed, purpose)
}

// beside is a house with a store of its own, and a site on this machine.
type beside struct {
	*House
	t     *testing.T
	store *store.Store
	vault *slipping
	site  record.Site
}

func begin(t *testing.T, h http.Handler) *beside {
	t.Helper()
	s := testkit.Store(t)
	v, err := vault.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	b := &beside{t: t, store: s, vault: &slipping{Vault: v}}
	b.House = New(s, testkit.Catalogue, b.vault, jobs.Disk{}, nil, "", nil, testkit.Quiet)
	if err := b.Work(t.Context(), testkit.Hands); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { b.Shutdown(context.Background()) })
	b.site = testkit.Site(t, s, h, plan.Plan{})
	return b
}

// again reads the site as it is now.
func (b *beside) again() {
	b.t.Helper()
	var err error
	if b.site, err = b.store.Site(b.t.Context(), "fernhollow"); err != nil {
		b.t.Fatal(err)
	}
}

// crawl starts a crawl by a plan and waits until it is in a state.
func (b *beside) crawl(p plan.Plan, state string) record.Crawl {
	b.t.Helper()
	rec, err := b.Start(b.t.Context(), b.site, p.WithDefaults())
	if err != nil {
		b.t.Fatal(err)
	}
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if rec, err = b.store.Crawl(b.t.Context(), "fernhollow", rec.Number); err != nil {
			b.t.Fatal(err)
		}
		if rec.State == state {
			return rec
		}
	}
	b.t.Fatalf("crawl %d is %s (%s), not %s", rec.Number, rec.State, rec.Detail, state)
	return rec
}

// TestWaiverThatCannotBeRead: a waiver whose pattern does not compile is refused at the door; one that is
// stored all the same covers nothing and is shown, and lists and crawls go on.
func TestWaiverThatCannotBeRead(t *testing.T) {
	b := begin(t, &testkit.Generated{Pages: 20, Seed: 1})
	const broken = `re:/plants/(a|b`
	for _, on := range []string{broken, "re:[", "re:a{99999}", "plants", strings.Repeat("/x*", 1000)} {
		var mistake *record.Mistake
		if _, err := b.Waive(t.Context(), b.site,
			record.Waiver{Scope: waive.Pattern, On: on, Reason: "why"}); !errors.As(err, &mistake) ||
			!strings.Contains(err.Error(), "pattern") {
			t.Errorf("a waiver of %.30q: %v", on, err)
		}
	}
	for _, w := range []record.Waiver{{Scope: waive.Pattern, On: broken}, {Scope: "sky", On: "x"},
		{Scope: waive.Page, On: "\x01"}} {
		w.Reason, w.By = "kept by an earlier Harvik", "somebody"
		if _, err := b.store.AddWaiver(t.Context(), b.site.ID, w); err != nil {
			t.Fatal(err)
		}
	}
	b.crawl(b.site.Plan, "finished")
	if err := b.Weigh(t.Context(), b.site.Name); err != nil {
		t.Errorf("the crawl: %v", err)
	}
	all, err := b.store.Waivers(t.Context(), b.site.ID)
	if err != nil || len(all) != 3 {
		t.Fatalf("%d waivers (%v)", len(all), err)
	}
	for _, w := range all {
		if w.State != "cannot be read" || w.Broken == "" || w.Findings != 0 {
			t.Errorf("%s %q is %s (%q), covering %d", w.Scope, w.On, w.State, w.Broken, w.Findings)
		}
	}
}

// TestPanics: a panic in what runs beside requests ends that, not the process, and says so.
func TestPanics(t *testing.T) {
	b := begin(t, &testkit.Generated{Pages: 30, Seed: 1})
	p := plan.Plan{Gates: []plan.Gate{{Kind: "bearer", Secret: "token"}}, Probes: plan.No()}
	host, _, _ := strings.Cut(strings.TrimPrefix(b.site.Home, "http://"), ":")
	if err := b.store.SetSecret(t.Context(), b.site.ID, "token", host, p.Network(host),
		b.vault.Seal("x", record.SecretPurpose(b.site.ID, "token"))); err != nil {
		t.Fatal(err)
	}
	b.again()
	first := b.crawl(p, "finished")
	held := false
	func() { // what a request asks is caught where requests are answered
		defer func() { held = recover() != nil }()
		b.vault.slips.Store(true)
		_, _ = b.Start(t.Context(), b.site, p.WithDefaults())
	}()
	b.vault.slips.Store(false)
	if !held {
		t.Fatal("the vault did not slip")
	}
	b.vault.slips.Store(true)
	rec, err := b.store.StartCrawl(t.Context(), b.site, p.WithDefaults(), 1)
	if err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(20 * time.Second); rec.State == "running" &&
		time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if rec, err = b.store.Crawl(t.Context(), "fernhollow", rec.Number); err != nil {
			t.Fatal(err)
		}
	}
	if rec.State != "paused" || !strings.Contains(rec.Detail, "Harvik made a mistake") {
		t.Errorf("a crawl whose run panicked is %s and says %q", rec.State, rec.Detail)
	}
	lines, err := b.store.FixesOf(t.Context(), first.ID)
	if err != nil || len(lines) == 0 {
		t.Fatalf("%d fixes (%v)", len(lines), err)
	}
	for fix := range lines {
		again, err := b.Recheck(t.Context(), b.site, []string{fix}, "anna")
		if err != nil {
			t.Fatal(err)
		}
		for deadline := time.Now().Add(20 * time.Second); again.State == "running" &&
			time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
			if again, err = b.store.RecheckOf(t.Context(), first.ID, again.Number); err != nil {
				t.Fatal(err)
			}
		}
		if again.State != "failed" || !strings.Contains(again.Detail, "Harvik made a mistake") {
			t.Errorf("a recheck that panicked is %s: %s", again.State, again.Detail)
		}
		break
	}
}
